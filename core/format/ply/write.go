package ply

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the scene as one surface in a binary PLY, or one of text (Options.Text), in the basis and unit asked
// for: points with the normals, first UV set and colours that its corners have, and polygons. A point whose corners
// differ is written once for each. Colours have eight bits, as screens show them. What the scene has besides is to be
// left out and named before (format.Less). The error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	frame := geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres))
	flat := s.Flattened().Carried(frame)
	m := flat.Meshes[0]
	if len(flat.Meshes) > 1 {
		m = scene.Joined(opt.Name, flat.Meshes)
	}
	if m.Cloud != nil {
		file := bundle.File{Name: bundle.Safe(opt.Name) + ".ply", Data: writeCloud(m.Cloud, opt)}
		return &pack.Package{Files: []bundle.File{file}}, nil
	}
	rows, corner := vertices(m)
	most := 0
	for f := range m.Faces() {
		most = max(most, int(m.FaceStart[f+1]-m.FaceStart[f]))
	}
	w := &writer{m: m, text: opt.Text, count: uint8s}
	if most > 255 {
		w.count = int32s
	}
	w.head(opt, len(rows))
	for i, r := range rows {
		if i&0xffff == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		w.vertex(r)
	}
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		w.face(corner[m.FaceStart[f]:m.FaceStart[f+1]])
	}
	return &pack.Package{Files: []bundle.File{{Name: bundle.Safe(opt.Name) + ".ply", Data: w.b}}}, nil
}

// vertex is a point with what its corners have, by their numbers in the layers; -1 for none.
type vertex struct{ point, normal, uv, color int32 }

// vertices gathers the rows that corners need, and the number of each corner's. Points that no face has come last.
func vertices(m *scene.Mesh) (rows []vertex, corner []int32) {
	at := make(map[vertex]int32, len(m.Points))
	corner = make([]int32, len(m.Corners))
	used := make([]bool, len(m.Points))
	pick := func(index []int32, c int) int32 {
		if index == nil {
			return -1
		}
		return index[c]
	}
	for c, p := range m.Corners {
		r := vertex{p, pick(m.Normals.Index, c), -1, pick(m.Colors.Index, c)}
		if len(m.UVs) > 0 {
			r.uv = pick(m.UVs[0].Index, c)
		}
		k, ok := at[r]
		if !ok {
			k = int32(len(rows))
			at[r], rows, used[p] = k, append(rows, r), true
		}
		corner[c] = k
	}
	for i, u := range used {
		if !u {
			rows = append(rows, vertex{int32(i), -1, -1, -1})
		}
	}
	return rows, corner
}

// writer makes a file of a mesh.
type writer struct {
	m     *scene.Mesh
	text  bool
	count number // the type of the counts of corners
	b     []byte
}

func (w *writer) head(opt pack.Options, n int) {
	coding := "binary_little_endian"
	if w.text {
		coding = "ascii"
	}
	w.b = fmt.Appendf(w.b, "ply\nformat %s 1.0\ncomment one unit is %g m; %s up\nelement vertex %d\n", coding,
		opt.UnitMetres, opt.Basis.Up, n)
	props := func(typ string, names ...string) {
		for _, n := range names {
			w.b = fmt.Appendf(w.b, "property %s %s\n", typ, n)
		}
	}
	props("float", "x", "y", "z")
	if w.m.Normals.Has() {
		props("float", "nx", "ny", "nz")
	}
	if len(w.m.UVs) > 0 {
		props("float", "s", "t")
	}
	if w.m.Colors.Has() {
		props("uchar", "red", "green", "blue", "alpha")
	}
	of := "uchar"
	if w.count != uint8s {
		of = "int"
	}
	w.b = fmt.Appendf(w.b, "element face %d\nproperty list %s int vertex_indices\nend_header\n", w.m.Faces(), of)
}

// vertex writes a row; what its corners don't have is nothing, or white.
func (w *writer) vertex(r vertex) {
	p := w.m.Points[r.point]
	w.floats(p[:]...)
	if w.m.Normals.Has() {
		var n [3]float32
		if r.normal >= 0 {
			n = w.m.Normals.Values[r.normal]
		}
		w.floats(float64(n[0]), float64(n[1]), float64(n[2]))
	}
	if len(w.m.UVs) > 0 {
		var t [2]float64
		if r.uv >= 0 {
			t = w.m.UVs[0].Values[r.uv]
		}
		w.floats(t[:]...)
	}
	if w.m.Colors.Has() {
		c := [4]float32{1, 1, 1, 1}
		if r.color >= 0 {
			c = w.m.Colors.Values[r.color]
		}
		for k, v := range c {
			x := float64(v)
			if k < 3 {
				x = scene.Shown(x)
			}
			w.whole(uint8s, int32(math.Round(255*min(1, max(0, x)))))
		}
	}
	w.end()
}

func (w *writer) face(corners []int32) {
	w.whole(w.count, int32(len(corners)))
	for _, c := range corners {
		w.whole(int32s, c)
	}
	w.end()
}

func (w *writer) floats(list ...float64) {
	for _, v := range list {
		if w.text {
			w.b = append(strconv.AppendFloat(w.b, v+0, 'g', 9, 64), ' ')
		} else {
			w.b = binary.LittleEndian.AppendUint32(w.b, math.Float32bits(float32(v)))
		}
	}
}

func (w *writer) whole(of number, v int32) {
	switch {
	case w.text:
		w.b = append(strconv.AppendInt(w.b, int64(v), 10), ' ')
	case of == uint8s:
		w.b = append(w.b, byte(v))
	default:
		w.b = binary.LittleEndian.AppendUint32(w.b, uint32(v))
	}
}

// end ends the line of a row.
func (w *writer) end() {
	if w.text {
		w.b[len(w.b)-1] = '\n'
	}
}
