package collada

import (
	"bytes"
	"cmp"
	"context"
	"encoding/xml"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the scene as a document of COLLADA 1.4.1 with its pictures beside it, in the basis and unit asked for:
// one of [Ups]. Nodes have one matrix each, and names as they are, blanks and all, as other writers have them. What the
// format can't hold is listed in the package's Changes. The error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	frame := geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres))
	w := &writer{ctx: ctx, s: s.Carried(frame), opt: opt, grey: map[int]string{}}
	w.names.Take(opt.Name, ".dae")
	w.pictures()
	effects := w.effects() // which may make pictures
	w.head()
	w.images()
	w.buf.Write(effects)
	w.geometries()
	w.scene()
	w.buf.WriteString("</COLLADA>\n")
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	w.out.Files = append([]bundle.File{{Name: bundle.Safe(opt.Name) + ".dae", Data: w.buf.Bytes()}}, w.beside...)
	return &w.out, nil
}

// writer makes a document of a scene.
type writer struct {
	ctx    context.Context
	s      *scene.Scene
	opt    pack.Options
	out    pack.Package
	buf    bytes.Buffer
	names  pack.Names
	files  []string // of the pictures, in the order of their numbers in the document
	path   []int    // the number of each image there, -1 when there is none to refer to
	beside []bundle.File
	grey   map[int]string
}

// say writes lines; %s are texts of the asset, and escaped.
func (w *writer) say(format string, args ...any) { say(&w.buf, format, args...) }

func say(to *bytes.Buffer, format string, args ...any) {
	for i, a := range args {
		if s, ok := a.(string); ok {
			args[i] = escaped(s)
		}
	}
	fmt.Fprintf(to, format, args...)
}

// escaped is a text as it stands in a document. Letters that no document can have become a sign for that.
func escaped(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // a buffer takes all
	return b.String()
}

func (w *writer) head() {
	up := map[geom.Axis]string{geom.PosX: "X_UP", geom.PosY: "Y_UP", geom.PosZ: "Z_UP"}[w.opt.Basis.Up]
	up = cmp.Or(up, "Y_UP") // of an axis that can't be said a receiver must know
	w.say(`<?xml version="1.0" encoding="utf-8"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><created>2000-01-01T00:00:00Z</created><modified>2000-01-01T00:00:00Z</modified>
<unit name="%s" meter="%s"/><up_axis>%s</up_axis></asset>
`, unitName(w.opt.UnitMetres), strconv.FormatFloat(w.opt.UnitMetres, 'g', -1, 64), up)
}

// unitName is what a unit of a length is called, for those who read.
func unitName(metres float64) string {
	if n, ok := map[float64]string{1: "meter", 0.01: "centimeter", 0.001: "millimeter", 0.0254: "inch",
		0.3048: "foot"}[metres]; ok {
		return n
	}
	return "unit"
}

// pictures gives every picture a file name of its own.
func (w *writer) pictures() {
	w.path = make([]int, len(w.s.Images))
	for i, im := range w.s.Images {
		if w.path[i] = -1; !im.Found() {
			w.out.SayOf(pack.Pictures, pack.Content, im.Name, fmt.Sprintf("picture “%s”", im.Name),
				"its file was never uploaded")
			continue
		}
		w.path[i] = w.file(w.names.Picture(im), im.Data)
	}
}

// file adds one that lies beside the document, and gives its number.
func (w *writer) file(name string, data []byte) int {
	w.files = append(w.files, name)
	w.beside = append(w.beside, bundle.File{Name: name, Data: data})
	return len(w.files) - 1
}

func (w *writer) images() {
	if len(w.files) == 0 {
		return
	}
	w.say("<library_images>\n")
	for i, f := range w.files {
		w.say("<image id=\"image%d\" name=\"%s\"><init_from>%s</init_from></image>\n", i, f, url.PathEscape(f))
	}
	w.say("</library_images>\n")
}

