package deliver

import (
	"fmt"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// part is a node that places a mesh: its number and name, and its box in the world.
type part struct {
	node int
	name string
	box  geom.Box
}

func partsOf(s *scene.Scene) []part {
	var list []part
	boxes := s.NodeBounds()
	for i, n := range s.Nodes {
		if n.Mesh >= 0 {
			list = append(list, part{i, n.Name, boxes[i]})
		}
	}
	return list
}

// partNames are the names of the nodes that place a mesh, sorted: formats write trees in an
// order of their own.
func partNames(s *scene.Scene) []string {
	var names []string
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			names = append(names, n.Name)
		}
	}
	slices.Sort(names)
	return names
}

// spots finds parts by their name and where their boxes begin, to cells of twice the tolerance.
type spots struct {
	tol  float64
	list map[spot][]part
}

type spot struct {
	name string
	at   [3]int64
}

func (s *spots) of(name string, b geom.Box) spot {
	k := spot{name: name}
	for i := range 3 {
		if !b.IsEmpty() {
			k.at[i] = int64(math.Floor(b.Min[i] / (2 * s.tol)))
		}
	}
	return k
}

// fill puts parts there, by name or for their boxes alone.
func (s *spots) fill(list []part, named bool) {
	s.list = map[spot][]part{}
	for _, p := range list {
		if !named {
			p.name = ""
		}
		k := s.of(p.name, p.box)
		s.list[k] = append(s.list[k], p)
	}
}

// take takes out a part of a name with a box, and gives its node, -1 for none.
func (s *spots) take(name string, box geom.Box) int {
	at := s.of(name, box)
	for d := range int64(27) {
		k := spot{name, [3]int64{at.at[0] + d%3 - 1, at.at[1] + d/3%3 - 1, at.at[2] + d/9 - 1}}
		for i, p := range s.list[k] {
			if p.box.IsEmpty() && box.IsEmpty() || p.box.Min.Near(box.Min, s.tol) && p.box.Max.Near(box.Max, s.tol) {
				if i == 0 { // as for all of a stack
					s.list[k] = s.list[k][1:]
				} else {
					s.list[k] = slices.Delete(s.list[k], i, i+1)
				}
				return p.node
			}
		}
	}
	return -1
}

// paired gives the node that arrived for each part that was sent: one with its name and its box;
// of what is left one with its box, since names may change on the way; of what is left then,
// as they come. off is how many those are, which stand elsewhere. ok is false when other many
// arrived.
func paired(sent, got *scene.Scene) (a, b []int, off int, ok bool) {
	was, came := partsOf(sent), partsOf(got)
	if len(was) != len(came) {
		return nil, nil, 0, false
	}
	s := &spots{tol: tolerance(sent.Bounds())}
	took := map[int]bool{}
	b = slices.Repeat([]int{-1}, len(was))
	for _, named := range []bool{true, false} {
		s.fill(slices.DeleteFunc(slices.Clone(came), func(p part) bool { return took[p.node] }), named)
		for i, p := range was {
			if !named {
				p.name = ""
			}
			if b[i] < 0 {
				if b[i] = s.take(p.name, p.box); b[i] >= 0 {
					took[b[i]] = true
				}
			}
		}
	}
	came = slices.DeleteFunc(came, func(p part) bool { return took[p.node] })
	for i, p := range was {
		a = append(a, p.node)
		if b[i] < 0 {
			b[i] = came[off].node
			off++
		}
	}
	return a, b, off, true
}

// inOrder is what arrived with its parts in the order they were sent in, for what is told by the
// order of its first use.
func inOrder(sent, got *scene.Scene) *scene.Scene {
	_, b, _, ok := paired(sent, got)
	if !ok {
		return got
	}
	out := *got
	out.Nodes = nil
	for _, k := range b {
		n := got.Nodes[k]
		n.Parent = -1
		out.Nodes = append(out.Nodes, n)
	}
	return &out
}

// places tells how many parts stand where they were sent; formats write trees in an order of
// their own.
func (c *Certificate) places(sent, got *scene.Scene) {
	a, _, off, ok := paired(sent, got)
	if !ok {
		return // Parts says so already
	}
	c.Rows = append(c.Rows, Row{Code: "places", What: "Parts in place", Sent: fmt.Sprintf("%d of %d", len(a), len(a)),
		Arrived: fmt.Sprintf("%d of %d", len(a)-off, len(a)), Equal: off == 0})
}
