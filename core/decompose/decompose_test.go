package decompose

import (
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fit"
	"yarvek/core/geom"
	"yarvek/core/measure"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// blocks is the surface of the cells of a crooked grid that are solid.
func blocks(name string, xs, ys, zs []float64, solid func(p geom.Vec3) bool) *scene.Mesh {
	lines := [3][]float64{xs, ys, zs}
	m := &scene.Mesh{Name: name, FaceStart: []int32{0}, Slots: []int{-1}}
	number := map[[3]int]int32{}
	full := func(c [3]int) bool {
		var p geom.Vec3
		for k := range 3 {
			if c[k] < 0 || c[k]+1 >= len(lines[k]) {
				return false
			}
			p[k] = (lines[k][c[k]] + lines[k][c[k]+1]) / 2
		}
		return solid(p)
	}
	point := func(c [3]int) int32 {
		n, ok := number[c]
		if !ok {
			n = int32(len(m.Points))
			number[c] = n
			m.Points = append(m.Points, geom.Vec3{xs[c[0]], ys[c[1]], zs[c[2]]})
		}
		return n
	}
	for x := range len(xs) - 1 {
		for y := range len(ys) - 1 {
			for z := range len(zs) - 1 {
				c := [3]int{x, y, z}
				if !full(c) {
					continue
				}
				for k := range 3 {
					for s := range 2 {
						d := c
						d[k] += 2*s - 1
						if full(d) {
							continue
						}
						u, v := (k+1)%3, (k+2)%3
						if s == 0 {
							u, v = v, u
						}
						o := c
						o[k] += s
						a, b, e := o, o, o
						a[u]++
						b[u]++
						b[v]++
						e[v]++
						m.Corners = append(m.Corners, point(o), point(a), point(b), point(e))
						m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
					}
				}
			}
		}
	}
	return m
}

func in(v, a, b float64) bool { return v > a && v < b }

// torus lies in the plane of x and z about the origin.
func torus(r, tube float64, nu, nv int) *scene.Mesh {
	m := &scene.Mesh{Name: "ring", FaceStart: []int32{0}, Slots: []int{-1}}
	for i := range nu {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(nu))
		for k := range nv {
			t, d := math.Sincos(2 * math.Pi * float64(k) / float64(nv))
			m.Points = append(m.Points, geom.Vec3{(r + tube*d) * c, tube * t, (r + tube*d) * s})
		}
	}
	at := func(i, k int) int32 { return int32(i%nu*nv + k%nv) }
	for i := range nu {
		for k := range nv {
			m.Corners = append(m.Corners, at(i, k), at(i, k+1), at(i+1, k+1), at(i+1, k))
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		}
	}
	return m
}

// bowl is half a hollow ball of radius 1, open upward, with a wall.
func bowl(wall float64, rings, sides int) *scene.Mesh {
	var profile [][2]float64
	for i := 0; i <= rings; i++ {
		s, c := math.Sincos(math.Pi / 2 * float64(i) / float64(rings))
		profile = append(profile, [2]float64{s, -c})
	}
	for i := rings; i >= 0; i-- {
		s, c := math.Sincos(math.Pi / 2 * float64(i) / float64(rings))
		profile = append(profile, [2]float64{(1 - wall) * s, -(1 - wall) * c})
	}
	return new(shape.Builder).Lathe(profile, sides).Mesh("bowl")
}

func arch(n int) *scene.Mesh {
	var outer, inner [][2]float64
	for i := 0; i <= n; i++ {
		s, c := math.Sincos(math.Pi * float64(i) / float64(n))
		outer = append(outer, [2]float64{1.5 * c, 2 + 1.5*s})
		inner = append(inner, [2]float64{-1 * c, 2 + 1*s})
	}
	outline := append([][2]float64{{1.5, 0}}, outer...)
	outline = append(outline, [2]float64{-1.5, 0}, [2]float64{-1, 0})
	outline = append(outline, inner...)
	outline = append(outline, [2]float64{1, 0})
	return new(shape.Builder).Prism(outline, -0.25, 0.25).Mesh("arch")
}

type trial struct {
	name  string
	mesh  []*scene.Mesh
	ratio float64
	free  []fit.Ball
}

