package floor

import (
	"math"

	"yarvek/core/geom"
)

// ready works out what of a contact stays the same within a step.
func (c *contact) ready() {
	c.t = c.n.Across()
	c.u = c.n.Cross(c.t)
	c.ra = c.at.Sub(c.a.At)
	if c.b != nil {
		c.rb = c.at.Sub(c.b.At)
	}
	mass := func(d geom.Vec3) float64 {
		x := c.ra.Cross(d)
		k := c.a.inverse + x.Dot(c.a.back.Apply(x))
		if c.b != nil {
			y := c.rb.Cross(d)
			k += c.b.inverse + y.Dot(c.b.back.Apply(y))
		}
		return 1 / k
	}
	c.massN, c.massT, c.massU = mass(c.n), mass(c.t), mass(c.u)
	c.pushed = 0
	v := c.speed().Dot(c.n)
	switch {
	case c.depth < 0:
		c.target = c.depth / step // it may come as near as it is far
	case v < -quiet:
		c.target = -bounce * v
	default:
		c.target = 0
	}
}

// speed of a against b at the contact.
func (c *contact) speed() geom.Vec3 {
	v := c.a.speed(c.ra)
	if c.b != nil {
		v = v.Sub(c.b.speed(c.rb))
	}
	return v
}

// kick gives both bodies an impulse.
func (c *contact) kick(j geom.Vec3) {
	c.a.v = c.a.v.Add(j.Mul(c.a.inverse))
	c.a.w = c.a.w.Add(c.a.back.Apply(c.ra.Cross(j)))
	if c.b != nil {
		c.b.v = c.b.v.Sub(j.Mul(c.b.inverse))
		c.b.w = c.b.w.Sub(c.b.back.Apply(c.rb.Cross(j)))
	}
}

// solve makes one contact right, whatever that does to others.
func (c *contact) solve() {
	v := c.speed()
	before := c.normal
	c.normal = max(0, before-(v.Dot(c.n)-c.target)*c.massN)
	c.kick(c.n.Mul(c.normal - before))

	v = c.speed()
	x, y := c.along-v.Dot(c.t)*c.massT, c.beside-v.Dot(c.u)*c.massU
	if most, l := friction*c.normal, math.Hypot(x, y); l > most {
		x, y = x*most/l, y*most/l
	}
	c.kick(c.t.Mul(x - c.along).Add(c.u.Mul(y - c.beside)))
	c.along, c.beside = x, y
}

// separate pushes two bodies apart that lie in one another, without giving them speed.
func (c *contact) separate() {
	if c.depth <= slop {
		return
	}
	moved := c.a.push[0].Add(c.a.push[1].Cross(c.ra)).Dot(c.n)
	if c.b != nil {
		moved -= c.b.push[0].Add(c.b.push[1].Cross(c.rb)).Dot(c.n)
	}
	before := c.pushed
	c.pushed = max(0, before+(0.2*(c.depth-slop)-moved)*c.massN)
	j := c.n.Mul(c.pushed - before)
	c.a.push[0] = c.a.push[0].Add(j.Mul(c.a.inverse))
	c.a.push[1] = c.a.push[1].Add(c.a.back.Apply(c.ra.Cross(j)))
	if c.b != nil {
		c.b.push[0] = c.b.push[0].Sub(j.Mul(c.b.inverse))
		c.b.push[1] = c.b.push[1].Sub(c.b.back.Apply(c.rb.Cross(j)))
	}
}
