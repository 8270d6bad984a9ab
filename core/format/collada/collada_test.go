package collada

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
)

func read(files ...string) (*scene.Scene, []finding.Finding, error) {
	var list []bundle.File
	for i := 0; i < len(files); i += 2 {
		list = append(list, bundle.File{Name: files[i], Data: []byte(files[i+1])})
	}
	return Read(context.Background(), bundle.New(list), files[0], nil)
}

// fileOf is a file with parts: what is told of it, its libraries, and the nodes of its scene.
func fileOf(asset, libraries, nodes string) string {
	return `<?xml version="1.0" encoding="utf-8"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset>` + asset + `</asset>` + libraries + `
<library_visual_scenes><visual_scene id="all">` + nodes + `</visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#all"/></scene></COLLADA>`
}

// source is a table of numbers.
func source(id string, width int, numbers string) string {
	n := len(strings.Fields(numbers))
	params := strings.Repeat(`<param name="X" type="float"/>`, width)
	return fmt.Sprintf(`<source id="%s"><float_array id="%s-a" count="%d">%s</float_array><technique_common><accessor
source="#%s-a" count="%d" stride="%d">%s</accessor></technique_common></source>
`, id, id, n, numbers, id, n/width, width,
		params)
}

// gate is a geometry of four points with a primitive.
func gate(primitive string) string {
	return `<library_geometries><geometry id="gate" name="gate"><mesh>` +
		source("gate-p", 3, "0 0 0  10 0 0  10 10 0  0 10 0") + source("gate-n", 3, "0 0 1") +
		source("gate-t", 2, "0 0  1 0  1 1  0 1") + source("gate-c", 3, "1 0 0  0 1 0") +
		`<vertices id="gate-v"><input semantic="POSITION" source="#gate-p"/></vertices>` + primitive +
		`</mesh></geometry></library_geometries>`
}

const inputs = `<input semantic="VERTEX" source="#gate-v" offset="0"/>
<input semantic="NORMAL" source="#gate-n" offset="1"/>
<input semantic="TEXCOORD" source="#gate-t" offset="2" set="0"/>`

const inch = `<unit name="inch" meter="0.0254"/><up_axis>Z_UP</up_axis>`

// area is that of a mesh's faces along an axis, by Newell's sum.
func area(m *scene.Mesh, axis int) (sum float64) {
	for f := range m.Faces() {
		c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for i := range c {
			sum += m.Points[c[i]].Cross(m.Points[c[(i+1)%len(c)]])[axis] / 2
		}
	}
	return sum
}

// Every sort of primitive comes in with its corners, in the unit and the frame that the file says.
func TestPrimitives(t *testing.T) {
	for name, x := range map[string]struct {
		primitive string
		faces     []int32
		area      float64
	}{
		"triangles": {`<triangles count="2">` + inputs + `<p>0 0 0 1 0 1 2 0 2 0 0 0 2 0 2 3 0 3</p></triangles>`,
			[]int32{0, 3, 6}, 100},
		"polylist": {`<polylist count="1">` + inputs + `<vcount>4</vcount><p>0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>`,
			[]int32{0, 4}, 100},
		"polygons": {`<polygons count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2 3 0 3</p></polygons>
`, []int32{0, 4}, 100},
		"strip": {`<tristrips count="1">` + inputs + `<p>0 0 0 1 0 1 3 0 3 2 0 2</p></tristrips>`,
			[]int32{0, 3, 6}, 100},
		"fan": {`<trifans count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2 3 0 3</p></trifans>`, []int32{0, 3, 6}, 100},
		"two": {`<triangles count="1">` + inputs + `<p>0 0 0 1 0 1 2 0 2</p></triangles><triangles count="1">
` + inputs +
			`<p>0 0 0 2 0 2 3 0 3</p></triangles>`, []int32{0, 3, 6}, 100},
	} {
		t.Run(name, func(t *testing.T) {
			s, found, err := read("gate.dae", fileOf(inch, gate(x.primitive),
				`<node name="left"><instance_geometry url="#gate"/></node>`))
			require.NoError(t, err)
			assert.Empty(t, found)
			require.Len(t, s.Meshes, 1)
			m := s.Meshes[0]
			require.NoError(t, m.Validate())
			assert.Equal(t, x.faces, m.FaceStart)
			assert.InDelta(t, x.area*.0254*.0254, area(m, 2), 1e-12)
			assert.Equal(t, .0254, s.UnitMetres)
			assert.Equal(t, geom.PosZ, s.Basis.Up)
			assert.Equal(t, scene.Declared, s.BasisHow)
			assert.Equal(t, "left", s.Nodes[0].Name)
			require.Len(t, m.UVs, 1)
			for c, p := range m.Corners {
				uv := m.UVs[0].Values[m.UVs[0].Index[c]]
				assert.InDelta(t, m.Points[p][0], uv[0]*.254, 1e-12, "each corner has the UV of its point")
				assert.InDelta(t, m.Points[p][1], uv[1]*.254, 1e-12)
				assert.Equal(t, [3]float32{0, 0, 1}, m.Normals.Values[m.Normals.Index[c]])
			}
		})
	}
}

