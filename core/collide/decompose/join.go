package decompose

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/queue"
	"yarvek/core/split"
)

// part is a convex hull of some of the surface.
type part struct {
	hull    *fit.Convex
	volume  float64
	samples []geom.Vec3 // of the surface it holds
	all     []geom.Vec3 // the corners of what it holds, where hull has but some of them; of a piece
	of      []*part     // what it was joined of; itself alone
	solid   float64     // what of it is filled, where that is known otherwise than by its pieces
	near    map[int]bool
	gone    bool
}

// mostSamples bounds the points of its surface that a part keeps.
const mostSamples = 400

// thick is from how many corners on a piece is joined to others by some of them.
const thick = 80

// newPiecePart is a part of points of the surface.
func (c *cutting) newPiecePart(ctx context.Context, pts, samples []geom.Vec3) *part {
	whole := geom.HullWithin(ctx, pts, geom.Finely)
	if len(whole.Points) <= thick {
		x := c.newPart(ctx, whole.Points, samples)
		x.all = whole.Points
		return x
	}
	x := c.newPart(ctx, geom.HullWithin(ctx, whole.Points, 4e-3).Points, samples)
	x.all = whole.Points
	return x
}

// whole is the part with all corners of its pieces.
func (c *cutting) whole(ctx context.Context, x *part) *part {
	var pts []geom.Vec3
	for _, y := range x.of {
		pts = append(pts, y.all...)
	}
	y := c.newPart(ctx, pts, x.samples)
	y.solid = y.volume - max(0, x.excess())
	return y
}

// newPart is the hull of points.
func (c *cutting) newPart(ctx context.Context, pts, samples []geom.Vec3) *part {
	x := &part{hull: fit.NewConvex(fit.OfHull(geom.HullWithin(ctx, pts, geom.Finely))), samples: samples,
		near: map[int]bool{}}
	x.volume = x.hull.Volume()
	x.of = []*part{x}
	return x
}

// depth is how deep a point of the surface lies beneath the part's hull.
func (x *part) depth() float64 {
	d := 0.0
	for _, p := range x.samples {
		d = max(d, -x.hull.Beyond(p))
	}
	return d
}

// parts gives each leaf what of the whole surface lies in it, with the corners of its cell that lie
// within the solid.
func (c *cutting) parts(ctx context.Context, x *shell, root *node, cells [][]fit.Plane) []*part {
	if ctx.Err() != nil {
		return nil
	}
	whole := &soup{}
	none := []int32{-1, -1, -1}
	for t := 0; t < len(x.tris); t += 3 {
		whole.add([]geom.Vec3{x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]}, none, int32(t/3))
	}
	soups := make([]*soup, len(cells))
	for i := range soups {
		soups[i] = &soup{}
	}
	root.pour(whole, c.near, soups)
	all := make([]*part, len(soups))
	x.planted(ctx)
	_ = split.Each(ctx, len(soups), func(i int) {
		s := soups[i]
		if s.len() == 0 {
			return
		}
		pts := append(slices.Clip(s.corners),
			c.inner(ctx, x, cells[i], func(p geom.Vec3) bool { return root.owns(p, i+1, c.near) })...)
		all[i] = c.newPiecePart(ctx, pts, sampled(s))
	})
	if ctx.Err() != nil {
		return nil
	}
	return slices.DeleteFunc(all, func(y *part) bool { return y == nil })
}

// inner are the corners of a cell that lie in the solid and belong to what is asked for.
func (c *cutting) inner(ctx context.Context, x *shell, cell []fit.Plane, mine func(p geom.Vec3) bool) []geom.Vec3 {
	if !x.closed || len(cell) < 3 {
		return nil
	}
	room := x.box.Grown(0.01*c.size + 1e-9)
	body := fit.Upright([]geom.Vec3{room.Min, room.Max}).Body()
	for _, p := range cell {
		body = body.Cut(p, c.near)
	}
	tree := x.planted(ctx)
	middle := middleOf(body.Points)
	var pts []geom.Vec3
	for _, p := range body.Points {
		// One on the surface counts when there is solid beside it in the cell.
		beside := p.Add(middle.Sub(p).Unit().Mul(1e-5 * c.size))
		if x.box.Distance(p) == 0 && mine(p) && tree.Holds(beside) {
			pts = append(pts, p)
		}
	}
	return pts
}

// sampled are some of the middles and corners of polygons, evenly.
func sampled(s *soup) []geom.Vec3 {
	var list []geom.Vec3
	step := max(1, s.len()*4/mostSamples)
	for i := 0; i < s.len(); i += step {
		pts, _ := s.polygon(i)
		list = append(list, middleOf(pts))
		list = append(list, pts...)
	}
	return list
}

