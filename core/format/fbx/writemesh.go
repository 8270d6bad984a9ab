package fbx

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// mesh writes a geometry with all its layers.
func (w *writer) mesh(id int64, m *scene.Mesh) *record {
	if w.ctx.Err() != nil {
		return rec("Geometry") // nobody waits for it
	}
	m, _ = m.Strict() // which format.Write has told of already
	points := make([]float64, 0, 3*len(m.Points))
	for _, p := range m.Points {
		points = append(points, p[0], p[1], p[2])
	}
	corners := append([]int32(nil), m.Corners...)
	for f := range m.Faces() {
		last := m.FaceStart[f+1] - 1
		corners[last] = ^corners[last]
	}
	g := rec("Geometry", id, m.Name+"\x00\x01Geometry", "Mesh").add(rec("Vertices", points),
		rec("PolygonVertexIndex", corners))
	layer := rec("Layer", int32(0)).add(rec("Version", int32(100)))
	use := func(l *record) {
		g.add(l)
		layer.add(rec("LayerElement").add(rec("Type", l.name), rec("TypedIndex", int32(0))))
	}
	smoothing, edges := w.smoothing(m)
	if edges != nil {
		g.add(rec("Edges", edges))
	}
	g.add(rec("GeometryVersion", int32(124)))
	if m.Normals.Has() {
		use(element("LayerElementNormal", 0, "", "ByPolygonVertex", "Direct").add(rec("Normals", normals(m))))
	}
	if t, b, ok := tangents(m); ok {
		use(element("LayerElementBinormal", 0, "", "ByPolygonVertex", "Direct").add(rec("Binormals", b)))
		use(element("LayerElementTangent", 0, "", "ByPolygonVertex", "Direct").add(rec("Tangents", t)))
	}
	if m.Colors.Has() {
		v := make([]float64, 0, 4*len(m.Colors.Values))
		for _, c := range m.Colors.Values {
			v = append(append(v, shown(c[:3])...), float64(c[3]))
		}
		use(element("LayerElementColor", 0, "", "ByPolygonVertex", "IndexToDirect").add(rec("Colors", v),
			rec("ColorIndex", m.Colors.Index)))
	}
	use(smoothing)
	if l := materials(m); l != nil {
		use(l)
	}
	extra := w.uvs(g, m, use)
	g.add(layer)
	return g.add(extra...)
}

// element begins a layer: its kind, its number, what it is called, and how it is
// counted.
func element(name string, index int32, label, mapping, reference string) *record {
	return rec(name, index).add(rec("Version", int32(101)), rec("Name", label), rec("MappingInformationType", mapping),
		rec("ReferenceInformationType", reference))
}

// uvs writes the sets; each beyond the first has a layer of its own.
func (w *writer) uvs(g *record, m *scene.Mesh, use func(*record)) []*record {
	var layers []*record
	for k, u := range m.UVs {
		v := make([]float64, 0, 2*len(u.Values))
		for _, t := range u.Values {
			v = append(v, t[0], t[1])
		}
		l := element("LayerElementUV", int32(k), u.Name, "ByPolygonVertex", "IndexToDirect").add(rec("UV", v),
			rec("UVIndex", u.Index))
		if k == 0 {
			use(l)
			continue
		}
		g.add(l)
		layers = append(layers, rec("Layer", int32(k)).add(rec("Version", int32(100)),
			rec("LayerElement").add(rec("Type", "LayerElementUV"), rec("TypedIndex", int32(k)))))
	}
	return layers
}

// normals are written corner by corner, which every reader understands.
func normals(m *scene.Mesh) []float64 {
	out := make([]float64, 0, 3*len(m.Corners))
	for _, i := range m.Normals.Index {
		n := m.Normals.Values[i]
		out = append(out, float64(n[0]), float64(n[1]), float64(n[2]))
	}
	return out
}

// tangents lists tangents and bitangents corner by corner; ok is false when the mesh has
// none.
func tangents(m *scene.Mesh) (tan, bi []float64, ok bool) {
	if !m.Tangents.Has() || !m.Normals.Has() {
		return nil, nil, false
	}
	for c, i := range m.Tangents.Index {
		k := m.Normals.Index[c]
		if i < 0 || k < 0 {
			return nil, nil, false
		}
		t, n := m.Tangents.Values[i], m.Normals.Values[k]
		b := geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])}.Cross(geom.Vec3{float64(t[0]), float64(t[1]),
			float64(t[2])}).Mul(math.Copysign(1, float64(t[3])))
		tan = append(tan, float64(t[0]), float64(t[1]), float64(t[2]))
		bi = append(bi, b[0], b[1], b[2])
	}
	return tan, bi, true
}

