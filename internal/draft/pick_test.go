package draft

import (
	"context"
	"math"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func TestPicksSnapToWhatIsSeen(t *testing.T) {
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{-1, 0, -1}, geom.Vec3{1, 2, 1}).Box(geom.Vec3{-.2, .5, -3},
		geom.Vec3{.2, .9, -2}).Mesh("box"))
	m := NewModel(context.Background(), s)
	l := Arrange(m.Box, Ask{})
	at := func(side Side, p geom.Vec3, dx, dy float64) (Pick, bool) {
		x, y := l.place(m.Box, side, p)
		r, ok := l.Sight(m.Box, x+dx, y+dy)
		require.True(t, ok)
		require.Equal(t, side, r.Side)
		got, ok, err := m.Pick(context.Background(), r.From, r.Along, l.Reach())
		require.NoError(t, err)
		return got, ok
	}
	for _, c := range []struct {
		name   string
		side   Side
		p      geom.Vec3
		dx, dy float64
		kind   Catch
		want   geom.Vec3
	}{
		{"a corner, pointed beside", Front, geom.Vec3{1, 2, 1}, 4, -4, "corner", geom.Vec3{1, 2, 1}},
		{"the middle of the top edge", Front, geom.Vec3{0, 2, 1}, 3, 4, "middle", geom.Vec3{0, 2, 1}},
		{"along an edge", Front, geom.Vec3{1, .5, 1}, 5, 0, "edge", geom.Vec3{1, .5, 1}},
		{"the open surface", Front, geom.Vec3{.3, 1.3, 1}, 0, 0, "surface", geom.Vec3{.3, 1.3, 1}},
		{"what hides the small box, not the box", Front, geom.Vec3{.2, .9, -2}, 0, 0, "surface", geom.Vec3{.2, .9, 1}},
		{"on the plan from above", Plan, geom.Vec3{-1, 2, 1}, 2, 2, "corner", geom.Vec3{-1, 2, 1}},
		{"from the right side", RightSide, geom.Vec3{1, 2, -1}, 0, 3, "corner", geom.Vec3{1, 2, -1}},
	} {
		p, ok := at(c.side, c.p, c.dx, c.dy)
		require.True(t, ok, c.name)
		assert.Equal(t, c.kind, p.Kind, c.name)
		assert.True(t, p.Point.Near(c.want, 1e-9), "%s: %v", c.name, p.Point)
	}
	_, ok := l.Sight(m.Box, 3, 3)
	assert.False(t, ok, "beyond the views")
	p, ok, err := m.Pick(context.Background(), geom.Vec3{5, 5, 5}, geom.Vec3{-4, -3, -4},
		func(d float64) float64 { return .02 * d })
	require.NoError(t, err)
	require.True(t, ok, "a ray of the turntable")
	assert.Equal(t, geom.Vec3{1, 2, 1}, p.Point)
	_, ok, _ = m.Pick(context.Background(), geom.Vec3{5, 5, 5}, geom.Vec3{1, 1, 1}, func(float64) float64 { return .01 })
	assert.False(t, ok)
	assert.Equal(t, 90.0, HeadingOf(geom.Vec3{1, 0, 0}))
	assert.Equal(t, 0.0, HeadingOf(geom.Vec3{0, 1, 0}))
}

func TestABoxOnThePlanComesBackInMetres(t *testing.T) {
	m := NewModel(context.Background(),
		shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{2, 0, -5}, geom.Vec3{6, 1, -2}).Mesh("box")))
	l := Arrange(m.Box, Ask{})
	x0, y0 := l.place(m.Box, Plan, geom.Vec3{3, 0, -2})
	x1, y1 := l.place(m.Box, Plan, geom.Vec3{5, 0, -4})
	side, a := l.Area(m.Box, x1, y1, x0, y0)
	assert.Equal(t, Plan, side)
	for i, w := range [4]float64{3, -4, 5, -2} {
		assert.InDelta(t, w, a[i], 1e-9)
	}
}

