package collision_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/axes"
	"yarvek/core/station/collision"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
)

var ctx = context.Background()

func hut() *scene.Scene { return shape.Scene("hut", nil, shapetest.Hut()) }

func crate() *scene.Scene {
	return shape.Scene("crate", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("crate"))
}

func run(t testing.TB, s *scene.Scene, d collision.Decisions) *prep.Result {
	t.Helper()
	return preptest.Run(t, s, prep.Prep{Collision: d}, preptest.YUp)
}

func fitted(form collision.Form) collision.Decisions {
	return collision.Decisions{}.With(collision.Fit{Form: form})
}

func codes(r *collision.Report) map[string]finding.Finding {
	m := map[string]finding.Finding{}
	for _, f := range r.Findings() {
		m[strings.TrimPrefix(f.Code, "collision/")] = f
	}
	return m
}

// One hull fills the doorway, and the remedy opens it.
func TestADoorwayIsFilledAndOpened(t *testing.T) {
	one := run(t, hut(), fitted(collision.OneHull)).Collision
	require.Len(t, one.Shapes, 1)
	f, ok := codes(one)["filled-1"]
	require.True(t, ok)
	assert.Equal(t, "The opening on the front is filled", f.Title)
	assert.InDelta(t, 30/5.328, one.Ratio(), 0.02, "30 m³ round walls of 5.3 m³")
	assert.InDelta(t, 0, one.Gap.Out.Max, 1e-6)

	d := f.Remedies[0].Decision.(collision.Decisions)
	many := run(t, hut(), d).Collision
	assert.NotContains(t, codes(many), "filled-1")
	require.Len(t, many.Ways, 1)
	assert.True(t, many.Ways[0].Open)
	assert.Less(t, many.Ratio(), 1.15)
	assert.Less(t, many.Gap.Out.Max, 0.02*5.6)
	assert.Equal(t, many.Figure(), fmt.Sprintf("%d hulls", len(many.Shapes)))

	// Nobody need come through: then nothing is looked for.
	d.Keep.None = true
	assert.Empty(t, run(t, hut(), d).Collision.Ways)
	// A giant finds no passage.
	d.Keep = collision.Keep{Radius: 0.8, Height: 3}
	assert.Empty(t, run(t, hut(), d).Collision.Ways)
}

// Every sort holds the mesh, and those of a box are what the book says.
func TestFitsHoldTheirMesh(t *testing.T) {
	diagonal := math.Sqrt(14)
	for _, f := range collision.Forms {
		r := run(t, crate(), fitted(f.ID)).Collision
		require.NotEmpty(t, r.Shapes, f.ID)
		assert.InDelta(t, 0, r.Gap.Out.Max, 1e-6, f.ID)
		assert.Equal(t, f.Kind, r.Shapes[0].Form.Kind, f.ID)
		switch f.ID {
		case collision.Box, collision.Turned, collision.OneHull, collision.Hulls, collision.Slab:
			assert.InDelta(t, 6, r.Volume, 1e-3, f.ID)
		case collision.Ball:
			assert.InDelta(t, math.Pi/6*math.Pow(diagonal, 3), r.Volume, 1e-6)
		}
		assert.True(t, r.Balanced(), f.ID)
	}
}

// Fits follow what the stations before decide, and what was changed by hand follows too.
func TestShapesFollowSizeStanceAndPivot(t *testing.T) {
	d := fitted(collision.Hulls)
	d.Keep.None = true // whoever walks through does not grow with it
	space := run(t, hut(), d).Collision
	moved, err := d.Changed(ctx, space.Space, []string{space.Shapes[0].ID},
		collision.Edit{Do: collision.Move, By: geom.Vec3{0, 0, 0.25}})
	require.NoError(t, err)
	plain := run(t, hut(), moved)
	p := prep.Prep{Collision: moved, Size: size.Decisions{Fit: size.ByFactor, Factor: 2},
		Axes: axes.Decisions{Up: geom.PosZ,
			Forward: geom.PosX}, Pivot: pivot.BaseCentre}
	other := preptest.Run(t, hut(), p, preptest.YUp)
	require.Len(t, other.Collision.Shapes, len(plain.Collision.Shapes))
	a, b := plain.Collision, other.Collision
	assert.InDelta(t, 8*a.Sum, b.Sum, 1e-6*b.Sum)
	assert.InDelta(t, 2*a.Gap.Out.Max, b.Gap.Out.Max, 1e-6)
	back, ok := b.Space.Placed.Inverse()
	require.True(t, ok)
	for i, s := range a.Shapes {
		box := geom.EmptyBox()
		for _, q := range b.Shapes[i].Form.Convex.Points {
			box = box.Add(a.Space.Placed.Apply(back.Apply(q)))
		}
		assert.True(t, box.Min.Near(s.Form.Convex.Box.Min, 1e-6) && box.Max.Near(s.Form.Convex.Box.Max, 1e-6), s.Letter)
	}
}

