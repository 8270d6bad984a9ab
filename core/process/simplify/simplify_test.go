package simplify

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/flaw"
	heap "yarvek/core/queue"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var ctx = context.Background()

func apart(a, b *scene.Mesh, n int) deviation.Figures {
	return deviation.Of(ctx, shape.Scene("a", nil, a), shape.Scene("b", nil, b), n).Worst()
}

// knot is a tube round a torus knot, closed.
func knot(nu, nv int) *scene.Mesh {
	m := &scene.Mesh{Name: "knot", FaceStart: []int32{0}, Slots: []int{-1}}
	at := func(t float64) geom.Vec3 {
		r := 1 + 0.4*math.Cos(3*t)
		return geom.Vec3{r * math.Cos(2*t), 0.4 * math.Sin(3*t), r * math.Sin(2*t)}
	}
	for i := range nu {
		t := 2 * math.Pi * float64(i) / float64(nu)
		along := at(t + 1e-4).Sub(at(t - 1e-4)).Unit()
		u := along.Cross(at(t)).Unit()
		v := along.Cross(u)
		for k := range nv {
			s, c := math.Sincos(2 * math.Pi * float64(k) / float64(nv))
			m.Points = append(m.Points, at(t).Add(u.Mul(0.15*c)).Add(v.Mul(0.15*s)))
		}
	}
	p := func(i, k int) int32 { return int32(i%nu*nv + k%nv) }
	for i := range nu {
		for k := range nv {
			m.Corners = append(m.Corners, p(i, k), p(i+1, k+1), p(i+1, k), p(i, k), p(i, k+1), p(i+1, k+1))
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)-3), int32(len(m.Corners)))
		}
	}
	return m
}

// hardPart is a body of flat sides, each cut into n by n quads, with a seam at every edge.
func hardPart(n int) *scene.Mesh {
	b := &shape.Builder{}
	grid := func(o, u, v geom.Vec3) {
		b.Grid(n, n, func(s, t float64) geom.Vec3 { return o.Add(u.Mul(s)).Add(v.Mul(t)) })
	}
	box := func(lo, z geom.Vec3) {
		x, y, d := geom.Vec3{z[0], 0, 0}, geom.Vec3{0, z[1], 0}, geom.Vec3{0, 0, z[2]}
		hi := lo.Add(z)
		for _, s := range [][3]geom.Vec3{{lo.Add(d), x, y}, {lo.Add(x), x.Mul(-1), y}, {hi.Sub(y), d.Mul(-1), y}, {lo, d, y},
			{lo.Add(y).Add(d), x, d.Mul(-1)}, {lo, x, d}} {
			grid(s[0], s[1], s[2])
		}
	}
	box(geom.Vec3{0, 0, 0}, geom.Vec3{2, 0.5, 1})
	box(geom.Vec3{0.5, 0.5, 0.25}, geom.Vec3{0.5, 1, 0.5})
	return b.Mesh("part")
}

