package scene

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// grown is a simple polygon on whole numbers, made by splitting sides of a square outward
// or inward wherever the new corner leaves it simple: corners on lines, of equal height
// and all forms of turns.
func grown(r *rand.Rand, n int) [][2]float64 {
	p := [][2]float64{{0, 0}, {40, 0}, {40, 40}, {0, 40}}
	crossing := func(a, b, c, d [2]float64) bool {
		on := func(a, b, q [2]float64) bool {
			return cross2(a, b, q) == 0 && min(a[0], b[0]) <= q[0] && q[0] <= max(a[0], b[0]) &&
				min(a[1], b[1]) <= q[1] && q[1] <= max(a[1], b[1])
		}
		return cross2(a, b, c)*cross2(a, b, d) < 0 && cross2(c, d, a)*cross2(c, d, b) < 0 ||
			on(a, b, c) || on(a, b, d) || on(c, d, a) || on(c, d, b)
	}
	for tries := 0; len(p) < n && tries < 40*n; tries++ {
		k := r.IntN(len(p))
		a, b := p[k], p[(k+1)%len(p)]
		q := [2]float64{float64(r.IntN(61) - 10), float64(r.IntN(61) - 10)}
		free := true
		for i := range p {
			c, d := p[i], p[(i+1)%len(p)]
			switch {
			case c == q:
				free = false
			case i == k: // the side that goes
			case d == a:
				free = free && !crossing(q, b, c, d) && (cross2(c, d, q) != 0)
			case c == b:
				free = free && !crossing(a, q, c, d) && (cross2(c, d, q) != 0)
			default:
				free = free && !crossing(a, q, c, d) && !crossing(q, b, c, d)
			}
		}
		if free {
			p = append(p[:k+1], append([][2]float64{q}, p[k+1:]...)...)
		}
	}
	return p
}

// The sweep cuts every simple polygon, and says of one that crosses itself that it is
// not cut. Its own judgment is judged here by area, count and sign, summed by another
// formula.
func TestTheSweepCutsEverySimplePolygon(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 3))
		p := grown(r, 4+r.IntN(60))
		// Turned about, nothing is level any more.
		if seed%2 == 1 {
			sin, cos := math.Sincos(float64(seed))
			for i, q := range p {
				p[i] = [2]float64{cos*q[0] - sin*q[1], sin*q[0] + cos*q[1]}
			}
		}
		corners := make([]int32, len(p))
		want := 0.0
		for i := range p {
			corners[i] = int32(i)
			q := p[(i+1)%len(p)]
			want += p[i][0]*q[1] - p[i][1]*q[0]
		}
		require.Positive(t, want, seed)
		list, ok := new(sweeper).cut(corners, p)
		require.True(t, ok, "%d: %v", seed, p)
		sum := 0.0
		for _, c := range list {
			a := cross2(p[c[0]], p[c[1]], p[c[2]])
			require.GreaterOrEqual(t, a, -1e-9, seed)
			sum += a
		}
		require.Len(t, list, len(p)-2)
		require.InDelta(t, want, sum, 1e-6, seed)
	}
}

func TestTheSweepKnowsWhenItCutNothing(t *testing.T) {
	bow := [][2]float64{{0, 0}, {4, 4}, {4, 0}, {0, 4}, {-3, 2}}
	_, ok := new(sweeper).cut([]int32{0, 1, 2, 3, 4}, bow)
	assert.False(t, ok)
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 9))
		p := make([][2]float64, 5+r.IntN(40))
		corners := make([]int32, len(p))
		for i := range p {
			p[i], corners[i] = [2]float64{float64(r.IntN(9)), float64(r.IntN(9))}, int32(i)
		}
		new(sweeper).cut(corners, p) // ends, and breaks off nowhere
	}
}
