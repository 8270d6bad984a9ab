package draft

import (
	"math"
	"slices"
	"strconv"
)

// segment is a visible piece of an edge, in tenths of a paper pixel.
type segment struct{ x0, y0, x1, y1 int32 }

// lines finds the visible feature edges and returns them as path data. When there
// are more than a page should carry they are drawn into the picture instead, and
// ok is false.
func (s *shot) lines() (path string, ok bool) {
	list := s.thinnedOut(s.candidates())
	if len(list) <= maxLines {
		var segs []segment
		for i, e := range list {
			if i&0xfff == 0 && s.ctx.Err() != nil {
				return "", false
			}
			s.visible(s.edges[e], func(x0, y0, x1, y1 float32) {
				segs = append(segs, s.paper(x0, y0, x1, y1))
			})
		}
		if path = joined(segs); len(path) <= maxPath {
			return path, true
		}
	}
	for i, e := range list {
		if i&0xfff == 0 && s.ctx.Err() != nil {
			break
		}
		s.visible(s.edges[e], s.ink)
	}
	return "", false
}

// candidates are the hard edges and, from this side, those of the silhouette:
// one of their faces looks toward the viewer and the other away. It gives their numbers.
func (s *shot) candidates() []int32 {
	facing := make([]bool, len(s.faces))
	for i, n := range s.faces {
		_, _, near := s.side.project(n)
		facing[i] = near > 1e-9
	}
	// On a dense mesh creases of a few pixels are grain, not features.
	grain := float32(0)
	if len(s.faces) > 20_000 {
		grain = float32(9 * s.k)
	}
	var list []int32
	for i, e := range s.edges {
		if e.hard {
			if grain > 0 && e.f1 >= 0 && facing[e.f0] == facing[e.f1] &&
				max(abs32(s.xy[2*e.a]-s.xy[2*e.b]), abs32(s.xy[2*e.a+1]-s.xy[2*e.b+1])) < grain {
				continue
			}
			if e.f1 < 0 || facing[e.f0] || facing[e.f1] {
				list = append(list, int32(i))
			}
		} else if facing[e.f0] != facing[e.f1] {
			list = append(list, int32(i))
		}
	}
	return list
}

// lineSteps bounds the pixels along all edges that are tried in a view, a quarter of a second of
// work.
const lineSteps = 30_000_000

// thinnedOut leaves every so many-th of the edges when there are more than can be tried.
// They lie far closer than a line is wide then, and what stays is as black.
func (s *shot) thinnedOut(list []int32) []int32 {
	steps := 0.
	for _, k := range list {
		e := s.edges[k]
		steps += 1 + math.Hypot(float64(s.xy[2*e.b]-s.xy[2*e.a]), float64(s.xy[2*e.b+1]-s.xy[2*e.a+1]))/2
	}
	every := int(math.Ceil(steps / lineSteps))
	if every <= 1 {
		return list
	}
	kept := list[:0]
	for i := 0; i < len(list); i += every {
		kept = append(kept, list[i])
	}
	return kept
}

// visible walks along an edge and calls f for each stretch that nothing hides.
func (s *shot) visible(e edge, f func(x0, y0, x1, y1 float32)) {
	x0, y0, z0 := s.xy[2*e.a], s.xy[2*e.a+1], s.near[e.a]
	x1, y1, z1 := s.xy[2*e.b], s.xy[2*e.b+1], s.near[e.b]
	l := math.Hypot(float64(x1-x0), float64(y1-y0))
	if l < 0.05 {
		return
	}
	n := int(l/2) + 1
	// An edge lies on the surface it borders, so it needs the benefit of a pixel
	// and a little of the depth.
	bias := float32(2.5 + 0.002*s.depth*s.scale)
	from := -1
	at := func(i int) (x, y float32) {
		t := float32(i) / float32(n)
		return x0 + t*(x1-x0), y0 + t*(y1-y0)
	}
	for i := range n {
		t := (float32(i) + 0.5) / float32(n)
		seen := z0+t*(z1-z0)+bias >= s.farthest(x0+t*(x1-x0), y0+t*(y1-y0))
		if seen && from < 0 {
			from = i
		}
		if !seen && from >= 0 {
			ax, ay := at(from)
			bx, by := at(i)
			f(ax, ay, bx, by)
			from = -1
		}
	}
	if from >= 0 {
		ax, ay := at(from)
		f(ax, ay, x1, y1)
	}
}

