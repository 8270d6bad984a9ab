package e2e

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/collision"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// Collision is read by independent loaders in every format: as many triangles as mesh and shapes have,
// each shape by its name, and nothing that the glTF validator objects to.
func TestIndependentReadersTakeCollision(t *testing.T) {
	b := newBench(t)
	s := shape.Scene("hut", []scene.Material{scene.NewMaterial("boards")}, shapetest.Hut())
	s.Meshes[0].Slots = []int{0}
	to := target.Shipped[0]
	p := prep.Prep{Collision: collision.Decisions{Fits: []collision.Fit{{Form: collision.Hulls},
		{Form: collision.Capsule}},
		Surface: collision.Surface{Share: 1}}}
	r, err := prep.Run(context.Background(), prep.Input{Key: "hut", Scene: s, Target: to}, p, nil)
	require.NoError(t, err)
	all := r.Delivery.Scene.Count().Triangles
	for _, x := range r.Delivery.Collision {
		all += x.Mesh.Triangles()
	}
	require.Greater(t, len(r.Delivery.Collision), 5)
	for _, f := range []string{"glb", "gltf", "gltf-one", "fbx", "fbx-one", "fbx-75", "fbx-text", "obj"} {
		made, err := deliver.Make(context.Background(),
			deliver.Order{Delivery: r.Delivery, Decisions: export.Decisions{Format: f}, Asset: "hut", Target: to})
		require.NoError(t, err)
		got := b.load(t, made.Package.Files)
		assert.EqualValues(t, all, got.Triangles, f)
		assert.Zero(t, got.Broken, f)
		named := map[string]int{}
		for _, n := range got.Nodes {
			n = strings.ReplaceAll(n, "_", " ")
			for _, kind := range []string{"hull", "capsule", "surface"} {
				if strings.HasPrefix(n, "hut solid "+kind) {
					named[kind]++
				}
			}
		}
		assert.GreaterOrEqual(t, named["hull"], len(r.Delivery.Collision)-2, "%s: %v", f, got.Nodes)
		assert.Positive(t, named["capsule"]*named["surface"], "%s: %v", f, got.Nodes)
		for _, row := range made.Certificate.Rows {
			assert.True(t, row.Equal, "%s: %+v", f, row)
		}
	}
}
