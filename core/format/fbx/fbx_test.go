package fbx

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

func read(t testing.TB, data []byte, more ...bundle.File) (*scene.Scene, []finding.Finding, error) {
	t.Helper()
	return Read(context.Background(), bundle.New(append([]bundle.File{{Name: "a.fbx", Data: data}}, more...)), "a.fbx",
		nil)
}

func pngOf(n int) []byte {
	var b bytes.Buffer
	_ = png.Encode(&b, image.NewGray(image.Rect(0, 0, n, n)))
	return b.Bytes()
}

// hut is a scene with a tree, instances, a mirrored node, n-gons, two UV sets,
// smoothing groups, several slots and textures.
func hut() *scene.Scene {
	s := shape.Scene("hut", nil,
		new(shape.Builder).Slot(1).Prism([][2]float64{{-1, 0}, {1, 0}, {1, 2}, {0, 3}, {-1, 2}}, -1,
			1).Slot(0).Lathe([][2]float64{{.3, 3}, {.2, 4}, {0, 4.2}}, 9).Mesh("body"),
		new(shape.Builder).Slot(2).Box(geom.Vec3{0, 0, 0}, geom.Vec3{.5, 1, .1}).Mesh("shutter"))
	s.Images = []scene.Image{{Name: "paint.png", Data: pngOf(8), MIME: "image/png"},
		{Name: "wear.png", Data: pngOf(4), MIME: "image/png"}}
	s.Textures = []scene.Texture{{Name: "paint", Image: 0, WrapU: scene.Clamp, WrapV: scene.Repeat},
		{Name: "wear", Image: 1, WrapU: scene.Repeat, WrapV: scene.Repeat}}
	for _, n := range []string{"roof “felt”", "wall", "shutter wood", "spare"} {
		s.Materials = append(s.Materials, scene.NewMaterial(n))
	}
	w := &s.Materials[1]
	w.BaseColor, w.Metallic, w.Roughness, w.TwoSided = [4]float64{.5, .25, 1, 1}, .75, .5, true
	w.Maps[scene.UseBaseColor] = scene.Map{Texture: 1}
	w.Maps[scene.UseNormal] = scene.Map{Texture: 2}
	w.Maps[scene.UseRoughness] = scene.Map{Texture: 2, UVSet: 1, Channel: scene.Green}
	w.NormalScale = .5
	w.Maps[scene.UseNormal].Place = scene.PlacedBelow([2]float64{.25, .5}, [2]float64{2, 3})
	w.Glow, w.Unlit = 3, true
	g := &s.Materials[2]
	g.BaseColor[3], g.AlphaMode, g.AlphaCutoff, g.Emissive = .5, scene.Mask, .3, [3]float64{0, .5, 1}
	b := s.Meshes[0]
	second := append([][2]float64(nil), b.UVs[0].Values...)
	b.UVs = append(b.UVs, scene.UVSet{Name: "bake", Layer: scene.Layer[[2]float64]{Values: second, Index: b.UVs[0].Index}})
	turn := geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, 0.8))
	turn.T = geom.Vec3{1, .5, 1}
	s.Nodes = append(s.Nodes,
		scene.Node{Name: "hinges", Kind: scene.KindEmpty, Parent: 0, Mesh: -1, Local: turn},
		scene.Node{Name: "shutter 2", Kind: scene.KindMesh, Parent: 2, Mesh: 1,
			Local: geom.Affine{M: geom.Mat3{{-2, 0, 0}, {0, 1, 0},
				{0, 0, .5}}, T: geom.Vec3{0, 1, 0}}})
	return s
}

