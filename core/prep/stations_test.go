package prep

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/measure"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/axes"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/target"
)

// written sends a result and measures what is read back.
func written(t testing.TB, d scene.Delivery, id string, to target.Target) measure.Figures {
	t.Helper()
	pk, err := format.Write(context.Background(), d, as(t, id), "x", to)
	require.NoError(t, err)
	got, _, err := format.Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
	require.NoError(t, err)
	return measure.Of(context.Background(), got.Carried(geom.Linear(as(t, id).Frame(to).Basis.To(to.Basis))))
}

func corners(s *scene.Scene) (list []geom.Vec3) {
	f := s.Flattened()
	for _, m := range f.Meshes {
		for _, c := range m.Corners {
			list = append(list, m.Points[c])
		}
	}
	return list
}

// Baking and then exporting gives the places that exporting and then baking gives,
// in every basis and for instances, mirrored and scaled nodes alike.
func TestBakingBeforeOrAfterExportIsTheSame(t *testing.T) {
	for seed := range uint64(16) {
		s := shapetest.Scene(seed)
		to := target.Shipped[seed%4]
		plain := run(t, s, Prep{}, to)
		for _, b := range []size.Bake{size.BakeAll, size.BakeScale, size.BakeRotation} {
			baked := run(t, s, Prep{Size: size.Decisions{Bake: b}}, to)
			for _, id := range []string{"glb", "fbx"} {
				was, is := written(t, plain.Delivery, id, to), written(t, baked.Delivery, id, to)
				tol := 1e-4 * max(1, was.Box.Size().Max())
				require.True(t, was.Box.Min.Near(is.Box.Min, tol) && was.Box.Max.Near(is.Box.Max, tol), "seed %d %s %s", seed, b, id)
				require.InEpsilon(t, was.Area, is.Area, 1e-4, "seed %d %s %s", seed, b, id)
				require.InEpsilon(t, was.Volume, is.Volume, 1e-3, "seed %d %s %s", seed, b, id)
				require.True(t, was.Centre.Near(is.Centre, 10*tol), "seed %d %s %s: %v %v", seed, b, id, was.Centre, is.Centre)
			}
		}
	}
}

func TestAUnitThereAndBack(t *testing.T) {
	s := shape.Scene("x", nil, post())
	there := after(run(t, s, Prep{Size: size.Decisions{Unit: "cm"}}, yUp), "size")
	back := after(run(t, there, Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 100}}, yUp), "size")
	for i, p := range corners(s) {
		require.True(t, p.Near(corners(back)[i], 1e-14))
	}
	assert.Equal(t, 0.02, there.Bounds().Size()[1])
}

func TestMeasuredDistancesAndFactorsScale(t *testing.T) {
	s := messy() // in hundreds
	d := size.Decisions{Fit: size.Between, From: geom.Vec3{4000, 0, -300}, To: geom.Vec3{4000, 30, -260}, Length: 2}
	r := run(t, s, Prep{Size: d}, yUp)
	assert.InDelta(t, 2./50, r.Size.Factor, 1e-12)
	r = run(t, s, Prep{Size: size.Decisions{Fit: size.Between, Unit: "cm", From: d.From, To: d.To, Length: 2}}, yUp)
	assert.InDelta(t, 2./50, r.Size.Factor, 1e-12, "a known length counts more than the unit")
	r = run(t, s, Prep{Size: size.Decisions{Unit: "cm", Fit: size.ByFactor, Factor: 2}}, yUp)
	assert.InDelta(t, 0.02, r.Size.Factor, 1e-12, "a factor goes on top of it")
	for _, bad := range []size.Decisions{{Fit: size.Between, Length: 1}, {Fit: size.ByFactor}, {Fit: size.ByFactor, Factor: math.Inf(1)},
		{Bake: "x"}} {
		assert.Error(t, bad.Validate())
	}
}