// plain is the yardstick: quadric collapse as it is first told, with a heap of all edges, onto the
// best place or onto points that are there, without anything for borders and seams.
func plain(m *scene.Mesh, want int, onPoints bool) *scene.Mesh {
	tri := m.Triangulated()
	pts := append([]geom.Vec3(nil), tri.Points...)
	tris := append([]int32(nil), tri.Corners...)
	at := make([]map[int]bool, len(pts))
	q := make([]quadric, len(pts))
	for t := 0; t < len(tris); t += 3 {
		a, b, c := pts[tris[t]], pts[tris[t+1]], pts[tris[t+2]]
		n := b.Sub(a).Cross(c.Sub(a))
		u := n.Unit()
		for k := range 3 {
			v := tris[t+k]
			if at[v] == nil {
				at[v] = map[int]bool{}
			}
			at[v][t] = true
			q[v].plane(u, -u.Dot(a), n.Len()/2)
		}
	}
	stamp := make([]int, len(pts))
	place := func(a, b int32) (geom.Vec3, float64) {
		s := q[a]
		s.add(&q[b])
		best, cost := pts[a], s.at(pts[a])
		if v := s.at(pts[b]); v < cost {
			best, cost = pts[b], v
		}
		if onPoints {
			return best, cost
		}
		if p, ok := s.least(); ok && s.at(p) < cost {
			return p, s.at(p)
		}
		return best, cost
	}
	h := heap.New(func(a, b yardEdge) bool { return a.cost < b.cost })
	add := func(a, b int32) {
		_, cost := place(a, b)
		h.Put(yardEdge{cost, a, b, stamp[a], stamp[b]})
	}
	for t := 0; t < len(tris); t += 3 {
		for k := range 3 {
			if a, b := tris[t+k], tris[t+(k+1)%3]; a < b {
				add(a, b)
			}
		}
	}
	left := len(tris) / 3
	for left > want && h.Len() > 0 {
		e := h.Take()
		a, b := e.a, e.b
		if stamp[a] != e.sa || stamp[b] != e.sb {
			continue
		}
		to, _ := place(a, b)
		ok := true
		neighbours := func(v, without int32) map[int32]bool {
			out := map[int32]bool{}
			for t := range at[v] {
				for k := range 3 {
					if o := tris[t+k]; o != v && o != without {
						out[o] = true
					}
				}
			}
			return out
		}
		both := 0
		nb := neighbours(b, a)
		for o := range neighbours(a, b) {
			if nb[o] {
				both++
			}
		}
		for _, v := range [2]int32{a, b} {
			for t := range at[v] {
				var before, now [3]geom.Vec3
				shared := false
				for k := range 3 {
					o := tris[t+k]
					before[k], now[k] = pts[o], pts[o]
					if o == v {
						now[k] = to
					}
					shared = shared || o == a+b-v
				}
				if !shared && before[1].Sub(before[0]).Cross(before[2].Sub(before[0])).Dot(
					now[1].Sub(now[0]).Cross(now[2].Sub(now[0]))) <= 0 {
					ok = false
				}
			}
		}
		if !ok || both != 2 {
			continue
		}
		pts[b] = to
		q[b].add(&q[a])
		for t := range at[a] {
			for k := range 3 {
				if tris[t+k] == a {
					tris[t+k] = b
				}
			}
			if tris[t] == tris[t+1] || tris[t+1] == tris[t+2] || tris[t+2] == tris[t] {
				for k := range 3 {
					delete(at[tris[t+k]], t)
				}
				left--
			} else {
				at[b][t] = true
			}
		}
		stamp[a]++
		stamp[b]++
		for o := range neighbours(b, -1) {
			add(b, o)
		}
		at[a] = nil
	}
	out := &scene.Mesh{Points: pts, FaceStart: []int32{0}, Slots: []int{-1}}
	for t := 0; t < len(tris); t += 3 {
		if at[tris[t]] != nil && at[tris[t]][t] {
			out.Corners = append(out.Corners, tris[t], tris[t+1], tris[t+2])
			out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
		}
	}
	return out
}

type yardEdge struct {
	cost   float64
	a, b   int32
	sa, sb int
}

func TestDeviationIsThatOfTheYardstickOrLess(t *testing.T) {
	list, shares := []*scene.Mesh{shapetest.Boulder(60), knot(400, 24)}, []float64{0.5, 0.25, 0.1, 0.02}
	if testing.Short() {
		list, shares = []*scene.Mesh{shapetest.Boulder(32), knot(160, 16)}, []float64{0.5, 0.1}
	}
	for _, m := range list {
		for _, share := range shares {
			want := int(share * float64(m.Triangles()))
			r := Of(ctx, m, Options{Triangles: want})
			require.NoError(t, r.Mesh.Validate())
			assert.LessOrEqual(t, r.Out, want)
			f := flaw.Find(ctx, r.Mesh, flaw.Limits{})
			assert.Empty(t, f.Borders, "closed stays closed")
			assert.Empty(t, f.Crowded)
			assert.Empty(t, f.Flipped)
			assert.Empty(t, f.Inside)
			got, yard := apart(m, r.Mesh, 60_000), apart(m, plain(m, want, false), 60_000)
			points := apart(m, plain(m, want, true), 60_000)
			t.Logf("%s, %d triangles to %d: rms %.2e, plain %.2e, onto points %.2e", m.Name, r.In, r.Out, got.RMS, yard.RMS,
				points.RMS)
			assert.LessOrEqual(t, got.RMS, yard.RMS*1.02)
			assert.LessOrEqual(t, got.RMS, 0.8*points.RMS)
		}
	}
}

func TestHardPartsKeepTheirEdges(t *testing.T) {
	m := hardPart(24)
	r := Of(ctx, m, Options{Triangles: m.Triangles() / 10})
	assert.LessOrEqual(t, r.Out, m.Triangles()/10)
	assert.Less(t, apart(m, r.Mesh, 20_000).Max, 1e-9, "nothing of a flat side is lost")
	a, b := extents.OfMesh(ctx, m), extents.OfMesh(ctx, r.Mesh)
	assert.InDelta(t, a.Volume, b.Volume, 1e-9)
	assert.InDelta(t, a.Area, b.Area, 1e-9)
	for c, i := range r.Mesh.Normals.Index { // flat faces have their own normals
		f := 0
		for int(r.Mesh.FaceStart[f+1]) <= c {
			f++
		}
		n, v := r.Mesh.FaceNormal(f).Unit(), r.Mesh.Normals.Values[i]
		assert.InDelta(t, 1, n.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}), 1e-6)
	}
}

