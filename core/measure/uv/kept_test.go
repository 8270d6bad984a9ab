package uv_test

import (
	"context"
	"testing"

	"yarvek/core/measure/uv"
	"yarvek/core/shape/kept"
)

// Densities and covers over many meshes come out as they did.
func TestUVsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		if len(m.UVs) == 0 {
			continue
		}
		var by uv.ByMaterial
		uv.Triangles(m, 0, &by)
		c := by.Cover(ctx)
		lines = append(lines, kept.Line(m.Name, uv.Densities(m, 0), c, c.Share(c.Overlap), c.Share(c.Outside)))
		for _, l := range by.Lists {
			lines = append(lines, kept.Line(m.Name+" list", uv.CoverOf(ctx, l)))
		}
	}
	kept.Same(t, "kept.txt", lines)
}
