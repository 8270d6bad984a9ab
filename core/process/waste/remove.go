package waste

import (
	"context"

	"yarvek/core/scene"
	"yarvek/core/topo"
)

// remove takes points out, those with few triangles round them first: each leaves a hole,
// which is cut anew. A point whose hole can't be cut is tried again when others have gone; it
// ends when nothing goes any more, or next to nothing for many rounds.
func (w *work) remove(ctx context.Context) {
	w.touched = make([]bool, len(w.face))
	var todo []int32
	for p, s := range w.state {
		if s != stays {
			todo = append(todo, int32(p))
		}
	}
	const rounds = 200
	most := 8 // triangles round a point that is taken out now
	var cut cutter
	for range rounds {
		left := todo[:0]
		taken, waiting := 0, 0
		for i, p := range todo {
			if i&0xff == 0 && ctx.Err() != nil {
				return
			}
			done, many := w.take(p, most, &cut)
			if done {
				taken++
				continue
			}
			left = append(left, p)
			if many {
				waiting++
			}
		}
		if taken == 0 && waiting == 0 || len(left) == 0 {
			return
		}
		if 4*taken < len(todo) {
			most *= 2
		}
		todo = left
	}
}

// hole is what a point leaves on one side of it: the places round it, anticlockwise, with the
// corners that stand there and the half edges beyond.
type hole struct {
	region int32
	corner []int32 // of each place; the last is the end of the way
	beyond []int32 // twin of the side from each place to the next; -1 at a border
	inner  []int32 // the half edge itself, for its hardness
	tris   []int32
}

// take removes a point. many says that there are more than most triangles round it.
func (w *work) take(p int32, most int, cut *cutter) (done, many bool) {
	fan, closed := w.fan(w.out[p], cut.fan, most)
	cut.fan = fan
	if len(fan) > most {
		return false, true
	}
	if closed && w.state[p] == along { // begin at a border between regions
		k := 0
		for k < len(fan) && !w.divides(fan[k]) {
			k++
		}
		if k == len(fan) {
			return false, false
		}
		cut.turned = append(append(cut.turned[:0], fan[k:]...), fan[:k]...)
		fan = cut.turned
	}
	cut.holes = cut.holes[:0]
	for i, h := range fan {
		if i == 0 || w.divides(h) {
			if len(cut.holes) == cap(cut.holes) {
				cut.holes = append(cut.holes, hole{})
			} else {
				cut.holes = cut.holes[:len(cut.holes)+1]
			}
			x := &cut.holes[len(cut.holes)-1]
			*x = hole{w.region[h/3], x.corner[:0], x.beyond[:0], x.inner[:0], x.tris[:0]}
		}
		x := &cut.holes[len(cut.holes)-1]
		side := topo.After(h)
		x.corner, x.beyond, x.inner, x.tris = append(x.corner, w.corner[side]), append(x.beyond, w.twin[side]),
			append(x.inner, side),
			append(x.tris, h/3)
		if i+1 == len(fan) || w.divides(fan[i+1]) {
			x.corner = append(x.corner, w.corner[topo.Before(h)])
		}
	}
	if w.state[p] == inside {
		// The way closes: its last corner is its first.
		x := &cut.holes[0]
		if len(cut.holes) != 1 || !closed {
			return false, false
		}
		x.corner = x.corner[:len(x.corner)-1]
	} else if len(cut.holes) > 2 || closed && len(cut.holes) != 2 || !closed && len(cut.holes) != 1 {
		return false, false
	}
	cut.list = cut.list[:0]
	for k := range cut.holes {
		if !w.cut(&cut.holes[k], cut) {
			return false, false
		}
	}
	w.fill(p, cut)
	return true, false
}

// cutter holds what taking a point out needs, from one to the next.
type cutter struct {
	fan, turned []int32
	holes       []hole
	flat        [][2]float64
	ring        []int32
	list        [][4]int32 // triangles of the holes: hole, and three numbers in its way
	sides       []side
	polygon     scene.Cutter
}

// side is a side of a triangle that was cut, waiting for the one that runs back.
type side struct {
	hole, a, b int32 // numbers in the hole's way
	h          int32
}

// fewSides is up to how many sides the best ear is looked for among all.
const fewSides = 16

// cut cuts a hole into triangles of sound form; false when it can't be.
func (w *work) cut(x *hole, c *cutter) bool {
	n := len(x.corner)
	if n == 2 {
		// One triangle, which rounding keeps from being a line: it goes, and what is beyond
		// takes its place.
		return x.beyond[0] >= 0
	}
	c.flat, c.ring = c.flat[:0], c.ring[:0]
	for i, k := range x.corner {
		c.flat, c.ring = append(c.flat, w.plane(x.region, w.m.Points[w.m.Corners[k]])), append(c.ring, int32(i))
	}
	k := int32(0)
	for j := range c.holes {
		if &c.holes[j] == x {
			k = int32(j)
		}
	}
	first := len(c.list)
	give := func(a, b, d int32) { c.list = append(c.list, [4]int32{k, a, b, d}) }
	if n <= fewSides {
		if !ears(c.ring, c.flat, give) {
			return false
		}
	} else {
		c.polygon.Cut(c.ring, c.flat, give)
	}
	if len(c.list)-first != n-2 {
		return false
	}
	for _, t := range c.list[first:] {
		if !sound(c.flat[t[1]], c.flat[t[2]], c.flat[t[3]]) {
			return false
		}
	}
	return true
}