// geometries writes each mesh once. Faces stand slot by slot.
func (w *writer) geometries() {
	w.say("<library_geometries>\n")
	for i, m := range w.s.Meshes {
		if w.ctx.Err() != nil {
			return
		}
		w.say("<geometry id=\"mesh%d\" name=\"%s\"><mesh>\n", i, m.Name)
		w.source(i, "points", "XYZ", len(m.Points), func(k int) []float64 { return m.Points[k][:] })
		if m.Normals.Has() {
			w.source(i, "normals", "XYZ", len(m.Normals.Values), func(k int) []float64 {
				n := m.Normals.Values[k]
				return []float64{float64(n[0]), float64(n[1]), float64(n[2])}
			})
		}
		for set, u := range m.UVs {
			w.source(i, fmt.Sprintf("uv%d", set), "ST", len(u.Values), func(k int) []float64 { return u.Values[k][:] })
			if u.Name != fmt.Sprintf("UV %d", set+1) {
				w.out.Say(pack.UVSets, "the names of UV sets", "COLLADA has numbers for them")
			}
		}
		if m.Colors.Has() {
			w.source(i, "colors", "RGBA", len(m.Colors.Values), func(k int) []float64 {
				c := m.Colors.Values[k]
				return []float64{scene.Shown(float64(c[0])), scene.Shown(float64(c[1])), scene.Shown(float64(c[2])), float64(c[3])}
			})
		}
		if m.Tangents.Has() {
			w.out.Say(pack.Tangents, "tangents", "they are not written; a receiver makes them from normals and UVs")
		}
		w.say("<vertices id=\"mesh%d-vertices\"><input semantic=\"POSITION\" source=\"#mesh%d-points\"/></vertices>\n", i, i)
		w.polygons(i, m)
		w.say("</mesh></geometry>\n")
	}
	w.say("</library_geometries>\n")
}

// source writes rows of numbers.
func (w *writer) source(mesh int, what, params string, n int, row func(int) []float64) {
	width := len(params)
	w.say("<source id=\"mesh%d-%s\"><float_array id=\"mesh%d-%s-array\" count=\"%d\">", mesh, what, mesh, what, n*width)
	var b []byte
	for i := range n {
		for k, v := range row(i) {
			if i+k > 0 {
				b = append(b, ' ')
			}
			if v == 0 {
				v = 0 // no minus zero
			}
			b = strconv.AppendFloat(b, v, 'g', 10, 64)
		}
		if len(b) > 1<<16 {
			w.buf.Write(b)
			b = b[:0]
		}
	}
	w.buf.Write(b)
	w.say("</float_array><technique_common><accessor source=\"#mesh%d-%s-array\" count=\"%d\" stride=\"%d\">",
		mesh, what, n, width)
	for _, p := range params {
		w.say(`<param name="%s" type="float"/>`, string(p))
	}
	w.say("</accessor></technique_common></source>\n")
}

