package picture

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/bmp"

	"yarvek/core/scene"
)

// pictures are small ones in every way a decoder gives them, as files.
func pictures(t *testing.T) map[string][]byte {
	t.Helper()
	r := rand.New(rand.NewPCG(4, 4))
	rect := image.Rect(0, 0, 7, 5)
	clear, whole, grey := image.NewNRGBA(rect), image.NewNRGBA(rect), image.NewGray(rect)
	deep := image.NewNRGBA64(rect)
	few := image.NewPaletted(rect, color.Palette{color.NRGBA{9, 8, 7, 0}, color.NRGBA{200, 100, 50, 255},
		color.NRGBA{1, 2, 3, 128}})
	for y := range 5 {
		for x := range 7 {
			c := color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(3) * 127)}
			clear.SetNRGBA(x, y, c)
			deep.Set(x, y, c)
			c.A = 255
			whole.SetNRGBA(x, y, c)
			grey.SetGray(x, y, color.Gray{c.R})
			few.SetColorIndex(x, y, uint8(r.IntN(3)))
		}
	}
	files := map[string][]byte{}
	for name, img := range map[string]image.Image{"clear": clear, "whole": whole, "grey": grey, "deep": deep, "few": few} {
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		files[name] = b.Bytes()
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, whole, nil))
	files["photo"] = b.Bytes()
	b = bytes.Buffer{}
	require.NoError(t, bmp.Encode(&b, whole))
	files["bmp"] = b.Bytes()
	return files
}

// Every channel of every sort of picture is what the standard library says of each of its
// pixels.
func TestChannelsArePixelByPixel(t *testing.T) {
	for name, data := range pictures(t) {
		img, _, err := image.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		out, err := Compose(context.Background(),
			[4]Part{{Data: data, Channel: scene.Blue}, {Data: data, Channel: scene.Alpha},
				{Data: data, Channel: scene.Whole}, {Value: 77}})
		require.NoError(t, err, name)
		got, err := png.Decode(bytes.NewReader(out))
		require.NoError(t, err)
		require.Equal(t, img.Bounds().Size(), got.Bounds().Size())
		for y := range 5 {
			for x := range 7 {
				c := color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA)
				want := color.NRGBA{c.B, c.A, luminance([]uint8{c.R, c.G, c.B}), 77}
				require.Equal(t, want, color.NRGBAModel.Convert(got.At(x, y)), "%s at %d, %d", name, x, y)
			}
		}
	}
}

func TestPartsOfOtherSizesAreFitted(t *testing.T) {
	files := pictures(t)
	var b bytes.Buffer
	large := image.NewGray(image.Rect(0, 0, 14, 10))
	for i := range large.Pix {
		large.Pix[i] = 200
	}
	require.NoError(t, png.Encode(&b, large))
	parts := [4]Part{{Data: files["grey"], Channel: scene.Red}, {Data: b.Bytes(), Channel: scene.Green}, {}, {Value: 255}}
	assert.Equal(t, 140, Pixels(parts))
	out, err := Compose(context.Background(), parts)
	require.NoError(t, err)
	_, w, h := Probe(out)
	assert.Equal(t, [2]int{14, 10}, [2]int{w, h})
	got, err := png.Decode(bytes.NewReader(out))
	require.NoError(t, err)
	_, g, _, _ := got.At(9, 9).RGBA()
	assert.Equal(t, uint32(200), g>>8)

	_, err = Compose(context.Background(), [4]Part{{Data: []byte("no picture")}})
	assert.ErrorContains(t, err, "can be opened")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Compose(ctx, parts)
	assert.ErrorIs(t, err, context.Canceled)
}
