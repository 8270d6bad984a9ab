// Package fit finds the smallest simple shapes that hold points: boxes, balls, capsules, and slabs
// between planes of fixed directions. A shape holds all points it was made of, to a billionth of
// its size.
//
// All that is asked is answered by the corners of the points' convex hull, which callers make once.
package fit

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
)

// Box is a box in any direction.
type Box struct {
	Centre geom.Vec3
	Axes   geom.Mat3 // its rows are the directions of its sides, unit, at right angles
	Half   geom.Vec3 // half of its sides along them; metres
}

// Volume of the box.
func (b Box) Volume() float64 { return 8 * b.Half[0] * b.Half[1] * b.Half[2] }

// Holds is how far a point lies outside the box, 0 within; metres.
func (b Box) Holds(p geom.Vec3) float64 {
	d := b.Axes.Apply(p.Sub(b.Centre))
	var out geom.Vec3
	for k := range d {
		out[k] = max(0, math.Abs(d[k])-b.Half[k])
	}
	return out.Len()
}

// Upright is the box along the axes. Without points it has no extent.
func Upright(pts []geom.Vec3) Box { return boxAlong(pts, geom.Identity3) }

// boxAlong is the box round points in directions given as rows.
func boxAlong(pts []geom.Vec3, axes geom.Mat3) Box {
	if len(pts) == 0 {
		return Box{Axes: axes}
	}
	box := geom.EmptyBox()
	for _, p := range pts {
		box = box.Add(axes.Apply(p))
	}
	return Box{axes.Transpose().Apply(box.Center()), axes, box.Size().Mul(0.5)}
}

// Bounds of the search for the smallest box.
const (
	mostFaces = 300 // facets of the hull that a side is laid on, the largest
	mostTried = 12  // boxes that are turned on from
)

// Smallest is about the box of the least volume that holds a hull. A side is laid on each facet of
// the hull, as [geom.Hull.TightBox] does, with the tightest rectangle of what is seen along it (every other box of
// least volume has two sides that each hold an edge: O'Rourke 1985, "Finding minimal enclosing boxes"); from the
// best of those on it is turned, ever less, as long as that makes it smaller. When ctx ends it
// returns early, with a box that holds all.
func Smallest(ctx context.Context, h *geom.Hull) Box {
	best := []Box{Upright(h.Points)}
	flat := make([]geom.Vec2, len(h.Points))
	for i, f := range h.Facets() {
		if ctx.Err() != nil {
			return best[0]
		}
		if i == mostFaces {
			break
		}
		u := f.Normal.Across()
		v := f.Normal.Cross(u)
		for i, p := range h.Points {
			flat[i] = geom.Vec2{p.Dot(u), p.Dot(v)}
		}
		angle, _, _ := geom.OutlineOf(flat).TightRectangle()
		sin, cos := math.Sincos(angle)
		x := u.Mul(cos).Add(v.Mul(sin))
		best = append(best, boxAlong(h.Points, geom.Mat3{x, f.Normal.Cross(x), f.Normal}))
	}
	slices.SortStableFunc(best, func(a, b Box) int { return cmp.Compare(a.Volume(), b.Volume()) })
	best = best[:min(len(best), mostTried)]
	for i := range best {
		best[i] = turned(ctx, h.Points, best[i])
	}
	slices.SortStableFunc(best, func(a, b Box) int { return cmp.Compare(a.Volume(), b.Volume()) })
	return best[0]
}

// turned turns a box about its own axes, ever less, as long as that makes it smaller.
func turned(ctx context.Context, pts []geom.Vec3, b Box) Box {
	for step := 0.2; step > 1e-5; step /= 2 {
		for again := true; again && ctx.Err() == nil; {
			again = false
			for k := range 3 {
				for _, by := range [2]float64{step, -step} {
					r := geom.Rotation(geom.Vec3(b.Axes[k]), by)
					if c := boxAlong(pts, b.Axes.Mul(r)); c.Volume() < b.Volume()*(1-1e-12) {
						b, again = c, true
					}
				}
			}
		}
	}
	return b
}
