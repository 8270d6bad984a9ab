// Package gltf reads and writes glTF 2.0, as GLB or as a document with parts.
//
// Section numbers refer to the Khronos glTF 2.0 specification. The format fixes
// its basis (right-handed, +Y up, front facing +Z) and its unit, the metre. The
// scene's UV origin is the bottom left, so v is turned round on the way in and out.
package gltf

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/url"
	"path"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// errNoBuffer marks data that lies in a buffer file that was not uploaded. The
// mesh is left out and named; it is no reason to refuse the rest.
var errNoBuffer = errors.New("buffer missing")

// understood are the extensions whose data is read as meant. Quantised meshes
// need nothing beyond reading every accessor type.
var understood = map[string]bool{"KHR_mesh_quantization": true, visibility: true, "KHR_lights_punctual": true,
	extLevels:    true,
	extPlacement: true, extUnlit: true, extGlow: true, extSpecular: true, extWebP: true, extInstances: true,
	extBasis: true, extDDS: true,
	extDraco: true, extMeshopt: true, extMeshopt2: true, extTechniques: true, extTechnique: true}

// looks tells an extension that says how a surface looks and nothing of its mesh. A
// document may require it: the mesh is read all the same, and the loss is named.
func looks(extension string) bool {
	for _, p := range []string{"KHR_materials_", "EXT_materials_", "KHR_texture_", "EXT_texture_", "MSFT_texture_",
		"KHR_techniques_"} {
		if strings.HasPrefix(extension, p) {
			return true
		}
	}
	return false
}

// reader makes a scene of one document, in the stages of read, each of which needs those
// before it.
type reader struct {
	ctx      context.Context
	name     string
	set      *bundle.Bundle
	doc      document
	bin      []byte // GLB's own buffer
	buffers  [][]byte
	s        *scene.Scene
	findings []finding.Finding
	progress func(done, total int64)
	// Meshes may share accessors, so a small file can ask for a huge scene: what
	// is decoded in all is held against the bytes that are there.
	spent, budget int64
	total         int64 // bytes of all buffers

	unfolded  map[int][]byte // compressed views that were decoded, unpacked bytes in all
	unpacked  int64
	faces     int64    // of compressed meshes so far
	solidPart *solid   // the primitive under way, when it came compressed
	seen      [][2]int // nodes with a camera or a light: of the scene, and of the document
}

// IsGLB tells a GLB by its magic number (section 4.4.2).
func IsGLB(data []byte) bool { return bytes.HasPrefix(data, []byte("glTF")) }

// Read reads the GLB or glTF file name of the set, with the buffers and pictures
// it refers to. What is missing or left out is a finding or a scene.Left; a
// *fault.Error tells the place of what can't be read.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	if progress == nil {
		progress = func(int64, int64) {}
	}
	r := &reader{ctx: ctx, name: name, set: set, progress: progress}
	text, base := bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), int64(0)
	format := "gltf"
	if IsGLB(data) {
		format = "glb"
		var err error
		if text, base, err = r.container(data); err != nil {
			return nil, nil, err
		}
	}
	if err := r.decode(text, base); err != nil {
		return nil, nil, err
	}
	r.s = &scene.Scene{Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Format: format,
		FormatVersion: r.doc.Asset.Version, Basis: geom.GLTF, BasisHow: scene.ByStandard,
		UnitMetres: 1, UnitHow: scene.ByStandard}
	steps := []func(context.Context) error{r.required, r.openBuffers, r.openImages, r.materials, r.meshes, r.nodes}
	for _, step := range steps {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		if err := step(ctx); err != nil {
			return nil, nil, err
		}
	}
	r.leave()
	r.sights(r.seen)
	return r.s, r.findings, nil
}

