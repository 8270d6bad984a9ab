package scene_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// world lists the corners of every triangle where they stand, in order.
func world(s *scene.Scene) []geom.Vec3 {
	var out []geom.Vec3
	f := s.Flattened()
	for _, m := range f.Meshes {
		m.EachTriangle(func(_ int, a, b, c int32) {
			out = append(out, m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]])
		})
	}
	return out
}

func TestBakingMovesNothing(t *testing.T) {
	for seed := range uint64(80) {
		s := shapetest.Scene(seed)
		for _, c := range []struct{ rotation, scale bool }{{true, true}, {true, false}, {false, true}} {
			some := func(i int) bool { return i%2 == int(seed%2) }
			if seed%3 == 0 {
				some = nil
			}
			b := s.Baked(c.rotation, c.scale, some)
			was, is := world(s), world(b)
			require.Len(t, is, len(was))
			for i := range was {
				require.True(t, was[i].Near(is[i], 1e-6), "seed %d corner %d: %v %v", seed, i, was[i], is[i])
			}
			for i, w := range b.Worlds() {
				require.True(t, w.T.Near(s.Worlds()[i].T, 1e-9), "a node stays in its place")
				if some == nil && c.rotation && c.scale {
					require.True(t, w.M == geom.Identity3, "seed %d: nothing is left to bake: %v", seed, w.M)
				}
			}
			for _, m := range b.Meshes {
				require.NoError(t, m.Validate())
			}
		}
	}
}

func TestBakingASharedMeshLeavesItsTwinAlone(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	s := shape.Scene("x", nil, m)
	turned := geom.Affine{M: geom.Rotation(geom.Vec3{0, 1, 0}, math.Pi/2).Scaled(2), T: geom.Vec3{5, 0, 0}}
	s.Nodes[0].Name = "plain"
	s.Nodes = append(s.Nodes,
		scene.Node{Name: "turned", Kind: scene.KindMesh, Parent: -1, Local: turned},
		scene.Node{Name: "turned too", Kind: scene.KindMesh, Parent: -1,
			Local: geom.Affine{M: turned.M, T: geom.Vec3{9, 0, 0}}})
	was := s.NodeBounds()
	b := s.Baked(true, true, nil)
	for i, box := range b.NodeBounds() {
		assert.True(t, box.Min.Near(was[i].Min, 1e-9) && box.Max.Near(was[i].Max, 1e-9), "%d", i)
	}
	assert.Len(t, b.Meshes, 2, "those baked alike still share")
	assert.Equal(t, b.Nodes[1].Mesh, b.Nodes[2].Mesh)
	assert.NotEqual(t, b.Nodes[0].Mesh, b.Nodes[1].Mesh)
	only := s.Baked(true, true, func(i int) bool { return i == 1 })
	assert.Equal(t, s.Nodes[2].Local, only.Nodes[2].Local)
	assert.Equal(t, only.Nodes[0].Mesh, only.Nodes[2].Mesh)
}

func TestTransformsAreTakenApart(t *testing.T) {
	turn := geom.Rotation(geom.Vec3{1, 0, 0}, 0.5)
	for _, c := range []struct {
		m                                 geom.Mat3
		rotated, scaled, uneven, mir, she bool
	}{
		{geom.Identity3, false, false, false, false, false},
		{turn, true, false, false, false, false},
		{turn.Scaled(2), true, true, false, false, false},
		{geom.Mat3{{1, 0, 0}, {0, 2, 0}, {0, 0, 1}}, false, true, true, false, false},
		{geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, false, false, false, true, false},
		{geom.Mat3{{1, 0.3, 0}, {0, 1, 0}, {0, 0, 1}}, true, true, true, false, true},
	} {
		x := scene.TransformOf(c.m)
		assert.Equal(t, []bool{c.rotated, c.scaled, c.uneven, c.mir, c.she},
			[]bool{x.Rotated(), x.Scaled(), x.Uneven(), x.Mirrored,
				x.Sheared}, "%v", c.m)
	}
}

