package geom

import (
	"context"
	"math"
	"sync"

	"yarvek/core/split"
)

// BVH is a tree of boxes over triangles, for rays, nearest points and overlaps. It
// is built from the top by the surface area heuristic over bins (Wald 2007, "On
// fast construction of SAH-based bounding volume hierarchies").
type BVH struct {
	pts   []Vec3
	tris  []int32 // three points a triangle
	order []int32 // triangles, leaf by leaf
	nodes []bvhNode
}

// bvhNode is a leaf of n triangles from first on, or, with n zero, a fork whose
// halves are the nodes first and first+1.
type bvhNode struct {
	box   Box
	first int32
	n     int32
}

const (
	bvhLeaf = 4
	bvhBins = 16
	// Below so many triangles a half is built where it is rather than beside.
	bvhAlone = 1 << 15
	// Halves smaller than this are finished without asking whether anybody still waits.
	bvhAsk = 1 << 10
)

// NewBVH builds the tree over triangles given as three point numbers each. The
// slices are kept, not copied. When ctx ends it returns early, with a tree that gives
// right answers slowly.
func NewBVH(ctx context.Context, pts []Vec3, tris []int32) *BVH {
	n := len(tris) / 3
	t := &BVH{pts: pts, tris: tris, order: make([]int32, n), nodes: make([]bvhNode, 1, max(1, n))}
	if n == 0 {
		t.nodes[0].box = EmptyBox()
		return t
	}
	b := &bvhBuilder{ctx: ctx, t: t, boxes: make([]Box, n), mids: make([]Vec3, n)}
	split.Range(n, bvhAlone, func(_, from, to int) {
		for i := from; i < to; i++ {
			p, q, r := pts[tris[3*i]], pts[tris[3*i+1]], pts[tris[3*i+2]]
			x := Box{p, p}
			for k := range 3 {
				x.Min[k] = lesser(lesser(p[k], q[k]), r[k])
				x.Max[k] = greater(greater(p[k], q[k]), r[k])
				b.mids[i][k] = (x.Min[k] + x.Max[k]) / 2
			}
			b.boxes[i] = x
			t.order[i] = int32(i)
		}
	})
	b.next = 1
	t.nodes = make([]bvhNode, 2*n)
	b.split(0, 0, n)
	t.nodes = t.nodes[:b.next]
	return t
}

// lesser and greater are min and max without their care for NaN, which no reader
// lets in.
func lesser(a, b float64) float64 {
	if a < b {
		return a
	}
	return b
}

// greater is max without its care for NaN, which a ray parallel to a slab makes and
// which must lose.
func greater(a, b float64) float64 {
	if a > b {
		return a
	}
	return b
}

// bvhBuilder splits ranges of the triangles’ order in place. Several of them work on one
// tree at a time, each on a range of its own; they share nothing but the counter of
// nodes.
type bvhBuilder struct {
	ctx   context.Context
	t     *BVH
	boxes []Box
	mids  []Vec3
	mu    sync.Mutex
	next  int
}

// pair takes two neighbouring nodes, for the children of one.
func (b *bvhBuilder) pair() int {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := b.next
	b.next += 2
	return k
}

// join makes x hold y as well.
func (x *Box) join(y *Box) {
	for k := range 3 {
		x.Min[k] = lesser(x.Min[k], y.Min[k])
		x.Max[k] = greater(x.Max[k], y.Max[k])
	}
}

// halfArea is half the surface, the chance of a ray that meets the parent to meet this
// box as well, but for a factor (Goldsmith and Salmon 1987).
func (x *Box) halfArea() float64 {
	if x.Min[0] > x.Max[0] {
		return 0
	}
	s := x.Max.Sub(x.Min)
	return s[0]*s[1] + s[1]*s[2] + s[2]*s[0]
}

