package unfold

import (
	"context"
	"math"
	"slices"
)

// side is a piece of an outline.
type side struct {
	a, b  complex128
	chart int
}

// cells are sides by the cells of a grid that their boxes touch.
type cells struct {
	wide float64
	at   map[[2]int32][]int32
}

// each calls do with the cells that lie within more of a side, and few others: column by column those that
// the side passes there.
func (g *cells) each(s side, more float64, do func(key [2]int32)) {
	a, b := s.a, s.b
	if real(a) > real(b) {
		a, b = b, a
	}
	cell := func(v float64) int32 { return int32(math.Floor(v / g.wide)) }
	slope := 0.0
	if dx := real(b) - real(a); dx > 0 {
		slope = (imag(b) - imag(a)) / dx
	}
	for x := cell(real(a) - more); x <= cell(real(b)+more); x++ {
		from := min(max(float64(x)*g.wide-more, real(a)), real(b))
		to := min(max(float64(x+1)*g.wide+more, real(a)), real(b))
		y0, y1 := imag(a)+(from-real(a))*slope, imag(a)+(to-real(a))*slope
		if to == real(b) { // upright ones, and what rounding left
			y1 = imag(b)
		}
		if from == real(a) {
			y0 = imag(a)
		}
		if y0 > y1 {
			y0, y1 = y1, y0
		}
		for y := cell(y0 - more); y <= cell(y1+more); y++ {
			do([2]int32{x, y})
		}
	}
}

// mostEach is up to how many sides each is held against each, which sees every crossing.
const mostEach = 128

// crossed tells whether a chart covers a place twice. A map whose triangles all keep their side, round no place of
// which they go more than once, and whose outline does not cross itself, covers nothing twice: it is an immersion, so
// that its outlines turn by as much as its Euler characteristic says, and only one of them runs round it from without.
func (c *chart) crossed() bool {
	return c.wound() || len(c.border) >= 4 && (len(c.border) > mostEach && crossing(c.at, c.border) ||
		len(c.border) <= mostEach && crossingEach(c.at, c.border))
}

// wound tells whether triangles go more than once round a place.
func (c *chart) wound() bool {
	sum := make([]float64, len(c.at))
	for _, t := range c.tris {
		for k, i := range t {
			u, v := c.at[t[(k+1)%3]]-c.at[i], c.at[t[(k+2)%3]]-c.at[i]
			sum[i] += math.Abs(math.Atan2(real(u)*imag(v)-imag(u)*real(v), real(u)*real(v)+imag(u)*imag(v)))
		}
	}
	return slices.Max(sum) > 2*math.Pi+1e-6
}

// crossingEach is crossing for few sides.
func crossingEach(at []complex128, border [][2]int32) bool {
	for i, e := range border {
		for _, f := range border[:i] {
			if f[0] == e[0] || f[0] == e[1] || f[1] == e[0] || f[1] == e[1] {
				continue
			}
			if meets(at[e[0]], at[e[1]], at[f[0]], at[f[1]]) {
				return true
			}
		}
	}
	return false
}

// meets tells whether two sides have a place in common.
func meets(a, b, c, d complex128) bool {
	p, q := turned(a, b, c), turned(a, b, d)
	r, s := turned(c, d, a), turned(c, d, b)
	return (p > 0) != (q > 0) && (r > 0) != (s > 0)
}

// gap is the smallest distance between the outlines of two charts, up to most, in texels.
func gap(ctx context.Context, charts []*chart, most float64) float64 {
	g := cells{most, map[[2]int32][]int32{}}
	var sides []side
	least := most
	for n, c := range charts {
		if n&0xff == 0 && ctx.Err() != nil {
			return 0
		}
		first := len(sides)
		for _, e := range c.border {
			s := side{a: c.at[e[0]], b: c.at[e[1]], chart: n}
			g.each(s, most, func(key [2]int32) {
				for _, j := range g.at[key] {
					if sides[j].chart != n {
						least = min(least, apart(s.a, s.b, sides[j].a, sides[j].b))
					}
				}
			})
			sides = append(sides, s)
		}
		for i := first; i < len(sides); i++ {
			g.each(sides[i], 0, func(key [2]int32) { g.at[key] = append(g.at[key], int32(i)) })
		}
	}
	return least
}

// apart is the distance of two sides.
func apart(a, b, c, d complex128) float64 {
	if meets(a, b, c, d) {
		return 0
	}
	return min(off(a, c, d), off(b, c, d), off(c, a, b), off(d, a, b))
}

// off is the distance of a place from a side.
func off(p, a, b complex128) float64 {
	e := b - a
	l := real(e)*real(e) + imag(e)*imag(e)
	t := 0.0
	if l > 0 {
		t = min(1, max(0, (real(p-a)*real(e)+imag(p-a)*imag(e))/l))
	}
	q := a + complex(t, 0)*e
	return math.Hypot(real(p-q), imag(p-q))
}
