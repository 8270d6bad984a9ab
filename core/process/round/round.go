// Package round finds parts that are meant as round, and gives them another number of sides. A modelling program turns
// a cylinder, a cone, a ball, a ring or any profile that was revolved into facets: rings of points at even angles about
// an axis, and bands of faces between them. Such a part says by itself what it stands for, so that it can be made
// again with more sides, or fewer.
package round

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// Kind is what a part is meant as.
type Kind string

// The kinds. A revolved profile is any other.
const (
	Cylinder Kind = "cylinder"
	Cone     Kind = "cone"
	Ball     Kind = "ball"
	Ring     Kind = "ring"
	Revolved Kind = "revolved profile"
)

// Bounds of sides. A part of four is as well a box, and one of three a wedge.
const (
	LeastSides = 5
	MostSides  = 512
)

// Part is a round part of one mesh, in its frame.
type Part struct {
	Kind   Kind
	Sides  int
	Axis   geom.Vec3 // of length 1
	Middle geom.Vec3 // on the axis
	Radius float64   // the largest
	// Residue is how far a point stands from where an even ring about the axis has it, at most.
	Residue float64

	mesh  *scene.Mesh
	first float64      // the angle of side 0 about the axis, from across
	frame [2]geom.Vec3 // across the axis; with it a right-handed triple
	rings []ring
	bands []band
	caps  []disc
}

// ring is where points stand evenly about the axis; one of radius 0 is a single point.
type ring struct{ height, radius float64 }

// band is the faces between two rings, sector by sector.
type band struct {
	low, high int
	outward   bool // they run along the low ring the way angles grow
	sectors   []sector
}

// sector is one side of a band: its corners at the low ring and the high one, left (where it begins) and right.
type sector struct{ corner [2][2]int32 }

// disc is faces that close a ring, with a corner of them at each of its points.
type disc struct {
	ring   int
	up     bool // they look along the axis
	corner []int32
}

// near is how far from its place a point may stand, as a share of the part's size.
const near = 1e-3

// mostFaces bounds the faces of a part that is looked at.
const mostFaces = 100_000

// Find looks for round parts among those that hang together. When ctx ends it returns early, and what it returns means
// nothing.
func Find(ctx context.Context, m *scene.Mesh) (list []*Part) {
	for _, piece := range pieces(ctx, m) {
		if p := Of(ctx, piece); p != nil {
			list = append(list, p)
		}
	}
	return list
}

// mostPieces bounds the parts of a mesh that are looked at.
const mostPieces = 2000

// pieces are the parts of a mesh that hang together; none where there are too many.
func pieces(ctx context.Context, m *scene.Mesh) []*scene.Mesh {
	if m.Faces() < LeastSides {
		return nil
	}
	part, n := m.Bodies(ctx)
	if ctx.Err() != nil || n > mostPieces {
		return nil
	}
	return m.Cut(part, n)
}

// Of is what a mesh that hangs together is meant as, nil where it is nothing round.
//
// The axis of a revolved part goes through the middle of its points, and is a main axis of their spread: a ring of
// three points and more spreads evenly across it. Where all three main axes are alike, as in a ball, those of the
// mesh's frame are tried too.
func Of(ctx context.Context, m *scene.Mesh) *Part {
	if m.Faces() < LeastSides || m.Faces() > mostFaces {
		return nil
	}
	place := topo.Places(ctx, m.Points, topo.OnePlace(m.Points))
	var middle geom.Vec3
	n := 0.0
	box := geom.EmptyBox()
	for i, p := range m.Points {
		if place[i] == int32(i) {
			middle, n, box = middle.Add(p), n+1, box.Add(p)
		}
	}
	middle = middle.Mul(1 / n)
	var spread geom.Mat3
	for i, p := range m.Points {
		if d := p.Sub(middle); place[i] == int32(i) {
			for r := range 3 {
				for c := range 3 {
					spread[r][c] += d[r] * d[c]
				}
			}
		}
	}
	_, main := spread.Eigen()
	var best *Part
	for k := range 6 {
		axis := geom.Vec3{}
		if k < 3 {
			axis = main.Col(k)
		} else {
			axis[k-3] = 1
		}
		p := &Part{mesh: m, Axis: axis, Middle: middle}
		if p.fits(place, near*box.Size().Len()) && (best == nil || p.Sides > best.Sides) {
			best = p
		}
		if ctx.Err() != nil {
			return nil
		}
	}
	return best
}

