package tangent

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func TestTangentsByHand(t *testing.T) {
	// The front of a box has u along +X and v along +Y: tangent +X, and the
	// bitangent n×t·w is +Y. With u mirrored both turn round.
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	got := Of(context.Background(), m)
	require.NoError(t, got.Validate())
	assert.Equal(t, [4]float32{1, 0, 0, 1}, got.Tangents.Values[got.Tangents.Index[0]])
	for i := range m.UVs[0].Values {
		m.UVs[0].Values[i][0] *= -1
	}
	got = Of(context.Background(), got)
	assert.Equal(t, [4]float32{-1, 0, 0, -1}, got.Tangents.Values[got.Tangents.Index[0]], "made anew")
	kept := Filled(context.Background(), &scene.Scene{Meshes: []*scene.Mesh{got}})
	assert.Same(t, got, kept.Meshes[0])
	assert.False(t, Of(context.Background(), &scene.Mesh{}).Tangents.Has())
}

// torus is a ring whose texture runs round it; its tangents are known in closed form.
func torus(nu, nv int) *scene.Mesh {
	b := (&shape.Builder{}).Grid(nu, nv, func(u, v float64) geom.Vec3 {
		s, c := math.Sincos(2 * math.Pi * u)
		y, x := math.Sincos(2 * math.Pi * v)
		return geom.Vec3{(3 + x) * s, y, (3 + x) * c}
	})
	m := b.Mesh("torus")
	// The seam's ends are one place: normals are those of the surface itself.
	for c, p := range m.Corners {
		q := m.Points[p]
		ring := geom.Vec3{q[0], 0, q[2]}.Unit().Mul(3)
		n := q.Sub(ring).Unit()
		m.Normals.Index[c] = int32(len(m.Normals.Values))
		m.Normals.Values = append(m.Normals.Values, [3]float32{float32(n[0]), float32(n[1]), float32(n[2])})
	}
	return m
}

func TestTangentsOfATorusRunRoundIt(t *testing.T) {
	m := torus(64, 48)
	got := Of(context.Background(), m)
	for c, i := range got.Tangents.Index {
		q, v := m.Points[m.Corners[c]], got.Tangents.Values[i]
		want := geom.Vec3{q[2], 0, -q[0]}.Unit()
		angle := math.Acos(min(1, want.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}))) * 180 / math.Pi
		if u := m.UVs[0].Values[m.UVs[0].Index[c]]; u[0] == 0 || u[0] == 1 || u[1] == 0 || u[1] == 1 {
			require.Less(t, angle, 1.001*180/64, "at a seam triangles are on one side alone")
		} else {
			require.Less(t, angle, 0.1)
		}
		require.EqualValues(t, 1, v[3])
	}
}

// The judge gathers, for one corner at a time, all triangles with its place, normal and texture
// coordinate, and walks from its own over shared edges, as the paper words it.
func brute(m *scene.Mesh, corner int32) (geom.Vec3, float32, bool) {
	type tri [3]int32
	var list []tri
	own := -1
	m.EachTriangle(func(_ int, a, b, c int32) {
		if a == corner || b == corner || c == corner {
			own = len(list)
		}
		list = append(list, tri{a, b, c})
	})
	at := func(c int32) geom.Vec3 { return m.Points[m.Corners[c]] }
	uv := func(c int32) [2]float64 { return m.UVs[0].Values[m.UVs[0].Index[c]] }
	no := func(c int32) [3]float32 { return m.Normals.Values[m.Normals.Index[c]] }
	equal := func(a, b int32) bool { return at(a) == at(b) && uv(a) == uv(b) && no(a) == no(b) }
	area := func(k tri) float64 {
		a, b, c := uv(k[0]), uv(k[1]), uv(k[2])
		return (b[0]-a[0])*(c[1]-a[1]) - (c[0]-a[0])*(b[1]-a[1])
	}
	if area(list[own]) == 0 {
		return geom.Vec3{}, 0, false
	}
	seen := map[int]bool{own: true}
	todo := []int{own}
	var sum geom.Vec3
	v := no(corner)
	n := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}.Unit()
	for len(todo) > 0 {
		k := list[todo[0]]
		todo = todo[1:]
		i := 0
		for !equal(k[i], corner) {
			i++
		}
		a, b, c := k[i], k[(i+1)%3], k[(i+2)%3]
		if area(k) != 0 { // else it tells nothing, and lets through
			d, e := at(b).Sub(at(a)), at(c).Sub(at(a))
			du, dv := uv(b)[1]-uv(a)[1], uv(c)[1]-uv(a)[1]
			s := d.Mul(dv).Sub(e.Mul(du)).Mul(1 / area(k))
			p, q := d.Sub(n.Mul(n.Dot(d))).Unit(), e.Sub(n.Mul(n.Dot(e))).Unit()
			sum = sum.Add(s.Sub(n.Mul(n.Dot(s))).Unit().Mul(math.Acos(min(1, max(-1, p.Dot(q))))))
		}
		for j, o := range list {
			if seen[j] || area(o)*area(list[own]) < 0 {
				continue
			}
			for x := range 3 {
				if !equal(o[x], a) {
					continue
				}
				if equal(o[(x+2)%3], b) || equal(o[(x+1)%3], c) {
					seen[j] = true
					todo = append(todo, j)
				}
			}
		}
	}
	w := float32(-1)
	if area(list[own]) > 0 {
		w = 1
	}
	return sum.Unit(), w, true
}

