package source

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// plateau is a bumpy sheet of n×n quads.
func plateau(n int, size float64, from geom.Vec3) *scene.Mesh {
	m := &scene.Mesh{Name: "plateau", FaceStart: []int32{0}, Slots: []int{-1}}
	for i := range (n + 1) * (n + 1) {
		x, z := size*float64(i%(n+1))/float64(n), size*float64(i/(n+1))/float64(n)
		m.Points = append(m.Points, from.Add(geom.Vec3{x, 9 * math.Sin(x/77+z/130), z}))
	}
	for i := range n * n {
		a := int32(i/n*(n+1) + i%n)
		m.Corners = append(m.Corners, a, a+int32(n)+1, a+int32(n)+2, a+1)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// What 32 bits lose is told with the step that cures it; pieces stand where the whole stood, each about the middle of
// its square, and as 32-bit numbers neighbours still meet exactly.
func TestVastThingsAreSplitByAGrid(t *testing.T) {
	const size = 24_000.0
	s := shape.Scene("moor", nil, plateau(60, size, geom.Vec3{-7000, 0, 1234}),
		box("hut", geom.Vec3{}, geom.Vec3{4, 3, 5}))
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/digits")
	require.NotNil(t, f)
	var grid Decisions
	for _, m := range f.Remedies {
		if d := m.Decision.(Decisions); d.Grid > 0 {
			grid = d
		}
	}
	assert.Equal(t, 2000.0, grid.Grid,
		"half of that is below 1 024 m, where 32 bits lie a sixteenth of a millimetre apart")
	out, r := do(t, s, grid)
	assert.Nil(t, finding1(r, "source/digits"))
	assert.LessOrEqual(t, r.Error, DefaultError)
	assert.Equal(t, s.Bounds(), out.Bounds())
	worlds := out.Worlds()
	type place [3]float64
	at := map[place]map[int]bool{}
	pieces := 0
	for i, n := range out.Nodes {
		if n.Mesh < 0 || n.Name == "hut" {
			continue
		}
		pieces++
		local := n.Local
		assert.Equal(t, geom.Identity3, local.M)
		assert.Equal(t, 1000.0, math.Mod(local.T[0]+1e6, 2000), "the middle of a square")
		assert.Equal(t, "plateau pieces", out.Nodes[n.Parent].Name)
		for _, p := range out.Meshes[n.Mesh].Points {
			var w place
			for k := range 3 {
				w[k] = worlds[i].T[k] + float64(float32(p[k]))
			}
			if at[w] == nil {
				at[w] = map[int]bool{}
			}
			at[w][i] = true
		}
	}
	assert.Equal(t, 13*13, pieces)
	lonely := 0
	for w, who := range at {
		onLine := math.Mod(w[0]+1e6, 2000) == 0 || math.Mod(w[2]+1e6, 2000) == 0
		edge := w[0] == -7000 || w[0] == -7000+size || math.Abs(w[2]-1234) < .01 || math.Abs(w[2]-1234-size) < .01
		if onLine && !edge && len(who) < 2 {
			lonely++
		}
	}
	assert.Zero(t, lonely, "points of a line that only one piece has")
	hut := false
	for _, n := range out.Nodes {
		hut = hut || n.Name == "hut" && n.Mesh >= 0
	}
	assert.True(t, hut, "what is smaller than a square stays whole")
	// A step that makes too many pieces leaves it whole and says so.
	_, r = do(t, s, Decisions{Grid: 100})
	assert.NotNil(t, finding1(r, "source/grid-too-fine"))
	require.Error(t, Decisions{Grid: -1}.Validate())
}
