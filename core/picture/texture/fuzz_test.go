package texture

import (
	"image/color"
	"testing"

	"yarvek/core/picture"
	"yarvek/core/picture/picturetest"
	"yarvek/core/scene"
)

// Whatever bytes come as a picture, looking at them and making another of them ends, with an error or with
// a picture of the size that was asked for.
func FuzzMake(f *testing.F) {
	small := picturetest.PNG(f,
		picturetest.Painted(5, 3, func(x, y int) color.NRGBA { return color.NRGBA{uint8(40 * x), uint8(80 * y), 9, 200} }))
	tga, err := Encode(picturetest.Painted(4, 4, picturetest.Grey(7)), TGA, 0)
	if err != nil {
		f.Fatal(err)
	}
	for k := range uint8(6) {
		f.Add(small, k)
		f.Add(tga, k)
	}
	f.Fuzz(func(t *testing.T, data []byte, kind uint8) {
		if _, w, h := picture.Probe(data); w*h > 1<<16 {
			return
		}
		facts := Measure(ctx, data)
		r := []Recipe{
			{Sort: Colours, Width: 3, Depth: 2},
			{Sort: Directions, Green: true, Format: TGA},
			{Strip: true, Eight: true},
			{Sort: Numbers, Pack: &[4]Channel{{From: 3}, {From: Luminance, Invert: true}, {Of: -1, Value: 3},
				{Of: -1, Value: 255}}, Format: WebP},
			{Sort: Directions, Height: 3, Format: PNG},
			{Older: &Older{Older: scene.Older{Specular: [3]float64{1, 1, 1}, Gloss: 1}, Shine: true}},
		}[kind%6]
		out, err := Make(ctx, [][]byte{data}, r)
		if err != nil {
			return
		}
		if facts.Broken != "" && r.pixels() {
			t.Fatalf("made of a picture that is broken: %s", facts.Broken)
		}
		_, w, h := picture.Probe(out)
		if ww, hh := r.Size(facts.Width, facts.Height); facts.Broken == "" && (w != ww || h != hh) {
			t.Fatalf("%d × %d, and %d × %d was asked for", w, h, ww, hh)
		}
	})
}
