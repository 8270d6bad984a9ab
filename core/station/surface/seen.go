package surface

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/uv"
	"yarvek/core/scene"
)

// Placed is a mesh where its first node places it.
type Placed struct {
	Node, Mesh int
	World      geom.Affine
	Scale      float64   // of the mesh's lengths to the scene's
	Scales     []float64 // the same of every node that places it, this one's first
}

// Places lists the distinct meshes of a scene that have faces, in the order of the nodes.
func Places(s *scene.Scene) []Placed {
	worlds := s.Worlds()
	at := make([]int, len(s.Meshes)) // of each mesh, its place in the list plus one
	var list []Placed
	for i, n := range s.Nodes {
		if n.Mesh < 0 || s.Meshes[n.Mesh].Faces() == 0 {
			continue
		}
		k := math.Cbrt(math.Abs(worlds[i].M.Det()))
		if !(k > 0) {
			k = 1
		}
		if p := at[n.Mesh]; p > 0 {
			list[p-1].Scales = append(list[p-1].Scales, k)
			continue
		}
		list = append(list, Placed{i, n.Mesh, worlds[i], k, []float64{k}})
		at[n.Mesh] = len(list)
	}
	return list
}

// Mark is where one flaw is, in the coordinates of the scene that was looked at: a point, a line
// or a face.
type Mark struct {
	Sort Sort
	At   []geom.Vec3
}

// Seen is what was found in a scene, each mesh once. It is shared, and only read.
type Seen struct {
	Count  map[Sort]int
	First  map[Sort]Place
	Marks  []Mark
	Mesh   []PlacedSeen // in the order of the nodes
	Slots  []SlotSeen   // in order of first use
	Cover  uv.Cover     // of the first UV set, by material
	Sets   int          // meshes with a first UV set
	BentBy float64
	DentBy float64

	Flicker   Flickers
	SheetArea float64
	Single    bool // some sheet has a slot that is seen from one side alone

	kept map[Sort]int // marks
}

// Flickers are faces of one mesh that cover one another, of all meshes.
type Flickers struct {
	Pairs int
	Area  float64
	At    geom.Vec3 // of the first mesh that has some
	Cut   bool      // there are more than were compared
	Part  bool      // they were compared in part, as far as a page waits, and can be in full
}

// Compared is the faces of a mesh that cover one another.
type Compared struct {
	flaw.Overlap
	Part bool // they were compared as far as a page waits, and not in full
}

// PlacedSeen is a mesh with the node that places it first.
type PlacedSeen struct {
	*MeshSeen
	Key, Node string
	Textured  bool    // a material of it has a picture
	Scale     float64 // of its lengths to those of the scene that was looked at
}

// Place is the first place of a sort.
type Place struct {
	Node string
	At   geom.Vec3
}

// SlotSeen is how a slot's faces lie on its texture, all meshes together.
type SlotSeen struct {
	Name string
	uv.Density
	Texels float64 // of its texture to a unit of the UV plane, the mean of both sides; 0 without one
}

// PerMetre is the texture's texels to a metre, k metres being one of the scene's lengths; 0
// where no picture says how many it has.
func (s SlotSeen) PerMetre(k float64) float64 { return s.Mean() * s.Texels / k }

// CoverOf measures how the first UV sets of all meshes cover the plane.
func CoverOf(ctx context.Context, s *scene.Scene) uv.Cover {
	var planes uv.ByMaterial
	for _, p := range Places(s) {
		uv.Triangles(s.Meshes[p.Mesh], 0, &planes)
	}
	return planes.Cover(ctx)
}

