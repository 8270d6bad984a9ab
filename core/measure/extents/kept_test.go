package extents_test

import (
	"context"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Extents, bodies and ground over many meshes come out as they did.
func TestExtentsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		s := shape.Scene("s", nil, m, m.Mapped(geom.Translation(geom.Vec3{5, 1, 0})))
		pts := extents.Points(s)
		box, area, volume := extents.Sized(s)
		lines = append(lines, kept.Line(m.Name, extents.OfMesh(ctx, m), extents.Of(ctx, s), extents.BodyOf(ctx, s), len(pts),
			extents.GroundOf(pts, geom.Vec3{0, 1, 0}), box, area, volume))
	}
	kept.Same(t, "kept.txt", lines)
}
