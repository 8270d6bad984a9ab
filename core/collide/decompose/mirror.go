package decompose

import (
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
)

// flip is which axes are turned round, as factors of 1 and -1.
type flip geom.Vec3

// leaning tells how meshes are turned round so that a mesh and its mirror images come out as one: the
// third moments of the surface about its middle are positive along each axis. Along an axis where there
// is none to speak of the mesh is its own mirror image, or next to it.
func leaning(list []*shell) flip {
	var middle geom.Vec3
	sum, size := 0.0, 0.0
	each := func(use func(p geom.Vec3, area float64)) {
		for _, x := range list {
			for t := 0; t < len(x.tris); t += 3 {
				a, b, c := x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]
				use(a.Add(b).Add(c).Mul(1./3), b.Sub(a).Cross(c.Sub(a)).Len()/2)
			}
		}
	}
	each(func(p geom.Vec3, area float64) { middle, sum = middle.Add(p.Mul(area)), sum+area })
	middle = middle.Mul(1 / math.Max(sum, 1e-300))
	var third geom.Vec3
	each(func(p geom.Vec3, area float64) {
		for k := range 3 {
			d := p[k] - middle[k]
			third[k] += area * d * d * d
			size = max(size, math.Abs(d))
		}
	})
	f := flip{1, 1, 1}
	for k := range 3 {
		if third[k] < -1e-9*sum*size*size*size {
			f[k] = -1
		}
	}
	return f
}

// mirrors tells whether it turns windings round.
func (f flip) mirrors() bool { return f[0]*f[1]*f[2] < 0 }

// of turns a point round; zeros stay without a sign.
func (f flip) of(p geom.Vec3) geom.Vec3 {
	return geom.Vec3{f[0]*p[0] + 0, f[1]*p[1] + 0, f[2]*p[2] + 0}
}

// mirror turns a shell round.
func (x *shell) mirror(f flip) {
	x.box = geom.EmptyBox()
	for i, p := range x.pts {
		x.pts[i] = f.of(p)
		x.box = x.box.Add(x.pts[i])
	}
	x.tree = nil
	if f.mirrors() {
		for t := 0; t < len(x.tris); t += 3 {
			x.tris[t+1], x.tris[t+2] = x.tris[t+2], x.tris[t+1]
		}
	}
}

// body turns a body back.
func (f flip) body(b fit.Body) fit.Body {
	pts := make([]geom.Vec3, len(b.Points))
	for i, p := range b.Points {
		pts[i] = f.of(p)
	}
	out := fit.Body{Points: pts, Faces: b.Faces}
	if f.mirrors() {
		out.Faces = make([][]int32, len(b.Faces))
		for i, face := range b.Faces {
			turned := make([]int32, len(face))
			for k := range face {
				turned[len(face)-1-k] = face[k]
			}
			out.Faces[i] = turned
		}
	}
	return out
}
