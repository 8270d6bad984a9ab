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
	for s, want := range map[string]float64{"2.18": 2.18, "2,18": 2.18, "218 cm": 2.18, "218cm": 2.18, "10 in": 0.254,
		"7 ft":  2.1336,
		"1 200": 1200, "40 millimetres": 0.04, "-3 m": -3, `6' 2"`: 1.8796, "6ft 2in": 1.8796, "6 ft 2.5 in": 1.8923,
		"6’2”": 1.8796, "1,5 m": 1.5, "1,5": 1.5, `9"`: 0.2286, "7'": 2.1336, "-1' 6": -0.4572, "1 inch": 0.0254,
		"2 Feet": 0.6096, "1.2 km": 1200,
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

// Every bound between two ways of writing is met from both sides.
func TestBoundsOfFigures(t *testing.T) {
	for _, x := range []struct{ is, want string }{
		{Length(0.00999), "9.99 mm"}, {Length(0.01), "10.0 mm"}, {Length(0.0999), "99.9 mm"}, {Length(0.1), "0.100 m"},
		{Length(0.9996), "1.000 m"}, {Length(1), "1.00 m"}, {Length(9999.9), "9 999.90 m"}, {Length(10_000), "10.00 km"},
		{Length(1e-6), "0.00 mm"}, {Length(2e7), "20 000 km"},
		{Area(0), "0 m²"}, {Area(9e-5), "90 mm²"}, {Area(1e-4), "1 cm²"}, {Area(0.025), "250 cm²"}, {Area(0.099), "990 cm²"},
		{Area(0.1), "0.1 m²"}, {Area(1.5), "1.5 m²"}, {Area(-0.02), "−200 cm²"},
		{Volume(0), "0 m³"}, {Volume(9e-4), "900 cm³"}, {Volume(1e-3), "1 litres"}, {Volume(0.25), "250 litres"},
		{Volume(1), "1 m³"},
		{Volume(2.5), "2.5 m³"},
		{Imperial(0), "0 in"}, {Imperial(0.0254 * 0.005), "0.005 in"}, {Imperial(0.0254), "1.00 in"},
		{Imperial(0.0254 * 11.994), "11.99 in"},
		{Imperial(0.3048), "1 ft"}, {Imperial(0.0254 * 23.5), "1 ft 11.5 in"}, {Imperial(0.0254 * 23.94), "1 ft 11.9 in"},
		{Imperial(0.0254 * 23.96), "2 ft"}, {Imperial(-0.3048), "−1 ft"},
		{Bytes(1023), "1023 bytes"}, {Bytes(1 << 10), "1.0 kB"}, {Bytes(1<<20 - 1), "1024.0 kB"}, {Bytes(3 << 19), "1.5 MB"},
		{Bytes(5 << 29), "2.5 GB"},
		{Percent(0), "0 %"}, {Percent(0.0009), "under 0.1 %"}, {Percent(0.001), "0.1 %"}, {Percent(0.256), "26 %"},
		{Percent(1), "100 %"},
		{Degrees(math.Pi / 6), "30°"}, {Degrees(math.Pi / 24), "7.5°"}, {Degrees(-math.Pi), "−180°"},
		{Degrees(9.96 * math.Pi / 180), "10°"},
		{Degrees(12.34 * math.Pi / 180), "12.3°"},
		{In(0, Units[1]), "0"}, {In(0.01234, Units[1]), "1.23"}, {In(0.00012, Units[5]), "0.0001"},
		{In(0.5, Units[5]), "0.500"},
		{In(0.05, Units[5]), "0.0500"}, {In(150, Units[5]), "150.0"}, {In(1500, Units[5]), "1 500"},
		{In(5e-5, Units[5]), "0.00005"},
		{In(2e9, Units[5]), "2.000e+09"}, {Plural(1, "mesh", "meshes"), "1 mesh"}, {Plural(0, "mesh", "meshes"), "0 meshes"},
		{Plural(1200, "mesh", "meshes"), "1 200 meshes"}, {Significant(0, 3), "0"}, {Significant(12345, 2), "12 345"},
		{Significant(1.5e-7, 3), "1.50e-07"}, {In(1.5e9, Units[5]), "1.500e+09"}, {Bytes(1 << 30), "1.0 GB"},
		{Bytes(1 << 20), "1.0 MB"}, {Imperial(0.0254 * 0.00512), "0.0051 in"}, {Imperial(0.3048 * 1500.2), "1 500 ft"},
		{Area(12.34e-6), "12.3 mm²"}, {Volume(12.34e-6), "12.3 cm³"}, {Number(999, 0), "999"}, {Number(1000, 0), "1 000"},
	} {
		assert.Equal(t, x.want, plain(x.is))
	}
}
