package extents

import (
	"context"

	"yarvek/core/geom"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Body is a scene's figures with its convex hull and the smallest box round it.
type Body struct {
	Figures
	Hull  *geom.Hull
	Frame geom.Mat3 // own main directions as columns, the longest first
	Own   geom.Vec3 // extents along them; metres
}

// Of a scene with more than manyOuter points on its outside the hull is found to a hundred-thousandth of its extent: a
// round thing of half a million corners would have as many faces, for digits that no figure shows.
const (
	manyOuter = 1 << 16
	coarsely  = 1e-5
)

// Later measures a scene, which must not be written to any more, when first asked to:
// a kit of hundreds need not pay for figures that only a worksheet shows.
func Later(s *scene.Scene) *memo.Once[Body] {
	return memo.NewOnce(func(ctx context.Context) (Body, error) {
		b := BodyOf(ctx, s)
		return b, ctx.Err()
	})
}

// BodyOf measures all of it. When ctx ends it returns early, and what it returns means
// nothing.
func BodyOf(ctx context.Context, s *scene.Scene) Body {
	var b Body
	split.Together(
		func() {
			pts := outer(ctx, s)
			if len(pts) > manyOuter {
				b.Hull = geom.HullWithin(ctx, pts, coarsely)
			} else {
				b.Hull = geom.HullOf(ctx, pts)
			}
		},
		func() { b.Figures = Of(ctx, s) })
	if ctx.Err() != nil {
		return b
	}
	b.Frame, b.Own = b.Hull.TightBox(ctx)
	return b
}

// Scaled is the body about k times as large.
func (b Body) Scaled(k float64) Body {
	h := *b.Hull
	h.Points = make([]geom.Vec3, len(b.Hull.Points))
	for i, p := range b.Hull.Points {
		h.Points[i] = p.Mul(k)
	}
	b.Hull = &h
	if !b.Box.IsEmpty() {
		b.Box = geom.Box{Min: b.Box.Min.Mul(k), Max: b.Box.Max.Mul(k)}
	}
	b.Area *= k * k
	b.Volume *= k * k * k
	b.Centre, b.Own = b.Centre.Mul(k), b.Own.Mul(k)
	return b
}
