package draft

import (
	"encoding/binary"
	"math"

	"yarvek/core/cloud"
	"yarvek/core/geom"
)

// mostDots is how many dots of a cloud are kept to be drawn: of more, one for so many, evenly through the file, so that
// where points lie denser dots do.
const mostDots = 3_000_000

// dot is a point of a cloud as it is drawn.
type dot struct {
	at   [3]float32
	tone [4]uint8 // red, green and blue as screens show them, and opacity
	size float32  // metres: the standard deviation of a blob, 0 of a point without a size
}

func (d dot) place() geom.Vec3 {
	return geom.Vec3{float64(d.at[0]), float64(d.at[1]), float64(d.at[2])}
}

func dotAt(p geom.Vec3) [3]float32 { return [3]float32{float32(p[0]), float32(p[1]), float32(p[2])} }

// stipple adds the points of a cloud, carried to the paper, with their colours and sizes.
func (m *Model) stipple(c *cloud.Cloud, onto geom.Affine) {
	step := 1 + (len(c.Points)-1)/mostDots
	m.dotOf = max(m.dotOf, step)
	tone, size := toneOf(c), sizeOf(c)
	grows := math.Cbrt(math.Abs(onto.M.Det()))
	for i := 0; i < len(c.Points); i += step {
		m.dots = append(m.dots, dot{dotAt(onto.Apply(c.Points[i])), tone(i), float32(grows * size(i))})
	}
}

// band0 is the harmonic of degree 0, which blobs have their colour by.
var band0 = cloud.Harmonics(0, geom.Vec3{})[0]

// shown is a part of one as eight bits.
func shown(v float64) uint8 { return uint8(math.Round(255 * min(1, max(0, v)))) }

// toneOf is the colour of points: by their eight bits, by the first harmonic of blobs, or ink.
func toneOf(c *cloud.Cloud) func(i int) [4]uint8 {
	var of [3]*cloud.Field
	for k, name := range []string{"red", "green", "blue"} {
		of[k] = c.Field(name)
	}
	part := func(k, i int) float64 { return of[k].At(i) / 255 }
	if of[0] == nil {
		for k, name := range []string{"f_dc_0", "f_dc_1", "f_dc_2"} {
			of[k] = c.Field(name)
		}
		part = func(k, i int) float64 { return .5 + band0*of[k].At(i) }
	}
	opacity := opacityOf(c)
	if of[0] == nil || of[1] == nil || of[2] == nil {
		return func(i int) [4]uint8 { return [4]uint8{0x16, 0x23, 0x2b, opacity(i)} } // ink
	}
	return func(i int) [4]uint8 {
		return [4]uint8{shown(part(0, i)), shown(part(1, i)), shown(part(2, i)), opacity(i)}
	}
}

// opacityOf is that of points: as it is where all of it lies from 0 to 1, else by the logistic function, as blobs keep
// it.
func opacityOf(c *cloud.Cloud) func(i int) uint8 {
	f := c.Field("opacity")
	if f == nil {
		return func(int) uint8 { return 255 }
	}
	plain := true
	for i := range f.Len() {
		plain = plain && f.At(i) >= 0 && f.At(i) <= 1
	}
	return func(i int) uint8 {
		if plain {
			return shown(f.At(i))
		}
		return shown(1 / (1 + math.Exp(-f.At(i))))
	}
}

// sizeOf is that of blobs, in the cloud's lengths: the mean of the two larger of their three, which is about how wide
// they look; 0 of points without sizes.
func sizeOf(c *cloud.Cloud) func(i int) float64 {
	var of [3]*cloud.Field
	for k, name := range []string{"scale_0", "scale_1", "scale_2"} {
		if of[k] = c.Field(name); of[k] == nil {
			return func(int) float64 { return 0 }
		}
	}
	logs := c.Logarithmic()
	return func(i int) float64 {
		sum, least := 0.0, math.Inf(1)
		for _, f := range of {
			v := f.At(i)
			if logs {
				v = math.Exp(v)
			}
			sum, least = sum+v, min(least, v)
		}
		return (sum - least) / 2
	}
}

// largestDot is the size of the largest blob.
func (m *Model) largestDot() (most float64) {
	for _, d := range m.dots {
		most = max(most, float64(d.size))
	}
	return most
}

// packedDots are the dots as the turntable takes them: of each three uint16 of its place in the model's box, one of its
// size as a part of the largest, then four bytes of each for colour and opacity.
func (m *Model) packedDots(b []byte, largest float64) []byte {
	lo, size := m.Box.Min, m.Box.Size()
	part := func(v, of float64) uint16 {
		if !(of > 0) {
			return 0
		}
		return uint16(math.Round(math.MaxUint16 * min(1, max(0, v/of))))
	}
	for _, d := range m.dots {
		p := d.place()
		for k := range 3 {
			b = binary.LittleEndian.AppendUint16(b, part(p[k]-lo[k], size[k]))
		}
		b = binary.LittleEndian.AppendUint16(b, part(float64(d.size), largest))
	}
	for _, d := range m.dots {
		b = append(b, d.tone[:]...)
	}
	return b
}

// mostInked is how much of the paper within the box dots may cover, as a part of it: beyond, fewer are drawn.
const mostInked = 0.25

// stipple draws the dots, each a pixel of the paper. Where they would cover the paper, every so many-th is drawn; it
// gives how many points each stands for, 0 without any.
func (s *shot) stipple() int {
	if len(s.dots) == 0 {
		return 0
	}
	size := max(1, int(s.k+.5))
	room := int(mostInked * float64(s.b.w*s.b.h) / float64(size*size))
	step := 1 + len(s.dots)/max(1, room)
	for i := 0; i < len(s.dots); i += step {
		u, v, _ := s.side.project(s.dots[i].place())
		x, y := int((u-s.u0)*s.scale+margin), int(float64(s.b.h)-margin-(v-s.v0)*s.scale)
		for dy := range size {
			for dx := range size {
				if px, py := x+dx, y+dy; px >= 0 && py >= 0 && px < s.b.w && py < s.b.h {
					s.b.shade[py*s.b.w+px] = inkShade
				}
			}
		}
	}
	return step * max(1, s.dotOf)
}

// carriedDots are the dots under a map.
func carriedDots(list []dot, by geom.Affine) []dot {
	out := make([]dot, len(list))
	grows := float32(math.Cbrt(math.Abs(by.M.Det())))
	for i, d := range list {
		out[i] = dot{dotAt(by.Apply(d.place())), d.tone, grows * d.size}
	}
	return out
}
