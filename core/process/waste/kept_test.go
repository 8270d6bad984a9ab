package waste_test

import (
	"context"
	"testing"

	"yarvek/core/process/waste"
	"yarvek/core/shape/kept"
)

// What is taken out of many meshes comes out as it did.
func TestWasteIsKept(t *testing.T) {
	var lines []string
	for _, m := range kept.Meshes() {
		lines = append(lines, kept.Line(m.Name, waste.Of(context.Background(), m)))
	}
	kept.Same(t, "kept.txt", lines)
}
