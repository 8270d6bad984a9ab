package cloud

import (
	"context"
	"math"
	"slices"

	"yarvek/core/fault"
	"yarvek/core/geom"
)

// cell is a cube of a grid.
type cell [3]int32

// grid finds cells by points; edge is that of a cube, in metres.
type grid struct {
	from geom.Vec3
	edge float64
}

// gridOf is a grid over a box. The error is a *fault.Error where its cells could not be counted.
func gridOf(b geom.Box, edge float64) (grid, error) {
	if !(edge > 0) || b.Size().Max()/edge > 1<<30 {
		return grid{}, fault.Input("cells of %g m are too fine for points over %g m", edge, b.Size().Max()).
			Advise("Ask for larger ones")
	}
	return grid{b.Min, edge}, nil
}

func (g grid) of(p geom.Vec3) (c cell) {
	for k := range 3 {
		c[k] = int32(math.Floor((p[k] - g.from[k]) / g.edge))
	}
	return c
}

// Spacing is about how far points lie apart: the edge of cubes in which half of all points are alone or in twos or
// threes. 0 for fewer than two places.
func (c *Cloud) Spacing() float64 {
	b := c.Box()
	if len(c.Points) < 2 || b.Size().Max() == 0 {
		return 0
	}
	const few = 3
	for edge := b.Size().Max() / 2; edge > b.Size().Max()/(1<<20); edge /= 2 {
		g, err := gridOf(b, edge)
		if err != nil {
			return edge
		}
		count := map[cell]int32{}
		step := max(1, len(c.Points)/200_000) // a part of large clouds tells it as well, by its own spacing
		for i := 0; i < len(c.Points); i += step {
			count[g.of(c.Points[i])]++
		}
		all, sparse := 0, 0
		for _, n := range count {
			if all += int(n); n <= few {
				sparse += int(n)
			}
		}
		if 2*sparse >= all {
			return edge
		}
	}
	return 0
}

// Piece tells of each point whether it belongs to the piece with the most points; see [Cloud.Pieces]. Everything else
// are strays, and other pieces.
func (c *Cloud) Piece(ctx context.Context, edge float64) ([]bool, error) {
	of, sizes, err := c.Pieces(ctx, edge)
	if err != nil {
		return nil, err
	}
	best := 0
	for i, n := range sizes {
		if n > sizes[best] {
			best = i
		}
	}
	keep := make([]bool, len(c.Points))
	for i := range keep {
		keep[i] = int(of[i]) == best
	}
	return keep, nil
}

// Pieces tells of each point the number of its piece, and of each piece how many points it has: cubes of an edge that
// touch one another, at a face, an edge or a corner, are one. Pieces come in the order of their first points. Time and
// memory go by the number of points. The error is ctx's, or a *fault.Error for cubes that are too fine.
func (c *Cloud) Pieces(ctx context.Context, edge float64) (of []int32, sizes []int, err error) {
	g, err := gridOf(c.Box(), edge)
	if err != nil {
		return nil, nil, err
	}
	count := map[cell]int{}
	for _, p := range c.Points {
		count[g.of(p)]++
	}
	seen := make(map[cell]int, len(count))
	for _, p := range c.Points { // in the order of the points, so that the same cloud gives the same pieces
		first := g.of(p)
		if _, ok := seen[first]; ok {
			continue
		}
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		piece, list := len(sizes), []cell{first}
		sizes = append(sizes, 0)
		seen[first] = piece
		for len(list) > 0 {
			at := list[len(list)-1]
			list = list[:len(list)-1]
			sizes[piece] += count[at]
			for d := range 27 {
				next := cell{at[0] + int32(d%3) - 1, at[1] + int32(d/3%3) - 1, at[2] + int32(d/9) - 1}
				if _, ok := seen[next]; !ok && count[next] > 0 {
					seen[next] = piece
					list = append(list, next)
				}
			}
		}
	}
	of = make([]int32, len(c.Points))
	for i, p := range c.Points {
		of[i] = int32(seen[g.of(p)])
	}
	return of, sizes, nil
}

// mostHulled is up to how many points all are taken for a hull, and sides how many directions a side of a cube has for
// those that are picked of more.
const (
	mostHulled = 50_000
	sides      = 64
)

// Outermost are the points that a convex hull is made of: all of few, of many the farthest from the middle of their box
// in each of 24 576 directions. A hull of these leaves out less than a thousandth of its reach.
func (c *Cloud) Outermost() []geom.Vec3 {
	if len(c.Points) <= mostHulled {
		return c.Points
	}
	box := c.Box()
	middle, half := box.Center(), box.Size().Mul(.5)
	for a := range 3 {
		half[a] = max(half[a], math.SmallestNonzeroFloat32) // flat clouds have no reach that way
	}
	far := make([]float64, 6*sides*sides)
	at := make([]int32, len(far))
	for i, p := range c.Points {
		d := p.Sub(middle)
		for a := range 3 {
			d[a] /= half[a] // as far as the box: long clouds are seen as round ones
		}
		k := 0
		for a := range 3 {
			if math.Abs(d[a]) > math.Abs(d[k]) {
				k = a
			}
		}
		most := math.Abs(d[k])
		if most == 0 {
			continue
		}
		cell := func(v float64) int { return min(sides-1, int((v/most+1)/2*sides)) }
		n := (2*k*sides + cell(d[(k+1)%3])) * sides
		if d[k] < 0 {
			n += sides * sides
		}
		n += cell(d[(k+2)%3])
		if q := d.Dot(d); q > far[n] {
			far[n], at[n] = q, int32(i)
		}
	}
	var list []geom.Vec3
	for n, q := range far {
		if q > 0 {
			list = append(list, c.Points[at[n]])
		}
	}
	return list
}

// Together is how many times as far as points lie apart the cubes are whose points hang together.
const Together = 8

// Dense are the clouds of the pieces of which each has at least a part of all points, the largest
// first; itself alone where none has, or where pieces can't be told.
func (c *Cloud) Dense(ctx context.Context, least float64) []*Cloud {
	of, sizes, err := c.Pieces(ctx, Together*c.Spacing())
	if err != nil {
		return []*Cloud{c}
	}
	var list []*Cloud
	keep := make([]bool, len(c.Points))
	for piece, n := range sizes {
		if float64(n) < least*float64(len(c.Points)) {
			continue
		}
		for i := range keep {
			keep[i] = int(of[i]) == piece
		}
		list = append(list, (&Cloud{Name: c.Name, Type: c.Type, Points: c.Points}).Only(keep))
	}
	if len(list) == 0 {
		return []*Cloud{c}
	}
	slices.SortStableFunc(list, func(a, b *Cloud) int { return len(b.Points) - len(a.Points) })
	return list
}
