package picture

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/scene"
)

// One large picture is open at a time; small ones do not wait for it, and who gives up does not either.
func TestOneLargePictureAtATime(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	done := Alone(ctx, largePixels)
	Alone(ctx, largePixels-1)()
	cancel()
	Alone(ctx, largePixels)() // returns, since its context has ended
	next := make(chan struct{})
	go func() { defer close(next); Alone(context.Background(), sweptPixels)() }()
	select {
	case <-next:
		t.Fatal("two at once")
	default:
	}
	done()
	<-next
}

// Made smaller by stripes, each pixel is the mean of those it stands for, however the picture holds them and however
// its size divides.
func TestFewerPixelsAreMeans(t *testing.T) {
	at := func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(3 * x), uint8(5 * y), uint8(x * y), uint8(255 - (x+y)%3*100)}
	}
	for _, size := range [][3]int{{40, 90, 4}, {33, 131, 5}, {7, 3, 3}, {200, 1, 7}, {1, 200, 7}} {
		w, h, by := size[0], size[1], size[2]
		img := image.NewNRGBA(image.Rect(0, 0, w, h))
		grey := image.NewGray(img.Rect)
		for y := range h {
			for x := range w {
				img.SetNRGBA(x, y, at(x, y))
				grey.SetGray(x, y, color.Gray{uint8(x + y)})
			}
		}
		for _, of := range []image.Image{img, grey} {
			out := fewer(of, by)
			require.Equal(t, image.Pt((w+by-1)/by, (h+by-1)/by), out.Rect.Max)
			for oy := range out.Rect.Max.Y {
				for ox := range out.Rect.Max.X {
					var sum [4]float64
					n := 0.0
					for y := oy * by; y < min(h, (oy+1)*by); y++ {
						for x := ox * by; x < min(w, (ox+1)*by); x++ {
							r, g, b, a := of.At(x, y).RGBA()
							for c, v := range [...]uint32{r, g, b, a} {
								sum[c] += float64(v >> 8)
							}
							n++
						}
					}
					got := out.RGBAAt(ox, oy)
					for c, v := range [...]uint8{got.R, got.G, got.B, got.A} {
						require.LessOrEqual(t, math.Abs(sum[c]/n-float64(v)), 0.51, "%v at %d %d", size, ox, oy)
					}
				}
			}
		}
	}
}

// What is asked of a picture again is what was seen the first time, and another one is not taken for it.
func TestAPictureIsLookedAtOnce(t *testing.T) {
	of := func(c color.NRGBA) []byte {
		img := image.NewNRGBA(image.Rect(0, 0, 8, 8))
		for i := range 64 {
			img.SetNRGBA(i%8, i/8, c)
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		return b.Bytes()
	}
	for round := range 3 {
		red, white := of(color.NRGBA{255, 0, 0, 255}), of(color.NRGBA{255, 255, 255, 128})
		for range 2 {
			assert.True(t, Full(red, scene.Red), round)
			assert.False(t, Full(red, scene.Green))
			assert.True(t, Full(red, scene.Alpha))
			assert.False(t, Full(white, scene.Alpha))
			assert.False(t, GreyAs(red, scene.Red))
			assert.True(t, GreyAs(white, scene.Blue))
			assert.False(t, Full(red, scene.Whole))
			shows, _ := Look(white)
			assert.Equal(t, Grey, shows)
		}
	}
	assert.False(t, Full(nil, scene.Red))
	assert.False(t, Full([]byte("no picture"), scene.Red))
}