// A polygon keeps its holes: the outline is a keyhole of the same area.
func TestPolygonsWithHoles(t *testing.T) {
	points := source("p", 3, "0 0 0 10 0 0 10 10 0 0 10 0  2 2 0 4 2 0 4 4 0 2 4 0  6 6 0 8 6 0 8 8 0 6 8 0")
	for name, holes := range map[string]string{
		"turned the other way": `<h>4 7 6 5</h><h>8 11 10 9</h>`, "turned the same way": `<h>4 5 6 7</h><h>
8 9 10 11</h>`} {
		s, found, err := read("a.dae", fileOf("", `<library_geometries><geometry id="g"><mesh>`+points+
			`<vertices id="v"><input semantic="POSITION" source="#p"/></vertices><polygons count="1">
<input semantic="VERTEX"
source="#v" offset="0"/><ph><p>0 1 2 3</p>`+holes+`</ph></polygons></mesh></geometry></library_geometries>`,
			`<node><instance_geometry url="#g"/></node>`))
		require.NoError(t, err)
		assert.Empty(t, found, name)
		m := s.Meshes[0]
		require.NoError(t, m.Validate())
		assert.Len(t, m.Corners, 16, "two bridges there and back")
		assert.InDelta(t, 92, area(m, 2), 1e-12, name)
		whole := scene.Scene{Meshes: []*scene.Mesh{m}}
		assert.Equal(t, 14, whole.Meshes[0].Triangles())
	}
}

// Transform elements work in the order they are written, each on what those behind it make.
func TestTransforms(t *testing.T) {
	at := func(transform string) geom.Vec3 {
		s, _, err := read("a.dae", fileOf("", gate(`<triangles count="1">`+inputs+`<p>0 0 0 1 0 1 2 0 2</p>
</triangles>`),
			`<node>`+transform+`<instance_geometry url="#gate"/></node>`))
		require.NoError(t, err)
		return s.Nodes[0].Local.Apply(geom.Vec3{1, 2, 3})
	}
	for transform, want := range map[string]geom.Vec3{
		"": {1, 2, 3},
		"<translate>10 20 30</translate><scale>2 3 4</scale>":                           {12, 26, 42},
		"<scale>2 3 4</scale><translate>10 20 30</translate>":                           {22, 66, 132},
		"<rotate>0 0 1 90</rotate>":                                                     {-2, 1, 3},
		"<rotate>0 0 2 90</rotate><translate>1 0 0</translate>":                         {-2, 2, 3},
		"<matrix>0 -1 0 5  1 0 0 6  0 0 1 7  0 0 0 1</matrix>":                          {3, 7, 10},
		"<skew>45 0 1 0 1 0 0</skew>":                                                   {3, 2, 3},
		"<lookat>5 0 0  5 0 -1  0 1 0</lookat>":                                         {6, 2, 3},
		"<lookat>0 0 0  1 0 0  0 1 0</lookat>":                                          {-3, 2, 1},
		"<translate>1 2</translate>":                                                    {1, 2, 3},
		"<rotate>1 0 0 90</rotate><rotate>0 1 0 0</rotate><translate>0 0 1</translate>": {1, -4, 2},
	} {
		got := at(transform)
		for k := range 3 {
			assert.InDelta(t, want[k], got[k], 1e-12, transform)
		}
	}
}

