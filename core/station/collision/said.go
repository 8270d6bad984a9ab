package collision

import (
	"context"
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Of what a shape may be off what its name calls it, in shares of its size: a box has sharp corners, round
// shapes are made of flat sides.
const (
	boxNear   = 1e-3
	roundNear = 0.02
)

// SurfaceKind is what a shape is called that is no convex body.
const SurfaceKind = "surface"

// measuredKind is what a shape of the file is that no name says the kind of: a box, a ball or a capsule where it is one
// for [saidAs], a hull where all its points lie on one, else a surface.
func measuredKind(ctx context.Context, m *scene.Mesh) string {
	for _, k := range []solid.Kind{solid.Box, solid.Ball, solid.Capsule} {
		if _, is := saidAs(ctx, string(k), m); is {
			return string(k)
		}
	}
	h := geom.HullWithin(ctx, m.Points, geom.Finely)
	if len(h.Faces) == 0 || h.Flat {
		return SurfaceKind
	}
	planes := fit.NewConvex(fit.OfHull(h)).Planes
	box := geom.EmptyBox()
	for _, p := range h.Points {
		box = box.Add(p)
	}
	near := boxNear * box.Size().Len()
	for _, c := range m.Corners {
		depth := math.Inf(1) // below the hull's surface
		for _, p := range planes {
			if depth = min(depth, math.Abs(p.N.Dot(m.Points[c])-p.D)); depth <= near {
				break
			}
		}
		if depth > near {
			return SurfaceKind
		}
	}
	return string(solid.Hull)
}

// saidAs is the shape of the file as its name says what it is, and whether it is that; else it is the hull
// round its points, as every receiver takes it.
func saidAs(ctx context.Context, kind string, m *scene.Mesh) (solid.Solid, bool) {
	hull := solid.Solid{Kind: solid.Hull, Points: m.Points}
	h := geom.HullWithin(ctx, m.Points, geom.Finely)
	if len(h.Faces) == 0 || h.Flat {
		return hull, kind == "" || kind == string(solid.Hull) || kind == SurfaceKind
	}
	all := func(near float64, from func(p geom.Vec3) float64) bool {
		for _, p := range h.Points {
			if math.Abs(from(p)) > near {
				return false
			}
		}
		return true
	}
	switch solid.Kind(kind) {
	case solid.Box:
		b := fit.Smallest(ctx, h)
		corners := solid.OfBox(b).Form(ctx).Convex.Points
		fits := len(corners) == 8 && all(boxNear*b.Half.Len(), func(p geom.Vec3) float64 {
			least := math.Inf(1)
			for _, c := range corners {
				least = min(least, c.Dist(p))
			}
			return least
		})
		// Each corner is one of the hull's too: half a box has no others either.
		for _, c := range corners {
			near := false
			for _, p := range h.Points {
				near = near || p.Near(c, boxNear*b.Half.Len())
			}
			fits = fits && near
		}
		if fits {
			return solid.OfBox(b), true
		}
		return hull, false
	case solid.Ball:
		b := fit.SmallestBall(h.Points)
		if len(h.Points) > 8 && all(roundNear*b.Radius, func(p geom.Vec3) float64 { return p.Dist(b.Centre) - b.Radius }) {
			return solid.OfBall(b), true
		}
		return hull, false
	case solid.Capsule:
		c := fit.SmallestCapsule(ctx, h)
		if len(h.Points) > 8 && all(roundNear*c.Radius, c.From) {
			return solid.OfCapsule(c), true
		}
		return hull, false
	}
	return hull, true
}
