package scene_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// gable is two triangles in one plane that share an edge, facing +Z.
func gable() *scene.Mesh {
	return &scene.Mesh{Name: "gable", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}},
		FaceStart: []int32{0, 3, 6},
		Corners:   []int32{0, 1, 2, 0, 2, 3}, Slots: []int{-1}}
}

func TestStrictLeavesASoundMeshAlone(t *testing.T) {
	m := gable()
	m.Normals = scene.Layer[[3]float32]{Values: [][3]float32{{0, 0, 1}, {0, .0005, 1}}, Index: []int32{0, 0, 1, 0, 0, 0}}
	m.UVs = []scene.UVSet{{Name: "a", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{1, 2}},
		Index: []int32{0, 0, 0, 0, 0, 0}}}}
	out, did := m.Strict()
	assert.Same(t, m, out)
	assert.Zero(t, did)
}

func TestStrictGivesEveryCornerItsValue(t *testing.T) {
	m := gable()
	nan := float32(math.NaN())
	m.Normals = scene.Layer[[3]float32]{Values: [][3]float32{{0, 0, 1}, {0, 0, 0}, {0, 3, 4}, {nan, 0, 1}},
		Index: []int32{0, 1, 2, 3, -1, 0}}
	m.Tangents = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}}, Index: []int32{0, 0, 0, 0, -1, 0}}
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{.5, 0, 0, 1}}, Index: []int32{0, -1, -1, 0, 0, 0}}
	m.UVs = []scene.UVSet{
		{Name: "part", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{1, 2}}, Index: []int32{0, -1, 0, 0, 0, 0}}},
		{Name: "none", Layer: scene.Layer[[2]float64]{Index: []int32{-1, -1, -1, -1, -1, -1}}}}
	out, did := m.Strict()
	require.NoError(t, out.Validate())
	assert.Equal(t, scene.Mended{Normals: 4, Unmapped: 1, Blank: 2, Empty: 2}, did)
	for c, want := range [][3]float32{{0, 0, 1}, {0, 0, 1}, {0, .6, .8}, {0, 0, 1}, {0, 0, 1}, {0, 0, 1}} {
		got := out.Normals.Values[out.Normals.Index[c]]
		for k := range 3 {
			assert.InDelta(t, want[k], got[k], 1e-6, "corner %d", c)
		}
	}
	assert.False(t, out.Tangents.Has())
	assert.Equal(t, [4]float32{1, 1, 1, 1}, out.Colors.Values[out.Colors.Index[1]])
	assert.Equal(t, [4]float32{.5, 0, 0, 1}, out.Colors.Values[out.Colors.Index[0]])
	require.Len(t, out.UVs, 1)
	assert.Equal(t, [2]float64{}, out.UVs[0].Values[out.UVs[0].Index[1]])
	assert.Equal(t, int32(-1), m.UVs[0].Index[1], "the mesh itself stays as it was")
	assert.Len(t, m.Normals.Values, 4)
}