// split makes node the tree of the triangles from..to, where the binned surface area
// heuristic (Wald 2007) finds it cheapest, and in the middle where all boxes coincide.
func (b *bvhBuilder) split(node, from, to int) {
	t := b.t
	box, mids := EmptyBox(), EmptyBox()
	for _, i := range t.order[from:to] {
		box.join(&b.boxes[i])
		m := Box{b.mids[i], b.mids[i]}
		mids.join(&m)
	}
	t.nodes[node].box = box
	leaf := func() { t.nodes[node].first, t.nodes[node].n = int32(from), int32(to-from) }
	if to-from <= bvhLeaf || to-from > bvhAsk && b.ctx.Err() != nil {
		leaf()
		return
	}
	size := mids.Max.Sub(mids.Min)
	axis := 0
	for k := range 3 {
		if size[k] > size[axis] {
			axis = k
		}
	}
	at := from + (to-from)/2
	// An extent so small that its inverse is no number can't be cut into bins.
	if k := bvhBins / size[axis]; size[axis] > 0 && !math.IsInf(k, 0) {
		at = b.partition(from, to, axis, mids.Min[axis], k)
	}
	if at == from || at == to {
		at = from + (to-from)/2
	}
	k := b.pair()
	t.nodes[node].first, t.nodes[node].n = int32(k), 0
	if to-from > bvhAlone {
		split.Together(func() { b.split(k, from, at) }, func() { b.split(k+1, at, to) })
		return
	}
	b.split(k, from, at)
	b.split(k+1, at, to)
}

// partition sorts the triangles into two halves at the cheapest border of bins.
func (b *bvhBuilder) partition(from, to, axis int, lo, k float64) int {
	bin := func(i int32) int { return min(bvhBins-1, int((b.mids[i][axis]-lo)*k)) }
	var boxes [bvhBins]Box
	var count [bvhBins]int
	for i := range boxes {
		boxes[i] = EmptyBox()
	}
	list := b.t.order[from:to]
	for _, i := range list {
		n := bin(i)
		count[n]++
		boxes[n].join(&b.boxes[i])
	}
	var right [bvhBins]float64
	acc, n := EmptyBox(), 0
	for i := bvhBins - 1; i > 0; i-- {
		acc.join(&boxes[i])
		n += count[i]
		right[i] = acc.halfArea() * float64(n)
	}
	best, cut := math.Inf(1), 1
	acc, n = EmptyBox(), 0
	for i := 1; i < bvhBins; i++ {
		acc.join(&boxes[i-1])
		n += count[i-1]
		if c := acc.halfArea()*float64(n) + right[i]; n > 0 && n < len(list) && c < best {
			best, cut = c, i
		}
	}
	i, j := 0, len(list)
	for i < j {
		if bin(list[i]) < cut {
			i++
		} else {
			j--
			list[i], list[j] = list[j], list[i]
		}
	}
	return from + i
}

// Hit is where a ray meets a triangle.
type Hit struct {
	Triangle int
	Distance float64 // along the ray, in lengths of its direction
	Point    Vec3
}

// Box of everything in the tree.
func (t *BVH) Box() Box { return t.nodes[0].box }

// First is the first triangle a ray meets, from either side, before it is most long.
func (t *BVH) First(from, along Vec3, most float64) (Hit, bool) {
	h := Hit{Triangle: -1, Distance: most}
	t.walk(from, along, func() float64 { return h.Distance }, func(tri int) {
		if d, ok := t.meets(tri, from, along); ok && d < h.Distance {
			h.Triangle, h.Distance = tri, d
		}
	})
	h.Point = from.Add(along.Mul(h.Distance))
	return h, h.Triangle >= 0
}

// Crossings counts the triangles a ray goes through.
func (t *BVH) Crossings(from, along Vec3) int {
	n := 0
	t.Crossed(from, along, func(int) { n++ })
	return n
}

// Crossed calls f with every triangle a ray goes through, in no order.
func (t *BVH) Crossed(from, along Vec3, f func(tri int)) {
	t.walk(from, along, func() float64 { return math.Inf(1) }, func(tri int) {
		if _, ok := t.meets(tri, from, along); ok {
			f(tri)
		}
	})
}

// Holds tells whether a point lies within a closed surface: two of three rays in
// crooked directions must cross it an odd number of times.
func (t *BVH) Holds(p Vec3) bool {
	if t.Box().Distance(p) > 0 {
		return false
	}
	odd := 0
	for _, d := range []Vec3{{0.8017, 0.2673, 0.5345}, {-0.4243, 0.7071, 0.5657}, {0.1826, -0.9129, 0.3651}} {
		odd += t.Crossings(p, d) & 1
	}
	return odd >= 2
}

