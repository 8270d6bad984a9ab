package fit

import (
	"context"
	"math"

	"yarvek/core/geom"
)

// Ball is a sphere.
type Ball struct {
	Centre geom.Vec3
	Radius float64 // metres
}

// Volume of the ball.
func (b Ball) Volume() float64 { return 4. / 3 * math.Pi * b.Radius * b.Radius * b.Radius }

// Holds is how far a point lies outside, 0 within; metres.
func (b Ball) Holds(p geom.Vec3) float64 { return max(0, p.Dist(b.Centre)-b.Radius) }

// SmallestBall is the sphere of the least radius that holds points (Welzl 1991, "Smallest enclosing
// disks (balls and ellipsoids)", moving those that were outside to the front; Gärtner 1999 bounds
// the rounds). Without points it has no extent. It ends after rounds that make it no larger.
func SmallestBall(pts []geom.Vec3) Ball {
	if len(pts) == 0 {
		return Ball{}
	}
	list := append([]geom.Vec3(nil), pts...)
	b := ballFront(list, len(list), nil)
	// What rounding left outside is held all the same.
	for _, p := range pts {
		b.Radius = max(b.Radius, p.Dist(b.Centre))
	}
	return b
}

// ballFront is the smallest ball of the first n of a list that has some points on it.
func ballFront(list []geom.Vec3, n int, on []geom.Vec3) Ball {
	b, ok := ballThrough(on)
	if len(on) == 4 || !ok {
		return b
	}
	for i := 0; i < n; i++ {
		p := list[i]
		if b.Radius >= 0 && p.Dist(b.Centre) <= b.Radius*(1+1e-12)+1e-300 {
			continue
		}
		next := append(append(make([]geom.Vec3, 0, 4), on...), p)
		if _, ok := ballThrough(next); !ok {
			continue // it lies in the plane of those, within rounding
		}
		b = ballFront(list, i, next)
		copy(list[1:i+1], list[:i])
		list[0] = p
	}
	return b
}

// ballThrough is the smallest ball with up to four points on it; false when they say none.
func ballThrough(on []geom.Vec3) (Ball, bool) {
	switch len(on) {
	case 0:
		return Ball{Radius: -1}, true
	case 1:
		return Ball{on[0], 0}, true
	case 2:
		c := on[0].Add(on[1]).Mul(0.5)
		return Ball{c, c.Dist(on[0])}, on[0] != on[1]
	}
	a := on[0]
	u, v := on[1].Sub(a), on[2].Sub(a)
	if len(on) == 3 {
		n := u.Cross(v)
		d := 2 * n.Dot(n)
		if !(d > 1e-24*u.Dot(u)*v.Dot(v)) {
			return Ball{}, false
		}
		c := v.Cross(n).Mul(-u.Dot(u)).Add(u.Cross(n).Mul(v.Dot(v))).Mul(-1 / d)
		c = a.Add(c)
		return Ball{c, c.Dist(a)}, c.IsFinite()
	}
	w := on[3].Sub(a)
	d := 2 * u.Dot(v.Cross(w))
	if !(math.Abs(d) > 1e-12*u.Len()*v.Len()*w.Len()) {
		return Ball{}, false
	}
	c := v.Cross(w).Mul(u.Dot(u)).Add(w.Cross(u).Mul(v.Dot(v))).Add(u.Cross(v).Mul(w.Dot(w))).Mul(1 / d)
	c = a.Add(c)
	return Ball{c, c.Dist(a)}, c.IsFinite()
}

// Capsule is all that is within a radius of a segment.
type Capsule struct {
	A, B   geom.Vec3
	Radius float64 // metres
}

// Volume of the capsule.
func (c Capsule) Volume() float64 {
	return math.Pi*c.Radius*c.Radius*c.A.Dist(c.B) + 4./3*math.Pi*c.Radius*c.Radius*c.Radius
}

// Holds is how far a point lies outside, 0 within; metres.
func (c Capsule) Holds(p geom.Vec3) float64 { return max(0, c.From(p)) }

// From is the signed distance of a point from the capsule's surface, negative within; metres.
func (c Capsule) From(p geom.Vec3) float64 {
	d := c.B.Sub(c.A)
	t := 0.0
	if l := d.Dot(d); l > 0 {
		t = min(1, max(0, p.Sub(c.A).Dot(d)/l))
	}
	return p.Dist(c.A.Add(d.Mul(t))) - c.Radius
}

// SmallestCapsule is about the capsule of the least volume that holds a hull: of the directions of
// its smallest box, of its axes, and of what turning those makes smaller. When ctx ends it returns
// early, with one that holds all.
func SmallestCapsule(ctx context.Context, h *geom.Hull) Capsule {
	var best Capsule
	first := true
	box := Smallest(ctx, h)
	for _, axes := range []geom.Mat3{geom.Identity3, box.Axes} {
		for k := range 3 {
			d := geom.Vec3(axes[k])
			c := capsuleAlong(h.Points, d)
			for step := 0.2; step > 1e-4; step /= 2 {
				for again := true; again && ctx.Err() == nil; {
					again = false
					u := d.Across()
					for _, by := range [4]geom.Vec3{u, u.Mul(-1), d.Cross(u), d.Cross(u).Mul(-1)} {
						e := d.Add(by.Mul(step)).Unit()
						if n := capsuleAlong(h.Points, e); n.Volume() < c.Volume()*(1-1e-9) {
							c, d, again = n, e, true
							break
						}
					}
				}
			}
			if first || c.Volume() < best.Volume() {
				best, first = c, false
			}
		}
	}
	return best
}

// capsuleAlong is the smallest capsule along a direction, its middle on the middle of the smallest
// circle of what is seen along it; of wider ones, which may be shorter, the one of least volume.
func capsuleAlong(pts []geom.Vec3, d geom.Vec3) Capsule {
	if len(pts) == 0 {
		return Capsule{}
	}
	u := d.Across()
	v := d.Cross(u)
	flat := make([]geom.Vec3, len(pts))
	for i, p := range pts {
		flat[i] = geom.Vec3{p.Dot(u), p.Dot(v), 0}
	}
	disc := SmallestBall(flat)
	at := func(r float64) Capsule {
		low, high := math.Inf(1), math.Inf(-1)
		for i, p := range pts {
			off := flat[i].Dist(disc.Centre)
			cap := math.Sqrt(max(0, r*r-off*off))
			t := p.Dot(d)
			low, high = min(low, t+cap), max(high, t-cap)
		}
		if low > high { // a ball holds all
			low = (low + high) / 2
			high = low
		}
		base := u.Mul(disc.Centre[0]).Add(v.Mul(disc.Centre[1]))
		return Capsule{base.Add(d.Mul(low)), base.Add(d.Mul(high)), r}
	}
	best := at(disc.Radius)
	for k := 1; k <= 24; k++ {
		if c := at(disc.Radius * (1 + 0.02*float64(k))); c.Volume() < best.Volume() {
			best = c
		}
	}
	for _, p := range pts { // and what rounding left outside
		best.Radius += best.Holds(p)
	}
	return best
}
