package surface

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// sheetAt is a square of a metre that lies at a height.
func sheetAt(name string, x, y float64) *scene.Mesh {
	return new(shape.Builder).Slot(0).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{x + u, y, -v} }).Mesh(
		name)
}

func volumes(s *scene.Scene) map[string]float64 {
	out := map[string]float64{}
	for _, n := range s.Nodes {
		is := extents.OfMesh(ctx, s.Meshes[n.Mesh])
		if is.Closed {
			out[n.Name] = is.Volume
		}
	}
	return out
}

// One thickness a node does not replace another's, and what is for all leaves those alone.
func TestEachNodeHasItsThickness(t *testing.T) {
	s := shape.Scene("roof", []scene.Material{scene.NewMaterial("tin")}, sheetAt("a", 0, 0), sheetAt("b", 2, 0),
		sheetAt("c", 4, 0))
	d := Decisions{}.Thickened(Thick{Node: "a", By: 0.01}).Thickened(Thick{Node: "b", By: 0.02}).Thickened(
		Thick{By: 0.005})
	require.NoError(t, d.Validate())
	require.Len(t, d.Lines(), 3)
	out, _ := Mended(ctx, s, d)
	got := volumes(out)
	for name, want := range map[string]float64{"a": 0.01, "b": 0.02, "c": 0.005} {
		assert.InDelta(t, want, got[name], 1e-9, name)
	}
	// The same node again replaces its own, and nothing takes it back.
	out, _ = Mended(ctx, s, d.Thickened(Thick{Node: "a", By: 0.03}).Thickened(Thick{Node: "b"}))
	got = volumes(out)
	assert.InDelta(t, 0.03, got["a"], 1e-9)
	assert.InDelta(t, 0.005, got["b"], 1e-9, "it is one of all again")
	// As older decisions have it.
	out, _ = Mended(ctx, s, Decisions{Thickness: 0.01, Of: []string{"b"}, Thick: []Thick{{Node: "c", By: 0.02}}})
	got = volumes(out)
	assert.Len(t, got, 2)
	assert.InDelta(t, 0.01, got["b"], 1e-9)
	assert.InDelta(t, 0.02, got["c"], 1e-9)
}

// What lies on another face stays a sheet, unless it is named.
func TestWhatLiesOnAFaceStays(t *testing.T) {
	floor := new(shape.Builder).Slot(0).Box(geom.Vec3{-1, -1, -3}, geom.Vec3{3, 0, 1}).Mesh("floor")
	s := shape.Scene("room", []scene.Material{scene.NewMaterial("tin")}, floor, sheetAt("label", 0, 0.001),
		sheetAt("roof", 0, 2))
	out, done := Mended(ctx, s, Decisions{}.Thickened(Thick{By: 0.01}))
	got := volumes(out)
	assert.NotContains(t, got, "label")
	assert.InDelta(t, 0.01, got["roof"], 1e-9)
	said := map[string]int{}
	for _, x := range done {
		said[x.Remedy] = x.Count
	}
	assert.Equal(t, 1, said["thickness"])
	assert.Equal(t, 1, said["thickness-lying"])
	out, _ = Mended(ctx, s, Decisions{}.Thickened(Thick{Node: "label", By: 0.01}))
	assert.InDelta(t, 0.01, volumes(out)["label"], 1e-9)
}

// What lies on another part of its own mesh stays too, and is the part as it is by now: faces that went before it
// change no number of another.
func TestWhatLiesOnItsOwnMeshStays(t *testing.T) {
	none := &scene.Mesh{Points: []geom.Vec3{{}, {1, 0, 0}, {2, 0, 0}}, FaceStart: []int32{0, 3}, Corners: []int32{0, 1, 2}}
	floor := new(shape.Builder).Box(geom.Vec3{-1, -1, -3}, geom.Vec3{3, 0, 1}).Mesh("floor")
	bare := func(m *scene.Mesh) *scene.Mesh {
		return &scene.Mesh{Points: m.Points, FaceStart: m.FaceStart, Corners: m.Corners}
	}
	m := scene.Joined("all", []*scene.Mesh{none, none, bare(sheetAt("roof", 0, 2)), none, bare(sheetAt("label", 0, 0.001)),
		none, bare(floor), none, none, none})
	_, done := Mended(ctx, shape.Scene("room", nil, m), Decisions{Empty: true}.Thickened(Thick{By: 0.01}))
	said := map[string]int{}
	for _, x := range done {
		said[x.Remedy] = x.Count
	}
	assert.Equal(t, 1, said["thickness"], "the roof")
	assert.Equal(t, 1, said["thickness-lying"], "the label on the floor")
}

