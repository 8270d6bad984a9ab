package draft

import (
	"context"
	"encoding/binary"
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
		assert.Equal(t, 1, shot.stipple(), "each point is a dot")
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
	assert.Equal(t, [4]uint8{50, 150, 250, 255}, toneOf(c)(0))
	// On the turntable each is where it is to a part in 65 535 of the box, with its colour.
	packed, err := m.Turntable(ctx, Table{})
	require.NoError(t, err)
	dots := packed[len(packed)-4000*12:]
	box := m.Box
	for _, i := range []int{0, 17, 3999} {
		for k := range 3 {
			at := float64(binary.LittleEndian.Uint16(dots[8*i+2*k:])) / 65535
			assert.InDelta(t, c.Points[i][k], box.Min[k]+at*box.Size()[k], 1e-4)
		}
		assert.Zero(t, binary.LittleEndian.Uint16(dots[8*i+6:]), "without a size")
		assert.Equal(t, []byte{50, 150, 250, 255}, dots[8*4000+4*i:8*4000+4*i+4])
	}
}

// Where dots would cover the paper each stands for so many points, which the view says.
func TestDotsSayHowManyTheyStandFor(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 1))
	c := &cloud.Cloud{}
	for range 300_000 {
		c.Points = append(c.Points, geom.Vec3{rng.Float64(), rng.Float64(), rng.Float64()})
	}
	s := &scene.Scene{Basis: geom.GLTF, Meshes: []*scene.Mesh{{Name: "a", FaceStart: []int32{0}, Cloud: c}},
		Nodes: []scene.Node{{Name: "a", Kind: scene.KindPoints, Parent: -1, Local: geom.Identity}}}
	v := NewModel(context.Background(), s).Draw(context.Background(), Front, 100)
	room := mostInked * (100*fine + 4) * (100*fine + 4) / (fine * fine)
	assert.InDelta(t, 1+300_000/room, float64(v.DotOf), 1)
	assert.Contains(t, v.named("Front"), "a dot for ")
	assert.Equal(t, "Front", View{DotOf: 1}.named("Front"))
}

// Blobs have their size, also of logarithms and under a scale, and their opacity by what its range tells.
func TestBlobsHaveTheirSize(t *testing.T) {
	c := &cloud.Cloud{Points: []geom.Vec3{{0, 0, 0}, {1, 1, 1}}}
	add := func(name string, a, b float32) {
		c.Fields = append(c.Fields, cloud.Field{Name: name, Single: []float32{a, b}})
	}
	ln := func(v float64) float32 { return float32(math.Log(v)) }
	add("scale_0", ln(.02), ln(.5))
	add("scale_1", ln(.04), ln(.001))
	add("scale_2", ln(.01), ln(.3))
	add("opacity", 0, 4)
	m := &Model{}
	m.stipple(c, geom.Affine{M: geom.Identity3.Scaled(10)})
	assert.InDelta(t, .3, float64(m.dots[0].size), 1e-6, "ten times the mean of the larger two")
	assert.InDelta(t, 4, float64(m.dots[1].size), 1e-6)
	assert.InDelta(t, 4, m.largestDot(), 1e-6)
	assert.Equal(t, [2]uint8{128, 250}, [2]uint8{m.dots[0].tone[3], m.dots[1].tone[3]}, "by the logistic function")
	c.Fields[3].Single[1] = .6
	assert.Equal(t, shown(.6), opacityOf(c)(1), "as it is")
	turned := carriedDots(m.dots, geom.Linear(geom.Rotation(geom.Vec3{0, 1, 0}, 1).Scaled(.5)))
	assert.InDelta(t, 2, float64(turned[1].size), 1e-6)
}
