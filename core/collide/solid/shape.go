package solid

import (
	"context"
	"fmt"
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Kind is what a solid is, by the words of names and files.
type Kind string

// The kinds. A slab is a hull.
const (
	Box     Kind = "box"
	Ball    Kind = "ball"
	Capsule Kind = "capsule"
	Hull    Kind = "hull"
)

// Kinds lists them.
var Kinds = []Kind{Box, Ball, Capsule, Hull}

// Solid is a convex shape as it is kept. Exactly one of the three is there, by its kind; a ball is a
// capsule without length. Lengths are metres.
type Solid struct {
	Kind    Kind         `json:"kind"`
	Box     *fit.Box     `json:"box,omitempty"`
	Capsule *fit.Capsule `json:"capsule,omitempty"`
	Points  []geom.Vec3  `json:"points,omitempty"` // corners of a hull
}

// MostPoints bounds the corners of a hull that is kept.
const MostPoints = 4096

// OfBox, OfBall, OfCapsule and OfBody make solids of what was fitted.
func OfBox(b fit.Box) Solid { return Solid{Kind: Box, Box: &b} }

// OfBall is a ball.
func OfBall(b fit.Ball) Solid {
	return Solid{Kind: Ball, Capsule: &fit.Capsule{A: b.Centre, B: b.Centre, Radius: b.Radius}}
}

// OfCapsule is a capsule.
func OfCapsule(c fit.Capsule) Solid { return Solid{Kind: Capsule, Capsule: &c} }

// OfBody is a hull.
func OfBody(b fit.Body) Solid { return Solid{Kind: Hull, Points: b.Points} }

// Validate checks that a solid is what its kind says, and has numbers that can be meant.
func (s Solid) Validate() error {
	finite := func(list ...geom.Vec3) bool {
		for _, p := range list {
			if !p.IsFinite() || math.Max(math.Abs(p[0]), math.Max(math.Abs(p[1]), math.Abs(p[2]))) > 1e9 {
				return false
			}
		}
		return true
	}
	ok := false
	switch s.Kind {
	case Box:
		ok = s.Box != nil && s.Capsule == nil && s.Points == nil &&
			finite(s.Box.Centre, s.Box.Half, s.Box.Axes[0], s.Box.Axes[1],
				s.Box.Axes[2]) &&
			s.Box.Half[0] >= 0 && s.Box.Half[1] >= 0 && s.Box.Half[2] >= 0
	case Ball, Capsule:
		ok = s.Capsule != nil && s.Box == nil && s.Points == nil && finite(s.Capsule.A, s.Capsule.B) &&
			s.Capsule.Radius >= 0 &&
			s.Capsule.Radius <= 1e9 &&
			(s.Kind == Capsule || s.Capsule.A == s.Capsule.B)
	case Hull:
		ok = len(s.Points) >= 4 && len(s.Points) <= MostPoints && s.Box == nil && s.Capsule == nil && finite(s.Points...)
	}
	if !ok {
		return fmt.Errorf("a shape of kind %q has not what that kind has", s.Kind)
	}
	return nil
}

// Carried is the solid under a map that turns, moves, mirrors and scales alike in all directions.
func (s Solid) Carried(a geom.Affine) Solid {
	k := math.Cbrt(math.Abs(a.M.Det()))
	switch s.Kind {
	case Box:
		b := *s.Box
		b.Centre = a.Apply(b.Centre)
		for i := range 3 {
			b.Axes[i] = geom.Vec3(a.M.Apply(s.Box.Axes[i])).Unit()
		}
		b.Half = b.Half.Mul(k)
		s.Box = &b
	case Ball, Capsule:
		s.Capsule = &fit.Capsule{A: a.Apply(s.Capsule.A), B: a.Apply(s.Capsule.B), Radius: s.Capsule.Radius * k}
	default:
		pts := make([]geom.Vec3, len(s.Points))
		for i, p := range s.Points {
			pts[i] = a.Apply(p)
		}
		s.Points = pts
	}
	return s
}

// Form is a solid made ready to be measured and drawn. It is only read.
type Form struct {
	Solid
	Convex *fit.Convex // its mesh: of a round one, about it
}

// Form makes a solid ready.
func (s Solid) Form(ctx context.Context) *Form {
	f := &Form{Solid: s}
	switch s.Kind {
	case Box:
		f.Convex = fit.NewConvex(s.Box.Body())
	case Ball, Capsule:
		f.Convex = convex(capsuleMesh("", *s.Capsule))
	default:
		f.Convex = fit.NewConvex(fit.OfHull(geom.HullWithin(ctx, s.Points, geom.Finely)))
	}
	return f
}

// Mesh is the form as a mesh without a material.
func (f *Form) Mesh(name string) *scene.Mesh {
	if f.Capsule != nil {
		return capsuleMesh(name, *f.Capsule)
	}
	return meshOf(name, f.Convex.Body)
}

// Volume of the form; cubic metres.
func (f *Form) Volume() float64 {
	switch {
	case f.Box != nil:
		return f.Box.Volume()
	case f.Capsule != nil:
		return f.Capsule.Volume()
	}
	return f.Convex.Volume()
}

// Beyond is at most how far a point lies outside, negative within; metres.
func (f *Form) Beyond(p geom.Vec3) float64 {
	if f.Capsule != nil {
		return f.Capsule.From(p)
	}
	return f.Convex.Beyond(p)
}

// Distance is how far a point lies outside, 0 within; metres.
func (f *Form) Distance(p geom.Vec3) float64 {
	if f.Capsule != nil {
		return max(0, f.Capsule.From(p))
	}
	return f.Convex.Distance(p)
}

// Bounds is the box round it.
func (f *Form) Bounds() geom.Box {
	if f.Capsule == nil {
		return f.Convex.Box
	}
	return geom.EmptyBox().Add(f.Capsule.A).Add(f.Capsule.B).Grown(f.Capsule.Radius)
}

// convex is a mesh that is convex, as a body.
func convex(m *scene.Mesh) *fit.Convex {
	b := fit.Body{Points: m.Points}
	for f := range m.Faces() {
		b.Faces = append(b.Faces, m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
	}
	return fit.NewConvex(b)
}
