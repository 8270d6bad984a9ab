package flaw

import (
	"context"
	"fmt"
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

// mesh makes one of points and faces.
func mesh(pts []geom.Vec3, faces ...[]int32) *scene.Mesh {
	m := &scene.Mesh{Points: pts, FaceStart: []int32{0}, Slots: []int{-1}}
	for _, f := range faces {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// cube is one of six quads over eight points, its faces outward.
func cube(extra ...[]int32) *scene.Mesh {
	var pts []geom.Vec3
	for i := range 8 {
		pts = append(pts, geom.Vec3{float64(i & 1), float64(i >> 1 & 1), float64(i >> 2 & 1)})
	}
	faces := [][]int32{{4, 5, 7, 6}, {1, 0, 2, 3}, {5, 1, 3, 7}, {0, 4, 6, 2}, {6, 7, 3, 2}, {0, 1, 5, 4}}
	return mesh(pts, append(faces, extra...)...)
}

// counts are the numbers of flaws, in the order of the type's fields.
type counts struct {
	unjoined, unused, empty, doubled, needles, crowded, pinched, borders, flipped, inside, bent, concave int
}

func count(f *Flaws) counts {
	return counts{len(f.Unjoined), len(f.Unused), len(f.Empty), len(f.Doubled), f.NeedleN, len(f.Crowded), len(f.Pinched),
		len(f.Borders),
		len(f.Flipped), len(f.Inside), len(f.Bent), len(f.Concave)}
}

// without is the mesh without some faces.
func without(m *scene.Mesh, drop ...int) *scene.Mesh {
	var faces [][]int32
next:
	for f := range m.Faces() {
		for _, d := range drop {
			if d == f {
				continue next
			}
		}
		faces = append(faces, m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
	}
	return mesh(m.Points, faces...)
}

// turned is the mesh with some faces the other way round.
func turned(m *scene.Mesh, faces ...int) *scene.Mesh {
	out := *m
	out.Corners = append([]int32(nil), m.Corners...)
	for _, f := range faces {
		a, b := m.FaceStart[f], m.FaceStart[f+1]
		for i := range b - a {
			out.Corners[a+i] = m.Corners[b-1-i]
		}
	}
	return &out
}

// joined puts meshes side by side in one.
func joined(list ...*scene.Mesh) *scene.Mesh { return scene.Joined("both", list) }

// shifted is the mesh scaled and moved.
func shifted(m *scene.Mesh, k float64, by geom.Vec3) *scene.Mesh {
	return m.Mapped(geom.Translation(by).Mul(geom.Linear(geom.Identity3.Scaled(k))))
}

func TestEachFlawIsFoundAndNoOther(t *testing.T) {
	v := func(x, y, z float64) geom.Vec3 { return geom.Vec3{x, y, z} }
	sound := cube()
	at := func(m *scene.Mesh, more ...geom.Vec3) *scene.Mesh {
		out := *m
		out.Points = append(append([]geom.Vec3(nil), m.Points...), more...)
		return &out
	}
	split := at(sound, v(0, 0, 0))
	split.Corners = append([]int32(nil), split.Corners...)
	split.Corners[5] = 8 // the back has a point of its own in a corner
	for _, c := range []struct {
		name string
		m    *scene.Mesh
		want counts
	}{
		{"a sound cube", sound, counts{}},
		{"nothing", &scene.Mesh{}, counts{}},
		{"a single triangle", mesh([]geom.Vec3{{}, {1, 0, 0}, {0, 1, 0}}, []int32{0, 1, 2}), counts{borders: 1}},
		{"a point of its own", split, counts{unjoined: 1}},
		{"the like, 1 mm off, is no such point", func() *scene.Mesh {
			m := *split
			m.Points = append([]geom.Vec3(nil), m.Points...)
			m.Points[8] = v(0.001, 0, 0)
			return &m
		}(), counts{borders: 1}},
		{"a point nothing uses", at(sound, v(5, 5, 5)), counts{unused: 1}},
		{"one that stands where another does, unused", at(sound, v(0, 0, 0)), counts{unused: 1}},
		{"a face on a line", func() *scene.Mesh {
			m := at(sound, v(0.5, 0, 0))
			m.Corners, m.FaceStart = append(append([]int32(nil), m.Corners...), 0, 8, 1),
				append(append([]int32(nil), m.FaceStart...), 27)
			return m
		}(), counts{empty: 1}},
		{"a face on one point", cube([]int32{3, 3, 3}), counts{empty: 1}},
		{"two faces that are empty are not twice", cube([]int32{3, 3, 3}, []int32{3, 3, 3}), counts{empty: 2}},
		{"a face twice", cube([]int32{5, 7, 6, 4}), counts{doubled: 1}},
		{"a face twice, seen from behind", cube([]int32{4, 6, 7, 5}), counts{doubled: 1}},
		{"three times", cube([]int32{5, 7, 6, 4}, []int32{7, 6, 4, 5}), counts{doubled: 2}},
		{"a wall across", cube([]int32{4, 1, 3, 6}), counts{crowded: 2, borders: 2}}, // two of its sides run free
		{"a needle", mesh([]geom.Vec3{{}, {1, 0, 0}, {0.5, 0.0099, 0}}, []int32{0, 1, 2}), counts{needles: 1, borders: 1}},
		{"nearly one", mesh([]geom.Vec3{{}, {1, 0, 0}, {0.5, 0.0101, 0}}, []int32{0, 1, 2}), counts{borders: 1}},
		{"a hole", without(sound, 4), counts{borders: 1}},
		{"two holes", without(sound, 0, 1), counts{borders: 2}},
		{"two neighbours gone are one hole", without(cube(), 0, 3), counts{borders: 1}},
		{"a face wound the other way", turned(sound, 2), counts{flipped: 1}},
		{"two of them", turned(sound, 2, 3), counts{flipped: 2}},
		{"all of them", turned(sound, 0, 1, 2, 3, 4, 5), counts{inside: 1}},
		{"five of them", turned(sound, 0, 1, 2, 3, 4), counts{flipped: 1, inside: 1}},
		{"an open one turned inside out can't be told", turned(without(sound, 5), 0, 1, 2, 3, 4), counts{borders: 1}},
		{"the inner wall of a hollow one", joined(shifted(sound, 3, v(-1, -1, -1)), turned(sound, 0, 1, 2, 3, 4, 5)),
			counts{}},
		{"one inside out beside a sound one", joined(sound, shifted(turned(sound, 0, 1, 2, 3, 4, 5), 1, v(3, 0, 0))),
			counts{inside: 1}},
		{"a sound one within another", joined(shifted(sound, 3, v(-1, -1, -1)), sound), counts{}},
		{"two that touch in a point", joined(sound, shifted(sound, 1, v(1, 1, 1))), counts{unjoined: 1, pinched: 1}},
		{"two that touch in an edge", joined(sound, shifted(sound, 1, v(1, 1, 0))), counts{unjoined: 2, crowded: 1}},
		{"a bent quad", mesh([]geom.Vec3{{}, {1, 0, 0}, {1, 1, 0.02}, {0, 1, 0}}, []int32{0, 1, 2, 3}),
			counts{borders: 1, bent: 1}},
		{"hardly bent", mesh([]geom.Vec3{{}, {1, 0, 0}, {1, 1, 0.002}, {0, 1, 0}}, []int32{0, 1, 2, 3}), counts{borders: 1}},
		{"a dented one", mesh([]geom.Vec3{{}, {1, 0, 0}, {0.3, 0.3, 0}, {0, 1, 0}}, []int32{0, 1, 2, 3}),
			counts{borders: 1, concave: 1}},
		{"a corner on a line is no dent", mesh([]geom.Vec3{{}, {1, 0, 0}, {0.5, 0.5, 0}, {0, 1, 0}}, []int32{0, 1, 2, 3}),
			counts{borders: 1}},
		{"a boulder", shapetest.Boulder(12), counts{}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := count(Find(context.Background(), c.m, Limits{}))
			assert.Equal(t, c.want, got)
			// What is wrong with it does not depend on where it stands.
			far := count(Find(context.Background(),
				c.m.Mapped(geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 1), T: v(5, 6, 7)}), Limits{}))
			assert.Equal(t, c.want, far, "turned and moved")
		})
	}
}

func TestTolerancesAreRealLengths(t *testing.T) {
	m := cube()
	m.Points = append(m.Points, geom.Vec3{0.001, 0, 0})
	m.Corners[5] = 8
	assert.Len(t, Find(context.Background(), m, Limits{}).Borders, 1)
	f := Find(context.Background(), m, Limits{Weld: 0.0011})
	assert.Empty(t, f.Borders)
	assert.Equal(t, []int32{8}, f.Unjoined)
	assert.Empty(t, Find(context.Background(), m, Limits{Weld: 0.0009}).Unjoined)
	assert.Len(t, Find(context.Background(), m, Limits{Edge: 1.1}).Short, 14,
		"twelve of the cube, one of them twice, and none of 1.4")
}

func TestVolumesAreOfEachPart(t *testing.T) {
	f := Find(context.Background(), joined(cube(), shifted(cube(), 2, geom.Vec3{5, 0, 0}),
		without(shifted(cube(), 1, geom.Vec3{-5, 0, 0}), 0)), Limits{})
	require.Len(t, f.Volumes, 3)
	assert.InDelta(t, 1, f.Volumes[0], 1e-12)
	assert.InDelta(t, 8, f.Volumes[1], 1e-12)
	assert.Zero(t, f.Volumes[2], "an open one has none")
}

func TestNormalsAreHeldAgainstTheirFaces(t *testing.T) {
	m := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	n := Find(context.Background(), m, Limits{}).Normals
	assert.Equal(t, Normals{}, n)
	m.Normals.Values[m.Normals.Index[4]] = [3]float32{0, 0, 2}
	m.Normals.Index[9] = -1
	n = Find(context.Background(), m, Limits{}).Normals
	assert.Equal(t, 1, n.Missing)
	assert.Equal(t, 4, n.Length, "the four corners of the back share one")
	assert.Equal(t, []int32{1}, n.Against, "it points forward from the back")
	m.Normals = scene.Layer[[3]float32]{}
	assert.True(t, Find(context.Background(), m, Limits{}).Normals.None)
}

func TestHostileMeshesEndAndStayNumbers(t *testing.T) {
	same := make([]geom.Vec3, 3000)
	var faces, loose [][]int32
	for i := range int32(1000) {
		faces = append(faces, []int32{3 * i, 3*i + 1, 3*i + 2})
	}
	assert.Equal(t, counts{unjoined: 2999, empty: 1000},
		count(Find(context.Background(), mesh(same, faces...), Limits{})), "all in one place")
	var pts []geom.Vec3
	for i := range int32(10_000) {
		x, y := float64(i%100), float64(i/100)
		pts = append(pts, geom.Vec3{x, y, 0}, geom.Vec3{x + 0.5, y, 0}, geom.Vec3{x, y + 0.5, 0})
		loose = append(loose, []int32{3 * i, 3*i + 1, 3*i + 2})
	}
	f := Find(context.Background(), mesh(pts, loose...), Limits{})
	assert.Equal(t, counts{borders: 10_000}, count(f), "ten thousand loose parts")
	assert.Equal(t, 10_000, f.Parts.N)
	ring := make([]int32, 100_000)
	pts = nil
	for i := range ring {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(len(ring)))
		pts, ring[i] = append(pts, geom.Vec3{c, s, 0}), int32(i)
	}
	g := count(Find(context.Background(), mesh(pts, ring), Limits{}))
	assert.Equal(t, 1, g.borders, "a polygon of 100 000 corners")
	assert.Zero(t, g.concave+g.bent+g.empty)
}