// pour hands polygons down to the leaves.
func (n *node) pour(s *soup, near float64, leaves []*soup) {
	switch {
	case s.len() == 0:
	case n.leaf > 0:
		for i := range s.tri {
			pts, tag := s.polygon(i)
			leaves[n.leaf-1].add(pts, tag, s.tri[i])
		}
	case n.bodies != nil:
		to := make([]*soup, len(n.bodies))
		for i := range to {
			to[i] = &soup{}
		}
		for i := range s.tri {
			pts, tag := s.polygon(i)
			to[n.nearest(pts...)].add(pts, tag, s.tri[i])
		}
		for i, b := range n.bodies {
			b.pour(to[i], near, leaves)
		}
	default:
		low, high := &soup{}, &soup{}
		s.clip(n.plane, near, low, high)
		n.below.pour(low, near, leaves)
		n.above.pour(high, near, leaves)
	}
}

// nearest is which of the bodies of a node points belong to: that which the farthest of them lies least beyond. Where
// two bodies touch, the middle of a face may lie on both; all of its corners do on its own.
func (n *node) nearest(points ...geom.Vec3) int {
	best, least := 0, math.Inf(1)
	for i, h := range n.hulls {
		far := math.Inf(-1)
		for _, p := range points {
			d := h.Beyond(p)
			if len(h.Planes) == 0 { // what is left of a face by itself is flat
				d = h.Box.Distance(p)
			}
			far = max(far, d)
		}
		if far < least {
			best, least = i, far
		}
	}
	return best
}

// owns tells whether a point in a leaf's cell belongs to its body.
func (n *node) owns(p geom.Vec3, leaf int, near float64) bool {
	switch {
	case n.leaf > 0:
		return n.leaf == leaf
	case n.bodies != nil:
		return n.bodies[n.nearest(p)].owns(p, leaf, near)
	}
	d := p.Dot(n.plane.N) - n.plane.D
	return d <= 10*near && n.below.owns(p, leaf, near) || d >= -10*near && n.above.owns(p, leaf, near)
}

// pair is two parts that may become one.
type pair struct {
	a, b  int
	cost  float64 // volume that is added
	joint *part
}

// Joining costs nothing below this share of all hulls' volume.
const free = 5e-4

// mostNear bounds how many of its neighbours a part is tried with.
const mostNear = 24

// join makes few parts of many: at most so many, and fewer as long as that costs next to nothing or fills no
// hollow deeper than is allowed.
//
// All pairs that touch wait in a queue by how much volume their common hull has beyond both; a pair that stops
// up a free place is none. The cheapest is joined, becomes a part at the end of the list, and is tried with
// what both were beside; pairs with a part that is gone are passed over when they come. Where nothing touches
// any more and there are still too many, those whose middles are nearest are tried. It is long because what is
// tried, taken and thrown away shares one queue.
func (c *cutting) join(ctx context.Context, list []*part, most int) []*part {
	for _, x := range list {
		x.gone, x.near = false, map[int]bool{}
	}
	sum := volumes(list)
	cheap := queue.By(func(x, y pair) int {
		return cmp.Or(cmp.Compare(x.cost, y.cost), cmp.Compare(x.a, y.a), cmp.Compare(x.b, y.b))
	})
	joined := func(a, b int) (pair, bool) {
		x, y := list[a], list[b]
		pts := slices.Concat(x.hull.Points, y.hull.Points)
		z := c.newPart(ctx, pts, nil)
		if c.blocked(z.hull) > c.blocked(x.hull)+c.blocked(y.hull)+1e-12 {
			return pair{}, false
		}
		return pair{min(a, b), max(a, b), z.volume - x.volume - y.volume, z}, true
	}
	try := func(a, b int) {
		if a == b || list[a].near[b] {
			return
		}
		list[a].near[b], list[b].near[a] = true, true
		if p, ok := joined(a, b); ok {
			cheap.Put(p)
		}
	}
	for a := range list {
		for b := range a {
			if list[a].hull.Box.Gap(list[b].hull.Box) <= 1e-3*c.size && len(list[a].near) < mostNear {
				try(a, b)
			}
		}
		if ctx.Err() != nil {
			return nil
		}
	}
	count := len(list)
	if count > most {
		c.anyNear(list, try) // what touches no other, as steps about a post, may still be the cheapest to join
	}
	far := false
	for ctx.Err() == nil && count > 1 {
		if cheap.Len() == 0 {
			if count <= most || far {
				break
			}
			far = true
			c.anyNear(list, try)
			continue
		}
		p := cheap.Take()
		x, y := list[p.a], list[p.b]
		if x.gone || y.gone {
			continue
		}
		if count <= most && p.cost > free*sum {
			p.joint.samples = slices.Concat(x.samples, y.samples)
			if p.joint.depth() > c.o.Concavity {
				if c.o.Concavity == 0 {
					break
				}
				continue
			}
		}
		p.joint.samples = slices.Concat(x.samples, y.samples)
		p.joint.of = slices.Concat(x.of, y.of)
		x.gone, y.gone = true, true
		count--
		n := len(list)
		list = append(list, p.joint)
		var around []int
		for _, k := range [2]*part{x, y} {
			for b := range k.near {
				if !list[b].gone {
					around = append(around, b)
				}
			}
		}
		slices.Sort(around)
		for _, b := range slices.Compact(around) {
			try(n, b)
		}
		far = false
	}
	var out []*part
	for _, x := range list {
		if !x.gone {
			out = append(out, x)
		}
	}
	return out
}

