// Package picture looks at texture files: what they are, how large, and single
// channels of them.
package picture

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	_ "image/gif" // the decoders register themselves
	_ "image/jpeg"
	"image/png"
	"io"
	"math"

	_ "golang.org/x/image/bmp"
	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"golang.org/x/image/draw"

	"yarvek/core/scene"
)

// MaxPixels bounds what is decoded: a small file can claim a huge picture.
const MaxPixels = 64 << 20

// Media types of pictures that are told by their header and not decoded, besides TGA.
const (
	TGA  = "image/x-tga"
	KTX2 = "image/ktx2"
	DDS  = "image/vnd-ms.dds"
	PSD  = "image/vnd.adobe.photoshop"
	EXR  = "image/x-exr"
)

// Probe tells the media type and the size in pixels, or "" and zeros. It looks at the
// bytes, never at a name.
func Probe(data []byte) (mime string, width, height int) {
	if c, name, err := image.DecodeConfig(bytes.NewReader(data)); err == nil {
		return "image/" + name, c.Width, c.Height
	}
	le, be := binary.LittleEndian, binary.BigEndian
	switch {
	case len(data) >= 28 && bytes.HasPrefix(data, []byte("\xabKTX 20\xbb\r\n\x1a\n")): // KTX 2.0, section 3
		return KTX2, int(le.Uint32(data[20:])), int(le.Uint32(data[24:]))
	case len(data) >= 20 && bytes.HasPrefix(data, []byte("DDS ")):
		return DDS, int(le.Uint32(data[16:])), int(le.Uint32(data[12:]))
	case len(data) >= 26 && bytes.HasPrefix(data, []byte("8BPS")):
		return PSD, int(be.Uint32(data[18:])), int(be.Uint32(data[14:]))
	case bytes.HasPrefix(data, []byte("\x76\x2f\x31\x01")):
		w, h := exrSize(data)
		return EXR, w, h
	}
	if h, ok := tgaHeaderOf(data); ok {
		return TGA, h.width, h.height
	}
	return "", 0, 0
}

// exrSize finds the data window in the header of an OpenEXR file: attributes, each a name,
// a type and a length; zeros when it is not there.
func exrSize(data []byte) (w, h int) {
	head := data[:min(len(data), 64<<10)]
	i := bytes.Index(head, []byte("dataWindow\x00box2i\x00\x10\x00\x00\x00"))
	if i < 0 || len(head) < i+21+16 {
		return 0, 0
	}
	at := func(k int) int { return int(int32(binary.LittleEndian.Uint32(head[i+21+4*k:]))) }
	return max(0, at(2)-at(0)+1), max(0, at(3)-at(1)+1)
}

// Decodes tells whether a picture of a media type can be turned into another.
func Decodes(mime string) bool {
	switch mime {
	case KTX2, DDS, PSD, EXR, "":
		return false
	}
	return true
}

