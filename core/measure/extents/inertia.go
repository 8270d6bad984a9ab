package extents

import (
	"yarvek/core/geom"
)

// Mass is what a body of even density is like.
type Mass struct {
	Volume float64   // cubic metres, negative for a body turned inside out
	Centre geom.Vec3 // of mass; metres
	// Tensor is the inertia about the centre of a body of one kilogram a cubic metre; kg m².
	Tensor geom.Mat3
}

// MassSum collects closed bodies. The zero MassSum is empty. Bodies that overlap count twice where they do.
type MassSum struct {
	origin geom.Vec3
	some   bool
	volume float64
	first  geom.Vec3 // moments about the origin
	second geom.Mat3
}

// Add takes a triangle of a closed surface, anticlockwise seen from outside: the tetrahedron from an
// origin near it (Tonon 2004, "Explicit exact formulas for the 3-D tetrahedron inertia tensor in terms
// of its vertex coordinates").
func (s *MassSum) Add(a, b, c geom.Vec3) {
	if !s.some {
		s.origin, s.some = a, true
	}
	p, q, r := a.Sub(s.origin), b.Sub(s.origin), c.Sub(s.origin)
	v := p.Dot(q.Cross(r)) / 6
	s.volume += v
	sum := p.Add(q).Add(r)
	s.first = s.first.Add(sum.Mul(v / 4))
	for i := range 3 {
		for k := range 3 {
			s.second[i][k] += v / 20 * (sum[i]*sum[k] + p[i]*p[k] + q[i]*q[k] + r[i]*r[k])
		}
	}
}

// total is the volume, the centre, and the second moments about it.
func (s *MassSum) total() (volume float64, centre geom.Vec3, about geom.Mat3) {
	if s.volume == 0 {
		return 0, s.origin, geom.Mat3{}
	}
	m := s.first.Mul(1 / s.volume)
	for i := range 3 {
		for k := range 3 {
			about[i][k] = s.second[i][k] - s.volume*m[i]*m[k]
		}
	}
	return s.volume, s.origin.Add(m), about
}

// Mass gives what was added.
func (s *MassSum) Mass() Mass {
	v, c, m := s.total()
	trace := m[0][0] + m[1][1] + m[2][2]
	var t geom.Mat3
	for i := range 3 {
		for k := range 3 {
			t[i][k] = -m[i][k]
		}
		t[i][i] += trace
	}
	return Mass{v, c, t}
}
