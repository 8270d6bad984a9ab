package prep

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"sync/atomic"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/uv"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station/budget"
	"yarvek/core/station/source"
	"yarvek/core/station/surface"
)

// tail is the walk through the stations that look at meshes by themselves. What they find does
// not depend on how an asset stands, so that it is looked for once, in the scene as Source
// leaves it, for as long as no decision changes a mesh.
type tail struct {
	*walk
	in      Input
	p       Prep
	cameKey string      // of the scene as it came to Source, cropped and taken apart
	placed  geom.Affine // from coordinates as Source leaves them to the scene's
	look    lineage
}

// lineage is where the meshes of the walk's scene come from. It goes from step to step: a step that changes
// a mesh begins a new one by [walk.itself], and nothing else is ever looked at to tell whether one did.
type lineage struct {
	of     *scene.Scene // whose meshes are looked at
	key    string       // of it with all its names
	shapes string       // of its shapes alone; what a name changes leaves it
	onto   geom.Affine  // from its coordinates to the scene's, as a whole
	// Mesh i of the scene is that of the same number of of, mapped by the linear part of onto and then moved
	// by shifts[i]; nil for no moves.
	shifts  []geom.Vec3
	before  int  // nodes of the scene that stand before those of of, which follow in order
	changed bool // a mesh differs from what Source left by more than where it stands and how large it is
}

// itself is the lineage of a scene whose meshes were changed: it is looked at itself.
func (w *walk) itself() lineage {
	return lineage{of: w.scene, key: w.key, shapes: w.key, onto: geom.Identity, changed: true}
}

// mesh maps points of mesh i of what is looked at to those of the scene's mesh.
func (l lineage) mesh(i int) geom.Affine {
	m := geom.Linear(l.onto.M)
	if l.shifts != nil {
		m.T = l.shifts[i]
	}
	return m
}

// aside runs a step whose outcome depends on the scene that is looked at, not on how it stands.
func aside[A, R any](t *tail, id string, asked A, run func(context.Context, A) R) R {
	key := t.key
	t.key = t.look.key
	_, r := step(t.walk, id, asked, func(ctx context.Context, a A) (*scene.Scene, R) { return nil, run(ctx, a) })
	t.key = key
	return r
}

