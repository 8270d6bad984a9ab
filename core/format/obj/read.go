// Package obj reads and writes Wavefront OBJ and its material library MTL.
//
// The format is described in "Object Files (.obj)" and "MTL material format",
// Wavefront Advanced Visualizer, appendices B1 and B2. It has no unit and no
// axes: both are assumed (metres, +Y up, +Z forward, right-handed) and said to be.
// Vertex colours are the extra numbers on v that are in common use.
package obj

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/text"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Read reads the OBJ file name of the set, with the libraries and pictures it
// refers to. What is missing or had to be skipped is a finding; a *fault.Error
// tells the line of what can't be read. progress may be nil and is called from
// several goroutines.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	data, latin, err := plain(name, data)
	if err != nil {
		return nil, nil, err
	}
	r, err := parse(ctx, name, data, progress)
	if err != nil {
		return nil, nil, err
	}
	if n := r.skipped["unknown statement"]; len(r.points) == 0 && len(r.start) == 1 {
		e := fault.AtByte(name, -1, "holds no points and no faces")
		if n.count > 0 {
			e = fault.AtLine(name, n.line, "this is no OBJ statement, and no points or faces follow")
		}
		return nil, nil, e.Advise("Check that the file is a Wavefront OBJ and that the export was not empty")
	}
	a := &assembly{raw: r, set: set, s: &scene.Scene{
		Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Format: "obj",
		Basis: geom.GLTF, BasisHow: scene.Assumed, UnitMetres: 1, UnitHow: scene.Assumed,
	}}
	if latin > 0 {
		a.noteLatin(name, latin)
	}
	a.libraries()
	a.noteDamage()
	a.meshes()
	a.describeUnfound()
	a.leave()
	return a.s, a.findings, nil
}

// plain strips a byte order mark and makes UTF-8 of what is UTF-16 or Windows-1252; it
// counts the lines of the latter.
func plain(name string, data []byte) ([]byte, int, error) {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		return lined(data[3:])
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		order = binary.LittleEndian
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		order = binary.BigEndian
	case len(data) > 3 && data[1] == 0 && data[3] == 0 && data[0] != 0:
		order, data = binary.LittleEndian, append([]byte("\xff\xfe"), data...)
	case len(data) > 3 && data[0] == 0 && data[2] == 0 && data[1] != 0:
		order, data = binary.BigEndian, append([]byte("\xfe\xff"), data...)
	default:
		if i := bytes.IndexByte(data[:min(len(data), 4096)], 0); i >= 0 {
			return nil, 0, fault.AtByte(name, int64(i), "holds a zero byte, so this is no text file").
				Advise("Check that the file is a Wavefront OBJ; its name may have the wrong suffix")
		}
		return lined(data)
	}
	u := make([]uint16, (len(data)-2)/2)
	for i := range u {
		u[i] = order.Uint16(data[2+2*i:])
	}
	return lined([]byte(string(utf16.Decode(u))))
}

// lined ends lines as the reader expects, where a file has carriage returns alone, and
// reads lines that are no UTF-8 as Windows-1252, which Latin-1 is part of; it counts them.
func lined(data []byte) ([]byte, int, error) {
	if bytes.IndexByte(data, '\r') >= 0 && bytes.IndexByte(data, '\n') < 0 {
		data = bytes.ReplaceAll(data, []byte{'\r'}, []byte{'\n'})
	}
	if utf8.Valid(data) {
		return data, 0, nil
	}
	out, latin := make([]byte, 0, len(data)+len(data)/16), 0
	for line := range bytes.Lines(data) {
		if utf8.Valid(line) {
			out = append(out, line...)
			continue
		}
		latin++
		for _, b := range line {
			r := rune(b)
			if b >= 0x80 && b < 0xa0 {
				r = windows1252[b-0x80]
			}
			out = utf8.AppendRune(out, r)
		}
	}
	return out, latin, nil
}

// windows1252 are the letters that Windows-1252 has where Latin-1 has controls; what it
// leaves free stays a replacement sign (the Encoding Standard's index).
var windows1252 = [32]rune{'€', utf8.RuneError, '‚', 'ƒ', '„', '…', '†', '‡', 'ˆ', '‰', 'Š', '‹', 'Œ',
	utf8.RuneError, 'Ž', utf8.RuneError, utf8.RuneError, '‘', '’', '“', '”', '•', '–', '—', '˜', '™', 'š', '›', 'œ',
	utf8.RuneError, 'ž', 'Ÿ'}

