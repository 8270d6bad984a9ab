package pivot_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/axes"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/target"
)

func TestPivotsByHand(t *testing.T) {
	// 2 right-left, 4 high, 6 deep, its lowest left back corner at (1, 2, 3) in glTF's axes.
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{1, 2, 3}, geom.Vec3{3, 6, 9}).Mesh("x"))
	for _, c := range []struct {
		d    pivot.Decisions
		min  geom.Vec3
		said string
	}{
		{pivot.Decisions{}, geom.Vec3{1, 2, 3}, "1.00\u202fm to the left of it, 2.00\u202fm below it, 3.00\u202fm behind it"},
		{pivot.BaseCentre, geom.Vec3{-1, 0, -3}, "at the centre of its base"},
		{pivot.Decisions{Place: pivot.OnBox}, geom.Vec3{-1, -2, -3}, "at its centre"},
		{pivot.Decisions{Place: pivot.OnBox, Box: [3]int{-1, -1, 1}}, geom.Vec3{-2, 0, -6}, "at its base, front right"},
		{pivot.Decisions{Place: pivot.OnBox, Box: [3]int{1, 1, 0}}, geom.Vec3{0, -4, -3}, "at its top, left"},
		{pivot.Decisions{Place: pivot.At, Point: geom.Vec3{1.5, 2, 3}}, geom.Vec3{-.5, 0, 0}, "inside its box"},
	} {
		r := preptest.Run(t, s, prep.Prep{Pivot: c.d}, preptest.YUp)
		assert.Equal(t, c.min, r.Delivery.Scene.Bounds().Min, "%+v", c.d)
		assert.Equal(t, c.said, r.Pivot.Where.String())
	}
	// In a left-handed, Z-up target the same corner is the same corner of the thing.
	r := preptest.Run(t, s, prep.Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{-1, -1, 1}}},
		preptest.ZUpLeft)
	assert.Equal(t, "at its base, front right", r.Pivot.Where.String())
	assert.Equal(t, geom.Box{Min: geom.Vec3{-6, 0, 0}, Max: geom.Vec3{0, 2, 4}}, r.Delivery.Scene.Bounds())
}

func TestFloatingAndSunkAreFoundAndRemedied(t *testing.T) {
	for lift, code := range map[float64]string{0.31: "pivot/floats", -0.4: "pivot/sunk"} {
		s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{-1, lift, -1}, geom.Vec3{1, lift + 2, 1}).Mesh("x"))
		for _, to := range target.Shipped {
			f := preptest.Find(t, preptest.Run(t, s, prep.Prep{}, to).Pivot.Findings(), code)
			for _, rem := range f.Remedies {
				p, err := prep.Prep{}.With(rem.Decision)
				require.NoError(t, err)
				r := preptest.Run(t, s, p, to)
				assert.Empty(t, r.Pivot.Findings(), rem.Label)
				assert.Equal(t, "at the centre of its base", r.Pivot.Where.String())
			}
		}
	}
}

