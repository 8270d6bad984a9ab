package draft

import (
	"fmt"
	"html"
	"strings"

	"yarvek/core/finding"
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

// arrow draws a filled head at (x, y) pointing along (dx, dy), a unit vector.
func (p *pen) arrow(class string, x, y, dx, dy float64) {
	const l, w = 8, 3.2
	fmt.Fprintf(p, `<path class="%s" d="M%.1f %.1fL%.1f %.1fL%.1f %.1fZ"/>`, class, x, y,
		x-l*dx-w*dy, y-l*dy+w*dx, x-l*dx+w*dy, y-l*dy-w*dx)
}

// datum draws the pivot: the quartered disc.
func (p *pen) datum(x, y, r float64, class string) {
	fmt.Fprintf(p, `<g class="datum %s" transform="translate(%.1f %.1f)"><circle r="%.1f"/><path `+
		`d="M0 0H%.1fA%.1f %.1f 0 0 1 0 %.1fZM0 0H%.1fA%.1f %.1f 0 0 1 0 %.1fZ"/></g>`,
		class, x, y, r, r, r, r, r, -r, r, r, -r)
}

// SeverityClass is the style class of a severity.
func SeverityClass(s finding.Severity) string {
	return [...]string{"note", "look", "must"}[s]
}