func TestWriteReadKeepsTheScene(t *testing.T) {
	bases := geom.AllBases()
	if testing.Short() {
		bases = bases[:12]
	}
	for _, b := range bases {
		for _, unit := range []float64{1, 0.01} {
			src := hut()
			s := src.Carried(geom.Linear(src.Basis.To(b)))
			s.Basis = b
			for _, parts := range []bool{true, false} {
				p, err := Write(context.Background(), s, pack.Options{Name: "hut", Basis: b, UnitMetres: unit, Parts: parts})
				require.NoError(t, err)
				got, found, err := Read(context.Background(), bundle.New(p.Files), "hut.fbx", nil)
				require.NoError(t, err)
				require.Empty(t, found)
				require.Equal(t, b, got.Basis)
				require.InDelta(t, unit, got.UnitMetres, 1e-15)
				require.Equal(t, scene.Declared, got.UnitHow)
				require.Len(t, got.Meshes, 2, "instances stay instances")
				require.Equal(t, s.SlotNames(), got.SlotNames())
				require.Equal(t, []string{"spare"}, got.UnusedMaterials())
				require.Equal(t, s.Count(), got.Count())
				want, have := s.Worlds(), got.Worlds()
				require.Len(t, got.Nodes, len(s.Nodes))
				for _, n := range s.Nodes {
					require.True(t, hasNode(got, n.Name), n.Name)
				}
				byName := map[string]geom.Affine{}
				for i, n := range got.Nodes {
					byName[n.Name] = have[i]
				}
				for i, n := range s.Nodes {
					require.True(t, want[i].Near(byName[n.Name], 1e-9), "%s in %v: %v %v", n.Name, b, want[i], byName[n.Name])
				}
				for i, m := range s.Meshes {
					g := got.Meshes[i]
					require.NoError(t, g.Validate())
					require.Equal(t, m.FaceStart, g.FaceStart)
					require.Equal(t, m.Corners, g.Corners)
					require.Equal(t, m.Smooth, g.Smooth)
					require.Equal(t, len(m.UVs), len(g.UVs))
					for k, p := range m.Points {
						require.True(t, p.Near(g.Points[k], 1e-9))
					}
					for c, k := range m.Normals.Index {
						require.Equal(t, m.Normals.Values[k], g.Normals.Values[g.Normals.Index[c]])
					}
					for u := range m.UVs {
						require.Equal(t, m.UVs[u].Name, g.UVs[u].Name)
						require.Equal(t, m.UVs[u].Index, g.UVs[u].Index)
						require.Equal(t, m.UVs[u].Values, g.UVs[u].Values)
					}
				}
				a, c := s.Materials[1], materialNamed(got, "wall")
				require.Equal(t, a.BaseColor, c.BaseColor)
				require.InDelta(t, a.Roughness, c.Roughness, 1e-12)
				require.Equal(t, []any{a.Metallic, a.TwoSided, a.NormalScale, a.Maps[scene.UseRoughness].Channel,
					a.Maps[scene.UseRoughness].UVSet},
					[]any{c.Metallic, c.TwoSided, c.NormalScale, c.Maps[scene.UseRoughness].Channel, c.Maps[scene.UseRoughness].UVSet})
				require.Equal(t, []any{a.Maps[scene.UseNormal].Place, a.Glow, a.Unlit},
					[]any{c.Maps[scene.UseNormal].Place, c.Glow, c.Unlit})
				tex := got.Textures[c.Maps[scene.UseBaseColor].Texture-1]
				require.Equal(t, scene.Clamp, tex.WrapU)
				require.Equal(t, s.Images[0].Data, got.Images[tex.Image].Data)
				glass := materialNamed(got, "shutter wood")
				require.Equal(t, []any{scene.Mask, .3, .5, [3]float64{0, .5, 1}},
					[]any{glass.AlphaMode, glass.AlphaCutoff, glass.BaseColor[3], glass.Emissive})
			}
		}
	}
}

func TestTextSaysTheSameAsBinary(t *testing.T) {
	for _, parts := range []bool{true, false} {
		opt := pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 1, Parts: parts}
		bin, err := Write(context.Background(), hut(), opt)
		require.NoError(t, err)
		opt.Text = true
		text, err := Write(context.Background(), hut(), opt)
		require.NoError(t, err)
		a, _, err := Read(context.Background(), bundle.New(bin.Files), "hut.fbx", nil)
		require.NoError(t, err)
		b, _, err := Read(context.Background(), bundle.New(text.Files), "hut.fbx", nil)
		require.NoError(t, err)
		require.Equal(t, a, b)
	}
}

