package figure

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
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
	assert.Equal(t, "12\u2009672", Count(12672))
	assert.Equal(t, "−1 234 567.5", plain(Number(-1234567.5, 1)))
	assert.Equal(t, "0", Number(-0.2, 0))
	assert.Equal(t, "21 840", plain(In(218.4, target.Units[1])))
	assert.Equal(t, "0.0099", Significant(0.0099, 3))
	assert.Equal(t, "100", Significant(100, 3))
}

func TestTypedLengths(t *testing.T) {
	for s, want := range map[string]float64{"2.18": 2.18, "2,18": 2.18, "218 cm": 2.18, "218cm": 2.18, "10 in": 0.254, "7 ft": 2.1336,
		"1 200": 1200, "40 millimetres": 0.04, "-3 m": -3} {
		got, err := ParseLength(s, target.Units[5])
		require.NoError(t, err, s)
		assert.InDelta(t, want, got, 1e-12, s)
	}
	for _, s := range []string{"", "tall", "NaN", "1e999", "m", "3 furlong"} {
		_, err := ParseLength(s, target.Units[5])
		assert.Error(t, err, s)
	}
}
