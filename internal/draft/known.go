package draft

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/geom"
)

// known is a thing everybody knows the size of, standing beside the asset.
type known struct {
	name   string
	w, h   float64 // metres
	shape  func(p *pen, x, y, k float64)
	figure string
	solid  func(segment func(a, b geom.Vec3)) // its lines as it stands at the origin, for the turntable; metres
}

var (
	person = known{"Person", 0.5, 1.8, drawPerson, "1.80 m", personLines(1.8)}
	cube   = known{"Cube", 1, 1, drawCube, "1 m", blockLines(1, 1, 1)}
	door   = known{"Door", 0.9, 2.1, drawDoor, "2.10 m", blockLines(0.9, 2.1, 0.06)}
	small  = known{"Cube", 0.1, 0.1, drawSmallCube, "0.10 m", blockLines(0.1, 0.1, 0.1)}
)

// ownHeight is a figure as tall as the artist says.
func ownHeight(h float64) known {
	return known{"Figure", 0.5 * h / 1.8, h, func(p *pen, x, y, k float64) { drawPerson(p, x, y, k*h/1.8) },
		fmt.Sprintf("%.2f m", h),
		personLines(h)}
}

// halfPerson is half the outline of a person of 1.80 m in metres, from the crotch round to
// the neck: to the side and up. The head is an ellipse above it.
var halfPerson = [][2]float64{{0.02, 0.82}, {0.04, 0.42}, {0.05, 0.04}, {0.06, 0}, {0.15, 0}, {0.15, 0.04},
	{0.15, 0.45}, {0.17, 0.9},
	{0.155, 1.1}, {0.19, 1.36}, {0.2, 1.1}, {0.2, 0.8}, {0.245, 0.78}, {0.26, 1.1}, {0.245, 1.38}, {0.2, 1.47},
	{0.06, 1.52},
	{0.05, 1.57}}

// drawPerson draws a standing person of 1.80 m; (x, y) is the left of the feet and
// k the pixels a metre.
func drawPerson(p *pen, x, y, k float64) {
	cx := x + 0.25*k
	var d strings.Builder
	for i, q := range halfPerson {
		c := "L"
		if i == 0 {
			c = "M"
		}
		fmt.Fprintf(&d, "%s%.1f %.1f", c, cx+q[0]*k, y-q[1]*k)
	}
	for i := len(halfPerson) - 1; i >= 0; i-- {
		fmt.Fprintf(&d, "L%.1f %.1f", cx-halfPerson[i][0]*k, y-halfPerson[i][1]*k)
	}
	fmt.Fprintf(p, `<path class="known" d="%sZ"/><ellipse class="known" cx="%.1f" cy="%.1f" rx="%.1f" ry="%.1f"/>`,
		d.String(), cx, y-1.685*k, 0.085*k, 0.115*k)
}

// personLines gives the outline of a person h metres tall, twice, crossing upright, so that it
// is seen from all sides.
func personLines(h float64) func(segment func(a, b geom.Vec3)) {
	return func(segment func(a, b geom.Vec3)) {
		var round [][2]float64
		round = append(round, halfPerson...)
		for i := range halfPerson {
			q := halfPerson[len(halfPerson)-1-i]
			round = append(round, [2]float64{-q[0], q[1]})
		}
		const around = 16
		for k := range 2 {
			at := func(q [2]float64) geom.Vec3 {
				p := geom.Vec3{0, q[1] * h / 1.8, 0}
				p[2*k] = q[0] * h / 1.8
				return p
			}
			for i := range round {
				segment(at(round[i]), at(round[(i+1)%len(round)]))
			}
			head := func(i int) geom.Vec3 {
				sin, cos := math.Sincos(2 * math.Pi * float64(i) / around)
				return at([2]float64{0.085 * cos, 1.685 + 0.115*sin})
			}
			for i := range around {
				segment(head(i), head(i+1))
			}
		}
	}
}

// blockLines gives the twelve edges of a block that stands on the middle of its base.
func blockLines(w, h, d float64) func(segment func(a, b geom.Vec3)) {
	return func(segment func(a, b geom.Vec3)) {
		boxLines(geom.Box{Min: geom.Vec3{-w / 2, 0, -d / 2}, Max: geom.Vec3{w / 2, h, d / 2}}, segment)
	}
}

// boxLines gives the twelve edges of a box.
func boxLines(b geom.Box, segment func(a, b geom.Vec3)) {
	corner := func(i int) (p geom.Vec3) {
		for k := range p {
			if p[k] = b.Min[k]; i>>k&1 == 1 {
				p[k] = b.Max[k]
			}
		}
		return p
	}
	for i := range 8 {
		for k := range 3 {
			if i>>k&1 == 0 {
				segment(corner(i), corner(i|1<<k))
			}
		}
	}
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
