package outfit

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// pair is two nodes that place one mesh of two boxes, in tin.
func pair() *scene.Scene {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).
		Box(geom.Vec3{2, 0, 0}, geom.Vec3{3, 1, 1}).Mesh("two")
	s := shape.Scene("pair", []scene.Material{scene.NewMaterial("tin"), scene.NewMaterial("wood")}, m)
	other := s.Nodes[0]
	other.Name, other.Local = "beside", geom.Translation(geom.Vec3{0, 0, 10})
	s.Nodes = append(s.Nodes, other)
	return s
}

// slotsOf counts the faces of each slot of a node.
func slotsOf(s *scene.Scene, node int) map[int]int {
	n := map[int]int{}
	for f := range s.Meshes[s.Nodes[node].Mesh].Faces() {
		n[s.Meshes[s.Nodes[node].Mesh].Material(f)]++
	}
	return n
}

// A move goes as far as its reach says, from the face that lies nearest to where somebody pointed, on that node and
// on no other that places the same mesh; by slot it goes everywhere.
func TestMovesReachWhatTheySay(t *testing.T) {
	ctx := context.Background()
	for _, c := range []struct {
		reach Reach
		wood  int
	}{{OneFace, 1}, {Flat, 1}, {Part, 6}, {Chart, 1}} {
		s := pair()
		got := Moved(ctx, s, s, []Move{{To: "wood", At: []geom.Vec3{{2.5, .4, 1.01}}, Reach: c.reach}}, geom.Identity)
		assert.Equal(t, map[int]int{0: 12 - c.wood, 1: c.wood}, slotsOf(got, 0), "%s", c.reach)
		assert.Equal(t, map[int]int{0: 12}, slotsOf(got, 1), "%s: the other node", c.reach)
		assert.Equal(t, map[int]int{0: 12}, slotsOf(s, 0), "what came is as it was")
		require.NoError(t, got.Meshes[got.Nodes[0].Mesh].Validate())
	}
	s := pair()
	got := Moved(ctx, s, s, []Move{{To: "wood", At: []geom.Vec3{{.5, .5, 11.2}}, Reach: Part}}, geom.Identity)
	assert.Equal(t, map[int]int{0: 12}, slotsOf(got, 0))
	assert.Equal(t, map[int]int{0: 6, 1: 6}, slotsOf(got, 1), "where that one stands")

	got = Moved(ctx, s, s, []Move{{From: "tin", To: "brass"}}, geom.Identity)
	for node := range 2 {
		list := slotsOf(got, node)
		assert.Len(t, list, 1)
		for k := range list {
			assert.Equal(t, "brass", got.Materials[k].Name, "a slot that was not there")
		}
	}
	key := s.Keys()[1]
	got = Moved(ctx, s, s, []Move{{From: "tin", To: "wood", Node: key}}, geom.Identity)
	assert.Equal(t, map[int]int{0: 12}, slotsOf(got, 0))
	assert.Equal(t, map[int]int{1: 12}, slotsOf(got, 1))
	got = Moved(ctx, s, s, []Move{{To: "wood", At: []geom.Vec3{{2.5, .4, 1.01}}, Reach: Part, From: "wood"}},
		geom.Identity)
	assert.Equal(t, map[int]int{0: 12}, slotsOf(got, 0), "none of them is wood")
}

// Where formats tell slots by the order of faces, faces stand by slots, those without one last, and else as they were.
func TestFacesStandBySlots(t *testing.T) {
	m := pair().Meshes[0]
	own := *m
	own.Slots, own.Slot = []int{1, -1, 0}, []int32{0, 2, 1, 0, 2, 2, 1, 0, 0, 2, 1, 0}
	got := bySlot(&own)
	var order []int
	for f := range got.Faces() {
		order = append(order, got.Material(f))
	}
	assert.Equal(t, []int{0, 0, 0, 0, 1, 1, 1, 1, 1, -1, -1, -1}, order)
	at := func(m *scene.Mesh, f int) geom.Vec3 { return m.Points[m.Corners[m.FaceStart[f]]] }
	assert.Equal(t, at(&own, 1), at(got, 0))
	assert.Equal(t, at(&own, 4), at(got, 1), "as they follow one another")
	assert.Same(t, got, bySlot(got), "nothing to do")
	assert.True(t, slices.Equal(got.Slots, own.Slots))
}

// Colours are told as a screen shows them, and opacity as it is.
func TestColoursAsBytes(t *testing.T) {
	for c, want := range map[[4]float64][4]uint8{
		{0, 0, 0, 0}: {}, {1, 1, 1, 1}: {255, 255, 255, 255}, {-1, 2, 0.2140411, 0.5}: {0, 255, 127, 128},
		{0.0030, 0.5, 0.0033, 1}: {10, 188, 11, 255},
	} {
		assert.Equal(t, want, ColourOf(c), "%v", c)
	}
	assert.Equal(t, "a.b", Stem("a.b.png"))
	assert.Equal(t, "plain", Stem("plain"))
}
