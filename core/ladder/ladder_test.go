package ladder

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

var (
	ctx  = context.Background()
	view = View{1080, 50}
)

func box(lo, hi geom.Vec3) *scene.Scene {
	return shape.Scene("box", nil, (&shape.Builder{}).Box(lo, hi).Mesh("box"))
}

func TestDistancesAndPixelsAreInverse(t *testing.T) {
	// A wall as high as the screen sees at 10 m is as many pixels as the screen has lines.
	high := 2 * 10 * math.Tan(25*math.Pi/180)
	assert.InDelta(t, 1080, high*view.PixelsAt(10), 1e-9)
	assert.InDelta(t, 10, view.DistanceOf(high, 1080), 1e-12)
}

func TestOutlinesAreApartAsMadeSo(t *testing.T) {
	a := box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 1, 1})
	assert.Zero(t, Silhouettes(ctx, a, a, 100))
	// A face moved by a tenth of a metre is ten pixels of a hundred to the metre.
	assert.InDelta(t, 10, Silhouettes(ctx, a, box(geom.Vec3{0, 0, 0}, geom.Vec3{1.1, 1, 1}), 100), 1)
	// A tooth of two pixels on a side, however narrow.
	tooth := shape.Scene("tooth", nil, (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Box(geom.Vec3{0.5, 1, 0.5}, geom.Vec3{0.52, 1.02, 0.52}).Mesh("tooth"))
	assert.InDelta(t, 2, Silhouettes(ctx, a, tooth, 100), 1)
	// A hole that nobody sees through from outside does not show; one that is seen through does.
	assert.Greater(t, Silhouettes(ctx, a, box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 0.5, 1}), 100), 40.0)
}

// Distances to a mask are those of trying all cells.
func TestDistancesAreThoseOfTryingAll(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 40 {
		const n = 17
		p, q := make([]bool, n*n), make([]bool, n*n)
		for i := range p {
			p[i], q[i] = r.IntN(4) == 0, r.IntN(9) == 0
		}
		q[r.IntN(n*n)] = true
		want := 0.0
		for i := range p {
			if !p[i] {
				continue
			}
			best := math.Inf(1)
			for j := range q {
				if q[j] {
					best = min(best, math.Hypot(float64(i%n-j%n), float64(i/n-j/n)))
				}
			}
			want = max(want, best)
		}
		assert.InDelta(t, want, beyond(p, q, n), 1e-9)
	}
}

func TestALadderIsNotSeenToBeClimbed(t *testing.T) {
	s := shape.Scene("boulder", nil, shapetest.Boulder(24))
	list := Of(ctx, s, Options{Levels: 3, Pixels: 1, View: view})
	require.Len(t, list, 4)
	for i, l := range list[1:] {
		before := list[i]
		assert.Less(t, l.Cost.Triangles, before.Cost.Triangles)
		assert.InDelta(t, 0.5, l.Share, 0.02)
		assert.Greater(t, l.From, before.From)
		assert.LessOrEqual(t, l.Pixels, 1+1e-9)
		assert.LessOrEqual(t, Silhouettes(ctx, s, l.Scene, view.PixelsAt(l.From)), 1.3, "told to a quarter of a pixel")
		t.Logf("LOD %d: %d triangles from %.2f m, %.2f pixels, outline %.2f, %.0f %% of the screen", i+1, l.Cost.Triangles, l.From, l.Pixels,
			l.Silhouette, 100*l.Screen)
	}
	twice := Of(ctx, s, Options{Levels: 1, Pixels: 2, View: view})
	assert.InDelta(t, list[1].From/2, twice[1].From, 1e-9, "twice the pixels, half the distance")
	assert.Len(t, Of(ctx, box(geom.Vec3{}, geom.Vec3{1, 1, 1}), Options{Levels: 3, Pixels: 1, View: view, Share: 0.95}), 1, "nothing to gain")
}
