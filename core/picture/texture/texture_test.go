package texture

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/picture"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
)

var ctx = context.Background()

func noise(seed uint64, alpha bool) func(x, y int) color.NRGBA {
	r := rand.New(rand.NewPCG(seed, 1))
	return func(int, int) color.NRGBA {
		c := color.NRGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), 255}
		if alpha {
			c.A = uint8(r.IntN(256))
		}
		return c
	}
}

// What nothing is done to stays the same file, byte for byte.
func TestNothingDoneIsTheSameFile(t *testing.T) {
	data := []byte("not even a picture")
	got, err := Make(ctx, [][]byte{data}, Recipe{Sort: Colours})
	require.NoError(t, err)
	assert.Equal(t, data, got)
}

// Channels come from where the recipe says, each as it is, turned round, as luminance or as a value.
func TestChannelsArePacked(t *testing.T) {
	a, b := picturetest.Painted(5, 3, noise(1, true)), picturetest.Painted(5, 3, noise(2, true))
	got, err := Make(ctx, [][]byte{picturetest.PNG(t, a), picturetest.PNG(t, b)}, Recipe{Sort: Numbers, Pack: &[4]Channel{
		{Of: 0, From: 1}, {Of: 1, From: 3, Invert: true}, {Of: 1, From: Luminance}, {Of: -1, Value: 200}}})
	require.NoError(t, err)
	img := picturetest.Read(t, got)
	for y := range 3 {
		for x := range 5 {
			p, q := a.NRGBAAt(x, y), b.NRGBAAt(x, y)
			light := 0.2126*float64(q.R) + 0.7152*float64(q.G) + 0.0722*float64(q.B)
			c := picturetest.At(img, x, y)
			assert.Equal(t, [3]uint8{p.G, 255 - q.A, 200}, [3]uint8{c.R, c.G, c.A})
			assert.InDelta(t, light, float64(c.B), 0.51)
		}
	}
}

// Taken apart, a packed picture gives back what was put together, and a smaller one is brought to the
// size of the larger.
func TestPackedAndApart(t *testing.T) {
	grey := func(seed uint64, w, h int) *image.NRGBA {
		n := noise(seed, false)
		return picturetest.Painted(w, h, func(x, y int) color.NRGBA { v := n(x, y).R; return color.NRGBA{v, v, v, 255} })
	}
	o, r, m := grey(1, 8, 8), grey(2, 8, 8),
		picturetest.Painted(2, 2, func(int, int) color.NRGBA { return color.NRGBA{90, 90, 90, 255} })
	orm, err := Make(ctx, [][]byte{picturetest.PNG(t, o), picturetest.PNG(t, r), picturetest.PNG(t, m)},
		Recipe{Sort: Numbers, Pack: &[4]Channel{
			{Of: 0}, {Of: 1}, {Of: 2}, {Of: -1, Value: 255}}})
	require.NoError(t, err)
	for k, want := range []*image.NRGBA{o, r} {
		apart, err := Make(ctx, [][]byte{orm}, Recipe{Sort: Numbers,
			Pack: &[4]Channel{{From: k}, {From: k}, {From: k}, {Of: -1, Value: 255}}})
		require.NoError(t, err)
		img := picturetest.Read(t, apart)
		assert.IsType(t, &image.Gray{}, img, "one channel is written as one")
		for y := range 8 {
			for x := range 8 {
				assert.Equal(t, want.NRGBAAt(x, y), picturetest.At(img, x, y))
			}
		}
	}
	assert.Equal(t, uint8(90), picturetest.At(picturetest.Read(t, orm), 7, 0).B)
}

