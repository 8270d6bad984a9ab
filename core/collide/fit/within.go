package fit

import (
	"context"

	"yarvek/core/geom"
)

// Within is a hull of some of the corners of one, given as its corners: those that each time lie farthest
// outside of what there is, at most so many, and no more than leave none farther outside than enough; and
// how far the others lie outside. It is within the hull, as [Around] is outside of it. When ctx ends it
// returns early, with the hull itself.
func Within(ctx context.Context, pts []geom.Vec3, most int, enough float64) (Body, float64) {
	var chosen []geom.Vec3
	taken := make([]bool, len(pts))
	take := func(i int) {
		if !taken[i] {
			taken[i] = true
			chosen = append(chosen, pts[i])
		}
	}
	for k := range 3 {
		lo, hi := 0, 0
		for i, p := range pts {
			if p[k] < pts[lo][k] {
				lo = i
			}
			if p[k] > pts[hi][k] {
				hi = i
			}
		}
		take(lo)
		take(hi)
	}
	for ctx.Err() == nil {
		g := geom.HullWithin(ctx, chosen, geom.Finely)
		body := NewConvex(OfHull(g))
		far, out := -1, 0.0
		for i, p := range pts {
			if taken[i] {
				continue
			}
			d := 0.0
			if len(body.Planes) > 0 {
				d = body.Beyond(p)
			} else {
				d = body.Distance(p)
			}
			if d > out {
				far, out = i, d
			}
		}
		if far < 0 || len(chosen) >= most || out <= enough && len(body.Planes) > 0 {
			return body.Body, out
		}
		take(far)
	}
	return OfHull(geom.HullWithin(ctx, pts, geom.Finely)), 0
}
