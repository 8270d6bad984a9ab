package draft

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Layer is something drawn over the views. The types of this file are all there are.
// Points and boxes are in metres, in the frame of the paper.
type Layer interface{ draw(c *canvas) }

// sides are the three views in the order layers draw on them.
var sides = [3]Side{Front, RightSide, Plan}

// nameRoom is what the name of a view takes between two extension lines.
const nameRoom = 82

// Dimensions shows width, height and depth; Alarm when the size is wrong.
type Dimensions struct{ Alarm bool }

func (d Dimensions) draw(c *canvas) {
	l, size, class := c.Layout, c.Box.Size(), ""
	if d.Alarm {
		class = "alarm"
	}
	y := max(l.floor, l.groundY) + 32
	for _, v := range []struct{ x, w, is float64 }{{l.fx, l.w, size[0]}, {l.sx, l.d, size[2]}} {
		from := l.floor + 4
		if v.w < nameRoom { // the lines begin below the name of the view
			from = y - 5
		}
		c.dimension(class, v.x, y, v.x+v.w, y, from, from, figure.Length(v.is))
	}
	x := l.fx - 26
	c.dimension(class, x, l.floor, x, l.floor-l.h, l.fx-4, l.fx-4, figure.Length(size[1]))
}

// Facing shows where the front is, on the plan and beside the side view.
type Facing struct{}

func (Facing) draw(c *canvas) {
	l := c.Layout
	x := l.fx + l.w/2
	c.line("facing", x, l.planY+4, x, l.planY+26)
	c.arrow("facing-head", x, l.planY+32, 0, 1)
	var spots []spot
	for _, far := range []float64{9, 24, 40, 60, 90, 130, 170} {
		for _, down := range []float64{26, 40, 12} {
			spots = append(spots, spot{x: x + far, y: l.planY + down}, spot{x: x - far, y: l.planY + down, at: ending})
		}
	}
	c.label("", "word label", "front, "+c.Basis.Forward.String(), spots...)
	// Seen from the right side, the front lies to the left.
	y := l.floor - min(l.h/2, 12)
	c.line("facing", l.sx-6, y, l.sx-26, y)
	c.arrow("facing-head", l.sx-32, y, -1, 0)
}

// marks are those of one sort that a drawing has, by their places in pixels of the paper.
// One where there is one already is not drawn again, nor are more than can be told apart.
type marks map[[4]int]bool

// marksMost is how many of one sort are drawn.
const marksMost = 600

// fits tells whether a mark at a place, or with two corners, is still to be drawn.
func (m marks) fits(at ...float64) bool {
	var k [4]int
	for i, v := range at {
		k[i] = int(math.Round(v))
	}
	if m[k] || len(m) >= marksMost {
		return false
	}
	m[k] = true
	return true
}

// Left is what is left behind: dashed outlines, as far as it is near.
type Left struct{ Boxes []geom.Box }

func (left Left) draw(c *canvas) {
	l, out, drawn := c.Layout, 0, marks{}
	for _, b := range left.Boxes {
		if b.IsEmpty() {
			continue
		}
		near := false
		for _, side := range sides {
			x0, y0 := l.place(c.Box, side, b.Min)
			x1, y1 := l.place(c.Box, side, b.Max)
			x0, x1, y0, y1 = min(x0, x1), max(x0, x1), min(y0, y1), max(y0, y1)
			if x1 < innerL || x0 > innerR || y1 < innerT || y0 > baseY+60 || x1-x0 > 2*paperW || y1-y0 > 2*paperH {
				continue
			}
			x0, x1, y0, y1 = max(x0, innerL+4), min(x1, innerR-4), max(y0, innerT+4), min(y1, baseY+50)
			near = true
			if drawn.fits(x0, y0, x1, y1) {
				c.rect("left-behind", x0, y0, x1-x0, y1-y0)
			}
		}
		if !near {
			out++
		}
	}
	if out > 0 {
		c.text("word label", fieldL+8, baseY+76, figure.Plural(out, "node", "nodes")+" left behind beyond this sheet")
	}
}

// Rule is a measured distance, with its figure at the front view.
type Rule struct {
	From, To geom.Vec3
	Figure   string
}

// draw draws it in each view, as a line with its figure where it is long enough to read
// one.
func (r Rule) draw(c *canvas) {
	for _, side := range sides {
		ax, ay := c.Layout.place(c.Box, side, r.From)
		bx, by := c.Layout.place(c.Box, side, r.To)
		c.WriteString(`<g class="dim measured">`)
		c.line("rule", ax, ay, bx, by)
		fmt.Fprintf(&c.pen, `<circle cx="%.1f" cy="%.1f" r="3.5"/><circle cx="%.1f" cy="%.1f" r="3.5"/>`, ax, ay, bx, by)
		c.WriteString(`</g>`)
		if side == Front && r.Figure != "" {
			var spots []spot
			for _, t := range []float64{.5, .3, .7, .1, .9, 0, 1} {
				spots = append(spots, around(ax+t*(bx-ax), ay+t*(by-ay), 8)[:6]...)
			}
			spots = append(spots, around((ax+bx)/2, (ay+by)/2, 8)[6:]...)
			c.label("dim measured", "fig halo", r.Figure, spots...)
		}
	}
}

// Marker is a named point with a heading: a ring with a tick toward it on the plan.
type Marker struct {
	Name    string
	At      geom.Vec3
	Heading float64 // degrees anticlockwise from above, from the front
}

