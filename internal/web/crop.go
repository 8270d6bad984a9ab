package web

import (
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/process/ladder"
	"yarvek/core/station/lods"
	"yarvek/core/station/source"
)

// seenFrom is the edge of cubes that are not seen from a distance: no point is farther from the one that stays in its
// cube than LODs may show by. It is a length as read.
func (f *form) seenFrom(distance float64) float64 {
	o, err := f.open()
	if f.err = first(f.err, err); f.err != nil {
		return 0
	}
	if !(distance > 0 && distance <= 1e6) {
		f.fail("%s is no distance to see anything from", figure.Length(distance))
		return 0
	}
	v := o.Kit.Target.View
	off := v.Tolerance / (ladder.View{Lines: v.Lines, Angle: v.Angle}).PixelsAt(distance)
	return lods.Round(off / math.Sqrt(3) / o.Result.Size.Factor)
}

// cropOf reads what is drawn to crop by.
func cropOf(f *form) (c source.Crop) {
	seen := geom.Mat3{}
	switch shape := source.CropShape(f.str("shape")); shape {
	case source.ByHand:
		places, err := placesOf(f.str("round"))
		f.check(err)
		f.pass("deep", "across0", "across1", "up0", "up1")
		c, seen = source.Drawn(places), f.seen()
	default:
		f.pass("round")
		c.Shape = shape
		c.Area, seen = f.area()
		if deep := f.str("deep"); shape == source.AsBall {
			c.Deep = f.lengthOf(deep, "Its middle along the view")
		}
	}
	c.View, c.Outside, c.Whole, c.Seen = source.CropView(f.str("view")), f.str("side") == "outside",
		f.str("how") == "whole", seen
	return c
}