func TestMakeSaysWhatCannotBe(t *testing.T) {
	clear := picturetest.PNG(t, picturetest.Painted(2, 2, noise(1, true)))
	for name, c := range map[string]struct {
		in  [][]byte
		r   Recipe
		say string
	}{
		"alpha in JPEG":   {[][]byte{clear}, Recipe{Format: JPEG}, "a JPEG holds no alpha"},
		"no picture":      {nil, Recipe{Green: true}, "no picture"},
		"channel of none": {[][]byte{clear}, Recipe{Pack: &[4]Channel{{Of: 1}}}, "channel of picture 1 of 1"},
		"broken":          {[][]byte{clear[:40]}, Recipe{Green: true}, ""},
		"piece off a sheet": {[][]byte{clear}, Recipe{Sheet: &Sheet{W: 4, H: 4, Pieces: []Piece{{Rect: Rect{2, 2, 4, 4}}}}},
			"lies beyond"},
		"sheet of nothing": {[][]byte{clear}, Recipe{Sheet: &Sheet{}}, "can't be made"},
		"unknown format":   {[][]byte{clear}, Recipe{Format: "bmp"}, "not written"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Make(ctx, c.in, c.r)
			require.Error(t, err)
			assert.ErrorContains(t, err, c.say)
		})
	}
}

func TestMakeEndsWithItsContext(t *testing.T) {
	ended, cancel := context.WithCancel(ctx)
	cancel()
	_, err := Make(ended, [][]byte{picturetest.PNG(t, picturetest.Painted(64, 64, noise(1, false)))},
		Recipe{Sort: Colours, Width: 32, Depth: 32})
	assert.ErrorIs(t, err, context.Canceled)
}

// An opaque JPEG made smaller stays a JPEG; one with channels put together is exact.
func TestFormatsStay(t *testing.T) {
	var jpg bytes.Buffer
	require.NoError(t, jpeg.Encode(&jpg, picturetest.Painted(16, 16, noise(1, false)), nil))
	mime := func(r Recipe) string {
		b, err := Make(ctx, [][]byte{jpg.Bytes()}, r)
		require.NoError(t, err)
		m, _, _ := picture.Probe(b)
		return m
	}
	assert.Equal(t, "image/jpeg", mime(Recipe{Sort: Colours, Width: 8, Depth: 8}))
	assert.Equal(t, "image/png", mime(Recipe{Sort: Numbers, Pack: &[4]Channel{}}))
	assert.Equal(t, picture.TGA, mime(Recipe{Format: TGA}))
	assert.Equal(t, "image/webp", mime(Recipe{Format: WebP}))
}

// unrun reads a TGA of type 10 from the top left, straight from its specification.
func unrun(t *testing.T, b []byte) (w, h, size int, pix []byte) {
	require.Equal(t, byte(10), b[2])
	require.Equal(t, byte(0x20), b[17]&0x30, "from the top left")
	w, h, size = int(binary.LittleEndian.Uint16(b[12:])), int(binary.LittleEndian.Uint16(b[14:])), int(b[16])/8
	require.Equal(t, byte(8*(size-3)), b[17]&15, "bits of alpha")
	at := 18
	for len(pix) < w*h*size {
		n := int(b[at]&127) + 1
		row := w*size - len(pix)%(w*size)
		require.LessOrEqual(t, n*size, row, "runs end with their row")
		if b[at] > 127 {
			pix = append(pix, bytes.Repeat(b[at+1:at+1+size], n)...)
			at += 1 + size
			continue
		}
		pix = append(pix, b[at+1:at+1+n*size]...)
		at += 1 + n*size
	}
	require.Equal(t, len(b), at, "nothing is left over")
	return w, h, size, pix
}

func TestTGAHoldsThePixels(t *testing.T) {
	for _, alpha := range []bool{false, true} {
		n := noise(7, alpha)
		img := picturetest.Painted(300, 7, func(x, y int) color.NRGBA {
			if (x/9+y)%2 == 0 {
				return color.NRGBA{uint8(y), 2, 3, 255} // runs, over 128 pixels too
			}
			return n(x, y)
		})
		for x := range 300 {
			img.SetNRGBA(x, 3, color.NRGBA{9, 8, 7, 255})
		}
		b, err := Encode(img, TGA, 0)
		require.NoError(t, err)
		w, h, size, pix := unrun(t, b)
		require.Equal(t, [2]int{300, 7}, [2]int{w, h})
		for i := range w * h {
			c := img.NRGBAAt(i%w, i/w)
			assert.Equal(t, []byte{c.B, c.G, c.R, c.A}[:size], pix[i*size:(i+1)*size])
		}
	}
}

