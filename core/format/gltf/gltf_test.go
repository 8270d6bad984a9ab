package gltf

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

func read(t testing.TB, name string, data []byte, more ...bundle.File) (*scene.Scene, []finding.Finding, error) {
	t.Helper()
	return Read(context.Background(), bundle.New(append([]bundle.File{{Name: name, Data: data}}, more...)), name, nil)
}

// le packs values little-endian.
func le(values ...any) []byte {
	var b bytes.Buffer
	for _, v := range values {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	return b.Bytes()
}

// withBuffer makes a document whose one buffer is data; the rest is JSON members.
func withBuffer(data []byte, members string) []byte {
	return fmt.Appendf(nil, `{"asset":{"version":"2.0"},
		"buffers":[{"byteLength":%d,"uri":"data:application/octet-stream;base64,%s"}],%s}`,
		len(data), base64.StdEncoding.EncodeToString(data), members)
}

const oneNode = `"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],`

func TestAccessorsOfEveryKind(t *testing.T) {
	// Positions as normalised bytes four bytes apart, as sparse floats over nothing,
	// and interleaved with normals.
	t.Run("normalised, strided", func(t *testing.T) {
		b := le([]int8{0, 0, 0, 99, 127, 0, 0, 99, 0, -128, 0, 99})
		s, _, err := read(t, "a.gltf", withBuffer(b, oneNode+`"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
			"bufferViews":[{"buffer":0,"byteLength":12,"byteStride":4}],
			"accessors":[{"bufferView":0,"componentType":5120,"normalized":true,"count":3,"type":"VEC3"}]`))
		require.NoError(t, err)
		assert.Equal(t, []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, -1, 0}}, s.Meshes[0].Points)
	})
	t.Run("sparse over zeros", func(t *testing.T) {
		b := append(le([]uint16{1, 2}), le([]float32{5, 0, 0, 0, 7, 0})...)
		s, _, err := read(t, "a.gltf", withBuffer(b, oneNode+`"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
			"bufferViews":[{"buffer":0,"byteLength":4},{"buffer":0,"byteOffset":4,"byteLength":24}],
			"accessors":[{"componentType":5126,"count":3,"type":"VEC3","sparse":{"count":2,
				"indices":{"bufferView":0,"componentType":5123},"values":{"bufferView":1}}}]`))
		require.NoError(t, err)
		assert.Equal(t, []geom.Vec3{{0, 0, 0}, {5, 0, 0}, {0, 7, 0}}, s.Meshes[0].Points)
	})
	t.Run("interleaved, byte indices, short UVs", func(t *testing.T) {
		var b []byte
		for i := range 3 {
			b = append(b, le([]float32{float32(i), float32(i * i), 0}, []float32{0, 0, 1},
				[]uint16{uint16(i * 32767), 65535})...)
		}
		b = append(b, 2, 1, 0)
		s, _, err := read(t, "a.gltf", withBuffer(b, oneNode+`"meshes":[{"primitives":[{"attributes":{"POSITION":0,
			"NORMAL":1,"TEXCOORD_0":2},
			"indices":3}]}],
			"bufferViews":[{"buffer":0,"byteLength":84,"byteStride":28},{"buffer":0,"byteOffset":84,"byteLength":3}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},
				{"bufferView":0,"byteOffset":12,"componentType":5126,"count":3,"type":"VEC3"},
				{"bufferView":0,"byteOffset":24,"componentType":5123,"normalized":true,"count":3,"type":"VEC2"},
				{"bufferView":1,"componentType":5121,"count":3,"type":"SCALAR"}]`))
		require.NoError(t, err)
		m := s.Meshes[0]
		assert.Equal(t, []int32{2, 1, 0}, m.Corners)
		assert.Equal(t, geom.Vec3{2, 4, 0}, m.Points[2])
		assert.Equal(t, [3]float32{0, 0, 1}, m.Normals.Values[1])
		assert.Equal(t, [2]float64{32767.0 / 65535, 0}, m.UVs[0].Values[1])
	})
}

