package obj

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/scene"
)

// No value of a material becomes another without a word.
func TestMaterialsSayWhatTheyCantRead(t *testing.T) {
	for line, title := range map[string]string{
		"Kd 0.5 half 0.5":         "is no number for kd",
		"Kd 2 0 0":                "beyond its bounds",
		"Ke 1e400 0 0":            "is no number for ke",
		"d 1.5":                   "beyond its bounds",
		"Pr 0.5x":                 "is no number for pr",
		"Pm -1":                   "beyond its bounds",
		"map_Kd -s 2 2e400 1 a.p": "is no number for -s",
		"norm -bm much a.png":     "is no number for -bm",
	} {
		_, found, err := read(t, "a.obj", "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\n", "a.mtl",
			"newmtl m\n"+line+"\n")
		require.NoError(t, err)
		var titles []string
		for _, f := range found {
			titles = append(titles, f.Title)
		}
		assert.Contains(t, strings.Join(titles, "; "), title, line)
	}
}

// Colours are as a screen shows them: IEC 61966-2-1 makes 0.21404114 of 0.5. A brighter glow has a strength.
func TestColoursAreReadAsAScreenShowsThem(t *testing.T) {
	s, found, err := read(t, "a.obj",
		"mtllib a.mtl\nv 0 0 0 0.5 0.5 0.5\nv 1 0 0 1 1 1\nv 0 1 0 0 0 0\nusemtl m\nf 1 2 3\n",
		"a.mtl", "newmtl m\nKd 0.5\nKe 1 0.5 3\n")
	require.NoError(t, err)
	assert.Empty(t, found)
	m := s.Materials[0]
	assert.InDeltaSlice(t, []float64{.21404114, .21404114, .21404114, 1}, m.BaseColor[:], 1e-8)
	bright := math.Pow((3+.055)/1.055, 2.4)
	assert.InDelta(t, bright, m.Glow, 1e-9)
	assert.InDeltaSlice(t, []float64{1 / bright, .21404114 / bright, 1}, m.Emissive[:], 1e-8)
	assert.InDelta(t, .21404114, s.Meshes[0].Colors.Values[0][0], 1e-7)
}

// A normal map under the name of a height map is known by its picture, and by its name.
func TestNormalMapsAreKnownWhereHeightsGo(t *testing.T) {
	for name, want := range map[string]scene.Use{"rock_normal.dds": scene.UseNormal, "rockNormal.png": scene.UseNormal,
		"rock_bump.png": scene.UseHeight, "abnormality.png": scene.UseHeight} {
		s, _, err := Read(t.Context(), bundle.New([]bundle.File{
			{Name: "a.obj", Data: []byte("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\n")},
			{Name: "a.mtl", Data: []byte("newmtl m\nmap_Bump " + name + "\n")}}), "a.obj", nil)
		require.NoError(t, err)
		assert.True(t, s.Materials[0].Maps[want].Has(), name)
	}
}
