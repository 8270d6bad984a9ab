package deliver

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// field is a bumpy sheet of n×n quads, so many metres wide.
func field(n int, size float64) *scene.Mesh {
	m := &scene.Mesh{Name: "field", FaceStart: []int32{0}, Slots: []int{0}}
	for i := range (n + 1) * (n + 1) {
		x, z := size*float64(i%(n+1))/float64(n), size*float64(i/(n+1))/float64(n)
		m.Points = append(m.Points, geom.Vec3{x, 5 * math.Sin(x/200+z/310), z})
	}
	for i := range n * n {
		a := int32(i/n*(n+1) + i%n)
		m.Corners = append(m.Corners, a, a+int32(n)+1, a+int32(n)+2, a+1)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// A grid at export cuts the asset and its LOD by the same lines; what arrives stands where it stood, each piece about
// the middle of its square, and a shape stands for the piece it is in.
func TestAGridAtExport(t *testing.T) {
	mats := []scene.Material{scene.NewMaterial("turf")}
	sent := shape.Scene("field", mats, field(30, 3000))
	less := shape.Scene("field", mats, field(10, 3000))
	block := new(shape.Builder).Box(geom.Vec3{-5, -5, -5}, geom.Vec3{5, 5, 5}).Mesh("block")
	block.Slots = nil
	for _, id := range []string{"glb", "fbx", "usdz", "dae"} {
		d := scene.Delivery{Scene: sent, LODs: []scene.LOD{{Scene: less, From: 500, Screen: .1}},
			Collision: []scene.Shape{{Name: "s", Of: sent.Nodes[0].Name, Kind: "box", Mesh: block,
				Frame: geom.Translation(geom.Vec3{1600, 0, 2600})}}}
		p, err := Make(t.Context(), Order{Delivery: d, Decisions: export.Decisions{Format: id, Grid: 1000}, Asset: "field",
			Target: target.Shipped[0]})
		require.NoError(t, err)
		assert.True(t, p.Certificate.Arrived(), "%s: %v", id, failing(p.Certificate))
		files := []bundle.File{}
		for _, f := range p.Package.Files {
			files = append(files, bundle.File{Name: f.Name, Data: f.Data})
		}
		got, _, err := format.Read(t.Context(), bundle.New(files), files[0].Name, nil)
		require.NoError(t, err)
		pieces, levels := 0, 0
		worlds := got.Worlds()
		for i, n := range got.Nodes {
			if n.Mesh < 0 || got.Meshes[n.Mesh].Faces() < 12 {
				continue
			}
			b := got.Meshes[n.Mesh].Extent()
			if b.Size().Max() < 500 {
				continue // the shape
			}
			at := worlds[i].T.Mul(got.UnitMetres)
			for _, k := range []int{0, 2} {
				assert.InDelta(t, 500, math.Mod(at[k], 1000), 1e-6, "%s: %s at %v", id, n.Name, at)
				assert.LessOrEqual(t, max(b.Max[k], -b.Min[k])*got.UnitMetres, 500.0)
			}
			if got.Meshes[n.Mesh].Faces() > 50 {
				pieces++
			} else {
				levels++
			}
		}
		assert.Equal(t, [2]int{9, 9}, [2]int{pieces, levels}, id)
		assert.Contains(t, fmt.Sprint(p.Package.Changes), "9 pieces")
	}
	l := sent.Gridded(t.Context(), 1000)
	assert.Equal(t, sent.Nodes[0].Name+" 1 2", nearestPiece(sent, l, scene.Shape{Of: sent.Nodes[0].Name, Mesh: block,
		Frame: geom.Translation(geom.Vec3{1600, 0, 2600})}))
}
