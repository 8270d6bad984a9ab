package scene_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// moor is a heightfield of n×n quads and triangles, skewed so that no edge runs along a grid, with UVs.
func moor(n int, size float64, from geom.Vec3) *scene.Mesh {
	rng := rand.New(rand.NewPCG(1, 9))
	m := &scene.Mesh{Name: "moor", FaceStart: []int32{0}}
	var uv scene.UVSet
	for i := range n + 1 {
		for j := range n + 1 {
			x, z := size*(float64(i)+.3*float64(j))/float64(n), size*float64(j)/float64(n)
			m.Points = append(m.Points, from.Add(geom.Vec3{x, 40*math.Sin(x/900) + rng.Float64(), z}))
			uv.Values = append(uv.Values, [2]float64{float64(i) / float64(n), float64(j) / float64(n)})
		}
	}
	at := func(i, j int) int32 { return int32(i*(n+1) + j) }
	for i := range n {
		for j := range n {
			ring := []int32{at(i, j), at(i, j+1), at(i+1, j+1), at(i+1, j)}
			if (i+j)%3 == 0 {
				m.Corners = append(m.Corners, ring...)
				m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
				continue
			}
			for _, t := range [][3]int{{0, 1, 2}, {0, 2, 3}} {
				m.Corners = append(m.Corners, ring[t[0]], ring[t[1]], ring[t[2]])
				m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
			}
		}
	}
	uv.Index = m.Corners
	m.UVs = []scene.UVSet{uv}
	return m
}

// A grid loses nothing: each piece lies in its square, all together have the area and the integral of UVs of the whole,
// and where two meet they have the same edges, to the bit.
func TestAGridCutsExactly(t *testing.T) {
	for _, step := range []float64{1000, 730.1, 25_000} {
		m := moor(40, 12_000, geom.Vec3{-5000, 7, -3333})
		cells := m.Gridded(t.Context(), [2]int{2, 0}, step)
		area, uv := surface(m)
		sum, sums := 0.0, [2]float64{}
		type edge struct{ a, b geom.Vec3 }
		borders := map[edge]int{}
		seen := map[[2]int]bool{}
		for _, c := range cells {
			require.False(t, seen[c.At], "two pieces of one square")
			seen[c.At] = true
			a, u := surface(c.Mesh)
			sum, sums[0], sums[1] = sum+a, sums[0]+u[0], sums[1]+u[1]
			b := c.Mesh.Extent()
			for k, axis := range [2]int{2, 0} {
				assert.GreaterOrEqual(t, b.Min[axis], float64(c.At[k])*step)
				assert.LessOrEqual(t, b.Max[axis], float64(c.At[k]+1)*step)
			}
			uses := map[edge]int{} // edges that no other face of the piece runs the other way
			for f := range c.Mesh.Faces() {
				ring := c.Mesh.Corners[c.Mesh.FaceStart[f]:c.Mesh.FaceStart[f+1]]
				for i := range ring {
					e := edge{c.Mesh.Points[ring[i]], c.Mesh.Points[ring[(i+1)%len(ring)]]}
					if back := (edge{e.b, e.a}); uses[back] > 0 {
						delete(uses, back)
					} else {
						uses[e]++
					}
				}
			}
			for e := range uses {
				borders[e]++
			}
		}
		assert.InEpsilon(t, area, sum, 1e-7, "but for bent quads, which are cut flat")
		for k := range uv {
			assert.InEpsilon(t, uv[k], sums[k], 1e-6)
		}
		open := 0
		for e := range borders {
			if borders[edge{e.b, e.a}] == 0 {
				open++
			}
		}
		outline := 4 * 40 // of the whole, each cut as often as lines cross it
		assert.LessOrEqual(t, open, outline+4*int(20_000/step+1), "step %g: what is open lies on the outline", step)
		for e := range borders {
			on := func(p geom.Vec3) bool {
				for _, axis := range [2]int{0, 2} {
					if k := math.Round(p[axis] / step); p[axis] == k*step {
						return true
					}
				}
				return false
			}
			if borders[edge{e.b, e.a}] > 0 {
				assert.True(t, on(e.a) && on(e.b), "shared edges lie on lines, exactly")
			}
		}
	}
}

// Points of a cloud go to the square they are in.
func TestAGridOfPoints(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 3))
	c := &cloud.Cloud{Type: "float"}
	for range 5000 {
		c.Points = append(c.Points, geom.Vec3{10 * rng.NormFloat64(), rng.Float64(), 10 * rng.NormFloat64()})
	}
	m := &scene.Mesh{Name: "dots", FaceStart: []int32{0}, Cloud: c}
	n := 0
	for _, cell := range m.Gridded(t.Context(), [2]int{0, 2}, 4) {
		for _, p := range cell.Mesh.Cloud.Points {
			assert.Equal(t, cell.At, [2]int{int(math.Floor(p[0] / 4)), int(math.Floor(p[2] / 4))})
			n++
		}
	}
	assert.Equal(t, 5000, n)
	assert.Equal(t, scene.MostCells+1, scene.Cells(c.Box(), [2]int{0, 2}, 1e-9), "too many are told, not made")
}

// A point that no face has is farther off than any that has one: it does not count.
func TestTheFarthestPointIsOneOfAFace(t *testing.T) {
	m := &scene.Mesh{Points: []geom.Vec3{{9, 0, 0}, {1, 0, 0}, {0, 2, 0}, {0, 0, 0}}, Corners: []int32{1, 2, 3},
		FaceStart: []int32{0, 3}}
	assert.Equal(t, 2.0, m.Farthest(geom.Identity, geom.Vec3{}))
	m.Corners = []int32{1, 2, 0}
	assert.Equal(t, 18.0, m.Farthest(geom.Linear(geom.Identity3.Scaled(2)), geom.Vec3{}))
	assert.Zero(t, (&scene.Mesh{}).Farthest(geom.Identity, geom.Vec3{}))
}
