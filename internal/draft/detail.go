package draft

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Detail is a part of the model drawn beside it at a scale of its own, as draughtsmen do where all of it at one scale
// would leave a speck: ringed on the front view, with a letter and its scale.
type Detail struct {
	Letter string
	Box    geom.Box // of the part, in the frame of the paper; metres
	View   View     // of it from the front, at Scale
	Scale  float64  // paper pixels a metre
	ratio  float64
	x, y   float64 // of the middle of its ring
	r      float64
}

// Bounds of a detail: it is worth one where the part has less than speck of the longest extent, and room for a ring of
// leastRing pixels.
const (
	speck     = 0.4
	leastRing = 56.0
	mostRing  = 150.0
)

// NewDetail finds a place for a part, given by its box, where the paper of a layout has room for it: beyond the
// balloons, or above the plan. It is nil where there is none, or where the part is no speck. Its View is left to
// whoever has the part.
func NewDetail(whole, part geom.Box, l Layout) *Detail {
	size := part.Size()
	if part.IsEmpty() || size.Max() > speck*whole.Size().Max() || size.Max() < Least || l.nothing != "" {
		return nil
	}
	var d Detail
	for _, room := range []region{{l.sx - 14, fieldT + 46, fieldR - 6, l.floor - l.h - 46}, // beyond the balloons
		{l.sx - 14 - 2*mostRing, fieldT + 40, fieldR - 6, l.planY - l.d - 46}} { // above the plan
		r := min((room.x1-room.x0)/2, (room.y1-room.y0)/2, mostRing)
		if r > d.r {
			d.r, d.x, d.y = r, room.x1-r, (room.y0+room.y1)/2
		}
	}
	if d.r < leastRing {
		return nil
	}
	half := math.Hypot(size[0], size[1]) / 2
	d.Letter, d.Box, d.ratio = "A", part, niceRatio(1000/(0.86*d.r/half*pixelMM))
	d.Scale = 1000 / (d.ratio * pixelMM)
	if d.Scale < 2*l.Scale {
		return nil
	}
	return &d
}

func (d Detail) draw(c *canvas) {
	l := c.Layout
	// The ring on the front view, as large as what is in it, and never too small to be seen.
	mid := d.Box.Center()
	x, y := l.place(c.Box, Front, mid)
	r := max(11, 1.15*l.Scale*math.Hypot(d.Box.Size()[0], d.Box.Size()[1])/2)
	fmt.Fprintf(&c.pen, `<circle class="detail-ring" cx="%.1f" cy="%.1f" r="%.1f"/>`, x, y, r)
	c.take(x, y, 2*r, 2*r)
	c.label("", "fig detail-name", d.Letter, around(x, y, r)...)
	fmt.Fprintf(&c.pen, `<circle class="detail-ring" cx="%.1f" cy="%.1f" r="%.1f"/>`, d.x, d.y, d.r)
	c.WriteString(d.View.SVG(d.x-d.View.Width/2, d.y+d.View.Height/2))
	c.text("word mid detail-name", d.x, d.y+d.r+18, d.Letter+"   1 : "+figure.Significant(d.ratio, 4))
	c.take(d.x, d.y+9, 2*d.r, 2*d.r+26)
}
