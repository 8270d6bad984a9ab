package draco

import "math"

// method says from what a value is foretold, by the specification's numbers.
type method int8

const (
	unforetold      method = -2
	difference      method = 0 // the value before
	parallelogram   method = 1
	parallelograms  method = 4 // up to four, but for those over a crease
	texturePortable method = 5 // the triangle's shape and the UVs of two corners
	geometricNormal method = 6 // the faces around
)

// rule says how a correction is added, by the specification's numbers.
type rule int8

const (
	added     rule = 0
	wrapped   rule = 1 // within the least and the largest value
	canonical rule = 3 // on an octahedron
)

// predictor turns corrections into values, in place.
type predictor struct {
	*decoder
	*sequence
	method method
	rule   rule
	n      int // numbers in a value

	least, largest, span int32 // of wrapped
	oct                  octahedron
}

// undo reads what the method needs; what it returns makes the values, and does not read on.
func (p *predictor) undo(v []int32) (func() error, error) {
	m := p.method
	switch {
	case m == unforetold:
	case p.sequence.table == nil || p.rule == canonical && m != geometricNormal:
		m = difference // what a list of corners, or a direction, is always foretold by
	}
	switch m {
	case unforetold:
		return func() error { return nil }, nil
	case difference:
		return func() error { return p.differences(v) }, p.readRule()
	case parallelogram:
		return func() error { return p.parallelograms(v, nil) }, p.readRule()
	case parallelograms:
		var creases [4][]bool
		for i := range creases {
			n := p.varint()
			if n > uint64(len(p.base.vertex)) {
				return nil, p.fail("%d creases are announced for %d corners", n, len(p.base.vertex))
			}
			if n > 0 {
				c := p.coin()
				creases[i] = make([]bool, n)
				for k := range creases[i] {
					creases[i][k] = c.bit()
				}
			}
		}
		return func() error { return p.parallelograms(v, &creases) }, p.readRule()
	case texturePortable:
		sides, err := p.readSides()
		if err != nil {
			return nil, err
		}
		return func() error { return p.textures(v, sides) }, p.readRule()
	case geometricNormal:
		if err := p.readRule(); err != nil {
			return nil, err
		}
		if p.rule != canonical {
			return nil, UnsupportedError("directions by a rule that version 2.2 no longer writes")
		}
		flips := p.coin()
		return func() error { return p.normals(v, flips) }, p.err
	}
	return nil, UnsupportedError("a prediction that version 2.2 no longer writes")
}

// readRule reads the bounds of corrections.
func (p *predictor) readRule() error {
	switch p.rule {
	case added:
	case wrapped:
		p.least, p.largest = int32(p.uint32()), int32(p.uint32())
		span := 1 + int64(p.largest) - int64(p.least)
		if p.err == nil && (span < 1 || span > math.MaxInt32) {
			return p.fail("values between %d and %d", p.least, p.largest)
		}
		p.span = int32(span)
	case canonical:
		most := p.uint32()
		p.uint32() // its middle, which follows
		if p.err == nil && (most&1 == 0 || most < 3 || most >= 1<<30) {
			return p.fail("an octahedron of %d steps", most)
		}
		p.oct = newOctahedron(width(most))
	default:
		return p.fail("corrections are added by the unknown rule %d", p.rule)
	}
	if p.rule == canonical && p.n != 2 {
		return p.fail("corrections on an octahedron for %d numbers", p.n)
	}
	return p.err
}

// add makes the value at i of what is foretold and of the correction there.
func (p *predictor) add(v []int32, i int, foretold []int32) {
	switch p.rule {
	case wrapped:
		for k := range p.n {
			n := min(max(foretold[k], p.least), p.largest) + v[i+k]
			if n > p.largest {
				n -= p.span
			} else if n < p.least {
				n += p.span
			}
			v[i+k] = n
		}
	case canonical:
		v[i], v[i+1] = p.oct.corrected(foretold[0], foretold[1], v[i], v[i+1])
	default:
		for k := range p.n {
			v[i+k] += foretold[k]
		}
	}
}

func (p *predictor) differences(v []int32) error {
	before := make([]int32, p.n)
	for i := 0; i < len(v); i += p.n {
		p.add(v, i, before)
		before = v[i : i+p.n]
	}
	return nil
}

