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
)

// pier is a scene of two things, one with two LODs by its name, hung from a node that is moved.
func pier() *scene.Scene {
	box := func(name string, k float64) *scene.Mesh {
		return new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{k, k, k}).Mesh(name)
	}
	s := shape.Scene("quay", []scene.Material{{Name: "wood"}, {Name: "iron"}}, box("Pier", 1), box("Pier lod 1", 0.99),
		box("Pier lod 3", 0.9), box("Crane", 2))
	for i, k := range []int{0, 0, 1, 0} {
		s.Meshes[i].Slots = []int{k}
	}
	s.Nodes = append([]scene.Node{{Name: "all", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(geom.Vec3{5, 0, 0})}}, s.Nodes...)
	for i := range s.Nodes[1:] {
		s.Nodes[i+1].Parent = 0
	}
	return s
}

func TestNamesAreGatheredIntoLODs(t *testing.T) {
	r := preptest.Run(t, pier(), prep.Prep{}, preptest.YUp)
	assert.Equal(t, 24, r.Source.Out.Triangles, "no LOD goes on as a mesh")
	require.Len(t, r.Source.Hand, 2)
	one, three := r.Source.Hand[0], r.Source.Hand[1]
	assert.Equal(t, 1, one.N)
	assert.Equal(t, 3, three.N)
	assert.Equal(t, []string{"Crane"}, one.Missing)
	assert.Equal(t, 24, one.Scene.Count().Triangles, "what has no LOD is there as it is")
	b := one.Scene.NodeBounds()
	assert.InDelta(t, 5.99, b[1].Max[0], 1e-9, "it stands where it stood")
	assert.Equal(t, "Pier", one.Scene.Nodes[1].Name, "and is called as what it stands for")
	for _, f := range r.Source.Findings() {
		assert.NotEqual(t, "source/unused-materials", f.Code, "a LOD uses iron")
	}
	// Kept, it is a mesh like any other; left, it is nowhere.
	kept := preptest.Run(t, pier(), prep.Prep{Source: source.Decisions{Keep: []string{"all/Pier lod 1"}}}, preptest.YUp)
	assert.Equal(t, 36, kept.Source.Out.Triangles)
	require.Len(t, kept.Source.Hand, 1)
	gone := preptest.Run(t, pier(), prep.Prep{Source: source.Decisions{Leave: []string{"all/Pier lod 1"}}}, preptest.YUp)
	assert.Equal(t, 24, gone.Source.Out.Triangles)
	require.Len(t, gone.Source.Hand, 1)
	assert.Equal(t, 3, gone.Source.Hand[0].N)
}

// What is merged, and whose materials are dropped, is so in each LOD.
func TestLODsComeInTheFormDecidedFor(t *testing.T) {
	r := preptest.Run(t, pier(), prep.Prep{Source: source.Decisions{Merge: source.MergeAll, DropUnused: true}},
		preptest.YUp)
	require.Len(t, r.Source.Hand, 2)
	for _, h := range r.Source.Hand {
		assert.Equal(t, 1, h.Scene.Count().Instances)
		assert.Equal(t, 24, h.Scene.Count().Triangles)
		assert.Len(t, h.Scene.Materials, len(r.Delivery.Scene.Materials))
	}
	assert.ElementsMatch(t, []string{"wood", "iron"}, r.Source.Hand[1].Scene.SlotNames(),
		"a material that a LOD alone uses stays")
}

func TestLODGroupsAreGathered(t *testing.T) {
	s := pier()
	s.Nodes[0].Kind, s.Nodes[0].Thresholds = scene.KindLOD, []float64{4, 12, 30}
	for i, name := range []string{"a", "b", "c", "d"} {
		s.Nodes[i+1].Name = name
	}
	r := preptest.Run(t, s, prep.Prep{}, preptest.YUp)
	assert.Equal(t, 12, r.Source.Out.Triangles)
	require.Len(t, r.Source.Hand, 3)
	for i, from := range []float64{4, 12, 30} {
		assert.Equal(t, from, r.Source.Hand[i].From)
		assert.Equal(t, i+1, r.Source.Hand[i].N)
		assert.Empty(t, r.Source.Hand[i].Missing)
	}
	for _, n := range r.Delivery.Scene.Nodes {
		assert.NotEqual(t, scene.KindLOD, n.Kind, "what is left is no group")
	}
}
