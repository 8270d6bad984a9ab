package source

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// A proxy is asked about: it becomes a LOD or a shape of the mesh in whose place it stands, not of another, by one
// press; kept as a mesh it is not asked about again.
func TestProxiesAreAskedAbout(t *testing.T) {
	box := func(name string, x, grown float64) *scene.Mesh {
		return new(shape.Builder).Box(geom.Vec3{x - grown, 0, 0}, geom.Vec3{x + 1 + grown, 2 + grown, 1}).Mesh(name)
	}
	s := shape.Scene("yard", nil, box("hut", 0, 0), box("shed", 5, 0), box("stand-in", 5, .02))
	s.Nodes[2].Proxy = true
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/proxy")
	require.NotNil(t, f)
	require.Len(t, f.Remedies, 4)
	key := r.Nodes[2].Key
	lod := f.Remedies[0].Decision.(Decisions)
	assert.Equal(t, Role{As: AsLOD, Of: r.Nodes[1].Key, N: 1}, lod.Roles[key])
	out, after := do(t, s, lod)
	assert.Len(t, out.Nodes, 2)
	require.Len(t, after.Hand, 1)
	out, after = do(t, s, f.Remedies[1].Decision.(Decisions))
	assert.Len(t, out.Nodes, 2)
	assert.Len(t, after.Solids, 1)
	out, _ = do(t, s, f.Remedies[2].Decision.(Decisions))
	assert.Len(t, out.Nodes, 2)
	for i := range f.Remedies {
		_, after = do(t, s, f.Remedies[i].Decision.(Decisions))
		assert.Nil(t, finding1(after, "source/proxy"), f.Remedies[i].Label)
	}
}
