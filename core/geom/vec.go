// Package geom holds the small geometry everything else stands on: vectors,
// affine maps, boxes and the 48 axis bases.
//
// Lengths are metres in float64 and angles are radians. Matrices act on column
// vectors: Apply computes M·p + T.
package geom

import "math"

// Vec3 is a point or a direction, in metres when it is a point.
type Vec3 [3]float64

// Add is a + b.
func (a Vec3) Add(b Vec3) Vec3 { return Vec3{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

// Sub is a − b.
func (a Vec3) Sub(b Vec3) Vec3 { return Vec3{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

// Mul is a, s times as long.
func (a Vec3) Mul(s float64) Vec3 { return Vec3{a[0] * s, a[1] * s, a[2] * s} }

// Dot is the scalar product.
func (a Vec3) Dot(b Vec3) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// Len is the Euclidean length; it overflows for coordinates beyond about 1e154.
func (a Vec3) Len() float64 { return math.Sqrt(a.Dot(a)) }

// Dist is the distance between two points.
func (a Vec3) Dist(b Vec3) float64 { return a.Sub(b).Len() }

// IsFinite tells whether all three are numbers and none is infinite.
func (a Vec3) IsFinite() bool { return finite(a[0]) && finite(a[1]) && finite(a[2]) }

// finite tells a number from NaN and the infinities: only for these is v−v not 0.
func finite(v float64) bool { return v-v == 0 }

// Max is the largest of the three, with its sign.
func (a Vec3) Max() float64 { return max(a[0], a[1], a[2]) }

// Near tells whether no coordinate differs by more than tol. It is false when one of
// them is no number.
func (a Vec3) Near(b Vec3, tol float64) bool {
	return math.Abs(a[0]-b[0]) <= tol && math.Abs(a[1]-b[1]) <= tol && math.Abs(a[2]-b[2]) <= tol
}

// Cross is the algebraic cross product. In a left-handed basis it points the
// other way in the world than in a right-handed one.
func (a Vec3) Cross(b Vec3) Vec3 {
	return Vec3{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// Hash is a number for a place: equal points share it, and 0 and -0 are equal.
func (a Vec3) Hash() uint64 {
	h := uint64(0x9E3779B97F4A7C15)
	for _, v := range a {
		h = (h ^ math.Float64bits(v+0)) * 0xff51afd7ed558ccd
		h ^= h >> 32
	}
	return h
}

// Unit scales a to length one; the zero vector stays zero.
func (a Vec3) Unit() Vec3 {
	l := a.Len()
	if l == 0 {
		return a
	}
	return a.Mul(1 / l)
}

// Mat3 is a 3×3 matrix by rows.
type Mat3 [3]Vec3

// Identity3 is the identity matrix.
var Identity3 = Mat3{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}

// Apply is m·v: the rows of m are scaled by nothing, v is a column.
func (m Mat3) Apply(v Vec3) Vec3 { return Vec3{m[0].Dot(v), m[1].Dot(v), m[2].Dot(v)} }

// Det is the determinant: negative for a map that mirrors.
func (m Mat3) Det() float64 { return m[0].Dot(m[1].Cross(m[2])) }

// Col is column i, the image of unit vector i.
func (m Mat3) Col(i int) Vec3 { return Vec3{m[0][i], m[1][i], m[2][i]} }

// Columns builds the matrix with the given columns.
func Columns(a, b, c Vec3) Mat3 {
	return Mat3{{a[0], b[0], c[0]}, {a[1], b[1], c[1]}, {a[2], b[2], c[2]}}
}

// Transpose swaps rows and columns; of a rotation it is the inverse.
func (m Mat3) Transpose() Mat3 { return Columns(m[0], m[1], m[2]) }

// Mul is the map that applies n first and m after it.
func (m Mat3) Mul(n Mat3) Mat3 {
	return Columns(m.Apply(n.Col(0)), m.Apply(n.Col(1)), m.Apply(n.Col(2)))
}

// Scaled is the map followed by a scale of s in all directions.
func (m Mat3) Scaled(s float64) Mat3 { return Mat3{m[0].Mul(s), m[1].Mul(s), m[2].Mul(s)} }

// Cofactor is det(m)·m⁻ᵀ. It maps normals up to length and, unlike the inverse
// transpose, exists for flat (singular) maps too; its sign follows det(m), so a
// mirrored map needs the result multiplied by the sign of the determinant.
func (m Mat3) Cofactor() Mat3 {
	return Mat3{m[1].Cross(m[2]), m[2].Cross(m[0]), m[0].Cross(m[1])}
}

// Inverse returns m⁻¹ and false when m is singular.
func (m Mat3) Inverse() (Mat3, bool) {
	d := m.Det()
	if d == 0 || !finite(1/d) {
		return Identity3, false
	}
	return m.Cofactor().Transpose().Scaled(1 / d), true
}

// Rotation turns by angle radians about the unit axis, anticlockwise when the
// axis points at the viewer of a right-handed basis (Rodrigues' formula).
func Rotation(axis Vec3, angle float64) Mat3 {
	s, c := math.Sincos(angle)
	// Quarter turns are exact, so that a box stays a box to the last bit.
	if q := angle / (math.Pi / 2); math.Abs(q-math.Round(q)) < 1e-12 {
		s, c = math.Round(s), math.Round(c)
	}
	k := axis.Unit()
	x, y, z := k[0], k[1], k[2]
	t := 1 - c
	return Mat3{
		{c + x*x*t, x*y*t - z*s, x*z*t + y*s},
		{y*x*t + z*s, c + y*y*t, y*z*t - x*s},
		{z*x*t - y*s, z*y*t + x*s, c + z*z*t},
	}
}

// Shears tells whether m is more than a rotation with a scale along each axis.
func (m Mat3) Shears() bool {
	a, b, c := m.Col(0), m.Col(1), m.Col(2)
	const tol = 1e-6
	return math.Abs(a.Dot(b)) > tol*a.Len()*b.Len() || math.Abs(b.Dot(c)) > tol*b.Len()*c.Len() ||
		math.Abs(a.Dot(c)) > tol*a.Len()*c.Len()
}

// Affine maps p to M·p + T.
type Affine struct {
	M Mat3
	T Vec3
}

// Identity is the map that changes nothing.
var Identity = Affine{M: Identity3}

// Translation moves by t.
func Translation(t Vec3) Affine { return Affine{Identity3, t} }

// Linear is a map that leaves the origin where it is.
func Linear(m Mat3) Affine { return Affine{M: m} }

// Apply maps a point.
func (a Affine) Apply(p Vec3) Vec3 { return a.M.Apply(p).Add(a.T) }

// Mul is the map that applies b first and a after it, as a child’s local map is followed
// by its parent’s world map.
func (a Affine) Mul(b Affine) Affine { return Affine{a.M.Mul(b.M), a.Apply(b.T)} }

// Mirrors tells whether the map turns left hands into right ones, and with it the
// winding of faces.
func (a Affine) Mirrors() bool { return a.M.Det() < 0 }

// IsIdentity tells whether the map is exactly the identity, bit by bit but for the sign
// of zeros.
func (a Affine) IsIdentity() bool { return a == Identity }

// Near tells whether no number of the two maps differs by more than tol.
func (a Affine) Near(b Affine, tol float64) bool {
	return a.T.Near(b.T, tol) && a.M[0].Near(b.M[0], tol) && a.M[1].Near(b.M[1], tol) && a.M[2].Near(b.M[2], tol)
}

// IsFinite tells whether all twelve are numbers and none is infinite.
func (a Affine) IsFinite() bool {
	return a.T.IsFinite() && a.M[0].IsFinite() && a.M[1].IsFinite() && a.M[2].IsFinite()
}

// Inverse returns the inverse map and false when there is none.
func (a Affine) Inverse() (Affine, bool) {
	m, ok := a.M.Inverse()
	return Affine{m, m.Apply(a.T).Mul(-1)}, ok
}

// Conjugate carries a map of one basis into another: c·a·c⁻¹. The linear part of
// c must be invertible; a singular c leaves a unchanged.
func (a Affine) Conjugate(c Affine) Affine {
	inv, ok := c.Inverse()
	if !ok {
		return a
	}
	return c.Mul(a).Mul(inv)
}

// FromTRS composes translation, rotation quaternion (x, y, z, w) and scale, in
// glTF 2.0's order T·R·S (section 3.5.3).
func FromTRS(t Vec3, q [4]float64, s Vec3) Affine {
	n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	if n == 0 {
		q, n = [4]float64{0, 0, 0, 1}, 1
	}
	x, y, z, w := q[0]/n, q[1]/n, q[2]/n, q[3]/n
	r := Mat3{
		{1 - 2*(y*y+z*z), 2 * (x*y - z*w), 2 * (x*z + y*w)},
		{2 * (x*y + z*w), 1 - 2*(x*x+z*z), 2 * (y*z - x*w)},
		{2 * (x*z - y*w), 2 * (y*z + x*w), 1 - 2*(x*x+y*y)},
	}
	return Affine{Columns(r.Col(0).Mul(s[0]), r.Col(1).Mul(s[1]), r.Col(2).Mul(s[2])), t}
}
