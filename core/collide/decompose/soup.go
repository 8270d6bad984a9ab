package decompose

import (
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/union"
)

// soup is polygons that came of triangles by being cut. Each is convex, and has corners of its own.
type soup struct {
	corners []geom.Vec3
	tag     []int32 // of each corner: the edge of the shell that runs to the next one, -1 for a cut
	start   []int32 // one more than there are polygons
	tri     []int32 // of each polygon, what it was cut of
}

func (s *soup) len() int { return len(s.tri) }

func (s *soup) add(pts []geom.Vec3, tag []int32, tri int32) {
	if len(s.start) == 0 {
		s.start = append(s.start, 0)
	}
	s.corners = append(s.corners, pts...)
	s.tag = append(s.tag, tag...)
	s.start = append(s.start, int32(len(s.corners)))
	s.tri = append(s.tri, tri)
}

// polygon is one of them.
func (s *soup) polygon(i int) (pts []geom.Vec3, tag []int32) {
	a, b := s.start[i], s.start[i+1]
	return s.corners[a:b], s.tag[a:b]
}

// clip divides the polygons at a plane (Sutherland and Hodgman 1974, one plane). What lies in it
// goes to the side that it bounds. near is within what of the plane points lie on it.
func (s *soup) clip(p fit.Plane, near float64, below, above *soup) {
	var side [64]float64
	var lo, hi []geom.Vec3
	var loTag, hiTag []int32
	for i := range s.tri {
		pts, tag := s.polygon(i)
		if len(pts) > len(side) {
			continue
		}
		least, most := math.Inf(1), math.Inf(-1)
		for k, q := range pts {
			d := q[0]*p.N[0] + q[1]*p.N[1] + q[2]*p.N[2] - p.D
			if math.Abs(d) <= near {
				d = 0
			}
			side[k] = d
			least, most = min(least, d), max(most, d)
		}
		switch {
		case least == 0 && most == 0:
			if areaOf(pts).Dot(p.N) >= 0 {
				below.add(pts, tag, s.tri[i])
			} else {
				above.add(pts, tag, s.tri[i])
			}
			continue
		case most <= 0:
			below.add(pts, tag, s.tri[i])
			continue
		case least >= 0:
			above.add(pts, tag, s.tri[i])
			continue
		}
		lo, hi, loTag, hiTag = lo[:0], hi[:0], loTag[:0], hiTag[:0]
		for k, q := range pts {
			n := k + 1
			if n == len(pts) {
				n = 0
			}
			a, b := side[k], side[n]
			t := tag[k]
			if a <= 0 {
				lo = append(lo, q)
				if a == 0 && b > 0 {
					loTag = append(loTag, -1)
				} else {
					loTag = append(loTag, t)
				}
			}
			if a >= 0 {
				hi = append(hi, q)
				if a == 0 && b < 0 {
					hiTag = append(hiTag, -1)
				} else {
					hiTag = append(hiTag, t)
				}
			}
			if a*b < 0 {
				x := crossing(q, pts[n], a, b)
				lo, hi = append(lo, x), append(hi, x)
				if a < 0 {
					loTag, hiTag = append(loTag, -1), append(hiTag, t)
				} else {
					loTag, hiTag = append(loTag, t), append(hiTag, -1)
				}
			}
		}
		below.add(lo, loTag, s.tri[i])
		above.add(hi, hiTag, s.tri[i])
	}
}

// crossing is where an edge crosses a plane, the same from both its ends.
func crossing(p, q geom.Vec3, a, b float64) geom.Vec3 {
	if a > b {
		p, q, a, b = q, p, b, a
	}
	return p.Add(q.Sub(p).Mul(a / (a - b)))
}

// areaOf is a polygon's normal, as long as its area.
func areaOf(pts []geom.Vec3) geom.Vec3 {
	var n geom.Vec3
	for k := 1; k+1 < len(pts); k++ {
		n = n.Add(pts[k].Sub(pts[0]).Cross(pts[k+1].Sub(pts[0])))
	}
	return n.Mul(0.5)
}

// middleOf is the mean of a polygon's corners.
func middleOf(pts []geom.Vec3) geom.Vec3 {
	var m geom.Vec3
	for _, p := range pts {
		m = m.Add(p)
	}
	return m.Mul(1 / float64(len(pts)))
}

// plan is a shell made ready for being cut.
type plan struct {
	*shell
	tag   []int32 // of each corner, the number of the edge that begins there
	edges int
	bends map[int32][2]int32 // the two triangles of edges where the surface is hollow
	whole *soup
}

// hollow is from what sine of its angle on an edge counts as one where the surface is hollow.
const hollow = 0.03

func (x *shell) plan(ctx context.Context) *plan {
	p := &plan{shell: x, tag: make([]int32, len(x.tris)), bends: map[int32][2]int32{}, whole: &soup{}}
	x.planted(ctx)
	number := make(map[[2]int32]int32, len(x.tris)/2)
	var uses [][2]int32 // corners
	for c := range x.tris {
		a, b := x.tris[c], x.tris[c-c%3+(c+1)%3]
		k := [2]int32{min(a, b), max(a, b)}
		e, ok := number[k]
		if !ok {
			e = int32(len(uses))
			number[k] = e
			uses = append(uses, [2]int32{int32(c), -1})
		} else if uses[e][1] < 0 {
			uses[e][1] = int32(c)
		}
		p.tag[c] = e
	}
	p.edges = len(uses)
	for t := 0; t < len(x.tris); t += 3 {
		p.whole.add([]geom.Vec3{x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]}, p.tag[t:t+3], int32(t/3))
	}
	for e, u := range uses {
		if u[1] < 0 {
			continue
		}
		f, g := u[0]/3, u[1]/3
		n, m := areaOf(p.corners(f)).Unit(), areaOf(p.corners(g)).Unit()
		opposite := x.pts[x.tris[3*g+(u[1]%3+2)%3]]
		if opposite.Sub(x.pts[x.tris[u[0]]]).Dot(n) > 0 && n.Cross(m).Len() > hollow {
			p.bends[int32(e)] = [2]int32{f, g}
		}
	}
	return p
}