// Two faces are smooth across their edge when their normals at both its ends are this
// near, as a cosine: a degree, since stored normals are rounded and may carry noise. Where
// a mesh has no normals, the faces themselves may be this far from each other.
var (
	sameNormal = math.Cos(1 * math.Pi / 180)
	sameFace   = math.Cos(creaseDegrees * math.Pi / 180)
)

const creaseDegrees = 30

// smoothing always says something, so that no receiver has to guess: the groups of
// the mesh when it has them; else hard and smooth edges, as marked, as its normals part,
// or, without any of these, as its faces do.
func (w *writer) smoothing(m *scene.Mesh) (layer *record, edges []int32) {
	if m.Smooth != nil {
		groups := make([]int32, len(m.Smooth))
		for i, s := range m.Smooth {
			groups[i] = int32(s)
		}
		return smoothingLayer("ByPolygon", groups), nil
	}
	if m.Hard == nil && !m.Normals.Has() {
		w.out.Say(pack.Smoothing, fmt.Sprintf("edges of “%s” sharper than %d° became hard", m.Name, creaseDegrees),
			"the mesh has neither normals nor smoothing, and without hard edges it would arrive all smooth")
	}
	edges, smooth := edgeList(w.ctx, m)
	return smoothingLayer("ByEdge", smooth), edges
}

// smoothingLayer is of version 102, in which groups and edges are told as today.
func smoothingLayer(mapping string, values []int32) *record {
	return rec("LayerElementSmoothing", int32(0)).add(rec("Version", int32(102)), rec("Name", ""),
		rec("MappingInformationType", mapping),
		rec("ReferenceInformationType", "Direct"), rec("Smoothing", values))
}

// edgeList names every edge once, by the corner it starts at, in the order of corners, and
// says which are smooth. An edge is hard when a face marks it so; unmarked, when the
// normals of two of its faces part at an end of it; and where there are no normals, when
// the faces do. Edges are found by sorting the sides of all faces.
func edgeList(ctx context.Context, m *scene.Mesh) (edges, smooth []int32) {
	next := make([]int32, len(m.Corners)) // round its face
	for f := range m.Faces() {
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		for c := s; c < e; c++ {
			next[c] = c + 1
		}
		next[e-1] = s
	}
	// Sides by their lower point, in the order of corners, and within one by the other.
	start := make([]int32, len(m.Points)+1)
	low := func(c int32) int32 { return min(m.Corners[c], m.Corners[next[c]]) }
	high := func(c int32) int32 { return max(m.Corners[c], m.Corners[next[c]]) }
	for c := range next {
		start[low(int32(c))+1]++
	}
	for p := range m.Points {
		start[p+1] += start[p]
	}
	sides, fill := make([]int32, len(next)), append([]int32(nil), start[:len(m.Points)]...)
	for c := range next {
		p := low(int32(c))
		sides[fill[p]] = int32(c)
		fill[p]++
	}
	if ctx.Err() != nil {
		return nil, nil
	}
	parts := partsAt(m, next)
	state := make([]int8, len(next)) // of the corner an edge is named by: 1 smooth, 2 hard
	for p := range m.Points {
		if p&0x3fff == 0 && ctx.Err() != nil {
			return nil, nil
		}
		bucket := sides[start[p]:start[p+1]]
		if len(bucket) > 1 {
			slices.SortStableFunc(bucket, func(a, b int32) int { return cmp.Compare(high(a), high(b)) })
		}
		for i := 0; i < len(bucket); {
			j := i + 1
			for j < len(bucket) && high(bucket[j]) == high(bucket[i]) {
				j++
			}
			first := bucket[i]
			state[first] = 1
			for k, c := range bucket[i:j] {
				if m.Hard != nil && m.Hard[c] || m.Hard == nil && k > 0 && parts(first, c) {
					state[first] = 2
				}
			}
			i = j
		}
	}
	for c, s := range state {
		if s > 0 {
			edges, smooth = append(edges, int32(c)), append(smooth, int32(2-s))
		}
	}
	return edges, smooth
}

