package deviation

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var ctx = context.Background()

func one(m *scene.Mesh) *scene.Scene { return shape.Scene(m.Name, nil, m) }

// Sheets and balls apart by a known distance are told to be, both ways.
func TestDistancesOfKnownSurfaces(t *testing.T) {
	sheet := func(y, wide float64) *scene.Mesh {
		return (&shape.Builder{}).Grid(7, 9, func(u, v float64) geom.Vec3 { return geom.Vec3{wide * u, y, v} }).Mesh("sheet")
	}
	is := Of(ctx, one(sheet(0, 1)), one(sheet(0.25, 1)), 2000)
	for _, f := range []Figures{is.There, is.Back} {
		assert.InDelta(t, 0.25, f.Max, 1e-12)
		assert.InDelta(t, 0.25, f.Mean, 1e-12)
		assert.InDelta(t, 0.25, f.RMS, 1e-12)
	}
	// One twice as wide is a metre off at its edge, half a metre on the mean of that half, one way only.
	is = Of(ctx, one(sheet(0, 2)), one(sheet(0, 1)), 4000)
	assert.InDelta(t, 1, is.There.Max, 1e-9)
	assert.InDelta(t, 0.25, is.There.Mean, 1e-3)
	assert.InDelta(t, math.Sqrt(1./6), is.There.RMS, 1e-3)
	assert.InDelta(t, 0, is.Back.Max, 1e-12)
	// A tent of known height over a square: the farthest place is its top, where no corner of the other is.
	tent := &scene.Mesh{Name: "tent", Slots: []int{-1}, Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 0, 1}, {0, 0, 1},
		{0.37, 0.2, 0.61}},
		Corners: []int32{0, 4, 1, 1, 4, 2, 2, 4, 3, 3, 4, 0}, FaceStart: []int32{0, 3, 6, 9, 12}}
	floor := &scene.Mesh{Name: "floor", Slots: []int{-1}, Points: tent.Points[:4], Corners: []int32{0, 2, 1, 0, 3, 2},
		FaceStart: []int32{0, 3, 6}}
	is = Of(ctx, one(floor), one(tent), 400)
	assert.InDelta(t, 0.2, is.Back.Max, 1e-12)
	assert.LessOrEqual(t, is.There.Max, 0.2)
	assert.InDelta(t, is.Worst().Max, NewSurface(ctx, one(floor)).Farthest(ctx, NewSurface(ctx, one(tent)), 400), 1e-9)
}

// beside is how far a point is from a triangle, by trying its plane, its sides and its corners.
func beside(p, a, b, c geom.Vec3) float64 {
	best := min(p.Dist(a), p.Dist(b), p.Dist(c))
	for _, e := range [3][2]geom.Vec3{{a, b}, {b, c}, {c, a}} {
		d := e[1].Sub(e[0])
		if k := p.Sub(e[0]).Dot(d) / d.Dot(d); k > 0 && k < 1 {
			best = min(best, p.Dist(e[0].Add(d.Mul(k))))
		}
	}
	n := b.Sub(a).Cross(c.Sub(a)).Unit()
	q := p.Sub(n.Mul(p.Sub(a).Dot(n)))
	in := true
	for _, e := range [3][2]geom.Vec3{{a, b}, {b, c}, {c, a}} {
		in = in && e[1].Sub(e[0]).Cross(q.Sub(e[0])).Dot(n) >= 0
	}
	if in {
		best = min(best, math.Abs(p.Sub(a).Dot(n)))
	}
	return best
}

// What is told of two bumpy bodies is no less than what points at random find by trying all
// triangles, but for two hundredths; and the means are theirs.
func TestNoPointIsFartherThanIsTold(t *testing.T) {
	a, b := shapetest.Boulder(9), shapetest.Boulder(5)
	for i := range b.Points {
		b.Points[i] = b.Points[i].Add(geom.Vec3{0.03, -0.01, 0.02})
	}
	told := Of(ctx, one(a), one(b), 20_000)
	r := rand.New(rand.NewPCG(5, 6))
	for _, way := range []struct {
		from, to *scene.Mesh
		is       Figures
	}{{a, b, told.There}, {b, a, told.Back}} {
		var tris [][3]geom.Vec3
		way.to.EachTriangle(func(_ int, x, y, z int32) {
			tris = append(tris, [3]geom.Vec3{way.to.Points[way.to.Corners[x]], way.to.Points[way.to.Corners[y]],
				way.to.Points[way.to.Corners[z]]})
		})
		most, sum, weight := 0.0, 0.0, 0.0
		way.from.EachTriangle(func(_ int, x, y, z int32) {
			p, q, s := way.from.Points[way.from.Corners[x]], way.from.Points[way.from.Corners[y]],
				way.from.Points[way.from.Corners[z]]
			area := q.Sub(p).Cross(s.Sub(p)).Len()
			for range 60 {
				u, v := r.Float64(), r.Float64()
				if u+v > 1 {
					u, v = 1-u, 1-v
				}
				at := p.Add(q.Sub(p).Mul(u)).Add(s.Sub(p).Mul(v))
				near := math.Inf(1)
				for _, tri := range tris {
					near = min(near, beside(at, tri[0], tri[1], tri[2]))
				}
				most, sum, weight = max(most, near), sum+near*area, weight+area
			}
		})
		assert.LessOrEqual(t, most, way.is.Max*1.02)
		assert.InDelta(t, sum/weight, way.is.Mean, 0.02*way.is.Mean)
	}
}

// A deviation is a length: of surfaces k times as large it is k times as long, in all its figures.
func TestDeviationsAreLengths(t *testing.T) {
	b := Between{Figures{3, 1, 2}, Figures{6, 4, 5}, 100}
	assert.Equal(t, Between{Figures{30, 10, 20}, Figures{60, 40, 50}, 100}, b.Times(10))
}
