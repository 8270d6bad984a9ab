package fbx

import (
	"encoding/base64"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// slots are a model's materials in the order they are joined to it.
func (r *reader) slots(o *object) []int {
	var list []int
	for _, m := range r.doc.below(o.key, "Material") {
		if m.unassigned() {
			list = append(list, -1)
			continue
		}
		i, ok := r.materials[m.key]
		if !ok {
			i = r.material(m, o)
			r.materials[m.key] = i
		}
		list = append(list, i)
	}
	return list
}

// unassigned tells the material that stands for none; see writer.unassigned.
func (o *object) unassigned() bool { return o.props.get(own+"unassigned").float(0) != 0 }

// value names, without their prefixes, of the physically-based properties that
// programs store beside the classic ones.
var values = map[string]func(m *scene.Material, p property){
	"basecolor":      func(m *scene.Material, p property) { color(m.BaseColor[:3], p, 1) },
	"base_color":     func(m *scene.Material, p property) { color(m.BaseColor[:3], p, 1) },
	"metallic":       func(m *scene.Material, p property) { m.Metallic = unit(p.float(m.Metallic)) },
	"metalness":      func(m *scene.Material, p property) { m.Metallic = unit(p.float(m.Metallic)) },
	"roughness":      func(m *scene.Material, p property) { m.Roughness = unit(p.float(m.Roughness)) },
	"emissive_color": func(m *scene.Material, p property) { color(m.Emissive[:], p, 1) },
	"normal_scale":   func(m *scene.Material, p property) { m.NormalScale = p.float(1) },
	"alpha_cutoff":   func(m *scene.Material, p property) { m.AlphaCutoff = unit(p.float(0.5)) },
	"unlit":          func(m *scene.Material, p property) { m.Unlit = p.float(0) != 0 },
	"glow":           func(m *scene.Material, p property) { m.Glow = max(0, p.float(1)) },
	"two_sided":      func(m *scene.Material, p property) { m.TwoSided = p.float(0) != 0 },

	"occlusion_strength": func(m *scene.Material, p property) { m.Occlusion = unit(p.float(1)) },
	"alpha_mode": func(m *scene.Material, p property) {
		switch mode := scene.AlphaMode(p.text()); mode {
		case scene.Opaque, scene.Mask, scene.Blend:
			m.AlphaMode = mode
		}
	},
}

// unit keeps a number within 0 and 1.
func unit(v float64) float64 { return min(max(v, 0), 1) }

// color reads a colour, which FBX has as a screen shows it, times a factor of its light into linear numbers
// of 0 to 1.
func color(into []float64, p property, factor float64) {
	v := p.vec([3]float64{scene.Shown(into[0]), scene.Shown(into[1]), scene.Shown(into[2])})
	for i := range into {
		into[i] = unit(scene.Linear(v[i]) * factor)
	}
}

// bare drops the prefixes of a user property: all up to the last bar.
func bare(name string) string {
	return strings.ToLower(name[strings.LastIndexByte(name, '|')+1:])
}

// material gives the scene’s number of a material, reading it when it is the first time;
// model is the one that uses it, for messages.
func (r *reader) material(o *object, model *object) int {
	m := scene.NewMaterial(clean(o.name))
	m.Roughness = 0.8
	p := o.props
	color(m.BaseColor[:3], p.first("DiffuseColor", "Diffuse"), p.get("DiffuseFactor").float(1))
	m.Emissive = [3]float64{}
	if e := p.first("EmissiveColor", "Emissive"); len(e.values) >= 3 {
		// Up to 1 the factor is part of the colour, and above its strength.
		f := max(0, p.get("EmissiveFactor").float(1))
		if _, said := p.find(own + "glow"); said {
			f = 1 // it is told by itself
		}
		color(m.Emissive[:], e, min(f, 1))
		m.Glow = max(f, 1)
	}
	if s := p.first("ShininessExponent", "Shininess"); len(s.values) > 0 {
		// From 0 to 100, as those write it that have a roughness; see exponent. What is
		// above is an exponent of Blinn and Phong, and as smooth as can be.
		m.Roughness = 1 - math.Sqrt(min(100, max(0, s.float(20)))/100)
	}
	if op, ok := p.find("Opacity"); ok {
		m.BaseColor[3] = unit(op.float(1))
	} else if t := p.get("TransparencyFactor"); len(t.values) > 0 {
		c := p.get("TransparentColor").vec([3]float64{1, 1, 1})
		m.BaseColor[3] = unit(1 - t.float(0)*(c[0]+c[1]+c[2])/3)
	}
	if m.BaseColor[3] < 1 {
		m.AlphaMode = scene.Blend
	}
	names := slices.Clone(p.valued)
	for name := range p.own {
		if _, twice := p.template[name]; !twice && values[bare(name)] != nil {
			names = append(names, name)
		}
	}
	slices.Sort(names) // two programs' names for one value must not race
	for _, name := range names {
		values[bare(name)](&m, p.get(name))
	}
	if b, ok := p.find(own + "base_color"); ok { // our own, which is linear
		v := b.vec([3]float64{1, 1, 1})
		m.BaseColor = [4]float64{unit(v[0]), unit(v[1]), unit(v[2]), m.BaseColor[3]}
	}
	i := len(r.s.Materials)
	r.s.Materials = append(r.s.Materials, m)
	for _, l := range r.doc.children[o.key] {
		if t := r.doc.objects[l.child]; t != nil && t.kind == "Texture" {
			r.use(i, o.key, t, l.prop)
		}
	}
	// The older layout joins textures to the model instead.
	if r.doc.version < 7000 {
		for _, t := range r.doc.below(model.key, "Texture") {
			r.use(i, o.key, t, "DiffuseColor")
		}
	}
	return i
}

// uses maps the property a texture is joined to onto what it does.
var uses = map[string]scene.Use{
	"diffusecolor": scene.UseBaseColor, "basecolor": scene.UseBaseColor, "base_color": scene.UseBaseColor,
	"color":     scene.UseBaseColor,
	"albedo":    scene.UseBaseColor,
	"normalmap": scene.UseNormal, "normal": scene.UseNormal, "normalcamera": scene.UseNormal, "bump": scene.UseHeight,
	"norm": scene.UseNormal, "normals": scene.UseNormal, "bumpnormal": scene.UseNormal, "bump_normal": scene.UseNormal,
	"height": scene.UseHeight, "displacement": scene.UseHeight, "displacementcolor": scene.UseHeight,
	"bumpmap":       scene.UseHeight,
	"emissioncolor": scene.UseEmissive, "emission_color": scene.UseEmissive, "ambientocclusion": scene.UseOcclusion,
	"ambient_occlusion": scene.UseOcclusion, "alpha": scene.UseOpacity, "opacitycolor": scene.UseOpacity,
	"emissivecolor": scene.UseEmissive, "emissive": scene.UseEmissive, "emission": scene.UseEmissive,
	"emissive_color":   scene.UseEmissive,
	"emit_color":       scene.UseEmissive,
	"transparentcolor": scene.UseOpacity, "transparencyfactor": scene.UseOpacity, "opacity": scene.UseOpacity,
	"cutout":   scene.UseOpacity,
	"metallic": scene.UseMetallic, "metalness": scene.UseMetallic, "reflectionfactor": scene.UseMetallic,
	"roughness": scene.UseRoughness, "ao": scene.UseOcclusion, "occlusion": scene.UseOcclusion,
}

// placement reads how a texture is scaled and moved on its UVs.
func placement(t *object) *scene.Placement {
	o, s := t.props.get("Translation").vec([3]float64{}), t.props.get("Scaling").vec([3]float64{1, 1, 1})
	if !finite(o) || !finite(s) {
		return nil
	}
	return scene.PlacedBelow([2]float64{o[0], o[1]}, [2]float64{s[0], s[1]})
}

// bounded reads a small whole number, 0 when it is out of range.
func bounded(p property, most int) int {
	if v := p.float(0); v >= 0 && v <= float64(most) {
		return int(v)
	}
	return 0
}

// use joins texture t to a property of the material that object of describes.
func (r *reader) use(material int, of string, t *object, prop string) {
	m := &r.s.Materials[material]
	key := strings.TrimSuffix(strings.TrimPrefix(bare(prop), "tex_"), "_map")
	use, ok := uses[key]
	if !ok {
		r.note(finding.Note, "source/fbx-texture-use", fmt.Sprintf("A texture of “%s” does not go on", m.Name),
			fmt.Sprintf("It is joined to %q, which is no property that is read here; join it to one that is, such as "+
				"NormalMap, to send it along.", clean(prop)), t)
		return
	}
	tex := r.texture(t) + 1
	if use == scene.UseHeight && tex > 0 {
		// What is joined as a bump is often the only normal map there is.
		directions, why := picture.IsNormal(r.s.Images[r.s.Textures[tex-1].Image])
		if directions && !m.Maps[scene.UseNormal].Has() {
			use = scene.UseNormal
			r.note(finding.Note, "source/bump-normal", fmt.Sprintf("The bump picture of “%s” is a normal map", m.Name),
				why+", and it goes on as one.", t)
		}
	}
	if m.Maps[use].Has() {
		return
	}
	p := r.doc.objects[of].props
	if use == scene.UseOpacity && m.AlphaMode == scene.Opaque && p.get(own+"alpha_mode").text() == "" {
		m.AlphaMode = scene.Blend
	}
	m.Maps[use] = scene.Map{Texture: tex,
		Channel: scene.Channel(bounded(p.get(own+useWords[use]+"_channel"), int(scene.Alpha))),
		UVSet:   bounded(p.get(own+useWords[use]+"_uv_set"), 7), Place: placement(t)}
	if name := clean(t.props.get("UVSet").text()); name != "" {
		if _, ours := p.find(own + useWords[use] + "_uv_set"); !ours {
			r.sets[mapOf{material, use}] = name
		}
	}
	if _, factor := p.find(own + "base_color"); !factor { // the texture stands for the colour
		switch {
		case use == scene.UseBaseColor:
			m.BaseColor = [4]float64{1, 1, 1, m.BaseColor[3]}
		case use == scene.UseEmissive && m.Emissive == [3]float64{}:
			m.Emissive = [3]float64{1, 1, 1}
		}
	}
}

// texture gives the number of a texture plus one, 0 when it names no picture.
func (r *reader) texture(t *object) int {
	if i, ok := r.textures[t.key]; ok {
		return i
	}
	wrap := func(name string) scene.Wrap {
		if t.props.get(name).float(0) == 1 {
			return scene.Clamp
		}
		return scene.Repeat
	}
	out := scene.Texture{Name: clean(t.name), Image: r.image(t), WrapU: wrap("WrapModeU"), WrapV: wrap("WrapModeV")}
	i := len(r.s.Textures)
	r.textures[t.key] = i
	r.s.Textures = append(r.s.Textures, out)
	return i
}

// image finds a texture's picture: embedded in its video, or beside the file.
func (r *reader) image(t *object) int {
	var data []byte
	names := pictureNames(t.rec)
	for _, v := range r.doc.below(t.key, "Video") {
		if c := content(v.rec.sub("Content")); len(c) > 0 {
			data = c
		}
		names = append(names, pictureNames(v.rec)...)
	}
	if data == nil {
		data = r.embedded(t, names)
	}
	ref := ""
	if len(names) > 0 {
		ref = clean(names[0])
	}
	key := ref + "\x00" + scene.Image{Data: data}.Sum()
	if i, ok := r.images[key]; ok {
		return i
	}
	img := scene.Image{Name: path.Base(strings.ReplaceAll(ref, `\`, "/")), Path: ref}
	if ref == "" {
		img.Name = clean(t.name)
	}
	if data != nil {
		img.Data, img.Embedded, img.Path = data, true, ""
	} else {
		err := error(bundle.ErrMissing)
		for _, n := range names {
			f, _, e := r.set.Find(r.name, n)
			if e == nil {
				img.Data, err = f.Data, nil
				break
			}
		}
		if err != nil {
			r.note(finding.Look, "source/missing-picture", fmt.Sprintf("Picture “%s” is not among the files", img.Name),
				"The materials that use it arrive without that texture. Add the file and it comes in.", t)
		}
	}
	picture.Describe(&img)
	i := len(r.s.Images)
	r.images[key] = i
	r.s.Images = append(r.s.Images, img)
	return i
}

// embedded finds the bytes of a picture that a Video holds which is not joined to texture t but is called the
// same: some writers put the picture into a second Video of one file.
func (r *reader) embedded(t *object, names []string) []byte {
	if r.contents == nil {
		r.contents = map[string][]byte{}
		for _, o := range r.doc.order {
			if o.kind != "Video" {
				continue
			}
			c := content(o.rec.sub("Content"))
			if len(c) == 0 {
				continue
			}
			for _, n := range append(pictureNames(o.rec), o.name) {
				if n = pictureName(n); n != "" && r.contents[n] == nil {
					r.contents[n] = c
				}
			}
		}
	}
	for _, v := range r.doc.below(t.key, "Video") {
		names = append(names, v.name)
	}
	for _, n := range append(names, t.rec.sub("Media").str(0)) {
		if c := r.contents[pictureName(n)]; c != nil {
			return c
		}
	}
	return nil
}

// pictureName is what a Video is known by: the last part of its path, without its class.
func pictureName(n string) string {
	n, _, _ = strings.Cut(n, "\x00")
	n = strings.TrimPrefix(n, "Video::")
	n = path.Base(strings.ReplaceAll(n, `\`, "/"))
	if n == "." || n == "/" {
		return ""
	}
	return strings.ToLower(n)
}

// content joins the bytes of an embedded picture; an ASCII file has them in base64,
// also in pieces.
func content(c *record) []byte {
	if c == nil {
		return nil
	}
	var out []byte
	for _, p := range c.props {
		switch v := p.(type) {
		case []byte:
			out = append(out, v...)
		case string:
			b, err := base64.StdEncoding.DecodeString(strings.TrimRight(v, "\r\n "))
			if err != nil {
				return nil
			}
			out = append(out, b...)
		}
	}
	return out
}

// orphans names pictures that no material uses.
func (r *reader) orphans() {
	for _, o := range r.doc.order {
		if o.kind == "Texture" {
			if _, used := r.textures[o.key]; !used {
				r.s.LeaveOut("texture no material uses", clean(o.name), "nothing shows it")
			}
		}
		if o.kind == "Material" && !o.unassigned() {
			if _, used := r.materials[o.key]; !used {
				i := r.material(o, o)
				r.materials[o.key] = i
			}
		}
	}
}