// What is stripped holds the same pixels, and no texts.
func TestStrippedFilesHoldPixelsAlone(t *testing.T) {
	src := picturetest.Painted(9, 9, noise(3, true))
	data := picturetest.PNG(t, src)
	text := func(kind, s string) []byte {
		b := binary.BigEndian.AppendUint32(nil, uint32(len(s)))
		b = append(append(b, kind...), s...)
		return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[4:]))
	}
	const ihdr = 8 + 25
	with := append(append(append([]byte{}, data[:ihdr]...), text("tEXt", "Author\x00somebody at the weather station")...),
		data[ihdr:]...)
	got, err := Make(ctx, [][]byte{with}, Recipe{Strip: true})
	require.NoError(t, err)
	assert.Equal(t, data, got, "what is left is the file before the text came in")

	var jpg bytes.Buffer
	require.NoError(t, jpeg.Encode(&jpg, src, nil))
	app := func(marker byte, s string) []byte {
		return append([]byte{0xff, marker, byte((len(s) + 2) >> 8), byte(len(s) + 2)}, s...)
	}
	plain := jpg.Bytes()
	said := append(append(append(append([]byte{}, plain[:2]...), app(0xe1, "Exif\x00\x00where it was taken")...),
		app(0xfe, "a remark")...), plain[2:]...)
	got, err = Make(ctx, [][]byte{said}, Recipe{Strip: true})
	require.NoError(t, err)
	assert.Equal(t, plain, got)

	cut := with[:len(with)-20]
	if b, ok := strippedPNG(cut); ok {
		t.Errorf("a PNG that ends early was stripped to %d bytes", len(b))
	}
}

// 16 bits become 8 by rounding, and stay where nothing asks for fewer.
func TestSixteenBitsBecomeEight(t *testing.T) {
	deep := image.NewGray16(image.Rect(0, 0, 256, 1))
	for x := range 256 {
		deep.SetGray16(x, 0, color.Gray16{uint16(257 * x)})
	}
	data := picturetest.PNG(t, deep)
	got, err := Make(ctx, [][]byte{data}, Recipe{Strip: true})
	require.NoError(t, err)
	assert.Equal(t, 16, picture.DepthOf(got))
	got, err = Make(ctx, [][]byte{data}, Recipe{Eight: true})
	require.NoError(t, err)
	assert.Equal(t, 8, picture.DepthOf(got))
	for x := range 256 {
		assert.Equal(t, uint8(x), picturetest.At(picturetest.Read(t, got), x, 0).R)
	}
}

// For a metal of a colour and a dielectric of a colour the equation gives back what they are: with
// specular = 0.04·(1-m) + c·m and diffuse = c·(1-m)·0.96/(1-specular) by the conversion's own forward form.
func TestMetallicIsTheInverse(t *testing.T) {
	for c := 0.1; c <= 1; c += 0.1 {
		for m := 0.0; m <= 1; m += 0.125 {
			s := 0.04*(1-m) + c*m
			d := c * (1 - m) * 0.96 / (1 - s)
			if s < 0.04 || s > 0.999 {
				continue
			}
			base, metal := scene.Older{Diffuse: [4]float64{d, d, d, 0.3}, Specular: [3]float64{s, s, s}}.Converted()
			assert.InDelta(t, m, metal, 1e-9, "colour %g, metallic %g", c, m)
			assert.InDelta(t, c, base[1], 1e-9)
			assert.Equal(t, 0.3, base[3])
		}
	}
	_, metal := scene.Older{Diffuse: [4]float64{0.5, 0.5, 0.5, 1}, Specular: [3]float64{0.02, 0.02, 0.02}}.Converted()
	assert.Zero(t, metal, "less than any dielectric reflects")
}

