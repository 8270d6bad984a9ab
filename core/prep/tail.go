package prep

import (
	"context"
	"math"

	"yarvek/core/flicker"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station/budget"
	"yarvek/core/station/size"
	"yarvek/core/station/surface"
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
	onto    geom.Affine // from kept to the scene
	placed  geom.Affine // from coordinates as Source leaves them to the scene's
	changed bool        // a mesh differs from kept's by more than where it stands
}

// aside runs a step whose outcome depends on the scene that Source leaves, not on what was
// decided since.
func aside[R any](t *tail, id string, asked any, run func(context.Context) R) R {
	key := t.key
	t.key = t.keptKey
	_, r := step(t.walk, id, asked, func(ctx context.Context) (*scene.Scene, R) { return nil, run(ctx) })
	t.key = key
	return r
}

// surface looks for flaws and mends what is decided.
func (t *tail) surface() {
	r, d := t.result, t.p.Surface
	class, _ := t.in.Target.Class(t.p.Size.Class)
	limits := surface.InForce(d, class.Seen)
	ask := surface.Ask{Onto: t.onto, Scale: r.Size.Factor, Limits: limits, Box: r.Pivot.Box, Keys: t.scene.Keys()}
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
	ask.Seen = aside(t, "seen", scaled, func(ctx context.Context) *surface.Seen { return surface.Look(ctx, at, scaled) })
	// The distance within which faces flicker is rounded up by halves, so that a change of size
	// need not compare them anew.
	apart := math.Exp2(math.Ceil(2*math.Log2(max(scaled.Apart, 1e-7*r.Source.Box.Size().Max(), 1e-9))) / 2)
	ask.Flicker = aside(t, "flicker", apart, func(ctx context.Context) flicker.Overlap { return surface.Overlapping(ctx, at, apart) })
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
	pixel := budget.Pixel(class, t.in.Target.View.Lines, t.in.Target.View.Angle) / ask.Scale
	seen := aside(t, budget.Info.ID, pixel, func(ctx context.Context) *budget.Seen { return budget.Look(ctx, at, pixel) })
	if t.err != nil {
		return
	}
	r.Budget = budget.Run(t.ctx, seen, d, ask)
	t.stop(budget.Info, r.Budget, before, r.Surface.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.changed
}