func TestWideRecordsAreReadToo(t *testing.T) {
	w := &writer{ctx: context.Background(), opt: pack.Options{Name: "x", Basis: geom.GLTF, UnitMetres: 1}, s: hut(),
		objects: rec("Objects"), links: rec("Connections"), next: 1}
	w.pictures()
	w.materials()
	w.nodes()
	data, err := encodeBinary(context.Background(), w.tree(7500), 7500)
	require.NoError(t, err)
	s, _, err := read(t, data)
	require.NoError(t, err)
	assert.Equal(t, "7.5", s.FormatVersion)
	assert.Equal(t, hut().Count(), s.Count())
}

func hasNode(s *scene.Scene, name string) bool {
	for _, n := range s.Nodes {
		if n.Name == name {
			return true
		}
	}
	return false
}

func materialNamed(s *scene.Scene, name string) scene.Material {
	for _, m := range s.Materials {
		if m.Name == name {
			return m
		}
	}
	return scene.Material{}
}

func TestSameSceneSameBytes(t *testing.T) {
	opt := pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 1}
	a, err := Write(context.Background(), hut(), opt)
	require.NoError(t, err)
	for range 4 {
		b, err := Write(context.Background(), hut(), opt)
		require.NoError(t, err)
		require.Equal(t, a.Files[0].Data, b.Files[0].Data)
	}
}

const text7 = `; FBX 7.4.0 project file
FBXHeaderExtension:  {
	FBXVersion: 7400 ; the version
}
GlobalSettings:  {
	Properties70:  {
		P: "UpAxis", "int", "Integer", "",2
		P: "UpAxisSign", "int", "Integer", "",1
		P: "FrontAxis", "int", "Integer", "",1
		P: "FrontAxisSign", "int", "Integer", "",-1
		P: "CoordAxis", "int", "Integer", "",0
		P: "CoordAxisSign", "int", "Integer", "",1
		P: "OriginalUpAxis", "int", "Integer", "",1
		P: "UnitScaleFactor", "double", "Number", "",100
	}
}
Definitions:  {
	ObjectType: "Model" {
		PropertyTemplate: "FbxNode" {
			Properties70:  {
				P: "Lcl Translation", "Lcl Translation", "", "A",0,0,7
			}
		}
	}
}
Objects:  {
	Geometry: 10, "Geometry::plank", "Mesh" {
		Vertices: *15 {
			a: 0,0,0, 1,0,0,
			1,1,0, 0,1,0, 2,2,2
		}
		PolygonVertexIndex: *9 {
			a: 0,1,2,-4,0,-2,0,2,-5
		}
		LayerElementUV: 0 {
			Name: "map"
			MappingInformationType: "ByPolygonVertex"
			ReferenceInformationType: "IndexToDirect"
			UV: *6 { a: 0,0,1,0,1,1 }
			UVIndex: *9 { a: 0,1,2,-1,0,1,2,2,9 }
		}
		LayerElementNormal: 0 {
			MappingInformationType: "ByPolygon"
			ReferenceInformationType: "Direct"
			Normals: *9 { a: 0,0,1,0,1,0,1,0,0 }
		}
		LayerElementMaterial: 0 {
			MappingInformationType: "ByPolygon"
			ReferenceInformationType: "IndexToDirect"
			Materials: *3 { a: 1,0,0 }
		}
	}
	Model: 20, "Model::plank", "Mesh" {
		Properties70:  {
			P: "GeometricTranslation", "Vector3D", "Vector", "",0,0,-1
		}
	}
	Model: 21, "Model::spot", "Light" {
	}
	Model: 22, "Model::twin", "Mesh" {
		Properties70:  {
			P: "Lcl Translation", "Lcl Translation", "", "A",5,0,0
		}
	}
	Material: 30, "Material::oak", "" {
		Properties70:  {
			P: "DiffuseColor", "Color", "", "A",0.5,0.25,0.125
			P: "Renderer|base|roughness", "double", "Number", "",0.3
		}
	}
	Material: 31, "Material::ash", "" {
	}
	Texture: 40, "Texture::grain", "" {
		FileName: "C:\shots\grain.png"
		RelativeFilename: "..\grain.png"
	}
	Video: 50, "Video::grain", "Clip" {
		Content: , "PNGA", "PNGB"
	}
	AnimationStack: 60, "AnimStack::sway", "" {
	}
	AnimationLayer: 61, "AnimLayer::base", "" {
	}
	AnimationCurveNode: 62, "AnimCurveNode::R", "" {
	}
	AnimationCurve: 63, "AnimCurve::", "" {
	}
	AnimationStack: 64, "AnimStack::empty", "" {
	}
}
Connections:  {
	C: "OO",63,62
	C: "OO",62,61
	C: "OO",61,60
	C: "OO",10,20
	C: "OO",10,22
	C: "OO",20,0
	C: "OO",22,20
	C: "OO",30,20
	C: "OO",31,20
	C: "OO",30,22
	C: "OO",31,22
	C: "OP",40,30, "DiffuseColor"
	C: "OO",50,40
}`

