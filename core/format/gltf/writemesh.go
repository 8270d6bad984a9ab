package gltf

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// meshes writes all meshes, a primitive a slot.
func (w *writer) meshes() {
	w.meshAt = make([]int, len(w.s.Meshes))
	for i, m := range w.s.Meshes {
		w.meshAt[i] = -1
		if m.Faces() == 0 || w.ctx.Err() != nil {
			continue
		}
		if m.Triangles() != m.Faces() {
			w.out.Say(pack.Polygons, fmt.Sprintf("polygons of “%s” became triangles", m.Name), "glTF knows triangles only")
		}
		out := mesh{Name: m.Name}
		l := w.layersOf(m)
		for _, p := range cut(m) {
			out.Primitives = append(out.Primitives, w.primitive(l, p))
		}
		w.meshAt[i] = len(w.doc.Meshes)
		w.doc.Meshes = append(w.doc.Meshes, out)
	}
}

// slotPart is the triangles of one slot, as corners of the mesh.
type slotPart struct {
	slot    int
	corners []int32
}

// cut sorts the triangles by slot, keeping their order within one.
func cut(m *scene.Mesh) []slotPart {
	parts := make([]slotPart, max(1, len(m.Slots)))
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
		parts[k] = slotPart{k, make([]int32, 0, 3*count[k])}
	}
	m.EachTriangle(func(f int, a, b, c int32) {
		p := &parts[slot(f)]
		p.corners = append(p.corners, a, b, c)
	})
	var used []slotPart
	for _, p := range parts {
		if len(p.corners) > 0 {
			used = append(used, p)
		}
	}
	return used
}

// layers are a mesh and what all its slots need of it.
type layers struct {
	*scene.Mesh
	normals scene.Layer[[3]float32] // its own, or those of its smoothing groups; all of unit length
}

// layersOf prepares a mesh.
func (w *writer) layersOf(m *scene.Mesh) layers {
	m, _ = m.Strict() // which format.Write has told of already
	normals := m.Normals
	if !normals.Has() && m.Smooth != nil {
		normals = m.SmoothNormals()
		w.out.Say(pack.Smoothing, fmt.Sprintf("smoothing groups of “%s” became normals", m.Name), "glTF has no smoothing groups")
	} else if m.Smooth != nil {
		w.out.Say(pack.Smoothing, fmt.Sprintf("smoothing groups of “%s”", m.Name), "glTF has none; the normals say the same")
	}
	return layers{m, normals}
}

// primitive writes one slot. Corners that agree in every layer share a vertex.
func (w *writer) primitive(l layers, p slotPart) primitive {
	m, normals := l.Mesh, l.normals
	keys := [][]int32{}
	for _, idx := range [][]int32{normals.Index, m.Tangents.Index, m.Colors.Index} {
		if idx != nil {
			keys = append(keys, idx)
		}
	}
	for _, u := range m.UVs {
		keys = append(keys, u.Index)
	}
	corner, index := share(w.ctx, m, p.corners, keys)
	if w.ctx.Err() != nil {
		return primitive{} // nobody waits for it
	}

	out := primitive{Attributes: map[string]int{}}
	pos := make([]float32, 0, 3*len(corner))
	for _, c := range corner {
		q := m.Points[m.Corners[c]]
		pos = append(pos, float32(q[0]), float32(q[1]), float32(q[2]))
	}
	out.Attributes["POSITION"] = w.floats("VEC3", pos, true)
	if normals.Has() {
		n := make([]float32, 0, 3*len(corner))
		for _, c := range corner {
			v := normals.Values[normals.Index[c]]
			n = append(n, v[0], v[1], v[2])
		}
		out.Attributes["NORMAL"] = w.floats("VEC3", n, false)
	}
	if t, ok := tangents(m, corner); ok && normals.Has() {
		out.Attributes["TANGENT"] = w.floats("VEC4", t, false)
	}
	if m.Colors.Has() {
		col := make([]float32, 0, 4*len(corner))
		for _, c := range corner {
			v := [4]float32{1, 1, 1, 1}
			if i := m.Colors.Index[c]; i >= 0 {
				v = m.Colors.Values[i]
			}
			col = append(col, v[0], v[1], v[2], v[3])
		}
		out.Attributes["COLOR_0"] = w.floats("VEC4", col, false)
	}
	for k, u := range m.UVs {
		uv := make([]float32, 0, 2*len(corner))
		for _, c := range corner {
			var v [2]float64
			if i := u.Index[c]; i >= 0 {
				v = u.Values[i]
			}
			uv = append(uv, float32(v[0]), float32(1-v[1]))
		}
		out.Attributes[fmt.Sprintf("TEXCOORD_%d", k)] = w.floats("VEC2", uv, false)
	}
	i := w.indices(index, len(corner))
	out.Indices = &i
	if p.slot < len(m.Slots) && m.Slots[p.slot] >= 0 {
		k := m.Slots[p.slot]
		out.Material = &k
	}
	return out
}

// share gives corners with equal keys one vertex: it returns a corner for each vertex and
// a vertex for each of the given corners. Vertices are found by a hash of their numbers in
// all layers, so that many round one point cost no more than others.
func share(ctx context.Context, m *scene.Mesh, corners []int32, keys [][]int32) (corner []int32, index []uint32) {
	keys = append([][]int32{m.Corners}, keys...)
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

// tangents are written only when every vertex has a sound one.
func tangents(m *scene.Mesh, corner []int32) ([]float32, bool) {
	if !m.Tangents.Has() {
		return nil, false
	}
	out := make([]float32, 0, 4*len(corner))
	for _, c := range corner {
		i := m.Tangents.Index[c]
		if i < 0 {
			return nil, false
		}
		v := m.Tangents.Values[i]
		t := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}.Unit()
		if t == (geom.Vec3{}) {
			return nil, false
		}
		out = append(out, float32(t[0]), float32(t[1]), float32(t[2]), float32(math.Copysign(1, float64(v[3]))))
	}
	return out, true
}