// A sheet of three slots, with a seam across, has its UVs where they were, and its borders too.
func TestSeamsSlotsAndUVsStayInPlace(t *testing.T) {
	const n = 60
	m := (&shape.Builder{}).Grid(n, n,
		func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0.05 * math.Sin(6*u) * math.Cos(5*v), -v} }).Mesh("sheet")
	m.Slots, m.Slot = []int{0, 1, 2}, make([]int32, m.Faces())
	for f := range m.Slot {
		m.Slot[f] = int32(f % n * 3 / n)
		if f/n >= n/2 { // the upper half is laid out elsewhere
			for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
				v := &m.UVs[0].Values[m.UVs[0].Index[c]]
				v[0], v[1] = v[0]+2, v[1]+0.5
			}
		}
	}
	r := Of(ctx, m, Options{Triangles: m.Triangles() / 4})
	assert.LessOrEqual(t, r.Out, m.Triangles()/4)
	d := apart(m, r.Mesh, 20_000).Max
	out := r.Mesh
	for f := range out.Faces() {
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			p, v := out.Points[out.Corners[c]], out.UVs[0].Values[out.UVs[0].Index[c]]
			x, y := p[0], -p[2]
			if v[0] > 1.5 {
				v[0], v[1] = v[0]-2, v[1]-0.5
				assert.Greater(t, y, 0.5-d-1e-9, "no triangle reaches over the seam")
			} else {
				assert.Less(t, y, 0.5+d+1e-9)
			}
			assert.InDelta(t, x, v[0], 0.01, "the texture stays where it was")
			assert.InDelta(t, y, v[1], 0.01)
			slot := float64(out.Slot[f])
			assert.GreaterOrEqual(t, x, slot/3-d-1e-9)
			assert.LessOrEqual(t, x, (slot+1)/3+d+1e-9)
		}
	}
	box := extents.OfMesh(ctx, out).Box
	assert.InDelta(t, 0, box.Min[0], 1e-4)
	assert.InDelta(t, 1, box.Max[0], 1e-4)
}

func TestItStopsWhereItIsTold(t *testing.T) {
	m := shapetest.Boulder(40)
	for _, most := range []float64{0.002, 0.01} {
		r := Of(ctx, m, Options{Deviation: most})
		assert.Less(t, r.Out, r.In)
		assert.Less(t, apart(m, r.Mesh, 40_000).RMS, most)
		assert.Contains(t, r.Why, "deviation")
	}
	same := Of(ctx, m, Options{Triangles: m.Triangles()})
	assert.Same(t, m, same.Mesh)
	points := map[geom.Vec3]bool{}
	for _, p := range m.Points {
		points[p] = true
	}
	for _, p := range Of(ctx, m, Options{Triangles: 500, KeepPoints: true}).Mesh.Points {
		near := false
		for q := range points {
			near = near || p.Dist(q) < 1e-12
		}
		assert.True(t, near, "points are those that were there")
	}
	locked := Of(ctx, m, Options{Triangles: 10, Locked: func(int) bool { return true }})
	assert.Equal(t, m.Triangles(), locked.Out)
	assert.NotEmpty(t, locked.Why)
}