func TestReadText7(t *testing.T) {
	pic := pngOf(2)
	half := (len(pic) / 2) / 3 * 3
	data := strings.Replace(text7, `, "PNGA", "PNGB"`, fmt.Sprintf("%q, %q", base64.StdEncoding.EncodeToString(pic[:half]),
		base64.StdEncoding.EncodeToString(pic[half:])), 1)
	s, found, err := read(t, []byte(data))
	require.NoError(t, err)
	assert.Equal(t, "7.4", s.FormatVersion)
	assert.Equal(t, geom.Basis{Up: geom.PosZ, Forward: geom.NegY}, s.Basis)
	assert.Equal(t, 1.0, s.UnitMetres)
	require.Len(t, s.Nodes, 3)
	m := s.Meshes[0]
	require.NoError(t, m.Validate())
	assert.Equal(t, []int32{0, 4, 7}, m.FaceStart, "the polygon of two corners is gone")
	assert.Equal(t, []int32{0, 1, 2, 3, 0, 2, 4}, m.Corners)
	assert.Equal(t, []int32{0, 1, 2, -1, 2, 2, -1}, m.UVs[0].Index, "layers count in the corners of the file")
	assert.Equal(t, []int32{0, 0, 0, 0, 2, 2, 2}, m.Normals.Index)
	assert.Equal(t, geom.Vec3{0, 0, -1}, m.Points[0], "the geometric transform is the mesh's alone")
	assert.Len(t, s.Meshes, 2, "another geometric transform makes another mesh")
	assert.Equal(t, geom.Vec3{0, 0, 7}, s.Worlds()[0].T, "the template's default")
	i := 1
	if s.Nodes[i].Name != "twin" {
		i = 2
	}
	assert.Equal(t, geom.Vec3{5, 0, 7}, s.Worlds()[i].T, "its own value over the template's, on its parent")
	assert.Equal(t, []string{"ash", "oak"}, s.SlotNames())
	oak := materialNamed(s, "oak")
	assert.Equal(t, 0.3, oak.Roughness)
	im := s.Images[s.Textures[oak.Maps[scene.UseBaseColor].Texture-1].Image]
	assert.Equal(t, 2, im.Width, "the picture came in pieces of base64")
	assert.Equal(t, 1, s.CountLeft("light"))
	assert.Equal(t, 1, s.CountLeft("animation"), "one without curves moves nothing")
	assert.Equal(t, 1, s.CountLeft("polygon of fewer than three corners"))
	codes := []string{}
	for _, f := range found {
		codes = append(codes, f.Code)
	}
	assert.Contains(t, codes, "source/fbx-up-changed")
	assert.Contains(t, codes, "source/fbx-short-layer")
}

