package source

import (
	"cmp"
	"slices"

	"yarvek/core/scene"
)

// Ladder is nodes that came with coarser ones to stand for them: a LOD group of the file, or nodes
// whose names the target's pattern reads as LODs of one.
type Ladder struct {
	Of     []int // the nodes with a mesh that are the finest
	Levels []LevelNodes
}

// LevelNodes are those of one LOD.
type LevelNodes struct {
	N        int     // from 1 on
	Nodes    []int   // with a mesh
	From     float64 // metres as read that it takes over at, 0 where the file tells none
	Coverage float64 // share of the screen's height below which it does, likewise
}

// Hand is a LOD that was made by hand, as one scene with the whole asset: what has no LOD of that
// number is there as its coarsest finer one, or as it is.
type Hand struct {
	N        int
	Scene    *scene.Scene // in the frame of the station's outcome, with its list of materials
	From     float64      // metres as read, 0 where the file tells none
	Coverage float64      // of the screen's height, likewise
	Nodes    []string     // keys of the nodes it is made of
	Missing  []string     // names of nodes that have none of that number
}

// laddersOf gathers what nodes are recognised as, and LOD groups tell; level is filled with the number of each node
// that is a coarser one. What is decided for a node comes before its group.
func laddersOf(s *scene.Scene, by map[int]Recognised, level map[int]int) (list []Ladder) {
	add := func(l Ladder) { list = ladder(list, l, level) }
	below := make([][]int, len(s.Nodes)) // nodes with a mesh in a node's branch
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		n := s.Nodes[i]
		if n.Mesh >= 0 {
			below[i] = append(below[i], i)
		}
		if n.Parent >= 0 && n.Kind != scene.KindLOD { // groups within groups stand by themselves
			below[n.Parent] = append(below[n.Parent], below[i]...)
		}
	}
	children := make([][]int, len(s.Nodes))
	for i, n := range s.Nodes {
		if n.Parent >= 0 && s.Nodes[n.Parent].Kind == scene.KindLOD {
			children[n.Parent] = append(children[n.Parent], i)
		}
	}
	for i, n := range s.Nodes {
		if n.Kind != scene.KindLOD || len(children[i]) < 2 {
			continue
		}
		l := Ladder{Of: below[children[i][0]]}
		for k, c := range children[i][1:] {
			at := LevelNodes{N: k + 1, Nodes: below[c]}
			if k < len(n.Thresholds) {
				at.From = n.Thresholds[k]
			}
			if k < len(n.Coverage) {
				at.Coverage = n.Coverage[k]
			}
			at.Nodes = slices.DeleteFunc(slices.Clone(at.Nodes), func(i int) bool { return by[i].Decided })
			if len(at.Nodes) > 0 {
				l.Levels = append(l.Levels, at)
			}
		}
		add(l)
	}
	named := map[int]*Ladder{}
	var order []int
	for i := range s.Nodes {
		r, ok := by[i]
		if !ok || r.What != Level || r.Of < 0 || level[i] > 0 || level[r.Of] > 0 {
			continue
		}
		l := named[r.Of]
		if l == nil {
			l = &Ladder{Of: []int{r.Of}}
			named[r.Of] = l
			order = append(order, r.Of)
		}
		n := number(r.N)
		if k := slices.IndexFunc(l.Levels, func(x LevelNodes) bool { return x.N == n }); k >= 0 {
			l.Levels[k].Nodes = append(l.Levels[k].Nodes, i)
		} else {
			l.Levels = append(l.Levels, LevelNodes{N: n, Nodes: []int{i}})
		}
	}
	for _, i := range order {
		add(*named[i])
	}
	return list
}

// ladder adds one, with its levels in order.
func ladder(list []Ladder, l Ladder, level map[int]int) []Ladder {
	if len(l.Of) == 0 || len(l.Levels) == 0 {
		return list
	}
	slices.SortStableFunc(l.Levels, func(a, b LevelNodes) int { return cmp.Compare(a.N, b.N) })
	for _, x := range l.Levels {
		for _, i := range x.Nodes {
			level[i] = x.N
		}
	}
	slices.Sort(l.Of)
	return append(list, l)
}