// container takes a GLB apart (section 4.4) and returns its JSON and where it starts.
func (r *reader) container(data []byte) (text []byte, base int64, err error) {
	u32 := func(at int) uint32 { return binary.LittleEndian.Uint32(data[at:]) }
	if len(data) < 20 {
		return nil, 0, fault.AtByte(r.name, int64(len(data)),
			"the GLB ends within its header").Advise("The upload may be cut short; send the file again")
	}
	if v := u32(4); v != 2 {
		return nil, 0, fault.AtByte(r.name, 4, "is GLB version %d; version 2 is read",
			v).Unsupported().Advise("Export as glTF 2.0")
	}
	if n := int64(u32(8)); n > int64(len(data)) {
		return nil, 0, fault.AtByte(r.name, int64(len(data)), "the GLB says it has %d bytes and ends after %d", n, len(data)).
			Advise("The upload may be cut short; send the file again")
	}
	end := int(u32(8))
	for at := 12; at < end; {
		if end-at < 8 {
			return nil, 0, fault.AtByte(r.name, int64(at), "the GLB ends within the header of a chunk")
		}
		n, kind := int64(u32(at)), u32(at+4)
		if n > int64(end-at-8) {
			return nil, 0, fault.AtByte(r.name, int64(at), "a chunk says it has %d bytes and the file has %d more", n, end-at-8)
		}
		body := data[at+8 : at+8+int(n)]
		switch {
		case at == 12 && kind == 0x4E4F534A: // JSON
			text, base = body, int64(at+8)
		case at == 12:
			return nil, 0, fault.AtByte(r.name, 12, "the first chunk is not JSON")
		case kind == 0x004E4942 && r.bin == nil: // BIN
			r.bin = body
		}
		at += 8 + int(n)
	}
	if text == nil {
		return nil, 0, fault.AtByte(r.name, 12, "the GLB holds no JSON chunk")
	}
	return text, base, nil
}

// decode parses the JSON, which begins at byte base of the file.
func (r *reader) decode(text []byte, base int64) error {
	text = bytes.TrimRight(text, "\x00") // some writers pad the chunk with zeros instead of spaces
	err := json.Unmarshal(text, &r.doc)
	if old := firstGeneration(text); old != "" && (err != nil || !strings.HasPrefix(r.doc.Asset.Version, "2.")) {
		return fault.AtByte(r.name, -1, "is glTF %s, which is another format; 2.0 is read",
			old).Unsupported().Advise("Export as glTF 2.0")
	}
	if err != nil {
		at := int64(-1)
		var syntax *json.SyntaxError
		var kind *json.UnmarshalTypeError
		what := "the JSON can't be read: " + err.Error()
		switch {
		case errors.As(err, &syntax):
			at = base + syntax.Offset
		case errors.As(err, &kind):
			at = base + kind.Offset
			what = fmt.Sprintf("%s holds a %s where %s is expected", kind.Field, kind.Value, kind.Type)
		}
		return fault.AtByte(r.name, at, "%s", what).Advise("Check that the file is glTF 2.0 and was not cut short")
	}
	v := r.doc.Asset.Version
	if v == "" {
		return fault.AtByte(r.name, -1, "has no asset version, so it is no glTF 2.0 document")
	}
	if !strings.HasPrefix(v, "2.") || r.doc.Asset.MinVersion != "" && r.doc.Asset.MinVersion != "2.0" {
		return fault.AtByte(r.name, -1, "is glTF %s (needs %s); 2.0 is read", fault.Quote([]byte(v)),
			fault.Quote([]byte(r.doc.Asset.MinVersion))).Unsupported().Advise("Export as glTF 2.0")
	}
	return nil
}

// firstGeneration tells a document of glTF 1.0 or before by its version, or by its meshes,
// which it has by name; "" for any other.
func firstGeneration(text []byte) string {
	var doc struct {
		Asset struct {
			Version any `json:"version"`
		} `json:"asset"`
		Meshes json.RawMessage `json:"meshes"`
	}
	if json.Unmarshal(text, &doc) != nil {
		return ""
	}
	v := fmt.Sprint(doc.Asset.Version)
	if strings.HasPrefix(v, "1") || strings.HasPrefix(v, "0.") {
		return fault.Shown(v)
	}
	if len(doc.Meshes) > 0 && doc.Meshes[0] == '{' {
		return "1.0"
	}
	return ""
}

// required refuses a document that needs an extension that is not read.
func (r *reader) required(context.Context) error {
	for _, e := range r.doc.ExtensionsRequired {
		if !understood[e] && looks(e) {
			r.note(finding.Look, "source/gltf-looks", fmt.Sprintf("Materials need %s, which is not understood", fault.Shown(e)),
				"The meshes came in whole; surfaces that use it go on with what else they say.")
			continue
		}
		if !understood[e] {
			return fault.AtByte(r.name, -1, "requires the extension %s, which is not understood",
				fault.Quote([]byte(e))).Unsupported().
				Advise("Export without it: a compressed mesh as plain, for instance")
		}
	}
	return nil
}

