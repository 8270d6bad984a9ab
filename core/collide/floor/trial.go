package floor

import (
	"context"
	"errors"
	"fmt"
	"math"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
)

// Kind is what is tried.
type Kind string

// The kinds of trial.
const (
	Drop Kind = "drop" // the asset is let go above the ground
	Ball Kind = "ball" // a ball is rolled at it
	Box  Kind = "box"  // a box is thrown at it
	Walk Kind = "walk" // somebody walks at it
)

// Kinds lists them in their order.
var Kinds = []Kind{Drop, Ball, Box, Walk}

// Trial is what is tried, and how. Lengths are metres, angles degrees.
type Trial struct {
	Kind    Kind    `json:"kind"`
	Height  float64 `json:"height,omitempty"`  // of the lowest point above the ground when it is let go
	Tilt    float64 `json:"tilt,omitempty"`    // forward
	Roll    float64 `json:"roll,omitempty"`    // to the right
	Density float64 `json:"density,omitempty"` // kg/m³, of the asset
	Size    float64 `json:"size,omitempty"`    // of the ball or box: its diameter or side
	Speed   float64 `json:"speed,omitempty"`   // m/s, of what comes
	From    float64 `json:"from,omitempty"`    // where that comes from: 0 from the front, 90 from the right
	Tall    float64 `json:"tall,omitempty"`    // of the walker
	Wide    float64 `json:"wide,omitempty"`
	Step    float64 `json:"step,omitempty"`  // that the walker climbs
	Slope   float64 `json:"slope,omitempty"` // that the walker walks up, at most
	Slant   float64 `json:"slant,omitempty"` // of the floor, falling toward the front
	Seconds float64 `json:"seconds,omitempty"`
}

// Usual is a trial with what is usual where nothing is said.
func (t Trial) Usual() Trial {
	def := func(v *float64, usual float64) {
		if *v == 0 {
			*v = usual
		}
	}
	def(&t.Density, 500)
	def(&t.Seconds, 20)
	switch t.Kind {
	case Drop:
		def(&t.Height, 0.5)
	case Ball:
		def(&t.Size, 0.4)
		def(&t.Speed, 3)
	case Box:
		def(&t.Size, 0.4)
		def(&t.Speed, 5)
	case Walk:
		def(&t.Tall, 1.8)
		def(&t.Wide, 0.6)
		def(&t.Step, 0.3)
		def(&t.Slope, 45)
		def(&t.Speed, 1.4)
	}
	return t
}

// Validate checks that a trial can be meant.
func (t Trial) Validate() error {
	in := func(v, lo, hi float64, what string) error {
		if !(v >= lo && v <= hi) {
			return fmt.Errorf("%s of %g can't be tried: expected %g to %g", what, v, lo, hi)
		}
		return nil
	}
	known := false
	for _, k := range Kinds {
		known = known || k == t.Kind
	}
	if !known {
		return fmt.Errorf("%q is no trial", t.Kind)
	}
	return errors.Join(in(t.Height, 0, 100, "a height"), in(math.Abs(t.Tilt), 0, 360, "a tilt"),
		in(math.Abs(t.Roll), 0, 360, "a tilt"),
		in(t.Density, 1, 30_000, "a density"), in(t.Seconds, 0.1, 60, "a time"), in(t.Size, 0, 20, "a size"),
		in(t.Speed, 0, 60, "a speed"),
		in(t.Tall, 0, 10, "a walker"), in(t.Wide, 0, 10, "a width"), in(t.Step, 0, 5, "a step"),
		in(t.Slope, 0, 89, "a slope"), in(t.Slant, 0, 60, "a slanting floor"))
}

// Frame is where all bodies are at one moment.
type Frame struct {
	T     float64
	Poses []Pose // the asset's first
}

// Outcome is what came of a trial.
type Outcome struct {
	Trial  Trial
	Mass   float64   // of the asset; kg
	Centre geom.Vec3 // of mass, in the frame its shapes came in
	Guest  *solid.Form
	Frames []Frame
	// Energy in joules at each frame, of all bodies.
	Energy []float64
	Rested bool
	Rest   float64 // seconds until nothing moved any more
	// Up is the direction of the asset's own frame that points up in the end, and Tip its angle to the
	// asset's own up; radians.
	Up  geom.Vec3
	Tip float64
	// Deepest is how far anything sank into the ground or into one another; metres.
	Deepest float64
	// Through tells that what came went into the asset with its middle.
	Through bool
	// Jitter is how far a point of the asset moved after it had come to rest; metres.
	Jitter float64
	Moved  float64 // how far the asset's middle of mass moved over the ground
	// Highest is how high above the ground the lowest point of what came got, once it had come to the asset.
	Highest float64
	Walked  *Walked // of a walk
}

// ErrNothing means that there is no shape with any volume.
var ErrNothing = errors.New("there is no collision with a volume to be tried")

// Bounds of coming to rest: how slow, and for how long.
const (
	still  = 0.02 // m/s, of any point
	atRest = 0.5  // s
	after  = 1.0  // s that it goes on, to see whether it trembles
)

// mostParts bounds the shapes that are tried.
const mostParts = 512

