package unfold

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
)

// tile is a chart on its way to its place, turned as it lies best, in lengths of the asset.
type tile struct {
	*chart
	ways [][]complex128 // its places, turned by quarters, the lower left corner of their box at 0
	size [][2]float64   // of each way's box
	fine [4]profile     // of each way at the scale finest, of tiles with very many sides
	// finest is the largest scale that is tried.
	finest float64
}

// manySides is from how many sides on a tile's profile is worked out once, at the largest scale, and made
// of that for others: up to a column wider on either side.
const manySides = 4000

// tileOf turns a chart so that its box is least: by the side of its convex outline that lies along the
// box's best, as one of them does (Freeman and Shapira 1975).
func tileOf(c *chart) *tile {
	turn, _ := c.tightest()
	t := &tile{chart: c}
	for range 4 {
		at := make([]complex128, len(c.at))
		lo, hi := complex(math.Inf(1), math.Inf(1)), complex(math.Inf(-1), math.Inf(-1))
		for i, z := range c.at {
			z *= turn
			at[i] = z
			lo, hi = complex(min(real(lo), real(z)), min(imag(lo), imag(z))),
				complex(max(real(hi), real(z)), max(imag(hi), imag(z)))
		}
		for i := range at {
			at[i] -= lo
		}
		t.ways = append(t.ways, at)
		t.size = append(t.size, [2]float64{real(hi) - real(lo), imag(hi) - imag(lo)})
		turn *= complex(0, 1)
	}
	return t
}

// long is the longer side of its box.
func (t *tile) long() float64 { return max(t.size[0][0], t.size[0][1]) }

// boxOf is the area of a chart's least box.
func boxOf(c *chart) float64 {
	_, area := c.tightest()
	return area
}

