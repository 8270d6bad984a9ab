package scene

import (
	"math"
	"slices"

	"yarvek/core/geom"
)

// Flattened bakes every node's world transform into its mesh and leaves one root
// node with the identity for each node that places a mesh. Instances become
// meshes of their own; nodes without a mesh are gone.
func (s *Scene) Flattened() *Scene {
	out := *s
	out.Nodes, out.Meshes = nil, nil
	hidden := s.Unseen()
	for i, w := range s.Worlds() {
		n := s.Nodes[i]
		if n.Mesh < 0 {
			continue
		}
		out.Nodes = append(out.Nodes, Node{Name: n.Name, Kind: KindMesh, Parent: -1, Mesh: len(out.Meshes),
			Local:  geom.Identity,
			Hidden: hidden[i]})
		out.Meshes = append(out.Meshes, s.Meshes[n.Mesh].Mapped(w))
	}
	return &out
}

// Shears tells whether a node's own map is more than translation, rotation and
// scale, which the nodes of most formats can't hold.
func (s *Scene) Shears() bool {
	return slices.ContainsFunc(s.Nodes, func(n Node) bool { return n.Local.M.Shears() })
}

// FaceNormal is Newell's normal of a face, with twice its area as length.
func (m *Mesh) FaceNormal(f int) geom.Vec3 {
	var n geom.Vec3
	s, e := m.FaceStart[f], m.FaceStart[f+1]
	// Taken from the first corner: far from the origin the plain sum would lose digits.
	o := m.Points[m.Corners[s]]
	for i := s + 1; i+1 < e; i++ {
		n = n.Add(m.Points[m.Corners[i]].Sub(o).Cross(m.Points[m.Corners[i+1]].Sub(o)))
	}
	return n
}

// SmoothNormals makes normals out of smoothing groups: at each point the faces of
// one group share a normal, weighted by their angle there (Thürmer and Wüthrich
// 1998, "Computing vertex normals from polygonal facets"); faces of group 0 are
// flat. It returns no layer for a mesh that says nothing of smoothing.
func (m *Mesh) SmoothNormals() Layer[[3]float32] {
	if m.Smooth == nil {
		return Layer[[3]float32]{}
	}
	type key struct {
		point int32
		group uint32
	}
	at := map[key]int32{}
	var sums []geom.Vec3
	index := make([]int32, len(m.Corners))
	for f := range m.Faces() {
		n := m.FaceNormal(f).Unit()
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		flat := int32(len(sums))
		if m.Smooth[f] == 0 {
			sums = append(sums, n)
		}
		for c := s; c < e; c++ {
			if m.Smooth[f] == 0 {
				index[c] = flat
				continue
			}
			k := key{m.Corners[c], m.Smooth[f]}
			i, ok := at[k]
			if !ok {
				i = int32(len(sums))
				at[k] = i
				sums = append(sums, geom.Vec3{})
			}
			sums[i] = sums[i].Add(n.Mul(m.angle(s, e, c)))
			index[c] = i
		}
	}
	l := Layer[[3]float32]{Values: make([][3]float32, len(sums)), Index: index}
	for i, v := range sums {
		l.Values[i] = narrow(v.Unit())
	}
	return l
}

// angle is the inner angle of a face s..e at corner c.
func (m *Mesh) angle(s, e, c int32) float64 {
	prev, next := c-1, c+1
	if prev < s {
		prev = e - 1
	}
	if next == e {
		next = s
	}
	p := m.Points[m.Corners[c]]
	u := m.Points[m.Corners[prev]].Sub(p).Unit()
	v := m.Points[m.Corners[next]].Sub(p).Unit()
	return math.Acos(min(max(u.Dot(v), -1), 1))
}
