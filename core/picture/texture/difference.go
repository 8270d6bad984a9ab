package texture

import (
	"context"

	"yarvek/core/picture"
)

// Difference is how two pictures differ, as a PNG of the size of the second: how far each channel of each
// pixel is off, gain times over, and the largest of all, of 255. The first is brought to the size of the
// second by what its pixels mean.
func Difference(ctx context.Context, before, after []byte, as Sort, gain int) (shown []byte, largest int, err error) {
	a, _, err := picture.Open(before)
	if err != nil {
		return nil, 0, err
	}
	b, _, err := picture.Open(after)
	if err != nil {
		return nil, 0, err
	}
	w, h := b.Bounds().Dx(), b.Bounds().Dy()
	if a.Bounds().Dx() != w || a.Bounds().Dy() != h {
		a = Resized(ctx, a, w, h, as)
	}
	for y := range h {
		p, q := a.Pix[y*a.Stride:y*a.Stride+4*w], b.Pix[y*b.Stride:y*b.Stride+4*w]
		for i := range q {
			d := int(p[i]) - int(q[i])
			if d < 0 {
				d = -d
			}
			largest = max(largest, d)
			if q[i] = uint8(min(255, gain*d)); i&3 == 3 {
				q[i] = 255
			}
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, 0, err
	}
	shown, err = Encode(b, PNG, 0)
	return shown, largest, err
}
