package floor

import (
	"math"

	"yarvek/core/geom"
)

// mostTouch bounds the contacts of two parts.
const mostTouch = 6

// hulls adds the contacts of two hulls: along the axis that parts them best, or the one along which
// they lie in one another least, between the sides that face each other there.
func hulls(a, b *Body, key contactKey, p, q *part, near float64, list []contact) []contact {
	// All in the frame of b.
	back := b.Turn.Transpose()
	turn := back.Mul(a.Turn)
	shift := back.Apply(a.At.Sub(b.At))
	pts := make([]geom.Vec3, len(p.points))
	for i, x := range p.points {
		pts[i] = turn.Apply(x).Add(shift)
	}
	middle := turn.Apply(p.middle).Add(shift).Sub(q.middle)
	best, n := math.Inf(-1), geom.Vec3{}
	// gap along an axis that points from q to p; a side counts before an edge that is as good.
	try := func(d geom.Vec3, handicap float64) bool {
		if d.Dot(middle) < 0 {
			d = d.Mul(-1)
		}
		lo, hi := math.Inf(1), math.Inf(-1)
		for i := range pts {
			lo = min(lo, d[0]*pts[i][0]+d[1]*pts[i][1]+d[2]*pts[i][2])
		}
		for i := range q.points {
			x := &q.points[i]
			hi = max(hi, d[0]*x[0]+d[1]*x[1]+d[2]*x[2])
		}
		g := lo - hi
		if g-handicap > best {
			best, n = g-handicap, d
		}
		return g <= near
	}
	for _, d := range q.normals {
		if !try(d, 0) {
			return list
		}
	}
	for _, d := range p.normals {
		if !try(turn.Apply(d), 0) {
			return list
		}
	}
	for _, e := range p.edges {
		e = turn.Apply(e)
		for _, f := range q.edges {
			d := e.Cross(f)
			if l := d.Len(); l > 1e-4 {
				if !try(d.Mul(1/l), 1e-4) {
					return list
				}
			}
		}
	}
	// The sides that face each other, laid on one plane, and what they have in common there.
	u := n.Across()
	v := n.Cross(u)
	face := func(pts []geom.Vec3, sign float64) (geom.Outline, float64) {
		most := math.Inf(-1)
		for _, x := range pts {
			most = max(most, sign*n.Dot(x))
		}
		var flat []geom.Vec2
		for _, x := range pts {
			if sign*n.Dot(x) > most-2*margin {
				flat = append(flat, geom.Vec2{x.Dot(u), x.Dot(v)})
			}
		}
		return geom.OutlineOf(flat), sign * most
	}
	one, low := face(pts, -1)
	two, high := face(q.points, 1)
	world := b.Turn.Apply(n)
	var found []contact
	for _, c := range common(one, two) {
		at := u.Mul(c[0]).Add(v.Mul(c[1])).Add(n.Mul((low + high) / 2))
		key.id = -1
		found = append(found, contact{key: key, a: a, b: b, at: b.Apply(at), n: world, depth: high - low})
	}
	return append(list, spread(found, mostTouch)...)
}

// common is corners of what two outlines have in common, of points and lines too (Sutherland and
// Hodgman 1974).
func common(a, b geom.Outline) []geom.Vec2 {
	if len(a) < 3 || len(b) >= 3 && len(b) < len(a) {
		a, b = b, a
	}
	// a is cut off at no sides of its own; b is what it is clipped by, when it has sides.
	if len(b) < 3 {
		a, b = b, a
	}
	list := []geom.Vec2(a)
	if len(b) < 3 { // two lines or points: between their middles
		if len(a) == 0 || len(b) == 0 {
			return nil
		}
		mid := func(o geom.Outline) geom.Vec2 {
			var m geom.Vec2
			for _, p := range o {
				m[0], m[1] = m[0]+p[0]/float64(len(o)), m[1]+p[1]/float64(len(o))
			}
			return m
		}
		if len(a) == 2 && len(b) == 2 {
			d, e := a[1].Sub(a[0]), b[1].Sub(b[0])
			if k := d.Cross(e); math.Abs(k) > 1e-12 {
				t := b[0].Sub(a[0]).Cross(e) / k
				t = min(1, max(0, t))
				return []geom.Vec2{{a[0][0] + t*d[0], a[0][1] + t*d[1]}}
			}
		}
		x, y := mid(a), mid(b)
		return []geom.Vec2{{(x[0] + y[0]) / 2, (x[1] + y[1]) / 2}}
	}
	for i, p := range b {
		side := b[(i+1)%len(b)].Sub(p)
		var next []geom.Vec2
		for k, q := range list {
			r := list[(k+1)%len(list)]
			s, t := side.Cross(q.Sub(p)), side.Cross(r.Sub(p))
			if s >= 0 {
				next = append(next, q)
			}
			if s*t < 0 && len(list) > 1 {
				f := s / (s - t)
				next = append(next, geom.Vec2{q[0] + f*(r[0]-q[0]), q[1] + f*(r[1]-q[1])})
			}
		}
		list = next
		if len(list) == 0 {
			// They pass by each other within the margin: the corner nearest to the other.
			return []geom.Vec2{a[0]}
		}
	}
	return list
}
