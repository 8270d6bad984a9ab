// Package texture makes the pictures of materials what a receiver wants: of another size, their
// channels put together or taken apart, green turned, in another format, without what is not pixels.
// It tells what is in one, and lays several on one sheet.
//
// What is made depends on the bytes that go in and on the [Recipe] alone. What a pixel means decides
// how pixels are mixed: colours in linear light and by how opaque they are, directions as vectors of unit
// length, and everything else as the plain numbers it is.
package texture

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"

	"yarvek/core/picture"
)

// Format is a format that pictures are written in.
type Format string

// The formats. The last is that of the picture itself.
const (
	PNG  Format = "png"
	JPEG Format = "jpeg"
	TGA  Format = "tga"
	WebP Format = "webp"
	Same Format = ""
)

// Channel is where one channel of a picture comes from.
type Channel struct {
	Of     int   `json:"of"`               // of the pictures that go in, -1 for a value
	From   int   `json:"from,omitempty"`   // 0 red, 1 green, 2 blue, 3 alpha, 4 luminance
	Value  uint8 `json:"value,omitempty"`  // where it comes of none
	Invert bool  `json:"invert,omitempty"` // 255 less it, as gloss is of roughness
}

// Luminance is the channel that is made of all colours (ITU-R BT.709).
const Luminance = 4

// Recipe is what is done, in this order, to the pictures that go in: the first, unless channels of
// several are put together.
type Recipe struct {
	Sort Sort        `json:"sort"`
	Pack *[4]Channel `json:"pack,omitempty"` // red, green, blue and alpha of what comes out
	// of the range of a height map in texels, for a normal map of it; 0 for none
	Height  float64 `json:"height,omitempty"`
	Width   int     `json:"width,omitempty"` // of what comes out; 0 as it is
	Depth   int     `json:"depth,omitempty"` // its height; 0 as it is
	Green   bool    `json:"green,omitempty"` // turned
	Sheet   *Sheet  `json:"sheet,omitempty"` // the pictures side by side, instead of all before
	Format  Format  `json:"format,omitempty"`
	Quality int     `json:"quality,omitempty"` // of JPEG, 1 to 100
	Strip   bool    `json:"strip,omitempty"`   // what is not pixels is taken out
	Eight   bool    `json:"eight,omitempty"`   // 16 bits become 8
	Older   *Older  `json:"older,omitempty"`   // made of a picture of the older workflow, before all else
}

// Idle tells a recipe that leaves the file as it is.
func (r Recipe) Idle() bool { return !r.pixels() && r.Format == Same && !r.Strip && !r.Eight }

// pixels tells whether pixels are made anew.
func (r Recipe) pixels() bool {
	return r.Pack != nil || r.Height != 0 || r.Width != 0 || r.Depth != 0 || r.Green || r.Sheet != nil || r.Older != nil
}

// Make makes a picture. Pictures are opened one after the other; besides what comes out no more than two
// are held at once, but on a sheet one. An error names what of the recipe can't be done; it is ctx's when
// that ends.
func Make(ctx context.Context, in [][]byte, r Recipe) ([]byte, error) {
	if r.Idle() && len(in) == 1 {
		return in[0], nil
	}
	if !r.pixels() && len(in) == 1 { // the same pixels in another file, or the same file without what is around them
		mime, _, _ := picture.Probe(in[0])
		if r.Strip && (r.Format == Same || mime == r.Format.MIME()) && !r.deep(in[0]) {
			if b, ok := stripped(in[0], mime); ok {
				return b, nil
			}
		}
	}
	img, err := r.painted(ctx, in)
	if err == nil {
		err = ctx.Err()
	}
	if err != nil {
		return nil, err
	}
	to := r.Format
	if to == Same {
		to = PNG
		if r.Pack == nil && r.Sheet == nil && img.Opaque() { // painted had a picture to begin with
			if mime, _, _ := picture.Probe(in[0]); mime == JPEG.MIME() {
				to = JPEG
			}
		}
	}
	return Encode(img, to, r.Quality)
}

// deep tells whether 16 bits are to become 8.
func (r Recipe) deep(data []byte) bool {
	return r.Eight && picture.DepthOf(data) == 16
}

