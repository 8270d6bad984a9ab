package gap_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/gap"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Gaps between shapes and many meshes come out as they did.
func TestGapsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for i, m := range kept.Meshes() {
		if i%3 > 0 {
			continue
		}
		h := geom.HullOf(ctx, m.Points)
		if h == nil || len(h.Points) < 4 {
			continue
		}
		s := shape.Scene("s", nil, m)
		shapes := []*solid.Form{solid.OfBox(fit.Upright(m.Points)).Form(ctx),
			solid.OfBall(fit.SmallestBall(m.Points[:len(m.Points)/2+1])).Form(ctx)}
		size := s.Bounds().Size().Len()
		for _, closed := range []bool{true, false} {
			b := gap.NewMesh(ctx, s, closed).Of(ctx, shapes, size/20)
			lines = append(lines, kept.Line(m.Name, b, b.Out, b.In, gap.Volume(shapes, 12)))
		}
	}
	kept.Same(t, "kept.txt", lines)
}