func TestAThinnedModelKeepsItsLook(t *testing.T) {
	m := NewModel(context.Background(), shape.Scene("x", nil, shapetest.Boulder(90)))
	c, err := m.coarse(context.Background())
	require.NoError(t, err)
	assert.Less(t, len(c.tris), len(m.tris))
	a, b := m.Draw(context.Background(), Front, 80), c.Draw(context.Background(), Front, 80)
	assert.InDelta(t, a.Width, b.Width, 1e-9)
	// The silhouette is that of the whole model, and no point moved farther than a cell.
	assert.InDelta(t, 1, float64(coverage(t, b))/float64(coverage(t, a)), 0.02)
	cell := m.Box.Size().Max() / coarseCells
	for _, p := range c.points {
		assert.True(t, p[0] >= m.Box.Min[0] && p[0] <= m.Box.Max[0] && p[1] >= m.Box.Min[1] && p[1] <= m.Box.Max[1])
	}
	assert.InDelta(t, area(m), area(c), 0.05*area(m))
	assert.Less(t, cell*80, 1.5, "less than two pixels of such a drawing")
	small := NewModel(context.Background(),
		shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")))
	same, err := small.coarse(context.Background())
	require.NoError(t, err)
	assert.Same(t, small, same)
	// Turned by any angle, its box is the points' own.
	r := small.Carried(geom.Linear(geom.Rotation(geom.Vec3{0, 0, 1}, math.Pi/4)), geom.EmptyBox())
	assert.InDelta(t, math.Sqrt2, r.Box.Size()[0], 1e-12)
}

// area is the surface of a model, in square metres.
func area(m *Model) (sum float64) {
	for i := 0; i < len(m.tris); i += 3 {
		a, b, c := m.points[m.tris[i]], m.points[m.tris[i+1]], m.points[m.tris[i+2]]
		sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
	}
	return sum
}

// ring finds where balloons stand.
var ring = regexp.MustCompile(`<circle class="ring" cx="([0-9.-]+)" cy="([0-9.-]+)" r="13"/>`)

func TestManyBalloonsStandApart(t *testing.T) {
	s := &Drawing{Asset: "x", Box: geom.Box{Max: geom.Vec3{1, 1, 1}}}
	s.Layout = Arrange(s.Box, Ask{})
	for i := range 12 {
		s.Balloons = append(s.Balloons, Balloon{Number: i + 1, At: geom.Vec3{.5, .01, .5}})
	}
	for range 2 { // a dozen stand clear of each other; twice as many as apart as the column lets them
		out := s.Draw()
		assert.Len(t, out.Zones, len(s.Balloons))
		rings := ring.FindAllStringSubmatch(out.SVG, -1)
		require.Len(t, rings, len(s.Balloons))
		least := 26.0
		if len(s.Balloons) > 12 {
			least = (baseY - 10 - fieldT - 20) / float64(len(s.Balloons)-1)
		}
		for i := range rings {
			for k := range i {
				assert.GreaterOrEqual(t, math.Hypot(at(rings[i][1])-at(rings[k][1]), at(rings[i][2])-at(rings[k][2])), least-.2,
					"balloons %d and %d of %d", k+1, i+1, len(rings))
			}
			y := at(rings[i][2])
			assert.True(t, y > innerT && y < baseY, "on the paper")
		}
		for i := range 12 {
			s.Balloons = append(s.Balloons, Balloon{Number: i + 13, At: geom.Vec3{.1, .9, .5}})
		}
	}
}

func at(s string) float64 {
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		panic(err)
	}
	return v
}

func TestTheCubeTestShowsSpecks(t *testing.T) {
	assert.Contains(t, CubeTest(0.01), "1 : 100")
	assert.Contains(t, CubeTest(0.01), "cube-speck")
	assert.NotContains(t, CubeTest(0.3048), "cube-speck")
}
