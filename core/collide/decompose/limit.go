package decompose

import (
	"context"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
)

// outMost is how far surface may stick out of a hull, as a share of the size of all, because it may
// have few points; one that would stick out farther gets a body around it.
const outMost = 0.008

// Where a hull must fill a hollow it may give way by so much on its round outside, as a share of the
// size of all: then it is about as far too large as it is too small. That is so from which excess
// over what its pieces fill.
const (
	giveWay = 0.014
	filling = 1.06
)

// limited is the part with no more points than it may have: those of its corners that each time lie
// farthest outside of what there is already.
func (c *cutting) limited(ctx context.Context, x *part) Hull {
	if len(x.hull.Planes) == 0 || x.volume <= 0 {
		return Hull{Body: c.thickened(ctx, x.hull.Points)}
	}
	give := 0.0
	if c.closed && x.volume > filling*(x.volume-x.excess()) {
		if give = giveWay * c.size; c.sheet > 0 {
			give = min(give, c.sheet/2) // or it would leave the sheet behind
		}
	}
	if len(x.hull.Points) <= c.o.Points && give == 0 {
		return Hull{Body: x.hull.Body, Concavity: x.depth()}
	}
	body, out := fit.Within(ctx, x.hull.Points, c.o.Points, give)
	if out > max(give, outMost*c.size) {
		around := fit.NewConvex(fit.Around(ctx, geom.HullWithin(ctx, x.hull.Points, geom.Finely), c.o.Points))
		if c.blocked(around) <= c.blocked(x.hull)+1e-12 {
			return Hull{Body: around.Body, Concavity: x.depth()}
		}
	}
	return Hull{Body: body, Concavity: x.depth(), Out: out}
}

// thickness is how thick what is flat is made, as a share of the size of all.
const thickness = 5e-4

// thickened is a body round points without thickness: their outline, as much above their plane as below,
// or a box where they lie on a line or in one place.
func (c *cutting) thickened(ctx context.Context, pts []geom.Vec3) fit.Body {
	h := geom.HullWithin(ctx, pts, 1e-6)
	half := thickness / 2 * c.size
	if h.Flat && len(h.Faces) > 0 {
		a := h.Points[h.Faces[0][0]]
		n := h.Points[h.Faces[0][1]].Sub(a).Cross(h.Points[h.Faces[0][2]].Sub(a)).Unit().Mul(half)
		var both []geom.Vec3
		for _, p := range h.Points {
			both = append(both, p.Add(n), p.Sub(n))
		}
		body, out := fit.Within(ctx, both, c.o.Points, 0)
		if out <= outMost*c.size {
			return body
		}
		return fit.Around(ctx, geom.HullWithin(ctx, both, geom.Finely), c.o.Points)
	}
	b := fit.Upright(pts)
	for k := range b.Half {
		b.Half[k] += half
	}
	return b.Body()
}
