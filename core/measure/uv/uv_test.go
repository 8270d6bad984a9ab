package uv

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/shape"
)

// quad is an axis-aligned rectangle as two triangles, mirrored or not.
func quad(x0, y0, x1, y1 float64, mirrored bool) []Triangle {
	a, b, c, d := [2]float64{x0, y0}, [2]float64{x1, y0}, [2]float64{x1, y1}, [2]float64{x0, y1}
	if mirrored {
		return []Triangle{{a, c, b}, {a, d, c}}
	}
	return []Triangle{{a, b, c}, {a, c, d}}
}

func TestCoversAreThoseWorkedOutByHand(t *testing.T) {
	for _, c := range []struct {
		name string
		list []Triangle
		want Cover
	}{
		{"nothing", nil, Cover{}},
		{"the square", quad(0, 0, 1, 1, false), Cover{Mapped: 1}},
		{"twice", append(quad(0, 0, 1, 1, false), quad(0, 0, 1, 1, false)...), Cover{Mapped: 1, Overlap: 1}},
		{"mirrored halves", append(quad(0, 0, 0.5, 1, false), quad(0, 0, 0.5, 1, true)...),
			Cover{Mapped: 0.5, Overlap: 0.5, Mirrored: 0.5}},
		{"half over", append(quad(0, 0, 1, 1, false), quad(0.5, 0, 1.5, 1, false)...),
			Cover{Mapped: 1.5, Overlap: 0.5, Outside: 0.5}},
		{"side by side", append(quad(0, 0, 0.3, 1, false), quad(0.3, 0, 1, 1, false)...), Cover{Mapped: 1}},
		{"tiled", quad(-1, 0, 3, 0.5, false), Cover{Mapped: 2, Outside: 1.5}},
		{"above", quad(0, 2, 1, 3, true), Cover{Mapped: 1, Outside: 1}},
		{"a thin one over", append(quad(0, 0, 1, 1, false), quad(0.2, 0.123456, 0.7, 0.123457, false)...),
			Cover{Mapped: 1, Overlap: 5e-7}},
		{"without area", []Triangle{{{0, 0}, {1, 1}, {0.5, 0.5}}, {{0, 0}, {0, 0}, {0, 0}}}, Cover{}},
		{"no numbers", []Triangle{{{math.NaN(), 0}, {1, 1}, {0, 1}}}, Cover{}},
		{"two crossing", []Triangle{{{0, 0}, {1, 0}, {0.5, 1}}, {{0, 1}, {0.5, 0}, {1, 1}}},
			Cover{Mapped: 0.5 + 0.5 - 0.25, Overlap: 0.25}}, // a rhombus of half the height and half the base
	} {
		got := CoverOf(context.Background(), c.list)
		for k, v := range [4][2]float64{{c.want.Mapped, got.Mapped}, {c.want.Overlap, got.Overlap},
			{c.want.Mirrored, got.Mirrored},
			{c.want.Outside, got.Outside}} {
			assert.InDelta(t, v[0], v[1], 1e-6, "%s, figure %d", c.name, k)
		}
	}
}

func TestHugeCoordinatesStayFinite(t *testing.T) {
	c := CoverOf(context.Background(), []Triangle{{{1e20, 1e20}, {2e20, 1e20}, {1e20, 3e20}}, {{0, 0}, {1, 0}, {0, 1}}})
	assert.False(t, math.IsNaN(c.Share(c.Outside)) || math.IsInf(c.Mapped, 0))
	assert.InDelta(t, 1, c.Share(c.Outside), 1e-9)
}

// The judge throws points at the plane and counts the triangles each is in.
func TestCoversAgreeWithPointsThrownAtRandom(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20 {
		var list []Triangle
		for range 3 + r.IntN(40) {
			x, y, s := r.Float64()*1.4-0.2, r.Float64()*1.4-0.2, 0.3*r.Float64()
			list = append(list, Triangle{{x, y}, {x + s*(r.Float64()-0.5), y + s*r.Float64()},
				{x + s*r.Float64(), y + s*(r.Float64()-0.5)}})
		}
		got := CoverOf(context.Background(), list)
		const n = 200_000
		var want Cover
		for range n {
			x, y := r.Float64()*2-0.5, r.Float64()*2-0.5
			up, down := 0, 0
			for _, t := range list {
				side := func(a, b [2]float64) bool { return (b[0]-a[0])*(y-a[1])-(b[1]-a[1])*(x-a[0]) > 0 }
				p, q, s := side(t[0], t[1]), side(t[1], t[2]), side(t[2], t[0])
				if p && q && s {
					up++
				} else if !p && !q && !s {
					down++
				}
			}
			if up+down > 0 {
				want.Mapped += 4.0 / n
				if x < 0 || x > 1 || y < 0 || y > 1 {
					want.Outside += 4.0 / n
				}
			}
			if up+down > 1 {
				want.Overlap += 4.0 / n
			}
			if up == 1 && down == 1 {
				want.Mirrored += 4.0 / n
			}
		}
		assert.InDelta(t, want.Mapped, got.Mapped, 0.02)
		assert.InDelta(t, want.Overlap, got.Overlap, 0.015)
		assert.InDelta(t, want.Mirrored, got.Mirrored, 0.015)
		assert.InDelta(t, want.Outside, got.Outside, 0.015)
	}
}

