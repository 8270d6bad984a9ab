package texture

import (
	"context"
	"fmt"
	"image"
	"slices"

	"yarvek/core/picture"
	"yarvek/core/scene"
)

// Rect is a place on a sheet, in texels from its top left.
type Rect struct {
	X int `json:"x"`
	Y int `json:"y"`
	W int `json:"w"`
	H int `json:"h"`
}

// Piece is what lies on one place of a sheet.
type Piece struct {
	Rect
	Of    int      `json:"of"`             // of the pictures that go in, -1 for one value all over
	Value [4]uint8 `json:"value"`          // that value
	Sort  Sort     `json:"sort,omitempty"` // as which it is made larger or smaller
	// By multiplies what the picture holds: colours as light, numbers as they are. Zero is one.
	By [4]float64 `json:"by,omitzero"`
	// Full has its alpha be full, whatever the picture's is; Green turns that.
	Full  bool `json:"full,omitempty"`
	Green bool `json:"green,omitempty"`
	// Channels are where red, green and blue come from, of the pictures that go in, instead of Of.
	Channels *[3]Channel `json:"channels,omitempty"`
}

// Sheet is several pictures side by side. Each piece fills its place but for Padding texels along all its
// sides, which its edge runs on into, so that no mip down to a texel of that width mixes two pieces.
type Sheet struct {
	W       int      `json:"w"`
	H       int      `json:"h"`
	Padding int      `json:"padding"`
	Behind  [4]uint8 `json:"behind"` // where there is no piece
	Pieces  []Piece  `json:"pieces"`
	// Spread has the colours of each piece run on beneath its clear texels: in smaller mips these count too.
	Spread bool `json:"spread,omitempty"`
}

// Inner is the place of a piece without its padding.
func (s Sheet) Inner(r Rect) Rect {
	p := min(s.Padding, (min(r.W, r.H)-1)/2)
	return Rect{r.X + p, r.Y + p, r.W - 2*p, r.H - 2*p}
}

