package texture

import (
	"context"
	"image"
	"math"

	"yarvek/core/split"
)

// Green is which way the green of a normal map points.
type Green int

// The ways. Up means that green grows toward the top of the picture where the surface leans that way.
const (
	Unsaid Green = iota // it can't be told
	GreenUp
	GreenDown
)

// String is the way in a word.
func (g Green) String() string { return [...]string{"can't tell", "up", "down"}[g] }

// sure is how well slopes across and down must fit one another for a picture to be told, as a
// correlation, and least what of the picture must slope at all.
const (
	sure  = 0.2
	least = 1e-7
)

// GreenOf tells which way the green of a normal map points by the picture alone. The slopes of a surface
// of heights have no curl: how the slope across changes downward is how the slope down changes across
// (Frankot and Chellappa 1988, "A method for enforcing integrability in shape from shading algorithms").
// Turned round, green makes the two opposite. It also gives how well they fit, from -1 to 1, positive for
// up. A map that is flat, or no map of heights, says neither. When ctx ends it returns early, and what it
// returns means nothing.
func GreenOf(ctx context.Context, img *image.NRGBA) (Green, float64) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w < 3 || h < 3 {
		return Unsaid, 0
	}
	type sums struct{ xy, xx, yy float64 }
	parts := make([]sums, split.Blocks(h-2, 64))
	slope := func(x, y int) (a, b float64) {
		p := img.Pix[y*img.Stride+4*x:]
		nx, ny, nz := float64(p[0])-127.5, float64(p[1])-127.5, math.Max(float64(p[2])-127.5, 8)
		return nx / nz, ny / nz
	}
	_ = split.InBlocks(ctx, h-2, 64, func(block, from, to int) {
		s := &parts[block]
		for y := from + 1; y <= to; y++ {
			for x := 1; x < w-1; x++ {
				up, _ := slope(x, y-1)
				down, _ := slope(x, y+1)
				_, left := slope(x-1, y)
				_, right := slope(x+1, y)
				// With h growing toward the viewer and y downward, red is -dh/dx and an upward green dh/dy.
				u, v := -(down - up), right-left
				s.xy, s.xx, s.yy = s.xy+u*v, s.xx+u*u, s.yy+v*v
			}
		}
	})
	var s sums
	for _, p := range parts {
		s.xy, s.xx, s.yy = s.xy+p.xy, s.xx+p.xx, s.yy+p.yy
	}
	n := float64((w - 2) * (h - 2))
	if math.Sqrt(s.xx*s.yy) < least*n {
		return Unsaid, 0
	}
	fit := s.xy / math.Sqrt(s.xx*s.yy)
	switch {
	case fit > sure:
		return GreenUp, fit
	case fit < -sure:
		return GreenDown, fit
	}
	return Unsaid, fit
}

// GreenTurned is a normal map whose green points the other way.
func GreenTurned(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy()))
	for y := range out.Bounds().Dy() {
		from, to := img.Pix[y*img.Stride:], out.Pix[y*out.Stride:y*out.Stride+4*out.Bounds().Dx()]
		copy(to, from)
		for i := 1; i < len(to); i += 4 {
			to[i] = 255 - to[i]
		}
	}
	return out
}

// NormalsOf is the normal map of a picture of heights, light being high, that lies on and on beside
// itself: the slopes by the middle difference, with the range of heights as many texels high as deep says.
// Green points up.
func NormalsOf(ctx context.Context, img *image.NRGBA, deep float64) *image.NRGBA {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	at := func(x, y int) float64 {
		p := img.Pix[(y+h)%h*img.Stride+4*((x+w)%w):]
		return (0.2126*float64(p[0]) + 0.7152*float64(p[1]) + 0.0722*float64(p[2])) / 255 * deep
	}
	_ = split.InBlocks(ctx, h, 16, func(_, from, to int) {
		for y := from; y < to; y++ {
			row := out.Pix[y*out.Stride:]
			for x := range w {
				a, b := (at(x+1, y)-at(x-1, y))/2, (at(x, y-1)-at(x, y+1))/2 // y runs downward
				l := math.Sqrt(a*a + b*b + 1)
				row[4*x], row[4*x+1], row[4*x+2], row[4*x+3] = number(float32(127.5-127.5*a/l)), number(float32(127.5-127.5*b/l)),
					number(float32(127.5+127.5/l)), 255
			}
		}
	})
	return out
}
