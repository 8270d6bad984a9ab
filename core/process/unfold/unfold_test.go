package unfold

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/uv"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var ctx = context.Background()

// unfolded unfolds meshes on a square, and has a second method look at what came out: the sweep of
// package uv over all triangles finds no overlap and nothing outside, and the stretch is summed up anew.
func unfolded(t testing.TB, o Options, meshes ...*scene.Mesh) *Result {
	t.Helper()
	var pieces []Piece
	for _, m := range meshes {
		pieces = append(pieces, Piece{Mesh: m, Scale: 1})
	}
	r, err := Unfold(ctx, pieces, o, nil)
	require.NoError(t, err)
	var all []uv.Triangle
	for i, m := range meshes {
		set := r.Sets[i]
		for _, k := range set.Index {
			require.True(t, k >= 0 && int(k) < len(set.Values), "every corner has a place")
		}
		m.EachTriangle(func(_ int, a, b, c int32) {
			all = append(all, uv.Triangle{set.Values[set.Index[a]], set.Values[set.Index[b]], set.Values[set.Index[c]]})
		})
	}
	c := uv.CoverOf(ctx, all)
	assert.Less(t, c.Share(c.Overlap), 1e-5, "overlap")
	assert.Zero(t, c.Outside, "outside")
	assert.InDelta(t, r.Fill, c.Mapped, 1e-4, "fill")
	return r
}

func box(w, h, d float64) *scene.Mesh {
	return new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{w, h, d}).Mesh("box")
}

func ball(n int) *scene.Mesh {
	return new(shape.Builder).Grid(2*n, n, func(u, v float64) geom.Vec3 {
		s, c := math.Sincos(2 * math.Pi * u)
		t, k := math.Sincos(math.Pi * (v - 0.5))
		return geom.Vec3{k * c, t, -k * s}
	}).Mesh("ball")
}

// What is made of flat sides comes out without any stretch, each side by itself, and fills the square.
func TestBoxesAndFurniture(t *testing.T) {
	o := Options{Size: 1024, Padding: 4}
	for _, c := range []struct {
		name   string
		meshes []*scene.Mesh
		charts int
	}{
		{"box", []*scene.Mesh{box(1, 2, 3)}, 6},
		{"cube", []*scene.Mesh{box(1, 1, 1)}, 6},
		{"table", []*scene.Mesh{shapetest.Table()}, 0},
		{"chair", []*scene.Mesh{shapetest.Chair()}, 0},
		{"stair", []*scene.Mesh{shapetest.Stair(10)}, 0},
		{"hut", []*scene.Mesh{shapetest.Hut()}, 0},
		{"gabled", shapetest.Gabled(), 0},
	} {
		r := unfolded(t, o, c.meshes...)
		t.Logf("%-8s %3d charts, fill %.3f, stretch %.4f, worst %.4f, gap %.2f", c.name, r.Charts, r.Fill, r.Mean, r.Worst,
			r.Gap)
		assert.GreaterOrEqual(t, r.Fill, 0.65, c.name)
		assert.LessOrEqual(t, r.Worst, 1.0001, c.name)
		assert.GreaterOrEqual(t, r.Gap, 4.0-1e-9, c.name)
		if c.charts > 0 {
			assert.Equal(t, c.charts, r.Charts, c.name)
		}
	}
}

// Where one side is so long that it spans the square, no more can be had: a face is never cut.
func TestALongSideSpansTheSquare(t *testing.T) {
	r := unfolded(t, Options{Size: 1024, Padding: 4}, shapetest.Beam())
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range r.Sets[0].Values {
		low, high = min(low, v[0], v[1]), max(high, v[0], v[1])
	}
	t.Logf("beam: fill %.3f over %.4f of the side", r.Fill, high-low)
	assert.Greater(t, high-low, 0.995)
}

func TestRoundThings(t *testing.T) {
	o := Options{Size: 1024, Padding: 4}
	for _, c := range []struct {
		name string
		mesh *scene.Mesh
	}{
		{"ball", ball(24)},
		{"ring", shapetest.Torus(1, 0.25, 48, 24)},
		{"bowl", shapetest.Bowl(0.15, 12, 48)},
		{"arch", shapetest.Arch(16)},
		{"bollard", new(shape.Builder).Lathe([][2]float64{{0.2, 0}, {0.2, 0.8}, {0.3, 0.9}, {0.1, 1.1}}, 32).Mesh("bollard")},
		{"boulder", shapetest.Boulder(30)},
	} {
		r := unfolded(t, o, c.mesh)
		t.Logf("%-8s %3d charts, fill %.3f, stretch %.4f, worst %.4f, gap %.2f", c.name, r.Charts, r.Fill, r.Mean, r.Worst,
			r.Gap)
		assert.LessOrEqual(t, r.Mean, 1.3, c.name)
		assert.GreaterOrEqual(t, r.Gap, 4.0-1e-9, c.name)
	}
}