func TestSeatingTwiceIsSeatingOnce(t *testing.T) {
	d := pivot.Decisions{Place: pivot.OnBox, Box: [3]int{1, -1, -1}, Parts: true}
	s := &scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{preptest.Post()}}
	turn := geom.Linear(geom.Rotation(geom.Vec3{0, 1, 0}, 0.5))
	turn.T = geom.Vec3{3, 1, 0}
	s.Nodes = []scene.Node{
		{Name: "a", Kind: scene.KindMesh, Parent: -1, Local: turn},
		{Name: "b", Kind: scene.KindMesh, Parent: 0, Local: geom.Translation(geom.Vec3{0, 0, 5})},
	}
	once, _ := pivot.Run(context.Background(), s, d, pivot.Ask{Body: extents.Later(s), Stood: geom.Identity,
		Source: geom.Identity})
	twice, _ := pivot.Run(context.Background(), once, d, pivot.Ask{Body: extents.Later(once), Stood: geom.Identity,
		Source: geom.Identity})
	a, b := once.Flattened(), twice.Flattened()
	for i := range a.Meshes {
		for k, p := range a.Meshes[i].Points {
			require.True(t, p.Near(b.Meshes[i].Points[k], 1e-12))
		}
	}
	assert.Len(t, once.Meshes, 1, "the instance is still one")
	// Nothing moved against anything else.
	was := s.NodeBounds()
	is := once.NodeBounds()
	assert.True(t, was[1].Min.Sub(was[0].Min).Near(is[1].Min.Sub(is[0].Min), 1e-12))
	assert.InDelta(t, 0, is[0].Distance(once.Worlds()[0].T), 1e-9, "the part's origin is on its own box")
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
		r := preptest.Run(t, s, prep.Prep{Pivot: c.d}, preptest.YUp)
		assert.True(t, r.Pivot.Moved.Near(c.want, 1e-9), "%+v: %v", c.d, r.Pivot.Moved)
		assert.True(t, r.Delivery.Scene.Bounds().Min.Near(geom.Vec3{10, 5, 0}.Sub(c.want), 1e-9))
		// Under the mesh: nothing moves, the node's origin is the place.
		d := c.d
		d.Under = true
		u := preptest.Run(t, s, prep.Prep{Pivot: d}, preptest.YUp)
		assert.True(t, u.Delivery.Scene.Bounds().Min.Near(geom.Vec3{10, 5, 0}, 1e-9))
		assert.True(t, u.Delivery.Scene.Worlds()[0].T.Near(c.want, 1e-9))
		assert.Equal(t, r.Pivot.Where, u.Pivot.Where)
		// Picks stay on the mesh when its size and axes are decided afterwards.
		p := prep.Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 3}, Axes: axes.Decisions{Up: geom.PosX}, Pivot: c.d}
		q := preptest.Run(t, s, p, preptest.ZUpLeft)
		if c.d.Place == pivot.OnPicks {
			assert.True(t, q.Pivot.Moved.Near(preptest.Stop(t, q, "axes").FromSource.Apply(c.want), 1e-9))
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
	s := shape.Scene("jib", nil, preptest.Post(), preptest.Post())
	s.Nodes = append([]scene.Node{{Name: "root", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(geom.Vec3{9, 0, 4})}}, s.Nodes...)
	s.Nodes[1].Parent, s.Nodes[2].Parent = 0, 0
	s.Nodes[2].Local = geom.Translation(geom.Vec3{3, 0, 0})
	d := pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Heading: 30, Under: true}
	for _, to := range target.Shipped {
		was, r := preptest.Run(t, s, prep.Prep{}, to), preptest.Run(t, s, prep.Prep{Pivot: d}, to)
		assert.True(t, was.Delivery.Scene.Bounds().Min.Near(r.Delivery.Scene.Bounds().Min, 1e-9), "nothing moves")
		assert.True(t, r.Delivery.Scene.Worlds()[0].T.Near(r.Pivot.Origin, 1e-9), "the first node stands at the pivot")
		assert.Equal(t, "at the centre of its base", r.Pivot.Where.String())
	}
}

func TestHeadingsTurnTheMeshTheOtherWay(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post())
	for _, to := range target.Shipped {
		front := preptest.Run(t, s, prep.Prep{}, to).Delivery.Scene.Bounds()
		r := preptest.Run(t, s, prep.Prep{Pivot: pivot.Decisions{Heading: 90}}, to)
		v := to.Basis.ToView()
		a, b := v.Apply(front.Max), v.Apply(front.Min)
		c, d := v.Apply(r.Delivery.Scene.Bounds().Max), v.Apply(r.Delivery.Scene.Bounds().Min)
		// The arm pointed to the front; the pivot faces left, so from it the arm is right.
		assert.InDelta(t, max(a[2], b[2]), max(c[0], d[0]), 1e-9, to.ID)
		along := preptest.Run(t, s, prep.Prep{Pivot: pivot.Decisions{Along: []geom.Vec3{{0, 1, 0}, {5, 1, 0}}}}, to)
		assert.InDelta(t, 90, along.Pivot.Heading, 1e-9, "%s: glTF's +X is its left", to.ID)
		under := preptest.Run(t, s, prep.Prep{Pivot: pivot.Decisions{Heading: 90, Under: true}}, to)
		assert.True(t, under.Delivery.Scene.Bounds().Min.Near(front.Min, 1e-9), "the mesh stays")
	}
}

func TestSeatingTwiceIsSeatingOnceByEveryRule(t *testing.T) {
	for seed := range uint64(20) {
		s := shapetest.Scene(seed)
		for _, d := range []pivot.Decisions{{Place: pivot.OnContact}, {Place: pivot.OnMass},
			{Place: pivot.OnBox, Box: [3]int{1, 0, -1}, Parts: true}} {
			p := prep.Prep{Pivot: d}
			once := preptest.Run(t, s, p, preptest.ZUpLeft)
			twice := preptest.Run(t, once.Delivery.Scene, p, preptest.ZUpLeft)
			for i, c := range preptest.Corners(once.Delivery.Scene) {
				require.True(t, c.Near(preptest.Corners(twice.Delivery.Scene)[i], 1e-6), "seed %d %+v", seed, d)
			}
		}
	}
}

