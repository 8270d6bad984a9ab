package unfold

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// fewTiles is up to how many tiles are packed by their boxes too, which takes the cube of their number.
const fewTiles = 160

// rect is a free place on the square, in texels.
type rect struct{ x, y, w, h int }

func (r rect) within(s rect) bool {
	return r.x >= s.x && r.y >= s.y && r.x+r.w <= s.x+s.w && r.y+r.h <= s.y+s.h
}

// boxed puts the boxes of tiles on the square at a scale, larger ones first, each into the free place it
// suits best; free places are all the largest ones there are, which overlap (Jylänki 2010, "A thousand
// ways to pack the bin", maximal rectangles). It is tried in several orders and by several measures of
// what suits.
func boxed(ctx context.Context, tiles []*tile, k float64, o Options) ([]spot, bool) {
	wide := o.Size - 2*rim + o.Padding // each box has its padding to the right and above
	sizes := make([][2]int, len(tiles))
	order := make([]int, len(tiles))
	for i, t := range tiles {
		order[i] = i
		for n, v := range t.ways[0].size {
			sizes[i][n] = int(math.Ceil(v*k-1e-9)) + o.Padding
		}
		if min(sizes[i][0], sizes[i][1]) > wide || max(sizes[i][0], sizes[i][1]) > wide {
			return nil, false
		}
	}
	keys := []func(s [2]int) int{
		func(s [2]int) int { return s[0] * s[1] },
		func(s [2]int) int { return max(s[0], s[1])<<16 + min(s[0], s[1]) },
		func(s [2]int) int { return min(s[0], s[1])<<16 + max(s[0], s[1]) },
		func(s [2]int) int { return s[0] + s[1] },
	}
	suits := []func(f rect, w, h int) int{
		func(f rect, w, h int) int { return min(f.w-w, f.h-h)<<16 + max(f.w-w, f.h-h) },
		func(f rect, w, h int) int { return (f.y+h)<<16 + f.x },
		func(f rect, w, h int) int { return f.w*f.h - w*h },
		func(f rect, w, h int) int { return max(f.w-w, f.h-h)<<16 + min(f.w-w, f.h-h) },
	}
	for _, key := range keys {
		slices.SortFunc(order, func(a, b int) int {
			return cmp.Or(cmp.Compare(key(sizes[b]), key(sizes[a])),
				cmp.Compare(a, b))
		})
		for _, suit := range suits {
			if ctx.Err() != nil {
				return nil, false
			}
			if spots, ok := maximal(tiles, sizes, order, wide, suit); ok {
				return spots, true
			}
		}
	}
	return nil, false
}

// maximal does it in one order, by one measure.
//
// Free room is kept as all largest free rectangles, which overlap (Jylänki 2010, "A thousand ways to pack the
// bin", section 2.3). A tile takes the one that suits best, upright or lying; each free rectangle it reaches
// into is replaced by the up to four that are left on its sides, and those within another are dropped.
func maximal(tiles []*tile, sizes [][2]int, order []int, wide int, suit func(rect, int, int) int) ([]spot,
	bool) {
	free := []rect{{0, 0, wide, wide}}
	out := make([]spot, len(tiles))
	for _, i := range order {
		var at rect
		way, least := -1, math.MaxInt
		for turn := range 2 {
			w, h := sizes[i][turn], sizes[i][1-turn]
			for _, f := range free {
				if f.w >= w && f.h >= h {
					if s := suit(f, w, h); s < least {
						at, way, least = rect{f.x, f.y, w, h}, turn, s
					}
				}
			}
			if w == h {
				break
			}
		}
		if way < 0 {
			return nil, false
		}
		out[i] = spot{way, float64(at.x + rim), float64(at.y + rim)}
		var next []rect
		for _, f := range free {
			if at.x >= f.x+f.w || at.x+at.w <= f.x || at.y >= f.y+f.h || at.y+at.h <= f.y {
				next = append(next, f)
				continue
			}
			if at.x > f.x {
				next = append(next, rect{f.x, f.y, at.x - f.x, f.h})
			}
			if r := at.x + at.w; r < f.x+f.w {
				next = append(next, rect{r, f.y, f.x + f.w - r, f.h})
			}
			if at.y > f.y {
				next = append(next, rect{f.x, f.y, f.w, at.y - f.y})
			}
			if u := at.y + at.h; u < f.y+f.h {
				next = append(next, rect{f.x, u, f.w, f.y + f.h - u})
			}
		}
		free = free[:0]
		for a, f := range next {
			held := false
			for b, g := range next {
				if a != b && f.within(g) && (f != g || a > b) {
					held = true
					break
				}
			}
			if !held {
				free = append(free, f)
			}
		}
	}
	return out, true
}
