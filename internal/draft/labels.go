package draft

import (
	"fmt"
	"html"
	"math"
	"strings"
	"unicode/utf8"
)

// Labels go where they are clear of lines and of one another. What has its place is kept
// account of as it is drawn; labels are placed after it, each at the first of its spots
// that is free. Figures are wider than words, and on a narrow screen all type is larger:
// room is kept for that.
const (
	figureAdvance = 8.5 // pixels of the paper a letter, at most
	wordAdvance   = 7.4
	capHeight     = 12
	descent       = 4
)

// anchor is which end of a text its spot is.
type anchor int

const (
	begins anchor = iota
	middle
	ending
)

// spot is where a label can go; y is that of its baseline. An upright one reads from below
// and has its baseline at x.
type spot struct {
	x, y    float64
	at      anchor
	upright bool
	leader  *[2]float64 // from where a line goes to it, nil for none
}

// region is a rectangle of the paper.
type region struct{ x0, y0, x1, y1 float64 }

// stroke is a line that labels keep clear of.
type stroke struct{ x0, y0, x1, y1 float64 }

// label is a text that waits for its place.
type label struct {
	class string
	s     string
	spots []spot
	group string // class of the group it is drawn in, "" for none
}

// account is what of the paper is taken.
type account struct {
	regions []region
	strokes []stroke
	waiting []label
}

// kept are the classes of lines that labels keep clear of.
var kept = map[string]bool{"ground": true, "rule": true, "ext": true, "facing": true, "centre": true, "axis": true,
	"leader": true}

// line draws a straight line and keeps account of it.
func (c *canvas) line(class string, x0, y0, x1, y1 float64) {
	c.pen.line(class, x0, y0, x1, y1)
	if kept[class] {
		c.strokes = append(c.strokes, stroke{x0, y0, x1, y1})
	}
}

// text writes s where it has to stand, and keeps account of it; see [pen.text].
func (c *canvas) text(class string, x, y float64, s string) {
	c.pen.text(class, x, y, s)
	at := begins
	switch {
	case hasClass(class, "mid"):
		at = middle
	case hasClass(class, "end"):
		at = ending
	}
	c.regions = append(c.regions, spot{x: x, y: y, at: at}.of(class, s))
}

// take keeps labels clear of a rectangle about a place.
func (c *canvas) take(x, y, w, h float64) {
	c.regions = append(c.regions, region{x - w/2, y - h/2, x + w/2, y + h/2})
}

// label writes s at the first of its spots that is free, once all else is drawn.
func (c *canvas) label(group, class, s string, spots ...spot) {
	c.waiting = append(c.waiting, label{class, s, spots, group})
}

// around are the spots beside a place, r pixels from it: to the right and left, above and
// below; then lines farther up and down, with a leader.
func around(x, y, r float64) []spot {
	list := []spot{{x: x + r, y: y - r + 2}, {x: x - r, y: y - r + 2, at: ending}, {x: x + r, y: y + r + 8},
		{x: x - r, y: y + r + 8, at: ending},
		{x: x, y: y - r - 4, at: middle}, {x: x, y: y + r + 14, at: middle}}
	for step := 1.; step <= 8; step++ {
		for _, way := range []float64{-1, 1} {
			for _, side := range []float64{24, -24, 70, -70, 120, -120} {
				s := spot{x: x + side + math.Copysign(r, side), y: y + way*(r+17*step), leader: &[2]float64{x, y}}
				if side < 0 {
					s.at = ending
				}
				list = append(list, s)
			}
		}
	}
	return list
}

// of is the rectangle a text takes at a spot.
func (p spot) of(class, s string) region {
	w := float64(utf8.RuneCountInString(s)) * wordAdvance
	if hasClass(class, "fig") {
		w = float64(utf8.RuneCountInString(s)) * figureAdvance
	}
	back := 0. // from the spot to where it begins
	switch p.at {
	case middle:
		back = w / 2
	case ending:
		back = w
	}
	if p.upright {
		return region{p.x - capHeight, p.y - w + back, p.x + descent, p.y + back}
	}
	return region{p.x - back, p.y - capHeight, p.x - back + w, p.y + descent}
}

