package demo

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
)

// noise is smooth value noise on a grid that repeats every period cells.
func noise(x, y float64, period int, seed uint32) float64 {
	at := func(i, j int) float64 {
		i, j = ((i%period)+period)%period, ((j%period)+period)%period
		h := uint32(i)*374761393 + uint32(j)*668265263 + seed*2246822519
		h = (h ^ h>>13) * 1274126177
		return float64((h^h>>16)&0xffff) / 0xffff
	}
	i, j := math.Floor(x), math.Floor(y)
	u, v := x-i, y-j
	u, v = u*u*(3-2*u), v*v*(3-2*v)
	a, b, c, d := at(int(i), int(j)), at(int(i)+1, int(j)), at(int(i), int(j)+1), at(int(i)+1, int(j)+1)
	return a + (b-a)*u + (c-a)*v + (a-b-c+d)*u*v
}

// paint makes a square picture; f gives the colour at (x, y) in [0,1)².
func paint(size int, f func(x, y float64) color.NRGBA) []byte { return paintOn(size, size, f) }

// paintOn is paint on a picture that need not be square.
func paintOn(w, h int, f func(x, y float64) color.NRGBA) []byte {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, f(float64(x)/float64(w), float64(y)/float64(h)))
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // an image in memory always encodes
	}
	return b.Bytes()
}

func tone(r, g, b, by float64) color.NRGBA {
	c := func(v float64) uint8 { return uint8(min(max(v*by, 0), 255)) }
	return color.NRGBA{c(r), c(g), c(b), 255}
}

func planks(x, y float64) color.NRGBA {
	n := math.Mod(x*4, 1)
	by := 0.8 + 0.25*noise(x*8, y*64, 64, 7) + 0.1*noise(math.Floor(x*4), 0, 64, 3)
	if n < 0.05 {
		by *= 0.45
	}
	return tone(150, 122, 92, by)
}

func iron(x, y float64) color.NRGBA {
	by := 0.85 + 0.2*noise(x*16, y*16, 16, 1)
	if rust := noise(x*8, y*8, 8, 2); rust > 0.72 {
		return tone(136, 78, 46, by)
	}
	return tone(72, 82, 88, by)
}

func whitewash(x, y float64) color.NRGBA {
	return tone(226, 228, 220, 0.88+0.14*noise(x*32, y*8, 32, 5))
}

func stone(x, y float64) color.NRGBA {
	return tone(124, 122, 116, 0.6+0.35*noise(x*8, y*8, 8, 9)+0.25*noise(x*32, y*32, 32, 4))
}

// roughness is a grey picture for the roughness of worn paint.
func roughness(x, y float64) color.NRGBA {
	v := 110 + 120*noise(x*16, y*16, 16, 11)
	return color.NRGBA{uint8(v), uint8(v), uint8(v), 255}
}

// dents is the normal map of hammered planking, whose green points down.
func dents(x, y float64) color.NRGBA {
	height := func(x, y float64) float64 { return noise(x*8, y*8, 8, 21) + 0.3*noise(x*16, y*16, 16, 22) }
	const d = 1.0 / 256
	u, v := (height(x+d, y)-height(x-d, y))/(2*d)*0.05, (height(x, y+d)-height(x, y-d))/(2*d)*0.05
	l := math.Sqrt(u*u + v*v + 1)
	b := func(n float64) uint8 { return uint8(math.Round(127.5 + 127.5*n/l)) }
	return color.NRGBA{b(-u), b(-v), b(1), 255}
}
