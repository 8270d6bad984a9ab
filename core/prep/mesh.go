package prep

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/uv"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station"
	"yarvek/core/station/budget"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/station/surface"
	"yarvek/core/target/class"
)

// lineage is where the meshes of the walk's scene come from. It goes from step to step: a step that changes
// a mesh begins a new one by [frame.itself], and nothing else is ever looked at to tell whether one did.
type lineage struct {
	of     *scene.Scene  // whose meshes are looked at
	key    string        // of it with all its names
	shapes func() string // of its shapes alone; what a name changes leaves it
	onto   geom.Affine   // from its coordinates to the scene's, as a whole
	// Mesh i of the scene is that of the same number of of, mapped by the linear part of onto and then moved
	// by shifts[i]; nil for no moves.
	shifts  []geom.Vec3
	before  int  // nodes of the scene that stand before those of of, which follow in order
	changed bool // a mesh differs from what Source left by more than where it stands and how large it is
}

// itself is the lineage of a scene whose meshes were changed: it is looked at itself.
func (f frame) itself() lineage {
	return lineage{of: f.scene, key: f.key, shapes: func() string { return f.key }, onto: geom.Identity, changed: true}
}

// lineage is that of the frame which comes to Surface. What is found in meshes does not depend on how an asset
// stands, so that it is looked for once, in the scene as Source leaves it, for as long as no decision changes a mesh.
func (w *walk) lineage(f frame) lineage {
	r, kept := w.result, w.result.stops[0]
	if w.p.Size.Bake != size.BakeNone || !(r.Size.Factor > 0) {
		return f.itself()
	}
	shapes := func() string {
		sum, _ := aside(w, kept.Key, "shapes", none{},
			func(context.Context, none) string { return kept.Scene.ShapeSum() })
		return sum
	}
	return lineage{of: kept.Scene, key: kept.Key, shapes: shapes, onto: f.placed, shifts: r.Pivot.Shifts,
		before: r.Pivot.Added}
}

// scale is how much longer lengths of the frame's scene are than those of what is looked at.
func (w *walk) scale(f frame) float64 {
	if f.look.changed {
		return 1
	}
	return w.result.Size.Factor
}

// class is that of the asset, and the zero class where it has none.
func (w *walk) class() class.Class {
	c, _ := w.in.Target.Class(w.p.Size.Class)
	return c
}

// mesh maps points of mesh i of what is looked at to those of the scene's mesh.
func (l lineage) mesh(i int) geom.Affine {
	m := geom.Linear(l.onto.M)
	if l.shifts != nil {
		m.T = l.shifts[i]
	}
	return m
}

// surface looks for flaws and mends what is decided.
func (w *walk) surface(f frame) (frame, station.Report) {
	r, d := w.result, w.p.Surface
	f.look = w.lineage(f)
	keys := f.scene.Keys()
	limits := surface.InForce(d, w.class().Seen)
	ask := surface.Ask{Onto: f.look.onto, Scale: r.Size.Factor, Limits: limits, Keys: keys[f.look.before:]}
	for _, p := range w.places(f.look.of, f.look.key) {
		ask.Placing = append(ask.Placing, keys[f.look.before+p.Node])
	}
	if d.Mends() {
		type mended struct {
			Done []surface.Done
			Box  geom.Box
		}
		came := f.scene
		var m mended
		f.scene, m, f.key = step(w, f.key, "mended", d, func(ctx context.Context, d surface.Decisions) (*scene.Scene,
			mended) {
			s, done := surface.Mended(ctx, came, d)
			return s, mended{done, s.Bounds()}
		})
		ask.Done, f.box = m.Done, m.Box
		f.look = f.itself()
	}
	ask.Box = f.box
	ask.Pairs = w.pairs(f, d.Mends())
	if f.look.changed {
		ask.Onto, ask.Scale, ask.Keys = geom.Identity, 1, keys
	}
	ask.Seen = w.seen(f, limits, ask.Scale)
	r.Surface = surface.Run(d, ask)
	return f, r.Surface
}

