package gltf

import (
	"encoding/json"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/naming"
	"yarvek/core/scene"
)

// The extensions of materials that are programs for a graphics card. A program is not run, but its parameters
// are mostly called by what they are.
const (
	extTechniques = "KHR_techniques_webgl"
	extTechnique  = "KHR_technique_webgl"
)

// technique is the body of both extensions in a material: which program, and the values of its parameters.
type technique struct {
	Technique *int                       `json:"technique"`
	Values    map[string]json.RawMessage `json:"values"`
}

// programs are the parameters of all programs with their defaults, by number.
func (r *reader) programs() []map[string]json.RawMessage {
	type parameter struct {
		Value json.RawMessage `json:"value"`
	}
	var doc map[string]struct {
		Techniques []struct {
			Uniforms   map[string]parameter `json:"uniforms"`
			Parameters map[string]parameter `json:"parameters"`
		} `json:"techniques"`
	}
	if len(r.doc.Extensions) == 0 || json.Unmarshal(r.doc.Extensions, &doc) != nil {
		return nil
	}
	var list []map[string]json.RawMessage
	for _, e := range []string{extTechniques, extTechnique} {
		for _, t := range doc[e].Techniques {
			at := map[string]json.RawMessage{}
			for _, params := range []map[string]parameter{t.Uniforms, t.Parameters} {
				for name, p := range params {
					if len(p.Value) > 0 {
						at[name] = p.Value
					}
				}
			}
			list = append(list, at)
		}
	}
	return list
}

// painted reads the colour, glow, opacity and pictures of a material that is a program, by what its parameters
// are called, and names those that mean nothing here.
func (r *reader) painted(m *scene.Material, ext map[string]json.RawMessage) error {
	raw, ok := either(ext, extTechniques, extTechnique)
	if !ok {
		return nil
	}
	m.Metallic, m.Roughness = 0, 0.8
	var t technique
	if err := json.Unmarshal(raw, &t); err != nil {
		r.s.LeaveOut("material program", m.Name, "it can't be read: "+err.Error())
		return nil
	}
	values := map[string]json.RawMessage{}
	if list := r.programs(); t.Technique != nil && *t.Technique >= 0 && *t.Technique < len(list) {
		for k, v := range list[*t.Technique] {
			values[k] = v
		}
	}
	for k, v := range t.Values {
		values[k] = v
	}
	r.s.LeaveOut("material program", m.Name, "it is not run; what its parameters are called is read")
	for _, name := range sortedKeys(values) {
		if err := r.parameter(m, name, values[name]); err != nil {
			return err
		}
	}
	return nil
}

// parameter reads one parameter of a program.
func (r *reader) parameter(m *scene.Material, name string, raw json.RawMessage) error {
	words := slices.DeleteFunc(naming.Words(name), func(w string) bool {
		return slices.Contains([]string{"u", "texture", "tex", "map", "sampler", "colour", "color", "factor"}, w) && w != name
	})
	what := strings.Join(words, " ")
	var picture struct {
		Index    *int `json:"index"`
		TexCoord int  `json:"texCoord"`
	}
	if json.Unmarshal(raw, &picture) == nil && picture.Index != nil {
		use, ok := map[string]scene.Use{"": scene.UseBaseColor, "diffuse": scene.UseBaseColor, "base": scene.UseBaseColor,
			"albedo": scene.UseBaseColor, "normal": scene.UseNormal, "bump": scene.UseNormal, "emission": scene.UseEmissive,
			"emissive": scene.UseEmissive, "occlusion": scene.UseOcclusion}[what]
		if !ok {
			r.s.LeaveOut("parameter of a material program", fault.Shown(name), "it has no place in a physically based material")
			return nil
		}
		if use == scene.UseEmissive {
			m.Emissive = [3]float64{1, 1, 1}
		}
		return r.use(m, &textureInfo{Index: *picture.Index, TexCoord: picture.TexCoord}, use, scene.Whole)
	}
	var v []float64
	var one float64
	if json.Unmarshal(raw, &v) != nil {
		if json.Unmarshal(raw, &one) != nil {
			r.s.LeaveOut("parameter of a material program", fault.Shown(name), "it is no colour and no picture")
			return nil
		}
		v = []float64{one}
	}
	if !finiteAll(v...) {
		v = nil
	}
	share := func(f float64) float64 { return min(max(f, 0), 1) }
	switch {
	case (what == "diffuse" || what == "base" || what == "albedo" || what == "") && len(v) >= 3:
		for i := range 3 {
			m.BaseColor[i] = share(scene.Linear(v[i]))
		}
		if len(v) > 3 {
			m.BaseColor[3] = share(v[3])
		}
	case (what == "emission" || what == "emissive") && len(v) >= 3 && !m.Maps[scene.UseEmissive].Has():
		for i := range 3 {
			m.Emissive[i] = share(scene.Linear(v[i]))
		}
	case (what == "transparency" || what == "opacity" || what == "alpha") && len(v) == 1:
		m.BaseColor[3] = share(v[0])
	default:
		r.s.LeaveOut("parameter of a material program", fault.Shown(name), "it has no place in a physically based material")
		return nil
	}
	if m.BaseColor[3] < 1 && m.AlphaMode == scene.Opaque {
		m.AlphaMode = scene.Blend
	}
	return nil
}
