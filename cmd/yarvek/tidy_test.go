package main

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// flawed is a unit cube with a face turned, one there twice, one without area and two points that
// no face uses, in centimetres; and a sheet of four by four quads beside it.
func flawed() string {
	var b strings.Builder
	for i := range 8 {
		fmt.Fprintf(&b, "v %d %d %d\n", i&1, i>>1&1, i>>2&1)
	}
	b.WriteString("v 7 7 7\nv 0 0 0\nf 5 6 8 7\nf 2 1 3 4\nf 6 8 4 2\nf 1 5 7 3\nf 7 8 4 3\nf 1 2 6 5\nf 5 6 8 7\nf 1 1 " +
		"2\no sheet\n")
	for j := range 5 {
		for i := range 5 {
			fmt.Fprintf(&b, "v %g 0 %g\n", 3+float64(i)/4, -float64(j)/4)
		}
	}
	for j := range 4 {
		for i := range 4 {
			a := 11 + 5*j + i
			fmt.Fprintf(&b, "f %d %d %d %d\n", a, a+1, a+6, a+5)
		}
	}
	return b.String()
}

func looked(t *testing.T, file string) record {
	t.Helper()
	out, err := run(t, inspectCommand(), "--json", file)
	require.NoError(t, err)
	var r record
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.NotNil(t, r.Surface)
	return r
}

func TestInspectCountsFlawsAndCost(t *testing.T) {
	r := looked(t, write(t, t.TempDir(), "flawed.obj", flawed()))
	assert.Equal(t, surfaceRecord{UnusedPoints: 2, ZeroAreaFaces: 1, DuplicateFaces: 1,
		OpenBorderLoops: 1, FlippedFaces: 1},
		*r.Surface)
	assert.Equal(t, 14+1+32, r.Budget.Triangles)
	assert.Equal(t, 8+25, r.Budget.Vertices)
	assert.Equal(t, 2, r.Budget.DrawCalls)
	assert.Equal(t, 30, r.Budget.WasteTriangles)
	assert.Greater(t, r.Budget.ACMR, 0.5)
}

func TestTidyDoesWhatIsAskedAndSaysIt(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "flawed.obj", flawed())
	tidy := func(name string, args ...string) (record, map[string]int) {
		t.Helper()
		out := filepath.Join(dir, name)
		said, err := run(t, tidyCommand(), append([]string{in, "-o", out}, args...)...)
		require.NoError(t, err, said)
		did := map[string]int{}
		for line := range strings.Lines(said) {
			if !strings.HasPrefix(line, "{") {
				continue // what the format can't hold, which goes to the other stream
			}
			var l struct {
				Remedy  string
				Changed *int
			}
			require.NoError(t, json.Unmarshal([]byte(line), &l), line)
			require.NotNil(t, l.Changed, line)
			did[l.Remedy] = *l.Changed
		}
		return looked(t, out), did
	}
	before := looked(t, in)
	r, did := tidy("all.obj", "--all")
	assert.Equal(t, map[string]int{"weld": 0, "weld-faces": 0, "empty": 1, "doubled": 1, "unused": 2, "wind": 1,
		"outward": 0, "flat": 0, "units": 0,
		"waste": 30, "order": did["order"]}, did)
	assert.Equal(t, surfaceRecord{OpenBorderLoops: 1}, *r.Surface)
	assert.Equal(t, 14, r.Budget.Triangles)
	assert.Equal(t, before.Bounds, r.Bounds, "axes and unit stay")
	// One at a time, and nothing else.
	r, did = tidy("waste.obj", "--waste")
	assert.Equal(t, map[string]int{"waste": 30}, did)
	assert.Equal(t, 14+1+2, r.Budget.Triangles)
	assert.Equal(t, 1, r.Surface.FlippedFaces)
	assert.Equal(t, 1, r.Surface.DuplicateFaces)
	r, did = tidy("thick.obj", "--thickness", "20")
	assert.Equal(t, map[string]int{"thickness": 1}, did)
	assert.Equal(t, 1, r.Surface.FlippedFaces)
	assert.InDelta(t, -0.01, r.Bounds.Min[1], 1e-6)
	r, did = tidy("smooth.glb", "--smooth", "30")
	assert.Len(t, did, 1)
	assert.Greater(t, r.Budget.Vertices, before.Budget.Vertices, "hard edges split points")
	_, did = tidy("weld.obj", "--weld", "0.5")
	assert.Equal(t, map[string]int{"weld": 0, "weld-faces": 0}, did)
	r, _ = tidy("order.fbx", "--order")
	assert.LessOrEqual(t, r.Budget.ACMR, before.Budget.ACMR)
	assert.Equal(t, *before.Surface, func() surfaceRecord { s := *r.Surface; s.UnusedPoints = 2; return s }())

	_, err := run(t, tidyCommand(), in, "-o", filepath.Join(dir, "x.obj"))
	assert.ErrorContains(t, err, "nothing is asked for")
	_, err = run(t, tidyCommand(), in, "-o", filepath.Join(dir, "x.obj"), "--weld", "20000")
	assert.ErrorContains(t, err, "out of bounds")
	_, err = run(t, tidyCommand(), in, "-o", filepath.Join(dir, "x.stone"), "--all")
	assert.Error(t, err)
}