func BenchmarkFind(b *testing.B) {
	for _, rings := range []int{250, 353, 500} {
		m := shapetest.Boulder(rings)
		b.Run("", func(b *testing.B) {
			for range b.N {
				Find(context.Background(), m, Limits{Weld: 1e-4, Edge: 1e-3})
			}
			b.ReportMetric(float64(m.Triangles()), "triangles")
		})
	}
}

// Random soups of faces over a few places are counted once more by maps of coordinates.
func TestRandomSoupsAreCountedAsByHand(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	single := 0
	for round := range 300 {
		m := &scene.Mesh{FaceStart: []int32{0}, Slots: []int{-1}}
		n := 4 + r.IntN(8)
		for range n {
			m.Points = append(m.Points, geom.Vec3{float64(r.IntN(2)), float64(r.IntN(3)), float64(r.IntN(2))})
		}
		for range 1 + r.IntN(14) {
			for range 3 + r.IntN(2) {
				m.Corners = append(m.Corners, int32(r.IntN(n)))
			}
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		}
		got := Find(context.Background(), m, Limits{})

		used, places := map[int32]bool{}, map[geom.Vec3]bool{}
		for _, c := range m.Corners {
			used[c] = true
			places[m.Points[c]] = true
		}
		assert.Len(t, got.Unjoined, len(used)-len(places), "round %d", round)
		assert.Len(t, got.Unused, n-len(used))
		type edge [2]geom.Vec3
		faces := map[edge]map[int]bool{}
		rings := map[string]bool{}
		empty, doubled := 0, 0
		for f := range m.Faces() {
			var ring []geom.Vec3
			var area geom.Vec3
			long := 0.0
			c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
			for i, p := range c {
				a, b := m.Points[p], m.Points[c[(i+1)%len(c)]]
				area = area.Add(a.Cross(b).Mul(0.5))
				long = max(long, a.Dist(b))
				if len(ring) == 0 || ring[len(ring)-1] != a {
					ring = append(ring, a)
				}
			}
			if area.Len() <= 1e-9*long*long {
				empty++
				continue
			}
			for len(ring) > 1 && ring[0] == ring[len(ring)-1] {
				ring = ring[:len(ring)-1]
			}
			// All ways to begin and both ways round: the least of their texts.
			best := ""
			for k := range ring {
				for _, step := range []int{1, len(ring) - 1} {
					s := ""
					for i := range ring {
						s += fmt.Sprint(ring[(k+i*step)%len(ring)])
					}
					if best == "" || s < best {
						best = s
					}
				}
			}
			if rings[best] {
				doubled++
			}
			rings[best] = true
			for i, p := range c {
				a, b := m.Points[p], m.Points[c[(i+1)%len(c)]]
				if a == b {
					continue
				}
				if fmt.Sprint(b) < fmt.Sprint(a) {
					a, b = b, a
				}
				if faces[edge{a, b}] == nil {
					faces[edge{a, b}] = map[int]bool{}
				}
				faces[edge{a, b}][f] = true
			}
		}
		crowded := 0
		at := map[geom.Vec3][]edge{}
		for e, list := range faces {
			if len(list) > 2 {
				crowded++
			}
			if len(list) == 1 {
				at[e[0]], at[e[1]] = append(at[e[0]], e), append(at[e[1]], e)
			}
		}
		chains, seen := 0, map[edge]bool{}
		var walk func(e edge)
		walk = func(e edge) {
			if !seen[e] {
				seen[e] = true
				for _, p := range e {
					for _, o := range at[p] {
						walk(o)
					}
				}
			}
		}
		for _, list := range at {
			for _, e := range list {
				if !seen[e] {
					chains++
					walk(e)
				}
			}
		}
		assert.Len(t, got.Empty, empty)
		assert.Len(t, got.Doubled, doubled, "round %d", round)
		if doubled > 0 {
			continue // a wall that two bodies share is a matter of its own
		}
		single++
		assert.Len(t, got.Crowded, crowded, "round %d", round)
		assert.Len(t, got.Borders, chains, "round %d", round)
	}
	assert.Greater(t, single, 80)
}
