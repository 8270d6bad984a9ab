package divide_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/process/divide"
	"yarvek/core/scene"
)

var ctx = context.Background()

func mesh(points []geom.Vec3, faces ...[]int32) *scene.Mesh {
	m := &scene.Mesh{Name: "cage", FaceStart: []int32{0}, Points: points}
	for _, f := range faces {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	m.Cage = &scene.Cage{Scheme: scene.CatmullClark}
	return m
}

// cube has its corners at one from the middle along each axis.
func cube() *scene.Mesh {
	var points []geom.Vec3
	for i := range 8 {
		points = append(points, geom.Vec3{float64(2*(i&1) - 1), float64(2*(i>>1&1) - 1), float64(2*(i>>2&1) - 1)})
	}
	return mesh(points, []int32{0, 2, 3, 1}, []int32{4, 5, 7, 6}, []int32{0, 1, 5, 4}, []int32{2, 6, 7, 3},
		[]int32{0, 4, 6, 2}, []int32{1, 3, 7, 5})
}

func has(t *testing.T, m *scene.Mesh, p geom.Vec3) {
	t.Helper()
	for _, q := range m.Points {
		if q.Dist(p) < 1e-12 {
			return
		}
	}
	assert.Fail(t, "no such point", "%v", p)
}

// The points of a cube divided once are those of the paper's masks, worked out by hand.
func TestACubeByHand(t *testing.T) {
	m := divide.Mesh(ctx, cube(), 1)
	require.Equal(t, 24, m.Faces())
	require.Len(t, m.Points, 26)
	has(t, m, geom.Vec3{0, 0, 1})
	has(t, m, geom.Vec3{.75, .75, 0})
	has(t, m, geom.Vec3{5. / 9, 5. / 9, -5. / 9})
	assert.Nil(t, m.Cage)
	assert.Equal(t, 24*16, divide.Faces(cube(), 3))
	assert.Equal(t, 24*16, divide.Mesh(ctx, cube(), 3).Faces())
}

// limit is where a point of a closed cage ends up, however often it is divided: by the eigenvectors of the masks
// (Halstead, Kass and DeRose 1993, "Efficient, fair interpolation using Catmull-Clark surfaces").
func limit(m *scene.Mesh, point int32) geom.Vec3 {
	var edges, across geom.Vec3
	n := 0.0
	for f := range m.Faces() {
		ring := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for i, p := range ring {
			if p == point { // of a quad: the end of the edge on, and the corner across
				n++
				edges = edges.Add(m.Points[ring[(i+1)%4]])
				across = across.Add(m.Points[ring[(i+2)%4]])
			}
		}
	}
	return m.Points[point].Mul(n * n).Add(edges.Mul(4)).Add(across).Mul(1 / (n * (n + 5)))
}

// What a point of the cage tends to is the same at every level.
func TestTheLimitStays(t *testing.T) {
	c := cube()
	c.Points[7] = geom.Vec3{3, 2, 1.5}
	want := make([]geom.Vec3, 8)
	for i := range want {
		want[i] = limit(c, int32(i))
	}
	for times := 1; times <= 4; times++ {
		m := divide.Mesh(ctx, c, times)
		for i := range want {
			assert.Less(t, limit(m, int32(i)).Dist(want[i]), 1e-12, "level %d, point %d", times, i)
		}
	}
}

// grid is a sheet of n×n quads with heights.
func grid(n int, height func(i, j int) float64) *scene.Mesh {
	var points []geom.Vec3
	var faces [][]int32
	for i := range n + 1 {
		for j := range n + 1 {
			points = append(points, geom.Vec3{float64(i), height(i, j), float64(j)})
		}
	}
	at := func(i, j int) int32 { return int32(i*(n+1) + j) }
	for i := range n {
		for j := range n {
			faces = append(faces, []int32{at(i, j), at(i, j+1), at(i+1, j+1), at(i+1, j)})
		}
	}
	return mesh(points, faces...)
}

// refined are the control points of a uniform cubic B-spline with a knot put between any two, away from its ends.
func refined(v []float64) (out []float64) {
	for i := range v {
		if i > 0 && i+1 < len(v) {
			out = append(out, (v[i-1]+6*v[i]+v[i+1])/8)
		} else {
			out = append(out, math.NaN())
		}
		if i+1 < len(v) {
			out = append(out, (v[i]+v[i+1])/2)
		}
	}
	return out
}

// Where the cage is a grid the surface is the bicubic B-spline: row by row, then column by column, knots are inserted.
func TestAGridIsASpline(t *testing.T) {
	const n = 6
	height := func(i, j int) float64 { return math.Sin(float64(3*i+5*j)) + .2*float64(i*j%4) }
	m := divide.Mesh(ctx, grid(n, height), 1)
	rows := make([][]float64, n+1)
	for i := range rows {
		row := make([]float64, n+1)
		for j := range row {
			row[j] = height(i, j)
		}
		rows[i] = refined(row)
	}
	want := map[[2]float64]float64{}
	for j := range rows[0] {
		column := make([]float64, n+1)
		for i := range column {
			column[i] = rows[i][j]
		}
		for i, v := range refined(column) {
			if i > 1 && j > 1 && i < 2*n-1 && j < 2*n-1 {
				want[[2]float64{float64(i) / 2, float64(j) / 2}] = v
			}
		}
	}
	seen := 0
	for _, p := range m.Points {
		if v, ok := want[[2]float64{math.Round(2*p[0]) / 2, math.Round(2*p[2]) / 2}]; ok {
			assert.InDelta(t, v, p[1], 1e-12)
			seen++
		}
	}
	assert.Equal(t, len(want), seen)
}

// A border is a spline of its own, its corners stay, and so does what is sharp for ever.
func TestBordersAndCreases(t *testing.T) {
	m := divide.Mesh(ctx, grid(2, func(int, int) float64 { return 0 }), 3)
	for _, p := range []geom.Vec3{{0, 0, 0}, {2, 0, 0}, {0, 0, 2}, {2, 0, 2}} {
		has(t, m, p)
	}
	c := cube()
	c.Cage.Sharp = map[scene.EdgeKey]float64{}
	for f := range c.Faces() {
		ring := c.Corners[c.FaceStart[f]:c.FaceStart[f+1]]
		for i := range ring {
			c.Cage.Sharp[scene.EdgeOf(ring[i], ring[(i+1)%4])] = math.Inf(1)
		}
	}
	m = divide.Mesh(ctx, c, 2)
	hard := 0
	for _, h := range m.Hard {
		if h {
			hard++
		}
	}
	assert.Equal(t, 2*12*4, hard, "both sides of each quarter of an edge")
	for _, p := range m.Points {
		assert.InDelta(t, 1, max(math.Abs(p[0]), math.Abs(p[1]), math.Abs(p[2])), 1e-12, "it stays a cube")
	}
	// Sharp once is a cube once and round after; half sharp lies between.
	for key := range c.Cage.Sharp {
		c.Cage.Sharp[key] = 1
	}
	has(t, divide.Mesh(ctx, c, 1), geom.Vec3{1, 1, 1})
	twice := divide.Mesh(ctx, c, 2)
	for _, p := range twice.Points {
		assert.Less(t, p.Len(), math.Sqrt(3)-.1)
	}
	for key := range c.Cage.Sharp {
		c.Cage.Sharp[key] = .5
	}
	m = divide.Mesh(ctx, c, 1)
	has(t, m, geom.Vec3{(1 + 5./9) / 2, (1 + 5./9) / 2, (1 + 5./9) / 2})
	has(t, m, geom.Vec3{.875, .875, 0})
	assert.Nil(t, m.Hard)
}

// An octahedron's points by Loop's masks, worked out by hand; a flat sheet stays flat, and in place.
func TestTriangles(t *testing.T) {
	m := mesh([]geom.Vec3{{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}, []int32{0, 2, 4},
		[]int32{2, 1, 4}, []int32{1, 3, 4}, []int32{3, 0, 4}, []int32{2, 0, 5}, []int32{1, 2, 5}, []int32{3, 1, 5},
		[]int32{0, 3, 5})
	m.Cage.Scheme = scene.Loop
	out := divide.Mesh(ctx, m, 1)
	require.Equal(t, 32, out.Faces())
	has(t, out, geom.Vec3{1 - 4*31./256, 0, 0}) // with β = (5/8 - (3/8)²)/4 = 31/256, and four ends whose sum is nought
	has(t, out, geom.Vec3{.375, .375, 0})
	flat := grid(4, func(int, int) float64 { return 2 })
	flat.Cage.Scheme = scene.Loop
	for _, p := range divide.Mesh(ctx, flat, 2).Points {
		assert.Equal(t, 2.0, p[1])
	}
	flat.Cage.Scheme = scene.Bilinear
	assert.Equal(t, 16*16, divide.Mesh(ctx, flat, 2).Faces())
}

// Coordinates on pictures run linearly, seams stay seams, and slots go along.
func TestWhatACageCarries(t *testing.T) {
	m := grid(2, func(i, j int) float64 { return float64(i * j) })
	uv := scene.UVSet{Name: "map"}
	for c, p := range m.Corners {
		shift := 0.0
		if c >= 8 {
			shift = 10 // two islands
		}
		uv.Values = append(uv.Values, [2]float64{m.Points[p][0] + shift, m.Points[p][2]})
		uv.Index = append(uv.Index, int32(c))
	}
	m.UVs, m.Slot, m.Slots = []scene.UVSet{uv}, []int32{0, 1, 0, 1}, []int{3, 4}
	out := divide.Mesh(ctx, m, 2)
	require.Len(t, out.UVs[0].Index, len(out.Corners))
	area := 0.0
	counts := map[int32]int{}
	for f := range out.Faces() {
		ring := out.UVs[0].Index[out.FaceStart[f]:out.FaceStart[f+1]]
		for i := range ring {
			a, b := out.UVs[0].Values[ring[i]], out.UVs[0].Values[ring[(i+1)%4]]
			area += (a[0]*b[1] - a[1]*b[0]) / 2
		}
		counts[out.Slot[f]]++
	}
	assert.InDelta(t, 4, math.Abs(area), 1e-12)
	assert.Equal(t, map[int32]int{0: 32, 1: 32}, counts)
	assert.Equal(t, []int{3, 4}, out.Slots)
	assert.Same(t, uvless(m), divide.Mesh(ctx, uvless(m), 0))
}

func uvless(m *scene.Mesh) *scene.Mesh { m.UVs = nil; return m }
