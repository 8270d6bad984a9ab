package deliver

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// wedge is a thing without any symmetry, standing off the origin, in a basis.
func wedge(b geom.Basis) *scene.Scene {
	m := new(shape.Builder).Box(geom.Vec3{1, 2, 3}, geom.Vec3{2, 4, 8}).Mesh("wedge")
	m.Points[0] = geom.Vec3{0.5, 1.5, 2.5}
	s := shape.Scene("wedge", nil, m)
	s.Basis = b
	return s
}

// What the numbers of an OBJ mean for a receiver is worked out here by hand: it takes them as
// one unit and one set of axes, then scales, turns and moves.
func TestABareFileArrivesWhereverItsReceiverPutsIt(t *testing.T) {
	ctx := context.Background()
	to := target.Framed("own", "own", geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}, figure.Units[1])
	to.Reads.OBJ.Unit = figure.Unit{Symbol: "in", Name: "inches", Metres: 0.0254}
	to.Reads.OBJ.Basis = geom.Basis{Up: geom.PosY, Forward: geom.NegZ}
	to.Arrival = target.Offset{Scale: 2, Turn: 90, Move: geom.Vec3{1, 2, 3}}
	require.NoError(t, to.Check())
	s := wedge(to.Basis)
	f := as(t, "obj")
	p, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "a", to)
	require.NoError(t, err)
	var got []geom.Vec3
	for l := range strings.Lines(string(p.Files[0].Data)) {
		var x, y, z float64
		if n, _ := fmt.Sscanf(l, "v %g %g %g", &x, &y, &z); n == 3 {
			// In the receiver's OBJ: up is +Y, the front -Z, right-handed: the asset's left is
			// up cross front, -X. In its world: up is +Z, the front +X, left-handed: left is
			// -Y.
			upright, front, left := y, -z, -x
			world := geom.Vec3{front, -left, upright}.Mul(0.0254)
			// Twice as large, then a quarter to the left seen from above: the front goes to
			// the left, -Y, and the left, -Y, to the back, -X.
			world = world.Mul(2)
			world = geom.Vec3{world[1], -world[0], world[2]}
			got = append(got, world.Add(geom.Vec3{1, 2, 3}))
		}
	}
	require.Len(t, got, len(s.Meshes[0].Points))
	for _, want := range s.Meshes[0].Points {
		assert.True(t, slices.ContainsFunc(got, func(g geom.Vec3) bool { return g.Dist(want) < 1e-4 }), "%v is none of %v",
			want, got)
	}
	c, err := Check(ctx, scene.Delivery{Scene: s}, p, f, to)
	require.NoError(t, err)
	assert.True(t, c.Equal(), "%v", failing(c))
}

// Whatever a receiver honours or not, what leaves for it arrives equal; read by another one's
// rules it does not.
func TestReadingRulesDecideHowAFileIsWritten(t *testing.T) {
	ctx := context.Background()
	b := geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}
	for _, f := range format.Written {
		for n := range 16 {
			to := target.Framed("own", "own", b, figure.Units[1])
			for _, family := range target.Families {
				r := family.Of(&to.Reads)
				r.HonoursUnit, r.HonoursAxes, r.HonoursHand = n&1 == 0, n&2 == 0, n&4 == 0
				r.Unit, r.Basis = figure.Metre, geom.Basis{Up: geom.PosX, Forward: geom.NegY}
			}
			if n&8 != 0 {
				to.Arrival = target.Offset{Scale: 0.5, Turn: -30, Move: geom.Vec3{0, 1, 0}}
			}
			s := wedge(to.Basis)
			p, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "a", to)
			require.NoError(t, err)
			c, err := Check(ctx, scene.Delivery{Scene: s}, p, f, to)
			require.NoError(t, err)
			mirrored := f.ID == "fbx-signed" && n&2 == 0 && n&4 != 0 // the hand it declares is not honoured
			rows := failing(c)
			rows = slices.DeleteFunc(rows, func(code string) bool {
				return code == "Where handedness is overlooked" || code == "What "+f.Name+" holds"
			})
			assert.Equal(t, mirrored, len(rows) > 0, "%s with rules %d: %v", f.ID, n, rows)
			if n&1 != 0 { // another receiver takes its numbers otherwise
				other := to
				for _, family := range target.Families {
					family.Of(&other.Reads).Unit = figure.Units[1]
				}
				c, err = Check(ctx, scene.Delivery{Scene: s}, p, f, other)
				require.NoError(t, err)
				assert.False(t, c.Equal())
			}
		}
	}
}

