package picture

import (
	"bytes"
	"fmt"
	"image"
	"image/png"

	"golang.org/x/image/draw"
)

// onScreen are the media types every browser shows.
var onScreen = map[string]bool{"image/png": true, "image/jpeg": true, "image/webp": true}

// Shown tells whether OnScreen can show a picture.
func Shown(data []byte) bool {
	mime, w, h := Probe(data)
	return data != nil && Decodes(mime) && w > 0 && h > 0 && w*h <= MaxPixels
}

// OnScreen gives a picture that a browser can show, of at most side pixels either way: the
// file itself where it is one, else a PNG of it, made smaller. It takes up to four bytes a
// pixel of the file while it works, which [MaxPixels] bounds.
func OnScreen(data []byte, side int) (shown []byte, mime string, err error) {
	mime, w, h := Probe(data)
	if !Shown(data) {
		return nil, "", fmt.Errorf("the picture can't be shown")
	}
	if onScreen[mime] && w <= side && h <= side {
		return data, mime, nil
	}
	img, err := decode(data)
	if err != nil {
		return nil, "", err
	}
	if w > side || h > side {
		k := float64(side) / float64(max(w, h))
		small := image.NewNRGBA(image.Rect(0, 0, max(1, int(float64(w)*k)), max(1, int(float64(h)*k))))
		draw.BiLinear.Scale(small, small.Rect, img, img.Bounds(), draw.Src, nil)
		img = small
	}
	var buf bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	err = enc.Encode(&buf, img)
	return buf.Bytes(), "image/png", err
}