// Run tries shapes, which come in a frame whose up is +Y. It goes until everything rests, or as long
// as the trial says. When ctx ends it returns its error.
func Run(ctx context.Context, forms []*solid.Form, t Trial) (*Outcome, error) {
	t = t.Usual()
	if err := t.Validate(); err != nil {
		return nil, err
	}
	if len(forms) > mostParts {
		return nil, fmt.Errorf("%d shapes are too many to be tried: at most %d are", len(forms), mostParts)
	}
	asset := NewBody(forms, t.Density)
	if asset == nil {
		return nil, ErrNothing
	}
	o := &Outcome{Trial: t, Mass: asset.Mass, Centre: asset.Centre}
	if t.Kind == Walk {
		return o, o.walk(ctx, forms)
	}
	bodies := []*Body{asset}
	turn := geom.Rotation(geom.Vec3{1, 0, 0}, t.Tilt*math.Pi/180).Mul(geom.Rotation(geom.Vec3{0, 0, 1},
		-t.Roll*math.Pi/180))
	if t.Kind == Drop {
		asset.Turn = turn
	}
	asset.turned()
	asset.At = geom.Vec3{asset.Centre[0], 0, asset.Centre[2]}
	asset.At[1] = -asset.Lowest()
	if t.Kind == Drop {
		asset.At[1] += t.Height
	} else {
		guest := o.guest(asset)
		bodies = append(bodies, guest)
	}
	return o, o.play(ctx, bodies)
}

// guest is the ball or the box that comes, on its way.
func (o *Outcome) guest(asset *Body) *Body {
	t := o.Trial
	sin, cos := math.Sincos(t.From * math.Pi / 180)
	from := geom.Vec3{-sin, 0, cos} // the front faces +Z, and its right hand is at -X
	half := t.Size / 2
	if t.Kind == Ball {
		o.Guest = solid.OfBall(fit.Ball{Radius: half}).Form(context.Background())
	} else {
		o.Guest = solid.OfBox(fit.Box{Axes: geom.Identity3, Half: geom.Vec3{half, half, half}}).Form(context.Background())
	}
	g := NewBody([]*solid.Form{o.Guest}, 300)
	away := asset.reach + 1.2*t.Size + 0.15*t.Speed
	g.At = asset.At.Add(from.Mul(away))
	g.v = from.Mul(-t.Speed)
	if t.Kind == Ball {
		g.At[1] = half
		g.w = geom.Vec3{0, 1, 0}.Cross(g.v).Mul(1 / half) // it rolls
		g.tensor = geom.Identity3.Scaled(0.4 * g.Mass * half * half)
	} else {
		// Thrown so that it comes to the height of the asset's middle.
		time := away / t.Speed
		g.At[1] = max(half*1.8, asset.At[1])
		g.v[1] = Gravity * time / 2
		g.Turn = geom.Rotation(geom.Vec3{1, 0.3, 0.2}.Unit(), 0.5)
		g.w = geom.Vec3{0.5, 1, 0.2}
	}
	g.turned()
	return g
}

// play lets time go, until all is at rest for a while or the time is over.
//
// A body is at rest when no point of it was faster than still for atRest seconds; from then on what it still
// trembles is gathered for after seconds more. What flies away from the asset is waited for no longer. Frames
// are kept every so many steps, and what came deepest into the floor or into the other at each.
func (o *Outcome) play(ctx context.Context, bodies []*Body) error {
	pull := pullOn(o.Trial.Slant)
	o.keep(0, bodies)
	known := map[contactKey]contact{}
	quiet, began := 0, 0
	var rested Pose
	total := int(o.Trial.Seconds * rate)
	for n := 1; n <= total; n++ {
		if n&63 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		known = move(bodies, pull, known)
		slow := true
		for i, b := range bodies {
			quiet := b.v.Len()+b.w.Len()*b.reach < still
			if i > 0 && !quiet { // what goes away is waited for no more
				away := b.At.Sub(bodies[0].At)
				quiet = away.Len() > b.reach+bodies[0].reach && away.Dot(b.v) > 0
			}
			slow = slow && quiet
			o.Deepest = max(o.Deepest, -b.Lowest())
		}
		if len(bodies) > 1 {
			o.between(bodies[0], bodies[1])
		}
		if n%every == 0 {
			o.keep(float64(n)*step, bodies)
		}
		if o.Rested {
			o.Jitter = max(o.Jitter, rested.At.Dist(bodies[0].At)+bodies[0].reach*rested.Turn.Transpose().Mul(
				bodies[0].Turn).Angle())
			if float64(n-began)*step >= atRest+after {
				break
			}
			continue
		}
		if quiet++; !slow {
			quiet, began = 0, n
		}
		if float64(quiet)*step >= atRest {
			o.Rested, o.Rest, rested = true, float64(began)*step, bodies[0].Pose
		}
	}
	a := bodies[0]
	o.Up = a.Turn.Transpose().Apply(geom.Vec3{0, 1, 0})
	o.Tip = math.Acos(min(1, max(-1, o.Up[1])))
	d := a.At.Sub(o.Frames[0].Poses[0].At)
	d[1] = 0
	o.Moved = d.Len()
	return nil
}

func (o *Outcome) keep(t float64, bodies []*Body) {
	f := Frame{T: t}
	sum := 0.0
	for _, b := range bodies {
		f.Poses = append(f.Poses, b.Pose)
		sum += b.Energy(pullOn(o.Trial.Slant))
	}
	o.Frames, o.Energy = append(o.Frames, f), append(o.Energy, sum)
}

// between notes how deep the guest lies in the asset.
func (o *Outcome) between(a, g *Body) {
	if a.At.Dist(g.At) > a.reach+g.reach {
		return
	}
	o.Highest = max(o.Highest, g.Lowest())
	q := a.Turn.Transpose().Apply(g.At.Sub(a.At))
	for i := range a.parts {
		p := &a.parts[i]
		if q.Dist(p.middle) > p.around+g.reach {
			continue
		}
		d := 0.0
		if p.radius > 0 {
			d = q.Dist(onSegment(q, p.a, p.b)) - p.radius
		} else {
			_, _, d = p.nearest(q)
		}
		if d < 0 {
			o.Through = true
		}
		if r := g.parts[0].radius; r > 0 {
			o.Deepest = max(o.Deepest, r-d)
		}
	}
}
