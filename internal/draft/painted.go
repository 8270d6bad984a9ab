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
	Name     string     `json:"name"`
	Color    [4]float64 `json:"color"`   // linear; alpha is opacity
	Glow     [3]float64 `json:"glow"`    // linear
	Picture  int        `json:"picture"` // of the scene's images, -1 for none, -2 for a checker
	WrapU    scene.Wrap `json:"wrapU"`
	WrapV    scene.Wrap `json:"wrapV"`
	Alpha    string     `json:"alpha"` // glTF's words
	Cutoff   float64    `json:"cutoff"`
	TwoSided bool       `json:"twoSided"`
	Unlit    bool       `json:"unlit"`
	First    int        `json:"first"` // of its triangles
	Count    int        `json:"count"`
}

// Look is how a painted model looks.
type Look string

// The looks.
const (
	AsMaterials Look = "material"
	AsShading   Look = "shading" // its normals alone
	AsChecker   Look = "checker" // a checker on its first UV set
	AsDensity   Look = "density" // triangles a square metre
)

// Looks lists them.
var Looks = []Look{AsMaterials, AsShading, AsChecker, AsDensity}

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
// carries its coordinates to the frame of the paper; has tells which images can be shown. A
// face without normals is flat. Another look paints all of it alike. The error is ctx's.
func Painted(ctx context.Context, s *scene.Scene, onto geom.Affine, as Look, has func(image int) bool) ([]byte, error) {
	worlds := s.Worlds()
	paints := make([]Paint, len(s.Materials)+1)
	paints[len(s.Materials)] = Paint{Color: [4]float64{0.73, 0.77, 0.75, 1}, Picture: -1, Alpha: string(scene.Opaque), TwoSided: true}
	for i, m := range s.Materials {
		paints[i] = paintOf(s, m, has)
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
func paintOf(s *scene.Scene, m scene.Material, has func(image int) bool) Paint {
	p := Paint{Name: m.Name, Color: m.BaseColor, Picture: -1, Alpha: string(m.AlphaMode), Cutoff: m.AlphaCutoff, TwoSided: m.TwoSided,
		Unlit: m.Unlit}
	for k := range p.Glow {
		p.Glow[k] = min(1, m.Emissive[k]*m.Glow)
	}
	if m.Maps[scene.UseEmissive].Has() {
		p.Glow = [3]float64{} // where it glows is in a picture that is not shown
	}
	if c := m.Maps[scene.UseBaseColor]; c.Has() && c.Texture <= len(s.Textures) {
		t := s.Textures[c.Texture-1]
		p.WrapU, p.WrapV = t.WrapU, t.WrapV
		if t.Image >= 0 && t.Image < len(s.Images) && has(t.Image) {
			p.Picture = t.Image
		}
	}
	return p
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
	look := s.Materials[mat].Maps[scene.UseBaseColor]
	if look.Has() && look.UVSet < len(mesh.UVs) {
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
