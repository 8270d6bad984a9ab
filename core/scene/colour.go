package scene

import "math"

// Linear is the light of an sRGB value (IEC 61966-2-1), both from 0 to 1; what is beyond goes on along the
// same curve, and negative numbers mirror it.
func Linear(v float64) float64 {
	switch {
	case v < 0:
		return -Linear(-v)
	case v <= 0.04045:
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// Shown is the sRGB value of a light, as a screen shows it: the inverse of [Linear].
func Shown(v float64) float64 {
	switch {
	case v < 0:
		return -Shown(-v)
	case v <= 0.0031308:
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}
