package scene_test

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// Corners are held against each other by what they carry, all with all.
func TestVerticesAreTheDistinctCorners(t *testing.T) {
	for seed := range uint64(12) {
		for _, m := range shapetest.Scene(seed).Meshes {
			if len(m.Corners) > 600 {
				continue
			}
			normals := m.Normals
			keys := m.VertexKeys(normals)
			slots, corners := m.SlotCorners()
			require.Len(t, corners, len(slots))
			for _, list := range corners {
				corner, index := scene.Share(context.Background(), list, keys)
				require.Len(t, index, len(list))
				same := func(a, b int32) bool {
					if m.Corners[a] != m.Corners[b] {
						return false
					}
					value := func(i, j int32, equal func() bool) bool { return i < 0 && j < 0 || i >= 0 && j >= 0 && equal() }
					ok := true
					if normals.Has() {
						i, j := normals.Index[a], normals.Index[b]
						ok = ok && value(i, j, func() bool { return normals.Values[i] == normals.Values[j] })
					}
					if m.Colors.Has() {
						i, j := m.Colors.Index[a], m.Colors.Index[b]
						ok = ok && value(i, j, func() bool { return m.Colors.Values[i] == m.Colors.Values[j] })
					}
					if m.Tangents.Has() {
						i, j := m.Tangents.Index[a], m.Tangents.Index[b]
						ok = ok && value(i, j, func() bool { return m.Tangents.Values[i] == m.Tangents.Values[j] })
					}
					for _, u := range m.UVs {
						if u.Has() {
							i, j := u.Index[a], u.Index[b]
							ok = ok && value(i, j, func() bool { return u.Values[i] == u.Values[j] })
						}
					}
					return ok
				}
				var distinct []int32
				for _, c := range list {
					if !slices.ContainsFunc(distinct, func(d int32) bool { return same(c, d) }) {
						distinct = append(distinct, c)
					}
				}
				assert.Len(t, corner, len(distinct))
				for i, c := range list {
					assert.True(t, same(c, corner[index[i]]))
				}
			}
		}
	}
}

func TestReorderingChangesNoFace(t *testing.T) {
	m := (&shape.Builder{}).Slot(0).Lathe([][2]float64{{1, 0}, {2, 1}, {1, 3}}, 9).Slot(1).Box(geom.Vec3{4, 0, 0},
		geom.Vec3{5, 1, 1}).Mesh("two")
	m.Hard = make([]bool, len(m.Corners))
	for i := range m.Hard {
		m.Hard[i] = i%4 == 1
	}
	m.Points = append(m.Points, geom.Vec3{7, 7, 7})
	order := make([]int32, m.Faces())
	for i, k := range rand.New(rand.NewPCG(5, 6)).Perm(m.Faces()) {
		order[i] = int32(k)
	}
	out := m.Reordered(order)
	require.NoError(t, out.Validate())
	assert.Len(t, out.Points, len(m.Points))
	for i, f := range order {
		a, b := m.FaceStart[f], out.FaceStart[i]
		assert.Equal(t, m.Material(int(f)), out.Material(i))
		assert.Equal(t, m.Smooth[f], out.Smooth[i])
		for k := range m.FaceStart[f+1] - a {
			assert.Equal(t, m.Points[m.Corners[a+k]], out.Points[out.Corners[b+k]])
			assert.Equal(t, m.UVs[0].Values[m.UVs[0].Index[a+k]], out.UVs[0].Values[out.UVs[0].Index[b+k]])
			assert.Equal(t, m.Hard[a+k], out.Hard[b+k])
		}
	}
	for i, p := range out.Corners { // by first use
		if i > 0 {
			assert.LessOrEqual(t, p, slices.Max(out.Corners[:i])+1)
		}
	}
}

// Halves that are each other's mirror image are cut along the same lines.
func TestQuadsAreCutAlikeOnMirroredHalves(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 500 {
		// A quad with two equal diagonals, bent: its corners lie on two crossing lines of one length.
		h, turn, lift := 0.2+r.Float64(), r.Float64()*math.Pi, r.Float64()-0.5
		s, c := math.Sincos(turn)
		p := []geom.Vec3{{-h, 0, 0}, {-h * c, -h * s, lift}, {h, 0, 0}, {h * c, h * s, lift}}
		if s < 0.1 {
			continue
		}
		cut := func(q []geom.Vec3) [2]geom.Vec3 {
			m := &scene.Mesh{Points: q, Corners: []int32{0, 1, 2, 3}, FaceStart: []int32{0, 4}, Slots: []int{-1}}
			tri := m.Triangulated()
			// The cut is what both triangles share.
			var both []geom.Vec3
			for i := range 4 {
				n := 0
				for _, k := range tri.Corners {
					if k == int32(i) {
						n++
					}
				}
				if n == 2 {
					both = append(both, q[i])
				}
			}
			require.Len(t, both, 2)
			return [2]geom.Vec3{both[0], both[1]}
		}
		want := cut(p)
		start := r.IntN(4)
		var mirror []geom.Vec3
		for i := range 4 { // the other way round, from any corner
			q := p[(start+4-i)%4]
			q[0] = -q[0]
			mirror = append(mirror, q)
		}
		got := cut(mirror)
		for i := range got {
			got[i][0] = -got[i][0]
		}
		assert.ElementsMatch(t, want[:], got[:])
	}
}
