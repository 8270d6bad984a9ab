package unfold

import (
	"context"
	"math"
)

// side is a piece of an outline.
type side struct {
	a, b  complex128
	chart int
	ends  [2]int32
}

// cells are sides by the cells of a grid that their boxes touch.
type cells struct {
	wide float64
	at   map[[2]int32][]int32
}

func (g *cells) each(s side, more float64, do func(key [2]int32)) {
	x0, x1 := min(real(s.a), real(s.b))-more, max(real(s.a), real(s.b))+more
	y0, y1 := min(imag(s.a), imag(s.b))-more, max(imag(s.a), imag(s.b))+more
	for x := int32(math.Floor(x0 / g.wide)); x <= int32(math.Floor(x1/g.wide)); x++ {
		for y := int32(math.Floor(y0 / g.wide)); y <= int32(math.Floor(y1/g.wide)); y++ {
			do([2]int32{x, y})
		}
	}
}

// crossed tells whether a chart's outline crosses itself. A map whose triangles all keep their side, and
// whose outline does not cross itself, covers nothing twice.
func (c *chart) crossed() bool {
	if len(c.border) < 4 {
		return false
	}
	long := 0.0
	for _, e := range c.border {
		long += math.Hypot(real(c.at[e[0]]-c.at[e[1]]), imag(c.at[e[0]]-c.at[e[1]]))
	}
	g := cells{long / float64(len(c.border)), map[[2]int32][]int32{}}
	if !(g.wide > 0) {
		return true
	}
	// A side much longer than the others lies in as many cells as it is times as long: all of them together
	// in no more than twice as many as there are sides, and two for each.
	for i, e := range c.border {
		s := side{a: c.at[e[0]], b: c.at[e[1]], ends: e}
		hit := false
		g.each(s, 0, func(key [2]int32) {
			for _, j := range g.at[key] {
				f := c.border[j]
				if hit || f[0] == e[0] || f[0] == e[1] || f[1] == e[0] || f[1] == e[1] {
					continue
				}
				hit = meets(s.a, s.b, c.at[f[0]], c.at[f[1]])
			}
			g.at[key] = append(g.at[key], int32(i))
		})
		if hit {
			return true
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
