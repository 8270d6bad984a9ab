package gap

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

func box(lo, hi geom.Vec3) *solid.Form {
	return solid.OfBox(fit.Upright([]geom.Vec3{lo, hi})).Form(context.Background())
}

func cube(size float64) *scene.Scene {
	return shape.Scene("cube", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{size, size, size}).Mesh("cube"))
}

// Of a cube in boxes all figures are known.
func TestGapsOfBoxes(t *testing.T) {
	ctx := context.Background()
	m := NewMesh(ctx, cube(1), true)
	b := m.Of(ctx, []*solid.Form{box(geom.Vec3{}, geom.Vec3{1, 1, 1})}, 0.01)
	assert.InDelta(t, 0, b.Out.Max, 1e-12)
	assert.InDelta(t, 0, b.In.Max, 1e-12)

	// A box a tenth too low and a fifth too wide along x.
	b = m.Of(ctx, []*solid.Form{box(geom.Vec3{}, geom.Vec3{1.2, 0.9, 1})}, 0.05)
	assert.InDelta(t, 0.1, b.Out.Max, 1e-12)
	// The top sticks out whole by 0.1, and four sides above 0.9 m by 0.05 on average.
	assert.InDelta(t, (0.1+4*0.1*0.05)/6, b.Out.Mean, 0.002)
	assert.InDelta(t, (1+4*0.05)/6, b.Out.Over, 0.01)
	assert.InDelta(t, 0.2, b.In.Max, 1e-12)
	assert.InDelta(t, 1.2, b.In.At[0], 1e-12)
	sum := 0.0
	for _, v := range b.Histogram {
		sum += v
	}
	assert.InDelta(t, 2, sum, 1e-9, "each half is all of its surface")

	// Two boxes that fill the cube leave no gap, though a side of each lies within it.
	b = m.Of(ctx, []*solid.Form{box(geom.Vec3{}, geom.Vec3{0.5, 1, 1}), box(geom.Vec3{0.5, 0, 0}, geom.Vec3{1, 1, 1})},
		0.01)
	assert.InDelta(t, 0, b.Out.Max, 1e-12)
	assert.InDelta(t, 0, b.In.Max, 1e-9)
}

func TestVolumesOfOverlapping(t *testing.T) {
	a, b := box(geom.Vec3{}, geom.Vec3{2, 1, 1}), box(geom.Vec3{1, 0, 0}, geom.Vec3{3, 1, 1})
	assert.InDelta(t, 3, Volume([]*solid.Form{a, b}, 60), 1e-9)
	assert.InDelta(t, 2, Volume([]*solid.Form{a}, 60), 1e-9)
	assert.Zero(t, Volume(nil, 60))
}

// A wedge under a flat plane: how far it is out is a linear height, whose mean, largest, share and every bin of the
// histogram are integrals.
func TestGapsOfAWedgeAreIntegrals(t *testing.T) {
	ctx := context.Background()
	// A roof face that rises from 0 to 1.2 over a floor whose top is at 0.
	roof := &scene.Mesh{Name: "roof", Points: []geom.Vec3{{0, 0, 0}, {1, 1.2, 0}, {1, 1.2, 1}, {0, 0, 1}},
		Corners:   []int32{0, 3, 2, 1},
		FaceStart: []int32{0, 4}, Slots: []int{-1}}
	b := NewMesh(ctx, shape.Scene("roof", nil, roof), false).Of(ctx,
		[]*solid.Form{box(geom.Vec3{-5, -3, -5}, geom.Vec3{5, 0, 5})}, 0.3)
	assert.InDelta(t, 1.2, b.Out.Max, 1e-9)
	assert.InDelta(t, 0.6, b.Out.Mean, 1e-9, "middles of equal triangles give a linear height exactly")
	assert.InDelta(t, 0.75, b.Out.Over, 0.02, "three quarters are higher than 0.3")
	assert.InDelta(t, 1, b.Out.At[0], 1e-9)
	// Each bin is as full as it is high, from the nearest on; what is left of the height is in the last.
	left := 1.0
	for k := Bins - 1; k >= 0; k-- {
		want := min(left, b.Step/1.2)
		assert.InDelta(t, want, b.Histogram[k], 0.01)
		left -= want
	}
	sum := 0.0
	for _, v := range b.Histogram[Bins:] {
		sum += v
	}
	assert.InDelta(t, 1, sum, 1e-9)
}

// A hollow box without a lid is open: the inside of a shape that fills it is no farther in than its walls say.
func TestOpenMeshesHaveNoInside(t *testing.T) {
	ctx := context.Background()
	full := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	inner := []*solid.Form{box(geom.Vec3{.3, .3, .3}, geom.Vec3{.7, .7, .7})}
	closed := NewMesh(ctx, shape.Scene("a", nil, full), true).Of(ctx, inner, .1)
	open := NewMesh(ctx, shape.Scene("a", nil, full), false).Of(ctx, inner, .1)
	assert.InDelta(t, 0, closed.In.Max, 1e-9, "the shape is within the mesh, and stands for nothing that is not there")
	assert.InDelta(t, .3, open.In.Max, 1e-9, "without an inside, its surface is three tenths from any face")
}

// What holds nothing has no volume, and what is flat in one direction has none either.
func TestVolumesOfNothing(t *testing.T) {
	assert.Zero(t, Volume(nil, 50))
	assert.Zero(t, Volume([]*solid.Form{box(geom.Vec3{}, geom.Vec3{2, 0, 3})}, 50))
	assert.InDelta(t, 6e-3, Volume([]*solid.Form{box(geom.Vec3{}, geom.Vec3{2, 1e-3, 3})}, 50), 1e-9)
	assert.InDelta(t, 1.5, Volume([]*solid.Form{box(geom.Vec3{}, geom.Vec3{1, .5, 3})}, 1), 1e-9, "one line")
}
