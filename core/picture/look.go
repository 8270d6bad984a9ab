package picture

import (
	"context"
	"image"
	"math"
	"path"
	"slices"
	"strings"
	"sync"
	"weak"

	"yarvek/core/naming"
	"yarvek/core/scene"
)

// Shows is what a picture looks like it holds.
type Shows int

// What a picture can look like.
const (
	Unknown    Shows = iota // it can't be decoded
	Colours                 // anything else
	Grey                    // one value a pixel, as heights are
	Directions              // unit vectors that lean out of the surface, as a normal map's are
)

// samples bounds the pixels that are looked at.
const samples = 1 << 14

// Look tells what a picture looks like from a grid of its pixels, and of how many of them in
// a hundred that is true. A normal map's pixels are unit vectors (2c−1) within a tenth whose
// third part is not below zero, in 19 of 20 pixels at least; a grey picture's parts differ
// by no more than four steps of 255.
func Look(data []byte) (Shows, int) {
	l := lookAt(data)
	return l.shows, l.share
}

// looked is what is seen of a picture by a grid of its pixels.
type looked struct {
	once  sync.Once
	shows Shows
	share int     // of a hundred pixels that look so
	full  [5]bool // by channel: it has its largest value in every pixel
	grey  [5]bool // by channel: it has what the luminance has, in every pixel
}

// seenKept is how many pictures are remembered.
const seenKept = 4096

// seen are the pictures that were looked at, as they lie in memory: who writes a delivery asks for one again and again.
var seen struct {
	mu sync.Mutex
	by map[bytesOf]*looked
}

// bytesOf is the bytes of one, which nobody writes to.
type bytesOf struct {
	data weak.Pointer[byte]
	n    int
}

// lookAt looks at a picture once, however much is asked of it; of one that can't be opened nothing is known.
func lookAt(data []byte) *looked {
	if len(data) == 0 {
		return &looked{}
	}
	k := bytesOf{weak.Make(&data[0]), len(data)}
	seen.mu.Lock()
	if len(seen.by) >= seenKept {
		seen.by = nil // what is still asked for is looked at again
	}
	if seen.by == nil {
		seen.by = map[bytesOf]*looked{}
	}
	l := seen.by[k]
	if l == nil {
		l = &looked{}
		seen.by[k] = l
	}
	seen.mu.Unlock()
	l.once.Do(func() {
		_, w, h := Probe(data)
		defer Alone(context.Background(), w*h)()
		img, err := decode(data)
		if err != nil {
			return
		}
		l.shows, l.share = showsOf(img)
		for c := range l.full {
			l.full[c], l.grey[c] = c > 0, c > 0
		}
		each(img, func(r, g, b, a float64) {
			lum := 0.2126*r + 0.7152*g + 0.0722*b
			for c, v := range [...]float64{0, r, g, b, a} {
				l.full[c] = l.full[c] && v >= 0.998
				l.grey[c] = l.grey[c] && math.Abs(v-lum) < 1.5/255
			}
		})
	})
	return l
}

// IsNormal tells whether a picture that is joined where heights go holds normals, and by what: by what it
// shows, or by its name where what it shows does not speak against it. It is often the only place a normal
// map has.
func IsNormal(img scene.Image) (is bool, why string) {
	shows, _ := Look(img.Data)
	words := naming.Words(strings.TrimSuffix(path.Base(img.Name), path.Ext(img.Name)))
	named := slices.ContainsFunc(words, func(w string) bool { return slices.Contains(normalWords, w) })
	switch {
	case shows == Directions:
		return true, "It looks like one"
	case named && shows != Grey:
		return true, "Its name says so"
	}
	return false, ""
}

// normalWords are words in the name of a picture that say it holds normals.
var normalWords = []string{"normal", "normals", "normalmap", "nrm", "nrml", "norm"}

// Full tells whether a channel has its largest value in every pixel that is looked at.
func Full(data []byte, c scene.Channel) bool { return lookAt(data).full[c] }

// GreyAs tells whether a channel of a picture has what its luminance has, in every pixel that is looked at: then it
// need not be named. A reader that knows no channels sees the same.
func GreyAs(data []byte, c scene.Channel) bool { return lookAt(data).grey[c] }

// each calls f with the parts, from 0 to 1 and not multiplied by alpha, of a grid of pixels.
func each(img image.Image, f func(r, g, b, a float64)) {
	box := img.Bounds()
	step := max(1, int(math.Sqrt(float64(box.Dx())*float64(box.Dy())/samples)))
	for y := box.Min.Y; y < box.Max.Y; y += step {
		for x := box.Min.X; x < box.Max.X; x += step {
			r, g, b, a := img.At(x, y).RGBA()
			if a == 0 {
				f(0, 0, 0, 0)
				continue
			}
			s := float64(a)
			f(float64(r)/s, float64(g)/s, float64(b)/s, s/0xffff)
		}
	}
}
