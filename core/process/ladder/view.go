package ladder

import "math"

// View is how a receiver looks at things.
type View struct {
	Lines int     // of its screen
	Angle float64 // it sees upright; degrees
}

// PixelsAt is how many pixels a metre has on the screen, seen from a distance in metres.
func (v View) PixelsAt(distance float64) float64 {
	return float64(v.Lines) / (2 * distance * math.Tan(v.Angle*math.Pi/360))
}

// DistanceOf is from how far a length in metres is so many pixels long.
func (v View) DistanceOf(length, pixels float64) float64 {
	return length * float64(v.Lines) / (2 * pixels * math.Tan(v.Angle*math.Pi/360))
}

// ShareAt is which share of the screen's height a length in metres has from a distance, up to 1.
func (v View) ShareAt(length, distance float64) float64 {
	return min(1, length*v.PixelsAt(distance)/float64(v.Lines))
}

// DistanceOfShare is from how far a length in metres has a share of the screen's height.
func (v View) DistanceOfShare(length, share float64) float64 {
	return v.DistanceOf(length, share*float64(v.Lines))
}