// tightest is the turn that makes the box of a chart least, and the area of that.
func (c *chart) tightest() (complex128, float64) {
	pts := make([]geom.Vec2, len(c.at))
	for i, z := range c.at {
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

// profile is how far a tile reaches down and up in each column of texels, at a scale.
type profile struct{ low, high []float64 }

func (t *tile) profile(way int, k float64) profile {
	if len(t.border) < manySides || k > t.finest {
		return t.drawn(way, k)
	}
	if t.fine[way].low == nil {
		t.fine[way] = t.drawn(way, t.finest)
	}
	f, n, by := t.fine[way], int(t.size[way][0]*k)+1, t.finest/k
	p := profile{make([]float64, n), make([]float64, n)}
	for i := range n {
		p.low[i], p.high[i] = math.Inf(1), math.Inf(-1)
		for j := max(0, int(float64(i)*by)-1); j <= min(len(f.low)-1, int(float64(i+1)*by)+1); j++ {
			p.low[i], p.high[i] = min(p.low[i], f.low[j]/by), max(p.high[i], f.high[j]/by)
		}
	}
	return p
}

// drawn is a profile of all sides.
func (t *tile) drawn(way int, k float64) profile {
	at, n := t.ways[way], int(t.size[way][0]*k)+1
	p := profile{make([]float64, n), make([]float64, n)}
	for i := range p.low {
		p.low[i], p.high[i] = math.Inf(1), math.Inf(-1)
	}
	note := func(i int, y float64) {
		if i >= 0 && i < n {
			p.low[i], p.high[i] = min(p.low[i], y), max(p.high[i], y)
		}
	}
	for _, e := range t.border {
		a, b := at[e[0]]*complex(k, 0), at[e[1]]*complex(k, 0)
		if real(a) > real(b) {
			a, b = b, a
		}
		from, to := int(real(a)), int(real(b))
		note(from, imag(a))
		note(to, imag(b))
		for i := from + 1; i <= to; i++ { // where it crosses from one column into the next
			y := imag(a) + (float64(i)-real(a))/(real(b)-real(a))*(imag(b)-imag(a))
			note(i-1, y)
			note(i, y)
		}
	}
	return p
}

// rim is how many texels charts keep from the edge of the square.
const rim = 1

// trials is how often the scale is halved into.
const trials = 12

// pack finds the largest scale at which all charts fit on the square with room between them, all at one,
// and puts them there: places are texels then. The tallest go first, each where it comes to lie lowest on
// those before it, by its own underside, and wastes least below it (Lévy et al. 2002, section 4).
func pack(ctx context.Context, charts []*chart, o Options) error {
	if len(charts) == 0 {
		return nil
	}
	tiles := make([]*tile, len(charts))
	area := 0.0
	for i, c := range charts {
		if i&0xff == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		tiles[i] = tileOf(c)
		area += c.covered()
	}
	order := make([]int, len(tiles))
	for i := range order {
		order[i] = i
	}
	height := func(i int) float64 { return min(tiles[i].size[0][0], tiles[i].size[0][1]) }
	long := func(i int) float64 { return tiles[i].long() }
	var sorts = []func(a, b int) int{
		func(a, b int) int {
			return cmp.Or(cmp.Compare(long(b), long(a)), cmp.Compare(height(b), height(a)), cmp.Compare(a, b))
		},
		func(a, b int) int {
			return cmp.Or(cmp.Compare(height(b), height(a)), cmp.Compare(long(b), long(a)), cmp.Compare(a, b))
		},
	}
	// Each takes a texel at least, and its padding to one side and above.
	if n := float64(len(tiles)); n*float64((1+o.Padding)*(1+o.Padding)) > float64(o.Size+o.Padding)*float64(
		o.Size+o.Padding) {
		return ErrRoom
	}
	top := math.Sqrt(float64(o.Size) * float64(o.Size) / area)
	for _, t := range tiles {
		t.finest = top
	}
	low, high := 0.0, top
	var best []spot
	try := func(k float64) bool {
		if len(tiles) <= fewTiles {
			if got, ok := boxed(ctx, tiles, k, o); ok {
				best = got
				return true
			}
		}
		for _, by := range sorts {
			slices.SortFunc(order, by)
			if got, ok := placed(ctx, tiles, order, k, o); ok {
				best = got
				return true
			}
		}
		return false
	}
	for step := range trials {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		k := (low + high) / 2
		if step == 0 {
			k = 0.8 * top
		}
		if try(k) {
			low = k
		} else {
			high = k
		}
	}
	if best == nil && !try(top*1e-4) {
		return ErrRoom
	}
	for i, t := range tiles {
		p := best[i]
		for n, z := range t.ways[p.way] {
			t.at[n] = z*complex(p.scale, 0) + complex(p.x, p.y)
		}
	}
	return nil
}

// spot is where a tile goes: in texels from the lower left.
type spot struct {
	way   int
	x, y  float64
	scale float64
}

// placed puts tiles on the square at a scale, in order; false when they don't fit.
//
// It is a skyline: level is how high each column of texels is filled. A tile is known by its profile, the
// lowest and the highest of its border in each column. At each place along the bottom it sinks until some
// column touches; of all places and turns the one with the lowest top is taken, and by a third of what is lost
// below it. Then its columns rise to its top and the padding, which spreads to both sides. The cost is tiles
// times columns times the columns of a tile.
func placed(ctx context.Context, tiles []*tile, order []int, k float64, o Options) ([]spot, bool) {
	wide := o.Size - 2*rim
	level := make([]float64, wide+o.Padding)
	out := make([]spot, len(tiles))
	for n, i := range order {
		if n&0x3f == 0 && ctx.Err() != nil {
			return nil, false
		}
		t := tiles[i]
		bestWay, bestX, bestY, least := -1, 0, 0.0, math.Inf(1)
		var chosen profile
		for way := range t.ways {
			if way >= 2 && len(t.border) <= 4 {
				break // a rectangle or a triangle turned over is as good
			}
			p := t.profile(way, k)
			if len(p.low) > wide {
				continue
			}
			tall := t.size[way][1] * k
			for x := 0; x+len(p.low) <= wide; x++ {
				y := 0.0
				for c, low := range p.low {
					if v := level[x+c] - low; v > y {
						if y = v; y+tall > float64(wide) {
							break
						}
					}
				}
				if y+tall > float64(wide) {
					continue
				}
				y = math.Ceil(y)
				if y+tall > float64(wide) || y+tall > least+1 {
					continue
				}
				waste := 0.0
				for c, low := range p.low {
					waste += y + low - level[x+c]
				}
				// The lowest top counts first, then what is lost below.
				if cost := y + tall + 0.3*waste/float64(len(p.low)); cost < least {
					bestWay, bestX, bestY, least, chosen = way, x, y, cost, p
				}
			}
		}
		if bestWay < 0 {
			return nil, false
		}
		for c, high := range chosen.high {
			v := bestY + high + float64(o.Padding)
			for d := max(0, bestX+c-o.Padding); d <= min(len(level)-1, bestX+c+o.Padding); d++ {
				level[d] = max(level[d], v)
			}
		}
		out[i] = spot{bestWay, float64(bestX + rim), bestY + float64(rim), k}
	}
	return out, true
}
