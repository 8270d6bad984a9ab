package geom

import (
	"math"
	"math/big"
)

// exactly is a precision, in bits, in which differences of any two doubles of like size and products
// of three such differences are exact.
const exactly = 2400

// side tells on which side of the plane through a, b and c a point lies: positive where they are seen
// anticlockwise from it, 0 in the plane. It is exact: where rounding could turn the sign it is
// computed again without any (Shewchuk 1997, "Adaptive precision floating-point arithmetic and fast
// robust geometric predicates", whose bound for the first try this is).
func side(a, b, c, p Vec3) int {
	u, v, w := b.Sub(a), c.Sub(a), p.Sub(a)
	x, y := v[1]*w[2], v[2]*w[1]
	s, t := v[2]*w[0], v[0]*w[2]
	g, h := v[0]*w[1], v[1]*w[0]
	det := u[0]*(x-y) + u[1]*(s-t) + u[2]*(g-h)
	bound := 7.8e-16 * (math.Abs(u[0])*(math.Abs(x)+math.Abs(y)) + math.Abs(u[1])*(math.Abs(s)+math.Abs(t)) +
		math.Abs(u[2])*(math.Abs(g)+math.Abs(h)))
	switch {
	case det > bound:
		return 1
	case det < -bound:
		return -1
	}
	for k := range 3 {
		if a[k] == b[k] && b[k] == c[k] && c[k] == p[k] {
			return 0 // as of the points of a cut along an axis
		}
	}
	// Twice as many digits tell nearly all that is left.
	du, dv, dw := doubleSub(b, a), doubleSub(c, a), doubleSub(p, a)
	n := doubleCross(du, dv)
	sum := n[0].mul(dw[0]).add(n[1].mul(dw[1])).add(n[2].mul(dw[2]))
	if math.Abs(sum.hi) > 1e-13*bound {
		return sign(sum.hi)
	}
	m := bigCross(bigSub(b, a), bigSub(c, a))
	d := bigSub(p, a)
	exact := new(big.Float).SetPrec(exactly)
	for k := range 3 {
		exact.Add(exact, new(big.Float).SetPrec(exactly).Mul(m[k], d[k]))
	}
	return exact.Sign()
}

func sign(v float64) int {
	if v > 0 {
		return 1
	}
	return -1
}

// finely is the unit normal of a triangle, right in all its digits unless the triangle is thinner
// than its points are told apart by.
func finely(a, b, c Vec3) Vec3 {
	u, v := b.Sub(a), c.Sub(a)
	n := u.Cross(v)
	longest := max(u.Dot(u), v.Dot(v), c.Sub(b).Dot(c.Sub(b)))
	if n.Len() > 1e-4*longest {
		return n.Unit()
	}
	e := doubleCross(doubleSub(b, a), doubleSub(c, a))
	n = Vec3{e[0].hi, e[1].hi, e[2].hi}
	if most := max(math.Abs(n[0]), math.Abs(n[1]), math.Abs(n[2])); most > 0 {
		n = n.Mul(1 / most)
	}
	return n.Unit()
}

// double is a number of about 32 digits: the sum of two doubles, the second less than half of the
// last digit of the first (Dekker 1971, "A floating-point technique for extending the available
// precision").
type double struct{ hi, lo float64 }

func (a double) add(b double) double {
	s := a.hi + b.hi
	t := s - a.hi
	e := (a.hi - (s - t)) + (b.hi - t) + a.lo + b.lo
	hi := s + e
	return double{hi, e - (hi - s)}
}

func (a double) mul(b double) double {
	p := a.hi * b.hi
	e := math.FMA(a.hi, b.hi, -p) + a.hi*b.lo + a.lo*b.hi
	hi := p + e
	return double{hi, e - (hi - p)}
}

func (a double) neg() double { return double{-a.hi, -a.lo} }

func doubleSub(a, b Vec3) (d [3]double) {
	for k := range d {
		s := a[k] - b[k]
		t := s - a[k]
		d[k] = double{s, (a[k] - (s - t)) - (b[k] + t)}
	}
	return d
}

func doubleCross(u, v [3]double) (n [3]double) {
	for k := range n {
		i, j := (k+1)%3, (k+2)%3
		n[k] = u[i].mul(v[j]).add(u[j].mul(v[i]).neg())
	}
	return n
}

func bigSub(a, b Vec3) (d [3]*big.Float) {
	for k := range d {
		x, y := new(big.Float).SetPrec(exactly).SetFloat64(a[k]), new(big.Float).SetPrec(exactly).SetFloat64(b[k])
		d[k] = x.Sub(x, y)
	}
	return d
}

func bigCross(u, v [3]*big.Float) (n [3]*big.Float) {
	for k := range n {
		i, j := (k+1)%3, (k+2)%3
		x := new(big.Float).SetPrec(exactly).Mul(u[i], v[j])
		y := new(big.Float).SetPrec(exactly).Mul(u[j], v[i])
		n[k] = x.Sub(x, y)
	}
	return n
}
