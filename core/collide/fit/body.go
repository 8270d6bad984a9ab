package fit

import (
	"math"

	"yarvek/core/geom"
)

// OfHull is a hull as a body of triangles. One without extent in three directions has no faces.
func OfHull(h *geom.Hull) Body {
	b := Body{Points: h.Points}
	if h.Flat {
		return b
	}
	b.Faces = make([][]int32, len(h.Faces))
	for i := range h.Faces {
		b.Faces[i] = h.Faces[i][:]
	}
	return b
}

// Convex is a body made ready to be asked where points lie. It is only read.
type Convex struct {
	Body
	Planes []Plane // of its faces, outward: no corner of the body lies beyond one
	Box    geom.Box
	face   []int32 // of each plane, the face it is of; ^ that of a needle
	size   float64
}

// thin is up to which share of the body's size the height of a face makes its plane uncertain.
const thin = 1e-3

// NewConvex makes a body ready. A needle of a face says little of its plane: such a plane is laid on
// the corner that lies farthest along it.
func NewConvex(b Body) *Convex {
	c := &Convex{Body: b, Box: geom.EmptyBox(), Planes: make([]Plane, 0, len(b.Faces))}
	for _, p := range b.Points {
		c.Box = c.Box.Add(p)
	}
	size := c.Box.Size().Max()
	c.size = size
	for i, f := range b.Faces {
		var n geom.Vec3
		o := b.Points[f[0]]
		longest := 0.0
		for k := range f {
			longest = max(longest, b.Points[f[k]].Dist(b.Points[f[(k+1)%len(f)]]))
			if k > 0 && k+1 < len(f) {
				n = n.Add(b.Points[f[k]].Sub(o).Cross(b.Points[f[k+1]].Sub(o)))
			}
		}
		area := n.Len()
		if area <= 1e-14*size*size {
			continue
		}
		p := Plane{n.Mul(1 / area), 0}
		p.D = p.N.Dot(o)
		at := int32(i)
		if area < thin*size*longest {
			at = ^at
			for _, q := range b.Points {
				p.D = max(p.D, p.N.Dot(q))
			}
		}
		c.Planes = append(c.Planes, p)
		c.face = append(c.face, at)
	}
	return c
}

// Beyond is the signed distance to the plane that a point lies farthest outside of, negative within
// all: at most how far it is from the body, and exactly so within it. A body without faces has
// everything beyond it, infinitely far.
func (c *Convex) Beyond(p geom.Vec3) float64 {
	if len(c.Planes) == 0 {
		return math.Inf(1)
	}
	d := math.Inf(-1)
	for i := range c.Planes {
		q := &c.Planes[i]
		d = max(d, q.N[0]*p[0]+q.N[1]*p[1]+q.N[2]*p[2]-q.D)
	}
	return d
}

// Distance is how far a point lies from the body, 0 within. One without faces has its corners alone.
func (c *Convex) Distance(p geom.Vec3) float64 {
	best := math.Inf(1)
	if len(c.Planes) == 0 {
		for _, q := range c.Points {
			best = min(best, q.Dist(p))
		}
		return best
	}
	if c.Beyond(p) <= 0 {
		return 0
	}
	// The nearest place lies on a face that sees the point; one in whose plane it lies but for rounding
	// may be nearest, too, and so may a needle, of which its plane says nothing.
	near := 1e-9 * c.size
	for i, q := range c.Planes {
		n := c.face[i]
		if n < 0 {
			n = ^n
		} else if p.Dot(q.N)-q.D < -near {
			continue
		}
		f := c.Faces[n]
		for k := 1; k+1 < len(f); k++ {
			best = min(best, geom.NearestOnTriangle(p, c.Points[f[0]], c.Points[f[k]], c.Points[f[k+1]]).Dist(p))
		}
	}
	return best
}
