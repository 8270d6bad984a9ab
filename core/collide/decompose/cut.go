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

// piece is what of a plan lies in a cell and hangs together there.
type piece struct {
	*soup
	cell   []fit.Plane
	hull   *fit.Convex
	air    float64 // in front of its surface, within its hull; cubic metres, seen from each face
	block  float64 // how far it reaches into places that stay open, in all
	number int     // in the order they were made
	node   *node
}

// node is a place in the tree of cuts: a plane, or a choice between bodies, or a leaf.
type node struct {
	plane        fit.Plane
	below, above *node
	bodies       []*node
	hulls        []*fit.Convex // of the bodies
	leaf         int           // from 1 on
}

// mostLooked bounds the polygons of a piece that are measured.
const mostLooked = 400

// newPiece measures a body by how far its hull reaches beyond the planes of its faces: not at all
// beyond those of a convex one. Unlike the depth of hollows that does not grow less by a cut across
// them.
func (c *cutting) newPiece(ctx context.Context, s *soup, cell []fit.Plane) *piece {
	x := &piece{soup: s, cell: cell, hull: fit.NewConvex(fit.OfHull(geom.HullWithin(ctx, s.corners, geom.Finely)))}
	if len(x.hull.Planes) == 0 {
		return x
	}
	step := max(1, s.len()/mostLooked)
	for i := 0; i < s.len(); i += step {
		pts, _ := s.polygon(i)
		n := areaOf(pts)
		area := n.Len()
		if area == 0 {
			continue
		}
		n = n.Mul(1 / area)
		beyond := math.Inf(-1)
		for k := range x.hull.Points {
			q := &x.hull.Points[k]
			beyond = max(beyond, n[0]*q[0]+n[1]*q[1]+n[2]*q[2])
		}
		if beyond -= n.Dot(pts[0]); beyond > 4*c.near {
			x.air += area * beyond * float64(step)
		}
	}
	x.block = c.blocked(x.hull)
	return x
}

// blocked is how far a body reaches into places that stay open, in all, weighed by their size.
func (c *cutting) blocked(body *fit.Convex) float64 {
	sum := 0.0
	for _, b := range c.o.Open {
		free := b.Radius * (1 - slack)
		if body.Beyond(b.Centre) >= free {
			continue
		}
		if d := free - body.Distance(b.Centre); d > 0 {
			sum += d * b.Radius * b.Radius
		}
	}
	return sum
}

// enough tells whether a piece need not be cut.
func (c *cutting) enough(x *piece) bool {
	if x.block > 0 && x.air > 1e-9*c.total {
		return false
	}
	return x.air <= 1e-3*c.total
}

// shell cuts one shell into at most so many pieces, and makes parts of its whole surface of them.
//
// What is cut is a copy with few triangles (coarse), a piece at a time, the one with the most that stops up a
// free place first, then the one with the most air before it. Each cut is a fork of a tree; a side whose
// surface falls apart becomes several pieces, told apart by their hulls. What can't be bettered is a leaf,
// which is a cell: the planes that lead to it. Last, the whole surface, not the copy, is sent down that tree.
func (c *cutting) shell(ctx context.Context, x *shell, most int, progress func(float64)) []*part {
	p := x.coarse(ctx).plan(ctx)
	root := &node{}
	// The piece that is most worth cutting comes first.
	open := queue.By(func(a, b *piece) int {
		return cmp.Or(cmp.Compare(b.block, a.block), cmp.Compare(b.air, a.air), cmp.Compare(a.number, b.number))
	})
	made := 0
	add := func(s *soup, cell []fit.Plane, n *node) {
		bodies := p.bodies(s, cell, c.near)
		for _, b := range bodies {
			y := c.newPiece(ctx, b, cell)
			y.node, y.number = n, made
			made++
			if len(bodies) > 1 {
				y.node = &node{}
				n.bodies = append(n.bodies, y.node)
				n.hulls = append(n.hulls, y.hull)
			}
			open.Put(y)
		}
	}
	add(p.whole, nil, root)
	var cells [][]fit.Plane
	for open.Len() > 0 && ctx.Err() == nil {
		y := open.Take()
		var best *cut
		if !c.enough(y) && len(cells)+open.Len()+1 < most {
			best = c.best(ctx, p, y)
		}
		if best == nil {
			cells = append(cells, y.cell)
			y.node.leaf = len(cells)
			continue
		}
		n := y.node
		n.plane, n.below, n.above = best.plane, &node{}, &node{}
		add(best.low, append(slices.Clip(y.cell), best.plane), n.below)
		add(best.high, append(slices.Clip(y.cell), fit.Plane{N: best.plane.N.Mul(-1), D: -best.plane.D}), n.above)
		progress(float64(len(cells)+open.Len()) / float64(most) / 2)
	}
	return c.parts(ctx, x, root, cells)
}

// cut is a piece divided.
type cut struct {
	plane     fit.Plane
	low, high *soup
	cost      float64
}

// best is the cut that leaves the least air, nil where none makes it less.
func (c *cutting) best(ctx context.Context, p *plan, x *piece) *cut {
	list, own := c.planes(p, x)
	cuts := make([]*cut, len(list))
	_ = split.Each(ctx, len(list), func(i int) {
		if cuts[i] = c.tried(ctx, p, x, list[i]); cuts[i] != nil && i < own {
			cuts[i].cost += crooked * x.air // sides of the mesh itself are cut along before others that are no worse
		}
	})
	var best *cut
	for _, k := range cuts {
		if k != nil && (best == nil || k.cost < best.cost) {
			best = k
		}
	}
	return best
}

