package order_test

import (
	"context"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/process/order"
	"yarvek/core/shape/kept"
)

// Orders of triangles over many meshes come out as they did.
func TestOrdersAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		var index []uint32
		m.EachTriangle(func(_ int, a, b, c int32) {
			index = append(index, uint32(m.Corners[a]), uint32(m.Corners[b]), uint32(m.Corners[c]))
		})
		n := len(m.Points)
		place := func(v uint32) geom.Vec3 { return m.Points[v] }
		lines = append(lines, kept.Line(m.Name, order.Tipsify(ctx, index, n, 16), order.Tipsify(ctx, index, n, 6),
			order.Forsyth(ctx, index, n, 16),
			order.Forsyth(ctx, index, n, 5), order.Best(ctx, index, n, place)))
	}
	kept.Same(t, "kept.txt", lines)
}