// across foretells value i by the parallelogram over the edge that corner c faces.
func (p *predictor) across(v []int32, i int32, c int32, out []int32) bool {
	o := p.table.opposite[c]
	if o < 0 {
		return false
	}
	t := p.table.vertex
	tip, a, b := p.value[t[o]], p.value[t[next(o)]], p.value[t[prev(o)]]
	if tip >= i || a >= i || b >= i {
		return false
	}
	n := int32(p.n)
	for k := range n {
		out[k] = v[a*n+k] + v[b*n+k] - v[tip*n+k]
	}
	return true
}

// parallelograms foretells by one, or with creases by the mean of up to four.
//
// Across an edge to a face that has its values, the tip is foretold as the fourth corner of a parallelogram
// (Touma and Gotsman 1998, "Triangle mesh compression"): one end plus the other less the tip over there. With
// creases each face round the vertex gives one, a bit says which of them lie across a crease and don't count,
// and the mean of the others is taken. Without any, the value before foretells.
func (p *predictor) parallelograms(v []int32, creases *[4][]bool) error {
	if len(v) == 0 {
		return nil
	}
	foretold := make([]int32, 4*p.n)
	p.add(v, 0, foretold[:p.n])
	mean := make([]int32, p.n)
	for i := int32(1); int(i) < len(p.corner); i++ {
		if p.stopped(int(i)) {
			return p.ctx.Err()
		}
		at := int(i) * p.n
		if creases == nil {
			if p.across(v, i, p.corner[i], foretold) {
				p.add(v, at, foretold)
			} else {
				p.add(v, at, v[at-p.n:at])
			}
			continue
		}
		count := p.around(v, i, foretold)
		used := int32(0)
		clear(mean)
		for k := range count {
			c := &creases[count-1]
			if len(*c) == 0 {
				return wrong(p.at, "there are fewer creases than parallelograms")
			}
			crease := (*c)[0]
			*c = (*c)[1:]
			if crease {
				continue
			}
			used++
			for j := range mean {
				mean[j] += foretold[k*p.n+j]
			}
		}
		if used == 0 {
			p.add(v, at, v[at-p.n:at])
			continue
		}
		for j := range mean {
			mean[j] /= used
		}
		p.add(v, at, mean)
	}
	return nil
}

// around foretells value i by the faces around its vertex, to the left first, and returns
// by how many.
func (p *predictor) around(v []int32, i int32, out []int32) int {
	n, start := 0, p.corner[i]
	c, left := start, true
	for c >= 0 {
		if p.across(v, i, c, out[n*p.n:]) {
			if n++; n == 4 {
				break
			}
		}
		if left {
			c = p.table.swingLeft(c)
		} else {
			c = p.table.swingRight(c)
		}
		if c == start {
			break
		}
		if c < 0 && left {
			left = false
			c = p.table.swingRight(start)
		}
	}
	return n
}

// positions gives the whole numbers of the position of each value of this sequence.
func (p *predictor) positions() ([][3]int32, error) {
	for i := range p.mesh.Attributes {
		a := &p.mesh.Attributes[i]
		if a.Kind != Position {
			continue
		}
		if a.portable == nil || a.Components != 3 {
			break
		}
		out := make([][3]int32, len(p.point))
		for k, at := range p.point {
			out[k] = [3]int32(a.portable[3*a.Entry[at]:])
		}
		return out, nil
	}
	return nil, wrong(p.at, "values are foretold from positions that were not read before")
}

// sub is a-b.
func sub(a, b [3]int32) [3]int64 {
	return [3]int64{int64(a[0]) - int64(b[0]), int64(a[1]) - int64(b[1]), int64(a[2]) - int64(b[2])}
}

