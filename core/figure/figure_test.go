package figure

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plain writes thin spaces as common ones, for reading.
func plain(s string) string { return strings.ReplaceAll(s, thin, " ") }

func TestLengths(t *testing.T) {
	for v, want := range map[float64]string{
		0: "0 m", 218.4: "218.40 m", 2.184: "2.18 m", 0.62: "0.620 m", 0.0131: "13.1 mm", 0.0013: "1.30 mm",
		-0.4: "−0.400 m", 12672: "12.67 km", 1e-9: "under 0.001 mm",
	} {
		assert.Equal(t, want, plain(Length(v)))
	}
	assert.Equal(t, "12\u202f672", Count(12672))
	assert.Equal(t, "−1 234 567.5", plain(Number(-1234567.5, 1)))
	assert.Equal(t, "0", Number(-0.2, 0))
	assert.Equal(t, "21 840", plain(In(218.4, Units[1])))
	assert.Equal(t, "0.0099", Significant(0.0099, 3))
	assert.Equal(t, "100", Significant(100, 3))
}

func TestTypedLengths(t *testing.T) {
	for s, want := range map[string]float64{"2.18": 2.18, "2,18": 2.18, "218 cm": 2.18, "218cm": 2.18, "10 in": 0.254, "7 ft": 2.1336,
		"1 200": 1200, "40 millimetres": 0.04, "-3 m": -3, `6' 2"`: 1.8796, "6ft 2in": 1.8796, "6 ft 2.5 in": 1.8923,
		"6’2”": 1.8796, "1,5 m": 1.5, "1,5": 1.5, `9"`: 0.2286, "7'": 2.1336, "-1' 6": -0.4572, "1 inch": 0.0254, "2 Feet": 0.6096, "1.2 km": 1200,
		"3 yd": 2.7432} {
		got, err := ParseLength(s, Units[5])
		require.NoError(t, err, s)
		assert.InDelta(t, want, got, 1e-12, s)
	}
	for _, s := range []string{"", "tall", "NaN", "1e999", "m", "3 furlong", "1,5,2", "6' x", "' 2", "1.2.3 m"} {
		_, err := ParseLength(s, Units[5])
		assert.Error(t, err, s)
	}
}

// Whatever is printed as a length can be typed as one, and means the same but for rounding.
func TestWhatIsPrintedCanBeTyped(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 3000 {
		m := math.Pow(10, 12*r.Float64()-7) * (2*r.Float64() - 1)
		for _, s := range []string{Length(m), Imperial(m), Length(m) + " "} {
			got, err := ParseLength(s, Metre)
			require.NoError(t, err, s)
			require.InDelta(t, m, got, 0.06*math.Abs(m)+1.3e-4, "%q", s) // as many digits as are printed
		}
	}
}
