package round_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/round"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var ctx = context.Background()

func lathe(sides int, profile ...[2]float64) *scene.Mesh {
	return new(shape.Builder).Lathe(profile, sides).Mesh("turned")
}

// ballOf is half circles' rings of a ball.
func ballOf(rings int) (list [][2]float64) {
	for i := range rings + 1 {
		s, c := math.Sincos(math.Pi * float64(i) / float64(rings))
		list = append(list, [2]float64{s, -c})
	}
	list[0][0], list[rings][0] = 0, 0
	return list
}

// askew turns and moves a mesh, as one that was modelled somewhere.
func askew(m *scene.Mesh) *scene.Mesh {
	turn := geom.Rotation(geom.Vec3{1, 2, -.5}.Unit(), .7)
	return m.Mapped(geom.Affine{M: turn, T: geom.Vec3{3, -4, 5}})
}

func volume(m *scene.Mesh) float64 { return extents.Of(ctx, shape.Scene("a", nil, m)).Volume }

// Facets are told for what they were meant as, however they stand and whether they were cut into triangles.
func TestRoundPartsAreRecognised(t *testing.T) {
	vase := [][2]float64{{.3, 0}, {.5, .2}, {.2, .9}, {.35, 1}}
	for _, x := range []struct {
		mesh  *scene.Mesh
		kind  round.Kind
		sides int
	}{
		{lathe(8, [2]float64{.5, 0}, [2]float64{.5, 2}), round.Cylinder, 8},
		{lathe(12, [2]float64{.5, 0}, [2]float64{.5, 1}, [2]float64{.5, 2}), round.Cylinder, 12},
		{lathe(10, [2]float64{.5, 0}, [2]float64{0, 2}), round.Cone, 10},
		{lathe(10, [2]float64{.5, 0}, [2]float64{.3, 2}), round.Cone, 10},
		{lathe(16, ballOf(8)...), round.Ball, 16},
		{shapetest.Torus(1, .25, 20, 9), round.Ring, 20},
		{lathe(7, vase...), round.Revolved, 7},
		{lathe(5, vase...), round.Revolved, 5},
	} {
		for _, m := range []*scene.Mesh{x.mesh, askew(x.mesh), askew(x.mesh).Triangulated()} {
			p := round.Of(ctx, m)
			require.NotNil(t, p, "%s of %d", x.kind, x.sides)
			assert.Equal(t, x.kind, p.Kind)
			assert.Equal(t, x.sides, p.Sides, x.kind)
			assert.Less(t, p.Residue, 1e-9)
		}
	}
}

// What is nothing round is not taken for it: boxes, what has a side of its own, what is bent.
func TestWhatIsNotRoundIsNot(t *testing.T) {
	dented := lathe(12, [2]float64{.5, 0}, [2]float64{.5, 1}, [2]float64{.4, 2})
	dented.Points[14] = dented.Points[14].Add(geom.Vec3{.02, 0, 0})
	wide := geom.Linear(geom.Mat3{{1, 0, 0}, {0, 1, 0}, {0, 0, 1.2}})
	oval := lathe(12, [2]float64{.5, 0}, [2]float64{.5, 1}).Mapped(wide)
	for name, m := range map[string]*scene.Mesh{
		"box": new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box"), "dented": dented, "oval": oval,
		"table": shapetest.Table(), "boulder": shapetest.Boulder(12), "stair": shapetest.Stair(6),
		"arch": shapetest.Arch(8), "square post": lathe(4, [2]float64{.5, 0}, [2]float64{.5, 2}),
		"an open half": half(lathe(12, [2]float64{.5, 0}, [2]float64{.5, 2})),
	} {
		assert.Nil(t, round.Of(ctx, m), name)
		again, made, _ := round.Again(ctx, m, 24)
		assert.Zero(t, made, name)
		assert.Same(t, m, again, name)
	}
}

// half is a mesh without the faces before x = 0.
func half(m *scene.Mesh) *scene.Mesh {
	part := make([]int32, m.Faces())
	for f := range part {
		if m.Points[m.Corners[m.FaceStart[f]]][0] < -1e-9 {
			part[f] = 1
		}
	}
	return m.Cut(part, 2)[0]
}