func TestCutAndJoinedAgain(t *testing.T) {
	b := new(shape.Builder)
	for i := range 5 {
		x := float64(2 * i)
		b.Slot(i%2).Box(geom.Vec3{x, 0, 0}, geom.Vec3{x + 1, 1, 1})
	}
	m := b.Mesh("five")
	part, n := m.Bodies(context.Background())
	require.Equal(t, 5, n)
	pieces := m.Cut(part, n)
	for i, p := range pieces {
		require.NoError(t, p.Validate())
		assert.Len(t, p.Points, 8)
		assert.Equal(t, []int{i % 2}, p.Slots)
		assert.Len(t, p.Normals.Values, 6, "only what it uses")
	}
	j := scene.Joined("five", pieces)
	require.NoError(t, j.Validate())
	assert.Equal(t, m.Points, j.Points)
	assert.Equal(t, m.Corners, j.Corners)
	for f := range m.Faces() {
		assert.Equal(t, m.Material(f), j.Material(f))
	}
	for c := range m.Corners {
		assert.Equal(t, m.UVs[0].Values[m.UVs[0].Index[c]], j.UVs[0].Values[j.UVs[0].Index[c]])
		assert.Equal(t, m.Normals.Values[m.Normals.Index[c]], j.Normals.Values[j.Normals.Index[c]])
	}
	slots, mats := m.SlotParts()
	require.Equal(t, []int{0, 1}, mats)
	assert.Equal(t, 18, m.Cut(slots, 2)[0].Faces())
	// A mesh without normals joins one with: its corners have none.
	bare := *pieces[0]
	bare.Normals, bare.UVs, bare.Smooth = scene.Layer[[3]float32]{}, nil, nil
	for _, list := range [][]*scene.Mesh{{&bare, pieces[1]}, {pieces[1], &bare}} {
		k := scene.Joined("mixed", list)
		require.NoError(t, k.Validate())
		assert.Len(t, k.Normals.Index, len(k.Corners))
	}
}

func TestSplitPointsHangTogether(t *testing.T) {
	// Every quad has four points of its own, as glTF writes hard edges.
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	var pts []geom.Vec3
	for c, p := range m.Corners {
		pts = append(pts, m.Points[p])
		m.Corners[c] = int32(c)
	}
	m.Points = pts
	_, n := m.Bodies(context.Background())
	assert.Equal(t, 1, n)
}

func TestWithoutKeepsTheRestWhereItStood(t *testing.T) {
	for seed := range uint64(40) {
		s := shapetest.Scene(seed)
		r := rand.New(rand.NewPCG(seed, 1))
		gone := make([]bool, len(s.Nodes))
		for i := range gone {
			gone[i] = r.IntN(3) == 0
		}
		out := s.Without(func(i int) bool { return gone[i] })
		was, is := s.NodeBounds(), out.NodeBounds()
		k := 0
		for i := range s.Nodes {
			if gone[i] {
				continue
			}
			require.True(t, was[i].IsEmpty() || was[i].Min.Near(is[k].Min, 1e-6) && was[i].Max.Near(is[k].Max, 1e-6))
			require.Less(t, out.Nodes[k].Parent, k)
			k++
		}
	}
}

func TestRecentringKeepsDigits(t *testing.T) {
	far := new(shape.Builder).Box(geom.Vec3{60000.1, 0, 0}, geom.Vec3{60001.1, 1, 1}).Mesh("far")
	s := shape.Scene("x", nil, far)
	s.Nodes = append(s.Nodes, scene.Node{Name: "below", Kind: scene.KindEmpty, Parent: 0, Mesh: -1,
		Local: geom.Translation(geom.Vec3{60000, 3, 0})})
	out := s.Recentred()
	assert.True(t, out.Bounds().Min.Near(s.Bounds().Min, 1e-9))
	assert.Less(t, out.Meshes[0].Points[0].Len(), 2.0)
	assert.True(t, out.Worlds()[1].T.Near(s.Worlds()[1].T, 1e-9))
}