// painted is the pixels.
func (r Recipe) painted(ctx context.Context, in [][]byte) (*image.NRGBA, error) {
	switch {
	case len(in) == 0 && r.Sheet == nil && r.Pack == nil:
		return nil, errors.New("there is no picture to make it of")
	case r.Sheet != nil:
		return r.Sheet.paint(ctx, in)
	case r.Pack != nil:
		return r.packed(ctx, in)
	}
	img, _, err := picture.Open(in[0])
	if err != nil {
		return nil, err
	}
	if r.Older != nil {
		if img, err = r.Older.convert(ctx, img, in[1:]); err != nil {
			return nil, err
		}
	}
	if r.Height != 0 {
		img = NormalsOf(ctx, img, r.Height)
	}
	img = r.sized(ctx, img)
	if r.Green {
		img = GreenTurned(img)
	}
	return img, nil
}

// sized is a picture at the size that is wanted.
func (r Recipe) sized(ctx context.Context, img *image.NRGBA) *image.NRGBA {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if r.Width > 0 {
		w = r.Width
	}
	if r.Depth > 0 {
		h = r.Depth
	}
	if w == img.Bounds().Dx() && h == img.Bounds().Dy() {
		return img
	}
	return Resized(ctx, img, w, h, r.Sort)
}

// packed puts channels together, at the size that is wanted or that of the largest.
func (r Recipe) packed(ctx context.Context, in [][]byte) (*image.NRGBA, error) {
	w, h := r.Width, r.Depth
	for _, c := range r.Pack {
		if c.Of >= len(in) {
			return nil, fmt.Errorf("channel of picture %d of %d", c.Of, len(in))
		}
		if c.Of >= 0 && (r.Width == 0 || r.Depth == 0) {
			_, x, y := picture.Probe(in[c.Of])
			w, h = max(w, x), max(h, y)
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, max(1, w), max(1, h)))
	for k, c := range r.Pack {
		if c.Of < 0 {
			v := c.Value
			if c.Invert {
				v = 255 - v
			}
			for i := k; i < len(out.Pix); i += 4 {
				out.Pix[i] = v
			}
		}
	}
	for n, data := range in {
		used := false
		for _, c := range r.Pack {
			used = used || c.Of == n
		}
		if !used {
			continue
		}
		img, _, err := picture.Open(data)
		if err != nil {
			return nil, err
		}
		as := Numbers
		if r.Sort == Colours || r.Sort == Tints {
			as = Tints
		}
		if img.Bounds().Dx() != out.Rect.Dx() || img.Bounds().Dy() != out.Rect.Dy() {
			img = Resized(ctx, img, out.Rect.Dx(), out.Rect.Dy(), as)
		}
		for k, c := range r.Pack {
			if c.Of != n {
				continue
			}
			for y := range out.Rect.Dy() {
				from, to := img.Pix[y*img.Stride:], out.Pix[y*out.Stride:]
				for x := range out.Rect.Dx() {
					to[4*x+k] = c.take(from[4*x : 4*x+4])
				}
			}
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// take is the channel of a pixel.
func (c Channel) take(p []uint8) uint8 {
	v := p[c.From&3]
	if c.From == Luminance {
		v = uint8((2126*int(p[0]) + 7152*int(p[1]) + 722*int(p[2]) + 5000) / 10000)
	}
	if c.Invert {
		return 255 - v
	}
	return v
}

// Size is what a recipe makes of a picture's size.
func (r Recipe) Size(w, h int) (int, int) {
	if r.Width > 0 {
		w = r.Width
	}
	if r.Depth > 0 {
		h = r.Depth
	}
	return w, h
}

// Bytes are what a picture takes in graphics memory with all its mips: four bytes a texel as it is, and
// in blocks of 4 x 4 texels of sixteen bytes each.
func Bytes(w, h int) (plain, blocks int64) {
	for w > 0 && h > 0 {
		plain += 4 * int64(w) * int64(h)
		blocks += 16 * int64((w+3)/4) * int64((h+3)/4)
		if w == 1 && h == 1 {
			break
		}
		w, h = max(1, w/2), max(1, h/2)
	}
	return plain, blocks
}

// Key tells recipes apart.
func (r Recipe) Key() string {
	b, err := json.Marshal(r)
	if err != nil {
		panic(err) // plain data, and no number that is none
	}
	return string(b)
}
