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
	at := tgaHead + h.idLength
	need := func(n int) error {
		if n > len(data)-at {
			return fmt.Errorf("the TGA ends after %d of its bytes", len(data))
		}
		return nil
	}
	var colors []color.NRGBA
	if h.mapped {
		size := (h.mapBits + 7) / 8
		if at > len(data) {
			at = len(data)
		}
		if err := need(h.mapLength * size); err != nil {
			return nil, err
		}
		for i := range h.mapLength {
			colors = append(colors, tgaColor(data[at+i*size:], h.mapBits, h.alphaBits))
		}
		at += h.mapLength * size
	}
	out := image.NewNRGBA(image.Rect(0, 0, h.width, h.height))
	size := (h.bits + 7) / 8
	pixel := func(b []byte) (color.NRGBA, error) {
		if !h.mapped {
			if h.kind&7 == 3 {
				c := color.NRGBA{b[0], b[0], b[0], 255}
				if size == 2 {
					c.A = b[1]
				}
				return c, nil
			}
			return tgaColor(b, h.bits, h.alphaBits), nil
		}
		i := int(b[0])
		if size == 2 {
			i |= int(b[1]) << 8
		}
		if i -= h.mapFirst; i < 0 || i >= len(colors) {
			return color.NRGBA{}, fmt.Errorf("a pixel of the TGA has the colour %d of %d", i, len(colors))
		}
		return colors[i], nil
	}
	put := func(k int, c color.NRGBA) {
		x, y := k%h.width, k/h.width
		if h.right {
			x = h.width - 1 - x
		}
		if !h.top {
			y = h.height - 1 - y
		}
		out.SetNRGBA(x, y, c)
	}
	runs := h.kind >= 8
	for k, n := 0, h.width*h.height; k < n; {
		count, same := 1, false
		if runs {
			if err := need(1); err != nil {
				return nil, err
			}
			count, same = int(data[at]&127)+1, data[at]&128 != 0
			at++
		}
		for i := range min(count, n-k) {
			if i == 0 || !same {
				if err := need(size); err != nil {
					return nil, err
				}
			}
			c, err := pixel(data[at:])
			if err != nil {
				return nil, err
			}
			put(k+i, c)
			if !same {
				at += size
			}
		}
		if same {
			at += size
		}
		k += count
	}
	return out, nil
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
