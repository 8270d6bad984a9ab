package scene

import (
	"fmt"
	"slices"
)

// MaterialTwins finds materials that are equal in all but their names: each that has an
// equal one before it, with that one's number. Textures are equal when they show the same
// picture in the same way.
func (s *Scene) MaterialTwins() map[int]int {
	first, out := map[string]int{}, map[int]int{}
	for i := range s.Materials {
		key := s.materialKey(i)
		if k, ok := first[key]; ok {
			out[i] = k
		} else {
			first[key] = i
		}
	}
	return out
}

// materialKey says all of a material but its name.
func (s *Scene) materialKey(i int) string {
	m := s.Materials[i]
	maps := m.Maps
	m.Name, m.Maps = "", [Uses]Map{}
	key := fmt.Sprintf("%v", m)
	for _, p := range maps {
		if !p.Has() {
			key += " -"
			continue
		}
		t := s.Textures[p.Texture-1]
		t.Name = ""
		place := Placement{Scale: [2]float64{1, 1}}
		if p.Place != nil {
			place = *p.Place
		}
		key += fmt.Sprintf(" %v %d %d %v", t, p.UVSet, p.Channel, place)
	}
	return key
}

// WithMaterials is the scene with its materials renumbered: to gives the new number of each,
// -1 for those that go. Faces of one that goes have none. Slots of a mesh that become one
// material become one slot. What does not change is shared.
func (s *Scene) WithMaterials(to []int) *Scene {
	out := *s
	n := 0
	for _, k := range to {
		n = max(n, k+1)
	}
	out.Materials = make([]Material, n)
	for i := len(to) - 1; i >= 0; i-- { // the first of several is kept
		if to[i] >= 0 {
			out.Materials[to[i]] = s.Materials[i]
		}
	}
	out.Meshes = make([]*Mesh, len(s.Meshes))
	for i, m := range s.Meshes {
		c := *m
		slots := make([]int32, len(m.Slots))
		at := map[int]int32{}
		c.Slots = nil
		for k, mat := range m.Slots {
			if mat >= 0 {
				mat = to[mat]
			}
			slot, ok := at[mat]
			if !ok {
				slot = int32(len(c.Slots))
				at[mat] = slot
				c.Slots = append(c.Slots, mat)
			}
			slots[k] = slot
		}
		if m.Slot != nil && len(c.Slots) != len(m.Slots) {
			c.Slot = make([]int32, len(m.Slot))
			for f, k := range m.Slot {
				c.Slot[f] = slots[k]
			}
		}
		out.Meshes[i] = &c
	}
	return &out
}

// MaterialKeys names every material by its name; the second of two alike gets #2. Keys are what
// decisions keep.
func (s *Scene) MaterialKeys() []string {
	names := make([]string, len(s.Materials))
	for i, m := range s.Materials {
		names[i] = m.Name
	}
	return numbered(names)
}

// ImageKeys names every picture by its name, likewise.
func (s *Scene) ImageKeys() []string {
	names := make([]string, len(s.Images))
	for i, m := range s.Images {
		names[i] = m.Name
	}
	return numbered(names)
}

// numbered tells names alike apart.
func numbered(names []string) []string {
	out, seen := make([]string, len(names)), map[string]int{}
	for i, n := range names {
		out[i] = n
		if seen[n]++; seen[n] > 1 {
			out[i] = fmt.Sprintf("%s#%d", n, seen[n])
		}
	}
	return out
}

// WithMaterial is the mesh with another material on some of its faces, -1 for none.
func (m *Mesh) WithMaterial(faces map[int]bool, to int) *Mesh {
	list := make([]int, m.Faces())
	for f := range list {
		if list[f] = m.Material(f); faces[f] {
			list[f] = to
		}
	}
	return m.WithFaceMaterials(list)
}

// WithFaceMaterials is the mesh with the material of each face as it is listed, -1 for none; its slots
// come in the order of the materials, faces without one last.
func (m *Mesh) WithFaceMaterials(list []int) *Mesh {
	out := *m
	used := slices.Clone(list)
	slices.Sort(used)
	used = slices.Compact(used)
	if len(used) > 0 && used[0] < 0 {
		used = append(used[1:], -1)
	}
	at := make(map[int]int32, len(used))
	for k, mat := range used {
		at[mat] = int32(k)
	}
	out.Slots, out.Slot = used, nil
	if len(used) > 1 {
		out.Slot = make([]int32, len(list))
		for f, mat := range list {
			out.Slot[f] = at[mat]
		}
	}
	return &out
}
