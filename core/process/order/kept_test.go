package order_test

import (
	"context"
	"math"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/process/order"
	"yarvek/core/scene"
	"yarvek/core/shape/kept"
)

// Orders of triangles over many meshes come out as they did.
func TestOrdersAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	wheel := &scene.Mesh{Name: "wheel", Points: make([]geom.Vec3, 301), FaceStart: []int32{0}, Slots: []int{-1}}
	for i := range int32(300) { // round one point, more than are followed
		y, x := math.Sincos(float64(i) / 300 * 2 * math.Pi)
		wheel.Points[i+1] = geom.Vec3{x, y, 0}
		wheel.Corners = append(wheel.Corners, 0, 1+i*7%300, 1+(i*7+1)%300)
		wheel.FaceStart = append(wheel.FaceStart, 3*i+3)
	}
	for _, m := range append(kept.Meshes(), wheel) {
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
