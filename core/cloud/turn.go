package cloud

import (
	"math"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/geom"
)

// Mapped carries a cloud by a map that moves, turns, mirrors and scales evenly, with all that its points are known to
// carry: normals and turns are turned, sizes scaled, harmonics turned. The cloud is changed. The error is a
// *fault.Error for a map that stretches or shears: blobs would be blobs no more by their own axes.
func (c *Cloud) Mapped(a geom.Affine) error {
	k := math.Cbrt(math.Abs(a.M.Det()))
	if k == 0 || math.IsNaN(k) || math.IsInf(k, 0) {
		return fault.Input("a cloud can't be carried by a map that flattens it")
	}
	r := a.M.Scaled(1 / k)
	for i := range 3 {
		for j := range 3 {
			dot := r[0][i]*r[0][j] + r[1][i]*r[1][j] + r[2][i]*r[2][j]
			if want := map[bool]float64{true: 1}[i == j]; math.Abs(dot-want) > 1e-9 {
				return fault.Input("a cloud can't be stretched or sheared: what its points carry has no way to say it").
					Advise("Scale it evenly")
			}
		}
	}
	for i, p := range c.Points {
		c.Points[i] = a.Apply(p)
	}
	c.turnNormals(r)
	c.turnBlobs(r, k)
	c.turnLight(r)
	return nil
}

// Carried is a cloud carried by any map, as a copy. Where the map stretches or shears, normals, turns, sizes and
// light by direction are gone: no points have them then.
func (c *Cloud) Carried(a geom.Affine) *Cloud {
	out := &Cloud{Name: c.Name, Type: c.Type, Points: slices.Clone(c.Points)}
	for _, f := range c.Fields {
		f.Single, f.Double = slices.Clone(f.Single), slices.Clone(f.Double)
		out.Fields = append(out.Fields, f)
	}
	if out.Mapped(a) == nil {
		return out
	}
	for i, p := range out.Points {
		out.Points[i] = a.Apply(p)
	}
	out.Fields = slices.DeleteFunc(out.Fields, func(f Field) bool { return directed(f.Name) })
	return out
}

// directed tells fields that mean something only with the way a cloud stands.
func directed(name string) bool {
	return name == "nx" || name == "ny" || name == "nz" || strings.HasPrefix(name, "rot_") ||
		strings.HasPrefix(name, "scale_") || strings.HasPrefix(name, "f_rest_")
}

// turnNormals turns normals, which keep their length.
func (c *Cloud) turnNormals(r geom.Mat3) {
	x, y, z := c.Field("nx"), c.Field("ny"), c.Field("nz")
	if x == nil || y == nil || z == nil {
		return
	}
	for i := range c.Points {
		n := r.Apply(geom.Vec3{x.At(i), y.At(i), z.At(i)})
		x.Set(i, n[0])
		y.Set(i, n[1])
		z.Set(i, n[2])
	}
}

// turnBlobs turns and scales what has a size and a turn. What is mirrored looks the same as turned the other way round
// about its own middle: a blob does not change when all of it is turned over (Σ = R S S Rᵀ, whatever the sign of R).
func (c *Cloud) turnBlobs(r geom.Mat3, k float64) {
	if q := c.run("rot_", 4); q != nil {
		if r.Det() < 0 {
			r = r.Scaled(-1)
		}
		by := quaternion(r)
		for i := range c.Points {
			old := [4]float64{q[0].At(i), q[1].At(i), q[2].At(i), q[3].At(i)}
			for j, v := range product(by, old) {
				q[j].Set(i, v)
			}
		}
	}
	if k == 1 {
		return
	}
	log := c.Logarithmic()
	for _, f := range c.run("scale_", 3) {
		for i := range f.Len() {
			if log {
				f.Set(i, f.At(i)+math.Log(k))
			} else {
				f.Set(i, f.At(i)*k)
			}
		}
	}
}

// quaternion is that of a rotation, its real part first (Shepperd 1978, “Quaternion from rotation matrix”).
func quaternion(m geom.Mat3) [4]float64 {
	t := m[0][0] + m[1][1] + m[2][2]
	best, at := t, 0
	for i := range 3 {
		if m[i][i] > best {
			best, at = m[i][i], i+1
		}
	}
	var q [4]float64
	switch at {
	case 0:
		s := 2 * math.Sqrt(1+t)
		q = [4]float64{s / 4, (m[2][1] - m[1][2]) / s, (m[0][2] - m[2][0]) / s, (m[1][0] - m[0][1]) / s}
	default:
		i := at - 1
		j, k := (i+1)%3, (i+2)%3
		s := 2 * math.Sqrt(1+m[i][i]-m[j][j]-m[k][k])
		q[0] = (m[k][j] - m[j][k]) / s
		q[1+i], q[1+j], q[1+k] = s/4, (m[j][i]+m[i][j])/s, (m[k][i]+m[i][k])/s
	}
	return q
}

// product turns by b and then by a.
func product(a, b [4]float64) [4]float64 {
	return [4]float64{
		a[0]*b[0] - a[1]*b[1] - a[2]*b[2] - a[3]*b[3],
		a[0]*b[1] + a[1]*b[0] + a[2]*b[3] - a[3]*b[2],
		a[0]*b[2] - a[1]*b[3] + a[2]*b[0] + a[3]*b[1],
		a[0]*b[3] + a[1]*b[2] - a[2]*b[1] + a[3]*b[0],
	}
}
