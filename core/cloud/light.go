package cloud

import (
	"math"

	"yarvek/core/geom"
)

// mostDegree is that of the harmonics which are turned.
const mostDegree = 3

// Harmonics are the real spherical harmonics of degree l in a direction of unit length, in the order m = -l … l, with
// the signs that files of splats have: those of odd m are negative (Green 2003, “Spherical Harmonic Lighting”, whose
// functions these are; Condon and Shortley's phase is left in).
func Harmonics(l int, d geom.Vec3) []float64 {
	x, y, z := d[0], d[1], d[2]
	switch l {
	case 0:
		return []float64{0.5 * math.Sqrt(1/math.Pi)}
	case 1:
		c := math.Sqrt(3 / (4 * math.Pi))
		return []float64{-c * y, c * z, -c * x}
	case 2:
		c := 0.5 * math.Sqrt(15/math.Pi)
		return []float64{c * x * y, -c * y * z, 0.25 * math.Sqrt(5/math.Pi) * (2*z*z - x*x - y*y), -c * x * z,
			c / 2 * (x*x - y*y)}
	}
	a, b := 0.25*math.Sqrt(35/(2*math.Pi)), 0.25*math.Sqrt(21/(2*math.Pi))
	c := 0.5 * math.Sqrt(105/math.Pi)
	return []float64{-a * y * (3*x*x - y*y), c * x * y * z, -b * y * (4*z*z - x*x - y*y),
		0.25 * math.Sqrt(7/math.Pi) * z * (2*z*z - 3*x*x - 3*y*y), -b * x * (4*z*z - x*x - y*y),
		c / 2 * z * (x*x - y*y), -a * x * (x*x - 3*y*y)}
}

// directions are spread over the sphere so that no harmonic of a degree is zero on all of them.
var directions = func() (list []geom.Vec3) {
	const n = 32
	golden := math.Pi * (3 - math.Sqrt(5))
	for i := range n {
		z := 1 - (2*float64(i)+1)/n
		s, c := math.Sincos(golden * float64(i))
		r := math.Sqrt(1 - z*z)
		list = append(list, geom.Vec3{r * c, r * s, z})
	}
	return list
}()

// Band is what a rotation, or one with a mirror, does to the coefficients of the harmonics of a degree: a light f is
// seen in the direction r·d, once all was turned by r, as it was seen in d before. The functions of one degree are
// turned into one another, so the matrix is that which their values before and after fit: it is found in the least
// squares, which are exact, and equal to what the recurrence of Ivanic and Ruedenberg (1996) gives.
func Band(l int, r geom.Mat3) [][]float64 {
	n := 2*l + 1
	// B Aᵀ (A Aᵀ)⁻¹, with the values at the directions before (A) and after (B) as columns.
	aat, bat := square(n), square(n)
	for _, d := range directions {
		a, b := Harmonics(l, d), Harmonics(l, r.Apply(d))
		for i := range n {
			for j := range n {
				aat[i][j] += a[i] * a[j]
				bat[i][j] += b[i] * a[j]
			}
		}
	}
	return solved(aat, bat)
}

func square(n int) [][]float64 {
	m := make([][]float64, n)
	for i := range m {
		m[i] = make([]float64, n)
	}
	return m
}

// solved is X with X A = B, for a symmetric A that is far from singular: by elimination with pivots.
func solved(a, b [][]float64) [][]float64 {
	n := len(a)
	for k := range n {
		p := k
		for i := k + 1; i < n; i++ {
			if math.Abs(a[i][k]) > math.Abs(a[p][k]) {
				p = i
			}
		}
		// As A is symmetric, X A = B is A Xᵀ = Bᵀ: rows of A go with columns of B.
		a[k], a[p] = a[p], a[k]
		for r := range b {
			b[r][k], b[r][p] = b[r][p], b[r][k]
		}
		for i := range n {
			if i == k {
				continue
			}
			f := a[i][k] / a[k][k]
			for j := k; j < n; j++ {
				a[i][j] -= f * a[k][j]
			}
			for r := range b {
				b[r][i] -= f * b[r][k]
			}
		}
	}
	for k := range n {
		for r := range b {
			b[r][k] /= a[k][k]
		}
	}
	return b
}

// turnLight turns the harmonics beyond the first, which is the same from everywhere.
func (c *Cloud) turnLight(r geom.Mat3) {
	degree := c.Degree()
	if degree < 1 {
		return
	}
	rest := c.run("f_rest_", 0)
	each := len(rest) / 3
	at := 0
	for l := 1; l <= degree; l++ {
		n := 2*l + 1
		m := Band(l, r)
		old := make([]float64, n)
		for channel := range 3 {
			f := rest[channel*each+at : channel*each+at+n]
			for i := range c.Points {
				for k := range f {
					old[k] = f[k].At(i)
				}
				for k := range f {
					v := 0.0
					for j, w := range m[k] {
						v += w * old[j]
					}
					f[k].Set(i, v)
				}
			}
		}
		at += n
	}
}
