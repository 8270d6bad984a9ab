package geom

import (
	"math"
	"slices"
)

// Vec2 is a point of a plane, in metres.
type Vec2 [2]float64

// Sub is a − b.
func (a Vec2) Sub(b Vec2) Vec2 { return Vec2{a[0] - b[0], a[1] - b[1]} }

// Cross is the signed area of the parallelogram of a and b: positive when b lies to the
// left of a.
func (a Vec2) Cross(b Vec2) float64 { return a[0]*b[1] - a[1]*b[0] }

// Dot is the scalar product.
func (a Vec2) Dot(b Vec2) float64 { return a[0]*b[0] + a[1]*b[1] }

// Outline is a convex polygon, anticlockwise, without repeated or idle corners.
// One of fewer than three corners has no area.
type Outline []Vec2

// OutlineOf is the convex outline of points (Andrew 1979, "Another efficient
// algorithm for convex hulls in two dimensions"), in n log n. The list is used up: its
// order and content afterwards mean nothing.
func OutlineOf(pts []Vec2) Outline {
	pts = outermost(pts)
	slices.SortFunc(pts, func(a, b Vec2) int {
		switch {
		case a[0] < b[0] || a[0] == b[0] && a[1] < b[1]:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	pts = slices.Compact(pts)
	if len(pts) < 3 {
		return slices.Clone(pts)
	}
	var out Outline
	half := func(p Vec2, least int) {
		for len(out) > least && out[len(out)-1].Sub(out[len(out)-2]).Cross(p.Sub(out[len(out)-1])) <= 0 {
			out = out[:len(out)-1]
		}
		out = append(out, p)
	}
	for _, p := range pts {
		half(p, 1)
	}
	lower := len(out)
	for i := len(pts) - 2; i >= 0; i-- {
		half(pts[i], lower)
	}
	return out[:len(out)-1]
}

// outermost drops, in place and in one pass, the points that lie inside the octagon of
// the farthest ones (Akl and Toussaint 1978, "A fast convex hull algorithm"): no corner
// of the outline does. What lies on its sides, within rounding, stays.
func outermost(pts []Vec2) []Vec2 {
	if len(pts) < 64 {
		return pts
	}
	directions := [8]Vec2{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}} // anticlockwise
	var ring [8]Vec2
	var far [8]float64
	for k := range far {
		far[k] = math.Inf(-1)
	}
	for _, p := range pts {
		for k, d := range directions {
			if v := d.Dot(p); v > far[k] {
				far[k], ring[k] = v, p
			}
		}
	}
	if ring == [8]Vec2{ring[0], ring[0], ring[0], ring[0], ring[0], ring[0], ring[0], ring[0]} {
		return pts[:1] // all in one place
	}
	clear := 1e-12 * max(far[0]+far[4], far[2]+far[6]) * max(math.Abs(far[0]), math.Abs(far[2]), math.Abs(far[4]),
		math.Abs(far[6]))
	left := pts[:0]
	for _, p := range pts {
		inside := true
		for k, a := range ring {
			if b := ring[(k+1)%8]; a != b && b.Sub(a).Cross(p.Sub(a)) <= clear {
				inside = false
				break
			}
		}
		if !inside {
			left = append(left, p)
		}
	}
	return left
}

// Area in square metres.
func (o Outline) Area() float64 {
	a := 0.0
	for i := 1; i+1 < len(o); i++ {
		a += o[i].Sub(o[0]).Cross(o[i+1].Sub(o[0]))
	}
	return a / 2
}

// Centre is the centre of its area; of its corners when it has none.
func (o Outline) Centre() Vec2 {
	var c, sum Vec2
	total := 0.0
	for i := range o {
		c[0] += o[i][0] / float64(len(o))
		c[1] += o[i][1] / float64(len(o))
	}
	for i := 1; i+1 < len(o); i++ {
		a := o[i].Sub(o[0]).Cross(o[i+1].Sub(o[0]))
		total += a
		for k := range 2 {
			sum[k] += a * (o[i][k] + o[i+1][k] - 2*o[0][k]) / 3
		}
	}
	if total <= 0 {
		return c
	}
	return Vec2{o[0][0] + sum[0]/total, o[0][1] + sum[1]/total}
}

// Inside is how far p lies within the outline, measured to its nearest side;
// negative when it lies outside.
func (o Outline) Inside(p Vec2) float64 {
	if len(o) == 0 {
		return math.Inf(-1)
	}
	in, out := math.Inf(1), math.Inf(1)
	for i, a := range o {
		b := o[(i+1)%len(o)]
		d := b.Sub(a)
		l := math.Hypot(d[0], d[1])
		if l > 0 {
			in = min(in, d.Cross(p.Sub(a))/l)
		}
		t := 0.0
		if l > 0 {
			t = min(max(d.Dot(p.Sub(a))/(l*l), 0), 1)
		}
		out = min(out, math.Hypot(p[0]-a[0]-t*d[0], p[1]-a[1]-t*d[1]))
	}
	if len(o) < 3 || in < 0 {
		return -out
	}
	return in
}

// TightRectangle is the smallest rectangle round the outline: the angle of its
// first side against the x axis, 0 to below a quarter turn, and its two sides. One
// side lies along a side of the outline (Freeman and Shapira 1975, "Determining the
// minimum-area encasing rectangle for an arbitrary closed curve").
func (o Outline) TightRectangle() (angle, w, h float64) {
	best := math.Inf(1)
	try := func(t float64) {
		s, c := math.Sincos(t)
		x0, x1, y0, y1 := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
		for _, p := range o {
			x, y := p[0]*c+p[1]*s, p[1]*c-p[0]*s
			x0, x1, y0, y1 = min(x0, x), max(x1, x), min(y0, y), max(y1, y)
		}
		// A turned rectangle must be better by more than rounding.
		if a := (x1 - x0) * (y1 - y0); a < best*(1-1e-9) {
			best, angle, w, h = a, t, x1-x0, y1-y0
		}
	}
	if len(o) == 0 {
		return 0, 0, 0
	}
	try(0)
	for i, a := range o {
		d := o[(i+1)%len(o)].Sub(a)
		t := math.Mod(math.Atan2(d[1], d[0])+2*math.Pi, math.Pi/2)
		try(t)
	}
	return angle, w, h
}
