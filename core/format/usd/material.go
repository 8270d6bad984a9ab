package usd

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/format/pictures"
	"yarvek/core/scene"
)

// materialOf is the number of a material by its path, which is added the first time; -1 for none. sets are the names of
// the mesh's UV sets.
func (r *reader) materialOf(path string, sets []string) int {
	if path == "" {
		return -1
	}
	p := r.top.find(path)
	if p == nil {
		return -1
	}
	key := path + " " + strings.Join(sets, " ")
	if i, ok := r.materials[key]; ok {
		return i
	}
	m := r.dressed(p, sets)
	i := slices.IndexFunc(r.looks[path], func(k int) bool { return sameLook(r.s.Materials[k], m) })
	if i < 0 {
		r.looks[path] = append(r.looks[path], len(r.s.Materials))
		r.s.Materials = append(r.s.Materials, m)
		i = len(r.looks[path]) - 1
	}
	r.materials[key] = r.looks[path][i]
	return r.materials[key]
}

// sameLook tells whether two materials of one prim are one: what sets of coordinates their meshes have may tell them
// apart. Sides are of meshes.
func sameLook(a, b scene.Material) bool {
	a.TwoSided = b.TwoSided
	return reflect.DeepEqual(a, b)
}

// dressed makes a material of its surface.
func (r *reader) dressed(p *prim, sets []string) scene.Material {
	m := scene.NewMaterial(p.shown())
	m.Roughness = 0.5
	var shader *prim
	for _, out := range []string{"outputs:surface", "outputs:universal:surface"} {
		if s, _ := r.joined(p, out); s != nil {
			shader = s
			break
		}
	}
	if shader == nil || word(shader.attr("info:id")) != "UsdPreviewSurface" {
		r.note(finding.Look, "source/no-surface", fmt.Sprintf("“%s” says nothing that is understood", p.name),
			"It has no preview surface. It comes in in white.", p.groups[0].specs[0])
		return m
	}
	d := &dresser{reader: r, shader: shader, sets: sets, m: &m}
	d.surface()
	return m
}

// joined is the prim that an input or output leads to through others that pass it on, and the output there.
func (r *reader) joined(p *prim, name string) (*prim, string) {
	for range 32 {
		t := p.targets(name)
		if len(t) == 0 {
			return nil, ""
		}
		path, prop, ok := strings.Cut(t[0], ".")
		to := r.top.find(path)
		if to == nil || !ok {
			return nil, ""
		}
		if typ := to.typ(); typ == "Shader" {
			return to, prop
		}
		p, name = to, prop // an input of a material, or an output of a graph
	}
	return nil, ""
}

// value is that of an input, by itself or through what passes it on; nil where there is none.
func (r *reader) value(p *prim, name string) any {
	for range 32 {
		t := p.targets(name)
		if len(t) == 0 {
			return p.attr(name)
		}
		path, prop, _ := strings.Cut(t[0], ".")
		to := r.top.find(path)
		if to == nil || to.typ() == "Shader" {
			return p.attr(name)
		}
		p, name = to, prop
	}
	return nil
}

// dresser gives a material what a surface says.
type dresser struct {
	*reader
	shader *prim
	sets   []string
	m      *scene.Material
}

// surface reads the inputs of a preview surface; colours are of light.
func (d *dresser) surface() {
	in := func(name string) any { return d.value(d.shader, "inputs:"+name) }
	m := d.m
	if c := numbers(in("diffuseColor")); len(c) == 3 {
		copy(m.BaseColor[:], c)
	} else {
		copy(m.BaseColor[:], []float64{.18, .18, .18})
	}
	if c := numbers(in("emissiveColor")); len(c) == 3 {
		d.glows(c)
	}
	m.Metallic, m.Roughness = number(in("metallic"), 0), number(in("roughness"), .5)
	m.BaseColor[3] = min(1, max(0, number(in("opacity"), 1)))
	if number(in("useSpecularWorkflow"), 0) != 0 {
		m.Metallic = 0
		d.note(finding.Note, "source/specular", fmt.Sprintf("“%s” has a specular colour", m.Name),
			"It goes on as a surface that is no metal.", d.shader.groups[0].specs[0])
	}
	for _, x := range []struct {
		name string
		use  scene.Use
		wide bool
	}{{"diffuseColor", scene.UseBaseColor, true}, {"emissiveColor", scene.UseEmissive, true},
		{"metallic", scene.UseMetallic, false}, {"roughness", scene.UseRoughness, false},
		{"opacity", scene.UseOpacity, false}, {"normal", scene.UseNormal, true}, {"occlusion", scene.UseOcclusion, false},
		{"displacement", scene.UseHeight, false}} {
		mp := d.mapped(x.name, x.use, x.wide)
		if !mp.Has() {
			continue
		}
		m.Maps[x.use] = mp
		d.scaled(x.name, x.use)
	}
	if m.BaseColor[3] < 1 {
		m.AlphaMode = scene.Blend
	}
	if t := number(in("opacityThreshold"), 0); t > 0 {
		m.AlphaMode, m.AlphaCutoff = scene.Mask, min(1, t)
	}
}

