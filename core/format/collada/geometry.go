package collada

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// table is what a source holds: rows of numbers.
type table struct {
	rows   [][4]float64
	width  int
	offset int // of its rows in the layer they went into, -1 before that
}

// source is the table an address leads to, nil for none. What is behind an accessor is read once.
func (r *reader) source(url string) *table {
	if t, ok := r.tables[url]; ok {
		return t
	}
	var t *table
	if e := r.doc.find(url); e != nil && e.name == "source" {
		t = r.tableOf(e)
	}
	r.tables[url] = t
	return t
}

// tableOf reads a source by its accessor: which numbers of the array make a row. Parameters without a name are passed
// over, as the format says.
func (r *reader) tableOf(e *element) *table {
	acc := e.first("technique_common", "accessor")
	array := r.doc.find(acc.get("source"))
	if array == nil {
		array = e.first("float_array")
	}
	if array == nil || array.name != "float_array" {
		return nil
	}
	values := array.floats()
	var at []int
	params := acc.all("param")
	for i, p := range params {
		if p.get("name") != "" || len(params) <= 4 && !slices.ContainsFunc(params, func(p *element) bool {
			return p.get("name") != ""
		}) {
			at = append(at, i)
		}
	}
	stride := int(whole(acc.get("stride"), max(1, float64(len(params)))))
	offset := int(whole(acc.get("offset"), 0))
	if len(at) == 0 {
		for i := range min(stride, 4) {
			at = append(at, i)
		}
	}
	at = at[:min(len(at), 4)]
	t := &table{width: len(at), offset: -1}
	count := (len(values) - offset) / stride
	if n := int(whole(acc.get("count"), float64(count))); n < count {
		count = n
	}
	for i := range max(0, count) {
		var row [4]float64
		for k, p := range at {
			row[k] = values[offset+i*stride+p]
		}
		t.rows = append(t.rows, row)
	}
	return t
}

// whole is a number that is not negative, or what it is without one.
func whole(s string, without float64) float64 {
	var v float64
	if _, err := fmt.Sscan(s, &v); err != nil || !(v >= 0 && v < 1<<31) {
		return without
	}
	return math.Trunc(v)
}

// input is a stream of a primitive: which number of each corner points into which table.
type input struct {
	semantic string
	offset   int
	set      int
	url      string
}

// inputsOf are the streams of a primitive. Those that the vertices have, but for the points themselves, count for
// corners by the number of their point.
func (r *reader) inputsOf(e *element) (list []input, points string, stride int) {
	for _, in := range e.all("input") {
		i := input{in.get("semantic"), int(whole(in.get("offset"), 0)), int(whole(in.get("set"), 0)), in.get("source")}
		stride = max(stride, i.offset+1)
		if i.semantic != "VERTEX" {
			list = append(list, i)
			continue
		}
		for _, v := range r.doc.find(i.url).all("input") {
			if v.get("semantic") == "POSITION" {
				points = v.get("source")
				list = append(list, input{"VERTEX", i.offset, 0, points})
			} else {
				list = append(list, input{v.get("semantic"), i.offset, int(whole(v.get("set"), 0)), v.get("source")})
			}
		}
	}
	return list, points, stride
}

// shape is a geometry in the making: a mesh whose slots are symbols, to which each instance binds materials.
type shape struct {
	mesh    *scene.Mesh
	symbols []string // of each slot
	sets    []int    // numbers of the UV sets, by which materials name them

	normals, colours layer
	uvs              map[int]*layer
}

// layer is corners with the rows of tables.
type layer struct {
	index []int32
	rows  [][4]float64
	begin map[string]int32 // where the rows of a source begin
}

// of is where the rows of a source begin, which are added the first time.
func (l *layer) of(url string, t *table) int32 {
	if l.begin == nil {
		l.begin = map[string]int32{}
	}
	at, ok := l.begin[url]
	if !ok {
		at = int32(len(l.rows))
		l.begin[url] = at
		for _, row := range t.rows {
			if t.width < 4 {
				row[3] = 1 // opacity, of a colour
			}
			l.rows = append(l.rows, row)
		}
	}
	return at
}

