package scene_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// area sums the triangles of each slot and face normal direction, with their UVs.
func area(m *scene.Mesh) (total float64, normal geom.Vec3, uv float64) {
	m.EachTriangle(func(_ int, a, b, c int32) {
		p := func(k int32) geom.Vec3 { return m.Points[m.Corners[k]] }
		n := p(b).Sub(p(a)).Cross(p(c).Sub(p(a)))
		total += n.Len() / 2
		normal = normal.Add(n)
		t := func(k int32) [2]float64 { return m.UVs[0].Values[m.UVs[0].Index[k]] }
		u, v, w := t(a), t(b), t(c)
		uv += (v[0]-u[0])*(w[1]-u[1]) - (v[1]-u[1])*(w[0]-u[0])
	})
	return total, normal, uv
}

func TestTriangulatedKeepsSurfaceAndLayers(t *testing.T) {
	for seed := range uint64(80) {
		for _, m := range shapetest.Scene(seed).Meshes {
			tri := m.Triangulated()
			require.NoError(t, tri.Validate())
			require.Equal(t, m.Triangles(), tri.Faces())
			require.Equal(t, tri.Faces(), tri.Triangles())
			a, n, u := area(m)
			b, k, v := area(tri)
			require.InDelta(t, a, b, 1e-9*a)
			require.True(t, n.Near(k, 1e-9*a))
			require.InDelta(t, u, v, 1e-9)
			require.Equal(t, m.UsedSlots(), tri.UsedSlots())
		}
	}
}

// A dart, a comb and a quad with a dent: no triangle may lie outside.
func TestDentedPolygonsAreCutInside(t *testing.T) {
	for name, ring := range map[string][][2]float64{
		"dart": {{0, 0}, {4, 0}, {4, 4}, {3, 1}},
		"comb": {{0, 0}, {7, 0}, {7, 3}, {6, 3}, {6, 1}, {5, 1}, {5, 3}, {4, 3}, {4, 1}, {3, 1}, {3, 3}, {0, 3}},
		"star": {{0, 3}, {-1, 1}, {-3, 1}, {-1, 0}, {-2, -2}, {0, -1}, {2, -2}, {1, 0}, {3, 1}, {1, 1}},
	} {
		m := new(shape.Builder).Prism(ring, 0, 1).Mesh(name)
		sum, want := 0.0, 0.0
		for i, p := range ring {
			q := ring[(i+1)%len(ring)]
			want += (p[0]*q[1] - p[1]*q[0]) / 2
		}
		front := len(ring) // the face after the sides
		m.EachTriangle(func(f int, a, b, c int32) {
			if f == front {
				p := func(k int32) geom.Vec3 { return m.Points[m.Corners[k]] }
				n := p(b).Sub(p(a)).Cross(p(c).Sub(p(a)))
				assert.GreaterOrEqual(t, n[2], 0.0, name)
				sum += n.Len() / 2
			}
		})
		assert.InDelta(t, want, sum, 1e-12, name)
	}
}
