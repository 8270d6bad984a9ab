package soak

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/picture/webp"
)

// Pictures are opened one large one at a time, in no wider form than is needed: with everything looked at and
// made ready that an asset with such pictures has, the program holds at most half as much again as the largest of them
// decoded, besides the files and what it holds anyway.
func TestPictures(t *testing.T) {
	const mb, anyway = 1e6, 120e6 // its own code and libraries are 46 MB of that
	side := 8192
	if part(8) < 8 {
		side = 4096
	}
	grained := func(pix []uint8) {
		for i := range pix {
			pix[i] = uint8(i*i>>7 ^ i>>11)
		}
	}
	rgba, grey := image.NewNRGBA(image.Rect(0, 0, side, side)), image.NewGray(image.Rect(0, 0, side, side))
	grained(rgba.Pix)
	grained(grey.Pix)
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	written := func(img image.Image) []byte {
		var b bytes.Buffer
		require.NoError(t, enc.Encode(&b, img))
		return b.Bytes()
	}
	lossless := func(side int, spots int) []byte {
		img := image.NewNRGBA(image.Rect(0, 0, side, side))
		for i := range img.Pix {
			img.Pix[i] = 255
		}
		for i := range spots {
			img.Pix[4*((i*7919*side+i*104729)%(side*side))] = uint8(i)
		}
		b, err := webp.Encode(img)
		require.NoError(t, err)
		return b
	}
	many, one := make([][]byte, 60), lossless(side/2, 600)
	for i := range many { // one picture, each time with another chunk that readers pass over (RFC 9649, section 2.7)
		b := append(slices.Clone(one), "NOTE\x02\x00\x00\x00"...)
		many[i] = append(b, byte(i), 0)
		n := len(many[i]) - 8
		copy(many[i][4:], []byte{byte(n), byte(n >> 8), byte(n >> 16), byte(n >> 24)})
	}
	for _, c := range []struct {
		name    string
		files   [][]byte
		suffix  string
		decoded float64 // the largest, in bytes
	}{
		{"a PNG with alpha", [][]byte{written(rgba)}, "png", 4 * float64(side*side)},
		{"a grey PNG", [][]byte{written(grey)}, "png", 4 * float64(side*side)},
		{"60 WebP", many, "webp", float64(side * side)},
		{"a WebP of hardly anything", [][]byte{lossless(side, 0)}, "webp", 4 * float64(side*side)},
	} {
		t.Run(c.name, func(t *testing.T) {
			var obj, mtl strings.Builder
			obj.WriteString("mtllib m.mtl\n")
			files := []bundle.File{{Name: "heavy.obj"}, {Name: "m.mtl"}}
			size := 0
			for i, b := range c.files {
				fmt.Fprintf(&obj, "v %d 0 0\nv %d 0 0\nv %d 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl m%d\nf -3/-3 -2/-2 -1/-1\n",
					2*i, 2*i+1, 2*i, i)
				fmt.Fprintf(&mtl, "newmtl m%d\nmap_Kd p%d.%s\n", i, i, c.suffix)
				files = append(files, bundle.File{Name: fmt.Sprintf("p%d.%s", i, c.suffix), Data: b})
				size += len(b)
			}
			files[0].Data, files[1].Data = []byte(obj.String()), []byte(mtl.String())
			s := start(t, t.TempDir())
			begun := time.Now()
			_, err := s.send("/start", files...)
			require.NoError(t, err)
			for _, at := range []string{"source", "turntable", "slots"} {
				_, _, err := s.get("/assets/1/" + at)
				require.NoError(t, err)
			}
			first := time.Since(begun)
			for end := time.Now().Add(5 * time.Minute); time.Now().Before(end); time.Sleep(200 * time.Millisecond) {
				_, page, err := s.get("/assets/1/making?station=slots")
				require.NoError(t, err)
				if strings.Contains(string(page), "They are made") {
					break
				}
			}
			_, page, err := s.get("/assets/1/slots")
			require.NoError(t, err)
			assert.NotContains(t, string(page), "climbing", "the pictures are looked at")
			status, _, err := s.form("/assets/1/export/send", "base=0&reason=a+trial")
			require.NoError(t, err)
			peak, most := float64(s.peak(t)), 1.5*c.decoded+float64(size)+anyway
			fmt.Printf("%-26s %8.2f MB, decoded %4.0f MB each: first pages %5.2f s, all %6.2f s, peak %4.0f MB of %4.0f (%d)\n",
				c.name, float64(size)/mb, c.decoded/mb, first.Seconds(), time.Since(begun).Seconds(), peak/mb,
				most/mb, status)
			assert.LessOrEqual(t, peak, most)
		})
	}
}
