package waste

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
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// box is a box of which each side is cut into n by n quads that share their points.
func box(n int, turn geom.Mat3) *scene.Mesh {
	b := &shape.Builder{}
	for _, side := range [][3]geom.Vec3{
		{{0, 0, 1}, {1, 0, 0}, {0, 1, 0}}, {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}},
		{{1, 0, 1}, {0, 0, -1}, {0, 1, 0}}, {{0, 0, 0}, {0, 0, 1}, {0, 1, 0}},
		{{0, 1, 1}, {1, 0, 0}, {0, 0, -1}}, {{0, 0, 0}, {1, 0, 0}, {0, 0, 1}},
	} {
		b.Grid(n, n, func(u, v float64) geom.Vec3 {
			return turn.Apply(side[0].Add(side[1].Mul(u)).Add(side[2].Mul(v)))
		})
	}
	return b.Mesh("box")
}

// joined is a mesh whose points that stand together are one.
func joined(m *scene.Mesh) *scene.Mesh {
	out := *m
	out.Corners = append([]int32(nil), m.Corners...)
	same := scene.Weld(context.Background(), m.Points)
	for i, p := range out.Corners {
		out.Corners[i] = same[p]
	}
	return &out
}

// holds is what must be so of every outcome: valid, no new flaw, the same area and volume.
func holds(t *testing.T, m *scene.Mesh, r Removed) {
	t.Helper()
	require.NoError(t, r.Mesh.Validate())
	assert.Equal(t, m.Triangles()-r.Triangles, r.Mesh.Triangles())
	a, b := extents.OfMesh(context.Background(), m), extents.OfMesh(context.Background(), r.Mesh)
	size := a.Box.Size().Max()
	assert.InDelta(t, a.Area, b.Area, 1e-5*size*size)
	assert.InDelta(t, a.Volume, b.Volume, 1e-5*size*size*size)
	assert.True(t, b.Closed || !a.Closed)
	assert.Less(t, a.Box.Min.Dist(b.Box.Min)+a.Box.Max.Dist(b.Box.Max), 1e-6*size)
	x, y := flaw.Find(context.Background(), m, flaw.Limits{}), flaw.Find(context.Background(), r.Mesh, flaw.Limits{})
	assert.LessOrEqual(t, len(y.Crowded), len(x.Crowded), "edges of more than two faces")
	assert.Len(t, y.Borders, len(x.Borders))
	assert.LessOrEqual(t, len(y.Flipped), len(x.Flipped))
	again := Of(context.Background(), r.Mesh)
	assert.Zero(t, again.Triangles, "twice is no more than once")
}

func TestASubdividedBoxIsTwelveTriangles(t *testing.T) {
	for _, n := range []int{1, 2, 7, 40} {
		for _, turn := range []geom.Mat3{geom.Identity3, geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 0.7)} {
			for _, m := range []*scene.Mesh{box(n, turn), joined(box(n, turn))} {
				r := Of(context.Background(), m)
				assert.Equal(t, 12, r.Mesh.Triangles(), "%d cells", n)
				assert.Equal(t, 12*n*n-12, r.Triangles)
				holds(t, m, r)
				if n > 1 {
					assert.Len(t, r.Faces, 6*n*n)
				}
			}
		}
	}
}

// A file of 32-bit numbers rounds its points; a box that is turned has none on its planes.
func TestRoundedPointsCountAsFlat(t *testing.T) {
	m := box(60, geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 0.7))
	for i, p := range m.Points {
		m.Points[i] = geom.Vec3{float64(float32(p[0])), float64(float32(p[1])), float64(float32(p[2]))}
	}
	for i, v := range m.UVs[0].Values {
		m.UVs[0].Values[i] = [2]float64{float64(float32(v[0])), float64(float32(v[1]))}
	}
	r := Of(context.Background(), m)
	assert.Equal(t, 12, r.Mesh.Triangles())
	holds(t, m, r)
}

func TestWhatHasNoWasteStays(t *testing.T) {
	sphere := shapetest.Boulder(24)
	r := Of(context.Background(), sphere)
	assert.Same(t, sphere, r.Mesh)
	b := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("plain")
	r = Of(context.Background(), b)
	assert.Same(t, b, r.Mesh, "six quads are six quads")
	assert.Zero(t, Of(context.Background(), &scene.Mesh{}).Triangles)
	cyl := (&shape.Builder{}).Lathe([][2]float64{{1, 0}, {1, 2}}, 24).Mesh("cylinder")
	assert.Zero(t, Of(context.Background(), cyl).Triangles)
}

// sheet is a flat sheet of n by n quads with values that a test changes.
func sheet(n int, change func(m *scene.Mesh, i, j int, corner int32)) *scene.Mesh {
	b := (&shape.Builder{}).Grid(n, n, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} })
	m := b.Mesh("sheet")
	w := n + 1
	for c, p := range m.Corners {
		if change != nil {
			change(m, int(p)%w, int(p)/w, int32(c))
		}
	}
	return m
}

