package gltf

import (
	"context"
	"encoding/binary"
	"math"
	"runtime"
	"testing"
	"time"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// sheet is a wavy surface of about a million triangles with normals and UVs.
func sheet(n int) *scene.Scene {
	m := &scene.Mesh{Name: "sheet", Slots: []int{-1}, FaceStart: []int32{0}}
	var uv [][2]float64
	var nn [][3]float32
	for y := range n + 1 {
		for x := range n + 1 {
			m.Points = append(m.Points, geom.Vec3{float64(x), math.Sin(float64(x*y) * 0.01), float64(y)})
			uv = append(uv, [2]float64{float64(x) / float64(n), float64(y) / float64(n)})
			nn = append(nn, [3]float32{0, 1, 0})
		}
	}
	for y := range n {
		for x := range n {
			i := int32(y*(n+1) + x)
			j := i + int32(n) + 1
			m.Corners = append(m.Corners, i, j, i+1, i+1, j, j+1)
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)-3), int32(len(m.Corners)))
		}
	}
	m.Normals = scene.Layer[[3]float32]{Values: nn, Index: m.Corners}
	m.UVs = []scene.UVSet{{Name: "UV 1", Layer: scene.Layer[[2]float64]{Values: uv, Index: m.Corners}}}
	return &scene.Scene{Name: "sheet", Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{m},
		Nodes: []scene.Node{{Name: "sheet", Kind: scene.KindMesh, Parent: -1, Local: geom.Identity}}}
}

// plainCopy converts the same buffers without looking at them: floats to float64,
// indices to int32.
func plainCopy(doc *document, bin []byte) (n int) {
	for _, a := range doc.Accessors {
		v := doc.BufferViews[*a.BufferView]
		b := bin[v.ByteOffset : v.ByteOffset+v.ByteLength]
		if a.ComponentType == typeFloat32 {
			out := make([]float64, len(b)/4)
			for i := range out {
				out[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:])))
			}
			n += len(out)
			continue
		}
		out := make([]int32, len(b)/4)
		for i := range out {
			out[i] = int32(binary.LittleEndian.Uint32(b[4*i:]))
		}
		n += len(out)
	}
	return n
}

// BenchmarkReadAgainstCopy reports how many times as long as a plain conversion
// of its buffers the reading of a GLB of a million triangles takes.
func BenchmarkReadAgainstCopy(b *testing.B) {
	p, err := Write(context.Background(), sheet(708), pack.Options{Name: "sheet"})
	if err != nil {
		b.Fatal(err)
	}
	data := p.Files[0].Data
	set := bundle.New(p.Files)
	r := &reader{name: "sheet.glb"}
	text, base, err := r.container(data)
	if err != nil {
		b.Fatal(err)
	}
	if err := r.decode(text, base); err != nil {
		b.Fatal(err)
	}
	best := func(f func()) time.Duration {
		least := time.Duration(math.MaxInt64)
		for range 7 {
			runtime.GC()
			start := time.Now()
			f()
			least = min(least, time.Since(start))
		}
		return least
	}
	for b.Loop() {
		plain := best(func() { plainCopy(&r.doc, r.bin) })
		triangles := 0
		ours := best(func() {
			s, _, err := Read(context.Background(), set, "sheet.glb", nil)
			if err != nil {
				b.Fatal(err)
			}
			triangles = s.Count().Triangles
		})
		b.ReportMetric(ours.Seconds()/plain.Seconds(), "times-the-copy")
		b.ReportMetric(float64(len(data))/1e6/ours.Seconds(), "MB/s")
		b.ReportMetric(float64(len(data))/1e6, "file-MB")
		b.ReportMetric(float64(triangles), "triangles")
	}
}