// noteLatin says that names were read as Windows-1252.
func (a *assembly) noteLatin(file string, lines int) {
	a.findings = append(a.findings, finding.Finding{Code: "source/obj-letters", Severity: finding.Note,
		Title: fmt.Sprintf("%s read as Windows-1252", figure.Plural(lines, "line was", "lines were")),
		Text:  "The file is no UTF-8 there. If names look wrong, write it as UTF-8.", Place: finding.Place{File: file}})
}

// noteDamage says what can't be read: one bad line is not a bad file.
func (a *assembly) noteDamage() {
	d := a.damage
	if d.first == nil {
		return
	}
	var what []string
	for _, w := range []struct {
		n         int
		one, many string
	}{{len(d.faces), "face", "faces"}, {len(d.points), "point", "points"}, {len(d.uvs), "UV coordinate", "UV coordinates"},
		{len(d.normals), "normal", "normals"}} {
		if w.n > 0 {
			what = append(what, figure.Plural(w.n, w.one, w.many))
			a.s.Left = append(a.s.Left, scene.Left{What: w.one + " that can't be read", Count: w.n, Why: "the first: " +
				d.first.Plain()})
		}
	}
	a.note(finding.MustFix, "source/bad-part", strings.Join(what, ", ")+" can't be read and were left out",
		"The first: "+d.first.Plain()+". Faces on such points went with them; everything else came in.", d.first.Line)
	a.findings[len(a.findings)-1].Brief = "lines left out"
}

// assembly makes a scene of the raw arrays.
type assembly struct {
	*raw
	set       *bundle.Bundle
	s         *scene.Scene
	findings  []finding.Finding
	materials map[string]int

	unfound     []int    // findings of libraries that are not there
	undescribed []string // materials they may have described
}

// describeUnfound tells with the missing library which materials wait for it: one cause is
// one finding.
func (a *assembly) describeUnfound() {
	if len(a.unfound) == 0 || len(a.undescribed) == 0 {
		return
	}
	f := &a.findings[a.unfound[0]]
	names := a.undescribed[:min(len(a.undescribed), 5)]
	f.Text += " Faces use " + strings.Join(names, ", ")
	if more := len(a.undescribed) - len(names); more > 0 {
		f.Text += fmt.Sprintf(" and %s more", figure.Count(more))
	}
	f.Text += ", which no library that came describes."
}

// note adds a finding at a line of the file.
func (a *assembly) note(sev finding.Severity, code, title, text string, line int) {
	a.findings = append(a.findings, finding.Finding{Code: code, Severity: sev, Title: title, Text: text,
		Place: finding.Place{File: a.name, Line: line}})
}

// run is a stretch of faces with one node, one material and one smoothing group.
type run struct {
	from, to int
	node     int // index into names
	material int
	smooth   uint32
}

// object is a run of faces under one name.
type object struct {
	name   string
	points [][2]int // ranges of points declared in it
	wires  bool     // it has lines or points
}

// runs walks the events and cuts the faces into runs. Objects make nodes; in a
// file without any, groups do.
func (a *assembly) runs() (list []run, objects []object, smoothSaid bool) {
	hasObjects := slices.ContainsFunc(a.events, func(e event) bool { return e.kind == 'o' })
	byGroup := map[string]int{}
	objects = []object{{name: a.s.Name}}
	cur := run{material: -1}
	groups := map[string]bool{}
	lastPoint := 0
	flush := func(face, point int) {
		if face > cur.from {
			cur.to = face
			list = append(list, cur)
			cur.from = face
		}
		if point > lastPoint {
			o := &objects[cur.node]
			o.points = append(o.points, [2]int{lastPoint, point})
			lastPoint = point
		}
	}
	called := ""
	for _, e := range a.events {
		flush(e.face, e.point)
		switch e.kind {
		case 'c':
			called = e.text
		case 'o':
			objects = append(objects, object{name: cmp.Or(called, e.text, a.s.Name)})
			called = ""
			cur.node = len(objects) - 1
		case 'g':
			if hasObjects {
				if e.text != "" && e.text != "default" && e.text != objects[cur.node].name {
					groups[e.text] = true
				}
				continue
			}
			k, seen := byGroup[e.text]
			if !seen {
				k = len(objects)
				byGroup[e.text] = k
				objects = append(objects, object{name: cmp.Or(e.text, a.s.Name)})
			}
			cur.node = k
		case 'w':
			objects[cur.node].wires = true
		case 'u':
			cur.material = a.material(e)
		case 's':
			smoothSaid = true
			cur.smooth = 0
			if n, k := text.Int([]byte(e.text)); k > 0 && n > 0 {
				cur.smooth = uint32(n)
			}
		}
	}
	flush(len(a.start)-1, len(a.points))
	if !hasObjects {
		// In a file by groups the points usually stand together at the top and
		// belong to nobody.
		for i := range objects {
			objects[i].points = nil
		}
	}
	if len(groups) > 0 {
		a.note(finding.Note, "source/obj-groups", fmt.Sprintf("%d groups inside objects", len(groups)),
			"The objects became nodes; the groups inside them are not kept.", 0)
	}
	return list, objects, smoothSaid
}

