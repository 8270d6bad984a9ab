package draft

import (
	"fmt"
	"html"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Stood is an asset as somebody has it: its front, and where it stands about the origin.
type Stood struct {
	Box   geom.Box // in the frame of the paper; metres
	Scale float64  // paper pixels a metre
	View  View     // of the box at that scale
}

// Arrival is a sheet that sets an asset as it came beside the asset as it leaves, with what arrived over it. Each
// stands on the ground of its receiver, at the height of its origin.
type Arrival struct {
	Asset, Kit string
	Revision   int
	Receiver   string // whose rules count
	Came, Left Stood
	CameWords  []string // how it stands otherwise than it leaves; none where it stands the same
	Arrived    *Stood   // what was read back, at the scale of what leaves; nil where nothing was sent
	Words      string   // what there is to say of what arrived
	Alarm      bool     // and that it is nothing good

	thing known // stands beside what leaves
}

// Places on the paper of an arrival.
const (
	arrivalSplit = 300.0 // between the two
	arrivalH     = 470.0 // of the paper: a table stands below it on the page
	arrivalBase  = 344.0
	arrivalHigh  = 244.0 // for what stands there
	arrivalTop   = 86.0
	cameWide     = 216.0
	leftWide     = 470.0
	thingGap     = 46.0
)

// NewArrival lays out a sheet for what came and what leaves, by their boxes: it gives both their scales. They are one
// where both can be seen at it.
func NewArrival(came, left geom.Box) *Arrival {
	a := &Arrival{Came: Stood{Box: came}, Left: Stood{Box: left}}
	things := beside(left.Size().Max(), 0)
	a.thing = things[0]
	z := left.Size()
	a.Left.Scale = min((leftWide-thingGap)/(max(z[0], Least)+a.thing.w), arrivalHigh/max(z[1], a.thing.h, Least))
	a.Came.Scale = a.Left.Scale
	z = came.Size()
	own := min(cameWide/max(z[0], Least), arrivalHigh/max(z[1], Least))
	switch at := a.Left.Scale; {
	case own < at && own > 0.5*at: // a little smaller, both are seen as they are to one another
		a.Left.Scale, a.Came.Scale = own, own
	case own < at, max(z[0], z[1])*at < 24:
		a.Came.Scale = own
	}
	return a
}

// Draw puts the sheet together.
func (a *Arrival) Draw() Drawn {
	c := &canvas{Drawing: &Drawing{Asset: a.Asset, Kit: a.Kit, Revision: a.Revision}}
	fmt.Fprintf(&c.pen, `<svg class="drawing arrival" viewBox="0 0 %.0f %.0f" preserveAspectRatio="xMidYMid" role="img"`+
		` aria-label="%s">`, paperW, arrivalH, html.EscapeString(a.describe()))
	c.borderTo(arrivalH)
	c.line("centre", arrivalSplit, 44, arrivalSplit, arrivalH-34)
	c.pen.text("word ladder-title", 44, 52, "As it came")
	c.pen.text("word under", 44, 70, "by this target’s rules, nothing decided")
	right := arrivalSplit + 20
	if a.Arrived == nil {
		c.pen.text("word ladder-title", right, 52, "As it leaves")
		c.pen.text("word under", right, 70, "for "+shorten(a.Receiver, 40))
	} else {
		c.pen.text("word ladder-title", right, 52, "As it leaves, and as it arrived")
		c.pen.text("word under", right, 70, "ink: what leaves · blue: read back from the file, for "+shorten(a.Receiver, 22))
	}
	a.came(c)
	a.left(c)
	a.title(c)
	c.WriteString(`</svg>`)
	return Drawn{SVG: c.String(), Zones: map[int]string{}}
}

// came draws what came, and says what is the matter with it.
func (a *Arrival) came(c *canvas) {
	const mid = (innerL + 12 + arrivalSplit) / 2
	ox, oy := c.stand(a.Came, mid, innerL+14, arrivalSplit-14)
	c.placed(a.Came, ox, oy)
	c.origin(a.Came, ox, oy, innerL+14, arrivalSplit-14)
	words := a.CameWords
	if len(words) == 0 {
		words = []string{"stands as it leaves"}
	}
	y := 380.0
	for _, w := range words[:min(3, len(words))] {
		c.pen.text(map[bool]string{true: "fig must-text mid", false: "fig under mid"}[len(a.CameWords) > 0], mid, y, w)
		y += 17
	}
	if r := a.Came.Scale / a.Left.Scale; math.Abs(r-1) > 1e-6 && !a.Came.Box.IsEmpty() && !a.Left.Box.IsEmpty() {
		c.pen.text("word under mid", mid, y, "drawn at × "+figure.Significant(r, 2)+" of the scale beside it")
	}
}

// left draws what leaves with something everybody knows beside it, and what arrived over it.
func (a *Arrival) left(c *canvas) {
	const from, to = arrivalSplit + 14, innerR - 14
	const mid = (from + to) / 2
	beside := a.thing.w*a.Left.Scale + thingGap
	ox, oy := c.stand(a.Left, mid+beside/2, from, to)
	c.placed(a.Left, ox, oy)
	if !a.Left.Box.IsEmpty() {
		x := ox + a.Left.Box.Min[0]*a.Left.Scale - beside
		y := oy - a.Left.Box.Min[1]*a.Left.Scale // beside it where its ground is beyond the paper
		if oy >= arrivalTop && oy <= arrivalBase+1 {
			y = oy
		}
		a.thing.shape(&c.pen, x, y, a.Left.Scale)
		c.pen.text("word known-name mid", x+a.thing.w*a.Left.Scale/2, y+22, a.thing.name)
		c.pen.text("fig known-fig mid", x+a.thing.w*a.Left.Scale/2, y+36, a.thing.figure)
	}
	if b := a.Arrived; b != nil && !b.Box.IsEmpty() {
		fmt.Fprintf(&c.pen, `<clipPath id="arrival-half"><rect x="%.0f" y="76" width="%.0f" height="300"/></clipPath>`+
			`<g clip-path="url(#arrival-half)"><path class="read-back" transform="translate(%.2f %.2f)" d="%s"/></g>`,
			from, to-from, ox+b.Box.Min[0]*b.Scale, oy-b.Box.Max[1]*b.Scale, b.View.Path)
	}
	c.origin(a.Left, ox, oy, from, to)
	if a.Words != "" {
		class := "fig read-back-word"
		if a.Alarm {
			class = "fig must-text"
		}
		c.pen.text(class, from+6, 396, a.Words)
	}
}

// stand draws the ground of what stands with the middle of its box at x, and gives where its origin is. The asset is
// always on the paper; an origin far off it is beyond it, and so is its ground.
func (c *canvas) stand(s Stood, x, x0, x1 float64) (ox, oy float64) {
	low, room := 0.0, 0.0
	if !s.Box.IsEmpty() {
		low, room = s.Box.Min[1]*s.Scale, arrivalHigh-s.Box.Size()[1]*s.Scale
	}
	oy = arrivalBase - min(max(low, 0), max(room, 0)) + low
	if oy >= arrivalTop && oy <= arrivalBase+1 {
		c.ground(x0, x1, oy)
	}
	if s.Box.IsEmpty() {
		c.pen.text("word under mid", x, oy-40, "nothing to draw")
		return x, oy
	}
	return x - (s.Box.Min[0]+s.Box.Max[0])/2*s.Scale, oy
}

// placed draws one with its origin at a place.
func (c *canvas) placed(s Stood, ox, oy float64) {
	if !s.Box.IsEmpty() {
		c.WriteString(s.View.SVG(ox+s.Box.Min[0]*s.Scale, oy-s.Box.Min[1]*s.Scale))
	}
}

// origin draws the pivot, or points at it where it is beyond its half of the paper.
func (c *canvas) origin(s Stood, ox, oy, x0, x1 float64) {
	x, y := min(max(ox, x0+14), x1-14), min(max(oy, arrivalTop), arrivalBase)
	c.datum(x, y, 9, "")
	if dx, dy := ox-x, oy-y; dx != 0 || dy != 0 {
		n := math.Hypot(dx, dy)
		c.arrow("leader-head", x+dx/n*22, y+dy/n*22, dx/n, dy/n)
	}
}

// title is the title block.
func (a *Arrival) title(c *canvas) {
	const w, h = titleW, 44.0
	x, y := innerR-w, arrivalH-24-h
	c.rect("title-block", x, y, w, h)
	c.pen.text("title-name", x+9, y+18, shorten(a.Asset, 24))
	c.pen.text("word title-kit end", x+w-9, y+18, shorten(a.Kit, max(10, 46-len([]rune(a.Asset))*4/3)))
	c.pen.text("fig title-val", x+9, y+36, fmt.Sprintf("Rev. %d", a.Revision))
	z := a.Left.Box.Size()
	if !a.Left.Box.IsEmpty() {
		c.pen.text("fig title-val end", x+w-9, y+36, fmt.Sprintf("%s × %s × %s", figure.Length(z[0]), figure.Length(z[1]),
			figure.Length(z[2])))
	}
}

func (a *Arrival) describe() string {
	s := fmt.Sprintf("%s as it came and as it leaves", a.Asset)
	for _, w := range a.CameWords {
		s += "; it came " + w
	}
	if a.Words != "" {
		s += "; " + a.Words
	}
	return s
}

// NewSmall lays out a small drawing, w by h pixels, of what stands on its ground with something everybody knows beside
// it.
func NewSmall(box geom.Box, w, h float64) *Small {
	s := &Small{Stood: Stood{Box: box}, thing: beside(box.Size().Max(), 0)[0]}
	z := box.Size()
	s.Scale = min((w-72)/(max(z[0], Least)+s.thing.w), (h-36)/max(z[1], s.thing.h, Least))
	return s
}

// Small is such a drawing; its View is set before it is drawn.
type Small struct {
	Stood
	thing known
}

// Draw puts it together.
func (s *Small) Draw(w, h float64) string {
	c := &canvas{Drawing: &Drawing{}}
	fmt.Fprintf(&c.pen, `<svg class="drawing small-came" viewBox="0 0 %.0f %.0f" aria-hidden="true">`, w, h)
	y := h - 20
	wide, own := s.thing.w*s.Scale, (s.Box.Max[0]-s.Box.Min[0])*s.Scale
	x := (w - wide - 24 - own) / 2
	c.ground(6, w-6, y)
	s.thing.shape(&c.pen, x, y, s.Scale)
	left := x + wide + 24
	c.WriteString(s.View.SVG(left, y))
	ox, oy := left-s.Box.Min[0]*s.Scale, y+s.Box.Min[1]*s.Scale
	if ox > 12 && ox < w-12 && oy > 12 && oy < h-8 {
		c.datum(ox, oy, 7, "")
	}
	c.WriteString(`</svg>`)
	return c.String()
}
