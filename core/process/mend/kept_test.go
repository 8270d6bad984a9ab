package mend_test

import (
	"context"
	"testing"

	"yarvek/core/measure/flaw"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/shape/kept"
	"yarvek/core/topo"
)

// What is mended in many meshes comes out as it did.
func TestMendingIsKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		line := func(what string, out *scene.Mesh, n ...any) {
			lines = append(lines, kept.Line(m.Name+" "+what, append([]any{out}, n...)...))
		}
		net := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
		parts := net.Parts(ctx)
		borders := net.Borders(ctx)
		areas := mend.Areas(net, parts)
		sheet, hole := mend.Sheets(net, parts, borders)
		lines = append(lines, kept.Line(m.Name, areas, sheet, hole))
		f := flaw.Find(ctx, m, flaw.Limits{})
		line("faces", mend.Faces(m, f.Empty))
		line("flat", mend.Flat(m, f.Bent))
		line("turn", mend.Turn(m, f.Flipped))
		for _, tol := range []float64{0, .05, .3} {
			out, joined, gone := mend.Weld(ctx, m, tol)
			line("weld", out, joined, gone)
			out, joined, gone = mend.ShortEdges(ctx, m, tol)
			line("short", out, joined, gone)
		}
		out, n := mend.Unused(m)
		line("unused", out, n)
		out, n = mend.Units(m)
		line("units", out, n)
		out, n = mend.Holes(ctx, m, net, borders, parts, 12)
		line("holes", out, n)
		for _, by := range []mend.Smoothing{{By: mend.ByAngle, Angle: 30, Blend: 1},
			{By: mend.ByAngle, Angle: 70, Blend: .4}} {
			out, n = mend.Smooth(ctx, m, net, by)
			line("smooth", out, n)
		}
		for _, side := range []mend.Side{mend.Both, mend.Front, mend.Back} {
			out, n = mend.Thicken(ctx, m, net, parts, func(int32) bool { return true }, .04, side)
			line("thick", out, n)
		}
	}
	kept.Same(t, "kept.txt", lines)
}