// material finds the material of a usemtl, making a plain one for a name no library has.
func (a *assembly) material(e event) int {
	if e.text == "" {
		return -1
	}
	if i, ok := a.materials[e.text]; ok {
		return i
	}
	i := len(a.s.Materials)
	a.s.Materials = append(a.s.Materials, scene.NewMaterial(e.text))
	a.materials[e.text] = i
	switch {
	case len(a.unfound) > 0:
		a.undescribed = append(a.undescribed, fault.Shown(e.text))
	case a.hasLibrary():
		a.note(finding.Look, "source/material-missing", fmt.Sprintf("Material “%s” is in no library", e.text),
			"Faces use it, but no material library that was read describes it. It goes on as plain white.", e.line)
	}
	return i
}

// hasLibrary tells whether any material library was found.
func (a *assembly) hasLibrary() bool {
	return slices.ContainsFunc(a.events, func(e event) bool { return e.kind == 'm' })
}

// meshes makes the meshes of all objects.
func (a *assembly) meshes() {
	runs, objects, smooth := a.runs()
	byNode := make([][]run, len(objects))
	for _, r := range runs {
		byNode[r.node] = append(byNode[r.node], r)
	}
	nodes := 0
	for _, b := range byNode {
		if len(b) > 0 {
			nodes++
		}
	}
	b := &builder{assembly: a, smooth: smooth, whole: nodes == 1,
		points: newGather(len(a.points)), uvs: newGather(len(a.uvs)), normals: newGather(len(a.normals))}
	taken := 0
	for i, o := range objects {
		if len(byNode[i]) == 0 {
			if o.wires {
				a.s.Nodes = append(a.s.Nodes, scene.Node{Name: o.name, Kind: scene.KindGuide, Parent: -1, Mesh: -1,
					Local: geom.Identity})
			} else if i > 0 {
				a.s.LeaveOut("object without faces", o.name, "it makes no polygons")
			}
			continue
		}
		m := b.mesh(o, byNode[i])
		taken += len(m.Points)
		a.s.Nodes = append(a.s.Nodes, scene.Node{Name: o.name, Kind: scene.KindMesh, Parent: -1,
			Mesh: len(a.s.Meshes), Local: geom.Identity})
		a.s.Meshes = append(a.s.Meshes, m)
	}
	if nodes == 0 && len(a.points) > 0 {
		a.s.LeaveOut("loose point cloud", "", fmt.Sprintf("%d points and no face over them", len(a.points)))
	}
	if nodes > 1 && taken < len(a.points) {
		a.note(finding.Note, "source/obj-unused-points", fmt.Sprintf("%d points in no face", len(a.points)-taken),
			"They stand outside every object and do not go on.", 0)
	}
}

// leave reports what was skipped.
func (a *assembly) leave() {
	why := map[string]string{
		"line":                             "a static mesh is made of polygons",
		"point":                            "a static mesh is made of polygons",
		"free-form surface":                "it has to be turned into polygons in the modelling program",
		"free-form curve":                  "it has to be turned into polygons in the modelling program",
		"face of fewer than three corners": "it has no area",
		"unknown statement":                "it is not part of the format",
	}
	var keys []string
	for k := range a.skipped {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	for _, k := range keys {
		s := a.skipped[k]
		reason := cmp.Or(why[k], "it says nothing about a static mesh")
		a.s.Left = append(a.s.Left, scene.Left{What: k, Count: s.count,
			Why: fmt.Sprintf("%s (first on line %d)", reason, s.line)})
	}
}
