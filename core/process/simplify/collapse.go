package simplify

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/topo"
)

// hand is what collapses edges.
type hand struct {
	*work
	queue *queue // nil while a mesh is swept
	goal  int    // triangles that are to go
	gone  int
	held  Holder
	loose bool // what is joined may have been apart
}

// loosely marks the stamp of an edge whose collapse joins what was apart, closing a hole through the body or pinching
// it; that counts looseCost times.
const (
	loosely   = 1 << 31
	looseCost = 30
)

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
		w.loose = e.sb&loosely != 0
		if !w.alive[e.a] || !w.alive[e.b] || w.stamp[e.a] != e.sa || w.stamp[e.b] != e.sb&^loosely {
			continue
		}
		to, cost, ok := w.target(e.a, e.b)
		if !ok {
			continue
		}
		if cost > limit*(w.weight[e.a]+w.weight[e.b]) {
			w.held = Allowed
			continue
		}
		if w.mate != nil {
			w.collapseBoth(e.a, e.b, to)
		} else if !w.collapse(e.a, e.b, to) && w.branched && !w.loose && !w.joinable(e.a, e.b) {
			e.cost, e.sb = e.cost*looseCost, e.sb|loosely
			w.queue.push(e)
		}
	}
}

// fill queues all edges.
func (w *hand) fill(ctx context.Context) {
	costs := make([]float32, len(w.place))
	w.priced(ctx, costs, func(int32) bool { return true })
	w.queue = newQueue(w.left)
	w.queue.reserve(costs)
	for c, cost := range costs {
		if cost < never {
			p, q := w.place[c], w.place[topo.After(int32(c))]
			w.queue.push(entry{cost, p, q, w.stamp[p], w.stamp[q]})
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

// Holder is what holds most of the edges that are left.
type Holder string

// The holders.
const (
	Outline Holder = "outline" // open borders, seams and borders of slots
	Holes   Holder = "holes"   // they would close, or what runs through
	Allowed Holder = "allowed" // the deviation that is allowed
)

// Words name it.
func (h Holder) Words() string {
	return map[Holder]string{Outline: "its outline and its seams",
		Holes: "its holes and what runs through it, which would close", Allowed: "the deviation that is allowed"}[h]
}

// holder is what holds most of the edges that are left.
func (w *work) holder() Holder {
	if w.held != "" {
		return w.held
	}
	var lines, holes int
	for c, p := range w.place {
		if p < 0 {
			continue
		}
		if q := w.place[topo.After(int32(c))]; w.class[p] != free && w.class[q] != free {
			lines++
		} else if !w.joinable(p, q) {
			holes++
		}
	}
	if holes > lines {
		return Holes
	}
	return Outline
}

// may tells whether an edge can go: that turns no triangle over and joins nothing that was apart.
func (w *hand) may(a, b int32, to geom.Vec3) bool {
	return (w.joinable(a, b) || w.loose) && w.upright(a, b, to) && w.upright(b, a, to)
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
	var few [4]int32
	gone := few[:0]
	w.each(a, func(c int32) {
		if w.place[topo.After(c)] == b || w.place[topo.Before(c)] == b {
			gone = append(gone, c/3)
		}
		last = c
	})
	w.each(a, func(c int32) { w.place[c] = b })
	w.next[last], w.next[w.first[b]] = w.next[w.first[b]], w.first[a]
	w.first[a], w.alive[a] = -1, false
	for _, t := range gone {
		for c := 3 * t; c < 3*t+3; c++ {
			w.unlink(c)
		}
		w.gone++
	}
	if w.loose {
		w.fold(b)
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

// fold takes out pairs of triangles of a place that have come to lie back to back.
func (w *hand) fold(b int32) {
	var few [32]int32
	ring := few[:0]
	w.each(b, func(c int32) { ring = append(ring, c) })
	if len(ring) > mostRound {
		return
	}
	for i, c := range ring {
		for _, d := range ring[:i] {
			if w.place[c] != b || w.place[d] != b || w.place[topo.After(c)] != w.place[topo.Before(d)] ||
				w.place[topo.Before(c)] != w.place[topo.After(d)] {
				continue
			}
			for _, t := range [2]int32{c / 3, d / 3} {
				for k := 3 * t; k < 3*t+3; k++ {
					w.unlink(k)
				}
				w.gone++
			}
		}
	}
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

// around takes the edges of a place into the queue as they are now.
func (w *hand) around(b int32) {
	if w.queue == nil {
		return
	}
	w.each(b, func(c int32) {
		for _, d := range [2]int32{topo.After(c), topo.Before(c)} {
			o := w.place[d]
			if d == topo.Before(c) && !w.crease[d] {
				continue // it is the next of another triangle
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
