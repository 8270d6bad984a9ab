package source

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/twin"
	"yarvek/core/scene"
)

// Twins is nodes whose meshes are one mesh in other places.
type Twins struct {
	First    string   // name of the node whose mesh would stay
	Keys     []string // of the others
	Names    []string
	Mirrored int
	Saves    int64 // bytes
	Shared   bool  // decided to share
}

// twins lists the groups of which at least two nodes are kept.
func (r *run) twins() []Twins {
	var out []Twins
	sharing := set(r.d.Sharing)
	users := r.s.Users()
	for _, g := range r.survey.Twins {
		t := Twins{}
		for _, i := range users[g.First] {
			if r.rep.Nodes[i].Kept {
				t.First = r.rep.Nodes[i].Name
				break
			}
		}
		if t.First == "" {
			continue
		}
		for _, m := range g.Matches {
			kept := false
			for _, i := range users[m.Mesh] {
				if r.rep.Nodes[i].Kept {
					kept = true
					t.Keys = append(t.Keys, r.survey.Keys[i])
					t.Names = append(t.Names, r.rep.Nodes[i].Name)
					if m.Map.Mirrors() {
						t.Mirrored++
					}
				}
			}
			if kept {
				t.Saves += r.s.Meshes[m.Mesh].Bytes()
			}
		}
		if len(t.Keys) == 0 {
			continue
		}
		t.Shared = !slices.ContainsFunc(t.Keys, func(k string) bool { return !sharing[k] })
		out = append(out, t)
	}
	return out
}

// share lets the nodes decided for place the mesh theirs equals.
func (r *run) share(out *scene.Scene, from []int) *scene.Scene {
	// The scene was pruned since the survey: meshes are found by what they were.
	at := map[int]int{}
	for i := range out.Nodes {
		if out.Nodes[i].Mesh >= 0 {
			at[r.s.Nodes[from[i]].Mesh] = out.Nodes[i].Mesh
		}
	}
	match := map[int]twin.Match{}
	for _, g := range r.survey.Twins {
		for _, m := range g.Matches {
			match[m.Mesh] = m
		}
	}
	out = out.Clone()
	sharing := set(r.d.Sharing)
	for i := range out.Nodes {
		was := r.s.Nodes[from[i]].Mesh
		m, ok := match[was]
		first, kept := at[m.First]
		if out.Nodes[i].Mesh < 0 || !ok || !kept || !sharing[r.survey.Keys[from[i]]] {
			continue
		}
		a := m.Map
		if r.d.Move != (geom.Vec3{}) {
			// Moving to the origin moved points into their meshes' middles; the map
			// between two meshes is found anew by where their points went.
			if found := twin.Find(r.ctx, []*scene.Mesh{out.Meshes[first], out.Meshes[at[was]]}, r.survey.Near); len(found) == 1 {
				a = found[0].Map
			} else {
				continue
			}
		}
		out.Reframe(i, a)
		out.Nodes[i].Mesh = first
	}
	return out.Without(func(int) bool { return false })
}

// Effect is what one way of merging gives.
type Effect struct {
	ID     Merge
	Name   string
	Meshes int // nodes that place one
	Calls  int
	Pivots int
	Bytes  int64
	Text   string
}

// groupOf names the group of each node of the scene that comes from the given ones.
func (r *run) groupOf(from []int) []string {
	out := make([]string, len(from))
	for i, f := range from {
		out[i] = r.rep.Nodes[f].Group
	}
	return out
}

// effects tells what each way of merging would give.
func effects(s *scene.Scene, group []string) []Effect {
	apart := Effect{ID: Apart, Name: "Keep apart", Text: "Each node turns about its own pivot; shared meshes stay shared."}
	all := Effect{ID: MergeAll, Name: "One mesh",
		Text: "One pivot, fewest draw calls; nothing of it can be placed again by itself."}
	slot := Effect{ID: MergeSlot, Name: "One mesh a slot",
		Text: "As many draw calls as slots, each of one material, as receivers with batches like it."}
	some := Effect{ID: MergeSome, Name: "One mesh a group", Text: "The nodes of a group become one; the rest stays apart."}
	stored, seen := map[int]bool{}, map[int]bool{}
	inGroup := map[string]map[int]bool{}
	loose := map[int]bool{}
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		slots := map[int]bool{}
		for _, k := range m.UsedSlots() {
			slots[k], seen[k] = true, true
		}
		apart.Meshes++
		apart.Calls += len(slots)
		all.Bytes += m.Bytes()
		if !stored[n.Mesh] {
			stored[n.Mesh] = true
			apart.Bytes += m.Bytes()
		}
		if g := group[i]; g != "" {
			if inGroup[g] == nil {
				inGroup[g] = map[int]bool{}
			}
			for k := range slots {
				inGroup[g][k] = true
			}
			some.Bytes += m.Bytes()
			continue
		}
		some.Meshes++
		some.Calls += len(slots)
		if !loose[n.Mesh] {
			loose[n.Mesh] = true
			some.Bytes += m.Bytes()
		}
	}
	apart.Pivots = apart.Meshes
	if apart.Meshes > 0 {
		all.Meshes = 1
	}
	all.Calls, all.Pivots = len(seen), all.Meshes
	slot.Meshes, slot.Calls, slot.Pivots, slot.Bytes = len(seen), len(seen), len(seen), all.Bytes
	for _, g := range inGroup {
		some.Meshes++
		some.Calls += len(g)
	}
	some.Pivots = some.Meshes
	return []Effect{apart, all, slot, some}
}

