// Package solid has the convex shapes that stand for an asset where things touch: boxes, balls,
// capsules and hulls, with their meshes.
//
// A [Solid] is what is kept: plain data, in lengths of the scene it was made in, which may be wrong until
// [Solid.Validate] has seen it. A [Form] is one made ready to be asked; it is only read. Distances are exact for
// boxes, balls and capsules, and for hulls to the rounding of their planes: outside they are those to the nearest
// place, and [Form.Beyond] is negative inside, by how far the nearest side is. Meshes of round shapes have their
// corners on the shape, so that they lie within it.
package solid

import (
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// meshOf is a convex body as a mesh without a material, its faces polygons.
func meshOf(name string, b fit.Body) *scene.Mesh {
	m := &scene.Mesh{Name: name, Points: b.Points, FaceStart: []int32{0}, Slots: []int{-1}}
	for _, f := range b.Faces {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// How finely round shapes are cut, in sides round and from pole to equator.
const (
	sides = 16
	rings = 4
)

// capsuleMesh is a capsule as a mesh, its corners on it.
func capsuleMesh(name string, c fit.Capsule) *scene.Mesh {
	m := &scene.Mesh{Name: name, FaceStart: []int32{0}, Slots: []int{-1}}
	d := c.B.Sub(c.A).Unit()
	if d == (geom.Vec3{}) {
		d = geom.Vec3{0, 1, 0}
	}
	u := d.Across()
	v := d.Cross(u)
	point := func(p geom.Vec3) int32 {
		m.Points = append(m.Points, p)
		return int32(len(m.Points) - 1)
	}
	face := func(corners ...int32) {
		m.Corners = append(m.Corners, corners...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	// Rings from the lower pole to the upper; the equator is there twice where there is a length.
	type ring []int32
	var all []ring
	add := func(at geom.Vec3, angle float64) {
		sin, cos := math.Sincos(angle)
		var r ring
		for k := range sides {
			s, t := math.Sincos(2 * math.Pi * float64(k) / sides)
			r = append(r, point(at.Add(d.Mul(c.Radius*sin)).Add(u.Mul(c.Radius*cos*t)).Add(v.Mul(c.Radius*cos*s))))
		}
		all = append(all, r)
	}
	low := point(c.A.Sub(d.Mul(c.Radius)))
	for k := 1; k <= rings; k++ {
		add(c.A, -math.Pi/2*(1-float64(k)/rings))
	}
	begin := 0
	if c.A == c.B {
		begin = 1
	}
	for k := begin; k < rings; k++ {
		add(c.B, math.Pi/2*float64(k)/rings)
	}
	high := point(c.B.Add(d.Mul(c.Radius)))
	for k := range sides {
		n := (k + 1) % sides
		face(low, all[0][n], all[0][k])
		for i := 0; i+1 < len(all); i++ {
			face(all[i][k], all[i][n], all[i+1][n], all[i+1][k])
		}
		face(all[len(all)-1][k], all[len(all)-1][n], high)
	}
	return m
}
