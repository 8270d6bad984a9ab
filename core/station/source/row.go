package source

import (
	"cmp"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

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
	order []int      // of the boxes that are not empty, by their lower ends
	place []int      // of each box in that order
	rowed []geom.Box // the boxes in that order
	ends  []float64  // the highest upper end of those up to a place
	usual float64    // the middle one of the gaps of the first hundred, -1 without a second box
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
		n.rowed = append(n.rowed, boxes[i])
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
	for k := at + 1; k < len(n.rowed) && k <= at+looked; k++ {
		o := n.rowed[k]
		if o.Min[n.axis]-b.Max[n.axis] >= best {
			break
		}
		best = min(best, o.Gap(b))
	}
	for k := at - 1; k >= 0 && k >= at-looked && b.Min[n.axis]-n.ends[k] < best; k-- {
		best = min(best, n.rowed[k].Gap(b))
	}
	return best
}
