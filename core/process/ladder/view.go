package ladder

import "math"

// View is how a receiver looks at an asset. Distances are from the middle of the asset, as receivers measure them.
type View struct {
	Lines int     // of its screen
	Angle float64 // it sees upright; degrees
	// Reach is how far the asset's farthest point is from its middle, in metres: so much nearer than the middle what
	// shows may be.
	Reach float64
}

// PixelsAt is how many pixels a metre has on the screen, seen from a distance in metres.
func (v View) PixelsAt(distance float64) float64 {
	return float64(v.Lines) / (2 * distance * math.Tan(v.Angle*math.Pi/360))
}

// NearAt is how many pixels a metre of the asset has at most, where it is nearest to who looks at it from a distance.
func (v View) NearAt(distance float64) float64 {
	const least = 1e-3 // within the asset everything shows
	return v.PixelsAt(max(distance-v.Reach, least*distance))
}

// ShownFrom is from how far on a length of the asset, wherever it is, is no more than so many pixels long.
func (v View) ShownFrom(length, pixels float64) float64 {
	if length == 0 {
		return 0
	}
	return v.DistanceOf(length, pixels) + v.Reach
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
