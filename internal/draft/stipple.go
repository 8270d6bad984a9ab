package draft

import (
	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// mostDots is how many dots of a cloud are kept to be drawn: of more, one for so many, evenly through the file, so that
// where points lie denser dots do.
const mostDots = 500_000

// stipple adds the points of a cloud, carried to the paper, with their colours.
func (m *Model) stipple(c *cloud.Cloud, onto geom.Affine) {
	step := 1 + (len(c.Points)-1)/mostDots
	tone := toneOf(c)
	for i := 0; i < len(c.Points); i += step {
		m.dots = append(m.dots, onto.Apply(c.Points[i]))
		m.tones = append(m.tones, tone(i))
	}
}

// band0 is the harmonic of degree 0, which blobs have their colour by.
var band0 = cloud.Harmonics(0, geom.Vec3{})[0]

// toneOf is the colour of points, as light: by their eight bits, by the first harmonic of blobs, or ink.
func toneOf(c *cloud.Cloud) func(i int) [3]float32 {
	var of [3]*cloud.Field
	for k, name := range []string{"red", "green", "blue"} {
		of[k] = c.Field(name)
	}
	shown := func(k, i int) float64 { return of[k].At(i) / 255 }
	if of[0] == nil {
		for k, name := range []string{"f_dc_0", "f_dc_1", "f_dc_2"} {
			of[k] = c.Field(name)
		}
		shown = func(k, i int) float64 { return .5 + band0*of[k].At(i) }
	}
	if of[0] == nil || of[1] == nil || of[2] == nil {
		return func(int) [3]float32 { return [3]float32{.012, .02, .024} } // ink
	}
	return func(i int) (out [3]float32) {
		for k := range out {
			out[k] = float32(scene.Linear(min(1, max(0, shown(k, i)))))
		}
		return out
	}
}

// mostInked is how much of the paper within the box dots may cover, as a part of it: beyond, fewer are drawn.
const mostInked = 0.25

// stipple draws the dots, each a pixel of the paper. Where they would cover the paper, every so many-th is drawn.
func (s *shot) stipple() {
	if len(s.dots) == 0 {
		return
	}
	size := max(1, int(s.k+.5))
	room := int(mostInked * float64(s.b.w*s.b.h) / float64(size*size))
	step := 1 + len(s.dots)/max(1, room)
	for i := 0; i < len(s.dots); i += step {
		u, v, _ := s.side.project(s.dots[i])
		x, y := int((u-s.u0)*s.scale+margin), int(float64(s.b.h)-margin-(v-s.v0)*s.scale)
		for dy := range size {
			for dx := range size {
				if px, py := x+dx, y+dy; px >= 0 && py >= 0 && px < s.b.w && py < s.b.h {
					s.b.shade[py*s.b.w+px] = inkShade
				}
			}
		}
	}
}