// each runs something for each of some meshes of the scene that is looked at, given by their
// numbers. What is found in a mesh that came in belongs to it whatever others are there. It tells
// whether all of it was kept, and writes nothing to t: several may run side by side.
func each[A, R any](t *tail, id string, meshes []int, asked func(i int) A, run func(context.Context, *scene.Mesh, A) R) (out []R,
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
		m := t.look.of.Meshes[meshes[i]]
		key := fmt.Sprintf("%s mesh %d", t.look.key, meshes[i])
		if k, ok := at[m]; ok {
			key = fmt.Sprintf("%s mesh %d", t.cameKey, k)
		}
		a := asked(i)
		key, err := named(key, id, a)
		if errs[i] = err; err != nil {
			return
		}
		k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) {
			ran.Store(true)
			r := run(ctx, m, a)
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
	keys := t.scene.Keys()
	ask := surface.Ask{Onto: t.look.onto, Scale: r.Size.Factor, Limits: limits, Box: r.Pivot.Box, Keys: keys[t.look.before:]}
	for _, p := range surface.Places(t.scene) {
		ask.Placing = append(ask.Placing, keys[p.Node])
	}
	if d.Mends() {
		type mended struct {
			Done []surface.Done
			Box  geom.Box
		}
		came := t.scene
		var m mended
		t.scene, m = step(t.walk, "mended", d, func(ctx context.Context, d surface.Decisions) (*scene.Scene, mended) {
			s, done := surface.Mended(ctx, came, d)
			return s, mended{done, s.Bounds()}
		})
		ask.Done, ask.Box = m.Done, m.Box
		t.look = t.itself()
	}
	ask.Pairs = t.pairs(d.Mends())
	if t.err != nil {
		return
	}
	at := t.look.of
	if t.look.changed {
		ask.Onto, ask.Scale, ask.Keys = geom.Identity, 1, keys
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
	apart := func(i int) float64 {
		if least := 1e-4 * size; scaled.Apart > least {
			return math.Exp2(math.Ceil(math.Log2(scaled.Apart / places[i].Scale)))
		}
		return max(1e-4*size, 1e-9) / places[i].Scale
	}
	var seen []*surface.MeshSeen
	var overlaps []flaw.Overlap
	var kept [2]bool
	var errs [2]error
	split.Together(func() {
		seen, kept[0], errs[0] = each(t, "flaws", meshes, func(int) float64 { return limits.Needle },
			func(ctx context.Context, m *scene.Mesh, needle float64) *surface.MeshSeen {
				return surface.LookAt(ctx, m, needle)
			})
	}, func() {
		overlaps, kept[1], errs[1] = each(t, "flicker", meshes, apart, surface.Overlapping)
	})
	t.took(kept[0], errs[0])
	t.took(kept[1], errs[1])
	cover := aside(t, "cover", none{}, func(ctx context.Context, _ none) uv.Cover { return surface.CoverOf(ctx, at) })
	if t.err != nil {
		return
	}
	ask.Seen = aside(t, "seen", scaled, func(ctx context.Context, l surface.Limits) *surface.Seen {
		return surface.Gathered(ctx, at, seen, overlaps, cover, l)
	})
	if t.err != nil {
		return
	}
	before := t.scene
	r.Surface = surface.Run(d, ask)
	t.stop(surface.Info, r.Surface, before, ask.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.look.changed
}

// pairs are the pairs of nodes whose faces flicker: as Source found them, and looked at again where their meshes
// were mended since.
func (t *tail) pairs(mended bool) (list []surface.Pair) {
	r := t.result
	if t.err != nil {
		return nil
	}
	for _, f := range r.Source.Flickering {
		list = append(list, surface.Pair{A: f.A, B: f.B, Area: f.Area * r.Size.Factor * r.Size.Factor, At: t.placed.Apply(f.At),
			Remedy: f.Remedy})
	}
	if !mended || len(list) == 0 {
		return list
	}
	_, again := step(t.walk, "pairs", none{}, func(ctx context.Context, _ none) (*scene.Scene, []surface.Pair) {
		at := map[string]int{}
		for i, k := range t.scene.Keys() {
			at[k] = i
		}
		var out []surface.Pair
		for _, p := range list {
			a, okA := at[p.A]
			b, okB := at[p.B]
			if okA && okB {
				area, place := source.SharedPlane(ctx, t.scene, a, b)
				if area <= 0 {
					continue
				}
				p.Area, p.At = area, place
			}
			out = append(out, p)
		}
		return nil, out
	})
	return again
}

// budget counts the cost and takes out what is decided.
func (t *tail) budget() {
	r, d := t.result, t.p.Budget
	class, _ := t.in.Target.Class(t.p.Size.Class)
	before := t.scene
	ask := budget.Ask{Class: class, Index: t.in.Target.Needs.IndexBits}
	if d != (budget.Decisions{}) {
		t.scene, ask.Went = step(t.walk, "spared", d, func(ctx context.Context, d budget.Decisions) (*scene.Scene, int) {
			return budget.Changed(ctx, before, d)
		})
		t.look = t.itself()
	}
	if t.err != nil {
		return
	}
	at := t.look.of
	ask.Onto, ask.Scale = t.look.onto, r.Size.Factor
	if t.look.changed {
		ask.Scale = 1
	}
	pixel := budget.Pixel(class, t.in.Target.View.Lines, t.in.Target.View.Angle) / ask.Scale
	var meshes []int
	for _, p := range surface.Places(at) {
		meshes = append(meshes, p.Mesh)
	}
	costs, had, err := each(t, budget.Info.ID, meshes, func(int) none { return none{} },
		func(ctx context.Context, m *scene.Mesh, _ none) *budget.MeshCost { return budget.LookAt(ctx, m) })
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
	r.stops[len(r.stops)-1].Changed = t.look.changed
}
