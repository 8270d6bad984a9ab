package draft

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// maps turn, scale, move and mirror.
var maps = map[string]geom.Affine{
	"scaled":    geom.Linear(geom.Identity3.Scaled(0.0254)),
	"turned":    geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 0.7)),
	"a quarter": geom.Linear(geom.Mat3{{1, 0, 0}, {0, 0, 1}, {0, -1, 0}}),
	"mirrored":  geom.Linear(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}),
	"all": geom.Translation(geom.Vec3{4, -5, 6}).Mul(geom.Linear(
		geom.Rotation(geom.Vec3{0, 1, 0}, 1).Mul(geom.Mat3{{0, 2, 0}, {2, 0, 0}, {0, 0, 2}}))),
}

// A copy of a model is what flattening the carried scene gives, from every side, to be
// looked at and to be picked.
func TestACopyIsTheSameAsAModelOfItsOwn(t *testing.T) {
	ctx := context.Background()
	s := shape.Scene("hut", nil, new(shape.Builder).Box(geom.Vec3{0, 0, 0}, geom.Vec3{3, 1, 2}).
		Box(geom.Vec3{1, 1, 0.5}, geom.Vec3{1.5, 4, 0.75}).Mesh("hut"))
	m := NewModel(ctx, s)
	for name, by := range maps {
		t.Run(name, func(t *testing.T) {
			is, want := m.Carried(by, geom.EmptyBox()), NewModel(ctx, s.Carried(by))
			twice := m.Carried(geom.Translation(geom.Vec3{1, 1, 1}), geom.EmptyBox()).
				Carried(by.Mul(geom.Translation(geom.Vec3{-1, -1, -1})), geom.EmptyBox())
			assert.InDelta(t, 0, is.Box.Min.Dist(want.Box.Min)+is.Box.Max.Dist(want.Box.Max), 1e-9)
			scale := 200 / want.Box.Size().Max()
			for _, side := range []Side{Front, RightSide, Plan} {
				a, b := is.Draw(ctx, side, scale), want.Draw(ctx, side, scale)
				assert.InDelta(t, b.Width, a.Width, 1e-9)
				assert.InDelta(t, len(b.Path), len(a.Path), 12)
				assert.InDelta(t, len(b.Image), len(a.Image), 60)
			}
			for _, k := range []*Model{is, twice} {
				reach := func(float64) float64 { return want.Box.Size().Max() / 100 }
				for i := range 200 {
					// From around it toward a place within.
					u, v := float64(i)*2.399963, 1-2*(float64(i)+0.5)/200
					out := geom.Vec3{math.Cos(u) * math.Sqrt(1-v*v), v, math.Sin(u) * math.Sqrt(1-v*v)}
					from := want.Box.Center().Add(out.Mul(2 * want.Box.Size().Len()))
					along := want.Box.Center().Add(geom.Vec3{v, -v, v}.Mul(0.3 * want.Box.Size().Max())).Sub(from)
					p, found, err := k.Pick(ctx, from, along, reach)
					require.NoError(t, err)
					q, wanted, err := want.Pick(ctx, from, along, reach)
					require.NoError(t, err)
					require.Equal(t, wanted, found)
					require.Equal(t, q.Kind, p.Kind)
					require.InDelta(t, 0, p.Point.Dist(q.Point), 1e-9*want.Box.Size().Max())
					require.InDelta(t, 0, p.Normal.Dist(q.Normal), 1e-9)
				}
			}
			// Seen from outside, its triangles go round as those of the carried mesh do.
			assert.InDelta(t, volume(want), volume(is), 1e-9*math.Abs(volume(want)))
		})
	}
}

// volume is that within the triangles, negative when they are seen from behind.
func volume(m *Model) (v float64) {
	for t := 0; t < len(m.tris); t += 3 {
		v += m.points[m.tris[t]].Dot(m.points[m.tris[t+1]].Cross(m.points[m.tris[t+2]])) / 6
	}
	return v
}

// The outline of a dense model, which is made of a thinned one, lies within two pixels of
// that of all its triangles.
func TestAnOutlineOfADenseModelIsTrueToTwoPixels(t *testing.T) {
	ctx := context.Background()
	m := NewModel(ctx, shape.Scene("scan", nil, shapetest.Boulder(150)))
	require.Greater(t, len(m.tris)/3, sketchFrom)
	scale := 400 / m.Box.Size().Max()
	for _, side := range []Side{Front, RightSide, Plan} {
		is := m.Outline(ctx, side, scale)
		_, full := m.shot(ctx, side, scale, 1)
		full.fill()
		path, _ := full.lines()
		require.NotEmpty(t, is.Path)
		a, b := ends(is.Path), ends(path)
		for i := range 64 {
			angle := float64(i) * math.Pi / 32
			assert.InDelta(t, farthest(b, angle), farthest(a, angle), 2, "pixels, toward %d of 64 directions", i)
		}
	}
}

// farthest is how far places of the paper reach in a direction.
func farthest(places [][2]float64, angle float64) float64 {
	far := math.Inf(-1)
	for _, p := range places {
		far = max(far, p[0]*math.Cos(angle)+p[1]*math.Sin(angle))
	}
	return far
}
