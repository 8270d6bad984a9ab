package stl

import (
	"bytes"
	"encoding/binary"

	"yarvek/core/scene"
)

// colours is how the two bytes behind a facet of a binary file are to be taken, nil where they hold none. Two ways are
// in use, both with five bits a channel:
//
//   - The header holds "COLOR=" and four bytes, red, green, blue and opacity, the colour of the whole. A facet has its
//     own where bit 15 is clear, with red in the lowest bits.
//   - Without that, a facet has a colour where bit 15 is set, with blue in the lowest bits.
//
// In the second way every facet's bytes are 0 in files without colours. Some programs write a length or a count there,
// so that colours count only where every facet either has one or holds 0.
func colours(data []byte) func(bits uint16) ([4]float32, bool) {
	head := data[:80]
	if i := bytes.Index(head, []byte("COLOR=")); i >= 0 && i+10 <= len(head) {
		var whole [4]float32
		for k := range whole {
			whole[k] = float32(scene.Linear(float64(head[i+6+k]) / 255))
		}
		whole[3] = float32(head[i+9]) / 255
		return func(bits uint16) ([4]float32, bool) {
			if bits&0x8000 != 0 {
				return whole, true
			}
			return five(bits, bits>>5, bits>>10), true
		}
	}
	any := false
	for o := headerSize + facetSize - 2; o+2 <= len(data); o += facetSize {
		switch bits := binary.LittleEndian.Uint16(data[o:]); {
		case bits&0x8000 != 0:
			any = true
		case bits != 0:
			return nil
		}
	}
	if !any {
		return nil
	}
	return func(bits uint16) ([4]float32, bool) {
		return five(bits>>10, bits>>5, bits), bits&0x8000 != 0
	}
}

// five is a colour of channels of five bits each, as a screen shows them.
func five(r, g, b uint16) [4]float32 {
	one := func(v uint16) float32 { return float32(scene.Linear(float64(v&31) / 31)) }
	return [4]float32{one(r), one(g), one(b), 1}
}
