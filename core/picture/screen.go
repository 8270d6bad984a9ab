package picture

import (
	"bytes"
	"context"
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
// file itself where it is one, else a PNG of it, made smaller by stripes: besides what its decoder takes it needs
// little more than what comes out. Large ones are opened one at a time.
func OnScreen(data []byte, side int) (shown []byte, mime string, err error) {
	mime, w, h := Probe(data)
	if !Shown(data) {
		return nil, "", fmt.Errorf("the picture can't be shown")
	}
	if onScreen[mime] && w <= side && h <= side {
		return data, mime, nil
	}
	defer Alone(context.Background(), w*h)()
	img, err := decode(data)
	if err != nil {
		return nil, "", err
	}
	if by := max(w, h) / (2 * side); by > 1 {
		img = fewer(img, by)
		w, h = img.Bounds().Dx(), img.Bounds().Dy()
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

// stripe is how many rows are gone over at once.
const stripe = 64

// fewer is a picture of fewer pixels: each is the mean of by times by, weighed by how opaque they are. The last ones of
// a row and a column may be of fewer.
func fewer(img image.Image, by int) *image.RGBA {
	b := img.Bounds()
	w, h := (b.Dx()+by-1)/by, (b.Dy()+by-1)/by
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	rows := max(1, stripe/by) * by
	part := image.NewRGBA(image.Rect(0, 0, b.Dx(), rows))
	sums := make([]uint32, 5*w)
	for y := 0; y < b.Dy(); y += rows {
		n := min(rows, b.Dy()-y)
		draw.Draw(part, image.Rect(0, 0, b.Dx(), n), img, image.Pt(b.Min.X, b.Min.Y+y), draw.Src)
		for from := 0; from < n; from += by {
			clear(sums)
			for k := from; k < min(from+by, n); k++ {
				row := part.Pix[k*part.Stride:]
				for x := range b.Dx() {
					s := sums[5*(x/by):]
					for c := range 4 {
						s[c] += uint32(row[4*x+c])
					}
					s[4]++
				}
			}
			to := out.Pix[(y+from)/by*out.Stride:]
			for x := range w {
				for c := range 4 {
					to[4*x+c] = uint8((sums[5*x+c] + sums[5*x+4]/2) / sums[5*x+4])
				}
			}
		}
	}
	return out
}
