package fit

import (
	"cmp"
	"math"
	"slices"

	"yarvek/core/geom"
)

// Slab is what lies between pairs of planes of fixed directions: along the axes, across the edges
// and across the corners of a cube, as many pairs as are asked for (Klosowski, Held, Mitchell,
// Sowizral and Zikan 1998, "Efficient collision detection using bounding volume hierarchies of
// k-DOPs").
type Slab struct {
	Planes []Plane
	Body   Body
}

// Plane has what is within behind it: n·p ≤ d.
type Plane struct {
	N geom.Vec3 // unit
	D float64
}

// Body is a convex body by its corners and its faces, anticlockwise seen from outside.
type Body struct {
	Points []geom.Vec3
	Faces  [][]int32
}

// Volume of the body.
func (b Body) Volume() float64 {
	sum := 0.0
	for _, f := range b.Faces {
		for k := 1; k+1 < len(f); k++ {
			// About one of its corners, so that one far from the origin keeps its digits.
			o := b.Points[0]
			sum += b.Points[f[0]].Sub(o).Dot(b.Points[f[k]].Sub(o).Cross(b.Points[f[k+1]].Sub(o))) / 6
		}
	}
	return sum
}

// slabDirections are those of a cube's faces, edges and corners, one of each pair.
var slabDirections = func() []geom.Vec3 {
	var list []geom.Vec3
	for sum := 1; sum <= 3; sum++ {
		for x := 1; x >= -1; x-- {
			for y := 1; y >= -1; y-- {
				for z := 1; z >= -1; z-- {
					first := x > 0 || x == 0 && (y > 0 || y == 0 && z > 0)
					if first && x*x+y*y+z*z == sum {
						list = append(list, geom.Vec3{float64(x), float64(y), float64(z)}.Unit())
					}
				}
			}
		}
	}
	return list
}()

// Slabs are how many planes a slab may have: of the faces, with the edges, with the corners too.
var Slabs = []int{6, 18, 26}

// SlabOf is the slab of so many planes, one of [Slabs], round points.
func SlabOf(pts []geom.Vec3, planes int) Slab {
	var s Slab
	if len(pts) == 0 {
		return s
	}
	size := 0.0
	for _, d := range slabDirections[:min(len(slabDirections), planes/2)] {
		low, high := math.Inf(1), math.Inf(-1)
		for _, p := range pts {
			t := p.Dot(d)
			low, high = min(low, t), max(high, t)
		}
		size = max(size, high-low)
		s.Planes = append(s.Planes, Plane{d, high}, Plane{d.Mul(-1), -low})
	}
	body := cuboid(s.Planes[:6])
	for _, p := range s.Planes[6:] {
		body = body.Cut(p, 1e-9*size)
	}
	s.Body = body
	return s
}

// cuboid is the body between the six planes of the axes.
func cuboid(planes []Plane) Body {
	var b Body
	for i := range 8 {
		b.Points = append(b.Points, geom.Vec3{at(planes, 0, i&1), at(planes, 1, i>>1&1), at(planes, 2, i>>2&1)})
	}
	b.Faces = [][]int32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}}
	return b
}

// at is where the planes of an axis lie, the lower or the upper.
func at(planes []Plane, axis, upper int) float64 {
	if upper == 1 {
		return planes[2*axis].D
	}
	return -planes[2*axis+1].D
}

// Cut is what of the body lies behind a plane; points within near of it lie on it.
func (b Body) Cut(p Plane, near float64) Body {
	side := make([]float64, len(b.Points))
	out := false
	for i, q := range b.Points {
		if side[i] = q.Dot(p.N) - p.D; math.Abs(side[i]) <= near {
			side[i] = 0
		}
		out = out || side[i] > 0
	}
	if !out {
		return b
	}
	var c Body
	number := map[[2]int32]int32{}
	point := func(i, j int32) int32 { // where the edge crosses, or the point itself
		k := [2]int32{min(i, j), max(i, j)}
		n, ok := number[k]
		if !ok {
			q := b.Points[k[0]]
			if i != j {
				t := side[k[0]] / (side[k[0]] - side[k[1]])
				q = q.Add(b.Points[k[1]].Sub(q).Mul(t))
			}
			n = int32(len(c.Points))
			number[k] = n
			c.Points = append(c.Points, q)
		}
		return n
	}
	rim := map[int32]bool{}
	for _, f := range b.Faces {
		var g []int32
		for k, i := range f {
			j := f[(k+1)%len(f)]
			if side[i] <= 0 {
				n := point(i, i)
				g = append(g, n)
				if side[i] == 0 {
					rim[n] = true
				}
			}
			if side[i]*side[j] < 0 {
				n := point(i, j)
				g = append(g, n)
				rim[n] = true
			}
		}
		if len(g) > 2 {
			c.Faces = append(c.Faces, g)
		}
	}
	if len(rim) > 2 {
		c.Faces = append(c.Faces, around(c.Points, rim, p.N))
	}
	return c
}

// around are the points of a rim in order, anticlockwise seen against a normal.
func around(pts []geom.Vec3, rim map[int32]bool, n geom.Vec3) []int32 {
	var list []int32
	for i := range pts {
		if rim[int32(i)] {
			list = append(list, int32(i))
		}
	}
	var mid geom.Vec3
	for _, i := range list {
		mid = mid.Add(pts[i].Mul(1 / float64(len(list))))
	}
	u := n.Across()
	v := n.Cross(u)
	angle := func(i int32) float64 {
		d := pts[i].Sub(mid)
		return math.Atan2(d.Dot(v), d.Dot(u))
	}
	slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(angle(a), angle(b)) })
	return list
}
