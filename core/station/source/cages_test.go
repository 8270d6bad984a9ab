package source

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// A cage is told with what dividing it comes to; divided it is the surface, once, and what is none stays as it is.
func TestCagesAreDivided(t *testing.T) {
	s := shape.Scene("hut", nil, box("cushion", geom.Vec3{-1, 0, -1}, geom.Vec3{1, 2, 1}),
		box("crate", geom.Vec3{3, 0, 0}, geom.Vec3{4, 1, 1}))
	s.Meshes[0].Cage = &scene.Cage{Scheme: scene.CatmullClark}
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/cage")
	require.NotNil(t, f)
	require.Len(t, f.Remedies, 2)
	out, r := do(t, s, f.Remedies[1].Decision.(Decisions))
	assert.Nil(t, finding1(r, "source/cage"))
	assert.Equal(t, 16*s.Meshes[0].Faces(), out.Meshes[0].Faces())
	assert.Less(t, out.Bounds().Max[1], 1.9, "it has shrunk into its cage")
	assert.Same(t, s.Meshes[1], out.Meshes[1])
	assert.Equal(t, 12, s.Meshes[0].Faces()*2, "what came is as it was")
	require.Error(t, Decisions{Divide: 9}.Validate())
}
