package source

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/union"
)

// standsIn tells whether a node was found to be a level or a collision shape of another.
func (v *Survey) standsIn(i int) bool {
	return slices.Contains(v.lone[i], Level) || slices.Contains(v.lone[i], Solid)
}

// samePlace tells whether two nodes take up the same room, as a thing and its levels do: no
// side off by more than a quarter of the largest, nor the middle by more than a tenth.
func samePlace(a, b geom.Box) bool {
	x, y := a.Size(), b.Size()
	most := max(x.Max(), y.Max())
	for k := range 3 {
		if d := x[k] - y[k]; d > most/4 || d < -most/4 {
			return false
		}
	}
	return a.Center().Dist(b.Center()) <= most/10
}

// standIns finds nodes that stand in the place of another on purpose, by their names or by
// being far simpler: simpler levels, and shapes to collide with.
func (v *looker) standIns(s *scene.Scene) {
	var list []int
	for i, n := range s.Nodes {
		if n.Mesh >= 0 && !v.Boxes[i].IsEmpty() {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(v.Boxes[a].Min[0], v.Boxes[b].Min[0]) })
	group := union.New(len(s.Nodes)) // of those that share a place
	tests := 0
	for k, a := range list {
		reach := v.Boxes[a].Min[0] + v.Boxes[a].Size().Max()/2 + v.Near
		for _, b := range list[k+1:] {
			if v.Boxes[b].Min[0] > reach {
				break
			}
			if tests++; tests > 4_000_000 || v.ctx.Err() != nil {
				v.Cut = true
				return
			}
			if samePlace(v.Boxes[a], v.Boxes[b]) {
				group.Join(int32(a), int32(b))
			}
		}
	}
	places := map[int32][]int{}
	for _, i := range list {
		k := group.Find(int32(i))
		places[k] = append(places[k], i)
	}
	stems := map[string]bool{} // of nodes that stand for themselves
	for _, i := range list {
		if role, _, stem, _ := naming.RoleOf(s.Nodes[i].Name); role == naming.Itself {
			stems[stem] = true
		}
	}
	for _, i := range list {
		together := places[group.Find(int32(i))]
		slices.Sort(together)
		v.standIn(s, i, together, stems)
	}
}

// standIn judges node i among those that share its place.
func (v *looker) standIn(s *scene.Scene, i int, together []int, stems map[string]bool) {
	tris := func(k int) int { return s.Meshes[s.Nodes[k].Mesh].Triangles() }
	fullest := i // the node it would stand in for
	for _, k := range together {
		if tris(k) > tris(fullest) {
			fullest = k
		}
	}
	if _, said := v.Recognised[i]; said {
		return
	}
	role, sure, stem, number := naming.RoleOf(s.Nodes[i].Name)
	simpler := fullest != i && 2*tris(i) <= tris(fullest)
	of := s.Nodes[fullest].Name
	switch {
	case role == naming.Solid && (sure && (fullest != i || stems[stem]) || simpler):
		v.note(i, Solid, fmt.Sprintf("By its name it is a shape to collide with, of “%s”.",
			cmp.Or(other(s, i, fullest, stem), of)))
	case role == naming.Level && (sure && number != 0 && (len(together) > 1 || stems[stem]) || simpler):
		v.note(i, Level, fmt.Sprintf("By its name it is a simpler level of “%s”.", cmp.Or(other(s, i, fullest, stem), of)))
	case role == naming.Itself && number > 0 && v.countedUp(s, stem, together) && number > least(s, stem, together):
		v.note(i, Level, fmt.Sprintf("Its name counts up from others in the same place: it reads as a level of “%s”.", stem))
	case simpler && 10*tris(i) <= tris(fullest) && tris(fullest) >= 100:
		v.note(i, Level, fmt.Sprintf(
			"It takes up the room of “%s” with %d of its %d triangles: it reads as a simpler level, or as a shape "+
				"to collide with.", of, tris(i), tris(fullest)))
	}
}