func cross(a, b, c [2]float64) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

func square(a, b [2]float64) float64 {
	x, y := b[0]-a[0], b[1]-a[1]
	return x*x + y*y
}

// sound tells whether a triangle has area to speak of.
func sound(a, b, c [2]float64) bool {
	return cross(a, b, c) > 1e-8*max(square(a, b), square(b, c), square(c, a))
}

// ears cuts a small ring, the roundest ear first; false when none is left.
func ears(ring []int32, p [][2]float64, give func(a, b, c int32)) bool {
	for len(ring) > 3 {
		best, at := 0.0, -1
		n := len(ring)
		for i := range n {
			a, b, c := ring[(i+n-1)%n], ring[i], ring[(i+1)%n]
			if !sound(p[a], p[b], p[c]) {
				continue
			}
			round := cross(p[a], p[b], p[c]) / (square(p[a], p[b]) + square(p[b], p[c]) + square(p[c], p[a]))
			if round <= best {
				continue
			}
			clear := true
			for _, k := range ring {
				if k == a || k == b || k == c {
					continue
				}
				if cross(p[a], p[b], p[k]) >= 0 && cross(p[b], p[c], p[k]) >= 0 && cross(p[c], p[a], p[k]) >= 0 {
					clear = false
					break
				}
			}
			if clear {
				best, at = round, i
			}
		}
		if at < 0 {
			return false
		}
		give(ring[(at+n-1)%n], ring[at], ring[(at+1)%n])
		ring = append(ring[:at], ring[at+1:]...)
	}
	give(ring[0], ring[1], ring[2])
	return true
}

// fill puts the cut triangles in the place of those round the point.
func (w *work) fill(p int32, c *cutter) {
	c.sides = c.sides[:0]
	closing := [2]int32{-1, -1} // of each hole, the half edge where the point was
	var closingHard bool
	if w.state[p] == along {
		closingHard = w.hardAt(w.from(c.holes[0].tris[0], p))
	}
	var hardOf map[int32]bool
	if w.hard != nil {
		hardOf = map[int32]bool{}
		for k := range c.holes {
			for _, h := range c.holes[k].inner {
				hardOf[h] = w.hard[h]
			}
		}
	}
	// A triangle goes where one of the same hole was, so that faces keep their slots.
	used := [2]int{}
	for _, t := range c.list {
		x := &c.holes[t[0]]
		at := x.tris[used[t[0]]]
		used[t[0]]++
		w.touched[at] = true
		n := int32(len(x.corner))
		for e := range int32(3) {
			h := 3*at + e
			a, b := t[1+e], t[1+(e+1)%3]
			w.corner[h] = x.corner[a]
			w.begins[h] = w.place[w.m.Corners[x.corner[a]]]
			w.twin[h] = -1
			w.out[w.at(h)] = h
			if w.hard != nil {
				w.hard[h] = false
			}
			switch {
			case b == a+1 && int(a) < len(x.beyond) || b == 0 && a == n-1 && len(x.beyond) == int(n):
				g := x.beyond[a]
				w.twin[h] = g
				if g >= 0 {
					w.twin[g] = h
				}
				if w.hard != nil {
					w.hard[h] = hardOf[x.inner[a]]
				}
			case b == 0 && a == n-1: // where the point was
				closing[t[0]] = h
				if w.hard != nil {
					w.hard[h] = closingHard
				}
			default:
				w.mate(c, side{t[0], a, b, h})
			}
		}
	}
	for k, x := range c.holes {
		if g := x.beyond[0]; len(x.corner) == 2 {
			closing[k], w.twin[g] = g, -1
			w.out[w.at(g)], w.out[w.at(topo.After(g))] = g, topo.After(g)
			w.touched[g/3] = true
			if w.hard != nil {
				w.hard[g] = closingHard
			}
		}
	}
	if len(c.holes) == 2 {
		w.twin[closing[0]], w.twin[closing[1]] = closing[1], closing[0]
	}
	for k := range c.holes {
		for _, t := range c.holes[k].tris[used[k]:] {
			for e := range int32(3) {
				w.corner[3*t+e], w.twin[3*t+e] = -1, -1
			}
			w.touched[t] = true
			w.gone++
		}
	}
	w.out[p], w.state[p] = -1, stays
}

// from is the half edge of a triangle that begins at place p, which is one of its corners.
func (w *work) from(t, p int32) int32 {
	h := 3 * t
	for w.at(h) != p {
		h++
	}
	return h
}

// mate joins a cut's side with the one that runs back, which came before or comes yet.
func (w *work) mate(c *cutter, s side) {
	for i, o := range c.sides {
		if o.hole == s.hole && o.a == s.b && o.b == s.a {
			w.twin[s.h], w.twin[o.h] = o.h, s.h
			c.sides[i] = c.sides[len(c.sides)-1]
			c.sides = c.sides[:len(c.sides)-1]
			return
		}
	}
	c.sides = append(c.sides, s)
}
