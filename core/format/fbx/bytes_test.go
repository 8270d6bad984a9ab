package fbx_test

import (
	"context"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/fbx"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// text is a scene as FBX text, to be looked at without our reader.
func text(t *testing.T, s *scene.Scene) string {
	t.Helper()
	p, err := fbx.Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1, Text: true,
		Parts: true})
	require.NoError(t, err)
	return string(p.Files[0].Data)
}

// numbers are those of the first array of a name in an FBX text, nil when it is not there.
func numbers(t *testing.T, doc, name string) []float64 {
	t.Helper()
	m := regexp.MustCompile(`(?s)\b` + name + `: \*(\d+) \{\s*a: ([^}]*)\}`).FindStringSubmatch(doc)
	if m == nil {
		return nil
	}
	var list []float64
	for _, w := range strings.FieldsFunc(m[2], func(r rune) bool {
		return r == ',' || r == '\n' || r == ' ' ||
			r == '\t' || r == '\r'
	}) {
		v, err := strconv.ParseFloat(w, 64)
		require.NoError(t, err)
		list = append(list, v)
	}
	n, err := strconv.Atoi(m[1])
	require.NoError(t, err)
	require.Len(t, list, n, name)
	return list
}

func sum(list []float64) (total float64) {
	for _, v := range list {
		total += v
	}
	return total
}

// The edges of a box without normals leave as hard; those of a ball whose normals carry
// noise leave as smooth, whatever the last digits say; and marked edges as marked.
func TestEdgesLeaveAsTheSurfaceIs(t *testing.T) {
	box := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	box.Smooth, box.Normals = nil, scene.Layer[[3]float32]{}
	doc := text(t, shape.Scene("s", []scene.Material{scene.NewMaterial("m")}, box))
	assert.Regexp(t, `LayerElementSmoothing: 0 \{\s*Version: 102\b`, doc)
	smooth := numbers(t, doc, "Smoothing")
	edges := numbers(t, doc, "Edges")
	assert.Len(t, edges, 12*len(box.Points)/8)
	assert.Len(t, smooth, len(edges))
	// A point a corner: each side of the box has four edges of its own, joined to nothing.
	if len(box.Points) == 8 {
		assert.Zero(t, sum(smooth), "a box that is smooth is a blob")
	}

	ball := shapetest.Boulder(16)
	r := rand.New(rand.NewPCG(1, 2))
	ball.Normals = scene.Layer[[3]float32]{}
	for _, p := range ball.Corners {
		n := ball.Points[p].Unit()
		for k := range n {
			n[k] += r.NormFloat64() * 1e-6
		}
		ball.Normals.Index = append(ball.Normals.Index, int32(len(ball.Normals.Values)))
		ball.Normals.Values = append(ball.Normals.Values, [3]float32{float32(n[0]), float32(n[1]), float32(n[2])})
	}
	smooth = numbers(t, text(t, shape.Scene("s", nil, ball)), "Smoothing")
	assert.Len(t, smooth, ball.Triangles()*3/2)
	assert.EqualValues(t, len(smooth), sum(smooth), "noise is no crease")

	// Two degrees apart at one end of an edge is one.
	bent := &scene.Mesh{Name: "bent", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}},
		FaceStart: []int32{0, 3, 6},
		Corners:   []int32{0, 1, 2, 0, 2, 3}, Slots: []int{-1}}
	sin, cos := math.Sincos(2 * math.Pi / 180)
	bent.Normals = scene.Layer[[3]float32]{Values: [][3]float32{{0, 0, 1}, {float32(sin), 0, float32(cos)}},
		Index: []int32{0, 0, 0, 0, 1, 0}}
	assert.EqualValues(t, 4, sum(numbers(t, text(t, shape.Scene("s", nil, bent)), "Smoothing")), "one of five is hard")
	bent.Hard = make([]bool, 6)
	bent.Hard[0] = true
	assert.Equal(t, []float64{0, 1, 1, 1, 1}, numbers(t, text(t, shape.Scene("s", nil, bent)), "Smoothing"))
}

// No face has the material -1: none is told of where no face has one, and where some do
// the others get one that is there.
func TestFacesWithoutAMaterialLeaveAsReceiversExpect(t *testing.T) {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	m.Slots = []int{-1}
	doc := text(t, shape.Scene("s", []scene.Material{scene.NewMaterial("tar")}, m))
	assert.Nil(t, numbers(t, doc, "Materials"))
	assert.NotContains(t, doc, "LayerElementMaterial")

	m.Slots, m.Slot = []int{-1, 0}, []int32{0, 1, 0, 1, 0, 1}
	s := shape.Scene("s", []scene.Material{scene.NewMaterial("tar")}, m)
	doc = text(t, s)
	assert.Equal(t, []float64{0, 1, 0, 1, 0, 1}, numbers(t, doc, "Materials"))
	assert.Len(t, regexp.MustCompile(`\n\tMaterial: \d+`).FindAllString(doc, -1), 2)
	back, _, err := fbx.Read(context.Background(), bundle.New([]bundle.File{{Name: "a.fbx", Data: []byte(doc)}}), "a.fbx",
		nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"tar"}, []string{back.Materials[0].Name})
	assert.Len(t, back.Materials, 1)
	assert.Equal(t, -1, back.Meshes[0].Material(0))
	assert.Equal(t, 0, back.Meshes[0].Material(1))
}