func TestMarkersGoAlong(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post())
	p := prep.Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Heading: 90, Markers: []pivot.Marker{
		{Name: "tip", At: geom.Vec3{0, 2, 0}, Heading: 45},
		{Name: "foot", At: geom.Vec3{.3, 1.7, .3}, Drop: pivot.ToGround},
		{Name: "on the plate", At: geom.Vec3{.3, 1.7, .3}, Drop: pivot.ToSurface},
		{Name: "adrift", At: geom.Vec3{3, 1, 3}, Drop: pivot.ToSurface}}}}
	for _, to := range target.Shipped {
		r := preptest.Run(t, s, p, to)
		require.Len(t, r.Pivot.Markers, 4)
		h := func(i int) float64 { return r.Pivot.Markers[i].Height }
		assert.InDelta(t, 2, h(0), 1e-9)
		assert.InDelta(t, 0, h(1), 1e-9)
		assert.InDelta(t, .1, h(2), 1e-9, "the plate is ten centimetres thick")
		assert.InDelta(t, 1, h(3), 1e-9)
		preptest.Find(t, r.Pivot.Findings(), "pivot/marker-adrift")
		// The same places when the pivot goes under the mesh instead.
		d := p
		d.Pivot.Under = true
		u := preptest.Run(t, s, d, to)
		assert.True(t, u.Pivot.Markers[0].Place.Near(preptest.After(t, r,
			"axes").Basis.To(to.Basis).Apply(geom.GLTF.To(to.Basis).Apply(geom.Vec3{0,
			2, 0})), 1e-9))
		for _, id := range []string{"glb", "fbx", "obj"} {
			pk, err := format.Write(context.Background(), r.Delivery, preptest.Format(t, id), "x", to)
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
	p := prep.Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Each: map[string]pivot.Seat{
		"door": {Place: pivot.OnPicks, Picks: []geom.Vec3{{1, 0, 0}, {1, 2, 0}}}, "gone": {Place: pivot.OnMass}}}}
	r := preptest.Run(t, s, p, preptest.YUp)
	assert.True(t, r.Delivery.Scene.Worlds()[1].T.Near(geom.Vec3{.45, 1, -.5}, 1e-9), "%v", r.Delivery.Scene.Worlds()[1].T)
	assert.Equal(t, []prep.Ref{{Station: "pivot", Key: "gone"}}, r.Lost())
	q, err := p.Repointed(prep.Ref{Station: "pivot", Key: "gone"}, "case")
	require.NoError(t, err)
	assert.Empty(t, preptest.Run(t, s, q, preptest.YUp).Lost())
	assert.True(t, preptest.Run(t, s, q, preptest.YUp).Delivery.Scene.Bounds().Min.Near(r.Delivery.Scene.Bounds().Min,
		1e-9),
		"no part moves")
	assert.Len(t, p.Pivot.Each, 2, "the old prep is as it was")
}

// How far off a pivot is, is judged by the thing's own size: fifty sizes and distances.
func TestAPivotIsJudgedByTheThingsSize(t *testing.T) {
	things := 0
	for _, size := range []float64{0.08, 0.5, 1, 2.2, 12, 84} {
		box := new(shape.Builder).Box(geom.Vec3{-size / 2, 0, -size / 8}, geom.Vec3{size / 2, size, size / 8}).Mesh("door")
		diag := geom.Vec3{size, size, size / 4}.Len()
		for off, want := range map[float64]string{0: "", 0.05: "", 0.2: "pivot/beside", 0.5: "pivot/beside",
			1.2: "pivot/beside",
			2:   "pivot/far", 5: "pivot/far", 40: "pivot/far"} {
			things++
			s := shape.Scene("door", nil, box.Mapped(geom.Translation(geom.Vec3{size/2 + off*diag, 0, 0})))
			r := preptest.Run(t, s, prep.Prep{}, preptest.YUp)
			code := ""
			for _, f := range r.Pivot.Findings() {
				code = f.Code
			}
			assert.Equal(t, want, code, "%g m, %g of its size off", size, off)
		}
	}
	assert.GreaterOrEqual(t, things, 48)
}