// anyNear tries each part with those whose middles are nearest, where none touch any more.
func (c *cutting) anyNear(list []*part, try func(a, b int)) {
	for a, x := range list {
		if x.gone {
			continue
		}
		var others []int
		for b, y := range list {
			if b != a && !y.gone {
				others = append(others, b)
			}
		}
		slices.SortStableFunc(others, func(i, k int) int {
			return cmp.Compare(x.hull.Box.Gap(list[i].hull.Box), x.hull.Box.Gap(list[k].hull.Box))
		})
		for _, b := range others[:min(len(others), 6)] {
			try(a, b)
		}
	}
}

// Bounds of exchanging pieces between parts.
const (
	mostRounds = 8
	worthwhile = 1e-4 // share of a part's volume that an exchange must save
)

// exchanged moves pieces from one part to another as long as that makes the hulls smaller, all together:
// joining two by two never takes back what it did.
//
// Each piece of each part is tried with every part it touches: what its own part loses in volume without it,
// against what the other gains. The best move is made at once, and rounds go on until none is worth while, or
// mostRounds are done.
func (c *cutting) exchanged(ctx context.Context, list []*part) []*part {
	points := func(of []*part) []geom.Vec3 {
		var pts []geom.Vec3
		for _, x := range of {
			pts = append(pts, x.hull.Points...)
		}
		return pts
	}
	for range mostRounds {
		moved := false
		for a := range list {
			for _, x := range slices.Clone(list[a].of) {
				if ctx.Err() != nil || len(list[a].of) < 2 {
					break
				}
				rest := slices.DeleteFunc(slices.Clone(list[a].of), func(y *part) bool { return y == x })
				without := c.newPart(ctx, points(rest), nil)
				best, least := -1, -worthwhile*list[a].volume
				var with *part
				for b := range list {
					if b == a || list[b].hull.Box.Gap(x.hull.Box) > 1e-3*c.size {
						continue
					}
					y := c.newPart(ctx, slices.Concat(list[b].hull.Points, x.hull.Points), nil)
					d := without.volume + y.volume - list[a].volume - list[b].volume
					if d < least && c.blocked(y.hull) <= c.blocked(list[b].hull)+1e-12 {
						best, least, with = b, d, y
					}
				}
				if best < 0 {
					continue
				}
				without.of, with.of = rest, append(slices.Clone(list[best].of), x)
				list[a], list[best] = without, with
				moved = true
			}
		}
		if !moved {
			break
		}
	}
	return list
}

// mostTrades bounds how often a part is taken apart to join two others instead.
const mostTrades = 60

// traded takes the part apart that its pieces fill worst, and joins the two parts that cost least to join
// instead, as long as that makes the hulls smaller.
//
// The number of hulls stays: one more by taking apart (its pieces joined anew down to two, and exchanged), one
// less by the cheapest join of any two but those. Of the six worst parts the best such trade is made,
// mostTrades times at most. Common hulls and halves are kept by the parts they are of, which never change.
func (c *cutting) traded(ctx context.Context, list []*part) []*part {
	type couple struct{ a, b *part }
	joints := map[couple]*part{} // by the parts themselves, which are not changed
	joint := func(a, b *part) *part {
		k := couple{a, b}
		y, ok := joints[k]
		if !ok {
			y = c.newPart(ctx, slices.Concat(a.hull.Points, b.hull.Points), nil)
			if c.blocked(y.hull) > c.blocked(a.hull)+c.blocked(b.hull)+1e-12 {
				y.volume = math.Inf(1)
			}
			y.of = slices.Concat(a.of, b.of)
			joints[k] = y
		}
		return y
	}
	halves := map[*part][]*part{}
	for range mostTrades {
		bestSaved := 0.0
		var best []*part
		order := slices.Clone(list)
		slices.SortStableFunc(order, func(a, b *part) int { return cmp.Compare(b.excess(), a.excess()) })
		for _, x := range order[:min(len(order), 6)] {
			if len(x.of) < 2 || x.excess() <= 1e-6*c.total {
				continue
			}
			if halves[x] == nil {
				two := make([]*part, len(x.of))
				for i, y := range x.of {
					two[i] = c.newPart(ctx, y.hull.Points, y.samples)
					two[i].of = []*part{y}
				}
				halves[x] = c.exchanged(ctx, c.join(ctx, two, 2))
			}
			if ctx.Err() != nil {
				return list
			}
			two := halves[x]
			saved := x.volume
			for _, y := range two {
				saved -= y.volume
			}
			if len(two) != 2 || saved <= bestSaved {
				continue
			}
			rest := slices.DeleteFunc(slices.Clone(list), func(y *part) bool { return y == x })
			rest = append(rest, two...)
			for i, a := range rest {
				for _, b := range rest[:i] {
					if i == len(rest)-1 && b == two[0] || a.hull.Box.Gap(b.hull.Box) > 1e-3*c.size {
						continue
					}
					if y := joint(a, b); saved-(y.volume-a.volume-b.volume) > bestSaved+1e-4*c.total {
						bestSaved = saved - (y.volume - a.volume - b.volume)
						best = append(slices.DeleteFunc(slices.Clone(rest), func(z *part) bool { return z == a || z == b }), y)
					}
				}
			}
		}
		if best == nil {
			break
		}
		list = best
	}
	return list
}