// tried is a piece cut at a plane, with what that leaves; nil where nothing is cut, or made better.
func (c *cutting) tried(ctx context.Context, p *plan, x *piece, at fit.Plane) *cut {
	k := &cut{plane: at, low: &soup{}, high: &soup{}}
	x.clip(at, c.near, k.low, k.high)
	if k.low.len() == 0 || k.high.len() == 0 {
		return nil
	}
	air, block := 0.0, 0.0
	var extent [2]float64
	for i, s := range []*soup{k.low, k.high} {
		cell := append(slices.Clip(x.cell), at)
		if i == 1 {
			cell[len(cell)-1] = fit.Plane{N: at.N.Mul(-1), D: -at.D}
		}
		for _, b := range p.bodies(s, cell, c.near) {
			y := c.newPiece(ctx, b, cell)
			air += y.air
			block += y.block
			extent[i] += y.hull.Volume()
		}
	}
	// Of cuts that are as good, the one that leaves halves as large as one another.
	uneven := math.Abs(extent[0]-extent[1]) / math.Max(extent[0]+extent[1], 1e-300)
	k.cost = air + 8*block + x.air*0.05*uneven
	if air >= x.air*(1-1e-6) && block >= x.block*(1-1e-6) {
		return nil
	}
	return k
}

// Bounds of the planes that are tried for a cut.
const (
	mostHollow  = 12 // those of faces along hollow edges
	roundHollow = 4  // of a surface that is hollow everywhere, as within a ring
	manyHollow  = 60 // from how many on it is
)

// crooked is by how much less a cut along no side of the mesh counts, as a share of what there is.
const crooked = 0.08

// planes are those that may cut a piece: along its axes and the world's, the first own of them, and of faces
// where the surface is hollow.
//
// A good cut runs where a hollow edge is, along one of its two faces: both sides then lose that hollow. Where
// there is none, or it is hollow everywhere as in a bowl, planes across the world's axes and across the main
// axes of the surface (the eigenvectors of its spread) stand at the middle and at the quarters of the piece.
func (c *cutting) planes(p *plan, x *piece) (all []fit.Plane, own int) {
	var middles []geom.Vec3
	var areas []float64
	var sum float64
	var centre geom.Vec3
	box := geom.EmptyBox()
	for i := range x.tri {
		pts, _ := x.polygon(i)
		a := areaOf(pts).Len()
		m := middleOf(pts)
		middles, areas = append(middles, m), append(areas, a)
		centre = centre.Add(m.Mul(a))
		sum += a
	}
	for _, q := range x.hull.Points {
		box = box.Add(q)
	}
	centre = centre.Mul(1 / math.Max(sum, 1e-300))
	var spread geom.Mat3
	for i, m := range middles {
		d := m.Sub(centre)
		for r := range 3 {
			for k := range 3 {
				spread[r][k] += areas[i] * d[r] * d[k]
			}
		}
	}
	_, axes := spread.Eigen()
	var list []fit.Plane
	along, round := c.hollows(p, x)
	at := []float64{0.5, 0.25, 0.75}
	if round && x.block == 0 {
		at = at[:1] // where it is hollow everywhere halves are as good as any
	}
	for k := range 3 {
		n := geom.Vec3{}
		n[k] = 1
		for _, t := range at {
			list = append(list, fit.Plane{N: n, D: box.Min[k] + t*(box.Max[k]-box.Min[k])})
		}
	}
	for k := range 3 {
		n := axes.Col(k)
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, q := range x.hull.Points {
			d := q.Dot(n)
			lo, hi = min(lo, d), max(hi, d)
		}
		list = append(list, fit.Plane{N: n, D: centre.Dot(n)})
		for _, t := range at {
			list = append(list, fit.Plane{N: n, D: lo + t*(hi-lo)})
		}
	}
	return append(list, along...), len(list)
}

// hollows are the planes of faces along edges where the surface of a piece is hollow, those with the longest
// and sharpest edges first; round tells that it is hollow everywhere.
//
// Each hollow edge speaks for the planes of its two faces with its length by the sine of its bend. Planes that
// are about one (to a hundredth in direction and a two-thousandth of the size in place) add up, so that a long
// row of short edges counts as what it is. More than manyHollow different planes mean a round hollow.
func (c *cutting) hollows(p *plan, x *piece) (planes []fit.Plane, round bool) {
	type key [4]int
	type found struct {
		plane  fit.Plane
		weight float64
	}
	number := map[key]int{}
	var list []found
	for i := range x.tri {
		pts, tag := x.polygon(i)
		for k, e := range tag {
			pair, ok := p.bends[e]
			if e < 0 || !ok || x.tri[i] != pair[0] {
				continue
			}
			length := pts[(k+1)%len(pts)].Dist(pts[k])
			n, m := areaOf(p.corners(pair[0])).Unit(), areaOf(p.corners(pair[1])).Unit()
			weight := length * n.Cross(m).Len()
			for j, t := range pair {
				normal := [2]geom.Vec3{n, m}[j]
				d := normal.Dot(p.corners(t)[0])
				q := key{}
				for a := range 3 {
					q[a] = int(math.Round(normal[a] * 100))
				}
				q[3] = int(math.Round(d / c.size * 2000))
				at, ok := number[q]
				if !ok {
					at = len(list)
					number[q] = at
					list = append(list, found{plane: fit.Plane{N: normal, D: d}})
				}
				list[at].weight += weight
			}
		}
	}
	slices.SortStableFunc(list, func(a, b found) int { return cmp.Compare(b.weight, a.weight) })
	most := mostHollow
	if round = len(list) > manyHollow; round {
		most = roundHollow
	}
	for _, f := range list[:min(len(list), most)] {
		planes = append(planes, f.plane)
	}
	return planes, round
}