// Instances share a mesh; those with other materials have one of their own; a node of a library is placed where it is
// asked for; skins come in in their bind pose.
func TestInstances(t *testing.T) {
	libraries := gate(`<triangles material="front" count="1">`+inputs+`<p>0 0 0 1 0 1 2 0 2</p></triangles>`) + `
<library_effects><effect id="fx"><profile_COMMON><technique sid="t"><lambert><diffuse><color>
1 0 0 1</color></diffuse></lambert>
</technique></profile_COMMON></effect></library_effects>
<library_materials><material id="red" name="red paint"><instance_effect url="#fx"/></material>
<material id="blue" name="blue paint"><instance_effect url="#fx"/></material></library_materials>
<library_controllers><controller id="skin" name="bent"><skin source="#gate"><bind_shape_matrix>
1 0 0 0 0 1 0 0 0 0 1 7 0 0 0 1
</bind_shape_matrix></skin></controller></library_controllers>
<library_nodes><node id="pair" name="pair"><node name="inner"><instance_geometry url="#gate"/></node>
</node></library_nodes>
<library_animations><animation id="swing"/></library_animations>`
	bound := func(m string) string {
		return `<instance_geometry url="#gate"><bind_material><technique_common>
<instance_material symbol="front" target="#` + m +
			`"/></technique_common></bind_material></instance_geometry>`
	}
	s, found, err := read("a.dae", fileOf("", libraries, `<node name="a">`+bound("red")+`</node>
<node name="b">`+bound("red")+
		`</node><node name="c">`+bound("blue")+`<instance_camera url="#eye"/></node>
<node name="far"><translate>5 0 0</translate><instance_node url="#pair"/></node>
<node name="skinned"><instance_controller url="#skin"/></node><node name="bone" type="JOINT"/>
<node name="two">`+bound("red")+bound("blue")+`</node><node name="gone">
<instance_geometry url="other.dae#x"/></node>`))
	require.NoError(t, err)
	by := map[string]scene.Node{}
	for _, n := range s.Nodes {
		by[n.Name] = n
	}
	assert.Equal(t, by["a"].Mesh, by["b"].Mesh)
	assert.NotEqual(t, by["a"].Mesh, by["c"].Mesh)
	assert.Equal(t, "blue paint", s.Materials[s.Meshes[by["c"].Mesh].Slots[0]].Name)
	inner := s.Meshes[by["inner"].Mesh]
	assert.Equal(t, "front", s.Materials[inner.Slots[0]].Name, "one that is bound to nothing keeps its name")
	assert.Equal(t, "far", s.Nodes[s.Nodes[by["inner"].Parent].Parent].Name)
	assert.Equal(t, 7.0, s.Meshes[by["skinned"].Mesh].Points[0][2], "its bind pose")
	assert.Equal(t, scene.KindJoint, by["bone"].Kind)
	assert.Equal(t, scene.KindEmpty, by["two"].Kind)
	assert.Equal(t, "source/elsewhere", found[0].Code)
	left := map[string]int{}
	for _, l := range s.Left {
		left[l.What] += l.Count
	}
	assert.Equal(t, map[string]int{"skin": 1, "camera": 1, "animation": 1}, left)
	for _, m := range s.Meshes {
		require.NoError(t, m.Validate())
	}
	_, found, err = read("a.dae", fileOf("", `<library_nodes><node id="n"><instance_node url="#n"/></node>
</library_nodes>`+
		gate(`<triangles count="1">`+inputs+`<p>0 0 0 1 0 1 2 0 2</p></triangles>`),
		`<node><instance_node url="#n"/><instance_geometry url="#gate"/></node>`))
	require.NoError(t, err)
	assert.Equal(t, "source/within-itself", found[0].Code)
}

