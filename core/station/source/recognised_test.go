package source_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// Names that the target's patterns read are told with their mesh, and are not advised away;
// one that names no mesh is told with the nearest, and its remedy gives it that name.
func TestPatternsOfTheTargetAreRecognised(t *testing.T) {
	box := func(name string, k float64) *scene.Mesh {
		return new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{k, k, k}).Mesh(name)
	}
	s := shape.Scene("quay", nil, box("Pier", 1), box("Pier lod 1", 1), box("Pier lod 2", 1), box("Pier solid box 01", 1),
		box("Piet lod 3", 1), box("Crane solid hull 01", 1), box("Pier level 4", 1))
	r := preptest.Run(t, s, prep.Prep{}, preptest.YUp)
	got := r.Survey.Recognised
	require.Len(t, got, 5)
	assert.Equal(t, source.Recognised{What: source.Level, N: "1", Mesh: "Pier", Of: 0, Nearest: -1}, got[1])
	assert.Equal(t, source.Recognised{What: source.Solid, Kind: "box", N: "1", Mesh: "Pier", Of: 0, Nearest: -1}, got[3])
	assert.Equal(t, source.Recognised{What: source.Level, N: "3", Mesh: "Piet", Of: -1, Nearest: 0, Right: "Pier lod 3"},
		got[4])
	assert.Equal(t, -1, got[5].Nearest, "nothing is near that name")
	for _, f := range r.Source.Findings() {
		if f.Code == "source/double" {
			assert.NotContains(t, f.Text, "lod")
			assert.NotContains(t, f.Text, "solid")
		}
	}
	f := preptest.Find(t, r.Source.Findings(), "source/names-no-mesh-1")
	assert.Contains(t, f.Title, "Piet lod 3")
	p, err := prep.Prep{}.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	after := preptest.Run(t, s, p, preptest.YUp)
	assert.Equal(t, "Pier lod 3", after.Source.Nodes[4].Name)
	// Another target's patterns read other names.
	to, err := preptest.YUp.WithPattern(target.LODName, "{mesh} level {n}")
	require.NoError(t, err)
	got = preptest.Run(t, s, prep.Prep{}, to).Survey.Recognised
	assert.Equal(t, source.Level, got[6].What)
	assert.NotContains(t, got, 1)
}
