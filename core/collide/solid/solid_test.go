package solid

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
)

// Every shape is a closed mesh, wound outward, of about the volume it should have, and its corners
// are on it.
func TestShapesAreClosedBodies(t *testing.T) {
	ball := fit.Ball{Centre: geom.Vec3{1, 2, 3}, Radius: 0.7}
	capsule := fit.Capsule{A: geom.Vec3{0, 0, 0}, B: geom.Vec3{1, 2, 0.5}, Radius: 0.4}
	box := fit.Box{Centre: geom.Vec3{4, 0, 1}, Axes: geom.Rotation(geom.Vec3{1, 1, 0}.Unit(), 0.4),
		Half: geom.Vec3{1, 2, 0.5}}
	for name, c := range map[string]struct {
		m      *scene.Mesh
		volume float64
		near   float64 // of the volume, as a share
		off    func(p geom.Vec3) float64
	}{
		"box": {meshOf("box", box.Body()), box.Volume(), 1e-12, box.Holds},
		"ball": {capsuleMesh("ball", fit.Capsule{A: ball.Centre, B: ball.Centre, Radius: ball.Radius}), ball.Volume(), 0.1,
			func(p geom.Vec3) float64 { return math.Abs(p.Dist(ball.Centre) - ball.Radius) }},
		"capsule": {capsuleMesh("capsule", capsule), capsule.Volume(), 0.1, capsule.Holds},
		"slab": {meshOf("slab", fit.SlabOf(box.Body().Points, 26).Body), fit.SlabOf(box.Body().Points, 26).Body.Volume(),
			1e-9,
			func(geom.Vec3) float64 { return 0 }},
	} {
		require.NoError(t, c.m.Validate(), name)
		is := extents.OfMesh(context.Background(), c.m)
		assert.True(t, is.Closed, name)
		assert.InDelta(t, c.volume, is.Volume, c.near*c.volume, name)
		assert.LessOrEqual(t, is.Volume, c.volume*(1+1e-9), name)
		for _, p := range c.m.Points {
			assert.LessOrEqual(t, c.off(p), 1e-9, name)
		}
	}
}

// A shape that is carried is that of its points carried: as far as many places are from it, and as large.
func TestCarriedSolidsAreWhereTheirPointsAre(t *testing.T) {
	ctx := context.Background()
	a := geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, .7).Scaled(2.5))
	a.T = geom.Vec3{3, -1, 2}
	for _, s := range []Solid{OfBox(fit.Box{Centre: geom.Vec3{1, 0, 0}, Half: geom.Vec3{1, .5, .25},
		Axes: geom.Columns(geom.Vec3{1, 0, 0},
			geom.Vec3{0, 1, 0}, geom.Vec3{0, 0, 1})}), OfBall(fit.Ball{Centre: geom.Vec3{0, 1, 0}, Radius: .4}),
		OfCapsule(fit.Capsule{A: geom.Vec3{0, 0, 0}, B: geom.Vec3{0, 2, 0}, Radius: .3}),
		OfBody(fit.OfHull(geom.HullOf(ctx, []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 1}})))} {
		was, is := s.Form(ctx), s.Carried(a).Form(ctx)
		assert.InEpsilon(t, was.Volume()*2.5*2.5*2.5, is.Volume(), 1e-9, s.Kind)
		for i := range 60 {
			p := geom.Vec3{math.Sin(float64(i)) * 3, math.Cos(float64(2*i)) * 3, math.Sin(float64(3*i)) * 3}
			assert.InDelta(t, 2.5*was.Distance(p), is.Distance(a.Apply(p)), 1e-9, s.Kind)
			assert.InDelta(t, 2.5*was.Beyond(p), is.Beyond(a.Apply(p)), 1e-9, s.Kind)
		}
	}
}

