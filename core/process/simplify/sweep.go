package simplify

import (
	"cmp"
	"context"
	"math"

	"yarvek/core/split"
	"yarvek/core/topo"
)

// sweepFrom is from how many triangles on a mesh is swept before its edges are put in order; sweepTo is how many times
// the triangles that are asked for are left to be taken out one by one.
const (
	sweepFrom = 60_000
	sweepTo   = 1.3
)

// sweep comes down most of the way to a goal far off: turn by turn over all edges as they lie in memory, each time
// those of the cheapest third, no place more than once a turn. Edges in the order of what they cost, all over the mesh,
// cost most of the time by where they lie; the error that turns leave is far below that of the way still to go. The
// outcome does not depend on processors.
func (w *work) sweep(ctx context.Context, goal int) {
	stop := int(sweepTo * float64(goal))
	if w.left <= cmp.Or(w.o.sweepFrom, sweepFrom) || w.left < stop+stop/4 || w.mate != nil {
		return
	}
	h := &hand{work: w}
	costs, used := make([]float32, len(w.place)), make([]uint8, len(w.at))
	limit := math.Inf(1)
	if w.o.Deviation > 0 {
		limit = w.o.Deviation * w.o.Deviation
	}
	for turn := uint8(1); w.left > stop && turn < math.MaxUint8 && ctx.Err() == nil; turn++ {
		most := w.priced(ctx, costs, func(p int32) bool { return used[p] == turn-1 })
		h.gone = 0
		for c, price := range costs {
			if c&0xffff == 0 && ctx.Err() != nil {
				return
			}
			if price > most || w.place[c] < 0 {
				continue
			}
			a, b := w.place[c], w.place[topo.After(int32(c))]
			if used[a] == turn || used[b] == turn {
				continue
			}
			to, cost, ok := w.target(a, b)
			if !ok || float32(cost) > most || cost > limit*(w.weight[a]+w.weight[b]) || !h.collapse(a, b, to) {
				continue
			}
			if used[a], used[b] = turn, turn; w.left-h.gone <= stop {
				break
			}
		}
		if w.left -= h.gone; h.gone < w.left/64 {
			return // what is left is held, or as dear as the rest
		}
	}
}

// priced sets what the edge from each corner would cost where one of its places has changed, without bound where none
// is to be collapsed, and gives the cost that a third of them stay below.
func (w *work) priced(ctx context.Context, costs []float32, changed func(p int32) bool) (third float32) {
	const bits = 16
	_ = split.InBlocks(ctx, len(costs), 1<<15, func(_, from, to int) {
		for c := from; c < to; c++ {
			p := w.place[c]
			if p < 0 {
				costs[c] = never
				continue
			}
			// Every edge once: its other triangle runs along it from the other end. At a border, and along seams, from
			// either.
			q := w.place[topo.After(int32(c))]
			if !changed(p) && !changed(q) {
				continue
			}
			if costs[c] = never; p < q || w.crease[c] {
				if _, cost, ok := w.target(p, q); ok {
					costs[c] = float32(cost)
				}
			}
		}
	})
	count, n := make([]int, 1<<bits), 0
	for _, cost := range costs {
		if cost < never {
			count[math.Float32bits(cost)>>(32-bits)]++
			n++
		}
	}
	below, k := 0, 0
	for ; k < len(count)-1 && below+count[k] <= n/3; k++ {
		below += count[k]
	}
	return math.Float32frombits(uint32(k+1)<<(32-bits) - 1)
}