// spot is where a point stands: on a ring, and at which side of it; -1 for a ring that is one point.
type spot struct{ ring, side int }

// fits sorts points into rings and faces into bands about the axis, false where they don't go.
func (p *Part) fits(place []int32, tol float64) bool {
	p.frame[0] = p.Axis.Across()
	p.frame[1] = p.Axis.Cross(p.frame[0])
	type stand struct {
		point          int32
		height, radius float64
		angle          float64
	}
	var list []stand
	for i, q := range p.mesh.Points {
		if place[i] != int32(i) {
			continue
		}
		d := q.Sub(p.Middle)
		x, y := d.Dot(p.frame[0]), d.Dot(p.frame[1])
		list = append(list, stand{int32(i), d.Dot(p.Axis), math.Hypot(x, y), math.Atan2(y, x)})
	}
	split := func(list []stand, by func(s stand) float64) (out [][]stand) {
		slices.SortStableFunc(list, func(a, b stand) int { return cmp.Compare(by(a), by(b)) })
		from := 0
		for i := 1; i <= len(list); i++ {
			if i == len(list) || by(list[i])-by(list[i-1]) > tol {
				out = append(out, list[from:i])
				from = i
			}
		}
		return out
	}
	spots := make([]spot, len(p.mesh.Points))
	turn := math.NaN()
	for _, level := range split(list, func(s stand) float64 { return s.height }) {
		for _, group := range split(level, func(s stand) float64 { return s.radius }) {
			r := ring{}
			for _, s := range group {
				r.height, r.radius = r.height+s.height/float64(len(group)), r.radius+s.radius/float64(len(group))
			}
			number := len(p.rings)
			if r.radius <= tol {
				if len(group) > 1 {
					return false
				}
				p.Residue = max(p.Residue, r.radius)
				p.rings = append(p.rings, ring{r.height, 0})
				spots[group[0].point] = spot{number, -1}
				continue
			}
			if p.Sides == 0 {
				p.Sides, p.first = len(group), group[0].angle
				turn = 2 * math.Pi / float64(p.Sides)
			}
			if len(group) != p.Sides || p.Sides < LeastSides {
				return false
			}
			taken := make([]bool, p.Sides)
			for _, s := range group {
				k := int(math.Round((s.angle - p.first) / turn))
				off := math.Hypot((s.angle-p.first-float64(k)*turn)*r.radius, math.Hypot(s.radius-r.radius, s.height-r.height))
				k = (k%p.Sides + p.Sides) % p.Sides
				if off > tol || taken[k] {
					return false
				}
				taken[k] = true
				p.Residue = max(p.Residue, off)
				spots[s.point] = spot{number, k}
			}
			p.rings = append(p.rings, r)
			p.Radius = max(p.Radius, r.radius)
		}
	}
	if p.Sides == 0 || !p.sorted(place, spots) {
		return false
	}
	p.Kind = p.kind(tol)
	return true
}

// sorted puts each face into the band or disc it is of, false where one is of none, or one is not whole.
func (p *Part) sorted(place []int32, spots []spot) bool {
	m := p.mesh
	type key struct{ low, high int }
	number := map[key]int{}
	corners := map[key][]int{} // of each sector of a band, how many corners there are
	discs := map[int]int{}     // of a ring
	filled := map[int]int{}    // of a disc: the triangles its faces make
	at := func(c int32) spot { return spots[place[m.Corners[c]]] }
	for f := range m.Faces() {
		from, to := m.FaceStart[f], m.FaceStart[f+1]
		k := key{math.MaxInt, -1}
		for c := from; c < to; c++ {
			k.low, k.high = min(k.low, at(c).ring), max(k.high, at(c).ring)
		}
		if k.low == k.high {
			i, ok := discs[k.low]
			if !ok {
				i = len(p.caps)
				discs[k.low] = i
				d := disc{ring: k.low, up: m.FaceNormal(f).Dot(p.Axis) > 0, corner: make([]int32, p.Sides)}
				for s := range d.corner {
					d.corner[s] = -1
				}
				p.caps = append(p.caps, d)
			}
			for c := from; c < to; c++ {
				if at(c).side < 0 {
					return false
				}
				p.caps[i].corner[at(c).side] = c
			}
			filled[i] += int(to-from) - 2
			continue
		}
		if to-from > 4 {
			return false
		}
		i, ok := number[k]
		if !ok {
			i = len(p.bands)
			number[k] = i
			b := band{low: k.low, high: k.high, sectors: make([]sector, p.Sides)}
			for s := range b.sectors {
				b.sectors[s].corner = [2][2]int32{{-1, -1}, {-1, -1}}
			}
			p.bands = append(p.bands, b)
			corners[k] = make([]int, p.Sides)
		}
		side, ok := p.between(from, to, at, k.low, k.high)
		if !ok {
			return false
		}
		b := &p.bands[i]
		for c := from; c < to; c++ {
			x := at(c)
			end := 0
			if x.ring == b.high {
				end = 1
			} else if x.ring != b.low {
				return false
			}
			if x.side < 0 {
				b.sectors[side].corner[end] = [2]int32{c, c}
				continue
			}
			right := 0
			if x.side != side {
				right = 1
			}
			b.sectors[side].corner[end][right] = c
			if y := at(after(m, f, c)); y.ring == x.ring && y.side >= 0 && y.side != x.side {
				// Along the low ring outward faces run as angles grow, along the high one against it.
				b.outward = (right == 0) == (end == 0)
			}
		}
		corners[k][side] += int(to-from) - 2
	}
	for k, list := range corners {
		want := 2
		if p.rings[k.low].radius == 0 || p.rings[k.high].radius == 0 {
			want = 1
		}
		for s, n := range list {
			c := p.bands[number[k]].sectors[s].corner
			if n != want || slices.Contains([]int32{c[0][0], c[0][1], c[1][0], c[1][1]}, -1) {
				return false
			}
		}
	}
	for i, n := range filled {
		if n != p.Sides-2 || slices.Contains(p.caps[i].corner, -1) {
			return false
		}
	}
	return len(p.bands) > 0
}

