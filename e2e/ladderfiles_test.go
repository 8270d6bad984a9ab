package e2e

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/export"
	"yarvek/core/station/lods"
	"yarvek/core/target"
)

// Ladders in every way of leaving are read by independent loaders: as many triangles as all LODs
// have, or those of the finest where a reader that knows no LODs sees it alone; and what the glTF
// validator says of them is nothing.
func TestIndependentReadersTakeLadders(t *testing.T) {
	b := newBench(t)
	s := shape.Scene("rocks", []scene.Material{scene.NewMaterial("stone")}, shapetest.Boulder(14),
		shapetest.Boulder(10).Mapped(geom.Translation(geom.Vec3{2, 0, 0})))
	for i, m := range s.Meshes {
		m.Name = []string{"large", "small"}[i]
		m.Slots = []int{0}
		s.Nodes[i].Name = m.Name
	}
	to := target.Shipped[0]
	p := prep.Prep{LODs: lods.Decisions{Levels: []lods.Level{{Wish: ladder.Wish{Share: 0.4}},
		{Wish: ladder.Wish{Share: 0.1}}}}}
	r, err := prep.Run(context.Background(), prep.Input{Key: "rocks", Scene: s, Target: to}, p, nil)
	require.NoError(t, err)
	require.Len(t, r.Delivery.LODs, 2)
	finest := r.Delivery.Scene.Count().Triangles
	all := finest
	for _, l := range r.Delivery.LODs {
		all += l.Scene.Count().Triangles
	}
	for _, f := range []string{"glb", "gltf", "gltf-one", "fbx", "fbx-one", "fbx-75", "fbx-text", "obj"} {
		for _, form := range []export.LODForm{export.LODsNamed, export.LODsGroup} {
			made, err := deliver.Make(context.Background(),
				deliver.Order{Delivery: r.Delivery, Decisions: export.Decisions{Format: f, LODs: form}, Asset: "rocks",
					Target: to})
			require.NoError(t, err)
			got := b.load(t, made.Package.Files)
			want := all
			if form == export.LODsGroup && strings.HasPrefix(f, "gl") {
				want = finest // the others stand in no list of children
			}
			assert.EqualValues(t, want, got.Triangles, "%s %s", f, form)
			assert.Zero(t, got.Broken+got.Bare+got.Long, "%s %s", f, form)
			if want == all {
				named := 0
				for _, n := range got.Nodes {
					if n = strings.ReplaceAll(n, "_", " "); strings.Contains(n, "large lod ") || strings.Contains(n, "small lod ") {
						named++
					}
				}
				assert.GreaterOrEqual(t, named, 4, "%s %s: %v", f, form, got.Nodes)
			}
			for _, row := range made.Certificate.Rows {
				assert.True(t, row.Equal, "%s %s: %+v", f, form, row)
			}
		}
	}
}
