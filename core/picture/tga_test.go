package picture

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tga is a picture of 3 by 2 as TGA: its head, and the pixels as they follow.
func tga(kind, bits, descriptor byte, body ...byte) []byte {
	return append([]byte{0, 0, kind, 0, 0, 0, 0, 0, 0, 0, 0, 0, 3, 0, 2, 0, bits, descriptor}, body...)
}

var (
	red, green, blue = color.NRGBA{255, 0, 0, 255}, color.NRGBA{0, 255, 0, 255}, color.NRGBA{0, 0, 255, 255}
	half             = color.NRGBA{255, 255, 255, 128}
)

// Every kind is the same picture: red, green, blue above, blue, blue, red below. The bytes
// are written down by hand from the specification.
func TestTGAOfEveryKind(t *testing.T) {
	want := []color.NRGBA{red, green, blue, blue, blue, red}
	r, g, b, zero := []byte{0, 0, 255}, []byte{0, 255, 0}, []byte{255, 0, 0}, []byte{0}
	join := func(parts ...[]byte) []byte { return bytes.Join(parts, nil) }
	mapped := tga(1, 8, 0x20, join(r, g, b, []byte{0, 1, 2, 2, 2, 0})...)
	mapped[1], mapped[5], mapped[7] = 1, 3, 24
	for name, data := range map[string][]byte{
		"24 bit, from the bottom": tga(2, 24, 0, join(b, b, r, r, g, b)...),
		"24 bit, from the top":    tga(2, 24, 0x20, join(r, g, b, b, b, r)...),
		"24 bit, from the right":  tga(2, 24, 0x30, join(b, g, r, r, b, b)...),
		"24 bit, in runs":         tga(10, 24, 0x20, join([]byte{1}, r, g, []byte{0x82}, b, []byte{0}, r)...),
		"32 bit, without alpha": tga(2, 32, 0x20, join(r, zero, g, zero, b, []byte{9}, b, zero, b, zero, r,
			zero)...),
		"16 bit":                         tga(2, 16, 0x20, 0, 0x7c, 0xe0, 3, 0x1f, 0, 0x1f, 0, 0x1f, 0, 0, 0x7c),
		"by a map":                       mapped,
		"with something said before it":  join([]byte{2}, tga(2, 24, 0x20)[1:], []byte("hi"), r, g, b, b, b, r),
		"a run that goes on to the next": tga(10, 24, 0x20, join([]byte{1}, r, g, []byte{0x82}, b, []byte{0x80}, r)...),
	} {
		mime, w, h := Probe(data)
		assert.Equal(t, TGA, mime, name)
		assert.Equal(t, [2]int{3, 2}, [2]int{w, h}, name)
		img, err := decode(data)
		require.NoError(t, err, name)
		for k, c := range want {
			assert.Equal(t, c, img.At(k%3, k/3), "%s at %d", name, k)
		}
		for cut := range data {
			_, err := decodeTGA(data[:cut])
			assert.Error(t, err, "%s cut at %d", name, cut)
		}
	}
	img, err := decode(tga(11, 8, 0x20, 0x85, 77))
	require.NoError(t, err)
	assert.Equal(t, color.NRGBA{77, 77, 77, 255}, img.At(2, 1))
	img, err = decode(tga(2, 32, 0x28, bytes.Repeat([]byte{255, 255, 255, 128}, 6)...))
	require.NoError(t, err)
	assert.Equal(t, half, img.(*image.NRGBA).NRGBAAt(1, 1))
}

// What is not decoded is measured by its header.
func TestHeadersAreMeasured(t *testing.T) {
	le, be := binary.LittleEndian.AppendUint32, binary.BigEndian.AppendUint32
	ktx := le(le(append([]byte("\xabKTX 20\xbb\r\n\x1a\n"), make([]byte, 8)...), 640), 480)
	dds := le(le(append([]byte("DDS "), make([]byte, 8)...), 480), 640)
	psd := append(be(be(append([]byte("8BPS"), make([]byte, 10)...), 480), 640), 0, 8, 0, 3)
	exr := append([]byte("\x76\x2f\x31\x01\x02\x00\x00\x00channels\x00chlist\x00\x01\x00\x00\x00\x00"+
		"dataWindow\x00box2i\x00\x10\x00\x00\x00"),
		le(le(le(le(nil, 10), 20), 649), 499)...)
	for want, data := range map[string][]byte{KTX2: ktx, DDS: dds, PSD: psd, EXR: exr} {
		mime, w, h := Probe(data)
		assert.Equal(t, want, mime)
		assert.Equal(t, [2]int{640, 480}, [2]int{w, h}, want)
		assert.False(t, Decodes(mime))
		_, err := decode(data)
		assert.Error(t, err)
		Probe(data[:len(data)/2])
	}
}

func FuzzTGA(f *testing.F) {
	f.Add(tga(10, 24, 0x20, 0x85, 1, 2, 3))
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, ok := tgaHeaderOf(data); !ok || h.width*h.height > 1<<16 {
			return
		}
		_, _ = decodeTGA(data)
	})
}