// farthest is the least near surface of the pixel and its four neighbours: an edge
// that peeks out beside any of them is seen.
func (s *shot) farthest(x, y float32) float32 {
	b := s.b
	cx, cy := min(max(int(x), 1), b.w-2), min(max(int(y), 1), b.h-2)
	i := cy*b.w + cx
	return min(b.depth[i], b.depth[i-1], b.depth[i+1], b.depth[i-b.w], b.depth[i+b.w])
}

// paper converts buffer pixels to tenths of paper pixels from the upper left of the box.
func (s *shot) paper(x0, y0, x1, y1 float32) segment {
	h := float64(s.b.h)
	conv := func(x, y float32) (int32, int32) {
		px := (float64(x) - margin) / s.k
		py := (float64(y) - (h - margin)) / s.k // 0 at the base, negative upwards
		_, _, _, hh := s.side.extent(s.Box)
		return int32(math.Round(px * 10)), int32(math.Round((py + hh*s.scale/s.k) * 10))
	}
	var g segment
	g.x0, g.y0 = conv(x0, y0)
	g.x1, g.y1 = conv(x1, y1)
	if g.x1 < g.x0 || g.x1 == g.x0 && g.y1 < g.y0 {
		g.x0, g.y0, g.x1, g.y1 = g.x1, g.y1, g.x0, g.y0
	}
	return g
}

// ink draws a line into the picture.
func (s *shot) ink(x0, y0, x1, y1 float32) {
	n := int(max(math.Abs(float64(x1-x0)), math.Abs(float64(y1-y0)))) + 1
	for i := range n + 1 {
		t := float32(i) / float32(n)
		x, y := int(x0+t*(x1-x0)), int(y0+t*(y1-y0))
		if x >= 0 && y >= 0 && x < s.b.w && y < s.b.h {
			s.b.shade[y*s.b.w+x] = inkShade
		}
	}
}

// joined drops repeated segments and strings the rest together end to end, so that
// a path is a few long strokes.
func joined(segs []segment) string {
	slices.SortFunc(segs, func(a, b segment) int {
		for _, d := range [4]int32{a.x0 - b.x0, a.y0 - b.y0, a.x1 - b.x1, a.y1 - b.y1} {
			if d != 0 {
				return int(d)
			}
		}
		return 0
	})
	segs = slices.Compact(segs)
	type point struct{ x, y int32 }
	ends := map[point][]int32{}
	for i, g := range segs {
		if g.x0 == g.x1 && g.y0 == g.y1 {
			continue
		}
		a, b := point{g.x0, g.y0}, point{g.x1, g.y1}
		ends[a] = append(ends[a], int32(i))
		ends[b] = append(ends[b], int32(i))
	}
	used := make([]bool, len(segs))
	var out []byte
	num := func(v int32) {
		if v%10 == 0 {
			out = strconv.AppendInt(out, int64(v/10), 10)
			return
		}
		out = strconv.AppendFloat(out, float64(v)/10, 'f', 1, 64)
	}
	for i, g := range segs {
		if used[i] || g.x0 == g.x1 && g.y0 == g.y1 {
			continue
		}
		used[i] = true
		out = append(out, 'M')
		num(g.x0)
		out = append(out, ' ')
		num(g.y0)
		from, at := point{g.x0, g.y0}, point{g.x1, g.y1}
		for {
			next := -1
			rest := ends[at]
			for len(rest) > 0 && used[rest[0]] {
				rest = rest[1:]
			}
			if ends[at] = rest; len(rest) > 0 {
				next = int(rest[0])
			}
			var to point
			if next >= 0 {
				used[next] = true
				h := segs[next]
				if to = (point{h.x1, h.y1}); to == at {
					to = point{h.x0, h.y0}
				}
				// A straight run needs only its end.
				ax, ay, bx, by := int64(at.x-from.x), int64(at.y-from.y), int64(to.x-at.x), int64(to.y-at.y)
				if ax*by == ay*bx && ax*bx+ay*by > 0 {
					at = to
					continue
				}
			}
			out = append(out, 'L')
			num(at.x)
			out = append(out, ' ')
			num(at.y)
			if next < 0 {
				break
			}
			from, at = at, to
		}
	}
	return string(out)
}

func abs32(v float32) float32 { return max(v, -v) }