// glows has a surface shine in a colour of any strength.
func (d *dresser) glows(c []float64) {
	if most := max(c[0], c[1], c[2]); most > 0 {
		d.m.Glow = max(1, most)
		for k := range 3 {
			d.m.Emissive[k] = max(0, c[k]) / d.m.Glow
		}
	}
}

// scaled takes the factors over the picture of an input.
func (d *dresser) scaled(name string, use scene.Use) {
	tex, out := d.joined(d.shader, "inputs:"+name)
	f := numbers(d.value(tex, "inputs:scale"))
	if len(f) != 4 {
		f = []float64{1, 1, 1, 1}
		if use == scene.UseNormal {
			f[0] = 2
		}
	}
	k := f[max(0, slices.Index([]string{"outputs:r", "outputs:g", "outputs:b", "outputs:a"}, out))]
	m := d.m
	switch use {
	case scene.UseBaseColor:
		copy(m.BaseColor[:3], f)
	case scene.UseEmissive:
		d.glows(f)
	case scene.UseMetallic:
		m.Metallic = k
	case scene.UseRoughness:
		m.Roughness = k
	case scene.UseOpacity:
		m.BaseColor[3], m.AlphaMode = k, scene.Blend
	case scene.UseOcclusion:
		m.Occlusion = k
	case scene.UseNormal:
		m.NormalScale = f[0] / 2
	}
}

// mapped is the picture of an input.
func (d *dresser) mapped(name string, use scene.Use, wide bool) scene.Map {
	tex, out := d.joined(d.shader, "inputs:"+name)
	if tex == nil || word(tex.attr("info:id")) != "UsdUVTexture" {
		return scene.Map{}
	}
	file, _ := d.value(tex, "inputs:file").(asset)
	if file == "" {
		return scene.Map{}
	}
	wrap := func(name string) scene.Wrap {
		switch word(d.value(tex, "inputs:"+name)) {
		case "mirror":
			return scene.Mirror
		case "clamp", "black":
			return scene.Clamp
		}
		return scene.Repeat
	}
	from := tex.layerOf("inputs:file")
	if from == "" {
		from = d.root[0].file
	}
	f := d.pictures[from]
	if f == nil {
		f = pictures.New(d.set, from, d.s)
		d.pictures[from] = f
	}
	image := f.Image(string(file), fmt.Sprintf("“%s” uses it for %s", d.m.Name, use),
		func(sev finding.Severity, code, title, text string) {
			d.note(sev, code, title, text, tex.groups[0].specs[0])
		})
	t := scene.Texture{Name: tex.label(), Image: image, WrapU: wrap("wrapS"), WrapV: wrap("wrapT")}
	i := slices.Index(d.s.Textures, t)
	if i < 0 {
		i = len(d.s.Textures)
		d.s.Textures = append(d.s.Textures, t)
	}
	mp := scene.Map{Texture: i + 1}
	if !wide {
		mp.Channel = map[string]scene.Channel{"outputs:r": scene.Red, "outputs:g": scene.Green, "outputs:b": scene.Blue,
			"outputs:a": scene.Alpha}[out]
	}
	d.placed(&mp, tex)
	return mp
}

// placed is which UV set a picture lies on, and how.
func (d *dresser) placed(mp *scene.Map, tex *prim) {
	st, _ := d.joined(tex, "inputs:st")
	if st != nil && word(st.attr("info:id")) == "UsdTransform2d" {
		scale, move := numbers(d.value(st, "inputs:scale")), numbers(d.value(st, "inputs:translation"))
		turn := number(d.value(st, "inputs:rotation"), 0) * math.Pi / 180
		if len(scale) != 2 {
			scale = []float64{1, 1}
		}
		if len(move) != 2 {
			move = []float64{0, 0}
		}
		mp.Place = below(scale, move, turn)
		st, _ = d.joined(st, "inputs:in")
	}
	if st == nil {
		return
	}
	name := word(d.value(st, "inputs:varname"))
	if mp.UVSet = slices.Index(d.sets, name); mp.UVSet < 0 { // the mesh has none of the name
		mp.UVSet = 0
		if n, err := strconv.Atoi(strings.TrimPrefix(name, "st")); err == nil && n > 0 && n < 64 {
			mp.UVSet = n
		}
	}
}

// below is the placement that scales, turns anticlockwise and then moves coordinates whose origin is the bottom left
// (UsdTransform2d: out = in · scale · rotation + translation).
func below(scale, move []float64, turn float64) *scene.Placement {
	if turn == 0 {
		return scene.PlacedBelow([2]float64(move), [2]float64(scale))
	}
	// With v counted from the top, v' = 1 - v: a turn the other way, about another point.
	sin, cos := math.Sincos(turn)
	// below: u' = c·su·u - s·sv·v + tu; v' = s·su·u + c·sv·v + tv, and w = 1 - v.
	return &scene.Placement{Scale: [2]float64(scale), Rotation: turn,
		Offset: [2]float64{move[0] - sin*scale[1], 1 - move[1] - cos*scale[1]}}
}
