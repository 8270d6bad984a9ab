package simplify_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
)

// A surface that branches all over comes down to what is asked, and stays as near as its size lets it: its edges of
// more than two faces hold nothing.
func TestWhatBranchesComesDown(t *testing.T) {
	m := shapetest.Crumbled(30)
	found := flaw.Find(t.Context(), m, flaw.Limits{})
	require.Greater(t, len(found.Crowded), 400)
	require.Empty(t, found.Borders)
	of := func(m *scene.Mesh) *scene.Scene {
		return &scene.Scene{Meshes: []*scene.Mesh{m}, Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1,
			Local: geom.Identity}}}
	}
	n := m.Faces()
	for i, r := range simplify.Steps(t.Context(), m, simplify.Options{}, []int{n / 2, n / 4, n / 10, n / 50}) {
		assert.LessOrEqual(t, r.Out, n/[]int{2, 4, 10, 50}[i])
		assert.Empty(t, r.Why)
		require.NoError(t, r.Mesh.Validate())
		off := deviation.Of(t.Context(), of(m), of(r.Mesh), 20_000).Worst()
		assert.Less(t, off.RMS, []float64{.2, .35, .55, 1.3}[i], "of cubes of one")
		got := flaw.Find(t.Context(), r.Mesh, flaw.Limits{})
		assert.LessOrEqual(t, len(got.Flipped), r.Out/500)
	}
}