// Edits do what geometry says.
func TestEditsByHand(t *testing.T) {
	d := fitted(collision.Box)
	r := run(t, crate(), d).Collision
	at := func(d collision.Decisions) []geom.Box {
		var list []geom.Box
		for _, s := range run(t, crate(), d).Collision.Shapes {
			list = append(list, s.Form.Bounds())
		}
		return list
	}
	near := func(want geom.Box, got geom.Box, what any) {
		t.Helper()
		assert.True(t, want.Min.Near(got.Min, 1e-9) && want.Max.Near(got.Max, 1e-9), "%v: %v, not %v", what, got, want)
	}
	box := func(a, b, c, x, y, z float64) geom.Box {
		return geom.Box{Min: geom.Vec3{a, b, c}, Max: geom.Vec3{x, y, z}}
	}
	for _, c := range []struct {
		e    collision.Edit
		want []geom.Box
	}{
		{collision.Edit{Do: collision.Move, By: geom.Vec3{1, 0, -1}}, []geom.Box{box(1, 0, -1, 2, 2, 2)}},
		{collision.Edit{Do: collision.Copy, By: geom.Vec3{2, 0, 0}},
			[]geom.Box{box(0, 0, 0, 1, 2, 3), box(2, 0, 0, 3, 2, 3)}},
		{collision.Edit{Do: collision.Mirror, Axis: 0, At: -1}, []geom.Box{box(0, 0, 0, 1, 2, 3), box(-3, 0, 0, -2, 2, 3)}},
		{collision.Edit{Do: collision.Turn, By: geom.Vec3{0, 90, 0}}, []geom.Box{box(-1, 0, 1, 2, 2, 2)}},
		{collision.Edit{Do: collision.Size, By: geom.Vec3{2, 0.5, 1}}, []geom.Box{box(-0.5, 0.5, 0, 1.5, 1.5, 3)}},
		{collision.Edit{Do: collision.Split, Axis: 2}, []geom.Box{box(0, 0, 0, 1, 2, 1.5), box(0, 0, 1.5, 1, 2, 3)}},
		{collision.Edit{Do: collision.Snap, Grid: 0.3}, []geom.Box{box(0, 0, 0, 1, 2, 3)}},
		{collision.Edit{Do: collision.Delete}, nil},
	} {
		got, err := d.Changed(ctx, r.Space, []string{"f0.0"}, c.e)
		require.NoError(t, err, c.e.Do)
		boxes := at(got)
		require.Len(t, boxes, len(c.want), c.e.Do)
		for i := range boxes {
			near(c.want[i], boxes[i], c.e.Do)
		}
		b, err := json.Marshal(prep.Prep{Collision: got})
		require.NoError(t, err)
		again, err := prep.Parse(b)
		require.NoError(t, err, c.e.Do)
		assert.Equal(t, len(boxes), len(at(again.Collision)), "kept and read back")
		assert.NotEmpty(t, got.Lines())
	}
	// Up, then down to the ground again; two halves become the whole.
	up, err := d.Changed(ctx, r.Space, []string{"f0.0"}, collision.Edit{Do: collision.Move, By: geom.Vec3{0, 0.7, 0}})
	require.NoError(t, err)
	now := run(t, crate(), up).Collision
	down, err := up.Changed(ctx, now.Space, []string{"e0"}, collision.Edit{Do: collision.Ground})
	require.NoError(t, err)
	near(box(0, 0, 0, 1, 2, 3), at(down)[0], "ground")
	halves, err := d.Changed(ctx, r.Space, []string{"f0.0"}, collision.Edit{Do: collision.Split, Axis: 0, At: 0.2})
	require.NoError(t, err)
	two := run(t, crate(), halves).Collision
	assert.InDelta(t, 6, two.Sum, 1e-9)
	whole, err := halves.Changed(ctx, two.Space, []string{two.Shapes[0].ID, two.Shapes[1].ID},
		collision.Edit{Do: collision.Merge})
	require.NoError(t, err)
	require.Len(t, at(whole), 1)
	assert.InDelta(t, 6, run(t, crate(), whole).Collision.Sum, 1e-9)
	more, err := whole.Added(two.Space, solid.Ball, geom.Vec3{5, 5, 5}, 2)
	require.NoError(t, err)
	near(box(4, 4, 4, 6, 6, 6), at(more)[1], "added")

	for _, bad := range []struct {
		ids []string
		e   collision.Edit
	}{{nil, collision.Edit{Do: collision.Move}}, {[]string{"e9"}, collision.Edit{Do: collision.Move}}, {[]string{"f0.0"},
		collision.Edit{Do: "fly"}},
		{[]string{"f0.0"}, collision.Edit{Do: collision.Split, At: 9}},
		{[]string{"f0.0"}, collision.Edit{Do: collision.Merge}},
		{[]string{"f0.0"}, collision.Edit{Do: collision.Move, By: geom.Vec3{math.NaN()}}}} {
		_, err := d.Changed(ctx, r.Space, bad.ids, bad.e)
		assert.Error(t, err, bad.e.Do)
	}
}

