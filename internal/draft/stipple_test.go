package draft

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Points are drawn where they are, denser where they lie denser, also of a copy that is turned and moved; on the
// turntable each has its colour.
func TestPointsAreStippled(t *testing.T) {
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(1, 1))
	c := &cloud.Cloud{Fields: []cloud.Field{{Name: "red"}, {Name: "green"}, {Name: "blue"}}}
	for i := range 4000 { // four times as many to the left of the middle
		x := rng.Float64()
		if i < 3200 {
			x = -x
		}
		c.Points = append(c.Points, geom.Vec3{x, rng.Float64(), 0})
		for k := range c.Fields {
			c.Fields[k].Single = append(c.Fields[k].Single, float32(100*k+50))
		}
	}
	s := &scene.Scene{Basis: geom.GLTF, Meshes: []*scene.Mesh{{Name: "a", FaceStart: []int32{0}, Cloud: c}},
		Nodes: []scene.Node{{Name: "a", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}}
	m := NewModel(ctx, s)
	inked := func(m *Model) (left, right int) {
		_, shot := m.shot(ctx, Front, 100, 1)
		require.NotNil(t, shot)
		shot.stipple()
		for i, sh := range shot.b.shade {
			switch {
			case sh != inkShade:
			case i%shot.b.w < shot.b.w/2:
				left++
			default:
				right++
			}
		}
		return left, right
	}
	left, right := inked(m)
	assert.Greater(t, left, 500)
	assert.InDelta(t, 4, float64(left)/float64(right), 1)
	turned := m.Carried(geom.Affine{M: geom.Rotation(geom.Vec3{0, 1, 0}, math.Pi), T: geom.Vec3{9, 0, 0}}, geom.EmptyBox())
	assert.True(t, turned.Box.Min.Near(geom.Vec3{8, 0, 0}, .01))
	left2, right2 := inked(turned)
	assert.InDelta(t, left, right2, 40)
	assert.InDelta(t, right, left2, 40)
	tone := toneOf(c)(0)
	assert.InDelta(t, scene.Linear(50./255), tone[0], 1e-6)
	assert.InDelta(t, scene.Linear(250./255), tone[2], 1e-6)
	packed, err := m.Turntable(ctx, Table{})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(packed), 4000*24)
}
