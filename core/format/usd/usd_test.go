package usd

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
	forms "yarvek/core/shape"
)

func read(files ...string) (*scene.Scene, []finding.Finding, error) {
	var list []bundle.File
	for i := 0; i < len(files); i += 2 {
		list = append(list, bundle.File{Name: files[i], Data: []byte(files[i+1])})
	}
	return Read(context.Background(), bundle.New(list), files[0], nil)
}

// layerOf is a layer of text with its metadata and prims.
func layerText(meta, prims string) string { return "#usda 1.0\n(\n" + meta + "\n)\n" + prims }

// square is a mesh of four points and a quad, with more said of it.
func square(name, more string) string {
	return `def Mesh "` + name + `" {
	int[] faceVertexCounts = [4]
	int[] faceVertexIndices = [0, 1, 2, 3]
	point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
	uniform token subdivisionScheme = "none"
	` + more + "\n}\n"
}

// node is the one of a name.
func node(t *testing.T, s *scene.Scene, name string) scene.Node {
	t.Helper()
	for _, n := range s.Nodes {
		if n.Name == name {
			return n
		}
	}
	t.Fatalf("no node is called %q", name)
	return scene.Node{}
}

// A layer comes in with its unit, its axis, its nodes and meshes, whatever way it is written.
func TestALayer(t *testing.T) {
	s, found, err := read("yard.usda", layerText(`"""made by
hand""" metersPerUnit = 0.0254
	upAxis = "Z" defaultPrim = "yard"
	customLayerData = { string tool = "none" ; dictionary more = { int[] n = [1, 2] } }`, `
# a comment
def Xform "yard" (kind = "assembly" prepend apiSchemas = ["A", "B"]) {
	double3 xformOp:translate = (10, 0, 0)
	uniform token[] xformOpOrder = ["xformOp:translate"]
	custom string note = 'it\'s "here"' (doc = "x")
	`+square("gate", `
	normal3f[] normals = [(0, 0, 1)] (interpolation = "uniform")
	texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] (
		interpolation = "faceVarying"
	)
	color3f[] primvars:displayColor = [(1, 0, 0), (0, 1, 0)] (interpolation = "vertex")
	int[] primvars:displayColor:indices = [0, 1, 1, 0]
	float3[] extent = [(-inf, 0, 0), (inf, 1e3, -.5)]
	rel proxyPrim
	token visibility.timeSamples = { 0: "inherited", 24.5: "invisible", }`)+`
	def Camera "eye" { }
	def SphereLight "lamp" { }
	over "nobody" { }
	class "_class" { }
	def Xform "out" (active = false) { `+square("unseen", "")+` }
}`))
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Equal(t, .0254, s.UnitMetres)
	assert.Equal(t, geom.PosZ, s.Basis.Up)
	var names []string
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	assert.Equal(t, []string{"yard", "gate", "eye", "lamp"}, names)
	assert.InDelta(t, .254, s.Nodes[0].Local.T[0], 1e-12)
	require.Len(t, s.Meshes, 1)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	assert.Equal(t, []int32{0, 1, 2, 3}, m.Corners)
	assert.InDelta(t, .0254, m.Points[2][1], 1e-12)
	assert.Equal(t, []int32{0, 0, 0, 0}, m.Normals.Index)
	assert.Equal(t, "st", m.UVs[0].Name)
	assert.Equal(t, []int32{0, 1, 2, 3}, m.UVs[0].Index)
	assert.Equal(t, []int32{0, 1, 1, 0}, m.Colors.Index)
	assert.Equal(t, [4]float32{0, 1, 0, 1}, m.Colors.Values[1])
	left := map[string]int{}
	for _, l := range s.Left {
		left[l.What] += l.Count
	}
	assert.Equal(t, map[string]int{"camera": 1, "light": 1}, left)
	plain, _, err := read("a.usda", "#usda 1.0\n"+square("m", ""))
	require.NoError(t, err)
	assert.Equal(t, .01, plain.UnitMetres, "by the standard")
	assert.Equal(t, geom.PosY, plain.Basis.Up)
}

