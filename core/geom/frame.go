package geom

import (
	"math"
	"slices"
)

// Eigen decomposes a symmetric matrix by Jacobi rotations (Golub and Van Loan,
// "Matrix Computations", section 8.5). The values fall, and the columns of the
// matrix are their unit vectors, a right-handed triple.
func (m Mat3) Eigen() (values Vec3, vectors Mat3) {
	a, v := m, Identity3
	for range 50 {
		p, q := 0, 1
		for _, c := range [][2]int{{0, 2}, {1, 2}} {
			if math.Abs(a[c[0]][c[1]]) > math.Abs(a[p][q]) {
				p, q = c[0], c[1]
			}
		}
		scale := math.Abs(a[0][0]) + math.Abs(a[1][1]) + math.Abs(a[2][2])
		if math.Abs(a[p][q]) <= 1e-15*scale {
			break
		}
		theta := (a[q][q] - a[p][p]) / (2 * a[p][q])
		t := 1 / (math.Abs(theta) + math.Sqrt(theta*theta+1))
		if theta < 0 {
			t = -t
		}
		c := 1 / math.Sqrt(t*t+1)
		s := t * c
		j := Identity3
		j[p][p], j[q][q], j[p][q], j[q][p] = c, c, s, -s
		a = j.Transpose().Mul(a).Mul(j)
		v = v.Mul(j)
	}
	order := []int{0, 1, 2}
	slices.SortStableFunc(order, func(i, k int) int {
		switch {
		case a[i][i] > a[k][k]:
			return -1
		case a[i][i] < a[k][k]:
			return 1
		}
		return 0
	})
	x, y := v.Col(order[0]).Unit(), v.Col(order[1]).Unit()
	return Vec3{a[order[0]][order[0]], a[order[1]][order[1]], a[order[2]][order[2]]}, Columns(x, y, x.Cross(y))
}

// Polar splits m into a proper rotation and what remains: m = r·rest. The rest is
// symmetric; it holds scale and shear, and the mirroring when there is one (Higham
// 1986, "Computing the polar decomposition"). A flat map has no rotation to tell:
// r is the identity then and ok false.
func (m Mat3) Polar() (r, rest Mat3, ok bool) {
	if m == Identity3 {
		return m, m, true
	}
	det := m.Det()
	size := m[0].Dot(m[0]) + m[1].Dot(m[1]) + m[2].Dot(m[2])
	if math.Abs(det) < 1e-12*math.Pow(size, 1.5) || !finite(det) {
		return Identity3, m, false
	}
	r = m
	if det < 0 {
		r = m.Scaled(-1)
	}
	r = r.Scaled(1 / math.Cbrt(math.Abs(det)))
	for range 60 {
		inv, ok := r.Inverse()
		if !ok {
			return Identity3, m, false
		}
		t := inv.Transpose()
		next := Mat3{r[0].Add(t[0]).Mul(.5), r[1].Add(t[1]).Mul(.5), r[2].Add(t[2]).Mul(.5)}
		moved := next[0].Dist(r[0]) + next[1].Dist(r[1]) + next[2].Dist(r[2])
		r = next
		if moved < 1e-15 {
			break
		}
	}
	return r, r.Transpose().Mul(m), true
}

// Angle is the angle of a rotation matrix, 0 to π.
func (m Mat3) Angle() float64 {
	// By the skew part when small, where the trace has lost its digits.
	s := Vec3{m[2][1] - m[1][2], m[0][2] - m[2][0], m[1][0] - m[0][1]}.Len() / 2
	return math.Atan2(s, (m[0][0]+m[1][1]+m[2][2]-1)/2)
}

// Turning is the smallest rotation that carries the direction a onto b.
func Turning(a, b Vec3) Mat3 {
	a, b = a.Unit(), b.Unit()
	axis := a.Cross(b)
	s, c := axis.Len(), a.Dot(b)
	if s < 1e-12 {
		if c > 0 || a.Len() == 0 {
			return Identity3
		}
		return Rotation(a.Across(), math.Pi)
	}
	return Rotation(axis, math.Atan2(s, c))
}

// Across is some unit vector at right angles to a.
func (a Vec3) Across() Vec3 {
	k := 0
	for i := range 3 {
		if math.Abs(a[i]) < math.Abs(a[k]) {
			k = i
		}
	}
	var e Vec3
	e[k] = 1
	return a.Cross(e).Unit()
}

// RotationVector is the axis of a rotation with its angle in radians as length,
// and FromRotationVector the rotation of one.
func (m Mat3) RotationVector() Vec3 {
	angle := m.Angle()
	skew := Vec3{m[2][1] - m[1][2], m[0][2] - m[2][0], m[1][0] - m[0][1]}
	if angle < 1e-15 {
		return Vec3{}
	}
	if math.Pi-angle > 1e-4 {
		return skew.Unit().Mul(angle)
	}
	// Near half a turn the axis stands in m + mᵀ: its longest column.
	s := Mat3{{m[0][0] + 1, m[0][1], m[0][2]}, {m[1][0], m[1][1] + 1, m[1][2]}, {m[2][0], m[2][1], m[2][2] + 1}}
	best := s.Col(0)
	for i := 1; i < 3; i++ {
		if s.Col(i).Len() > best.Len() {
			best = s.Col(i)
		}
	}
	if best.Dot(skew) < 0 {
		best = best.Mul(-1)
	}
	return best.Unit().Mul(angle)
}

// FromRotationVector turns about v by its length in radians.
func FromRotationVector(v Vec3) Mat3 {
	if l := v.Len(); l > 0 {
		return Rotation(v, l)
	}
	return Identity3
}
