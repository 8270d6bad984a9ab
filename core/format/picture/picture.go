// Package picture looks at texture files: what they are, how large, and single
// channels of them.
package picture

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // the decoders register themselves
	_ "image/jpeg"
	"image/png"
	"math"

	_ "golang.org/x/image/bmp"
	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"golang.org/x/image/draw"

	"yarvek/core/scene"
)

// MaxPixels bounds what is decoded: a small file can claim a huge picture.
const MaxPixels = 64 << 20

// Probe tells the media type and the size in pixels, or "" and zeros.
func Probe(data []byte) (mime string, width, height int) {
	c, name, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return "", 0, 0
	}
	return "image/" + name, c.Width, c.Height
}

// Suffix is the usual file suffix of a media type.
func Suffix(mime string) string {
	switch mime {
	case "image/jpeg":
		return ".jpg"
	case "image/tiff":
		return ".tif"
	case "":
		return ".bin"
	}
	return "." + mime[len("image/"):]
}

// Describe fills in what Probe finds.
func Describe(img *scene.Image) {
	if img.Data == nil {
		return
	}
	mime, w, h := Probe(img.Data)
	if mime != "" {
		img.MIME, img.Width, img.Height = mime, w, h
	}
}

// decode decodes PNG and JPEG, whose size was checked before.
func decode(data []byte) (image.Image, error) {
	_, w, h := Probe(data)
	if w == 0 {
		return nil, fmt.Errorf("the picture can't be decoded")
	}
	if w*h > MaxPixels {
		return nil, fmt.Errorf("the picture has %d × %d pixels, more than %d million", w, h, MaxPixels>>20)
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	return img, err
}

// Part is one channel of a picture, or a constant when Data is nil.
type Part struct {
	Data    []byte
	Channel scene.Channel // Whole takes the luminance
	Value   uint8         // used without Data
}

// Compose writes a PNG whose red, green, blue and alpha are the four parts, at
// the size of the largest.
func Compose(parts [4]Part) ([]byte, error) {
	var pics [4]*image.NRGBA
	size := image.Rect(0, 0, 1, 1)
	var src [4]image.Image
	for i, p := range parts {
		if p.Data == nil {
			continue
		}
		img, err := decode(p.Data)
		if err != nil {
			return nil, err
		}
		src[i] = img
		size.Max.X, size.Max.Y = max(size.Max.X, img.Bounds().Dx()), max(size.Max.Y, img.Bounds().Dy())
	}
	for i, s := range src {
		if s == nil {
			continue
		}
		pics[i] = image.NewNRGBA(size)
		if s.Bounds().Size() == size.Size() {
			// Copied pixel by pixel: a drawing step would lose colour under zero alpha.
			for y := range size.Max.Y {
				for x := range size.Max.X {
					pics[i].Set(x, y, color.NRGBAModel.Convert(s.At(s.Bounds().Min.X+x, s.Bounds().Min.Y+y)))
				}
			}
		} else {
			draw.BiLinear.Scale(pics[i], size, s, s.Bounds(), draw.Src, nil)
		}
	}
	out := image.NewNRGBA(size)
	for px := 0; px < len(out.Pix); px += 4 {
		for i, p := range parts {
			v := p.Value
			if pics[i] != nil {
				q := pics[i].Pix[px : px+4]
				switch p.Channel {
				case scene.Whole:
					v = luminance(q)
				default:
					v = q[p.Channel-scene.Red]
				}
			}
			out.Pix[px+i] = v
		}
	}
	var buf bytes.Buffer
	err := png.Encode(&buf, out)
	return buf.Bytes(), err
}

// luminance weighs by ITU-R BT.709, on the values as they are.
func luminance(q []uint8) uint8 {
	return uint8(math.Round(0.2126*float64(q[0]) + 0.7152*float64(q[1]) + 0.0722*float64(q[2])))
}