// Operations work in the order they are said, each on what the later ones make; matrices are for rows.
func TestTransforms(t *testing.T) {
	at := func(ops string) geom.Vec3 {
		s, _, err := read("a.usda", layerText("metersPerUnit = 1", `def Xform "a" {`+ops+square("m", "")+"}"))
		require.NoError(t, err)
		return s.Nodes[0].Local.Apply(geom.Vec3{1, 2, 3})
	}
	order := func(names ...string) string {
		return `uniform token[] xformOpOrder = ["` + strings.Join(names, `", "`) + `"]` + "\n"
	}
	const move, size = "double3 xformOp:translate = (10, 20, 30)\n", "float3 xformOp:scale = (2, 3, 4)\n"
	for ops, want := range map[string]geom.Vec3{
		move:        {1, 2, 3}, // not asked for
		move + size: {1, 2, 3},
		move + size + order("xformOp:translate",
			"xformOp:scale"): {12, 26, 42},
		move + size + order("xformOp:scale",
			"xformOp:translate"): {22, 66, 132},
		move + order("xformOp:translate", "!invert!xformOp:translate"):                                           {1, 2, 3},
		"float xformOp:rotateZ = 90\n" + order("xformOp:rotateZ"):                                                {-2, 1, 3},
		"float3 xformOp:rotateXYZ = (90, 0, 90)\n" + order("xformOp:rotateXYZ"):                                  {3, 1, 2},
		"float3 xformOp:rotateZYX = (90, 0, 90)\n" + order("xformOp:rotateZYX"):                                  {-2, -3, 1},
		"quatf xformOp:orient = (0.70710678, 0, 0, 0.70710678)\n" + order("xformOp:orient"):                      {-2, 1, 3},
		"matrix4d xformOp:transform = ((0,1,0,0),(-1,0,0,0),(0,0,1,0),(5,6,7,1))\n" + order("xformOp:transform"): {3, 7, 10},
		"double3 xformOp:translate:pivot = (1, 0, 0)\nfloat xformOp:rotateZ = 90\n" + order("xformOp:translate:pivot",
			"xformOp:rotateZ", "!invert!xformOp:translate:pivot"): {-1, 0, 3},
	} {
		got := at(ops)
		for k := range 3 {
			assert.InDelta(t, want[k], got[k], 1e-6, ops)
		}
	}
	s, _, err := read("a.usda", `#usda 1.0
def Xform "a" { double3 xformOp:translate = (1, 0, 0) uniform token[] xformOpOrder = ["xformOp:translate"]
	`+square("m", `uniform token[] xformOpOrder = ["!resetXformStack!"]`)+"}")
	require.NoError(t, err)
	assert.Equal(t, -1, node(t, s, "m").Parent)
}

