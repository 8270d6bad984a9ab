package decompose

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/passage"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/twin"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

type trial struct {
	name  string
	mesh  []*scene.Mesh
	ratio float64
	free  []fit.Ball
}

func ball(x, y, z, r float64) fit.Ball { return fit.Ball{Centre: geom.Vec3{x, y, z}, Radius: r} }

func trials() []trial {
	return []trial{
		{"table", []*scene.Mesh{shapetest.Table()}, 1.05, []fit.Ball{ball(0.6, 0.35, 0.4, 0.29), ball(0.6, 0.35, 0, 0.29),
			ball(0, 0.35,
				0.4, 0.29)}},
		{"chair", []*scene.Mesh{shapetest.Chair()}, 1.05,
			[]fit.Ball{ball(0.225, 0.2, 0.225, 0.17), ball(0.225, 0.66, 0.25, 0.19)}},
		{"L-beam", []*scene.Mesh{shapetest.Beam()}, 1.05, []fit.Ball{ball(0.11, 0.11, 1.5, 0.089)}},
		{"staircase", []*scene.Mesh{shapetest.Stair(10)}, 1.05, nil},
		{"hut, flat roof", []*scene.Mesh{shapetest.Hut()}, 1.15,
			[]fit.Ball{ball(1.5, 1, 3.95, 0.45), ball(1.5, 1.1, 2, 0.45)}},
		{"hut, gabled", shapetest.Gabled(), 1.15, []fit.Ball{ball(1.5, 1, 3.95, 0.45), ball(1.5, 1.1, 2, 0.45)}},
		{"arch", []*scene.Mesh{shapetest.Arch(24)}, 1.15, []fit.Ball{ball(0, 2, 0, 0.9)}},
		{"ring", []*scene.Mesh{shapetest.Torus(1, 0.25, 64, 24)}, 1.25, []fit.Ball{ball(0, 0, 0, 0.9*0.75)}},
		{"bowl, wall 0.10", []*scene.Mesh{shapetest.Bowl(0.1, 16, 48)}, 1.25, nil},
		{"bowl, wall 0.15", []*scene.Mesh{shapetest.Bowl(0.15, 12, 32)}, 1.25, nil},
		// One of seventeen bodies has to go, and none touches another but the post.
		{"spiral stair", shapetest.SpiralStair(16), 1.12, nil},
		// Walls and lintels that touch over whole faces, which belong to each alone.
		{"round tower", shapetest.Tower(2, 2.3, 4, 1.1, 16), 1.10,
			[]fit.Ball{ball(2.15, 1, 0, 0.5), ball(-2.15, 1, 0, 0.5), ball(0, 1.6, 0, 1.5)}},
	}
}

// sticks is how far the surface of a scene lies outside of all hulls, by the corners of its
// triangles and places on them.
func sticks(s *scene.Scene, hulls []*fit.Convex) float64 {
	out := 0.0
	for _, m := range s.Flattened().Meshes {
		m.EachTriangle(func(_ int, a, b, c int32) {
			p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
			for _, w := range [][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {.33, .33, .34}, {.5, .5, 0}, {0, .5, .5},
				{.5, 0, .5}} {
				at := p.Mul(w[0]).Add(q.Mul(w[1])).Add(r.Mul(w[2]))
				d := math.Inf(1)
				for _, h := range hulls {
					d = min(d, h.Distance(at))
				}
				out = max(out, d)
			}
		})
	}
	return out
}

// checked are the hulls of a result, each of them closed, convex and wound outward as its edges and
// corners tell.
func checked(t *testing.T, r Result) []*fit.Convex {
	t.Helper()
	var list []*fit.Convex
	for _, h := range r.Hulls {
		c := fit.NewConvex(h.Body)
		list = append(list, c)
		size := c.Box.Size().Max()
		ways := map[[2]int32]int{}
		for _, f := range h.Body.Faces {
			for k := range f {
				ways[[2]int32{f[k], f[(k+1)%len(f)]}]++
			}
		}
		for e, n := range ways {
			require.Equal(t, 1, n)
			require.Equal(t, 1, ways[[2]int32{e[1], e[0]}], "closed")
		}
		for _, p := range h.Body.Points {
			require.LessOrEqual(t, c.Beyond(p), 1e-7*size, "convex")
		}
		require.Greater(t, h.Body.Volume(), 0.0, "outward")
	}
	return list
}

