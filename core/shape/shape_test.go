package shape

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// volume by the divergence theorem: positive only when every face looks outward.
func volume(m *scene.Mesh) float64 {
	v := 0.0
	m.EachTriangle(func(_ int, a, b, c int32) {
		p := func(i int32) geom.Vec3 { return m.Points[m.Corners[i]] }
		v += p(a).Dot(p(b).Cross(p(c))) / 6
	})
	return v
}

func TestSolidsAreClosedAndFaceOutward(t *testing.T) {
	box := new(Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{2, 3, 4}).Mesh("box")
	require.NoError(t, box.Validate())
	assert.InDelta(t, 24, volume(box), 1e-12)

	lathe := new(Builder).Lathe([][2]float64{{1, 0}, {1, 2}, {0, 3}}, 64).Mesh("silo")
	require.NoError(t, lathe.Validate())
	area := 64.0 / 2 * math.Sin(2*math.Pi/64)
	assert.InDelta(t, area*2+area/3, volume(lathe), 1e-9)

	dart := new(Builder).Prism([][2]float64{{0, 0}, {4, 0}, {4, 4}, {3, 1}}, -1, 1).Mesh("dart")
	require.NoError(t, dart.Validate())
	assert.InDelta(t, 2*4.0, volume(dart), 1e-12, "half of |Σ x·y′−x′·y| = 8 over two, times a depth of 2")

	mirrored := new(Builder).Place(geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}).Box(geom.Vec3{0, 0, 0},
		geom.Vec3{2, 3, 4}).Mesh("box")
	assert.InDelta(t, 24, volume(mirrored), 1e-12)
}

func TestLatheIsSmoothRoundAndHardAtTheRim(t *testing.T) {
	m := new(Builder).Lathe([][2]float64{{1, 0}, {1, 2}}, 32).Mesh("pipe")
	for c := m.FaceStart[0]; c < m.FaceStart[1]; c++ {
		n := m.Normals.Values[m.Normals.Index[c]]
		p := m.Points[m.Corners[c]]
		assert.InDelta(t, p[0], n[0], 1e-6, "the normal of a pipe is radial")
		assert.InDelta(t, 0, n[1], 1e-6)
	}
}
