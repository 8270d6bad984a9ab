package ladder_test

import (
	"context"
	"testing"

	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Climbs, outlines and what is drawn of many meshes come out as they did.
func TestClimbsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	v := ladder.View{Lines: 1080, Angle: 60}
	for i, m := range kept.Meshes() {
		if m.Triangles() < 8 || i%2 == 1 && m.Triangles() < 60 {
			continue
		}
		s := shape.Scene("s", make([]scene.Material, 8), m)
		by := []ladder.Making{{}, {KeepPoints: true, Detail: -1}, {OfFirst: true, Angle: 40}}[i%3]
		c, meshes := ladder.Down(ctx, s, by, []float64{.4}, nil)
		lines = append(lines, kept.Line(m.Name, c, meshes))
		outside := ladder.Outside(ctx, s)
		lines = append(lines, kept.Line(m.Name+" outside", outside))
		r := ladder.Range{Near: 1, Far: 60}
		for _, w := range ladder.Few(c, v, 1, r, 4) {
			lines = append(lines, kept.Line(m.Name+" wish", w))
		}
		if n := len(meshes); n > 0 {
			less := ladder.Put(s, meshes[n/2])
			of := ladder.NewOutlines(ctx, s)
			at := of.Apart(ctx, of.Like(ctx, less))
			lines = append(lines, kept.Line(m.Name+" apart", at, ladder.Lens(ctx, s, less, at, .5, 24)))
		}
		lines = append(lines, kept.Line(m.Name+" drawn", ladder.Drawn(r, []int{900, 300, 100}, []float64{1, 10, 30})))
	}
	kept.Same(t, "kept.txt", lines)
}
