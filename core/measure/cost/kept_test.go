package cost_test

import (
	"context"
	"testing"

	"yarvek/core/measure/cost"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Costs over many meshes come out as they did.
func TestCostsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		c := cost.Of(ctx, m)
		lines = append(lines, kept.Line(m.Name, c, c.Splits, c.Bytes, cost.OfScene(ctx, shape.Scene("s", nil, m, m))))
	}
	kept.Same(t, "kept.txt", lines)
}
