package shapetest

import (
	"math"
	"math/rand/v2"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Crumbled is the surface of the cubes of a grid that lie in a ball with a noisy rim: cubes that touch along an edge or
// in a corner alone are everywhere, as in scans that were put together by cells. Its points stand off the grid by some
// hundredths of a cube, which is a metre; n is how many cubes it is across, at least 8.
func Crumbled(n int) *scene.Mesh {
	rng := rand.New(rand.NewPCG(2, 7))
	r, half := float64(n)/2-3, float64(n)/2
	in := func(x, y, z int) bool {
		d := geom.Vec3{float64(x) - half, float64(y) - half, float64(z) - half}
		return d.Len()+2.5*math.Sin(float64(x)*.3)*math.Cos(float64(z)*.37) < r
	}
	solid := map[[3]int]bool{}
	for x := 1; x < n-1; x++ {
		for y := 1; y < n-1; y++ {
			for z := 1; z < n-1; z++ {
				at := [3]int{x, y, z}
				if rng.IntN(3) == 0 {
					at = [3]int{x + rng.IntN(5) - 2, y + rng.IntN(5) - 2, z + rng.IntN(5) - 2}
				}
				solid[[3]int{x, y, z}] = in(at[0], at[1], at[2])
			}
		}
	}
	m := &scene.Mesh{Name: "crumbled", FaceStart: []int32{0}, Slots: []int{-1}}
	points := map[[3]int]int32{}
	point := func(at [3]int) int32 {
		i, ok := points[at]
		if !ok {
			i = int32(len(m.Points))
			points[at] = i
			m.Points = append(m.Points, geom.Vec3{float64(at[0]) + .06*rng.NormFloat64(),
				float64(at[1]) + .06*rng.NormFloat64(), float64(at[2]) + .06*rng.NormFloat64()})
		}
		return i
	}
	for x := 1; x < n-1; x++ {
		for y := 1; y < n-1; y++ {
			for z := 1; z < n-1; z++ {
				at := [3]int{x, y, z}
				for side := 0; side < 6 && solid[at]; side++ {
					k, up := side/2, side%2
					beside := at
					if beside[k] += 2*up - 1; solid[beside] {
						continue
					}
					var ring [4]int32
					for i, uv := range [4][2]int{{0, 0}, {1, 0}, {1, 1}, {0, 1}} {
						c := at
						c[k], c[(k+1)%3], c[(k+2)%3] = at[k]+up, at[(k+1)%3]+uv[0], at[(k+2)%3]+uv[1]
						ring[i] = point(c)
					}
					if up == 0 {
						ring[1], ring[3] = ring[3], ring[1]
					}
					for _, t := range [2][3]int{{0, 1, 2}, {0, 2, 3}} {
						m.Corners = append(m.Corners, ring[t[0]], ring[t[1]], ring[t[2]])
						m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
					}
				}
			}
		}
	}
	return m
}
