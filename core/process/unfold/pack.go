package unfold

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// tile is a chart on its way to its place, in lengths of the asset.
type tile struct {
	*chart
	ways []way // the first four are quarter turns of its tightest box
	long float64
	// boxy tells that it fills its box: turned over it is as good.
	boxy bool
}

// way is a tile turned: places times turn, less low, lie in a box of a size from 0 on.
type way struct {
	turn complex128
	low  complex128
	size [2]float64
}

func (w way) of(z complex128) complex128 { return z*w.turn - w.low }

// tileOf turns a chart so that its box is least, by quarters from there, and by turns/4 steps between two quarters.
func tileOf(c *chart, turns int) *tile {
	turn, least := tightest(c.at)
	t := &tile{chart: c, boxy: c.covered() > 0.999*least}
	for step := range turns / 4 {
		for quarter := range 4 {
			s, k := math.Sincos(math.Pi / 2 * (float64(step)/float64(turns/4) + float64(quarter)))
			t.ways = append(t.ways, c.way(turn*complex(k, s)))
		}
	}
	t.long = max(t.ways[0].size[0], t.ways[0].size[1])
	return t
}

func (c *chart) way(turn complex128) way {
	lo, hi := complex(math.Inf(1), math.Inf(1)), complex(math.Inf(-1), math.Inf(-1))
	for _, z := range c.at {
		z *= turn
		lo = complex(min(real(lo), real(z)), min(imag(lo), imag(z)))
		hi = complex(max(real(hi), real(z)), max(imag(hi), imag(z)))
	}
	return way{turn, lo, [2]float64{real(hi) - real(lo), imag(hi) - imag(lo)}}
}

// boxOf is the area of a chart's least box.
func boxOf(c *chart) float64 {
	_, area := tightest(c.at)
	return area
}

// tightest is the turn that makes the box of places least, and the area of that: by the side of their convex outline
// that lies along the box's best, as one of them does (Freeman and Shapira 1975).
func tightest(at []complex128) (complex128, float64) {
	pts := make([]geom.Vec2, len(at))
	for i, z := range at {
		pts[i] = geom.Vec2{real(z), imag(z)}
	}
	out := geom.OutlineOf(pts)
	turn, least := complex(1, 0), math.Inf(1)
	for i := range out {
		e := out[(i+1)%len(out)].Sub(out[i])
		l := math.Hypot(e[0], e[1])
		if l == 0 {
			continue
		}
		by := complex(e[0]/l, -e[1]/l)
		lo, hi := complex(math.Inf(1), math.Inf(1)), complex(math.Inf(-1), math.Inf(-1))
		for _, p := range out {
			z := complex(p[0], p[1]) * by
			lo, hi = complex(min(real(lo), real(z)), min(imag(lo), imag(z))),
				complex(max(real(hi), real(z)), max(imag(hi), imag(z)))
		}
		if a := (real(hi) - real(lo)) * (imag(hi) - imag(lo)); a < least*(1-1e-9) {
			turn, least = by, a
		}
	}
	return turn, least
}

// rim is how many texels charts keep from the edge of the square.
const rim = 1

// halvings is how often the scale is halved into, narrowings how often what is left is cut to a third at last.
const (
	halvings   = 4
	narrowings = 4
)

// turnsOf is in how many ways so many tiles are tried, a multiple of four.
func turnsOf(tiles int) int {
	switch {
	case tiles <= 32:
		return 16
	case tiles <= 200:
		return 8
	}
	return 4
}

// mostSquare is up to how many tiles are put where what is covered grows least.
const mostSquare = 400

// packing is where tiles go, all at one scale.
type packing struct {
	scale float64
	spots []spot
	how   int // the manner
}

// spot is where a tile goes: in texels from the lower left.
type spot struct {
	way  int
	x, y float64
}

// packer finds the largest scale at which tiles fit on the square with room between them.
type packer struct {
	o     Options
	tiles []*tile
	top   float64 // no larger scale does: they would cover all of it, or reach over its diagonal
	whole float64 // the scale at which they cover all of it
	guess float64 // the scale at which their boxes with their padding cover a share of it
}

// guessed is the share of the square where the search begins.
const guessed = 0.85

