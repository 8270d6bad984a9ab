package source

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// scan is one mesh of four loose bodies: a hut, a mast beside it, a stone inside the hut and
// one far off.
func scan() *scene.Scene {
	m := new(shape.Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{4, 3, 4}).Box(geom.Vec3{6, 0, 0}, geom.Vec3{6.5, 9, .5}).
		Box(geom.Vec3{1, 1, 1}, geom.Vec3{2, 2, 2}).Box(geom.Vec3{90, 0, 0}, geom.Vec3{91, 1, 1}).Mesh("scan")
	return shape.Scene("scan", nil, m)
}

func kept(r *Report) (list []string) {
	for _, n := range r.Nodes {
		if n.Kept && n.Triangles > 0 {
			list = append(list, n.Name)
		}
	}
	return list
}

// Parts are rows of the tree: with figures of their own, left out one by one, by a rule, by
// a box, by distance; and they stand where they stood.
func TestPartsAreNodesLikeAnyOther(t *testing.T) {
	split := []Split{{"scan", ByParts}}
	out, r := do(t, scan(), Decisions{Split: split})
	require.Len(t, r.Nodes, 5)
	assert.Equal(t, scene.KindEmpty, r.Nodes[0].Kind)
	assert.Equal(t, []string{"scan 1", "scan 2", "scan 3", "scan 4"}, names(out), "and no empty node is left over")
	assert.Equal(t, "scan/scan 3", r.Nodes[3].Key)
	assert.Equal(t, 12, r.Nodes[2].Triangles)
	assert.Equal(t, geom.Box{Min: geom.Vec3{6, 0, 0}, Max: geom.Vec3{6.5, 9, .5}}, r.Nodes[2].Box)
	assert.Equal(t, 1, r.Counts.Meshes, "one came in")
	assert.Empty(t, r.Lost())
	for name, c := range map[string]struct {
		d    Decisions
		want []string
	}{
		"one":       {Decisions{Leave: []string{"scan/scan 2"}}, []string{"scan 1", "scan 3", "scan 4"}},
		"inside":    {Decisions{Rules: []Rule{{By: ByKind, What: Inside}}}, []string{"scan 1", "scan 2", "scan 4"}},
		"far":       {Decisions{Rules: []Rule{{By: ByKind, What: Far}}}, []string{"scan 1", "scan 2", "scan 3"}},
		"beyond":    {Decisions{Rules: []Rule{{By: ByBeyond, Reach: 20}}}, []string{"scan 1", "scan 2", "scan 3"}},
		"by name":   {Decisions{Rules: []Rule{{By: ByName, What: "scan 4"}}}, []string{"scan 1", "scan 2", "scan 3"}},
		"all of it": {Decisions{Leave: []string{"scan"}}, nil},
		"in a box": {Decisions{Rules: []Rule{{By: ByArea, Area: [4]float64{-7, -1, -5, 1}}}},
			[]string{"scan 1", "scan 3", "scan 4"}},
		"seen from below": {Decisions{Rules: []Rule{{By: ByArea, Area: [4]float64{-7, -1, -5, 1},
			Seen: geom.Mat3{{1, 0, 0}, {0, -1, 0}, {0, 0, -1}}}}}, []string{"scan 1", "scan 3", "scan 4"}},
	} {
		c.d.Split = split
		_, r := do(t, scan(), c.d)
		assert.Equal(t, c.want, kept(r), name)
	}
	// A part of a part.
	two := scan()
	two.Materials = []scene.Material{scene.NewMaterial("lime"), scene.NewMaterial("tar")}
	two.Meshes[0].Slots, two.Meshes[0].Slot = []int{0, 1}, make([]int32, two.Meshes[0].Faces())
	two.Meshes[0].Slot[0] = 1
	out, r = do(t, two, Decisions{Split: []Split{{"scan/scan 1", BySlot}, {"scan", ByParts}}})
	assert.Equal(t, []string{"scan 1 tar", "scan 1 lime", "scan 2", "scan 3", "scan 4"}, names(out))
	assert.Empty(t, r.Lost())
	_, r = do(t, scan(), Decisions{Split: []Split{{"scan/scan 9", ByParts}}})
	assert.Equal(t, []string{"scan/scan 9"}, r.Lost())
}

// A box crops every mesh as it stands, on any view, cut or in whole faces, inside or out.
func TestCropping(t *testing.T) {
	view := func(v CropView, a, b, c, d float64) Crop { return Crop{View: v, Area: [4]float64{a, b, c, d}} }
	for name, c := range map[string]struct {
		crop Crop
		want geom.Box
	}{
		"plan":    {view(OnPlan, -1, -1, 5, 2), geom.Box{Min: geom.Vec3{0, 0, 0}, Max: geom.Vec3{4, 3, 2}}},
		"front":   {view(OnFront, -1, -1, 50, 2), geom.Box{Min: geom.Vec3{0, 0, 0}, Max: geom.Vec3{6.5, 2, 4}}},
		"side":    {view(OnSide, -1, 5, 50, 50), geom.Box{Min: geom.Vec3{6, 5, 0}, Max: geom.Vec3{6.5, 9, .5}}},
		"outside": {Crop{View: OnPlan, Area: [4]float64{5, -9, 99, 9}, Outside: true}, geom.Box{Max: geom.Vec3{4, 3, 4}}},
		"whole faces": {Crop{View: OnFront, Area: [4]float64{-1, -1, 50, 2}, Whole: true},
			geom.Box{Max: geom.Vec3{6.5, 3, 4}}},
		"z up": {Crop{View: OnPlan, Area: [4]float64{-1, -2, 5, 1},
			Seen: geom.Mat3{{1, 0, 0}, {0, 0, 1}, {0, -1, 0}}}, geom.Box{Max: geom.Vec3{4, 2, 4}}},
	} {
		require.NoError(t, c.crop.Validate())
		out, _ := do(t, scan(), Decisions{Crop: []Crop{c.crop}})
		assert.Equal(t, c.want, out.Bounds(), name)
	}
	// A turned node, and two places of one mesh of which the box meets one.
	s := scan()
	s.Nodes = append(s.Nodes, scene.Node{Name: "other", Kind: scene.KindMesh, Parent: -1,
		Local: geom.Affine{M: geom.Rotation(geom.Vec3{0, 1, 0}, 1), T: geom.Vec3{0, 0, -500}}})
	out, r := do(t, s, Decisions{Crop: []Crop{view(OnPlan, -99, -600, 99, -2)}})
	assert.Equal(t, 1, r.Kept)
	assert.Equal(t, 48, out.Count().Triangles)
	assert.Equal(t, 1, len(out.Meshes))
	// Nothing left.
	_, r = do(t, scan(), Decisions{Crop: []Crop{view(OnPlan, 1000, 1000, 1001, 1001)}})
	assert.NotNil(t, finding1(r, "source/nothing"))
	for _, bad := range []Crop{{}, view("top", 0, 0, 1, 1), view(OnPlan, 1, 0, 1, 1),
		{View: OnPlan, Area: [4]float64{0, 0, 1, 1}, Seen: geom.Mat3{{2}}}} {
		assert.Error(t, bad.Validate())
	}
}