// What layers say of a prim is put together by its strength: own layers, then classes, variants, references, payloads.
func TestComposition(t *testing.T) {
	chair := layerText(`defaultPrim = "chair"`, `
def Xform "chair" (
	variants = { string size = "large" }
	prepend variantSets = "size"
) {
	variantSet "size" = {
		"small" { over "seat" { point3f[] points = [(0,0,0),(1,0,0),(1,1,0),(0,1,0)] } }
		"large" ( kind = "x" ) { over "seat" { point3f[] points = [(0,0,0),(5,0,0),(5,5,0),(0,5,0)] } def Xform "more" { } }
	}
	def Mesh "seat" (inherits = </_wood>) {
		int[] faceVertexCounts = [4]
		int[] faceVertexIndices = [0, 1, 2, 3]
		rel material:binding = </chair/oak>
	}
	def Material "oak" { }
}
class "_wood" { uniform token subdivisionScheme = "none" }
`)
	s, found, err := read("yard.usda", layerText(`subLayers = [@below.usda@]`, `
def Xform "yard" {
	def "left" (prepend references = @props/chair.usda@) { }
	def "right" (references = @./props/chair.usda@</chair>) {
		over "seat" { uniform token orientation = "leftHanded" }
	}
	def "small" (payload = @props/chair.usda@ variants = { string size = "small" }) { }
	def "own" (references = </yard/right> (offset = 1; scale = 2)) { }
	def "far" (references = @gone.usda@</x>) { }
}
over "placed" { double3 xformOp:translate = (1, 0, 0) }
`), "below.usda", layerText("", `
def Xform "placed" (references = @props/chair.usda@) {
	double3 xformOp:translate = (2, 0, 0)
	uniform token[] xformOpOrder = ["xformOp:translate"]
}`), "props/chair.usda", chair)
	require.NoError(t, err)
	size := func(parent string) float64 {
		for _, n := range s.Nodes {
			// An Xform with one mesh is that mesh, placed; one with more beside it holds them.
			if n.Name == parent && n.Mesh >= 0 || n.Name == "seat" && s.Nodes[n.Parent].Name == parent {
				require.GreaterOrEqual(t, n.Mesh, 0, parent)
				return s.Meshes[n.Mesh].Points[2][0] * 100
			}
		}
		t.Fatalf("%s has no seat", parent)
		return 0
	}
	for parent, want := range map[string]float64{"left": 5, "right": 5, "small": 1, "own": 5, "placed": 5} {
		assert.InDelta(t, want, size(parent), 1e-9, parent)
	}
	assert.InDelta(t, .01, node(t, s, "placed").Local.T[0], 1e-12, "the stronger layer counts")
	more := 0
	for _, n := range s.Nodes {
		if n.Name == "more" {
			more++
		}
	}
	assert.Equal(t, 4, more, "a variant brings prims, too")
	for _, n := range s.Nodes {
		if n.Name == "seat" && s.Nodes[n.Parent].Name == "right" {
			assert.Equal(t, []int32{3, 2, 1, 0}, s.Meshes[n.Mesh].Corners)
		}
		if n.Mesh >= 0 {
			assert.Equal(t, "oak", s.Materials[s.Meshes[n.Mesh].Slots[0]].Name, "a path of a referred layer is one of the stage")
		}
	}
	var codes []string
	for _, f := range found {
		codes = append(codes, f.Code)
	}
	assert.Contains(t, codes, "source/missing-layer")
	assert.Contains(t, codes, "source/variants")
	for _, m := range s.Meshes {
		assert.Nil(t, m.Cage, "a class says that nothing is divided")
	}
	assert.ElementsMatch(t, []string{"below.usda", "props/chair.usda", "./props/chair.usda", "props/chair.usda",
		"gone.usda"},
		References(context.Background(), "yard.usda", []byte(layerText(`subLayers = [@below.usda@]`,
			`def "a" (prepend references = [@props/chair.usda@, @./props/chair.usda@] payload = @props/chair.usda@) {
			def "b" (references = @gone.usda@</x>) { } }`))))
	_, _, err = read("a.usda", `#usda 1.0
def "a" (references = </b>) { } def "b" (references = </a>) { `+square("m", "")+"}")
	require.NoError(t, err, "what refers to itself ends")
}

// Faces of subsets have the materials bound to them, others that of the mesh or what is above; holes are none.
func TestSlotsHolesAndInstances(t *testing.T) {
	s, found, err := read("a.usda", layerText("metersPerUnit = 1", `
def Xform "a" {
	rel material:binding = </a/paint>
	def Material "paint" { }
	def Material "iron" { }
	def Mesh "m" {
		int[] faceVertexCounts = [3, 3, 3, 2]
		int[] faceVertexIndices = [0, 1, 2, 0, 2, 3, 0, 3, 1, 0, 1]
		point3f[] points = [(0,0,0),(1,0,0),(1,1,0),(0,1,0)]
		int[] holeIndices = [0]
		bool doubleSided = 1
		def GeomSubset "s" {
			uniform token elementType = "face"
			uniform token familyName = "materialBind"
			int[] indices = [2]
			rel material:binding = </a/iron>
		}
	}
	def PointInstancer "row" {
		rel prototypes = [</a/row/post>]
		int[] protoIndices = [0, 0, 0, 7]
		point3f[] positions = [(0,0,0), (2,0,0), (4,0,0), (9,9,9)]
		quath[] orientations = [(1,0,0,0), (0.7071068,0,0,0.7071068), (1,0,0,0), (1,0,0,0)]
		float3[] scales = [(1,1,1), (2,2,2), (1,1,1), (1,1,1)]
		int64[] invisibleIds = [2]
		`+square("post", "")+`
	}
	`+square("shadow", `uniform token purpose = "proxy"`)+square("guide", `uniform token purpose = "guide"`)+`
}`))
	require.NoError(t, err)
	m := s.Meshes[node(t, s, "m").Mesh]
	require.NoError(t, m.Validate())
	assert.Equal(t, []int32{0, 2, 3, 0, 3, 1}, m.Corners)
	assert.Equal(t, "paint", s.Materials[m.Material(0)].Name)
	assert.Equal(t, "iron", s.Materials[m.Material(1)].Name)
	assert.True(t, s.Materials[m.Material(1)].TwoSided)
	var posts []scene.Node
	for _, n := range s.Nodes {
		if n.Name == "post" {
			posts = append(posts, n)
		}
	}
	require.Len(t, posts, 2)
	assert.Equal(t, posts[0].Mesh, posts[1].Mesh, "instances share their mesh")
	second := s.Nodes[posts[1].Parent].Local.Apply(geom.Vec3{1, 0, 0})
	for k, want := range [3]float64{2, 2, 0} {
		assert.InDelta(t, want, second[k], 1e-6)
	}
	assert.True(t, node(t, s, "shadow").Proxy)
	var codes []string
	for _, f := range found {
		codes = append(codes, f.Code)
	}
	assert.Contains(t, codes, "source/bad-part")
}

