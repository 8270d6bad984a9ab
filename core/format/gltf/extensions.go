package gltf

import (
	"encoding/json"
	"errors"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// The extensions of materials and textures that are read as meant. All but the
// last two are written too.
const (
	extPlacement = "KHR_texture_transform"
	extUnlit     = "KHR_materials_unlit"
	extGlow      = "KHR_materials_emissive_strength"
	extSpecular  = "KHR_materials_pbrSpecularGlossiness"
	extWebP      = "EXT_texture_webp"
	extBasis     = "KHR_texture_basisu"
	extDDS       = "MSFT_texture_dds"
	extInstances = "EXT_mesh_gpu_instancing"
)

// transform is the body of KHR_texture_transform.
type transform struct {
	Offset   *[2]float64 `json:"offset,omitempty"`
	Rotation float64     `json:"rotation,omitempty"`
	Scale    *[2]float64 `json:"scale,omitempty"`
	TexCoord *int        `json:"texCoord,omitempty"`
}

// placement reads how a texture lies on its UVs, and which set it uses.
func (r *reader) placement(t *textureInfo, m *scene.Material) (*scene.Placement, int) {
	set := t.TexCoord
	for _, e := range sortedKeys(t.Extensions) {
		if !understood[e] {
			r.s.LeaveOut("texture extension "+fault.Shown(e), m.Name, r.unread(e))
		}
	}
	raw, ok := t.Extensions[extPlacement]
	if !ok {
		return nil, set
	}
	var x transform
	if err := json.Unmarshal(raw, &x); err != nil {
		r.note(finding.Look, "source/gltf-placement", "A texture's placement can't be read",
			"The texture of “"+fault.Shown(m.Name)+"” lies on its UVs as they are: "+err.Error())
		return nil, set
	}
	if x.TexCoord != nil && *x.TexCoord >= 0 {
		set = *x.TexCoord
	}
	p := scene.Placement{Scale: [2]float64{1, 1}, Rotation: x.Rotation}
	setTo(&p.Offset, x.Offset)
	setTo(&p.Scale, x.Scale)
	if !finiteAll(p.Offset[0], p.Offset[1], p.Scale[0], p.Scale[1], p.Rotation) ||
		p == (scene.Placement{Scale: [2]float64{1, 1}}) {
		return nil, set
	}
	return &p, set
}

// instances makes a node's mesh stand in all the places the extension gives: nodes of their
// own below it, which itself places nothing any more.
func (r *reader) instances(at int, raw json.RawMessage) error {
	var x struct {
		Attributes map[string]int `json:"attributes"`
	}
	name := r.s.Nodes[at].Name
	if err := json.Unmarshal(raw, &x); err != nil {
		return fault.AtByte(r.name, -1, "node “%s”: its instances can't be read: %v", fault.Shown(name), err)
	}
	var t [][3]float64
	var q [][4]float64
	var s [][3]float64
	count := -1
	prepare := func(make func(n int)) func(n int) {
		return func(n int) {
			make(n)
			if count < 0 || n < count {
				count = n
			}
		}
	}
	read := func(attr, kind string, get func(n int), set func(k int, v *[4]float64)) error {
		acc, ok := x.Attributes[attr]
		if !ok {
			return nil
		}
		return r.vectors(acc, kind, prepare(get), set)
	}
	err := errors.Join(
		read("TRANSLATION", "VEC3", func(n int) { t = make([][3]float64, n) },
			func(k int, v *[4]float64) { t[k] = [3]float64(v[:3]) }),
		read("ROTATION", "VEC4", func(n int) { q = make([][4]float64, n) }, func(k int, v *[4]float64) { q[k] = *v }),
		read("SCALE", "VEC3", func(n int) { s = make([][3]float64, n) },
			func(k int, v *[4]float64) { s[k] = [3]float64(v[:3]) }))
	if err != nil {
		return err
	}
	of := &r.s.Nodes[at]
	mesh := of.Mesh
	of.Kind, of.Mesh = scene.KindEmpty, -1
	for k := range max(0, count) {
		move, turn, grow := [3]float64{}, [4]float64{0, 0, 0, 1}, [3]float64{1, 1, 1}
		if t != nil {
			move = t[k]
		}
		if q != nil {
			turn = q[k]
		}
		if s != nil {
			grow = s[k]
		}
		if !finiteAll(move[:]...) || !finiteAll(turn[:]...) || !finiteAll(grow[:]...) {
			return fault.AtByte(r.name, -1, "instance %d of “%s” has a place that is out of all bounds", k, fault.Shown(name))
		}
		r.s.Nodes = append(r.s.Nodes, scene.Node{Name: fmt.Sprintf("%s %d", name, k+1), Kind: scene.KindMesh, Parent: at,
			Mesh:  mesh,
			Local: geom.FromTRS(move, turn, grow)})
	}
	return nil
}

// extend reads the material extensions.
func (r *reader) extend(m *scene.Material, ext map[string]json.RawMessage) error {
	_, m.Unlit = ext[extUnlit]
	if err := r.painted(m, ext); err != nil {
		return err
	}
	if raw, ok := ext[extGlow]; ok {
		var e struct {
			Strength *float64 `json:"emissiveStrength"`
		}
		if json.Unmarshal(raw, &e) == nil && e.Strength != nil && *e.Strength >= 0 && finiteAll(*e.Strength) {
			m.Glow = *e.Strength
		}
	}
	raw, ok := ext[extSpecular]
	if !ok {
		return nil
	}
	e := struct {
		Diffuse    [4]float64   `json:"diffuseFactor"`
		Specular   [3]float64   `json:"specularFactor"`
		Glossiness float64      `json:"glossinessFactor"`
		DiffuseTex *textureInfo `json:"diffuseTexture"`
		SpecTex    *textureInfo `json:"specularGlossinessTexture"`
	}{Diffuse: [4]float64{1, 1, 1, 1}, Specular: [3]float64{1, 1, 1}, Glossiness: 1}
	if err := json.Unmarshal(raw, &e); err != nil {
		r.note(finding.Look, "source/gltf-specular", "A specular-glossiness material can't be read",
			"“"+fault.Shown(m.Name)+"” goes on with what its other workflow says: "+err.Error())
		return nil
	}
	older := scene.Older{Diffuse: e.Diffuse, Specular: e.Specular, Gloss: e.Glossiness}
	m.BaseColor, m.Metallic = older.Converted()
	m.Roughness = 1 - min(max(e.Glossiness, 0), 1)
	if e.SpecTex != nil {
		m.Older = older
		if err := r.use(m, e.SpecTex, scene.UseSpecular, scene.Whole); err != nil {
			return err
		}
	}
	return r.use(m, e.DiffuseTex, scene.UseBaseColor, scene.Whole)
}

// extension marks one as used and encodes its body.
func (w *writer) extension(name string, body any) map[string]json.RawMessage {
	raw, err := json.Marshal(body)
	if err != nil {
		panic(err) // plain numbers, checked on the way in
	}
	for _, e := range w.doc.ExtensionsUsed {
		if e == name {
			return map[string]json.RawMessage{name: raw}
		}
	}
	w.doc.ExtensionsUsed = append(w.doc.ExtensionsUsed, name)
	return map[string]json.RawMessage{name: raw}
}

// placed writes a placement on a texture.
func (w *writer) placed(t *textureInfo, p *scene.Placement) *textureInfo {
	if p == nil || t == nil {
		return t
	}
	x := transform{Rotation: p.Rotation}
	if p.Offset != [2]float64{} {
		x.Offset = &p.Offset
	}
	if p.Scale != [2]float64{1, 1} {
		x.Scale = &p.Scale
	}
	t.Extensions = w.extension(extPlacement, x)
	return t
}

// shade writes the material extensions.
func (w *writer) shade(out *material, m *scene.Material) {
	add := func(e map[string]json.RawMessage) {
		if out.Extensions == nil {
			out.Extensions = map[string]json.RawMessage{}
		}
		for k, v := range e {
			out.Extensions[k] = v
		}
	}
	if m.Unlit {
		add(w.extension(extUnlit, struct{}{}))
	}
	if m.Glow != 1 && m.Emissive != [3]float64{} {
		add(w.extension(extGlow, map[string]float64{"emissiveStrength": m.Glow}))
	}
}
