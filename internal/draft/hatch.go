package draft

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html"
	"image"
	"image/color"
	"image/png"
)

// slotHatches are the patterns of slots: whether a pixel of the buffer, two to one of the paper, is a line.
var slotHatches = []func(x, y int) bool{
	func(x, y int) bool { return (x+y)%14 < 2 },
	func(_, y int) bool { return y%12 < 2 },
	func(x, y int) bool { return x%12 < 3 && y%12 < 3 },
	func(x, y int) bool { return (x+y)%18 < 2 || (x-y+1<<20)%18 < 2 },
	func(x, _ int) bool { return x%12 < 2 },
	func(x, y int) bool { return (x-y+1<<20)%14 < 2 },
	func(x, y int) bool { return y%12 < 2 && (x+y/12*9)%18 < 10 },
	func(x, y int) bool { return x%16 < 2 || y%16 < 2 },
	func(x, y int) bool { return (y+abs(x%20-10))%12 < 2 },
	func(x, y int) bool { return x%8 < 2 && (y+x/8%2*4)%8 < 2 },
	func(x, y int) bool { return (x+y)%7 < 2 },
	func(int, int) bool { return false },
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}

// Colours of a hatch: the surface, and its lines.
var (
	hatchPaper = color.NRGBA{0xe9, 0xee, 0xea, 255}
	hatchLine  = color.NRGBA{0x8a, 0x9a, 0x97, 255}
)

// hatchFrom is the first shade of slots: that of the slot of number k is k more, as far as there are
// patterns.
var hatchFrom = uint8(inkShade + 1 + len(densityColors))

// BySlot is the model with each slot hatched in its own way, instead of shaded by light. order gives each
// material, by its number plus one, its place among the patterns. It shares all else. When ctx ends it
// returns early, and what it returns means nothing.
func (m *Model) BySlot(ctx context.Context, order []int) *Model {
	out := *m
	if len(m.slots) != len(m.faces) || ctx.Err() != nil {
		return m
	}
	out.hatched = order
	out.tint = make([]uint8, len(m.faces))
	for f, s := range m.slots {
		k := 0
		if int(s) < len(order) {
			k = max(0, order[s])
		}
		out.tint[f] = uint8(len(densityColors)) + uint8(min(k, maxSpots))
	}
	return &out
}

// maxSpots is how many slots are told apart on a view; all further ones look alike, and have no letter there.
const maxSpots = 64

// Spot is where a slot is widest on a view.
type Spot struct {
	Slot int // its place in the order
	X, Y float64
	Room float64 // of the surface round it, in pixels of the paper
}

// hatch turns the shades of slots into their patterns, and finds where each is widest.
func (s *shot) hatch(v *View) {
	b := s.b
	best := make([]Spot, maxSpots)
	for y := range b.h {
		row := b.shade[y*b.w : (y+1)*b.w]
		for x := 0; x < b.w; {
			sh := row[x]
			if sh < hatchFrom {
				x++
				continue
			}
			end := x
			for end < b.w && row[end] == sh {
				end++
			}
			k, mid := int(sh-hatchFrom), (x+end)/2
			if wide := end - x; k < maxSpots && float64(wide) > best[k].Room {
				up, down := y, y
				for up > 0 && b.shade[(up-1)*b.w+mid] == sh {
					up--
				}
				for down < b.h-1 && b.shade[(down+1)*b.w+mid] == sh {
					down++
				}
				if room := float64(min(wide, down-up)); room > best[k].Room {
					best[k] = Spot{Slot: k, X: float64(mid), Y: float64(up+down) / 2, Room: room}
				}
			}
			x = end
		}
		if y&63 == 0 && s.ctx.Err() != nil {
			return
		}
	}
	for _, p := range best {
		if p.Room > 0 {
			v.Spots = append(v.Spots, Spot{p.Slot, (p.X - margin) / s.k, v.Height - (float64(b.h)-margin-p.Y)/s.k, p.Room / s.k})
		}
	}
	for i, sh := range b.shade {
		if sh >= hatchFrom {
			b.shade[i] = hatchFrom
			if slotHatches[int(sh-hatchFrom)%len(slotHatches)](i%b.w, i/b.w) {
				b.shade[i]++
			}
		}
	}
}

// swatch is a pattern as a small picture within the drawing.
func swatch(k int) string {
	const w, h = 56, 36
	img := image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{hatchPaper, hatchLine})
	for y := range h {
		for x := range w {
			if slotHatches[k%len(slotHatches)](x, y) {
				img.SetColorIndex(x, y, 1)
			}
		}
	}
	var buf bytes.Buffer
	if png.Encode(&buf, img) != nil {
		return ""
	}
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes())
}

// SlotKey is a slot in the legend.
type SlotKey struct{ Letter, Name, Note string }

// SlotLegend is the key to the hatching, with each slot's letter where it is seen best.
type SlotLegend []SlotKey

// Of the legend: rows, what a column takes, and how many letters a name has.
const (
	legendRows   = 3
	legendColumn = 158.0
	legendName   = 15
)

func (list SlotLegend) draw(c *canvas) {
	shown := min(len(list), 3*legendRows)
	if len(list) > shown {
		shown--
	}
	for i, s := range list[:shown] {
		x, y := innerL+14+float64(i/legendRows)*legendColumn, baseY+46+float64(i%legendRows)*27
		fmt.Fprintf(&c.pen, `<g class="slot-key"><image class="swatch" href="%s" x="%.1f" y="%.1f" width="26" height="18"/>`+
			`<rect class="swatch" x="%.1f" y="%.1f" width="26" height="18"/>`, swatch(i), x+15, y, x+15, y)
		c.text("fig slot-letter", x, y+13, s.Letter)
		fmt.Fprintf(&c.pen, `<text class="word slot-name" x="%.1f" y="%.1f"><title>%s</title>%s</text>`, x+46, y+7,
			html.EscapeString(s.Name),
			html.EscapeString(shorten(s.Name, legendName)))
		c.text("fig small-fig", x+46, y+20, s.Note)
		c.WriteString(`</g>`)
		c.take(x+70, y+9, 150, 24)
	}
	if left := len(list) - shown; left > 0 {
		x, y := innerL+14+float64(shown/legendRows)*legendColumn, baseY+46+float64(shown%legendRows)*27
		c.text("word slot-name", x, y+13, fmt.Sprintf("and %d more", left))
	}
	for k, s := range list {
		best, side, ok := Spot{}, Front, false
		for _, at := range sides {
			for _, p := range c.Views[at].Spots {
				if p.Slot == k && (!ok || p.Room > best.Room*1.15) {
					best, side, ok = p, at, true
				}
			}
		}
		if !ok {
			continue
		}
		x, y := c.Layout.corner(side)
		x, y = x+best.X, y-c.Views[side].Height+best.Y
		fmt.Fprintf(&c.pen, `<g class="slot-mark"><rect x="%.1f" y="%.1f" width="14" height="15" rx="2"/>`, x-7, y-8)
		c.text("fig slot-letter mid", x, y+3.5, s.Letter)
		c.WriteString(`</g>`)
		c.take(x, y, 14, 15)
	}
}
