package texture

import (
	"context"
	"image"
	"math"
	"sync"

	"yarvek/core/split"

	"yarvek/core/scene"
)

// Sort is what the pixels of a picture mean.
type Sort int

// The sorts. Alpha is opacity in the first, and a number like any other in the rest.
const (
	Colours    Sort = iota // in sRGB (IEC 61966-2-1)
	Numbers                // each channel by itself: roughness, metallic, occlusion, heights
	Directions             // unit vectors, as (n+1)/2
	Tints                  // colours in sRGB whose alpha is a number by itself
)

// lights are those of each sRGB value, and linear the same for filters.
var lights, linear = func() (t [256]float64, short [256]float32) {
	for i := range t {
		t[i] = scene.Linear(float64(i) / 255)
		short[i] = float32(t[i])
	}
	return t, short
}()

// encoded are the sRGB bytes of lights in steps finer than any of them differ by.
var encoded = sync.OnceValue(func() *[1 << 16]uint8 {
	var t [1 << 16]uint8
	for i := range t {
		t[i] = uint8(math.Round(255 * scene.Shown((float64(i)+0.5)/(1<<16))))
	}
	return &t
})

// encode looks a light up among [encoded].
func encode(among *[1 << 16]uint8, v float32) uint8 {
	return among[min(1<<16-1, max(0, int(v*(1<<16))))]
}

func number(v float32) uint8 { return uint8(min(255, max(0, v+0.5))) }

// span is which pixels of a row a pixel of another size is made of, with their weights, which sum to 1.
type span struct {
	first   int
	weights []float32
}

// spans are those of n pixels made of m: the share of each that lies under the new one when there are
// fewer, which is exact for halves, and between the middles of the two beside it when there are more.
func spans(m, n int) []span {
	list := make([]span, n)
	k := float64(m) / float64(n)
	for i := range list {
		if k >= 1 {
			lo, hi := float64(i)*k, float64(i+1)*k
			first := int(lo)
			for p := first; p < m && float64(p) < hi-1e-9; p++ {
				list[i].weights = append(list[i].weights, float32((math.Min(hi, float64(p+1))-math.Max(lo, float64(p)))/k))
			}
			list[i].first = first
			continue
		}
		at := math.Min(math.Max((float64(i)+0.5)*k-0.5, 0), float64(m-1))
		first := min(int(at), max(0, m-2))
		t := float32(at - float64(first))
		list[i] = span{first, []float32{1 - t, t}[:min(2, m)]}
		if m == 1 {
			list[i].weights = []float32{1}
		}
	}
	return list
}

// Resized is a picture of another size, at least one pixel either way. Rows are made on all processors;
// besides the new picture no more than a few rows of either are held. When ctx ends it returns early, and
// what it returns means nothing.
func Resized(ctx context.Context, src *image.NRGBA, w, h int, as Sort) *image.NRGBA {
	w, h = max(1, w), max(1, h)
	b := src.Bounds()
	across, down := spans(b.Dx(), w), spans(b.Dy(), h)
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	const rows = 8
	_ = split.InBlocks(ctx, h, rows, func(_, from, to int) {
		m := mixer{as: as, across: across, sum: make([]float32, 4*w)}
		for y := from; y < to; y++ {
			clear(m.sum)
			s := down[y]
			for k, weight := range s.weights {
				m.add(src.Pix[(s.first+k)*src.Stride:], weight)
			}
			m.put(out.Pix[y*out.Stride : y*out.Stride+4*w])
		}
	})
	return out
}

// mixer makes one row at a time: of each pixel four numbers and, of colours, the plain mean of them is
// kept beside by which one that is wholly clear is coloured.
type mixer struct {
	as     Sort
	across []span
	sum    []float32 // red, green, blue and alpha of each pixel, the first three by opacity in colours
	plain  []float32 // red, green and blue whatever the opacity; only of colours
}

