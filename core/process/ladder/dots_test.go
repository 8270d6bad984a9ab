package ladder_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
)

// halton is the i-th number of the sequence of a base.
func halton(i, base int) (v float64) {
	for f := 1 / float64(base); i > 0; i, f = i/base, f/float64(base) {
		v += f * float64(i%base)
	}
	return v
}

// wave is a sheet of n×n points, about a centimetre apart, that stands twice, the second time twice as large.
func wave(n int) *scene.Scene {
	c := &cloud.Cloud{Type: "float"}
	for i := range n * n {
		x, z := (float64(i%n)+halton(i, 2))/100, (float64(i/n)+halton(i, 3))/100
		c.Points = append(c.Points, geom.Vec3{x, .05 * math.Sin(9*x+4*z), z})
	}
	m := &scene.Mesh{Name: "wave", FaceStart: []int32{0}, Cloud: c}
	larger := geom.Affine{M: geom.Mat3{{2, 0, 0}, {0, 2, 0}, {0, 0, 2}}, T: geom.Vec3{5, 0, 0}}
	return &scene.Scene{Meshes: []*scene.Mesh{m}, Nodes: []scene.Node{
		{Name: "a", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity},
		{Name: "b", Kind: scene.KindPoints, Parent: -1, Local: larger}}}
}

// Points are brought down by cubes: how far off each step says it is, is what looking at each point by itself finds.
func TestCloudsComeDown(t *testing.T) {
	s := wave(70)
	shares := []float64{.4, .033}
	c, meshes := ladder.Down(t.Context(), s, ladder.Making{}, shares, nil)
	require.Equal(t, 2*70*70, c.Triangles)
	require.Greater(t, len(c.Steps), 8)
	require.Len(t, meshes, len(c.Steps))
	for k, step := range c.Steps {
		less := ladder.Put(s, meshes[k])
		require.Equal(t, step.Triangles, less.Count().Dots)
		if k > 0 {
			assert.Less(t, step.Triangles, c.Steps[k-1].Triangles)
		}
		kept := meshes[k][0].Cloud.Points
		worst := 0.0
		for _, p := range s.Meshes[0].Cloud.Points {
			near := math.Inf(1)
			for _, q := range kept {
				near = min(near, p.Dist(q))
			}
			worst = max(worst, 2*near) // as large as the larger stands
		}
		assert.LessOrEqual(t, worst, step.Visible+1e-12, "no point is farther from what is left")
		assert.Less(t, step.Visible, 2*worst+1e-12, "and it is said within a factor of two")
		assert.Equal(t, step.Visible, step.Off.Max)
	}
	for _, share := range shares {
		got := float64(c.Steps[c.Nearest(share)].Triangles) / float64(c.Triangles)
		assert.InEpsilon(t, share, got, .02)
	}
}

func TestOnePlaceDoesNotComeDown(t *testing.T) {
	s := wave(3)
	for i := range s.Meshes[0].Cloud.Points {
		s.Meshes[0].Cloud.Points[i] = geom.Vec3{1, 2, 3}
	}
	c, meshes := ladder.Down(t.Context(), s, ladder.Making{}, []float64{.5}, nil)
	assert.Empty(t, c.Steps)
	assert.Empty(t, meshes)
	assert.NotEmpty(t, c.Held)
}
