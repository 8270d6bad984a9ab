package solid_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/shape/kept"
)

// Shapes, their meshes and distances come out as they did.
func TestSolidsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	turn := geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, .7).Scaled(2))
	turn.T = geom.Vec3{1, -2, 3}
	for _, m := range kept.Meshes() {
		h := geom.HullOf(ctx, m.Points)
		if h == nil || len(h.Points) < 4 {
			continue
		}
		for _, s := range []solid.Solid{solid.OfBox(fit.Smallest(ctx, h)), solid.OfBall(fit.SmallestBall(m.Points)),
			solid.OfCapsule(fit.SmallestCapsule(ctx, h)), solid.OfBody(fit.Around(ctx, h, 20))} {
			for _, x := range []solid.Solid{s, s.Carried(turn)} {
				f := x.Form(ctx)
				b := f.Bounds()
				lines = append(lines, kept.Line(m.Name+" "+string(x.Kind), x, f.Volume(), b, f.Mesh("m"), f.Distance(b.Center()),
					f.Distance(b.Max.Add(geom.Vec3{1, 0, 2})), f.Beyond(b.Center()), f.Beyond(b.Min), x.Validate()))
			}
		}
	}
	kept.Same(t, "kept.txt", lines)
}