// dressed is a file with one material of an effect.
func dressed(t *testing.T, params, model string, files ...string) (scene.Material, *scene.Scene, []finding.Finding) {
	t.Helper()
	s, found, err := read(append([]string{"a.dae", fileOf("", `<library_images><image id="wall" name="wall">
<init_from>
maps/wall%20one.png</init_from></image></library_images><library_effects><effect id="fx"><profile_COMMON>`+params+
		`<technique sid="t">`+model+`</technique></profile_COMMON></effect></library_effects>
<library_materials><material id="m" name="paint"><instance_effect url="#fx"/></material></library_materials>`+
		gate(`<triangles material="front" count="1">
`+inputs+`<input semantic="TEXCOORD" source="#gate-t" offset="2" set="3"/>
<p>0 0 0 1 0 1 2 0 2</p></triangles>`), `<node><instance_geometry url="#gate"><bind_material><technique_common>
<instance_material symbol="front" target="#m">
<bind_vertex_input semantic="SECOND" input_semantic="TEXCOORD" input_set="3"/>
</instance_material></technique_common></bind_material></instance_geometry></node>`)}, files...)...)
	require.NoError(t, err)
	require.Len(t, s.Materials, 1)
	require.Len(t, s.Meshes[0].UVs, 2)
	return s.Materials[0], s, found
}

const sampler = `<newparam sid="surf"><surface type="2D"><init_from>wall</init_from></surface></newparam>
<newparam sid="samp">
<sampler2D><source>surf</source><wrap_s>MIRROR</wrap_s><wrap_t>CLAMP</wrap_t></sampler2D></newparam>`

// Each lighting model becomes the material that looks like it; pictures come with how they lie.
func TestMaterials(t *testing.T) {
	wall := string(picturetest.PNG(t, picturetest.Painted(4, 2, picturetest.Plain(1, 2, 3, 255))))
	m, s, found := dressed(t, sampler, `<phong><diffuse><texture texture="samp" texcoord="SECOND"/></diffuse>
<emission><color>0 0 0 1</color></emission><shininess><float>30</float></shininess></phong><extra>
<technique profile="any">
<double_sided>1</double_sided></technique></extra>`, "maps/wall one.png", wall)
	assert.Empty(t, found)
	assert.Equal(t, "paint", m.Name)
	mp := m.Maps[scene.UseBaseColor]
	require.True(t, mp.Has())
	assert.Equal(t, 1, mp.UVSet, "the set that is bound to its coordinates")
	tex := s.Textures[mp.Texture-1]
	assert.Equal(t, [2]scene.Wrap{scene.Mirror, scene.Clamp}, [2]scene.Wrap{tex.WrapU, tex.WrapV})
	assert.Equal(t, 4, s.Images[tex.Image].Width)
	assert.True(t, m.TwoSided)
	assert.InDelta(t, math.Pow(2.0/32, .25), m.Roughness, 1e-12)

	m, _, _ = dressed(t, "", `<constant><emission><color>0.5 0.5 0.5 1</color></emission></constant>`)
	assert.True(t, m.Unlit)
	assert.InDelta(t, .21404114, m.BaseColor[0], 1e-8)
	m, _, _ = dressed(t, `<newparam sid="c"><float4>0 1 0 1</float4></newparam>`,
		`<blinn><diffuse><param ref="c"/></diffuse><emission><color>2 0 0 1</color></emission></blinn>`)
	assert.Equal(t, [4]float64{0, 1, 0, 1}, m.BaseColor)
	assert.InDelta(t, scene.Linear(2), m.Glow*m.Emissive[0], 1e-9)
	_, _, found = dressed(t, sampler, `<lambert><diffuse><texture texture="samp" texcoord="UVSET0"/>
</diffuse></lambert>`)
	assert.Equal(t, "source/missing-picture", found[0].Code)
	m, s, _ = dressed(t, "", `<lambert><diffuse><texture texture="wall" texcoord="UVSET0"/></diffuse></lambert>`)
	require.True(t, m.Maps[scene.UseBaseColor].Has(), "by the picture’s own name, as older programs write it")
	assert.Equal(t, "maps/wall one.png", s.Images[0].Path)
	assert.Equal(t, []string{"maps/wall one.png"}, References(context.Background(), "a.dae", []byte(fileOf("",
		`<library_images><image id="w"><init_from>maps/wall%20one.png</init_from></image></library_images>`, ""))))
}

