package floor

import (
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
)

// contactKey names a contact from one step to the next: the parts that touch, and which corner.
// One without a lasting name has id -1.
type contactKey struct{ a, b, part, other, id int }

// contact is a place where a body touches the ground or another.
type contact struct {
	key   contactKey
	a, b  *Body // b is nil for the ground
	at    geom.Vec3
	n     geom.Vec3 // from b to a, unit
	depth float64   // negative where there is still a gap

	t, u                  geom.Vec3
	ra, rb                geom.Vec3
	massN, massT, massU   float64
	target                float64
	normal, along, beside float64
	pushed                float64
}

// contacts finds where bodies touch the ground and one another.
func contacts(bodies []*Body) []contact {
	var list []contact
	for i, a := range bodies {
		if a.inverse > 0 && a.At[1]-a.reach < margin+a.fall() {
			list = a.onGround(i, list)
		}
		for j := range i {
			b := bodies[j]
			near := margin + step*(a.fastest()+b.fastest())
			if a.inverse+b.inverse == 0 || a.At.Dist(b.At) > a.reach+b.reach+near {
				continue
			}
			for p := range a.parts {
				for q := range b.parts {
					list = touch(a, b, contactKey{i, j, p, q, 0}, near, list)
				}
			}
		}
	}
	return list
}

// fastest is the speed that no point of it exceeds.
func (b *Body) fastest() float64 { return b.v.Len() + b.w.Len()*b.reach }

// fall is how far a body may come down in a step.
func (b *Body) fall() float64 { return max(0, (-b.v[1]+b.w.Len()*b.reach)*step) }

// mostGround bounds the corners of a body that stand on the ground at once.
const mostGround = 12

// onGround adds what of a body touches the ground, or will within the step.
func (b *Body) onGround(number int, list []contact) []contact {
	up := geom.Vec3{0, 1, 0}
	var found []contact
	near := margin + b.fall()
	for i := range b.parts {
		p := &b.parts[i]
		if b.Apply(p.middle)[1]-p.around > near {
			continue
		}
		add := func(id int, q geom.Vec3) {
			if q[1] < near {
				found = append(found, contact{key: contactKey{number, -1, i, -1, id}, a: b, at: q, n: up, depth: -q[1]})
			}
		}
		if p.radius > 0 {
			add(0, b.Apply(p.a).Sub(up.Mul(p.radius)))
			if p.a != p.b {
				add(1, b.Apply(p.b).Sub(up.Mul(p.radius)))
			}
			continue
		}
		for k, q := range p.points {
			if b.At[1]+b.Turn[1].Dot(q) < near {
				add(k, b.Apply(q))
			}
		}
	}
	return append(list, spread(found, mostGround)...)
}

// spread is some of many contacts: the deepest, and each time the one farthest from those.
func spread(list []contact, most int) []contact {
	if len(list) <= most {
		return list
	}
	first := 0
	for i := range list {
		if list[i].depth > list[first].depth {
			first = i
		}
	}
	out := []contact{list[first]}
	far := make([]float64, len(list))
	for i := range far {
		far[i] = math.Inf(1)
	}
	for len(out) < most {
		best := 0
		for i := range list {
			far[i] = min(far[i], list[i].at.Dist(out[len(out)-1].at))
			if far[i] > far[best] {
				best = i
			}
		}
		out = append(out, list[best])
	}
	return out
}

// touch adds the contacts of two parts that are, or will be within the step, as near as that.
func touch(a, b *Body, key contactKey, near float64, list []contact) []contact {
	p, q := &a.parts[key.part], &b.parts[key.other]
	if a.Apply(p.middle).Dist(b.Apply(q.middle)) > p.around+q.around+near {
		return list
	}
	switch {
	case p.radius > 0 && q.radius > 0:
		// The nearest points of two segments, by going to and fro between them.
		x, y := a.Apply(p.a), b.Apply(q.a)
		for range 8 {
			y = onSegment(x, b.Apply(q.a), b.Apply(q.b))
			x = onSegment(y, a.Apply(p.a), a.Apply(p.b))
		}
		return append(list, round{a, b, key, fit.Ball{Centre: x, Radius: p.radius}, fit.Ball{Centre: y, Radius: q.radius}}.
			within(near)...)
	case p.radius > 0:
		for i, e := range balls(p) {
			key.id = i
			list = append(list, ballOnHull(a, b, key, fit.Ball{Centre: a.Apply(e), Radius: p.radius}, q, near)...)
		}
		return list
	case q.radius > 0:
		for i, e := range balls(q) {
			key.id = i
			list = append(list, turned(ballOnHull(b, a, key, fit.Ball{Centre: b.Apply(e), Radius: q.radius}, p, near))...)
		}
		return list
	}
	return hulls(a, b, key, p, q, near, list)
}

