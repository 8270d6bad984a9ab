package draft

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"

	"yarvek/core/measure/uv"
)

// Of the picture of a UV layout, in pixels: its side, and how much of the plane it shows at most
// around the unit square.
const (
	uvSide  = 720
	uvLeast = -1.0
	uvMost  = 2.0
)

// UVSheet draws how triangles lie on the UV plane, as a PNG: what is covered once is blue, what
// is covered more than once by triangles of one list is hatched, what lies outside the unit
// square is sand, and sides that only one triangle has are drawn. When ctx ends it returns
// early. The error is ctx's.
func UVSheet(ctx context.Context, lists [][]uv.Triangle) ([]byte, error) {
	s := newUVSheet(lists)
	edges := map[[4]float32]int{}
	steps := 0
	for _, list := range lists {
		clear(s.count)
		for i, t := range list {
			if i&0x3ff == 0 && ctx.Err() != nil {
				return nil, ctx.Err()
			}
			var q [3][2]float64
			for c, p := range t {
				q[c][0], q[c][1] = s.at(p)
			}
			if steps += s.fill(q); steps > fillSteps {
				break
			}
			if len(list) > 200_000 {
				continue // sides would hide everything
			}
			for c := range 3 {
				a, b := t[c], t[(c+1)%3]
				if a[0] > b[0] || a[0] == b[0] && a[1] > b[1] {
					a, b = b, a
				}
				edges[[4]float32{float32(a[0]), float32(a[1]), float32(b[0]), float32(b[1])}]++
			}
		}
		for i, n := range s.count {
			s.most[i] = max(s.most[i], n)
		}
	}
	img := s.painted()
	for e, n := range edges { // drawn in one colour: their order does not matter
		if n == 1 {
			s.line(img, [2]float64{float64(e[0]), float64(e[1])}, [2]float64{float64(e[2]), float64(e[3])}, 4)
		}
	}
	for _, e := range [4][2][2]float64{{{0, 0}, {1, 0}}, {{1, 0}, {1, 1}}, {{1, 1}, {0, 1}}, {{0, 1}, {0, 0}}} {
		s.line(img, e[0], e[1], 6)
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return nil, err
	}
	return buf.Bytes(), ctx.Err()
}

// newUVSheet is a sheet with room for the unit square and for all that triangles cover, as far as a sheet goes.
func newUVSheet(lists [][]uv.Triangle) *uvSheet {
	s := &uvSheet{most: make([]uint8, uvSide*uvSide), count: make([]uint8, uvSide*uvSide), high: 1}
	for _, list := range lists {
		for _, t := range list {
			for _, p := range t {
				for _, v := range p {
					if v-v == 0 {
						s.low, s.high = min(s.low, v), max(s.high, v)
					}
				}
			}
		}
	}
	s.low, s.high = max(s.low, uvLeast)-0.04, min(s.high, uvMost)+0.04
	s.k = uvSide / (s.high - s.low)
	return s
}

// at is where a place of the plane lies on the sheet, in pixels from its top left.
func (s *uvSheet) at(p [2]float64) (x, y float64) { return (p[0] - s.low) * s.k, (s.high - p[1]) * s.k }

// line draws a line between two places of the plane.
func (s *uvSheet) line(img *image.Paletted, a, b [2]float64, c uint8) {
	ax, ay := s.at(a)
	bx, by := s.at(b)
	ruled(img, ax, ay, bx, by, c)
}

// painted is the sheet with what is covered.
func (s *uvSheet) painted() *image.Paletted {
	img := image.NewPaletted(image.Rect(0, 0, uvSide, uvSide), uvPalette)
	in := func(x, y int) bool {
		u, v := s.low+(float64(x)+0.5)/s.k, s.high-(float64(y)+0.5)/s.k
		return u >= 0 && u <= 1 && v >= 0 && v <= 1
	}
	for y := range uvSide {
		for x := range uvSide {
			c := uint8(0)
			switch n := s.most[y*uvSide+x]; {
			case n > 1 && (x+y)%8 < 3:
				c = 3
			case n > 0 && !in(x, y):
				c = 2
			case n > 0:
				c = 1
			case in(x, y):
				c = 5
			}
			img.Pix[y*uvSide+x] = c
		}
	}
	return img
}

// uvPalette: paper, covered, outside, overlap, sides, the empty square, its frame.
var uvPalette = color.Palette{color.NRGBA{0xfb, 0xfc, 0xf8, 255}, color.NRGBA{0xc9, 0xd9, 0xf2, 255},
	color.NRGBA{0xf3, 0xdd, 0x9a, 255},
	color.NRGBA{0xbf, 0x36, 0x1c, 255}, color.NRGBA{0x1f, 0x4f, 0xbf, 255}, color.NRGBA{0xff, 0xff, 0xff, 255},
	color.NRGBA{0x16, 0x23, 0x2b, 255}}

// uvSheet counts how often pixels are covered. It shows the plane from low to high both ways, k pixels a unit.
type uvSheet struct {
	most, count  []uint8
	low, high, k float64
}

// fill counts a triangle's pixels by the middle of each, and tells how many it tried.
func (s *uvSheet) fill(q [3][2]float64) int {
	low, high := min(q[0][1], q[1][1], q[2][1]), max(q[0][1], q[1][1], q[2][1])
	if !(high > -1 && low < uvSide) {
		return 1
	}
	y0, y1 := max(0, int(math.Ceil(low-0.5))), min(uvSide-1, int(math.Floor(high-0.5)))
	tried := 4
	for y := y0; y <= y1; y++ {
		a, b := uv.Triangle(q).Crossed(float64(y) + 0.5)
		x0, x1 := max(0, math.Ceil(a-0.5)), min(uvSide-1, math.Ceil(b-0.5)-1)
		for x := x0; x <= x1; x++ {
			if i := y*uvSide + int(x); s.count[i] < 255 {
				s.count[i]++
			}
			tried++
		}
	}
	return tried
}

// ruled draws a line of one pixel, within the picture.
func ruled(img *image.Paletted, ax, ay, bx, by float64, c uint8) {
	n := math.Ceil(max(math.Abs(bx-ax), math.Abs(by-ay), 1))
	if !(n < 8*uvSide) {
		return
	}
	for i := 0.0; i <= n; i++ {
		x, y := int(ax+(bx-ax)*i/n), int(ay+(by-ay)*i/n)
		if x >= 0 && x < uvSide && y >= 0 && y < uvSide {
			img.Pix[y*uvSide+x] = c
		}
	}
}
