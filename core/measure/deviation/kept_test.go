package deviation_test

import (
	"context"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Deviations of meshes from themselves moved a little come out as they did.
func TestDeviationsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		if m.Triangles() == 0 {
			continue
		}
		off := m.Mapped(geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, .1)))
		a, b := shape.Scene("a", nil, m), shape.Scene("b", nil, off)
		x, y := deviation.NewSurface(ctx, a), deviation.NewMeshSurface(ctx, off)
		d := deviation.Of(ctx, a, b, 900)
		lines = append(lines, kept.Line(m.Name, d, d.Worst(), x.Area(), x.Farthest(ctx, y, 500), x.From(ctx, y, 300)))
	}
	kept.Same(t, "kept.txt", lines)
}
