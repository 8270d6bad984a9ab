package prep

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"sync/atomic"

	"yarvek/core/flicker"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station/budget"
	"yarvek/core/station/size"
	"yarvek/core/station/surface"
	"yarvek/core/uv"
)

// tail is the walk through the stations that look at meshes by themselves. What they find does
// not depend on how an asset stands, so that it is looked for once, in the scene as Source
// leaves it, for as long as no decision changes a mesh.
type tail struct {
	*walk
	in      Input
	p       Prep
	kept    *scene.Scene // as Source leaves it
	keptKey string
	cameKey string        // of the scene as it came to Source, cropped and taken apart
	onto    geom.Affine   // from kept to the scene
	placed  geom.Affine   // from coordinates as Source leaves them to the scene's
	changed bool          // a mesh differs from kept's by more than where it stands
	first   first         // what is looked at, as LODs found it
	own     map[*byte]int // numbers of the pictures that were read, by where their bytes are; made when asked for
}

// first is a scene as it is before it is turned, moved and scaled, with its key and the map that does
// that.
type first struct {
	scene *scene.Scene
	key   string
	onto  geom.Affine
}

// aside runs a step whose outcome depends on the scene that is looked at, not on how it stands.
func aside[R any](t *tail, id string, asked any, run func(context.Context) R) R {
	key := t.key
	t.key = t.keptKey
	_, r := step(t.walk, id, asked, func(ctx context.Context) (*scene.Scene, R) { return nil, run(ctx) })
	t.key = key
	return r
}

// each runs something for each of some meshes of the scene that is looked at, given by their
// numbers. What is found in a mesh that came in belongs to it whatever others are there. It tells
// whether all of it was kept, and writes nothing to t: several may run side by side.
func each[R any](t *tail, id string, meshes []int, asked func(i int) any, run func(context.Context, *scene.Mesh, int) R) (out []R,
	kept bool, err error) {
	out = make([]R, len(meshes))
	if t.err != nil {
		return out, false, t.err
	}
	came := t.result.Came.Scene.Meshes
	at := make(map[*scene.Mesh]int, len(came))
	for i, m := range came {
		at[m] = i
	}
	var ran atomic.Bool
	errs := make([]error, len(meshes))
	err = split.Each(t.ctx, len(meshes), func(i int) {
		m := t.kept.Meshes[meshes[i]]
		key := fmt.Sprintf("%s mesh %d", t.keptKey, meshes[i])
		if k, ok := at[m]; ok {
			key = fmt.Sprintf("%s mesh %d", t.cameKey, k)
		}
		key, err := named(key, id, asked(i))
		if errs[i] = err; err != nil {
			return
		}
		k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) {
			ran.Store(true)
			r := run(ctx, m, i)
			return Kept{nil, r}, ctx.Err()
		})
		if errs[i] = err; err == nil {
			out[i] = k.report.(R)
		}
	})
	return out, !ran.Load(), cmp.Or(err, errors.Join(errs...))
}

// took notes what each told.
func (t *tail) took(kept bool, err error) {
	if t.err = cmp.Or(t.err, err); t.err == nil && kept {
		t.result.Hits++
	}
}

