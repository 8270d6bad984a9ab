// Package order finds an order of triangles in which a graphics processor transforms each
// vertex about once: it keeps the last few in a cache. Reordering changes no triangle.
//
// An index list goes in, three numbers a triangle, and the order of the triangles comes out, by their numbers:
// [Applied] makes the list of it. Two published ways are tried and the best by [cost.Misses] is taken. Both are
// linear in the list; fans of one vertex are looked at up to a bound.
package order

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/split"
)

// Best is the better of the orders of [Tipsify] and [Forsyth] by [cost.Misses], its clusters put in
// order against overdraw where that costs next to nothing, or nil when the order that is there
// is no worse. place gives the position of a vertex. When ctx ends it returns early, and what
// it returns means nothing.
func Best(ctx context.Context, index []uint32, vertices int, place func(v uint32) geom.Vec3) []int32 {
	fans := Tipsify(ctx, index, vertices, cost.CacheSize)
	if ctx.Err() != nil {
		return nil
	}
	// From there on by numbers of that order: neighbours lie together in memory.
	near := renumbered(Applied(index, fans), vertices)
	orders := [][]int32{fans}
	if len(index)/3 > mostWhole {
		orders = append(orders, inHalves(ctx, near, vertices))
	} else {
		orders = append(orders, nil, nil)
		split.Together(func() { orders[1] = Forsyth(ctx, near, vertices, cost.CacheSize*3/2) },
			func() { orders[2] = Forsyth(ctx, near, vertices, cost.CacheSize*11/8) })
	}
	if ctx.Err() != nil {
		return nil
	}
	for _, o := range orders[1:] {
		for i, t := range o {
			o[i] = fans[t]
		}
	}
	least := cost.Misses(index, vertices, cost.CacheSize)
	var best []int32
	for _, o := range orders {
		if n := cost.Misses(Applied(index, o), vertices, cost.CacheSize); n < least {
			least, best = n, o
		}
	}
	if best == nil {
		return nil
	}
	if o := outward(index, best, vertices, place); cost.Misses(Applied(index, o), vertices,
		cost.CacheSize)*200 <= least*201 {
		return o
	}
	return best
}

// mostWhole is up to how many triangles [Forsyth] goes over all of them at once, for each of two sizes of his cache.
const mostWhole = 200_000

// inHalves is [Forsyth]'s order of the first half of the triangles and of the second, side by
// side, which costs the few vertices that both have.
func inHalves(ctx context.Context, index []uint32, vertices int) []int32 {
	mid := int32(len(index) / 6)
	var first, second []int32
	split.Together(
		func() { first = Forsyth(ctx, index[:3*mid], vertices, 2*cost.CacheSize) },
		func() { second = Forsyth(ctx, renumbered(index[3*mid:], vertices), vertices, 2*cost.CacheSize) })
	for _, t := range second {
		first = append(first, mid+t)
	}
	return first
}

// renumbered gives vertices numbers in the order of their first use.
func renumbered(index []uint32, vertices int) []uint32 {
	number := make([]uint32, vertices) // plus one
	next := uint32(0)
	out := make([]uint32, len(index))
	for i, v := range index {
		if number[v] == 0 {
			next++
			number[v] = next
		}
		out[i] = number[v] - 1
	}
	return out
}

// Applied is the indices with their triangles in another order.
func Applied(index []uint32, order []int32) []uint32 {
	out := make([]uint32, 0, len(index))
	for _, t := range order {
		out = append(out, index[3*t], index[3*t+1], index[3*t+2])
	}
	return out
}

// around lists the triangles round each vertex: those of v are list[start[v]:start[v+1]].
func around(index []uint32, vertices int) (start, list []int32) {
	start = make([]int32, vertices+1)
	for _, v := range index {
		start[v+1]++
	}
	for v := range vertices {
		start[v+1] += start[v]
	}
	list, fill := make([]int32, len(index)), slices.Clone(start)
	for i, v := range index {
		list[fill[v]] = int32(i / 3)
		fill[v]++
	}
	return start, list
}