// Materials come in with their values and pictures, through what passes them on.
func TestMaterials(t *testing.T) {
	wall := string(picturetest.PNG(t, picturetest.Painted(4, 2, picturetest.Plain(1, 2, 3, 255))))
	const looks = `
def Material "paint" {
	color3f inputs:tint = (0.25, 0.5, 0.75)
	token outputs:surface.connect = </a/paint/surface.outputs:surface>
	def Shader "surface" {
		uniform token info:id = "UsdPreviewSurface"
		color3f inputs:diffuseColor.connect = </a/paint.inputs:tint>
		color3f inputs:emissiveColor = (2, 0, 1)
		float inputs:metallic = 0.1
		float inputs:roughness.connect = </a/paint/orm.outputs:g>
		float inputs:opacity = 0.5
		float inputs:opacityThreshold = 0.25
		normal3f inputs:normal.connect = </a/paint/bumps.outputs:rgb>
		token outputs:surface
	}
	def Shader "orm" {
		uniform token info:id = "UsdUVTexture"
		asset inputs:file = @maps/wall.png@
		token inputs:wrapS = "mirror"
		token inputs:wrapT = "clamp"
		float2 inputs:st.connect = </a/paint/lies.outputs:result>
		float outputs:g
	}
	def Shader "bumps" {
		uniform token info:id = "UsdUVTexture"
		asset inputs:file = @gone.png@
	}
	def Shader "lies" {
		uniform token info:id = "UsdTransform2d"
		float2 inputs:in.connect = </a/paint/reads.outputs:result>
		float2 inputs:scale = (2, 3)
		float inputs:rotation = 90
		float2 inputs:translation = (0.25, 0.5)
	}
	def Shader "reads" {
		uniform token info:id = "UsdPrimvarReader_float2"
		string inputs:varname = "second"
	}
}`
	s, found, err := read("a.usda", layerText("", `def Xform "a" {`+looks+square("m", `rel material:binding = </a/paint>
	texCoord2f[] primvars:st = [(0,0),(1,0),(1,1),(0,1)] (interpolation = "vertex")
	texCoord2f[] primvars:second = [(0,0),(1,0),(1,1),(0,1)] (interpolation = "varying")`)+"}"), "maps/wall.png", wall)
	require.NoError(t, err)
	require.Len(t, s.Materials, 1)
	m := s.Materials[0]
	assert.Equal(t, [4]float64{.25, .5, .75, .5}, m.BaseColor)
	assert.InDelta(t, 2, m.Glow, 1e-12)
	assert.Equal(t, [3]float64{1, 0, .5}, m.Emissive)
	assert.Equal(t, [2]float64{.1, 1}, [2]float64{m.Metallic, m.Roughness})
	assert.Equal(t, scene.Mask, m.AlphaMode)
	assert.Equal(t, .25, m.AlphaCutoff)
	mp := m.Maps[scene.UseRoughness]
	require.True(t, mp.Has())
	assert.Equal(t, scene.Green, mp.Channel)
	assert.Equal(t, "second", s.Meshes[0].UVs[mp.UVSet].Name)
	tex := s.Textures[mp.Texture-1]
	assert.Equal(t, [2]scene.Wrap{scene.Mirror, scene.Clamp}, [2]scene.Wrap{tex.WrapU, tex.WrapV})
	assert.Equal(t, 4, s.Images[tex.Image].Width)
	for _, uv := range [][2]float64{{0, 0}, {1, 0}, {.3, .7}} {
		sin, cos := math.Sincos(math.Pi / 2)
		u, v := 2*uv[0], 3*uv[1]
		got := mp.Place.At(uv)
		assert.InDelta(t, cos*u-sin*v+.25, got[0], 1e-12, "scaled, turned, moved: by the definition")
		assert.InDelta(t, sin*u+cos*v+.5, got[1], 1e-12)
	}
	require.Len(t, found, 1)
	assert.Equal(t, "source/missing-picture", found[0].Code)
}

