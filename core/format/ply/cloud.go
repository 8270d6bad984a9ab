package ply

import (
	"encoding/binary"
	"fmt"
	"math"
	"strconv"

	"yarvek/core/cloud"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// faceless tells a file of points alone.
func (h *header) faceless() bool {
	for _, e := range h.elements {
		if (e.name == "face" || e.name == "tristrips") && e.rows > 0 {
			return false
		}
	}
	return true
}

// single tells types whose values a 32-bit float holds exactly.
func (n number) single() bool { return n <= uint16s || n == float32s }

var typeNames = map[number]string{int8s: "char", uint8s: "uchar", int16s: "short", uint16s: "ushort", int32s: "int",
	uint32s: "uint", float32s: "float", float64s: "double"}

// dots reads points that no face uses, with all they carry. Those that are no numbers are left out.
func (r *reader) dots(e *element) error {
	if err := r.room(e); err != nil {
		return err
	}
	x, y, z := e.find("x"), e.find("y"), e.find("z")
	c := &cloud.Cloud{Name: r.mesh.Name, Type: typeNames[e.props[x].of], Points: make([]geom.Vec3, 0, e.rows)}
	var at []int
	for i, p := range e.props {
		switch {
		case i == x || i == y || i == z:
			if p.list {
				return fault.AtLine(r.file, e.line, "x, y and z of a point are numbers: found a list").Advise("Export it again")
			}
			continue
		case p.list:
			r.rest = append(r.rest, p.name)
			continue
		}
		f := cloud.Field{Name: p.name, Type: typeNames[p.of]}
		if p.of.single() {
			f.Single = make([]float32, 0, e.rows)
		} else {
			f.Double = make([]float64, 0, e.rows)
		}
		at, c.Fields = append(at, i), append(c.Fields, f)
	}
	r.points, r.cloud = e.rows, c
	return r.each(e, func(_ int, row *row) error {
		p := geom.Vec3{row.value[x], row.value[y], row.value[z]}
		if !p.IsFinite() {
			r.spoilt++
			return nil
		}
		c.Points = append(c.Points, p)
		for k, i := range at {
			if f := &c.Fields[k]; f.Single != nil {
				f.Single = append(f.Single, float32(row.value[i]))
			} else {
				f.Double = append(f.Double, row.value[i])
			}
		}
		return nil
	})
}

// finishDots makes the scene of a cloud.
func (r *reader) finishDots() {
	m := &scene.Mesh{Name: r.mesh.Name, FaceStart: []int32{0}, Cloud: r.cloud}
	if r.spoilt > 0 {
		r.found = append(r.found, finding.Finding{Code: "source/bad-part", Severity: finding.Look,
			Title: figure.Plural(r.spoilt, "point stands", "points stand") + " nowhere, and were left out",
			Text:  "Their places are no numbers. Everything else came in.", Place: finding.Place{File: r.file}})
	}
	r.found = append(r.found, finding.Finding{Code: "source/points", Severity: finding.Note,
		Title: figure.Plural(len(r.cloud.Points), "point", "points") + " without faces",
		Text: "They carry " + r.cloud.Carries() + ". It goes with them wherever they go. Surface and Slots have " +
			"nothing to do, and they leave as PLY.", Place: finding.Place{File: r.file}})
	r.s.Nodes = []scene.Node{{Name: m.Name, Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}
	r.s.Meshes = []*scene.Mesh{m}
}

// writeCloud writes points with all they carry, each by its own name and type.
func writeCloud(c *cloud.Cloud, opt pack.Options) []byte {
	of := func(name string) number {
		if n, ok := numbers[name]; ok {
			return n
		}
		return float32s
	}
	place := of(c.Type)
	types := []number{place, place, place}
	coding := "binary_little_endian"
	if opt.Text {
		coding = "ascii"
	}
	b := fmt.Appendf(nil, "ply\nformat %s 1.0\ncomment one unit is %g m; %s up\nelement vertex %d\n", coding,
		opt.UnitMetres, opt.Basis.Up, len(c.Points))
	for _, axis := range []string{"x", "y", "z"} {
		b = fmt.Appendf(b, "property %s %s\n", typeNames[place], axis)
	}
	size := 3 * place.size()
	for _, f := range c.Fields {
		n := of(f.Type)
		types, size = append(types, n), size+n.size()
		b = fmt.Appendf(b, "property %s %s\n", typeNames[n], f.Name)
	}
	b = append(b, "end_header\n"...)
	if !opt.Text {
		b = append(make([]byte, 0, len(b)+size*len(c.Points)), b...)
	}
	put := appendNumber
	if opt.Text {
		put = appendDigits
	}
	for i, p := range c.Points {
		for _, v := range p {
			b = put(b, place, v)
		}
		for k := range c.Fields {
			b = put(b, types[3+k], c.Fields[k].At(i))
		}
		if opt.Text {
			b[len(b)-1] = '\n'
		}
	}
	return b
}

// appendNumber writes one as it lies in a binary file; what is out of the bounds of a whole type is at them.
func appendNumber(b []byte, of number, v float64) []byte {
	le := binary.LittleEndian
	switch of {
	case float32s:
		return le.AppendUint32(b, math.Float32bits(float32(v)))
	case float64s:
		return le.AppendUint64(b, math.Float64bits(v))
	}
	w := whole(of, v)
	switch of.size() {
	case 1:
		return append(b, byte(w))
	case 2:
		return le.AppendUint16(b, uint16(w))
	}
	return le.AppendUint32(b, uint32(w))
}

func whole(of number, v float64) int64 {
	least := 0.0
	if of == int8s || of == int16s || of == int32s {
		least = -of.most() - 1
	}
	return int64(math.Round(min(of.most(), max(least, v))))
}

func appendDigits(b []byte, of number, v float64) []byte {
	switch {
	case of.whole():
		b = strconv.AppendInt(b, whole(of, v), 10)
	case of == float32s:
		b = strconv.AppendFloat(b, v, 'g', -1, 32)
	default:
		b = strconv.AppendFloat(b, v, 'g', -1, 64)
	}
	return append(b, ' ')
}