// More sides, and fewer, are those of the closed form: the volume of a prism and of stacked frusta over regular
// polygons, closed and wound as before, with each point on the profile.
func TestAgainIsTheClosedForm(t *testing.T) {
	prism := func(n int) float64 { return float64(n) / 2 * math.Sin(2*math.Pi/float64(n)) } // of radius 1
	for _, x := range []struct {
		name  string
		sides int
		at    func(sides int) *scene.Mesh
		unit  float64 // volume over prism
	}{
		{"cylinder", 8, func(n int) *scene.Mesh { return lathe(n, [2]float64{.5, 0}, [2]float64{.5, 2}) }, .5},
		{"cone", 10, func(n int) *scene.Mesh { return lathe(n, [2]float64{.5, 0}, [2]float64{0, 3}) }, .25},
		{"frustum", 9, func(n int) *scene.Mesh { return lathe(n, [2]float64{1, 0}, [2]float64{.5, 3}) }, 1.75},
	} {
		for _, to := range []int{5, 16, 24, 7, 64} {
			for _, m := range []*scene.Mesh{x.at(x.sides), askew(x.at(x.sides)), askew(x.at(x.sides)).Triangulated()} {
				again, made, held := round.Again(ctx, m, to)
				require.Equal(t, []int{1, 0}, []int{made, held}, "%s to %d", x.name, to)
				require.NoError(t, again.Validate())
				assert.InEpsilon(t, x.unit*prism(to), volume(again), 1e-9, "%s to %d", x.name, to)
				assert.Empty(t, flaw.Find(ctx, again, flaw.Limits{}).Borders)
				assert.Equal(t, to, round.Of(ctx, again).Sides)
			}
		}
	}
	// What is made again is what the modelling program would have made of the profile.
	for _, profile := range [][][2]float64{ballOf(9), {{.3, 0}, {.5, .2}, {.2, .9}, {.35, 1}}} {
		again, _, _ := round.Again(ctx, lathe(6, profile...), 30)
		want := lathe(30, profile...)
		assert.InEpsilon(t, volume(want), volume(again), 1e-9)
		assert.Equal(t, want.Triangles(), again.Triangles())
	}
	again, _, _ := round.Again(ctx, shapetest.Torus(1, .25, 12, 9), 48)
	assert.InEpsilon(t, volume(shapetest.Torus(1, .25, 48, 9)), volume(again), 1e-9)
}

// What corners carry follows: UVs run as they did, to the seam where they part, a disc's lie as before, normals that
// were round stay round, and flat ones are those of the new sides.
func TestWhatCornersCarryFollows(t *testing.T) {
	m := lathe(8, [2]float64{.5, 0}, [2]float64{.5, 2})
	m.Normals = m.SmoothNormals()
	for _, to := range []int{32, 11, 5} {
		again, made, _ := round.Again(ctx, m, to)
		require.Equal(t, 1, made)
		for f := range again.Faces() {
			disc := again.FaceStart[f+1]-again.FaceStart[f] > 4
			for c := again.FaceStart[f]; c < again.FaceStart[f+1]; c++ {
				p := again.Points[again.Corners[c]]
				uv := again.UVs[0].Values[again.UVs[0].Index[c]]
				n := again.Normals.Values[again.Normals.Index[c]]
				if disc {
					assert.InDelta(t, .5+p[0], uv[0], 1e-6)
					assert.InDelta(t, .5-p[2], uv[1], 1e-6)
					continue
				}
				assert.InDelta(t, p[1], uv[1], 1e-9, "up the side")
				round := math.Atan2(p[0], p[2]) / (2 * math.Pi)
				assert.InDelta(t, 0, math.Remainder(uv[0]-round, 1), 1e-9, "once round")
				assert.InDelta(t, 2*p[0], float64(n[0]), 1e-6)
				assert.InDelta(t, 2*p[2], float64(n[2]), 1e-6)
			}
			if !disc { // none runs back over the whole picture
				low, high := 1., 0.
				for c := again.FaceStart[f]; c < again.FaceStart[f+1]; c++ {
					u := again.UVs[0].Values[again.UVs[0].Index[c]][0]
					low, high = min(low, u), max(high, u)
				}
				assert.InDelta(t, 1/float64(to), high-low, 1e-9)
			}
		}
	}
	flat := lathe(6, [2]float64{.5, 0}, [2]float64{.5, 2})
	flat.Normals = scene.Layer[[3]float32]{}
	for f := range flat.Faces() {
		n := flat.FaceNormal(f).Unit()
		for c := flat.FaceStart[f]; c < flat.FaceStart[f+1]; c++ {
			flat.Normals.Index = append(flat.Normals.Index, c)
			flat.Normals.Values = append(flat.Normals.Values, [3]float32{float32(n[0]), float32(n[1]), float32(n[2])})
		}
	}
	again, _, _ := round.Again(ctx, flat, 18)
	for f := range again.Faces() {
		n := again.FaceNormal(f).Unit()
		for c := again.FaceStart[f]; c < again.FaceStart[f+1]; c++ {
			v := again.Normals.Values[again.Normals.Index[c]]
			assert.InDelta(t, 1, n.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}), 1e-6)
		}
	}
}

