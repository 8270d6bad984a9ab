package scene

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
)

// A placement is KHR_texture_transform's product of matrices, in coordinates from the top
// left.
func TestPlacementIsTheProductOfItsMatrices(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	for range 100 {
		p := &Placement{Offset: [2]float64{rnd.NormFloat64(), rnd.NormFloat64()},
			Scale:    [2]float64{rnd.NormFloat64(), rnd.NormFloat64()},
			Rotation: rnd.NormFloat64()}
		uv := [2]float64{rnd.NormFloat64(), rnd.NormFloat64()}
		sin, cos := math.Sincos(p.Rotation)
		// The extension gives its matrices by columns.
		move := geom.Mat3{{1, 0, p.Offset[0]}, {0, 1, p.Offset[1]}, {0, 0, 1}}
		turn := geom.Mat3{{cos, sin, 0}, {-sin, cos, 0}, {0, 0, 1}}
		grow := geom.Mat3{{p.Scale[0], 0, 0}, {0, p.Scale[1], 0}, {0, 0, 1}}
		want := move.Mul(turn).Mul(grow).Apply(geom.Vec3{uv[0], 1 - uv[1], 1})
		is := p.At(uv)
		assert.InDelta(t, want[0], is[0], 1e-12)
		assert.InDelta(t, 1-want[1], is[1], 1e-12)
	}
	assert.Equal(t, [2]float64{3, 4}, (*Placement)(nil).At([2]float64{3, 4}))
}
