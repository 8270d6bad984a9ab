package draft

import (
	"context"
	"encoding/binary"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Paint is how one material looks: its colour, and the picture that goes with it.
type Paint struct {
	Name    string     `json:"name"`
	Color   [4]float64 `json:"color"`   // linear; alpha is opacity
	Glow    [3]float64 `json:"glow"`    // linear
	Picture int        `json:"picture"` // of the scene's images, -1 for none, -2 for a checker
	WrapU   scene.Wrap `json:"wrapU"`
	WrapV   scene.Wrap `json:"wrapV"`
	Alpha   string     `json:"alpha"` // glTF's words
	Cutoff  float64    `json:"cutoff"`
	// Of lit materials: values, and what else pictures hold.
	Metallic  float64 `json:"metallic"`
	Roughness float64 `json:"roughness"`
	Bumps     float64 `json:"bumps"` // how strong normals are, below zero where their green points down
	Shade     float64 `json:"shade"` // how strong occlusion is
	Prints    []Print `json:"prints,omitempty"`

	TwoSided bool `json:"twoSided"`
	Unlit    bool `json:"unlit"`
	First    int  `json:"first"` // of its triangles
	Count    int  `json:"count"`
}

// printed are the uses of pictures besides that of the colour, by the turntable's words; uses without one
// it does not show.
var printed = [scene.Uses]string{scene.UseMetallic: "metallic", scene.UseRoughness: "roughness",
	scene.UseNormal:    "normal",
	scene.UseOcclusion: "occlusion", scene.UseEmissive: "emissive", scene.UseOpacity: "opacity"}

// Print is a picture of a material besides that of its colour, which lies on the same UVs.
type Print struct {
	Use     string `json:"use"`     // of [printed]
	Picture int    `json:"picture"` // of the scene's images
	Channel int    `json:"channel"` // 0 all of it, 1 red, 2 green, 3 blue, 4 alpha
}

// Shown tells what of a scene's images can be shown.
type Shown struct {
	Has  func(image int) bool
	Down func(image int) bool // its green points down; nil for none
}

// Coat is what a model is painted with.
type Coat string

// The coats.
const (
	AsMaterials Coat = "material"
	AsShading   Coat = "shading" // its normals alone
	AsChecker   Coat = "checker" // a checker on its first UV set
	AsDensity   Coat = "density" // triangles a square metre
)

// Coats lists them.
var Coats = []Coat{AsMaterials, AsShading, AsChecker, AsDensity}

// checker is the number of a picture that is none of the scene's.
const checker = -2

// paintedHead begins a packed painted model. What follows, little-endian: float32 points, int8
// normals with a fourth byte of nothing, float32 UVs with their origin at the bottom left,
// uint8 colours (linear RGBA), uint32 corners of triangles ordered by material.
type paintedHead struct {
	Vertices  int     `json:"vertices"`
	Triangles int     `json:"triangles"`
	Paints    []Paint `json:"paints"`
}

// vertex is what a corner of a triangle has; equal ones are sent once.
type vertex struct {
	at     [3]float32
	normal [4]int8
	uv     [2]float32
	color  [4]uint8
}

// Painted packs a scene for the turntable with its materials as they are: base colour and its
// picture, where the picture lies on the UVs, vertex colours, opacity, and what glows. onto
// carries its coordinates to the frame of the paper; shown tells which images can be. A
// face without normals is flat. Another look paints all of it alike. The error is ctx's.
func Painted(ctx context.Context, s *scene.Scene, onto geom.Affine, as Coat, shown Shown) ([]byte, error) {
	worlds := s.Worlds()
	paints := make([]Paint, len(s.Materials)+1)
	paints[len(s.Materials)] = Paint{Color: [4]float64{0.73, 0.77, 0.75, 1}, Picture: -1, Alpha: string(scene.Opaque),
		TwoSided:  true,
		Roughness: 1}
	for i, m := range s.Materials {
		paints[i] = paintOf(s, m, shown)
	}
	if as == AsChecker {
		paints[len(s.Materials)].Picture = checker
	}
	tris := make([][]uint32, len(paints)) // by material
	number := map[vertex]uint32{}
	var vertices []vertex
	done := 0
	for _, i := range distinct(s, worlds) {
		mesh := s.Meshes[s.Nodes[i].Mesh].MappedIn(ctx, onto.Mul(worlds[i]))
		if as == AsShading && !mesh.Normals.Has() {
			smooth := *mesh
			smooth.Normals = mesh.SmoothNormals()
			mesh = &smooth
		}
		normals := mesh.Normals
		mesh.EachTriangle(func(f int, a, b, c int32) {
			if done++; done&0x3fff == 0 && ctx.Err() != nil {
				return
			}
			mat := mesh.Material(f)
			if mat < 0 || mat >= len(s.Materials) || as != AsMaterials {
				mat = len(s.Materials)
			}
			var flat geom.Vec3
			if !normals.Has() {
				flat = mesh.FaceNormal(f).Unit()
			}
			dense := [4]uint8{255, 255, 255, 255}
			if as == AsDensity {
				dense = densityAt(mesh, a, b, c)
			}
			for _, k := range [3]int32{a, b, c} {
				v := vertexOf(s, mesh, k, mat, flat)
				switch as {
				case AsShading:
					v.color = dense
				case AsDensity:
					v.color, v.uv = dense, [2]float32{}
				case AsChecker:
					v.color = dense
					if len(mesh.UVs) > 0 {
						if i := indexOf(mesh.UVs[0].Layer, k); i >= 0 {
							v.uv = [2]float32{float32(mesh.UVs[0].Values[i][0]), float32(mesh.UVs[0].Values[i][1])}
						}
					}
				}
				n, ok := number[v]
				if !ok {
					n = uint32(len(vertices))
					number[v] = n
					vertices = append(vertices, v)
				}
				tris[mat] = append(tris[mat], n)
			}
		})
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return packedPaint(paints, vertices, tris)
}

// packedPaint writes a mesh as the page reads it: a head, then places, normals, UVs and colours of all vertices, then
// the triangles of each paint that has some.
func packedPaint(paints []Paint, vertices []vertex, tris [][]uint32) ([]byte, error) {
	head := paintedHead{Vertices: len(vertices), Paints: []Paint{}}
	for i, list := range tris {
		if len(list) > 0 {
			paints[i].First, paints[i].Count = head.Triangles, len(list)/3
			head.Paints = append(head.Paints, paints[i])
			head.Triangles += len(list) / 3
		}
	}
	b, err := headed(head)
	if err != nil {
		return nil, err
	}
	b = slices.Grow(b, 28*len(vertices)+12*head.Triangles)
	f32 := func(v float32) { b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v)) }
	for _, v := range vertices {
		f32(v.at[0])
		f32(v.at[1])
		f32(v.at[2])
	}
	for _, v := range vertices {
		for _, x := range v.normal {
			b = append(b, byte(x))
		}
	}
	for _, v := range vertices {
		f32(v.uv[0])
		f32(v.uv[1])
	}
	for _, v := range vertices {
		b = append(b, v.color[:]...)
	}
	for _, list := range tris {
		for _, n := range list {
			b = binary.LittleEndian.AppendUint32(b, n)
		}
	}
	return b, nil
}

