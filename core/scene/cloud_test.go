package scene_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Two dense balls a way apart get a hull each, and strays get none.
func TestCloudsAreHulledPieceByPiece(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	c := &cloud.Cloud{Type: "float"}
	ball := func(at geom.Vec3, r float64, n int) {
		for range n {
			d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
			c.Points = append(c.Points, at.Add(d.Mul(r)))
		}
	}
	ball(geom.Vec3{}, 1, 20_000)
	ball(geom.Vec3{5, 0, 0}, .5, 5000)
	ball(geom.Vec3{0, 90, 0}, 20, 60)
	s := &scene.Scene{Meshes: []*scene.Mesh{{Name: "balls", FaceStart: []int32{0}, Cloud: c}},
		Nodes: []scene.Node{{Name: "balls", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}}
	require.True(t, s.Dotted())
	h := s.Hulled(t.Context())
	require.False(t, h.Dotted())
	part, n := h.Meshes[0].Bodies(t.Context())
	require.Equal(t, 2, n)
	list := h.Meshes[0].Cut(part, n)
	volume := func(m *scene.Mesh) (v float64) {
		m.EachTriangle(func(_ int, a, b, c int32) {
			p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
			v += p.Dot(q.Cross(r)) / 6
		})
		return v
	}
	assert.InEpsilon(t, 4.18879, volume(list[0]), .01, "the larger first, by its closed form")
	assert.InEpsilon(t, 4.18879/8, volume(list[1]), .02)
	assert.InDelta(t, 5.5, h.Bounds().Max[0], .01)
	assert.Equal(t, scene.KindMesh, h.Nodes[0].Kind)
}