// places are the meshes of a scene that has a key, each with the node that places it first.
func (w *walk) places(s *scene.Scene, key string) []surface.Placed {
	list, ok := w.placings[key]
	if !ok {
		list, _ = aside(w, key, "places", none{}, func(context.Context, none) []surface.Placed { return surface.Places(s) })
		w.placings = map[string][]surface.Placed{key: list} // the last is asked for by three stations
	}
	return list
}

// seen is what is found in the meshes that are looked at, by limits that hold for lengths of the frame's scene.
func (w *walk) seen(f frame, limits surface.Limits, scale float64) *surface.Seen {
	at := f.look.of
	scaled := limits.Times(1 / scale)
	scaled.Texels = 0 // which nothing is looked for by
	places := w.places(at, f.look.key)
	meshes := make([]int, len(places))
	for i, p := range places {
		meshes[i] = p.Mesh
	}
	// Pairs of faces are kept up to a ten-thousandth of the scene, more than flickers of nearly
	// anything, so that a change of size need not compare them anew.
	least := 1e-4 * w.result.Source.Box.Size().Max()
	apart := func(i int) float64 {
		if scaled.Apart > least {
			return math.Exp2(math.Ceil(math.Log2(scaled.Apart / places[i].Scale)))
		}
		return max(least, 1e-9) / places[i].Scale
	}
	var seen []*surface.MeshSeen
	var overlaps []surface.Compared
	var kept [2]bool
	var errs [2]error
	split.Together(func() {
		if w.in.Holds {
			seen, kept[0], errs[0] = each(w, f.look, "inside out", meshes, func(int) none { return none{} },
				func(ctx context.Context, m *scene.Mesh, _ none) *surface.MeshSeen { return surface.InsideOut(ctx, m) })
			return
		}
		seen, kept[0], errs[0] = each(w, f.look, "flaws", meshes, func(int) float64 { return limits.Needle },
			func(ctx context.Context, m *scene.Mesh, needle float64) *surface.MeshSeen {
				return surface.LookAt(ctx, m, needle)
			})
	}, func() {
		defer func() {
			if w.p.Budget == (budget.Decisions{}) && flaw.AtOnce(f.look.of.Count().Triangles) == 0 {
				_, _, _ = w.costs(f.look) // Budget asks for it next
			}
		}()
		if w.in.Holds {
			overlaps = make([]surface.Compared, len(meshes))
			return
		}
		overlaps, kept[1], errs[1] = each(w, f.look, "flicker", meshes, apart,
			func(ctx context.Context, m *scene.Mesh, tol float64) surface.Compared {
				o := surface.Overlapping(ctx, m, tol, flaw.AtOnce(m.Triangles()))
				return surface.Compared{Overlap: o, Part: o.Cut}
			})
	})
	for i := range kept {
		w.must(errs[i])
		w.hit(kept[i])
	}
	overlaps = w.compared(f, meshes, overlaps, apart)
	var cover uv.Cover
	if !w.in.Holds {
		cover, _ = aside(w, f.look.key, "cover", none{},
			func(ctx context.Context, _ none) uv.Cover { return surface.CoverOf(ctx, at) })
	}
	type ask struct {
		Limits surface.Limits
		Parts  []bool // which meshes' faces were compared in part
		Holds  bool
	}
	by := ask{Limits: scaled, Holds: w.in.Holds}
	for _, o := range overlaps {
		by.Parts = append(by.Parts, o.Part)
	}
	all, _ := aside(w, f.look.key, "seen", by, func(ctx context.Context, a ask) *surface.Seen {
		return surface.Gathered(ctx, at, seen, overlaps, cover, a.Limits)
	})
	return all
}

