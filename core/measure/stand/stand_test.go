package stand

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func poses(m *scene.Mesh, w geom.Affine) []Pose {
	s := shape.Scene("x", nil, m)
	s.Nodes[0].Local = w
	return Poses(geom.HullOf(context.Background(), extents.Points(s)), extents.Of(context.Background(), s).Centre)
}

func total(list []Pose) (sum float64) {
	for _, p := range list {
		sum += p.Share
	}
	return sum
}

func TestPosesByHand(t *testing.T) {
	w := geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}, 1), T: geom.Vec3{90, 2, -7}}
	cube := poses(new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("cube"), w)
	require.Len(t, cube, 6)
	for _, p := range cube {
		assert.InDelta(t, 1./6, p.Share, 1e-4)
		assert.InDelta(t, .5, p.Margin, 1e-5)
		assert.InDelta(t, 1, p.Area, 1e-4)
	}
	// A board falls on its broad sides, and can be put on the others.
	board := poses(new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{2, .05, .5}).Mesh("board"), geom.Identity)
	require.Len(t, board, 6)
	assert.InDelta(t, 1, math.Abs(board[0].Down[1]), 1e-9)
	assert.Greater(t, board[0].Share, .4)
	// A slanting tower whose middle is beyond its foot falls over: it can't rest there.
	slant := poses(new(shape.Builder).Prism([][2]float64{{0, 0}, {1, 0}, {4, 5}, {3, 5}}, 0, 1).Mesh("slant"),
		geom.Identity)
	for _, p := range slant {
		assert.Greater(t, math.Abs(p.Down[1]), -1.0)
		assert.Less(t, math.Abs(p.Down[1]), .99, "neither on its foot nor on its top")
	}
	assert.InDelta(t, 1, total(slant), 1e-6, "every throw ends somewhere")
	boulder := poses(shapetest.Boulder(24), geom.Identity)
	assert.NotEmpty(t, boulder)
	assert.InDelta(t, 1, total(boulder), 0.02)
}

func TestSymmetry(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{-1, 0, -1}, geom.Vec3{1, .2, 1}).Box(geom.Vec3{.2, .2, -1},
		geom.Vec3{1, 2, 1}).Mesh("chair")
	s := shape.Scene("chair", nil, m)
	places := Sample(s, 4000)
	assert.Len(t, places, 4000)
	c := s.Bounds().Center()
	assert.Greater(t, Symmetry(places, c, geom.Vec3{0, 0, 1}), .98, "left and right alike")
	assert.Less(t, Symmetry(places, c, geom.Vec3{1, 0, 0}), .8, "back and front not")
	assert.Equal(t, places, Sample(s, 4000), "the same ones each time")
}

func TestTilt(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, .5}).Mesh("box")
	round := new(shape.Builder).Lathe([][2]float64{{.1, 0}, {.1, 3}}, 24).Mesh("mast")
	for _, c := range []struct {
		m     *scene.Mesh
		about geom.Vec3
		deg   float64
		found bool
	}{
		{m, geom.Vec3{1, 0, 1}, 3, true}, {m, geom.Vec3{0, 1, 0}, 7, true}, {m, geom.Vec3{0, 1, 0}, 0, false},
		{m, geom.Vec3{0, 1, 0}, 40, false}, {round, geom.Vec3{0, 0, 1}, 5, true}, {round, geom.Vec3{0, 1, 0}, 5, false},
	} {
		s := shape.Scene("x", nil, c.m)
		turn := geom.Rotation(c.about, c.deg*math.Pi/180)
		s.Nodes[0].Local = geom.Affine{M: turn, T: geom.Vec3{3, 4, 5}}
		tilt, ok := TiltOf(FlatOf(context.Background(), s), s.Bounds().Size(), func() (geom.Mat3, geom.Vec3) {
			return geom.HullOf(context.Background(), extents.Points(s)).TightBox(context.Background())
		}, 20*math.Pi/180)
		require.Equal(t, c.found, ok, "%s by %g about %v: %+v", c.m.Name, c.deg, c.about, tilt)
		if ok {
			assert.InDelta(t, c.deg, tilt.Angle*180/math.Pi, .1)
			if c.m == m {
				assert.True(t, geom.Affine{M: tilt.Turn.Mul(turn)}.Near(geom.Identity, 1e-3), "turned back true")
			}
		}
	}
}

func BenchmarkStances(b *testing.B) {
	s := shape.Scene("boulder", nil, shapetest.Boulder(500))
	h := geom.HullOf(context.Background(), extents.Points(s))
	c := extents.Of(context.Background(), s).Centre
	b.Logf("%d triangles, hull of %d corners", s.Count().Triangles, len(h.Points))
	t := time.Now()
	n := 0
	for b.Loop() {
		t = time.Now()
		n = len(Poses(h, c))
		places := Sample(s, 20000)
		for _, a := range geom.Axes {
			extents.GroundOf(h.Points, a.Vec())
			Symmetry(places, c, a.Vec())
		}
	}
	b.Logf("%d poses, six stances measured: %v", n, time.Since(t))
}
