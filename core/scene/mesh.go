package scene

import (
	"context"
	"errors"
	"fmt"
	"math"

	"yarvek/core/cloud"
	"yarvek/core/geom"
)

// Layer gives every corner one of the Values, or none where Index is negative.
type Layer[T any] struct {
	Values []T
	Index  []int32 // one for each corner, or nil when the layer is absent
}

// Has reports whether the layer is there at all.
func (l Layer[T]) Has() bool { return l.Index != nil }

// UVSet is a named layer of texture coordinates.
type UVSet struct {
	Name string
	Layer[[2]float64]
}

// Mesh is polygons over points. Face f has the corners FaceStart[f] to
// FaceStart[f+1]; corner c sits on point Corners[c].
type Mesh struct {
	Name string
	// Cloud is points without faces, with what they carry; nil for what has faces. A mesh has the one or the other.
	Cloud *cloud.Cloud

	// Cage tells that the faces are those of a cage of a smooth surface; nil for what is as it is.
	Cage *Cage

	Points    []geom.Vec3
	FaceStart []int32 // one more than there are faces
	Corners   []int32

	Normals  Layer[[3]float32]
	Tangents Layer[[4]float32] // w is the handedness of the bitangent
	Colors   Layer[[4]float32] // linear RGBA
	UVs      []UVSet

	Slots  []int    // material index of each slot, -1 for none
	Slot   []int32  // slot of each face; nil when every face has slot 0
	Smooth []uint32 // smoothing group of each face, 0 for flat; nil when unsaid
	// Hard marks the corners from which a hard edge runs to the face's next corner;
	// nil when the file says nothing of edges.
	Hard []bool
}

// Faces is the number of polygons.
func (m *Mesh) Faces() int {
	if len(m.FaceStart) == 0 {
		return 0
	}
	return len(m.FaceStart) - 1
}

// Triangles is how many triangles the polygons make.
func (m *Mesh) Triangles() int { return len(m.Corners) - 2*m.Faces() }

// Material is the material index of a face, -1 for none.
func (m *Mesh) Material(face int) int {
	k := 0
	if m.Slot != nil {
		k = int(m.Slot[face])
	}
	if k >= len(m.Slots) {
		return -1
	}
	return m.Slots[k]
}

// UsedSlots lists the materials that faces use, in slot order.
func (m *Mesh) UsedSlots() []int {
	if m.Faces() == 0 {
		return nil
	}
	if m.Slot == nil {
		return []int{m.Material(0)}
	}
	used := make([]bool, len(m.Slots))
	for _, k := range m.Slot {
		used[k] = true
	}
	var list []int
	for k, u := range used {
		if u {
			list = append(list, m.Slots[k])
		}
	}
	return list
}

// Used marks the points that a face uses.
func (m *Mesh) Used() []bool {
	u := make([]bool, len(m.Points))
	for _, c := range m.Corners {
		u[c] = true
	}
	return u
}

// Validate checks that every index lands where it should.
func (m *Mesh) Validate() error {
	if len(m.FaceStart) > 0 && (m.FaceStart[0] != 0 || int(m.FaceStart[len(m.FaceStart)-1]) != len(m.Corners)) {
		return errors.New("faces do not cover the corners")
	}
	for f := range m.Faces() {
		if m.FaceStart[f+1]-m.FaceStart[f] < 3 {
			return fmt.Errorf("face %d has fewer than three corners", f)
		}
	}
	for c, p := range m.Corners {
		if p < 0 || int(p) >= len(m.Points) {
			return fmt.Errorf("corner %d sits on point %d of %d", c, p, len(m.Points))
		}
	}
	check := func(what string, index []int32, values int) error {
		if index != nil && len(index) != len(m.Corners) {
			return fmt.Errorf("%s: %d indices for %d corners", what, len(index), len(m.Corners))
		}
		for _, i := range index {
			if int(i) >= values {
				return fmt.Errorf("%s: index %d of %d", what, i, values)
			}
		}
		return nil
	}
	err := errors.Join(
		check("normals", m.Normals.Index, len(m.Normals.Values)),
		check("tangents", m.Tangents.Index, len(m.Tangents.Values)),
		check("colours", m.Colors.Index, len(m.Colors.Values)))
	for _, u := range m.UVs {
		err = errors.Join(err, check("UV set "+u.Name, u.Index, len(u.Values)))
	}
	if m.Slot != nil && len(m.Slot) != m.Faces() {
		err = errors.Join(err, fmt.Errorf("%d slots for %d faces", len(m.Slot), m.Faces()))
	}
	if m.Hard != nil && len(m.Hard) != len(m.Corners) {
		err = errors.Join(err, fmt.Errorf("%d edges for %d corners", len(m.Hard), len(m.Corners)))
	}
	for _, k := range m.Slot {
		if k < 0 || int(k) >= len(m.Slots) {
			return errors.Join(err, fmt.Errorf("slot %d of %d", k, len(m.Slots)))
		}
	}
	return err
}