// A texture on the second set says so by the set's name, and comes back on it by that
// name alone.
func TestATextureNamesItsUVSet(t *testing.T) {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	m.UVs = []scene.UVSet{{Name: "atlas", Layer: m.UVs[0].Layer}, {Name: "bake", Layer: m.UVs[0].Layer}}
	s := shape.Scene("s", []scene.Material{scene.NewMaterial("tar")}, m)
	s.Images = []scene.Image{{Name: "tar.png", MIME: "image/png", Data: []byte("\x89PNG")}}
	s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Materials[0].Maps[scene.UseBaseColor] = scene.Map{Texture: 1, UVSet: 1}
	doc := text(t, s)
	assert.Regexp(t, `P: "UVSet", "KString", "", "", "bake"`, doc)
	doc = regexp.MustCompile(`(?m)^.*_uv_set.*\n`).ReplaceAllString(doc, "")
	back, _, err := fbx.Read(context.Background(), bundle.New([]bundle.File{{Name: "a.fbx", Data: []byte(doc)}}), "a.fbx",
		nil)
	require.NoError(t, err)
	assert.Equal(t, 1, back.Materials[0].Maps[scene.UseBaseColor].UVSet)
}

// Shininess is from 0 to 100 and gives the roughness back in the way readers take it.
func TestShininessGivesTheRoughnessBack(t *testing.T) {
	for i := range 21 {
		m := scene.NewMaterial("tar")
		m.Roughness = float64(i) / 20
		doc := text(t, shape.Scene("s", []scene.Material{m},
			new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")))
		all := regexp.MustCompile(`P: "ShininessExponent", "[^"]*", "[^"]*", "[^"]*",([-0-9.e]+)`).FindAllStringSubmatch(doc,
			-1)
		v, err := strconv.ParseFloat(all[len(all)-1][1], 64) // the template's comes first
		require.NoError(t, err)
		assert.True(t, v >= 0 && v <= 100, v)
		assert.InDelta(t, m.Roughness, 1-math.Sqrt(v)/10, 0.02)
	}
}

// What nothing is joined to is not there: no video without a texture, no picture beside
// the file that no material uses.
func TestOnlyPicturesInUseLeave(t *testing.T) {
	box := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	s := shape.Scene("s", []scene.Material{scene.NewMaterial("tar")}, box)
	s.Images = []scene.Image{{Name: "spare.png", MIME: "image/png", Data: []byte("\x89PNG")},
		{Name: "tar.png", MIME: "image/png",
			Data: []byte("\x89PNG tar")}}
	s.Textures = []scene.Texture{{Image: 1, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	s.Materials[0].Maps[scene.UseNormal] = scene.Map{Texture: 1}
	p, err := fbx.Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1, Text: true,
		Parts: true})
	require.NoError(t, err)
	require.Len(t, p.Files, 2)
	assert.Equal(t, "tar.png", p.Files[1].Name)
	doc := string(p.Files[0].Data)
	assert.NotContains(t, doc, "spare.png")
	for _, m := range regexp.MustCompile(`\n\tVideo: (\d+)`).FindAllStringSubmatch(doc, -1) {
		assert.Regexp(t, `C: "OO",`+m[1]+`,\d+`, doc)
	}
	assert.Contains(t, doc, `SceneInfo: "SceneInfo::GlobalInfo", "UserData"`)
	for _, kind := range []string{"Geometry", "Model", "Material", "Texture", "Video"} {
		assert.Regexp(t, `ObjectType: "`+kind+`" \{\s*Count: \d+\s*PropertyTemplate: "Fbx`, doc)
	}
}

// Receivers find models and geometries by their names: each model has one of its own, which
// the packing list tells where it was changed, no geometry is without one, and a LOD that is
// gone leaves no empty model. "post 2" is taken, so that the second "post" is the third.
func TestModelsAndGeometriesHaveNames(t *testing.T) {
	s := shape.Scene("s", []scene.Material{scene.NewMaterial("tar")},
		new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh(""))
	n := s.Nodes[0]
	s.Nodes = nil
	for _, name := range []string{"post", "post 2", "post"} {
		n.Name = name
		s.Nodes = append(s.Nodes, n)
	}
	p, err := fbx.Write(context.Background(), s, pack.Options{Name: "a", Basis: geom.GLTF, UnitMetres: 1, Text: true})
	require.NoError(t, err)
	doc := string(p.Files[0].Data)
	names := func(kind string) (list []string) {
		for _, m := range regexp.MustCompile(`\n\t`+kind+`: \d+, "`+kind+`::([^"]*)"`).FindAllStringSubmatch(doc, -1) {
			list = append(list, m[1])
		}
		return list
	}
	assert.Equal(t, []string{"post", "post 2", "post 3"}, names("Model"))
	assert.Equal(t, []string{"post"}, names("Geometry"))
	require.Len(t, p.Changes, 1)
	assert.Equal(t, "the name of “post” became “post 3”", p.Changes[0].What)
	assert.Equal(t, []string{string(pack.Name), "post"}, []string{string(p.Changes[0].Property), p.Changes[0].Of})
}
