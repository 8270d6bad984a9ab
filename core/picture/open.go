package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"math"
)

// Held is what a picture's file holds of each pixel.
type Held struct {
	Channels int // 1 grey, 2 grey with alpha, 3 colours, 4 colours with alpha
	Depth    int // bits of each
}

// Open decodes a picture to eight bits a channel, colours not multiplied by alpha, and tells what its
// file held. Sixteen bits are rounded to the nearest of eight. It takes four bytes a pixel besides what
// the decoder does; [MaxPixels] bounds that before anything is taken.
func Open(data []byte) (*image.NRGBA, Held, error) {
	img, err := decode(data)
	if err != nil {
		return nil, Held{}, err
	}
	b := img.Bounds()
	held := Held{4, 8}
	switch s := img.(type) {
	case *image.NRGBA:
		if h, ok := tgaHeaderOf(data); ok && !pngOrSo(data) {
			held = h.held()
		}
		return s, held, nil
	case *image.RGBA: // as PNG without alpha is decoded
		if held.Channels = 3; s.Opaque() {
			return &image.NRGBA{Pix: s.Pix, Stride: s.Stride, Rect: s.Rect}, held, nil
		}
		held.Channels = 4
	case *image.Gray:
		held.Channels = 1
	case *image.YCbCr, *image.CMYK:
		held.Channels = 3
	case *image.Gray16:
		return rounded(img), Held{1, 16}, nil
	case *image.RGBA64:
		held = Held{3, 16}
		if !s.Opaque() {
			held.Channels = 4
		}
		return rounded(img), held, nil
	case *image.NRGBA64:
		return rounded(img), Held{4, 16}, nil
	case *image.Paletted:
		if held.Channels = 3; !s.Opaque() {
			held.Channels = 4
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	if opaque, ok := img.(interface{ Opaque() bool }); ok && opaque.Opaque() {
		// Opaque colours are the same multiplied by alpha or not, and those are drawn fast.
		draw.Draw(&image.RGBA{Pix: out.Pix, Stride: out.Stride, Rect: out.Rect}, out.Rect, img, b.Min, draw.Src)
		return out, held, nil
	}
	for y := range b.Dy() {
		for x := range b.Dx() {
			out.SetNRGBA(x, y, color.NRGBAModel.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA))
		}
	}
	return out, held, nil
}

// pngOrSo tells a picture that says by its first bytes what it is, which a TGA does not.
func pngOrSo(data []byte) bool {
	_, _, err := image.DecodeConfig(bytes.NewReader(data))
	return err == nil
}

// held is what a TGA holds.
func (h tgaHeader) held() Held {
	bits := h.bits
	if h.mapped {
		bits = h.mapBits
	}
	switch {
	case h.kind&7 == 3 && bits == 8:
		return Held{1, 8}
	case h.kind&7 == 3:
		return Held{2, 8}
	case bits == 32 && h.alphaBits > 0, bits == 16 && h.alphaBits > 0:
		return Held{4, 8}
	}
	return Held{3, 8}
}

// rounded makes eight bits of sixteen.
func rounded(img image.Image) *image.NRGBA {
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	eight := func(v uint16) uint8 { return uint8((uint32(v)*255 + 32767) / 65535) }
	for y := range b.Dy() {
		row := out.Pix[y*out.Stride:]
		for x := range b.Dx() {
			c := color.NRGBA64Model.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA64)
			row[4*x], row[4*x+1], row[4*x+2], row[4*x+3] = eight(c.R), eight(c.G), eight(c.B), eight(c.A)
		}
	}
	return out
}

// ShowsOf tells what a picture that is open looks like, as [Look] does.
func ShowsOf(img *image.NRGBA) (Shows, int) { return showsOf(img) }

func showsOf(img image.Image) (Shows, int) {
	n, grey, unit := 0, 0, 0
	each(img, func(r, g, b, _ float64) {
		n++
		if max(r, g, b)-min(r, g, b) <= 4.0/255 {
			grey++
		}
		x, y, z := 2*r-1, 2*g-1, 2*b-1
		if l := math.Sqrt(x*x + y*y + z*z); math.Abs(l-1) <= 0.1 && z >= -0.02 {
			unit++
		}
	})
	switch {
	case n == 0:
		return Unknown, 0
	case 20*unit >= 19*n && grey < n:
		return Directions, 100 * unit / n
	case 20*grey >= 19*n:
		return Grey, 100 * grey / n
	}
	return Colours, 100
}

// DepthOf is how many bits a channel a picture's file holds, by its head alone; 8 where it can't be told.
func DepthOf(data []byte) int {
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return 8
	}
	switch c.ColorModel {
	case color.Gray16Model, color.RGBA64Model, color.NRGBA64Model:
		return 16
	}
	return 8
}
