package measure

import (
	"sync"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Body is a scene's figures with its convex hull and the smallest box round it.
type Body struct {
	Figures
	Hull  *geom.Hull
	Frame geom.Mat3 // own main directions as columns, the longest first
	Own   geom.Vec3 // extents along them; metres
}

// Later measures a scene when first asked to, once. A kit of hundreds need not pay
// for figures that only a worksheet shows.
func Later(s *scene.Scene) func() Body {
	return sync.OnceValue(func() Body { return BodyOf(s) })
}

// BodyOf measures all of it.
func BodyOf(s *scene.Scene) Body {
	var b Body
	var wg sync.WaitGroup
	wg.Go(func() { b.Hull = geom.HullOf(outer(s)) })
	b.Figures = Of(s)
	wg.Wait()
	b.Frame, b.Own = b.Hull.TightBox()
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
