package flaw_test

import (
	"context"
	"math"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/shape/kept"
)

// Flaws over many meshes come out as they did, by the usual limits and by others; so do faces that flicker and
// facets that show.
func TestFlawsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		lines = append(lines, kept.Line(m.Name, flaw.Find(ctx, m, flaw.Limits{}),
			flaw.Find(ctx, m, flaw.Limits{Weld: .01, Empty: 1e-4, Needle: 8, Edge: .2, Bent: .01})),
			kept.Line(m.Name+" bent by", flaw.Find(ctx, m, flaw.Limits{BentBy: .02}), flaw.FacetsOf(ctx, m, math.Pi/5)))
		all := flaw.Triangles{Points: m.Points} // each triangle for itself
		m.EachTriangle(func(_ int, a, b, c int32) {
			all.Corners = append(all.Corners, m.Corners[a], m.Corners[b], m.Corners[c])
			all.Faces = append(all.Faces, int32(len(all.Faces)))
		})
		for _, tol := range []float64{1e-6, .15} {
			o := flaw.Overlaps(ctx, all, tol, flaw.InFull, func(int, int) bool { return false })
			n, area, at := o.Within(tol / 2)
			lines = append(lines, kept.Line(m.Name+" flicker", o, n, area, at))
		}
	}
	lines = append(lines, kept.Line("depth", flaw.Apart(.1), flaw.Apart(5), flaw.Apart(400)))
	a, at := flaw.Shared([3]geom.Vec3{{0, 0, 0}, {2, 0, 0}, {0, 2, 0}}, [3]geom.Vec3{{.5, .5, 0}, {3, .5, 0}, {.5, 3, 0}},
		geom.Vec3{0, 0, 1})
	kept.Same(t, "kept.txt", append(lines, kept.Line("shared", a, at)))
}