// What was fitted follows a new mesh; what was changed by hand is told.
func TestANewRevision(t *testing.T) {
	d := fitted(collision.Hulls)
	first := run(t, hut(), d).Collision
	d, err := d.Changed(ctx, first.Space, []string{first.Shapes[0].ID},
		collision.Edit{Do: collision.Move, By: geom.Vec3{0, 0.01, 0}})
	require.NoError(t, err)
	same := run(t, hut(), d).Collision
	for code := range codes(same) {
		assert.NotContains(t, code, "changed-")
	}
	taller := hut()
	for i := range taller.Meshes[0].Points {
		if p := &taller.Meshes[0].Points[i]; p[1] > 2.3 {
			p[1] += 0.4
		}
	}
	other := run(t, taller, d).Collision
	said := ""
	for code, f := range codes(other) {
		if strings.HasPrefix(code, "changed-") {
			said = code
			settled := f.Remedies[0].Decision.(collision.Decisions)
			for code := range codes(run(t, taller, settled).Collision) {
				assert.NotContains(t, code, "changed-")
			}
		}
	}
	assert.NotEmpty(t, said)
	top := 0.0
	for _, s := range other.Shapes {
		if s.Fit >= 0 {
			top = max(top, s.Form.Bounds().Max[1])
		}
	}
	assert.InDelta(t, 2.9, top, 1e-6, "the fitted ones follow")
}

