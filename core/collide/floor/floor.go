// Package floor is a small simulated receiver of bodies: the collision of an asset is dropped on the
// ground, a ball is rolled and a box thrown at it, and somebody walks at it.
//
// A body is convex shapes that hold together. Time goes in equal steps, semi-implicit (Euler's second
// way: velocities first, places with them), with the gyroscopic torque taken implicitly so that
// nothing gains by spinning (Catto 2015, "Physics for game programmers: numerical methods"). Contacts
// of hulls are found by the axes that may part them (Gottschalk, Lin and Manocha 1996, "OBBTree", for
// the theorem) and the sides that face each other there; those of balls by the nearest place. Impulses
// go from contact to contact until they agree (sequential impulses: Catto 2005, "Iterative dynamics
// with temporal coherence"), with Coulomb's friction; what lies in one another is pushed apart without
// giving it speed.
//
// Up is +Y, lengths are metres, masses kilograms. The same trial gives the same outcome, bit by bit.
package floor

import (
	"math"

	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
)

// Constants of the trials.
const (
	Gravity = 9.81 // m/s²
	rate    = 240  // steps a second
	step    = 1. / rate
	every   = 4 // steps from one frame kept to the next
	// Friction and bounce between all bodies and the ground.
	friction = 0.6
	bounce   = 0.15
	// Speeds below which nothing bounces.
	quiet = 0.4
	// How deep bodies may lie in one another before they are pushed apart, and how near they touch.
	slop, margin = 5e-4, 2e-3
	rounds       = 24 // of impulses
	pushes       = 6  // of pushing apart
)

// Pose is where a body is: its centre of mass, and the turn from its own frame.
type Pose struct {
	At   geom.Vec3
	Turn geom.Mat3
}

// Apply takes a point of the body's own frame, about its centre of mass, to where it is.
func (p Pose) Apply(q geom.Vec3) geom.Vec3 { return p.At.Add(p.Turn.Apply(q)) }

// part is a convex shape of a body, about the body's centre of mass.
type part struct {
	radius  float64 // of a round one
	a, b    geom.Vec3
	points  []geom.Vec3
	normals []geom.Vec3 // of its sides, each direction once
	edges   []geom.Vec3 // directions, each once
	reach   float64     // of its farthest point from the centre of mass
	middle  geom.Vec3
	around  float64 // radius about its middle
}

// Body is shapes that hold together.
type Body struct {
	parts   []part
	Mass    float64
	Centre  geom.Vec3 // of mass, in the frame the shapes came in
	inverse float64   // of the mass; 0 for what does not move
	tensor  geom.Mat3
	reach   float64

	Pose
	v, w    geom.Vec3
	inertia geom.Mat3 // as it is turned, and its inverse
	back    geom.Mat3
	push    [2]geom.Vec3
}

// NewBody makes a body of shapes of one density, in kg/m³. Shapes that overlap weigh twice there. It
// is nil where they have no volume.
func NewBody(forms []*solid.Form, density float64) *Body {
	var sum extents.MassSum
	for _, f := range forms {
		c := f.Convex
		for _, face := range c.Faces {
			for k := 1; k+1 < len(face); k++ {
				sum.Add(c.Points[face[0]], c.Points[face[k]], c.Points[face[k+1]])
			}
		}
	}
	is := sum.Mass()
	if !(is.Volume > 0) || !(density > 0) {
		return nil
	}
	b := &Body{Mass: is.Volume * density, Centre: is.Centre, tensor: is.Tensor.Scaled(density)}
	b.inverse = 1 / b.Mass
	for _, f := range forms {
		b.parts = append(b.parts, partOf(f, is.Centre))
	}
	for i := range b.parts {
		b.reach = max(b.reach, b.parts[i].reach)
	}
	b.Turn = geom.Identity3
	b.At = b.Centre
	b.turned()
	return b
}

func partOf(f *solid.Form, centre geom.Vec3) part {
	var p part
	box := f.Bounds()
	p.middle = box.Center().Sub(centre)
	if f.Capsule != nil {
		p.radius, p.a, p.b = f.Capsule.Radius, f.Capsule.A.Sub(centre), f.Capsule.B.Sub(centre)
		p.reach = max(p.a.Len(), p.b.Len()) + p.radius
		p.around = p.a.Dist(p.b)/2 + p.radius
	}
	for _, q := range f.Convex.Points {
		p.points = append(p.points, q.Sub(centre))
	}
	for _, q := range p.points {
		p.reach = max(p.reach, q.Len())
		p.around = max(p.around, q.Dist(p.middle))
	}
	const same = 1e-6
	add := func(list []geom.Vec3, d geom.Vec3, either bool) []geom.Vec3 {
		for _, e := range list {
			if k := d.Dot(e); k > 1-same || either && k < same-1 {
				return list
			}
		}
		return append(list, d)
	}
	for _, q := range f.Convex.Planes {
		p.normals = add(p.normals, q.N, false)
	}
	for _, face := range f.Convex.Faces {
		for k, i := range face {
			d := f.Convex.Points[face[(k+1)%len(face)]].Sub(f.Convex.Points[i])
			p.edges = add(p.edges, d.Unit(), true)
		}
	}
	return p
}