func trials() []trial {
	table := blocks("table", []float64{0, 0.1, 1.1, 1.2}, []float64{0, 0.7, 0.75}, []float64{0, 0.1, 0.7, 0.8}, func(p geom.Vec3) bool {
		return p[1] > 0.7 || !in(p[0], 0.1, 1.1) && !in(p[2], 0.1, 0.7)
	})
	chair := blocks("chair", []float64{0, 0.05, 0.4, 0.45}, []float64{0, 0.42, 0.46, 0.9}, []float64{0, 0.05, 0.4, 0.45}, func(p geom.Vec3) bool {
		switch {
		case p[1] > 0.46:
			return p[2] < 0.05
		case p[1] > 0.42:
			return true
		}
		return !in(p[0], 0.05, 0.4) && !in(p[2], 0.05, 0.4)
	})
	beam := blocks("beam", []float64{0, 0.02, 0.2}, []float64{0, 0.02, 0.2}, []float64{0, 3}, func(p geom.Vec3) bool { return p[0] < 0.02 || p[1] < 0.02 })
	steps := []float64{0}
	rise := []float64{0}
	for i := range 10 {
		steps, rise = append(steps, 0.28*float64(i+1)), append(rise, 0.18*float64(i+1))
	}
	stair := blocks("stair", steps, rise, []float64{0, 1}, func(p geom.Vec3) bool { return p[1]/0.18 < math.Ceil(p[0]/0.28) })
	walls := blocks("hut", []float64{0, 0.1, 1, 2, 2.9, 3}, []float64{0, 0.1, 2.1, 2.4, 2.5}, []float64{0, 0.1, 3.9, 4}, func(p geom.Vec3) bool {
		if p[1] < 0.1 || p[1] > 2.4 {
			return true
		}
		wall := !in(p[0], 0.1, 2.9) || !in(p[2], 0.1, 3.9)
		return wall && !(p[2] > 3.9 && in(p[0], 1, 2) && p[1] < 2.1)
	})
	roofless := blocks("walls", []float64{0, 0.1, 1, 2, 2.9, 3}, []float64{0, 2, 2.4}, []float64{0, 0.1, 3.9, 4}, func(p geom.Vec3) bool {
		wall := !in(p[0], 0.1, 2.9) || !in(p[2], 0.1, 3.9)
		return wall && !(p[2] > 3.9 && in(p[0], 1, 2) && p[1] < 2)
	})
	roof := new(shape.Builder).Prism([][2]float64{{-0.3, 2.2}, {-0.2, 2.1}, {1.5, 3.3}, {3.2, 2.1}, {3.3, 2.2}, {1.5, 3.45}}, -0.2, 4.2).Mesh("roof")
	gable := new(shape.Builder).Prism([][2]float64{{0, 2.4}, {3, 2.4}, {1.5, 3.2}}, 0, 0.1).
		Prism([][2]float64{{0, 2.4}, {3, 2.4}, {1.5, 3.2}}, 3.9, 4).Mesh("gables")
	door := func(y float64) []fit.Ball {
		return []fit.Ball{{Centre: geom.Vec3{1.5, y, 3.95}, Radius: 0.45}, {Centre: geom.Vec3{1.5, 1.1, 2}, Radius: 0.45}}
	}
	return []trial{
		{"table", []*scene.Mesh{table}, 1.05, []fit.Ball{{Centre: geom.Vec3{0.6, 0.35, 0.4}, Radius: 0.29}, {Centre: geom.Vec3{0.6, 0.35, 0}, Radius: 0.29}}},
		{"chair", []*scene.Mesh{chair}, 1.05, nil},
		{"beam", []*scene.Mesh{beam}, 1.05, nil},
		{"stair", []*scene.Mesh{stair}, 1.05, nil},
		{"hut, flat roof", []*scene.Mesh{walls}, 1.15, door(1.1)},
		{"hut, gabled", []*scene.Mesh{roofless, roof, gable}, 1.15, door(1)},
		{"arch", []*scene.Mesh{arch(24)}, 1.15, []fit.Ball{{Centre: geom.Vec3{0, 2, 0}, Radius: 0.9}}},
		{"ring", []*scene.Mesh{torus(1, 0.25, 64, 24)}, 1.25, []fit.Ball{{Centre: geom.Vec3{}, Radius: 0.9 * 0.75}}},
		{"bowl 0.1", []*scene.Mesh{bowl(0.1, 16, 48)}, 1.25, []fit.Ball{{Centre: geom.Vec3{0, -0.3, 0}, Radius: 0.6}}},
		{"bowl 0.15", []*scene.Mesh{bowl(0.15, 16, 48)}, 1.25, []fit.Ball{{Centre: geom.Vec3{0, -0.25, 0}, Radius: 0.6}}},
	}
}

func TestWellKnownShapes(t *testing.T) {
	for _, x := range trials() {
		t.Run(x.name, func(t *testing.T) {
			s := shape.Scene(x.name, nil, x.mesh...)
			is := measure.Of(t.Context(), s)
			require.True(t, is.Closed)
			began := time.Now()
			r := Of(t.Context(), s, Options{Hulls: 16, Points: 64})
			ms := time.Since(began).Milliseconds()
			volume, points := 0.0, 0
			var hulls []*fit.Convex
			for _, h := range r.Hulls {
				hulls = append(hulls, fit.NewConvex(h.Body))
				volume += h.Body.Volume()
				points = max(points, len(h.Body.Points))
			}
			size := is.Box.Size().Len()
			out := 0.0
			for _, m := range s.Flattened().Meshes {
				m.EachTriangle(func(_ int, a, b, c int32) {
					p, q, r3 := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
					for _, w := range [][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {.33, .33, .34}, {.5, .5, 0}, {0, .5, .5}, {.5, 0, .5}} {
						at := p.Mul(w[0]).Add(q.Mul(w[1])).Add(r3.Mul(w[2]))
						d := math.Inf(1)
						for _, h := range hulls {
							d = min(d, h.Distance(at))
						}
						out = max(out, d)
					}
				})
			}
			fmt.Printf("%-16s %2d hulls of %3d pieces, %2d points, volume %.3f, out %.4f of size, %d ms\n", x.name, len(r.Hulls), r.Pieces, points, volume/is.Volume, out/size, ms)
			assert.LessOrEqual(t, len(r.Hulls), 16)
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
