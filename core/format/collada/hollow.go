package collada

import (
	"math"
	"slices"

	"yarvek/core/geom"
)

// mostHollow bounds the corners of a polygon with holes that is put together by comparing all with all.
const mostHollow = 2000

// hollow adds a polygon with holes as one outline: each hole is joined to what is around it by a bridge there and back
// (the keyhole that ear clipping takes; Held 2001, "FIST: Fast Industrial-Strength Triangulation of Polygons", section
// 3). The bridge is the shortest that crosses no edge. A hole that turns as the outline does is turned round.
func (w *weaver) hollow(ring []int32, holes [][]int32) {
	all := len(ring)
	for _, h := range holes {
		all += len(h)
	}
	if all > mostHollow*w.stride || len(ring) < 3*w.stride {
		w.odd++
		return
	}
	for _, h := range append([][]int32{ring}, holes...) {
		if !w.inside(h) {
			w.outside++
			return
		}
	}
	normal := w.turn(ring)
	for len(holes) > 0 {
		best, from, to, length := -1, 0, 0, math.Inf(1)
		for k, h := range holes {
			for j := range len(h) / w.stride {
				for i := range len(ring) / w.stride {
					d := w.point(ring, i).Sub(w.point(h, j)).Len()
					if d < length && w.clear(ring, holes, w.point(ring, i), w.point(h, j), normal) {
						best, from, to, length = k, i, j, d
					}
				}
			}
		}
		if best < 0 {
			break // what is left lies outside, or crosses
		}
		h := slices.Clone(holes[best])
		holes = slices.Delete(slices.Clone(holes), best, best+1)
		if w.turn(h).Dot(normal) > 0 {
			h, to = w.reversed(h), len(h)/w.stride-1-to
		}
		s := w.stride
		bridged := slices.Concat(ring[:(from+1)*s], h[to*s:], h[:(to+1)*s], ring[from*s:])
		ring = bridged
	}
	w.odd += len(holes)
	w.polygon(ring)
}

// inside tells whether all corners of an outline stand on points that are there.
func (w *weaver) inside(p []int32) bool {
	at := w.corner()
	if len(p)%w.stride != 0 {
		return false
	}
	for i := at; i < len(p); i += w.stride {
		if p[i] < 0 || int(p[i]) >= len(w.points.rows) {
			return false
		}
	}
	return true
}

// corner is which number of a corner is that of its point.
func (w *weaver) corner() int {
	for _, in := range w.inputs {
		if in.semantic == "VERTEX" {
			return in.offset
		}
	}
	return 0
}

// point is where a corner of an outline stands.
func (w *weaver) point(p []int32, i int) geom.Vec3 {
	r := w.points.rows[p[i*w.stride+w.corner()]]
	return geom.Vec3{r[0], r[1], r[2]}
}

// turn is twice the area of an outline, along the side from which it runs anticlockwise (Newell).
func (w *weaver) turn(p []int32) (sum geom.Vec3) {
	n := len(p) / w.stride
	for i := range n {
		sum = sum.Add(w.point(p, i).Cross(w.point(p, (i+1)%n)))
	}
	return sum
}

// reversed is an outline the other way round.
func (w *weaver) reversed(p []int32) []int32 {
	var out []int32
	for i := len(p)/w.stride - 1; i >= 0; i-- {
		out = append(out, p[i*w.stride:(i+1)*w.stride]...)
	}
	return out
}

// clear tells whether a bridge crosses no edge of the outline and of the holes, seen along normal.
func (w *weaver) clear(ring []int32, holes [][]int32, a, b geom.Vec3, normal geom.Vec3) bool {
	side := func(p, q, r geom.Vec3) float64 { return q.Sub(p).Cross(r.Sub(p)).Dot(normal) }
	for _, p := range append([][]int32{ring}, holes...) {
		n := len(p) / w.stride
		for i := range n {
			c, d := w.point(p, i), w.point(p, (i+1)%n)
			if c == a || c == b || d == a || d == b {
				continue
			}
			if side(a, b, c)*side(a, b, d) < 0 && side(c, d, a)*side(c, d, b) < 0 {
				return false
			}
		}
	}
	return true
}