// A package holds its scene first, and its pictures.
func TestAPackage(t *testing.T) {
	wall := picturetest.PNG(t, picturetest.Painted(4, 2, picturetest.Plain(1, 2, 3, 255)))
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range []struct {
		name string
		data []byte
	}{{"scene.usda", []byte(layerText("metersPerUnit = 1", `def Xform "a" { def Material "p" {
	token outputs:surface.connect = </a/p/s.outputs:surface>
	def Shader "s" { uniform token info:id = "UsdPreviewSurface"
		color3f inputs:diffuseColor.connect = </a/p/t.outputs:rgb> }
	def Shader "t" { uniform token info:id = "UsdUVTexture" asset inputs:file = @0/wall.png@ } }
	`+square("m", "rel material:binding = </a/p>")+`}`))}, {"0/wall.png", wall}} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: f.name, Method: zip.Store})
		require.NoError(t, err)
		_, err = w.Write(f.data)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	s, found, err := read("a.usdz", b.String())
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Equal(t, 4, s.Images[0].Width)
	assert.True(t, s.Materials[0].Maps[scene.UseBaseColor].Has())
	_, _, err = read("a.usdz", b.String()[:200])
	require.Error(t, err)
}

// What can't be read is refused at its line.
func TestWhatCantBeRead(t *testing.T) {
	whole := "#usda 1.0\ndef Xform \"a\" {\n" + square("m", "") + "}\n"
	for name, x := range map[string]struct{ file, says string }{
		"cut":       {whole[:len(whole)-6], "has no end"},
		"no string": {strings.Replace(whole, `"a"`, "a", 1), "line 2: expected a string"},
		"no value":  {strings.Replace(whole, "[4]", "%", 1), "line 4: expected a value"},
		"rows":      {strings.Replace(whole, "(1, 0, 0)", "(1, 0)", 1), "a list of rows of 3 has one of 2"},
		"deep":      {"#usda 1.0\nint a = " + strings.Repeat("[", 1000), "nested deeper"},
		"no mesh":   {"#usda 1.0\n", "shows no mesh"},
		"crate":     {"PXR-USDC" + strings.Repeat("\x00", 80), "is a crate of version 0.0.0"},
		"other":     {"#nsda 1.0\n", "does not begin like"},
		"quotes":    {"#usda 1.0\nstring a = \"abc", "a string has no end"},
		"list":      {"#usda 1.0\nint[] a = [1, 2", "a list has no end"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := read("a.usda", x.file)
			var f *fault.Error
			require.ErrorAs(t, err, &f)
			assert.Contains(t, err.Error(), x.says)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(layerText(`metersPerUnit = 1`, `def Xform "a" (references = </b> variants = { string v = "x" }) {
	variantSet "v" = { "x" { } } double3 xformOp:translate = (1, 2, 3)
	uniform token[] xformOpOrder = ["xformOp:translate"] }
def "b" { `+square("m", `texCoord2f[] primvars:st = [(0,0)] (interpolation = "constant")`)+"}")))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, _, err := read("a.usda", string(data))
		if err != nil {
			require.NotZero(t, fault.KindOf(err), "%v", err)
			return
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	})
}

