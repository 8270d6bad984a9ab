package draft

import (
	"fmt"
	"math"

	"yarvek/core/geom"
)

// Ghost is what a decision would make, drawn over a drawing as dashed outline.
type Ghost struct {
	Views  *[3]View // the outcome, drawn at the layout's scale; nil for none
	Box    geom.Box // of the outcome, in the frame of the paper
	Shift  geom.Vec3
	Boxes  []geom.Box  // nodes that would go or come
	Datum  *geom.Vec3  // where the pivot would be
	Points []geom.Vec3 // where markers would be
	Say    string
}

// Outlined draws a ghost over the drawing of a box laid out so.
func Outlined(l Layout, box geom.Box, g Ghost) string {
	p := &pen{}
	p.WriteString(`<g class="ghost"><clipPath id="ghost-paper"><rect x="26" y="26" width="850"` +
		` height="588"/></clipPath><g ` +
		`clip-path="url(#ghost-paper)">`)
	if g.Views != nil && !g.Box.IsEmpty() {
		to := g.Box.Shifted(g.Shift)
		for side, v := range g.Views {
			s := Side(side)
			u0, v0, _, _ := s.extent(to)
			b0, c0, _, _ := s.extent(box)
			x, y := l.corner(s)
			x, y = x+(u0-b0)*l.Scale, y-(v0-c0)*l.Scale
			if v.Path != "" && v.Width < 8*paperW && v.Height < 8*paperH {
				fmt.Fprintf(p, `<path class="outline" transform="translate(%.1f %.1f)" d="%s"/>`, x, y-v.Height, v.Path)
			} else {
				p.rect("outline", x, y-v.Height, v.Width, v.Height)
			}
		}
	}
	drawn := marks{}
	for _, b := range g.Boxes {
		if b.IsEmpty() {
			continue
		}
		for _, side := range []Side{Front, RightSide, Plan} {
			x0, y0 := l.place(box, side, b.Min)
			x1, y1 := l.place(box, side, b.Max)
			if w, h := math.Abs(x1-x0), math.Abs(y1-y0); w < 4*paperW && h < 4*paperH && drawn.fits(x0, y0, x1, y1) {
				p.rect("outline", min(x0, x1)-2, min(y0, y1)-2, w+4, h+4)
			}
		}
	}
	for _, q := range g.Points {
		for _, side := range []Side{Front, RightSide, Plan} {
			x, y := l.place(box, side, q)
			fmt.Fprintf(p, `<circle class="outline" cx="%.1f" cy="%.1f" r="6"/>`, x, y)
		}
	}
	if g.Datum != nil {
		for _, side := range []Side{Front, RightSide, Plan} {
			x, y := l.place(box, side, *g.Datum)
			fmt.Fprintf(p, `<circle class="outline" cx="%.1f" cy="%.1f" r="12"/><path class="outline" d="M%.1f %.1fh32M%.1f`+
				` %.1fv32"/>`,
				x, y, x-16, y, x, y-16)
		}
	}
	p.WriteString(`</g>`)
	if g.Say != "" {
		p.text("ghost-say", innerL+12, innerB-12, g.Say)
	}
	p.WriteString(`</g>`)
	return p.String()
}

// CubeTest draws the one-metre cube of the target's world over a one-unit cube of
// the file's world, as a small picture of its own: unit is the metres one unit of
// the file stands for.
func CubeTest(unit float64) string {
	const w, h, floor = 300.0, 132.0, 118.0
	big, small := 1.0, unit
	k := 84 / max(big, small)
	p := &pen{}
	fmt.Fprintf(p, `<svg class="cube-test" viewBox="0 0 %.0f %.0f" role="img" `+
		`aria-label="A cube of one metre and a cube of one unit of the file, side by side at one scale">`, w, h)
	p.line("ground", 6, floor, w-6, floor)
	cube := func(class string, x, s float64) {
		d := 0.32 * s
		fmt.Fprintf(p, `<path class="%s" d="M%.1f %.1fh%.1fv%.1fh%.1fzM%.1f %.1fl%.1f %.1fh%.1fl%.1f %.1fM%.1f`+
			` %.1fv%.1fl%.1f %.1f"/>`,
			class,
			x, floor, s, -s, -s, x, floor-s, d, -d*.7, s, -d, d*.7, x+s+d, floor-s-d*.7, s, -d, d*.7)
	}
	x := 30.0
	cube("cube-metre", x, big*k)
	speck := small*k < 3
	if speck {
		fmt.Fprintf(p, `<circle class="cube-speck" cx="%.1f" cy="%.1f" r="2.6"/>`, x, floor-1.5)
	} else {
		cube("cube-unit", x, small*k)
	}
	p.text("cube-word", 176, 40, "1 m, the target")
	p.line("cube-metre", 152, 36, 170, 36)
	p.text("cube-word", 176, 64, "1 unit of the file")
	p.line("cube-unit", 152, 60, 170, 60)
	p.text("cube-fig", 176, 92, "1 : "+ratioText(unit))
	p.WriteString(`</svg>`)
	return p.String()
}

// ratioText says how many of the file’s units make a metre, "?" for none.
func ratioText(unit float64) string {
	if unit <= 0 {
		return "?"
	}
	return fmt.Sprintf("%.6g", 1/unit)
}
