package scene_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func TestTangentsByHand(t *testing.T) {
	// The front of a box has u along +X and v along +Y: tangent +X, and the
	// bitangent n×t·w is +Y. With u mirrored both turn round.
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	got := m.WithTangents()
	require.NoError(t, got.Validate())
	assert.Equal(t, [4]float32{1, 0, 0, 1}, got.Tangents.Values[got.Tangents.Index[0]])
	for i := range m.UVs[0].Values {
		m.UVs[0].Values[i][0] *= -1
	}
	got = m.WithTangents()
	assert.Equal(t, [4]float32{-1, 0, 0, -1}, got.Tangents.Values[got.Tangents.Index[0]])
}

func TestTangentsStandAcrossTheirNormals(t *testing.T) {
	for seed := range uint64(40) {
		for _, m := range shapetest.Scene(seed).Meshes {
			g := m.WithTangents()
			for c, i := range g.Tangents.Index {
				v, n := g.Tangents.Values[i], g.Normals.Values[g.Normals.Index[c]]
				a := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
				require.InDelta(t, 1, a.Len(), 1e-5)
				require.InDelta(t, 0, a.Dot(geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])}), 1e-5)
				require.Contains(t, []float32{1, -1}, v[3])
			}
		}
	}
}
