package scene_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// outlines are simple polygons, anticlockwise, of about n corners.
var outlines = map[string]func(n int) [][2]float64{
	"circle": func(n int) (p [][2]float64) {
		for i := range n {
			s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
			p = append(p, [2]float64{c, s})
		}
		return p
	},
	"shore": func(n int) (p [][2]float64) { // noise round a circle, dents everywhere
		r := rand.New(rand.NewPCG(1, uint64(n)))
		for i := range n {
			s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
			k := 1 + .3*r.Float64()
			p = append(p, [2]float64{k * c, k * s})
		}
		return p
	},
	"comb": func(n int) (p [][2]float64) {
		teeth := n / 4
		p = append(p, [2]float64{0, -1}, [2]float64{float64(2 * teeth), -1})
		for i := teeth - 1; i >= 0; i-- {
			x := float64(2 * i)
			p = append(p, [2]float64{x + 2, 0}, [2]float64{x + 1.5, 9}, [2]float64{x + 1, 9}, [2]float64{x + .5, 0})
		}
		return p
	},
	"coil": func(n int) (p [][2]float64) {
		half := n / 2
		at := func(i int, wide float64) [2]float64 {
			a := 8 * math.Pi * float64(i) / float64(half)
			s, c := math.Sincos(a)
			return [2]float64{(3 + a + wide) * c, (3 + a + wide) * s}
		}
		for i := range half {
			p = append(p, at(i, 1))
		}
		for i := half - 1; i >= 0; i-- {
			p = append(p, at(i, 0))
		}
		return p
	},
}

func polygon(p [][2]float64) *scene.Mesh {
	m := &scene.Mesh{Name: "polygon", FaceStart: []int32{0, int32(len(p))}}
	for i, q := range p {
		m.Points = append(m.Points, geom.Vec3{q[0], q[1], 0})
		m.Corners = append(m.Corners, int32(i))
	}
	return m
}

func turn(a, b, c [2]float64) float64 { return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0]) }

// A polygon of n corners makes n−2 triangles, none turned over, whose areas are its own
// in sum: they cover it once. Each cut lies inside, as brute force over all its sides
// finds for small ones.
func TestLargePolygonsAreCutWhole(t *testing.T) {
	for name, outline := range outlines {
		for _, n := range []int{5, 8, 47, 48, 49, 200, 2000, 30_000} {
			if name == "coil" && n < 47 {
				continue // too few corners to coil
			}
			p := outline(n)
			where := fmt.Sprint(name, " of ", len(p))
			want, sum, count := 0.0, 0.0, 0
			for i, a := range p {
				b := p[(i+1)%len(p)]
				want += (a[0]*b[1] - a[1]*b[0]) / 2
			}
			require.Positive(t, want, where)
			var cuts [][2]int32
			polygon(p).EachTriangle(func(_ int, a, b, c int32) {
				area := turn(p[a], p[b], p[c]) / 2
				require.GreaterOrEqual(t, area, -1e-12, where)
				sum += area
				count++
				cuts = append(cuts, [2]int32{a, b}, [2]int32{b, c}, [2]int32{c, a})
			})
			require.Equal(t, len(p)-2, count, where)
			require.InDelta(t, want, sum, 1e-9*want, where)
			if n > 200 {
				continue
			}
			for _, k := range cuts {
				a, b := p[k[0]], p[k[1]]
				for i := range p {
					c, d := p[i], p[(i+1)%len(p)]
					crosses := turn(a, b, c)*turn(a, b, d) < -1e-12 && turn(c, d, a)*turn(c, d, b) < -1e-12
					require.False(t, crosses, "%s: the cut %v crosses side %d", where, k, i)
				}
			}
		}
	}
}

// What crosses itself, or lies on a line or a point, is cut all the same.
func TestPolygonsThatAreNoneAreCutAllTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for k := range 200 {
		n := 5 + r.IntN(90)
		p := make([][2]float64, n)
		for i := range p {
			switch k % 4 {
			case 0:
				p[i] = [2]float64{r.Float64(), r.Float64()}
			case 1:
				p[i] = [2]float64{float64(r.IntN(3)), float64(r.IntN(3))}
			case 2:
				p[i] = [2]float64{float64(r.IntN(5)), 0}
			}
		}
		count := 0
		polygon(p).EachTriangle(func(_ int, a, b, c int32) {
			require.True(t, a != b && b != c && c != a)
			count++
		})
		require.Equal(t, n-2, count)
	}
}

// BenchmarkPolygons cuts one polygon of many corners.
func BenchmarkPolygons(b *testing.B) {
	for _, name := range []string{"circle", "shore", "comb", "coil"} {
		for _, n := range []int{10_000, 100_000, 1_000_000} {
			b.Run(fmt.Sprint(name, "/", n), func(b *testing.B) {
				m := polygon(outlines[name](n))
				for b.Loop() {
					start := time.Now()
					m.EachTriangle(func(_ int, _, _, _ int32) {})
					b.ReportMetric(time.Since(start).Seconds(), "s")
				}
			})
		}
	}
}