func TestPrimitiveModes(t *testing.T) {
	b := le([]float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0})
	doc := func(mode int) []byte {
		return withBuffer(b, oneNode+fmt.Sprintf(`"meshes":[{"name":"m","primitives":[{"attributes":{"POSITION":0},
			"mode":%d}]}],
			"bufferViews":[{"buffer":0,"byteLength":60}],"accessors":[{"bufferView":0,"componentType":5126,"count":5,
				"type":"VEC3"}]`, mode))
	}
	s, _, err := read(t, "a.gltf", doc(modeTriangleStrip))
	require.NoError(t, err)
	assert.Equal(t, []int32{0, 1, 2, 1, 3, 2, 2, 3, 4}, s.Meshes[0].Corners)
	s, _, err = read(t, "a.gltf", doc(modeTriangleFan))
	require.NoError(t, err)
	assert.Equal(t, []int32{1, 2, 0, 2, 3, 0, 3, 4, 0}, s.Meshes[0].Corners)
	for mode, what := range []string{"point set", "line set", "line loop", "line strip"} {
		s, _, err = read(t, "a.gltf", doc(mode))
		require.NoError(t, err)
		assert.Equal(t, 1, s.CountLeft(what))
	}
	_, _, err = read(t, "a.gltf", doc(modeTriangles))
	assert.ErrorContains(t, err, "no whole number of triangles")
}

func TestBadFilesAreRefusedWithTheirPlace(t *testing.T) {
	tri := le([]float32{0, 0, 0, 1, 0, 0, 0, 1, 0}, []uint16{0, 1, 9}, []float32{0, float32(math.NaN()), 0, 0, 0, 0, 0, 0,
		0})
	doc := func(pos, idx, nodes string) []byte {
		if nodes != oneNode {
			return withBuffer(tri, nodes+`"meshes":[]`)
		}
		return withBuffer(tri, nodes+`"meshes":[{"name":"vane","primitives":[{"attributes":{"POSITION":`+pos+`},
			"indices":`+idx+`}]}],
			"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":6},{"buffer":0,"byteOffset":42,
				"byteLength":36}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5123,
				"count":3,
				"type":"SCALAR"},
			{"bufferView":2,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5123,"count":2,
				"type":"SCALAR"},
			{"bufferView":0,"componentType":5126,"count":2000000000,"type":"VEC3"}]`)
	}
	glb := []byte("glTF\x02\x00\x00\x00\xff\x00\x00\x00________________")
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"index to nowhere", doc("0", "1", oneNode),
			"mesh 0 “vane”, part 0: accessor 1 refers to vertex 9 at index 2, byte 40"},
		{"not finite", doc("2", "1", oneNode), "accessor 2 has a position that is not finite, at vertex 0"},
		{"not whole", doc("0", "3", oneNode), "2 corners"},
		{"huge count", doc("4", "1", oneNode), "accessor 4"},
		{"ring", doc("0", "1", `"nodes":[{"children":[1]},{"children":[0]}],`),
			"every node has a parent, so they form a ring"},
		{"self", doc("0", "1", `"nodes":[{"children":[0]}],`), "node 0 has two parents, or is its own"},
		{"two parents", doc("0", "1", `"nodes":[{"children":[2]},{"children":[2]},{}],`), "node 2 has two parents"},
		{"child to nowhere", doc("0", "1", `"nodes":[{"children":[7]}],`), "node 0 has the child 7"},
		{"wild matrix", doc("0", "0", `"nodes":[{"name":"far","translation":[1e300,0,0]}],`),
			"node 0 “far” has a transform that is out of all bounds"},
		{"cut GLB", glb, "byte 28: the GLB says it has 255 bytes"},
		{"tiny GLB", []byte("glTF\x02\x00"), "ends within its header"},
		{"GLB 1", append([]byte("glTF\x01\x00\x00\x00"), make([]byte, 20)...), "GLB version 1"},
		{"bad JSON", []byte(`{"asset":{"version":"2.0"},}`), "byte 28"},
		{"wrong kind", []byte(`{"asset":{"version":2}}`), "asset.version holds a number"},
		{"version 1", []byte(`{"asset":{"version":"1.0"}}`), "2.0 is read"},
		{"compressed", []byte(`{"asset":{"version":"2.0"},"extensionsRequired":["EXT_packed"]}`),
			`requires the extension "EXT_packed"`},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, _, err := read(t, "bad.glb", c.data)
			var e *fault.Error
			require.ErrorAs(t, err, &e)
			assert.ErrorContains(t, err, c.want)
		})
	}
}

