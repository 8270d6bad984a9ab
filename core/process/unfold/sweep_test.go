package unfold

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ring is an outline of places in turn.
func ring(n int, at func(i int) complex128) (places []complex128, border [][2]int32) {
	for i := range n {
		places = append(places, at(i))
		border = append(border, [2]int32{int32(i), int32((i + 1) % n)})
	}
	return places, border
}

// The sweep finds a crossing where holding each against each does, and nowhere else: stars, walks, and
// outlines of which one place was moved.
func TestTheSweepFindsWhatEachAgainstEachDoes(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	crossed, exact, missed := 0, 0, 0
	for trial := range 4000 {
		n := 4 + r.IntN(40)
		var at []complex128
		var border [][2]int32
		switch trial % 4 {
		case 0: // round, with one place moved
			at, border = ring(n, func(i int) complex128 {
				return cmplx.Rect(1+0.3*r.Float64(), 2*math.Pi*float64(i)/float64(n))
			})
			at[r.IntN(n)] += complex(r.NormFloat64()*0.3, r.NormFloat64()*0.3)
		case 1: // any
			at, border = ring(n, func(int) complex128 { return complex(r.Float64(), r.Float64()) })
		case 2: // on a grid, with touching and upright ones
			at, border = ring(n, func(int) complex128 { return complex(float64(r.IntN(6)), float64(r.IntN(6))) })
		default: // single sides
			for i := range n {
				a := complex(r.Float64(), r.Float64())
				at = append(at, a, a+cmplx.Rect(0.1*r.Float64(), 7*r.Float64()))
				border = append(border, [2]int32{int32(2 * i), int32(2*i + 1)})
			}
		}
		want := crossingEach(at, border)
		if want {
			crossed++
		}
		// where sides lie on one another their order from below is any: never a crossing too many, seldom one missed
		if trial%4 == 2 {
			is := crossing(at, border)
			require.False(t, is && !want, "trial %d", trial)
			if want {
				exact++
				if !is {
					missed++
				}
			}
			continue
		}
		require.Equal(t, want, crossing(at, border), "trial %d", trial)
	}
	t.Logf("of %d outlines on a grid that cross, %d were missed", exact, missed)
	assert.LessOrEqual(t, missed, exact/100)
	assert.Greater(t, crossed, 500)
	assert.Less(t, crossed, 3500)
}

// A comb of many long teeth, upright and leaning, is swept in n log n; one tooth that leans over is found.
func TestManySidesAreSwept(t *testing.T) {
	const n = 200_000
	for _, lean := range []float64{0, 0.7, math.Pi / 2} {
		at, border := ring(n, func(i int) complex128 {
			switch i {
			case n - 1:
				return complex(-1, -1) * cmplx.Rect(1, lean)
			case n - 2:
				return complex(n, -1) * cmplx.Rect(1, lean)
			}
			return complex(float64(i), 50_000*float64(i/2%2)) * cmplx.Rect(1, lean)
		})
		assert.False(t, crossing(at, border), "leaning by %g", lean)
		at[100_002] += 7 * cmplx.Rect(1, lean)
		assert.True(t, crossing(at, border), "leaning by %g", lean)
	}
}