// mostBalls bounds how many balls stand for a long round part.
const mostBalls = 33

// balls are the middles of the balls that stand for a round part: its ends first, and others between them, no farther
// from one another than its radius, so that nothing with an edge gets deeper between two than a seventh of that.
func balls(p *part) []geom.Vec3 {
	list := []geom.Vec3{p.a}
	if p.a == p.b {
		return list
	}
	list = append(list, p.b)
	n := min(mostBalls-1, int(math.Ceil(p.a.Dist(p.b)/p.radius)))
	for k := 1; k < n; k++ {
		list = append(list, p.a.Add(p.b.Sub(p.a).Mul(float64(k)/float64(n))))
	}
	return list
}

func onSegment(p, a, b geom.Vec3) geom.Vec3 {
	d := b.Sub(a)
	l := d.Dot(d)
	if l == 0 {
		return a
	}
	return a.Add(d.Mul(min(1, max(0, p.Sub(a).Dot(d)/l))))
}

// round is a ball of one body and a ball of another one, where both stand now.
type round struct {
	a, b *Body
	key  contactKey
	x, y fit.Ball
}

// within is the contact of the two, when they are, or will be within the step, as near as that.
func (r round) within(near float64) []contact {
	d := r.x.Centre.Sub(r.y.Centre)
	l := d.Len()
	if l > r.x.Radius+r.y.Radius+near {
		return nil
	}
	n := geom.Vec3{0, 1, 0}
	if l > 0 {
		n = d.Mul(1 / l)
	}
	return []contact{{key: r.key, a: r.a, b: r.b, at: r.y.Centre.Add(n.Mul(r.y.Radius)), n: n,
		depth: r.x.Radius + r.y.Radius - l}}
}

// ballOnHull is the contact of a ball of body a, where it stands now, with a hull of body b.
func ballOnHull(a, b *Body, key contactKey, x fit.Ball, h *part, near float64) []contact {
	at, n, d := h.nearest(b.Turn.Transpose().Apply(x.Centre.Sub(b.At)))
	if d > x.Radius+near {
		return nil
	}
	return []contact{{key: key, a: a, b: b, at: b.Apply(at), n: b.Turn.Apply(n), depth: x.Radius - d}}
}

// turned are contacts seen from the other body.
func turned(list []contact) []contact {
	for i := range list {
		c := &list[i]
		c.a, c.b, c.n = c.b, c.a, c.n.Mul(-1)
	}
	return list
}

// nearest is the place of a hull's surface nearest to a point, the direction from there to the point
// when it is outside, and outward otherwise, and the distance, negative within.
func (p *part) nearest(q geom.Vec3) (at, n geom.Vec3, d float64) {
	// By the axis that parts a point from the hull best, made better by going to the nearest place
	// on it (Gilbert, Johnson and Keerthi 1988, with a point for one of the bodies).
	d = math.Inf(-1)
	for _, m := range p.normals {
		if e := m.Dot(q) - m.Dot(p.support(m)); e > d {
			d, n = e, m
		}
	}
	if d <= 0 {
		return q.Sub(n.Mul(d)), n, d
	}
	near := nearestOfHull(p.points, q)
	away := q.Sub(near)
	if l := away.Len(); l > 1e-12 {
		return near, away.Mul(1 / l), l
	}
	return near, n, 0
}

// support is the corner farthest along a direction.
func (p *part) support(d geom.Vec3) geom.Vec3 {
	best, most := geom.Vec3{}, math.Inf(-1)
	for i := range p.points {
		q := &p.points[i]
		if e := d[0]*q[0] + d[1]*q[1] + d[2]*q[2]; e > most {
			best, most = *q, e
		}
	}
	return best
}
