package extents

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func of(m *scene.Mesh) Mass {
	var s MassSum
	m.EachTriangle(func(_ int, a, b, c int32) {
		s.Add(m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]])
	})
	return s.Mass()
}

// Of boxes and rings the formulas of the book are known.
func TestMassByFormula(t *testing.T) {
	b := of(new(shape.Builder).Box(geom.Vec3{1000, 5, -3}, geom.Vec3{1002, 8, 1}).Mesh("box"))
	assert.InDelta(t, 24, b.Volume, 1e-9)
	assert.InDelta(t, 0, b.Centre.Dist(geom.Vec3{1001, 6.5, -1}), 1e-9)
	for k, want := range []float64{24. / 12 * (9 + 16), 24. / 12 * (4 + 16), 24. / 12 * (4 + 9)} {
		assert.InDelta(t, want, b.Tensor[k][k], 1e-8)
		assert.InDelta(t, 0, b.Tensor[k][(k+1)%3], 1e-8)
	}
	// A ring: volume 2π²Rr², about its axis m(R² + 3r²/4), across it m(R²/2 + 5r²/8).
	const R, r = 2, 0.5
	ring := of(shapetest.Torus(R, r, 400, 200))
	m := 2 * math.Pi * math.Pi * R * r * r
	assert.InEpsilon(t, m, ring.Volume, 1e-3)
	assert.InEpsilon(t, m*(R*R+0.75*r*r), ring.Tensor[1][1], 1e-3)
	assert.InEpsilon(t, m*(R*R/2.+5./8*r*r), ring.Tensor[0][0], 1e-3)
}