// surface looks for flaws and mends what is decided.
func (t *tail) surface() {
	r, d := t.result, t.p.Surface
	class, _ := t.in.Target.Class(t.p.Size.Class)
	limits := surface.InForce(d, class.Seen)
	ask := surface.Ask{Onto: t.onto, Scale: r.Size.Factor, Limits: limits, Box: r.Pivot.Box, Keys: t.scene.Keys()}
	for _, f := range r.Source.Flickering {
		ask.Pairs = append(ask.Pairs, surface.Pair{A: f.A, B: f.B, Area: f.Area * r.Size.Factor * r.Size.Factor, At: t.placed.Apply(f.At),
			Remedy: f.Remedy})
	}
	for _, p := range surface.Places(t.scene) {
		ask.Placing = append(ask.Placing, ask.Keys[p.Node])
	}
	t.changed = t.p.Size.Bake != size.BakeNone || !(r.Size.Factor > 0)
	if d.Mends() {
		type mended struct {
			Done []surface.Done
			Box  geom.Box
		}
		came := t.scene
		var m mended
		t.scene, m = step(t.walk, "mended", d, func(ctx context.Context) (*scene.Scene, mended) {
			s, done := surface.Mended(ctx, came, d)
			return s, mended{done, s.Bounds()}
		})
		ask.Done, ask.Box, t.changed = m.Done, m.Box, true
	}
	if t.err != nil {
		return
	}
	at := t.kept
	if t.changed {
		// The scene itself is looked at.
		at, t.keptKey = t.scene, t.key
		t.kept, t.onto = at, geom.Identity
		ask.Onto, ask.Scale = geom.Identity, 1
	}
	scaled := limits.Times(1 / ask.Scale)
	scaled.Texels = 0 // which nothing is looked for by
	places := surface.Places(at)
	meshes := make([]int, len(places))
	for i, p := range places {
		meshes[i] = p.Mesh
	}
	// Pairs of faces are kept up to a ten-thousandth of the scene, more than flickers of nearly
	// anything, so that a change of size need not compare them anew.
	size := r.Source.Box.Size().Max()
	apart := func(i int) any {
		if least := 1e-4 * size; scaled.Apart > least {
			return math.Exp2(math.Ceil(math.Log2(scaled.Apart / places[i].Scale)))
		}
		return max(1e-4*size, 1e-9) / places[i].Scale
	}
	var seen []*surface.MeshSeen
	var overlaps []flicker.Overlap
	var kept [2]bool
	var errs [2]error
	split.Together(func() {
		seen, kept[0], errs[0] = each(t, "flaws", meshes, func(int) any { return limits.Needle },
			func(ctx context.Context, m *scene.Mesh, _ int) *surface.MeshSeen {
				return surface.LookAt(ctx, m, limits.Needle)
			})
	}, func() {
		overlaps, kept[1], errs[1] = each(t, "flicker", meshes, apart, func(ctx context.Context, m *scene.Mesh, i int) flicker.Overlap {
			return surface.Overlapping(ctx, m, apart(i).(float64))
		})
	})
	t.took(kept[0], errs[0])
	t.took(kept[1], errs[1])
	cover := aside(t, "cover", nil, func(ctx context.Context) uv.Cover { return surface.CoverOf(ctx, at) })
	if t.err != nil {
		return
	}
	ask.Seen = aside(t, "seen", scaled, func(ctx context.Context) *surface.Seen {
		return surface.Gathered(ctx, at, seen, overlaps, cover, scaled)
	})
	if t.err != nil {
		return
	}
	before := t.scene
	r.Surface = surface.Run(d, ask)
	t.stop(surface.Info, r.Surface, before, ask.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.changed
}

// budget counts the cost and takes out what is decided.
func (t *tail) budget() {
	r, d := t.result, t.p.Budget
	class, _ := t.in.Target.Class(t.p.Size.Class)
	ask := budget.Ask{Class: class, Index: t.in.Target.Needs.IndexBits, Onto: t.onto, Scale: r.Size.Factor}
	before, at := t.scene, t.kept
	if d != (budget.Decisions{}) {
		t.scene, ask.Went = step(t.walk, "spared", d, func(ctx context.Context) (*scene.Scene, int) { return budget.Changed(ctx, before, d) })
		at, t.keptKey, t.changed = t.scene, t.key, true
		ask.Onto = geom.Identity
	}
	if t.changed {
		ask.Scale = 1
	}
	if t.err != nil {
		return
	}
	if t.changed {
		t.onto = geom.Identity
	}
	pixel := budget.Pixel(class, t.in.Target.View.Lines, t.in.Target.View.Angle) / ask.Scale
	t.kept = at
	var meshes []int
	for _, p := range surface.Places(at) {
		meshes = append(meshes, p.Mesh)
	}
	costs, had, err := each(t, budget.Info.ID, meshes, func(int) any { return nil },
		func(ctx context.Context, m *scene.Mesh, _ int) *budget.MeshCost { return budget.LookAt(ctx, m) })
	if t.took(had, err); t.err != nil {
		return
	}
	all := make([]*budget.MeshCost, len(at.Meshes))
	for i, m := range meshes {
		all[m] = costs[i]
	}
	r.Budget = budget.Run(t.ctx, budget.Gathered(at, all, pixel), d, ask)
	if t.err = t.ctx.Err(); t.err != nil {
		return
	}
	t.stop(budget.Info, r.Budget, before, r.Surface.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.changed
}
