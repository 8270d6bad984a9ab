package obj

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// Write writes the scene as OBJ, MTL and pictures, in the basis and unit asked
// for. The format has no transforms and no instances: every node is written as an
// object where it stands. What it can't hold is listed in the package's Changes. The
// error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	frame := geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres))
	w := &writer{ctx: ctx, s: s.Flattened().Carried(frame), opt: opt}
	w.changes(s)
	w.pictures()
	obj := w.objects()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	name := bundle.Safe(opt.Name)
	w.out.Files = append(w.out.Files, bundle.File{Name: name + ".obj", Data: obj})
	if len(w.s.Materials) > 0 {
		w.out.Files = append(w.out.Files, bundle.File{Name: name + ".mtl", Data: w.library()})
	}
	w.out.Files = append(w.out.Files, w.images...)
	return &w.out, nil
}

// writer makes OBJ and MTL of a scene.
type writer struct {
	ctx     context.Context
	s       *scene.Scene
	opt     pack.Options
	out     pack.Package
	images  []bundle.File
	path    []string // of each image, "" when there is none to refer to
	slot    []string // the name each material is written with
	object  []string // and each node
	anySlot bool     // a face has a material
	bare    bool     // faces have had to be given plainName
	leaves  map[int]bool
}

// changes lists what OBJ can't say.
func (w *writer) changes(s *scene.Scene) {
	say := w.out.Say
	w.anySlot = slices.ContainsFunc(s.UsedMaterials(), func(k int) bool { return k >= 0 })
	uses := map[int]int{}
	hidden := s.Unseen()
	for i, n := range s.Nodes {
		if hidden[i] && n.Mesh >= 0 {
			w.out.SayOf(pack.Nodes, pack.Hidden, n.Name, fmt.Sprintf("that “%s” is hidden", n.Name), "OBJ has no word for it")
		}
		if n.Mesh >= 0 {
			uses[n.Mesh]++
			if n.Parent >= 0 {
				say(pack.Nodes, "the tree of nodes", "OBJ has objects side by side only")
			}
			if !n.Local.IsIdentity() {
				say(pack.Nodes, "node transforms",
					"OBJ has none; every point is written where it stands, so each object's own origin "+
						"is the scene's")
			}
		} else {
			w.out.SayOf(pack.Nodes, pack.Empty, n.Name, fmt.Sprintf("node “%s”", n.Name), "OBJ has no empty nodes")
		}
	}
	for _, m := range slices.Sorted(maps.Keys(uses)) {
		if n := uses[m]; n > 1 {
			say(pack.Nodes, fmt.Sprintf("%d instances of “%s”", n, s.Meshes[m].Name), "OBJ has none; each is written in full")
		}
	}
	for _, m := range s.Meshes {
		if len(m.UVs) > 1 {
			w.out.SayOf(pack.UVSets, pack.Sets, m.Name, fmt.Sprintf("UV sets beyond the first of “%s”", m.Name), "OBJ holds one")
		}
		if fades(m) {
			w.out.SayOf(pack.Colors, pack.CornerFade, m.Name, fmt.Sprintf("the opacity of the corner colours of “%s”", m.Name),
				"OBJ has colours of three parts")
		}
		if m.Tangents.Has() {
			say(pack.Tangents, "tangents", "OBJ has none; a receiver makes them from normals and UVs")
		}
	}
	for _, m := range s.Materials {
		if m.TwoSided {
			w.out.SayOf(pack.Materials, pack.Sides, m.Name, fmt.Sprintf("two-sidedness of “%s”", m.Name),
				"MTL has no word for it")
		}
		if m.Unlit {
			w.out.SayOf(pack.Materials, pack.Lighting, m.Name, fmt.Sprintf("that “%s” is shown without lighting", m.Name),
				"MTL has no word for it")
		}
		if m.Glow != 1 && m.Emissive != [3]float64{} {
			w.out.SayOf(pack.Materials, pack.Glow, m.Name, fmt.Sprintf("the strength of the glow of “%s”", m.Name),
				"MTL holds a colour of at most 1")
		}
		if m.AlphaMode == scene.Mask {
			w.out.SayOf(pack.Materials, pack.CutOut, m.Name, fmt.Sprintf("the opacity cut-off of “%s”", m.Name),
				"MTL has opacity only")
		}
		if m.Maps[scene.UseOcclusion].Has() {
			w.out.SayOf(pack.Textures, pack.Texture.By(scene.UseOcclusion), m.Name,
				fmt.Sprintf("the occlusion texture of “%s”", m.Name),
				"MTL has no word for it")
		}
		for _, x := range []struct {
			use scene.Use
			by  float64
			of  pack.Property
		}{{scene.UseMetallic, m.Metallic, pack.Metallic}, {scene.UseRoughness, m.Roughness, pack.Roughness}} {
			if m.Maps[x.use].Has() && x.by != 1 {
				w.out.SayOf(pack.Textures, x.of, m.Name, fmt.Sprintf("the factor over the %s texture of “%s”", x.of, m.Name),
					"MTL takes the texture or the number, not both")
			}
		}
		for u, mp := range m.Maps {
			if mp.Has() && mp.UVSet > 0 {
				w.out.SayOf(pack.Textures, pack.Placing.By(scene.Use(u)), m.Name,
					fmt.Sprintf("the UV set of the %s texture of “%s”", scene.Use(u), m.Name), "OBJ holds one")
			}
		}
	}
}