// Opacity by the four ways of the standard, worked out by hand: luminance is that of the standard's weights.
func TestOpacity(t *testing.T) {
	for model, want := range map[string]float64{
		`<transparent><color>1 1 1 0.25</color></transparent>
`: .25,
		`<transparent opaque="A_ONE"><color>0 0 0 0.5</color></transparent><transparency><float>0.5</float>
</transparency>`: .25,
		`<transparent opaque="RGB_ZERO"><color>0.5 0.5 0.5 1</color></transparent>
`: .5,
		`<transparent opaque="RGB_ZERO"><color>0 1 0 1</color></transparent><transparency><float>0.5</float>
</transparency>`: 1 - .715160/2,
		`<transparent opaque="A_ZERO"><color>1 1 1 0.25</color></transparent>
`: .75,
		`<transparent opaque="RGB_ONE"><color>1 0 0 1</color></transparent>
`: .212671,
		`<transparency><float>0.75</float></transparency>
`: .75,
		`<transparent opaque="RGB_ZERO"><color>0 0 0 1</color></transparent>
`: 1,
	} {
		m, _, found := dressed(t, "", "<phong>"+model+"</phong>")
		assert.Empty(t, found)
		assert.InDelta(t, want, m.BaseColor[3], 1e-12, model)
		assert.Equal(t, map[bool]scene.AlphaMode{true: scene.Blend, false: scene.Opaque}[want < 1], m.AlphaMode)
	}
	for _, upsideDown := range []string{`<transparency><float>0</float></transparency>`,
		`<transparent opaque="RGB_ZERO"><color>1 1 1 1</color></transparent>`} {
		m, _, found := dressed(t, "", "<phong>"+upsideDown+"</phong>")
		assert.Equal(t, 1.0, m.BaseColor[3])
		assert.Equal(t, "source/dae-unseen", found[0].Code)
	}
	m, _, _ := dressed(t, sampler, `<phong><transparent><texture texture="samp" texcoord="SECOND"/>
</transparent></phong>`)
	assert.Equal(t, scene.Alpha, m.Maps[scene.UseOpacity].Channel)
	assert.Equal(t, scene.Blend, m.AlphaMode)
}