// add mixes a row of the source into the sums.
func (m *mixer) add(pix []uint8, weight float32) {
	if m.as == Colours && m.plain == nil {
		m.plain = make([]float32, 3*len(m.across))
	}
	for x, s := range m.across {
		var r, g, b, a, pr, pg, pb float32
		at := 4 * s.first
		for _, w := range s.weights {
			p := pix[at : at+4 : at+4]
			at += 4
			switch m.as {
			case Colours:
				alpha := w * float32(p[3])
				lr, lg, lb := linear[p[0]], linear[p[1]], linear[p[2]]
				r, g, b, a = r+alpha*lr, g+alpha*lg, b+alpha*lb, a+alpha
				pr, pg, pb = pr+w*lr, pg+w*lg, pb+w*lb
			case Tints:
				r, g, b, a = r+w*linear[p[0]], g+w*linear[p[1]], b+w*linear[p[2]], a+w*float32(p[3])
			case Directions:
				r, g, b, a = r+w*(float32(p[0])-127.5), g+w*(float32(p[1])-127.5), b+w*(float32(p[2])-127.5), a+w*float32(p[3])
			default:
				r, g, b, a = r+w*float32(p[0]), g+w*float32(p[1]), b+w*float32(p[2]), a+w*float32(p[3])
			}
		}
		o := m.sum[4*x : 4*x+4 : 4*x+4]
		o[0], o[1], o[2], o[3] = o[0]+weight*r, o[1]+weight*g, o[2]+weight*b, o[3]+weight*a
		if m.as == Colours {
			q := m.plain[3*x : 3*x+3 : 3*x+3]
			q[0], q[1], q[2] = q[0]+weight*pr, q[1]+weight*pg, q[2]+weight*pb
		}
	}
}

// put writes the sums as a row of pixels, and begins anew.
func (m *mixer) put(pix []uint8) {
	shown := encoded()
	for x := range m.across {
		o, p := m.sum[4*x:4*x+4], pix[4*x:4*x+4]
		switch m.as {
		case Colours:
			q := m.plain[3*x : 3*x+3]
			if p[3] = number(o[3]); o[3] > 1e-3 {
				p[0], p[1], p[2] = encode(shown, o[0]/o[3]), encode(shown, o[1]/o[3]), encode(shown, o[2]/o[3])
			} else { // nothing of it shows; what is beside it may be mixed with it later
				p[0], p[1], p[2] = encode(shown, q[0]), encode(shown, q[1]), encode(shown, q[2])
			}
			q[0], q[1], q[2] = 0, 0, 0
		case Directions:
			l := float32(math.Sqrt(float64(o[0]*o[0] + o[1]*o[1] + o[2]*o[2])))
			if l < 1e-3 { // they point every way: straight out
				p[0], p[1], p[2] = 128, 128, 255
			} else {
				p[0], p[1], p[2] = number(127.5+127.5*o[0]/l), number(127.5+127.5*o[1]/l), number(127.5+127.5*o[2]/l)
			}
			p[3] = number(o[3])
		case Tints:
			p[0], p[1], p[2], p[3] = encode(shown, o[0]), encode(shown, o[1]), encode(shown, o[2]), number(o[3])
		default:
			p[0], p[1], p[2], p[3] = number(o[0]), number(o[1]), number(o[2]), number(o[3])
		}
	}
}

// Rounding is which power of two a size becomes.
type Rounding int

// The ways to a power of two.
const (
	Down Rounding = iota
	Up
	Nearest // by ratio; of two as near the smaller
)

// PowerOfTwo is the power of two for a size of at least one.
func PowerOfTwo(n int, by Rounding) int {
	low := 1
	for low*2 <= n {
		low *= 2
	}
	switch {
	case low == n || by == Down:
		return low
	case by == Up:
		return 2 * low
	}
	if float64(n)/float64(low) > math.Sqrt2 {
		return 2 * low
	}
	return low
}

// Limited is a size made smaller by halves until neither side is longer than most.
func Limited(w, h, most int) (int, int) {
	for most > 0 && max(w, h) > most {
		w, h = max(1, w/2), max(1, h/2)
	}
	return w, h
}
