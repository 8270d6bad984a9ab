package main

import (
	"encoding/binary"
	"encoding/json"
	"image"
	"image/color"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/picture/picturetest"
)

// roof writes an OBJ of two slots, tiles and gutter, each on a side of its own, whose pictures are
// 96 × 64 and 64 × 64; tiles have a normal map of a bump whose green points up or down.
func roof(t *testing.T, greenUp bool) string {
	dir := t.TempDir()
	picture := func(name string, w, h int, at func(x, y int) color.NRGBA) {
		write(t, dir, name, string(picturetest.PNG(t, picturetest.Painted(w, h, at))))
	}
	picture("tiles.png", 96, 64, func(x, y int) color.NRGBA { return color.NRGBA{uint8(2 * x), 40, 40, 255} })
	picture("gutter.png", 64, 64, func(x, y int) color.NRGBA { return color.NRGBA{10, uint8(3 * y), 90, 255} })
	picture("tiles_bumps.png", 64, 64, func(x, y int) color.NRGBA {
		const k = 2 * math.Pi / 64
		dx, dy := 0.8*math.Cos(k*float64(x))*math.Sin(k*float64(y)),
			0.8*math.Sin(k*float64(x))*math.Cos(k*float64(y)) // of the height, y downward
		g := dy // up: green grows toward the top where the surface leans that way
		if !greenUp {
			g = -dy
		}
		l := math.Sqrt(dx*dx + dy*dy + 1)
		c := func(v float64) uint8 { return uint8(math.Round(127.5 + 127.5*v/l)) }
		return color.NRGBA{c(-dx), c(g), c(1), 255}
	})
	write(t, dir, "roof.mtl", "newmtl tiles\nmap_Kd tiles.png\nnorm tiles_bumps.png\nnewmtl gutter\nmap_Kd gutter.png\n")
	return write(t, dir, "roof.obj", "mtllib roof.mtl\no roof\nv 0 0 0\nv 1 0 0\nv 1 0 -1\nv 0 0 -1\nv 1 1 0\nv 1 1 -1\n"+
		"vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl tiles\nf 1/1 2/2 3/3 4/4\nusemtl gutter\nf 2/1 5/2 6/3 3/4\n")
}

// lastLine reads the answer, which stands behind what was said of changes.
func lastLine(t *testing.T, said string, into any) {
	line := said[strings.LastIndex(strings.TrimSpace(said), "\n")+1:]
	require.NoError(t, json.Unmarshal([]byte(line), into), said)
}

// decoded is a picture that was written, by the standard library.
func decoded(t *testing.T, file string) image.Image {
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	return picturetest.Read(t, b)
}

func TestTexturesPutsPicturesRight(t *testing.T) {
	for _, up := range []bool{true, false} {
		in := roof(t, up)
		out := filepath.Join(t.TempDir(), "out.obj")
		said, err := run(t, texturesCommand(), in, "-o", out, "--max", "32", "--pot", "--green", "down")
		require.NoError(t, err, said)
		var got textured
		lastLine(t, said, &got)
		require.Len(t, got.Pictures, 3)
		for _, p := range got.Pictures {
			img := decoded(t, filepath.Join(filepath.Dir(out), p.File))
			assert.Equal(t, [2]int{p.Width, p.Height}, [2]int{img.Bounds().Dx(), img.Bounds().Dy()}, p.Name)
			assert.LessOrEqual(t, max(p.Width, p.Height), 32)
			assert.Zero(t, p.Width&(p.Width-1)|p.Height&(p.Height-1), p.Name)
			if p.Green != "" {
				assert.Equal(t, "down", p.Green)
				assert.Equal(t, up, strings.Contains(p.Done, "green turned"))
				// With green down red grows to the right of the crest and green toward the bottom of it.
				_, g, _, _ := img.At(8, 4).RGBA() // above the crest at a quarter: leans toward the top
				assert.Less(t, g>>8, uint32(127), "green down: a lean toward the top is dark")
			}
		}
		assert.Less(t, got.Blocks.After, got.Blocks.Before)
		// Once more on what came out: nothing is turned again.
		said, err = run(t, texturesCommand(), out, "-o", filepath.Join(t.TempDir(), "again.obj"), "--green", "down")
		require.NoError(t, err, said)
		assert.NotContains(t, said, "turned")
	}
}

