package scene

import (
	"math"

	"yarvek/core/geom"
)

// EachTriangle calls f with the three corners of every triangle the faces make,
// in order. A quad is cut along its shorter diagonal, unless only the other one
// lies inside; larger polygons lose one ear at a time in the plane of Newell's
// normal (Meisters 1975, "Polygons have ears"), and what has no ear left, a
// polygon that crosses itself, is cut as a fan.
func (m *Mesh) EachTriangle(f func(face int, a, b, c int32)) {
	var ring []int32
	var flat [][2]float64
	for face := range m.Faces() {
		s, e := m.FaceStart[face], m.FaceStart[face+1]
		switch e - s {
		case 3:
			f(face, s, s+1, s+2)
		case 4:
			if m.cutFirst(s) {
				f(face, s, s+1, s+2)
				f(face, s, s+2, s+3)
			} else {
				f(face, s, s+1, s+3)
				f(face, s+1, s+2, s+3)
			}
		default:
			ring, flat = m.project(s, e, ring[:0], flat[:0])
			clipEars(ring, flat, func(a, b, c int32) { f(face, a, b, c) })
		}
	}
}

// cutFirst tells whether the quad at corner s is cut from its first to its third corner.
func (m *Mesh) cutFirst(s int32) bool {
	var p [4]geom.Vec3
	for i := range p {
		p[i] = m.Points[m.Corners[s+int32(i)]]
	}
	n := p[2].Sub(p[0]).Cross(p[3].Sub(p[1]))
	convex := func(i int) bool {
		a, b, c := p[(i+3)%4], p[i], p[(i+1)%4]
		return b.Sub(a).Cross(c.Sub(b)).Dot(n) >= 0
	}
	// A dent at a corner must be an end of the cut.
	if !convex(0) || !convex(2) {
		return true
	}
	if !convex(1) || !convex(3) {
		return false
	}
	// A tie, as in a rectangle, must fall the same way after any rotation or
	// unit change, so rounding noise is not allowed to decide it.
	return p[0].Dist(p[2]) <= p[1].Dist(p[3])*(1+1e-9)
}

// project drops the axis most along the polygon's normal, keeping it anticlockwise.
func (m *Mesh) project(s, e int32, ring []int32, flat [][2]float64) ([]int32, [][2]float64) {
	var n geom.Vec3
	for i := s; i < e; i++ {
		j := i + 1
		if j == e {
			j = s
		}
		p, q := m.Points[m.Corners[i]], m.Points[m.Corners[j]]
		n = n.Add(geom.Vec3{
			(p[1] - q[1]) * (p[2] + q[2]),
			(p[2] - q[2]) * (p[0] + q[0]),
			(p[0] - q[0]) * (p[1] + q[1]),
		})
	}
	k := 0
	for i := range 3 {
		if math.Abs(n[i]) > math.Abs(n[k]) {
			k = i
		}
	}
	u, v := (k+1)%3, (k+2)%3
	if n[k] < 0 {
		u, v = v, u
	}
	for i := s; i < e; i++ {
		p := m.Points[m.Corners[i]]
		ring = append(ring, i)
		flat = append(flat, [2]float64{p[u], p[v]})
	}
	return ring, flat
}

// clipEars cuts a simple polygon, given by its projected corners, into triangles of its
// ring (Meisters 1975); what is left when no ear is found is cut as a fan.
func clipEars(ring []int32, p [][2]float64, f func(a, b, c int32)) {
	cross := func(a, b, c [2]float64) float64 {
		return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
	}
	ear := func(i int) bool {
		n := len(ring)
		h, j := (i+n-1)%n, (i+1)%n
		a, b, c := p[h], p[i], p[j]
		if cross(a, b, c) <= 0 {
			return false
		}
		for k := range n {
			if k == h || k == i || k == j {
				continue
			}
			q := p[k]
			if q == a || q == b || q == c {
				continue
			}
			if cross(a, b, q) >= 0 && cross(b, c, q) >= 0 && cross(c, a, q) >= 0 {
				return false
			}
		}
		return true
	}
	at := 0
	for len(ring) > 3 {
		n, found := len(ring), -1
		for k := range n {
			if ear((at + k) % n) {
				found = (at + k) % n
				break
			}
		}
		if found < 0 {
			break
		}
		f(ring[(found+n-1)%n], ring[found], ring[(found+1)%n])
		ring = append(ring[:found], ring[found+1:]...)
		p = append(p[:found], p[found+1:]...)
		// Starting beyond the ear keeps a convex polygon from becoming slivers round one corner.
		at = (found + 1) % len(ring)
	}
	for i := 1; i+1 < len(ring); i++ {
		f(ring[0], ring[i], ring[i+1])
	}
}

// Triangulated is the mesh with every polygon cut into triangles; all layers, slots
// and smoothing go along, and the cuts are smooth edges.
func (m *Mesh) Triangulated() *Mesh {
	if m.Triangles() == m.Faces() {
		return m
	}
	n := m.Triangles()
	from := make([]int32, 0, 3*n) // corner of m for each corner of the outcome
	out := *m
	out.FaceStart = make([]int32, n+1)
	if m.Slot != nil {
		out.Slot = make([]int32, 0, n)
	}
	if m.Smooth != nil {
		out.Smooth = make([]uint32, 0, n)
	}
	if m.Hard != nil {
		out.Hard = make([]bool, 0, 3*n)
	}
	m.EachTriangle(func(f int, a, b, c int32) {
		t := [3]int32{a, b, c}
		from = append(from, a, b, c)
		if m.Slot != nil {
			out.Slot = append(out.Slot, m.Slot[f])
		}
		if m.Smooth != nil {
			out.Smooth = append(out.Smooth, m.Smooth[f])
		}
		if m.Hard != nil {
			s, e := m.FaceStart[f], m.FaceStart[f+1]
			for i, k := range t {
				next := t[(i+1)%3]
				outline := next == k+1 || k == e-1 && next == s
				out.Hard = append(out.Hard, outline && m.Hard[k])
			}
		}
	})
	for i := range out.FaceStart {
		out.FaceStart[i] = int32(3 * i)
	}
	pick := func(index []int32) []int32 {
		if index == nil {
			return nil
		}
		list := make([]int32, len(from))
		for i, c := range from {
			list[i] = index[c]
		}
		return list
	}
	out.Corners = pick(m.Corners)
	out.Normals.Index = pick(m.Normals.Index)
	out.Tangents.Index = pick(m.Tangents.Index)
	out.Colors.Index = pick(m.Colors.Index)
	out.UVs = append([]UVSet(nil), m.UVs...)
	for i := range out.UVs {
		out.UVs[i].Index = pick(out.UVs[i].Index)
	}
	return &out
}

// Triangulated cuts every mesh of the scene.
func (s *Scene) Triangulated() *Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		out.Meshes[i] = m.Triangulated()
	}
	return out
}
