package texture

import (
	"context"
	"image"

	"yarvek/core/picture"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Older makes pictures of the newer workflow of a specular picture, whose alpha is gloss, and of the
// diffuse one as the second where there is one.
type Older struct {
	scene.Older
	// Shine asks for roughness in green and metallic in blue; otherwise it is the base colour, with the
	// alpha of the diffuse picture.
	Shine bool `json:"shine,omitempty"`
}

// convert makes the picture, at the size of the specular one.
func (o Older) convert(ctx context.Context, spec *image.NRGBA, rest [][]byte) (*image.NRGBA, error) {
	w, h := spec.Bounds().Dx(), spec.Bounds().Dy()
	var diffuse *image.NRGBA
	if len(rest) > 0 {
		var err error
		if diffuse, _, err = picture.Open(rest[0]); err != nil {
			return nil, err
		}
		if diffuse.Bounds().Size() != spec.Bounds().Size() {
			diffuse = Resized(ctx, diffuse, w, h, Tints)
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	byte8 := func(v float64) uint8 { return uint8(255*min(1, max(0, v)) + 0.5) }
	err := split.InBlocks(ctx, h, 16, func(_, from, to int) {
		for y := from; y < to; y++ {
			for x := range w {
				p, d := spec.Pix[y*spec.Stride+4*x:], []uint8{255, 255, 255, 255}
				if diffuse != nil {
					d = diffuse.Pix[y*diffuse.Stride+4*x:]
				}
				var px scene.Older
				for k := range 3 {
					px.Diffuse[k], px.Specular[k] = o.Diffuse[k]*lights[d[k]], o.Specular[k]*lights[p[k]]
				}
				base, metal := px.Converted()
				q := out.Pix[y*out.Stride+4*x : y*out.Stride+4*x+4]
				if o.Shine {
					q[0], q[1], q[2], q[3] = 255, byte8(1-o.Gloss*float64(p[3])/255), byte8(metal), 255
					continue
				}
				for k := range 3 {
					q[k] = byte8(scene.Shown(base[k]))
				}
				q[3] = d[3]
			}
		}
	})
	return out, err
}