// pictures gives every picture a file name of its own beside the mesh.
func (w *writer) pictures() {
	var names pack.Names
	names.Take(w.opt.Name, ".obj")
	names.Take(w.opt.Name, ".mtl")
	w.path, w.images = w.out.Beside(w.s.Images, &names)
	var slots unique
	slots.take(plainName) // ours
	for _, m := range w.s.Materials {
		n := slots.take(m.Name)
		if n != m.Name {
			w.out.SayOf(pack.Materials, pack.Name, m.Name, fmt.Sprintf("the name of material “%s” became “%s”", m.Name, n),
				nameRule)
		}
		w.slot = append(w.slot, n)
	}
	var objects unique
	for _, d := range w.s.Nodes {
		n := objects.take(d.Name)
		if n != d.Name {
			w.out.SayOf(pack.Nodes, pack.Name, d.Name, fmt.Sprintf("the name of “%s” became “%s”", d.Name, n), nameRule)
		}
		w.object = append(w.object, n)
	}
}

// nameRule is why a name is written otherwise. What it was stands in a comment before it,
// by which our own reader has it back.
const nameRule = "readers of OBJ cut names at blanks and join what has the same name"

// calledMark begins a comment that tells what the object or material of the next
// statement is called; noneMark is one before a material that stands for none.
const (
	calledMark = "# called: "
	noneMark   = "# stands for none"
)

// unique hands out names without blanks that differ from one another.
type unique struct {
	taken map[string]bool
	next  map[string]int
}

// take makes one of a name.
func (u *unique) take(name string) string {
	if u.taken == nil {
		u.taken, u.next = map[string]bool{}, map[string]int{}
	}
	base := strings.Join(strings.Fields(oneLine(name)), "_")
	n := base
	for u.taken[n] {
		u.next[base]++
		n = fmt.Sprintf("%s_%d", base, u.next[base]+1)
	}
	u.taken[n] = true
	return n
}

// called is the comment that tells a name that is written otherwise, "" for one that is
// not or that no line can hold.
func called(name, written string) string {
	if name == written || name != oneLine(name) {
		return ""
	}
	return calledMark + name + "\n"
}

// plainName is the material of faces that have none, where one must be said.
const plainName = "no-material"