// Shapes made by hand are told by their names, stand for their mesh, and are no meshes.
func TestShapesOfTheFile(t *testing.T) {
	box := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3})
	s := shape.Scene("crate", nil, box.Mesh("crate"),
		new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("crate solid box 01"),
		new(shape.Builder).Box(geom.Vec3{2, 0, 0}, geom.Vec3{3, 1, 1}).Mesh("crale solid hull 01"))
	r := run(t, s, collision.Decisions{})
	require.Len(t, r.Collision.Shapes, 2)
	assert.Equal(t, 1, r.Delivery.Scene.Count().Meshes, "they are no meshes of their own")
	assert.Equal(t, "crate", r.Collision.Shapes[0].Name)
	assert.Equal(t, "of the file", r.Collision.Shapes[0].Source())
	f, ok := codes(r.Collision)["unmatched-2"]
	require.True(t, ok)
	assert.Contains(t, f.Text, "“crate”", "the nearest name is proposed")
	// Taken in hand, it is no longer the file's.
	d, err := collision.Decisions{}.Changed(ctx, r.Collision.Space, []string{"h0"},
		collision.Edit{Do: collision.Move, By: geom.Vec3{1, 0, 0}})
	require.NoError(t, err)
	now := run(t, s, d).Collision
	require.Len(t, now.Shapes, 2)
	assert.Equal(t, "by hand", now.Shapes[1].Source())
	assert.InDelta(t, 2, now.Shapes[1].Form.Bounds().Max[0], 1e-9)
	// Fits take their place, and they come back when those go.
	assert.Equal(t, "fitted", run(t, s, d.With(collision.Fit{Form: collision.Box})).Collision.Shapes[0].Source())
	assert.Len(t, run(t, s, d.AsFile()).Collision.Shapes, 2)
	assert.Empty(t, run(t, s, d.With()).Collision.Shapes)

	// One that is hollow, open or inside out is told.
	bad := shape.Scene("hut", nil, shapetest.Hut(), shapetest.Hut())
	bad.Nodes[1].Name, bad.Meshes[1].Name = "hut solid hull 01", "hut solid hull 01"
	for f := range bad.Meshes[1].Faces() {
		c := bad.Meshes[1].Corners[bad.Meshes[1].FaceStart[f]:bad.Meshes[1].FaceStart[f+1]]
		c[1], c[3] = c[3], c[1]
	}
	got := codes(run(t, bad, collision.Decisions{}).Collision)
	assert.Contains(t, got, "hollow-A")
	assert.Contains(t, got, "inside-out-A")
}

// One hull of few points lets the mesh stick out by no more than is said, and says when it can't.
func TestAHullWithinADistance(t *testing.T) {
	rock := shape.Scene("rock", nil, shapetest.Boulder(16))
	of := func(points int, within float64) *collision.Report {
		return run(t, rock, collision.Decisions{Keep: collision.Keep{None: true},
			Fits: []collision.Fit{{Form: collision.OneHull, Points: points, Within: within}}}).Collision
	}
	outside, within := of(48, 0), of(48, 0.04)
	assert.InDelta(t, 0, outside.Gap.Out.Max, 1e-9)
	assert.Greater(t, within.Gap.Out.Max, 0.001)
	assert.LessOrEqual(t, within.Gap.Out.Max, 0.04)
	assert.Less(t, within.Volume, outside.Volume)
	assert.LessOrEqual(t, within.Shapes[0].Points(), 48)
	short := of(8, 0.001)
	assert.Contains(t, codes(short), "short-1")
	assert.InDelta(t, 0, short.Gap.Out.Max, 1e-9, "then it stays outside")
}

// Parts, slots and each node by itself.
func TestFitsToParts(t *testing.T) {
	s := shape.Scene("set", []scene.Material{{Name: "wood"}, {Name: "iron"}},
		new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Slot(1).Box(geom.Vec3{0, 1, 0},
			geom.Vec3{1, 1.5, 1}).Mesh("a"),
		new(shape.Builder).Slot(0).Box(geom.Vec3{3, 0, 0}, geom.Vec3{4, 2, 1}).Mesh("b"))
	of := func(f collision.Fit) []collision.Shape {
		return run(t, s, collision.Decisions{}.With(f)).Collision.Shapes
	}
	all := of(collision.Fit{Form: collision.Box})
	require.Len(t, all, 1)
	assert.InDelta(t, 4*2*1, all[0].Form.Volume(), 1e-9)
	each := of(collision.Fit{Form: collision.Box, Each: true})
	require.Len(t, each, 2)
	assert.Equal(t, "b", each[1].Name)
	assert.InDelta(t, 2, each[1].Form.Volume(), 1e-9)
	iron := of(collision.Fit{Form: collision.Box, Slot: "iron"})
	require.Len(t, iron, 1)
	assert.InDelta(t, 0.5, iron[0].Form.Volume(), 1e-9)
	one := of(collision.Fit{Form: collision.Box, Nodes: []string{s.Keys()[1]}})
	require.Len(t, one, 1)
	assert.Equal(t, "b", one[0].Name)
	lost := run(t, s, collision.Decisions{}.With(collision.Fit{Form: collision.Box, Nodes: []string{"gone"}})).Collision
	assert.Contains(t, codes(lost), "lost-decision")
}

