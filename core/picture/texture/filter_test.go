package texture

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

	"yarvek/core/picture/picturetest"
)

// A checker of single pixels is half the light of white, whose sRGB value is 188, not half its number.
func TestACheckerBecomesTheRightGrey(t *testing.T) {
	checker := picturetest.Painted(64, 64, func(x, y int) color.NRGBA {
		v := uint8(255 * ((x + y) & 1))
		return color.NRGBA{v, v, v, 255}
	})
	for _, size := range []int{32, 16, 8, 1} {
		small := Resized(ctx, checker, size, size, Colours)
		for i := 0; i < len(small.Pix); i += 4 {
			assert.Equal(t, []uint8{188, 188, 188, 255}, small.Pix[i:i+4])
		}
	}
	assert.Equal(t, []uint8{128, 128, 128, 255}, Resized(ctx, checker, 8, 8, Numbers).Pix[:4], "numbers are no light")
}

// What is clear does not bleed into what is not, and keeps a colour of its own.
func TestClearPixelsDoNotBleed(t *testing.T) {
	img := picturetest.Painted(4, 2, func(x, y int) color.NRGBA {
		switch x {
		case 0:
			return color.NRGBA{200, 10, 10, 255}
		case 1:
			return color.NRGBA{0, 255, 0, 0}
		}
		return color.NRGBA{40, 60, 80, 0}
	})
	small := Resized(ctx, img, 2, 1, Colours)
	assert.Equal(t, []uint8{200, 10, 10, 128}, small.Pix[:4])
	assert.Equal(t, []uint8{40, 60, 80, 0}, small.Pix[4:8])
}

// Any size is the integral over each new pixel, as mixing by brute force gives it.
func TestSizesAreIntegrals(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	img := picturetest.Painted(7, 5, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256))}
	})
	small := Resized(ctx, img, 3, 2, Numbers)
	const fine = 420 // divides by all of them
	for y := range 2 {
		for x := range 3 {
			var sum [4]float64
			n := 0
			for v := y * fine / 2; v < (y+1)*fine/2; v += 6 {
				for u := x * fine / 3; u < (x+1)*fine/3; u += 4 {
					p := img.NRGBAAt(u*7/fine, v*5/fine)
					for k, c := range []uint8{p.R, p.G, p.B, p.A} {
						sum[k] += float64(c)
					}
					n++
				}
			}
			for k := range 4 {
				assert.InDelta(t, sum[k]/float64(n), float64(small.Pix[y*small.Stride+4*x+k]), 1.01)
			}
		}
	}
	same := Resized(ctx, img, 7, 5, Numbers)
	assert.Equal(t, img.Pix, same.Pix, "of its own size it is itself")
}

// Directions are of unit length at every size, to what a byte can tell.
func TestDirectionsStayOfUnitLength(t *testing.T) {
	img := bumps(96, 80, 1)
	for _, size := range [][2]int{{48, 40}, {31, 17}, {200, 150}, {1, 1}} {
		small := Resized(ctx, img, size[0], size[1], Directions)
		for i := 0; i < len(small.Pix); i += 4 {
			sum := 0.0
			for k := range 3 {
				d := (float64(small.Pix[i+k]) - 127.5) / 127.5
				sum += d * d
			}
			require.InDelta(t, 1, math.Sqrt(sum), 0.012)
		}
	}
}

// bumps is the normal map of a surface of waves, whose green points up for 1 and down for -1.
func bumps(w, h int, up float64) *image.NRGBA {
	return picturetest.Painted(w, h, func(x, y int) color.NRGBA {
		u, v := float64(x)/9, float64(y)/7
		// Heights sin(u)·cos(v) + sin(u+v)/2, with v downward.
		hx := (math.Cos(u)*math.Cos(v) + math.Cos(u+v)/2) / 9 * 4
		hy := (-math.Sin(u)*math.Sin(v) + math.Cos(u+v)/2) / 7 * 4
		n := [3]float64{-hx, up * hy, 1}
		l := math.Sqrt(n[0]*n[0] + n[1]*n[1] + 1)
		b := func(v float64) uint8 { return uint8(math.Round(127.5 + 127.5*v/l)) }
		return color.NRGBA{b(n[0]), b(n[1]), b(n[2]), 255}
	})
}