// Slots keep their sides, where new ones begin with them; else the part is held, and told.
func TestBordersOfSlotsHold(t *testing.T) {
	m := lathe(8, [2]float64{.5, 0}, [2]float64{.5, 2})
	m.Slots, m.Slot = []int{0, 1}, make([]int32, m.Faces())
	for f := range 4 {
		m.Slot[f] = 1 // half of the way round, from the seam on
	}
	for to, want := range map[int][2]int{16: {1, 0}, 6: {1, 0}, 12: {1, 0}, 15: {0, 1}, 9: {0, 1}} {
		again, made, held := round.Again(ctx, m, to)
		require.Equal(t, want, [2]int{made, held}, to)
		if made == 0 {
			continue
		}
		n := map[int]int{}
		for f := range again.Faces() {
			if again.FaceStart[f+1]-again.FaceStart[f] == 4 {
				n[again.Material(f)]++
			}
		}
		assert.Equal(t, map[int]int{0: to / 2, 1: to / 2}, n, to)
	}
}

// Of a mesh of several parts the round ones get their sides, and the others stay.
func TestPartsByThemselves(t *testing.T) {
	box := new(shape.Builder).Box(geom.Vec3{2, 0, 0}, geom.Vec3{3, 1, 1}).Mesh("box")
	m := scene.Joined("both", []*scene.Mesh{lathe(8, [2]float64{.5, 0}, [2]float64{.5, 2}), box,
		askew(lathe(6, [2]float64{.2, 0}, [2]float64{0, 1}))})
	list := round.Find(ctx, m)
	require.Len(t, list, 2)
	again, made, held := round.Again(ctx, m, 20)
	assert.Equal(t, []int{2, 0}, []int{made, held})
	assert.Equal(t, 20+2+6+20+1, again.Faces())
	same, made, _ := round.Again(ctx, again, 20)
	assert.Zero(t, made)
	assert.Same(t, again, same, "they have them")
}

// Whatever comes in, nothing breaks.
func TestHostileMeshes(t *testing.T) {
	for seed := range uint64(60) {
		for _, s := range []*scene.Scene{shapetest.Ragged(seed), shapetest.Scene(seed)} {
			for _, m := range s.Meshes {
				for _, to := range []int{5, 12, 100} {
					again, _, _ := round.Again(ctx, m, to)
					require.NoError(t, again.Validate(), "%d", seed)
				}
			}
		}
	}
}

// BenchmarkFind prints how long it takes to look a scan and a forest of bolts through.
func BenchmarkFind(b *testing.B) {
	var bolts []*scene.Mesh
	for i := range 1500 {
		at := geom.Translation(geom.Vec3{float64(2 * i), 0, 0})
		bolts = append(bolts, lathe(8, [2]float64{.5, 0}, [2]float64{.5, 2}).Mapped(at))
	}
	for _, m := range []*scene.Mesh{shapetest.Boulder(158), shapetest.Boulder(467), scene.Joined("bolts", bolts)} {
		b.Run(fmt.Sprintf("%s%d", m.Name, m.Triangles()), func(b *testing.B) {
			for b.Loop() {
				b.ReportMetric(float64(len(round.Find(ctx, m))), "found")
			}
		})
	}
}
