package gltf

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"path"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the scene as one GLB, with opt.Parts as a document with its buffer and pictures beside it, or with
// opt.Text alone as a document that holds its buffer, pictures within, as a data URI (glTF 2.0, section 3.6.1.1).
// Basis and unit are those the format fixes,
// whatever opt says. Polygons become triangles. The error is ctx's when it ended.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	was := s
	if was.Shears() {
		s = was.Flattened()
	}
	w := &writer{ctx: ctx, s: s.Carried(geom.Linear(s.Basis.To(geom.GLTF))), opt: opt}
	w.doc.Asset = asset{Version: "2.0", Generator: "Yarvek"}
	if err := w.materials(); err != nil {
		return nil, err
	}
	if w.meshes(); ctx.Err() != nil {
		return nil, ctx.Err()
	}
	w.nodes()
	if was.Shears() {
		w.out.SayFlattened(was, "glTF")
	}
	return w.finish()
}

// writer makes a document and its one buffer of a scene. Equal scenes give equal bytes.
type writer struct {
	ctx     context.Context
	s       *scene.Scene
	opt     pack.Options
	doc     document
	bin     bytes.Buffer
	out     pack.Package
	beside  []bundle.File
	names   pack.Names
	images  map[string]int // by content
	pixels  int            // of the pictures put together anew so far
	uses    map[textureKey]int
	carried map[int]string // of a picture, the extension that carries it
	meshAt  []int          // document mesh of each scene mesh, -1 for none
}

// view appends bytes on a four-byte boundary and returns their buffer view.
func (w *writer) view(data []byte, target int) int {
	for w.bin.Len()%4 != 0 {
		w.bin.WriteByte(0)
	}
	w.doc.BufferViews = append(w.doc.BufferViews, bufferView{Buffer: 0, ByteOffset: int64(w.bin.Len()),
		ByteLength: int64(len(data)), Target: target})
	w.bin.Write(data)
	return len(w.doc.BufferViews) - 1
}

const (
	targetVertices = 34962
	targetIndices  = 34963
)

// floats adds an accessor of 32-bit numbers and gives its number; bounds adds min and
// max, which positions must have.
func (w *writer) floats(kind string, data []float32, bounds bool) int {
	b := make([]byte, 4*len(data))
	for i, f := range data {
		binary.LittleEndian.PutUint32(b[4*i:], math.Float32bits(f))
	}
	n := int(components[kind])
	v := w.view(b, targetVertices)
	a := accessor{BufferView: &v, ComponentType: typeFloat32, Count: int64(len(data) / n), Type: kind}
	if bounds {
		a.Min, a.Max = make([]float64, n), make([]float64, n)
		for c := range n {
			a.Min[c], a.Max[c] = math.Inf(1), math.Inf(-1)
		}
		for i, f := range data {
			a.Min[i%n], a.Max[i%n] = min(a.Min[i%n], float64(f)), max(a.Max[i%n], float64(f))
		}
	}
	w.doc.Accessors = append(w.doc.Accessors, a)
	return len(w.doc.Accessors) - 1
}

// indices adds an accessor of indices, of 16 bits where that keeps clear of the restart
// value and of 32 otherwise.
func (w *writer) indices(idx []uint32, vertices int) int {
	kind, b := typeUint32, make([]byte, 0, 4*len(idx))
	if vertices <= 65535 {
		kind = typeUint16
		for _, i := range idx {
			b = binary.LittleEndian.AppendUint16(b, uint16(i))
		}
	} else {
		for _, i := range idx {
			b = binary.LittleEndian.AppendUint32(b, i)
		}
	}
	v := w.view(b, targetIndices)
	w.doc.Accessors = append(w.doc.Accessors, accessor{BufferView: &v, ComponentType: kind, Count: int64(len(idx)),
		Type: "SCALAR"})
	return len(w.doc.Accessors) - 1
}

// nodes writes the tree, every node with translation, rotation and scale.
func (w *writer) nodes() {
	var roots []int
	levels := w.levels()
	at := make([]int, len(w.s.Nodes)) // in the document, -1 of a LOD group that its finest level stands for
	for i, n := range w.s.Nodes {
		if at[i] = -1; levels.of[i] != nil {
			continue
		}
		at[i] = len(w.doc.Nodes)
		out := node{Name: n.Name}
		if n.Touch != nil {
			if b, err := json.Marshal(map[string]any{"collision": n.Touch}); err == nil {
				out.Extras = b
			}
		}
		if n.Mesh >= 0 && w.meshAt[n.Mesh] >= 0 {
			k := w.meshAt[n.Mesh]
			out.Mesh = &k
		}
		group := -1
		if n.Parent >= 0 && levels.of[n.Parent] != nil {
			group = n.Parent
			n.Parent, n.Local = w.s.Nodes[group].Parent, w.s.Nodes[group].Local.Mul(n.Local)
		}
		place(&out, n.Local)
		if n.Hidden {
			w.hide(&out)
		}
		w.doc.Nodes = append(w.doc.Nodes, out)
		switch {
		case group >= 0 && levels.of[group][0] != i: // it stands nowhere but in the list of the finest
		case n.Parent >= 0:
			w.doc.Nodes[at[n.Parent]].Children = append(w.doc.Nodes[at[n.Parent]].Children, at[i])
		default:
			roots = append(roots, at[i])
		}
	}
	w.linkLevels(levels, at)
	roots = append(roots, w.sights()...)
	zero := 0
	w.doc.Scene = &zero
	w.doc.Scenes = []sceneList{{Name: w.s.Name, Nodes: roots}}
}

