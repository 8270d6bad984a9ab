package draft

import (
	"fmt"
	"math"
	"unicode/utf8"

	"yarvek/core/finding"
	"yarvek/core/geom"
)

// What stands on the paper besides the views: dimension lines, balloons, the ground, and
// the axes.

// dimension draws a dimension line with its figure between two points on one
// horizontal or vertical; ext are where the extension lines begin. The figure of an upright
// one stands along it, or beside it where it is too short.
func (c *canvas) dimension(class string, x0, y0, x1, y1, ext0, ext1 float64, figure string) {
	group := "dim " + class
	c.WriteString(`<g class="` + group + `">`)
	mid := (x0 + x1) / 2
	if y0 == y1 {
		c.line("ext", x0, ext0, x0, y0+5)
		c.line("ext", x1, ext1, x1, y1+5)
		if x1-x0 > 22 {
			c.line("rule", x0, y0, x1, y1)
			c.arrow("head", x0, y0, -1, 0)
			c.arrow("head", x1, y1, 1, 0)
		} else {
			c.line("rule", x0-18, y0, x1+18, y1)
			c.arrow("head", x0, y0, 1, 0)
			c.arrow("head", x1, y1, -1, 0)
		}
		c.label(group, "fig", figure, spot{x: mid, y: y0 + 17, at: middle}, spot{x: x1 + 24, y: y0 + 4},
			spot{x: x0 - 24, y: y0 + 4, at: ending},
			spot{x: mid, y: y0 + 31, at: middle})
	} else {
		c.line("ext", ext0, y0, x0-5, y0)
		c.line("ext", ext1, y1, x1-5, y1)
		if y0-y1 > 22 {
			c.line("rule", x0, y0, x1, y1)
			c.arrow("head", x0, y0, 0, 1)
			c.arrow("head", x1, y1, 0, -1)
		} else {
			c.line("rule", x0, y0+18, x1, y1-18)
			c.arrow("head", x0, y0, 0, -1)
			c.arrow("head", x1, y1, 0, 1)
		}
		var spots []spot
		for _, t := range []float64{.5, .38, .62, .26, .74, .16, .84} { // along it
			y := y0 + t*(y1-y0)
			if w := figureAdvance * float64(utf8.RuneCountInString(figure)) / 2; y+w <= y0 && y-w >= y1 {
				spots = append(spots, spot{x: x0 - 8, y: y, at: middle, upright: true})
			}
		}
		for _, t := range []float64{.5, .25, .75} {
			spots = append(spots, spot{x: x0 - 10, y: y0 + t*(y1-y0) + 4, at: ending})
		}
		spots = append(spots, spot{x: x1 - 10, y: y1 - 10, at: ending}, spot{x: x0 - 10, y: y0 + 26, at: ending})
		c.label(group, "fig", figure, spots...)
	}
	c.WriteString(`</g>`)
}

// leader draws the line from a balloon to its place.
func (c *canvas) leader(sev finding.Severity, x, y, atX, atY float64) {
	d := math.Hypot(atX-x, atY-y)
	if d <= 13 {
		return
	}
	fmt.Fprintf(&c.pen, `<g class="balloon %s">`, SeverityClass(sev))
	c.line("leader", x+(atX-x)*13/d, y+(atY-y)*13/d, atX, atY)
	fmt.Fprintf(&c.pen, `<circle class="dot" cx="%.1f" cy="%.1f" r="3"/></g>`, atX, atY)
}

// balloon draws the numbered mark of a finding.
func (c *canvas) balloon(n int, sev finding.Severity, x, y float64) {
	fmt.Fprintf(&c.pen, `<g class="balloon %s" data-balloon="%d"><circle class="ring" cx="%.1f" cy="%.1f" r="13"/>`,
		SeverityClass(sev), n, x, y)
	c.pen.text("num", x, y+4.5, fmt.Sprint(n))
	c.WriteString(`</g>`)
	c.take(x, y, 28, 28)
}

// ground draws a ground line with hatching below.
func (c *canvas) ground(x0, x1, y float64) {
	c.line("ground", x0, y, x1, y)
	c.WriteString(`<path class="hatch" d="`)
	for x := x0 + 8; x < x1; x += 11 {
		fmt.Fprintf(&c.pen, "M%.1f %.1fl-7 7", x, y+0.5)
	}
	c.WriteString(`"/>`)
}

// tripod draws the three axes with their letters: to the right of the front view,
// up, and toward the viewer.
func (c *canvas) tripod(x, y float64, b geom.Basis) {
	const l = 42
	c.WriteString(`<g class="tripod">`)
	c.line("axis", x, y, x+l, y)
	c.arrow("head", x+l+4, y, 1, 0)
	c.line("axis", x, y, x, y-l)
	c.arrow("head", x, y-l-4, 0, -1)
	fmt.Fprintf(&c.pen, `<circle class="eye" cx="%.1f" cy="%.1f" r="5"/><circle class="pupil" cx="%.1f" cy="%.1f"`+
		` r="1.8"/>`, x, y, x, y)
	c.text("fig", x+9, y-l+2, b.Up.String()+" up")
	c.text("fig", x+l-8, y+17, b.Right().Neg().String())
	c.text("fig mid", x-2, y+19, b.Forward.String())
	c.text("word mid", x-2, y+33, "front")
	c.WriteString(`</g>`)
}
