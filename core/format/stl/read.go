// Package stl reads and writes STL, binary and text: loose triangles, as printers take them.
//
// The format is described in "StereoLithography Interface Specification", 3D Systems, 1988. It has no unit and no axes:
// both are assumed (metres, +Z up, -Y forward, right-handed) and said to be. Triangles share no points in a file;
// points of the same bits are one here, and nothing else is joined. The normal of a facet is not kept: it follows from
// the corners, and where the two disagree that is said. The two bytes behind a facet hold its colour in two ways that
// are in common use; see [colours].
package stl

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/text"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Of a binary file.
const (
	headerSize = 84 // bytes before the facets: a line of text, and how many there are
	facetSize  = 50 // bytes of each: a normal, three corners, two bytes
)

// ZUp is the frame that is assumed: printers stand what they make on the plane of X and Y.
var ZUp = geom.Basis{Up: geom.PosZ, Forward: geom.NegY}

// MostFacets bounds those of a file, as the corners of a mesh are numbered by 32 bits.
const MostFacets = math.MaxInt32 / 3

// Is tells an STL by its content: a binary one by its size, whatever its header says, a text by its first words.
func Is(data []byte) bool { return isBinary(data) || isText(data) }

// isBinary tells a file whose size is that of the facets it counts.
func isBinary(data []byte) bool {
	if len(data) < headerSize {
		return false
	}
	n := int64(binary.LittleEndian.Uint32(data[80:]))
	return n > 0 && int64(len(data)) == headerSize+n*facetSize
}

// isText tells a file that begins with a solid and a facet, or with one that ends.
func isText(data []byte) bool {
	head := bytes.ToLower(text.SkipSpace(data[:min(len(data), 1024)]))
	first, rest := text.Word(head)
	return string(first) == "solid" && (bytes.Contains(rest, []byte("facet")) || bytes.Contains(rest, []byte("endsolid")))
}

// Read reads the STL file name of the set. What is odd about it is a finding; a *fault.Error tells the byte or line of
// what can't be read. progress may be nil.
func Read(ctx context.Context, set *bundle.Bundle, name string, progress func(done, total int64)) (*scene.Scene,
	[]finding.Finding, error) {
	data, err := set.Open(name)
	if err != nil {
		return nil, nil, err
	}
	if progress == nil {
		progress = func(_, _ int64) {}
	}
	r := &reader{ctx: ctx, file: name, progress: progress, s: &scene.Scene{
		Name: strings.TrimSuffix(path.Base(name), path.Ext(name)), Format: "stl",
		Basis: ZUp, BasisHow: scene.Assumed, UnitMetres: 1, UnitHow: scene.Assumed}}
	switch {
	case isBinary(data):
		err = r.binary(data)
	case isText(data):
		err = r.text(data)
	case r.longer(data):
		err = r.binary(data)
	default:
		err = r.cut(data)
	}
	if err != nil {
		return nil, nil, err
	}
	return r.s, r.found, nil
}

// reader makes a scene of facets.
type reader struct {
	ctx      context.Context
	file     string
	progress func(done, total int64)
	s        *scene.Scene
	found    []finding.Finding
	against  int // facets whose normal points the other way than their corners turn
	judged   int // facets that say a normal
}

// longer tells a binary file that goes on behind its last facet, and says so.
func (r *reader) longer(data []byte) bool {
	if len(data) < headerSize {
		return false
	}
	n := int64(binary.LittleEndian.Uint32(data[80:]))
	more := int64(len(data)) - headerSize - n*facetSize
	if n == 0 || more <= 0 {
		return false
	}
	r.found = append(r.found, finding.Finding{Code: "source/stl-longer", Severity: finding.Note,
		Title: "The file goes on behind its last facet", Text: figure.Bytes(more) + " there were passed over.",
		Place: finding.Place{File: r.file}})
	return true
}

// cut says of a file that is neither what it probably was.
func (r *reader) cut(data []byte) error {
	if len(data) < headerSize {
		return fault.AtByte(r.file, int64(len(data)), "ends after %s, and a binary STL has %d bytes before its first facet",
			figure.Plural(len(data), "byte", "bytes"), headerSize).Advise("Export the mesh again")
	}
	n := binary.LittleEndian.Uint32(data[80:])
	if n == 0 {
		return fault.AtByte(r.file, 80, "holds no facets").Advise("Check that the export was not empty")
	}
	there := (len(data) - headerSize) / facetSize
	return fault.AtByte(r.file, int64(len(data)), "counts %s facets and has room for %s: expected %s",
		figure.Count(int(n)), figure.Count(there), figure.Bytes(headerSize+facetSize*int64(n))).
		Advise("The upload may be cut short, or the file is no STL; export the mesh again")
}