// Tubes, open boxes and sharp folds: for all they are told and left, and named they become solids.
func TestOpenBodiesAreThickenedOrTold(t *testing.T) {
	tube := new(shape.Builder).Slot(0).Lathe([][2]float64{{0.5, 0}, {0.5, 2}}, 64).Mesh("tube")
	var caps []int32
	for f := range tube.Faces() {
		if tube.FaceStart[f+1]-tube.FaceStart[f] > 4 || math.Abs(tube.FaceNormal(f).Unit()[1]) > 0.5 {
			caps = append(caps, int32(f))
		}
	}
	tube = mend.Faces(tube, caps)
	box := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	box.FaceStart, box.Corners = box.FaceStart[:6], box.Corners[:20] // five of six sides
	box.Normals, box.UVs, box.Smooth = scene.Layer[[3]float32]{}, nil, nil
	box.Slot = nil
	fold := new(shape.Builder).Slot(0).Grid(2, 4, func(u, v float64) geom.Vec3 { // 20° between its halves
		x := 2*u - 1
		return geom.Vec3{max(x, -x) * 0.17, max(x, -x), v}
	}).Mesh("fold")
	for i := range fold.Points {
		if i%3 == 0 {
			fold.Points[i][0] *= -1
		}
	}
	for _, m := range []*scene.Mesh{tube, box, fold} {
		require.NoError(t, m.Validate())
		s := shape.Scene("one", []scene.Material{scene.NewMaterial("tin")}, m)
		said := func(d Decisions) map[string]int {
			out := map[string]int{}
			_, done := Mended(ctx, s, d)
			for _, x := range done {
				out[x.Remedy] = x.Count
			}
			return out
		}
		all := said(Decisions{}.Thickened(Thick{By: 0.004}))
		assert.Equal(t, 1, all["thickness"]+all["thickness-bodies"], "%s: %v", m.Name, all)
		for _, d := range []Decisions{Decisions{}.Thickened(Thick{Node: m.Name, By: 0.004}),
			Decisions{}.Thickened(Thick{By: 0.004, Open: true}),
			Decisions{}.Thickened(Thick{Slot: "tin", By: 0.004})} {
			assert.Equal(t, 1, said(d)["thickness"], "%s: %v", m.Name, d.Lines())
			out, _ := Mended(ctx, s, d)
			is := extents.OfMesh(ctx, out.Meshes[0])
			assert.True(t, is.Closed, m.Name)
			var area float64
			for f := range m.Faces() {
				area += m.FaceNormal(f).Len() / 2
			}
			assert.InDelta(t, 0.004*area, is.Volume, 0.25*0.004*area, m.Name)
		}
	}
}

func TestThicknessesThatCantBeMeant(t *testing.T) {
	for _, list := range [][]Thick{{{By: 0}}, {{By: 11}}, {{By: 1, Side: "up"}}, {{By: 1, Node: "a", Slot: "b"}},
		{{By: 1}, {By: 2}}} {
		assert.Error(t, Decisions{Thick: list}.Validate(), "%+v", list)
	}
	d := Decisions{Thick: []Thick{{Node: "a", By: 1}, {Slot: "s", By: 1}}}
	assert.Equal(t, []string{"a"}, d.Refs())
	assert.Equal(t, "b", d.Repoint("a", "b").(Decisions).Thick[0].Node)
	assert.Len(t, d.Repoint("a", "").(Decisions).Thick, 1)
}
