package format

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// A refusal says by the content what kind of thing came, whatever it is called, and what to do instead; no product is
// named.
func TestRefusalsSayWhatCame(t *testing.T) {
	png := string(picturetest.PNG(t, picturetest.Painted(3, 2, picturetest.Plain(1, 2, 3, 255))))
	for name, x := range map[string]struct{ data, says, try string }{
		"wall.png":    {png, "is a picture (PNG, 3 × 2)", "Slots"},
		"wall.fbx":    {png, "is called .fbx and is a picture (PNG, 3 × 2)", "Slots"},
		"kit.xyz":     {"PK\x03\x04abc", "is a zip by its content", ".zip"},
		"kit.7z":      {"7z\xbc\xaf\x27\x1c\x00", "is a 7z archive", "zip"},
		"kit.tar":     {strings.Repeat("a", 257) + "ustar\x00", "is a tar archive", "zip"},
		"hut.scene":   {"\x42\x4c\x45\x4e\x44\x45\x52-v300", "a modelling program’s own scene", "export the mesh"},
		"hut.max":     {"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1more", "a program’s own document", "export the mesh"},
		"hut.glb":     {"<!DOCTYPE html><html>", "is called .glb and is a web page", "Download it again"},
		"hut.usda":    {"#usda 1.0\n", "shows no mesh", "visible"},
		"hut.dae":     {"<svg/>", "holds no COLLADA document", "suffix"},
		"hut.gltf":    {strings.Repeat("\x00", 99), "is called .gltf and is nothing but zero bytes", "export the mesh again"},
		"notes.md":    {"Dear reader", "is a text that begins with \"Dear reader\"", "export the mesh"},
		"notes.glb":   {"Dear reader", "does not begin like a GLB", "suffix"},
		"big.obj.lfs": {"version https://git-lfs.github.com/spec/v1\noid", "a pointer to a large file", "Fetch"},
		"odd.bin":     {"\x01\x02\x03\xff\xfe", "is no FBX", "Export"},
		"none.xyz":    {"", "is empty", "Export"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := Read(t.Context(), bundle.New([]bundle.File{{Name: name, Data: []byte(x.data)}}), name, nil)
			var f *fault.Error
			require.ErrorAs(t, err, &f)
			assert.Contains(t, err.Error(), x.says)
			assert.Contains(t, err.Error(), x.try)
		})
	}
}

// Whatever was read has a format, and every target a way to take it: what says its frame is gone by, and what says none
// is taken for the target's own.
func TestWhatIsOnlyReadHasAFormat(t *testing.T) {
	for format, declares := range map[string]bool{"fbx": true, "gltf": true, "obj": false, "collada": true, "usd": true,
		"ply": false, "stl": false} {
		f, err := Of(&scene.Scene{Format: format})
		require.NoError(t, err, format)
		assert.Equal(t, declares, f.Declares, format)
		for _, to := range target.Shipped {
			said := Frame{geom.Basis{Up: geom.PosZ, Forward: geom.NegY}, .0254}
			taken := f.Taken(to, said)
			switch {
			case format == "collada" || format == "usd":
				assert.Equal(t, said, taken)
			case format == "ply" || format == "stl":
				assert.Equal(t, Frame{to.Basis, to.Unit.Metres}, taken)
			}
		}
	}
	_, err := Of(&scene.Scene{Format: "stone"})
	assert.Error(t, err)
}