// Meshes that bound nothing get the best there is, with a finding, and never a panic.
func TestImperfectMeshes(t *testing.T) {
	flat := &scene.Mesh{Name: "flat", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 0, 1}, {0, 0, 1}},
		Corners:   []int32{0, 1, 2, 3},
		FaceStart: []int32{0, 4}, Slots: []int{-1}}
	line := &scene.Mesh{Name: "line", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, Corners: []int32{0, 1, 2},
		FaceStart: []int32{0, 3}, Slots: []int{-1}}
	open := new(shape.Builder).Grid(6, 6, func(u, v float64) geom.Vec3 { return geom.Vec3{u, u * v, v} }).Mesh("open")
	for _, m := range []*scene.Mesh{flat, line, open} {
		for _, f := range collision.Forms {
			r := run(t, shape.Scene(m.Name, nil, m), fitted(f.ID)).Collision
			assert.NotEmpty(t, r.Shapes, "%s %s", m.Name, f.ID)
			if m.Name == "open" {
				assert.Contains(t, codes(r), "open-mesh")
			}
		}
	}
	empty := run(t, shape.Scene("nothing", nil), fitted(collision.Hulls)).Collision
	assert.Empty(t, empty.Shapes)
}

// What a shape lies wholly within holds nothing; what the class and the target can't take is told.
func TestJudgements(t *testing.T) {
	d := fitted(collision.Box)
	r := run(t, crate(), d).Collision
	d, err := d.Added(r.Space, solid.Ball, geom.Vec3{0.5, 1, 1.5}, 0.5)
	require.NoError(t, err)
	got := run(t, crate(), d).Collision
	f, ok := codes(got)["within-B"]
	require.True(t, ok)
	assert.Len(t, run(t, crate(), f.Remedies[0].Decision.(collision.Decisions)).Collision.Shapes, 1)
	// A ball that stands out makes the balance another.
	far, err := fitted(collision.Box).Added(r.Space, solid.Box, geom.Vec3{4, 1, 1.5}, 1.5)
	require.NoError(t, err)
	assert.Contains(t, codes(run(t, crate(), far).Collision), "balance")
	// Half of the mesh is outside of half a box.
	half, err := fitted(collision.Box).Changed(ctx, r.Space, []string{"f0.0"},
		collision.Edit{Do: collision.Size, By: geom.Vec3{1, 1, 0.5}})
	require.NoError(t, err)
	out := run(t, crate(), half).Collision
	assert.InDelta(t, 0.75, out.Gap.Out.Max, 1e-9)
	assert.Contains(t, codes(out), "sticks-out")
	p := prep.Prep{Collision: d, Size: size.Decisions{Class: "hand-prop"}}
	p.Collision, err = d.Added(r.Space, solid.Capsule, geom.Vec3{0, 3, 0}, 0.5)
	require.NoError(t, err)
	assert.Contains(t, codes(preptest.Run(t, crate(), p, preptest.YUp).Collision), "many",
		"three shapes, and two are reckoned with")
}

// The mesh itself can be touched, too: of fewer triangles, from one side or both.
func TestTheSurfaceItself(t *testing.T) {
	rock := shape.Scene("rock", nil, shapetest.Boulder(12))
	whole := run(t, rock, collision.Decisions{Surface: collision.Surface{Share: 1}})
	require.Len(t, whole.Delivery.Collision, 1)
	assert.Equal(t, "surface", whole.Delivery.Collision[0].Kind)
	assert.Equal(t, rock.Count().Triangles, whole.Delivery.Collision[0].Mesh.Triangles())
	assert.Equal(t, "surface", whole.Collision.Figure())
	half := run(t, rock, collision.Decisions{Surface: collision.Surface{Share: 0.5, TwoSided: true}})
	m := half.Delivery.Collision[0].Mesh
	assert.InDelta(t, rock.Count().Triangles, m.Triangles(), 4, "half of them, twice")
	ways := map[[2]int32]int{}
	for f := range m.Faces() {
		c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for k := range c {
			ways[[2]int32{c[k], c[(k+1)%len(c)]}]++
		}
	}
	for e, n := range ways {
		assert.Equal(t, n, ways[[2]int32{e[1], e[0]}], "as many faces either way")
	}
	assert.Greater(t, half.Collision.Surface.Off, 0.0)
	assert.Less(t, half.Collision.Surface.Off, 0.05)
	both := collision.Decisions{Surface: collision.Surface{Share: 1}, Fits: []collision.Fit{{Form: collision.OneHull}}}
	assert.Len(t, run(t, rock, both).Delivery.Collision, 2)
}

