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
		var tris []int32
		m.EachTriangle(func(_ int, a, b, c int32) { tris = append(tris, m.Corners[a], m.Corners[b], m.Corners[c]) })
		for _, tol := range []float64{1e-6, .15} {
			o := flaw.Overlaps(ctx, m.Points, tris, tol, flaw.InFull, func(int, int) bool { return false })
			n, area, at := o.Within(tol / 2)
			lines = append(lines, kept.Line(m.Name+" flicker", o, n, area, at))
		}
	}
	lines = append(lines, kept.Line("depth", flaw.Apart(.1), flaw.Apart(5), flaw.Apart(400)))
	a, at := flaw.Shared([3]geom.Vec3{{0, 0, 0}, {2, 0, 0}, {0, 2, 0}}, [3]geom.Vec3{{.5, .5, 0}, {3, .5, 0}, {.5, 3, 0}},
		geom.Vec3{0, 0, 1})
	kept.Same(t, "kept.txt", append(lines, kept.Line("shared", a, at)))
}
