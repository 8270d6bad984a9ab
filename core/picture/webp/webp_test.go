package webp

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/webp"

	"yarvek/core/picture/picturetest"
)

// pictures are what is tried, by name: flat, noisy, smooth, with long and with overlapping repeats, and
// so skewed that a code would be longer than it may be.
func pictures(w, h int) map[string]*image.NRGBA {
	r := rand.New(rand.NewPCG(uint64(w), uint64(h)))
	fib := make([]uint8, 0, 40000)
	for v, a, b := 0, 1, 1; v < 23; v, a, b = v+1, b, a+b {
		for range a {
			fib = append(fib, uint8(v*11))
		}
	}
	return map[string]*image.NRGBA{
		"flat":  picturetest.Painted(w, h, func(x, y int) color.NRGBA { return color.NRGBA{9, 8, 7, 255} }),
		"clear": picturetest.Painted(w, h, func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), 200, 7, 0} }),
		"noise": picturetest.Painted(w, h, func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(r.Uint32()), uint8(r.Uint32()), uint8(r.Uint32()), uint8(r.Uint32())}
		}),
		"smooth": picturetest.Painted(w, h,
			func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), uint8(y), uint8(x + y), 255} }),
		"waves": picturetest.Painted(w, h, func(x, y int) color.NRGBA {
			v := uint8(127 + 120*math.Sin(float64(x)/9)*math.Cos(float64(y)/7))
			return color.NRGBA{v, v / 2, 255 - v, 255}
		}),
		"tiles": picturetest.Painted(w, h, func(x, y int) color.NRGBA {
			return color.NRGBA{uint8(x % 7 * 30), uint8(y % 5 * 40), uint8(x * y % 11), 255}
		}),
		"skewed": picturetest.Painted(w, h,
			func(x, y int) color.NRGBA { return color.NRGBA{0, fib[r.IntN(len(fib))], 0, 255} }),
	}
}

// What is written, another reader reads: every pixel, colours of clear ones too.
func TestPicturesReadBack(t *testing.T) {
	for _, size := range [][2]int{{1, 1}, {1, 40}, {40, 1}, {2, 2}, {16, 16}, {17, 33}, {130, 70}, {300, 257}} {
		for name, img := range pictures(size[0], size[1]) {
			data, err := Encode(img)
			require.NoError(t, err)
			got, err := webp.Decode(bytes.NewReader(data))
			require.NoError(t, err, "%s of %v", name, size)
			require.Equal(t, img.Bounds(), got.Bounds())
			is, ok := got.(*image.NRGBA)
			require.True(t, ok)
			require.Equal(t, img.Pix, is.Pix, "%s of %v", name, size)
			assert.Zero(t, len(data)&1)
		}
	}
	for _, bad := range []image.Rectangle{image.Rect(0, 0, 0, 4), image.Rect(0, 0, MaxSide+1, 1)} {
		_, err := Encode(image.NewNRGBA(bad))
		assert.Error(t, err)
	}
}

// A part of a larger picture is written with the larger one's rows left out.
func TestPartsReadBack(t *testing.T) {
	whole := pictures(60, 60)["noise"]
	part := whole.SubImage(image.Rect(10, 20, 40, 50)).(*image.NRGBA)
	data, err := Encode(part)
	require.NoError(t, err)
	got, err := webp.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	assert.Equal(t, whole.NRGBAAt(11, 22), got.(*image.NRGBA).NRGBAAt(1, 2))
}

// Codes have no more bits than they may, and fill what can be told apart.
func TestCodesAreWhole(t *testing.T) {
	counts := []int{1, 1}
	for len(counts) < 40 {
		counts = append(counts, counts[len(counts)-1]+counts[len(counts)-2])
	}
	for _, most := range []uint8{7, 15} {
		c := codeOf(counts, most)
		sum := 0.0
		for _, l := range c.length {
			require.True(t, l > 0 && l <= most)
			sum += math.Pow(2, -float64(l))
		}
		assert.Equal(t, 1.0, sum, "Kraft's sum")
	}
}

func FuzzEncode(f *testing.F) {
	f.Add([]byte("a picture of bytes"), uint8(4))
	f.Fuzz(func(t *testing.T, b []byte, w uint8) {
		width := int(w)%64 + 1
		h := len(b) / 4 / width
		if h == 0 {
			return
		}
		img := &image.NRGBA{Pix: b[:4*width*h], Stride: 4 * width, Rect: image.Rect(0, 0, width, h)}
		data, err := Encode(img)
		if err != nil {
			t.Fatal(err)
		}
		got, err := webp.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(got.(*image.NRGBA).Pix, img.Pix) {
			t.Fatal("other pixels")
		}
	})
}

func BenchmarkEncode(b *testing.B) {
	for name, img := range pictures(1024, 1024) {
		b.Run(name, func(b *testing.B) {
			var data []byte
			for b.Loop() {
				var err error
				if data, err = Encode(img); err != nil {
					b.Fatal(err)
				}
			}
			var p bytes.Buffer
			_ = png.Encode(&p, img)
			b.ReportMetric(float64(len(data))/float64(p.Len()), "of-PNG")
		})
	}
}