// mirroredHalves is a mesh whose two halves lie on one another in the texture.
func mirroredHalves() *scene.Mesh {
	m := torus(12, 10)
	for i, v := range m.UVs[0].Values {
		m.UVs[0].Values[i][0] = math.Abs(v[0]-0.5) * 2
	}
	return m
}

func TestTangentsAgreeWithAWalkFromEachCorner(t *testing.T) {
	flat := torus(9, 7) // a whole ring without texture
	for i, v := range flat.UVs[0].Values {
		if v[1] > 0.5 {
			flat.UVs[0].Values[i] = [2]float64{0.25, 0.25}
		}
	}
	for name, m := range map[string]*scene.Mesh{"torus": torus(9, 7), "mirrored": mirroredHalves(), "partly blank": flat,
		"boulder": func() *scene.Mesh {
			m := shapetest.Boulder(8)
			u := scene.Layer[[2]float64]{}
			for c, p := range m.Corners {
				q := m.Points[p]
				u.Index = append(u.Index, int32(c))
				u.Values = append(u.Values, [2]float64{q[0] + 0.3*q[1], q[1]*q[2] + q[0]})
			}
			m.UVs = []scene.UVSet{{Name: "UV", Layer: u}}
			m.Smooth = make([]uint32, m.Faces())
			for f := range m.Smooth {
				m.Smooth[f] = 1
			}
			m.Normals = m.SmoothNormals()
			return m
		}()} {
		got := Of(context.Background(), m)
		worst, compared := 0.0, 0
		for c := range m.Corners {
			want, w, ok := brute(m, int32(c))
			if !ok {
				continue
			}
			compared++
			v := got.Tangents.Values[got.Tangents.Index[c]]
			angle := math.Acos(min(1, want.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}))) * 180 / math.Pi
			worst = max(worst, angle)
			require.Equal(t, w, v[3], "%s, corner %d", name, c)
		}
		t.Logf("%s: %d corners, at worst %.4f degrees apart", name, compared, worst)
		assert.Less(t, worst, 0.1, name)
		assert.NotZero(t, compared)
	}
}

func TestTangentsStandAcrossTheirNormals(t *testing.T) {
	for seed := range uint64(40) {
		for _, m := range shapetest.Scene(seed).Meshes {
			g := Of(context.Background(), m)
			if !g.Tangents.Has() {
				continue
			}
			for c, i := range g.Tangents.Index {
				v, n := g.Tangents.Values[i], g.Normals.Values[g.Normals.Index[c]]
				a := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
				require.InDelta(t, 1, a.Len(), 1e-5)
				require.InDelta(t, 0, a.Dot(geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])}), 1e-5)
				require.Contains(t, []float32{1, -1}, v[3])
			}
		}
	}
}

func BenchmarkTangents(b *testing.B) {
	for _, n := range []int{250, 500, 707} {
		m := torus(n, n)
		b.Run(fmt.Sprint(m.Triangles()), func(b *testing.B) {
			for range b.N {
				Of(context.Background(), m)
			}
		})
	}
}