// other is the name of the node that stands for itself, when it is not i.
func other(s *scene.Scene, i, fullest int, stem string) string {
	if fullest != i {
		return s.Nodes[fullest].Name
	}
	return stem
}

// countedUp tells whether the nodes in one place that share a stem are three or more, whose
// numbers follow on one another from 0 or 1. Two may be a thing and its copy.
func (v *looker) countedUp(s *scene.Scene, stem string, together []int) bool {
	var numbers []int
	for _, k := range together {
		if role, _, st, n := naming.RoleOf(s.Nodes[k].Name); role == naming.Itself && st == stem && n >= 0 {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	for k, n := range numbers {
		if n != numbers[0]+k {
			return false
		}
	}
	return len(numbers) >= 3 && numbers[0] <= 1
}

// least is the smallest number of those.
func least(s *scene.Scene, stem string, together []int) int {
	n := -1
	for _, k := range together {
		if role, _, st, m := naming.RoleOf(s.Nodes[k].Name); role == naming.Itself && st == stem && m >= 0 &&
			(n < 0 || m < n) {
			n = m
		}
	}
	return n
}

// inARow tells whether a node that stands apart is one of several things alike: of a size
// with the main body, and no farther from its nearest neighbour than three times what is
// usual, up to twenty times the main body's size.
func (v *looker) inARow(i int, diag float64) bool {
	if v.Boxes[i].Size().Len() < diag/3 {
		return false
	}
	if v.beside == nil {
		v.beside = newNeighbours(v.Boxes)
	}
	if v.beside.usual < 0 {
		return false
	}
	return v.beside.gap(i) <= min(3*v.beside.usual, 20*diag)
}

// neighbours finds how far a box is from the one nearest to it. The boxes are ordered along
// the longest extent of them all.
type neighbours struct {
	boxes []geom.Box
	axis  int
	order []int     // of the boxes that are not empty, by their lower ends
	place []int     // of each box in that order
	ends  []float64 // the highest upper end of those up to a place
	usual float64   // the middle one of the gaps of the first hundred, -1 without a second box
}

// looked is how many boxes on either side are held against one. Beyond that, a nearer one
// is not found: a plane of boxes has as many side by side as the root of their number.
const looked = 4096

func newNeighbours(boxes []geom.Box) *neighbours {
	n := &neighbours{boxes: boxes, place: make([]int, len(boxes)), usual: -1}
	all := scene.Union(boxes).Size()
	for k := range all {
		if all[k] > all[n.axis] {
			n.axis = k
		}
	}
	for i, b := range boxes {
		if !b.IsEmpty() {
			n.order = append(n.order, i)
		}
	}
	slices.SortStableFunc(n.order, func(a, b int) int { return cmp.Compare(boxes[a].Min[n.axis], boxes[b].Min[n.axis]) })
	end := math.Inf(-1)
	for at, i := range n.order {
		n.place[i] = at
		end = max(end, boxes[i].Max[n.axis])
		n.ends = append(n.ends, end)
	}
	if len(n.order) < 2 {
		return n
	}
	var some []float64
	for i, b := range boxes {
		if !b.IsEmpty() && len(some) < 100 {
			some = append(some, n.gap(i))
		}
	}
	slices.Sort(some)
	n.usual = some[len(some)/2]
	return n
}

// gap is how far box i is from the one nearest to it.
func (n *neighbours) gap(i int) float64 {
	best, b, at := math.Inf(1), n.boxes[i], n.place[i]
	for k := at + 1; k < len(n.order) && k <= at+looked; k++ {
		o := n.boxes[n.order[k]]
		if o.Min[n.axis]-b.Max[n.axis] >= best {
			break
		}
		best = min(best, o.Gap(b))
	}
	for k := at - 1; k >= 0 && k >= at-looked && b.Min[n.axis]-n.ends[k] < best; k-- {
		best = min(best, n.boxes[n.order[k]].Gap(b))
	}
	return best
}
