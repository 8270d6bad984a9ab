package source

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// schemes are ways to name LODs: of a name and a number from 1 on, the base by 0 or by its name alone. Each is one that
// somebody could think of.
func levelSchemes() map[string]func(name string, n int) string {
	out := map[string]func(string, int) string{}
	for _, sep := range []string{"_", "-", ".", " ", "__"} {
		for _, word := range []string{"LOD", "lod", "Lod", "level", "Detail", "stufe"} {
			for _, pad := range []string{"%d", "%02d", " %d", "_%d"} {
				for _, from := range []int{0, 1} {
					out[fmt.Sprintf("name%s%s%s from %d", sep, word, pad, from)] = func(name string, n int) string {
						return name + sep + word + fmt.Sprintf(pad, n+from)
					}
				}
				out[fmt.Sprintf("name%s%s%s, base alone", sep, word, pad)] = func(name string, n int) string {
					if n == 0 {
						return name
					}
					return name + sep + word + fmt.Sprintf(pad, n)
				}
				out[fmt.Sprintf("%s%s%sname", word, pad, sep)] = func(name string, n int) string {
					return word + fmt.Sprintf(pad, n) + sep + name
				}
			}
		}
		out["name"+sep+"high, mid, low"] = func(name string, n int) string {
			return name + sep + [...]string{"high", "mid", "low"}[min(n, 2)] + strings.Repeat("poly", n/3)
		}
		out["name"+sep+"detail, the finest the highest"] = func(name string, n int) string {
			return fmt.Sprintf("%s%sdetail%d", name, sep, 3-n)
		}
		out["name"+sep+"counted"] = func(name string, n int) string { return fmt.Sprintf("%s%s%d", name, sep, n) }
	}
	out["camel"] = func(name string, n int) string { return fmt.Sprintf("%sLod%d", name, n) }
	return out
}

// shapeSchemes are ways to name what a body touches.
func shapeSchemes() map[string]func(name string, n int) string {
	out := map[string]func(string, int) string{}
	for _, sep := range []string{"_", "-", " "} {
		for _, word := range []string{"col", "collision", "Collider", "HULL", "phys", "bounds", "Kollision", "colisión",
			"collisione", "столкновение", "衝突", "碰撞体", "충돌"} {
			out["name"+sep+word] = func(name string, n int) string { return fmt.Sprintf("%s%s%s%s%d", name, sep, word, sep, n) }
			out[word+sep+"name"] = func(name string, n int) string {
				return fmt.Sprintf("%s%s%s%s%02d", word, sep, name, sep, n)
			}
			out["name"+sep+word+sep+"box"] = func(name string, n int) string {
				return fmt.Sprintf("%s%s%s%sbox%d", name, sep, word, sep, n)
			}
		}
		for _, word := range []string{"q", "kx", "zz", "COV"} { // of no meaning: what is measured tells
			out["name"+sep+word] = func(name string, n int) string { return fmt.Sprintf("%s%s%s%d", name, sep, word, n) }
			out[word+sep+"name"] = func(name string, n int) string { return fmt.Sprintf("%s%s%s%s%d", word, sep, name, sep, n) }
		}
	}
	return out
}

// placed is a scene of meshes by names.
func placed(list map[string]*scene.Mesh, order []string) *scene.Scene {
	var meshes []*scene.Mesh
	for _, n := range order {
		m := *list[n]
		m.Name = n
		meshes = append(meshes, &m)
	}
	s := shape.Scene("place", []scene.Material{scene.NewMaterial("stone")}, meshes...)
	for i, n := range order {
		s.Nodes[i].Name = n
	}
	return s
}

// rocks are one thing in four degrees of detail.
var rocks = []*scene.Mesh{shapetest.Boulder(12), shapetest.Boulder(9), shapetest.Boulder(7), shapetest.Boulder(5)}

func bare(m *scene.Mesh) *scene.Mesh {
	c := *m
	c.Slots = []int{-1}
	c.Slot = nil
	return &c
}

