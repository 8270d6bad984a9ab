package fbx

import (
	"bytes"
	"compress/zlib"
	"context"
	"io"
	"math"
	"runtime"
	"testing"
	"time"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// sheet is a wavy surface of a million triangles.
func sheet() *scene.Scene {
	m := new(shape.Builder).Grid(708, 708, func(u, v float64) geom.Vec3 {
		return geom.Vec3{3 * u, math.Sin(40*u) * math.Cos(37*v) * .2, -3 * v}
	}).Mesh("sheet")
	return shape.Scene("sheet", nil, m)
}

func best(f func()) time.Duration {
	least := time.Duration(math.MaxInt64)
	for range 3 {
		runtime.GC()
		start := time.Now()
		f()
		least = min(least, time.Since(start))
	}
	return least
}

// BenchmarkAgainstZlib reports how many times as long as inflating its arrays
// alone reading takes, and as deflating them writing does.
func BenchmarkAgainstZlib(b *testing.B) {
	s := sheet()
	opt := pack.Options{Name: "sheet", Basis: geom.GLTF, UnitMetres: 1}
	p, err := Write(context.Background(), s, opt)
	if err != nil {
		b.Fatal(err)
	}
	var packed, plain [][]byte
	size := 0
	collect := func(raw []byte) {
		var z bytes.Buffer
		w, _ := zlib.NewWriterLevel(&z, zlib.BestSpeed)
		_, _ = w.Write(raw)
		_ = w.Close()
		packed, plain, size = append(packed, z.Bytes()), append(plain, raw), size+len(raw)
	}
	tree, _, err := parseBinary(context.Background(), "sheet.fbx", p.Files[0].Data, false)
	if err != nil {
		b.Fatal(err)
	}
	var walk func(r *record)
	walk = func(r *record) {
		for _, v := range r.props {
			switch a := v.(type) {
			case []float64:
				raw := make([]byte, 0, 8*len(a))
				for _, f := range a {
					u := math.Float64bits(f)
					raw = append(raw, byte(u), byte(u>>8), byte(u>>16), byte(u>>24), byte(u>>32), byte(u>>40), byte(u>>48),
						byte(u>>56))
				}
				collect(raw)
			case []int32:
				raw := make([]byte, 0, 4*len(a))
				for _, u := range a {
					raw = append(raw, byte(u), byte(u>>8), byte(u>>16), byte(u>>24))
				}
				collect(raw)
			}
		}
		for _, x := range r.subs {
			walk(x)
		}
	}
	walk(tree)
	set := bundle.New(p.Files)
	for b.Loop() {
		inflate := best(func() {
			for _, z := range packed {
				r, err := zlib.NewReader(bytes.NewReader(z))
				if err == nil {
					_, err = io.Copy(io.Discard, r)
				}
				if err != nil {
					b.Fatal(err)
				}
			}
		})
		deflate := best(func() {
			for _, raw := range plain {
				w, _ := zlib.NewWriterLevel(io.Discard, zlib.BestSpeed)
				_, _ = w.Write(raw)
				_ = w.Close()
			}
		})
		triangles := 0
		readIt := best(func() {
			got, _, err := Read(context.Background(), set, "sheet.fbx", nil)
			if err != nil {
				b.Fatal(err)
			}
			triangles = got.Count().Triangles
		})
		writeIt := best(func() {
			if _, err := Write(context.Background(), s, opt); err != nil {
				b.Fatal(err)
			}
		})
		b.ReportMetric(readIt.Seconds()/inflate.Seconds(), "read-times-inflate")
		b.ReportMetric(writeIt.Seconds()/deflate.Seconds(), "write-times-deflate")
		b.ReportMetric(float64(len(p.Files[0].Data))/1e6, "file-MB")
		b.ReportMetric(float64(size)/1e6, "inflated-MB")
		b.ReportMetric(float64(len(p.Files[0].Data))/1e6/readIt.Seconds(), "MB/s")
		b.ReportMetric(float64(triangles), "triangles")
	}
}
