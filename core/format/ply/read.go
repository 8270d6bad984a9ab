// Package ply reads PLY, the Stanford polygon format: ascii and both binary codings, elements and properties in any
// order and of any type.
//
// The format is described in "The PLY Polygon File Format", Greg Turk, 1994, with the names of types that later
// programs write. It has no unit and no axes: both are assumed (metres, +Y up, +Z forward, right-handed) and said to
// be. Its names of properties are a habit and no standard; those that are known stand in [vertexNames] and below.
package ply

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"yarvek/core/cloud"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pictures"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Is tells a PLY by its first word.
func Is(data []byte) bool {
	return bytes.HasPrefix(data, []byte("ply\n")) || bytes.HasPrefix(data, []byte("ply\r"))
}

// References are the pictures that a file names in its comments.
func References(_ context.Context, name string, data []byte) []string {
	h, err := parse(name, data)
	if err != nil {
		return nil
	}
	return h.pictures
}

// Read reads the PLY file name of the set, with the pictures its comments name. What had to be left is a finding; a
// *fault.Error tells the byte or line of what can't be read. progress may be nil.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	h, err := parse(name, data)
	if err != nil {
		return nil, nil, err
	}
	if progress == nil {
		progress = func(_, _ int64) {}
	}
	stem := strings.TrimSuffix(path.Base(name), path.Ext(name))
	r := &reader{body: newBody(ctx, name, h, data, progress), s: &scene.Scene{Name: stem, Format: "ply",
		FormatVersion: [...]string{"ascii", "binary, little-endian", "binary, big-endian"}[h.coding],
		Basis:         geom.GLTF, BasisHow: scene.Assumed, UnitMetres: 1, UnitHow: scene.Assumed},
		mesh: &scene.Mesh{Name: stem, FaceStart: []int32{0}}, points: -1}
	for _, e := range h.elements {
		if err := r.element(e); err != nil {
			return nil, nil, err
		}
	}
	if r.points < 0 {
		return nil, nil, fault.AtLine(name, h.lines, "has no element “vertex” with x, y and z").
			Advise("Check that the export was not empty")
	}
	if r.cloud != nil {
		r.finishDots()
		r.unknown()
		return r.s, r.found, nil
	}
	r.finish()
	r.materials(set)
	return r.s, r.found, nil
}

// reader makes a scene of a file's elements.
type reader struct {
	*body
	s     *scene.Scene
	mesh  *scene.Mesh
	found []finding.Finding

	cloud   *cloud.Cloud // the points of a file without faces
	points  int          // how many there are, -1 before they came
	spoilt  int          // points that are no numbers
	normals bool
	colours bool
	uvs     bool
	wedges  bool // corners have UVs of their own
	faceRGB bool // faces have colours, which win over those of points

	outside, thin int     // faces on points that are not there, and of fewer than three corners
	numbers       []int32 // picture of each face, -1 for none; nil while none says one
	lines         int
	rest          []string // properties of points that are not known
}

// element reads one by its name.
func (r *reader) element(e *element) error {
	switch {
	case e.name == "vertex" && r.points < 0 && e.find("x") >= 0 && e.find("y") >= 0 && e.find("z") >= 0:
		if r.header.faceless() {
			return r.dots(e)
		}
		return r.vertices(e)
	case e.name == "face" && e.find("vertex_indices", "vertex_index") >= 0:
		return r.faces(e)
	case e.name == "tristrips" && e.find("vertex_indices", "vertex_index") >= 0:
		return r.strips(e)
	case e.name == "edge":
		r.lines += e.rows
	default:
		r.s.LeaveOut("table of the file", e.name, fmt.Sprintf("what its %s mean is not known",
			figure.Plural(e.rows, "row", "rows")))
	}
	return r.each(e, func(int, *row) error { return nil })
}

// share makes a part of a colour of a number: whole ones are shares of their largest.
func share(v float64, of number) float64 { return min(1, max(0, v/of.most())) }

// vertexNames are the properties of points that are known, by what they are, with the names that are in use.
var vertexNames = map[string][]string{
	"nx": {"nx", "normal_x"}, "ny": {"ny", "normal_y"}, "nz": {"nz", "normal_z"},
	"red": {"red", "r", "diffuse_red"}, "green": {"green", "g", "diffuse_green"}, "blue": {"blue", "b", "diffuse_blue"},
	"alpha": {"alpha", "a", "diffuse_alpha"},
	"u":     {"u", "s", "texture_u", "s0"}, "v": {"v", "t", "texture_v", "t0"},
}

