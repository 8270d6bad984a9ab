package simplify

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// run collapses edges, the cheapest first, until it may stop.
func (w *work) run(ctx context.Context) {
	w.fill(ctx)
	limit := math.Inf(1)
	if w.o.Deviation > 0 {
		limit = w.o.Deviation * w.o.Deviation
	}
	for steps := 0; w.queue.n > 0 && w.left > w.o.Triangles; steps++ {
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
		w.collapse(e.a, e.b, to)
	}
}

// fill queues all edges, their costs found side by side.
func (w *work) fill(ctx context.Context) {
	var list []entry
	for c, p := range w.place {
		if c&0xffff == 0 && ctx.Err() != nil {
			return
		}
		if p < 0 {
			continue
		}
		q := w.place[after(int32(c))]
		// Every edge once: where both its triangles run along it, from the lower place.
		if p < q || w.crease[[2]int32{min(p, q), max(p, q)}] && w.once(p, q) {
			list = append(list, entry{a: p, b: q})
		}
	}
	costs := make([]float64, len(list))
	split.Range(len(list), 1<<12, func(_, from, to int) {
		for i := from; i < to; i++ {
			if i&0xfff == 0 && ctx.Err() != nil {
				return
			}
			var ok bool
			if _, costs[i], ok = w.target(list[i].a, list[i].b); !ok {
				costs[i] = -1
			}
		}
	})
	w.queue = newQueue()
	for i, e := range list {
		if costs[i] >= 0 {
			w.queue.push(costs[i], e)
		}
	}
}

// once tells whether only one triangle has the edge from p to q, p being the higher: a border that
// is run along from the higher place alone.
func (w *work) once(p, q int32) bool {
	n := 0
	w.each(p, func(c int32) {
		if w.place[after(c)] == q || w.place[prev(c)] == q {
			n++
		}
	})
	return n == 1 && p > q
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
	case along && !w.crease[[2]int32{min(a, b), max(a, b)}]:
		return geom.Vec3{}, 0, false // two lines would become one
	}
	pa, pb := w.at[a], w.at[b]
	switch {
	case ca > cb:
		return pa, max(0, q.at(pa)), true
	case cb > ca:
		return pb, max(0, q.at(pb)), true
	}
	best, cost := pa, q.at(pa)
	if v := q.at(pb); v < cost {
		best, cost = pb, v
	}
	if w.o.KeepPoints {
		return best, max(0, cost), true
	}
	mid := pa.Add(pb).Mul(0.5)
	if v := q.at(mid); v < cost {
		best, cost = mid, v
	}
	long := pa.Dist(pb)
	if p, ok := q.least(); ok && p.Dist(mid) < 2*long {
		if v := q.at(p); v < cost {
			best, cost = p, v
		}
	}
	// A little for the length, so that flat areas are thinned evenly.
	return best, max(0, cost) + 1e-9*long*long*(w.weight[a]+w.weight[b]), true
}