// to makes the index so long; corners between have no value.
func (l *layer) to(n int) {
	for len(l.index) < n {
		l.index = append(l.index, -1)
	}
}

// shapeOf is a geometry's mesh, nil for one that has no faces; it is made once.
func (r *reader) shapeOf(e *element) *shape {
	if s, ok := r.shapes[e]; ok {
		return s
	}
	r.shapes[e] = nil // where reading it leads back to it
	mesh := e.first("mesh")
	if mesh == nil {
		for _, k := range e.kids {
			if k.name == "convex_mesh" || k.name == "spline" || k.name == "brep" {
				r.s.LeaveOut(strings.ReplaceAll(k.name, "_", " "), nameOf(e), "only polygons go on")
			}
		}
		return nil
	}
	s := &shape{mesh: &scene.Mesh{Name: nameOf(e), FaceStart: []int32{0}}, uvs: map[int]*layer{}}
	for _, p := range mesh.kids {
		switch p.name {
		case "triangles", "polylist", "polygons", "tristrips", "trifans":
			r.primitive(s, e, p)
		case "lines", "linestrips":
			r.s.LeaveOut("line", nameOf(e), "only faces go on")
		}
	}
	s.finish()
	r.shapes[e] = s
	return s
}

// primitive adds the polygons of one.
func (r *reader) primitive(s *shape, geometry, e *element) {
	inputs, points, stride := r.inputsOf(e)
	t := r.source(points)
	if t == nil || stride == 0 {
		r.note(finding.MustFix, "source/bad-part", fmt.Sprintf("%s of “%s” have no points and were left out", e.name,
			nameOf(geometry)), "Everything else came in.", e)
		return
	}
	w := &weaver{reader: r, shape: s, inputs: inputs, stride: stride, points: t, symbol: e.get("material")}
	if s.mesh.Points == nil {
		for _, row := range t.rows {
			s.mesh.Points = append(s.mesh.Points, geom.Vec3{row[0], row[1], row[2]}.Mul(r.s.UnitMetres))
		}
		t.offset = 0
	} else if t.offset < 0 {
		t.offset = len(s.mesh.Points)
		for _, row := range t.rows {
			s.mesh.Points = append(s.mesh.Points, geom.Vec3{row[0], row[1], row[2]}.Mul(r.s.UnitMetres))
		}
	}
	w.slot = s.slotOf(w.symbol)
	switch e.name {
	case "triangles":
		p := e.first("p").ints()
		for n := 3 * stride; len(p) >= n; p = p[n:] {
			w.polygon(p[:n])
		}
		w.odd += min(1, len(p))
	case "polylist":
		p := e.first("p").ints()
		for _, n := range e.first("vcount").ints() {
			k := int(n) * stride
			if n < 0 || k > len(p) {
				w.odd++
				break
			}
			w.polygon(p[:k])
			p = p[k:]
		}
	case "polygons":
		for _, k := range e.all("p", "ph") {
			if k.name == "p" {
				w.polygon(k.ints())
				continue
			}
			ring := k.first("p").ints()
			var holes [][]int32
			for _, h := range k.all("h") {
				holes = append(holes, h.ints())
			}
			w.hollow(ring, holes)
		}
	case "tristrips", "trifans":
		for _, k := range e.all("p") {
			w.run(k.ints(), e.name == "trifans")
		}
	}
	w.say(geometry, e)
}

// slotOf is the slot of a symbol, which is added the first time.
func (s *shape) slotOf(symbol string) int32 {
	i := slices.Index(s.symbols, symbol)
	if i < 0 {
		i = len(s.symbols)
		s.symbols = append(s.symbols, symbol)
	}
	return int32(i)
}

// weaver makes polygons of the numbers of a primitive.
type weaver struct {
	*reader
	shape  *shape
	inputs []input
	stride int
	points *table
	symbol string
	slot   int32

	outside, thin, odd int
}