// oneLine makes a name that can stand at the end of a statement.
func oneLine(name string) string {
	n := strings.Join(strings.FieldsFunc(name, func(r rune) bool { return r < ' ' || r == 0x7f }), " ")
	n = strings.TrimSpace(strings.TrimRight(n, `\`))
	if n == "" || n[0] == '#' {
		n = "unnamed" + n
	}
	return n
}

// appendNumber writes ten significant digits: finer than a 32-bit receiver can
// tell, and free of the noise of unit conversion.
func appendNumber(b []byte, v float64) []byte {
	if v == 0 {
		v = 0 // no minus zero
	}
	return strconv.AppendFloat(append(b, ' '), v, 'g', 10, 64)
}

// objects is the OBJ file.
func (w *writer) objects() []byte {
	size := 256
	for _, m := range w.s.Meshes {
		size += 40*len(m.Points) + 30*len(m.Normals.Values) + 24*len(m.Corners)
	}
	b := make([]byte, 0, size)
	b = fmt.Appendf(b, "# One unit is %g m. %s.\n", w.opt.UnitMetres, w.opt.Basis)
	if len(w.s.Materials) > 0 {
		b = fmt.Appendf(b, "mtllib %s.mtl\n", bundle.Safe(w.opt.Name))
	}
	v, vt, vn := 1, 1, 1
	for i, n := range w.s.Nodes {
		m := w.colored(w.s.Meshes[n.Mesh])
		b = fmt.Appendf(b, "%so %s\n", called(n.Name, w.object[i]), w.object[i])
		b = w.points(b, m)
		var uv scene.UVSet
		if len(m.UVs) > 0 {
			uv = m.UVs[0]
		}
		for _, t := range uv.Values {
			b = append(appendNumber(appendNumber(append(b, "vt"...), t[0]), t[1]), '\n')
		}
		normals := m.Normals
		if !normals.Has() {
			normals = scene.Layer[[3]float32]{}
		}
		for _, t := range normals.Values {
			b = append(b, "vn"...)
			for _, c := range t {
				if c == 0 {
					c = 0
				}
				b = strconv.AppendFloat(append(b, ' '), float64(c), 'g', -1, 32)
			}
			b = append(b, '\n')
		}
		b = w.faces(b, m, uv, v, vt, vn)
		v, vt, vn = v+len(m.Points), vt+len(uv.Values), vn+len(normals.Values)
	}
	return b
}

// points writes the points, with their colours when the mesh has a colour for
// every corner of a point.
func (w *writer) points(b []byte, m *scene.Mesh) []byte {
	var colors [][4]float32
	if m.Colors.Has() {
		colors = make([][4]float32, len(m.Points))
		for i := range colors {
			colors[i] = [4]float32{1, 1, 1, 1}
		}
		for c, i := range m.Colors.Index {
			if i >= 0 {
				colors[m.Corners[c]] = m.Colors.Values[i]
			}
		}
	}
	for i, p := range m.Points {
		if i&0xfff == 0 && w.ctx.Err() != nil {
			return b
		}
		b = append(b, 'v')
		for _, c := range p {
			b = appendNumber(b, c)
		}
		if colors != nil {
			for _, c := range colors[i][:3] {
				b = strconv.AppendFloat(append(b, ' '), scene.Shown(float64(c)), 'g', 10, 64)
			}
		}
		b = append(b, '\n')
	}
	return b
}

// faces appends the faces of a mesh, whose first point, UV and normal have the numbers
// v, vt and vn, which count from 1.
func (w *writer) faces(b []byte, m *scene.Mesh, uv scene.UVSet, v, vt, vn int) []byte {
	material, smooth := -2, int64(-1)
	for f := range m.Faces() {
		if f&0xfff == 0 && w.ctx.Err() != nil {
			return b
		}
		if k := m.Material(f); k != material {
			material = k
			if k >= 0 {
				b = append(append(append(b, "usemtl "...), w.slot[k]...), '\n')
			} else if w.anySlot {
				// Once a material is in use no statement takes it back, and readers give the one that comes first to
				// the faces of its object before it, too.
				b, w.bare = append(b, "usemtl "+plainName+"\n"...), true
				w.out.Say(pack.Materials, "faces without a material got the material “"+plainName+"”",
					"readers give them a material that comes before or behind them")
			}
		}
		if m.Smooth != nil && int64(m.Smooth[f]) != smooth {
			smooth = int64(m.Smooth[f])
			b = append(strconv.AppendInt(append(b, "s "...), smooth, 10), '\n')
		}
		b = append(b, 'f')
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			b = strconv.AppendInt(append(b, ' '), int64(v)+int64(m.Corners[c]), 10)
			t, n := int32(-1), int32(-1)
			if uv.Has() {
				t = uv.Index[c]
			}
			if m.Normals.Has() {
				n = m.Normals.Index[c]
			}
			if t >= 0 || n >= 0 {
				b = append(b, '/')
			}
			if t >= 0 {
				b = strconv.AppendInt(b, int64(vt)+int64(t), 10)
			}
			if n >= 0 {
				b = strconv.AppendInt(append(b, '/'), int64(vn)+int64(n), 10)
			}
		}
		b = append(b, '\n')
	}
	return b
}

// mapWords are the statements of the textures MTL can hold.
var mapWords = [scene.Uses]string{
	scene.UseBaseColor: "map_Kd", scene.UseMetallic: "map_Pm", scene.UseRoughness: "map_Pr",
	scene.UseNormal: "norm", scene.UseEmissive: "map_Ke", scene.UseOpacity: "map_d",
	scene.UseHeight: "map_Bump",
}

// fades tells whether a corner colour lets something through.
func fades(m *scene.Mesh) bool {
	return m.Colors.Has() && slices.ContainsFunc(m.Colors.Index, func(i int32) bool {
		return i >= 0 &&
			m.Colors.Values[i][3] != 1
	})
}

// library is the MTL file.
func (w *writer) library() []byte {
	w.leaves = w.leaving()
	var b bytes.Buffer
	for i, m := range w.s.Materials {
		fmt.Fprintf(&b, "%snewmtl %s\n", called(m.Name, w.slot[i]), w.slot[i])
		fmt.Fprintf(&b, "Kd %g %g %g\n", scene.Shown(m.BaseColor[0]), scene.Shown(m.BaseColor[1]),
			scene.Shown(m.BaseColor[2]))
		fmt.Fprintf(&b, "d %g\n", m.Opacity())
		fmt.Fprintf(&b, "Ke %g %g %g\n", scene.Shown(m.Emissive[0]), scene.Shown(m.Emissive[1]), scene.Shown(m.Emissive[2]))
		fmt.Fprintf(&b, "Pm %g\nPr %g\n", m.Metallic, m.Roughness)
		// For readers that know no roughness: a highlight of its width, and that there is one.
		fmt.Fprintf(&b, "Ns %.6g\nillum 2\n", shininess(m.Roughness))
		for u, word := range mapWords {
			w.mapping(&b, i, scene.Use(u), word)
		}
		b.WriteByte('\n')
	}
	if w.bare {
		fmt.Fprintf(&b, "%s\nnewmtl %s\nKd 0.8 0.8 0.8\nillum 1\n", noneMark, plainName)
	}
	return b.Bytes()
}

// shininess is the exponent of Blinn and Phong with the highlight of a roughness, from 0
// to 1000 as MTL has it.
func shininess(rough float64) float64 {
	r := max(rough, 0.01)
	return min(1000, max(0, 2/(r*r*r*r)-2))
}

// colored is a mesh whose points have one colour each: a point whose corners differ in
// colour becomes one for each. OBJ has colours at points only.
func (w *writer) colored(m *scene.Mesh) *scene.Mesh {
	if !m.Colors.Has() {
		return m
	}
	type at struct {
		point int32
		color [4]float32
	}
	out := *m
	out.Points, out.Corners = slices.Clone(m.Points), slices.Clone(m.Corners)
	first, others := map[int32][4]float32{}, map[at]int32{}
	for c, p := range m.Corners {
		if c&0xfff == 0 && w.ctx.Err() != nil {
			return m // nobody waits for it
		}
		color := [4]float32{1, 1, 1, 1}
		if i := m.Colors.Index[c]; i >= 0 {
			color = m.Colors.Values[i]
		}
		color[3] = 1 // which OBJ does not have
		if was, seen := first[p]; !seen {
			first[p] = color
			continue
		} else if was == color {
			continue
		}
		k, seen := others[at{p, color}]
		if !seen {
			k = int32(len(out.Points))
			others[at{p, color}] = k
			out.Points = append(out.Points, m.Points[p])
		}
		out.Corners[c] = k
	}
	if n := len(out.Points) - len(m.Points); n > 0 {
		w.out.Say(pack.Colors, fmt.Sprintf("%d points of “%s” were written once for each of their colours", n, m.Name),
			"OBJ has colours at points only")
	}
	return &out
}

// leaving are the materials whose meshes have UVs beyond the picture: only then it matters
// what lies there, and simple readers take an option for the picture's name.
func (w *writer) leaving() map[int]bool {
	list := map[int]bool{}
	for _, m := range w.s.Meshes {
		if len(m.UVs) > 0 && slices.ContainsFunc(m.UVs[0].Values, func(t [2]float64) bool {
			return min(t[0], t[1]) < 0 || max(t[0], t[1]) > 1
		}) {
			for _, k := range m.Slots {
				list[k] = true
			}
		}
	}
	return list
}

// mapping writes one use of a texture of material k under its word.
func (w *writer) mapping(b *bytes.Buffer, k int, use scene.Use, word string) {
	m := w.s.Materials[k]
	mp := m.Maps[use]
	if word == "" || !mp.Has() {
		return
	}
	t := w.s.Textures[mp.Texture-1]
	if w.path[t.Image] == "" {
		return
	}
	b.WriteString(word)
	if t.WrapU == scene.Clamp && t.WrapV == scene.Clamp && (mp.Place != nil || w.leaves[k]) {
		b.WriteString(" -clamp on")
	}
	if use == scene.UseNormal && m.NormalScale != 1 {
		fmt.Fprintf(b, " -bm %g", m.NormalScale)
	}
	if o, s, ok := mp.Place.Below(); ok {
		if s != [2]float64{1, 1} {
			fmt.Fprintf(b, " -s %g %g 1", s[0], s[1])
		}
		if o != [2]float64{} {
			fmt.Fprintf(b, " -o %g %g 0", o[0], o[1])
		}
	} else {
		w.out.SayOf(pack.Textures, pack.Placing.By(use), m.Name, fmt.Sprintf("the turn of the %s texture of “%s”", use,
			m.Name),
			"MTL scales and moves a texture and can't turn it")
	}
	if mp.Channel != scene.Whole && !picture.GreyAs(w.s.Images[t.Image].Data, mp.Channel) {
		fmt.Fprintf(b, " -imfchan %c", " rgbm"[mp.Channel])
	}
	fmt.Fprintf(b, " %s\n", w.path[t.Image])
}
