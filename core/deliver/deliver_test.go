package deliver

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

func crate() *scene.Scene {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{-1, 0, -2}, geom.Vec3{1, 3, 2}).Slot(1).Box(geom.Vec3{-.2, 3, -.2},
		geom.Vec3{.2, 3.5, .2}).Mesh("crate")
	return shape.Scene("crate", []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("lid")}, m)
}

// as finds a written format.
func as(t testing.TB, id string) format.Format {
	t.Helper()
	f, err := format.ByID(id)
	require.NoError(t, err)
	return f
}

func failing(c *Certificate) []string {
	var l []string
	for _, r := range c.Rows {
		if !r.Equal {
			l = append(l, r.What)
		}
	}
	return l
}

// What was sent is changed after it was written: the certificate must see each.
func TestADifferenceIsNeverCertified(t *testing.T) {
	ctx := context.Background()
	for _, to := range target.Shipped {
		sent := crate().Carried(geom.Linear(geom.GLTF.To(to.Basis)))
		sent.Basis = to.Basis
		for _, id := range []string{"glb", "gltf", "obj"} {
			check := func(s *scene.Scene) []string {
				pk, err := format.Write(ctx, scene.Delivery{Scene: s}, as(t, id), "crate", to)
				require.NoError(t, err)
				c, err := Check(ctx, scene.Delivery{Scene: sent}, pk, as(t, id), to)
				require.NoError(t, err)
				assert.Equal(t, len(failing(c)) == 0, c.Equal())
				return failing(c)
			}
			require.Empty(t, check(sent), "%s %s", to.ID, id)
			assert.Contains(t, check(sent.Carried(geom.Linear(geom.Identity3.Scaled(1.00001)))), "Height")
			assert.Contains(t, check(sent.Carried(geom.Translation(geom.Vec3{0, 0.0001, 0}))), "Box from pivot")
			assert.Contains(t, check(sent.Carried(geom.Linear(geom.Rotation(to.Basis.Forward.Vec(), 0.5)))), "Width")
			other := sent.Clone()
			other.Materials = []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("lit")}
			assert.Equal(t, []string{"Slots"}, check(other))
			other = sent.Clone()
			other.Nodes[0].Name = "box"
			assert.Equal(t, []string{"Parts"}, check(other))
			other = sent.Clone()
			fewer := *sent.Meshes[0]
			fewer.Corners, fewer.FaceStart = fewer.Corners[:44], fewer.FaceStart[:12]
			fewer.Normals.Index, fewer.UVs = fewer.Normals.Index[:44], nil
			fewer.Slot, fewer.Smooth = fewer.Slot[:11], fewer.Smooth[:11]
			other.Meshes[0] = &fewer
			assert.Subset(t, check(other), []string{"Triangles", "UV sets"})
		}
	}
}

// A target of another frame that takes an OBJ's numbers as its own sees another thing.
func TestAnOBJForTheWrongTargetDiffers(t *testing.T) {
	ctx, sent := context.Background(), crate()
	pk, err := format.Write(ctx, scene.Delivery{Scene: sent}, as(t, "obj"), "crate", target.Shipped[0])
	require.NoError(t, err)
	inZUp := sent.Carried(geom.Linear(geom.GLTF.To(target.Shipped[1].Basis)))
	inZUp.Basis = target.Shipped[1].Basis
	c, err := Check(ctx, scene.Delivery{Scene: inZUp}, pk, as(t, "obj"), target.Shipped[1])
	require.NoError(t, err)
	assert.Subset(t, failing(c), []string{"Width", "Height", "Depth"})
}

func TestAPackageThatCantBeReadIsNoArrival(t *testing.T) {
	ctx := context.Background()
	pk, err := format.Write(ctx, scene.Delivery{Scene: crate()}, as(t, "glb"), "crate", target.Shipped[0])
	require.NoError(t, err)
	pk.Files[0].Data = pk.Files[0].Data[:200]
	_, err = Check(ctx, scene.Delivery{Scene: crate()}, pk, as(t, "glb"), target.Shipped[0])
	assert.ErrorContains(t, err, "can't be read back")
	_, err = Receive(ctx, nil, as(t, "glb"), target.Shipped[0])
	assert.Error(t, err)
	_, err = Receive(ctx, []bundle.File{{Name: "x.obj", Data: bytes.Repeat([]byte{'v'}, 3)}}, as(t, "obj"), target.Shipped[0])
	assert.Error(t, err)
}