// Which way green points is told of made maps either way, and of none that says nothing.
func TestGreenIsToldFromThePicture(t *testing.T) {
	up := bumps(128, 96, 1)
	g, fit := GreenOf(ctx, up)
	assert.Equal(t, GreenUp, g)
	assert.Greater(t, fit, 0.9)
	g, _ = GreenOf(ctx, bumps(128, 96, -1))
	assert.Equal(t, GreenDown, g)
	g, _ = GreenOf(ctx, GreenTurned(up))
	assert.Equal(t, GreenDown, g)
	g, _ = GreenOf(ctx, Resized(ctx, up, 64, 48, Directions))
	assert.Equal(t, GreenUp, g, "smaller, too")
	assert.Equal(t, up.Pix, GreenTurned(GreenTurned(up)).Pix)

	flat := picturetest.Painted(64, 64, func(int, int) color.NRGBA { return color.NRGBA{128, 128, 255, 255} })
	r := rand.New(rand.NewPCG(1, 2))
	noise := picturetest.Painted(128, 128, func(int, int) color.NRGBA {
		return color.NRGBA{uint8(88 + r.IntN(80)), uint8(88 + r.IntN(80)), 240, 255}
	})
	ramp := picturetest.Painted(64, 64, func(x, _ int) color.NRGBA { return color.NRGBA{uint8(100 + x/2), 128, 250, 255} })
	for name, img := range map[string]*image.NRGBA{"flat": flat, "noise": noise, "ramp": ramp,
		"tiny": picturetest.Painted(2, 2, func(int, int) color.NRGBA { return color.NRGBA{} })} {
		g, _ := GreenOf(ctx, img)
		assert.Equal(t, Unsaid, g, name)
	}
}

func TestPowersOfTwo(t *testing.T) {
	for _, c := range []struct{ n, down, up, nearest int }{{1, 1, 1, 1}, {2, 2, 2, 2}, {3, 2, 4, 4}, {90, 64, 128, 64},
		{91, 64, 128, 128}, {1024, 1024, 1024, 1024}, {1500, 1024, 2048, 2048}} {
		assert.Equal(t, []int{c.down, c.up, c.nearest}, []int{PowerOfTwo(c.n, Down), PowerOfTwo(c.n, Up),
			PowerOfTwo(c.n, Nearest)}, c.n)
	}
	w, h := Limited(4096, 512, 1024)
	assert.Equal(t, [2]int{1024, 128}, [2]int{w, h})
	w, h = Limited(300, 200, 0)
	assert.Equal(t, [2]int{300, 200}, [2]int{w, h}, "without a limit it stays")
}

// A picture of 4096 x 4096 pixels halved twice, against reading and writing it as PNG.
func BenchmarkResizedTwice(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 9))
	img := picturetest.Painted(4096, 4096, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(x>>4 + r.IntN(4)), uint8(y >> 4), uint8((x + y) >> 5), 255}
	})
	var file bytes.Buffer
	require.NoError(b, png.Encode(&file, img))
	b.Run("halves", func(b *testing.B) {
		for b.Loop() {
			Resized(ctx, Resized(ctx, img, 2048, 2048, Colours), 1024, 1024, Colours)
		}
	})
	b.Run("read and write", func(b *testing.B) {
		for b.Loop() {
			got, err := png.Decode(bytes.NewReader(file.Bytes()))
			require.NoError(b, err)
			require.NoError(b, png.Encode(&bytes.Buffer{}, got))
		}
		b.ReportMetric(float64(file.Len())/1e6, "MB")
	})
}
