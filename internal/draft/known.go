package draft

import (
	"fmt"
	"strings"
)

// known is a thing everybody knows the size of, standing beside the asset.
type known struct {
	name   string
	w, h   float64 // metres
	shape  func(p *pen, x, y, k float64)
	figure string
}

var (
	person = known{"Person", 0.5, 1.8, drawPerson, "1.80 m"}
	cube   = known{"Cube", 1, 1, drawCube, "1 m"}
	door   = known{"Door", 0.9, 2.1, drawDoor, "2.10 m"}
	small  = known{"Cube", 0.1, 0.1, drawSmallCube, "0.10 m"}
)

// ownHeight is a figure as tall as the artist says.
func ownHeight(h float64) known {
	return known{"Figure", 0.5 * h / 1.8, h, func(p *pen, x, y, k float64) { drawPerson(p, x, y, k*h/1.8) }, fmt.Sprintf("%.2f m", h)}
}

// drawPerson draws a standing person of 1.80 m; (x, y) is the left of the feet and
// k the pixels a metre.
func drawPerson(p *pen, x, y, k float64) {
	// Half an outline in metres, from the crotch round to the neck.
	half := [][2]float64{{0.02, 0.82}, {0.04, 0.42}, {0.05, 0.04}, {0.06, 0}, {0.15, 0}, {0.15, 0.04}, {0.15, 0.45}, {0.17, 0.9},
		{0.155, 1.1}, {0.19, 1.36}, {0.2, 1.1}, {0.2, 0.8}, {0.245, 0.78}, {0.26, 1.1}, {0.245, 1.38}, {0.2, 1.47}, {0.06, 1.52},
		{0.05, 1.57}}
	cx := x + 0.25*k
	var d strings.Builder
	for i, q := range half {
		c := "L"
		if i == 0 {
			c = "M"
		}
		fmt.Fprintf(&d, "%s%.1f %.1f", c, cx+q[0]*k, y-q[1]*k)
	}
	for i := len(half) - 1; i >= 0; i-- {
		fmt.Fprintf(&d, "L%.1f %.1f", cx-half[i][0]*k, y-half[i][1]*k)
	}
	fmt.Fprintf(p, `<path class="known" d="%sZ"/><ellipse class="known" cx="%.1f" cy="%.1f" rx="%.1f" ry="%.1f"/>`,
		d.String(), cx, y-1.685*k, 0.085*k, 0.115*k)
}

func drawCube(p *pen, x, y, k float64) { p.rect("known", x, y-k, k, k) }

// drawSmallCube draws the cube of ten centimetres, for things held in a hand.
func drawSmallCube(p *pen, x, y, k float64) { drawCube(p, x, y, k/10) }

func drawDoor(p *pen, x, y, k float64) {
	p.rect("known", x, y-2.1*k, 0.9*k, 2.1*k)
	fmt.Fprintf(p, `<circle class="known" cx="%.1f" cy="%.1f" r="%.1f"/>`, x+0.8*k, y-1.02*k, 0.03*k)
}

// row is how wide a row of things is, in metres, with the gaps between them.
func row(things []known) (w, h float64) {
	for _, t := range things {
		w += t.w
		h = max(h, t.h)
	}
	return w, h
}

// Person draws a standing person of 1.80 m as SVG; (x, y) is the left of the feet
// and k the pixels a metre.
func Person(x, y, k float64) string {
	p := &pen{}
	drawPerson(p, x, y, k)
	return p.String()
}
