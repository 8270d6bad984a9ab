// Package mend puts right what is wrong with a mesh's surface. Each function does one thing,
// gives a new mesh and how much it changed, and returns the mesh itself when there is nothing
// to do. Lengths are in the mesh's own coordinates.
package mend

import (
	"context"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/scene"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// builder makes a mesh of corners of another one.
type builder struct {
	m     *scene.Mesh
	start []int32
	from  []int32 // of each corner, the corner of m whose layers it has
	point []int32
	face  []int32 // of each face, the one of m whose slot and group it has
	hard  []bool
}

func newBuilder(m *scene.Mesh) *builder { return &builder{m: m, start: []int32{0}} }

// add adds a face like face f with corners of m, on points of their own when point is nil.
func (b *builder) add(f int, corners, point []int32, hard func(k int) bool) {
	for k, c := range corners {
		p := b.m.Corners[c]
		if point != nil {
			p = point[k]
		}
		b.from, b.point = append(b.from, c), append(b.point, p)
		if b.m.Hard != nil {
			b.hard = append(b.hard, hard != nil && hard(k))
		}
	}
	b.start = append(b.start, int32(len(b.from)))
	b.face = append(b.face, int32(f))
}

// keep adds face f as it is.
func (b *builder) keep(f int) {
	for c := b.m.FaceStart[f]; c < b.m.FaceStart[f+1]; c++ {
		b.from, b.point = append(b.from, c), append(b.point, b.m.Corners[c])
		if b.m.Hard != nil {
			b.hard = append(b.hard, b.m.Hard[c])
		}
	}
	b.start = append(b.start, int32(len(b.from)))
	b.face = append(b.face, int32(f))
}

// mesh finishes it over the given points. Points that faces of m used and none uses any more
// go; those that none used stay.
func (b *builder) mesh(points []geom.Vec3) *scene.Mesh {
	out := b.m.Remade(b.start, b.from, b.face)
	was := b.m.Used()
	for len(was) < len(points) {
		was = append(was, true) // a new one
	}
	out.Points, out.Corners, out.Hard = points, b.point, b.hard
	return out.WithoutLoose(was)
}

// Unused takes out the points no face uses.
func Unused(m *scene.Mesh) (*scene.Mesh, int) {
	all := make([]bool, len(m.Points))
	for i := range all {
		all[i] = true
	}
	out := *m
	out.Corners = slices.Clone(m.Corners)
	next := out.WithoutLoose(all)
	if n := len(m.Points) - len(next.Points); n > 0 {
		return next, n
	}
	return m, 0
}

// Faces takes out faces, given in ascending order.
func Faces(m *scene.Mesh, list []int32) *scene.Mesh {
	if len(list) == 0 {
		return m
	}
	b := newBuilder(m)
	for f := range m.Faces() {
		if len(list) > 0 && list[0] == int32(f) {
			list = list[1:]
			continue
		}
		b.keep(f)
	}
	return b.mesh(m.Points)
}

// Weld joins points within tol of one another, and those at one place ([topo.OnePlace]) in any
// case, each with the first of its place, and drops what faces become lines by it. Seams stay:
// texture coordinates and normals belong to corners. When ctx ends it returns early, and what it
// returns means nothing.
func Weld(ctx context.Context, m *scene.Mesh, tol float64) (out *scene.Mesh, joined, gone int) {
	return onto(m, topo.Places(ctx, m.Points, max(tol, topo.OnePlace(m.Points))))
}

// ShortEdges joins the ends of edges shorter than tol, and drops what faces become lines by it.
func ShortEdges(ctx context.Context, m *scene.Mesh, tol float64) (out *scene.Mesh, joined, gone int) {
	f := flaw.Find(ctx, m, flaw.Limits{Edge: tol})
	if ctx.Err() != nil {
		return m, 0, 0
	}
	places := union.New(len(m.Points))
	for _, e := range f.Short {
		places.Join(f.Net.Ends(int(e)))
	}
	to := make([]int32, len(m.Points))
	for i, p := range f.Net.Place {
		// Points at one place are moved together, and stay apart where they were.
		if to[i] = places.Find(p); to[i] == p {
			to[i] = int32(i)
		}
	}
	return onto(m, to)
}

// onto puts every corner on the point that is given for its own.
func onto(m *scene.Mesh, to []int32) (out *scene.Mesh, joined, gone int) {
	used := m.Used()
	for i, p := range to {
		if used[i] && p != int32(i) {
			joined++
		}
	}
	if joined == 0 {
		return m, 0, 0
	}
	b := newBuilder(m)
	var ring []int32
	var point []int32
	for f := range m.Faces() {
		ring, point = ring[:0], point[:0]
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			if p := to[m.Corners[c]]; len(point) == 0 || point[len(point)-1] != p {
				ring, point = append(ring, c), append(point, p)
			}
		}
		if len(point) > 1 && point[0] == point[len(point)-1] {
			ring, point = ring[:len(ring)-1], point[:len(point)-1]
		}
		if len(ring) < 3 {
			if corners := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]; distinct(corners) >= 3 {
				gone++
				continue
			}
			b.keep(f) // it was a line before, which is another flaw
			for k := int(b.start[len(b.start)-2]); k < len(b.point); k++ {
				b.point[k] = to[b.point[k]]
			}
			continue
		}
		b.add(f, ring, point, func(k int) bool { return m.Hard[ring[k]] })
	}
	return b.mesh(m.Points), joined, gone
}

