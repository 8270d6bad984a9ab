package simplify_test

import (
	"context"
	"fmt"
	"testing"

	"yarvek/core/process/simplify"
	"yarvek/core/shape/kept"
)

// Coarser meshes of many come out as they did.
func TestCoarserMeshesAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		n := m.Triangles()
		for _, o := range []simplify.Options{{Triangles: n / 2, Detail: 1}, {Triangles: n / 4}, {Deviation: .05, Detail: 1},
			{Triangles: n / 3, KeepPoints: true}, {Triangles: n / 2, Borders: true, Detail: 2},
			{Triangles: n / 2, Mirrored: true},
			{Triangles: n / 2, Locked: func(f int) bool { return f%3 == 0 }},
			{Triangles: n / 2, Weight: func(f int) float64 { return float64(1 + f%4) }}} {
			lines = append(lines, kept.Line(m.Name, simplify.Of(ctx, m, o)))
		}
		for _, r := range simplify.Steps(ctx, m, simplify.Usual, []int{n * 3 / 4, n / 4}) {
			lines = append(lines, kept.Line(m.Name+" step", r))
		}
	}
	for i, s := range kept.Scenes() {
		for k, o := range []simplify.SceneOptions{{Ratio: .5, Detail: 1}, {Triangles: 60},
			{Triangles: 20, Locked: map[string]bool{"slot 1": true}}, {Ratio: .4, Mirrored: true}} {
			out, why := simplify.Scene(ctx, s, o)
			lines = append(lines, kept.Line(fmt.Sprintf("scene %d.%d", i, k), out, why))
		}
	}
	kept.Same(t, "kept.txt", lines)
}
