package unfold_test

import (
	"context"
	"testing"

	"yarvek/core/process/unfold"
	"yarvek/core/shape/kept"
)

// Charts of many meshes come out as they did.
func TestChartsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for i, m := range kept.Meshes() {
		o := unfold.Options{Size: 256, Padding: 2}
		if i%3 == 0 {
			o = unfold.Options{Size: 512, Padding: 5, Stretch: 1.05}
		}
		r, err := unfold.Unfold(ctx, []unfold.Piece{{Mesh: m, Scale: 1}}, o, nil)
		lines = append(lines, kept.Line(m.Name, r, err))
	}
	kept.Same(t, "kept.txt", lines)
}
