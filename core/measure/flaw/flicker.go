package flaw

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// Apart is how far two faces must be apart for a depth buffer to tell them from a distance, in
// metres: depth of 24 bits between a near plane at a tenth of a metre and far away is as coarse
// as the square of the distance over the near plane and 2²⁴ (Akeley and Su 2006, "Minimum
// triangle separation for correct z-buffer occlusion").
func Apart(distance float64) float64 {
	const near, steps = 0.1, 1 << 24
	return max(1e-6, distance*distance/(near*steps))
}

// Pair is two triangles that cover one another.
type Pair struct {
	Off  float64 // the farthest corner of the one from the plane of the other
	Area float64 // that they share
	At   geom.Vec3
}

// Overlap is what was found.
type Overlap struct {
	Pairs []Pair // the nearest to one plane first
	Cut   bool   // there are too many to have compared or kept all
}

// Within sums the pairs within tol of one plane: how many, the area they share, and where the
// largest of them is.
func (o Overlap) Within(tol float64) (n int, area float64, at geom.Vec3) {
	most := 0.0
	for ; n < len(o.Pairs) && o.Pairs[n].Off <= tol; n++ {
		p := o.Pairs[n]
		if area += p.Area; p.Area > most {
			most, at = p.Area, p.At
		}
	}
	return n, area, at
}

// InFull is how many steps a job takes to find pairs: boxes that are looked at, and triangles that are held against one
// another, of 20 ns each where a mesh lies in order in memory, up to 200 where it does not. Each block of triangles has
// its share.
const InFull = 4 << 30

// AtOnce is how many steps are taken for a page that is waited for: enough for meshes of up to 200 000 triangles
// whose faces do not run through one another by the dozen, some 200 steps a triangle where they lie unevenly. The
// rest of larger ones, and of what is denser, is a job's. Of meshes of more than atOnceMost all of it is: what a page
// would find of them in a second or two is little, and everything on the page waits for it.
func AtOnce(triangles int) int {
	if triangles > atOnceMost {
		return 0
	}
	return min(max(8<<20, 200*triangles), 40<<20)
}

const atOnceMost = 400_000

// keptPairs bounds those that are kept.
const keptPairs = 1 << 17

// Triangles are three points each, by their numbers, and the face each is of.
type Triangles struct {
	Points  []geom.Vec3
	Corners []int32
	Faces   []int32 // of each triangle; those of one face are not held against one another
}

// Overlaps looks for faces that lie in one plane, look the same way and cover one another (a depth
// buffer can’t tell which is in front, and they flicker) among triangles, those within tol
// of one plane, in no more than so many steps; apart tells pairs that are not to be looked at, from several goroutines
// at a time. When ctx ends it returns early.
func Overlaps(ctx context.Context, in Triangles, tol float64, steps int, apart func(s, t int) bool) Overlap {
	tree := geom.NewBVH(ctx, in.Points, in.Corners)
	faces := tree.Labels(func(t int) int32 { return in.Faces[t] })
	n := len(in.Faces)
	parts := make([]Overlap, split.Blocks(n, flickerBlock))
	_ = split.InBlocks(ctx, n, flickerBlock, func(k, from, to int) {
		f := finder{Triangles: in, tree: tree, faces: faces, tol: tol, apart: apart, left: steps / len(parts)}
		for t := from; t < to && !f.o.Cut; t++ {
			if t&0x3ff == 0 && ctx.Err() != nil {
				return
			}
			f.look(t)
		}
		parts[k] = f.o
	})
	var o Overlap
	for _, p := range parts {
		o.Pairs, o.Cut = append(o.Pairs, p.Pairs...), o.Cut || p.Cut
	}
	slices.SortStableFunc(o.Pairs, func(a, b Pair) int { return cmp.Compare(a.Off, b.Off) })
	if len(o.Pairs) > keptPairs {
		o.Pairs, o.Cut = o.Pairs[:keptPairs], true
	}
	return o
}

// flickerBlock is how many triangles are looked at in a stretch.
const flickerBlock = 1 << 13

// finder looks at some of the triangles.
type finder struct {
	Triangles
	tree  *geom.BVH
	faces geom.Labels
	tol   float64
	apart func(s, t int) bool
	left  int // steps
	o     Overlap
}

// look holds one triangle against those near it; each pair counts once.
func (f *finder) look(t int) {
	p := [3]geom.Vec3{f.Points[f.Corners[3*t]], f.Points[f.Corners[3*t+1]], f.Points[f.Corners[3*t+2]]}
	cross := p[1].Sub(p[0]).Cross(p[2].Sub(p[0]))
	n := cross.Unit()
	if n == (geom.Vec3{}) {
		return
	}
	box := geom.EmptyBox().Add(p[0]).Add(p[1]).Add(p[2]).Grown(f.tol)
	// Less than a millionth of the triangle is what rounding makes of a common side.
	least := 1e-6 * cross.Len() / 2
	f.o.Cut = !f.tree.Within(box, f.faces, f.Faces[t], &f.left, func(s int) bool {
		if s <= t || f.Faces[s] == f.Faces[t] {
			return true
		}
		f.left--
		var q [3]geom.Vec3
		q[0], q[1], q[2] = f.tree.Corners(s)
		m := q[1].Sub(q[0]).Cross(q[2].Sub(q[0]))
		if m.Dot(n) < 0.999*m.Len() || m == (geom.Vec3{}) {
			return true // back to back, only one of them is seen from any side
		}
		off := 0.0
		for _, c := range q {
			if off = max(off, math.Abs(c.Sub(p[0]).Dot(n))); off > f.tol {
				return true
			}
		}
		if f.apart(s, t) {
			return true
		}
		area, at := Shared(p, q, n)
		if area <= least {
			return true
		}
		f.o.Pairs = append(f.o.Pairs, Pair{off, area, at})
		return true
	})
}

// Shared is the area two triangles of one plane have in common, and its middle, by
// clipping (Sutherland and Hodgman 1974, "Reentrant polygon clipping").
func Shared(p, q [3]geom.Vec3, n geom.Vec3) (float64, geom.Vec3) {
	poly := []geom.Vec3{q[0], q[1], q[2]}
	for i, a := range p {
		in := n.Cross(p[(i+1)%3].Sub(a))
		var next []geom.Vec3
		for k, c := range poly {
			d := poly[(k+1)%len(poly)]
			u, w := c.Sub(a).Dot(in), d.Sub(a).Dot(in)
			if u >= 0 {
				next = append(next, c)
			}
			if u > 0 && w < 0 || u < 0 && w > 0 {
				next = append(next, c.Add(d.Sub(c).Mul(u/(u-w))))
			}
		}
		if poly = next; len(poly) < 3 {
			return 0, geom.Vec3{}
		}
	}
	var sum, mid geom.Vec3
	for i := 1; i+1 < len(poly); i++ {
		sum = sum.Add(poly[i].Sub(poly[0]).Cross(poly[i+1].Sub(poly[0])))
	}
	for _, c := range poly {
		mid = mid.Add(c.Mul(1 / float64(len(poly))))
	}
	return sum.Len() / 2, mid
}