func TestAPieceThatMissesTheGrid(t *testing.T) {
	s := shape.Scene("board", nil, new(shape.Builder).Box(geom.Vec3{.1, 0, 0}, geom.Vec3{2.08, .2, 1.5}).Mesh("board"))
	in := Input{Key: "k", Scene: s, Target: yUp, Grid: .5}
	p := Prep{Size: size.Decisions{Class: "modular-piece"}}
	r, err := Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	f := find(t, r.Size.Findings(), "size/off-grid")
	assert.Contains(t, f.Text, "Width 1.98\u2009m is 20.0\u2009mm short of 4 cells")
	p, err = p.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	r, err = Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	assert.InDelta(t, 2, r.Size.Now[0], 1e-12)
	g := find(t, r.Pivot.Findings(), "pivot/off-grid")
	p, err = p.With(g.Remedies[0].Decision)
	require.NoError(t, err)
	r, err = Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	assert.True(t, r.Pivot.OffGrid.Near(geom.Vec3{}, 1e-9), "%v", r.Pivot.OffGrid)
	assert.InDelta(t, 0, math.Remainder(r.Delivery.Scene.Bounds().Min[0], .5), 1e-9)
}

func TestTransformsAreSaidAndBaked(t *testing.T) {
	s := shape.Scene("x", nil, post(), post())
	s.Nodes[0].Name, s.Nodes[1].Name = "mirrored", "plain"
	s.Nodes[0].Local = geom.Affine{M: geom.Mat3{{-2, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{5, 0, 0}}
	r := run(t, s, Prep{}, yUp)
	require.Len(t, r.Size.Placed, 1)
	assert.Equal(t, "scaled unevenly, 1 to 2, mirrored", r.Size.Placed[0].What)
	f := find(t, r.Size.Findings(), "size/unbaked")
	assert.Equal(t, finding.Look, f.Severity)
	p, err := Prep{}.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	r = run(t, s, p, yUp)
	assert.Empty(t, r.Size.Findings())
	assert.Equal(t, geom.Identity3, r.Delivery.Scene.Nodes[0].Local.M)
	r = run(t, s, Prep{Size: size.Decisions{Bake: size.BakeAll, Nodes: []string{"gone"}}}, yUp)
	assert.Equal(t, []Ref{{"size", "gone"}}, r.Lost())
	find(t, r.Size.Findings(), "size/lost-decision")
}

// A mirrored node looks the same in every format and target, baked or not: faces
// look outward, and it arrives equal.
func TestAMirroredNodeKeepsItsLook(t *testing.T) {
	s := shape.Scene("x", nil, post())
	s.Nodes[0].Local = geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{3, 0, 0}}
	for _, to := range target.Shipped {
		for _, b := range []size.Bake{size.BakeNone, size.BakeAll, size.BakeScale} {
			r := run(t, s, Prep{Size: size.Decisions{Bake: b}}, to)
			for _, id := range []string{"glb", "obj", "fbx"} {
				pk, err := format.Write(context.Background(), r.Delivery, as(t, id), "x", to)
				require.NoError(t, err)
				c, err := deliver.Check(context.Background(), r.Delivery, pk, as(t, id), to)
				require.NoError(t, err)
				assert.True(t, c.Equal(), "%s %s %s: %+v", to.ID, b, id, c.Rows)
			}
			v := r.Delivery.Scene.Carried(geom.Linear(to.Basis.To(geom.GLTF))).Flattened()
			vol := 0.0
			for _, m := range v.Meshes {
				m.EachTriangle(func(_ int, a, b, c int32) {
					vol += m.Points[m.Corners[a]].Dot(m.Points[m.Corners[b]].Cross(m.Points[m.Corners[c]]))
				})
			}
			assert.Greater(t, vol, 0.0, "%s %s", to.ID, b)
		}
	}
}

func TestStancesAreRankedWithReasons(t *testing.T) {
	r := run(t, shape.Scene("x", nil, post()), Prep{}, zUpLeft)
	var best axes.Stance
	for _, st := range standing(t, r).Stances {
		if st.Rank == 1 {
			best = st
		}
	}
	assert.Equal(t, geom.PosY, best.Basis.Up, "it stands on its plate")
	assert.InDelta(t, .64, best.Contact, 1e-9)
	assert.Greater(t, best.Margin, .3)
	assert.Contains(t, best.Reasons(), "stands on 0.64\u2009m², its weight")
	assert.Equal(t, axes.Decisions{}, Prep{}.Axes, "nothing is applied by itself")
}

func TestALeaningBodyIsLaidToRestAndTurnedTrue(t *testing.T) {
	lean := geom.Affine{M: geom.Rotation(geom.Vec3{1, 0, .4}, 6*math.Pi/180), T: geom.Vec3{0, 7, 0}}
	for _, to := range target.Shipped {
		s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, .6}).Mesh("slab").Mapped(lean))
		r := run(t, s, Prep{}, to)
		f := find(t, r.Axes.Findings(), "axes/askew")
		assert.Equal(t, "Askew by 6°", f.Title)
		for i, d := range []axes.Decisions{f.Remedies[0].Decision.(axes.Decisions), {Pose: standing(t, r).Poses[0].Turn}} {
			d.Drop = true
			q := run(t, s, Prep{Axes: d}, to)
			if i == 0 {
				assert.Nil(t, q.Axes.Tilt, "%s", to.ID)
				assert.True(t, q.Axes.Size.Near(geom.Vec3{1, 2, .6}, 1e-6), "a box again: %v", q.Axes.Size)
			} else {
				assert.InDelta(t, .6, q.Axes.Size[1], 1e-6, "on its broad side")
			}
			v := to.Basis.ToView()
			b := after(q, "axes").Bounds()
			assert.InDelta(t, 0, min(v.Apply(b.Min)[1], v.Apply(b.Max)[1]), 1e-9, "on the ground")
		}
		// With a turn after it the remedy still turns the outcome true.
		turned := axes.Decisions{Turns: []axes.Turn{{About: axes.AboutUp, Degrees: 90}}}
		r = run(t, s, Prep{Axes: turned}, to)
		q := run(t, s, Prep{Axes: find(t, r.Axes.Findings(), "axes/askew").Remedies[0].Decision.(axes.Decisions)}, to)
		assert.Nil(t, q.Axes.Tilt)
	}
	assert.Error(t, axes.Decisions{Pose: geom.Vec3{400, 0, 0}}.Validate())
}