func TestDecisionsThatCantBeMeant(t *testing.T) {
	for _, d := range []collision.Decisions{
		{Fits: []collision.Fit{{Form: "blob"}}}, {Fits: []collision.Fit{{Form: collision.Hulls, Most: 9999}}}, {None: true,
			Fits: []collision.Fit{{Form: collision.Box}}},
		{Fits: []collision.Fit{{Form: collision.Slab, Planes: 7}}}, {Fits: []collision.Fit{{Form: collision.Hulls,
			Concavity: -1}}}, {Keep: collision.Keep{Radius: -1}},
		{Keep: collision.Keep{Height: 1}}, {Keep: collision.Keep{Radius: 2, Height: 1}}, {Density: -4}, {Gap: math.NaN()},
		{Edited: []collision.Edited{{Solid: solid.Solid{Kind: solid.Box}}}},
		{Edited: []collision.Edited{{Solid: solid.Solid{Kind: "blob"}}}},
	} {
		assert.Error(t, d.Validate(), "%+v", d)
	}
	assert.NoError(t, collision.Decisions{}.Validate())
}

// The same asked twice comes from the memo, and another size fits nothing anew.
func TestFitsAreKept(t *testing.T) {
	in := prep.Input{Key: "hut", Scene: hut(), Target: preptest.YUp}
	memo := prep.NewMemo(1 << 30)
	p := prep.Prep{Collision: fitted(collision.Hulls)}
	p.Collision.Keep.None = true
	a, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	p.Pivot = pivot.BaseCentre
	b, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	require.Len(t, b.Collision.Shapes, len(a.Collision.Shapes))
	assert.Same(t, &a.Collision.Fits[0].Solids[0].Points[0], &b.Collision.Fits[0].Solids[0].Points[0],
		"the very same hulls, moved")
}

// Hulls of a large mesh are made when that is asked for, and are there from then on.
func TestLargeMeshesWait(t *testing.T) {
	in := prep.Input{Key: "ring", Scene: shape.Scene("ring", nil, shapetest.Torus(1, 0.25, 64, 24)), Target: preptest.YUp}
	memo := prep.NewMemo(1 << 30)
	p := prep.Prep{Collision: fitted(collision.Hulls)}
	r, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	assert.True(t, r.Collision.Pending)
	assert.Empty(t, r.Delivery.Collision)
	assert.Contains(t, codes(r.Collision), "pending")
	told := 0.0
	in.Make, in.Progress = true, func(_ string, f float64) { told = max(told, f) }
	made, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	assert.NotEmpty(t, made.Delivery.Collision)
	assert.Greater(t, told, 0.5)
	in.Make = false
	again, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	assert.Len(t, again.Delivery.Collision, len(made.Delivery.Collision))
}

