package outfit

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/picture"
	"yarvek/core/scene"
)

// Same tells that faces keep their slots and coordinates: only names, values and pictures change.
func (p *Plan) Same() bool {
	for i, to := range p.To {
		if to >= 0 && to != i-1 || to < 0 && i > 0 {
			return false
		}
	}
	return len(p.rects) == 0 && !p.sorted
}

// Apply is a scene with the slots and pictures of the plan: that the plan was made of, or a LOD of it with
// the same materials. images are the pictures that leave, in the order of the plan's cooks. When ctx ends
// it returns early, and what it returns means nothing.
func (p *Plan) Apply(ctx context.Context, s *scene.Scene, images []scene.Image) *scene.Scene {
	out := s.Clone()
	out.Materials, out.Textures, out.Images = p.Materials, p.Textures, images
	if p.Same() {
		return out
	}
	for i, m := range s.Meshes {
		if ctx.Err() != nil {
			return out
		}
		out.Meshes[i] = p.mesh(m)
		if p.sorted {
			out.Meshes[i] = bySlot(out.Meshes[i])
		}
	}
	return out
}

// bySlot is a mesh whose faces stand in the order of its slots, those without one last: the formats that have
// no list of slots tell their order by the faces alone. Within a slot faces stay as they follow one another.
func bySlot(m *scene.Mesh) *scene.Mesh {
	order := make([]int32, m.Faces())
	for f := range order {
		order[f] = int32(f)
	}
	last := func(f int32) int {
		if k := m.Material(int(f)); k >= 0 {
			return k
		}
		return math.MaxInt
	}
	byIt := func(a, b int32) int { return cmp.Compare(last(a), last(b)) }
	if slices.IsSortedFunc(order, byIt) {
		return m
	}
	slices.SortStableFunc(order, byIt)
	return m.Reordered(order)
}

// mesh is a mesh with the slots that leave, in their order, and its coordinates where a sheet has them.
func (p *Plan) mesh(m *scene.Mesh) *scene.Mesh {
	list := make([]int, m.Faces())
	for f := range list {
		list[f] = p.To[m.Material(f)+1]
	}
	out := m.WithFaceMaterials(list)
	onSheet := slices.ContainsFunc(m.UsedSlots(), func(mat int) bool { _, ok := p.rects[mat]; return ok })
	if !onSheet || len(m.UVs) == 0 || !m.UVs[0].Has() {
		return out
	}
	type key struct {
		mat   int
		value int32
	}
	u := m.UVs[0]
	made := map[key]int32{}
	moved := scene.UVSet{Name: u.Name}
	moved.Index = make([]int32, len(u.Index))
	for f := range list {
		mat := m.Material(f)
		r, on := p.rects[mat]
		if !on {
			mat = -2 // all others share
		}
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			i := u.Index[c]
			if i < 0 {
				moved.Index[c] = -1
				continue
			}
			n, ok := made[key{mat, i}]
			if !ok {
				n = int32(len(moved.Values))
				made[key{mat, i}] = n
				v := u.Values[i]
				if on {
					for k := range 2 {
						v[k] = min(1, max(0, v[k]))*r.Scale[k] + r.Move[k]
					}
				}
				moved.Values = append(moved.Values, v)
			}
			moved.Index[c] = n
		}
	}
	out.UVs = slices.Clone(m.UVs)
	out.UVs[0] = moved
	return out
}

// Imaged is a picture that leaves, of its bytes; where they are not made yet, of the size it will have.
func (c Cook) Imaged(data []byte, stock Stock, from scene.Image) scene.Image {
	if c.Idle() {
		if c.Called {
			from.Name = Stem(c.Name) + picture.Suffix(from.MIME)
		}
		return from
	}
	im := scene.Image{Name: c.Name, Embedded: from.Embedded, Data: data, Width: c.W, Height: c.H,
		MIME: c.Recipe.Format.MIME()}
	if data != nil {
		picture.Describe(&im)
	} else if im.Data = from.Data; im.MIME == "" {
		im.MIME = stock.Facts.MIME
	}
	im.Name = Stem(c.Name) + picture.Suffix(im.MIME)
	return im
}
