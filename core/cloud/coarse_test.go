package cloud

import (
	"context"
	"math"
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