// paintOf is how a material looks.
func paintOf(s *scene.Scene, m scene.Material, shown Shown) Paint {
	p := Paint{Name: m.Name, Color: m.BaseColor, Picture: -1, Alpha: string(m.AlphaMode), Cutoff: m.AlphaCutoff,
		TwoSided: m.TwoSided,
		Unlit:    m.Unlit, Metallic: m.Metallic, Roughness: m.Roughness, Bumps: m.NormalScale, Shade: m.Occlusion}
	has := func(mp scene.Map) (scene.Texture, bool) {
		if !mp.Has() || mp.Texture > len(s.Textures) {
			return scene.Texture{}, false
		}
		t := s.Textures[mp.Texture-1]
		return t, t.Image >= 0 && t.Image < len(s.Images) && shown.Has(t.Image)
	}
	lies := lying(m)
	for use, mp := range m.Maps {
		t, ok := has(mp)
		word := printed[use]
		if !ok || word == "" || mp.UVSet != lies.UVSet || !mp.Place.Same(lies.Place) ||
			scene.Use(use) == scene.UseOpacity && mp.Channel == scene.Alpha {
			continue
		}
		p.Prints = append(p.Prints, Print{Use: word, Picture: t.Image, Channel: int(mp.Channel)})
		if scene.Use(use) == scene.UseNormal && shown.Down != nil && shown.Down(t.Image) {
			p.Bumps = -p.Bumps
		}
		if p.Picture < 0 {
			p.WrapU, p.WrapV = t.WrapU, t.WrapV
		}
	}
	for k := range p.Glow {
		p.Glow[k] = min(1, m.Emissive[k]*m.Glow)
	}
	if e := m.Maps[scene.UseEmissive]; e.Has() && !slices.ContainsFunc(p.Prints,
		func(x Print) bool { return x.Use == printed[scene.UseEmissive] }) {
		p.Glow = [3]float64{} // where it glows is in a picture that is not shown
	}
	if c := m.Maps[scene.UseBaseColor]; c.Has() {
		t, ok := has(c)
		if p.WrapU, p.WrapV = t.WrapU, t.WrapV; ok {
			p.Picture = t.Image
		}
	}
	return p
}