func TestWhatAStaticMeshCantKeepIsNamed(t *testing.T) {
	s, _, err := read(t, "a.gltf", []byte(`{"asset":{"version":"2.0"},"extensionsUsed":["EXT_wind","KHR_lights_punctual"],
		"extensions":{"KHR_lights_punctual":{"lights":[{"name":"lamp","type":"point"}]}},
		"cameras":[{"type":"perspective","perspective":{}}],"skins":[{"joints":[0]}],"animations":[{"name":"sway"},{}],
		"nodes":[{"camera":0},{"name":"lamp","extensions":{"KHR_lights_punctual":{"light":0}}},{"name":"spot"}]}`))
	require.NoError(t, err)
	for what, n := range map[string]int{"camera": 1, "skin": 1, "animation": 2, "light": 1, "extension": 1} {
		assert.Equal(t, n, s.CountLeft(what), what)
	}
	assert.Equal(t, scene.KindCamera, s.Nodes[0].Kind)
	assert.Equal(t, scene.KindLight, s.Nodes[1].Kind)
	assert.Equal(t, scene.KindEmpty, s.Nodes[2].Kind)
}

func TestMissingPartsAreFindings(t *testing.T) {
	doc := []byte(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":36,"uri":"sea%20wall.bin"}],
		"images":[{"uri":"../x.png"}],
		"bufferViews":[{"buffer":0,"byteLength":36}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,
			"type":"VEC3"}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}]}`)
	s, found, err := read(t, "wall.gltf", doc)
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.Equal(t, finding.MustFix, found[0].Severity)
	assert.Contains(t, found[1].Title, "points outside")
	assert.Zero(t, s.Count().Triangles)
	s, found, err = read(t, "wall.gltf", doc, bundle.File{Name: "sea wall.bin", Data: make([]byte, 36)})
	require.NoError(t, err)
	assert.Len(t, found, 1)
	assert.Equal(t, 1, s.Count().Triangles)
	_, _, err = read(t, "wall.gltf", doc, bundle.File{Name: "sea wall.bin", Data: make([]byte, 20)})
	assert.ErrorContains(t, err, "bytes 0 to 36 of a buffer of 20")
}

func pngOf(w, h int) []byte {
	var b bytes.Buffer
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range img.Pix {
		img.Pix[i] = byte(i * 7)
	}
	_ = png.Encode(&b, img)
	return b.Bytes()
}

// lantern is a scene with everything the format holds: a tree, an instance, a
// mirrored node, two slots, two UV sets, colours, tangents, textures.
func lantern() *scene.Scene {
	s := &scene.Scene{Name: "lantern", Basis: geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}, UnitMetres: 1}
	s.Images = []scene.Image{{Name: "paint.png", Data: pngOf(4, 2)}, {Name: "wear.png", Data: pngOf(2, 2)}}
	s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Clamp, WrapV: scene.Mirror},
		{Image: 1, WrapU: scene.Repeat, WrapV: scene.Repeat, MinFilter: 9987}}
	a, b := scene.NewMaterial("paint work"), scene.NewMaterial("glass “clear”")
	a.Metallic, a.Roughness = 0.25, 0.5
	a.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	a.Maps[scene.UseMetallic] = scene.Map{Texture: 2, UVSet: 1, Channel: scene.Blue}
	a.Maps[scene.UseRoughness] = scene.Map{Texture: 2, UVSet: 1, Channel: scene.Green}
	a.Maps[scene.UseNormal] = scene.Map{Texture: 2}
	a.NormalScale = 0.75
	a.Maps[scene.UseBaseColor].Place = &scene.Placement{Offset: [2]float64{.25, .5}, Scale: [2]float64{2, 3}, Rotation: .5}
	b.Glow, b.Unlit = 4, true
	b.BaseColor = [4]float64{0.1, 0.2, 0.3, 0.4}
	b.AlphaMode, b.AlphaCutoff, b.TwoSided, b.Emissive = scene.Mask, 0.25, true, [3]float64{0, 0.5, 1}
	s.Materials = []scene.Material{a, b, scene.NewMaterial("spare")}
	layer := []int32{0, 1, 2, 0, 2, 1, 2}
	m := &scene.Mesh{Name: "cage", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 2, 0}, {0, 2, 0}, {0.5, 3, 1}},
		FaceStart: []int32{0, 4, 7}, Corners: []int32{0, 1, 2, 3, 0, 3, 4}, Slots: []int{1, 0}, Slot: []int32{0, 1},
		Normals:  scene.Layer[[3]float32]{Values: [][3]float32{{0, 0, 1}, {0, 1, 0}, {1, 0, 0}}, Index: layer},
		Tangents: scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}, {0, 0, 1, -1}, {0, 1, 0, 1}}, Index: layer},
		Colors:   scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}, {0, 1, 0, 0.5}, {0, 0, 1, 1}}, Index: layer},
		UVs: []scene.UVSet{{Name: "UV 1", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{0, 0}, {0.25, 1}, {3, -1}},
			Index: layer}},
			{Name: "UV 2", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{0.5, 0.5}, {0, 1}, {1, 0}}, Index: layer}}}}
	s.Meshes = []*scene.Mesh{m}
	turn := geom.Linear(geom.Rotation(geom.Vec3{1, 1, 0}, 0.7))
	turn.T = geom.Vec3{1, 2, 3}
	s.Nodes = []scene.Node{
		{Name: "root", Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: geom.Translation(geom.Vec3{0, 5, 0})},
		{Name: "cage", Kind: scene.KindMesh, Parent: 0, Mesh: 0, Local: turn},
		{Name: "cage mirrored", Kind: scene.KindMesh, Parent: 0, Mesh: 0,
			Local: geom.Affine{M: geom.Mat3{{-2, 0, 0}, {0, 1, 0},
				{0, 0, 3}}}},
	}
	return s
}

// soup lists every triangle's corners in the world with their normal and UV, in
// the view frame, in an order that does not depend on how the mesh is cut up.
func soup(s *scene.Scene) []string {
	f := s.Carried(geom.Linear(s.Basis.ToView())).Flattened()
	var out []string
	for i, m := range f.Meshes {
		m.EachTriangle(func(face int, a, b, c int32) {
			line := fmt.Sprintf("%s %d", f.Nodes[i].Name, m.Material(face))
			for _, k := range []int32{a, b, c} {
				p := m.Points[m.Corners[k]]
				line += fmt.Sprintf(" (%.4f %.4f %.4f", p[0]+0, p[1]+0, p[2]+0)
				if m.Normals.Has() {
					n := m.Normals.Values[m.Normals.Index[k]]
					line += fmt.Sprintf(" n %.3f %.3f %.3f", n[0]+0, n[1]+0, n[2]+0)
				}
				for _, u := range m.UVs {
					line += fmt.Sprintf(" t %.4f", u.Values[u.Index[k]])
				}
				if m.Colors.Has() {
					line += fmt.Sprint(" c ", m.Colors.Values[m.Colors.Index[k]])
				}
				line += ")"
			}
			out = append(out, strings.ReplaceAll(line, "-0.000", "0.000"))
		})
	}
	return out
}

func TestWriteReadKeepsEverythingInEveryBasis(t *testing.T) {
	src := lantern()
	for _, basis := range geom.AllBases() {
		s := src.Carried(geom.Linear(src.Basis.To(basis)))
		s.Basis = basis
		for _, parts := range []bool{false, true} {
			p, err := Write(context.Background(), s, pack.Options{Name: "lantern", Parts: parts})
			require.NoError(t, err)
			got, found, err := Read(context.Background(), bundle.New(p.Files), p.Files[0].Name, nil)
			require.NoError(t, err)
			require.Empty(t, found)
			require.Equal(t, len(s.Nodes), len(got.Nodes))
			require.Equal(t, 2, got.Count().Instances)
			require.Len(t, got.Meshes, 1, "instances stay instances")
			a, b := soup(s), soup(got)
			// The slot order of the mesh decides the order of its triangles.
			require.ElementsMatch(t, a, b, basis.String())
			wa, wb := s.Worlds(), got.Worlds()
			for i := range s.Nodes {
				require.Equal(t, s.Nodes[i].Name, got.Nodes[i].Name)
				require.True(t, wa[i].Conjugate(geom.Linear(basis.To(geom.GLTF))).Near(wb[i], 1e-6))
			}
			require.Equal(t, []string{"glass “clear”", "paint work"}, got.SlotNames())
			require.Equal(t, []string{"spare"}, got.UnusedMaterials())
			g := got.Materials
			require.Equal(t, s.Materials[1], g[1])
			require.Equal(t, s.Materials[0].Maps, g[0].Maps)
			require.Equal(t, 0.75, g[0].NormalScale)
			for i := range s.Textures {
				require.Equal(t, s.Textures[i].WrapU, got.Textures[i].WrapU)
				require.Equal(t, s.Textures[i].WrapV, got.Textures[i].WrapV)
				require.Equal(t, s.Images[i].Data, got.Images[got.Textures[i].Image].Data)
			}
		}
	}
}

func TestSameSceneSameBytes(t *testing.T) {
	a, err := Write(context.Background(), lantern(), pack.Options{Name: "x"})
	require.NoError(t, err)
	for range 5 {
		b, err := Write(context.Background(), lantern(), pack.Options{Name: "x"})
		require.NoError(t, err)
		require.Equal(t, a.Files[0].Data, b.Files[0].Data)
	}
}

func TestSeparateTexturesAreJoined(t *testing.T) {
	s := lantern()
	m := &s.Materials[0]
	m.Maps[scene.UseMetallic] = scene.Map{Texture: 1, Channel: scene.Red}
	m.Maps[scene.UseRoughness] = scene.Map{Texture: 2}
	m.Maps[scene.UseOpacity] = scene.Map{Texture: 2, Channel: scene.Green}
	p, err := Write(context.Background(), s, pack.Options{Name: "x"})
	require.NoError(t, err)
	got, _, err := Read(context.Background(), bundle.New(p.Files), "x.glb", nil)
	require.NoError(t, err)
	mr := got.Images[got.Textures[got.Materials[0].Maps[scene.UseMetallic].Texture-1].Image]
	img, err := png.Decode(bytes.NewReader(mr.Data))
	require.NoError(t, err)
	src, err := png.Decode(bytes.NewReader(s.Images[0].Data))
	require.NoError(t, err)
	require.Equal(t, image.Rect(0, 0, 4, 2), img.Bounds())
	want := color.NRGBAModel.Convert(src.At(2, 1)).(color.NRGBA)
	assert.Equal(t, want.R, color.NRGBAModel.Convert(img.At(2, 1)).(color.NRGBA).B, "metallic went from red to blue")
	assert.NotEmpty(t, p.Changes)
}

// A GLB cut at any place is refused with its place.
func TestCutAnywhere(t *testing.T) {
	p, err := Write(context.Background(), lantern(), pack.Options{Name: "x"})
	require.NoError(t, err)
	data := p.Files[0].Data
	for n := 4; n < len(data); n += 7 {
		_, _, err := read(t, "a.glb", data[:n])
		var e *fault.Error
		require.ErrorAs(t, err, &e, "cut at %d", n)
	}
}

func FuzzRead(f *testing.F) {
	glb, _ := Write(context.Background(), lantern(), pack.Options{Name: "x"})
	f.Add(glb.Files[0].Data)
	parts, _ := Write(context.Background(), lantern(), pack.Options{Name: "x", Parts: true})
	f.Add(parts.Files[0].Data)
	f.Add(withBuffer(make([]byte, 96), oneNode+`"meshes":[{"primitives":[{"attributes":{"POSITION":0},"mode":5}]}],
		"bufferViews":[{"buffer":0,"byteLength":96}],"accessors":[{"bufferView":0,"componentType":5121,"count":8,
			"type":"VEC3",
			"sparse":{"count":1,"indices":{"bufferView":0,"componentType":5121},"values":{"bufferView":0}}}]`))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			t.Skip()
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		start := time.Now()
		s, _, err := Read(context.Background(), bundle.New([]bundle.File{{Name: "a.glb", Data: data},
			{Name: "x.bin", Data: make([]byte, 4096)}}), "a.glb", nil)
		if time.Since(start) > 20*time.Second {
			t.Fatalf("took %v", time.Since(start))
		}
		if runtime.ReadMemStats(&after); after.TotalAlloc-before.TotalAlloc > 256<<20 {
			t.Fatalf("took %d MB for %d bytes", (after.TotalAlloc-before.TotalAlloc)>>20, len(data))
		}
		if err != nil {
			return
		}
		for _, m := range s.Meshes {
			if err := m.Validate(); err != nil {
				t.Fatal(err)
			}
		}
		if s.Count().Triangles > 1<<20 {
			return
		}
		if _, err := Write(context.Background(), s, pack.Options{Name: "out"}); err != nil {
			t.Fatal(err)
		}
	})
}

func TestTheOtherWorkflowIsConverted(t *testing.T) {
	s, _, err := read(t, "a.gltf", []byte(`{"asset":{"version":"2.0"},
		"extensionsRequired":["KHR_materials_pbrSpecularGlossiness","EXT_texture_webp"],
		"images":[{"uri":"a.webp"}],"textures":[{"extensions":{"EXT_texture_webp":{"source":0}}}],"materials":[
		{"name":"chalk","extensions":{"KHR_materials_pbrSpecularGlossiness":{"diffuseFactor":[0.5,0.25,0.1,1],
			"specularFactor":[0.04,0.04,0.04],"glossinessFactor":0.25,"diffuseTexture":{"index":0}}}},
		{"name":"brass","extensions":{"KHR_materials_pbrSpecularGlossiness":{"diffuseFactor":[0,0,0,1],
			"specularFactor":[0.9,0.7,0.3],
			"glossinessFactor":1}}}]}`),
		bundle.File{Name: "a.webp", Data: []byte("RIFF")})
	require.NoError(t, err)
	chalk, brass := s.Materials[0], s.Materials[1]
	assert.InDelta(t, 0, chalk.Metallic, 0.01)
	assert.InDeltaSlice(t, []float64{.5, .25, .1}, chalk.BaseColor[:3], 0.01)
	assert.Equal(t, .75, chalk.Roughness)
	assert.True(t, chalk.Maps[scene.UseBaseColor].Has())
	assert.InDelta(t, 1, brass.Metallic, 0.01)
	assert.InDeltaSlice(t, []float64{.9, .7, .3}, brass.BaseColor[:3], 0.02)
}

// triangleGLTF is a document of one triangle with its buffer inside; more is put into its
// nodes, its meshes and its top level.
func triangleGLTF(node, meshes, top string) []byte {
	var bin []byte
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 5, 0, 0, 0, 6, 0, 1, 1, 1, 2, 2, 2} {
		bin = binary.LittleEndian.AppendUint32(bin, math.Float32bits(v))
	}
	return fmt.Appendf(nil, `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,
		"name":"buoy"%s}],