// A picture of 1.5, within the file as digits; colours of corners; a source with another stride and unnamed numbers.
func TestOfOneFiveAndOddSources(t *testing.T) {
	png := picturetest.PNG(t, picturetest.Painted(2, 2, picturetest.Plain(9, 9, 9, 255)))
	s, found, err := read("a.dae", fileOf("", `<library_images><image id="w"><init_from><hex format="PNG">`+
		fmt.Sprintf("%x", png)+`</hex></init_from></image></library_images><library_effects><effect id="fx">
<profile_COMMON>
<newparam sid="samp"><sampler2D><instance_image url="#w"/></sampler2D></newparam><technique><lambert><diffuse><texture
texture="samp" texcoord="A"/></diffuse></lambert></technique></profile_COMMON></effect></library_effects>
<library_materials>
<material id="m"><instance_effect url="#fx"/></material></library_materials><library_geometries>
<geometry id="g"><mesh>
<source id="p"><float_array id="pa" count="16">9 9 0 0 0 7 1 0 0 7 0 1 0 7 0 0</float_array>
<technique_common><accessor
source="#pa" offset="2" stride="4" count="3"><param name="X"/><param name="Y"/><param name="Z"/><param/></accessor>
</technique_common></source>`+source("c", 3, "1 0 0 0 1 0 0 0 1")+`<vertices id="v">
<input semantic="POSITION" source="#p"/>
<input semantic="COLOR" source="#c"/></vertices><triangles count="1" material="m">
<input semantic="VERTEX" source="#v" offset="0"/>
<p>0 1 2</p></triangles></mesh></geometry></library_geometries>`, `<node><instance_geometry url="#g"/></node>`))
	require.NoError(t, err)
	assert.Empty(t, found)
	m := s.Meshes[0]
	assert.Equal(t, []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, m.Points)
	assert.Equal(t, [4]float32{0, 1, 0, 1}, m.Colors.Values[m.Colors.Index[1]])
	require.Len(t, s.Images, 1)
	assert.Equal(t, 2, s.Images[0].Width)
	assert.True(t, s.Images[0].Embedded)
}

// What can't be read is refused where it is; a bad face is left out, and the rest comes in.
func TestWhatCantBeRead(t *testing.T) {
	whole := fileOf("", gate(`<triangles count="1">`+inputs+`<p>0 0 0 1 0 1 2 0 2</p></triangles>`),
		`<node><instance_geometry url="#gate"/></node>`)
	for name, x := range map[string]struct{ file, says string }{
		"cut":         {whole[:len(whole)/2], "is no XML"},
		"cut between": {whole[:strings.Index(whole, "<scene>")], "has no end"},
		"crossed":     {strings.Replace(whole, "</asset>", "</geometry>", 1), "ends where it did not begin"},
		"other":       {`<?xml version="1.0"?><svg/>`, "holds no COLLADA document"},
		"empty":       {fileOf("", "", ""), "shows no mesh"},
		"sign":        {strings.Replace(whole, "<asset>", "<asset>&bogus;", 1), "is no XML"},
		"deep":        {"<COLLADA>" + strings.Repeat("<node>", 600), "nested deeper"},
	} {
		t.Run(name, func(t *testing.T) {
			_, _, err := read("a.dae", x.file)
			var f *fault.Error
			require.ErrorAs(t, err, &f)
			assert.Contains(t, err.Error(), x.says)
		})
	}
	s, found, err := read("a.dae", strings.Replace(whole, "<p>0 0 0 1 0 1 2 0 2</p>",
		"<p>0 0 0 1 0 1 2 0 2 0 0 0 1 0 1 9 0 2 0 0 0 1 0 9 2 7 2</p>", 1))
	require.NoError(t, err)
	assert.Equal(t, "source/bad-part", found[0].Code)
	assert.Equal(t, 2, s.Meshes[0].Faces())
	assert.Equal(t, int32(-1), s.Meshes[0].UVs[0].Index[4], "a UV that is not there is none")
	require.NoError(t, s.Meshes[0].Validate())
	assert.True(t, Is([]byte(whole)))
	assert.False(t, Is([]byte("<svg><COLLADAX/></svg>")))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(fileOf(inch, gate(`<polylist count="1">`+inputs+`<vcount>4</vcount><p>
0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>`),
		`<node name="left"><rotate>0 0 1 90</rotate><instance_geometry url="#gate"/></node>`)))
	f.Add([]byte(fileOf("", gate(`<polygons><input semantic="VERTEX" source="#gate-v" offset="0"/><ph><p>
0 1 2 3</p><h>0 1 2</h></ph>
</polygons>`), `<node><instance_geometry url="#gate"/></node>`)))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, _, err := read("a.dae", string(data))
		if err != nil {
			require.NotZero(t, fault.KindOf(err), "%v", err)
			return
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	})
}
