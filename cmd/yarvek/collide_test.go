package main

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
		for shape := range fits {
			said, err := run(t, collideCommand(), file, "-o", filepath.Join(dir, name+"-out.glb"), "--shape", shape)
			if err == nil {
				var got collided
				require.NoError(t, json.Unmarshal([]byte(said), &got), "%s %s: %s", name, shape, said)
			} else {
				assert.NotContains(t, err.Error(), "panic", "%s %s", name, shape)
			}
		}
	}
}
