package gltf

import (
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
		slots, corners := m.SlotCorners()
		for k, slot := range slots {
			out.Primitives = append(out.Primitives, w.primitive(l, slot, corners[k]))
		}
		w.meshAt[i] = len(w.doc.Meshes)
		w.doc.Meshes = append(w.doc.Meshes, out)
	}
}

// layers are a mesh and what all its slots need of it.
type layers struct {
	*scene.Mesh
	normals scene.Layer[[3]float32] // its own, or those of its smoothing groups; all of unit length
	keys    [][]int32               // equal in corners that are one vertex
}

// layersOf prepares a mesh.
func (w *writer) layersOf(m *scene.Mesh) layers {
	m, _ = m.Strict() // which format.Write has told of already
	normals := m.Normals
	if !normals.Has() && m.Smooth != nil {
		normals = m.SmoothNormals()
		w.out.Say(pack.Smoothing, fmt.Sprintf("smoothing groups of “%s” became normals", m.Name),
			"glTF has no smoothing groups")
	} else if m.Smooth != nil {
		w.out.Say(pack.Smoothing, fmt.Sprintf("smoothing groups of “%s”", m.Name), "glTF has none; the normals say the same")
	}
	return layers{m, normals, m.VertexKeys(normals)}
}

// primitive writes one slot. Corners that agree in every layer share a vertex.
func (w *writer) primitive(l layers, slot int, corners []int32) primitive {
	m, normals := l.Mesh, l.normals
	corner, index := scene.Share(w.ctx, corners, l.keys)
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
	if slot < len(m.Slots) && m.Slots[slot] >= 0 {
		k := m.Slots[slot]
		out.Material = &k
	}
	return out
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
