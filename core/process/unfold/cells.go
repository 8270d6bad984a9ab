package unfold

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"slices"
)

// span is a piece of a row of cells: those from a up to b.
type span struct{ row, a, b int32 }

// mask is the cells that a tile touches, turned and at a scale.
type mask struct {
	wide, tall int
	spans      []span
	probes     [3]span // the lowest, the widest and the highest
	cells      int
}

// maskOf draws a tile. Its sides are drawn with every cell that they touch; what lies between them in the middle of a
// row is inside by turns.
func maskOf(t *tile, w way, k float64, board *board) mask {
	m := mask{wide: int(w.size[0]*k) + 1, tall: int(w.size[1]*k) + 1}
	board.reset(m.wide, m.tall)
	cross := board.cross[:m.tall]
	for i := range cross {
		cross[i] = cross[i][:0]
	}
	last := float64(m.wide) - 0.5
	for _, e := range t.border {
		a, b := w.of(t.at[e[0]])*complex(k, 0), w.of(t.at[e[1]])*complex(k, 0)
		if imag(a) > imag(b) {
			a, b = b, a
		}
		x0, y0, x1, y1 := real(a), imag(a), real(b), imag(b)
		slope := 0.0
		if y1 > y0 {
			slope = (x1 - x0) / (y1 - y0)
		}
		from, to := max(0, int(y0)), min(m.tall-1, int(y1))
		for row := from; row <= to; row++ {
			l, r := x0, x1
			if row > from {
				l = x0 + (float64(row)-y0)*slope
			}
			if row < to {
				r = x0 + (float64(row+1)-y0)*slope
			}
			if l > r {
				l, r = r, l
			}
			board.set(row, int(max(0, l)), int(min(last, r))+1)
			if mid := float64(row) + 0.5; y0 <= mid && mid < y1 {
				cross[row] = append(cross[row], x0+(mid-y0)*slope)
			}
		}
	}
	for row, xs := range cross {
		slices.Sort(xs)
		for i := 0; i+1 < len(xs); i += 2 {
			board.set(row, int(max(0, xs[i])), int(min(last, xs[i+1]))+1)
		}
	}
	m.spans = board.spans(m.tall)
	m.probes = [3]span{m.spans[0], m.spans[0], m.spans[len(m.spans)-1]}
	for _, s := range m.spans {
		m.cells += int(s.b - s.a)
		if s.b-s.a > m.probes[1].b-m.probes[1].a {
			m.probes[1] = s
		}
	}
	return m
}

// board is rows of cells, a bit each.
type board struct {
	wide, words int
	bits        []uint64
	cross       [][]float64
	room        []int // of each row, the longest run of free cells
}

func (b *board) reset(wide, tall int) {
	b.wide, b.words = wide, (wide+63)/64
	b.bits = slices.Grow(b.bits[:0], b.words*tall)[:b.words*tall]
	clear(b.bits)
	for len(b.cross) < tall {
		b.cross = append(b.cross, nil)
	}
}

func (b *board) row(y int) []uint64 { return b.bits[y*b.words : (y+1)*b.words] }

// set marks cells of a row from x up to end.
func (b *board) set(y, x, end int) {
	if x >= end {
		return
	}
	r := b.row(y)
	first, last := x>>6, (end-1)>>6
	head, tail := ^uint64(0)<<(x&63), ^uint64(0)>>(63-(end-1)&63)
	if first == last {
		r[first] |= head & tail
		return
	}
	r[first] |= head
	for i := first + 1; i < last; i++ {
		r[i] = ^uint64(0)
	}
	r[last] |= tail
}

// last is the last marked cell of a row from x up to end, -1 if there is none.
func (b *board) last(y, x, end int) int {
	r := b.row(y)
	first, i := x>>6, (end-1)>>6
	v := r[i] & (^uint64(0) >> (63 - (end-1)&63))
	for ; i > first; i-- {
		if v != 0 {
			return i<<6 + 63 - bits.LeadingZeros64(v)
		}
		v = r[i-1]
	}
	if v &= ^uint64(0) << (x & 63); v != 0 {
		return i<<6 + 63 - bits.LeadingZeros64(v)
	}
	return -1
}

// next is the first cell of a row from x on that is marked, or that is not; the width if there is none.
func (b *board) next(y, x int, marked bool) int {
	r := b.row(y)
	for i := x >> 6; i < len(r); i++ {
		v := r[i]
		if !marked {
			v = ^v
		}
		if i == x>>6 {
			v &= ^uint64(0) << (x & 63)
		}
		if v != 0 {
			return min(b.wide, i<<6+bits.TrailingZeros64(v))
		}
	}
	return b.wide
}

// spans are the marked cells of all rows.
func (b *board) spans(tall int) []span {
	var out []span
	for y := range tall {
		for x := b.next(y, 0, true); x < b.wide; {
			end := b.next(y, x, false)
			out = append(out, span{int32(y), int32(x), int32(end)})
			x = b.next(y, end, true)
		}
	}
	return out
}

// roomOf is the longest run of free cells in a row.
func (b *board) roomOf(y int) int {
	most := 0
	for x := b.next(y, 0, false); x < b.wide; {
		end := b.next(y, x, true)
		most = max(most, end-x)
		x = b.next(y, end, false)
	}
	return most
}