func TestWellKnownShapes(t *testing.T) {
	for _, x := range trials() {
		t.Run(x.name, func(t *testing.T) {
			if testing.Short() && (x.ratio > 1.2 && x.name != "bowl, wall 0.15") {
				t.Skip("one of round things will do")
			}
			s := shape.Scene(x.name, nil, x.mesh...)
			is := extents.Of(t.Context(), s)
			require.True(t, is.Closed)
			began := time.Now()
			r := Of(t.Context(), s, Options{Hulls: 16, Points: 64})
			ms := time.Since(began).Milliseconds()
			hulls := checked(t, r)
			volume, points := 0.0, 0
			for _, h := range hulls {
				volume += h.Volume()
				points = max(points, len(h.Points))
			}
			size := is.Box.Size().Len()
			out := sticks(s, hulls)
			fmt.Printf("%-16s %2d hulls of %3d pieces, %2d points at most, volume %.3f, out %.4f of the size, %d ms\n",
				x.name, len(hulls), r.Pieces, points, volume/is.Volume, out/size, ms)
			assert.LessOrEqual(t, len(hulls), 16)
			assert.LessOrEqual(t, points, 64)
			assert.LessOrEqual(t, volume/is.Volume, x.ratio)
			assert.LessOrEqual(t, out/size, 0.02)
			for _, b := range x.free {
				for _, h := range hulls {
					assert.GreaterOrEqual(t, h.Distance(b.Centre), 0.99*b.Radius)
				}
			}
		})
	}
}

// What must stay open does, with as many hulls as it takes and no more than there may be.
func TestPassagesStayOpen(t *testing.T) {
	for _, x := range []struct {
		name   string
		mesh   []*scene.Mesh
		radius float64
		hulls  int
	}{
		{"table", []*scene.Mesh{shapetest.Table()}, 0.25, 16},
		{"table", []*scene.Mesh{shapetest.Table()}, 0.25, 5}, // no fewer leave all sides open
		{"hut, flat roof", []*scene.Mesh{shapetest.Hut()}, 0.45, 16},
		{"hut of few", []*scene.Mesh{shapetest.Hut()}, 0.45, 8},
		{"hut, gabled", shapetest.Gabled(), 0.45, 16},
		{"arch", []*scene.Mesh{shapetest.Arch(24)}, 0.9, 16},
		{"ring of few", []*scene.Mesh{shapetest.Torus(1, 0.25, 64, 24)}, 0.5, 6},
		{"bowl, wall 0.10", []*scene.Mesh{shapetest.Bowl(0.1, 16, 48)}, 0.6, 16},
	} {
		t.Run(x.name, func(t *testing.T) {
			if testing.Short() && len(x.mesh[0].Points) > 500 {
				t.Skip("round things take their time")
			}
			s := shape.Scene(x.name, nil, x.mesh...)
			is := extents.Of(t.Context(), s)
			g, err := passage.New(t.Context(), s, passage.Body{Radius: x.radius})
			require.NoError(t, err)
			require.NotEmpty(t, g.Found)
			began := time.Now()
			r := Of(t.Context(), s, Options{Hulls: x.hulls, Points: 64, Open: g.Balls(200)})
			ms := time.Since(began).Milliseconds()
			hulls := checked(t, r)
			volume := 0.0
			for _, h := range hulls {
				volume += h.Volume()
			}
			var shapes []passage.Shape
			for _, h := range hulls {
				shapes = append(shapes, h)
			}
			open := g.Open(shapes, passage.Slack)
			fmt.Printf("%-16s %2d hulls of %3d pieces, volume %.3f, out %.4f of the size, %v open of %d, %d ms\n",
				x.name, len(hulls), r.Pieces, volume/is.Volume, sticks(s, hulls)/is.Box.Size().Len(), open, len(g.Found), ms)
			assert.NotContains(t, open, false)
			assert.Empty(t, r.Blocked)
			assert.LessOrEqual(t, len(hulls), x.hulls)
		})
	}
}

