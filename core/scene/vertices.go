package scene

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// VertexKeys are lists of numbers for the corners: corners that have the same number in every
// list agree in point, normal, tangent, colour and all texture coordinates, and are one vertex
// where they have one slot. Values that are written twice count as one; points that stand
// together are two. normals are the mesh's or those that stand for them.
func (m *Mesh) VertexKeys(normals Layer[[3]float32]) [][]int32 {
	keys := [][]int32{m.Corners}
	var tasks []func()
	add := func(has bool, of func() []int32) {
		if has {
			k := len(keys)
			keys = append(keys, nil)
			tasks = append(tasks, func() { keys[k] = of() })
		}
	}
	add(normals.Has(), func() []int32 {
		return interned(normals, func(v [3]float32) uint64 {
			return uint64(math.Float32bits(v[0]))<<32 | uint64(math.Float32bits(v[1]))*31 ^ uint64(math.Float32bits(v[2]))<<16
		})
	})
	four := func(v [4]float32) uint64 {
		return uint64(math.Float32bits(v[0]))<<32 ^ uint64(math.Float32bits(v[1]))<<11 ^ uint64(math.Float32bits(v[2]))*31 ^
			uint64(math.Float32bits(v[3]))<<43
	}
	add(m.Tangents.Has(), func() []int32 { return interned(m.Tangents, four) })
	add(m.Colors.Has(), func() []int32 { return interned(m.Colors, four) })
	for _, u := range m.UVs {
		add(u.Has(), func() []int32 {
			return interned(u.Layer, func(v [2]float64) uint64 { return math.Float64bits(v[0])*31 ^ math.Float64bits(v[1]) })
		})
	}
	split.Together(tasks...)
	return keys
}

// interned is a layer's index with equal values under one number.
func interned[T comparable](l Layer[T], hash func(T) uint64) []int32 {
	size := 16
	for size < 2*len(l.Values) {
		size *= 2
	}
	table := make([]int32, size) // of a value, plus one
	same := make([]int32, len(l.Values))
	twice := false
	for i, v := range l.Values {
		k := int(hash(v)*0x9e3779b97f4a7c15>>20) & (size - 1)
		for table[k] > 0 && l.Values[table[k]-1] != v {
			k = (k + 1) & (size - 1)
		}
		if table[k] == 0 {
			table[k] = int32(i) + 1
		} else {
			twice = true
		}
		same[i] = table[k] - 1
	}
	if !twice {
		return l.Index
	}
	out := make([]int32, len(l.Index))
	for c, i := range l.Index {
		if out[c] = i; i >= 0 {
			out[c] = same[i]
		}
	}
	return out
}

// Share gives corners with equal keys one vertex: it returns a corner for each vertex and
// a vertex for each of the given corners. Vertices are found by a hash of their numbers in
// all lists, so that many round one point cost no more than others. When ctx ends it returns
// early, and what it returns means nothing.
func Share(ctx context.Context, corners []int32, keys [][]int32) (corner []int32, index []uint32) {
	size := 1
	for size < len(corners) {
		size *= 2
	}
	head := make([]int32, size) // the first vertex of a hash, plus one
	var next []int32
	index = make([]uint32, 0, len(corners))
	same := func(a, b int32) bool {
		for _, k := range keys {
			if k[a] != k[b] {
				return false
			}
		}
		return true
	}
	hash := func(c int32) int {
		h := uint64(0)
		for _, k := range keys {
			h = (h ^ uint64(uint32(k[c]))) * 0x9e3779b97f4a7c15
			h ^= h >> 29
		}
		return int(h) & (size - 1)
	}
	for i, c := range corners {
		if i&0xffff == 0 && ctx.Err() != nil {
			return corner, index
		}
		at := hash(c)
		v := head[at] - 1
		for v >= 0 && !same(corner[v], c) {
			v = next[v]
		}
		if v < 0 {
			v = int32(len(corner))
			corner = append(corner, c)
			next = append(next, head[at]-1)
			head[at] = v + 1
		}
		index = append(index, uint32(v))
	}
	return corner, index
}

