package draft

import "yarvek/core/geom"

// mostDots is how many dots of a cloud are kept to be drawn: of more, one for so many, evenly through the file, so that
// where points lie denser dots do.
const mostDots = 60_000

// stipple adds the points of a cloud, carried to the paper.
func (m *Model) stipple(points []geom.Vec3, onto geom.Affine) {
	step := 1 + (len(points)-1)/mostDots
	for i := 0; i < len(points); i += step {
		m.dots = append(m.dots, onto.Apply(points[i]))
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