func TestHowItLiesInReceivers(t *testing.T) {
	s := shape.Scene("x", nil, post())
	words := func(to target.Target, d axes.Decisions) (out []string) {
		for _, l := range run(t, s, Prep{Axes: d}, to).Axes.Lies {
			out = append(out, l.Honoured.Words+" | "+l.Ignored.Words)
		}
		return out
	}
	same := "as it stands here | as it stands here"
	assert.Equal(t, []string{same, same, same}, words(yUp, axes.Decisions{}), "glTF's own frame")
	// Z up: a receiver that takes +Z for up lays a Y-up file on its back... seen from the front, Y goes away from or toward the viewer.
	z := words(target.Shipped[3], axes.Decisions{})
	assert.Equal(t, "as it stands here | on its back", z[1])
	assert.Equal(t, same, z[2])
	left := words(target.Shipped[2], axes.Decisions{})
	assert.Equal(t, "as it stands here | mirrored", left[1][:len("as it stands here | ")]+"mirrored")
	assert.Contains(t, left[1], "mirrored")
	upset := words(yUp, axes.Decisions{Up: geom.NegY})
	assert.Equal(t, "upside down | upside down", upset[0][:len("upside down | upside down")], "the source unprepared")
	assert.Equal(t, same, upset[1])
}

func TestPivotsByRule(t *testing.T) {
	// A gallows: a foot at x 0 to 1, an arm reaching out to 4.
	m := new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {1, 2}, {4, 2}, {4, 3}, {0, 3}}, 0, 1).Mesh("gallows")
	s := shape.Scene("x", nil, m)
	s.Nodes[0].Local = geom.Translation(geom.Vec3{10, 5, 0})
	centre := geom.Vec3{(.5*2 + 2*4) / 6, (1*2 + 2.5*4) / 6, .5}
	for _, c := range []struct {
		d    pivot.Decisions
		want geom.Vec3 // the pivot in coordinates before
	}{
		{pivot.Decisions{Place: pivot.OnContact}, geom.Vec3{10.5, 5, .5}},
		{pivot.Decisions{Place: pivot.OnMass}, centre.Add(geom.Vec3{10, 5, 0})},
		{pivot.Decisions{Place: pivot.OnPicks, Picks: []geom.Vec3{{14, 8, 1}}}, geom.Vec3{14, 8, 1}},
		{pivot.Decisions{Place: pivot.OnPicks, Picks: []geom.Vec3{{11, 5, 0}, {11, 7, 0}}}, geom.Vec3{11, 6, 0}},
	} {
		r := run(t, s, Prep{Pivot: c.d}, yUp)
		assert.True(t, r.Pivot.Moved.Near(c.want, 1e-9), "%+v: %v", c.d, r.Pivot.Moved)
		assert.True(t, r.Delivery.Scene.Bounds().Min.Near(geom.Vec3{10, 5, 0}.Sub(c.want), 1e-9))
		// Under the mesh: nothing moves, the node's origin is the place.
		d := c.d
		d.Under = true
		u := run(t, s, Prep{Pivot: d}, yUp)
		assert.True(t, u.Delivery.Scene.Bounds().Min.Near(geom.Vec3{10, 5, 0}, 1e-9))
		assert.True(t, u.Delivery.Scene.Worlds()[0].T.Near(c.want, 1e-9))
		assert.Equal(t, r.Pivot.Where, u.Pivot.Where)
		// Picks stay on the mesh when its size and axes are decided afterwards.
		p := Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 3}, Axes: axes.Decisions{Up: geom.PosX}, Pivot: c.d}
		q := run(t, s, p, zUpLeft)
		if c.d.Place == pivot.OnPicks {
			assert.True(t, q.Pivot.Moved.Near(stopAt(q, "axes").FromSource.Apply(c.want), 1e-9))
		}
	}
	for _, bad := range []pivot.Decisions{{Place: pivot.OnPicks}, {Along: []geom.Vec3{{}, {}}}, {Heading: math.NaN()},
		{Each: map[string]pivot.Seat{"a": {Place: "x"}}},
		{Markers: []pivot.Marker{{}}}, {Markers: []pivot.Marker{{Name: "a"}, {Name: "a"}}},
		{Markers: []pivot.Marker{{Name: "a", Drop: "x"}}}} {
		assert.Error(t, bad.Validate(), "%+v", bad)
	}
}

