package scene

import (
	"yarvek/core/geom"
)

// WithTangents is the mesh with a tangent for every corner, made of its normals and
// its first UV set: corners that share a point, a normal and a texture coordinate
// share one, weighted by the area of their triangles (Lengyel 2001, "Computing
// tangent space basis vectors for an arbitrary mesh"). A mesh without normals or
// UVs, or with tangents already, comes back as it is.
func (m *Mesh) WithTangents() *Mesh {
	if m.Tangents.Has() || !m.Normals.Has() || len(m.UVs) == 0 || !m.UVs[0].Has() {
		return m
	}
	type key struct{ point, normal, uv int32 }
	at := map[key]int32{}
	index := make([]int32, len(m.Corners))
	var along, across []geom.Vec3 // sums of the directions of u and of v
	var normal []geom.Vec3
	uv := m.UVs[0]
	for c := range m.Corners {
		k := key{m.Corners[c], m.Normals.Index[c], uv.Index[c]}
		i, seen := at[k]
		if !seen {
			i = int32(len(along))
			at[k] = i
			along, across = append(along, geom.Vec3{}), append(across, geom.Vec3{})
			n := geom.Vec3{}
			if k.normal >= 0 {
				n = widen(m.Normals.Values[k.normal]).Unit()
			}
			normal = append(normal, n)
		}
		index[c] = i
	}
	m.EachTriangle(func(_ int, a, b, c int32) {
		if uv.Index[a] < 0 || uv.Index[b] < 0 || uv.Index[c] < 0 {
			return
		}
		p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
		s, t, u := uv.Values[uv.Index[a]], uv.Values[uv.Index[b]], uv.Values[uv.Index[c]]
		e, f := q.Sub(p), r.Sub(p)
		x1, y1, x2, y2 := t[0]-s[0], t[1]-s[1], u[0]-s[0], u[1]-s[1]
		d := x1*y2 - x2*y1
		if d == 0 {
			return
		}
		// Without dividing by d the sum is weighted by the area in the texture; its
		// sign keeps mirrored UVs turned the right way.
		if d > 0 {
			d = 1
		} else {
			d = -1
		}
		du := e.Mul(y2 * d).Sub(f.Mul(y1 * d))
		dv := f.Mul(x1 * d).Sub(e.Mul(x2 * d))
		for _, k := range []int32{a, b, c} {
			i := index[k]
			along[i], across[i] = along[i].Add(du), across[i].Add(dv)
		}
	})
	out := *m
	out.Tangents = Layer[[4]float32]{Values: make([][4]float32, len(along)), Index: index}
	for i, n := range normal {
		t := along[i].Sub(n.Mul(n.Dot(along[i]))).Unit()
		if t == (geom.Vec3{}) {
			t = anyAcross(n)
		}
		w := float32(1)
		if n.Cross(t).Dot(across[i]) < 0 {
			w = -1
		}
		v := narrow(t)
		out.Tangents.Values[i] = [4]float32{v[0], v[1], v[2], w}
	}
	return &out
}

// anyAcross is some unit vector across n, for corners whose UVs span nothing.
func anyAcross(n geom.Vec3) geom.Vec3 {
	for _, axis := range []geom.Vec3{{1, 0, 0}, {0, 1, 0}} {
		if t := axis.Sub(n.Mul(n.Dot(axis))); t.Len() > 0.1 {
			return t.Unit()
		}
	}
	return geom.Vec3{0, 0, 1}
}

// WithTangents gives every mesh its tangents.
func (s *Scene) WithTangents() *Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		out.Meshes[i] = m.WithTangents()
	}
	return out
}
