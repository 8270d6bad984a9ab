package decompose

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/passage"
	"yarvek/core/geom"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// stacked are boxes that touch exactly, in one mesh that shares their points or in one each; gap parts them.
func stacked(n int, gap float64, one bool) (*scene.Scene, float64) {
	b := new(shape.Builder)
	var meshes []*scene.Mesh
	volume, y := 0.0, 0.0
	for i := range n {
		w, h := 3-0.2*float64(i), 0.5+0.1*float64(i%3)
		lo, hi := geom.Vec3{-w / 2, y, -w / 2}, geom.Vec3{w / 2, y + h, w / 2}
		if i%2 == 1 { // flush at one side
			lo[0], hi[0] = lo[0]+0.1, hi[0]+0.1
		}
		b.Slot(0).Box(lo, hi)
		if !one {
			meshes = append(meshes, b.Mesh("step"))
			b = new(shape.Builder)
		}
		volume += w * w * h
		y += h + gap
	}
	if one {
		m := b.Mesh("tower")
		same := scene.Weld(context.Background(), m.Points)
		for i, p := range m.Corners {
			m.Corners[i] = same[p]
		}
		meshes = []*scene.Mesh{m}
	}
	return shape.Scene("tower", []scene.Material{scene.NewMaterial("stone")}, meshes...), volume
}

func filled(r Result) (sum float64) {
	for _, h := range r.Hulls {
		sum += h.Body.Volume()
	}
	return sum
}

// Closed convex pieces are taken as they are, whether they touch or not, and joined by what costs least.
func TestConvexPiecesStay(t *testing.T) {
	for _, one := range []bool{true, false} {
		for _, gap := range []float64{0, 1e-3} {
			s, volume := stacked(9, gap, one)
			r := Of(context.Background(), s, Options{Hulls: 16, Points: 64})
			checked(t, r)
			assert.LessOrEqual(t, len(r.Hulls), 9)
			assert.InDelta(t, 1, filled(r)/volume, 1e-3, "one mesh %v, gap %g", one, gap)
			// One fewer costs no more than the cheapest pair.
			s, volume = stacked(17, gap, one)
			r = Of(context.Background(), s, Options{Hulls: 16, Points: 64})
			require.LessOrEqual(t, len(r.Hulls), 16)
			assert.Less(t, filled(r)/volume, 1.02, "one mesh %v, gap %g", one, gap)
		}
	}
	// Beside one another, sharing a whole side: four cubes in a ring about a square that stays free.
	b := new(shape.Builder)
	for _, at := range [][2]float64{{0, 0}, {1, 0}, {2, 0}, {0, 1}, {2, 1}, {0, 2}, {1, 2}, {2, 2}} {
		b.Box(geom.Vec3{at[0], 0, at[1]}, geom.Vec3{at[0] + 1, 1, at[1] + 1})
	}
	m := b.Mesh("ring")
	r := Of(context.Background(), shape.Scene("ring", nil, m), Options{Hulls: 8, Points: 64})
	assert.InDelta(t, 8, filled(r), 1e-3)
	assert.LessOrEqual(t, len(r.Hulls), 8)
}

// culvert is a pipe without thickness, open at both ends.
func culvert() *scene.Mesh {
	m := new(shape.Builder).Lathe([][2]float64{{1, 0}, {1, 6}}, 48).Mesh("culvert")
	var caps []int32
	for f := range m.Faces() {
		if math.Abs(m.FaceNormal(f).Unit()[1]) > 0.5 {
			caps = append(caps, int32(f))
		}
	}
	m = mend.Faces(m, caps)
	for i, p := range m.Points { // lying
		m.Points[i] = geom.Vec3{p[1], p[2], p[0]}
	}
	return m
}

// A surface without thickness is cut as the sheet it is; open below alone it is a body.
func TestOpenSurfacesAreSheets(t *testing.T) {
	ctx := context.Background()
	s := shape.Scene("culvert", nil, culvert())
	r := Of(ctx, s, Options{Hulls: 24, Points: 64, Sheet: 0.05, Down: geom.Vec3{0, -1, 0}})
	list := checked(t, r)
	assert.Equal(t, 1, r.Sheets)
	assert.LessOrEqual(t, len(r.Hulls), 24)
	for x := 0.25; x < 6; x += 0.5 {
		for _, h := range list {
			assert.Greater(t, h.Distance(geom.Vec3{x, 0, 0}), 0.6, "at %g", x)
		}
	}
	assert.Less(t, filled(r), 3*2*math.Pi*6*0.05)
	assert.Less(t, sticks(s, list), 0.06, "a hundredth of its size")
	rock := new(shape.Builder).Lathe([][2]float64{{1, 0}, {0.9, 0.5}, {0.4, 0.9}, {0, 1}}, 24).Mesh("rock")
	var base []int32
	for f := range rock.Faces() {
		if rock.FaceNormal(f).Unit()[1] < -0.9 {
			base = append(base, int32(f))
		}
	}
	rock = mend.Faces(rock, base)
	up := Of(ctx, shape.Scene("rock", nil, rock), Options{Hulls: 16, Points: 64, Down: geom.Vec3{0, -1, 0}})
	assert.Zero(t, up.Sheets)
	assert.Len(t, up.Hulls, 1)
	bowl := Of(ctx, shape.Scene("rock", nil, rock), Options{Hulls: 16, Points: 64, Down: geom.Vec3{0, 1, 0}})
	assert.Equal(t, 1, bowl.Sheets, "the other way up it is a bowl")
}

// There are never more hulls than there may be; what that filled is told, with what it would take.
func TestTheLimitIsKept(t *testing.T) {
	ctx := context.Background()
	b := new(shape.Builder)
	for i := range 8 { // a ring of posts, with ways between all of them
		sin, cos := math.Sincos(float64(i) * math.Pi / 4)
		b.Box(geom.Vec3{3*cos - 0.2, 0, 3*sin - 0.2}, geom.Vec3{3*cos + 0.2, 2, 3*sin + 0.2})
	}
	s := shape.Scene("ring", nil, b.Mesh("posts"))
	g, err := passage.New(ctx, s, passage.Body{Radius: 0.3})
	require.NoError(t, err)
	open := g.Balls(300)
	if len(open) == 0 {
		for i := range 8 {
			sin, cos := math.Sincos((float64(i) + 0.5) * math.Pi / 4)
			open = append(open, fit.Ball{Centre: geom.Vec3{2.7 * cos, 1, 2.7 * sin}, Radius: 0.5})
		}
	}
	r := Of(ctx, s, Options{Hulls: 8, Points: 64, Open: open})
	assert.Empty(t, r.Blocked)
	assert.Equal(t, 8, r.Needs)
	r = Of(ctx, s, Options{Hulls: 5, Points: 64, Open: open})
	assert.Len(t, r.Hulls, 5)
	assert.NotEmpty(t, r.Blocked)
	assert.Equal(t, 8, r.Needs)
}