// partsAt tells of two sides of faces along one edge whether the surface has a crease
// there.
func partsAt(m *scene.Mesh, next []int32) func(a, b int32) bool {
	if !m.Normals.Has() {
		faces := make([]geom.Vec3, m.Faces())
		of := make([]int32, len(m.Corners))
		for f := range faces {
			faces[f] = m.FaceNormal(f).Unit()
			for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
				of[c] = int32(f)
			}
		}
		return func(a, b int32) bool { return faces[of[a]].Dot(faces[of[b]]) < sameFace }
	}
	normal := func(c int32) geom.Vec3 {
		i := m.Normals.Index[c]
		if i < 0 {
			return geom.Vec3{}
		}
		v := m.Normals.Values[i]
		return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}.Unit()
	}
	apart := func(a, b int32) bool {
		return m.Normals.Index[a] != m.Normals.Index[b] && normal(a).Dot(normal(b)) < sameNormal
	}
	return func(a, b int32) bool {
		if m.Corners[a] == m.Corners[b] { // both go the same way
			return apart(a, b) || apart(next[a], next[b])
		}
		return apart(a, next[b]) || apart(next[a], b)
	}
}

// materials numbers each face's material among those joined to the model, in the order
// of its slots; nil when no face has one. What joins them gives a material of ours to
// faces without where others have theirs.
func materials(m *scene.Mesh) *record {
	if !assigned(m) {
		return nil
	}
	if len(m.Slots) == 1 {
		return element("LayerElementMaterial", 0, "", "AllSame", "IndexToDirect").add(rec("Materials", []int32{0}))
	}
	list := make([]int32, m.Faces())
	for f := range list {
		if m.Slot != nil {
			list[f] = m.Slot[f]
		}
	}
	return element("LayerElementMaterial", 0, "", "ByPolygon", "IndexToDirect").add(rec("Materials", list))
}

// assigned tells whether a mesh has a material at all.
func assigned(m *scene.Mesh) bool {
	return slices.ContainsFunc(m.Slots, func(k int) bool { return k >= 0 })
}

// unassigned is the material of faces that have none where others have theirs: a receiver
// makes nonsense of a face with the number -1. It is marked, so that reading it back gives
// no material again.
func (w *writer) unassigned(m *scene.Mesh) int64 {
	w.out.Say(pack.Materials, fmt.Sprintf("faces of “%s” without a material got one called “%s”", m.Name, unassignedName),
		"receivers of FBX expect every face to have one where some do")
	if w.bare == 0 {
		w.bare = w.id()
		w.objects.add(rec("Material", w.bare, unassignedName+"\x00\x01Material", "").add(rec("Version", int32(102)),
			rec("ShadingModel", "phong"), rec("MultiLayer", int32(0)), rec("Properties70").add(
				prop70("DiffuseColor", "Color", "", "A", 0.8, 0.8, 0.8), prop70(own+"unassigned", "double", "Number", "A+U", 1.0))))
		w.counts[countMaterial]++
	}
	return w.bare
}

const unassignedName = "no material"

// own is the prefix of the properties the classic shading model has no place for.
const own = "Yarvek|"

// materials writes the classic model that every reader knows, with the physically
// based values as properties beside it.
func (w *writer) materials() {
	for k, m := range w.s.Materials {
		id := w.id()
		w.material = append(w.material, id)
		num := func(name string, v float64) *record { return prop70(name, "Number", "", "A", v) }
		rgb := func(name string, c []float64) *record { return prop70(name, "Color", "", "A", c[0], c[1], c[2]) }
		user := func(name string, v float64) *record { return prop70(own+name, "double", "Number", "A+U", v) }
		two := 0.0
		if m.TwoSided {
			two = 1
		}
		p := rec("Properties70").add(
			rgb("DiffuseColor", shown(m.BaseColor[:3])), num("DiffuseFactor", 1),
			rgb("EmissiveColor", shown(m.Emissive[:])), num("EmissiveFactor", m.Glow),
			rgb("TransparentColor", []float64{1, 1, 1}), num("TransparencyFactor", 1-m.Opacity()), num("Opacity", m.Opacity()),
			num("ShininessExponent", exponent(m.Roughness)), num("Shininess", exponent(m.Roughness)),
			rgb("SpecularColor", []float64{0.2, 0.2, 0.2}),
			num("SpecularFactor", 1-m.Roughness),
			prop70(own+"base_color", "ColorRGB", "Color", "A+U", m.BaseColor[0], m.BaseColor[1], m.BaseColor[2]),
			user("metallic", m.Metallic), user("roughness", m.Roughness), user("normal_scale", m.NormalScale),
			user("occlusion_strength", m.Occlusion),
			user("alpha_cutoff", m.AlphaCutoff), user("two_sided", two), user("glow", m.Glow),
			prop70(own+"alpha_mode", "KString", "", "A+U", string(m.AlphaMode)))
		if m.Unlit {
			p.add(user("unlit", 1))
		}
		for u, mp := range m.Maps {
			if mp.Has() && mp.Channel != scene.Whole {
				p.add(user(useWords[u]+"_channel", float64(mp.Channel)))
			}
			if mp.Has() && mp.UVSet > 0 {
				p.add(user(useWords[u]+"_uv_set", float64(mp.UVSet)))
			}
		}
		w.objects.add(rec("Material", id, m.Name+"\x00\x01Material", "").add(rec("Version", int32(102)),
			rec("ShadingModel", "phong"),
			rec("MultiLayer", int32(0)), p))
		w.counts[countMaterial]++
		for u, mp := range m.Maps {
			w.mapping(id, k, scene.Use(u), mp)
		}
	}
}

