package collada

import (
	"encoding/hex"
	"fmt"
	"math"
	"path"
	"reflect"
	"slices"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// effect is an effect with the names it gives to things, which hold within it.
type effect struct {
	*reader
	e        *element
	profile  *element
	params   map[string]*element
	material string // its name
	sets     func(texcoord string) int
}

// materialOf is the number of a material as an instance binds it, which is added the first time; -1 for one that is
// not there. bind says which UV set a name of a texture's coordinates stands for.
func (r *reader) materialOf(url string, bind *element, sets []int) int {
	m := r.doc.find(url)
	if m == nil {
		return -1
	}
	uv := map[string]int{}
	for _, b := range bind.all("bind_vertex_input") {
		if s := b.get("input_semantic"); s == "TEXCOORD" || s == "UV" {
			uv[b.get("semantic")] = int(whole(b.get("input_set"), 0))
		}
	}
	of := func(texcoord string) int {
		set, ok := uv[texcoord]
		if !ok {
			_, _ = fmt.Sscanf(strings.TrimLeft(texcoord, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_"), "%d", &set)
		}
		return max(0, slices.Index(sets, set))
	}
	key := fmt.Sprint(url, uv, sets)
	if i, ok := r.materials[key]; ok {
		return i
	}
	out := r.dressed(m, of)
	i := slices.IndexFunc(r.looks[m], func(k int) bool { return reflect.DeepEqual(r.s.Materials[k], out) })
	if i < 0 { // else one of these differs from it by nothing: meshes have other sets of coordinates, and it uses none
		i = len(r.looks[m])
		r.looks[m] = append(r.looks[m], len(r.s.Materials))
		r.s.Materials = append(r.s.Materials, out)
	}
	r.materials[key] = r.looks[m][i]
	return r.materials[key]
}

// dressed makes a material of its effect.
func (r *reader) dressed(m *element, sets func(string) int) scene.Material {
	out := scene.NewMaterial(nameOf(m))
	out.Roughness = 0.8
	fx := &effect{reader: r, e: r.doc.find(m.first("instance_effect").get("url")), params: map[string]*element{},
		material: out.Name, sets: sets}
	fx.profile = fx.e.first("profile_COMMON")
	for _, of := range []*element{fx.e, fx.profile, fx.profile.first("technique")} {
		for _, p := range of.all("newparam") {
			fx.params[p.get("sid")] = p
		}
		for _, im := range of.all("image") {
			if id := im.get("id"); id != "" && r.doc.ids[id] == nil {
				r.doc.ids[id] = im
			}
		}
	}
	technique := fx.profile.first("technique")
	for _, kind := range []string{"phong", "blinn", "lambert", "constant"} {
		if e := technique.first(kind); e != nil {
			fx.shaded(&out, kind, e)
			fx.extras(&out, technique, e)
			return out
		}
	}
	r.note(finding.Look, "source/no-effect", fmt.Sprintf("“%s” says nothing that is understood", out.Name),
		"Its effect has no common profile. It comes in white.", m)
	return out
}

// shaded reads the lighting model.
func (fx *effect) shaded(m *scene.Material, kind string, e *element) {
	base, use := "diffuse", scene.UseBaseColor
	if kind == "constant" {
		base, m.Unlit = "emission", true
	}
	if c, ok := fx.colour(e.first(base)); ok {
		for k := range 3 {
			m.BaseColor[k] = scene.Linear(min(1, max(0, c[k])))
		}
	}
	m.Maps[use] = fx.mapped(e.first(base), use)
	if c, ok := fx.colour(e.first("emission")); ok && kind != "constant" {
		most := max(c[0], c[1], c[2])
		if glow := scene.Linear(max(0, most)); glow > 0 {
			m.Glow = max(1, glow)
			for k := range 3 {
				m.Emissive[k] = scene.Linear(max(0, c[k])) / m.Glow
			}
		}
	}
	if mp := fx.mapped(e.first("emission"), scene.UseEmissive); mp.Has() && kind != "constant" {
		m.Maps[scene.UseEmissive] = mp
		m.Emissive = [3]float64{1, 1, 1}
	}
	// An exponent as the roughness with the same highlight (Walter et al. 2007: α² = 2/(n+2), and α is roughness squared).
	if s := e.first("shininess", "float"); s != nil && (kind == "phong" || kind == "blinn") {
		if n := s.number(-1); n >= 0 {
			m.Roughness = math.Sqrt(math.Sqrt(2 / (n + 2)))
		}
	}
	for _, name := range []string{"specular", "ambient", "reflective"} {
		if t := e.first(name, "texture"); t != nil {
			fx.note(finding.Note, "source/dae-map", fmt.Sprintf("The %s picture of “%s” does not go on", name, m.Name),
				"The classic lighting model has it, and a physically based one has no place for it.", t)
		}
	}
	fx.opacity(m, e)
}

// opacity takes what lets through for what stands in the way, in the format's four ways (COLLADA 1.5, chapter 8,
// “Determining transparency”).
func (fx *effect) opacity(m *scene.Material, e *element) {
	t, by := e.first("transparent"), e.first("transparency", "float")
	if t == nil && by == nil {
		return
	}
	mode := t.get("opaque")
	if mode == "" {
		mode = "A_ONE"
	}
	c, ok := fx.colour(t)
	if !ok {
		c = [4]float64{1, 1, 1, 1}
		if strings.HasPrefix(mode, "RGB_ZERO") || strings.HasPrefix(mode, "A_ZERO") {
			c = [4]float64{}
		}
	}
	light := 0.212671*c[0] + 0.715160*c[1] + 0.072169*c[2]
	k := by.number(1)
	var alpha float64
	switch mode {
	case "A_ONE":
		alpha = c[3] * k
	case "RGB_ONE":
		alpha = light * k
	case "RGB_ZERO":
		alpha = 1 - light*k
	case "A_ZERO":
		alpha = 1 - c[3]*k
	default:
		alpha = 1
	}
	alpha = min(1, max(0, alpha))
	if mp := fx.mapped(t, scene.UseOpacity); mp.Has() {
		switch mode {
		case "A_ONE":
			mp.Channel = scene.Alpha
			m.Maps[scene.UseOpacity], m.AlphaMode = mp, scene.Blend
		case "RGB_ONE":
			m.Maps[scene.UseOpacity], m.AlphaMode = mp, scene.Blend
		default:
			fx.note(finding.Look, "source/dae-clear", fmt.Sprintf("The picture that lets through “%s” does not go on", m.Name),
				"It is white where nothing is, and pictures of opacity are white where something is. Turn it round and "+
					"assign it at Slots.", t)
		}
		alpha = 1
	}
	if alpha == 0 {
		fx.note(finding.Look, "source/dae-unseen", fmt.Sprintf("“%s” would not be seen at all", m.Name),
			"Many programs write what lets through upside down, so it was taken for opaque. If it is meant to be clear, say so "+
				"at Slots.", e)
		alpha = 1
	}
	if m.BaseColor[3] = alpha; alpha < 1 {
		m.AlphaMode = scene.Blend
	}
}

// extras reads what many programs say besides the standard, under whatever name of a profile: a bump picture and sides.
func (fx *effect) extras(m *scene.Material, list ...*element) {
	var look func(e *element, depth int)
	look = func(e *element, depth int) {
		for _, k := range e.kids {
			switch {
			case k.name == "double_sided":
				m.TwoSided = m.TwoSided || k.words() == "1" || k.words() == "true"
			case k.name == "bump" && !m.Maps[scene.UseNormal].Has() && !m.Maps[scene.UseHeight].Has():
				fx.bump(m, k)
			case depth < 8:
				look(k, depth+1)
			}
		}
	}
	for _, of := range append([]*element{fx.e, fx.profile}, list...) {
		for _, x := range of.all("extra") {
			look(x, 0)
		}
	}
}

// bump takes a picture of heights; one that looks like a normal map goes on as one.
func (fx *effect) bump(m *scene.Material, e *element) {
	mp := fx.mapped(e, scene.UseHeight)
	if !mp.Has() {
		return
	}
	use := scene.UseHeight
	if directions, why := picture.IsNormal(fx.s.Images[fx.s.Textures[mp.Texture-1].Image]); directions {
		use = scene.UseNormal
		fx.note(finding.Note, "source/bump-normal", fmt.Sprintf("The bump picture of “%s” is a normal map", m.Name),
			why+", and it goes on as one.", e)
	}
	m.Maps[use] = mp
}

// colour is that of a channel, by itself or by the name of a parameter; ok is false where it has a picture or nothing.
func (fx *effect) colour(e *element) (c [4]float64, ok bool) {
	list := e.first("color").floats()
	if p := e.first("param"); list == nil && p != nil {
		of := fx.params[p.get("ref")]
		for _, name := range []string{"float4", "float3"} {
			if v := of.first(name).floats(); v != nil {
				list = v
			}
		}
	}
	if len(list) < 3 {
		return c, false
	}
	c[3] = 1
	copy(c[:], list)
	return c, true
}

// mapped is the picture of a channel.
func (fx *effect) mapped(e *element, use scene.Use) scene.Map {
	t := e.first("texture")
	if t == nil {
		return scene.Map{}
	}
	sampler := fx.params[t.get("texture")].first("sampler2D")
	image := sampler.first("instance_image").get("url") // 1.5
	if image == "" {
		surface := fx.params[sampler.first("source").words()].first("surface")
		image = "#" + surface.first("init_from").words() // 1.4
	}
	im := fx.doc.find(image)
	if im == nil || im.name != "image" {
		im = fx.doc.find("#" + t.get("texture")) // as older programs write it
	}
	if im == nil || im.name != "image" {
		fx.note(finding.Look, "source/missing-picture",
			fmt.Sprintf("“%s” names a picture that the file does not have", fx.material),
			fmt.Sprintf("It uses it for %s.", use), t)
		return scene.Map{}
	}
	wrap := func(name string) scene.Wrap {
		switch sampler.first(name).words() {
		case "MIRROR":
			return scene.Mirror
		case "CLAMP", "BORDER", "NONE":
			return scene.Clamp
		}
		return scene.Repeat
	}
	out := scene.Texture{Name: nameOf(im), Image: fx.image(im, use), WrapU: wrap("wrap_s"), WrapV: wrap("wrap_t")}
	i := slices.Index(fx.s.Textures, out)
	if i < 0 {
		i = len(fx.s.Textures)
		fx.s.Textures = append(fx.s.Textures, out)
	}
	return scene.Map{Texture: i + 1, UVSet: fx.sets(t.get("texcoord")), Place: placed(t)}
}

// placed is how a texture lies on its coordinates, as many programs say it besides the standard.
func placed(t *element) *scene.Placement {
	for _, tech := range t.first("extra").all("technique") {
		get := func(name string, without float64) float64 { return tech.first(name).number(without) }
		scale := [2]float64{get("repeatU", 1), get("repeatV", 1)}
		offset := [2]float64{get("offsetU", 0), get("offsetV", 0)}
		if p := scene.PlacedBelow(offset, scale); p != nil {
			return p
		}
	}
	return nil
}

// image is the number of a picture: beside the file, or in it as hexadecimal digits.
func (fx *effect) image(e *element, use scene.Use) int {
	if i, ok := fx.images[e]; ok {
		return i
	}
	from := e.first("init_from")
	digits := e.first("data")
	if h := from.first("hex"); h != nil {
		digits = h
	}
	ref := from.words()
	if r := from.first("ref"); r != nil {
		ref = r.words()
	}
	i := len(fx.s.Images)
	if digits != nil && ref == "" {
		im := scene.Image{Name: nameOf(e), Embedded: true}
		text := strings.Join(strings.Fields(string(digits.text)), "")
		if data, err := hex.DecodeString(text); err == nil && len(data) > 0 {
			im.Data = data
			picture.Describe(&im)
			if path.Ext(im.Name) == "" {
				im.Name += picture.Suffix(im.MIME)
			}
		} else {
			fx.note(finding.Look, "source/missing-picture", fmt.Sprintf("Picture “%s” in the file can’t be read", im.Name),
				fmt.Sprintf("“%s” uses it for %s.", fx.material, use), e)
		}
		fx.s.Images = append(fx.s.Images, im)
	} else {
		i = fx.pictures.Image(plainRef(ref), fmt.Sprintf("“%s” uses it for %s", fx.material, use),
			func(sev finding.Severity, code, title, text string) { fx.note(sev, code, title, text, e) })
	}
	fx.images[e] = i
	return i
}
