package unfold

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// What neither is a box nor fills one covers 0.65 of the square too: it lies at any angle, in bays and holes of others,
// and is cut where that helps.
func TestWhatHardlyFillsASquare(t *testing.T) {
	washer := new(shape.Builder).Lathe([][2]float64{{.6, 0}, {1, 0}, {1, .1}, {.6, .1}, {.6, 0}}, 48).Mesh("washer")
	thick := shapetest.Spring(1, 0.25, 0.8, 3, 120, 12)
	thick.Name = "thick spring"
	for _, c := range []struct {
		mesh   *scene.Mesh
		charts int
	}{
		{shapetest.LBeam(), 12},
		{shapetest.Torus(1, 0.25, 48, 24), 40},
		{washer, 24},
		{shapetest.Bowl(0.15, 12, 48), 16},
		{shapetest.Spring(1, 0.1, 0.4, 5, 200, 12), 200},
		{thick, 64},
		{shapetest.Fence(12), 84},
		{shapetest.Tree(9), 81},
		{shapetest.TunnelBend(math.Pi/2, 1, 1.2, 24, 24), 24},
	} {
		r := unfolded(t, Options{Size: 1024, Padding: 4}, c.mesh)
		t.Logf("%-12s %4d triangles, %3d charts, fill %.3f, stretch %.4f, worst %.4f, gap %.2f", c.mesh.Name,
			c.mesh.Triangles(), r.Charts, r.Fill, r.Mean, r.Worst, r.Gap)
		assert.GreaterOrEqual(t, r.Fill, 0.65, c.mesh.Name)
		assert.LessOrEqual(t, r.Charts, c.charts, c.mesh.Name)
		assert.LessOrEqual(t, r.Worst, 1.2, c.mesh.Name)
		assert.GreaterOrEqual(t, r.Gap, 4.0-1e-9, c.mesh.Name)
	}
}

// noisy moves points by chance.
func noisy(m *scene.Mesh, by float64) *scene.Mesh {
	r := rand.New(rand.NewPCG(1, 1))
	for i := range m.Points {
		m.Points[i] = m.Points[i].Add(geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Mul(by))
	}
	return m
}

// A scan, of which each few faces have a sharp edge round them, comes in few charts all the same, and none covers a
// place twice. Crumbs of a crumbled one, cubes that lie by themselves, are charts of their own.
func TestScansComeInFewCharts(t *testing.T) {
	crumbled := shapetest.Crumbled(22)
	b := newBody(ctx, Piece{Mesh: crumbled, Scale: 1})
	crumbs := len(slices.DeleteFunc(b.regions(), func(r []int32) bool { return len(r) > 40 }))
	for _, c := range []struct {
		mesh   *scene.Mesh
		charts int
	}{{crumbled, 100 + 2*crumbs}, {noisy(shapetest.Boulder(110), 0.006), 100}} {
		r := unfolded(t, Options{Size: 1024, Padding: 4}, c.mesh)
		t.Logf("%-12s %5d triangles, %3d charts, fill %.3f, stretch %.2f, worst %.2f, gap %.2f", c.mesh.Name,
			c.mesh.Triangles(), r.Charts, r.Fill, r.Mean, r.Worst, r.Gap)
		assert.LessOrEqual(t, r.Charts, c.charts, c.mesh.Name)
		assert.GreaterOrEqual(t, r.Fill, 0.6, c.mesh.Name)
	}
}

// What is modelled of many plain walls in and out is not taken for a scan: its edges stay edges.
func TestWallsAreNoScan(t *testing.T) {
	steps := func(n int) (out []float64) {
		for i := range n + 1 {
			out = append(out, float64(i))
		}
		return out
	}
	m := shapetest.Blocks("facade", steps(40), steps(30), steps(3), func(p geom.Vec3) bool {
		return p[2] < 2 && (p[2] < 1 || (int(p[0])+int(p[1]))%2 == 0)
	})
	assert.Greater(t, m.Triangles(), 2*roughFaces)
	assert.False(t, newBody(ctx, Piece{Mesh: m, Scale: 1}).isRough)
	assert.True(t, newBody(ctx, Piece{Mesh: shapetest.Crumbled(22), Scale: 1}).isRough)
	assert.False(t, newBody(ctx, Piece{Mesh: shapetest.Boulder(110), Scale: 1}).isRough)
}

// Triangles that go round a place twice are seen, though each keeps its side.
func TestGoingRoundTwice(t *testing.T) {
	fan := func(turns float64) *chart {
		c := &chart{at: []complex128{0}}
		for i := range 8 {
			s, k := math.Sincos(2 * math.Pi * turns * float64(i) / 8)
			c.at = append(c.at, complex(k, s))
			c.tris = append(c.tris, [3]int32{0, int32(1 + i), int32(1 + (i+1)%8)})
		}
		return c
	}
	assert.False(t, fan(1).wound())
	assert.True(t, fan(2).wound())
}