// A half of a cylinder rolls off without stretch: the map is the closed form's, lengths along it as they
// are on the surface.
func TestACylinderRollsOff(t *testing.T) {
	m := new(shape.Builder).Grid(64, 8, func(u, v float64) geom.Vec3 {
		s, c := math.Sincos(math.Pi * 0.8 * u)
		return geom.Vec3{c, v * 2, -s}
	}).Mesh("shell")
	r := unfolded(t, Options{Size: 512, Padding: 2}, m)
	require.Equal(t, 1, r.Charts)
	assert.InDelta(t, 1, r.Mean, 2e-3)
	set := r.Sets[0]
	// One scale for all edges of the grid.
	var k float64
	for f := range m.Faces() {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			d := c + 1
			if d == m.FaceStart[f+1] {
				d = m.FaceStart[f]
			}
			p, q := set.Values[set.Index[c]], set.Values[set.Index[d]]
			is := math.Hypot(p[0]-q[0], p[1]-q[1]) / m.Points[m.Corners[c]].Dist(m.Points[m.Corners[d]])
			if k == 0 {
				k = is
			}
			require.InDelta(t, 1, is/k, 0.02)
		}
	}
}

// Ten thousand parts find room; more than there is room for is told.
func TestManyParts(t *testing.T) {
	many := 10_000
	if testing.Short() {
		many = 2500
	}
	b := new(shape.Builder)
	for i := range many {
		x, y := float64(i%100), float64(i/100)
		b.Place(geom.Translation(geom.Vec3{x, y, 0})).Grid(1, 1,
			func(u, v float64) geom.Vec3 { return geom.Vec3{u * .5, v * .5, 0} })
	}
	m := b.Mesh("leaves")
	r := unfolded(t, Options{Size: 1024, Padding: 4}, m)
	assert.Equal(t, many, r.Charts)
	assert.GreaterOrEqual(t, r.Gap, 4.0-1e-9)
	_, err := Unfold(ctx, []Piece{{Mesh: m, Scale: 1}}, Options{Size: 64, Padding: 4}, nil)
	assert.ErrorIs(t, err, ErrRoom)
}

// Edges of three faces, faces wound against each other, faces without area and single triangles come to
// an end, each with a place.
func TestOddMeshes(t *testing.T) {
	m := &scene.Mesh{Points: []geom.Vec3{{0, 0, 0}, {0, 1, 0}, {1, 0, 0}, {-1, .2, 0}, {0, .3, 1}, {2, 2, 2}, {2, 2, 2},
		{3, 3, 3}},
		Corners:   []int32{0, 2, 1, 0, 1, 3, 0, 1, 4, 1, 0, 3, 5, 6, 7, 0, 5, 7},
		FaceStart: []int32{0, 3, 6, 9, 12, 15, 18}}
	r, err := Unfold(ctx, []Piece{{Mesh: m, Scale: 1}}, Options{Size: 256, Padding: 2}, nil)
	require.NoError(t, err)
	for _, k := range r.Sets[0].Index {
		assert.True(t, k >= 0 && int(k) < len(r.Sets[0].Values))
	}
	for seed := range uint64(40) {
		s := shapetest.Ragged(seed)
		for _, mesh := range s.Meshes {
			r, err := Unfold(ctx, []Piece{{Mesh: mesh, Scale: 1}}, Options{Size: 512, Padding: 2}, nil)
			require.NoError(t, err, fmt.Sprint(seed))
			for _, k := range r.Sets[0].Index {
				require.True(t, k >= 0 && int(k) < len(r.Sets[0].Values))
			}
			for _, v := range r.Sets[0].Values {
				require.True(t, v[0] >= 0 && v[0] <= 1 && v[1] >= 0 && v[1] <= 1)
			}
		}
	}
	stop, cancel := context.WithCancel(ctx)
	cancel()
	_, err = Unfold(stop, []Piece{{Mesh: ball(24), Scale: 1}}, Options{Size: 512, Padding: 2}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

func BenchmarkUnfold(b *testing.B) {
	for _, c := range []struct {
		name string
		mesh *scene.Mesh
	}{
		{"ball", ball(158)},
		{"ring", shapetest.Torus(1, 0.25, 316, 158)},
		{"boulder", shapetest.Boulder(158)},
	} {
		b.Run(c.name, func(b *testing.B) {
			var r *Result
			for b.Loop() {
				var err error
				r, err = Unfold(ctx, []Piece{{Mesh: c.mesh, Scale: 1}}, Options{Size: 1024, Padding: 4}, nil)
				require.NoError(b, err)
			}
			b.ReportMetric(float64(c.mesh.Triangles()), "triangles")
			b.ReportMetric(float64(r.Charts), "charts")
			b.ReportMetric(r.Fill, "fill")
			b.ReportMetric(r.Mean, "stretch")
		})
	}
}
