package draft

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
)

// Wherever its origin is, what stands is on the paper, with its origin at the height that it has to it.
func TestArrivalsStandOnThePaper(t *testing.T) {
	for _, low := range []float64{0, 0.5, -1, -2, 3, 100, -100, 6000, -6000} {
		box := geom.Box{Min: geom.Vec3{60 + low, low, 0}, Max: geom.Vec3{61 + low, low + 2, 1}}
		a := NewArrival(box, box)
		c := &canvas{Drawing: &Drawing{}}
		ox, oy := c.stand(a.Left, 600, 400, 800)
		base, top := oy-box.Min[1]*a.Left.Scale, oy-box.Max[1]*a.Left.Scale
		assert.LessOrEqual(t, base, arrivalBase+1e-6, "%g", low)
		assert.GreaterOrEqual(t, top, arrivalBase-arrivalHigh-1e-6, "%g", low)
		assert.InDelta(t, 600, ox+60.5*a.Left.Scale+low*a.Left.Scale, 1e-6*max(1, -low, low)*a.Left.Scale, "%g", low)
	}
}

// Both are drawn at one scale where both can be seen at it, and what is far larger or smaller at its own.
func TestArrivalScales(t *testing.T) {
	box := func(size float64) geom.Box { return geom.Box{Max: geom.Vec3{size, size, size}} }
	same := NewArrival(box(2), box(2))
	assert.Equal(t, same.Left.Scale, same.Came.Scale)
	large := NewArrival(box(200), box(2))
	assert.InDelta(t, large.Left.Scale/100, large.Came.Scale, large.Left.Scale/50)
	small := NewArrival(box(0.02), box(2))
	assert.Greater(t, small.Came.Scale, 50*small.Left.Scale)
	assert.Contains(t, small.Draw().SVG, "of the scale beside it", "and that is said")
	assert.NotContains(t, same.Draw().SVG, "of the scale beside it")
	assert.NotPanics(t, func() { NewArrival(geom.EmptyBox(), geom.EmptyBox()).Draw() })
}