func TestThePivotGoesUnderATreeOfNodes(t *testing.T) {
	s := shape.Scene("jib", nil, post(), post())
	s.Nodes = append([]scene.Node{{Name: "root", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(geom.Vec3{9, 0, 4})}}, s.Nodes...)
	s.Nodes[1].Parent, s.Nodes[2].Parent = 0, 0
	s.Nodes[2].Local = geom.Translation(geom.Vec3{3, 0, 0})
	d := pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Heading: 30, Under: true}
	for _, to := range target.Shipped {
		was, r := run(t, s, Prep{}, to), run(t, s, Prep{Pivot: d}, to)
		assert.True(t, was.Delivery.Scene.Bounds().Min.Near(r.Delivery.Scene.Bounds().Min, 1e-9), "nothing moves")
		assert.True(t, r.Delivery.Scene.Worlds()[0].T.Near(r.Pivot.Origin, 1e-9), "the first node stands at the pivot")
		assert.Equal(t, "at the centre of its base", r.Pivot.Where.String())
	}
}

func TestHeadingsTurnTheMeshTheOtherWay(t *testing.T) {
	s := shape.Scene("x", nil, post())
	for _, to := range target.Shipped {
		front := run(t, s, Prep{}, to).Delivery.Scene.Bounds()
		r := run(t, s, Prep{Pivot: pivot.Decisions{Heading: 90}}, to)
		v := to.Basis.ToView()
		a, b := v.Apply(front.Max), v.Apply(front.Min)
		c, d := v.Apply(r.Delivery.Scene.Bounds().Max), v.Apply(r.Delivery.Scene.Bounds().Min)
		// The arm pointed to the front; the pivot faces left, so from it the arm is right.
		assert.InDelta(t, max(a[2], b[2]), max(c[0], d[0]), 1e-9, to.ID)
		along := run(t, s, Prep{Pivot: pivot.Decisions{Along: []geom.Vec3{{0, 1, 0}, {5, 1, 0}}}}, to)
		assert.InDelta(t, 90, along.Pivot.Heading, 1e-9, "%s: glTF's +X is its left", to.ID)
		under := run(t, s, Prep{Pivot: pivot.Decisions{Heading: 90, Under: true}}, to)
		assert.True(t, under.Delivery.Scene.Bounds().Min.Near(front.Min, 1e-9), "the mesh stays")
	}
}

func TestSeatingTwiceIsSeatingOnceByEveryRule(t *testing.T) {
	for seed := range uint64(20) {
		s := shapetest.Scene(seed)
		for _, d := range []pivot.Decisions{{Place: pivot.OnContact}, {Place: pivot.OnMass},
			{Place: pivot.OnBox, Box: [3]int{1, 0, -1}, Parts: true}} {
			p := Prep{Pivot: d}
			once := run(t, s, p, zUpLeft)
			twice := run(t, once.Delivery.Scene, p, zUpLeft)
			for i, c := range corners(once.Delivery.Scene) {
				require.True(t, c.Near(corners(twice.Delivery.Scene)[i], 1e-6), "seed %d %+v", seed, d)
			}
		}
	}
}

