// Package picturetest paints small pictures for tests, and encodes and decodes them with the standard
// library alone, so that it judges our own.
package picturetest

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"
)

// Painted is a picture of a colour for each pixel, asked for row by row.
func Painted(w, h int, at func(x, y int) color.NRGBA) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, at(x, y))
		}
	}
	return img
}

// Plain is one colour all over.
func Plain(r, g, b, a uint8) func(x, y int) color.NRGBA {
	return func(int, int) color.NRGBA { return color.NRGBA{r, g, b, a} }
}

// Grey is one grey all over.
func Grey(v uint8) func(x, y int) color.NRGBA { return Plain(v, v, v, 255) }

// PNG is a picture's file.
func PNG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Read decodes a PNG.
func Read(t testing.TB, data []byte) image.Image {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// At is a pixel.
func At(img image.Image, x, y int) color.NRGBA {
	return color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA)
}