// A receiver that drops what nodes hold shows parts elsewhere, which the certificate sees, and
// nothing of it when every point was written where it stands.
func TestDroppedTransformsAreSeen(t *testing.T) {
	ctx := context.Background()
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	to.Reads.FBX.KeepsNodes = false
	s := wedge(to.Basis)
	s.Nodes[0].Local = geom.Translation(geom.Vec3{5, 0, 0})
	for _, bake := range []bool{false, true} {
		p, err := Make(ctx, Order{Delivery: scene.Delivery{Scene: s}, Decisions: export.Decisions{Format: "fbx", Bake: bake},
			Asset: "a", Kit: "k",
			Target: to})
		require.NoError(t, err)
		assert.Equal(t, bake, p.Certificate.Equal(), "%v", failing(p.Certificate))
		r := export.Run(export.Decisions{Format: "fbx", Bake: bake}, export.Ask{Scene: s, Target: to})
		assert.Equal(t, !bake, len(r.Findings()) == 1)
	}
}

// Names go by the target's patterns; those that would clash keep their own and are told.
func TestNamesGoByTheTargetsPatterns(t *testing.T) {
	ctx := context.Background()
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	to.Names.Rules.Case, to.Names.Rules.Letters, to.Names.Rules.Marks = "lower", "latin", "_"
	to.Names.Node, to.Names.Slot, to.Names.File = "{asset}_{mesh}", "mat_{slot}", "{asset}"
	_, err := to.Pattern(target.NodeName)
	require.Error(t, err, "asset and mesh could not be told apart")
	to.Names.Node = "part_{mesh}"
	to.Names.LOD, to.Names.Solid, to.Names.Texture, to.Names.Folder = "{mesh}_lod_{n}", "{mesh}_solid_{kind}_{n2}",
		"{slot}_{role}", "{kit}"
	require.NoError(t, to.Check())
	box := func(name string) *scene.Mesh {
		return new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh(name)
	}
	s := shape.Scene("x", []scene.Material{scene.NewMaterial("Oak Planks")}, box("Deck"), box("Post 1"), box("Post/1"),
		box("дверь"))
	p, err := Make(ctx, Order{Delivery: scene.Delivery{Scene: s}, Decisions: export.Decisions{Format: "glb"},
		Asset: "Pier 7", Kit: "k", Target: to})
	require.NoError(t, err)
	assert.Equal(t, "pier_7", p.Name)
	got, err := Receive(ctx, p.Package.Files, p.Format, to)
	require.NoError(t, err)
	var names []string
	for _, n := range got.Nodes {
		names = append(names, n.Name)
	}
	slices.Sort(names)
	assert.Equal(t, []string{"Post 1", "Post/1", "part_deck", "part_x"}, names)
	assert.Equal(t, []string{"mat_oak_planks"}, got.SlotNames())
	assert.True(t, p.Certificate.Equal(), "%v", failing(p.Certificate))
	said := ""
	for _, c := range p.Package.Changes {
		if c.About == pack.Nodes || c.About == pack.Materials {
			said += c.What + ": " + c.Why + ". "
		}
	}
	assert.Contains(t, said, "2 nodes were renamed")
	assert.Contains(t, said, "2 nodes kept their names: by the target's pattern they would be called alike: “Post 1”, "+
		"“Post/1”")
	assert.Contains(t, said, "1 slot was renamed")
	// One that keeps its own name is in nobody's way.
	by, err := NewNamer(to)
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, r := range by.Nodes("x", []string{"a b", "A b", "part_a_b", "c"}) {
		assert.False(t, seen[r.Is], r.Is)
		seen[r.Is] = true
	}
}