func TestTexturesLaysOneSheet(t *testing.T) {
	in := roof(t, true)
	out := filepath.Join(t.TempDir(), "out.obj")
	said, err := run(t, texturesCommand(), in, "-o", out, "--sheet")
	require.NoError(t, err, said)
	var got textured
	lastLine(t, said, &got)
	assert.Equal(t, change{2, 1}, got.DrawCalls)
	text, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(string(text), "usemtl"), "one slot")
	// The middle of each face, looked up by hand on the sheet, is the middle of its own picture.
	var vts [][2]float64
	var faces [][]int
	for _, l := range strings.Split(string(text), "\n") {
		f := strings.Fields(l)
		switch {
		case len(f) > 2 && f[0] == "vt":
			u, _ := strconv.ParseFloat(f[1], 64)
			v, _ := strconv.ParseFloat(f[2], 64)
			vts = append(vts, [2]float64{u, v})
		case len(f) > 3 && f[0] == "f":
			var list []int
			for _, c := range f[1:] {
				k, err := strconv.Atoi(strings.Split(c, "/")[1])
				require.NoError(t, err)
				list = append(list, k-1)
			}
			faces = append(faces, list)
		}
	}
	require.Len(t, faces, 2)
	var colour image.Image
	for _, p := range got.Pictures {
		if p.Uses[0] == "base colour" {
			colour = decoded(t, filepath.Join(filepath.Dir(out), p.File))
		}
	}
	for k, name := range []string{"tiles.png", "gutter.png"} {
		var u, v float64
		for _, c := range faces[k] {
			u, v = u+vts[c][0]/4, v+vts[c][1]/4
		}
		own := decoded(t, filepath.Join(filepath.Dir(in), name))
		b := own.Bounds()
		want := color.NRGBAModel.Convert(own.At(b.Dx()/2, b.Dy()/2)).(color.NRGBA)
		is := color.NRGBAModel.Convert(colour.At(int(u*float64(colour.Bounds().Dx())),
			int((1-v)*float64(colour.Bounds().Dy())))).(color.NRGBA)
		assert.InDelta(t, float64(want.R), float64(is.R), 4, name)
		assert.InDelta(t, float64(want.G), float64(is.G), 6, name)
		assert.InDelta(t, float64(want.B), float64(is.B), 4, name)
	}
}

func TestTexturesSaysWhatIsWrong(t *testing.T) {
	in := roof(t, true)
	for name, args := range map[string][]string{"packing": {"--pack", "RGB"}, "green": {"--green", "left"},
		"size":   {"--max", "-3"},
		"format": {"--format", "bmp"}} {
		_, err := run(t, texturesCommand(), append([]string{in, "-o", filepath.Join(t.TempDir(), "o.glb")}, args...)...)
		assert.Error(t, err, name)
	}
	// A picture cut short is told, and the mesh still leaves.
	b, err := os.ReadFile(filepath.Join(filepath.Dir(in), "tiles.png"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(in), "tiles.png"), b[:len(b)/2], 0o644))
	said, err := run(t, texturesCommand(), in, "-o", filepath.Join(t.TempDir(), "o.glb"), "--pot")
	require.NoError(t, err, said)
	assert.Contains(t, said, `"failed"`)
}

// A box is unfolded to its six sides, of no stretch and with the gap that was asked for, as a second set
// that the file holds.
func TestUnwrapMakesALightSet(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "crate.obj", crateText)
	out := filepath.Join(dir, "out.gltf")
	said, err := run(t, unwrapCommand(), in, "-o", out, "--size", "512", "--padding", "6", "--set", "lamp")
	require.NoError(t, err, said)
	var got unwrapped
	lastLine(t, said, &got)
	assert.Equal(t, "lamp", got.Set)
	assert.Equal(t, 6, got.Charts)
	assert.Equal(t, 1.0, got.Stretch)
	assert.GreaterOrEqual(t, got.Gap, 6.0)
	assert.GreaterOrEqual(t, got.Fill, 0.65)
	assert.False(t, got.Overlap)
	text, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Contains(t, string(text), "TEXCOORD_1")
	for name, args := range map[string][]string{"no room": {"--size", "16", "--padding", "8"}, "size": {"--size", "-1"},
		"padding": {"--padding", "1000"}} {
		_, err := run(t, unwrapCommand(), append([]string{in, "-o", out}, args...)...)
		assert.Error(t, err, name)
	}
	_, err = run(t, unwrapCommand(), write(t, dir, "none.obj", "v 0 0 0\n"), "-o", out)
	assert.Error(t, err)
}

// What is said of the format of a picture is what the file has: read from its bytes, by the standard's own fields.
func TestTexturesSayAsWhatTheyWrote(t *testing.T) {
	in := roof(t, true)
	for format, want := range map[string]struct{ mime, extension string }{
		"webp": {"image/webp", "EXT_texture_webp"}, "tga": {"image/png", ""}, "jpeg": {"image/jpeg", ""},
		"png": {"image/png", ""},
	} {
		for _, suffix := range []string{".glb", ".gltf"} {
			out := filepath.Join(t.TempDir(), "out"+suffix)
			said, err := run(t, texturesCommand(), in, "-o", out, "--format", format)
			require.NoError(t, err, said)
			var got textured
			lastLine(t, said, &got)
			b, err := os.ReadFile(out)
			require.NoError(t, err)
			text := string(b)
			if suffix == ".glb" {
				n := binary.LittleEndian.Uint32(b[12:])
				text = string(b[20 : 20+n])
			}
			var doc struct {
				Images             []struct{ MimeType, URI string }
				ExtensionsRequired []string
			}
			require.NoError(t, json.Unmarshal([]byte(text), &doc))
			require.Len(t, doc.Images, 3)
			for _, im := range doc.Images {
				if im.URI == "" {
					assert.Equal(t, want.mime, im.MimeType, "%s to %s", format, suffix)
					continue
				}
				first, err := os.ReadFile(filepath.Join(filepath.Dir(out), im.URI))
				require.NoError(t, err)
				assert.Equal(t, want.mime, http.DetectContentType(first))
			}
			assert.Equal(t, want.extension != "", len(doc.ExtensionsRequired) > 0)
			for _, p := range got.Pictures {
				assert.Equal(t, want.mime, p.Format, "%s to %s", format, suffix)
				assert.Equal(t, format == "tga", strings.Contains(p.Done, "written as png"), p.Done)
			}
		}
	}
}
