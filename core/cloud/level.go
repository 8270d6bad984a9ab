package cloud

import (
	"math"
	"math/rand/v2"

	"yarvek/core/geom"
)

// Floor is a plane that points lie on.
type Floor struct {
	Normal geom.Vec3 // a unit, upward
	At     geom.Vec3 // the middle of the points on it
	Points int       // how many lie on it
	Tilt   float64   // radians between the normal and up
	RMS    float64   // metres that the points on it are off
}

// mostTilt is how far a floor may lean, in radians.
const mostTilt = math.Pi / 4

// FloorOf finds the floor of a cloud: of planes that lean less than 45° from up, that with the most points within a
// distance of it, by trying planes of three points (Fischler and Bolles 1981, “Random sample consensus”) and fitting
// the best by least squares. The tries are the same each time. ok is false where no plane has a twentieth of the
// points.
func (c *Cloud) FloorOf(up geom.Vec3, within float64) (f Floor, ok bool) {
	if len(c.Points) < 3 {
		return f, false
	}
	const tries, looked = 400, 20_000
	rng := rand.New(rand.NewPCG(1, 2))
	step := max(1, len(c.Points)/looked)
	some := make([]geom.Vec3, 0, looked+1)
	for i := 0; i < len(c.Points); i += step {
		some = append(some, c.Points[i])
	}
	best := 0
	for range tries {
		a, b, d := some[rng.IntN(len(some))], some[rng.IntN(len(some))], some[rng.IntN(len(some))]
		n := unit(b.Sub(a).Cross(d.Sub(a)))
		if n.Dot(up) < 0 {
			n = n.Mul(-1)
		}
		if n.Dot(up) < math.Cos(mostTilt) {
			continue
		}
		on := 0
		for _, p := range some {
			if math.Abs(p.Sub(a).Dot(n)) <= within {
				on++
			}
		}
		if on > best {
			best, f.Normal, f.At = on, n, a
		}
	}
	if 20*best < len(some) {
		return Floor{}, false
	}
	for range 3 { // the plane through what lies near, and again through what lies near that
		f = c.fit(f, up, within)
	}
	return f, 20*f.Points >= len(c.Points)
}

// fit is the plane of least squares through the points near another: its normal is the direction in which they vary
// least.
func (c *Cloud) fit(f Floor, up geom.Vec3, within float64) Floor {
	var mean geom.Vec3
	n := 0
	near := func(p geom.Vec3) bool { return math.Abs(p.Sub(f.At).Dot(f.Normal)) <= within }
	for _, p := range c.Points {
		if near(p) {
			n++
			mean = mean.Add(p.Sub(mean).Mul(1 / float64(n)))
		}
	}
	if n < 3 {
		return f
	}
	var m geom.Mat3
	for _, p := range c.Points {
		if near(p) {
			d := p.Sub(mean)
			for i := range 3 {
				for j := range 3 {
					m[i][j] += d[i] * d[j] / float64(n)
				}
			}
		}
	}
	values, vectors := m.Eigen()
	least := 0
	for i := range 3 {
		if values[i] < values[least] {
			least = i
		}
	}
	normal := unit(vectors.Col(least))
	if normal.Dot(up) < 0 {
		normal = normal.Mul(-1)
	}
	return Floor{normal, mean, n, math.Acos(min(1, normal.Dot(up))), math.Sqrt(max(0, values[least]))}
}

// Levelled is the turn about a floor's middle that lays it flat: the shortest that takes its normal up.
func (f Floor) Levelled(up geom.Vec3) geom.Affine {
	axis := f.Normal.Cross(up)
	if axis.Len() < 1e-15 {
		return geom.Identity
	}
	r := geom.Linear(geom.Rotation(axis, math.Atan2(axis.Len(), f.Normal.Dot(up))))
	return geom.Translation(f.At).Mul(r).Mul(geom.Translation(f.At.Mul(-1)))
}