// A board of two metres by one on a unit square has half a length of the plane to a metre one way
// and a whole one the other.
func TestDensitiesOfABoard(t *testing.T) {
	for _, c := range []struct {
		w, h            float64
		mean, stretched float64
		leastMost       float64
	}{{1, 1, 1, 0, 1}, {2, 1, math.Sqrt(0.5), 0, math.Sqrt(0.5)}, {3, 1, math.Sqrt(1.0 / 3), 1, math.Sqrt(1.0 / 3)}} {
		m := (&shape.Builder{}).Grid(7, 5, func(u, v float64) geom.Vec3 { return geom.Vec3{c.w * u, c.h * v, 0} }).Mesh(
			"board")
		d := Densities(m, 0)[-1]
		assert.InDelta(t, c.w*c.h, d.Area, 1e-12)
		assert.InDelta(t, 1, d.UV, 1e-12)
		assert.InDelta(t, c.mean, d.Mean(), 1e-12)
		assert.InDelta(t, c.stretched*c.w*c.h, d.Stretched, 1e-9)
		assert.InDelta(t, c.leastMost, d.Least, 1e-9)
		assert.InDelta(t, c.leastMost, d.Most, 1e-9)
		twice := d.Times(2)
		assert.InDelta(t, c.mean/2, twice.Mean(), 1e-12)
		both := d.Add(twice)
		assert.InDelta(t, twice.Least, both.Least, 1e-12)
		assert.InDelta(t, 5*c.w*c.h, both.Area, 1e-9)
	}
	flat := (&shape.Builder{}).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh("flat")
	for i := range flat.UVs[0].Values {
		flat.UVs[0].Values[i] = [2]float64{0.5, 0.5}
	}
	assert.InDelta(t, 1, Densities(flat, 0)[-1].Flat, 1e-12)
	assert.Nil(t, Densities(flat, 1))
}

func BenchmarkCover(b *testing.B) {
	for _, side := range []int{250, 500, 707} {
		var list []Triangle
		for j := range side {
			for i := range side {
				k := 1 / float64(side)
				list = append(list, quad(float64(i)*k, float64(j)*k, float64(i+1)*k, float64(j+1)*k, false)...)
			}
		}
		b.Run("", func(b *testing.B) {
			for range b.N {
				CoverOf(context.Background(), list)
			}
			b.ReportMetric(float64(len(list)), "triangles")
		})
	}
}

// A fine mesh whose corners are all at heights of their own is swept by lines at even distances: what it covers is
// still what a square covers, and what is mirrored or outside of it is told apart.
func TestManyHeightsAreSweptEvenly(t *testing.T) {
	const n = 110 // more heights than there are lines
	r := rand.New(rand.NewPCG(5, 6))
	var at [n + 1][n + 1][2]float64
	for i := range at {
		for k := range at[i] {
			at[i][k] = [2]float64{float64(i) / n, float64(k) / n}
			if i > 0 && i < n && k > 0 && k < n {
				at[i][k][0] += (r.Float64() - .5) * .5 / n
				at[i][k][1] += (r.Float64() - .5) * .5 / n
			}
		}
	}
	var list []Triangle
	for i := range n {
		for k := range n {
			a, b, c, d := at[i][k], at[i+1][k], at[i+1][k+1], at[i][k+1]
			list = append(list, Triangle{a, b, c}, Triangle{a, c, d})
		}
	}
	got := CoverOf(t.Context(), list)
	assert.InDelta(t, 1, got.Mapped, 1e-3)
	assert.InDelta(t, 0, got.Overlap, 1e-6)
	assert.InDelta(t, 0, got.Outside, 1e-6)
	for i := range list {
		for k := range 3 {
			list[i][k] = [2]float64{list[i][k][0], list[i][k][1]*2 - .5}
		}
	}
	got = CoverOf(t.Context(), list)
	assert.InDelta(t, 2, got.Mapped, 2e-3)
	assert.InDelta(t, 1, got.Outside, 4e-3)
	twice := CoverOf(t.Context(), append(list, list...))
	assert.InDelta(t, 2, twice.Overlap, 4e-3)
}

// Two densities together have the least and the most of both, and one of nothing adds nothing.
func TestDensitiesTogether(t *testing.T) {
	a, b := Density{Area: 2, UV: 8, Least: 2, Most: 3}, Density{Area: .5, UV: 1, Least: .25, Most: 1}
	for _, c := range []struct{ x, y, want Density }{
		{a, b, Density{Area: 2.5, UV: 9, Least: .25, Most: 3}},
		{b, a, Density{Area: 2.5, UV: 9, Least: .25, Most: 3}},
		{a, Density{}, a}, {Density{}, a, a}, {Density{}, Density{}, Density{}},
		{b, Density{Flat: 3}, Density{Area: .5, UV: 1, Flat: 3, Least: .25, Most: 1}},
	} {
		assert.Equal(t, c.want, c.x.Add(c.y))
	}
}
