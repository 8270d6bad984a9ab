package scene

import (
	"cmp"
	"context"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/union"
)

// Weld gives points that stand in exactly the same place the number of the first of
// them, so that a mesh whose format splits points along seams hangs together. When ctx
// ends it returns early, and what it returns means nothing.
func Weld(ctx context.Context, pts []geom.Vec3) []int32 {
	size := 16
	for size < 2*len(pts) {
		size *= 2
	}
	table := make([]int32, size)
	for i := range table {
		table[i] = -1
	}
	same := make([]int32, len(pts))
	for i, p := range pts {
		if i&0xffff == 0 && ctx.Err() != nil {
			return same
		}
		k := int(p.Hash()) & (size - 1)
		for table[k] >= 0 && pts[table[k]] != p {
			k = (k + 1) & (size - 1)
		}
		if table[k] < 0 {
			table[k] = int32(i)
		}
		same[i] = table[k]
	}
	return same
}

// Bodies numbers the connected parts of a mesh, faces that share a place belonging
// together: the part of each face, and how many there are. Parts are numbered in
// the order of their first face. When ctx ends it returns early, and what it returns
// means nothing.
func (m *Mesh) Bodies(ctx context.Context) (part []int32, n int) {
	same := Weld(ctx, m.Points)
	places := union.New(len(m.Points))
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return make([]int32, m.Faces()), 1
		}
		c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for _, p := range c[1:] {
			places.Join(same[c[0]], same[p])
		}
	}
	part = make([]int32, m.Faces())
	number := map[int32]int32{}
	for f := range part {
		r := places.Find(same[m.Corners[m.FaceStart[f]]])
		k, ok := number[r]
		if !ok {
			k = int32(n)
			number[r] = k
			n++
		}
		part[f] = k
	}
	return part, n
}

// SlotParts numbers the faces by their material, in slot order.
func (m *Mesh) SlotParts() (part []int32, materials []int) {
	part = make([]int32, m.Faces())
	number := map[int]int32{}
	for _, mat := range m.UsedSlots() {
		if _, ok := number[mat]; !ok {
			number[mat] = int32(len(materials))
			materials = append(materials, mat)
		}
	}
	for f := range part {
		part[f] = number[m.Material(f)]
	}
	return part, materials
}

// Cut makes a mesh of each part. Points, layers and slots a part does not use are
// not in it; what it uses keeps its order.
func (m *Mesh) Cut(part []int32, n int) []*Mesh {
	faces := make([][]int32, n)
	for f, k := range part {
		faces[k] = append(faces[k], int32(f))
	}
	at := make([]int32, len(m.Points))
	for i := range at {
		at[i] = -1
	}
	out := make([]*Mesh, n)
	for k, list := range faces {
		out[k] = m.subset(list, at)
	}
	return out
}

// subset copies faces; at is scratch space of -1s and is left so.
func (m *Mesh) subset(faces []int32, at []int32) *Mesh {
	out := &Mesh{Name: m.Name, FaceStart: []int32{0}}
	var corners []int32
	for _, f := range faces {
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			corners = append(corners, c)
		}
		out.FaceStart = append(out.FaceStart, int32(len(corners)))
	}
	var used []int32
	for _, c := range corners {
		if p := m.Corners[c]; at[p] < 0 {
			at[p] = 0
			used = append(used, p)
		}
	}
	slices.Sort(used)
	for i, p := range used {
		at[p] = int32(i)
	}
	out.Corners = make([]int32, len(corners))
	for i, c := range corners {
		out.Corners[i] = at[m.Corners[c]]
	}
	out.Points = make([]geom.Vec3, len(used))
	for i, p := range used {
		out.Points[i], at[p] = m.Points[p], -1
	}
	out.Normals = picked(m.Normals, corners)
	out.Tangents = picked(m.Tangents, corners)
	out.Colors = picked(m.Colors, corners)
	for _, u := range m.UVs {
		out.UVs = append(out.UVs, UVSet{u.Name, picked(u.Layer, corners)})
	}
	if m.Hard != nil {
		out.Hard = make([]bool, len(corners))
		for i, c := range corners {
			out.Hard[i] = m.Hard[c]
		}
	}
	if m.Smooth != nil {
		out.Smooth = make([]uint32, len(faces))
		for i, f := range faces {
			out.Smooth[i] = m.Smooth[f]
		}
	}
	slot := map[int]int32{}
	out.Slot = make([]int32, len(faces))
	for i, f := range faces {
		mat := m.Material(int(f))
		k, ok := slot[mat]
		if !ok {
			k = int32(len(out.Slots))
			slot[mat] = k
			out.Slots = append(out.Slots, mat)
		}
		out.Slot[i] = k
	}
	return out
}

// picked is a layer for some of the corners, with the values they use.
func picked[T any](l Layer[T], corners []int32) Layer[T] {
	if !l.Has() {
		return Layer[T]{}
	}
	at := map[int32]int32{}
	out := Layer[T]{Index: make([]int32, len(corners))}
	for i, c := range corners {
		v := l.Index[c]
		if v < 0 {
			out.Index[i] = -1
			continue
		}
		k, ok := at[v]
		if !ok {
			k = int32(len(out.Values))
			at[v] = k
			out.Values = append(out.Values, l.Values[v])
		}
		out.Index[i] = k
	}
	return out
}

