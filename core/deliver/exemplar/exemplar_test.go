package exemplar

import (
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// buoy is a thing with its LODs and shapes, named by somebody else's custom: 2 m tall, its origin below the middle of
// its base.
func buoy(lod1, lod2 string) *scene.Scene {
	lathe := func(name string, sides int) *scene.Mesh {
		return new(shape.Builder).Lathe([][2]float64{{0.4, 0}, {0.5, 0.8}, {0, 2}}, sides).Mesh(name)
	}
	box := new(shape.Builder).Box(geom.Vec3{-0.5, 0, -0.5}, geom.Vec3{0.5, 2, 0.5})
	return shape.Scene("harbour-buoy", []scene.Material{{Name: "paint"}}, lathe("Buoy", 24), lathe(lod1, 12),
		lathe(lod2, 6), box.Mesh("Buoy-collision-box-1"))
}

// sent is a scene as a file of a format for a target, read back without the target.
func sent(t *testing.T, s *scene.Scene, id string, to target.Target) *scene.Scene {
	t.Helper()
	f, err := format.ByID(id)
	require.NoError(t, err)
	p, err := format.Write(context.Background(), scene.Delivery{Scene: s}, f, s.Name, to)
	require.NoError(t, err)
	out, _, err := format.Read(context.Background(), bundle.New(p.Files), p.Files[0].Name, nil)
	require.NoError(t, err)
	return out
}

func all(string) bool { return true }

// A file that was written for a receiver says what that receiver expects: the target that is read off names, frames
// and measures as the one it was written for.
func TestATargetIsReadOff(t *testing.T) {
	cm := figure.Units[1]
	engine := geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}
	s := sent(t, buoy("Buoy-LOD01", "Buoy-LOD02"), "fbx", target.Framed("", "Harbour engine", engine, cm))
	r, err := Of(context.Background(), s)
	require.NoError(t, err)
	assert.Equal(t, geom.Basis{Up: engine.Up, Forward: engine.Forward}, r.Basis, "an FBX is right-handed")
	assert.Contains(t, r.Said[0], "right-handed for every engine")
	assert.Equal(t, cm, r.Unit)
	assert.Equal(t, scene.Declared, r.BasisHow)
	assert.InDelta(t, 200, r.Extents[2], 1e-3, "in units of the file, LODs and shapes left aside")
	got, err := r.Target("Harbour engine", engine, r.Unit, all)
	require.NoError(t, err)
	assert.Equal(t, "fbx", got.Prefers)
	assert.Equal(t, "base", got.Pivot.Place)
	assert.Equal(t, "{mesh}-LOD{n2}", got.Names.LOD)
	p, err := got.Pattern(target.SolidName)
	require.NoError(t, err)
	name, err := p.Make(map[string]string{"mesh": "Buoy", "kind": "box", "n": "1"})
	require.NoError(t, err)
	assert.Equal(t, "Buoy-collision-box-1", name)
	require.Len(t, got.Solids, 1)
	assert.Equal(t, "box", got.Solids[0].Kind)
	c, ok := class.Find(got.Classes, "landmark")
	for _, l := range r.Lines {
		if l.ID == "budget" {
			ok = true
			assert.Contains(t, l.Is, "94 triangles")
		}
	}
	require.True(t, ok, "%v", c)
	assert.NotEqual(t, class.Usual, got.Classes)
	// What is not taken stays as the shipped targets have it.
	none, err := r.Target("Bare", engine, r.Unit, func(string) bool { return false })
	require.NoError(t, err)
	assert.Equal(t, target.Framed("learned", "Bare", engine, cm), none)
	// An engine of another frame turned the file on its way in, so it honours what files say.
	other, err := r.Target("Other", geom.GLTF, figure.Metre, all)
	require.NoError(t, err)
	assert.True(t, other.Reads.FBX.HonoursAxes && other.Reads.FBX.HonoursUnit && other.Reads.FBX.HonoursHand)
}

// What a file can't say is said to be so.
func TestWhatAFileCantSay(t *testing.T) {
	plain := shape.Scene("crate", nil, new(shape.Builder).Box(geom.Vec3{3, 3, 3}, geom.Vec3{4, 4, 5}).Mesh("crate"))
	for id, want := range map[string]string{"glb": "its standard fixes them", "obj": "it says none"} {
		r, err := Of(context.Background(), sent(t, plain, id, target.Shipped[0]))
		require.NoError(t, err)
		said := ""
		for _, s := range r.Said {
			said += s + "\n"
		}
		assert.Contains(t, said, want, id)
		assert.Contains(t, said, "No node is a LOD", id)
		assert.Contains(t, said, "no pictures", id)
		assert.Contains(t, said, "at none of the places", id)
		got, err := r.Target("Crates", geom.Basis{Up: geom.PosZ, Forward: geom.NegY}, figure.Units[0], all)
		require.NoError(t, err)
		if id == "obj" {
			assert.Equal(t, figure.Units[0], got.Reads.OBJ.Unit)
			assert.Equal(t, geom.PosZ, got.Reads.OBJ.Basis.Up)
		}
	}
	_, err := Of(context.Background(), &scene.Scene{Format: "obj", UnitMetres: 1})
	assert.ErrorContains(t, err, "nothing is seen")
}

