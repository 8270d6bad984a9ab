package draft

import (
	"fmt"
	"html"
	"math"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/geom"
)

// pen writes SVG. Colours and type come from the style sheet by class; what a
// file named is escaped here.
type pen struct{ strings.Builder }

// line draws a straight line, in pixels of the paper.
func (p *pen) line(class string, x0, y0, x1, y1 float64) {
	fmt.Fprintf(p, `<line class="%s" x1="%.1f" y1="%.1f" x2="%.1f" y2="%.1f"/>`, class, x0, y0, x1, y1)
}

// rect draws a rectangle by its top left corner.
func (p *pen) rect(class string, x, y, w, h float64) {
	fmt.Fprintf(p, `<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, class, x, y, w, h)
}

// text writes s, escaped, with its baseline at y.
func (p *pen) text(class string, x, y float64, s string) {
	fmt.Fprintf(p, `<text class="%s" x="%.1f" y="%.1f">%s</text>`, class, x, y, html.EscapeString(s))
}

// upright writes text turned to read from below, centred on (x, y).
func (p *pen) upright(class string, x, y float64, s string) {
	fmt.Fprintf(p, `<text class="%s" transform="translate(%.1f %.1f) rotate(-90)">%s</text>`, class, x, y, html.EscapeString(s))
}

// arrow draws a filled head at (x, y) pointing along (dx, dy), a unit vector.
func (p *pen) arrow(class string, x, y, dx, dy float64) {
	const l, w = 8, 3.2
	fmt.Fprintf(p, `<path class="%s" d="M%.1f %.1fL%.1f %.1fL%.1f %.1fZ"/>`, class, x, y,
		x-l*dx-w*dy, y-l*dy+w*dx, x-l*dx+w*dy, y-l*dy-w*dx)
}

// dimension draws a dimension line with its figure between two points on one
// horizontal or vertical; ext are where the extension lines begin.
func (p *pen) dimension(class string, x0, y0, x1, y1, ext0, ext1 float64, figure string) {
	p.WriteString(`<g class="dim ` + class + `">`)
	if y0 == y1 {
		p.line("ext", x0, ext0, x0, y0+5)
		p.line("ext", x1, ext1, x1, y1+5)
		if x1-x0 > 22 {
			p.line("rule", x0, y0, x1, y1)
			p.arrow("head", x0, y0, -1, 0)
			p.arrow("head", x1, y1, 1, 0)
		} else {
			p.line("rule", x0-18, y0, x1+18, y1)
			p.arrow("head", x0, y0, 1, 0)
			p.arrow("head", x1, y1, -1, 0)
		}
		p.text("fig mid", (x0+x1)/2, y0+17, figure)
	} else {
		p.line("ext", ext0, y0, x0-5, y0)
		p.line("ext", ext1, y1, x1-5, y1)
		if y0-y1 > 22 {
			p.line("rule", x0, y0, x1, y1)
			p.arrow("head", x0, y0, 0, 1)
			p.arrow("head", x1, y1, 0, -1)
		} else {
			p.line("rule", x0, y0+18, x1, y1-18)
			p.arrow("head", x0, y0, 0, -1)
			p.arrow("head", x1, y1, 0, 1)
		}
		if y0-y1 > 62 {
			p.upright("fig mid", x0-8, (y0+y1)/2, figure)
		} else { // too short for its figure
			p.text("fig end", x0-10, (y0+y1)/2+4, figure)
		}
	}
	p.WriteString(`</g>`)
}

// datum draws the pivot: the quartered disc.
func (p *pen) datum(x, y, r float64, class string) {
	fmt.Fprintf(p, `<g class="datum %s" transform="translate(%.1f %.1f)"><circle r="%.1f"/><path `+
		`d="M0 0H%.1fA%.1f %.1f 0 0 1 0 %.1fZM0 0H%.1fA%.1f %.1f 0 0 1 0 %.1fZ"/></g>`,
		class, x, y, r, r, r, r, r, -r, r, r, -r)
}

// balloon draws the numbered mark of a finding with a leader to its place.
func (p *pen) balloon(n int, sev finding.Severity, x, y, atX, atY float64) {
	fmt.Fprintf(p, `<g class="balloon %s" data-balloon="%d">`, SeverityClass(sev), n)
	d := math.Hypot(atX-x, atY-y)
	if d > 13 {
		p.line("leader", x+(atX-x)*13/d, y+(atY-y)*13/d, atX, atY)
		fmt.Fprintf(p, `<circle class="dot" cx="%.1f" cy="%.1f" r="3"/>`, atX, atY)
	}
	fmt.Fprintf(p, `<circle class="ring" cx="%.1f" cy="%.1f" r="13"/>`, x, y)
	p.text("num", x, y+4.5, fmt.Sprint(n))
	p.WriteString(`</g>`)
}

// SeverityClass is the style class of a severity.
func SeverityClass(s finding.Severity) string {
	return [...]string{"note", "look", "must"}[s]
}

// ground draws a ground line with hatching below.
func (p *pen) ground(x0, x1, y float64) {
	p.line("ground", x0, y, x1, y)
	p.WriteString(`<path class="hatch" d="`)
	for x := x0 + 8; x < x1; x += 11 {
		fmt.Fprintf(p, "M%.1f %.1fl-7 7", x, y+0.5)
	}
	p.WriteString(`"/>`)
}

// tripod draws the three axes with their letters: to the right of the front view,
// up, and toward the viewer.
func (p *pen) tripod(x, y float64, b geom.Basis) {
	const l = 42
	p.WriteString(`<g class="tripod">`)
	p.line("axis", x, y, x+l, y)
	p.arrow("head", x+l+4, y, 1, 0)
	p.line("axis", x, y, x, y-l)
	p.arrow("head", x, y-l-4, 0, -1)
	fmt.Fprintf(p, `<circle class="eye" cx="%.1f" cy="%.1f" r="5"/><circle class="pupil" cx="%.1f" cy="%.1f" r="1.8"/>`, x, y, x, y)
	p.text("fig", x+9, y-l+2, b.Up.String()+" up")
	p.text("fig", x+l-8, y+17, b.Right().Neg().String())
	p.text("fig mid", x-2, y+19, b.Forward.String())
	p.text("word mid", x-2, y+33, "front")
	p.WriteString(`</g>`)
}
