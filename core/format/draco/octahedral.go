package draco

import "math"

// octahedron maps directions to a square of whole numbers from 0 to largest: the octahedron
// unfolded, its front in the middle (Cigolle et al. 2014, “A survey of efficient
// representations for independent unit vectors”).
type octahedron struct {
	largest int32 // coordinate
	centre  int32
	modulus int32 // odd; corrections wrap round at it
}

func newOctahedron(bits int) octahedron {
	most := int32(1)<<bits - 1
	return octahedron{largest: most - 1, centre: (most - 1) / 2, modulus: most}
}

// unit is the direction at a place of the square. It is counted in 32 bits, as the encoder's
// own decoder does.
func (o octahedron) unit(s, t int32) [3]float64 {
	scale := 2 / float32(o.largest)
	y, z := float32(float32(s)*scale)-1, float32(float32(t)*scale)-1
	x := 1 - abs32(y) - abs32(z)
	fold := max(-x, 0)
	y -= float32(math.Copysign(float64(fold), float64(y)))
	z -= float32(math.Copysign(float64(fold), float64(z)))
	n := float32(x*x) + float32(y*y) + float32(z*z)
	if n < 1e-6 {
		return [3]float64{}
	}
	d := 1 / float32(math.Sqrt(float64(n)))
	return [3]float64{float64(x * d), float64(y * d), float64(z * d)}
}

func abs32(v float32) float32 { return float32(math.Abs(float64(v))) }

func abs(v int32) int32 {
	if v < 0 {
		return -v
	}
	return v
}

// place is the place of a direction of whole numbers, turned round if asked.
func (o octahedron) place(v [3]int64, turned bool) (s, t int32) {
	c := int64(o.centre)
	size := func(n int64) int64 { return max(n, -n) }
	sum := size(v[0]) + size(v[1]) + size(v[2])
	if sum == 0 {
		v[0] = c
	} else {
		v[0], v[1] = v[0]*c/sum, v[1]*c/sum
		rest := c - size(v[0]) - size(v[1])
		if v[2] < 0 {
			rest = -rest
		}
		v[2] = rest
	}
	if turned {
		v = [3]int64{-v[0], -v[1], -v[2]}
	}
	x, y, z := int32(v[0]), int32(v[1]), int32(v[2])
	if x >= 0 {
		return o.canonical(y+o.centre, z+o.centre)
	}
	if s = abs(z); y >= 0 {
		s = o.largest - s
	}
	if t = abs(y); z >= 0 {
		t = o.largest - t
	}
	return o.canonical(s, t)
}

// canonical is the one place of those on the rim that mean the same direction.
func (o octahedron) canonical(s, t int32) (int32, int32) {
	c, m := o.centre, o.largest
	switch {
	case s == 0 && t == 0, s == 0 && t == m, s == m && t == 0:
		return m, m
	case s == 0 && t > c:
		return s, c - (t - c)
	case s == m && t < c:
		return s, c + (c - t)
	case t == m && s < c:
		return c + (c - s), t
	case t == 0 && s > c:
		return c - (s - c), t
	}
	return s, t
}

// corrected is the place that a correction leads to from the place foretold. Corrections
// are small because the square is folded and turned so that what is foretold lies in its
// lower left.
func (o octahedron) corrected(s, t, ds, dt int32) (int32, int32) {
	s, t = s-o.centre, t-o.centre
	inside := abs(s)+abs(t) <= o.centre
	if !inside {
		s, t = o.invert(s, t)
	}
	turns := 0
	if !(s == 0 && t == 0) && !(s < 0 && t <= 0) {
		turns = quarterTurns(s, t)
	}
	s, t = turn(s, t, turns)
	s, t = turn(o.wrap(s+ds), o.wrap(t+dt), (4-turns)%4)
	if !inside {
		s, t = o.invert(s, t)
	}
	return s + o.centre, t + o.centre
}

// quarterTurns bring a place to the lower left.
func quarterTurns(s, t int32) int {
	switch {
	case s == 0 && t == 0:
		return 0
	case s == 0 && t > 0:
		return 3
	case s == 0:
		return 1
	case s > 0 && t >= 0:
		return 2
	case s > 0:
		return 1
	case t <= 0:
		return 0
	}
	return 3
}

func turn(s, t int32, quarters int) (int32, int32) {
	switch quarters {
	case 1:
		return t, -s
	case 2:
		return -s, -t
	case 3:
		return -t, s
	}
	return s, t
}

// wrap brings a number back between -centre and centre.
func (o octahedron) wrap(v int32) int32 {
	if v > o.centre {
		return v - o.modulus
	}
	if v < -o.centre {
		return v + o.modulus
	}
	return v
}

// invert folds the corners of the square onto its inner diamond and back.
func (o octahedron) invert(s, t int32) (int32, int32) {
	var ss, st int32
	switch {
	case s >= 0 && t >= 0:
		ss, st = 1, 1
	case s <= 0 && t <= 0:
		ss, st = -1, -1
	default:
		ss, st = sign(s), sign(t)
	}
	cs, ct := ss*o.centre, st*o.centre
	us, ut := 2*s-cs, 2*t-ct
	if ss*st >= 0 {
		us, ut = -ut, -us
	} else {
		us, ut = ut, us
	}
	return (us + cs) / 2, (ut + ct) / 2
}

func sign(v int32) int32 {
	if v > 0 {
		return 1
	}
	return -1
}
