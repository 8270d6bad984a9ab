package work

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// foreign are twenty ways to call a mesh, its LODs and what stands for it where things touch, with %d for the number;
// the finest comes first.
var foreign = []struct {
	meshes []string
	touch  string
}{
	{[]string{"cairn", "cairn_LOD1", "cairn_LOD2"}, "cairn_collision"},
	{[]string{"cairn_LOD0", "cairn_LOD1", "cairn_LOD2"}, "cairn_col"},
	{[]string{"Cairn.L0", "Cairn.L1", "Cairn.L2"}, "Cairn.collider"},
	{[]string{"lod0_cairn", "lod1_cairn", "lod2_cairn"}, "hull_cairn"},
	{[]string{"cairn", "cairn lod 01", "cairn lod 02"}, "cairn hull 01"},
	{[]string{"cairn-detail0", "cairn-detail1", "cairn-detail2"}, "cairn-phys"},
	{[]string{"Level0Cairn", "Level1Cairn", "Level2Cairn"}, "CairnCollision"},
	{[]string{"cairn", "cairn_level_1", "cairn_level_2"}, "cairn_bounds"},
	{[]string{"CAIRN", "CAIRN_LOD_1", "CAIRN_LOD_2"}, "COL_CAIRN"},
	{[]string{"cairn (LOD 0)", "cairn (LOD 1)", "cairn (LOD 2)"}, "cairn (collision)"},
	{[]string{"ctx_cairn", "ctx_cairn_lod1", "ctx_cairn_lod2"}, "ctx_cairn_hull_00"},
	{[]string{"cairn.000", "cairn.lod.001", "cairn.lod.002"}, "cairn.convex.hull"},
	{[]string{"Steinmann", "Steinmann_Detail1", "Steinmann_Detail2"}, "Steinmann_Kollision"},
	{[]string{"piedras", "piedras_lod1", "piedras_lod2"}, "piedras_colisión"},
	{[]string{"cairn", "cairnLOD1", "cairnLOD2"}, "cairnHull"},
	{[]string{"a/cairn", "a/cairn_lod1", "a/cairn_lod2"}, "a/cairn_collision_1"},
	{[]string{"cairn 海", "cairn 海 lod1", "cairn 海 lod2"}, "cairn 海 collision"},
	{[]string{"SM-Cairn-LOD0", "SM-Cairn-LOD1", "SM-Cairn-LOD2"}, "SM-Cairn-Collider"},
	{[]string{"rock_7", "rock_7_lod1", "rock_7_lod2"}, "rock_7_col_1"},
	{[]string{"LOD_0", "LOD_1", "LOD_2"}, "collision"},
}

// Twenty files with other people's names, in every kind of file by turns: what stands in for the mesh is found, and is
// in use after one press for the LODs and one for the shape, and arrives as that.
func TestForeignFiles(t *testing.T) {
	ctx := context.Background()
	formats := []string{"glb", "fbx", "obj", "gltf-one", "fbx-text"}
	for i, x := range foreign {
		name := formats[i%len(formats)]
		t.Run(fmt.Sprintf("%d %s %s", i, name, x.meshes[1]), func(t *testing.T) {
			if testing.Short() && i%4 != 0 {
				t.Skip("one of four")
			}
			var meshes []*scene.Mesh
			for k, n := range x.meshes {
				m := shapetest.Boulder(9 - 2*k)
				m.Name = n
				meshes = append(meshes, m)
			}
			b := shape.Scene("", nil, meshes[0]).Bounds()
			touch := new(shape.Builder).Box(b.Min, b.Max).Mesh(x.touch)
			s := shape.Scene("cairn", []scene.Material{scene.NewMaterial("stone")}, append(meshes, touch)...)
			f, err := format.ByID(name)
			require.NoError(t, err)
			p, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "cairn", target.Shipped[0])
			require.NoError(t, err)
			d := desk(t, t.TempDir())
			k, err := d.NewKit(ctx, "Tern Point", target.Shipped[0].ID)
			require.NoError(t, err)
			var files []string
			for _, x := range p.Files {
				files = append(files, x.Name, string(x.Data))
			}
			a := take(t, d, k, files...).Came[0].Asset
			presses := 0
			for _, label := range []string{"Use as LODs", "Use as collision"} {
				o, err := d.Open(ctx, a.ID)
				require.NoError(t, err)
				f := offering(o.Result.Source.Findings(), label)
				require.NotNil(t, f, "%q is offered by none of %v", label, offered(o.Result.Source.Findings()))
				by, err := d.Remedy(ctx, o, "source", f.Code, 0)
				require.NoError(t, err)
				_, err = d.Decide(ctx, a.ID, o.Base(), by)
				require.NoError(t, err)
				presses++
			}
			o, err := d.Open(ctx, a.ID)
			require.NoError(t, err)
			assert.Equal(t, 2, presses)
			assert.Len(t, o.Result.Source.Hand, 2)
			require.Len(t, o.Result.Collision.Shapes, 1)
			assert.Equal(t, 1, o.Result.Source.Kept, "and the base alone is a mesh")
			sent, err := d.Send(ctx, a.ID, Leave{Reason: "a trial"})
			require.NoError(t, err)
			assert.True(t, sent.Certificate.Arrived(), "%+v", sent.Certificate.Rows)
		})
	}
}

// offering is the finding whose first remedy begins with a label, nil for none.
func offering(list []finding.Finding, label string) *finding.Finding {
	for i, f := range list {
		if len(f.Remedies) > 0 && strings.HasPrefix(f.Remedies[0].Label, label) {
			return &list[i]
		}
	}
	return nil
}

func offered(list []finding.Finding) (names []string) {
	for _, f := range list {
		names = append(names, f.Title)
	}
	return names
}