// A shape that things touch is written as a guide that says so: as its hull where it is one, as its faces where not;
// and comes in again, while other guides stay out.
func TestShapesAreWrittenAsGuides(t *testing.T) {
	hut := new(forms.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("hut")
	stair := new(forms.Builder).Prism([][2]float64{{0, 0}, {2, 0}, {2, 1}, {1, 1}, {1, 2}, {0, 2}}, 0, 1).Mesh("stair")
	s := forms.Scene("yard", nil, hut, hut, stair)
	s.Nodes[1].Name, s.Nodes[1].Touch = "hut solid", &scene.Touch{Kind: "hull", Mesh: "hut"}
	s.Nodes[2].Touch = &scene.Touch{Kind: "surface", Mesh: "hut"}
	for _, opt := range []pack.Options{{Text: true}, {}, {Wrapped: true}} {
		opt.Name, opt.Basis, opt.UnitMetres = "yard", geom.GLTF, 1
		p, err := Write(t.Context(), s, opt)
		require.NoError(t, err)
		if opt.Text {
			text := string(p.Files[0].Data)
			assert.Equal(t, 1, strings.Count(text, `physics:approximation = "convexHull"`))
			assert.Equal(t, 1, strings.Count(text, `physics:approximation = "none"`))
			assert.Equal(t, 2, strings.Count(text, `uniform token purpose = "guide"`))
		}
		got, _, err := read(p.Files[0].Name, string(p.Files[0].Data))
		require.NoError(t, err)
		require.Len(t, got.Nodes, 3)
		assert.Equal(t, "hut solid", got.Nodes[1].Name)
		for i := range got.Nodes {
			assert.Equal(t, s.Meshes[s.Nodes[i].Mesh].Faces(), got.Meshes[got.Nodes[i].Mesh].Faces())
		}
	}
}

// A package holds its files unpacked, each where it may be read in place: behind a multiple of 64 bytes.
func TestPackagesAreAligned(t *testing.T) {
	files := []bundle.File{{Name: "a.usdc", Data: []byte("PXR-USDC and more")}, {Name: "rust.png", Data: make([]byte, 99)},
		{Name: "bläue.png", Data: []byte{1}}}
	data, err := wrapped(files)
	require.NoError(t, err)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 3)
	for i, f := range z.File {
		at, err := f.DataOffset()
		require.NoError(t, err)
		assert.Zero(t, at%alignment, f.Name)
		assert.Equal(t, zip.Store, f.Method)
		assert.Equal(t, files[i].Data, data[at:at+int64(len(files[i].Data))])
		rc, err := f.Open() // which looks at the sum
		require.NoError(t, err)
		_, err = io.ReadAll(rc)
		require.NoError(t, err)
	}
}

// A mesh that says how it is divided is a cage, with the edges that stay sharp, each crease by its own number or each
// of its edges.
func TestCages(t *testing.T) {
	s, _, err := read("a.usda", layerText(`metersPerUnit = 1`, square("a", `
	uniform token subdivisionScheme = "catmullClark"
	int[] creaseIndices = [0, 1, 2, 3, 0]
	int[] creaseLengths = [3, 2]
	float[] creaseSharpnesses = [2.5, 10]`)+square("b", `uniform token subdivisionScheme = "loop"
	int[] creaseIndices = [0, 1, 2]
	int[] creaseLengths = [3]
	float[] creaseSharpnesses = [1, 0.5]`)+square("c", `uniform token subdivisionScheme = "none"`)+
		square("d", `uniform token subdivisionScheme = "round"`)))
	require.NoError(t, err)
	cages := map[string]*scene.Cage{}
	for _, m := range s.Meshes {
		cages[m.Name] = m.Cage
	}
	assert.Equal(t, &scene.Cage{Scheme: scene.CatmullClark, Sharp: map[scene.EdgeKey]float64{{0, 1}: 2.5, {1, 2}: 2.5,
		{0, 3}: math.Inf(1)}}, cages["a"])
	assert.Equal(t, &scene.Cage{Scheme: scene.Loop, Sharp: map[scene.EdgeKey]float64{{0, 1}: 1, {1, 2}: .5}}, cages["b"])
	assert.Nil(t, cages["c"])
	assert.Nil(t, cages["d"])
}