// walk visits the triangles of every leaf the ray enters before the distance most gives
// at that moment, nearer children first. along need not be of unit length: distances are
// in its lengths.
func (t *BVH) walk(from, along Vec3, most func() float64, each func(tri int)) {
	inv := Vec3{1 / along[0], 1 / along[1], 1 / along[2]}
	var stack [64]int32
	list := append(stack[:0], 0)
	for len(list) > 0 {
		n := &t.nodes[list[len(list)-1]]
		list = list[:len(list)-1]
		if !n.box.crossed(from, inv, most()) {
			continue
		}
		if n.n == 0 && len(t.tris) > 0 {
			a := n.first
			// The nearer half last, so that it is looked at first.
			if t.nodes[a].box.Center().Sub(from).Dot(along) < t.nodes[a+1].box.Center().Sub(from).Dot(along) {
				list = append(list, a+1, a)
			} else {
				list = append(list, a, a+1)
			}
			continue
		}
		for _, i := range t.order[n.first : n.first+n.n] {
			each(int(i))
		}
	}
}

// crossed is the slab test (Kay and Kajiya 1986, "Ray tracing complex scenes").
func (x *Box) crossed(from, inv Vec3, most float64) bool {
	t0, t1 := 0.0, most
	for k := range 3 {
		a, b := (x.Min[k]-from[k])*inv[k], (x.Max[k]-from[k])*inv[k]
		if a != a || b != b { // within a slab the ray runs along
			if from[k] < x.Min[k] || from[k] > x.Max[k] {
				return false
			}
			continue
		}
		if a > b {
			a, b = b, a
		}
		t0, t1 = greater(t0, a), lesser(t1, b)
	}
	return t0 <= t1*(1+1e-12)
}

// meets is where a ray crosses a triangle (Möller and Trumbore 1997, "Fast, minimum
// storage ray/triangle intersection").
func (t *BVH) meets(tri int, from, along Vec3) (float64, bool) {
	a := t.pts[t.tris[3*tri]]
	e, f := t.pts[t.tris[3*tri+1]].Sub(a), t.pts[t.tris[3*tri+2]].Sub(a)
	h := along.Cross(f)
	det := e.Dot(h)
	if det == 0 {
		return 0, false
	}
	s := from.Sub(a)
	u := s.Dot(h) / det
	if u < 0 || u > 1 {
		return 0, false
	}
	q := s.Cross(e)
	v := along.Dot(q) / det
	if v < 0 || u+v > 1 {
		return 0, false
	}
	d := f.Dot(q) / det
	return d, d >= 0
}

// Corners are a triangle's three points.
func (t *BVH) Corners(tri int) (a, b, c Vec3) {
	return t.pts[t.tris[3*tri]], t.pts[t.tris[3*tri+1]], t.pts[t.tris[3*tri+2]]
}

// Labels are, for each node of a BVH, the label that all triangles below it have, or mixed.
type Labels []int32

const mixed = math.MinInt32

// Labels gathers what label triangles have; of is asked once for each. Linear in the triangles.
func (t *BVH) Labels(of func(tri int) int32) Labels {
	l := make(Labels, len(t.nodes))
	for i := len(t.nodes) - 1; i >= 0; i-- { // halves stand behind their fork
		n := t.nodes[i]
		if n.n == 0 {
			if l[i] = mixed; len(t.tris) > 0 && l[n.first] == l[n.first+1] {
				l[i] = l[n.first]
			}
			continue
		}
		for k, tri := range t.order[n.first : n.first+n.n] {
			if is := of(int(tri)); k == 0 {
				l[i] = is
			} else if is != l[i] {
				l[i] = mixed
			}
		}
	}
	return l
}

// Overlapping calls f with every triangle whose box meets b, until f says no.
func (t *BVH) Overlapping(b Box, f func(tri int) bool) { t.Others(b, nil, 0, f) }

// Within is Others in no more than *left steps, one for each box that is looked at, of which those taken are
// taken off; it tells whether it came to the end.
func (t *BVH) Within(b Box, l Labels, but int32, left *int, f func(tri int) bool) bool {
	return t.visit(b, l, but, left, f)
}

// Others is Overlapping, but a subtree whose triangles all have the label but is passed by in one step: a mesh
// looks at what lies about it in no more time for having many faces itself. f still sees such triangles
// where they stand among others.
func (t *BVH) Others(b Box, l Labels, but int32, f func(tri int) bool) {
	left := math.MaxInt
	t.visit(b, l, but, &left, f)
}