func (m Marker) draw(c *canvas) {
	for _, side := range sides {
		x, y := c.Layout.place(c.Box, side, m.At)
		if !c.within(side, x, y) {
			continue
		}
		c.WriteString(`<g class="marker">`)
		fmt.Fprintf(&c.pen, `<circle cx="%.1f" cy="%.1f" r="5"/><circle class="pip" cx="%.1f" cy="%.1f" r="1.6"/>`, x, y, x,
			y)
		if side == Plan {
			// The front is downward on the plan; anticlockwise from above is too on paper.
			sin, cos := math.Sincos(m.Heading * math.Pi / 180)
			c.line("tick", x+5*sin, y+5*cos, x+15*sin, y+15*cos)
		}
		c.WriteString(`</g>`)
		c.take(x, y, 12, 12)
		if side == Front {
			c.label("marker", "word halo", shorten(m.Name, 22), around(x, y, 9)...)
		}
	}
}

// Datum is the pivot and where each part has its own, small. A pivot off the paper is
// pointed at, and balloons go there.
type Datum struct {
	At      geom.Vec3
	Heading float64 // degrees anticlockwise from above against the front
	Parts   []geom.Vec3
}

func (d Datum) draw(c *canvas) {
	l := c.Layout
	for _, side := range sides {
		x, y := l.place(c.Box, side, d.At)
		if c.within(side, x, y) {
			if side == Plan && d.Heading != 0 {
				sin, cos := math.Sincos(d.Heading * math.Pi / 180)
				c.line("facing", x+10*sin, y+10*cos, x+28*sin, y+28*cos)
				c.arrow("facing-head", x+34*sin, y+34*cos, sin, cos)
			}
			c.datum(x, y, 9, "")
			c.take(x, y, 19, 19)
			continue
		}
		if side == Front {
			d.pointAt(c, x, y)
		}
	}
	parts := marks{}
	for _, o := range d.Parts {
		for _, side := range sides {
			if x, y := l.place(c.Box, side, o); c.within(side, x, y) && parts.fits(x, y) {
				c.datum(x, y, 4.5, "part")
			}
		}
	}
}

// pointAt draws the pivot beside the front view, with an arrow to where it is.
func (d Datum) pointAt(c *canvas, x, y float64) {
	l := c.Layout
	cx, cy := l.fx+l.w/2, l.floor-l.h/2
	dx, dy := x-cx, y-cy
	n := math.Hypot(dx, dy)
	dx, dy = dx/n, dy/n
	px := min(max(cx+dx*(l.w/2+34), innerL+30), innerR-60)
	py := min(max(cy+dy*(l.h/2+34), innerT+30), baseY+30)
	c.offX, c.offY, c.off = px, py, true
	c.datum(px, py, 9, "off")
	c.line("leader", px+dx*13, py+dy*13, px+dx*30, py+dy*30)
	c.arrow("leader-head", px+dx*36, py+dy*36, dx, dy)
	c.take(px, py, 19, 19)
	c.label("", "fig known-fig", "pivot "+figure.Length(c.Box.Distance(d.At))+" off",
		append([]spot{{x: px, y: py + 26, at: middle},
			{x: px, y: py - 16, at: middle}, {x: px + 16, y: py + 4}, {x: px - 16, y: py + 4, at: ending}},
			around(px, py, 16)...)...)
}

// seatApart is how far apart the rings of seats are at least, in pixels of the paper.
const seatApart = 12.0

// Seats are the points of the box where the pivot can be seated. A click on a view
// chooses in its plane and leaves the third direction as it is in Now: right, up and
// forward, -1, 0 or 1.
type Seats struct{ Now [3]int }

func (s Seats) draw(c *canvas) {
	mid, half := c.Box.Center(), c.Box.Size().Mul(0.5)
	for _, side := range sides {
		for a := -1; a <= 1; a++ {
			for b := -1; b <= 1; b++ {
				at := s.Now
				switch side {
				case Front:
					at[0], at[1] = -a, b
				case RightSide:
					at[2], at[1] = -a, b
				case Plan:
					at[0], at[2] = -a, -b
				}
				x, y := c.Layout.place(c.Box, side, mid)
				// On something thin the rings stand farther apart than its sides do.
				u, v, _ := side.project(half)
				x += float64(a) * max(math.Abs(u)*c.Layout.Scale, seatApart)
				y -= float64(b) * max(math.Abs(v)*c.Layout.Scale, seatApart)
				c.take(x, y, 11, 11)
				fmt.Fprintf(&c.pen, `<a class="seat" href="#seat" tabindex="-1" data-box="%d,%d,%d" aria-label="Seat the pivot`+
					` here">`+
					`<circle class="hit" cx="%.1f" cy="%.1f" r="11"/><circle cx="%.1f" cy="%.1f" r="4.5"/></a>`,
					at[0], at[1], at[2], x, y, x, y)
			}
		}
	}
}

// within tells whether a place belongs to a view and its surroundings.
func (c *canvas) within(side Side, x, y float64) bool {
	l := c.Layout
	const m = 26
	x0, x1, y0, y1 := l.fx, l.fx+l.w, l.floor-l.h, max(l.floor, l.groundY)
	switch side {
	case RightSide:
		x0, x1 = l.sx, l.sx+l.d
	case Plan:
		y0, y1 = l.planY-l.d, l.planY
	}
	return x >= x0-m && x <= x1+m && y >= y0-m && y <= y1+m
}