func TestTheNearestUnit(t *testing.T) {
	for metres, want := range map[float64]string{1: "m", 0.01: "cm", 0.0102: "cm", 0.3: "ft", 0.0254: "in", 1e-9: "mm",
		math.Inf(1): "m"} {
		assert.Equal(t, want, nearest(metres).Symbol, metres)
	}
}

// LODs alone, called so that the usual names of shapes could be read as them, leave shapes another name.
func TestNamesThatWouldClash(t *testing.T) {
	s := buoy("LOD01_Buoy", "LOD02_Buoy").Without(func(i int) bool { return i == 3 })
	r, err := Of(context.Background(), sent(t, s, "fbx", target.Shipped[1]))
	require.NoError(t, err)
	got, err := r.Target("LODs alone", geom.GLTF, figure.Metre, all)
	require.NoError(t, err)
	assert.Equal(t, "LOD{n2}_{mesh}", got.Names.LOD)
	assert.Equal(t, "solid {kind} {n2} {mesh}", got.Names.Solid)
	assert.Len(t, got.Solids, 5)

	// Both at once could be read as one another, which no target may have: what can't be is said.
	r, err = Of(context.Background(), sent(t, buoy("LOD01_Buoy", "LOD02_Buoy"), "fbx", target.Shipped[1]))
	require.NoError(t, err)
	got, err = r.Target("Both", geom.GLTF, figure.Metre, all)
	require.NoError(t, err)
	assert.Equal(t, "LOD{n2}_{mesh}", got.Names.LOD)
	assert.Contains(t, strings.Join(r.Said, "\n"), "could be read as a LOD too")
}

// What its form alone makes a LOD or a shape is laid aside, and nothing is learned of its name; of names of which some
// say no pattern, the others do.
func TestNamesThatSayLittle(t *testing.T) {
	s := buoy("buoy_low", "whatever")
	s.Nodes[0].Name, s.Nodes[3].Name = "buoy", "buoy_collider"
	r, err := Of(context.Background(), sent(t, s, "fbx", target.Shipped[1]))
	require.NoError(t, err)
	got, err := r.Target("Some", geom.GLTF, figure.Metre, all)
	require.NoError(t, err)
	assert.Equal(t, "{mesh}_collider_{n}", got.Names.Solid)
	require.Len(t, got.Solids, 1, "without a kind in it, a name is of one")
	assert.Equal(t, "hull", got.Solids[0].Kind, "which any convex shape is")
	assert.Contains(t, strings.Join(r.Said, "\n"), "“buoy_low” does not say that it is LOD 1")

	s.Nodes[2].Name, s.Meshes[2] = "wrapped", new(shape.Builder).Box(geom.Vec3{-0.5, 0, -0.5}, geom.Vec3{0.5, 2, 0.5}).
		Mesh("wrapped")
	s.Meshes[0] = new(shape.Builder).Lathe([][2]float64{{0.4, 0}, {0.5, 0.8}, {0, 2}}, 200).Mesh("buoy")
	r, err = Of(context.Background(), sent(t, s, "fbx", target.Shipped[1]))
	require.NoError(t, err)
	assert.Contains(t, costOf(t, r), "800 triangles, ", "798 of 200 sides with their base, rounded up")
}

// A mesh that is counted itself is named by what stands before the count.
func TestNamesThatCountFromNought(t *testing.T) {
	for names, want := range map[[3]string]string{
		{"SM_Buoy_L0", "SM_Buoy_L1", "SM_Buoy_L2"}: "{mesh}_L{n}",
		{"buoy.00", "buoy.01", "buoy.02"}:          "{mesh}.{n2}",
	} {
		s := buoy(names[1], names[2])
		s.Nodes[0].Name, s.Nodes[3].Name = names[0], "a box"
		r, err := Of(context.Background(), sent(t, s, "fbx", target.Shipped[1]))
		require.NoError(t, err)
		got, err := r.Target("Counted", geom.GLTF, figure.Metre, all)
		require.NoError(t, err)
		assert.Equal(t, want, got.Names.LOD, "%v: %v", names, r.Said)
	}
}

// costOf is what a reading says that the asset costs.
func costOf(t *testing.T, r *Reading) string {
	for _, l := range r.Lines {
		if l.ID == "budget" {
			return l.Is
		}
	}
	t.Fatal("it says nothing of its cost")
	return ""
}