// visit is Others within a number of steps; it tells whether it came to the end.
func (t *BVH) visit(b Box, l Labels, but int32, left *int, f func(tri int) bool) bool {
	if len(t.tris) == 0 {
		return true
	}
	var stack [64]int32
	list := append(stack[:0], 0)
	for len(list) > 0 {
		at := list[len(list)-1]
		n := &t.nodes[at]
		list = list[:len(list)-1]
		if *left--; *left < 0 {
			return false
		}
		if l != nil && l[at] == but || !n.box.Meets(b) {
			continue
		}
		if n.n == 0 {
			list = append(list, n.first, n.first+1)
			continue
		}
		for _, i := range t.order[n.first : n.first+n.n] {
			p, q, r := t.Corners(int(i))
			if EmptyBox().Add(p).Add(q).Add(r).Meets(b) && !f(int(i)) {
				return false
			}
		}
		*left -= int(n.n)
	}
	return true
}

// Meets tells whether two boxes have a point in common.
func (b Box) Meets(c Box) bool {
	for k := range 3 {
		if b.Min[k] > c.Max[k] || c.Min[k] > b.Max[k] {
			return false
		}
	}
	return true
}

// Grown is the box widened by d on every side.
func (b Box) Grown(d float64) Box {
	return Box{b.Min.Sub(Vec3{d, d, d}), b.Max.Add(Vec3{d, d, d})}
}

// Gap is the distance between two boxes, zero when they touch.
func (b Box) Gap(c Box) float64 {
	var d Vec3
	for k := range 3 {
		d[k] = max(b.Min[k]-c.Max[k], 0, c.Min[k]-b.Max[k])
	}
	return d.Len()
}

// Nearest is the point of the surface nearest to p, no farther than most; its triangle is -1
// where there is none. Boxes are gone into by their distance, the nearer first.
func (t *BVH) Nearest(p Vec3, most float64) (at Vec3, tri int, dist float64) {
	tri, dist = -1, most
	if len(t.tris) == 0 {
		return at, tri, dist
	}
	// By squares of distances, which are worked out once a box.
	type waiting struct {
		node   int32
		square float64
	}
	var stack [128]waiting
	list := append(stack[:0], waiting{0, t.nodes[0].box.square(&p)})
	least := dist * dist
	for len(list) > 0 {
		w := list[len(list)-1]
		list = list[:len(list)-1]
		if w.square >= least {
			continue
		}
		n := &t.nodes[w.node]
		if n.n == 0 {
			a, b := waiting{n.first, t.nodes[n.first].box.square(&p)}, waiting{n.first + 1, t.nodes[n.first+1].box.square(&p)}
			if a.square < b.square {
				a, b = b, a
			}
			if a.square < least {
				list = append(list, a)
			}
			list = append(list, b)
			continue
		}
		for _, i := range t.order[n.first : n.first+n.n] {
			q := NearestOnTriangle(p, t.pts[t.tris[3*i]], t.pts[t.tris[3*i+1]], t.pts[t.tris[3*i+2]])
			if v := q.Sub(p); v.Dot(v) < least {
				at, tri, least = q, int(i), v.Dot(v)
			}
		}
	}
	if tri >= 0 {
		dist = at.Dist(p)
	}
	return at, tri, dist
}

// square is that of the distance of a point from the box.
func (x *Box) square(p *Vec3) float64 {
	sum := 0.0
	for k := range p {
		if d := x.Min[k] - p[k]; d > 0 {
			sum += d * d
		} else if d := p[k] - x.Max[k]; d > 0 {
			sum += d * d
		}
	}
	return sum
}

// NearestOnTriangle is the point of a triangle nearest to p (Ericson 2005, "Real-time collision
// detection", section 5.1.5).
func NearestOnTriangle(p, a, b, c Vec3) Vec3 {
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return a
	}
	bp := p.Sub(b)
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return b
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		return a.Add(ab.Mul(d1 / (d1 - d3)))
	}
	cp := p.Sub(c)
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return c
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		return a.Add(ac.Mul(d2 / (d2 - d6)))
	}
	va := d3*d6 - d5*d4
	if va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		return b.Add(c.Sub(b).Mul((d4 - d3) / ((d4 - d3) + (d5 - d6))))
	}
	if k := d1*d4 - d3*d2 + d5*d2 - d1*d6 + va; k != 0 {
		return a.Add(ab.Mul((d5*d2 - d1*d6) / k)).Add(ac.Mul((d1*d4 - d3*d2) / k))
	}
	return a // a triangle without area
}