// SlotCorners are the triangles' corners of each slot that faces use, in the order of the
// faces: what one draw call draws.
func (m *Mesh) SlotCorners() (slots []int, corners [][]int32) {
	parts := make([][]int32, max(1, len(m.Slots)))
	count := make([]int, len(parts))
	slot := func(f int) int {
		if m.Slot == nil {
			return 0
		}
		return int(m.Slot[f])
	}
	for f := range m.Faces() {
		count[slot(f)] += int(m.FaceStart[f+1]-m.FaceStart[f]) - 2
	}
	for k := range parts {
		parts[k] = make([]int32, 0, 3*count[k])
	}
	m.EachTriangle(func(f int, a, b, c int32) {
		k := slot(f)
		parts[k] = append(parts[k], a, b, c)
	})
	for k, p := range parts {
		if len(p) > 0 {
			slots, corners = append(slots, k), append(corners, p)
		}
	}
	return slots, corners
}

// Remade is a mesh of corners of this one, given by number, in faces that begin at start: each
// corner has its point and all it carries, each face the slot and the smoothing group of the one
// named in face. What it says of hard edges is left for the caller to set.
func (m *Mesh) Remade(start, from, face []int32) *Mesh {
	out := *m
	out.FaceStart, out.Hard = start, nil
	out.Corners = picks(m.Corners, from)
	out.Normals.Index, out.Tangents.Index = picks(m.Normals.Index, from), picks(m.Tangents.Index, from)
	out.Colors.Index = picks(m.Colors.Index, from)
	out.UVs = append([]UVSet(nil), m.UVs...)
	for i := range out.UVs {
		out.UVs[i].Index = picks(out.UVs[i].Index, from)
	}
	out.Slot, out.Smooth = picks(m.Slot, face), picks(m.Smooth, face)
	return &out
}

// picks are the values of a list at some places, nil of a list that is not there.
func picks[T any](list []T, at []int32) []T {
	if list == nil {
		return nil
	}
	out := make([]T, len(at))
	for i, k := range at {
		out[i] = list[k]
	}
	return out
}

// WithoutLoose is the mesh without the points that may go and that no face uses. The numbers of
// its corners' points are changed in place: the mesh must be one that was made just now.
func (m *Mesh) WithoutLoose(may []bool) *Mesh {
	used := m.Used()
	number := make([]int32, len(m.Points))
	var points []geom.Vec3
	for p, q := range m.Points {
		if used[p] || !may[p] {
			number[p] = int32(len(points))
			points = append(points, q)
		}
	}
	m.Points = points
	for i, p := range m.Corners {
		m.Corners[i] = number[p]
	}
	return m
}

// Reordered is the mesh with its faces in another order, all of them, and its points in the order
// of their first use; points nothing uses come last.
func (m *Mesh) Reordered(faces []int32) *Mesh {
	at := make([]int32, 1, len(faces)+1)
	from := make([]int32, 0, len(m.Corners))
	for _, f := range faces {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			from = append(from, c)
		}
		at = append(at, int32(len(from)))
	}
	out := m.Remade(at, from, faces)
	out.Hard = picks(m.Hard, from)
	number := make([]int32, len(m.Points)) // plus one
	out.Points = make([]geom.Vec3, 0, len(m.Points))
	for i, p := range out.Corners {
		if number[p] == 0 {
			out.Points = append(out.Points, m.Points[p])
			number[p] = int32(len(out.Points))
		}
		out.Corners[i] = number[p] - 1
	}
	for p, n := range number {
		if n == 0 {
			out.Points = append(out.Points, m.Points[p])
		}
	}
	return out
}

// WithSlots is the mesh with another list of slots, in its order. What its faces use and the list has
// not is added at its end.
func (m *Mesh) WithSlots(slots []int) *Mesh {
	if slices.Equal(m.Slots, slots) {
		return m
	}
	out := *m
	out.Slots = slots
	to := make([]int32, max(1, len(m.Slots)))
	for k := range to {
		mat := -1
		if k < len(m.Slots) {
			mat = m.Slots[k]
		}
		i := slices.Index(slots, mat)
		if i < 0 {
			if mat >= 0 || len(slots) > 0 {
				out.Slots = append(slices.Clone(out.Slots), mat)
				i = len(out.Slots) - 1
			} else {
				i = 0
			}
		}
		to[k] = int32(i)
	}
	out.Slot = make([]int32, m.Faces())
	for f := range out.Slot {
		k := int32(0)
		if m.Slot != nil {
			k = m.Slot[f]
		}
		out.Slot[f] = to[k]
	}
	return &out
}
