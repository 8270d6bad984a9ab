package fbx

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/shape/shapetest"
)

// A brief look counts, places and names what the whole reading does, and passes over what faces carry.
func TestABriefLookSaysTheSame(t *testing.T) {
	for _, text := range []bool{false, true} {
		for seed := range uint64(12) {
			s := hut()
			if seed > 0 {
				s = shapetest.Scene(seed)
			}
			out, err := Write(context.Background(), s, pack.Options{Name: "a", Text: text, Basis: geom.GLTF, UnitMetres: 1})
			require.NoError(t, err)
			set := bundle.New([]bundle.File{{Name: "a.fbx", Data: out.Files[0].Data}})
			whole, _, err := Read(context.Background(), set, "a.fbx", nil)
			require.NoError(t, err)
			brief, _, err := ReadBrief(context.Background(), set, "a.fbx", nil)
			require.NoError(t, err)
			assert.Equal(t, whole.Count(), brief.Count())
			assert.Equal(t, whole.Bounds(), brief.Bounds())
			assert.Equal(t, whole.UVSetNames(), brief.UVSetNames())
			assert.Equal(t, whole.UsedMaterials(), brief.UsedMaterials())
			assert.Equal(t, whole.Left, brief.Left)
			assert.Equal(t, len(whole.Images), len(brief.Images))
			for i, m := range brief.Meshes {
				assert.NoError(t, m.Validate())
				assert.Equal(t, whole.Meshes[i].Points, m.Points)
				assert.Equal(t, whole.Meshes[i].Corners, m.Corners)
				if !text {
					assert.False(t, m.Normals.Has())
				}
			}
		}
	}
}
