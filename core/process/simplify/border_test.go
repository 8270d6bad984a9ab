package simplify

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/topo"
)

// tile is 10 m of ground, whose sides stand in planes and whose heights are those of a field that goes on beyond.
func tile(n int, at geom.Vec3, rough float64) *scene.Mesh {
	height := func(x, z float64) float64 {
		return rough * (math.Sin(1.3*x)*math.Cos(0.9*z) + 0.3*math.Sin(7*x+2*z))
	}
	return (&shape.Builder{}).Grid(n, n, func(u, v float64) geom.Vec3 {
		x, z := 10*u+at[0], -10*v+at[2]
		return geom.Vec3{x, height(x, z) + at[1], z}
	}).Mesh("tile")
}

// openEdges are the ends of the edges that one triangle has.
func openEdges(m *scene.Mesh) (list [][2]geom.Vec3) {
	same := topo.Places(ctx, m.Points, 0)
	net := topo.Of(ctx, m, same, func(int) bool { return true })
	for e := range net.Edges() {
		if runs := net.Runs(e); len(runs) == 1 {
			list = append(list, [2]geom.Vec3{m.Points[m.Corners[runs[0]]], m.Points[m.Corners[topo.After(runs[0])]]})
		}
	}
	return list
}

// Tiles meet where their borders are, however few triangles are left.
func TestBordersOnALineOrInAPlaneKeepToIt(t *testing.T) {
	for name, rough := range map[string]float64{"flat": 0, "hilly": 0.4} {
		for _, share := range []float64{0.5, 0.1, 0.02} {
			at := geom.Vec3{30, 2, -70}
			m := tile(40, at, rough)
			r := Of(ctx, m, Options{Triangles: int(share * float64(m.Triangles())), Detail: 1})
			require.Less(t, r.Out, m.Triangles(), name)
			if share >= 0.1 {
				assert.LessOrEqual(t, r.Out, int(share*float64(m.Triangles())), name)
			}
			box := geom.EmptyBox()
			long := 0.0
			for _, e := range openEdges(r.Mesh) {
				for _, p := range e {
					box = box.Add(p)
					off := min(math.Abs(p[0]-at[0]), math.Abs(p[0]-at[0]-10), math.Abs(p[2]-at[2]), math.Abs(p[2]-at[2]+10))
					assert.Less(t, off, 1e-12, "%s at %g: %v", name, share, p)
				}
				long += e[0].Dist(e[1])
			}
			assert.InDelta(t, 10, box.Size()[0], 1e-12)
			assert.InDelta(t, 10, box.Size()[2], 1e-12)
			if rough == 0 {
				assert.InDelta(t, 40, long, 1e-9, "the corners are there")
			}
		}
	}
}

// A border that is curved amid a plane stays in it, and one that is nothing of both still goes down.
func TestCurvedBorders(t *testing.T) {
	disc := (&shape.Builder{}).Grid(96, 12, func(u, v float64) geom.Vec3 {
		sin, cos := math.Sincos(2 * math.Pi * u)
		r := 1 + 2*v
		return geom.Vec3{r * cos, 0.3 * math.Sin(math.Pi*v), r * sin} // both rims at height 0
	}).Mesh("ring")
	r := Of(ctx, disc, Options{Triangles: disc.Triangles() / 20, Detail: 1})
	require.LessOrEqual(t, r.Out, disc.Triangles()/20)
	for _, e := range openEdges(r.Mesh) {
		if math.Hypot(e[0][0], e[0][2]) > 2.9 && math.Hypot(e[1][0], e[1][2]) > 2.9 {
			assert.Less(t, math.Abs(e[0][1]), 1e-12)
		}
	}
	wave := (&shape.Builder{}).Grid(64, 8, func(u, v float64) geom.Vec3 {
		sin, cos := math.Sincos(5 * u)
		return geom.Vec3{cos, u + 0.2*math.Sin(20*u), sin + v}
	}).Mesh("wave")
	r = Of(ctx, wave, Options{Triangles: wave.Triangles() / 8, Detail: 1})
	assert.LessOrEqual(t, r.Out, wave.Triangles()/8)
}

// Held, every point of an open border is where it was.
func TestBordersAreHeld(t *testing.T) {
	m := tile(24, geom.Vec3{}, 0.5)
	was := map[geom.Vec3]bool{}
	for _, e := range openEdges(m) {
		was[e[0]] = true
	}
	r := Of(ctx, m, Options{Triangles: m.Triangles() / 4, Detail: 1, Borders: true})
	require.Less(t, r.Out, m.Triangles()/2)
	now := openEdges(r.Mesh)
	assert.Len(t, now, len(was))
	for _, e := range now {
		near := false
		for p := range was {
			near = near || p.Near(e[0], 1e-12)
		}
		assert.True(t, near, "%v", e[0])
	}
}

// What corners carry stays within what was there: colours of 0 to 1, coordinates within their chart.
func TestWhatIsCarriedStaysWithinBounds(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	for range 6 {
		m := tile(40, geom.Vec3{}, rnd.Float64())
		m.Colors = scene.Layer[[4]float32]{Index: m.Corners}
		for range m.Points { // as noisy as colours can be
			m.Colors.Values = append(m.Colors.Values, [4]float32{float32(rnd.IntN(2)), rnd.Float32(), float32(rnd.IntN(2)), 1})
		}
		for _, share := range []int{2, 10, 40} {
			r := Of(ctx, m, Options{Triangles: m.Triangles() / share, Detail: 1})
			for _, c := range r.Mesh.Colors.Values {
				for _, v := range c {
					require.True(t, v >= 0 && v <= 1, "%v", c)
				}
			}
			for _, uv := range r.Mesh.UVs[0].Values {
				require.True(t, min(uv[0], uv[1]) >= 0 && max(uv[0], uv[1]) <= 1, "%v", uv)
			}
			for _, n := range r.Mesh.Normals.Values {
				require.InDelta(t, 1, geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])}.Len(), 1e-6)
			}
		}
	}
}
