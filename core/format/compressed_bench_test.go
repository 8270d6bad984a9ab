package format

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
)

// BenchmarkCompressed reads a hill of a million triangles with normals and UVs as OBJ, as a
// mesh compressed whole and as compressed views, the best of three each, and reports seconds.
// The files are made by tools/packed/refresh.sh, into the folder YARVEK_PACKED names.
func BenchmarkCompressed(b *testing.B) {
	dir := os.Getenv("YARVEK_PACKED")
	if dir == "" {
		b.Skip("YARVEK_PACKED names no folder")
	}
	for b.Loop() {
		for _, name := range []string{"hill.obj", "whole0.glb", "whole5.glb", "views.glb"} {
			data, err := os.ReadFile(filepath.Join(dir, name))
			require.NoError(b, err)
			set := bundle.New([]bundle.File{{Name: name, Data: data}})
			least := time.Duration(math.MaxInt64)
			for range 3 {
				runtime.GC()
				start := time.Now()
				s, _, err := Read(context.Background(), set, name, nil)
				least = min(least, time.Since(start))
				require.NoError(b, err)
				require.Equal(b, 2*710*710, s.Count().Triangles)
			}
			b.ReportMetric(least.Seconds(), name+"-s")
		}
	}
}
