package cloud

import (
	"context"
	"math"

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

// Thinned keeps of each cube of a grid the point that is nearest to the mean of those in it: what is left lies on the
// scan and is nowhere denser than one for a cube. It takes time and memory by the number of points. The error is ctx's,
// or a *fault.Error for cells that are too fine.
func (c *Cloud) Thinned(ctx context.Context, edge float64) (*Cloud, error) {
	g, err := gridOf(c.Box(), edge)
	if err != nil {
		return nil, err
	}
	type sum struct {
		n    int32
		best int32
		near float64
		mean geom.Vec3
	}
	at := make(map[cell]int32, len(c.Points)/4+1)
	var cells []sum
	of := make([]int32, len(c.Points))
	for i, p := range c.Points {
		if i&0xffff == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		k, ok := at[g.of(p)]
		if !ok {
			k = int32(len(cells))
			at[g.of(p)] = k
			cells = append(cells, sum{near: math.Inf(1), best: -1})
		}
		s := &cells[k]
		s.n++
		s.mean = s.mean.Add(p.Sub(s.mean).Mul(1 / float64(s.n)))
		of[i] = k
	}
	for i, p := range c.Points {
		s := &cells[of[i]]
		if d := p.Sub(s.mean); d.Dot(d) < s.near {
			s.near, s.best = d.Dot(d), int32(i)
		}
	}
	keep := make([]bool, len(c.Points))
	for _, s := range cells {
		keep[s.best] = true
	}
	return c.Only(keep), nil
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

// Piece tells of each point whether it belongs to the piece with the most points: cubes of an edge that touch one
// another, at a face, an edge or a corner. Everything else are strays, and other pieces. The error is that of Thinned.
func (c *Cloud) Piece(ctx context.Context, edge float64) ([]bool, error) {
	g, err := gridOf(c.Box(), edge)
	if err != nil {
		return nil, err
	}
	count := map[cell]int{}
	for _, p := range c.Points {
		count[g.of(p)]++
	}
	seen := make(map[cell]int, len(count))
	var sizes []int
	for _, p := range c.Points { // in the order of the points, so that the same cloud gives the same pieces
		first := g.of(p)
		if _, ok := seen[first]; ok {
			continue
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
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
	best := 0
	for i, n := range sizes {
		if n > sizes[best] {
			best = i
		}
	}
	keep := make([]bool, len(c.Points))
	for i, p := range c.Points {
		keep[i] = seen[g.of(p)] == best
	}
	return keep, nil
}
