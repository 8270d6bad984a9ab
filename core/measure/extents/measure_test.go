package extents

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func TestFiguresByHand(t *testing.T) {
	box := new(shape.Builder).Box(geom.Vec3{1, 0, 0}, geom.Vec3{3, 3, 4}).Mesh("box")
	l := new(shape.Builder).Prism([][2]float64{{0, 0}, {2, 0}, {2, 1}, {1, 1}, {1, 3}, {0, 3}}, 0, 2).Mesh("L")
	open := new(shape.Builder).Grid(4, 4, func(u, v float64) geom.Vec3 { return geom.Vec3{2 * u, 0, 3 * v} }).Mesh("sheet")
	for _, c := range []struct {
		name         string
		m            *scene.Mesh
		area, volume float64
		closed       bool
		centre       geom.Vec3
	}{
		{"box", box, 2 * (6 + 8 + 12), 24, true, geom.Vec3{2, 1.5, 2}},
		{"L", l, 2*4 + 10*2, 8, true, geom.Vec3{(1*.5*3 + 1*1.5) / 4, (1.5*3 + .5*1) / 4, 1}},
		{"sheet", open, 6, 0, false, geom.Vec3{1, 0, 1.5}},
	} {
		for place, w := range map[string]geom.Affine{
			"here":     geom.Identity,
			"far":      {M: geom.Rotation(geom.Vec3{1, 2, 0}, .6), T: geom.Vec3{40000, 0, -9000}},
			"mirrored": {M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{1, 1, 1}},
			"doubled":  geom.Linear(geom.Identity3.Scaled(2)),
		} {
			s := shape.Scene(c.name, nil, c.m)
			s.Nodes[0].Local = w
			f := Of(context.Background(), s)
			k := math.Cbrt(math.Abs(w.M.Det()))
			assert.InDelta(t, c.area*k*k, f.Area, 1e-6, "%s %s", c.name, place)
			assert.Equal(t, c.closed, f.Closed, "%s %s", c.name, place)
			if c.closed {
				assert.InDelta(t, c.volume*k*k*k, f.Volume, 1e-6, "%s %s: outside stays outside", c.name, place)
			}
			assert.True(t, f.Centre.Near(w.Apply(c.centre), 1e-6), "%s %s: %v", c.name, place, f.Centre)
			assert.Equal(t, s.Bounds(), f.Box)
		}
	}
	// Closed as a whole, with a face the wrong way round, is not closed.
	turned := *box
	turned.Corners = append([]int32(nil), box.Corners...)
	turned.Corners[0], turned.Corners[2] = turned.Corners[2], turned.Corners[0]
	assert.False(t, Of(context.Background(), shape.Scene("x", nil, &turned)).Closed)
	assert.Equal(t, geom.Vec3{}, Of(context.Background(), &scene.Scene{}).Centre)
}

func TestContactWithTheGround(t *testing.T) {
	// A table: a top on two legs, 10 cm wide, a metre apart.
	table := new(shape.Builder).
		Box(geom.Vec3{0, 0, 0}, geom.Vec3{.1, 1, .6}).
		Box(geom.Vec3{1.1, 0, 0}, geom.Vec3{1.2, 1, .6}).
		Box(geom.Vec3{-.2, 1, -.2}, geom.Vec3{1.4, 1.1, .8}).Mesh("table")
	pts := Points(shape.Scene("table", nil, table))
	up := geom.Vec3{0, 1, 0}
	g := GroundOf(pts, up)
	assert.InDelta(t, 1.2*.6, g.Contact.Area(), 1e-9)
	assert.InDelta(t, 1.6, g.Outline.Area(), 1e-9)
	assert.True(t, g.Place(g.Contact.Centre(), up).Near(geom.Vec3{.6, 0, .3}, 1e-9))
	assert.InDelta(t, .3, g.Contact.Inside(g.Flat(geom.Vec3{.6, .5, .3})), 1e-9)
}