// hand makes a scene of each LOD that came along and is neither kept as a mesh of its own nor left
// behind, and tells where the nodes of each come from.
func (r *run) hand(out *scene.Scene, from []int) (list []Hand, froms [][]int) {
	gathered := func(i int) bool { return r.rep.Nodes[i].LOD > 0 }
	at := map[int]int{} // of each node that came, its place in out
	for k, i := range from {
		if out.Nodes[k].Mesh >= 0 {
			at[i] = k
		}
	}
	var numbers []int
	for _, l := range r.stands.ladders {
		for _, x := range l.Levels {
			if slices.ContainsFunc(x.Nodes, gathered) &&
				slices.ContainsFunc(l.Of, func(i int) bool { _, ok := at[i]; return ok }) {
				numbers = append(numbers, x.N)
			}
		}
	}
	slices.Sort(numbers)
	for _, n := range slices.Compact(numbers) {
		h := Hand{N: n}
		s, f := out.Clone(), slices.Clone(from)
		has := map[int]bool{}
		for _, l := range r.stands.ladders {
			var best *LevelNodes
			for k := range l.Levels {
				if x := &l.Levels[k]; x.N <= n && slices.ContainsFunc(x.Nodes, gathered) {
					best = x
				}
			}
			if best == nil {
				continue
			}
			if best.N == n {
				for _, i := range l.Of {
					has[i] = true
				}
				h.From, h.Coverage = max(h.From, best.From), max(h.Coverage, best.Coverage)
			}
			f = r.stand(s, f, l, slices.DeleteFunc(slices.Clone(best.Nodes), func(i int) bool { return !gathered(i) }), at)
			for _, i := range best.Nodes {
				h.Nodes = append(h.Nodes, r.survey.Keys[i])
			}
		}
		for k, i := range from {
			if out.Nodes[k].Mesh >= 0 && !has[i] {
				h.Missing = append(h.Missing, out.Nodes[k].Name)
			}
		}
		h.Scene = s
		list, froms = append(list, h), append(froms, f)
	}
	// A group of which a LOD was gathered is one no more.
	for k, i := range from {
		if n := &out.Nodes[k]; n.Kind == scene.KindLOD && len(list) > 0 && r.gathersOf(i) {
			n.Kind, n.Thresholds, n.Coverage = scene.KindEmpty, nil, nil
		}
	}
	return list, froms
}

// gathersOf tells whether a LOD of a group does not go on as a mesh of its own.
func (r *run) gathersOf(group int) bool {
	for i := range r.s.Nodes {
		if r.rep.Nodes[i].LOD == 0 {
			continue
		}
		for p := r.s.Nodes[i].Parent; p >= 0; p = r.s.Nodes[p].Parent {
			if p == group {
				return true
			}
		}
	}
	return false
}

// stand puts the nodes of a LOD in the place of those they stand for, where they stand in the file.
func (r *run) stand(s *scene.Scene, from []int, l Ladder, nodes []int, at map[int]int) []int {
	first := -1
	parents := map[int]bool{}
	for _, n := range s.Nodes {
		parents[n.Parent] = true
	}
	for _, i := range l.Of {
		if k, ok := at[i]; ok {
			if first < 0 {
				first = k
			}
			s.Nodes[k].Mesh, s.Nodes[k].Kind = -1, scene.KindEmpty
		}
	}
	if first < 0 {
		return from
	}
	for j, i := range nodes {
		mesh := len(s.Meshes)
		s.Meshes = append(s.Meshes, r.s.Meshes[r.s.Nodes[i].Mesh])
		world := r.survey.Worlds[i]
		if j == 0 && !parents[first] {
			above := s.Worlds()
			n := &s.Nodes[first]
			n.Local = world
			if n.Parent >= 0 {
				if inv, ok := above[n.Parent].Inverse(); ok {
					n.Local = inv.Mul(world)
				}
			}
			n.Mesh, n.Kind = mesh, scene.KindMesh
			continue
		}
		s.Nodes = append(s.Nodes, scene.Node{Name: s.Nodes[first].Name, Kind: scene.KindMesh, Parent: -1, Mesh: mesh,
			Local: world})
		from = append(from, from[first])
	}
	return from
}
