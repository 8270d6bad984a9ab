package ply

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"testing"

	"yarvek/core/format/bundle"
)

// BenchmarkTenMillionPoints reads ten million points with colours.
func BenchmarkTenMillionPoints(b *testing.B) {
	const n = 10_000_000
	data := fmt.Appendf(nil, "ply\nformat binary_little_endian 1.0\nelement vertex %d\nproperty float x\n"+
		"property float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n", n)
	for i := range n {
		s, c := math.Sincos(float64(i))
		for _, v := range []float64{s, c, float64(i) / n} {
			data = binary.LittleEndian.AppendUint32(data, math.Float32bits(float32(v)))
		}
		data = append(data, 90, 120, byte(i))
	}
	set := bundle.New([]bundle.File{{Name: "a.ply", Data: data}})
	b.ReportAllocs()
	for b.Loop() {
		if _, _, err := Read(context.Background(), set, "a.ply", nil); err != nil {
			b.Fatal(err)
		}
	}
}