// polygon adds one of its corners' numbers, or counts why not.
func (w *weaver) polygon(p []int32) {
	n := len(p) / w.stride
	if n*w.stride != len(p) {
		w.odd++
		return
	}
	if n < 3 {
		w.thin++
		return
	}
	for _, in := range w.inputs {
		if in.semantic != "VERTEX" {
			continue
		}
		for k := range n {
			if i := p[k*w.stride+in.offset]; i < 0 || int(i) >= len(w.points.rows) {
				w.outside++
				return
			}
		}
	}
	m, before := w.shape.mesh, len(w.shape.mesh.Corners)
	for _, in := range w.inputs {
		if in.semantic == "VERTEX" {
			for k := range n {
				m.Corners = append(m.Corners, p[k*w.stride+in.offset]+int32(w.points.offset))
			}
			continue
		}
		l := w.shape.layerOf(in)
		t := w.source(in.url)
		if l == nil || t == nil || len(l.index) > before {
			continue // what is not known, or a second one of the same
		}
		begin := l.of(in.url, t)
		l.to(before)
		for k := range n {
			i := p[k*w.stride+in.offset]
			if i < 0 || int(i) >= len(t.rows) {
				i = -1 - begin
			}
			l.index = append(l.index, begin+i)
		}
	}
	m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	m.Slot = append(m.Slot, w.slot)
}

// layerOf is where a stream goes, nil for one that has no place.
func (s *shape) layerOf(in input) *layer {
	switch in.semantic {
	case "NORMAL":
		return &s.normals
	case "COLOR":
		return &s.colours
	case "TEXCOORD", "UV":
		if s.uvs[in.set] == nil {
			s.uvs[in.set] = &layer{}
		}
		return s.uvs[in.set]
	}
	return nil
}

// run adds the triangles of a strip, of which every other one turns the other way, or of a fan.
func (w *weaver) run(p []int32, fan bool) {
	corner := func(i int) []int32 { return p[i*w.stride : (i+1)*w.stride] }
	for i := 2; (i+1)*w.stride <= len(p); i++ {
		a, b := corner(i-2), corner(i-1)
		switch {
		case fan:
			a = corner(0)
		case i%2 == 1:
			a, b = b, a
		}
		w.polygon(slices.Concat(a, b, corner(i)))
	}
}

// say tells what of a primitive was left out.
func (w *weaver) say(geometry, e *element) {
	if n := w.outside + w.odd; n > 0 {
		w.note(finding.MustFix, "source/bad-part", fmt.Sprintf("%s of “%s” can’t be read and were left out",
			figure.Plural(n, "face", "faces"), nameOf(geometry)),
			"Their corners point at nothing that is there, or are not whole. Everything else came in.", e)
		w.found[len(w.found)-1].Brief = "faces left out"
	}
	if w.thin > 0 {
		w.s.Left = append(w.s.Left, scene.Left{What: "face of fewer than three corners", Count: w.thin,
			Why: "it has no area"})
	}
}

// finish makes the layers those of a mesh.
func (s *shape) finish() {
	m, n := s.mesh, len(s.mesh.Corners)
	if s.normals.to(n); s.normals.rows != nil {
		m.Normals.Index = s.normals.index
		for _, v := range s.normals.rows {
			m.Normals.Values = append(m.Normals.Values, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
		}
	}
	if s.colours.to(n); s.colours.rows != nil {
		m.Colors.Index = s.colours.index
		for _, v := range s.colours.rows {
			c := [4]float32{3: float32(v[3])}
			for k := range 3 {
				c[k] = float32(scene.Linear(v[k]))
			}
			m.Colors.Values = append(m.Colors.Values, c)
		}
	}
	for set := range s.uvs {
		s.sets = append(s.sets, set)
	}
	slices.SortFunc(s.sets, cmp.Compare)
	for i, set := range s.sets {
		l := s.uvs[set]
		l.to(n)
		u := scene.UVSet{Name: fmt.Sprintf("UV %d", i+1)}
		u.Index = l.index
		for _, v := range l.rows {
			u.Values = append(u.Values, [2]float64{v[0], v[1]})
		}
		m.UVs = append(m.UVs, u)
	}
}