// excess is how much larger a part is than its pieces together.
func (x *part) excess() float64 {
	if x.solid > 0 {
		return x.volume - x.solid
	}
	d := x.volume
	for _, y := range x.of {
		d -= y.volume
	}
	return d
}

// few makes few parts of many pieces. A round shell that they fill badly is divided anew, by cells
// about points strewn over it.
func (c *cutting) few(ctx context.Context, list []*shell, pieces []*part) []*part {
	best := c.join(ctx, pieces, c.o.Hulls)
	if len(best) > c.o.Hulls {
		c.needs = len(best)
		best = c.forced(ctx, best, c.o.Hulls)
	}
	if ctx.Err() == nil && len(list) == 1 && len(best) == c.o.Hulls && excess(best) > 0.05*c.total {
		other := c.strewn(ctx, list[0], c.o.Hulls)
		if volumes(other) < volumes(best) && c.blockedBy(other) <= c.blockedBy(best)+1e-12 {
			return other
		}
	}
	return c.improved(ctx, best)
}

// nearest is how many of the nearest others a part is tried with where there must be fewer.
const nearest = 8

// forced joins parts until there are no more than there may be, though that fills what was to stay open: each time
// the two that fill least of it, and of those the two that cost least.
func (c *cutting) forced(ctx context.Context, list []*part, most int) []*part {
	list = slices.Clone(list)
	type try struct {
		a, b  *part
		joint *part
		block float64
		cost  float64
	}
	made := map[[2]*part]*try{}
	for len(list) > most && ctx.Err() == nil {
		var best *try
		for i, x := range list {
			others := slices.Concat(list[:i], list[i+1:])
			slices.SortStableFunc(others, func(a, b *part) int {
				return cmp.Compare(x.hull.Box.Gap(a.hull.Box), x.hull.Box.Gap(b.hull.Box))
			})
			for _, y := range others[:min(len(others), nearest)] {
				k := [2]*part{x, y}
				if made[[2]*part{y, x}] != nil {
					continue
				}
				if made[k] == nil {
					z := c.newPart(ctx, slices.Concat(x.hull.Points, y.hull.Points), nil)
					made[k] = &try{x, y, z, c.blocked(z.hull) - c.blocked(x.hull) - c.blocked(y.hull), z.volume - x.volume - y.volume}
				}
				t := made[k]
				if best == nil || cmp.Or(cmp.Compare(t.block, best.block), cmp.Compare(t.cost, best.cost)) < 0 {
					best = t
				}
			}
		}
		if best == nil {
			break
		}
		best.joint.of = slices.Concat(best.a.of, best.b.of)
		best.joint.samples = slices.Concat(best.a.samples, best.b.samples)
		list = slices.DeleteFunc(list, func(x *part) bool { return x == best.a || x == best.b })
		list = append(list, best.joint)
	}
	return list
}

// improved moves pieces about between parts.
func (c *cutting) improved(ctx context.Context, list []*part) []*part {
	return c.exchanged(ctx, c.traded(ctx, c.exchanged(ctx, list)))
}

// excess of all parts.
func excess(list []*part) float64 {
	sum := 0.0
	for _, x := range list {
		sum += x.excess()
	}
	return sum
}

// volumes of all parts.
func volumes(list []*part) float64 {
	sum := 0.0
	for _, x := range list {
		sum += x.volume
	}
	return sum
}

// blockedBy is how far all parts reach into places that stay open.
func (c *cutting) blockedBy(list []*part) float64 {
	sum := 0.0
	for _, x := range list {
		sum += c.blocked(x.hull)
	}
	return sum
}