// Joined makes one mesh of several. UV sets are joined by their place in the list
// and take the first mesh's names; a layer only some of them have is empty on the
// corners of the others.
func Joined(name string, meshes []*Mesh) *Mesh {
	out := &Mesh{Name: name, FaceStart: []int32{0}}
	slot := map[int]int32{}
	sets, smooth, hard := 0, false, false
	for _, m := range meshes {
		sets = max(sets, len(m.UVs))
		smooth = smooth || m.Smooth != nil
		hard = hard || m.Hard != nil
	}
	for k := range sets {
		u := UVSet{}
		for _, m := range meshes {
			if k < len(m.UVs) {
				u.Name = cmp.Or(u.Name, m.UVs[k].Name)
			}
		}
		out.UVs = append(out.UVs, u)
	}
	corners := 0
	for _, m := range meshes {
		base := int32(len(out.Points))
		out.Points = append(out.Points, m.Points...)
		for _, p := range m.Corners {
			out.Corners = append(out.Corners, base+p)
		}
		for f := range m.Faces() {
			out.FaceStart = append(out.FaceStart, int32(corners)+m.FaceStart[f+1])
			mat := m.Material(f)
			k, ok := slot[mat]
			if !ok {
				k = int32(len(out.Slots))
				slot[mat] = k
				out.Slots = append(out.Slots, mat)
			}
			out.Slot = append(out.Slot, k)
		}
		add(&out.Normals, m.Normals, corners, len(m.Corners))
		add(&out.Tangents, m.Tangents, corners, len(m.Corners))
		add(&out.Colors, m.Colors, corners, len(m.Corners))
		for k := range out.UVs {
			l := Layer[[2]float64]{}
			if k < len(m.UVs) {
				l = m.UVs[k].Layer
			}
			add(&out.UVs[k].Layer, l, corners, len(m.Corners))
		}
		if smooth {
			if m.Smooth != nil {
				out.Smooth = append(out.Smooth, m.Smooth...)
			} else {
				out.Smooth = append(out.Smooth, make([]uint32, m.Faces())...)
			}
		}
		if hard {
			if m.Hard != nil {
				out.Hard = append(out.Hard, m.Hard...)
			} else {
				out.Hard = append(out.Hard, make([]bool, len(m.Corners))...)
			}
		}
		corners += len(m.Corners)
	}
	return out
}

// add appends a layer of n corners to one that has had before corners so far.
func add[T any](to *Layer[T], l Layer[T], before, n int) {
	if !l.Has() && !to.Has() {
		return
	}
	none := func(n int) []int32 {
		list := make([]int32, n)
		for i := range list {
			list[i] = -1
		}
		return list
	}
	if !to.Has() {
		to.Index = none(before)
	}
	if !l.Has() {
		to.Index = append(to.Index, none(n)...)
		return
	}
	base := int32(len(to.Values))
	to.Values = append(to.Values, l.Values...)
	for _, i := range l.Index {
		if i >= 0 {
			i += base
		}
		to.Index = append(to.Index, i)
	}
}

// Without drops nodes; their children hang from the nearest node that stays and
// stand where they stood. Meshes no node uses go with them.
func (s *Scene) Without(drop func(i int) bool) *Scene {
	out := *s
	out.Nodes, out.Meshes = nil, nil
	worlds := s.Worlds()
	at := make([]int, len(s.Nodes)) // the node in out that i hangs from or is
	mesh := map[int]int{}
	for i, n := range s.Nodes {
		parent := -1
		above := -1 // the node in s that parent was
		for p := n.Parent; p >= 0; p = s.Nodes[p].Parent {
			if at[p] >= 0 {
				parent, above = at[p], p
				break
			}
		}
		at[i] = -1
		if drop(i) {
			continue
		}
		if above != n.Parent {
			n.Local = worlds[i]
			if above >= 0 {
				if inv, ok := worlds[above].Inverse(); ok {
					n.Local = inv.Mul(worlds[i])
				}
			}
		}
		n.Parent = parent
		if n.Mesh >= 0 {
			k, ok := mesh[n.Mesh]
			if !ok {
				k = len(out.Meshes)
				mesh[n.Mesh] = k
				out.Meshes = append(out.Meshes, s.Meshes[n.Mesh])
			}
			n.Mesh = k
		}
		at[i] = len(out.Nodes)
		out.Nodes = append(out.Nodes, n)
	}
	return &out
}

// Users lists the nodes that place each mesh.
func (s *Scene) Users() [][]int {
	users := make([][]int, len(s.Meshes))
	for i, n := range s.Nodes {
		if n.Mesh >= 0 {
			users[n.Mesh] = append(users[n.Mesh], i)
		}
	}
	return users
}

// DrawCalls is one for each slot used by each node.
func (s *Scene) DrawCalls() int {
	n := 0
	for _, d := range s.Nodes {
		if d.Mesh >= 0 {
			n += len(uniq(s.Meshes[d.Mesh].UsedSlots()))
		}
	}
	return n
}

// uniq drops repeats of a sorted list, in place.
func uniq(list []int) []int {
	list = slices.Clone(list)
	slices.Sort(list)
	return slices.Compact(list)
}

// Bytes is about what a mesh takes in memory.
func (m *Mesh) Bytes() int64 {
	n := int64(24*len(m.Points) + 4*len(m.Corners) + 4*len(m.FaceStart) + 4*len(m.Slot) + 4*len(m.Smooth) + len(m.Hard))
	if m.Cloud != nil {
		n += m.Cloud.Bytes()
	}
	n += int64(12*len(m.Normals.Values) + 16*len(m.Tangents.Values) + 16*len(m.Colors.Values))
	n += int64(4 * (len(m.Normals.Index) + len(m.Tangents.Index) + len(m.Colors.Index)))
	for _, u := range m.UVs {
		n += int64(16*len(u.Values) + 4*len(u.Index))
	}
	return n
}