// Some writers embed a picture in a second Video of the same file.
func TestAPictureInASecondVideo(t *testing.T) {
	pic := base64.StdEncoding.EncodeToString(pngOf(2))
	data := strings.Replace(text7, `, "PNGA", "PNGB"`, fmt.Sprintf(", %q", pic), 1)
	data = strings.Replace(data, "\tC: \"OO\",50,40\n", "\tC: \"OO\",51,40\n", 1)
	at := strings.Index(data, "\tVideo: 50")
	require.Positive(t, at)
	data = data[:at] + "\tVideo: 51, \"Video::grain\", \"Clip\" {\n\t}\n" + data[at:]
	s, found, err := read(t, []byte(data))
	require.NoError(t, err)
	oak := materialNamed(s, "oak")
	require.True(t, oak.Maps[scene.UseBaseColor].Has())
	assert.True(t, s.Images[s.Textures[oak.Maps[scene.UseBaseColor].Texture-1].Image].Found())
	for _, f := range found {
		assert.NotEqual(t, "source/missing-picture", f.Code)
	}
}

const text6 = `; FBX 6.1.0 project file
FBXHeaderExtension:  {
    FBXVersion: 6100
}
Objects:  {
    Model: "Model::crate", "Mesh" {
        Properties60:  {
            Property: "Lcl Translation", "Lcl Translation", "A+",100,0,0
            Property: "Lcl Scaling", "Lcl Scaling", "A+",2,2,2
        }
        Vertices: 0,0,0,100,0,0
        ,100,100,0
        PolygonVertexIndex: 0,1,-3
        LayerElementSmoothing: 0 {
            MappingInformationType: "ByPolygon"
            ReferenceInformationType: "Direct"
            Smoothing: 4
        }
    }
    Material: "Material::pine", "" {
        Properties60:  {
            Property: "DiffuseColor", "ColorRGB", "",1,0.5,0
        }
    }
}
Connections:  {
    Connect: "OO", "Model::crate", "Model::Scene"
    Connect: "OO", "Material::pine", "Model::crate"
}
`

func TestReadText6(t *testing.T) {
	s, _, err := read(t, []byte(text6))
	require.NoError(t, err)
	require.Len(t, s.Nodes, 1)
	assert.Equal(t, scene.Assumed, s.BasisHow)
	assert.Equal(t, 0.01, s.UnitMetres)
	b := s.Bounds()
	assert.True(t, b.Min.Near(geom.Vec3{1, 0, 0}, 1e-12) && b.Max.Near(geom.Vec3{3, 2, 0}, 1e-12), "%v", b)
	assert.Equal(t, []uint32{4}, s.Meshes[0].Smooth)
	// 0.5 as a screen shows it is 0.214 of the light (IEC 61966-2-1).
	assert.InDeltaSlice(t, []float64{1, .21404114, 0, 1}, sliceOf(materialNamed(s, "pine").BaseColor), 1e-8)
}

func TestCreasesBecomeHardEdges(t *testing.T) {
	data := strings.Replace(text6, "LayerElementSmoothing: 0 {", `Edges: 0,1
        LayerElementEdgeCrease: 0 {
            MappingInformationType: "ByEdge"
            EdgeCrease: 0,0.5
        }
        LayerElementSmoothing: 0 {`, 1)
	s, _, err := read(t, []byte(data))
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true, false}, s.Meshes[0].Hard)
}

func TestHardEdgesMakeTheRoundTrip(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	m.Smooth = nil
	s := shape.Scene("box", nil, m)
	p, err := Write(context.Background(), s, pack.Options{Name: "box", Basis: geom.GLTF, UnitMetres: 1})
	require.NoError(t, err)
	got, _, err := read(t, p.Files[0].Data)
	require.NoError(t, err)
	hard := 0
	for _, h := range got.Meshes[0].Hard {
		if h {
			hard++
		}
	}
	assert.Equal(t, 12, hard, "every edge of a box, once")
	turned := got.Meshes[0].Mapped(geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}})
	require.NoError(t, turned.Validate())
	again := turned.Mapped(geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}})
	assert.Equal(t, got.Meshes[0].Hard, again.Hard)
}

func sliceOf(c [4]float64) []float64 { return c[:] }