// vertices reads the points.
func (r *reader) vertices(e *element) error {
	if err := r.room(e); err != nil {
		return err
	}
	known := map[int]bool{}
	find := func(names ...string) int {
		i := e.find(names...)
		if i >= 0 && e.props[i].list {
			return -1
		}
		known[i] = true
		return i
	}
	x, y, z := find("x"), find("y"), find("z")
	if x < 0 || y < 0 || z < 0 {
		return fault.AtLine(r.file, e.line, "x, y and z of a point are numbers: found a list").Advise("Export it again")
	}
	of := func(key string) int { return find(vertexNames[key]...) }
	n := [3]int{of("nx"), of("ny"), of("nz")}
	c := [4]int{of("red"), of("green"), of("blue"), of("alpha")}
	uv := [2]int{of("u"), of("v")}
	for i, p := range e.props {
		if !known[i] {
			r.rest = append(r.rest, p.name)
		}
	}
	r.points = e.rows
	r.normals = n[0] >= 0 && n[1] >= 0 && n[2] >= 0
	r.colours = c[0] >= 0 && c[1] >= 0 && c[2] >= 0 && !r.faceRGB // what corners have of their own wins
	r.uvs = uv[0] >= 0 && uv[1] >= 0 && !r.wedges
	m := r.mesh
	m.Points = make([]geom.Vec3, 0, e.rows)
	if r.uvs {
		m.UVs = []scene.UVSet{{Name: uvName}}
	}
	return r.each(e, func(_ int, row *row) error {
		p := geom.Vec3{row.value[x], row.value[y], row.value[z]}
		if !p.IsFinite() {
			p = geom.Vec3{math.NaN(), 0, 0}
			r.spoilt++
		}
		m.Points = append(m.Points, p)
		if r.normals {
			m.Normals.Values = append(m.Normals.Values, [3]float32{float32(row.value[n[0]]), float32(row.value[n[1]]),
				float32(row.value[n[2]])})
		}
		if r.colours {
			m.Colors.Values = append(m.Colors.Values, colour(e, row, c))
		}
		if r.uvs {
			m.UVs[0].Values = append(m.UVs[0].Values, [2]float64{row.value[uv[0]], row.value[uv[1]]})
		}
		return nil
	})
}

const uvName = "UV 1"

// colour is that of a row; c are the properties of its channels, the last one -1 without opacity.
func colour(e *element, row *row, c [4]int) [4]float32 {
	out := [4]float32{0, 0, 0, 1}
	for k, i := range c {
		switch {
		case i < 0:
		case k == 3:
			out[k] = float32(share(row.value[i], e.props[i].of))
		default:
			out[k] = float32(scene.Linear(share(row.value[i], e.props[i].of)))
		}
	}
	return out
}

// faces reads the polygons.
func (r *reader) faces(e *element) error {
	at := e.find("vertex_indices", "vertex_index")
	if !e.props[at].list {
		return fault.AtLine(r.file, e.line, "the corners of faces are a list: found one number").Advise("Export it again")
	}
	if err := r.room(e); err != nil {
		return err
	}
	wedge, picture := e.find("texcoord"), e.find("texnumber", "material_index")
	if wedge >= 0 && !e.props[wedge].list {
		wedge = -1
	}
	if picture >= 0 && e.props[picture].list {
		picture = -1
	}
	c := [4]int{e.find("red"), e.find("green"), e.find("blue"), e.find("alpha")}
	painted := c[0] >= 0 && c[1] >= 0 && c[2] >= 0
	for _, i := range c {
		painted = painted && (i < 0 || !e.props[i].list)
	}
	r.wedges = r.wedges || wedge >= 0
	r.faceRGB = r.faceRGB || painted
	p := painter{r: r}
	return r.each(e, func(_ int, row *row) error {
		corners := row.list[at]
		if !r.polygon(corners) {
			return nil
		}
		if wedge >= 0 {
			p.wedge(row.list[wedge], len(corners))
		}
		if painted {
			p.paint(colour(e, row, c), len(corners))
		}
		if picture >= 0 {
			r.pictured(row.value[picture])
		}
		return nil
	})
}

// pictured notes which picture the last face has.
func (r *reader) pictured(v float64) {
	n := int32(-1)
	if v >= 0 && v < float64(len(r.header.pictures)) {
		n = int32(v)
	}
	for len(r.numbers) < r.mesh.Faces()-1 {
		r.numbers = append(r.numbers, -1)
	}
	r.numbers = append(r.numbers, n)
}