func TestThinningLosesNoCorner(t *testing.T) {
	s := shape.Scene("x", nil, shapetest.Boulder(170))
	s.Nodes[0].Local = geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}, 1), T: geom.Vec3{500, -3, 80}}
	all := geom.HullOf(context.Background(), Points(s))
	few := outer(context.Background(), s)
	assert.Less(t, len(few), len(s.Meshes[0].Points))
	thin := geom.HullOf(context.Background(), few)
	for _, p := range all.Points {
		for _, f := range thin.Faces {
			a := thin.Points[f[0]]
			n := thin.Points[f[1]].Sub(a).Cross(thin.Points[f[2]].Sub(a)).Unit()
			if d := p.Sub(a).Dot(n); d > 3e-6 {
				t.Fatalf("a corner is outside by %g", d)
			}
		}
	}
	// A plane sheet has nothing within.
	flat := shape.Scene("x", nil, new(shape.Builder).Grid(300, 300,
		func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, v} }).Mesh("sheet"))
	assert.Len(t, outer(context.Background(), flat), 301*301)
}

func best(n int, f func()) time.Duration {
	b := time.Hour
	for range n {
		t := time.Now()
		f()
		b = min(b, time.Since(t))
	}
	return b
}

func BenchmarkMillion(b *testing.B) {
	m := shapetest.Boulder(500)
	s := shape.Scene("boulder", nil, m)
	b.Logf("%d triangles, %d points", m.Triangles(), len(m.Points))
	var keep geom.Box
	// Points split along every seam, as most formats have them: a point a corner.
	apart := *m
	apart.Points, apart.Corners = nil, nil
	for i, p := range m.Corners {
		apart.Points = append(apart.Points, m.Points[p])
		apart.Corners = append(apart.Corners, int32(i))
	}
	for name, m := range map[string]*scene.Mesh{"shared points": m, "a point a corner": &apart} {
		s := shape.Scene("boulder", nil, m)
		plain := best(5, func() {
			keep = geom.EmptyBox()
			for _, p := range m.Points {
				keep = keep.Add(p)
			}
		})
		sized := best(5, func() { keep, _, _ = Sized(s) })
		all := best(5, func() { Of(context.Background(), s) })
		b.Logf("%s: plain pass over %d points %v; extents, area and volume %v, %.1f times; with closedness and middle %v",
			name,
			len(m.Points), plain, sized, float64(sized)/float64(plain), all)
		b.ReportMetric(float64(sized)/float64(plain), "times-plain-"+name[:1])
	}
	pts := Points(s)
	var h *geom.Hull
	hull := best(3, func() { h = geom.HullOf(context.Background(), outer(context.Background(), s)) })
	b.Logf("convex hull of %d points: %v, %d corners", len(pts), hull, len(h.Points))
	b.ReportMetric(hull.Seconds(), "hull-s")
	tight := best(3, func() { h.TightBox(context.Background()) })
	b.Logf("tight box: %v", tight)
	tree := best(3, func() { geom.NewBVH(context.Background(), m.Points, m.Corners) })
	b.Logf("BVH of %d triangles: %v", m.Triangles(), tree)
	b.ReportMetric(tree.Seconds(), "bvh-s")
	for b.Loop() {
		Sized(s)
	}
}

// A body of another size has its lengths as many times as long, its areas by the square and its volume by the cube.
func TestABodyIsScaled(t *testing.T) {
	s := shape.Scene("box", nil, new(shape.Builder).Box(geom.Vec3{1, 2, 3}, geom.Vec3{2, 4, 6}).Mesh("box"))
	got := BodyOf(context.Background(), s).Scaled(10)
	assert.InDelta(t, 100*(2*2+2*3+2*6), got.Area, 1e-9)
	assert.InDelta(t, 6000, got.Volume, 1e-6)
	assert.InDelta(t, 0, got.Centre.Dist(geom.Vec3{15, 30, 45}), 1e-9)
	assert.Equal(t, geom.Box{Min: geom.Vec3{10, 20, 30}, Max: geom.Vec3{20, 40, 60}}, got.Box)
}

// What touches the ground is a slab whose height depends on what stands there.
func TestTheSlabThatTouches(t *testing.T) {
	for height, want := range map[float64]float64{10: 0.05, 1: 0.005, 0.1: 0.001, 0.01: 0.0002, 0: 0} {
		assert.InDelta(t, want, Slab(height), 1e-12, "%g", height)
	}
}