// Large meshes are swept before edges are put in order: the outcome is the same on any number of processors, closed, as
// small as asked and about as near as without, and no triangle has so many neighbours that places drew in all others.
func TestLargeMeshesAreSwept(t *testing.T) {
	flat := (&shape.Builder{}).Grid(90, 90, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, v} }).Mesh("flat")
	for _, m := range []*scene.Mesh{shapetest.Boulder(40), knot(160, 16), flat} {
		o := Options{Triangles: m.Triangles() / 20}
		ordered := Of(ctx, m, o)
		o.sweepFrom = 2000
		want := Of(ctx, m, o)
		require.NotEqual(t, ordered.Mesh.Points, want.Mesh.Points, "swept")
		assert.LessOrEqual(t, want.Out, o.Triangles)
		assert.GreaterOrEqual(t, want.Out, o.Triangles-2)
		if m != flat {
			assert.Empty(t, flaw.Find(ctx, want.Mesh, flaw.Limits{}).Borders)
		}
		one, two := apart(m, ordered.Mesh, 30_000), apart(m, want.Mesh, 30_000)
		assert.LessOrEqual(t, two.RMS, 1.15*one.RMS+1e-9, "%s: of so small a mesh", m.Name)
		assert.LessOrEqual(t, two.Max, 1.75*one.Max+1e-9, m.Name)
		round := map[int32]int{}
		for _, p := range want.Mesh.Corners {
			round[p]++
		}
		for p, n := range round {
			assert.Less(t, n, 24, "of %s at %v", m.Name, want.Mesh.Points[p])
		}
		before := runtime.GOMAXPROCS(0)
		for _, n := range []int{1, 3} {
			runtime.GOMAXPROCS(n)
			got := Of(ctx, m, o)
			assert.Equal(t, want.Mesh.Points, got.Mesh.Points)
			assert.Equal(t, want.Mesh.Corners, got.Mesh.Corners)
		}
		runtime.GOMAXPROCS(before)
		// Hardly down, there is nothing to sweep.
		near := Options{Triangles: m.Triangles() * 9 / 10}
		want = Of(ctx, m, near)
		near.sweepFrom = 2000
		assert.Equal(t, want.Mesh.Points, Of(ctx, m, near).Mesh.Points)
	}
}

// What may leave the surface by so much alone does not when it is swept, either.
func TestSweptWithinADeviation(t *testing.T) {
	m := shapetest.Boulder(60)
	o := Options{Triangles: 100, Deviation: .002, sweepFrom: 2000}
	r := Of(ctx, m, o)
	assert.Contains(t, r.Why, "deviation")
	assert.Less(t, apart(m, r.Mesh, 30_000).RMS, o.Deviation)
	assert.Greater(t, r.Out, 500)
}

func TestHostileMeshesEnd(t *testing.T) {
	soup := func(n int, at func(i int) geom.Vec3, faces int, corner func(i int) int32) *scene.Mesh {
		m := &scene.Mesh{FaceStart: []int32{0}, Slots: []int{-1}}
		for i := range n {
			m.Points = append(m.Points, at(i))
		}
		for i := range 3 * faces {
			m.Corners = append(m.Corners, corner(i))
		}
		for f := range faces {
			m.FaceStart = append(m.FaceStart, int32(3*f+3))
		}
		return m
	}
	for name, m := range map[string]*scene.Mesh{
		"one place": soup(300, func(int) geom.Vec3 { return geom.Vec3{1, 1, 1} }, 100, func(i int) int32 { return int32(i) }),
		"loose": soup(30_000, func(i int) geom.Vec3 { return geom.Vec3{float64(i / 3), float64(i % 3), float64(i % 2)} },
			10_000,
			func(i int) int32 { return int32(i) }),
		"a fan over one edge": soup(102,
			func(i int) geom.Vec3 { return geom.Vec3{math.Cos(float64(i)), math.Sin(float64(i)), float64(i % 5)} }, 100,
			func(i int) int32 { return [3]int32{0, 1, int32(i/3 + 2)}[i%3] }),
		"twice": soup(4, func(i int) geom.Vec3 { return geom.Vec3{float64(i & 1), float64(i >> 1), 0} }, 4,
			func(i int) int32 { return []int32{0, 1, 2, 0, 1, 2, 1, 3, 2, 2, 3, 1}[i] }),
		"a triangle": soup(3, func(i int) geom.Vec3 { return geom.Vec3{float64(i & 1), float64(i >> 1), 0} }, 1,
			func(i int) int32 { return int32(i) }),
		"a plane": (&shape.Builder{}).Grid(30, 30, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh(
			"plane"),
		"with holes": shapetest.Boulder(10),
	} {
		r := Of(ctx, m, Options{Triangles: 1})
		require.NoError(t, r.Mesh.Validate(), name)
		for _, p := range r.Mesh.Points {
			require.True(t, p.IsFinite(), name)
		}
		if name == "a plane" {
			assert.LessOrEqual(t, r.Out, 2+2, name)
		}
	}
}

func BenchmarkSimplify(b *testing.B) {
	for _, rings := range []int{250, 353, 500} {
		m := shapetest.Boulder(rings)
		for _, share := range []float64{0.1, 0.01} {
			b.Run(fmt.Sprintf("%dto%g", m.Triangles(), share), func(b *testing.B) {
				b.ReportAllocs()
				for range b.N {
					Of(ctx, m, Options{Triangles: int(share * float64(m.Triangles()))})
				}
			})
		}
	}
}
