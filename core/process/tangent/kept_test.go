package tangent_test

import (
	"context"
	"testing"

	"yarvek/core/process/tangent"
	"yarvek/core/shape/kept"
)

// Tangents over many meshes come out as they did.
func TestTangentsAreKept(t *testing.T) {
	var lines []string
	for _, m := range kept.Meshes() {
		got := tangent.Of(context.Background(), m)
		lines = append(lines, kept.Line(m.Name, got.Tangents.Values, got.Tangents.Index, got.Points, got.Corners))
	}
	kept.Same(t, "kept.txt", lines)
}