// polygon adds one, or counts why not. Points may still be to come, so that they are looked at in the end.
func (r *reader) polygon(corners []float64) bool {
	if len(corners) < 3 {
		r.thin++
		return false
	}
	for _, v := range corners {
		if !(v >= 0 && v < math.MaxInt32) || v != math.Trunc(v) || r.points >= 0 && v >= float64(r.points) {
			r.outside++
			return false
		}
	}
	for _, v := range corners {
		r.mesh.Corners = append(r.mesh.Corners, int32(v))
	}
	r.mesh.FaceStart = append(r.mesh.FaceStart, int32(len(r.mesh.Corners)))
	return true
}

// strips reads triangle strips: every other triangle turns the other way, and a negative number ends one.
func (r *reader) strips(e *element) error {
	at := e.find("vertex_indices", "vertex_index")
	if !e.props[at].list {
		return fault.AtLine(r.file, e.line, "the corners of strips are a list: found one number").Advise("Export it again")
	}
	return r.each(e, func(_ int, row *row) error {
		begin, list := 0, row.list[at]
		for i, v := range list {
			switch n := i - begin; {
			case v < 0:
				begin = i + 1
			case n >= 2:
				a, b := list[i-2], list[i-1]
				if n%2 == 1 {
					a, b = b, a
				}
				if a != b && b != v && a != v { // one without area joins two strips
					r.polygon([]float64{a, b, v})
				}
			}
		}
		return nil
	})
}

// painter gives corners UVs and colours of their own, each value once where neighbours share it.
type painter struct {
	r    *reader
	last map[[2]float64]int32
	cols map[[4]float32]int32
}

// wedge gives the corners of the last face their UVs, of which a list has two numbers each.
func (p *painter) wedge(list []float64, corners int) {
	l := &p.set().Layer
	fill(&l.Index, len(p.r.mesh.Corners)-corners)
	for k := range corners {
		n := int32(-1)
		if 2*k+1 < len(list) {
			uv := [2]float64{list[2*k], list[2*k+1]}
			if p.last == nil {
				p.last = map[[2]float64]int32{}
			}
			var ok bool
			if n, ok = p.last[uv]; !ok {
				n = int32(len(l.Values))
				l.Values = append(l.Values, uv)
				p.last[uv] = n
			}
		}
		l.Index = append(l.Index, n)
	}
}

// set is the UV set of the corners, which takes the place of that of points.
func (p *painter) set() *scene.UVSet {
	m := p.r.mesh
	if len(m.UVs) == 0 || p.r.uvs {
		m.UVs, p.r.uvs = []scene.UVSet{{Name: uvName}}, false
	}
	return &m.UVs[0]
}

// paint gives the corners of the last face its colour.
func (p *painter) paint(c [4]float32, corners int) {
	l := &p.r.mesh.Colors
	if p.cols == nil {
		p.cols = map[[4]float32]int32{}
		p.r.colours = false
		*l = scene.Layer[[4]float32]{}
	}
	fill(&l.Index, len(p.r.mesh.Corners)-corners)
	n, ok := p.cols[c]
	if !ok {
		n = int32(len(l.Values))
		l.Values = append(l.Values, c)
		p.cols[c] = n
	}
	for range corners {
		l.Index = append(l.Index, n)
	}
}

// fill makes an index as long as the corners before, which have no value.
func fill(index *[]int32, corners int) {
	for len(*index) < corners {
		*index = append(*index, -1)
	}
}

// finish joins what belongs to points with the corners, and says what is left out.
func (r *reader) finish() {
	m := r.mesh
	r.sound()
	if m.Faces() == 0 {
		m.Normals, m.Colors, m.UVs = scene.Layer[[3]float32]{}, scene.Layer[[4]float32]{}, nil
		r.left(r.points, "points without a face")
	}
	if r.normals && m.Faces() > 0 {
		m.Normals.Index = m.Corners
	}
	if r.colours && m.Faces() > 0 {
		m.Colors.Index = m.Corners
	}
	if r.uvs && m.Faces() > 0 {
		m.UVs[0].Index = m.Corners
	}
	if len(m.UVs) > 0 && !r.uvs {
		fill(&m.UVs[0].Index, len(m.Corners))
	}
	if r.faceRGB && m.Faces() > 0 {
		fill(&m.Colors.Index, len(m.Corners))
	}
	if r.lines > 0 {
		r.left(r.lines, "edge")
	}
	r.unknown()
	kind := scene.KindMesh
	if m.Faces() == 0 {
		kind = scene.KindGuide
	}
	r.s.Nodes = []scene.Node{{Name: m.Name, Kind: kind, Parent: -1, Mesh: 0, Local: geom.Identity}}
	r.s.Meshes = []*scene.Mesh{m}
}

