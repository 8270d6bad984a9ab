package format

import (
	"context"
	"math"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/target"
)

// BenchmarkFBXAgainstGLB writes and reads a wavy surface of a million triangles as FBX and
// as GLB, the best of three each, and reports how many times as long FBX takes.
func BenchmarkFBXAgainstGLB(b *testing.B) {
	m := new(shape.Builder).Grid(708, 708, func(u, v float64) geom.Vec3 {
		return geom.Vec3{3 * u, math.Sin(40*u) * math.Cos(37*v) * .2, -3 * v}
	}).Mesh("sheet")
	s := shape.Scene("sheet", nil, m)
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	best := func(f func()) float64 {
		least := time.Duration(math.MaxInt64)
		for range 3 {
			runtime.GC()
			start := time.Now()
			f()
			least = min(least, time.Since(start))
		}
		return least.Seconds()
	}
	for b.Loop() {
		write, read := map[string]float64{}, map[string]float64{}
		for _, id := range []string{"fbx", "glb"} {
			f, err := ByID(id)
			require.NoError(b, err)
			var set *bundle.Bundle
			write[id] = best(func() {
				p, err := Write(context.Background(), scene.Delivery{Scene: s}, f, "sheet", to)
				require.NoError(b, err)
				set = bundle.New(p.Files)
			})
			read[id] = best(func() {
				_, _, err := Read(context.Background(), set, "sheet"+f.Suffix, nil)
				require.NoError(b, err)
			})
		}
		b.ReportMetric(write["fbx"]/write["glb"], "write-times-GLB")
		b.ReportMetric(write["fbx"], "fbx-write-s")
		b.ReportMetric(read["fbx"], "fbx-read-s")
		b.ReportMetric(read["glb"], "glb-read-s")
		b.ReportMetric(float64(m.Triangles()), "triangles")
	}
}
