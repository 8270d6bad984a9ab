package main

import (
	"encoding/json"
	"fmt"
	"math"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// hill is a wavy sheet of n by n quads with UVs, and beside it a flat one of another slot.
func hill(n int) string {
	var b strings.Builder
	b.WriteString("mtllib hill.mtl\n")
	for k, slot := range []string{"grass", "slab"} {
		for j := range n + 1 {
			for i := range n + 1 {
				x, z := float64(i)/float64(n), float64(j)/float64(n)
				y := 0.1 * math.Sin(7*x) * math.Cos(5*z) * float64(1-k)
				fmt.Fprintf(&b, "v %g %g %g\nvt %g %g\n", x+2*float64(k), y, -z, x, z)
			}
		}
		fmt.Fprintf(&b, "usemtl %s\n", slot)
		for j := range n {
			for i := range n {
				a := k*(n+1)*(n+1) + j*(n+1) + i + 1
				fmt.Fprintf(&b, "f %d/%d %d/%d %d/%d %d/%d\n", a, a, a+1, a+1, a+n+2, a+n+2, a+n+1, a+n+1)
			}
		}
	}
	return b.String()
}

func TestSimplifyComesDownAndSaysHowFarOff(t *testing.T) {
	dir := t.TempDir()
	n := 40
	if testing.Short() {
		n = 24
	}
	in := write(t, dir, "hill.obj", hill(n))
	write(t, dir, "hill.mtl", "newmtl grass\nnewmtl slab\n")
	simple := func(name string, args ...string) simplified {
		t.Helper()
		out := filepath.Join(dir, name)
		said, err := run(t, simplifyCommand(), append([]string{in, "-o", out}, args...)...)
		require.NoError(t, err, said)
		var s simplified
		for line := range strings.Lines(said) {
			if strings.HasPrefix(line, "{") {
				require.NoError(t, json.Unmarshal([]byte(line), &s))
			}
		}
		r := looked(t, out)
		assert.Equal(t, s.Out, r.Triangles, "what is said is what is written")
		assert.Zero(t, r.Surface.NonManifoldEdges+r.Surface.FlippedFaces+r.Surface.DuplicateFaces)
		return s
	}
	s := simple("a.glb", "--ratio", "0.1")
	assert.Equal(t, 4*n*n, s.In)
	assert.LessOrEqual(t, s.Out, 4*n*n/10)
	assert.Greater(t, s.Deviation.Max, 0.0)
	assert.GreaterOrEqual(t, s.Deviation.Max, s.Deviation.RMS)
	assert.GreaterOrEqual(t, s.Deviation.RMS, s.Deviation.Mean)
	assert.Less(t, s.Deviation.Max, 0.01)
	assert.LessOrEqual(t, simple("b.obj", "--triangles", "300").Out, 300)
	s = simple("c.obj", "--deviation", "2")
	assert.LessOrEqual(t, s.Deviation.Max, 0.0022, "but for what other points find")
	assert.Less(t, s.Out, 2*n*n)
	s = simple("d.obj", "--ratio", "0.3", "--lock", "slab")
	assert.GreaterOrEqual(t, s.Out, 2*n*n, "the slab stays as it is")
	simple("e.obj", "--ratio", "0.3", "--keep-points")

	for _, args := range [][]string{{}, {"--ratio", "2"}, {"--triangles", "-1"}, {"--ratio", "0.5", "--lock", "sky"}} {
		_, err := run(t, simplifyCommand(), append([]string{in, "-o", filepath.Join(dir, "x.obj")}, args...)...)
		assert.Error(t, err, args)
	}
}

func TestALadderIsWrittenWithItsDistances(t *testing.T) {
	dir := t.TempDir()
	n := 40
	if testing.Short() {
		n = 20
	}
	in := write(t, dir, "hill.obj", hill(n))
	write(t, dir, "hill.mtl", "newmtl grass\nnewmtl slab\n")
	for _, name := range []string{"l.glb", "l.fbx", "l.obj"} {
		out := filepath.Join(dir, name)
		said, err := run(t, ladderCommand(), in, "-o", out, "--levels", "2", "--pixels", "2")
		require.NoError(t, err, said)
		var rungs []rung
		for line := range strings.Lines(said) {
			if strings.HasPrefix(line, "{") {
				var r rung
				require.NoError(t, json.Unmarshal([]byte(line), &r))
				rungs = append(rungs, r)
			}
		}
		require.Len(t, rungs, 3, said)
		assert.NotContains(t, said, "arrived different")
		sum := 0
		for i, r := range rungs {
			sum += r.Triangles
			if i > 0 {
				assert.Less(t, r.Triangles, rungs[i-1].Triangles)
				assert.Greater(t, r.From, rungs[i-1].From)
				assert.LessOrEqual(t, r.Silhouette, 2+1e-9)
				assert.InDelta(t, r.Pixels, r.Deviation.Max*1080/(2*r.From*math.Tan(25*math.Pi/180)), 1,
					"by the screen that is said")
			}
		}
		assert.Equal(t, sum, looked(t, out).Triangles, "all of them are in the file")
	}
	_, err := run(t, ladderCommand(), in, "-o", filepath.Join(dir, "x.obj"), "--levels", "9")
	assert.ErrorContains(t, err, "expected 1 to 8")
}