"meshes":[%s{"name":"buoy","primitives":[{"attributes":{"POSITION":0}}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5126,
	"count":2,"type":"VEC3"},
{"bufferView":2,"componentType":5126,"count":2,"type":"VEC3"}],
"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":24},{"buffer":0,"byteOffset":60,
	"byteLength":24}],
"buffers":[{"byteLength":84,"uri":"data:application/octet-stream;base64,%s"}]%s}`, node, meshes,
		base64.StdEncoding.EncodeToString(bin), top)
}

func readDocument(data []byte) (*scene.Scene, []finding.Finding, error) {
	return Read(context.Background(), bundle.New([]bundle.File{{Name: "a.gltf", Data: data}}), "a.gltf", nil)
}

// A copy of a mesh is never lost on a note: the places the extension gives are nodes.
func TestInstancesOfAnExtensionAreNodes(t *testing.T) {
	s, _, err := readDocument(
		triangleGLTF(`,"extensions":{"EXT_mesh_gpu_instancing":{"attributes":{"TRANSLATION":1,"SCALE":2}}}`, "",
			`,"extensionsUsed":["EXT_mesh_gpu_instancing"],"extensionsRequired":["EXT_mesh_gpu_instancing"]`))
	require.NoError(t, err)
	require.Equal(t, 2, s.Count().Instances)
	assert.Equal(t, 1, s.Count().Meshes)
	assert.Equal(t, geom.Box{Min: geom.Vec3{0, 0, 0}, Max: geom.Vec3{6, 8, 0}}, s.Bounds(),
		"moved by (5,0,0) and (0,6,0), grown by 1 and 2")
	assert.Equal(t, []string{"buoy", "buoy 1", "buoy 2"}, []string{s.Nodes[0].Name, s.Nodes[1].Name, s.Nodes[2].Name})
}

// An extension that says how a surface looks does not stand in the way of the mesh; one
// that might hold the mesh does.
func TestLooksDoNotStandInTheWay(t *testing.T) {
	for _, e := range []string{"KHR_materials_transmission", "KHR_texture_basisu", "KHR_techniques_webgl"} {
		s, found, err := readDocument(triangleGLTF("", "", `,"extensionsRequired":["`+e+`"]`))
		require.NoError(t, err, e)
		assert.Equal(t, 1, s.Count().Triangles)
		if !understood[e] {
			require.Len(t, found, 1)
			assert.Contains(t, found[0].Title, e)
			assert.Equal(t, finding.Look, found[0].Severity)
		}
	}
	_, _, err := readDocument(triangleGLTF("", "", `,"extensionsRequired":["EXT_folded_geometry"]`))
	assert.ErrorContains(t, err, "EXT_folded_geometry")
}

func TestTheFirstGenerationSaysSo(t *testing.T) {
	for _, doc := range []string{`{"asset":{"version":"1.0"},"meshes":{"a":{}}}`, `{"asset":{"version":1.1},"meshes":{}}`,
		`{"meshes":{"a":{}},"nodes":{"n":{}}}`, `{"asset":{"version":"0.8"}}`} {
		_, _, err := readDocument([]byte(doc))
		assert.ErrorContains(t, err, "which is another format; 2.0 is read", doc)
		assert.Equal(t, fault.Unsupported, fault.KindOf(err))
	}
}

// One bad part is left out and named; the rest comes in; a file with nothing left is
// refused.
func TestOneBadPartIsNotABadFile(t *testing.T) {
	good := `{"name":"hull","primitives":[{"attributes":{"POSITION":0}},{"attributes":{"POSITION":%d}},
		{"attributes":{"POSITION":0}}]},`
	for _, bad := range []int{9, 1} { // no such accessor; two points, which make no triangle
		s, found, err := readDocument(triangleGLTF("", fmt.Sprintf(good, bad), ""))
		require.NoError(t, err)
		require.Len(t, s.Meshes, 2)
		assert.Equal(t, 2, s.Meshes[0].Triangles())
		assert.Equal(t, 1, s.Meshes[1].Triangles())
		require.NoError(t, s.Meshes[0].Validate())
		if bad == 9 {
			require.Len(t, found, 1)
			assert.Equal(t, finding.MustFix, found[0].Severity)
			assert.Contains(t, found[0].Title, "Part 1 of “hull”")
		}
	}
	_, _, err := readDocument(bytes.ReplaceAll(triangleGLTF("", "", ""), []byte(`"POSITION":0`), []byte(`"POSITION":9`)))
	assert.Error(t, err)
}

// The standard lets indices be sparse too (section 3.6.2.3): over others, or over zeros.
func TestSparseIndices(t *testing.T) {
	points := le([]float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0})
	for name, c := range map[string]struct {
		view    string
		replace []uint16 // what stands at 1, 2
		want    []int32
		says    string
	}{
		"over others": {`"bufferView":1,`, []uint16{3, 1}, []int32{0, 3, 1}, ""},
		"over zeros":  {``, []uint16{1, 2}, []int32{0, 1, 2}, ""},
		"too far":     {``, []uint16{1, 4}, nil, "refers to vertex 4"},
	} {
		t.Run(name, func(t *testing.T) {
			data := append(append([]byte(nil), points...), le([]uint16{0, 1, 2, 0}, []uint8{1, 2, 0, 0}, c.replace)...)
			s, found, err := read(t, "a.gltf", withBuffer(data, oneNode+`"meshes":[{"primitives":[{"attributes":{"POSITION":0},
				"indices":1}]},
				{"primitives":[{"attributes":{"POSITION":0}}]}],
				"bufferViews":[{"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":8},
				{"buffer":0,"byteOffset":56,"byteLength":4},{"buffer":0,"byteOffset":60,"byteLength":4}],
				"accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3"},
				{`+c.view+`"componentType":5123,"count":3,"type":"SCALAR","sparse":{"count":2,
				"indices":{"bufferView":2,"componentType":5121},"values":{"bufferView":3}}}]`))
			if c.says != "" {
				if err == nil {
					require.NotEmpty(t, found)
					assert.Contains(t, found[0].Text, c.says)
					assert.Equal(t, 1, s.CountLeft("part that can't be read"))
					return
				}
				assert.ErrorContains(t, err, c.says)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.want, s.Meshes[0].Corners)
		})
	}
}

// A material that is a program tells its colour and picture by what its parameters are called.
func TestMaterialsThatArePrograms(t *testing.T) {
	for _, e := range []string{"KHR_techniques_webgl", "KHR_technique_webgl"} {
		s, found, err := readDocument(triangleGLTF("", "", `,"images":[{"uri":"a.png"}],"textures":[{"source":0}],
			"extensionsUsed":["`+e+`"],"extensionsRequired":["`+e+`"],
			"extensions":{"`+e+`":{"techniques":[{"uniforms":{"u_emission":{"value":[0.5,0.5,0.5,1]}`+
			`,"u_shininess":{"value":10}}}]}},
			"materials":[{"name":"hull","extensions":{"`+e+`":{"technique":0,"values":{"u_diffuse":[0.5,0.25,1,0.75]}}}},
			{"extensions":{"`+e+`":{"values":{"diffuseTexture":{"index":0},"u_transparency":0.5}}}}]`))
		require.NoError(t, err, found)
		m := s.Materials[0]
		assert.InDeltaSlice(t, []float64{.21404114, .05087609, 1, .75}, m.BaseColor[:], 1e-7)
		assert.InDelta(t, .21404114, m.Emissive[0], 1e-7)
		assert.Zero(t, m.Metallic)
		assert.Equal(t, scene.Blend, m.AlphaMode)
		assert.True(t, s.Materials[1].Maps[scene.UseBaseColor].Has())
		assert.Equal(t, .5, s.Materials[1].BaseColor[3])
		assert.Equal(t, 1, s.CountLeft("parameter of a material program"), "its shininess is told")
		assert.Equal(t, 2, s.CountLeft("material program"))
	}
	// What a file requires is said to be required.
	s, _, err := readDocument(triangleGLTF("", "", `,"extensionsUsed":["KHR_materials_fog","EXT_other"],
		"extensionsRequired":["KHR_materials_fog"]`))
	require.NoError(t, err)
	assert.Equal(t, "it is not understood, and the file requires it", s.Left[0].Why)
	assert.Contains(t, s.Left[1].Why, "does not require it")
}