// Mapped returns the mesh under a. Points are mapped, normals go by the inverse
// transpose, tangents by the map itself; a map that mirrors turns the corners of
// each face round and the tangents' handedness with them.
func (m *Mesh) Mapped(a geom.Affine) *Mesh { return m.MappedIn(context.Background(), a) }

// MappedIn is Mapped for those who may leave: when ctx ends it returns early, and what
// it returns means nothing.
func (m *Mesh) MappedIn(ctx context.Context, a geom.Affine) *Mesh {
	if a.IsIdentity() {
		return m
	}
	out := *m
	if m.Cloud != nil {
		out.Cloud = m.Cloud.Carried(a)
	}
	out.Points = make([]geom.Vec3, len(m.Points))
	within(ctx, len(m.Points), func(i int) { out.Points[i] = a.Apply(m.Points[i]) })
	mirrors := a.Mirrors()
	if m.Normals.Has() && !isUniform(a.M) {
		n := a.M.Cofactor()
		if mirrors {
			n = n.Scaled(-1)
		}
		out.Normals.Values = make([][3]float32, len(m.Normals.Values))
		within(ctx, len(m.Normals.Values), func(i int) {
			out.Normals.Values[i] = narrow(n.Apply(widen(m.Normals.Values[i])).Unit())
		})
	}
	if m.Tangents.Has() {
		out.Tangents.Values = make([][4]float32, len(m.Tangents.Values))
		within(ctx, len(m.Tangents.Values), func(i int) {
			v := m.Tangents.Values[i]
			t := narrow(a.M.Apply(widen([3]float32{v[0], v[1], v[2]})).Unit())
			w := v[3]
			if mirrors {
				w = -w
			}
			out.Tangents.Values[i] = [4]float32{t[0], t[1], t[2], w}
		})
	}
	if mirrors && ctx.Err() == nil {
		out.turnRound()
	}
	return &out
}

// isUniform reports a plain scaling, under which directions stay what they are.
func isUniform(m geom.Mat3) bool {
	return m[0][0] > 0 && m == geom.Identity3.Scaled(m[0][0])
}

// TurnedRound is the scene with every face seen from its other side.
func (s *Scene) TurnedRound() *Scene {
	out := s.Clone()
	for i, m := range s.Meshes {
		turned := *m
		turned.turnRound()
		out.Meshes[i] = &turned
	}
	return out
}

// turnRound reverses every face, keeping its first corner first.
func (m *Mesh) turnRound() {
	if m.Hard != nil {
		// The edge from corner i to the next is, turned round, the one that ends there.
		hard := make([]bool, len(m.Hard))
		for f := range m.Faces() {
			a, b := m.FaceStart[f], m.FaceStart[f+1]
			for i := a; i < b; i++ {
				hard[b-1-(i-a)] = m.Hard[i]
			}
		}
		m.Hard = hard
	}
	m.Corners = m.reversed(m.Corners)
	m.Normals.Index = m.reversed(m.Normals.Index)
	m.Tangents.Index = m.reversed(m.Tangents.Index)
	m.Colors.Index = m.reversed(m.Colors.Index)
	m.UVs = append([]UVSet(nil), m.UVs...)
	for i := range m.UVs {
		m.UVs[i].Index = m.reversed(m.UVs[i].Index)
	}
}

// reversed turns the order of the corners of every face of a layer’s index, keeping the
// first.
func (m *Mesh) reversed(index []int32) []int32 {
	if index == nil {
		return nil
	}
	out := make([]int32, len(index))
	for f := range m.Faces() {
		a, b := m.FaceStart[f], m.FaceStart[f+1]
		out[a] = index[a]
		for i := a + 1; i < b; i++ {
			out[i] = index[b-(i-a)]
		}
	}
	return out
}

// widen makes 64-bit numbers, exactly.
func widen(v [3]float32) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }

// narrow rounds to 32-bit numbers.
func narrow(v geom.Vec3) [3]float32 {
	return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])}
}

// NearestFace is the face that lies nearest to a place, of those that may be it, and how far off: world takes the
// mesh to where it stands. It looks at each triangle once, and is -1 at an infinite distance where there is none.
// When ctx ends it returns early, with one of those it has seen.
func (m *Mesh) NearestFace(ctx context.Context, world geom.Affine, p geom.Vec3, may func(face int) bool) (face int,
	least float64) {
	face, least = -1, math.Inf(1)
	done := 0
	at := func(c int32) geom.Vec3 { return world.Apply(m.Points[m.Corners[c]]) }
	m.EachTriangle(func(f int, a, b, c int32) {
		if done++; done&0xfff == 0 && ctx.Err() != nil || !may(f) {
			return
		}
		if d := geom.NearestOnTriangle(p, at(a), at(b), at(c)).Dist(p); d < least {
			face, least = f, d
		}
	})
	return face, least
}
