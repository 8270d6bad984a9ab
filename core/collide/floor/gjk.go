package floor

import (
	"math"

	"yarvek/core/geom"
)

// nearestOfHull is the point of the hull of points nearest to another outside of it (Gilbert, Johnson
// and Keerthi 1988, "A fast procedure for computing the distance between complex objects in
// three-dimensional space", with the simplex's nearest point by Ericson 2005, chapter 9.5).
func nearestOfHull(pts []geom.Vec3, q geom.Vec3) geom.Vec3 {
	farthest := func(d geom.Vec3) geom.Vec3 {
		best, most := pts[0], math.Inf(-1)
		for i := range pts {
			if e := d.Dot(pts[i]); e > most {
				best, most = pts[i], e
			}
		}
		return best
	}
	near := pts[0]
	simplex := []geom.Vec3{near}
	for range 64 {
		d := q.Sub(near)
		s := farthest(d)
		if d.Dot(s)-d.Dot(near) <= 1e-12*(d.Dot(d)+1e-300) {
			break
		}
		again := false
		for _, p := range simplex {
			again = again || p == s
		}
		if again {
			break
		}
		simplex = append(simplex, s)
		before := near
		near, simplex = ofSimplex(simplex, q)
		if len(simplex) == 4 || q.Dist(near) > q.Dist(before)*(1+1e-12) {
			break
		}
	}
	return near
}

// ofSimplex is the point of up to four points' hull nearest to another, and those it lies between. All of its
// corners, edges and faces are tried, which for four points is as fast as telling their regions apart, and
// can't fall between two of them by rounding. Inside of a tetrahedron it is the point itself.
func ofSimplex(s []geom.Vec3, q geom.Vec3) (geom.Vec3, []geom.Vec3) {
	best, least := s[0], math.Inf(1)
	kept := s[:1]
	try := func(p geom.Vec3, of ...geom.Vec3) {
		if d := p.Dist(q); d < least*(1-1e-15) {
			best, least, kept = p, d, of
		}
	}
	for _, p := range s {
		try(p, p)
	}
	for i := range s {
		for k := range i {
			p := onSegment(q, s[i], s[k])
			try(p, s[i], s[k])
		}
	}
	for i := range s {
		for k := range i {
			for j := range k {
				n := s[k].Sub(s[i]).Cross(s[j].Sub(s[i]))
				if n.Dot(n) == 0 {
					continue
				}
				p := geom.NearestOnTriangle(q, s[i], s[k], s[j])
				try(p, s[i], s[k], s[j])
			}
		}
	}
	if len(s) == 4 && holds(s, q) {
		return q, s
	}
	return best, kept
}

// holds tells whether a tetrahedron holds a point.
func holds(s []geom.Vec3, q geom.Vec3) bool {
	for i := range 4 {
		a, b, c, d := s[i], s[(i+1)%4], s[(i+2)%4], s[(i+3)%4]
		n := b.Sub(a).Cross(c.Sub(a))
		if n.Dot(d.Sub(a))*n.Dot(q.Sub(a)) < 0 {
			return false
		}
	}
	return true
}