// binary reads facets of fixed size.
func (r *reader) binary(data []byte) error {
	n := int(binary.LittleEndian.Uint32(data[80:]))
	if n > MostFacets {
		return fault.AtByte(r.file, 80, "counts %s facets: expected at most %s", figure.Count(n),
			figure.Count(MostFacets)).Beyond().Advise("Export it in parts")
	}
	m := newJoiner(r.s.Name, n)
	paint := colours(data)
	at := func(o int) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(data[o:])) }
	for i := range n {
		if i%(1<<16) == 0 {
			if r.ctx.Err() != nil {
				return r.ctx.Err()
			}
			r.progress(int64(headerSize+i*facetSize), int64(len(data)))
		}
		o := headerSize + i*facetSize
		var v [12]float32
		for k := range v {
			if v[k] = at(o + 4*k); k > 2 && !finite(v[k]) {
				return fault.AtByte(r.file, int64(o+4*k), "the corner of facet %s is no number", figure.Count(i+1)).
					Advise("Export the mesh again")
			}
		}
		m.facet([3]float32(v[3:6]), [3]float32(v[6:9]), [3]float32(v[9:12]))
		r.judge(m, [3]float32(v[:3]))
		if paint != nil {
			m.paint(paint(binary.LittleEndian.Uint16(data[o+48:])))
		}
	}
	if name := headerName(data[:80]); name != "" {
		m.mesh.Name = name
	}
	r.take(m)
	r.disagree()
	return nil
}

// judge counts a facet's normal against how its corners turn.
func (r *reader) judge(m *joiner, n [3]float32) {
	if n == [3]float32{} || !finite(n[0]) || !finite(n[1]) || !finite(n[2]) {
		return
	}
	c := m.mesh.Corners[len(m.mesh.Corners)-3:]
	a, b, d := m.mesh.Points[c[0]], m.mesh.Points[c[1]], m.mesh.Points[c[2]]
	turn := b.Sub(a).Cross(d.Sub(a))
	r.judged++
	if turn.Dot(geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])}) < 0 {
		r.against++
	}
}

// disagree says that normals and corners tell two stories.
func (r *reader) disagree() {
	if r.against == 0 || 100*r.against < r.judged {
		return
	}
	r.found = append(r.found, finding.Finding{Code: "source/stl-normals", Severity: finding.Look,
		Title: fmt.Sprintf("%s of %s point the other way than their corners turn", figure.Count(r.against),
			figure.Plural(r.judged, "facet normal", "facet normals")),
		Text:  "The order of the corners was gone by, as the format asks. If it looks inside out, turn its faces at Surface.",
		Place: finding.Place{File: r.file}})
}

// take adds a mesh with its node.
func (r *reader) take(m *joiner) {
	r.s.Nodes = append(r.s.Nodes, scene.Node{Name: m.mesh.Name, Kind: scene.KindMesh, Parent: -1, Mesh: len(r.s.Meshes),
		Local: geom.Identity})
	r.s.Meshes = append(r.s.Meshes, m.done())
}

func finite(v float32) bool { return v-v == 0 }

// headerName is what the header of a binary file calls the solid, "" where it tells of the program that wrote it, or of
// nothing.
func headerName(head []byte) string {
	if i := bytes.IndexByte(head, 0); i >= 0 {
		head = head[:i]
	}
	first, rest := text.Word(head)
	if strings.ToLower(string(first)) != "solid" {
		return ""
	}
	return strings.ToValidUTF8(string(text.TrimRight(text.SkipSpace(rest))), "�")
}

// joiner makes a mesh of loose triangles; points of the same bits are one, and 0 and -0 are the same.
type joiner struct {
	mesh    *scene.Mesh
	numbers map[[3]float32]int32
	colours map[[4]float32]int32
	any     bool // a facet has a colour
}

// newJoiner makes one for about n facets; a closed mesh has half as many points.
func newJoiner(name string, n int) *joiner {
	return &joiner{mesh: &scene.Mesh{Name: name, FaceStart: append(make([]int32, 0, n+1), 0),
		Corners: make([]int32, 0, 3*n)}, numbers: make(map[[3]float32]int32, n/2+3)}
}

// facet adds a triangle.
func (j *joiner) facet(a, b, c [3]float32) {
	for _, p := range [3][3]float32{a, b, c} {
		for k := range p {
			p[k] += 0 // -0 is 0
		}
		n, ok := j.numbers[p]
		if !ok {
			n = int32(len(j.mesh.Points))
			j.numbers[p] = n
			j.mesh.Points = append(j.mesh.Points, geom.Vec3{float64(p[0]), float64(p[1]), float64(p[2])})
		}
		j.mesh.Corners = append(j.mesh.Corners, n)
	}
	j.mesh.FaceStart = append(j.mesh.FaceStart, int32(len(j.mesh.Corners)))
}

// paint gives the last triangle a colour; ok is whether it has one, and without it is white.
func (j *joiner) paint(c [4]float32, ok bool) {
	if !ok {
		c = [4]float32{1, 1, 1, 1}
	}
	j.any = j.any || ok
	if j.colours == nil {
		j.colours = map[[4]float32]int32{}
	}
	n, known := j.colours[c]
	if !known {
		n = int32(len(j.mesh.Colors.Values))
		j.colours[c] = n
		j.mesh.Colors.Values = append(j.mesh.Colors.Values, c)
	}
	j.mesh.Colors.Index = append(j.mesh.Colors.Index, n, n, n)
}

// done is the mesh; without a single coloured facet it has no colours.
func (j *joiner) done() *scene.Mesh {
	if !j.any {
		j.mesh.Colors = scene.Layer[[4]float32]{}
	}
	j.mesh.Slots = []int{-1}
	return j.mesh
}