// polygons writes the faces of each slot as a list of its own.
func (w *writer) polygons(mesh int, m *scene.Mesh) {
	layers := [][]int32{m.Corners}
	inputs := fmt.Sprintf("<input semantic=\"VERTEX\" source=\"#mesh%d-vertices\" offset=\"0\"/>", mesh)
	add := func(semantic, what, set string, index []int32) {
		inputs += fmt.Sprintf("<input semantic=\"%s\" source=\"#mesh%d-%s\" offset=\"%d\"%s/>", semantic, mesh, what,
			len(layers), set)
		layers = append(layers, index)
	}
	if m.Normals.Has() {
		add("NORMAL", "normals", "", m.Normals.Index)
	}
	for set, u := range m.UVs {
		add("TEXCOORD", fmt.Sprintf("uv%d", set), fmt.Sprintf(" set=\"%d\"", set), u.Index)
	}
	if m.Colors.Has() {
		add("COLOR", "colors", ` set="0"`, m.Colors.Index)
	}
	of := map[int][]int32{} // faces by slot
	for f := range m.Faces() {
		k := 0
		if m.Slot != nil {
			k = int(m.Slot[f])
		}
		of[k] = append(of[k], int32(f))
	}
	for _, k := range slices.Sorted(maps.Keys(of)) {
		symbol := ""
		if k < len(m.Slots) && m.Slots[k] >= 0 {
			symbol = fmt.Sprintf(" material=\"slot%d\"", k)
		}
		var counts, p []byte
		for _, f := range of[k] {
			counts = append(strconv.AppendInt(counts, int64(m.FaceStart[f+1]-m.FaceStart[f]), 10), ' ')
			for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
				for _, l := range layers {
					p = append(strconv.AppendInt(p, int64(l[c]), 10), ' ')
				}
			}
		}
		fmt.Fprintf(&w.buf, "<polylist count=\"%d\"%s>%s<vcount>%s</vcount><p>%s</p></polylist>\n", len(of[k]), symbol,
			inputs, bytes.TrimSpace(counts), bytes.TrimSpace(p))
	}
}

// scene writes the tree of nodes.
func (w *writer) scene() {
	w.say("<library_visual_scenes><visual_scene id=\"scene\" name=\"%s\">\n", w.opt.Name)
	kids := make([][]int, len(w.s.Nodes))
	var tops []int
	hidden := w.s.Unseen()
	for i, n := range w.s.Nodes {
		if n.Parent >= 0 {
			kids[n.Parent] = append(kids[n.Parent], i)
		} else {
			tops = append(tops, i)
		}
		if hidden[i] && n.Mesh >= 0 {
			w.out.SayOf(pack.Nodes, pack.Hidden, n.Name, fmt.Sprintf("that “%s” is hidden", n.Name),
				"COLLADA has no word for it")
		}
		if strings.ContainsFunc(n.Name, unwritable) {
			w.out.SayOf(pack.Nodes, pack.Name, n.Name, fmt.Sprintf("letters of the name “%s”", n.Name),
				"XML has no way to write them")
		}
	}
	var node func(i int)
	node = func(i int) {
		n := w.s.Nodes[i]
		m, t := n.Local.M, n.Local.T
		w.say("<node id=\"node%d\" name=\"%s\"><matrix>", i, n.Name)
		for k := range 3 {
			fmt.Fprintf(&w.buf, "%.17g %.17g %.17g %.17g ", m[k][0], m[k][1], m[k][2], t[k])
		}
		w.say("0 0 0 1</matrix>")
		if n.Mesh >= 0 {
			w.instance(n.Mesh)
		}
		for _, k := range kids[i] {
			node(k)
		}
		w.say("</node>\n")
	}
	for _, i := range tops {
		node(i)
	}
	w.say("</visual_scene></library_visual_scenes>\n<scene><instance_visual_scene url=\"#scene\"/></scene>\n")
}

// unwritable tells letters that no XML document can have (XML 1.0, section 2.2).
func unwritable(r rune) bool {
	return r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == 0xfffe || r == 0xffff
}

// instance places a mesh with its materials.
func (w *writer) instance(mesh int) {
	w.say("<instance_geometry url=\"#mesh%d\">", mesh)
	m := w.s.Meshes[mesh]
	var bound []int
	for k, mat := range m.Slots {
		if mat >= 0 {
			bound = append(bound, k)
		}
	}
	if len(bound) > 0 {
		w.say("<bind_material><technique_common>")
		for _, k := range bound {
			w.say("<instance_material symbol=\"slot%d\" target=\"#material%d\">", k, m.Slots[k])
			for set := range m.UVs {
				w.say("<bind_vertex_input semantic=\"UVSET%d\" input_semantic=\"TEXCOORD\" input_set=\"%d\"/>", set, set)
			}
			w.say("</instance_material>")
		}
		w.say("</technique_common></bind_material>")
	}
	w.say("</instance_geometry>")
}
