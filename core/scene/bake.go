package scene

import (
	"math"

	"yarvek/core/geom"
)

// Transform says what a node's own map holds besides its place.
type Transform struct {
	Rotation float64   // radians
	Scale    geom.Vec3 // along the map's own main directions, the largest first
	Mirrored bool
	Sheared  bool
}

// The tolerances below which a transform counts as none.
const (
	turnTol  = 1e-6
	scaleTol = 1e-6
)

// TransformOf takes a map apart.
func TransformOf(m geom.Mat3) Transform {
	t := Transform{Mirrored: m.Det() < 0, Sheared: m.Shears()}
	r, rest, _ := m.Polar()
	if t.Mirrored {
		// Polar leaves the mirroring in the rest; for a mirrored scale along the axes
		// the rotation is that of the unmirrored map.
		flip := geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
		best := math.Inf(1)
		for _, f := range []geom.Mat3{flip, {{1, 0, 0}, {0, -1, 0}, {0, 0, 1}}, {{1, 0, 0}, {0, 1, 0}, {0, 0, -1}},
			geom.Identity3.Scaled(-1)} {
			if p, _, ok := m.Mul(f).Polar(); ok && p.Angle() < best-1e-12 {
				best, r = p.Angle(), p
			}
		}
	}
	t.Rotation = r.Angle()
	v, _ := rest.Transpose().Mul(rest).Eigen()
	for k := range 3 {
		t.Scale[k] = math.Sqrt(max(0, v[k]))
	}
	return t
}

// Rotated, Scaled and Uneven tell what stands out of a transform.
func (t Transform) Rotated() bool { return t.Rotation > turnTol }

// Scaled tells whether any extent changes.
func (t Transform) Scaled() bool {
	return math.Abs(t.Scale[0]-1) > scaleTol || math.Abs(t.Scale[2]-1) > scaleTol
}

// Uneven tells whether extents change by different factors.
func (t Transform) Uneven() bool { return t.Scale[0]-t.Scale[2] > scaleTol*t.Scale[0] }

// Plain tells whether there is nothing to bake.
func (t Transform) Plain() bool { return !t.Rotated() && !t.Scaled() && !t.Mirrored && !t.Sheared }

// Baked carries the rotation, the scale, or both, of the chosen nodes and of all
// above them into their meshes; nil chooses all. Every node stays in its place, and
// every point of every mesh where it stood. What can't be kept without shear, a
// rotation under uneven scale, is baked along, and mirroring goes with the scale.
// Nodes that share a mesh go on sharing it as far as the same was baked for them.
func (s *Scene) Baked(rotation, scale bool, chosen func(node int) bool) *Scene {
	if !rotation && !scale {
		return s
	}
	out := s.Clone()
	worlds := s.Worlds()
	kept := make([]geom.Affine, len(s.Nodes))
	bake := make([]bool, len(s.Nodes))
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		bake[i] = bake[i] || chosen == nil || chosen(i)
		if p := s.Nodes[i].Parent; p >= 0 && bake[i] {
			bake[p] = true
		}
	}
	for i, w := range worlds {
		kept[i] = geom.Affine{M: w.M, T: w.T}
		if !bake[i] {
			continue
		}
		kept[i].M = geom.Identity3
		r, rest, ok := w.M.Polar()
		switch {
		case rotation && scale || !ok:
		case scale:
			kept[i].M = tidy(r)
		default: // rotation alone
			t := TransformOf(rest)
			if !t.Uneven() && !t.Mirrored {
				kept[i].M = geom.Identity3.Scaled(t.Scale[0])
			}
		}
	}
	type copied struct {
		mesh int
		left geom.Mat3
	}
	var made []copied
	var at []int
	out.Meshes = nil
	for i := range out.Nodes {
		n := &out.Nodes[i]
		n.Local = kept[i]
		if n.Parent >= 0 {
			if inv, ok := kept[n.Parent].Inverse(); ok {
				n.Local = inv.Mul(kept[i])
			}
		}
		n.Local.M = tidy(n.Local.M)
		if n.Mesh < 0 {
			continue
		}
		inv, ok := kept[i].M.Inverse()
		if !ok {
			inv = geom.Identity3
		}
		left := tidy(inv.Mul(worlds[i].M))
		found := -1
		for k, c := range made {
			if c.mesh == n.Mesh && (geom.Affine{M: c.left}).Near(geom.Affine{M: left}, 1e-9) {
				found = at[k]
			}
		}
		if found < 0 {
			found = len(out.Meshes)
			made, at = append(made, copied{n.Mesh, left}), append(at, found)
			m := s.Meshes[n.Mesh].Mapped(geom.Linear(left))
			out.Meshes = append(out.Meshes, m)
		}
		n.Mesh = found
	}
	return out
}

// tidy rounds what differs from a whole number by rounding alone, so that a baked
// node is identity to the last bit.
func tidy(m geom.Mat3) geom.Mat3 {
	for i := range 3 {
		for k := range 3 {
			if r := math.Round(m[i][k]); math.Abs(m[i][k]-r) < 1e-12 {
				m[i][k] = r
			}
		}
	}
	return m
}

// Recentred moves the origin of every mesh that lies far from its own points into
// their middle, at whole metres, and its nodes the other way, so that 32-bit
// coordinates keep their digits. Far is more than ten times the mesh's extent.
func (s *Scene) Recentred() *Scene {
	out := s.Clone()
	for m, users := range s.Users() {
		b := geom.EmptyBox()
		for _, p := range s.Meshes[m].Points {
			b = b.Add(p)
		}
		c := b.Center()
		if b.IsEmpty() || c.Len() <= 10*b.Size().Max() {
			continue
		}
		for k := range 3 {
			c[k] = math.Round(c[k])
		}
		out.Meshes[m] = s.Meshes[m].Mapped(geom.Translation(c.Mul(-1)))
		for _, i := range users {
			out.ShiftOrigin(i, c)
		}
	}
	return out
}

// ShiftOrigin moves node i's origin to p of its own frame without moving its
// children. The scene's nodes are written to; its mesh is the caller's to move.
func (s *Scene) ShiftOrigin(i int, p geom.Vec3) {
	s.Reframe(i, geom.Translation(p))
}

// Reframe changes node i's own frame by a, given in it, without moving its children.
// Its mesh is the caller's to map by the inverse.
func (s *Scene) Reframe(i int, a geom.Affine) {
	inv, ok := a.Inverse()
	if !ok {
		return
	}
	s.Nodes[i].Local = s.Nodes[i].Local.Mul(a)
	for k := range s.Nodes {
		if c := &s.Nodes[k]; c.Parent == i {
			c.Local = inv.Mul(c.Local)
		}
	}
}
