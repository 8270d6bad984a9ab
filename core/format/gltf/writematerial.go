package gltf

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"net/url"
	"slices"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

var wrapNumber = map[scene.Wrap]int{scene.Repeat: 10497, scene.Mirror: 33648, scene.Clamp: 33071}

// materials writes all materials in their order, unused ones too.
func (w *writer) materials() error {
	w.images, w.uses, w.carried = map[string]int{}, map[textureKey]int{}, map[int]string{}
	for i := range w.s.Materials {
		m := &w.s.Materials[i]
		out, err := w.material(m)
		if err != nil {
			return fmt.Errorf("material %q: %w", m.Name, err)
		}
		w.doc.Materials = append(w.doc.Materials, out)
	}
	return nil
}

// material writes one, and says in the packing list what the format can’t hold of it.
func (w *writer) material(m *scene.Material) (material, error) {
	out := material{Name: m.Name, DoubleSided: m.TwoSided}
	p := &pbr{}
	if m.BaseColor != [4]float64{1, 1, 1, 1} {
		p.BaseColorFactor = &m.BaseColor
	}
	if m.Metallic != 1 {
		p.MetallicFactor = &m.Metallic
	}
	if m.Roughness != 1 {
		p.RoughnessFactor = &m.Roughness
	}
	if m.Emissive != [3]float64{} {
		out.EmissiveF = &m.Emissive
	}
	if m.AlphaMode != scene.Opaque {
		out.AlphaMode = string(m.AlphaMode)
	}
	if m.AlphaMode == scene.Mask {
		out.AlphaCutoff = &m.AlphaCutoff
	}
	var err error
	if p.BaseColor, err = w.baseColor(m); err != nil {
		return out, err
	}
	if p.MetalRough, err = w.metalRough(m); err != nil {
		return out, err
	}
	if out.Normal = w.plain(m, scene.UseNormal); out.Normal != nil && m.NormalScale != 1 {
		out.Normal.Scale = &m.NormalScale
	}
	if out.Occlusion, err = w.occlusion(m); err != nil {
		return out, err
	}
	out.Emissive = w.plain(m, scene.UseEmissive)
	if m.Maps[scene.UseHeight].Has() {
		w.out.SayOf(pack.Textures, pack.Texture.By(scene.UseHeight), m.Name,
			fmt.Sprintf("the height texture of “%s”", m.Name),
			"glTF has no place for it; a normal map made of it has one")
	}
	if m.Maps[scene.UseSpecular].Has() {
		w.out.SayOf(pack.Textures, pack.Texture.By(scene.UseSpecular), m.Name,
			fmt.Sprintf("the specular texture of “%s”", m.Name),
			"its workflow was left; Slots makes roughness and metallic of it")
	}
	w.shade(&out, m)
	if *p != (pbr{}) {
		out.PBR = p
	}
	return out, nil
}

// found gives the picture of a use, nil when there is none or it is missing.
func (w *writer) found(m *scene.Material, use scene.Use) *scene.Image {
	if !m.Maps[use].Has() {
		return nil
	}
	im := &w.s.Images[w.s.Textures[m.Maps[use].Texture-1].Image]
	if !im.Found() {
		w.out.SayOf(pack.Pictures, pack.Content, im.Name, fmt.Sprintf("picture “%s”", im.Name), "its file was never uploaded")
		return nil
	}
	return im
}

// plain is the use of a texture that goes as it is, nil for none.
func (w *writer) plain(m *scene.Material, use scene.Use) *textureInfo {
	im := w.found(m, use)
	if im == nil {
		return nil
	}
	t := w.s.Textures[m.Maps[use].Texture-1]
	k, err := w.image(im.Name, im.Data, im.MIME)
	if err != nil {
		w.out.SayOf(pack.Pictures, pack.Content, im.Name, fmt.Sprintf("picture “%s”", im.Name), err.Error())
		return nil
	}
	return w.placed(w.texture(t, k, m.Maps[use].UVSet), m.Maps[use].Place)
}