// corners are those of a triangle.
func (p *plan) corners(t int32) []geom.Vec3 { pts, _ := p.whole.polygon(int(t)); return pts }

// bodies divides what of a plan lies in a cell by what hangs together there: over edges, or through
// the solid, where a ray inward from one ends on the other.
func (p *plan) bodies(s *soup, cell []fit.Plane, near float64) []*soup {
	if s.len() == 0 {
		return nil
	}
	sets := union.New(s.len())
	last := make([]int32, p.edges)
	for i := range s.tri {
		_, tag := s.polygon(i)
		for _, e := range tag {
			if e < 0 {
				continue
			}
			if last[e] > 0 {
				sets.Join(last[e]-1, int32(i))
			}
			last[e] = int32(i) + 1
		}
	}
	sets.Flatten()
	count := 0
	for i, r := range sets {
		if int(r) == i {
			count++
		}
	}
	if count > 1 && p.closed {
		p.through(s, sets, cell, near)
	}
	number := map[int32]int{}
	var out []*soup
	for i := range s.tri {
		r := sets.Find(int32(i))
		k, ok := number[r]
		if !ok {
			k = len(out)
			number[r] = k
			out = append(out, &soup{})
		}
		pts, tag := s.polygon(i)
		out[k].add(pts, tag, s.tri[i])
	}
	return out
}

// looks is from how many polygons of each body is looked through the solid.
const looks = 8

// through joins bodies that are two sides of one solid. One whose faces look inward, at its own
// middle, is a side of something for certain.
func (p *plan) through(s *soup, sets union.Sets, cell []fit.Plane, near float64) {
	at := make(map[int32]int32, s.len()) // polygon of each triangle
	members := map[int32][]int32{}
	var roots []int32
	for i, t := range s.tri {
		at[t] = int32(i)
		r := sets[i]
		if members[r] == nil {
			roots = append(roots, r)
		}
		members[r] = append(members[r], int32(i))
	}
	along := func(i int32, from, to geom.Vec3) bool {
		hit, ok := p.tree.First(from.Add(to.Mul(10*near)), to, math.Inf(1))
		if !ok {
			return false
		}
		k, there := at[int32(hit.Triangle)]
		return there && within(cell, hit.Point, 10*near) && sets.Join(i, k)
	}
	look := func(i int32) bool {
		pts, tag := s.polygon(int(i))
		n := areaOf(pts).Unit()
		joined := along(i, middleOf(pts), n.Mul(-1))
		for k, e := range tag {
			if e >= 0 {
				continue
			}
			// Along a cut: from where the surface was cut through the solid within the plane.
			a, b := pts[k], pts[(k+1)%len(pts)]
			middle := a.Add(b).Mul(0.5)
			for _, c := range cell {
				if math.Abs(middle.Dot(c.N)-c.D) <= 10*near {
					to := c.N.Cross(b.Sub(a)).Unit()
					if to.Dot(n) > 0 {
						to = to.Mul(-1)
					}
					joined = along(i, middle, to) || joined
				}
			}
		}
		return joined
	}
	for _, r := range roots {
		var list []int32
		for _, i := range members[r] {
			if _, tag := s.polygon(int(i)); slices.Contains(tag, -1) {
				list = append(list, i)
			}
		}
		for _, l := range [2][]int32{list, members[r]} {
			for k := range min(len(l), looks) {
				look(l[k*len(l)/min(len(l), looks)])
			}
		}
	}
	var largest int32 = -1
	for _, r := range roots {
		if largest < 0 || len(members[r]) > len(members[largest]) {
			largest = r
		}
	}
	for _, r := range roots {
		if !s.inward(members[r]) {
			continue
		}
		joined := false
		for _, i := range members[r] {
			joined = joined || sets.Find(i) != r || len(members[sets.Find(i)]) > len(members[r]) || look(i)
		}
		if !joined && largest != r {
			sets.Join(r, largest)
		}
	}
}

// inward tells whether polygons look at their own middle rather than away from it.
func (s *soup) inward(list []int32) bool {
	var middle geom.Vec3
	sum, turned := 0.0, 0.0
	for _, i := range list {
		pts, _ := s.polygon(int(i))
		a := areaOf(pts).Len()
		middle = middle.Add(middleOf(pts).Mul(a))
		sum += a
	}
	middle = middle.Mul(1 / math.Max(sum, 1e-300))
	for _, i := range list {
		pts, _ := s.polygon(int(i))
		turned += areaOf(pts).Dot(middleOf(pts).Sub(middle))
	}
	return turned < 0
}

// within tells whether a point lies behind all planes, or near them.
func within(cell []fit.Plane, p geom.Vec3, near float64) bool {
	for _, c := range cell {
		if p.Dot(c.N)-c.D > near {
			return false
		}
	}
	return true
}
