package main

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/shape/shapetest"
)

// crateText is a box of 1 by 2 by 3 m, closed, called crate.
const crateText = "o crate\nv 0 0 0\nv 1 0 0\nv 1 2 0\nv 0 2 0\nv 0 0 3\nv 1 0 3\nv 1 2 3\nv 0 2 3\n" +
	"f 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 2 3 7 6\nf 3 4 8 7\nf 4 1 5 8\n"

// Shapes round a box of known size have the volumes of the book, hold it, and stand in the file by
// the name the target's pattern gives them.
func TestShapesAreFittedRoundAFile(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "crate.obj", crateText)
	half := math.Sqrt(14) / 2
	for _, c := range []struct {
		shape, name string
		ratio       float64
		near        float64
	}{
		{"box", "crate solid box 01", 1, 1e-6},
		{"obox", "crate solid box 01", 1, 1e-6},
		{"slab", "crate solid hull 01", 1, 1e-6},
		{"hull", "crate solid hull 01", 1, 1e-6},
		{"sphere", "crate solid ball 01", 4. / 3 * math.Pi * half * half * half / 6, 1e-6},
		// Of its volume nobody has a formula: more than the cylinder round it, less than the ball.
		{"capsule", "crate solid capsule 01", 2.9, 0.9},
	} {
		out := filepath.Join(dir, c.shape+".obj")
		said, err := run(t, collideCommand(), in, "-o", out, "--shape", c.shape)
		require.NoError(t, err, said)
		var got collided
		require.NoError(t, json.Unmarshal([]byte(said), &got), said)
		assert.InDelta(t, c.ratio, got.VolumeRatio, c.near, c.shape)
		assert.Equal(t, 1, got.Shapes)
		if c.ratio == 1 {
			assert.Equal(t, 8, got.Points, c.shape)
			assert.InDelta(t, 0, got.GapOut.Max+got.GapIn.Max, 1e-6, c.shape)
		} else {
			assert.InDelta(t, 0, got.GapOut.Max, 1e-6, c.shape)
			assert.Greater(t, got.GapIn.Max, 0.1, c.shape)
		}
		b, err := os.ReadFile(out)
		require.NoError(t, err)
		assert.Contains(t, string(b), "# called: "+c.name, "an object of its own, by its name")
	}
	for _, bad := range [][]string{{"--shape", "blob"}, {"--shape", "hull", "--max-points", "3"}} {
		_, err := run(t, collideCommand(), append([]string{in, "-o", filepath.Join(dir, "x.obj")}, bad...)...)
		assert.Error(t, err)
	}
	// Flat, in a line, and open: the best there is, and never a panic.
	for name, text := range map[string]string{
		"flat": "v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\nf 1 2 3 4\n", "line": "v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n",
		"triangle": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "place": "v 1 1 1\nv 1 1 1\nv 1 1 1\nf 1 2 3\n",
	} {
		file := write(t, dir, name+".obj", text)
		for shape := range fitWords {
			said, err := run(t, collideCommand(), file, "-o", filepath.Join(dir, name+"-out.glb"), "--shape", shape)
			if err == nil {
				var got collided
				said = said[max(0, strings.IndexByte(said, '{')):] // what is noted goes to the other stream
				require.NoError(t, json.Unmarshal([]byte(said), &got), "%s %s: %s", name, shape, said)
			} else {
				assert.NotContains(t, err.Error(), "panic", "%s %s", name, shape)
			}
		}
	}
}

// hutText is a hut as an OBJ of quads, closed, with a doorway of 1 x 2 m.
func hutText() string {
	var b strings.Builder
	m := shapetest.Hut()
	b.WriteString("o hut\n")
	for _, p := range m.Points {
		fmt.Fprintf(&b, "v %g %g %g\n", p[0], p[1], p[2])
	}
	for f := range m.Faces() {
		b.WriteString("f")
		for _, c := range m.Corners[m.FaceStart[f]:m.FaceStart[f+1]] {
			fmt.Fprintf(&b, " %d", c+1)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// Hulls round a hut leave its doorway open for a ball of 0.45 m and are objects of their own in the
// file; one hull closes it. What the file says is read by hand.
func TestHullsLeaveADoorwayOpen(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "hut.obj", hutText())
	for _, c := range []struct {
		args  []string
		open  int
		ratio float64
	}{
		{[]string{"--shape", "hulls", "--max-hulls", "16", "--max-points", "64", "--keep-open", "0.45"}, 1, 1.15},
		{[]string{"--shape", "hull", "--keep-open", "0.45"}, 0, 10},
	} {
		out := filepath.Join(dir, "out.obj")
		said, err := run(t, collideCommand(), append([]string{in, "-o", out}, c.args...)...)
		require.NoError(t, err, said)
		var got collided
		require.NoError(t, json.Unmarshal([]byte(said), &got), said)
		require.NotNil(t, got.Passages)
		assert.Equal(t, passages{Found: 1, Open: c.open}, *got.Passages)
		assert.LessOrEqual(t, got.VolumeRatio, c.ratio)
		assert.LessOrEqual(t, got.GapOut.Max, 0.02*5.6)
		b, err := os.ReadFile(out)
		require.NoError(t, err)
		assert.Equal(t, got.Shapes, strings.Count(string(b), "solid hull"), "an object each")
		if c.open == 0 {
			continue
		}
		// No corner of a hull lies in the doorway, with room for rounding.
		part := string(b)[strings.Index(string(b), "solid hull"):]
		for line := range strings.Lines(part) {
			var x, y, z float64
			if n, _ := fmt.Sscanf(line, "v %g %g %g", &x, &y, &z); n == 3 {
				assert.False(t, x > 1.01 && x < 1.99 && y > 0.11 && y < 2.09 && z > 3.89 && z < 4.01, line)
			}
		}
	}
	_, err := run(t, collideCommand(), in, "-o", filepath.Join(dir, "x.obj"), "--shape", "hulls", "--keep-open", "0.0001")
	assert.ErrorContains(t, err, "too small")
}
