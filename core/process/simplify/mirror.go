package simplify

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/topo"
)

// mirror is what a mesh has of halves that mirror one another across a plane.
type mirror struct {
	mate []int32 // of each place, that in the mirror, itself on the plane; nil of a mesh that is not mirrored
	axis int     // across which it is; the plane goes through the middle
}

// mirrored looks for a plane across which all places mirror one another, through the middle of the mesh and
// across one of its axes.
//
// Places lie in cells of a grid, four times as large as what counts as one place; a mirrored place is looked
// for in the cells at the corners of a box about it, so that one just across a cell's side is found. An axis is
// taken when every place has a mate and is its mate's.
func (w *work) mirrored() {
	box := geom.EmptyBox()
	for p, at := range w.at {
		if w.alive[p] {
			box = box.Add(at)
		}
	}
	near := 1e-5 * box.Size().Len()
	if !(near > 0) {
		return
	}
	middle := box.Center()
	if middle.Len() > near {
		return // places out of use lie about it
	}
	type cell [3]int64
	in := func(p geom.Vec3) cell {
		return cell{int64(math.Floor(p[0] / (4 * near))), int64(math.Floor(p[1] / (4 * near))),
			int64(math.Floor(p[2] / (4 * near)))}
	}
	first, next := map[cell]int32{}, make([]int32, len(w.at))
	for p, at := range w.at {
		next[p] = -1
		if w.alive[p] {
			c := in(at)
			if q, ok := first[c]; ok {
				next[p] = q
			}
			first[c] = int32(p)
		}
	}
	find := func(at geom.Vec3) int32 {
		for i := range 8 {
			o := geom.Vec3{near * float64(i&1*2-1), near * float64(i>>1&1*2-1), near * float64(i>>2&1*2-1)}
			q, ok := first[in(at.Add(o))]
			for ok && q >= 0 {
				if w.at[q].Dist(at) <= near {
					return q
				}
				q = next[q]
			}
		}
		return -1
	}
axes:
	for axis := range 3 {
		mate := make([]int32, len(w.at))
		for p, at := range w.at {
			if mate[p] = -1; !w.alive[p] {
				continue
			}
			at[axis] = -at[axis]
			if mate[p] = find(at); mate[p] < 0 {
				continue axes
			}
		}
		for p, q := range mate {
			if q >= 0 && mate[q] != int32(p) {
				continue axes
			}
		}
		w.mate, w.axis = mate, axis
		return
	}
}

// collapseBoth collapses an edge and the one in its mirror, or neither.
func (w *hand) collapseBoth(a, b int32, to geom.Vec3) {
	x, y := w.mate[a], w.mate[b]
	back := to
	back[w.axis] = -back[w.axis]
	flat := to
	flat[w.axis] = 0
	switch {
	case x == a && y == b: // on the plane
		w.collapse(a, b, flat)
	case x == b: // across it
		if w.class[a] == w.class[b] && w.collapse(a, b, flat) {
			w.mate[b] = b
		}
	case x == a || y == b: // from beside it onto it, from both sides
		if x == a {
			a, b, x = b, a, y
		}
		// What stays on the plane stays where it is: one after the other comes to it.
		at := w.at[b]
		if w.class[a] <= w.class[b] && w.onto(a, x, b) && w.may(a, b, at) && w.may(x, b, at) && w.collapse(a, b, at) &&
			!w.collapse(x, b, at) {
			w.mate = nil // one went without the other
		}
	default:
		for _, p := range [2]int32{a, b} {
			for _, q := range [2]int32{x, y} {
				if w.beside(p, q) {
					return // what becomes of one would change the other
				}
			}
		}
		if w.mate[x] == a && w.mate[y] == b && w.may(a, b, to) && w.may(x, y, back) && w.collapse(a, b, to) &&
			!w.collapse(x, y, back) {
			w.mate = nil
		}
	}
}

// beside tells whether an edge runs between two places.
func (w *work) beside(p, q int32) bool {
	found := false
	w.each(p, func(c int32) { found = found || w.place[topo.After(c)] == q || w.place[topo.Before(c)] == q })
	return found
}

// onto tells whether two places that mirror one another can come to b one after the other: neither
// is beside the other, and what both are beside is beside b already.
func (w *work) onto(a, x, b int32) bool {
	ok := !w.beside(a, x)
	w.each(a, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			if q := w.place[d]; ok && q != b && w.beside(q, x) && !w.beside(q, b) {
				ok = false
			}
		}
	})
	return ok
}