// unknown names the properties of points that have no place.
func (r *reader) unknown() {
	if len(r.rest) > 0 {
		slices.Sort(r.rest)
		r.s.Left = append(r.s.Left, scene.Left{What: "property of points", Count: len(r.rest),
			Names: r.rest[:min(len(r.rest), scene.MaxLeftNames)], Why: "a mesh has no place for it"})
	}
}

func (r *reader) left(n int, what string) {
	r.s.Left = append(r.s.Left, scene.Left{What: what, Count: n, Why: "only faces go on"})
}

// sound takes out faces on points that are not there or are no numbers: one bad face is not a bad file.
func (r *reader) sound() {
	m := r.mesh
	bad := func(f int) bool {
		for _, c := range m.Corners[m.FaceStart[f]:m.FaceStart[f+1]] {
			if int(c) >= len(m.Points) || !m.Points[c].IsFinite() {
				return true
			}
		}
		return false
	}
	kept, at, corners := []int32{0}, 0, m.Corners[:0]
	spoilt := 0
	for f := range m.Faces() {
		from, to := int(m.FaceStart[f]), int(m.FaceStart[f+1])
		if bad(f) {
			spoilt++
			continue
		}
		corners = append(corners, m.Corners[from:to]...)
		if f < len(r.numbers) {
			r.numbers[f-spoilt] = r.numbers[f]
		}
		if r.wedges {
			copyIndex(m.UVs[0].Index, at, from, to)
		}
		if r.faceRGB {
			copyIndex(m.Colors.Index, at, from, to)
		}
		at += to - from
		kept = append(kept, int32(at))
	}
	r.numbers = r.numbers[:min(len(r.numbers), len(kept)-1)]
	m.FaceStart, m.Corners = kept, corners
	if r.wedges {
		m.UVs[0].Index = m.UVs[0].Index[:min(at, len(m.UVs[0].Index))]
	}
	if r.faceRGB {
		m.Colors.Index = m.Colors.Index[:min(at, len(m.Colors.Index))]
	}
	for i, p := range m.Points {
		if !p.IsFinite() {
			m.Points[i] = geom.Vec3{}
		}
	}
	if n := r.outside + spoilt; n > 0 {
		r.found = append(r.found, finding.Finding{Code: "source/bad-part", Severity: finding.MustFix,
			Title: figure.Plural(n, "face stands", "faces stand") + " on points that are not there, and were left out",
			Text:  "Everything else came in.", Brief: "faces left out", Place: finding.Place{File: r.file}})
	}
	if r.thin > 0 {
		r.left(r.thin, "face of fewer than three corners")
	}
}

// copyIndex moves a stretch of a list to the front, as far as there is one.
func copyIndex(index []int32, to, from, end int) {
	if end = min(end, len(index)); from < end {
		copy(index[to:], index[from:end])
	}
}

// materials makes one of each picture that comments name.
func (r *reader) materials(set *bundle.Bundle) {
	m := r.mesh
	m.Slots = []int{-1}
	names := r.header.pictures
	if len(names) == 0 || m.Faces() == 0 {
		return
	}
	find := pictures.New(set, r.file, r.s)
	note := func(sev finding.Severity, code, title, text string) {
		r.found = append(r.found, finding.Finding{Code: code, Severity: sev, Title: title, Text: text,
			Place: finding.Place{File: r.file}})
	}
	for i, name := range names {
		mat := scene.NewMaterial(strings.TrimSuffix(path.Base(strings.ReplaceAll(name, `\`, "/")), path.Ext(name)))
		mat.Metallic, mat.Roughness = 0, 1
		image := find.Image(name, "It is the picture of the faces", note)
		r.s.Textures = append(r.s.Textures, scene.Texture{Name: mat.Name, Image: image, WrapU: scene.Repeat,
			WrapV: scene.Repeat})
		mat.Maps[scene.UseBaseColor] = scene.Map{Texture: i + 1}
		r.s.Materials = append(r.s.Materials, mat)
	}
	m.Slots = m.Slots[:0]
	for i := range names {
		m.Slots = append(m.Slots, i)
	}
	if len(names) == 1 && r.numbers == nil {
		return // every face has slot 0
	}
	m.Slots = append(m.Slots, -1)
	m.Slot = make([]int32, m.Faces())
	for f := range m.Slot {
		m.Slot[f] = int32(len(names)) // none
		if f < len(r.numbers) && r.numbers[f] >= 0 {
			m.Slot[f] = r.numbers[f]
		} else if len(names) == 1 && f >= len(r.numbers) {
			m.Slot[f] = 0
		}
	}
}