// turned works out what depends on how a body is turned.
func (b *Body) turned() {
	b.inertia = b.Turn.Mul(b.tensor).Mul(b.Turn.Transpose())
	b.back, _ = b.inertia.Inverse()
	if b.inverse == 0 {
		b.back = geom.Mat3{}
	}
}

// speed of a point of the body.
func (b *Body) speed(r geom.Vec3) geom.Vec3 { return b.v.Add(b.w.Cross(r)) }

// Energy is of movement and of height against the pull, in joules.
func (b *Body) Energy(pull geom.Vec3) float64 {
	if b.inverse == 0 {
		return 0
	}
	return b.Mass*(b.v.Dot(b.v)/2-pull.Dot(b.At)) + b.w.Dot(b.inertia.Apply(b.w))/2
}

// Lowest is the height of its lowest point above the ground.
func (b *Body) Lowest() float64 {
	low := math.Inf(1)
	for i := range b.parts {
		low = min(low, b.parts[i].lowest(b.Pose))
	}
	return low
}

func (p *part) lowest(at Pose) float64 {
	if p.radius > 0 {
		return min(at.Apply(p.a)[1], at.Apply(p.b)[1]) - p.radius
	}
	low := math.Inf(1)
	for _, q := range p.points {
		low = min(low, at.Turn[1].Dot(q))
	}
	return low + at.At[1]
}

// pullOn is gravity on a floor that falls toward the front by an angle, in degrees; the floor itself is y = 0.
func pullOn(slant float64) geom.Vec3 {
	sin, cos := math.Sincos(slant * math.Pi / 180)
	return geom.Vec3{0, -Gravity * cos, Gravity * sin}
}

// move takes bodies one step on; pull is gravity, in m/s².
//
// First forces change speeds: gravity, and the gyroscopic torque by one step of Newton's way on its implicit
// equation (Catto 2015, "Numerical methods"), which never adds energy. Then contacts are gathered, each begins
// with the impulse that it had a step ago (known, by its key), and rounds of sequential impulses make the
// speeds agree with all of them, friction within its cone. Depth is taken out by speeds of its own (push),
// which move bodies and are then forgotten, so that what is pushed apart does not fly apart. Last, places
// follow speeds.
func move(bodies []*Body, pull geom.Vec3, known map[contactKey]contact) map[contactKey]contact {
	for _, b := range bodies {
		if b.inverse == 0 {
			continue
		}
		b.v = b.v.Add(pull.Mul(step))
		b.w = b.w.Mul(1 / (1 + step*0.05))
		// One step of Newton's way on the implicit gyroscopic torque, in the body's frame.
		back := b.Turn.Transpose()
		w := back.Apply(b.w)
		f := w.Cross(b.tensor.Apply(w)).Mul(step)
		iw := b.tensor.Apply(w)
		j := b.tensor
		skewW, skewI := skew(w).Mul(b.tensor), skew(iw)
		for i := range 3 {
			for k := range 3 {
				j[i][k] += step * (skewW[i][k] - skewI[i][k])
			}
		}
		if inv, ok := j.Inverse(); ok {
			before := w.Dot(b.tensor.Apply(w))
			w = w.Sub(inv.Apply(f))
			// What rounding of that one step added is taken back.
			if after := w.Dot(b.tensor.Apply(w)); after > before && after > 0 {
				w = w.Mul(math.Sqrt(before / after))
			}
			b.w = b.Turn.Apply(w)
		}
	}
	list := contacts(bodies)
	for i := range list {
		c := &list[i]
		c.ready()
		if k, ok := known[c.key]; ok {
			c.normal, c.along, c.beside = k.normal, k.along, k.beside
			c.kick(c.n.Mul(c.normal).Add(c.t.Mul(c.along)).Add(c.u.Mul(c.beside)))
		}
	}
	for range rounds {
		for i := range list {
			list[i].solve()
		}
	}
	next := make(map[contactKey]contact, len(list))
	for _, c := range list {
		if c.key.id >= 0 {
			next[c.key] = c
		}
	}
	for range pushes {
		for i := range list {
			list[i].separate()
		}
	}
	for _, b := range bodies {
		if b.inverse == 0 {
			continue
		}
		b.At = b.At.Add(b.v.Mul(step)).Add(b.push[0])
		turn := b.w.Mul(step).Add(b.push[1])
		b.push = [2]geom.Vec3{}
		if turn != (geom.Vec3{}) {
			b.Turn = upright(geom.FromRotationVector(turn).Mul(b.Turn))
		}
		b.turned()
	}
	return next
}

// upright takes out what rounding put into a rotation.
func upright(m geom.Mat3) geom.Mat3 {
	x := geom.Vec3(m.Col(0)).Unit()
	y := geom.Vec3(m.Col(1))
	y = y.Sub(x.Mul(x.Dot(y))).Unit()
	return geom.Columns(x, y, x.Cross(y))
}

func skew(v geom.Vec3) geom.Mat3 {
	return geom.Mat3{{0, -v[2], v[1]}, {v[2], 0, -v[0]}, {-v[1], v[0], 0}}
}
