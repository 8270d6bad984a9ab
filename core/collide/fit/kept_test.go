package fit_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Simple shapes round many meshes come out as they did.
func TestFitsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		h := geom.HullOf(ctx, m.Points)
		if h == nil || len(h.Points) < 4 {
			continue
		}
		body, off := fit.Within(ctx, m.Points, 12, .02)
		lines = append(lines, kept.Line(m.Name, fit.Upright(m.Points), fit.Smallest(ctx, h), fit.SmallestBall(m.Points),
			fit.SmallestCapsule(ctx, h),
			fit.SlabOf(m.Points, 14), fit.SlabOf(m.Points, 26), fit.Around(ctx, h, 10), fit.OfHull(h), body, off))
		c := fit.NewConvex(fit.OfHull(h))
		b := shape.Scene("b", nil, m).Bounds()
		for _, p := range []geom.Vec3{b.Center(), b.Max, b.Min.Sub(geom.Vec3{1, 2, 3})} {
			lines = append(lines, kept.Line(m.Name+" from", c.Distance(p), c.Beyond(p)))
		}
	}
	kept.Same(t, "kept.txt", lines)
}