// note adds a finding.
func (r *reader) note(sev finding.Severity, code, title, text string) {
	r.findings = append(r.findings, finding.Finding{Code: code, Severity: sev, Title: title, Text: text,
		Place: finding.Place{File: r.name}})
}

// openBuffers finds the bytes of every buffer and checks that they are as many as
// declared.
func (r *reader) openBuffers(context.Context) error {
	var total int64
	for i, b := range r.doc.Buffers {
		var data []byte
		switch {
		case b.URI == "" && i == 0 && r.bin != nil:
			data = r.bin
		case standsIn(b):
		case b.URI == "":
			r.missingBuffer(i, "its own data chunk")
		case strings.HasPrefix(b.URI, "data:"):
			var err error
			if data, _, err = dataURI(b.URI); err != nil {
				return fault.AtByte(r.name, -1, "buffer %d: %v", i, err)
			}
		default:
			f, _, err := r.set.Find(r.name, unescape(b.URI))
			if err != nil {
				r.missingBuffer(i, fmt.Sprintf("“%s” %v", fault.Shown(b.URI), err))
				break
			}
			data = f.Data
		}
		if data != nil && int64(len(data)) < b.ByteLength {
			r.note(finding.MustFix, "source/short-buffer", fmt.Sprintf("Buffer %d is cut short", i),
				fmt.Sprintf("It says it has %d bytes and holds %d. What lies beyond can't be read; send the file again.",
					b.ByteLength, len(data)))
			r.findings[len(r.findings)-1].Brief = "cut short"
		}
		total += int64(len(data))
		r.buffers = append(r.buffers, data)
	}
	r.total = total
	r.budget = 1<<20 + 4*total
	r.progress(0, total)
	return nil
}

// missingBuffer notes that buffer i is not among the files.
func (r *reader) missingBuffer(i int, what string) {
	r.note(finding.MustFix, "source/missing-buffer", fmt.Sprintf("Buffer %d is missing: %s", i, what),
		"The meshes whose points lie in it can't be read. Add the file and they come in.")
	r.findings[len(r.findings)-1].Brief = "buffer missing"
}

// unescape undoes percent signs; a URI that is none is taken as it stands.
func unescape(uri string) string {
	if s, err := url.PathUnescape(uri); err == nil {
		return s
	}
	return uri
}

// dataURI decodes a data URI (RFC 2397).
func dataURI(uri string) (data []byte, mime string, err error) {
	head, body, ok := strings.Cut(strings.TrimPrefix(uri, "data:"), ",")
	if !ok || !strings.HasSuffix(head, ";base64") {
		return nil, "", errors.New("holds a data address that is not base64")
	}
	data, err = base64.StdEncoding.DecodeString(body)
	if err != nil {
		// Some writers leave the padding out.
		if raw, err2 := base64.RawStdEncoding.DecodeString(body); err2 == nil {
			return raw, strings.TrimSuffix(head, ";base64"), nil
		}
		return nil, "", fmt.Errorf("holds a data address with bad base64: %w", err)
	}
	return data, strings.TrimSuffix(head, ";base64"), nil
}

// bytesOfView gives what a buffer view holds as a whole: a picture, or a compressed mesh.
func (r *reader) bytesOfView(i int) ([]byte, error) {
	data, _, err := r.viewed(i)
	return data, err
}

// badPicture notes a picture whose bytes can't be had; the rest of the file is unharmed.
func (r *reader) badPicture(i int, err error) {
	r.note(finding.MustFix, "source/bad-picture", fmt.Sprintf("Picture %d can't be read", i), err.Error()+
		". The materials that use it come in without that texture.")
	r.findings[len(r.findings)-1].Brief = "picture left out"
}

