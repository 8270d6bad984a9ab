package decompose_test

import (
	"context"
	"testing"

	"yarvek/core/collide/decompose"
	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Hulls of many meshes come out as they did.
func TestHullsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for i, m := range kept.Meshes() {
		if m.Triangles() > 700 {
			continue
		}
		s := shape.Scene("s", nil, m)
		o := []decompose.Options{{Hulls: 6, Points: 24}, {Hulls: 12, Points: 32, Concavity: .05},
			{Hulls: 4, Points: 16, Sheet: .05,
				Down: geom.Vec3{0, -1, 0}}}[i%3]
		lines = append(lines, kept.Line(m.Name, decompose.Of(ctx, s, o), decompose.SheetOf(s)))
	}
	kept.Same(t, "kept.txt", lines)
}
