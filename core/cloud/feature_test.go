package cloud

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

// Features are found where they were made, through noise and among points of other things, wherever the cloud is
// carried.
func TestFeatures(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 9))
	const noise = .0004
	shaken := func(p geom.Vec3) geom.Vec3 {
		return p.Add(geom.Vec3{noise * rng.NormFloat64(), noise * rng.NormFloat64(), noise * rng.NormFloat64()})
	}
	c := &Cloud{}
	ballAt, rimAt, plateAt := geom.Vec3{1, .2, 0}, geom.Vec3{-1, .3, .1}, geom.Vec3{0, 0, 3}
	tilt := geom.Rotation(geom.Vec3{1, 1, 0}.Unit(), .5)
	for range 3000 { // a cap of a ball
		d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
		if d[1] > -.2 {
			c.Points = append(c.Points, shaken(ballAt.Add(d.Mul(.15))))
		}
	}
	for range 3000 { // a rim, three quarters of it, and the wall of the pipe below it
		a, h := 1.5*math.Pi*rng.Float64(), 0.0
		if rng.IntN(3) == 0 {
			h = -.08 * rng.Float64()
		}
		c.Points = append(c.Points, shaken(rimAt.Add(tilt.Apply(geom.Vec3{.1 * math.Cos(a), h, .1 * math.Sin(a)}))))
	}
	for range 3000 { // two sides of a block, which meet in a line along z through plateAt
		v, z := .2*rng.Float64(), .4*rng.Float64()-.2
		if rng.IntN(2) == 0 {
			c.Points = append(c.Points, shaken(plateAt.Add(geom.Vec3{v, 0, z})))
		} else {
			c.Points = append(c.Points, shaken(plateAt.Add(geom.Vec3{0, -v, z})))
		}
	}
	for range 200 { // strays
		c.Points = append(c.Points, geom.Vec3{3*rng.Float64() - 1.5, rng.Float64(), 4 * rng.Float64()})
	}
	by := geom.Affine{M: geom.Rotation(geom.Vec3{2, 1, -1}.Unit(), 1.1).Scaled(2), T: geom.Vec3{10, -4, 1}}
	for _, x := range []struct {
		sort         Sort
		pick         geom.Vec3
		reach        float64
		centre       geom.Vec3
		radius, near float64
	}{
		{Ball, ballAt.Add(geom.Vec3{0, .15, 0}), .25, ballAt, .15, .001},
		{Circle, rimAt.Add(tilt.Apply(geom.Vec3{.1, 0, 0})), .25, rimAt, .1, .003},
		{Plane, plateAt.Add(geom.Vec3{.1, 0, 0}), .08, plateAt.Add(geom.Vec3{.1, 0, 0}), 0, .01},
		{Edge, plateAt.Add(geom.Vec3{0, 0, .05}), .12, plateAt.Add(geom.Vec3{0, 0, .05}), 0, .01},
	} {
		f, err := c.FeatureAt(x.sort, by.Apply(x.pick), 2*x.reach, by)
		require.NoError(t, err, x.sort)
		assert.Less(t, f.Centre.Dist(by.Apply(x.centre)), 2*x.near, "%s: %+v, not %v", x.sort, f, by.Apply(x.centre))
		assert.InDelta(t, 2*x.radius, f.Radius, 2*.002, x.sort)
		assert.Less(t, f.RMS, .02*2*x.reach, x.sort)
		again, err := c.FeatureAt(x.sort, by.Apply(x.pick), 2*x.reach, by)
		require.NoError(t, err)
		assert.Equal(t, f, again)
	}
	// What is on the edge lies in both planes, whatever is said of where along it.
	f, err := c.FeatureAt(Edge, plateAt, .15, geom.Identity)
	require.NoError(t, err)
	assert.InDelta(t, 0, math.Hypot(f.Centre[0]-plateAt[0], f.Centre[1]-plateAt[1]), .0005)
	_, err = c.FeatureAt(Ball, plateAt.Add(geom.Vec3{0, 0, .1}), .001, geom.Identity)
	require.ErrorContains(t, err, "within")
	_, err = c.FeatureAt(Ball, plateAt, .15, geom.Identity)
	require.ErrorContains(t, err, "no ball")
	_, err = c.FeatureAt("cone", plateAt, .15, geom.Identity)
	require.Error(t, err)
}
