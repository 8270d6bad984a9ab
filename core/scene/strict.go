package scene

import (
	"math"
	"slices"

	"yarvek/core/geom"
)

// Mended counts what a mesh was given so that a strict receiver can take it.
type Mended struct {
	Normals  int // corners whose normal was none, zero or not of unit length
	Unmapped int // corners without a coordinate in a UV set that others have
	Blank    int // corners without a colour where others have one
	Empty    int // UV sets, colours, normals or tangents that no corner has
}

// unitOff is how far the length of a normal may be from 1: 16-bit and packed normals
// of sound files stay as they are.
const unitOff = 1e-3

// Strict is the mesh as receivers that check nothing take it: every corner has a value in
// every layer that is there. A layer no corner has is gone; a normal that is missing, zero
// or no number becomes the face's own, one of another length is made a unit; a corner
// without a UV coordinate gets (0, 0), one without a colour white. Tangents are dropped
// when a corner lacks one, since they can be made anew. A mesh that is strict already is
// returned as it is.
func (m *Mesh) Strict() (*Mesh, Mended) {
	var did Mended
	out := *m
	out.Normals = m.strictNormals(&did)
	if m.Tangents.Has() && slices.ContainsFunc(m.Tangents.Index, negative) {
		out.Tangents = Layer[[4]float32]{}
		did.Empty++
	}
	var n int
	if out.Colors, n = filled(m.Colors, [4]float32{1, 1, 1, 1}, &did); n > 0 {
		did.Blank += n
	}
	out.UVs = nil
	for _, u := range m.UVs {
		if u.Layer, n = filled(u.Layer, [2]float64{}, &did); u.Has() {
			out.UVs = append(out.UVs, u)
			did.Unmapped += n
		}
	}
	if did == (Mended{}) {
		return m, did
	}
	return &out, did
}

func negative(i int32) bool { return i < 0 }

// filled gives the corners that have none a value, and counts them; a layer no corner has
// is gone.
func filled[T any](l Layer[T], value T, did *Mended) (Layer[T], int) {
	if !l.Has() {
		return l, 0
	}
	n := 0
	for _, i := range l.Index {
		if i < 0 {
			n++
		}
	}
	switch n {
	case 0:
		return l, 0
	case len(l.Index):
		did.Empty++
		return Layer[T]{}, 0
	}
	out := Layer[T]{append(slices.Clip(l.Values), value), slices.Clone(l.Index)}
	for c, i := range out.Index {
		if i < 0 {
			out.Index[c] = int32(len(l.Values))
		}
	}
	return out, n
}

// strictNormals are the mesh's with every one a unit.
func (m *Mesh) strictNormals(did *Mended) Layer[[3]float32] {
	l := m.Normals
	if !l.Has() {
		return l
	}
	if !slices.ContainsFunc(l.Index, func(i int32) bool { return i >= 0 }) {
		did.Empty++
		return Layer[[3]float32]{}
	}
	// The values first: most meshes have nothing to mend.
	state := make([]int8, len(l.Values)) // 0 sound, 1 of another length, 2 no direction
	sound := true
	for i, v := range l.Values {
		switch k := widen(v).Len(); {
		case k-k != 0 || k < 1e-6:
			state[i] = 2
		case math.Abs(k-1) > unitOff:
			state[i] = 1
		}
		sound = sound && state[i] == 0
	}
	if sound && !slices.ContainsFunc(l.Index, negative) {
		return l
	}
	out := Layer[[3]float32]{slices.Clone(l.Values), slices.Clone(l.Index)}
	for i, s := range state {
		if s == 1 {
			out.Values[i] = narrow(widen(out.Values[i]).Unit())
		}
	}
	for f := range m.Faces() {
		own := int32(-1)
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			i := out.Index[c]
			if i >= 0 && state[i] < 2 {
				did.Normals += int(state[i])
				continue
			}
			if own < 0 {
				n := m.FaceNormal(f).Unit()
				if n == (geom.Vec3{}) || !n.IsFinite() {
					n = geom.Vec3{0, 1, 0} // a face without area has no direction
				}
				own = int32(len(out.Values))
				out.Values = append(out.Values, narrow(n))
			}
			out.Index[c] = own
			did.Normals++
		}
	}
	return out
}