// shown is a colour as a screen shows it, which is how FBX has colours.
func shown[F float32 | float64](c []F) []float64 {
	out := make([]float64, len(c))
	for i, v := range c {
		out[i] = scene.Shown(float64(v))
	}
	return out
}

// exponent is the shininess from 0 to 100 that readers take for a roughness: they see
// 1 − √(s/100) in it.
func exponent(rough float64) float64 { return 100 * (1 - rough) * (1 - rough) }

// useWords name the uses in user properties.
var useWords = [scene.Uses]string{"base_color", "metallic", "roughness", "normal", "occlusion", "emissive", "opacity",
	"height", "specular"}

// classic are the properties of the classic model a texture can be joined to.
var classic = map[scene.Use]string{scene.UseBaseColor: "DiffuseColor", scene.UseNormal: "NormalMap",
	scene.UseEmissive: "EmissiveColor",
	scene.UseOpacity:  "TransparentColor", scene.UseHeight: "Bump"}

// setName is what the first mesh that uses material k calls its UV set of a number;
// "default", as the format has it, when there is none.
func (w *writer) setName(k, set int) string {
	if w.meshOf == nil {
		w.meshOf = map[int]*scene.Mesh{}
		for _, m := range w.s.Meshes {
			for _, s := range m.Slots {
				if w.meshOf[s] == nil {
					w.meshOf[s] = m
				}
			}
		}
	}
	if m := w.meshOf[k]; m != nil && set < len(m.UVs) {
		return m.UVs[set].Name
	}
	return "default"
}

// mapping links a texture to the property of material k that a use of it has; material is
// its number in the file.
func (w *writer) mapping(material int64, k int, use scene.Use, mp scene.Map) {
	m := w.s.Materials[k]
	if !mp.Has() {
		return
	}
	t := w.s.Textures[mp.Texture-1]
	if w.videos[t.Image] == 0 {
		return
	}
	prop, ok := classic[use]
	if !ok {
		prop = own + useWords[use] + "_map"
		w.out.Say(pack.Textures, fmt.Sprintf("the %s texture of “%s” is kept as a custom property", use, m.Name),
			"the classic shading model has no place for it; a receiver may need to be told")
	}
	wrap := func(v scene.Wrap) int32 {
		if v == scene.Clamp {
			return 1
		}
		return 0
	}
	id := w.id()
	file := w.files[t.Image]
	name := t.Name
	if name == "" {
		name = file
	}
	o, grow, ok := mp.Place.Below()
	if !ok {
		w.out.SayOf(pack.Textures, pack.Placing.By(use), m.Name, fmt.Sprintf("the turn of the %s texture of “%s”", use,
			m.Name),
			"only its scale and place are written")
	}
	w.objects.add(rec("Texture", id, name+"\x00\x01Texture", "").add(rec("Type", "TextureVideoClip"),
		rec("Version", int32(202)),
		rec("TextureName", name+"\x00\x01Texture"),
		rec("Properties70").add(prop70("WrapModeU", "enum", "", "", wrap(t.WrapU)),
			prop70("WrapModeV", "enum", "", "", wrap(t.WrapV)),
			prop70("UseMaterial", "bool", "", "", int32(1)), prop70("UVSet", "KString", "", "", w.setName(k, mp.UVSet)),
			prop70("Translation", "Vector", "", "A", o[0], o[1], 0.0), prop70("Scaling", "Vector", "", "A", grow[0], grow[1],
				1.0)),
		rec("Media", file+"\x00\x01Video"), rec("FileName", file), rec("RelativeFilename", file),
		rec("ModelUVTranslation", o[0], o[1]), rec("ModelUVScaling", grow[0], grow[1]), rec("Texture_Alpha_Source", "None"),
		rec("Cropping", int32(0), int32(0), int32(0), int32(0))))
	w.counts[countTexture]++
	w.link(id, material, prop)
	w.link(w.videos[t.Image], id, "")
}