// Suffix is the usual file suffix of a media type.
func Suffix(mime string) string {
	switch mime {
	case "image/jpeg":
		return ".jpg"
	case "image/tiff":
		return ".tif"
	case TGA:
		return ".tga"
	case DDS:
		return ".dds"
	case PSD:
		return ".psd"
	case EXR:
		return ".exr"
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
	*img = img.Summed()
	mime, w, h := Probe(img.Data)
	if mime != "" {
		img.MIME, img.Width, img.Height = mime, w, h
	}
}

// decode decodes a picture, after a look at its size.
func decode(data []byte) (image.Image, error) {
	mime, w, h := Probe(data)
	if w == 0 || !Decodes(mime) {
		return nil, fmt.Errorf("it is no picture of a format that can be opened")
	}
	if w*h > MaxPixels {
		return nil, fmt.Errorf("it has %d × %d pixels, more than %d million; make it smaller", w, h, MaxPixels>>20)
	}
	if mime == TGA {
		return decodeTGA(data)
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return nil, fmt.Errorf("it ends before all of its %d × %d pixels are there; send it again", w, h)
	case err != nil:
		return nil, fmt.Errorf("its pixels are damaged (%w); save it again", err)
	}
	return img, nil
}

// Part is one channel of a picture, or a constant when Data is nil.
type Part struct {
	Data    []byte
	Channel scene.Channel // Whole takes the luminance
	Value   uint8         // used without Data
}

// Pixels is how many the picture that Compose makes of the parts has.
func Pixels(parts [4]Part) int {
	size := composedSize(parts)
	return size.Dx() * size.Dy()
}

// composedSize is that of the largest picture of the parts.
func composedSize(parts [4]Part) image.Rectangle {
	size := image.Rect(0, 0, 1, 1)
	for _, p := range parts {
		if p.Data != nil {
			_, w, h := Probe(p.Data)
			size.Max.X, size.Max.Y = max(size.Max.X, w), max(size.Max.Y, h)
		}
	}
	return size
}

// Compose writes a PNG whose red, green, blue and alpha are the four parts, at the size
// of the largest. Its pictures are decoded one after the other, each once, and of each
// only the channels are kept that are asked for: at most eight bytes a pixel at once.
// It looks at ctx between them.
func Compose(ctx context.Context, parts [4]Part) ([]byte, error) {
	out := &planes{size: composedSize(parts)}
	for i, p := range parts {
		out.value[i] = p.Value
		if p.Data == nil || out.plane[i] != nil {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		img, err := decode(p.Data)
		if err != nil {
			return nil, err
		}
		for k, q := range parts {
			if sameBytes(p.Data, q.Data) {
				out.plane[k] = fitted(channel(img, q.Channel), out.size)
			}
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	err := png.Encode(&buf, out)
	return buf.Bytes(), err
}

// sameBytes tells whether two are the very same, not only alike.
func sameBytes(a, b []byte) bool { return len(a) == len(b) && len(a) > 0 && &a[0] == &b[0] }

// planes is a picture of up to four planes, each a channel; one that is nil has the same
// value everywhere.
type planes struct {
	size  image.Rectangle
	plane [4]*image.Gray
	value [4]uint8
}

// ColorModel is that of colours with an alpha of their own.
func (p *planes) ColorModel() color.Model { return color.NRGBAModel }

// Bounds is the picture's size.
func (p *planes) Bounds() image.Rectangle { return p.size }

// Opaque tells whether alpha is full everywhere, as far as that is known without looking.
func (p *planes) Opaque() bool { return p.plane[3] == nil && p.value[3] == 255 }

// At is the colour of a pixel.
func (p *planes) At(x, y int) color.Color {
	var v [4]uint8
	for i, g := range p.plane {
		if v[i] = p.value[i]; g != nil {
			v[i] = g.Pix[y*g.Stride+x]
		}
	}
	return color.NRGBA{v[0], v[1], v[2], v[3]}
}

// fitted is a plane at a size.
func fitted(g *image.Gray, size image.Rectangle) *image.Gray {
	if g.Rect.Size() == size.Size() {
		return g
	}
	out := image.NewGray(size)
	draw.BiLinear.Scale(out, size, g, g.Rect, draw.Src, nil)
	return out
}

// channel takes one out of a picture, without the alpha it was multiplied by. Colour under
// zero alpha stays.
func channel(img image.Image, c scene.Channel) *image.Gray {
	b := img.Bounds()
	out := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
	row := func(y int) []uint8 { return out.Pix[y*out.Stride : y*out.Stride+b.Dx()] }
	four := func(pix []uint8, to []uint8) { // red, green, blue, alpha
		for x := range to {
			q := pix[4*x : 4*x+4]
			if c == scene.Whole {
				to[x] = luminance(q)
			} else {
				to[x] = q[c-scene.Red]
			}
		}
	}
	line := make([]uint8, 4*b.Dx())
	plain, _ := img.(*image.RGBA) // as PNG without alpha is decoded
	if plain != nil && !plain.Opaque() {
		plain = nil
	}
	for y := range b.Dy() {
		to := row(y)
		switch s := img.(type) {
		case *image.NRGBA:
			four(s.Pix[y*s.Stride:], to)
		case *image.Gray:
			if c != scene.Alpha {
				copy(to, s.Pix[y*s.Stride:])
				continue
			}
			for x := range to {
				to[x] = 255
			}
		default:
			if plain != nil {
				four(plain.Pix[y*plain.Stride:], to)
				continue
			}
			for x := range b.Dx() {
				n := color.NRGBAModel.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA)
				line[4*x], line[4*x+1], line[4*x+2], line[4*x+3] = n.R, n.G, n.B, n.A
			}
			four(line, to)
		}
	}
	return out
}

// luminance weighs by ITU-R BT.709, on the values as they are.
func luminance(q []uint8) uint8 {
	return uint8(math.Round(0.2126*float64(q[0]) + 0.7152*float64(q[1]) + 0.0722*float64(q[2])))
}
