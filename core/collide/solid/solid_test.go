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
	box := fit.Box{Centre: geom.Vec3{4, 0, 1}, Axes: geom.Rotation(geom.Vec3{1, 1, 0}.Unit(), 0.4), Half: geom.Vec3{1, 2, 0.5}}
	for name, c := range map[string]struct {
		m      *scene.Mesh
		volume float64
		near   float64 // of the volume, as a share
		off    func(p geom.Vec3) float64
	}{
		"box":     {meshOf("box", box.Body()), box.Volume(), 1e-12, box.Holds},
		"ball":    {ballMesh("ball", ball), ball.Volume(), 0.1, func(p geom.Vec3) float64 { return math.Abs(p.Dist(ball.Centre) - ball.Radius) }},
		"capsule": {capsuleMesh("capsule", capsule), capsule.Volume(), 0.1, capsule.Holds},
		"slab": {meshOf("slab", fit.SlabOf(box.Body().Points, 26).Body), fit.SlabOf(box.Body().Points, 26).Body.Volume(), 1e-9,
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
