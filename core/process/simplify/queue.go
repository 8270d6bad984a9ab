package simplify

import "math"

// never is the cost of an edge that is not to be collapsed.
var never = float32(math.Inf(1))

// queue gives the entry of least cost. Costs are put into buckets by the upper bits of their
// numbers, and each bucket is a heap of its own, made when it is first taken from: most entries
// are never compared, and those that are lie together in memory.
type queue struct {
	buckets []bucket
	bits    int // of a cost in 32 bits that are below those that name its bucket
	low     int // no bucket below it holds any
	n       int
}

type bucket struct {
	list []entry
	heap bool // list is one
}

// newQueue makes one for so many triangles: buckets are named by the exponent and six bits after
// it, of a few triangles by the exponent alone.
func newQueue(triangles int) *queue {
	bits := 17
	if triangles < 1<<12 {
		bits = 23
	}
	n := 1 << (32 - bits - 1)
	return &queue{buckets: make([]bucket, n), bits: bits, low: n}
}

// reserve takes the memory for entries of such costs, all at once; those without bound have none.
func (q *queue) reserve(costs []float32) {
	count, n := make([]int32, len(q.buckets)), 0
	for _, cost := range costs {
		if cost < never {
			count[math.Float32bits(cost)>>q.bits]++
			n++
		}
	}
	all := make([]entry, n)
	for k, n := range count {
		q.buckets[k].list, all = all[:0:n], all[n:]
	}
}

func (e *entry) less(o *entry) bool {
	if e.cost != o.cost {
		return e.cost < o.cost
	}
	if e.a != o.a {
		return e.a < o.a
	}
	return e.b < o.b
}

func (q *queue) push(e entry) {
	k := int(math.Float32bits(e.cost) >> q.bits)
	b := &q.buckets[k]
	b.list = append(b.list, e)
	if b.heap {
		i := len(b.list) - 1
		for i > 0 {
			up := (i - 1) / 2
			if !e.less(&b.list[up]) {
				break
			}
			b.list[i] = b.list[up]
			i = up
		}
		b.list[i] = e
	}
	q.low = min(q.low, k)
	q.n++
}

// pop takes the entry of least cost; there must be one.
func (q *queue) pop() entry {
	for len(q.buckets[q.low].list) == 0 {
		q.buckets[q.low].list = nil
		q.low++
	}
	b := &q.buckets[q.low]
	if !b.heap {
		b.heap = true
		for i := len(b.list)/2 - 1; i >= 0; i-- {
			b.sink(i)
		}
	}
	e := b.list[0]
	last := len(b.list) - 1
	b.list[0] = b.list[last]
	if b.list = b.list[:last]; last > 1 {
		b.sink(0)
	}
	q.n--
	return e
}

// sink lets an entry of a heap down to its place.
func (b *bucket) sink(i int) {
	e := b.list[i]
	for {
		c := 2*i + 1
		if c >= len(b.list) {
			break
		}
		if c+1 < len(b.list) && b.list[c+1].less(&b.list[c]) {
			c++
		}
		if !b.list[c].less(&e) {
			break
		}
		b.list[i] = b.list[c]
		i = c
	}
	b.list[i] = e
}