// compared puts what a job found in full in the place of what a page found of it.
func (w *walk) compared(f frame, meshes []int, list []surface.Compared, apart func(i int) float64) []surface.Compared {
	out := slices.Clone(list)
	for i := range out {
		if !out[i].Part {
			continue
		}
		key, err := named(fmt.Sprintf("%s mesh %d", f.look.key, meshes[i]), "flicker in full", apart(i))
		if err != nil {
			w.must(err)
			return list
		}
		m := f.look.of.Meshes[meshes[i]]
		full := made(w, key, true, func(*flaw.Overlap) *scene.Scene { return nil },
			func(ctx context.Context) (*flaw.Overlap, error) {
				w.say("Faces in one plane", float64(i)/float64(len(out)))
				o := surface.Overlapping(ctx, m, apart(i), flaw.InFull)
				return &o, ctx.Err()
			})
		if full != nil {
			out[i] = surface.Compared{Overlap: *full}
		}
	}
	return out
}

// pairs are the pairs of nodes whose faces flicker: as Source found them, and looked at again where their meshes
// were mended since.
func (w *walk) pairs(f frame, mended bool) (list []surface.Pair) {
	r := w.result
	near := source.Near(f.box.Size().Len())
	for _, p := range r.Source.Flickering {
		list = append(list, surface.Pair{A: p.A, B: p.B, Key: p.Keys[1], Area: p.Area * r.Size.Factor * r.Size.Factor,
			At: f.placed.Apply(p.At), Normal: f.placed.M.Apply(p.Normal).Unit(), Near: near, Remedy: p.Remedy})
	}
	if !mended || len(list) == 0 {
		return list
	}
	again, _ := aside(w, f.key, "pairs", none{}, func(ctx context.Context, _ none) []surface.Pair {
		at := map[string]int{}
		for i, k := range f.scene.Keys() {
			at[k] = i
		}
		var out []surface.Pair
		for _, p := range list {
			a, okA := at[p.A]
			b, okB := at[p.B]
			if okA && okB {
				area, place, normal := source.SharedPlane(ctx, f.scene, a, b)
				if area <= 0 {
					continue
				}
				p.Area, p.At, p.Normal = area, place, normal
			}
			out = append(out, p)
		}
		return out
	})
	return again
}

// costs is what each mesh that is looked at costs, and whether that was known.
func (w *walk) costs(look lineage) (all []*budget.MeshCost, had bool, err error) {
	at := look.of
	var meshes []int
	for _, p := range w.places(at, look.key) {
		meshes = append(meshes, p.Mesh)
	}
	for i, users := range at.Users() {
		if m := at.Meshes[i]; len(users) > 0 && m.Faces() == 0 && !m.Empty() {
			meshes = append(meshes, i) // points, which no surface is measured of
		}
	}
	list, had, err := each(w, look, budget.Info.ID, meshes, func(int) none { return none{} },
		func(ctx context.Context, m *scene.Mesh, _ none) *budget.MeshCost { return budget.LookAt(ctx, m) })
	if err != nil {
		return nil, had, err
	}
	all = make([]*budget.MeshCost, len(at.Meshes))
	for i, m := range meshes {
		all[m] = list[i]
	}
	return all, had, nil
}

// budget counts the cost and takes out what is decided.
func (w *walk) budget(f frame) (frame, station.Report) {
	r, d, class := w.result, w.p.Budget, w.class()
	ask := budget.Ask{Class: class, Index: w.in.Target.Needs.IndexBits}
	if d != (budget.Decisions{}) {
		before := f.scene
		f.scene, ask.Went, f.key = step(w, f.key, "spared", d, func(ctx context.Context, d budget.Decisions) (*scene.Scene,
			int) {
			return budget.Changed(ctx, before, d)
		})
		f.look = f.itself()
	}
	at := f.look.of
	ask.Onto, ask.Scale = f.look.onto, w.scale(f)
	pixel := budget.Pixel(class, w.in.Target.View.Lines, w.in.Target.View.Angle) / ask.Scale
	all, had, err := w.costs(f.look)
	w.must(err)
	w.hit(had)
	gathered, _ := aside(w, f.look.key, "costs", pixel, func(_ context.Context, pixel float64) *budget.Seen {
		return budget.Gathered(at, all, pixel)
	})
	r.Budget = budget.Run(w.ctx, gathered, d, ask)
	w.must(w.ctx.Err())
	f.box = r.Surface.Box
	return f, r.Budget
}