// A mirrored mesh has mirrored hulls, and equal parts have equal ones.
func TestMirroredAndRepeated(t *testing.T) {
	of := func(meshes ...*scene.Mesh) Result {
		return Of(t.Context(), shape.Scene("x", nil, meshes...), Options{Hulls: 16, Points: 64})
	}
	list := []*scene.Mesh{shapetest.Chair(), shapetest.Beam(), shapetest.Stair(5), shapetest.Boulder(12)}
	if testing.Short() {
		list = list[:1]
	}
	for _, m := range list {
		for axis := range 3 {
			mirror := geom.Identity3
			mirror[axis][axis] = -1
			a, b := of(m), of(m.Mapped(geom.Linear(mirror)))
			require.Len(t, b.Hulls, len(a.Hulls), "%s across %d", m.Name, axis)
			for i, h := range a.Hulls {
				want := make([]geom.Vec3, len(h.Body.Points))
				for k, p := range h.Body.Points {
					want[k] = mirror.Apply(p)
				}
				assert.True(t, slices.ContainsFunc(b.Hulls, func(o Hull) bool {
					return len(o.Body.Points) == len(want) && twin.Coincide(t.Context(), want, o.Body.Points, 1e-7)
				}), "%s across %d, hull %d", m.Name, axis, i)
			}
		}
	}
	table := shapetest.Table()
	two := of(table, table.Mapped(geom.Translation(geom.Vec3{3, 0, 1})))
	require.Len(t, two.Hulls, 10)
	for i := 0; i < 10; i += 2 {
		assert.InDelta(t, two.Hulls[i].Body.Volume(), two.Hulls[i+1].Body.Volume(), 1e-9)
	}
}

// What bounds nothing gets the best there is: flat, open, inside out, through itself, a single triangle.
func TestImperfectMeshes(t *testing.T) {
	tri := &scene.Mesh{Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, Corners: []int32{0, 1, 2},
		FaceStart: []int32{0, 3},
		Slots:     []int{-1}}
	open := new(shape.Builder).Grid(8, 8, func(u, v float64) geom.Vec3 {
		return geom.Vec3{u, 0.3 * math.Sin(3*u) * math.Cos(2*v), v}
	}).Mesh("open")
	inside := shapetest.Hut()
	for f := range inside.Faces() {
		c := inside.Corners[inside.FaceStart[f]:inside.FaceStart[f+1]]
		c[1], c[3] = c[3], c[1]
	}
	crossed := scene.Joined("crossed",
		[]*scene.Mesh{shapetest.Table(), shapetest.Table().Mapped(geom.Translation(geom.Vec3{0.3, 0.2, 0.1}))})
	for name, m := range map[string]*scene.Mesh{"triangle": tri, "open": open, "inside out": inside, "crossed": crossed} {
		s := shape.Scene(name, nil, m)
		r := Of(t.Context(), s, Options{Hulls: 16, Points: 64})
		require.NotEmpty(t, r.Hulls, name)
		var list []*fit.Convex
		for _, h := range r.Hulls {
			list = append(list, fit.NewConvex(h.Body))
		}
		assert.LessOrEqual(t, sticks(s, list), 0.02*s.Bounds().Size().Len(), name)
	}
	assert.Empty(t, Of(t.Context(), shape.Scene("nothing", nil), Options{}).Hulls)
}

// A thin sheet that four posts bear stays, though its corners lie on the posts.
func TestAThinSheetStays(t *testing.T) {
	b := new(shape.Builder)
	for _, x := range []float64{0, 2.8} {
		for _, z := range []float64{0, 1.8} {
			b.Box(geom.Vec3{x, 0, z}, geom.Vec3{x + 0.2, 2, z + 0.2})
		}
	}
	b.Box(geom.Vec3{0, 2, 0}, geom.Vec3{3, 2.0008, 2})
	s := shape.Scene("shelter", nil, b.Mesh("shelter"))
	r := Of(t.Context(), s, Options{Hulls: 16, Points: 64})
	require.Len(t, r.Hulls, 5)
	assert.LessOrEqual(t, sticks(s, checked(t, r)), 1e-9)
}

// It ends when it is told to.
func TestItEnds(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Millisecond)
	defer cancel()
	assert.Empty(t, Of(ctx, shape.Scene("bowl", nil, shapetest.Bowl(0.1, 100, 250)), Options{Hulls: 16, Points: 64}).Hulls)
}

// Shapes of a hundred thousand triangles.
func BenchmarkHundredThousand(b *testing.B) {
	for _, x := range []struct {
		name string
		mesh *scene.Mesh
	}{
		{"ring", shapetest.Torus(1, 0.25, 500, 100)},
		{"bowl", shapetest.Bowl(0.1, 100, 250)},
		{"boulder", shapetest.Boulder(159)},
	} {
		b.Run(x.name, func(b *testing.B) {
			s := shape.Scene(x.name, nil, x.mesh)
			for b.Loop() {
				r := Of(b.Context(), s, Options{Hulls: 16, Points: 64})
				b.ReportMetric(float64(x.mesh.Triangles()), "triangles")
				b.ReportMetric(float64(len(r.Hulls)), "hulls")
			}
		})
	}
}
