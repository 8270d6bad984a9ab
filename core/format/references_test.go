package format

import (
	"context"
	"fmt"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/format/fbx"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// plankText is an FBX as text whose one texture names its picture so.
func plankText(texture, video string) []byte {
	return fmt.Appendf(nil, `; FBX 7.4.0 project file
FBXHeaderExtension:  {
	FBXVersion: 7400
}
Objects:  {
	Texture: 1, "Texture::oak", "" {
		%s
	}
	Video: 2, "Video::oak", "Clip" {
		%s
	}
}
`, texture, video)
}

// An FBX names its pictures in many ways, and the file is found that is meant.
func TestPicturesOfAnFBXAreItsCompanions(t *testing.T) {
	for _, c := range []struct{ texture, video, there string }{
		{`RelativeFilename: "oak.png"`, ``, "oak.png"},
		{`FileName: "D:\\work\\tern\\Oak.PNG"`, ``, "oak.png"},
		{`RelativeFilename: "..\\textures\\oak.png"`, ``, "textures/oak.png"},
		{`RelativeFilename: "maps/oak.png"`, ``, "maps/oak.png"},
		{`FileName: "/home/a/oak.png"`, ``, "deep/er/OAK.png"},
		{`RelativeFilename: ""`, `Filename: "C:\\x\\oak.png"`, "oak.png"},
		{``, `RelativeFilename: "oak.png"`, "oak.png"},
		{`RelativeFilename: "gone.png"`, `FileName: "oak.png"`, "oak.png"},
	} {
		set := bundle.New([]bundle.File{{Name: "plank.fbx", Data: plankText(c.texture, c.video)},
			{Name: c.there, Data: []byte("x")},
			{Name: "other.png", Data: []byte("y")}})
		assert.Equal(t, []string{c.there}, Companions(context.Background(), set, "plank.fbx"), "%s %s", c.texture, c.video)
	}
}

// What we write is found again, in all its forms, with its arrays unlooked at.
func TestPicturesOfOurOwnFBXAreItsCompanions(t *testing.T) {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	s := shape.Scene("box", []scene.Material{scene.NewMaterial("oak")}, m)
	s.Images = []scene.Image{{Name: "oak.png", MIME: "image/png", Data: []byte("\x89PNG")}}
	s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Materials[0].Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	for _, opt := range []pack.Options{{}, {Wide: true}, {Text: true}} {
		opt.Name, opt.Basis, opt.UnitMetres, opt.Parts = "box", geom.GLTF, 1, true
		p, err := fbx.Write(context.Background(), s, opt)
		require.NoError(t, err)
		require.Len(t, p.Files, 2)
		assert.Equal(t, []string{p.Files[1].Name}, Companions(context.Background(), bundle.New(p.Files), p.Files[0].Name))
	}
	cut := bundle.New([]bundle.File{{Name: "a.fbx", Data: []byte("Kaydara FBX Binary  \x00")}})
	assert.Empty(t, Companions(context.Background(), cut, "a.fbx"))
}

// For a left-handed target an FBX leaves right-handed, in the target's up and forward
// axes: by its own bytes the third axis has no turned sign, and a wedge that points to the
// left of its front has its tip where a right-handed frame has it. The signed form says
// the opposite of both.
func TestAnFBXLeavesRightHanded(t *testing.T) {
	m := &scene.Mesh{Name: "wedge", Points: []geom.Vec3{{3, 0, 0}, {0, 1, 0}, {0, 0, 1}}, FaceStart: []int32{0, 3},
		Corners: []int32{0, 1, 2}, Slots: []int{-1}} // in glTF's basis +X is to the left of +Z, the front
	s := shape.Scene("s", nil, m)
	to := target.Framed("own", "own", geom.Basis{Up: geom.PosZ, Forward: geom.NegY, Left: true}, figure.Metre)
	for id, want := range map[string]struct{ sign, tip string }{"fbx-text": {"1", "3"}, "fbx-signed": {"-1", "-3"}} {
		f, err := ByID(id)
		require.NoError(t, err)
		f.options.Text = true
		p, err := Write(context.Background(), scene.Delivery{Scene: s}, f, "a", to)
		require.NoError(t, err)
		doc := string(p.Files[0].Data)
		sign := regexp.MustCompile(`"CoordAxisSign", "int", "Integer", "",(-?\d)`).FindStringSubmatch(doc)
		assert.Equal(t, want.sign, sign[1], id)
		tip := regexp.MustCompile(`Vertices: \*9 \{\s*a: (-?\d+),`).FindStringSubmatch(doc)
		assert.Equal(t, want.tip, tip[1], id)
	}
}