// paint makes it; each picture is opened once, and one at a time.
func (s Sheet) paint(ctx context.Context, in [][]byte) (*image.NRGBA, error) {
	if s.W <= 0 || s.H <= 0 || s.W*s.H > picture.MaxPixels {
		return nil, fmt.Errorf("a sheet of %d × %d texels can't be made", s.W, s.H)
	}
	out := image.NewNRGBA(image.Rect(0, 0, s.W, s.H))
	fill(out, Rect{0, 0, s.W, s.H}, s.Behind)
	for _, p := range s.Pieces {
		if p.Of >= len(in) || p.X < 0 || p.Y < 0 || p.X+p.W > s.W || p.Y+p.H > s.H || p.W < 1 || p.H < 1 {
			return nil, fmt.Errorf("a piece of the sheet lies beyond it")
		}
		if p.Of < 0 {
			fill(out, p.Rect, p.Value)
		}
	}
	for n, data := range in {
		if !slices.ContainsFunc(s.Pieces, func(p Piece) bool { return p.asks(n) }) {
			continue
		}
		img, _, err := picture.Open(data)
		if err != nil {
			return nil, err
		}
		for _, p := range s.Pieces {
			if p.asks(n) {
				s.place(ctx, out, img, p, n)
			}
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if s.Spread {
		for _, p := range s.Pieces {
			spread(out, p.Rect)
		}
	}
	return out, nil
}

// spread gives clear texels of a place the colours of the nearest that are not, ring by ring: the mean of those
// neighbours that have one. Their alpha stays.
func spread(img *image.NRGBA, r Rect) {
	known := make([]bool, r.W*r.H)
	at := func(i int) []uint8 { return img.Pix[(r.Y+i/r.W)*img.Stride+4*(r.X+i%r.W):] }
	var ring []int
	for i := range known {
		known[i] = at(i)[3] > 0
	}
	around := func(i int, f func(j int)) {
		x, y := i%r.W, i/r.W
		for dy := max(0, y-1); dy <= min(r.H-1, y+1); dy++ {
			for dx := max(0, x-1); dx <= min(r.W-1, x+1); dx++ {
				if j := dy*r.W + dx; j != i {
					f(j)
				}
			}
		}
	}
	queued := make([]bool, len(known))
	reach := func(i int) {
		around(i, func(j int) {
			if !known[j] && !queued[j] {
				queued[j] = true
				ring = append(ring, j)
			}
		})
	}
	for i, k := range known {
		if k {
			reach(i)
		}
	}
	for len(ring) > 0 {
		now := ring
		ring = nil
		for _, i := range now {
			var sum [3]int
			n := 0
			around(i, func(j int) {
				if known[j] {
					q := at(j)
					sum, n = [3]int{sum[0] + int(q[0]), sum[1] + int(q[1]), sum[2] + int(q[2])}, n+1
				}
			})
			q := at(i)
			for k := range 3 {
				q[k] = uint8((sum[k] + n/2) / max(n, 1))
			}
		}
		for _, i := range now {
			known[i] = true
		}
		for _, i := range now {
			reach(i)
		}
	}
}

// asks tells whether a piece needs the nth picture.
func (p Piece) asks(n int) bool {
	if p.Channels == nil {
		return p.Of == n
	}
	return slices.ContainsFunc(p.Channels[:], func(c Channel) bool { return c.Of == n })
}

// place puts the nth picture into the inside of its place, and lets its edge run on.
func (s Sheet) place(ctx context.Context, out, img *image.NRGBA, p Piece, n int) {
	r := s.Inner(p.Rect)
	if img.Bounds().Dx() != r.W || img.Bounds().Dy() != r.H {
		img = Resized(ctx, img, r.W, r.H, p.Sort)
	}
	by := p.By
	light := p.Sort == Colours || p.Sort == Tints
	var table [4][256]uint8
	for k := range 4 {
		for v := range 256 {
			f := float64(v) / 255
			switch {
			case by == [4]float64{}:
			case light && k < 3:
				f = scene.Shown(min(1, scene.Linear(f)*by[k]))
			default:
				f = min(1, f*by[k])
			}
			if p.Green && k == 1 {
				f = 1 - f
			}
			if p.Full && k == 3 {
				f = 1
			}
			table[k][v] = uint8(255*f + 0.5)
		}
	}
	for y := p.Y; y < p.Y+p.H; y++ {
		from := img.Pix[min(max(y-r.Y, 0), r.H-1)*img.Stride:]
		to := out.Pix[y*out.Stride:]
		for x := p.X; x < p.X+p.W; x++ {
			q := from[4*min(max(x-r.X, 0), r.W-1):]
			if p.Channels == nil {
				for k := range 4 {
					to[4*x+k] = table[k][q[k]]
				}
				continue
			}
			for k, c := range p.Channels {
				if c.Of == n {
					to[4*x+k] = table[k][c.take(q)]
				}
			}
		}
	}
}

func fill(img *image.NRGBA, r Rect, v [4]uint8) {
	for y := r.Y; y < r.Y+r.H; y++ {
		for x := r.X; x < r.X+r.W; x++ {
			copy(img.Pix[y*img.Stride+4*x:], v[:])
		}
	}
}

// Layout is places on a sheet.
type Layout struct {
	W, H   int
	Places []Rect // in the order they were asked for
	Fill   float64
}

// LayOut finds places for pieces whose sides are powers of two, on the smallest sheet whose sides are
// powers of two and no more than most. Larger ones go first, each into the free place it leaves least of,
// and what is left of that is cut in two (Jylänki 2010, "A thousand ways to pack the bin", the guillotine
// algorithm), in several orders and with several cuts until all fit. What is left over goes to the pieces
// with grow: the one with the fewest texels for what it asked for doubles a side as long as all still fit.
// It is false when they don't fit.
func LayOut(sizes [][2]int, most int, grow bool) (Layout, bool) {
	area := 0
	for _, s := range sizes {
		area += s[0] * s[1]
	}
	for total := 1; total <= most*most; total *= 2 {
		if total < area {
			continue
		}
		// Of the sheets of that area the squarest first.
		for w := 1; w <= most; w *= 2 {
			h := total / w
			if w < h || h < 1 || w > most || w > 4*h {
				continue
			}
			places, ok := placed(sizes, w, h)
			if !ok {
				continue
			}
			l := Layout{W: w, H: h, Places: places}
			if grow {
				l = l.grown(sizes)
			}
			used := 0
			for _, p := range l.Places {
				used += p.W * p.H
			}
			l.Fill = float64(used) / float64(w*h)
			return l, true
		}
	}
	return Layout{}, false
}

// grown gives what is left over to pieces.
func (l Layout) grown(asked [][2]int) Layout {
	sizes := slices.Clone(asked)
	stuck := make([]bool, len(sizes))
	for {
		best, share := -1, 0.0
		for i, s := range sizes {
			k := float64(s[0]*s[1]) / float64(asked[i][0]*asked[i][1])
			if !stuck[i] && (best < 0 || k < share || k == share && s[0]*s[1] > sizes[best][0]*sizes[best][1]) {
				best, share = i, k
			}
		}
		if best < 0 {
			return l
		}
		stuck[best] = true
		for axis := range 2 {
			more := slices.Clone(sizes)
			if s := sizes[best]; s[0] > s[1] { // the shorter side first
				axis = 1 - axis
			}
			more[best][axis] *= 2
			if places, ok := placed(more, l.W, l.H); ok {
				sizes, l.Places, stuck[best] = more, places, false
				break
			}
		}
	}
}

// cuts are the ways in which what is left of a free place is divided: whether what is right of the piece
// keeps the whole height, of what is left to the right and below.
var cuts = [...]func(right, below int) bool{
	func(right, below int) bool { return right > below }, // the longer rest stays whole
	func(right, below int) bool { return right >= below },
	func(int, int) bool { return true },
	func(int, int) bool { return false },
}

// orders are the ways in which pieces follow one another: what is largest comes first.
var orders = [...]func(size [2]int) int{
	func(s [2]int) int { return max(s[0], s[1])*65536 + min(s[0], s[1]) },
	func(s [2]int) int { return s[0]*65536 + s[1] },
	func(s [2]int) int { return s[1]*65536 + s[0] },
	func(s [2]int) int { return s[0] * s[1] },
}

// placed finds places on a sheet in the first order and with the first cut by which all fit.
func placed(sizes [][2]int, w, h int) ([]Rect, bool) {
	area := 0
	for _, s := range sizes {
		area += s[0] * s[1]
		if s[0] > w || s[1] > h || s[0] < 1 || s[1] < 1 {
			return nil, false
		}
	}
	if area > w*h {
		return nil, false
	}
	order := make([]int, len(sizes))
	for _, large := range orders {
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(a, b int) int { return large(sizes[b]) - large(sizes[a]) })
		for _, whole := range cuts {
			if places, ok := placedBy(sizes, order, w, h, whole); ok {
				return places, true
			}
		}
	}
	return nil, false
}

// placedBy finds places in one order, with one way of cutting.
func placedBy(sizes [][2]int, order []int, w, h int, whole func(right, below int) bool) ([]Rect, bool) {
	free := []Rect{{0, 0, w, h}}
	places := make([]Rect, len(sizes))
	for _, i := range order {
		s := sizes[i]
		best, least := -1, 0
		for k, f := range free {
			if f.W < s[0] || f.H < s[1] {
				continue
			}
			if rest := f.W*f.H - s[0]*s[1]; best < 0 || rest < least {
				best, least = k, rest
			}
		}
		if best < 0 {
			return nil, false
		}
		f := free[best]
		free = slices.Delete(free, best, best+1)
		places[i] = Rect{f.X, f.Y, s[0], s[1]}
		right, below := f.W-s[0], f.H-s[1]
		if whole(right, below) {
			free = append(free, Rect{f.X + s[0], f.Y, right, f.H}, Rect{f.X, f.Y + s[1], s[0], below})
		} else {
			free = append(free, Rect{f.X, f.Y + s[1], f.W, below}, Rect{f.X + s[0], f.Y, right, s[1]})
		}
		free = slices.DeleteFunc(free, func(r Rect) bool { return r.W == 0 || r.H == 0 })
	}
	return places, true
}
