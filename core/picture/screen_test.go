package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/bmp"
)

// What a browser shows goes as it is; anything else, or what is too large, as a PNG of it.
func TestOnScreen(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 40, 20))
	for i := range img.Pix {
		img.Pix[i] = 200
	}
	img.SetNRGBA(0, 0, color.NRGBA{255, 0, 0, 255})
	var asPNG, asBMP bytes.Buffer
	require.NoError(t, png.Encode(&asPNG, img))
	require.NoError(t, bmp.Encode(&asBMP, img))
	same, mime, err := OnScreen(asPNG.Bytes(), 64)
	require.NoError(t, err)
	assert.Equal(t, "image/png", mime)
	assert.Equal(t, asPNG.Bytes(), same)
	for _, c := range []struct {
		data       []byte
		side, w, h int
	}{{asBMP.Bytes(), 64, 40, 20}, {asPNG.Bytes(), 10, 10, 5}, {asPNG.Bytes(), 1, 1, 1}} {
		b, mime, err := OnScreen(c.data, c.side)
		require.NoError(t, err)
		assert.Equal(t, "image/png", mime)
		got, err := png.Decode(bytes.NewReader(b))
		require.NoError(t, err)
		assert.Equal(t, image.Pt(c.w, c.h), got.Bounds().Size())
	}
	for _, bad := range [][]byte{nil, []byte("no picture"), asPNG.Bytes()[:30]} {
		_, _, err := OnScreen(bad, 64)
		assert.Error(t, err)
	}
}
