package fbx

import (
	"math"

	"yarvek/core/geom"
)

// rotations multiplies the three single rotations of Euler angles in degrees. The
// order names which axis turns first.
func rotations(deg [3]float64, order int) geom.Mat3 {
	var m [3]geom.Mat3
	for i := range m {
		var axis geom.Vec3
		axis[i] = 1
		m[i] = geom.Rotation(axis, deg[i]*math.Pi/180)
	}
	// Each row is applied from left to right.
	orders := [7][3]int{{0, 1, 2}, {0, 2, 1}, {1, 2, 0}, {1, 0, 2}, {2, 0, 1}, {2, 1, 0}, {0, 1, 2}}
	if order < 0 || order >= len(orders) {
		order = 0
	}
	o := orders[order]
	return m[o[2]].Mul(m[o[1]]).Mul(m[o[0]])
}

// diagonal is a scale along the axes.
func diagonal(s [3]float64) geom.Mat3 {
	return geom.Mat3{{s[0], 0, 0}, {0, s[1], 0}, {0, 0, s[2]}}
}

// placing is a model's transform taken apart: the whole local map, its rotation
// (with pre- and post-rotation) and its scaling.
type placing struct {
	local   geom.Affine
	turn    geom.Mat3
	scale   geom.Mat3
	inherit int
}

// place composes the chain
// T · Roff · Rp · Rpre · R · Rpost⁻¹ · Rp⁻¹ · Soff · Sp · S · Sp⁻¹
// of a model's properties. Pre- and post-rotation and the rotation order count only
// when RotationActive is set.
func place(p properties) placing {
	if len(p.own)+len(p.template) == 0 {
		return placing{geom.Identity, geom.Identity3, geom.Identity3, 0}
	}
	zero, one := [3]float64{}, [3]float64{1, 1, 1}
	vec := func(name string) geom.Vec3 { return p.get(name).vec(zero) }
	shift := func(v geom.Vec3) geom.Affine { return geom.Translation(v) }
	back := func(v geom.Vec3) geom.Affine { return geom.Translation(v.Mul(-1)) }
	out := placing{inherit: int(p.get("InheritType").float(0))}
	pre, post, order := geom.Identity3, geom.Identity3, 0
	if p.get("RotationActive").float(0) != 0 {
		pre = rotations(p.get("PreRotation").vec(zero), 0)
		post = rotations(p.get("PostRotation").vec(zero), 0).Transpose()
		order = int(p.get("RotationOrder").float(0))
	}
	out.turn = pre.Mul(rotations(p.get("Lcl Rotation").vec(zero), order)).Mul(post)
	out.scale = diagonal(p.get("Lcl Scaling").vec(one))
	rp, sp := vec("RotationPivot"), vec("ScalingPivot")
	out.local = shift(vec("Lcl Translation")).Mul(shift(vec("RotationOffset"))).Mul(shift(rp)).
		Mul(geom.Linear(out.turn)).Mul(back(rp)).
		Mul(shift(vec("ScalingOffset"))).Mul(shift(sp)).Mul(geom.Linear(out.scale)).Mul(back(sp))
	return out
}

// geometric is the map that applies to a model's own mesh and to nothing below it.
func geometric(p properties) geom.Affine {
	if len(p.own)+len(p.template) == 0 {
		return geom.Identity
	}
	t := p.get("GeometricTranslation").vec([3]float64{})
	r := rotations(p.get("GeometricRotation").vec([3]float64{}), 0)
	s := diagonal(p.get("GeometricScaling").vec([3]float64{1, 1, 1}))
	return geom.Affine{M: r.Mul(s), T: t}
}

// chain is what a model hands down to its children.
type chain struct {
	world geom.Affine
	turn  geom.Mat3 // product of the rotations alone
	scale geom.Mat3 // of this model alone
}

var root = chain{geom.Identity, geom.Identity3, geom.Identity3}

// child places a model under its parent, by its inherit type: 1 is plain
// multiplication, 0 applies the parent's scaling after the child's rotation, and 2
// leaves the parent's own scaling out.
func (c chain) child(p placing) chain {
	out := chain{turn: c.turn.Mul(p.turn), scale: p.scale}
	out.world = c.world.Mul(p.local)
	if p.inherit == 1 {
		return out
	}
	down := c.turn.Transpose().Mul(c.world.M) // the parent's scaling and shear
	if p.inherit == 2 {
		if inv, ok := c.scale.Inverse(); ok {
			down = down.Mul(inv)
		}
	}
	out.world.M = out.turn.Mul(down).Mul(p.scale)
	return out
}
