package waste

import (
	"context"

	"yarvek/core/geom"
	"yarvek/core/topo"
)

// fan walks round the place half edge h begins at: the half edges that begin there, each of
// the next triangle anticlockwise, from the border on where there is one. closed tells that
// there is none. At most most of them are given.
func (w *work) fan(h int32, list []int32, most int) (_ []int32, closed bool) {
	first := h
	for range most { // clockwise to the border
		g := w.twin[first]
		if g < 0 {
			break
		}
		if first = topo.After(g); first == h {
			closed = true
			break
		}
	}
	list = append(list[:0], first)
	for len(list) <= most {
		g := w.twin[topo.Before(list[len(list)-1])]
		if g < 0 || g == first {
			break
		}
		list = append(list, g)
	}
	return list, closed
}

// classify finds the points that can go.
func (w *work) classify(ctx context.Context) {
	w.state = make([]state, len(w.m.Points))
	round := make([]int32, len(w.m.Points)) // how many triangles there are round each place
	for h := range w.corner {
		round[w.at(int32(h))]++
	}
	chain := make([][2]int32, len(w.m.Points)) // of points between two regions: their half edges on
	var list []int32
	for p := range w.state {
		if p&0x3fff == 0 && ctx.Err() != nil {
			return
		}
		if w.out[p] < 0 {
			continue
		}
		var closed bool
		list, closed = w.fan(w.out[p], list, int(round[p]))
		if len(list) != int(round[p]) {
			continue // several fans touch here
		}
		borders := 0
		var ends [2]int32 // half edges, from here or to here, that divide
		whole := true
		for _, h := range list {
			whole = whole && w.region[h/3] >= 0
			if w.divides(h) {
				if borders < 2 {
					ends[borders] = h
				}
				borders++
			}
		}
		if !closed {
			if borders < 2 {
				ends[borders] = topo.Before(list[len(list)-1])
			}
			borders++
		}
		switch {
		case !whole:
		case borders == 0:
			w.state[p] = inside
		case borders == 2 && w.hardAt(ends[0]) == w.hardAt(ends[1]):
			w.state[p], chain[p] = along, ends
		}
	}
	w.straighten(ctx, chain)
}

// hardAt tells whether the edge of a half edge is hard, said from either side.
func (w *work) hardAt(h int32) bool {
	return w.hard != nil && (w.hard[h] || w.twin[h] >= 0 && w.hard[w.twin[h]])
}

// other is the far end of a half edge that begins or ends at place p.
func (w *work) other(h, p int32) int32 {
	if a := w.at(h); a != p {
		return a
	}
	return w.at(topo.After(h))
}

// straighten lets of the points along borders those stay that the line needs: runs of them are
// followed from point to point that stays, and each stretch is made as long as all points on
// the way are within tolerance of it, by doubling and halving.
func (w *work) straighten(ctx context.Context, chain [][2]int32) {
	seen := make([]bool, len(w.state))
	walk := func(from, through int32) []int32 {
		run := []int32{from}
		before, p := from, through
		for w.state[p] == along && !seen[p] {
			seen[p] = true
			run = append(run, p)
			q := w.other(chain[p][0], p)
			if q == before {
				q = w.other(chain[p][1], p)
			}
			before, p = p, q
		}
		return append(run, p)
	}
	for p := range w.state {
		if p&0x3fff == 0 && ctx.Err() != nil {
			return
		}
		if w.state[p] != along || seen[p] {
			continue
		}
		// Back to where the run begins, then all of it; a loop begins here.
		start, before := int32(p), w.other(chain[p][0], int32(p))
		for w.state[before] == along && before != int32(p) {
			q := w.other(chain[before][0], before)
			if q == start {
				q = w.other(chain[before][1], before)
			}
			start, before = before, q
		}
		if before == int32(p) { // a loop of nothing else
			w.state[p] = stays
			start = w.other(chain[p][0], int32(p))
			w.simplify(walk(int32(p), start))
			continue
		}
		w.simplify(walk(before, start))
	}
}

// simplify marks what of a run of places stays.
func (w *work) simplify(run []int32) {
	tol := placeTol * w.size
	straight := func(i, j int) bool {
		a, b := w.m.Points[run[i]], w.m.Points[run[j]]
		d := b.Sub(a)
		long := d.Len()
		if !(long > 0) {
			return false
		}
		u, last := d.Mul(1/long), 0.0
		for k := i + 1; k < j; k++ {
			v := w.m.Points[run[k]].Sub(a)
			s := v.Dot(u)
			if s <= last || s >= long || v.Sub(u.Mul(s)).Len() > tol {
				return false
			}
			last = s
		}
		return true
	}
	for i := 0; i+1 < len(run); {
		step := 1
		for i+2*step < len(run) && straight(i, i+2*step) {
			step *= 2
		}
		good := i + step
		for bad := min(i+2*step, len(run)); bad-good > 1; {
			if mid := (good + bad) / 2; straight(i, mid) {
				good = mid
			} else {
				bad = mid
			}
		}
		if good < len(run)-1 {
			w.state[run[good]] = stays
		}
		i = good
	}
}

// lock keeps the points of some regions.
func (w *work) lock(regions map[int32]bool) {
	if len(regions) == 0 {
		return
	}
	for h := range w.corner {
		if regions[w.region[h/3]] {
			w.state[w.at(int32(h))] = stays
		}
	}
}

// plane takes a place to the plane of a region.
func (w *work) plane(r int32, p geom.Vec3) [2]float64 { return w.fits[r].flat(p) }