func dot(a, b [3]int64) int64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func cross(a, b [3]int64) [3]int64 {
	return [3]int64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// readSides reads on which side of an edge the third corner of a triangle lies.
func (p *predictor) readSides() ([]bool, error) {
	n := int(p.uint32())
	if p.err != nil || n > len(p.base.vertex) {
		return nil, p.fail("%d sides are announced for %d corners", n, len(p.base.vertex))
	}
	sides := make([]bool, n)
	c, last := p.coin(), true
	for i := range sides {
		if !c.bit() {
			last = !last
		}
		sides[i] = last
	}
	return sides, p.err
}

// textures foretells UVs from those of two corners of the triangle and from its shape.
//
// In space the foot of the tip on the edge, and how far off it is, are known; the same share of the way and of
// the distance on the UV's edge gives two places, one on each side, and a bit says which. Where one corner
// alone is known its UV foretells, else the value before.
func (p *predictor) textures(v []int32, sides []bool) error {
	position, err := p.positions()
	if err != nil {
		return err
	}
	if p.n != 2 {
		return wrong(p.at, "UVs of %d numbers", p.n)
	}
	t := p.table.vertex
	for i, c := range p.corner {
		if p.stopped(i) {
			return p.ctx.Err()
		}
		a, b := p.value[t[next(c)]], p.value[t[prev(c)]]
		var foretold [2]int32
		known := int(a) < i && int(b) < i
		if known {
			na, nb := [2]int64{int64(v[2*a]), int64(v[2*a+1])}, [2]int64{int64(v[2*b]), int64(v[2*b+1])}
			ok := true
			if foretold, ok = byShape(na, nb, position[i], position[a], position[b], &sides); !ok {
				return wrong(p.at, "there are fewer sides than triangles")
			}
			known = na == nb || position[a] != position[b]
		}
		if !known {
			switch {
			case int(a) < i:
				foretold = [2]int32{v[2*a], v[2*a+1]}
			case i > 0:
				foretold = [2]int32{v[2*i-2], v[2*i-1]}
			}
		}
		p.add(v, 2*i, foretold[:])
	}
	return nil
}

// byShape is the UV of a triangle's tip from those of the two other corners, so that the
// triangle in UV is like that in space. A triangle whose other corners are one place, in UV
// or in space, uses no side.
func byShape(uvA, uvB [2]int64, tip, a, b [3]int32, sides *[]bool) ([2]int32, bool) {
	if uvA == uvB {
		return [2]int32{int32(uvB[0]), int32(uvB[1])}, true
	}
	ab := sub(b, a)
	norm := dot(ab, ab)
	if norm == 0 {
		return [2]int32{}, true
	}
	at := sub(tip, a)
	along := dot(at, ab)
	uv := [2]int64{uvB[0] - uvA[0], uvB[1] - uvA[1]}
	foot := [2]int64{uvA[0]*norm + uv[0]*along, uvA[1]*norm + uv[1]*along}
	var off [3]int64
	for k := range off {
		off[k] = at[k] - ab[k]*along/norm
	}
	height := int64(squareRoot(uint64(dot(off, off)) * uint64(norm)))
	if len(*sides) == 0 {
		return [2]int32{}, false
	}
	side := (*sides)[len(*sides)-1]
	*sides = (*sides)[:len(*sides)-1]
	up := [2]int64{uv[1] * height, -uv[0] * height}
	if !side {
		up[0], up[1] = -up[0], -up[1]
	}
	return [2]int32{int32((foot[0] + up[0]) / norm), int32((foot[1] + up[1]) / norm)}, true
}

// squareRoot is the largest whole number whose square is not above n.
func squareRoot(n uint64) uint64 {
	r := uint64(math.Sqrt(float64(n)))
	for r > 0 && (r > math.MaxUint32 || r*r > n) {
		r--
	}
	for r < math.MaxUint32 && (r+1)*(r+1) <= n {
		r++
	}
	return r
}

// normals foretells directions from the faces around, weighted by their area; whether the
// vector points the other way is written as a bit.
func (p *predictor) normals(v []int32, flips coin) error {
	position, err := p.positions()
	if err != nil {
		return err
	}
	for i, c := range p.corner {
		if p.stopped(i) {
			return p.ctx.Err()
		}
		n := p.normalAround(c, position[i], position)
		s, t := p.oct.place(n, flips.bit())
		p.add(v, 2*i, []int32{s, t})
	}
	return nil
}

// normalAround sums the normals of the faces around corner c's vertex, and keeps the sum
// within 30 bits.
func (p *predictor) normalAround(start int32, centre [3]int32, position [][3]int32) [3]int64 {
	var sum [3]int64
	t := p.table.vertex
	for c, left := start, true; c >= 0; {
		a, b := position[p.value[t[next(c)]]], position[p.value[t[prev(c)]]]
		n := cross(sub(a, centre), sub(b, centre))
		for k := range sum {
			sum[k] += n[k]
		}
		if left {
			if c = p.table.swingLeft(c); c == start {
				break
			}
			if c >= 0 {
				continue
			}
			left, c = false, start
		}
		c = p.table.swingRight(c)
	}
	size := func(n int64) int64 { return max(n, -n) }
	const most = 1 << 29
	if total := size(sum[0]) + size(sum[1]) + size(sum[2]); total > most {
		q := total / most
		for k := range sum {
			sum[k] /= q
		}
	}
	return sum
}
