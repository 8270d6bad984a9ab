package geom

import (
	"fmt"
	"math"
)

// Axis is one of the six signed coordinate axes.
type Axis int8

// The six axes. The zero value is no axis.
const (
	NoAxis Axis = iota
	PosX
	NegX
	PosY
	NegY
	PosZ
	NegZ
)

// Axes lists the six in their usual order.
var Axes = [6]Axis{PosX, NegX, PosY, NegY, PosZ, NegZ}

var axisNames = [7]string{"", "+X", "-X", "+Y", "-Y", "+Z", "-Z"}

// String is "+X" to "-Z", or "" for no axis.
func (a Axis) String() string {
	if a < 0 || int(a) >= len(axisNames) {
		return ""
	}
	return axisNames[a]
}

// Letter is the axis without its sign.
func (a Axis) Letter() string {
	if s := a.String(); s != "" {
		return s[1:]
	}
	return ""
}

// ParseAxis reads "+X" to "-Z"; a bare letter means the positive axis.
func ParseAxis(s string) (Axis, error) {
	for i, n := range axisNames {
		if i > 0 && (s == n || "+"+s == n) {
			return Axis(i), nil
		}
	}
	return NoAxis, fmt.Errorf("%q is no axis: expected one of +X, -X, +Y, -Y, +Z, -Z", s)
}

// MarshalText and UnmarshalText keep axes readable in records.
func (a Axis) MarshalText() ([]byte, error) { return []byte(a.String()), nil }

// UnmarshalText reads "+X" to "-Z", and "" for no axis.
func (a *Axis) UnmarshalText(b []byte) (err error) {
	if len(b) == 0 {
		*a = NoAxis
		return nil
	}
	*a, err = ParseAxis(string(b))
	return err
}

// Index is 0, 1 or 2 for X, Y or Z.
func (a Axis) Index() int { return (int(a) - 1) / 2 }

// Sign is +1 or -1.
func (a Axis) Sign() float64 {
	if a%2 == 0 {
		return -1
	}
	return 1
}

// Vec is the unit vector along the axis.
func (a Axis) Vec() Vec3 {
	var v Vec3
	if a != NoAxis {
		v[a.Index()] = a.Sign()
	}
	return v
}

// Neg is the opposite axis.
func (a Axis) Neg() Axis {
	switch {
	case a == NoAxis:
		return NoAxis
	case a%2 == 0:
		return a - 1
	}
	return a + 1
}

// AxisAlong is the axis v lies closest to.
func AxisAlong(v Vec3) Axis {
	best, most := NoAxis, 0.0
	for _, a := range Axes {
		if d := a.Vec().Dot(v); d > most {
			best, most = a, d
		}
	}
	return best
}

// Basis says what the three coordinates of a point mean: which axis points up,
// which way the front of an asset faces, and whether the basis is right-handed
// (curl the right hand's fingers from +X to +Y and the thumb shows +Z). There
// are 6·4·2 = 48 of them.
type Basis struct {
	Up      Axis `json:"up"`
	Forward Axis `json:"forward"`
	Left    bool `json:"leftHanded"`
}

// GLTF is the basis fixed by glTF 2.0, section 3.4: right-handed, +Y up, the
// front of an asset facing +Z.
var GLTF = Basis{Up: PosY, Forward: PosZ}

// Valid reports whether up and forward are two different lines.
func (b Basis) Valid() bool {
	return b.Up != NoAxis && b.Forward != NoAxis && b.Up.Index() != b.Forward.Index()
}

// Handedness is "right" or "left".
func (b Basis) Handedness() string {
	if b.Left {
		return "left"
	}
	return "right"
}

// String says up, forward and handedness, such as "+Z up, -Y forward, right-handed".
func (b Basis) String() string {
	return fmt.Sprintf("%s up, %s forward, %s-handed", b.Up, b.Forward, b.Handedness())
}

// Right is the axis toward the right hand of somebody who stands with head up
// and looks the way the asset faces. It is a fact of the world: in a left-handed
// basis the algebraic cross product is turned round.
func (b Basis) Right() Axis {
	r := b.Forward.Vec().Cross(b.Up.Vec())
	if b.Left {
		r = r.Mul(-1)
	}
	return AxisAlong(r)
}

// frame has the world's right, up and forward as columns, in b's coordinates.
func (b Basis) frame() Mat3 { return Columns(b.Right().Vec(), b.Up.Vec(), b.Forward.Vec()) }

// To is the map that carries coordinates of b into coordinates of c such that
// right, up and forward stay what they are. Its determinant is -1 exactly when
// the handedness differs, and a chiral mesh stays itself either way, provided
// winding is turned with it.
func (b Basis) To(c Basis) Mat3 { return c.frame().Mul(b.frame().Transpose()) }

// ToView carries coordinates of b to (right, up, forward).
func (b Basis) ToView() Mat3 { return b.frame().Transpose() }

// Extents are a box's width, height and depth: its extents along right, up and
// forward, in metres.
func (b Basis) Extents(x Box) Vec3 {
	v := b.ToView().Apply(x.Size())
	for k := range v {
		v[k] = math.Abs(v[k])
	}
	return v
}

// AllBases lists the 48 bases.
func AllBases() []Basis {
	var all []Basis
	for _, up := range Axes {
		for _, fwd := range Axes {
			for _, left := range []bool{false, true} {
				if b := (Basis{up, fwd, left}); b.Valid() {
					all = append(all, b)
				}
			}
		}
	}
	return all
}