func TestMarkersGoAlong(t *testing.T) {
	s := shape.Scene("x", nil, post())
	p := Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Heading: 90, Markers: []pivot.Marker{
		{Name: "tip", At: geom.Vec3{0, 2, 0}, Heading: 45},
		{Name: "foot", At: geom.Vec3{.3, 1.7, .3}, Drop: pivot.ToGround},
		{Name: "on the plate", At: geom.Vec3{.3, 1.7, .3}, Drop: pivot.ToSurface},
		{Name: "adrift", At: geom.Vec3{3, 1, 3}, Drop: pivot.ToSurface}}}}
	for _, to := range target.Shipped {
		r := run(t, s, p, to)
		require.Len(t, r.Pivot.Markers, 4)
		h := func(i int) float64 { return r.Pivot.Markers[i].Height }
		assert.InDelta(t, 2, h(0), 1e-9)
		assert.InDelta(t, 0, h(1), 1e-9)
		assert.InDelta(t, .1, h(2), 1e-9, "the plate is ten centimetres thick")
		assert.InDelta(t, 1, h(3), 1e-9)
		find(t, r.Pivot.Findings(), "pivot/marker-adrift")
		// The same places when the pivot goes under the mesh instead.
		d := p
		d.Pivot.Under = true
		u := run(t, s, d, to)
		assert.True(t, u.Pivot.Markers[0].Place.Near(after(r, "axes").Basis.To(to.Basis).Apply(geom.GLTF.To(to.Basis).Apply(geom.Vec3{0,
			2, 0})), 1e-9))
		for _, id := range []string{"glb", "fbx", "obj"} {
			pk, err := format.Write(context.Background(), r.Delivery, as(t, id), "x", to)
			require.NoError(t, err)
			got, _, err := format.Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
			require.NoError(t, err)
			names := ""
			for _, n := range got.Nodes {
				names += n.Name + ";"
			}
			if id == "obj" {
				assert.Contains(t, fmt.Sprint(pk.Changes), "node “tip”", "OBJ says what it leaves behind")
			} else {
				assert.Contains(t, names, "tip;foot;on the plate;adrift")
			}
		}
	}
}

func TestEachPartsOwnOrigin(t *testing.T) {
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 1}).Mesh("case"),
		new(shape.Builder).Box(geom.Vec3{1, 0, 0}, geom.Vec3{1.1, 2, 1}).Mesh("door"))
	p := Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Each: map[string]pivot.Seat{
		"door": {Place: pivot.OnPicks, Picks: []geom.Vec3{{1, 0, 0}, {1, 2, 0}}}, "gone": {Place: pivot.OnMass}}}}
	r := run(t, s, p, yUp)
	assert.True(t, r.Delivery.Scene.Worlds()[1].T.Near(geom.Vec3{.45, 1, -.5}, 1e-9), "%v", r.Delivery.Scene.Worlds()[1].T)
	assert.Equal(t, []Ref{{"pivot", "gone"}}, r.Lost())
	q, err := p.Repointed(Ref{"pivot", "gone"}, "case")
	require.NoError(t, err)
	assert.Empty(t, run(t, s, q, yUp).Lost())
	assert.True(t, run(t, s, q, yUp).Delivery.Scene.Bounds().Min.Near(r.Delivery.Scene.Bounds().Min, 1e-9), "no part moves")
	assert.Len(t, p.Pivot.Each, 2, "the old prep is as it was")
}

// A decision and its undo give the same bytes.
func TestUndoneDecisionsLeaveNoTrace(t *testing.T) {
	s := shapetest.Scene(3)
	c := NewMemo(64 << 20)
	write := func(p Prep) []byte {
		r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: zUpLeft}, p, c)
		require.NoError(t, err)
		pk, err := format.Write(context.Background(), r.Delivery, as(t, "fbx"), "x", zUpLeft)
		require.NoError(t, err)
		return pk.Files[0].Data
	}
	before := write(Prep{})
	for _, p := range []Prep{{Size: size.Decisions{Bake: size.BakeAll}}, {Axes: axes.Decisions{Pose: geom.Vec3{10, 20, 30}, Drop: true}},
		{Pivot: pivot.Decisions{Place: pivot.OnMass, Heading: 33, Under: true}}} {
		assert.NotEqual(t, before, write(p))
		assert.Equal(t, before, write(Prep{}))
	}
}