func TestWhatSomethingNeedsStays(t *testing.T) {
	assert.Equal(t, 2, Of(context.Background(), sheet(8, nil)).Mesh.Triangles())
	for name, c := range map[string]struct {
		m    *scene.Mesh
		want int
	}{
		// Coordinates that bend along the line i = 4 leave it and its two ends.
		"a bend in the UVs": {sheet(8, func(m *scene.Mesh, i, j int, c int32) {
			if i > 4 {
				m.UVs[0].Values[m.UVs[0].Index[c]][0] += float64(i-4) * 0.1
			}
		}), 4},
		"a slot of one quad in the middle": {func() *scene.Mesh {
			m := sheet(8, nil)
			m.Slots, m.Slot = []int{0, 1}, make([]int32, m.Faces())
			m.Slot[3*8+3] = 1
			return m
		}(), 2 + 8}, // a square with a square hole has eight
		"a smoothing group": {func() *scene.Mesh {
			m := sheet(8, nil)
			for f := range m.Smooth[:32] {
				m.Smooth[f] = 2
			}
			return m
		}(), 4},
		"a hard edge across": {func() *scene.Mesh {
			m := sheet(8, nil)
			m.Hard = make([]bool, len(m.Corners))
			for f := 24; f < 32; f++ { // the upper side of the fourth row
				m.Hard[m.FaceStart[f]+2] = true
			}
			return m
		}(), 4},
		"a normal that leans": {sheet(8, func(m *scene.Mesh, i, j int, c int32) {
			if i == 4 && j == 4 {
				m.Normals.Values = append(m.Normals.Values, [3]float32{0.6, 0.8, 0})
				m.Normals.Index[c] = int32(len(m.Normals.Values) - 1)
			}
		}), 2 + 4 + 4}, // the four quads round it, and a square with a hole of eight sides
		"a bump": {func() *scene.Mesh {
			m := sheet(8, nil)
			m.Points[4*9+4][1] = 0.01
			m.Normals = m.SmoothNormals()
			return m
		}(), 0},
	} {
		r := Of(context.Background(), c.m)
		holds(t, c.m, r)
		if c.want > 0 {
			if name == "a normal that leans" {
				assert.Less(t, r.Mesh.Triangles(), 24, name)
				continue
			}
			assert.Equal(t, c.want, r.Mesh.Triangles(), name)
		}
	}
}

// Slots, holes and notches: an area with b corners and h holes has b + 2h - 2 triangles.
func TestAreasWithHolesComeToTheFewest(t *testing.T) {
	m := sheet(12, nil)
	drop := func(f int) bool {
		i, j := f%12, f/12
		return i >= 3 && i < 6 && j >= 2 && j < 4 || i == 9 && j == 9 || i == 0 && j > 6
	}
	out := *m
	out.Corners, out.FaceStart, out.Smooth = nil, []int32{0}, nil
	var n, uv []int32
	for f := range m.Faces() {
		if drop(f) {
			continue
		}
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			out.Corners, n, uv = append(out.Corners, m.Corners[c]), append(n, m.Normals.Index[c]), append(uv, m.UVs[0].Index[c])
		}
		out.FaceStart, out.Smooth = append(out.FaceStart, int32(len(out.Corners))), append(out.Smooth, m.Smooth[f])
	}
	out.Normals.Index = n
	out.UVs = []scene.UVSet{{Name: "UV", Layer: scene.Layer[[2]float64]{Values: m.UVs[0].Values, Index: uv}}}
	r := Of(context.Background(), &out)
	assert.Equal(t, (4+2)+4+4+2*2-2, r.Mesh.Triangles(),
		"a corner is cut out of the sheet, which makes six, and two holes of four")
	holds(t, &out, r)
}

func TestValuesInterpolateAsBefore(t *testing.T) {
	m := box(16, geom.Rotation(geom.Vec3{3, 1, 2}.Unit(), 1.1))
	r := Of(context.Background(), m).Mesh
	// Every corner of the mesh before lies in a triangle after, with the same UV there.
	type tri struct{ p, q, r int32 }
	var list []tri
	r.EachTriangle(func(_ int, a, b, c int32) { list = append(list, tri{a, b, c}) })
	at := func(m *scene.Mesh, c int32) (geom.Vec3, [2]float64) {
		return m.Points[m.Corners[c]], m.UVs[0].Values[m.UVs[0].Index[c]]
	}
	for f := range m.Faces() {
		c := m.FaceStart[f]
		x, want := at(m, c)
		n := m.FaceNormal(f).Unit()
		best := math.Inf(1)
		for _, k := range list {
			a, ua := at(r, k.p)
			b, ub := at(r, k.q)
			d, ud := at(r, k.r)
			g := b.Sub(a).Cross(d.Sub(a))
			if g.Unit().Dot(n) < 0.999 {
				continue
			}
			v := b.Sub(x).Cross(d.Sub(x)).Dot(g) / g.Dot(g)
			w := d.Sub(x).Cross(a.Sub(x)).Dot(g) / g.Dot(g)
			if v < -1e-9 || w < -1e-9 || v+w > 1+1e-9 {
				continue
			}
			z := 1 - v - w
			best = min(best, math.Hypot(v*ua[0]+w*ub[0]+z*ud[0]-want[0], v*ua[1]+w*ub[1]+z*ud[1]-want[1])+math.Abs(
				x.Sub(a).Dot(g.Unit())))
		}
		assert.Less(t, best, 1e-6, "face %d", f)
	}
}

func TestAFanOfManyIsTakenOut(t *testing.T) {
	const n = 5000
	m := &scene.Mesh{Slots: []int{-1}, FaceStart: []int32{0}, Points: []geom.Vec3{{}}}
	for k := range n {
		s, c := math.Sincos(2 * math.Pi * float64(k) / n)
		m.Points = append(m.Points, geom.Vec3{c, 0, -s})
	}
	for k := range int32(n) {
		m.Corners = append(m.Corners, 0, k+1, (k+1)%n+1)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	r := Of(context.Background(), m)
	assert.LessOrEqual(t, r.Mesh.Triangles(), n-2)
	holds(t, m, r)
}

func BenchmarkWaste(b *testing.B) {
	for _, n := range []int{144, 204, 289} {
		m := joined(box(n, geom.Identity3))
		b.Run(fmt.Sprint(m.Triangles()), func(b *testing.B) {
			for range b.N {
				r := Of(context.Background(), m)
				if r.Mesh.Triangles() != 12 {
					b.Fatal(r.Mesh.Triangles())
				}
			}
		})
	}
}