// lying is the map that says how pictures of a material lie on the mesh: that of its colour, or the first
// there is.
func lying(m scene.Material) scene.Map {
	if m.Maps[scene.UseBaseColor].Has() {
		return m.Maps[scene.UseBaseColor]
	}
	for _, mp := range m.Maps {
		if mp.Has() {
			return mp
		}
	}
	return scene.Map{}
}

// vertexOf is corner k of a placed mesh, seen with a material.
func vertexOf(s *scene.Scene, mesh *scene.Mesh, k int32, mat int, flat geom.Vec3) vertex {
	v := vertex{color: [4]uint8{255, 255, 255, 255}}
	for c, x := range mesh.Points[mesh.Corners[k]] {
		v.at[c] = float32(x)
	}
	n := flat
	if i := indexOf(mesh.Normals, k); i >= 0 {
		for c, x := range mesh.Normals.Values[i] {
			n[c] = float64(x)
		}
	}
	for c, x := range n {
		v.normal[c] = int8(math.Round(127 * min(1, max(-1, x))))
	}
	if i := indexOf(mesh.Colors, k); i >= 0 {
		for c, x := range mesh.Colors.Values[i] {
			v.color[c] = uint8(math.Round(255 * float64(min(1, max(0, x)))))
		}
	}
	if mat >= len(s.Materials) {
		return v
	}
	look := lying(s.Materials[mat])
	if look.UVSet < len(mesh.UVs) {
		if i := indexOf(mesh.UVs[look.UVSet].Layer, k); i >= 0 {
			uv := look.Place.At(mesh.UVs[look.UVSet].Values[i])
			v.uv = [2]float32{float32(uv[0]), float32(uv[1])}
		}
	}
	return v
}

// indexOf is the number of a corner's value in a layer, -1 when it has none.
func indexOf[T any](l scene.Layer[T], corner int32) int32 {
	if !l.Has() {
		return -1
	}
	return l.Index[corner]
}

// densityAt is the colour of a triangle by how many like it a square metre has, linear.
func densityAt(m *scene.Mesh, a, b, c int32) [4]uint8 {
	p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
	area := q.Sub(p).Cross(r.Sub(p)).Len() / 2
	k := densityColors[len(densityColors)-1]
	if area > 0 {
		k = densityColors[stepOf(1/area)]
	}
	linear := func(v uint8) uint8 { return uint8(math.Round(255 * math.Pow(float64(v)/255, 2.2))) }
	return [4]uint8{linear(k.R), linear(k.G), linear(k.B), 255}
}
