package twin_test

import (
	"context"
	"math"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/twin"
	"yarvek/core/scene"
	"yarvek/core/shape/kept"
)

// Which of many meshes are one another's twins comes out as it did: turned, mirrored, moved by a little, with other
// slots, UVs and smoothing, and with faces in another order.
func TestTwinsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	turn := geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, .7))
	turn.T = geom.Vec3{4, 5, 6}
	mirror := geom.Identity3
	mirror[0][0] = -1
	for _, m := range kept.Meshes() {
		if m.Triangles() == 0 {
			continue
		}
		order := make([]int32, m.Faces())
		for i := range order {
			order[i] = int32(len(order) - 1 - i)
		}
		near := m.Mapped(geom.Identity)
		for i := range near.Points { // each by nearly the tolerance, into the cells around
			k := 9e-4 / math.Sqrt(3)
			near.Points[i] = near.Points[i].Add(geom.Vec3{k * float64(2*(i&1)-1), k * float64(i&2-1), k * float64(i>>1&2-1)})
		}
		mixed := m.Mapped(turn) // its points stand in another order too
		for i, q := range near.Points {
			mixed.Points[len(near.Points)-1-i] = turn.Apply(q)
		}
		for c, i := range m.Corners {
			mixed.Corners[c] = int32(len(near.Points)-1) - i
		}
		slots := *m
		slots.Slots, slots.Slot = []int{3}, nil
		bare := *m
		bare.UVs = nil
		smooth := *m
		smooth.Smooth = make([]uint32, m.Faces())
		smooth.Smooth[0] = 1
		list := []*scene.Mesh{m, m.Mapped(turn), m.Mapped(geom.Linear(mirror)), m.Reordered(order), near, mixed, &slots,
			&bare, &smooth,
			m.Mapped(geom.Linear(geom.Identity3.Scaled(1.01)))}
		for _, tol := range []float64{1e-6, 1e-3} {
			found := twin.Find(ctx, list, tol)
			lines = append(lines, kept.Line(m.Name, found, twin.Groups(found)))
		}
		lines = append(lines, kept.Line(m.Name+" places", twin.Coincide(ctx, m.Points, near.Points, 1e-3),
			twin.Coincide(ctx, m.Points, near.Points, 1e-6)))
	}
	kept.Same(t, "kept.txt", lines)
}
