package picture

import (
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
)

// tgaHeader is the head of a Truevision TGA (Truevision TGA File Format Specification 2.0,
// section C.2), as far as it is read.
type tgaHeader struct {
	idLength      int
	kind          byte // 1 mapped, 2 true colour, 3 grey; 9, 10 and 11 the same in runs
	mapped        bool
	mapFirst      int
	mapLength     int
	mapBits       int
	width, height int
	bits          int
	alphaBits     int
	right, top    bool // where the first pixel lies
}

const tgaHead = 18

// tgaHeaderOf reads the head of a TGA; ok is false for what is none. The format has no
// mark at its beginning, so every field is held against what it may be.
func tgaHeaderOf(data []byte) (h tgaHeader, ok bool) {
	if len(data) < tgaHead {
		return h, false
	}
	u16 := func(at int) int { return int(binary.LittleEndian.Uint16(data[at:])) }
	h = tgaHeader{idLength: int(data[0]), mapped: data[1] == 1, kind: data[2], mapFirst: u16(3), mapLength: u16(5),
		mapBits: int(data[7]),
		width:   u16(12), height: u16(14), bits: int(data[16]), alphaBits: int(data[17] & 15), right: data[17]&16 != 0,
		top: data[17]&32 != 0}
	depth := map[byte][]int{1: {8, 16}, 2: {15, 16, 24, 32}, 3: {8, 16}}[h.kind&7]
	fits := false
	for _, d := range depth {
		fits = fits || d == h.bits
	}
	mapFits := !h.mapped || h.mapBits == 15 || h.mapBits == 16 || h.mapBits == 24 || h.mapBits == 32
	return h, data[1] <= 1 && (h.kind <= 3 || h.kind >= 9 && h.kind <= 11) && fits && mapFits &&
		(h.kind&7 == 1) == h.mapped &&
		h.width > 0 && h.height > 0 && data[17]&0xc0 == 0
}

// decodeTGA decodes a TGA of any kind its head tells, whose size was checked before.
func decodeTGA(data []byte) (image.Image, error) {
	h, ok := tgaHeaderOf(data)
	if !ok {
		return nil, errors.New("the picture is no TGA")
	}
	t := &tgaReader{tgaHeader: h, all: len(data), rest: data[min(len(data), tgaHead+h.idLength):]}
	if h.mapped {
		size := (h.mapBits + 7) / 8
		for range h.mapLength {
			b, err := t.next(size)
			if err != nil {
				return nil, err
			}
			t.colors = append(t.colors, tgaColor(b, h.mapBits, h.alphaBits))
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, h.width, h.height))
	for k, n := 0, h.width*h.height; k < n; {
		count, same := 1, false
		if h.kind >= 8 { // in runs: of pixels that are all the same, or that differ
			b, err := t.next(1)
			if err != nil {
				return nil, err
			}
			count, same = int(b[0]&127)+1, b[0]&128 != 0
		}
		var c color.NRGBA
		for i := range min(count, n-k) {
			if i == 0 || !same {
				var err error
				if c, err = t.pixel(); err != nil {
					return nil, err
				}
			}
			x, y := (k+i)%h.width, (k+i)/h.width
			if h.right {
				x = h.width - 1 - x
			}
			if !h.top {
				y = h.height - 1 - y
			}
			out.SetNRGBA(x, y, c)
		}
		k += count
	}
	return out, nil
}

// tgaReader reads a TGA from its map of colours on.
type tgaReader struct {
	tgaHeader
	all    int // bytes of the file
	rest   []byte
	colors []color.NRGBA // that pixels are numbers of, in a picture that has a map
}

// next takes bytes off.
func (t *tgaReader) next(n int) ([]byte, error) {
	if n > len(t.rest) {
		return nil, fmt.Errorf("the TGA ends after %d of its bytes", t.all)
	}
	b := t.rest[:n]
	t.rest = t.rest[n:]
	return b, nil
}

// pixel takes a pixel off.
func (t *tgaReader) pixel() (color.NRGBA, error) {
	size := (t.bits + 7) / 8
	b, err := t.next(size)
	switch {
	case err != nil:
		return color.NRGBA{}, err
	case !t.mapped && t.kind&7 == 3:
		c := color.NRGBA{b[0], b[0], b[0], 255}
		if size == 2 {
			c.A = b[1]
		}
		return c, nil
	case !t.mapped:
		return tgaColor(b, t.bits, t.alphaBits), nil
	}
	i := int(b[0])
	if size == 2 {
		i |= int(b[1]) << 8
	}
	if i -= t.mapFirst; i < 0 || i >= len(t.colors) {
		return color.NRGBA{}, fmt.Errorf("a pixel of the TGA has the colour %d of %d", i, len(t.colors))
	}
	return t.colors[i], nil
}

// tgaColor reads a colour of so many bits. A 32-bit picture that says it has no alpha is
// opaque.
func tgaColor(b []byte, bits, alpha int) color.NRGBA {
	switch bits {
	case 15, 16:
		v := uint16(b[0]) | uint16(b[1])<<8
		five := func(v uint16) uint8 { return uint8((v&31)<<3 | (v&31)>>2) }
		c := color.NRGBA{five(v >> 10), five(v >> 5), five(v), 255}
		if bits == 16 && alpha > 0 && v&0x8000 == 0 {
			c.A = 0
		}
		return c
	case 24:
		return color.NRGBA{b[2], b[1], b[0], 255}
	}
	c := color.NRGBA{b[2], b[1], b[0], b[3]}
	if alpha == 0 {
		c.A = 255
	}
	return c
}