// openImages finds the bytes of every picture. One that is not there is noted and stays
// without data.
func (r *reader) openImages(context.Context) error {
	for i, im := range r.doc.Images {
		img := scene.Image{Name: im.Name, MIME: im.MimeType}
		switch {
		case im.BufferView != nil:
			img.Embedded = true
			data, err := r.bytesOfView(*im.BufferView)
			if err != nil && !errors.Is(err, errNoBuffer) {
				r.badPicture(i, err)
			}
			img.Data = data
		case strings.HasPrefix(im.URI, "data:"):
			img.Embedded = true
			data, mime, err := dataURI(im.URI)
			if err != nil {
				r.badPicture(i, err)
			}
			img.Data, img.MIME = data, mime
		default:
			img.Path = unescape(im.URI)
			f, _, err := r.set.Find(r.name, img.Path)
			if err != nil {
				r.note(finding.Look, "source/missing-picture", fmt.Sprintf("Picture “%s” %v", fault.Shown(img.Path), err),
					"The materials that use it arrive without that texture. Add the file and it comes in.")
				break
			}
			img.Data = f.Data
			if img.Name == "" {
				img.Name = path.Base(f.Name)
			}
		}
		if img.Name == "" {
			img.Name = path.Base(img.Path)
			if img.Path == "" {
				img.Name = fmt.Sprintf("image %d", i+1)
			}
		}
		picture.Describe(&img)
		r.s.Images = append(r.s.Images, img)
	}
	return r.openTextures()
}

// openTextures takes over how pictures are laid: an extension may name another picture than the texture itself, for
// receivers that read its kind.
func (r *reader) openTextures() error {
	for i, t := range r.doc.Textures {
		out := scene.Texture{Name: t.Name, Image: -1, WrapU: scene.Repeat, WrapV: scene.Repeat}
		var other struct {
			Source *int `json:"source"`
		}
		webp, isWebP := t.Extensions[extWebP]
		raw, is := either(t.Extensions, extBasis, extDDS)
		if isWebP && json.Unmarshal(webp, &other) == nil && other.Source != nil ||
			is && t.Source == nil && json.Unmarshal(raw, &other) == nil {
			t.Source = other.Source
		}
		if t.Source != nil {
			if *t.Source < 0 || *t.Source >= len(r.s.Images) {
				return fault.AtByte(r.name, -1, "texture %d refers to image %d of %d", i, *t.Source, len(r.s.Images))
			}
			out.Image = *t.Source
		}
		if t.Sampler != nil {
			if *t.Sampler < 0 || *t.Sampler >= len(r.doc.Samplers) {
				return fault.AtByte(r.name, -1, "texture %d refers to sampler %d of %d", i, *t.Sampler, len(r.doc.Samplers))
			}
			sm := r.doc.Samplers[*t.Sampler]
			out.WrapU, out.WrapV = wraps[sm.WrapS], wraps[sm.WrapT]
			out.MagFilter, out.MinFilter = sm.MagFilter, sm.MinFilter
		}
		out.WrapU, out.WrapV = cmp.Or(out.WrapU, scene.Repeat), cmp.Or(out.WrapV, scene.Repeat)
		r.s.Textures = append(r.s.Textures, out)
	}
	return nil
}

// wraps by OpenGL's numbers.
var wraps = map[int]scene.Wrap{10497: scene.Repeat, 33648: scene.Mirror, 33071: scene.Clamp}

