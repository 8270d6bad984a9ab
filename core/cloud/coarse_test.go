package cloud

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

// Every size is what plain cubes give, one by one: which points stay, and how far all others are from theirs.
func TestCoarserIsWhatCubesGive(t *testing.T) {
	c, _, _ := bell()
	const finest = .004
	list, err := c.Coarser(context.Background(), finest, 16)
	require.NoError(t, err)
	require.Len(t, list, 16)
	from := c.Box().Min
	for k, l := range list {
		require.InEpsilon(t, finest*math.Exp2(float64(k)/3), l.Edge, 1e-12)
		cubes := map[[3]int][]int{}
		for i, p := range c.Points {
			var at [3]int
			for a := range 3 {
				at[a] = int((p[a] - from[a]) / l.Edge)
			}
			cubes[at] = append(cubes[at], i)
		}
		stays := map[int32]bool{}
		for _, i := range l.Keep {
			stays[i] = true
		}
		assert.Len(t, l.Keep, len(cubes), "one of each cube of %g", l.Edge)
		worst, sum := 0.0, 0.0
		for _, in := range cubes {
			mean, one := geom.Vec3{}, -1
			for _, i := range in {
				mean = mean.Add(c.Points[i].Mul(1 / float64(len(in))))
				if stays[int32(i)] {
					one = i
				}
			}
			require.GreaterOrEqual(t, one, 0)
			for _, i := range in {
				assert.LessOrEqual(t, c.Points[one].Dist(mean), c.Points[i].Dist(mean)+1e-12)
				worst, sum = max(worst, c.Points[i].Dist(c.Points[one])), sum+c.Points[i].Dist(c.Points[one])
			}
		}
		assert.InDelta(t, worst, l.Max, 1e-12)
		assert.InDelta(t, sum/float64(len(c.Points)), l.Mean, 1e-12)
		assert.LessOrEqual(t, l.Max, l.Edge*math.Sqrt(3))
		assert.True(t, l.RMS >= l.Mean && l.RMS <= l.Max)
	}
	_, err = c.Coarser(context.Background(), 1e-9, 3)
	require.ErrorContains(t, err, "too fine")
}

// The outermost of many points have nearly the hull of all: in a thousand directions they reach as far, to a
// thousandth.
func TestTheOutermostReachAsFar(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	for _, flat := range []float64{1, .05} {
		c := &Cloud{}
		for range 200_000 {
			p := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
			c.Points = append(c.Points, geom.Vec3{3 * p[0], p[1] * flat, p[2]})
		}
		some := c.Outermost()
		assert.Less(t, len(some), 30_000)
		for range 1000 {
			d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
			reach := func(list []geom.Vec3) (most float64) {
				for _, p := range list {
					most = max(most, p.Dot(d))
				}
				return most
			}
			assert.InDelta(t, reach(c.Points), reach(some), .003)
		}
	}
	few := &Cloud{Points: []geom.Vec3{{1, 2, 3}, {4, 5, 6}}}
	assert.Equal(t, few.Points, few.Outermost())
}