// between is the sector that corners of a face lie in, false where they lie in several.
func (p *Part) between(from, to int32, at func(c int32) spot, low, high int) (side int, ok bool) {
	var sides []int
	for c := from; c < to; c++ {
		x := at(c)
		if x.ring != low && x.ring != high {
			return 0, false
		}
		if x.side >= 0 && !slices.Contains(sides, x.side) {
			sides = append(sides, x.side)
		}
	}
	if len(sides) != 2 {
		return 0, false
	}
	a, b := min(sides[0], sides[1]), max(sides[0], sides[1])
	switch {
	case b == a+1:
		return a, true
	case a == 0 && b == p.Sides-1:
		return b, true
	}
	return 0, false
}

// kind tells what the profile is.
func (p *Part) kind(tol float64) Kind {
	tol *= 4
	if len(p.rings) == 2 || len(p.bands) == len(p.rings)-1 && p.straight(tol) {
		if math.Abs(p.rings[0].radius-p.rings[len(p.rings)-1].radius) <= tol {
			return Cylinder
		}
		return Cone
	}
	from, ok := p.circle(tol)
	switch {
	case !ok:
		return Revolved
	case from <= tol:
		return Ball
	case len(p.caps) == 0 && len(p.bands) == len(p.rings):
		return Ring
	}
	return Revolved
}

// circle tells whether all rings lie on one circle of the profile, and how far from the axis its middle is.
func (p *Part) circle(tol float64) (from float64, ok bool) {
	n := len(p.rings)
	if n < 4 {
		return 0, false
	}
	// The middle is as far from three of them: two equations that are linear in it.
	a, b, c := p.rings[0], p.rings[n/3], p.rings[2*n/3]
	square := func(r ring) float64 { return r.radius*r.radius + r.height*r.height }
	x1, y1, z1 := b.radius-a.radius, b.height-a.height, (square(b)-square(a))/2
	x2, y2, z2 := c.radius-a.radius, c.height-a.height, (square(c)-square(a))/2
	det := x1*y2 - x2*y1
	if math.Abs(det) < tol*tol {
		return 0, false
	}
	from, up := (z1*y2-z2*y1)/det, (x1*z2-x2*z1)/det
	radius := math.Hypot(a.radius-from, a.height-up)
	for _, r := range p.rings {
		if math.Abs(math.Hypot(r.radius-from, r.height-up)-radius) > tol {
			return 0, false
		}
	}
	return math.Abs(from), true
}

// straight tells whether all rings lie on one line of the profile.
func (p *Part) straight(tol float64) bool {
	a, b := p.rings[0], p.rings[len(p.rings)-1]
	if b.height-a.height < tol {
		return false
	}
	for _, r := range p.rings {
		t := (r.height - a.height) / (b.height - a.height)
		if math.Abs(a.radius+t*(b.radius-a.radius)-r.radius) > tol {
			return false
		}
	}
	return true
}
