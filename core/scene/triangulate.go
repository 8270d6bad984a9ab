package scene

import (
	"math"

	"yarvek/core/geom"
)

// EachTriangle calls f with the three corners of every triangle the faces make,
// in order. A quad is cut along its shorter diagonal, unless only the other one
// lies inside, and of equal ones along that which bulges outward; larger polygons lose one ear at a time in the plane
// of Newell's normal (Meisters 1975, "Polygons have ears"), and what has no ear left, a
// polygon that crosses itself, is cut as a fan.
func (m *Mesh) EachTriangle(f func(face int, a, b, c int32)) { m.EachTriangleIn(0, m.Faces(), f) }

// EachTriangleIn is the same of the faces from one up to another.
func (m *Mesh) EachTriangleIn(from, to int, f func(face int, a, b, c int32)) {
	var ring []int32
	var flat [][2]float64
	var clip clipper
	for face := from; face < to; face++ {
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
			if e-s >= hugePolygon {
				for t := m.hugeCut(s, e); len(t) > 0; t = t[3:] {
					f(face, s+t[0], s+t[1], s+t[2])
				}
				continue
			}
			ring, flat = m.project(s, e, ring[:0], flat[:0])
			clip.cut(ring, flat, func(a, b, c int32) { f(face, a, b, c) })
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
	// A tie, as in a rectangle, must fall the same way after any rotation or unit change, so
	// rounding noise is not allowed to decide it; and the same way on the mirrored half, where
	// the corners run round from another one: the cut that bulges outward is made.
	d, e := p[0].Dist(p[2]), p[1].Dist(p[3])
	if math.Abs(d-e) > 1e-9*d {
		return d < e
	}
	return p[3].Sub(p[0]).Dot(p[1].Sub(p[0]).Cross(p[2].Sub(p[0]))) <= 1e-9*d*d*d
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

// clipper cuts simple polygons. It keeps its arrays from polygon to polygon.
type clipper struct {
	p          [][2]float64 // the corners on the plane, anticlockwise
	prev, next []int32      // the corners left, as a ring
	dent       []bool       // of a corner: not convex, which only dents can be in an ear's way

	// Dents by cells of a grid over the polygon, cell after cell; later are those that
	// came to be while cutting, as corners on a line do.
	side        int
	low, cell   [2]float64
	start, held []int32
	later       []int32

	steps int // that are left for looking for ears
	sweep sweeper
}

// Looking for ears may take this many steps a corner, each a point held against a
// triangle, before the polygon is swept instead.
const earSteps = 64

// gridFrom is the number of corners from which on dents are looked up by a grid.
const gridFrom = 48

func cross2(a, b, c [2]float64) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

// cut cuts the polygon p into triangles of its ring's numbers, one ear after the other
// (Meisters 1975): a convex corner whose triangle holds no dent. Beginning beyond the
// last ear keeps a convex polygon from becoming slivers round one corner. What is left
// after a number of steps in keeping with its corners, of a polygon of long teeth or one
// coiled like a spring, is swept in n log n steps; and what is left when neither cuts it,
// of a polygon that crosses itself, is cut as a fan.
func (c *clipper) cut(ring []int32, p [][2]float64, f func(a, b, c int32)) {
	n := int32(len(ring))
	c.p, c.prev, c.next, c.dent = p, c.prev[:0], c.next[:0], c.dent[:0]
	for i := range n {
		c.prev, c.next = append(c.prev, (i+n-1)%n), append(c.next, (i+1)%n)
	}
	dents := 0
	for i := range n {
		c.dent = append(c.dent, c.dented(i))
		if c.dent[i] {
			dents++
		}
	}
	c.index(dents)
	c.steps = earSteps * int(n+gridFrom)
	left, at := n, int32(0)
	for left > 3 {
		i, tried := at, int32(0)
		for ; tried < left && c.steps > 0 && !c.ear(i); tried++ {
			i = c.next[i]
		}
		if tried == left || c.steps <= 0 {
			break
		}
		h, j := c.prev[i], c.next[i]
		f(ring[h], ring[i], ring[j])
		c.next[h], c.prev[j] = j, h
		c.prev[i], c.dent[i] = -1, false
		for _, k := range [2]int32{h, j} {
			was := c.dent[k]
			if c.dent[k] = c.dented(k); c.dent[k] && !was {
				c.later = append(c.later, k)
			}
		}
		left--
		at = c.next[j]
	}
	first := int32(0)
	for c.prev[first] < 0 {
		first++
	}
	if left > 3 && c.steps <= 0 {
		rest := make([]int32, 0, left)
		for i := first; len(rest) < int(left); i = c.next[i] {
			rest = append(rest, i)
		}
		if list, ok := c.sweep.cut(rest, p); ok {
			for _, t := range list {
				f(ring[t[0]], ring[t[1]], ring[t[2]])
			}
			return
		}
	}
	for i := c.next[first]; c.next[i] != first; i = c.next[i] {
		f(ring[first], ring[i], ring[c.next[i]])
	}
}

// Cutter cuts polygons on the plane into triangles; see [Mesh.EachTriangle]. The zero value is
// ready for use, and keeps its arrays from one to the next.
type Cutter struct{ clip clipper }

// Cut calls f with the triangles of a polygon, three of ring's numbers each. p are its corners,
// anticlockwise. A polygon that crosses itself is cut as a fan.
func (c *Cutter) Cut(ring []int32, p [][2]float64, f func(a, b, c int32)) {
	switch len(ring) {
	case 0, 1, 2:
	case 3:
		f(ring[0], ring[1], ring[2])
	default:
		c.clip.cut(ring, p, f)
	}
}

// dented tells whether the corner is not convex as the ring is now.
func (c *clipper) dented(i int32) bool { return cross2(c.p[c.prev[i]], c.p[i], c.p[c.next[i]]) <= 0 }

// index sorts the dents into the cells of a grid of about as many cells; few of them
// are one cell.
func (c *clipper) index(dents int) {
	c.later = c.later[:0]
	c.side = 1
	if len(c.p) >= gridFrom {
		c.side = max(1, min(1024, int(math.Sqrt(float64(dents)))))
	}
	lo, hi := c.p[0], c.p[0]
	for _, q := range c.p {
		for k := range 2 {
			lo[k], hi[k] = min(lo[k], q[k]), max(hi[k], q[k])
		}
	}
	c.low = lo
	for k := range 2 {
		c.cell[k] = max((hi[k]-lo[k])/float64(c.side), math.SmallestNonzeroFloat64)
	}
	cells := c.side * c.side
	c.start = append(c.start[:0], make([]int32, cells+1)...)
	for i, d := range c.dent {
		if d {
			c.start[c.cellOf(c.p[i])+1]++
		}
	}
	for k := range cells {
		c.start[k+1] += c.start[k]
	}
	c.held = append(c.held[:0], make([]int32, dents)...)
	for i := len(c.dent) - 1; i >= 0; i-- { // from behind: the starts move to the front of their cells
		if c.dent[i] {
			k := c.cellOf(c.p[i]) + 1
			c.start[k]--
			c.held[c.start[k]] = int32(i)
		}
	}
	copy(c.start, c.start[1:])
	c.start[cells] = int32(dents)
}

// column is the cell of a coordinate along an axis, within the grid.
func (c *clipper) column(v float64, k int) int {
	return max(0, min(c.side-1, int((v-c.low[k])/c.cell[k])))
}

func (c *clipper) cellOf(q [2]float64) int { return c.column(q[1], 1)*c.side + c.column(q[0], 0) }

// ear tells whether the corner can be cut off: it is convex, and no dent lies in its
// triangle or on its sides.
func (c *clipper) ear(i int32) bool {
	h, j := c.prev[i], c.next[i]
	a, b, d := c.p[h], c.p[i], c.p[j]
	c.steps--
	if c.dent[i] || cross2(a, b, d) <= 0 {
		return false
	}
	clear := func(list []int32) bool {
		c.steps -= len(list)
		for _, k := range list {
			q := c.p[k]
			if !c.dent[k] || k == h || k == j || q == a || q == b || q == d {
				continue
			}
			if cross2(a, b, q) >= 0 && cross2(b, d, q) >= 0 && cross2(d, a, q) >= 0 {
				return false
			}
		}
		return true
	}
	if !clear(c.later) {
		return false
	}
	x0, x1 := c.column(min(a[0], b[0], d[0]), 0), c.column(max(a[0], b[0], d[0]), 0)
	for y, y1 := c.column(min(a[1], b[1], d[1]), 1), c.column(max(a[1], b[1], d[1]), 1); y <= y1; y++ {
		if c.steps--; !clear(c.held[c.start[y*c.side+x0]:c.start[y*c.side+x1+1]]) {
			return false
		}
	}
	return true
}

// Triangulated is the mesh with every polygon cut into triangles; all layers, slots
// and smoothing go along, and the cuts are smooth edges.
func (m *Mesh) Triangulated() *Mesh {
	if m.Triangles() == m.Faces() {
		return m
	}
	n := m.Triangles()
	from, face := make([]int32, 0, 3*n), make([]int32, 0, n) // corners and faces of m
	var hard []bool
	if m.Hard != nil {
		hard = make([]bool, 0, 3*n)
	}
	m.EachTriangle(func(f int, a, b, c int32) {
		from, face = append(from, a, b, c), append(face, int32(f))
		if m.Hard != nil {
			hard = append(hard, m.HardAfter(f, a, b), m.HardAfter(f, b, c), m.HardAfter(f, c, a))
		}
	})
	start := make([]int32, n+1)
	for i := range start {
		start[i] = int32(3 * i)
	}
	out := m.Remade(start, from, face)
	out.Hard = hard
	return out
}

// HardAfter tells of a triangle that face f is cut into whether its side from corner a to b is a
// hard edge: cuts are not.
func (m *Mesh) HardAfter(f int, a, b int32) bool {
	return m.Hard != nil && m.Hard[a] && (b == a+1 || a == m.FaceStart[f+1]-1 && b == m.FaceStart[f])
}

// Triangulated cuts every mesh of the scene.
func (s *Scene) Triangulated() *Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		out.Meshes[i] = m.Triangulated()
	}
	return out
}
