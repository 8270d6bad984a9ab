package simplify

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/split"
	"yarvek/core/topo"
)

// halfFrom is how many triangles are worth being divided for two to work on.
const halfFrom = 400_000

// halve goes much of the way to a goal with two halves of a large mesh side by side, each on what
// lies within it, always the same halves; from there on all of it is one.
func (w *work) halve(ctx context.Context, goal int) {
	if w.left <= cmp.Or(w.o.halfFrom, halfFrom) || w.left <= 4*goal || w.mate != nil {
		return
	}
	half := w.halves()
	var hands [2]*hand
	// Both have looked over all of it before either begins.
	split.Together(func() { hands[0] = w.within(ctx, half, 0, goal) }, func() { hands[1] = w.within(ctx, half, 1, goal) })
	split.Together(func() { hands[0].descend(ctx) }, func() { hands[1].descend(ctx) })
	for _, h := range hands {
		w.left -= h.gone
	}
}

// halves divides the places by the middle of the longest extent: 0 and 1 within the two halves, 2
// for those with a neighbour in the other one.
func (w *work) halves() []uint8 {
	box := geom.EmptyBox()
	for p, at := range w.at {
		if w.alive[p] {
			box = box.Add(at)
		}
	}
	axis := 0
	for k := range 3 {
		if box.Size()[k] > box.Size()[axis] {
			axis = k
		}
	}
	mid := make([]float64, 0, len(w.at))
	for p, at := range w.at {
		if w.alive[p] {
			mid = append(mid, at[axis])
		}
	}
	slices.Sort(mid)
	cut := mid[len(mid)/2]
	side := func(p int32) uint8 {
		if w.at[p][axis] < cut {
			return 0
		}
		return 1
	}
	half := make([]uint8, len(w.at))
	for p := range half {
		half[p] = side(int32(p))
	}
	for c, p := range w.place {
		if p < 0 {
			continue
		}
		if q := w.place[topo.After(int32(c))]; side(p) != side(q) {
			half[p], half[q] = 2, 2
		}
	}
	return half
}

// within is ready to work on one half, down to some way above its share of what is asked.
func (w *work) within(ctx context.Context, half []uint8, own uint8, goal int) *hand {
	n := 0
	for t := 0; t < len(w.place); t += 3 {
		if p := w.place[t]; p >= 0 && half[p] == own && half[w.place[t+1]] == own && half[w.place[t+2]] == own {
			n++
		}
	}
	share := float64(goal) / float64(w.left)
	h := &hand{work: w, goal: int(float64(n) * (1 - 2*share))}
	in := func(p int32) bool { return half[p] == own }
	h.in = in
	h.fill(ctx, in)
	return h
}

// hand is one that collapses edges. Several may work on one mesh at a time, on places whose
// neighbours no other one moves.
type hand struct {
	*work
	in    func(p int32) bool // places it may move or take out; nil for all
	queue *queue
	goal  int // triangles that are to go
	gone  int
	held  string
}

// descend collapses until the goal is reached.
func (w *hand) descend(ctx context.Context) {
	w.held = w.work.held
	limit := math.Inf(1)
	if w.o.Deviation > 0 {
		limit = w.o.Deviation * w.o.Deviation
	}
	for steps := 0; w.queue.n > 0 && w.gone < w.goal; steps++ {
		if steps&0xfff == 0 && ctx.Err() != nil {
			return
		}
		e := w.queue.pop()
		if w.stamp[e.a] != e.sa || w.stamp[e.b] != e.sb {
			continue
		}
		to, cost, ok := w.target(e.a, e.b)
		if !ok {
			continue
		}
		if cost > limit*(w.weight[e.a]+w.weight[e.b]) {
			w.held = "the deviation that is allowed"
			continue
		}
		if w.mate != nil {
			w.collapseBoth(e.a, e.b, to)
		} else {
			w.collapse(e.a, e.b, to)
		}
	}
}

// fill queues all edges between places it may move.
func (w *hand) fill(ctx context.Context, in func(p int32) bool) {
	w.queue = newQueue(w.left)
	for c, p := range w.place {
		if c&0xffff == 0 && ctx.Err() != nil {
			return
		}
		if p < 0 {
			continue
		}
		q := w.place[topo.After(int32(c))]
		// Every edge once: its other triangle runs along it from the other end. At a border, and
		// along seams, from either.
		if (p < q || w.crease[c]) && in(p) && in(q) {
			if _, cost, ok := w.target(p, q); ok {
				w.queue.push(entry{float32(cost), p, q, w.stamp[p], w.stamp[q]})
			}
		}
	}
}

// isLine tells whether the edge between two places is a border or a seam.
func (w *work) isLine(a, b int32) bool {
	found := false
	w.each(a, func(c int32) {
		found = found || w.crease[c] && w.place[topo.After(c)] == b || w.crease[topo.Before(c)] &&
			w.place[topo.Before(c)] == b
	})
	return found
}

