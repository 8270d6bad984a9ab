package shapetest

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// Blocks is the closed surface of the cells of a crooked grid that are solid.
func Blocks(name string, xs, ys, zs []float64, solid func(p geom.Vec3) bool) *scene.Mesh {
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

func between(v, a, b float64) bool { return v > a && v < b }

// Torus is a ring that lies in the plane of x and z about the origin.
func Torus(r, tube float64, nu, nv int) *scene.Mesh {
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

// Bowl is half a hollow ball of radius 1, open upward, with a wall.
func Bowl(wall float64, rings, sides int) *scene.Mesh {
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

// Arch is a round arch of 2 m clear width on two pillars, half a metre thick and deep, of n steps.
func Arch(n int) *scene.Mesh {
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

// Table is 1.2 x 0.75 x 0.8 m, with legs of 0.1 m: one closed surface, as all of these are.
func Table() *scene.Mesh {
	return Blocks("table", []float64{0, 0.1, 1.1, 1.2}, []float64{0, 0.7, 0.75}, []float64{0, 0.1, 0.7, 0.8},
		func(p geom.Vec3) bool {
			return p[1] > 0.7 || !between(p[0], 0.1, 1.1) && !between(p[2], 0.1, 0.7)
		})
}

// Chair has four legs, a seat and a back.
func Chair() *scene.Mesh {
	return Blocks("chair", []float64{0, 0.05, 0.4, 0.45}, []float64{0, 0.42, 0.46, 0.9}, []float64{0, 0.05, 0.4, 0.45},
		func(p geom.Vec3) bool {
			switch {
			case p[1] > 0.46:
				return p[2] < 0.05
			case p[1] > 0.42:
				return true
			}
			return !between(p[0], 0.05, 0.4) && !between(p[2], 0.05, 0.4)
		})
}

// Beam is an L of 20 mm plates, 3 m long.
func Beam() *scene.Mesh {
	return Blocks("beam", []float64{0, 0.02, 0.2}, []float64{0, 0.02, 0.2}, []float64{0, 3},
		func(p geom.Vec3) bool { return p[0] < 0.02 || p[1] < 0.02 })
}

// Stair is n solid steps of 0.28 x 0.18 m, 1 m wide, up along +X.
func Stair(n int) *scene.Mesh {
	steps, rise := []float64{0}, []float64{0}
	for i := range n {
		steps, rise = append(steps, 0.28*float64(i+1)), append(rise, 0.18*float64(i+1))
	}
	return Blocks("stair", steps, rise, []float64{0, 1},
		func(p geom.Vec3) bool { return p[1]/0.18 < math.Ceil(p[0]/0.28) })
}

// Hut is a closed room of 3 x 2.5 x 4 m with walls of 0.1 m and a doorway of 1 x 2 m in the middle of
// its front, at z = 4, from the floor at 0.1 m on.
func Hut() *scene.Mesh {
	return Blocks("hut", []float64{0, 0.1, 1, 2, 2.9, 3}, []float64{0, 0.1, 2.1, 2.4, 2.5}, []float64{0, 0.1, 3.9, 4},
		func(p geom.Vec3) bool {
			if p[1] < 0.1 || p[1] > 2.4 {
				return true
			}
			wall := !between(p[0], 0.1, 2.9) || !between(p[2], 0.1, 3.9)
			return wall && !(p[2] > 3.9 && between(p[0], 1, 2) && p[1] < 2.1)
		})
}

// Gabled is a hut of three meshes: walls, a roof of two slopes that juts out, and gables.
func Gabled() []*scene.Mesh {
	walls := Blocks("walls", []float64{0, 0.1, 1, 2, 2.9, 3}, []float64{0, 2, 2.4}, []float64{0, 0.1, 3.9, 4},
		func(p geom.Vec3) bool {
			wall := !between(p[0], 0.1, 2.9) || !between(p[2], 0.1, 3.9)
			return wall && !(p[2] > 3.9 && between(p[0], 1, 2) && p[1] < 2)
		})
	roof := new(shape.Builder).Prism([][2]float64{{-0.3, 2.2}, {-0.2, 2.1}, {1.5, 3.3}, {3.2, 2.1}, {3.3, 2.2},
		{1.5, 3.45}}, -0.2,
		4.2).Mesh("roof")
	gables := new(shape.Builder).Prism([][2]float64{{0, 2.4}, {3, 2.4}, {1.5, 3.2}}, 0, 0.1).
		Prism([][2]float64{{0, 2.4}, {3, 2.4}, {1.5, 3.2}}, 3.9, 4).Mesh("gables")
	return []*scene.Mesh{walls, roof, gables}
}
