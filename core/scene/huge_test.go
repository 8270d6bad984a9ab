package scene

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"yarvek/core/geom"
)

// A huge polygon is cut once for all who ask, as it would be anew, and another one is not taken for it: not one of
// other points, nor of a mesh that is gone.
func TestHugePolygonsAreCutOnce(t *testing.T) {
	saw := func(n int, by float64) *Mesh {
		m := &Mesh{FaceStart: []int32{0, int32(n)}}
		for i := range n {
			a := 2 * math.Pi * float64(i) / float64(n)
			r := 1 + by*float64(i%2)
			m.Points, m.Corners = append(m.Points, geom.Vec3{r * math.Cos(a), r * math.Sin(a), 0}), append(m.Corners, int32(i))
		}
		return m
	}
	area := func(m *Mesh) (sum float64, tris []int32) {
		m.EachTriangle(func(_ int, a, b, c int32) {
			p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
			sum += q.Sub(p).Cross(r.Sub(p))[2] / 2
			tris = append(tris, a, b, c)
		})
		return sum, tris
	}
	for round := range 12 {
		n := hugePolygon + 2*round
		m := saw(n, 0.001*float64(round))
		want := 0.0
		for i := range n {
			p, q := m.Points[i], m.Points[(i+1)%n]
			want += (p[0]*q[1] - p[1]*q[0]) / 2
		}
		first, tris := area(m)
		assert.InDelta(t, want, first, 1e-9)
		again, same := area(m)
		assert.Equal(t, first, again)
		assert.Equal(t, tris, same)
		moved := *m
		moved.Points = slices.Clone(m.Points)
		moved.Points[1] = geom.Vec3{0.2, 0, 0}
		other, _ := area(&moved)
		assert.NotEqual(t, first, other)
	}
	assert.LessOrEqual(t, len(huge.by), hugeKept)
	assert.Len(t, huge.by, len(huge.order))
}
