package figure

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestNumbersAreTypedInUnits(t *testing.T) {
	for _, x := range []struct {
		v     float64
		power int
		text  string
	}{{0.02, -3, "20"}, {0.0001, -3, "0.1"}, {1.8, 0, "1.8"}, {0.25, -2, "25"}, {0, -3, "0"}, {-0.005, -3, "-5"},
		{1024, 0, "1024"}, {1e-12, -3, "0.000000001"}, {1e30, 0, "1e30"}, {0.3, -3, "300"}, {1234.5678, -3, "1234567.8"}} {
		assert.Equal(t, x.text, Untyped(x.v, x.power))
		got, err := Typed(x.text, x.power)
		require.NoError(t, err)
		assert.Equal(t, x.v, got, x.text)
	}
	for text, v := range map[string]float64{"1\u202f024": 1024, "1 024,5": 1024.5, "−3": -3, "2e1": 20, " 7 ": 7} {
		got, err := Typed(text, 0)
		require.NoError(t, err, text)
		assert.Equal(t, v, got, text)
	}
	for _, text := range []string{"", "Inf", "NaN", "0x1p3", "1,2,3", "1e999", "1e99999999999", "e5", "five", "1.2.3"} {
		_, err := Typed(text, 0)
		assert.Error(t, err, text)
	}
}

// Whatever is kept comes back to the last bit, in every unit.
func TestNumbersComeBackAsTheyWere(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		v := math.Float64frombits(rng.Uint64())
		if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e300 || math.Abs(v) < 1e-290 {
			continue
		}
		if rng.IntN(2) == 0 {
			v = math.Round(rng.Float64()*1e6) / 1e6
		}
		for _, power := range []int{-6, -3, -2, 0, 3} {
			got, err := Typed(Untyped(v, power), power)
			require.NoError(t, err)
			require.Equal(t, v, got, "%g with %d", v, power)
		}
	}
}

func TestAPointIsThreeNumbers(t *testing.T) {
	got, err := TypedPoint(" 1.5, −2,3e-1")
	require.NoError(t, err)
	assert.Equal(t, [3]float64{1.5, -2, 0.3}, got)
	for _, text := range []string{"", "1,2", "1,2,3,4", "1,2,", "1,2,3m", "1,NaN,3", "0,0,1e999"} {
		got, err = TypedPoint(text)
		assert.Error(t, err, text)
		assert.Zero(t, got, text)
	}
}
