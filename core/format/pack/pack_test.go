package pack

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Names never clash, by the letters of any system, keep what they were made of, and can be files.
func TestNamesDiffer(t *testing.T) {
	var n Names
	for _, c := range [][2]string{{"rust", "rust.png"}, {"Rust", "Rust_2.png"}, {"RUST", "RUST_3.png"},
		{"rust", "rust_4.png"},
		{"rust_3", "rust_3_2.png"}, {"rost", "rost.png"}, {"Ärger", "Ärger.png"}, {"Ärger", "Ärger_2.png"}} {
		assert.Equal(t, c[1], n.Take(c[0], ".png"))
	}
	assert.Equal(t, "rust.jpg", n.Take("rust", ".jpg"), "another file")
	seen := map[string]bool{}
	for i := range 2000 {
		name := n.Take("../x/"+strings.Repeat("n", i%3), ".bin")
		assert.NotContains(t, name, "/")
		assert.False(t, seen[strings.ToLower(name)], name)
		seen[strings.ToLower(name)] = true
	}
}

// A picture's suffix is that of what it holds, whatever it was called; what nobody knows keeps its own.
func TestPicturesAreCalledByWhatTheyAre(t *testing.T) {
	for _, c := range []struct{ name, mime, want string }{
		{"wood.tga", "image/png", "wood.png"}, {"wood.PNG", "image/jpeg", "wood.jpg"}, {"a.b.png", "image/png", "a.b.png"},
		{"wood", "image/png", "wood.png"}, {"wood.dds", "", "wood.dds"},
	} {
		var n Names
		assert.Equal(t, c.want, n.Picture(scene.Image{Name: c.name, MIME: c.mime}), "%+v", c)
	}
}

// What is said twice is said once, in the order in which it came; one word otherwise is another change.
func TestChangesAreSaidOnce(t *testing.T) {
	var p Package
	for range 3 {
		p.Say(Nodes, "a", "b")
		p.SayOf(Materials, Glow, "lamp", "a", "b")
		p.SayOf(Materials, Glow, "rim", "a", "b")
	}
	p.Say(Polygons, "a", "b")
	assert.Equal(t, []Change{{About: Nodes, What: "a", Why: "b"}, {Materials, "a", "b", Glow, "lamp"},
		{Materials, "a", "b", Glow, "rim"}, {About: Polygons, What: "a", Why: "b"}}, p.Changes)

	var flat Package
	flat.SayFlattened(&scene.Scene{Nodes: []scene.Node{{Name: "root", Kind: scene.KindEmpty, Mesh: -1, Parent: -1},
		{Name: "light", Kind: "light", Mesh: -1}, {Name: "hull", Kind: scene.KindMesh, Local: geom.Identity}}}, "FBX")
	assert.Len(t, flat.Changes, 2, "the tree, and the node that places nothing; %s", fmt.Sprint(flat.Changes))
	assert.Equal(t, Change{Nodes, "node “root”, which places nothing", flat.Changes[0].Why, Empty, "root"},
		flat.Changes[1])
}
