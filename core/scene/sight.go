package scene

import (
	"math"

	"yarvek/core/geom"
)

// Sight is a camera or a light: by what a viewer sees. It stands by itself, whatever it hung from in its file. Its
// place and its directions are in the scene's basis, lengths are metres.
type Sight struct {
	Name   string
	At     geom.Vec3
	Along  geom.Vec3 // where it looks or shines to, a unit; of a light that shines all round it means nothing
	Up     geom.Vec3 // a unit across that
	Camera *Camera   // one of the two is set
	Light  *Light
}

// Camera is how a camera sees.
type Camera struct {
	Angle  float64 // of the view's height, in degrees; 0 for one whose lines of sight are parallel
	High   float64 // of the view of such a one, in metres
	Aspect float64 // width by height; 0 where the file leaves that to the screen
	Near   float64 // metres
	Far    float64 // metres; 0 for endless
}

// LightKind is how a light shines.
type LightKind string

// The kinds of light.
const (
	Sun  LightKind = "sun"  // the same everywhere, along one direction
	Lamp LightKind = "lamp" // all round from one place
	Spot LightKind = "spot" // in a cone from one place
)

// Light is how a light shines.
type Light struct {
	Kind     LightKind
	Color    [3]float64 // linear, 0 to 1
	Strength float64    // lux of a sun, else candela; in files without that unit as their number says
	Range    float64    // metres; 0 for endless
	Inner    float64    // of a spot: degrees from its axis within which it is full, and
	Outer    float64    // beyond which it is dark
}

// LookingAt is where a node stands that turns two of its own directions, units that are square to one another, along
// and up as the sight has them.
func (s Sight) LookingAt(along, up geom.Vec3) geom.Affine {
	from := geom.Columns(along, up, along.Cross(up))
	to := geom.Columns(s.Along, s.Up, s.Along.Cross(s.Up))
	return geom.Affine{M: to.Mul(from.Transpose()), T: s.At}
}

// seenFrom is the sight of a node with such a map, whose own directions along and up are.
func seenFrom(world geom.Affine, along, up geom.Vec3) (at, a, u geom.Vec3) {
	a, u = world.M.Apply(along).Unit(), world.M.Apply(up)
	u = u.Sub(a.Mul(u.Dot(a))).Unit()
	if a.Len() < 0.5 || u.Len() < 0.5 { // a map that flattens says nothing
		a, u = along, up
	}
	return world.T, a, u
}

// AddSight adds a camera or a light that hangs on a node with such a map and looks or shines along a direction of it.
func (s *Scene) AddSight(of Sight, world geom.Affine, along, up geom.Vec3) {
	of.At, of.Along, of.Up = seenFrom(world, along, up)
	s.Sights = append(s.Sights, of)
}

// Carried is the sight where a map takes it.
func (s Sight) Carried(c geom.Affine) Sight {
	s.At = c.Apply(s.At)
	_, s.Along, s.Up = seenFrom(c, s.Along, s.Up)
	k := math.Cbrt(math.Abs(c.M.Det()))
	if s.Camera != nil {
		own := *s.Camera
		own.High, own.Near, own.Far = own.High*k, own.Near*k, own.Far*k
		s.Camera = &own
	}
	if s.Light != nil {
		own := *s.Light
		own.Range *= k
		s.Light = &own
	}
	return s
}

// CarriedSights are several.
func CarriedSights(list []Sight, c geom.Affine) []Sight {
	if len(list) == 0 {
		return nil
	}
	out := make([]Sight, len(list))
	for i, s := range list {
		out[i] = s.Carried(c)
	}
	return out
}
