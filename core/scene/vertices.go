package scene

import (
	"context"
	"math"
)

// VertexKeys are lists of numbers for the corners: corners that have the same number in every
// list agree in point, normal, tangent, colour and all texture coordinates, and are one vertex
// where they have one slot. Values that are written twice count as one; points that stand
// together are two. normals are the mesh's or those that stand for them.
func (m *Mesh) VertexKeys(normals Layer[[3]float32]) [][]int32 {
	keys := [][]int32{m.Corners}
	if normals.Has() {
		keys = append(keys, interned(normals, func(v [3]float32) uint64 {
			return uint64(math.Float32bits(v[0]))<<32 | uint64(math.Float32bits(v[1]))*31 ^ uint64(math.Float32bits(v[2]))<<16
		}))
	}
	four := func(v [4]float32) uint64 {
		return uint64(math.Float32bits(v[0]))<<32 ^ uint64(math.Float32bits(v[1]))<<11 ^ uint64(math.Float32bits(v[2]))*31 ^
			uint64(math.Float32bits(v[3]))<<43
	}
	if m.Tangents.Has() {
		keys = append(keys, interned(m.Tangents, four))
	}
	if m.Colors.Has() {
		keys = append(keys, interned(m.Colors, four))
	}
	for _, u := range m.UVs {
		if u.Has() {
			keys = append(keys, interned(u.Layer, func(v [2]float64) uint64 { return math.Float64bits(v[0])*31 ^ math.Float64bits(v[1]) }))
		}
	}
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