// place writes the transform of a node: nothing for the identity, translation, rotation
// and scale where they say it, a matrix otherwise.
func place(n *node, a geom.Affine) {
	if a.T != (geom.Vec3{}) {
		t := [3]float64(a.T)
		n.Translation = &t
	}
	if a.M == geom.Identity3 {
		return
	}
	x, y, z := a.M.Col(0), a.M.Col(1), a.M.Col(2)
	s := [3]float64{x.Len(), y.Len(), z.Len()}
	if a.M.Det() < 0 {
		s[0] = -s[0]
	}
	if s[0] == 0 || s[1] == 0 || s[2] == 0 {
		n.Scale = &s // flattened: no rotation can be told from it
		return
	}
	q := quaternion(geom.Columns(x.Mul(1/s[0]), y.Mul(1/s[1]), z.Mul(1/s[2])))
	if q != [4]float64{0, 0, 0, 1} {
		n.Rotation = &q
	}
	for i := range s {
		if math.Abs(s[i]-1) < 1e-12 {
			s[i] = 1
		}
	}
	if s != [3]float64{1, 1, 1} {
		n.Scale = &s
	}
}

// quaternion of a rotation matrix, by the largest component (Shepperd 1978).
func quaternion(m geom.Mat3) [4]float64 {
	d := [4]float64{m[0][0] - m[1][1] - m[2][2], m[1][1] - m[0][0] - m[2][2], m[2][2] - m[0][0] - m[1][1], m[0][0] +
		m[1][1] + m[2][2]}
	k := 0
	for i, v := range d {
		if v > d[k] {
			k = i
		}
	}
	t := math.Sqrt(max(0, 1+d[k])) * 2
	a, b, c := (m[2][1]-m[1][2])/t, (m[0][2]-m[2][0])/t, (m[1][0]-m[0][1])/t
	xy, xz, yz := (m[0][1]+m[1][0])/t, (m[0][2]+m[2][0])/t, (m[1][2]+m[2][1])/t
	q := [4][4]float64{{t / 4, xy, xz, a}, {xy, t / 4, yz, b}, {xz, yz, t / 4, c}, {a, b, c, t / 4}}[k]
	l := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	for i := range q {
		q[i] /= l
		if math.Abs(q[i]) < 1e-15 {
			q[i] = 0
		}
	}
	return q
}

// finish puts the document and its buffer together.
func (w *writer) finish() (*pack.Package, error) {
	name := bundle.Safe(w.opt.Name)
	if w.bin.Len() > 0 {
		b := buffer{ByteLength: int64(w.bin.Len())}
		switch {
		case w.opt.Parts:
			b.URI = url.PathEscape(name + ".bin")
		case w.opt.Text:
			b.URI = "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(w.bin.Bytes())
		}
		w.doc.Buffers = []buffer{b}
	}
	text, err := json.Marshal(&w.doc)
	if err != nil {
		return nil, err
	}
	if w.opt.Parts {
		w.out.Files = append(w.out.Files, bundle.File{Name: name + ".gltf", Data: text})
		if w.bin.Len() > 0 {
			w.out.Files = append(w.out.Files, bundle.File{Name: name + ".bin", Data: w.bin.Bytes()})
		}
		w.out.Files = append(w.out.Files, w.beside...)
		return &w.out, nil
	}
	if w.opt.Text {
		w.out.Files = []bundle.File{{Name: name + ".gltf", Data: text}}
		return &w.out, nil
	}
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	bin := w.bin.Bytes()
	for len(bin)%4 != 0 {
		bin = append(bin, 0)
	}
	total := 12 + 8 + len(text)
	if len(bin) > 0 {
		total += 8 + len(bin)
	}
	if int64(total) > math.MaxUint32 {
		return nil, fmt.Errorf("the GLB would have %d bytes; the format holds 4 294 967 295", total)
	}
	glb := make([]byte, 0, total)
	u32 := func(v ...uint32) {
		for _, x := range v {
			glb = binary.LittleEndian.AppendUint32(glb, x)
		}
	}
	glb = append(glb, "glTF"...)
	u32(2, uint32(total), uint32(len(text)), 0x4E4F534A)
	glb = append(glb, text...)
	if len(bin) > 0 {
		u32(uint32(len(bin)), 0x004E4942)
		glb = append(glb, bin...)
	}
	w.out.Files = []bundle.File{{Name: name + ".glb", Data: glb}}
	return &w.out, nil
}

// trimSuffix is a file’s name without its suffix.
func trimSuffix(name string) string { return strings.TrimSuffix(name, path.Ext(name)) }