// placeLabels puts every waiting label in its place.
func (c *canvas) placeLabels() {
	for _, l := range c.waiting {
		best, least := l.spots[0], math.Inf(1)
		for _, p := range l.spots {
			if n := c.trouble(p, l); n < least {
				best, least = p, n
			}
			if least == 0 {
				break
			}
		}
		c.write(l, best)
	}
	c.waiting = nil
}

// trouble is how much is in the way of a label at a spot: texts and rings count for their
// area, lines for their length.
func (c *canvas) trouble(p spot, l label) float64 {
	r := p.of(l.class, l.s)
	sum := 0.
	// The lowest line is for what a preview says.
	if r.x0 < innerL+3 || r.x1 > innerR-3 || r.y0 < innerT+3 || r.y1 > innerB-28 {
		sum += 1e6
	}
	for _, o := range c.regions {
		if w, h := min(r.x1, o.x1)-max(r.x0, o.x0), min(r.y1, o.y1)-max(r.y0, o.y0); w > 0 && h > 0 {
			sum += w * h
		}
	}
	for _, s := range c.strokes {
		sum += 10 * s.within(r)
	}
	if p.leader != nil {
		s := p.leaderTo(r)
		for _, o := range c.regions {
			sum += s.within(o)
		}
	}
	return sum
}

// leaderTo is the line to a label from the place it is of.
func (p spot) leaderTo(r region) stroke {
	x := r.x0 - 3
	if p.at == ending {
		x = r.x1 + 3
	}
	from := *p.leader
	y := (r.y0 + r.y1) / 2
	d := math.Hypot(x-from[0], y-from[1])
	const off = 7 // clear of the mark
	if d <= off {
		return stroke{x, y, x, y}
	}
	return stroke{from[0] + off*(x-from[0])/d, from[1] + off*(y-from[1])/d, x, y}
}

// write draws a label at a spot and keeps account of it.
func (c *canvas) write(l label, p spot) {
	r := p.of(l.class, l.s)
	c.regions = append(c.regions, r)
	if l.group != "" {
		fmt.Fprintf(&c.pen, `<g class="%s">`, l.group)
	}
	if p.leader != nil {
		s := p.leaderTo(r)
		c.line("leader", s.x0, s.y0, s.x1, s.y1)
	}
	class := l.class + [...]string{"", " mid", " end"}[p.at]
	if p.upright {
		fmt.Fprintf(&c.pen, `<text class="%s" transform="translate(%.1f %.1f) rotate(-90)">%s</text>`, class, p.x, p.y,
			html.EscapeString(l.s))
	} else {
		c.pen.text(class, p.x, p.y, l.s)
	}
	if l.group != "" {
		c.WriteString(`</g>`)
	}
}

// within is how long a part of the stroke lies in a rectangle (Liang and Barsky 1984, "A new
// concept and method for line clipping").
func (s stroke) within(r region) float64 {
	t0, t1 := 0., 1.
	for _, k := range [2][3]float64{{s.x1 - s.x0, r.x0 - s.x0, r.x1 - s.x0}, {s.y1 - s.y0, r.y0 - s.y0, r.y1 - s.y0}} {
		d, lo, hi := k[0], k[1], k[2]
		if d == 0 {
			if lo >= 0 || hi <= 0 {
				return 0
			}
			continue
		}
		t0, t1 = max(t0, min(lo/d, hi/d)), min(t1, max(lo/d, hi/d))
	}
	if t0 >= t1 {
		return 0
	}
	return (t1 - t0) * math.Hypot(s.x1-s.x0, s.y1-s.y0)
}

// hasClass tells whether one of the classes, apart by blanks, is name.
func hasClass(classes, name string) bool {
	for c := range strings.FieldsSeq(classes) {
		if c == name {
			return true
		}
	}
	return false
}
