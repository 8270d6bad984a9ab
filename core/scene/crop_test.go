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

// slab is the room between two heights along n.
func slab(n geom.Vec3, from, to float64) []scene.Plane {
	return []scene.Plane{{N: n, D: to}, {N: n.Mul(-1), D: -from}}
}

// surface is the area of all faces, and their area-weighted UV sum, by their triangles.
func surface(m *scene.Mesh) (area float64, uv [2]float64) {
	m.EachTriangle(func(_ int, a, b, c int32) {
		p := func(i int32) geom.Vec3 { return m.Points[m.Corners[i]] }
		s := p(b).Sub(p(a)).Cross(p(c).Sub(p(a))).Len() / 2
		area += s
		if len(m.UVs) > 0 && m.UVs[0].Has() {
			for k := range uv {
				for _, i := range []int32{a, b, c} {
					uv[k] += s / 3 * m.UVs[0].Values[m.UVs[0].Index[i]][k]
				}
			}
		}
	})
	return area, uv
}

// strayBorders counts edges that only one face has and that don't lie on a plane.
func strayBorders(m *scene.Mesh, planes []scene.Plane, tol float64) int {
	edges := map[[2]int32]int{}
	for f := range m.Faces() {
		ring := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for i := range ring {
			a, b := ring[i], ring[(i+1)%len(ring)]
			edges[[2]int32{min(a, b), max(a, b)}]++
		}
	}
	n := 0
	for e, k := range edges {
		on := false
		for _, h := range planes {
			on = on || math.Abs(h.N.Dot(m.Points[e[0]])-h.D) < tol && math.Abs(h.N.Dot(m.Points[e[1]])-h.D) < tol
		}
		if k == 1 && !on {
			n++
		}
	}
	return n
}

// What stays inside and what stays outside make the whole: their areas add up, and so do
// their textures; nothing of either lies on the other side; and a closed body has open
// edges only where it was cut.
func TestCroppingLosesAndAddsNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for seed := range uint64(60) {
		m := shapetest.Scene(seed).Meshes[0].Triangulated()
		if seed%3 == 0 {
			m = shapetest.Boulder(8)
		}
		closed := strayBorders(m, nil, 0) == 0
		if seed%3 == 0 {
			require.True(t, closed)
		}
		box := geom.EmptyBox()
		for _, p := range m.Points {
			box = box.Add(p)
		}
		z := box.Size()
		n := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
		n = n.Mul(1 / n.Len())
		at := n.Dot(box.Center())
		planes := append(slab(n, at-0.2*z.Len(), at+0.1*z.Len()), slab(geom.Vec3{0, 1, 0}, box.Min[1]+0.3*z[1],
			box.Max[1]-0.2*z[1])...)
		all, uv := surface(m)
		in := m.Cropped(context.Background(), scene.Cropping{Within: planes})
		out := m.Cropped(context.Background(), scene.Cropping{Within: planes, Outside: true})
		require.NoError(t, in.Validate())
		require.NoError(t, out.Validate())
		a, u := surface(in)
		b, v := surface(out)
		require.InDelta(t, all, a+b, 1e-9*(1+all), "seed %d", seed)
		require.InDelta(t, uv[0], u[0]+v[0], 1e-7*(1+math.Abs(uv[0])), "seed %d", seed)
		require.InDelta(t, uv[1], u[1]+v[1], 1e-7*(1+math.Abs(uv[1])), "seed %d", seed)
		tol := 1e-9 * (1 + z.Len() + box.Center().Len())
		for _, p := range in.Points {
			for _, h := range planes {
				require.LessOrEqual(t, h.N.Dot(p)-h.D, tol, "seed %d", seed)
			}
		}
		for f := range out.Faces() {
			var c geom.Vec3
			ring := out.Corners[out.FaceStart[f]:out.FaceStart[f+1]]
			for _, p := range ring {
				c = c.Add(out.Points[p])
			}
			c, most := c.Mul(1/float64(len(ring))), math.Inf(-1)
			for _, h := range planes {
				most = max(most, h.N.Dot(c)-h.D)
			}
			require.Greater(t, most, -tol, "seed %d", seed)
		}
		if closed {
			assert.Zero(t, strayBorders(in, planes, tol), "seed %d", seed)
			assert.Zero(t, strayBorders(out, planes, tol), "seed %d", seed)
		}
	}
}

// A flat piece of known size, slots and hard edges are kept, and whole faces are whole.
func TestCroppingByHand(t *testing.T) {
	m := new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{4, 2, 2}).Slot(1).Box(geom.Vec3{10, 0, 0},
		geom.Vec3{11, 1, 1}).Mesh("two")
	m.Hard = make([]bool, len(m.Corners))
	for i := range m.Hard {
		m.Hard[i] = true
	}
	in := m.Cropped(context.Background(), scene.Cropping{Within: slab(geom.Vec3{1, 0, 0}, -9, 1)})
	area, _ := surface(in)
	assert.InDelta(t, 4+4*2, area, 1e-12, "an end and four walls of one metre")
	assert.Equal(t, 5, in.Faces())
	assert.Equal(t, []int{0}, in.Slots)
	soft := 0
	for _, h := range in.Hard {
		if !h {
			soft++
		}
	}
	assert.Equal(t, 4, soft, "the edges along the cut are new")
	whole := m.Cropped(context.Background(), scene.Cropping{Within: slab(geom.Vec3{1, 0, 0}, -9, 3), Whole: true})
	area, _ = surface(whole)
	assert.InDelta(t, 4+4*8, area, 1e-12, "the far end goes, the walls stay whole")
	assert.Same(t, m, m.Cropped(context.Background(), scene.Cropping{Within: slab(geom.Vec3{1, 0, 0}, -9, 99)}))
	assert.Zero(t, m.Cropped(context.Background(), scene.Cropping{Within: slab(geom.Vec3{1, 0, 0}, 50, 99)}).Faces())
}