// Brass beside chalk in one picture of the older workflow comes out as brass and chalk.
func TestOlderPicturesAreConverted(t *testing.T) {
	c := func(v float64) uint8 { return uint8(math.Round(255 * scene.Shown(v))) }
	spec := picturetest.Painted(2, 1, func(x, _ int) color.NRGBA {
		if x == 0 {
			return color.NRGBA{c(0.9), c(0.7), c(0.3), 204}
		}
		return color.NRGBA{c(0.04), c(0.04), c(0.04), 51}
	})
	diffuse := picturetest.Painted(2, 1,
		func(x, _ int) color.NRGBA { return color.NRGBA{0, 0, uint8(200 * x), uint8(100 + x)} })
	o := Older{Older: scene.Older{Diffuse: [4]float64{1, 1, 1, 1}, Specular: [3]float64{1, 1, 1}, Gloss: 0.5}}
	got, err := Make(ctx, [][]byte{picturetest.PNG(t, spec), picturetest.PNG(t, diffuse)}, Recipe{Older: &o})
	require.NoError(t, err)
	brass, chalk := picturetest.At(picturetest.Read(t, got), 0, 0), picturetest.At(picturetest.Read(t, got), 1, 0)
	assert.InDelta(t, float64(c(0.9)), float64(brass.R), 2)
	assert.InDelta(t, float64(c(0.3)), float64(brass.B), 3)
	assert.InDelta(t, 200, float64(chalk.B), 2)
	assert.Equal(t, [2]uint8{100, 101}, [2]uint8{brass.A, chalk.A})
	o.Shine = true
	got, err = Make(ctx, [][]byte{picturetest.PNG(t, spec)}, Recipe{Older: &o})
	require.NoError(t, err)
	brass, chalk = picturetest.At(picturetest.Read(t, got), 0, 0), picturetest.At(picturetest.Read(t, got), 1, 0)
	assert.InDelta(t, 255*(1-0.5*0.8), float64(brass.G), 1)
	assert.InDelta(t, 255*(1-0.5*0.2), float64(chalk.G), 1)
	assert.Greater(t, brass.B, uint8(200), "over white it would be metal all the same")
	assert.Less(t, chalk.B, uint8(10))
}

// A sheet, sampled in the middle of a pixel of each original, is that original; padding holds the edge.
func TestASheetIsItsOriginals(t *testing.T) {
	a, b := picturetest.Painted(12, 12, noise(1, true)), picturetest.Painted(28, 12, noise(2, false))
	s := Sheet{W: 64, H: 32, Padding: 2, Behind: [4]uint8{1, 2, 3, 255}, Pieces: []Piece{
		{Rect: Rect{0, 0, 16, 16}, Of: 0, Sort: Numbers},
		{Rect: Rect{16, 0, 32, 16}, Of: 1, Sort: Numbers},
		{Rect: Rect{48, 16, 16, 16}, Of: -1, Value: [4]uint8{9, 8, 7, 255}},
		{Rect: Rect{0, 16, 16, 16}, Of: 0, Sort: Colours, By: [4]float64{0.5, 1, 1, 1}},
	}}
	got, err := Make(ctx, [][]byte{picturetest.PNG(t, a), picturetest.PNG(t, b)}, Recipe{Sort: Colours, Sheet: &s})
	require.NoError(t, err)
	img := picturetest.Read(t, got)
	for k, o := range []*image.NRGBA{a, b} {
		p := s.Pieces[k]
		for y := range p.H {
			for x := range p.W {
				u, v := min(max(x-2, 0), p.W-5), min(max(y-2, 0), p.H-5)
				assert.Equal(t, o.NRGBAAt(u, v), picturetest.At(img, p.X+x, p.Y+y), "piece %d at %d, %d", k, x, y)
			}
		}
	}
	assert.Equal(t, color.NRGBA{9, 8, 7, 255}, picturetest.At(img, 50, 20))
	assert.Equal(t, color.NRGBA{1, 2, 3, 255}, picturetest.At(img, 40, 20))
	// Half the light, not half the number: sRGB's curve written out (IEC 61966-2-1).
	linear := func(v uint8) float64 {
		if f := float64(v) / 255; f > 0.04045 {
			return math.Pow((f+0.055)/1.055, 2.4)
		} else {
			return f / 12.92
		}
	}
	for x := range 12 {
		c, o := picturetest.At(img, 2+x, 16+5), a.NRGBAAt(x, 3)
		assert.InDelta(t, linear(o.R)/2, linear(c.R), 0.006)
		assert.InDelta(t, float64(o.G), float64(c.G), 1)
	}
}