// collapse carries an edge out, when that turns no triangle over and joins nothing that was apart.
func (w *work) collapse(a, b int32, to geom.Vec3) {
	if !w.joinable(a, b) || !w.upright(a, b, to) || !w.upright(b, a, to) {
		return // it is tried again when one of its ends has changed
	}
	// The one that keeps its values is the one that may not move.
	t := 0.0
	if d := w.at[b].Sub(w.at[a]); d.Dot(d) > 0 {
		t = min(1, max(0, to.Sub(w.at[a]).Dot(d)/d.Dot(d)))
	}
	w.mix(a, b, t)
	// Triangles at the edge go; those of a hang on b.
	last := int32(-1)
	var gone [4]int32
	n := 0
	w.each(a, func(c int32) {
		if w.place[after(c)] == b || w.place[prev(c)] == b {
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
	var others [4]int32
	for i, t := range gone[:n] {
		others[i] = -1
		for c := 3 * t; c < 3*t+3; c++ {
			if w.place[c] != b {
				others[i] = w.place[c]
			}
		}
		for c := 3 * t; c < 3*t+3; c++ {
			w.unlink(c)
		}
		w.left--
	}
	w.at[b] = to
	w.q[b].add(&w.q[a])
	w.weight[b] += w.weight[a]
	if w.class[a] > w.class[b] {
		w.class[b] = w.class[a]
	}
	w.stamp[a]++
	w.stamp[b]++
	w.around(b)
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
func (w *work) around(b int32) {
	w.each(b, func(c int32) {
		for _, d := range [2]int32{after(c), prev(c)} {
			o := w.place[d]
			if d == prev(c) && !w.crease[[2]int32{min(o, b), max(o, b)}] {
				continue // it is the next of another triangle
			}
			if _, cost, ok := w.target(b, o); ok {
				w.queue.push(cost, entry{b, o, w.stamp[b], w.stamp[o]})
			}
		}
	})
}

// joinable is the link condition (Dey, Edelsbrunner, Guha and Nekhayev 1999, "Topology preserving
// edge contraction"): the neighbours that both ends have are those of the triangles at the edge.
func (w *work) joinable(a, b int32) bool {
	at, both := 0, 0
	w.each(a, func(c int32) {
		if w.place[after(c)] == b || w.place[prev(c)] == b {
			at++
		}
	})
	if at == 0 || at > 2 {
		return false
	}
	var near [64]int32
	list := near[:0]
	w.each(a, func(c int32) {
		for _, d := range [2]int32{after(c), prev(c)} {
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
		for _, d := range [2]int32{after(c), prev(c)} {
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
		p, q := w.place[after(c)], w.place[prev(c)]
		if n++; !ok || p == b || q == b {
			return
		}
		x, y := w.at[p], w.at[q]
		before, now := x.Sub(w.at[a]).Cross(y.Sub(w.at[a])), x.Sub(to).Cross(y.Sub(to))
		d := before.Dot(now)
		// Turned by more than about 75°, or nearly without area.
		long := max(x.Sub(to).Dot(x.Sub(to)), y.Sub(to).Dot(y.Sub(to)), x.Sub(y).Dot(x.Sub(y)))
		ok = d > 0.25*before.Len()*now.Len() && now.Len() > 1e-4*long || before.Len() == 0 && now.Len() > 0
	})
	return ok && n <= mostRound
}

// mix gives b's wedges what the new place carries, t of the way from a to b, and a's wedges those
// of b across the triangles that go.
func (w *work) mix(a, b int32, t float64) {
	type pair struct{ from, to int32 }
	var pairs [8]pair
	list := pairs[:0]
	w.each(a, func(c int32) {
		for _, d := range [2]int32{after(c), prev(c)} {
			if w.place[d] == b {
				if p := (pair{w.wedge[c], w.wedge[d]}); !slices.Contains(list, p) {
					list = append(list, p)
				}
			}
		}
	})
	v := &w.values
	for _, p := range list {
		x, y := v.of(p.from), v.of(p.to)
		for i := range y {
			y[i] = x[i]*(1-t) + y[i]*t
		}
		if v.normal {
			n := geom.Vec3{y[0], y[1], y[2]}.Unit()
			if n != (geom.Vec3{}) {
				y[0], y[1], y[2] = n[0], n[1], n[2]
			}
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
	// Lines that ran through a run through b.
	w.each(a, func(c int32) {
		for _, d := range [2]int32{after(c), prev(c)} {
			o := w.place[d]
			k := [2]int32{min(a, o), max(a, o)}
			if w.crease[k] {
				delete(w.crease, k)
				if o != b {
					w.crease[[2]int32{min(b, o), max(b, o)}] = true
				}
			}
		}
	})
}

// queue gives entries by about the least cost: those whose costs differ by less than a sixty-fourth
// share a bucket, from which the last that came is taken. It takes no comparisons, and memory is
// gone through in order.
type queue struct {
	buckets [][]entry
	low     int // no bucket below it holds any
	n       int
}

// bucketBits of a cost in 32 bits name its bucket: sign, exponent and six bits after it.
const bucketBits = 17

func newQueue() *queue {
	return &queue{buckets: make([][]entry, 1<<(32-bucketBits-1)), low: 1 << (32 - bucketBits - 1)}
}

func (q *queue) push(cost float64, e entry) {
	k := int(math.Float32bits(float32(cost)) >> bucketBits)
	q.buckets[k] = append(q.buckets[k], e)
	q.low = min(q.low, k)
	q.n++
}

// pop takes one; there must be one.
func (q *queue) pop() entry {
	for len(q.buckets[q.low]) == 0 {
		q.buckets[q.low] = nil
		q.low++
	}
	list := q.buckets[q.low]
	e := list[len(list)-1]
	q.buckets[q.low] = list[:len(list)-1]
	q.n--
	return e
}

// mesh is what is left.
func (w *work) mesh() *scene.Mesh {
	m := w.m
	out := &scene.Mesh{Name: m.Name, Slots: m.Slots, FaceStart: []int32{0}}
	point := make([]int32, len(w.at)) // plus one
	v := &w.values
	number := make([]int32, len(v.data)/max(1, v.width)) // of each wedge, plus one
	count := int32(0)
	var wedge []int32
	for t := range len(w.face) {
		if w.place[3*t] < 0 {
			continue
		}
		for c := 3 * t; c < 3*t+3; c++ {
			p := w.place[c]
			if point[p] == 0 {
				out.Points = append(out.Points, w.at[p].Add(w.origin))
				point[p] = int32(len(out.Points))
			}
			out.Corners = append(out.Corners, point[p]-1)
			if v.width > 0 {
				if number[w.wedge[c]] == 0 {
					count++
					number[w.wedge[c]] = count
					wedge = append(wedge, w.wedge[c])
				}
			}
		}
		out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
		f := w.face[t]
		if m.Slot != nil {
			out.Slot = append(out.Slot, m.Slot[f])
		}
		if m.Smooth != nil {
			out.Smooth = append(out.Smooth, m.Smooth[f])
		}
	}
	if v.width == 0 {
		return out
	}
	index := func() []int32 {
		list := make([]int32, 0, len(out.Corners))
		for t := range len(w.face) {
			if w.place[3*t] >= 0 {
				for c := 3 * t; c < 3*t+3; c++ {
					list = append(list, number[w.wedge[c]]-1)
				}
			}
		}
		return list
	}
	k := 0
	if v.normal {
		if m.Normals.Has() {
			out.Normals.Index = index()
			for _, x := range wedge {
				d := v.of(x)
				out.Normals.Values = append(out.Normals.Values, [3]float32{float32(d[0]), float32(d[1]), float32(d[2])})
			}
		}
		k = 3
	}
	for _, u := range m.UVs {
		set := scene.UVSet{Name: u.Name}
		if u.Has() {
			set.Index = index()
			for _, x := range wedge {
				d := v.of(x)
				set.Values = append(set.Values, [2]float64{d[k], d[k+1]})
			}
			k += 2
		}
		out.UVs = append(out.UVs, set)
	}
	if m.Colors.Has() {
		out.Colors.Index = index()
		for _, x := range wedge {
			d := v.of(x)
			out.Colors.Values = append(out.Colors.Values, [4]float32{float32(d[k]), float32(d[k+1]), float32(d[k+2]), float32(d[k+3])})
		}
	}
	return out
}