// target is where an edge would be collapsed to and what that would cost, false when the classes
// of its ends forbid it.
func (w *work) target(a, b int32) (geom.Vec3, float64, bool) {
	ca, cb := w.class[a], w.class[b]
	q := w.q[a]
	q.add(&w.q[b])
	along := ca != free && cb != free
	switch {
	case ca == corner && cb == corner:
		return geom.Vec3{}, 0, false
	case along && !w.isLine(a, b):
		return geom.Vec3{}, 0, false // two lines would become one
	}
	if w.carried != nil {
		if ca == free && cb == free {
			w.carried.apart(&q, w.wedge[w.first[a]], w.wedge[w.first[b]])
		} else {
			var pairs [8]pair
			for _, p := range w.pairs(a, b, pairs[:0]) {
				w.carried.apart(&q, p.from, p.to)
			}
		}
	}
	pa, pb := w.at[a], w.at[b]
	// A little for the length, so that flat areas are thinned evenly: no place draws in all others.
	between := pb.Sub(pa)
	square := between.Dot(between)
	even := 1e-9 * square * (w.weight[a] + w.weight[b])
	switch {
	case ca > cb:
		return pa, max(0, q.at(pa)) + even, true
	case cb > ca:
		return pb, max(0, q.at(pb)) + even, true
	}
	best, cost := pa, q.at(pa)
	if v := q.at(pb); v < cost {
		best, cost = pb, v
	}
	if w.o.KeepPoints {
		return best, max(0, cost) + even, true
	}
	// The middle is not tried: where the least is no one place it lies within what bends, and both
	// ends on it.
	if p, ok := q.least(); ok {
		if along {
			p = w.kept(a, b, p)
		}
		// Along a line it stays between the ends: beyond them nothing tells what the line carries.
		if d := p.Sub(pa); d.Dot(d) < 100*square && (!along || d.Dot(between) >= 0 && d.Dot(between) <= square) {
			if v := q.at(p); v < cost {
				best, cost = p, v
			}
		}
	}
	return best, max(0, cost) + even, true
}

// may tells whether an edge can go: that turns no triangle over and joins nothing that was apart.
func (w *hand) may(a, b int32, to geom.Vec3) bool {
	return (w.in == nil || w.alone(a, b)) && w.joinable(a, b) && w.upright(a, b, to) && w.upright(b, a, to)
}

// collapse carries an edge out, if it may, and tells whether it did. One that may not is tried again
// when one of its ends has changed.
func (w *hand) collapse(a, b int32, to geom.Vec3) bool {
	if !w.may(a, b, to) {
		return false
	}
	// The one that keeps its values is the one that may not move.
	t := 0.0
	if d := w.at[b].Sub(w.at[a]); d.Dot(d) > 0 {
		t = min(1, max(0, to.Sub(w.at[a]).Dot(d)/d.Dot(d)))
	}
	w.mix(a, b, t, to)
	// Triangles at the edge go; those of a hang on b.
	last := int32(-1)
	var gone [4]int32
	n := 0
	w.each(a, func(c int32) {
		if w.place[topo.After(c)] == b || w.place[topo.Before(c)] == b {
			if n < len(gone) {
				gone[n] = c / 3
				n++
			}
		}
		last = c
	})
	w.each(a, func(c int32) { w.place[c] = b })
	w.next[last], w.next[w.first[b]] = w.next[w.first[b]], w.first[a]
	w.first[a], w.alive[a] = -1, false
	for _, t := range gone[:n] {
		for c := 3 * t; c < 3*t+3; c++ {
			w.unlink(c)
		}
		w.gone++
	}
	w.at[b] = to
	w.q[b].add(&w.q[a])
	w.weight[b] += w.weight[a]
	if w.class[a] > w.class[b] {
		w.class[b] = w.class[a]
		if w.run != nil {
			w.run[b] = w.run[a]
		}
	}
	w.stamp[a]++
	w.stamp[b]++
	w.around(b)
	return true
}

// alone tells whether the triangles at an edge are at places this hand may change: what goes is
// taken out at all three of a triangle's.
func (w *hand) alone(a, b int32) bool {
	ok := true
	w.each(a, func(c int32) {
		p, q := w.place[topo.After(c)], w.place[topo.Before(c)]
		if p == b {
			ok = ok && w.in(q)
		} else if q == b {
			ok = ok && w.in(p)
		}
	})
	return ok
}

// unlink takes a corner out of the ring of its place.
func (w *work) unlink(c int32) {
	p := w.place[c]
	if p < 0 {
		return
	}
	if w.next[c] == c {
		w.first[p], w.alive[p] = -1, false
	} else {
		before := c
		for w.next[before] != c {
			before = w.next[before]
		}
		w.next[before] = w.next[c]
		if w.first[p] == c {
			w.first[p] = w.next[c]
		}
	}
	w.place[c] = -1
}

// around takes the edges of a place into the heap as they are now, and names its lines anew.
func (w *hand) around(b int32) {
	w.each(b, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			o := w.place[d]
			if d == topo.Before(c) && !w.crease[d] || w.in != nil && !w.in(o) {
				continue // it is the next of another triangle, or another's
			}
			if _, cost, ok := w.target(b, o); ok {
				w.queue.push(entry{float32(cost), b, o, w.stamp[b], w.stamp[o]})
			}
		}
	})
}

