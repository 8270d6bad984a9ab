package passage_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/passage"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Passages of many meshes come out as they did.
func TestPassagesAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for i, m := range kept.Meshes() {
		if i%3 > 0 {
			continue
		}
		if m.Triangles() == 0 {
			continue
		}
		s := shape.Scene("s", nil, m)
		size := s.Bounds().Size().Len()
		for _, b := range []passage.Body{{Radius: size / 9}, {Radius: size / 16, Height: size / 6, Up: geom.Vec3{0, 1, 0}}} {
			g, err := passage.New(ctx, s, b)
			if err != nil {
				lines = append(lines, kept.Line(m.Name, err.Error()))
				continue
			}
			f := solid.OfBox(fit.Upright(m.Points)).Form(ctx)
			lines = append(lines, kept.Line(m.Name, g.Found, g.Balls(20), g.Open([]passage.Shape{f}, passage.Slack)))
			for _, p := range g.Found {
				lines = append(lines, kept.Line(m.Name+" way", p, p.Through()))
			}
		}
	}
	kept.Same(t, "kept.txt", lines)
}
