package simplify

import (
	"cmp"
	"slices"

	"yarvek/core/topo"
)

// speck is a body that has come down to two triangles back to back: nothing of it is seen.
type speck struct {
	triangles [2]int32
	reach     float64 // its longest side
}

// specks takes bodies out that came down to nothing, the smallest first, until there are no more triangles than goal. A
// body of which something is to be seen has four.
func (w *work) specks(goal int) {
	var list []speck
	for t := range int32(len(w.face)) {
		if w.place[3*t] < 0 {
			continue
		}
		var other int32 = -1
		alone := true
		reach := 0.0
		for c := 3 * t; c < 3*t+3 && alone; c++ {
			n := 0
			w.each(w.place[c], func(d int32) {
				if n++; d/3 != t {
					if other >= 0 && d/3 != other {
						alone = false
					}
					other = d / 3
				}
			})
			alone = alone && n == 2
			reach = max(reach, w.at[w.place[c]].Dist(w.at[w.place[topo.After(c)]]))
		}
		if alone && other > t {
			list = append(list, speck{[2]int32{t, other}, reach})
		}
	}
	slices.SortStableFunc(list, func(a, b speck) int { return cmp.Compare(a.reach, b.reach) })
	for _, s := range list {
		if w.left <= goal {
			return
		}
		for _, t := range s.triangles {
			for c := 3 * t; c < 3*t+3; c++ {
				w.unlink(c)
			}
		}
		w.left -= 2
	}
}