// joinable is the link condition (Dey, Edelsbrunner, Guha and Nekhayev 1999, "Topology preserving
// edge contraction"): the neighbours that both ends have are those of the triangles at the edge.
func (w *work) joinable(a, b int32) bool {
	at, both := 0, 0
	w.each(a, func(c int32) {
		if w.place[topo.After(c)] == b || w.place[topo.Before(c)] == b {
			at++
		}
	})
	if at == 0 || at > 2 {
		return false
	}
	var near [64]int32
	list := near[:0]
	w.each(a, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			if p := w.place[d]; p != b && !slices.Contains(list, p) {
				list = append(list, p)
			}
		}
	})
	if len(list) > mostRound {
		return false
	}
	seen := make([]int32, 0, 8)
	w.each(b, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			if p := w.place[d]; p != a && slices.Contains(list, p) && !slices.Contains(seen, p) {
				seen = append(seen, p)
				both++
			}
		}
	})
	// A line that is collapsed along itself keeps its ends apart; a ring of three edges would
	// become two on one another.
	return both == at
}

// mostRound bounds the triangles round a place that takes part, so that a collapse costs no more.
const mostRound = 512

// upright tells whether no triangle of place a but those it shares with b is turned over or
// becomes a needle when a moves.
func (w *work) upright(a, b int32, to geom.Vec3) bool {
	ok := true
	n := 0
	w.each(a, func(c int32) {
		p, q := w.place[topo.After(c)], w.place[topo.Before(c)]
		if n++; !ok || p == b || q == b {
			return
		}
		x, y := w.at[p], w.at[q]
		before, now := x.Sub(w.at[a]).Cross(y.Sub(w.at[a])), x.Sub(to).Cross(y.Sub(to))
		d := before.Dot(now)
		// Turned by nearly a right angle, or nearly without area.
		long := max(x.Sub(to).Dot(x.Sub(to)), y.Sub(to).Dot(y.Sub(to)), x.Sub(y).Dot(x.Sub(y)))
		was, is := before.Dot(before), now.Dot(now)
		ok = d > 0 && d*d > 0.0004*was*is && is > 1e-10*long*long || was == 0 && is > 0
	})
	return ok && n <= mostRound
}

// pair is a wedge of one place and what it goes on as at another.
type pair struct{ from, to int32 }

// pairs adds to a list what the wedges of a go on as at b, across the triangles at the edge.
func (w *work) pairs(a, b int32, list []pair) []pair {
	w.each(a, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			if w.place[d] == b {
				if p := (pair{w.wedge[c], w.wedge[d]}); !slices.Contains(list, p) {
					list = append(list, p)
				}
			}
		}
	})
	return list
}

// mix gives b's wedges what the new place carries, and a's wedges those of b across the triangles
// that go. Amid a surface it is what the functions of both say of the place; on lines, and without
// functions, it lies t of the way from a to b.
func (w *work) mix(a, b int32, t float64, to geom.Vec3) {
	var few [8]pair
	list := w.pairs(a, b, few[:0])
	v := &w.values
	for _, p := range list {
		x, y := v.of(p.from), v.of(p.to)
		var was geom.Vec3
		if v.normal {
			was = geom.Vec3{y[0], y[1], y[2]}
		}
		for i := range y {
			y[i] = x[i]*(1-t) + y[i]*t
		}
		if w.carried != nil {
			w.carried.apart(&w.q[b], p.from, p.to)
			w.carried.join(p.from, p.to)
			if w.class[a] == free && w.class[b] == free && to != w.at[a] && to != w.at[b] {
				w.carried.values(p.to, to, y)
				v.within(p.to, y)
			}
		}
		if v.normal {
			n := geom.Vec3{y[0], y[1], y[2]}.Unit()
			if n == (geom.Vec3{}) {
				n = was // two that look opposite ways say nothing between
			}
			y[0], y[1], y[2] = n[0], n[1], n[2]
		}
	}
	w.each(a, func(c int32) {
		for _, p := range list {
			if w.wedge[c] == p.from {
				w.wedge[c] = p.to
				return
			}
		}
	})
	// The two sides at each triangle that goes become one: it is a line where either was.
	w.each(a, func(c int32) {
		i, j := topo.After(c), topo.Before(c)
		if w.place[i] != b && w.place[j] != b {
			return
		}
		var o int32 // the third corner's place
		sa, sb := false, false
		if w.place[i] == b { // a, b, o
			o, sa, sb = w.place[j], w.crease[j], w.crease[i]
		} else { // a, o, b
			o, sa, sb = w.place[i], w.crease[c], w.crease[i]
		}
		if sa != sb {
			w.mark(a, o)
			w.mark(b, o)
		}
	})
}

// mark makes the edge between two places a line, on the sides that are there.
func (w *work) mark(a, b int32) {
	w.each(a, func(c int32) {
		if w.place[topo.After(c)] == b {
			w.crease[c] = true
		}
		if w.place[topo.Before(c)] == b {
			w.crease[topo.Before(c)] = true
		}
	})
}
