package stand_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/stand"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Poses, flats, tilts and symmetry over many meshes come out as they did.
func TestStancesAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for i, s := range kept.Scenes() {
		flat, places := stand.FlatOf(ctx, s), stand.Sample(s, 300)
		lines = append(lines, kept.Line(fmt.Sprint("scene ", i), flat, places,
			stand.Symmetry(places, geom.Vec3{.1, 0, 0}, geom.Vec3{0, 1, 0})))
	}
	for _, m := range kept.Meshes() {
		s := shape.Scene("s", nil, m.Mapped(geom.Linear(geom.Rotation(geom.Vec3{1, .2, .3}, .12))))
		places := stand.Sample(s, 400)
		flat := stand.FlatOf(ctx, s)
		box := s.Bounds()
		tilt, ok := stand.TiltOf(flat, box.Size(), func() (geom.Mat3, geom.Vec3) { return geom.Identity3, box.Size() },
			math.Pi/9)
		line := kept.Line(m.Name, places, flat, tilt, ok, stand.Symmetry(places, box.Center(), geom.Vec3{1, 0, 0}),
			stand.Symmetry(places, box.Center(), geom.Vec3{0, 0, 1}))
		if h := geom.HullOf(ctx, m.Points); h != nil && len(h.Points) > 3 {
			line += " | " + kept.Line("poses", stand.Poses(h, box.Center()))
		}
		lines = append(lines, line)
	}
	kept.Same(t, "kept.txt", lines)
}