// A sheet of values alone needs no picture.
func TestASheetOfValues(t *testing.T) {
	got, err := Make(ctx, nil, Recipe{Sheet: &Sheet{W: 2, H: 1,
		Pieces: []Piece{{Rect: Rect{0, 0, 1, 1}, Of: -1, Value: [4]uint8{1, 2, 3, 255}},
			{Rect: Rect{1, 0, 1, 1}, Of: -1, Value: [4]uint8{4, 5, 6, 255}}}}})
	require.NoError(t, err)
	assert.Equal(t, color.NRGBA{4, 5, 6, 255}, picturetest.At(picturetest.Read(t, got), 1, 0))
}

// Power-of-two pictures fill a sheet to 0.85 or more, none on another, each at least as large as asked
// for, and at no more than the limit.
func TestSheetsAreFull(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	worst, sum, trials := 1.0, 0.0, 3000
	for n := range trials {
		sizes := make([][2]int, 2+r.IntN(12))
		for i := range sizes {
			sizes[i] = [2]int{64 << r.IntN(5), 64 << r.IntN(5)}
		}
		l, ok := LayOut(sizes, 16384, true)
		require.True(t, ok, "trial %d: %v", n, sizes)
		area := 0
		for i, p := range l.Places {
			area += p.W * p.H
			assert.True(t, p.W >= sizes[i][0] && p.H >= sizes[i][1])
			assert.True(t, p.X >= 0 && p.Y >= 0 && p.X+p.W <= l.W && p.Y+p.H <= l.H)
			for _, q := range l.Places[:i] {
				assert.False(t, p.X < q.X+q.W && q.X < p.X+p.W && p.Y < q.Y+q.H && q.Y < p.Y+p.H, "%v on %v", p, q)
			}
		}
		assert.InDelta(t, float64(area)/float64(l.W*l.H), l.Fill, 1e-12)
		worst, sum = min(worst, l.Fill), sum+l.Fill
	}
	t.Logf("%d sheets of 2 to 13 pictures: fill %.3f at least, %.3f on average", trials, worst, sum/float64(trials))
	assert.GreaterOrEqual(t, worst, 0.85)
	_, ok := LayOut([][2]int{{1024, 1024}, {1024, 1024}}, 1024, true)
	assert.False(t, ok, "two don't fit where one does")
}

// Memory by mips, written out: 4·(16 + 4 + 1) bytes, and blocks that are never less than one.
func TestBytesInMemory(t *testing.T) {
	plain, blocks := Bytes(4, 4)
	assert.Equal(t, [2]int64{84, 48}, [2]int64{plain, blocks})
	plain, blocks = Bytes(8, 2)
	assert.Equal(t, [2]int64{4 * (16 + 4 + 2 + 1), 16 * (2 + 1 + 1 + 1)}, [2]int64{plain, blocks})
	plain, blocks = Bytes(0, 0)
	assert.Zero(t, plain+blocks)
}

func TestRolesAreGuessed(t *testing.T) {
	colour, dirs := Facts{}, Facts{Shows: picture.Directions}
	for name, c := range map[string]struct {
		f    Facts
		want Guess
	}{
		"hut_basecolor.png":       {colour, Guess{Use: scene.UseBaseColor, Sure: true}},
		"hut_Normal.png":          {dirs, Guess{Use: scene.UseNormal, Sure: true}},
		"hut_n.png":               {dirs, Guess{Use: scene.UseNormal, Sure: true}},
		"hut_normal.png":          {colour, Guess{Use: scene.UseNormal}},
		"hut_colour.png":          {dirs, Guess{Use: scene.UseNormal}},
		"hut.png":                 {dirs, Guess{Use: scene.UseNormal, Sure: true}},
		"picture.png":             {colour, Guess{Use: scene.UseBaseColor}},
		"hut_gloss.png":           {colour, Guess{Use: scene.UseRoughness, Gloss: true, Sure: true}},
		"hut_rough.tga":           {colour, Guess{Use: scene.UseRoughness, Sure: true}},
		"hut_orm.png":             {colour, Guess{Use: scene.UseOcclusion, Packed: true, Sure: true}},
		"lamp_emissive.jpg":       {colour, Guess{Use: scene.UseEmissive, Sure: true}},
		"metal_roof_height.png":   {colour, Guess{Use: scene.UseHeight, Sure: true}},
		"metalness of a roof.png": {colour, Guess{Use: scene.UseMetallic, Sure: true}},
	} {
		assert.Equal(t, c.want, GuessOf(name, c.f), name)
	}
}

