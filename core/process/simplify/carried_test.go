package simplify

import (
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

// sampled goes over points within the triangles of a mesh: where each is, its first UV, its normal
// as it is carried, its slot and the face's own normal.
func sampled(m *scene.Mesh, each int, f func(p geom.Vec3, uv [2]float64, n geom.Vec3, slot int32, flat geom.Vec3)) {
	m.EachTriangle(func(face int, a, b, c int32) {
		slot := int32(0)
		if m.Slot != nil {
			slot = m.Slot[face]
		}
		flat := m.Points[m.Corners[b]].Sub(m.Points[m.Corners[a]]).Cross(
			m.Points[m.Corners[c]].Sub(m.Points[m.Corners[a]])).Unit()
		for i := range each {
			for k := range each - i {
				u, v := (float64(i)+0.34)/float64(each), (float64(k)+0.32)/float64(each)
				w := 1 - u - v
				var uv [2]float64
				var n geom.Vec3
				for j, at := range [3]int32{a, b, c} {
					x := [3]float64{w, u, v}[j]
					if len(m.UVs) > 0 && m.UVs[0].Has() {
						t := m.UVs[0].Values[m.UVs[0].Index[at]]
						uv[0], uv[1] = uv[0]+x*t[0], uv[1]+x*t[1]
					}
					if m.Normals.Has() {
						t := m.Normals.Values[m.Normals.Index[at]]
						n = n.Add(geom.Vec3{float64(t[0]), float64(t[1]), float64(t[2])}.Mul(x))
					}
				}
				p := m.Points[m.Corners[a]].Mul(w).Add(m.Points[m.Corners[b]].Mul(u)).Add(m.Points[m.Corners[c]].Mul(v))
				f(p, uv, n.Unit(), slot, flat)
			}
		}
	})
}

// warped is a flat square whose picture is stretched ever more to one side.
func warped(n int) *scene.Mesh {
	m := (&shape.Builder{}).Grid(n, n, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh("warped")
	for i := range m.UVs[0].Values {
		v := &m.UVs[0].Values[i]
		v[0], v[1] = v[0]*v[0], v[1]+0.1*math.Sin(6*v[0])
	}
	return m
}

// On a flat sheet all shapes are alike; what is carried decides which. The picture stays within
// a tenth of where it slides when it does not count.
func TestWhatIsCarriedCounts(t *testing.T) {
	m := warped(48)
	slide := func(detail float64) (rms, most float64) {
		r := Of(ctx, m, Options{Triangles: m.Triangles() / 20, Detail: detail})
		require.LessOrEqual(t, r.Out, m.Triangles()/20)
		sum, n := 0.0, 0.0
		sampled(r.Mesh, 6, func(p geom.Vec3, uv [2]float64, _ geom.Vec3, _ int32, _ geom.Vec3) {
			x, y := p[0], -p[2]
			d := math.Hypot(uv[0]-x*x, uv[1]-(y+0.1*math.Sin(6*x)))
			sum, n, most = sum+d*d, n+1, max(most, d)
		})
		return math.Sqrt(sum / n), most
	}
	without, _ := slide(0)
	with, worst := slide(1)
	t.Logf("the picture slides by %.2e on the whole without, by %.2e with, %.2e at most", without, with, worst)
	assert.Less(t, with, without/4)
	assert.Less(t, worst, 0.02)
}

// Colours of a flat sheet stay where they are likewise.
func TestColoursStayWhereTheyAre(t *testing.T) {
	m := (&shape.Builder{}).Grid(40, 40, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh("tinted")
	m.Colors.Index = make([]int32, len(m.Corners))
	for c, p := range m.Corners {
		m.Colors.Index[c] = int32(len(m.Colors.Values))
		x := m.Points[p][0]
		m.Colors.Values = append(m.Colors.Values, [4]float32{float32(0.5 + 0.5*math.Tanh(12*(x-0.5))), 1, 1, 1})
	}
	off := func(detail float64) float64 {
		r := Of(ctx, m, Options{Triangles: m.Triangles() / 20, Detail: detail})
		sum, area := 0.0, 0.0
		out := r.Mesh
		for f := range out.Faces() { // at the middle of each face, by its area
			x, v := 0.0, 0.0
			for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
				x += out.Points[out.Corners[c]][0] / 3
				v += float64(out.Colors.Values[out.Colors.Index[c]][0]) / 3
			}
			d, a := v-(0.5+0.5*math.Tanh(12*(x-0.5))), out.FaceNormal(f).Len()
			sum, area = sum+d*d*a, area+a
		}
		return math.Sqrt(sum / area)
	}
	t.Logf("colours are off by %.3f without, by %.3f with", off(0), off(1))
	assert.Less(t, off(1), off(0)/3)
	assert.Less(t, off(1), 0.02)
}

// A body of flat sides with UVs, seams at its edges and three slots, at a quarter: its pictures are
// sampled on both at the same places, its slots are where they were, and so are its normals.
func TestATexturedHardPartAtAQuarter(t *testing.T) {
	m := hardPart(20)
	m.Slots, m.Slot = []int{0, 1, 2}, make([]int32, m.Faces())
	for f := range m.Slot {
		p := m.Points[m.Corners[m.FaceStart[f]]]
		switch {
		case p[1] >= 0.5:
			m.Slot[f] = 1
		case m.FaceNormal(f).Unit()[1] > 0.9:
			m.Slot[f] = 2
		}
	}
	r := Of(ctx, m, Options{Triangles: m.Triangles() / 4, Detail: 1})
	require.LessOrEqual(t, r.Out, m.Triangles()/4)
	require.NoError(t, r.Mesh.Validate())
	off := apart(m, r.Mesh, 20_000).Max
	// The same places of the original: of its own triangles, by a tree of those that face alike.
	var pts []geom.Vec3
	var tris []int32
	tri := m.Triangulated()
	pts = tri.Points
	for f := range tri.Faces() {
		tris = append(tris, tri.Corners[3*f:3*f+3]...)
	}
	tree := geom.NewBVH(ctx, pts, tris)
	worst, wrong, turned := 0.0, 0, 0.0
	count := 0
	sampled(r.Mesh, 5, func(p geom.Vec3, uv [2]float64, n geom.Vec3, slot int32, flat geom.Vec3) {
		count++
		turned = max(turned, math.Acos(min(1, n.Dot(flat))))
		// The triangle that faces the same way, not the one round the corner or on the other side.
		k := -1
		tree.Overlapping(geom.Box{Min: p, Max: p}.Grown(1e-7), func(i int) bool {
			a, b, c := tree.Corners(i)
			n := b.Sub(a).Cross(c.Sub(a)).Unit()
			inside := true
			for _, e := range [3][2]geom.Vec3{{a, b}, {b, c}, {c, a}} {
				inside = inside && e[1].Sub(e[0]).Cross(p.Sub(e[0])).Dot(n) > -1e-9
			}
			if n.Dot(flat) > 0.99 && inside {
				k = i
			}
			return k < 0
		})
		if k < 0 {
			wrong++
			return
		}
		a, b, c := pts[tris[3*k]], pts[tris[3*k+1]], pts[tris[3*k+2]]
		cross := b.Sub(a).Cross(c.Sub(a))
		u := c.Sub(b).Cross(p.Sub(b)).Dot(cross) / cross.Dot(cross)
		v := a.Sub(c).Cross(p.Sub(c)).Dot(cross) / cross.Dot(cross)
		w := 1 - u - v
		var want [2]float64
		for j, x := range [3]float64{u, v, w} {
			t := tri.UVs[0].Values[tri.UVs[0].Index[3*k+j]]
			want[0], want[1] = want[0]+x*t[0], want[1]+x*t[1]
		}
		worst = max(worst, math.Hypot(uv[0]-want[0], uv[1]-want[1]))
		if tri.Slot[k] != slot {
			wrong++
		}
	})
	t.Logf("%d places: UVs off by %.1e at most, %d in another slot or nowhere, normals off by %.1e, surface by %.1e",
		count, worst, wrong, turned, off)
	assert.Less(t, worst, 1e-6, "no seam is torn and no picture slides")
	assert.Zero(t, wrong)
	assert.Less(t, turned, 1e-3)
	assert.Less(t, off, 1e-9)
}

// Halves that mirror one another stay so, point for point; a body that has none says so.
func TestHalvesStayMirrored(t *testing.T) {
	m := shapetest.Boulder(30)
	for i := range m.Points { // the same on both sides of x
		m.Points[i][1] += 0.1 * m.Points[i][0] * m.Points[i][0]
		m.Points[i][2] *= 1.3
	}
	mirror := scene.Joined("pair", []*scene.Mesh{m, m.Mapped(geom.Linear(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}))})
	for i := range mirror.Points[:len(m.Points)] {
		mirror.Points[i][0] += 0.9
		mirror.Points[len(m.Points)+i][0] -= 0.9
	}
	across := shapetest.Boulder(30) // alike above and below
	for name, m := range map[string]*scene.Mesh{"two apart": mirror, "one across": across} {
		r := Of(ctx, m, Options{Triangles: m.Triangles() / 5, Mirrored: true})
		require.True(t, r.Mirrored, name)
		require.NoError(t, r.Mesh.Validate())
		assert.LessOrEqual(t, r.Out, m.Triangles()/5+2, name)
		axis := -1
		for k := range 3 {
			ok := true
			for _, p := range r.Mesh.Points {
				p[k] = -p[k]
				near := false
				for _, q := range r.Mesh.Points {
					near = near || p.Dist(q) < 1e-6
				}
				ok = ok && near
			}
			if ok {
				axis = k
			}
		}
		assert.GreaterOrEqual(t, axis, 0, "%s: every point has its counterpart", name)
	}
	odd := shapetest.Boulder(12)
	odd.Points[40][1] += 0.01
	assert.False(t, Of(ctx, odd, Options{Triangles: 100, Mirrored: true}).Mirrored)
}

// Steps are the same as going down to each by itself, and each is valid.
func TestStepsAreOnTheWay(t *testing.T) {
	m := shapetest.Boulder(30)
	goals := []int{2000, 900, 300, 40}
	list := Steps(ctx, m, Options{}, goals)
	for i, g := range goals {
		require.NoError(t, list[i].Mesh.Validate())
		one := Of(ctx, m, Options{Triangles: g})
		assert.Equal(t, one.Out, list[i].Out)
		assert.Equal(t, one.Mesh.Points, list[i].Mesh.Points)
	}
}

// Faces that count more keep more of their triangles.
func TestWeightsKeepWhatCounts(t *testing.T) {
	m := shapetest.Boulder(40)
	m.Slots, m.Slot = []int{0, 1}, make([]int32, m.Faces())
	for f := range m.Slot {
		if m.Points[m.Corners[m.FaceStart[f]]][0] > 0 {
			m.Slot[f] = 1
		}
	}
	share := func(weight float64) float64 {
		r := Of(ctx, m, Options{Triangles: 600, Weight: func(f int) float64 {
			if m.Slot[f] == 1 {
				return weight
			}
			return 1
		}})
		n := 0
		for _, s := range r.Mesh.Slot {
			n += int(s)
		}
		return float64(n) / float64(r.Out)
	}
	assert.InDelta(t, 0.5, share(1), 0.1)
	assert.Greater(t, share(30), 0.65)
}

// BenchmarkQuality prints how far the result is from the asset, against plain quadric collapse, onto
// the best place and onto points: root mean square, in thousandths of the size.
func BenchmarkQuality(b *testing.B) {
	for _, m := range []*scene.Mesh{shapetest.Boulder(224), knot(2000, 50), hardPart(91)} {
		for _, share := range []float64{0.5, 0.25, 0.1, 0.02} {
			b.Run(fmt.Sprintf("%s%dto%g", m.Name, m.Triangles(), share), func(b *testing.B) {
				want := int(share * float64(m.Triangles()))
				for range b.N {
					r := Of(ctx, m, Options{Triangles: want, Detail: 1})
					b.StopTimer()
					size := 1000.0 / 2
					b.ReportMetric(apart(m, r.Mesh, 200_000).RMS*size, "rms‰")
					b.ReportMetric(apart(m, plain(m, want, false), 200_000).RMS*size, "plain‰")
					b.ReportMetric(apart(m, plain(m, want, true), 200_000).RMS*size, "onto‰")
					b.StartTimer()
				}
			})
		}
	}
}