// Distances, volumes and meshes of a capsule and a ball by their formulas; the middle of a capsule is half way.
func TestRoundSolidsByFormula(t *testing.T) {
	ctx := context.Background()
	f := OfCapsule(fit.Capsule{A: geom.Vec3{0, 0, 0}, B: geom.Vec3{0, 2, 0}, Radius: .5}).Form(ctx)
	assert.InEpsilon(t, math.Pi*.25*2+4./3*math.Pi*.125, f.Volume(), 1e-12)
	for p, want := range map[geom.Vec3]float64{{2, 1, 0}: 1.5, {0, 4, 0}: 1.5, {0, -1.5, 0}: 1, {.3, 1, 0}: -.2,
		{0, 0, 0}: -.5} {
		assert.InDelta(t, max(0, want), f.Distance(p), 1e-12, p)
		assert.InDelta(t, want, f.Beyond(p), 1e-12, p)
	}
	b := f.Bounds()
	assert.Equal(t, geom.Box{Min: geom.Vec3{-.5, -.5, -.5}, Max: geom.Vec3{.5, 2.5, .5}}, b)
	m := f.Mesh("c")
	require.NoError(t, m.Validate())
	for _, p := range m.Points {
		assert.InDelta(t, 0, f.Beyond(p), 1e-12, "every corner is on it")
	}
	ball := OfBall(fit.Ball{Centre: geom.Vec3{1, 1, 1}, Radius: 2}).Form(ctx)
	assert.InEpsilon(t, 4./3*math.Pi*8, ball.Volume(), 1e-12)
	assert.InDelta(t, 3, ball.Distance(geom.Vec3{6, 1, 1}), 1e-12)
	box := OfBox(fit.Upright([]geom.Vec3{{0, 0, 0}, {2, 1, 4}})).Form(ctx)
	assert.InEpsilon(t, 8, box.Volume(), 1e-12)
	assert.InDelta(t, math.Sqrt(9+4), box.Distance(geom.Vec3{5, 3, 1}), 1e-12)
	assert.InDelta(t, -.5, box.Beyond(geom.Vec3{1, .5, 2}), 1e-12, "how far in the nearest side is")
}

// What can't be meant is refused, each by itself.
func TestSolidsThatCantBeMeant(t *testing.T) {
	box := fit.Upright([]geom.Vec3{{0, 0, 0}, {1, 1, 1}})
	capsule := fit.Capsule{B: geom.Vec3{0, 1, 0}, Radius: 1}
	four := []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
	for _, s := range []Solid{{Kind: Box, Box: &box}, {Kind: Capsule, Capsule: &capsule},
		{Kind: Ball, Capsule: &fit.Capsule{Radius: 1}},
		{Kind: Hull, Points: four}, {Kind: Capsule, Capsule: &fit.Capsule{Radius: 1e9}}} {
		assert.NoError(t, s.Validate(), s.Kind)
	}
	far := box
	far.Centre = geom.Vec3{0, 0, 1.1e9}
	thin := box
	thin.Half = geom.Vec3{1, 1, -1}
	for i, s := range []Solid{{Kind: Box}, {Kind: Box, Box: &box, Capsule: &capsule},
		{Kind: Box, Box: &box, Points: four}, {Kind: Box, Box: &far},
		{Kind: Box, Box: &thin}, {Kind: Capsule}, {Kind: Capsule, Capsule: &capsule, Box: &box},
		{Kind: Capsule, Capsule: &capsule, Points: four},
		{Kind: Ball, Capsule: &capsule}, {Kind: Capsule, Capsule: &fit.Capsule{Radius: -1}},
		{Kind: Capsule, Capsule: &fit.Capsule{Radius: 1.1e9}},
		{Kind: Hull, Points: four[:3]}, {Kind: Hull, Points: four, Box: &box}, {Kind: Hull, Points: four, Capsule: &capsule},
		{Kind: "stone"},
		{Kind: Hull, Points: append([]geom.Vec3{{math.NaN(), 0, 0}}, four...)},
		{Kind: Hull, Points: make([]geom.Vec3, MostPoints+1)},
		{Kind: Capsule, Capsule: &fit.Capsule{A: geom.Vec3{0, 2e9, 0}, Radius: 1}}} {
		assert.Error(t, s.Validate(), i)
	}
}