// fit is the first place in a row, from the left and ending before limit, where a mask meets nothing; -1 if there is
// none. A span that meets a marked cell moves past the last one it meets: it meets that wherever it stands between. The
// span that met one is asked sooner from then on.
func (b *board) fit(m *mask, y, limit int) int {
	for x := 0; x+m.wide <= limit; {
		met := false
		for i, s := range m.spans {
			if p := b.last(y+int(s.row), x+int(s.a), x+int(s.b)); p >= 0 {
				x, met = p+1-int(s.a), true
				if i > 0 {
					m.spans[i], m.spans[i/2] = m.spans[i/2], s
				}
				break
			}
		}
		if !met {
			return x
		}
	}
	return -1
}

// narrow tells that one of a mask's probes finds no room in its row.
func (b *board) narrow(m *mask, y int) bool {
	for _, s := range m.probes {
		if b.room[y+int(s.row)] < int(s.b-s.a) {
			return true
		}
	}
	return false
}

// put marks what a mask covers at a place, and what lies nearer to it than reach.
func (b *board) put(m *mask, x, y int, reach []int, tall int) {
	for _, s := range m.spans {
		for d, r := range reach {
			for _, row := range [2]int{y + int(s.row) - d, y + int(s.row) + d} {
				if row >= 0 && row < tall {
					b.set(row, max(0, x+int(s.a)-r), min(b.wide, x+int(s.b)+r))
				}
			}
		}
	}
	for row := max(0, y-len(reach)+1); row < min(tall, y+m.tall+len(reach)-1); row++ {
		b.room[row] = b.roomOf(row)
	}
}

// How many cells a side of the square has at most, while ways to pack are held against each other and at last.
const (
	coarse = 256
	finest = 1024
)

// manner is a way to pack: which tile goes next, and whether it goes where what is covered so far grows least to the
// right and upward, rather than where its own top comes to lie lowest.
type manner struct {
	by     func(a, b *tile) int
	square bool
}

func byLong(a, b *tile) int { return cmp.Compare(b.long, a.long) }
func byArea(a, b *tile) int { return cmp.Compare(b.area, a.area) }

var manners = []manner{{byLong, false}, {byLong, true}, {byArea, false}, {byArea, true}}

// placed puts tiles on the square at a scale; false when they don't fit.
//
// The square is a board of cells of whole texels. Of each tile the cells that it touches are known, turned in all ways
// that are tried, so that a tile lies in another's hole or bay as well as anywhere. The cost is tiles by ways by rows
// by what stands in a row.
func placed(ctx context.Context, tiles []*tile, k float64, o Options, cells int, how manner) ([]spot, bool) {
	cell := (o.Size + cells - 1) / cells
	side := (o.Size - 2*rim) / cell
	masks := make([][]mask, len(tiles))
	draw := new(board)
	for i, t := range tiles {
		if i&0x3f == 0 && ctx.Err() != nil {
			return nil, false
		}
		masks[i] = make([]mask, len(t.ways))
		for n, w := range t.ways {
			if !t.boxy || n%4 < 2 {
				masks[i][n] = maskOf(t, w, k/float64(cell), draw)
			}
		}
	}
	ground := &board{room: make([]int, side)}
	order := make([]int, len(tiles))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return how.by(tiles[a], tiles[b]) })
	ground.reset(side, side)
	for i := range ground.room {
		ground.room[i] = side
	}
	out, ok := ground.take(ctx, masks, order, how.square, reach(o.Padding, cell))
	if !ok {
		return nil, false
	}
	for i := range out {
		out[i].x, out[i].y = out[i].x*float64(cell)+rim, out[i].y*float64(cell)+rim
	}
	return out, ok
}

// reach is how far to either side a cell keeps others off, in its row and those one, two and so on above or below it.
func reach(padding, cell int) []int {
	out := []int{0}
	for d := 0; ; d++ {
		up := max(0, d-1) * cell
		rest := padding*padding - up*up
		if rest <= 0 {
			return out
		}
		out = append(out[:d], int(math.Ceil(math.Sqrt(float64(rest))/float64(cell))))
	}
}

// take puts masks on the board in order.
func (b *board) take(ctx context.Context, masks [][]mask, order []int, square bool, reach []int) ([]spot, bool) {
	out := make([]spot, len(masks))
	side := b.wide
	last := map[[3]int]int{} // where the last one of that width, height and number of cells found its place
	for n, i := range order {
		if n&0x3f == 0 && ctx.Err() != nil {
			return nil, false
		}
		least, at := math.MaxInt, spot{way: -1}
		for w := range masks[i] {
			m := &masks[i][w]
			if m.wide == 0 || m.wide > side || m.tall > side {
				continue
			}
			like := [3]int{m.wide, m.tall, m.cells}
			from := 0
			if !square {
				from = last[like]
			}
			for y := from; y+m.tall <= side && (y+m.tall)<<20 <= least; y++ {
				if b.narrow(m, y) {
					continue
				}
				limit := side
				if square {
					limit = min(side, least>>20+1)
				}
				x := b.fit(m, y, limit)
				if x < 0 {
					continue
				}
				cost := (y+m.tall)<<20 + x + m.wide
				if square {
					cost = max(x+m.wide, y+m.tall)<<20 + x + m.wide + y + m.tall
				}
				if cost < least {
					least, at = cost, spot{way: w, x: float64(x), y: float64(y)}
				}
				if !square {
					last[like] = y
					break
				}
			}
		}
		if at.way < 0 {
			return nil, false
		}
		out[i] = at
		b.put(&masks[i][at.way], int(at.x), int(at.y), reach, side)
	}
	return out, true
}