// Gathered puts together what was seen of a scene's meshes, given in the order of [Places], and
// counts what the limits decide. Lengths of l are of the scene.
func Gathered(ctx context.Context, s *scene.Scene, meshes []*MeshSeen, overlaps []Compared, cover uv.Cover,
	l Limits) *Seen {
	x := &Seen{Count: map[Sort]int{}, First: map[Sort]Place{}, Cover: cover, kept: map[Sort]int{}}
	keys := s.Keys()
	at := map[int]int{} // slots
	for i, p := range Places(s) {
		m, name := meshes[i], s.Nodes[p.Node].Name
		one := PlacedSeen{MeshSeen: m, Key: keys[p.Node], Node: name, Scale: p.Scale}
		for _, mat := range s.Meshes[p.Mesh].UsedSlots() {
			if mat >= 0 {
				for _, mp := range s.Materials[mat].Maps {
					one.Textured = one.Textured || mp.Has()
				}
			}
			if d, ok := m.density[mat]; ok {
				k, seen := at[mat]
				if !seen {
					k = len(x.Slots)
					at[mat] = k
					x.Slots = append(x.Slots, slotOf(s, mat))
				}
				for _, scale := range p.Scales {
					x.Slots[k].Density = x.Slots[k].Add(d.Times(scale))
				}
			}
		}
		x.Mesh = append(x.Mesh, one)
		if !m.NoUVs {
			x.Sets++
		}
		x.take(ctx, p, m, name, l)
		x.DentBy = max(x.DentBy, m.dent*p.Scale)
		squares := 0.0 // of all instances' scales
		for _, scale := range p.Scales {
			squares += scale * scale
		}
		x.SheetArea += m.sheetArea * squares
		for mat := range m.sheetSlots {
			x.Single = x.Single || mat < 0 || !s.Materials[mat].TwoSided
		}
		n, area, at := overlaps[i].Within(l.Apart / p.Scale)
		if n > 0 && x.Flicker.Pairs == 0 {
			x.Flicker.At = p.World.Apply(at)
		}
		x.Flicker.Pairs += n
		x.Flicker.Area += area * squares
		x.Flicker.Cut = x.Flicker.Cut || overlaps[i].Cut
		x.Flicker.Part = x.Flicker.Part || overlaps[i].Part
	}
	return x
}

// take adds what one mesh has, where it stands.
func (x *Seen) take(ctx context.Context, p Placed, m *MeshSeen, node string, l Limits) {
	add := func(sort Sort, n int, marks [][]geom.Vec3) {
		if n == 0 {
			return
		}
		x.Count[sort] += n
		for _, at := range marks[:min(len(marks), mostMarks)] {
			if x.kept[sort]++; x.kept[sort] > mostMarks {
				break
			}
			placed := make([]geom.Vec3, len(at))
			for i, q := range at {
				placed[i] = p.World.Apply(q)
			}
			if _, ok := x.First[sort]; !ok {
				x.First[sort] = Place{node, middle(placed)}
			}
			x.Marks = append(x.Marks, Mark{sort, placed})
		}
	}
	for _, v := range verdicts {
		switch v.sort {
		case Bent:
			n := upTo(m.off, func(by float64) bool { return by*p.Scale > l.Bent })
			if n > 0 {
				x.BentBy = max(x.BentBy, m.off[0].by*p.Scale)
			}
			add(Bent, n, outlines(m.off[:n]))
		case Short:
			n := upTo(m.edges, func(by float64) bool { return by*p.Scale < l.Short })
			add(Short, n, outlines(m.edges[:n]))
		case Gaps:
			list := m.gaps(ctx, l.Gap/p.Scale)
			add(Gaps, len(list), list)
		default:
			add(v.sort, m.count[v.sort], m.marks[v.sort])
		}
	}
}

// upTo is how many of a list that is sorted are within a limit.
func upTo(list []limited, in func(by float64) bool) int {
	n, _ := slices.BinarySearchFunc(list, true, func(x limited, _ bool) int {
		if in(x.by) {
			return -1
		}
		return 1
	})
	return n
}

func outlines(list []limited) [][]geom.Vec3 {
	out := make([][]geom.Vec3, 0, min(len(list), mostMarks))
	for _, x := range list[:min(len(list), mostMarks)] {
		out = append(out, x.at)
	}
	return out
}

func middle(at []geom.Vec3) geom.Vec3 {
	var m geom.Vec3
	for _, p := range at {
		m = m.Add(p.Mul(1 / float64(len(at))))
	}
	return m
}

// slotOf names a slot and finds the size of its base colour, or of another picture it has.
func slotOf(s *scene.Scene, mat int) SlotSeen {
	if mat < 0 {
		return SlotSeen{Name: scene.NoSlot}
	}
	out := SlotSeen{Name: s.Materials[mat].Name}
	for _, mp := range s.Materials[mat].Maps {
		if !mp.Has() || out.Texels > 0 {
			continue
		}
		if i := s.Textures[mp.Texture-1].Image; i >= 0 {
			out.Texels = math.Sqrt(float64(s.Images[i].Width) * float64(s.Images[i].Height))
		}
	}
	return out
}