// Tipsify goes from fan to fan (Sander, Nehab and Barczak 2007, "Fast triangle reordering for
// vertex locality and reduced overdraw"): all triangles of one vertex are drawn, and the next
// is the one among their vertices that has been longest in the cache and will still be there
// when its own fan is done. It takes time in proportion to the triangles.
func Tipsify(ctx context.Context, index []uint32, vertices, size int) []int32 {
	if len(index) == 0 {
		return nil
	}
	start, list := around(index, vertices)
	live := make([]int32, vertices)
	for v := range live {
		live[v] = start[v+1] - start[v]
	}
	stamp := make([]int, vertices)
	drawn := make([]bool, len(index)/3)
	out := make([]int32, 0, len(drawn))
	var dead, ring []uint32
	time, cursor := size+1, 0
	for fan := 0; fan >= 0; {
		if len(out)&0xfff == 0 && ctx.Err() != nil {
			return out
		}
		ring = ring[:0]
		for _, t := range list[start[fan]:start[fan+1]] {
			if drawn[t] {
				continue
			}
			drawn[t] = true
			out = append(out, t)
			for _, v := range index[3*t : 3*t+3] {
				ring, dead = append(ring, v), append(dead, v)
				live[v]--
				if time-stamp[v] > size {
					stamp[v] = time
					time++
				}
			}
		}
		fan = -1
		best := -1
		for _, v := range ring {
			if live[v] == 0 {
				continue
			}
			p := 0
			if time-stamp[v]+2*int(live[v]) <= size {
				p = time - stamp[v]
			}
			if p > best {
				best, fan = p, int(v)
			}
		}
		for fan < 0 && len(dead) > 0 {
			v := dead[len(dead)-1]
			dead = dead[:len(dead)-1]
			if live[v] > 0 {
				fan = int(v)
			}
		}
		for ; fan < 0 && cursor < vertices; cursor++ {
			if live[cursor] > 0 {
				fan = cursor
			}
		}
	}
	return out
}

// Forsyth draws next the triangle whose vertices score highest (Forsyth 2006, "Linear-speed
// vertex cache optimisation"): a vertex scores by its place in a cache that keeps the last ones
// used, and the more the fewer triangles it has left. It takes time in proportion to the
// triangles but for vertices with very many of them, whose scores are followed for the first
// maxFan alone. It is long because it is the published loop, in its order, over arrays that every part of it
// changes.
func Forsyth(ctx context.Context, index []uint32, vertices, size int) []int32 {
	start, list := around(index, vertices)
	live := make([]int32, vertices)
	for v := range live {
		live[v] = start[v+1] - start[v]
	}
	byPlace, byLive := forsythTables(size)
	score := func(v uint32, place int) float32 {
		if live[v] == 0 {
			return -1
		}
		s := byLive[min(int(live[v]), len(byLive)-1)]
		if place >= 0 {
			s += byPlace[place]
		}
		return s
	}
	of := make([]float32, vertices)
	for v := range of {
		of[v] = score(uint32(v), -1)
	}
	sum := make([]float32, len(index)/3)
	for t := range sum {
		sum[t] = of[index[3*t]] + of[index[3*t+1]] + of[index[3*t+2]]
	}
	// Where each triangle stands in the lists of its corners' vertices.
	at, fill := make([]int32, len(index)), slices.Clone(start)
	for i, v := range index {
		at[i] = fill[v]
		fill[v]++
	}
	drawn := make([]bool, len(sum))
	out := make([]int32, 0, len(sum))
	cache, next := make([]uint32, 0, size+3), make([]uint32, 0, size+3)
	cursor, best := 0, int32(-1)
	for len(out) < len(sum) {
		if len(out)&0xfff == 0 && ctx.Err() != nil {
			return out
		}
		if best < 0 {
			for drawn[cursor] {
				cursor++
			}
			best = int32(cursor)
		}
		t := best
		drawn[t] = true
		out = append(out, t)
		next = next[:0]
		for i := 3 * t; i < 3*t+3; i++ {
			v := index[i]
			live[v]--
			// The last living one takes its place; those that are drawn stand behind.
			last := start[v] + live[v]
			if u := list[last]; u != t {
				j := 3 * u
				for index[j] != v || at[j] != last {
					j++
				}
				list[at[i]], at[j] = u, at[i]
				list[last], at[i] = t, last
			}
			if !slices.Contains(next, v) {
				next = append(next, v)
			}
		}
		for _, v := range cache {
			if !slices.Contains(next[:min(3, len(next))], v) {
				next = append(next, v)
			}
		}
		best = -1
		high := float32(-1)
		for place, v := range next {
			if place >= size {
				place = -1
			}
			s := score(v, place)
			d := s - of[v]
			of[v] = s
			for _, u := range list[start[v] : start[v]+min(live[v], maxFan)] {
				sum[u] += d
				if place >= 0 && sum[u] > high {
					high, best = sum[u], u
				}
			}
		}
		cache, next = next[:min(size, len(next))], cache
	}
	return out
}