// Whatever pattern names follow, LODs are told with their numbers and what they stand in for, in any order of nodes;
// and one press has them go on as such.
func TestLODsByAnyScheme(t *testing.T) {
	schemes := levelSchemes()
	require.Greater(t, len(schemes), 200)
	for what, name := range schemes {
		list, order := map[string]*scene.Mesh{}, []string{}
		levels := 4
		if strings.Contains(what, "low") {
			levels = 3
		}
		for n := range levels {
			list[name("Cairn", n)] = rocks[n]
			order = append(order, name("Cairn", n))
		}
		for turn := range 2 {
			if turn == 1 {
				slices.Reverse(order)
			}
			s := placed(list, order)
			_, r := do(t, s, Decisions{})
			// Those that the target's own pattern reads are LODs already.
			if f := finding1(r, "source/simpler-level"); f != nil {
				assert.Equal(t, "Use as LODs", f.Remedies[0].Label)
				d := f.Remedies[0].Decision.(Decisions)
				require.NoError(t, d.Validate())
				_, r = do(t, s, d)
			}
			require.Len(t, r.Hand, levels-1, "%s: %v", what, order)
			for k, h := range r.Hand {
				assert.Equal(t, k+1, h.N, what)
				assert.Equal(t, rocks[k+1].Triangles(), h.Scene.Count().Triangles, "%s: %v", what, order)
			}
			assert.Equal(t, rocks[0].Triangles(), r.Out.Triangles, what)
			assert.Nil(t, finding1(r, "source/simpler-level"), "it is settled")
		}
	}
	fmt.Printf("%d schemes of LODs, each in two orders\n", len(schemes))
}

// So are shapes to collide with.
func TestShapesByAnyScheme(t *testing.T) {
	schemes := shapeSchemes()
	for what, name := range schemes {
		half := func(lo, hi float64) *scene.Mesh {
			b := shape.Scene("", nil, rocks[0]).Bounds()
			b.Min[1], b.Max[1] = b.Min[1]+lo*b.Size()[1], b.Min[1]+hi*b.Size()[1]
			return bare(new(shape.Builder).Box(b.Min, b.Max).Mesh("half"))
		}
		list := map[string]*scene.Mesh{"Cairn": rocks[0], name("Cairn", 1): half(0, 0.5), name("Cairn", 2): half(0.5, 1)}
		s := placed(list, []string{"Cairn", name("Cairn", 1), name("Cairn", 2)})
		_, r := do(t, s, Decisions{})
		f := finding1(r, "source/collision-shape")
		if !assert.NotNil(t, f, "%s: %s", what, name("Cairn", 1)) {
			continue
		}
		assert.Equal(t, "Use as collision of “Cairn”", f.Remedies[0].Label, what)
		d := f.Remedies[0].Decision.(Decisions)
		require.NoError(t, d.Validate())
		_, r = do(t, s, d)
		require.Len(t, r.Solids, 2, what)
		for _, h := range r.Solids {
			assert.Equal(t, "Cairn", h.Of)
			assert.Equal(t, strings.Contains(what, "box"), h.Kind == "box", what)
		}
		assert.Equal(t, 1, r.Kept)
		assert.Nil(t, finding1(r, "source/collision-shape"), "it is settled")
		d = f.Remedies[1].Decision.(Decisions)
		_, r = do(t, s, d)
		assert.Equal(t, 3, r.Kept, "or they are meshes")
		assert.Nil(t, finding1(r, "source/collision-shape"))
	}
	fmt.Printf("%d schemes of shapes\n", len(schemes))
}

// Ordinary names of ordinary things are not taken for either.
func TestOrdinaryNamesMeanNothing(t *testing.T) {
	block := func(x, y float64) *scene.Mesh {
		return new(shape.Builder).Slot(0).Box(geom.Vec3{x, y, 0}, geom.Vec3{x + 1, y + 1, 1}).Mesh("block")
	}
	for _, names := range [][]string{
		{"boat hull", "boat deck", "boat mast"}, {"pier level 1", "pier level 2", "pier level 3"},
		{"low wall", "high wall"}, {"physics lab", "chemistry lab"}, {"far tower", "near tower"}, {"crate box", "crate lid"},
		{"simple chair", "full barrel"}, {"post", "post 2", "post 3"}, {"detail trim", "wall"}, {"solid door", "door"},
		{"bounds marker", "sign"}, {"level crossing", "rail"}, {"Hi-fi", "fi"}, {"col du nord", "nord"},
	} {
		list := map[string]*scene.Mesh{}
		for i, n := range names {
			list[n] = block(1.2*float64(i), 0)
		}
		_, r := do(t, placed(list, names), Decisions{})
		assert.Nil(t, finding1(r, "source/simpler-level"), "%v", names)
		assert.Nil(t, finding1(r, "source/collision-shape"), "%v", names)
	}
}

