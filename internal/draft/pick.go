package draft

import (
	"context"
	"math"

	"yarvek/core/geom"
)

// Pick is a place of the model somebody pointed at.
type Pick struct {
	Point  geom.Vec3 // metres, in the frame of the paper
	Kind   Catch
	Edge   [2]geom.Vec3 // the feature edge it is on, for all but a surface
	Normal geom.Vec3    // of the surface there, toward the viewer
}

// Catch is what a pick fell on.
type Catch string

// What can be picked, the one that comes first first.
const (
	Corner  Catch = "corner"
	Middle  Catch = "middle" // of an edge
	Edge    Catch = "edge"
	Surface Catch = "surface"
	Dot     Catch = "dot" // of points without faces
)

// HasEdge tells whether the pick is on a feature edge.
func (p Pick) HasEdge() bool { return p.Kind != Surface && p.Kind != Dot }

// Pick finds what a ray points at. Corners come before the middles of edges, those
// before edges, and those before the surface; reach is how far beside the ray, in
// metres, something at a distance still counts as pointed at. Only what is not
// hidden is picked. The error is ctx's.
func (m *Model) Pick(ctx context.Context, from, along geom.Vec3, reach func(distance float64) float64) (best Pick,
	ok bool, err error) {
	along = along.Unit()
	at, depth, normal, ok, err := m.first(ctx, from, along)
	if err != nil {
		return best, false, err
	}
	if ok {
		best = Pick{Point: at, Kind: Surface, Normal: normal}
	} else {
		depth = math.Inf(1)
	}
	// An edge lies on the surface, a little to the side of where the ray meets it.
	bias := func(d float64) float64 { return 2*reach(d) + 1e-3*m.Box.Size().Len() }
	far := math.Inf(1)
	near, deep := [3]float64{far, far, far}, [3]float64{far, far, far} // beside the ray, and along it
	try := func(rank int, kind Catch, p geom.Vec3, e edge) {
		d := p.Sub(from).Dot(along)
		off := p.Sub(from).Sub(along.Mul(d)).Len()
		if d < 0 || off > reach(d) || d > depth+bias(d) {
			return
		}
		// As near to the ray within a tenth of the reach, the one in front is meant:
		// beside an outline nothing else tells which of two is hidden.
		slack := 0.1 * reach(d)
		if off > near[rank]+slack || off >= near[rank]-slack && d >= deep[rank] {
			return
		}
		near[rank], deep[rank] = off, d
		for r := range rank {
			if !math.IsInf(near[r], 1) {
				return // something better was found
			}
		}
		best = Pick{Point: p, Kind: kind, Edge: [2]geom.Vec3{m.points[e.a], m.points[e.b]}, Normal: m.faces[e.f0]}
		if best.Normal.Dot(along) > 0 {
			best.Normal = best.Normal.Mul(-1)
		}
		ok = true
	}
	for _, e := range m.edges {
		if !e.hard {
			continue
		}
		a, b := m.points[e.a], m.points[e.b]
		q := closest(a, b, from, along)
		d := q.Sub(from).Dot(along)
		if off := q.Sub(from).Sub(along.Mul(d)).Len(); off > reach(max(d, 0)) {
			continue // no end and no middle of it is nearer
		}
		try(0, Corner, a, e)
		try(0, Corner, b, e)
		try(1, Middle, a.Add(b).Mul(.5), e)
		try(2, Edge, q, e)
	}
	if !ok {
		best, ok = m.dot(from, along, reach)
	}
	return best, ok, nil
}

// dot is the one of the points within reach of a ray that is nearest to the viewer.
func (m *Model) dot(from, along geom.Vec3, reach func(distance float64) float64) (best Pick, ok bool) {
	near := math.Inf(1)
	for _, dot := range m.dots {
		p := dot.place()
		d := p.Sub(from).Dot(along)
		if d >= 0 && d < near && p.Sub(from).Sub(along.Mul(d)).Len() <= reach(d) {
			near, best, ok = d, Pick{Point: p, Kind: Dot, Normal: along.Mul(-1)}, true
		}
	}
	return best, ok
}