// distinct counts the points of a small face, up to three.
func distinct(list []int32) int {
	n := 1
	second := list[0]
	for _, p := range list[1:] {
		if p != list[0] && p != second {
			if n++; n == 3 {
				return n
			}
			second = p
		}
	}
	return n
}

// Turn turns faces round, and their normals where these would point behind them then.
func Turn(m *scene.Mesh, list []int32) *scene.Mesh {
	if len(list) == 0 {
		return m
	}
	turn := make([]bool, m.Faces())
	for _, f := range list {
		turn[f] = true
	}
	b := newBuilder(m)
	for f := range m.Faces() {
		if !turn[f] {
			b.keep(f)
			continue
		}
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		ring := []int32{s}
		for c := e - 1; c > s; c-- {
			ring = append(ring, c)
		}
		n := len(ring)
		// The edge from a corner to the next is, turned round, the one that ends there.
		b.add(f, ring, nil, func(k int) bool { return m.Hard[ring[(k+1)%n]] })
	}
	out := b.mesh(m.Points)
	if !out.Normals.Has() {
		return out
	}
	out.Normals.Values = slices.Clone(out.Normals.Values)
	negated := map[int32]int32{}
	for _, f := range list {
		n := out.FaceNormal(int(f))
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			i := out.Normals.Index[c]
			if i < 0 {
				continue
			}
			v := out.Normals.Values[i]
			if n.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}) >= 0 {
				continue
			}
			k, ok := negated[i]
			if !ok {
				k = int32(len(out.Normals.Values))
				out.Normals.Values = append(out.Normals.Values, [3]float32{-v[0], -v[1], -v[2]})
				negated[i] = k
			}
			out.Normals.Index[c] = k
		}
	}
	if out.Tangents.Has() { // their handedness goes by the winding
		out.Tangents = scene.Layer[[4]float32]{}
	}
	return out
}

// Flat cuts the polygons that are bent or concave, given in ascending order, into triangles:
// receivers cut them each in their own way.
func Flat(m *scene.Mesh, list []int32) *scene.Mesh {
	if len(list) == 0 {
		return m
	}
	cut := make([]bool, m.Faces())
	for _, f := range list {
		cut[f] = true
	}
	b := newBuilder(m)
	last := -1
	m.EachTriangle(func(f int, p, q, r int32) {
		if !cut[f] {
			if f != last {
				b.keep(f)
			}
			last = f
			return
		}
		t := []int32{p, q, r}
		b.add(f, t, nil, func(k int) bool { return m.HardAfter(f, t[k], t[(k+1)%3]) })
	})
	return b.mesh(m.Points)
}

// Units gives every corner a normal of unit length; see [scene.Mesh.Strict].
func Units(m *scene.Mesh) (*scene.Mesh, int) {
	s, did := m.Strict()
	if did.Normals == 0 {
		return m, 0
	}
	out := *m
	out.Normals = s.Normals
	return &out, did.Normals
}