// A part, or flat faces, where somebody points.
func TestFitsToWhatIsPicked(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Box(geom.Vec3{2, 0, 0}, geom.Vec3{4, 3, 1}).Mesh("two")
	s := shape.Scene("two", nil, m)
	of := func(f collision.Fit, p prep.Prep) *collision.Report {
		p.Collision = collision.Decisions{Keep: collision.Keep{None: true}, Fits: []collision.Fit{f}}
		return preptest.Run(t, s, p, preptest.YUp).Collision
	}
	for _, form := range []collision.Form{collision.Box, collision.OneHull, collision.Hulls} {
		r := of(collision.Fit{Form: form, At: []geom.Vec3{{2.5, 3, 0.5}}}, prep.Prep{})
		require.Len(t, r.Shapes, 1, form)
		assert.InDelta(t, 6, r.Shapes[0].Form.Volume(), 1e-6, form)
		// Where it points at stays the same place when the asset is made twice as large and seated.
		r = of(collision.Fit{Form: form, At: []geom.Vec3{{2.5, 3, 0.5}}},
			prep.Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 2}, Pivot: pivot.BaseCentre})
		assert.InDelta(t, 48, r.Shapes[0].Form.Volume(), 1e-6, form)
	}
	both := of(collision.Fit{Form: collision.Box, At: []geom.Vec3{{2.5, 3, 0.5}, {0.5, 1, 0.5}}}, prep.Prep{})
	assert.InDelta(t, 12, both.Shapes[0].Form.Volume(), 1e-9)
	flat := of(collision.Fit{Form: collision.Box, At: []geom.Vec3{{3, 3, 0.5}}, Flat: true}, prep.Prep{})
	b := flat.Shapes[0].Form.Bounds()
	assert.InDelta(t, 2, b.Size()[0], 1e-9)
	assert.Less(t, b.Size()[1], 0.03, "the top alone, as thick as it takes")
	assert.InDelta(t, 3, b.Center()[1], 1e-9)
}

// Shapes of a file stay what their names call them, where they are that.
func TestShapesOfTheFileKeepTheirKind(t *testing.T) {
	box := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3})
	ball := solid.OfBall(fit.Ball{Centre: geom.Vec3{1, 1, 1}, Radius: 0.5})
	pill := solid.OfCapsule(fit.Capsule{A: geom.Vec3{}, B: geom.Vec3{0, 2, 0}, Radius: 0.4})
	for name, c := range map[string]struct {
		mesh       *scene.Mesh
		said, kind string
		belied     bool
	}{
		"a box":                {box.Mesh("a"), "box", "box", false},
		"a ball":               {ball.Form(context.Background()).Mesh("a"), "ball", "ball", false},
		"a capsule":            {pill.Form(context.Background()).Mesh("a"), "capsule", "capsule", false},
		"a surface":            {box.Mesh("a"), "surface", "surface", false},
		"a hull":               {box.Mesh("a"), "hull", "hull", false},
		"a ball that is a box": {box.Mesh("a"), "ball", "hull", true},
		"a box that is a wedge": {new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {0, 1}}, 0, 1).Mesh("a"), "box",
			"hull", true},
		"a capsule that is a box": {box.Mesh("a"), "capsule", "hull", true},
	} {
		t.Run(name, func(t *testing.T) {
			of := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("crate")
			s := shape.Scene("crate", nil, of)
			list := collision.Gather(context.Background(), collision.Decisions{}, nil,
				[]collision.Hand{{Key: "k", Name: "n", Of: "crate", Kind: c.said, Mesh: c.mesh}}, s, s.Keys(), geom.Identity)
			require.Len(t, list, 1)
			assert.Equal(t, c.kind, list[0].Kind())
			assert.Equal(t, c.belied, list[0].Belied)
		})
	}
}

// What bends more often than there may be hulls says so, with how many would follow it; those do, about.
func TestHullsThatHoldMuchAirSayHowManyWouldNot(t *testing.T) {
	s := shape.Scene("spring", nil, shapetest.Spring(1, .1, .5, 2, 64, 8))
	few := fitted(collision.Hulls)
	few.Fits[0].Most = 8
	loose := run(t, s, few).Collision
	require.Greater(t, loose.Ratio(), 1.4)
	f, ok := codes(loose)["loose"]
	require.True(t, ok)
	d := f.Remedies[0].Decision.(collision.Decisions)
	require.Greater(t, d.Fits[0].Most, 8)
	require.Less(t, d.Fits[0].Most, 24)
	close := run(t, s, d).Collision
	assert.Less(t, close.Ratio(), 1.35)
	assert.NotContains(t, codes(run(t, hut(), fitted(collision.Hulls)).Collision), "loose")
}