// maxFan bounds how many of a vertex's triangles are looked at each time it is used.
const maxFan = 64

// outward puts an order's clusters, the stretches between triangles of which no vertex is in
// the cache, so that those that face away from the middle come first: from most sides they
// hide the others (Sander, Nehab and Barczak 2007, section 4).
func outward(index []uint32, order []int32, vertices int, place func(v uint32) geom.Vec3) []int32 {
	came := make([]int, vertices)
	misses := 0
	var first []int
	for i, t := range order {
		missed := 0
		for _, v := range index[3*t : 3*t+3] {
			if came[v] == 0 || misses-came[v] >= cost.CacheSize {
				misses++
				missed++
				came[v] = misses
			}
		}
		if missed == 3 {
			first = append(first, i)
		}
	}
	type cluster struct {
		from, to int
		out      float64
		middle   geom.Vec3
		normal   geom.Vec3
		area     float64
	}
	var list []cluster
	var middle geom.Vec3
	whole := 0.0
	for k, from := range first {
		c := cluster{from: from, to: len(order)}
		if k+1 < len(first) {
			c.to = first[k+1]
		}
		for _, t := range order[c.from:c.to] {
			p, q, r := place(index[3*t]), place(index[3*t+1]), place(index[3*t+2])
			n := q.Sub(p).Cross(r.Sub(p))
			a := n.Len()
			c.normal, c.area = c.normal.Add(n), c.area+a
			c.middle = c.middle.Add(p.Add(q).Add(r).Mul(a / 3))
		}
		middle, whole = middle.Add(c.middle), whole+c.area
		list = append(list, c)
	}
	if len(list) < 2 || !(whole > 0) {
		return order
	}
	middle = middle.Mul(1 / whole)
	for k := range list {
		if c := &list[k]; c.area > 0 {
			c.out = c.middle.Mul(1 / c.area).Sub(middle).Dot(c.normal.Unit())
		}
	}
	slices.SortStableFunc(list, func(a, b cluster) int { return cmp.Compare(b.out, a.out) })
	out := make([]int32, 0, len(order))
	for _, c := range list {
		out = append(out, order[c.from:c.to]...)
	}
	return out
}

// forsythTables are the scores by place in the cache and by triangles left, with the constants
// of the paper.
func forsythTables(size int) (byPlace, byLive []float32) {
	for i := range size {
		if i < 3 {
			byPlace = append(byPlace, 0.75)
			continue
		}
		byPlace = append(byPlace, float32(math.Pow(1-float64(i-3)/float64(size-3), 1.5)))
	}
	byLive = append(byLive, 0)
	for n := 1; n <= 64; n++ {
		byLive = append(byLive, float32(2*math.Pow(float64(n), -0.5)))
	}
	return byPlace, byLive
}
