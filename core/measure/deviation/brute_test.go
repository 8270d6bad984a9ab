package deviation

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// boulder is a bumpy ball of so many rings, and the same with its places moved inward by what only their numbers tell.
func boulder(rings int, by float64) *scene.Scene {
	m := new(shape.Builder).Grid(2*rings, rings, func(u, v float64) geom.Vec3 {
		s, c := math.Sincos(2 * math.Pi * u)
		t, k := math.Sincos(math.Pi * (v - 0.5))
		r := 1 + 0.1*math.Sin(7*c*k)*math.Cos(5*t) - by*math.Abs(math.Sin(40*u+23*v))
		return geom.Vec3{r * k * c, r * t, -r * k * s}
	}).Mesh("boulder")
	return shape.Scene("boulder", nil, m.Triangulated())
}

// off is the distance of a place from a triangle: from its plane where it stands over it, else from its sides (Ericson
// 2005, "Real-time collision detection", is how the tree does it; this is the plain definition).
func off(p geom.Vec3, t [3]geom.Vec3) float64 {
	n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Unit()
	over := n != geom.Vec3{}
	least := math.Inf(1)
	for k := range 3 {
		a, b := t[k], t[(k+1)%3]
		e := b.Sub(a)
		over = over && e.Cross(p.Sub(a)).Dot(n) >= 0
		s := 0.0
		if l := e.Dot(e); l > 0 {
			s = min(1, max(0, p.Sub(a).Dot(e)/l))
		}
		least = min(least, p.Dist(a.Add(e.Mul(s))))
	}
	if over {
		return math.Abs(p.Sub(t[0]).Dot(n))
	}
	return least
}

// brute is the largest and the root mean square distance from one surface to another: each triangle laid out in n² of
// equal area, the middle of each held against every triangle.
func brute(a, b *scene.Scene, n int) (most, rms float64) {
	list := func(s *scene.Scene) (out [][3]geom.Vec3) {
		m := s.Flattened().Meshes[0]
		m.EachTriangle(func(_ int, i, j, k int32) {
			out = append(out, [3]geom.Vec3{m.Points[m.Corners[i]], m.Points[m.Corners[j]], m.Points[m.Corners[k]]})
		})
		return out
	}
	from, to := list(a), list(b)
	sum, area := 0.0, 0.0
	for _, t := range from {
		u, v := t[1].Sub(t[0]), t[2].Sub(t[0])
		each := u.Cross(v).Len() / 2 / float64(n*n)
		at := func(x, y float64) {
			p := t[0].Add(u.Mul(x / float64(n))).Add(v.Mul(y / float64(n)))
			d := math.Inf(1)
			for _, o := range to {
				d = min(d, off(p, o))
			}
			most = max(most, d)
			sum += d * d * each
			area += each
		}
		for i := range n {
			for j := range n - i {
				at(float64(i)+1./3, float64(j)+1./3)
				if i+j < n-1 {
					at(float64(i)+2./3, float64(j)+2./3)
				}
			}
		}
	}
	return most, math.Sqrt(sum / area)
}

// What is told of two surfaces, both ways, is what holding each place against every triangle gives.
func TestDistancesAgainstEveryTriangle(t *testing.T) {
	fine, coarse, moved := boulder(8, 0), boulder(5, 0), boulder(8, 0.05)
	for name, c := range map[string][2]*scene.Scene{"coarser": {fine, coarse}, "moved": {fine, moved},
		"itself": {fine, fine}} {
		got := Of(t.Context(), c[0], c[1], 20_000)
		for _, way := range []struct {
			is   Figures
			a, b *scene.Scene
		}{{got.There, c[0], c[1]}, {got.Back, c[1], c[0]}} {
			most, rms := brute(way.a, way.b, 5)
			t.Logf("%s: largest %.5f, by brute force %.5f; r.m.s. %.5f, %.5f", name, way.is.Max, most, way.is.RMS, rms)
			assert.InDelta(t, rms, way.is.RMS, 0.02*rms+1e-9, name)
			assert.GreaterOrEqual(t, way.is.Max, most*0.98-1e-9, name)
		}
	}
}