// newPacker makes charts ready to be packed. When ctx ends it gives nil.
func newPacker(ctx context.Context, charts []*chart, o Options) *packer {
	p := &packer{o: o, tiles: make([]*tile, len(charts))}
	if split.Each(ctx, len(charts), func(i int) { p.tiles[i] = tileOf(charts[i], turnsOf(len(charts))) }) != nil {
		return nil
	}
	area, side := 0.0, float64(o.Size)
	p.top = math.Inf(1)
	for _, t := range p.tiles {
		area += t.covered()
		p.top = min(p.top, math.Sqrt2*side/t.long)
	}
	p.whole = side / math.Sqrt(area)
	p.top = min(p.top, p.whole)
	low, high, pad := 0.0, p.top, float64(o.Padding)
	for range 40 {
		p.guess = (low + high) / 2
		sum := 0.0
		for _, t := range p.tiles {
			sum += (t.ways[0].size[0]*p.guess + pad) * (t.ways[0].size[1]*p.guess + pad)
		}
		if sum < guessed*side*side {
			low = p.guess
		} else {
			high = p.guess
		}
	}
	return p
}

// search gives the largest scale that does, as halving finds it: it goes up or down by steps from where it begins until
// one does and the next does not, and halves between them so many times.
func (p *packer) search(ctx context.Context, first float64, times int, fits func(k float64) ([]spot, bool)) packing {
	const step, steps = 0.9, 24
	var out packing
	high := p.top
	for k, n := min(first, p.top), 0; n < steps && ctx.Err() == nil; n++ {
		spots, ok := fits(k)
		if ok {
			out.scale, out.spots = k, spots
			if high < p.top || k == p.top {
				break
			}
			k = min(p.top, k/step)
		} else {
			high = k
			if out.spots != nil {
				break
			}
			k *= step
		}
	}
	for range times {
		k := (out.scale + high) / 2
		if out.spots == nil || out.scale >= high || ctx.Err() != nil {
			break
		}
		if spots, ok := fits(k); ok {
			out.scale, out.spots = k, spots
		} else {
			high = k
		}
	}
	return out
}

// inBoxes is the number of the manner in which tiles are their boxes.
var inBoxes = len(manners)

// about packs in every manner, with cells of a coarse board, and gives all, the best first.
func (p *packer) about(ctx context.Context) []packing {
	all := make([]packing, len(manners)+1)
	cells := coarse
	if len(p.tiles) > 32 {
		cells *= 2
	}
	_ = split.Each(ctx, len(all), func(i int) {
		switch {
		case i == inBoxes && len(p.tiles) <= fewTiles:
			all[i] = p.search(ctx, p.guess, halvings, func(k float64) ([]spot, bool) { return boxed(ctx, p.tiles, k, p.o) })
		case i < inBoxes && (len(p.tiles) <= mostSquare || !manners[i].square):
			all[i] = p.search(ctx, p.guess, halvings, func(k float64) ([]spot, bool) {
				return placed(ctx, p.tiles, k, p.o, cells, manners[i])
			})
		}
		all[i].how = i
	})
	slices.SortStableFunc(all, func(a, b packing) int { return cmp.Compare(b.scale, a.scale) })
	return all
}

// fill is the share of the square that tiles cover at a scale.
func (p *packer) fill(k float64) float64 { return k * k / p.whole / p.whole }

// finely packs in the manners that did best with the finest cells, and gives the best.
func (p *packer) finely(ctx context.Context, about []packing) packing {
	best := p.narrowed(ctx, about[0])
	if about[1].spots != nil {
		if next := p.narrowed(ctx, about[1]); next.scale > best.scale {
			best = next
		}
	}
	return best
}

// narrowed packs in one manner with the finest cells, two scales at once.
func (p *packer) narrowed(ctx context.Context, about packing) packing {
	fits := func(k float64) ([]spot, bool) {
		if about.how == inBoxes {
			return boxed(ctx, p.tiles, k, p.o)
		}
		return placed(ctx, p.tiles, k, p.o, finest, manners[about.how])
	}
	low, high := about.scale, min(p.top, 1.15*about.scale)
	if about.spots == nil { // cells were too coarse for so many
		low, high = 0, p.guess
	}
	for range narrowings {
		var got [2]packing
		_ = split.Each(ctx, len(got), func(i int) {
			k := low + (high-low)*float64(i+1)/3
			got[i] = packing{scale: k, how: about.how}
			got[i].spots, _ = fits(k)
		})
		switch {
		case got[1].spots != nil:
			about, low = got[1], got[1].scale
		case got[0].spots != nil:
			about, low, high = got[0], got[0].scale, got[1].scale
		default:
			high = got[0].scale
		}
	}
	return about
}

// put gives the charts their places, in texels.
func (p *packer) put(at packing) {
	for i, t := range p.tiles {
		s := at.spots[i]
		for n, z := range t.at {
			t.at[n] = t.ways[s.way].of(z)*complex(at.scale, 0) + complex(s.x, s.y)
		}
	}
}