// baseColor joins a separate opacity picture into the alpha of the base colour,
// the only place glTF has for it.
func (w *writer) baseColor(m *scene.Material) (*textureInfo, error) {
	base, opacity := m.Maps[scene.UseBaseColor], m.Maps[scene.UseOpacity]
	joined := opacity.Has() && opacity.Texture == base.Texture && opacity.Channel == scene.Alpha
	im := w.found(m, scene.UseOpacity)
	b := w.found(m, scene.UseBaseColor)
	if joined || im == nil {
		if joined || b == nil || m.AlphaMode == scene.Opaque || picture.Full(b.Data, scene.Alpha) {
			return w.plain(m, scene.UseBaseColor), nil
		}
		// Something is seen through it, but not by this picture's alpha, which glTF would take.
		parts := [4]picture.Part{{Data: b.Data, Channel: scene.Red}, {Data: b.Data, Channel: scene.Green},
			{Data: b.Data, Channel: scene.Blue}, {Value: 255}}
		return w.composed(m, b.Name+" without alpha", base, parts, "nothing says that its alpha counts, and in glTF it would")
	}
	parts := [4]picture.Part{{Value: 255}, {Value: 255}, {Value: 255}, {Data: im.Data, Channel: opacity.Channel}}
	name, from := im.Name, opacity
	if b != nil {
		for i, c := range []scene.Channel{scene.Red, scene.Green, scene.Blue} {
			parts[i] = picture.Part{Data: b.Data, Channel: c}
		}
		name, from = b.Name, base
	}
	return w.composed(m, name+" with opacity", from, parts, "base colour and opacity share one picture in glTF")
}

// metalRough joins metallic and roughness into one picture: blue and green
// (section 3.9.2).
func (w *writer) metalRough(m *scene.Material) (*textureInfo, error) {
	metal, rough := m.Maps[scene.UseMetallic], m.Maps[scene.UseRoughness]
	mi, ri := w.found(m, scene.UseMetallic), w.found(m, scene.UseRoughness)
	switch {
	case mi == nil && ri == nil:
		return nil, nil
	case mi == ri && metal.Texture == rough.Texture && metal.Channel == scene.Blue && rough.Channel == scene.Green:
		return w.plain(m, scene.UseRoughness), nil
	}
	parts := [4]picture.Part{{Value: 255}, {Value: 255}, {Value: 255}, {Value: 255}}
	from := rough
	if ri != nil {
		parts[1] = picture.Part{Data: ri.Data, Channel: rough.Channel}
	} else {
		from = metal
	}
	if mi != nil {
		parts[2] = picture.Part{Data: mi.Data, Channel: metal.Channel}
	}
	return w.composed(m, m.Name+" metallic roughness", from, parts, "metallic and roughness share one picture in glTF")
}

// occlusion is the occlusion map in the red channel, where the format wants it.
func (w *writer) occlusion(m *scene.Material) (*textureInfo, error) {
	t := w.plain(m, scene.UseOcclusion)
	if t != nil && m.Occlusion != 1 {
		t.Strength = &m.Occlusion
	}
	return t, nil
}

// composed makes a picture of channels of others, as the format packs them, and gives
// its use; why goes to the packing list.
func (w *writer) composed(m *scene.Material, name string, from scene.Map, parts [4]picture.Part,
	why string) (*textureInfo, error) {
	k, err := w.compose(name, parts)
	if w.ctx.Err() != nil {
		return nil, w.ctx.Err()
	}
	if err != nil {
		w.out.Say(pack.Textures, fmt.Sprintf("a texture of “%s”", m.Name), err.Error())
		return nil, nil
	}
	w.out.Say(pack.Textures, fmt.Sprintf("textures of “%s” were put together anew as “%s”", m.Name, name), why)
	return w.placed(w.texture(w.s.Textures[from.Texture-1], k, from.UVSet), from.Place), nil
}

// pixelsMost bounds the pixels of all pictures that an export puts together anew.
const pixelsMost = 512 << 20

// compose stores a picture made of channels of others, once for the same ones.
func (w *writer) compose(name string, parts [4]picture.Part) (int, error) {
	key := name
	for _, p := range parts {
		at := (*byte)(nil)
		if len(p.Data) > 0 {
			at = &p.Data[0]
		}
		key += fmt.Sprintf("\x00%p %d %d %d", at, len(p.Data), p.Channel, p.Value)
	}
	if k, ok := w.images[key]; ok {
		return k, nil
	}
	if w.pixels += picture.Pixels(parts); w.pixels > pixelsMost {
		return 0, fmt.Errorf("all pictures that have to be put together anew have more than %d million pixels: join their "+
			"channels in "+
			"the texturing program, or send smaller ones", pixelsMost>>20)
	}
	data, err := picture.Compose(w.ctx, parts)
	if err != nil {
		return 0, err
	}
	k, err := w.image(name, data, "image/png")
	w.images[key] = k
	return k, err
}