// closest is the point of a segment nearest to a line (Ericson 2004, "Real-Time
// Collision Detection", section 5.1.8).
func closest(a, b, from, along geom.Vec3) geom.Vec3 {
	u, w := b.Sub(a), a.Sub(from)
	uu, uv, uw, vw := u.Dot(u), u.Dot(along), u.Dot(w), along.Dot(w)
	den := uu - uv*uv
	t := 0.0
	if den > 1e-15*uu {
		t = min(max((uv*vw-uw)/den, 0), 1)
	}
	return a.Add(u.Mul(t))
}

// Ray is the line of sight through a place on the paper.
type Ray struct {
	From, Along geom.Vec3
	Side        Side
}

// Sight finds the view a place on the paper belongs to and the line of sight through
// it; false beyond all views and their surroundings.
func (l Layout) Sight(box geom.Box, x, y float64) (Ray, bool) {
	const m = 14
	for _, side := range []Side{Front, RightSide, Plan} {
		u0, v0, w, h := side.extent(box)
		x0, y0 := l.corner(side)
		u, v := (x-x0)/l.Scale, (y0-y)/l.Scale
		edge := m / l.Scale
		if u < -edge || v < -edge || u > w+edge || v > h+edge {
			continue
		}
		far := box.Size().Len() + 1
		r := Ray{Side: side, From: side.unproject(u0+u, v0+v, side.nearest(box)+far)}
		r.Along = side.unproject(0, 0, -1)
		return r, true
	}
	return Ray{}, false
}

// unproject is the inverse of project.
func (s Side) unproject(u, v, near float64) geom.Vec3 {
	switch s {
	case RightSide:
		return geom.Vec3{near, v, -u}
	case Plan:
		return geom.Vec3{u, near, -v}
	}
	return geom.Vec3{u, v, near}
}

// nearest is how near the box comes to the viewer.
func (s Side) nearest(b geom.Box) float64 {
	_, _, n0 := s.project(b.Min)
	_, _, n1 := s.project(b.Max)
	return max(n0, n1)
}

// corner is the lower left of a view on the paper.
func (l Layout) corner(side Side) (x, y float64) {
	switch side {
	case RightSide:
		return l.sx, l.floor
	case Plan:
		return l.fx, l.planY
	}
	return l.fx, l.floor
}

// Reach is how far beside a line of sight something on the paper counts as pointed
// at: nine pixels.
func (l Layout) Reach() func(float64) float64 {
	r := 9 / l.Scale
	return func(float64) float64 { return r }
}

// Area turns a rectangle on the paper into metres of the view it lies on, that of its first
// corner or else the plan: lower and upper along the axes of the paper's frame that lie in
// the view, x and z on the plan, x and y on the front, z and y on the side.
func (l Layout) Area(box geom.Box, x0, y0, x1, y1 float64) (Side, [4]float64) {
	side := l.On(box, x0, y0)
	a, b := l.Along(side, box, x0, y0), l.Along(side, box, x1, y1)
	return side, [4]float64{min(a[0], b[0]), min(a[1], b[1]), max(a[0], b[0]), max(a[1], b[1])}
}

// On is the view that a place of the paper is on: the plan where it is on none.
func (l Layout) On(box geom.Box, x, y float64) Side {
	if r, ok := l.Sight(box, x, y); ok {
		return r.Side
	}
	return Plan
}

// Along is where a place of the paper is along the two axes of a view, which may end before it.
func (l Layout) Along(side Side, box geom.Box, x, y float64) [2]float64 {
	u0, v0, _, _ := side.extent(box)
	px, py := l.corner(side)
	p := side.unproject(u0+(x-px)/l.Scale, v0+(py-y)/l.Scale, 0)
	switch side {
	case Plan:
		return [2]float64{p[0], p[2]}
	case RightSide:
		return [2]float64{p[2], p[1]}
	}
	return [2]float64{p[0], p[1]}
}

// Places gives the paper positions of a point in the three views.
func (l Layout) Places(box geom.Box, p geom.Vec3) (at [3][2]float64) {
	for _, side := range []Side{Front, RightSide, Plan} {
		x, y := l.place(box, side, p)
		at[side] = [2]float64{math.Round(x*10) / 10, math.Round(y*10) / 10}
	}
	return at
}

// HeadingOf is the heading of a direction of the paper's frame in whole degrees,
// anticlockwise from above, from the front; 0 for an upright one.
func HeadingOf(n geom.Vec3) float64 {
	if math.Hypot(n[0], n[2]) < 0.3*n.Len() {
		return 0
	}
	return math.Round(math.Atan2(n[0], n[2]) * 180 / math.Pi)
}