// Groups say it for what lies in them, each mesh of the group by its name.
func TestGroupsSayIt(t *testing.T) {
	wall, roof := rocks[0], rocks[1]
	s := shape.Scene("hut", []scene.Material{scene.NewMaterial("stone")}, wall, rocks[2], roof, rocks[3], bare(rocks[3]))
	s.Nodes = nil
	for _, n := range []string{"hut LOD0", "hut LOD1", "Collision"} {
		s.Nodes = append(s.Nodes, scene.Node{Name: n, Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: geom.Identity})
	}
	for i, n := range []string{"wall", "wall.001", "roof", "roof.001", "wall hull"} {
		at := geom.Identity
		if i == 2 || i == 3 {
			at = geom.Translation(geom.Vec3{0, 5, 0})
		}
		s.Nodes = append(s.Nodes,
			scene.Node{Name: n, Kind: scene.KindMesh, Parent: []int{0, 1, 0, 1, 2}[i], Mesh: i, Local: at})
	}
	v := Look(t.Context(), s, target.Shipped[0])
	got := map[string]string{}
	for _, g := range v.Guesses {
		got[s.Nodes[g.Node].Name] = fmt.Sprintf("%s %d of %s", g.What, g.N, s.Nodes[g.Of].Name)
	}
	assert.Equal(t, map[string]string{"wall.001": "simpler level 1 of wall", "roof.001": "simpler level 1 of roof",
		"wall hull": "collision shape 0 of wall"}, got)
}

// A role by hand: any node, as any; what it stood for may go, be renamed, or be in another revision.
func TestRolesByHand(t *testing.T) {
	s := placed(map[string]*scene.Mesh{"a": rocks[0], "b": rocks[2], "c": rocks[1], "d": bare(rocks[3])},
		[]string{"a", "b", "c", "d"})
	_, r := do(t, s, Decisions{Keep: []string{"a", "b", "c", "d"}})
	d := Decisions{}.As(Role{As: AsLOD, Of: "a"}, []string{"a", "b", "c"}, r)
	assert.Equal(t, map[string]Role{"c": {AsLOD, "a", 1, ""}, "b": {AsLOD, "a", 2, ""}}, d.Roles)
	d = d.As(Role{As: AsShape, Of: "a", Kind: "hull"}, []string{"d"}, r)
	out, r := do(t, s, d)
	assert.Len(t, r.Hand, 2)
	assert.Len(t, r.Solids, 1)
	assert.Len(t, out.Nodes, 1)
	assert.Equal(t, []string{"a", "b", "c", "d"}, d.Refs())
	marked := d.As(Role{As: AsMarker}, []string{"b"}, r)
	out, r = do(t, s, marked)
	require.Len(t, out.Nodes, 2)
	assert.Equal(t, scene.KindEmpty, out.Nodes[1].Kind)
	assert.Equal(t, "b", out.Nodes[1].Name)
	assert.Equal(t, -1, out.Nodes[1].Mesh)
	assert.Len(t, r.Hand, 1)
	// What it stands for stays behind: that is told, and cured either way.
	left := d.leaving([]string{"a"})
	_, r = do(t, s, left)
	f := finding1(r, "source/base-left")
	require.NotNil(t, f)
	assert.Contains(t, f.Title, "3 nodes")
	for i, kept := range []int{0, 3} {
		_, r = do(t, s, f.Remedies[i].Decision.(Decisions))
		assert.Equal(t, kept, r.Kept)
		assert.Nil(t, finding1(r, "source/base-left"))
	}
	// What it stood for is not there any more.
	dropped := d.Repoint("a", "").(Decisions)
	assert.Empty(t, dropped.Roles)
	moved := d.Repoint("a", "stone/a").(Decisions)
	assert.Equal(t, "stone/a", moved.Roles["d"].Of)
	// A name given at Source is read by the target's pattern.
	_, r = do(t, s, Decisions{Keep: []string{"d"}, Names: map[string]string{"b": "a lod 1"}})
	require.Len(t, r.Hand, 1)
	assert.Equal(t, []string{"b"}, r.Hand[0].Nodes)
	for _, bad := range []Role{{As: AsLOD, Of: "a"}, {As: AsLOD, N: 1}, {As: AsLOD, Of: "a", N: 17}, {As: AsShape},
		{As: AsShape, Of: "a", Kind: "moon"}, {As: "moon"}} {
		assert.Error(t, bad.Validate(), "%+v", bad)
	}
}