// merge makes one mesh of several, in the scene's own frame, with the origin as
// their pivot. Empty nodes that only carried what was merged go with it.
func (r *run) merge(s *scene.Scene, from []int) *scene.Scene {
	if r.d.Merge == Apart {
		return s
	}
	bin := make([]string, len(s.Nodes))
	name := s.Name
	if name == "" {
		for _, n := range s.Nodes {
			if n.Mesh >= 0 {
				name = n.Name
				break
			}
		}
	}
	if r.d.Merge == MergeSlot {
		// Each mesh is cut by slot first, in its own place.
		var parts []scene.Node
		meshes := slices.Clone(s.Meshes)
		bins := make([]string, len(s.Nodes))
		worlds := s.Worlds()
		for i, n := range s.Nodes {
			if n.Mesh < 0 {
				continue
			}
			part, mats := s.Meshes[n.Mesh].SlotParts()
			for k, piece := range s.Meshes[n.Mesh].Cut(part, len(mats)) {
				slot := scene.NoSlot
				if mats[k] >= 0 {
					slot = s.Materials[mats[k]].Name
				}
				parts = append(parts, scene.Node{Name: n.Name, Kind: scene.KindMesh, Parent: -1, Mesh: len(meshes),
					Local: worlds[i]})
				meshes = append(meshes, piece)
				bins = append(bins, name+" "+slot+"\x00"+fmt.Sprint(mats[k]))
			}
		}
		c := s.Clone()
		for i := range c.Nodes {
			if c.Nodes[i].Mesh >= 0 {
				c.Nodes[i].Kind, c.Nodes[i].Mesh = scene.KindEmpty, -1
			}
		}
		c.Nodes, c.Meshes = append(c.Nodes, parts...), meshes
		carried := carriers(s)
		return joinBins(r.ctx, c, bins, func(i int) bool { return i < len(carried) && carried[i] })
	}
	groups := r.groupOf(from)
	for i, n := range s.Nodes {
		switch {
		case n.Mesh < 0:
		case r.d.Merge == MergeAll:
			bin[i] = name
		default:
			bin[i] = groups[i]
		}
	}
	carried := carriers(s)
	return joinBins(r.ctx, s, bin, func(i int) bool { return carried[i] })
}

// carriers tells the nodes that place a mesh or have one below them.
func carriers(s *scene.Scene) []bool {
	out := make([]bool, len(s.Nodes))
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		out[i] = out[i] || s.Nodes[i].Mesh >= 0
		if p := s.Nodes[i].Parent; p >= 0 && out[i] {
			out[p] = true
		}
	}
	return out
}

// joinBins joins the meshes of nodes that share a bin; nodes without one stay. The
// mesh stands where the first of its nodes stood in the list. Nodes that carried
// meshes and carry none any more are dropped.
func joinBins(ctx context.Context, s *scene.Scene, bin []string, carried func(i int) bool) *scene.Scene {
	worlds := s.Worlds()
	c := s.Clone()
	list := map[string][]*scene.Mesh{}
	var order []string
	for i, n := range s.Nodes {
		if b := bin[i]; b != "" && n.Mesh >= 0 {
			if list[b] == nil {
				order = append(order, b)
			}
			list[b] = append(list[b], s.Meshes[n.Mesh].MappedIn(ctx, worlds[i]))
			c.Nodes[i].Kind, c.Nodes[i].Mesh = scene.KindEmpty, -1
		}
	}
	still := carriers(c)
	c = c.Without(func(i int) bool { return carried(i) && !still[i] })
	for _, b := range order {
		name, _, _ := cutName(b)
		c.Nodes = append(c.Nodes, scene.Node{Name: name, Kind: scene.KindMesh, Parent: -1, Mesh: len(c.Meshes),
			Local: geom.Identity})
		c.Meshes = append(c.Meshes, scene.Joined(name, list[b]))
	}
	return c
}

// cutName drops what only keeps two slots of one name apart.
func cutName(b string) (name, rest string, found bool) {
	for i := range len(b) {
		if b[i] == 0 {
			return b[:i], b[i+1:], true
		}
	}
	return b, "", false
}
