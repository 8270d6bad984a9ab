package topo

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

var ctx = context.Background()

func mesh(points int, faces ...[]int32) *scene.Mesh {
	m := &scene.Mesh{Points: make([]geom.Vec3, points), FaceStart: []int32{0}, Slots: []int{-1}}
	for i := range m.Points {
		m.Points[i] = geom.Vec3{float64(i), float64(i * i), float64(i % 3)}
	}
	for _, f := range faces {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// Places are the connected parts of the graph of near points, found once more by trying all pairs.
func TestPlacesAreWhatIsNearByTurns(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 100 {
		pts := make([]geom.Vec3, 60)
		for i := range pts {
			pts[i] = geom.Vec3{r.Float64(), r.Float64(), r.Float64() * 0.1}
			if r.IntN(4) == 0 && i > 0 {
				pts[i] = pts[r.IntN(i)]
			}
		}
		tol := []float64{0, 1e-9, 0.05, 0.15, 3}[r.IntN(5)]
		got := Places(ctx, pts, tol)
		want := make([]int32, len(pts))
		for i := range want {
			want[i] = int32(i)
		}
		for changed := true; changed; {
			changed = false
			for i := range pts {
				for j := range pts {
					if pts[i].Dist(pts[j]) <= tol && want[i] != want[j] {
						want[i], want[j] = min(want[i], want[j]), min(want[i], want[j])
						changed = true
					}
				}
			}
		}
		assert.Equal(t, want, got, "within %g", tol)
	}
}

func TestEdgesKnowTheirRuns(t *testing.T) {
	// Two triangles along 1-2, a third that leaves the plane, and one whose corner is there twice.
	m := mesh(6, []int32{0, 1, 2}, []int32{2, 1, 3}, []int32{1, 2, 4}, []int32{5, 5, 4})
	n := Of(ctx, m, Places(ctx, m.Points, 0), nil)
	require.Equal(t, 8, n.Edges(), "three and two and two, and one")
	many := map[[2]int32]int{}
	for e := range n.Edges() {
		a, b := n.Ends(e)
		many[[2]int32{a, b}] = n.FacesAt(e)
		for _, c := range n.Runs(e) {
			assert.Equal(t, int32(e), n.Edge[c])
			assert.ElementsMatch(t, []int32{a, b}, []int32{n.At(c), n.At(n.Next(c))})
			assert.Equal(t, c, n.Prev(n.Next(c)))
		}
	}
	assert.Equal(t, 3, many[[2]int32{1, 2}])
	assert.Equal(t, 1, many[[2]int32{4, 5}], "a face that runs along an edge twice has it once")
	some := Of(ctx, m, Places(ctx, m.Points, 0), func(f int) bool { return f < 2 })
	assert.Equal(t, 5, some.Edges())
	assert.Equal(t, int32(-1), some.Edge[6], "of a face that is left out")
}

func TestPartsAreWoundByTheirMajority(t *testing.T) {
	// A strip of five triangles, the second turned, and a Möbius strip of five beside it.
	m := mesh(12, []int32{0, 1, 2}, []int32{1, 2, 3}, []int32{2, 3, 4}, []int32{3, 5, 4}, []int32{4, 5, 6})
	n := Of(ctx, m, Places(ctx, m.Points, 0), nil)
	p := n.Parts(ctx)
	require.Equal(t, 1, p.N)
	assert.Equal(t, []bool{false, true, false, false, false}, p.Turned)
	assert.EqualValues(t, 1, p.Flips[0])
	assert.False(t, p.Closed[0])
	assert.False(t, p.TwoFaced[0])
	strip := mesh(5, []int32{0, 1, 2}, []int32{2, 1, 3}, []int32{2, 3, 4}, []int32{4, 3, 0}, []int32{4, 0, 1})
	p = Of(ctx, strip, Places(ctx, strip.Points, 0), nil).Parts(ctx)
	require.Equal(t, 1, p.N)
	assert.True(t, p.TwoFaced[0], "it has one side")
	tetra := mesh(4, []int32{0, 1, 2}, []int32{0, 2, 3}, []int32{0, 3, 1}, []int32{1, 3, 2})
	p = Of(ctx, tetra, Places(ctx, tetra.Points, 0), nil).Parts(ctx)
	assert.True(t, p.Closed[0])
	assert.Zero(t, p.Flips[0])
}

func TestBordersAreRings(t *testing.T) {
	m := mesh(4, []int32{0, 1, 2}, []int32{0, 2, 3})
	n := Of(ctx, m, Places(ctx, m.Points, 0), nil)
	list := n.Borders(ctx)
	require.Len(t, list, 1)
	require.Len(t, list[0].Ring, 4)
	for k, c := range list[0].Ring {
		assert.Equal(t, n.At(n.Next(c)), n.At(list[0].Ring[(k+1)%4]), "one after the other")
	}
	long := 0.0
	for k := range 4 {
		long += m.Points[k].Dist(m.Points[(k+1)%4])
	}
	assert.InDelta(t, long, list[0].Length, 1e-12)
	bow := mesh(5, []int32{0, 1, 2}, []int32{0, 3, 4}) // two triangles that meet in a point
	list = Of(ctx, bow, Places(ctx, bow.Points, 0), nil).Borders(ctx)
	require.Len(t, list, 1, "one connected chain")
	assert.Nil(t, list[0].Ring, "which is no ring")
}

// From face to face a flood reaches what it may cross into, and nothing beyond.
func TestAFloodKeepsWithinItsBanks(t *testing.T) {
	m := &scene.Mesh{FaceStart: []int32{0}}
	for _, x := range []float64{0, 2} { // two cubes
		base := int32(len(m.Points))
		for i := range 8 {
			m.Points = append(m.Points, geom.Vec3{x + float64(i&1), float64(i >> 1 & 1), float64(i >> 2 & 1)})
		}
		for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
			for _, p := range f {
				m.Corners = append(m.Corners, base+p)
			}
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		}
	}
	n := Of(t.Context(), m, Places(t.Context(), m.Points, 0), nil)
	all := n.Flood(t.Context(), 7, func(int32, int32) bool { return true })
	assert.Equal(t, []int{6, 7, 8, 9, 10, 11}, all, "one of two boxes")
	assert.Equal(t, []int{7}, n.Flood(t.Context(), 7, func(int32, int32) bool { return false }))
	for f := range m.Faces() { // all but the face over against it
		got := n.Flood(t.Context(), f, func(here, there int32) bool {
			assert.Equal(t, n.Edge[here], n.Edge[there])
			return int(n.FaceOf[here]) == f
		})
		assert.Len(t, got, 5)
		assert.True(t, slices.IsSorted(got))
	}
}