// carrier is the extension by which glTF carries a compressed picture as it is: KTX2 when
// its pixels are those of Basis Universal, which says so by having no format of its own
// (KHR_texture_basisu), and DDS. "" for any other.
func (w *writer) carrier(mime string, data []byte) string {
	switch {
	case mime == "image/webp" && w.opt.WebP:
		return extWebP
	case mime == picture.KTX2 && len(data) >= 16 && binary.LittleEndian.Uint32(data[12:]) == 0:
		return extBasis
	case mime == picture.DDS:
		return extDDS
	}
	return ""
}

// require marks an extension as one without which the file can't be read.
func (w *writer) require(name string) {
	if !slices.Contains(w.doc.ExtensionsRequired, name) {
		w.doc.ExtensionsRequired = append(w.doc.ExtensionsRequired, name)
	}
}

// image stores a picture once. glTF takes PNG and JPEG, and what an extension carries; others are written
// as PNG.
func (w *writer) image(name string, data []byte, mime string) (int, error) {
	key := fmt.Sprintf("%s\x00%x", name, sha256.Sum256(data))
	if k, ok := w.images[key]; ok {
		return k, nil
	}
	how := w.carrier(mime, data)
	if how == "" && mime != "image/png" && mime != "image/jpeg" {
		png, err := picture.Compose(w.ctx, [4]picture.Part{{Data: data, Channel: scene.Red},
			{Data: data, Channel: scene.Green},
			{Data: data, Channel: scene.Blue}, {Data: data, Channel: scene.Alpha}})
		if err != nil {
			return 0, fmt.Errorf("glTF takes PNG and JPEG, and it can't be turned into one: %w", err)
		}
		w.out.Say(pack.Pictures, fmt.Sprintf("picture “%s” was written as PNG", name), "glTF takes PNG and JPEG")
		data, mime = png, "image/png"
	}
	im := imageRef{Name: name}
	if how != "" {
		w.carried[len(w.doc.Images)] = how
	}
	if w.opt.Parts {
		file := w.names.Take(trimSuffix(name), picture.Suffix(mime))
		im.URI = url.PathEscape(file)
		w.beside = append(w.beside, bundle.File{Name: file, Data: data})
	} else {
		v := w.view(data, 0)
		im.BufferView, im.MimeType = &v, mime
	}
	w.images[key] = len(w.doc.Images)
	w.doc.Images = append(w.doc.Images, im)
	return len(w.doc.Images) - 1, nil
}

// textureKey is what makes two textures one.
type textureKey struct {
	name           string
	sampler, image int
}

// texture adds a texture of picture im and gives its use with a UV set.
func (w *writer) texture(t scene.Texture, im, uvSet int) *textureInfo {
	s := sampler{MagFilter: t.MagFilter, MinFilter: t.MinFilter, WrapS: wrapNumber[t.WrapU], WrapT: wrapNumber[t.WrapV]}
	k := -1
	for i, old := range w.doc.Samplers {
		if old == s {
			k = i
		}
	}
	if k < 0 {
		k = len(w.doc.Samplers)
		w.doc.Samplers = append(w.doc.Samplers, s)
	}
	key := textureKey{t.Name, k, im}
	i, ok := w.uses[key]
	if !ok {
		i = len(w.doc.Textures)
		w.uses[key] = i
		t := texture{Name: t.Name, Sampler: &k, Source: &im}
		if e := w.carried[im]; e != "" {
			t.Source, t.Extensions = nil, w.extension(e, map[string]int{"source": im})
			w.require(e)
			w.out.SayOf(pack.Textures, pack.Openable, w.doc.Images[im].Name,
				fmt.Sprintf("picture “%s” goes as it is, by %s", w.doc.Images[im].Name, e),
				"a receiver that does not know this extension refuses the file")
		}
		w.doc.Textures = append(w.doc.Textures, t)
	}
	return &textureInfo{Index: i, TexCoord: uvSet}
}
