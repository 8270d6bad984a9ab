package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/scene"
)

// painted is a picture whose pixels f gives, as PNG.
func painted(t *testing.T, f func(x, y int) color.NRGBA) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 60, 40))
	for y := range 40 {
		for x := range 60 {
			img.SetNRGBA(x, y, f(x, y))
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

// direction is the colour of the unit vector that leans by x and y.
func direction(x, y float64) color.NRGBA {
	n := math.Sqrt(x*x + y*y + 1)
	c := func(v float64) uint8 { return uint8(math.Round((v/n + 1) / 2 * 255)) }
	return color.NRGBA{c(x), c(y), c(1), 255}
}

// A normal map is told from heights, from photographs and from blue paint.
func TestWhatAPictureLooksLike(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	any := func() uint8 { return uint8(r.IntN(256)) }
	for name, c := range map[string]struct {
		f    func(x, y int) color.NRGBA
		want Shows
	}{
		"waves": {func(x, y int) color.NRGBA { return direction(math.Sin(float64(x)/5), math.Cos(float64(y)/3)) },
			Directions},
		"flat":          {func(int, int) color.NRGBA { return color.NRGBA{128, 128, 255, 255} }, Directions},
		"with heights":  {func(x, y int) color.NRGBA { c := direction(.3, -.2); c.A = any() | 1; return c }, Directions},
		"heights":       {func(x, y int) color.NRGBA { v := any(); return color.NRGBA{v, v, v, 255} }, Grey},
		"white":         {func(int, int) color.NRGBA { return color.NRGBA{255, 255, 255, 255} }, Grey},
		"photograph":    {func(int, int) color.NRGBA { return color.NRGBA{any(), any(), any(), 255} }, Colours},
		"blue paint":    {func(int, int) color.NRGBA { return color.NRGBA{20, 40, 255, 255} }, Colours},
		"inward":        {func(int, int) color.NRGBA { return color.NRGBA{128, 128, 0, 255} }, Colours},
		"one part only": {func(x, _ int) color.NRGBA { return color.NRGBA{uint8(x * 4), 128, 128, 255} }, Colours},
	} {
		got, share := Look(painted(t, c.f))
		assert.Equal(t, c.want, got, name)
		assert.GreaterOrEqual(t, share, 95, name)
	}
	got, _ := Look([]byte("no picture"))
	assert.Equal(t, Unknown, got)
}

func TestAFullChannel(t *testing.T) {
	data := painted(t, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), uint8(200 + y), 255, 255} })
	for c, want := range map[scene.Channel]bool{scene.Red: false, scene.Green: false, scene.Blue: true, scene.Alpha: true,
		scene.Whole: false} {
		assert.Equal(t, want, Full(data, c), "channel %d", c)
	}
}