// Files that are nothing but flaws are counted in bounded time, and every figure is a number.
func TestHostileFilesAreCounted(t *testing.T) {
	dir := t.TempDir()
	var same, loose, ring, far strings.Builder
	leaves, sides := 10_000, 100_000
	if testing.Short() {
		leaves, sides = 2000, 20_000
	}
	for range 3000 {
		same.WriteString("v 1 1 1\n")
	}
	for i := range 1000 {
		fmt.Fprintf(&same, "f %d %d %d\n", 3*i+1, 3*i+2, 3*i+3)
	}
	for i := range leaves {
		fmt.Fprintf(&loose, "v %d %d 0\nv %d.5 %d 0\nv %d %d.5 0\nf -3 -2 -1\n", i%100, i/100, i%100, i/100, i%100, i/100)
	}
	for i := range sides {
		fmt.Fprintf(&ring, "v %d %d 0\n", i, (i*7919)%5)
	}
	ring.WriteString("v 50000 100000 0\nf")
	for i := range sides + 1 {
		fmt.Fprintf(&ring, " %d", i+1)
	}
	far.WriteString("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 1\nvt 1e20 1e20\nvt -1e20 0\nvt 0 3e19\nf 1/1 2/2 3/3\nf 2/1 4/2 " +
		"3/3\nf 1/1 1/2 1/3\n")
	for name, text := range map[string]string{"same.obj": same.String(), "loose.obj": loose.String(),
		"ring.obj": ring.String() + "\n", "far.obj": far.String(),
		"one.obj": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"} {
		file := write(t, dir, name, text)
		r := looked(t, file)
		switch name {
		case "same.obj":
			assert.Equal(t, surfaceRecord{DuplicatePoints: 2999, ZeroAreaFaces: 1000}, *r.Surface)
		case "loose.obj":
			assert.Equal(t, surfaceRecord{OpenBorderLoops: leaves}, *r.Surface)
		case "one.obj":
			assert.Equal(t, surfaceRecord{OpenBorderLoops: 1}, *r.Surface)
			assert.Equal(t, budgetRecord{Triangles: 1, Vertices: 3, DrawCalls: 1, ACMR: 3}, *r.Budget)
		case "far.obj":
			assert.InDelta(t, 1, r.Surface.UVOutside, 1e-6)
		}
		_, err := run(t, tidyCommand(), file, "-o", filepath.Join(dir, "out-"+name), "--all", "--thickness", "1", "--smooth",
			"30")
		if name != "same.obj" { // of which nothing is left
			require.NoError(t, err, name)
			looked(t, filepath.Join(dir, "out-"+name))
		}
	}
}
