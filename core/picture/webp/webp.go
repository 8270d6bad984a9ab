// Package webp writes pictures as lossless WebP (RFC 9649, "WebP Image Format", section 3). Others read
// them: this package has no reader.
//
// Three of the format's four ways to save are used, in this order: green is taken from red and blue,
// pixels are predicted from their neighbours block by block, and repeats are told by their distance. What
// is left is written with five prefix codes. There is no colour cache, and one group of codes for all.
package webp

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
)

// MaxSide is how many pixels a side can have.
const MaxSide = 1 << 14

// Encode writes a picture. Time grows with its pixels. Colours of clear pixels are kept.
func Encode(img *image.NRGBA) ([]byte, error) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w < 1 || h < 1 || w > MaxSide || h > MaxSide {
		return nil, fmt.Errorf("a WebP has 1 to %d pixels a side, and the picture has %d × %d", MaxSide, w, h)
	}
	argb := make([]uint32, 0, w*h)
	for y := range h {
		row := img.Pix[y*img.Stride : y*img.Stride+4*w]
		for i := 0; i < len(row); i += 4 {
			argb = append(argb, uint32(row[i+3])<<24|uint32(row[i])<<16|uint32(row[i+1])<<8|uint32(row[i+2]))
		}
	}
	b := &bitWriter{}
	b.put(0x2f, 8)
	b.put(uint32(w-1), 14)
	b.put(uint32(h-1), 14)
	b.flag(!img.Opaque())
	b.put(0, 3) // version

	const subtractGreen, predict = 2, 0
	b.flag(true)
	b.put(subtractGreen, 2)
	for i, p := range argb {
		g := p >> 8 & 0xff
		argb[i] = p&0xff00ff00 | (p>>16-g)&0xff<<16 | (p-g)&0xff
	}
	b.flag(true)
	b.put(predict, 2)
	b.put(blockBits-2, 3)
	modes, left := predicted(argb, w, h)
	b.entropy(modes, (w+blockSide-1)>>blockBits)
	b.flag(false) // no more transforms
	b.flag(false) // no colour cache
	b.flag(false) // one group of codes
	b.codes(left, w)

	data := b.bytes()
	var out bytes.Buffer
	pad := len(data) & 1
	out.WriteString("RIFF")
	_ = binary.Write(&out, binary.LittleEndian, uint32(4+8+len(data)+pad))
	out.WriteString("WEBPVP8L")
	_ = binary.Write(&out, binary.LittleEndian, uint32(len(data)))
	out.Write(data)
	out.Write(make([]byte, pad))
	return out.Bytes(), nil
}

// entropy writes a picture that belongs to a transform.
func (b *bitWriter) entropy(argb []uint32, width int) {
	b.flag(false) // no colour cache
	b.codes(argb, width)
}

// bitWriter writes bits, the lowest first.
type bitWriter struct {
	out []byte
	acc uint64
	n   uint
}

func (b *bitWriter) put(v uint32, n uint) {
	b.acc |= uint64(v) << b.n
	for b.n += n; b.n >= 8; b.n -= 8 {
		b.out = append(b.out, byte(b.acc))
		b.acc >>= 8
	}
}

func (b *bitWriter) flag(on bool) {
	v := uint32(0)
	if on {
		v = 1
	}
	b.put(v, 1)
}

func (b *bitWriter) bytes() []byte {
	if b.n > 0 {
		b.out = append(b.out, byte(b.acc))
		b.acc, b.n = 0, 0
	}
	return b.out
}

// Blocks share a way of being predicted.
const (
	blockBits = 4
	blockSide = 1 << blockBits
)

// tried are the ways of predicting that are tried, by the format's numbers: left, above, the mean of
// both, select, and left plus above less what is between them.
var tried = [...]uint32{1, 2, 7, 11, 12}

// predicted is the modes of all blocks, as a picture with the mode for green, and what is left of each
// pixel: those that leave least.
func predicted(argb []uint32, w, h int) (modes, left []uint32) {
	bw, bh := (w+blockSide-1)>>blockBits, (h+blockSide-1)>>blockBits
	modes, left = make([]uint32, bw*bh), make([]uint32, w*h)
	for by := range bh {
		for bx := range bw {
			best, least := tried[0], -1
			for _, mode := range tried {
				sum := 0
				for y := by * blockSide; y < min(h, (by+1)*blockSide); y++ {
					for x := bx * blockSide; x < min(w, (bx+1)*blockSide); x++ {
						r := minus(argb[y*w+x], guess(argb, w, x, y, mode))
						for s := 0; s < 32; s += 8 {
							d := int(int8(r >> s))
							sum += max(d, -d)
						}
					}
				}
				if least < 0 || sum < least {
					best, least = mode, sum
				}
			}
			modes[by*bw+bx] = 0xff000000 | best<<8
			for y := by * blockSide; y < min(h, (by+1)*blockSide); y++ {
				for x := bx * blockSide; x < min(w, (bx+1)*blockSide); x++ {
					left[y*w+x] = minus(argb[y*w+x], guess(argb, w, x, y, best))
				}
			}
		}
	}
	return modes, left
}

// guess is what a pixel is taken for: along the upper and the left edge whatever the mode.
func guess(argb []uint32, w, x, y int, mode uint32) uint32 {
	i := y*w + x
	switch {
	case x == 0 && y == 0:
		return 0xff000000
	case y == 0:
		return argb[i-1]
	case x == 0:
		return argb[i-w]
	}
	l, t, tl := argb[i-1], argb[i-w], argb[i-w-1]
	switch mode {
	case 1:
		return l
	case 2:
		return t
	case 7:
		return (l^t)&0xfefefefe>>1 + l&t
	case 11:
		var toLeft, toTop int
		for s := 0; s < 32; s += 8 {
			a, b, c := int(l>>s&0xff), int(t>>s&0xff), int(tl>>s&0xff)
			toLeft, toTop = toLeft+max(b-c, c-b), toTop+max(a-c, c-a)
		}
		if toLeft < toTop {
			return l
		}
		return t
	}
	var out uint32
	for s := 0; s < 32; s += 8 {
		v := int(l>>s&0xff) + int(t>>s&0xff) - int(tl>>s&0xff)
		out |= uint32(min(255, max(0, v))) << s
	}
	return out
}

// minus takes one pixel from another, channel by channel and round 256.
func minus(a, b uint32) uint32 {
	ag := 0x00ff00ff + a&0xff00ff00 - b&0xff00ff00
	rb := 0xff00ff00 + a&0x00ff00ff - b&0x00ff00ff
	return ag&0xff00ff00 | rb&0x00ff00ff
}
