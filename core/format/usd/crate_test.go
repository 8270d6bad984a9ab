package usd

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
)

// crateOf is a layer of text as a crate.
func crateOf(t testing.TB, text string) []byte {
	l, err := parseText("a.usda", []byte(text))
	require.NoError(t, err)
	return crateData(l)
}

// A layer comes in the same as a crate as it does as text: every stage the standard's library judges, layer by layer.
func TestCratesAreLayers(t *testing.T) {
	stages, err := filepath.Glob("../../../e2e/testdata/usd/*/stage.usda")
	require.NoError(t, err)
	require.NotEmpty(t, stages)
	for _, first := range stages {
		dir := filepath.Dir(first)
		t.Run(filepath.Base(dir), func(t *testing.T) {
			text, crates := []string{}, []string{}
			for _, name := range []string{"stage.usda", "below.usda", "props/chair.usda"} {
				b, err := os.ReadFile(filepath.Join(dir, name))
				if os.IsNotExist(err) {
					continue
				}
				require.NoError(t, err)
				other := strings.ReplaceAll(name, ".usda", ".usd") // a suffix that says nothing of the coding
				c := crateOf(t, strings.ReplaceAll(string(b), ".usda", ".usd"))
				at := filepath.Join(dir, "crates", other)
				if os.Getenv("YARVEK_RENEW") != "" {
					require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
					require.NoError(t, os.WriteFile(at, c, 0o644))
				}
				kept, err := os.ReadFile(at)
				require.NoError(t, err)
				assert.Equal(t, kept, c, "%s, which the standard’s library reads: renew it with YARVEK_RENEW=1", at)
				text, crates = append(text, name, string(b)), append(crates, other, string(c))
			}
			want, wantFound, err := read(text...)
			require.NoError(t, err)
			got, gotFound, err := read(crates...)
			require.NoError(t, err)
			assert.Equal(t, len(wantFound), len(gotFound))
			require.Len(t, got.Nodes, len(want.Nodes))
			for i := range want.Nodes {
				assert.Equal(t, want.Nodes[i].Name, got.Nodes[i].Name)
				assert.True(t, want.Nodes[i].Local.Near(got.Nodes[i].Local, 1e-6), want.Nodes[i].Name)
			}
			require.Len(t, got.Meshes, len(want.Meshes))
			for i, m := range want.Meshes {
				assert.Equal(t, m.Corners, got.Meshes[i].Corners)
				assert.Equal(t, m.Points, got.Meshes[i].Points)
			}
		})
	}
}

// What is cut short or points elsewhere is refused, and takes no memory.
func TestDamagedCrates(t *testing.T) {
	whole := crateOf(t, "#usda 1.0\n"+square("m", ""))
	_, _, err := read("a.usdc", string(whole))
	require.NoError(t, err)
	for n := 0; n < len(whole); n += 7 {
		_, _, err := read("a.usdc", string(whole[:n]))
		require.Error(t, err, "cut at %d", n)
	}
	old := bytes.Clone(whole)
	old[9] = 3
	_, _, err = read("a.usdc", string(old))
	assert.ErrorContains(t, err, "version 0.3.0")
}

func FuzzCrate(f *testing.F) {
	f.Add(crateOf(f, "#usda 1.0\n"+square("m", "")))
	f.Add(crateOf(f, layerText("metersPerUnit = 1", `def Xform "a" (variants = { string v = "x" }
	prepend variantSets = "v") { variantSet "v" = { "x" { over "m" { uniform token purpose = "render" } } }
`+square("m", "quatf xformOp:orient = (1, 0, 0, 0)\nint[] more = [1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17]")+"}")))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, _, err := read("a.usdc", string(data))
		if err != nil {
			require.NotZero(t, fault.KindOf(err), "%v", err)
			return
		}
		for _, m := range s.Meshes {
			require.NoError(t, m.Validate())
		}
	})
}

// A long list whose numbers grow evenly is packed thousands of times, and read all the same: every mesh of triangles
// alone has one.
func TestEvenListsArePackedFarther(t *testing.T) {
	const n = 60_000
	text := "#usda 1.0\ndef Mesh \"m\" {\npoint3f[] points = [(0,0,0),(1,0,0),(0,1,0)]\nint[] faceVertexCounts = [" +
		strings.Repeat("3,", n) + "]\nint[] faceVertexIndices = [" + strings.Repeat("0,1,2,", n) + "]\n}\n"
	data := crateOf(t, text)
	assert.Less(t, len(data), 2000)
	s, _, err := read("a.usdc", string(data))
	require.NoError(t, err)
	assert.Equal(t, n, s.Meshes[0].Faces())
}

// Lists that grow evenly are bounded in all: a file of a few bytes does not take gigabytes.
func TestEvenListsAreBounded(t *testing.T) {
	m := newPrim("Mesh", "m")
	same := rows(1, make([]float64, 3<<20))
	for i := range 12 {
		m.set("int[]", "more"+string(rune('a'+i)), same)
	}
	data := crateData(&layer{root: &spec{meta: map[string]any{}, kids: []*spec{m}}})
	require.Less(t, len(data), 1<<20)
	_, _, err := read("a.usdc", string(data))
	require.ErrorContains(t, err, "even lists")
}
