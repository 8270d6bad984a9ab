package usd

import (
	"fmt"
	"math"
	"path"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// inputs are those of a preview surface that pictures can be joined to, in the order of the specification.
var inputs = []struct {
	use  scene.Use
	name string
	typ  string
	wide bool // the whole picture counts, not one channel
}{{scene.UseBaseColor, "diffuseColor", "color3f", true}, {scene.UseEmissive, "emissiveColor", "color3f", true},
	{scene.UseMetallic, "metallic", "float", false}, {scene.UseRoughness, "roughness", "float", false},
	{scene.UseOpacity, "opacity", "float", false}, {scene.UseNormal, "normal", "normal3f", true},
	{scene.UseOcclusion, "occlusion", "float", false}, {scene.UseHeight, "displacement", "float", false}}

// dress fills the prim of a material at a path with a preview surface (UsdPreviewSurface Specification 2.6).
func (w *writer) dress(p *spec, at string, m scene.Material) {
	s := newPrim("Shader", "Surface")
	p.kids = append(p.kids, s)
	p.props["outputs:surface"] = joint("token", at+"/Surface.outputs:surface")
	s.set("token", "info:id", token("UsdPreviewSurface"))
	s.set("token", "outputs:surface", nil)
	c, e := m.BaseColor, m.Emissive
	s.set("color3f", "inputs:diffuseColor", row(c[0], c[1], c[2]))
	s.set("color3f", "inputs:emissiveColor", row(e[0]*m.Glow, e[1]*m.Glow, e[2]*m.Glow))
	s.set("float", "inputs:metallic", one(m.Metallic))
	s.set("float", "inputs:roughness", one(m.Roughness))
	s.set("int", "inputs:useSpecularWorkflow", one(0))
	s.set("float", "inputs:opacity", one(m.Opacity()))
	if m.AlphaMode == scene.Mask {
		s.set("float", "inputs:opacityThreshold", one(math.Max(m.AlphaCutoff, 1e-6)))
	}
	if m.Unlit {
		w.out.SayOf(pack.Materials, pack.Lighting, m.Name, fmt.Sprintf("that “%s” is shown without lighting", m.Name),
			"USD's preview surface is always lit")
	}
	if m.Maps[scene.UseSpecular].Has() {
		w.out.SayOf(pack.Textures, pack.Texture.By(scene.UseSpecular), m.Name,
			fmt.Sprintf("the specular texture of “%s”", m.Name),
			"its workflow was left; Slots makes roughness and metallic of it")
	}
	for _, in := range inputs {
		if mp := m.Maps[in.use]; mp.Has() && !(in.use == scene.UseOpacity && m.AlphaMode == scene.Opaque) {
			w.picture(p, at, s, m, in.use, in.name, in.typ, in.wide)
		}
	}
}

// joint is an input or output that leads to another.
func joint(typ, to string) *property {
	return &property{typ: typ, targets: &edits{whole: true, items: []any{target(to)}}, meta: map[string]any{}}
}

var wraps = map[scene.Wrap]token{scene.Repeat: "repeat", scene.Mirror: "mirror", scene.Clamp: "clamp"}

// picture joins one to an input of a surface.
func (w *writer) picture(p *spec, at string, s *spec, m scene.Material, use scene.Use, name, typ string, wide bool) {
	mp := m.Maps[use]
	t := w.s.Textures[mp.Texture-1]
	file := w.path[t.Image]
	if file == "" {
		return
	}
	tex := newPrim("Shader", name+"Texture")
	tex.meta["displayName"] = prose(t.Name)
	tex.set("token", "info:id", token("UsdUVTexture"))
	tex.set("asset", "inputs:file", asset(file))
	tex.set("token", "inputs:wrapS", wraps[t.WrapU])
	tex.set("token", "inputs:wrapT", wraps[t.WrapV])
	space := token("raw")
	c := m.BaseColor
	switch use {
	case scene.UseBaseColor:
		space = "sRGB"
		if c[0] != 1 || c[1] != 1 || c[2] != 1 {
			tex.set("float4", "inputs:scale", row(c[0], c[1], c[2], 1))
		}
	case scene.UseEmissive:
		space = "sRGB"
		if e := m.Emissive; e[0]*m.Glow != 1 || e[1]*m.Glow != 1 || e[2]*m.Glow != 1 {
			tex.set("float4", "inputs:scale", row(e[0]*m.Glow, e[1]*m.Glow, e[2]*m.Glow, 1))
		}
	case scene.UseNormal: // from 0…1 to -1…1, as the specification asks
		k := m.NormalScale
		tex.set("float4", "inputs:scale", row(2*k, 2*k, 2, 1))
		tex.set("float4", "inputs:bias", row(-k, -k, -1, 0))
	case scene.UseMetallic, scene.UseRoughness, scene.UseOpacity, scene.UseOcclusion:
		k := map[scene.Use]float64{scene.UseMetallic: m.Metallic, scene.UseRoughness: m.Roughness,
			scene.UseOpacity: m.BaseColor[3], scene.UseOcclusion: m.Occlusion}[use]
		switch {
		case use == scene.UseOcclusion && k != 1: // 1 + k (x - 1)
			tex.set("float4", "inputs:scale", row(k, k, k, 1))
			tex.set("float4", "inputs:bias", row(1-k, 1-k, 1-k, 0))
		case k != 1:
			tex.set("float4", "inputs:scale", row(k, k, k, k))
		}
	}
	tex.set("token", "inputs:sourceColorSpace", space)
	out, of := "outputs:rgb", "float3"
	if !wide && mp.Channel == scene.Whole {
		tex.set("asset", "inputs:file", asset(w.bright(m, t.Image)))
	}
	if !wide {
		out, of = map[scene.Channel]string{scene.Whole: "outputs:r", scene.Red: "outputs:r", scene.Green: "outputs:g",
			scene.Blue: "outputs:b", scene.Alpha: "outputs:a"}[mp.Channel], "float"
	}
	tex.set(of, out, nil)
	w.coordinates(p, at, tex, name, mp)
	p.kids = append(p.kids, tex)
	s.props["inputs:"+name] = joint(typ, at+"/"+tex.name+"."+out)
}

// bright is the file of a picture whose red channel is the brightness of another: that one where it is grey.
func (w *writer) bright(m scene.Material, image int) string {
	im := w.s.Images[image]
	if picture.GreyAs(im.Data, scene.Red) {
		return w.path[image]
	}
	if file, ok := w.grey[image]; ok {
		return file
	}
	w.grey[image] = w.path[image]
	part := picture.Part{Data: im.Data}
	data, err := picture.Compose(w.ctx, [4]picture.Part{part, part, part, {Value: 255}})
	if err != nil {
		w.out.Say(pack.Textures, fmt.Sprintf("a texture of “%s” is taken by its red", m.Name), err.Error())
		return w.path[image]
	}
	file := w.names.Take(strings.TrimSuffix(im.Name, path.Ext(im.Name))+" grey", ".png")
	w.images = append(w.images, bundle.File{Name: file, Data: data})
	w.grey[image] = file
	w.out.Say(pack.Textures, fmt.Sprintf("“%s” was made of the brightness of “%s”", file, im.Name),
		"USD takes one channel of a picture")
	return file
}

// coordinates join a picture to the UV set it lies on, and to how it does.
func (w *writer) coordinates(p *spec, at string, tex *spec, name string, mp scene.Map) {
	st := newPrim("Shader", name+"Coordinates")
	st.set("token", "info:id", token("UsdPrimvarReader_float2"))
	st.set("string", "inputs:varname", prose(setName(mp.UVSet)))
	st.set("float2", "outputs:result", nil)
	p.kids = append(p.kids, st)
	from := at + "/" + st.name + ".outputs:result"
	if mp.Place != nil {
		turn := newPrim("Shader", name+"Place")
		turn.set("token", "info:id", token("UsdTransform2d"))
		turn.props["inputs:in"] = joint("float2", from)
		move := moved(mp.Place)
		turn.set("float2", "inputs:scale", row(mp.Place.Scale[0], mp.Place.Scale[1]))
		turn.set("float", "inputs:rotation", one(mp.Place.Rotation*180/math.Pi))
		turn.set("float2", "inputs:translation", row(move[0], move[1]))
		turn.set("float2", "outputs:result", nil)
		p.kids = append(p.kids, turn)
		from = at + "/" + turn.name + ".outputs:result"
	}
	tex.props["inputs:st"] = joint("float2", from)
}

// moved is how far a placement moves coordinates whose origin is the bottom left; see below.
func moved(p *scene.Placement) [2]float64 {
	sin, cos := math.Sincos(p.Rotation)
	return [2]float64{p.Offset[0] + sin*p.Scale[1], 1 - p.Offset[1] - cos*p.Scale[1]}
}