// materials reads all materials, used or not.
func (r *reader) materials(context.Context) error {
	for i, m := range r.doc.Materials {
		out := scene.NewMaterial(m.Name)
		if out.Name == "" {
			out.Name = fmt.Sprintf("material %d", i+1)
		}
		out.Metallic = 1 // the default of section 5.22, unlike that of a material said nothing of
		p := m.PBR
		if p == nil {
			p = &pbr{}
		}
		setTo(&out.BaseColor, p.BaseColorFactor)
		setTo(&out.Metallic, p.MetallicFactor)
		setTo(&out.Roughness, p.RoughnessFactor)
		setTo(&out.Emissive, m.EmissiveF)
		setTo(&out.AlphaCutoff, m.AlphaCutoff)
		switch scene.AlphaMode(m.AlphaMode) {
		case scene.Mask, scene.Blend:
			out.AlphaMode = scene.AlphaMode(m.AlphaMode)
		}
		out.TwoSided = m.DoubleSided
		if m.Normal != nil {
			setTo(&out.NormalScale, m.Normal.Scale)
		}
		if m.Occlusion != nil {
			setTo(&out.Occlusion, m.Occlusion.Strength)
		}
		for _, u := range []struct {
			info    *textureInfo
			use     scene.Use
			channel scene.Channel
		}{
			{p.BaseColor, scene.UseBaseColor, scene.Whole},
			{p.MetalRough, scene.UseMetallic, scene.Blue},
			{p.MetalRough, scene.UseRoughness, scene.Green},
			{m.Normal, scene.UseNormal, scene.Whole},
			{m.Occlusion, scene.UseOcclusion, scene.Red},
			{m.Emissive, scene.UseEmissive, scene.Whole},
		} {
			if err := r.use(&out, u.info, u.use, u.channel); err != nil {
				return err
			}
		}
		if err := r.extend(&out, m.Extensions); err != nil {
			return err
		}
		if out.AlphaMode != scene.Opaque && out.Maps[scene.UseBaseColor].Has() {
			out.Maps[scene.UseOpacity] = out.Maps[scene.UseBaseColor]
			out.Maps[scene.UseOpacity].Channel = scene.Alpha
		}
		for _, e := range sortedKeys(m.Extensions) {
			if !understood[e] {
				r.s.LeaveOut("material extension "+fault.Shown(e), out.Name, r.unread(e))
			}
		}
		r.s.Materials = append(r.s.Materials, out)
	}
	return nil
}

// setTo sets dst when the document says something.
func setTo[T any](dst *T, src *T) {
	if src != nil {
		*dst = *src
	}
}

// sortedKeys are the keys of a map in an order that is always the same.
func sortedKeys[V any](m map[string]V) []string {
	var keys []string
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// use sets one use of a texture, with its channel.
func (r *reader) use(m *scene.Material, t *textureInfo, use scene.Use, c scene.Channel) error {
	if t == nil {
		return nil
	}
	if t.Index < 0 || t.Index >= len(r.s.Textures) || t.TexCoord < 0 {
		return fault.AtByte(r.name, -1, "material %s refers to texture %d of %d", fault.Quote([]byte(m.Name)), t.Index,
			len(r.s.Textures))
	}
	place, set := r.placement(t, m)
	if r.s.Textures[t.Index].Image < 0 {
		r.s.LeaveOut("texture without a picture", m.Name, "its picture is in an extension that is not understood")
		return nil
	}
	m.Maps[use] = scene.Map{Texture: t.Index + 1, UVSet: set, Channel: c, Place: place}
	return nil
}

// leave names what a static mesh can't keep.
func (r *reader) leave() {
	for i, c := range r.doc.Cameras {
		r.s.LeaveOut("camera", orNumber(c.Name, "camera", i), "a static mesh has none")
	}
	for i, s := range r.doc.Skins {
		r.s.LeaveOut("skin", orNumber(s.Name, "skin", i), "a static mesh does not bend; it comes in as it rests")
	}
	for i, a := range r.doc.Animations {
		r.s.LeaveOut("animation", orNumber(a.Name, "animation", i), "a static mesh does not move")
	}
	var lights struct {
		Lights struct {
			Lights []named `json:"lights"`
		} `json:"KHR_lights_punctual"`
	}
	if r.doc.Extensions != nil && json.Unmarshal(r.doc.Extensions, &lights) == nil {
		for i, l := range lights.Lights.Lights {
			r.s.LeaveOut("light", orNumber(l.Name, "light", i), "a static mesh has none")
		}
	}
	for _, e := range r.doc.ExtensionsUsed {
		if !understood[e] {
			r.s.LeaveOut("extension", fault.Shown(e), r.unread(e))
		}
	}
}

// unread says why an extension is left out.
func (r *reader) unread(e string) string {
	if slices.Contains(r.doc.ExtensionsRequired, e) {
		return "it is not understood, and the file requires it"
	}
	return "it is not understood; the file does not require it"
}

// orNumber is the name, or kind and number for what has none.
func orNumber(name, kind string, i int) string {
	if name == "" {
		return fmt.Sprintf("%s %d", kind, i+1)
	}
	return name
}

// finiteAll guards numbers that JSON allows but arithmetic does not forgive.
func finiteAll(v ...float64) bool {
	for _, f := range v {
		if f-f != 0 || math.Abs(f) > 1e30 {
			return false
		}
	}
	return true
}
