package shapetest

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// LBeam is an L of plates of 0.3 and 0.2 m, 30 mm thick, 1.2 m long, in four pieces along it.
func LBeam() *scene.Mesh {
	return Blocks("l-beam", []float64{0, 0.03, 0.3}, []float64{0, 0.03, 0.2}, []float64{0, 0.3, 0.6, 0.9, 1.2},
		func(p geom.Vec3) bool { return p[0] < 0.03 || p[1] < 0.03 })
}

// Fence is a panel of n boards, 0.1 m wide and pointed, on two rails between two posts: boxes of their own.
func Fence(n int) *scene.Mesh {
	b := new(shape.Builder)
	long := 0.15*float64(n) + 0.05
	for _, y := range []float64{0.3, 0.9} {
		b.Box(geom.Vec3{0, y, 0}, geom.Vec3{long, y + 0.08, 0.04})
	}
	for _, x := range []float64{-0.1, long} {
		b.Box(geom.Vec3{x, 0, -0.03}, geom.Vec3{x + 0.1, 1.3, 0.07})
	}
	for i := range n {
		x := 0.05 + 0.15*float64(i)
		b.Prism([][2]float64{{x, 0.1}, {x + 0.1, 0.1}, {x + 0.1, 1.1}, {x + 0.05, 1.2}, {x, 1.1}}, 0.04, 0.06)
	}
	return b.Mesh("fence")
}

// Tree is a trunk with branches, which taper, and two crossed cards of leaves, of four rectangles each, on every one.
func Tree(branches int) *scene.Mesh {
	b := new(shape.Builder)
	b.Lathe([][2]float64{{0.2, 0}, {0.14, 0.4}, {0.11, 1.5}, {0.04, 3.2}}, 14)
	for i := range branches {
		turn := 2.4 * float64(i)
		t := float64(i) / float64(branches)
		long := 1.1 - 0.6*t
		s, c := math.Sincos(turn)
		out := geom.Vec3{c, 0.6, s}.Unit()
		side := geom.Vec3{0, 1, 0}.Cross(out).Unit()
		up := side.Cross(out).Mul(-1)
		base := geom.Vec3{0, 0.9 + 2.1*t, 0}
		b.Grid(7, 3, func(u, v float64) geom.Vec3 {
			s, c := math.Sincos(-2 * math.Pi * u)
			r := 0.05*(1-t) + 0.02 - 0.015*v
			return base.Add(out.Mul(long * v)).Add(side.Mul(r * c)).Add(up.Mul(r * s))
		})
		for _, across := range []geom.Vec3{side, up} {
			b.Grid(2, 2, func(u, v float64) geom.Vec3 {
				return base.Add(out.Mul(long * (0.4 + 0.8*v))).Add(across.Mul(0.5 * (u - 0.5) * long))
			})
		}
	}
	return b.Mesh("tree")
}