// Facts are those of the file and of every pixel; the last row counts as the first.
func TestFactsAreOfAllPixels(t *testing.T) {
	img := picturetest.Painted(10, 200, func(x, y int) color.NRGBA {
		if y == 199 {
			return color.NRGBA{5, 5, 5, 0}
		}
		return color.NRGBA{5, 5, 5, 255}
	})
	f := Measure(ctx, picturetest.PNG(t, img))
	assert.InDelta(t, 0.005, f.Clear, 1e-12)
	assert.InDelta(t, 0.995, f.Full, 1e-12)
	assert.False(t, f.Even)
	broken := Measure(ctx, picturetest.PNG(t, img)[:60])
	assert.NotEmpty(t, broken.Broken)
	assert.Equal(t, [2]int{10, 200}, [2]int{broken.Width, broken.Height})
}

// The difference is that of the pixels, magnified, and its largest is told.
func TestDifferenceIsMagnified(t *testing.T) {
	a := picturetest.Painted(4, 4, func(int, int) color.NRGBA { return color.NRGBA{100, 100, 100, 255} })
	b := picturetest.Painted(4, 4,
		func(x, y int) color.NRGBA { return color.NRGBA{uint8(100 + x), 100, uint8(100 - 10*y), 255} })
	shown, most, err := Difference(ctx, picturetest.PNG(t, a), picturetest.PNG(t, b), Numbers, 8)
	require.NoError(t, err)
	assert.Equal(t, 30, most)
	assert.Equal(t, color.NRGBA{24, 0, 240, 255}, picturetest.At(picturetest.Read(t, shown), 3, 3))
}

// Halving a large picture twice and writing it holds less than six times its pixels.
func TestMemoryIsBounded(t *testing.T) {
	const side = 2048
	img := picturetest.Painted(side, side,
		func(x, y int) color.NRGBA { return color.NRGBA{uint8(x), uint8(y), uint8(x * y), uint8(x ^ y)} })
	data := picturetest.PNG(t, img)
	img = nil
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	before := m.TotalAlloc
	for _, r := range []Recipe{{Sort: Colours, Width: side / 4, Depth: side / 4}, {Sort: Numbers, Green: true},
		{Sort: Colours, Sheet: &Sheet{W: side, H: side, Pieces: []Piece{{Rect: Rect{0, 0, side, side}, Sort: Colours}}}}} {
		_, err := Make(ctx, [][]byte{data}, r)
		require.NoError(t, err)
		runtime.ReadMemStats(&m)
		taken := float64(m.TotalAlloc-before) / (4 * side * side)
		t.Logf("%d × %d: %.2f times the decoded picture taken in all", side, side, taken)
		assert.Less(t, taken, 6.0, "all that was ever taken, so more than was held at once")
		before = m.TotalAlloc
	}
}

// BenchmarkHalvedTwice reads a 4096 × 4096 RGBA picture, halves it twice and writes it, beside reading and
// writing it alone.
func BenchmarkHalvedTwice(b *testing.B) {
	const side = 4096
	data := picturetest.PNG(b, picturetest.Painted(side, side, func(x, y int) color.NRGBA {
		return color.NRGBA{uint8(x ^ y), uint8(x * y >> 8), uint8(x + 2*y), uint8(128 + x&127)}
	}))
	b.Run("read and written alone", func(b *testing.B) {
		for b.Loop() {
			img, _, err := picture.Open(data)
			require.NoError(b, err)
			_, err = Encode(img, PNG, 0)
			require.NoError(b, err)
		}
	})
	for _, to := range []int{side / 4} {
		b.Run(fmt.Sprintf("to %d", to), func(b *testing.B) {
			for b.Loop() {
				_, err := Make(ctx, [][]byte{data}, Recipe{Sort: Colours, Width: to, Depth: to})
				require.NoError(b, err)
			}
		})
	}
}
