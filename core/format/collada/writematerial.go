package collada

import (
	"bytes"
	"fmt"
	"math"
	"path"
	"strings"

	"yarvek/core/format/pack"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// effects are the libraries of materials and their effects: the common profile's phong, or constant for what is unlit.
func (w *writer) effects() []byte {
	if len(w.s.Materials) == 0 {
		return nil
	}
	var effects, materials bytes.Buffer
	for i, m := range w.s.Materials {
		w.effect(&effects, i, m)
		say(&materials, "<material id=\"material%d\" name=\"%s\">", i, m.Name)
		say(&materials, "<instance_effect url=\"#effect%d\"/></material>\n", i)
		if strings.ContainsFunc(m.Name, unwritable) {
			w.out.SayOf(pack.Materials, pack.Name, m.Name, fmt.Sprintf("letters of the name “%s”", m.Name),
				"XML has no way to write them")
		}
	}
	return fmt.Appendf(nil, "<library_effects>\n%s</library_effects>\n<library_materials>\n%s</library_materials>\n",
		effects.Bytes(), materials.Bytes())
}

// profile is an effect in the making: parameters first, then the lighting model that uses them.
type profile struct {
	*writer
	m      scene.Material
	params bytes.Buffer
	n      int
}

func (w *writer) effect(to *bytes.Buffer, number int, m scene.Material) {
	p := &profile{writer: w, m: m}
	p.lost()
	var model bytes.Buffer
	base, kind := "diffuse", "phong"
	if m.Unlit {
		base, kind = "emission", "constant"
	}
	var glow [3]float64
	for k := range 3 {
		glow[k] = m.Emissive[k] * m.Glow
	}
	if !m.Unlit {
		p.channel(&model, "emission", scene.UseEmissive, [4]float64{glow[0], glow[1], glow[2], 1})
	}
	p.channel(&model, base, scene.UseBaseColor, m.BaseColor)
	if !m.Unlit {
		// The exponent whose highlight is that of the roughness; see shaded.
		n := 2/math.Pow(max(m.Roughness, 1e-4), 4) - 2
		say(&model, "<specular><color>0 0 0 1</color></specular><shininess><float>%s</float></shininess>\n", number17(n))
	}
	p.clear(&model)
	fmt.Fprintf(to, "<effect id=\"effect%d\"><profile_COMMON>\n%s<technique sid=\"common\"><%s>\n%s</%s></technique>"+
		"</profile_COMMON></effect>\n", number, p.params.Bytes(), kind, model.Bytes(), kind)
}

func number17(v float64) string { return fmt.Sprintf("%.17g", v) }

// channel writes a colour, which is light here and shown there, or the picture that has it.
func (p *profile) channel(to *bytes.Buffer, name string, use scene.Use, c [4]float64) {
	if tex := p.texture(use, -1); tex != "" {
		fmt.Fprintf(to, "<%s>%s</%s>\n", name, tex, name)
		return
	}
	fmt.Fprintf(to, "<%s><color>%.17g %.17g %.17g 1</color></%s>\n", name, scene.Shown(c[0]), scene.Shown(c[1]),
		scene.Shown(c[2]), name)
}

// clear writes how much lets through.
func (p *profile) clear(to *bytes.Buffer) {
	if p.m.AlphaMode == scene.Opaque {
		return
	}
	mp := p.m.Maps[scene.UseOpacity]
	if !mp.Has() || p.path[p.s.Textures[mp.Texture-1].Image] < 0 {
		fmt.Fprintf(to, "<transparent opaque=\"A_ONE\"><color>1 1 1 %.17g</color></transparent>"+
			"<transparency><float>1</float></transparency>\n", p.m.BaseColor[3])
		return
	}
	im := p.s.Images[p.s.Textures[mp.Texture-1].Image]
	mode, file := "A_ONE", -1
	if mp.Channel != scene.Alpha {
		mode = "RGB_ONE"
		if mp.Channel != scene.Whole && !picture.GreyAs(im.Data, mp.Channel) {
			file = p.bright(p.s.Textures[mp.Texture-1].Image, mp.Channel)
		}
	}
	fmt.Fprintf(to, "<transparent opaque=\"%s\">%s</transparent><transparency><float>1</float></transparency>\n", mode,
		p.texture(scene.UseOpacity, file))
}

// bright is the number of a picture that is grey and has a channel of another in all its own.
func (p *profile) bright(image int, c scene.Channel) int {
	im := p.s.Images[image]
	part := picture.Part{Data: im.Data, Channel: c}
	data, err := picture.Compose(p.ctx, [4]picture.Part{part, part, part, {Value: 255}})
	if err != nil {
		p.out.SayOf(pack.Pictures, pack.Content, im.Name, fmt.Sprintf("the opacity picture of “%s”", p.m.Name), err.Error())
		return -1
	}
	name := p.names.Take(strings.TrimSuffix(im.Name, path.Ext(im.Name))+" opacity", ".png")
	p.out.Say(pack.Textures, fmt.Sprintf("“%s” was made of one channel of “%s”", name, im.Name),
		"COLLADA takes the brightness of a picture for opacity, or its alpha")
	return p.file(name, data)
}

// texture is the use of a picture, "" for none; file is the number of one in the place of its own, -1 for that.
func (p *profile) texture(use scene.Use, file int) string {
	mp := p.m.Maps[use]
	if !mp.Has() {
		return ""
	}
	t := p.s.Textures[mp.Texture-1]
	if file < 0 {
		file = p.path[t.Image]
	}
	if file < 0 {
		return ""
	}
	if mp.Place != nil {
		p.out.SayOf(pack.Textures, pack.Placing.By(use), p.m.Name,
			fmt.Sprintf("how the %s picture of “%s” is scaled, turned and moved", use, p.m.Name), "COLLADA has no word for it")
	}
	wraps := map[scene.Wrap]string{scene.Repeat: "WRAP", scene.Mirror: "MIRROR", scene.Clamp: "CLAMP"}
	p.n++
	fmt.Fprintf(&p.params, "<newparam sid=\"surface%d\"><surface type=\"2D\"><init_from>image%d</init_from></surface>"+
		"</newparam>\n<newparam sid=\"sampler%d\"><sampler2D><source>surface%d</source>"+
		"<wrap_s>%s</wrap_s><wrap_t>%s</wrap_t></sampler2D></newparam>\n", p.n, file,
		p.n, p.n, wraps[t.WrapU], wraps[t.WrapV])
	return fmt.Sprintf("<texture texture=\"sampler%d\" texcoord=\"UVSET%d\"/>", p.n, mp.UVSet)
}

// lost lists what the common profile can't say of a material.
func (p *profile) lost() {
	m, list := &p.m, "the common profile of COLLADA has no place for it"
	say := func(about pack.Topic, of pack.Property, what string) {
		p.out.SayOf(about, of, m.Name, fmt.Sprintf("%s of “%s”", what, m.Name), list)
	}
	if m.Metallic != 0 {
		say(pack.Materials, pack.Metallic, "how metallic the surface is,")
	}
	if m.Unlit && m.Roughness != 0.8 {
		say(pack.Materials, pack.Roughness, "the roughness, which nothing shows,")
	}
	if m.Roughness < 1e-3 && !m.Unlit {
		say(pack.Materials, pack.Roughness, "the roughness of a mirror")
	}
	for _, use := range []scene.Use{scene.UseMetallic, scene.UseRoughness, scene.UseNormal, scene.UseOcclusion,
		scene.UseHeight, scene.UseSpecular} {
		if m.Maps[use].Has() {
			say(pack.Textures, pack.Texture.By(use), "the "+use.String()+" texture")
		}
	}
	c := m.BaseColor
	if m.Maps[scene.UseBaseColor].Has() && (c[0] != 1 || c[1] != 1 || c[2] != 1) {
		say(pack.Materials, pack.Colour, "the colour over the picture")
	}
	if m.Unlit && m.Emissive != [3]float64{} {
		say(pack.Materials, pack.Glow, "the glow")
		if m.Maps[scene.UseEmissive].Has() {
			say(pack.Textures, pack.Texture.By(scene.UseEmissive), "the emissive texture")
		}
	} else if m.Maps[scene.UseEmissive].Has() && (m.Glow != 1 || m.Emissive != [3]float64{1, 1, 1}) {
		say(pack.Materials, pack.Glow, "the colour over the emissive picture")
	}
	if m.AlphaMode == scene.Mask {
		say(pack.Materials, pack.CutOut, "the opacity cut-off")
	}
	if m.AlphaMode != scene.Opaque && m.Maps[scene.UseOpacity].Has() && m.BaseColor[3] != 1 {
		say(pack.Materials, pack.Opacity, "the opacity over the picture")
	}
	if m.AlphaMode != scene.Opaque && !m.Maps[scene.UseOpacity].Has() && m.BaseColor[3] == 0 {
		p.out.SayOf(pack.Materials, pack.Opacity, m.Name, fmt.Sprintf("that nothing is seen of “%s”", m.Name),
			"readers take it for a mistake, and show it")
	}
	if m.TwoSided {
		say(pack.Materials, pack.Sides, "two-sidedness")
	}
}
