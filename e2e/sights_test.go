package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// A camera and a lamp stand where they were sent to for general loaders too, and what is written of them is what these
// take them for.
func TestIndependentReadersStandCamerasAndLights(t *testing.T) {
	b := newBench(t)
	s := shapetest.Scene(3)
	to := target.Framed("own", "own", geom.GLTF, figure.Metre)
	s = s.Carried(geom.Linear(s.Basis.To(to.Basis)))
	s.Basis = to.Basis
	along := geom.Vec3{-0.6, 0, -0.8}
	d := scene.Delivery{Scene: s, Sights: []scene.Sight{
		{Name: "look-out", At: geom.Vec3{3, 4, 5}, Along: along, Up: geom.Vec3{0, 1, 0},
			Camera: &scene.Camera{Angle: 40, Aspect: 1.5, Near: 0.25, Far: 200}},
		{Name: "lamp", At: geom.Vec3{1, 2, 3}, Along: along, Up: geom.Vec3{0, 1, 0},
			Light: &scene.Light{Kind: scene.Lamp, Color: [3]float64{1, 1, 1}, Strength: 20}}}}
	for _, id := range []string{"glb", "gltf", "fbx", "fbx-text"} {
		p, err := deliver.Make(context.Background(), deliver.Order{Delivery: d, Asset: "sights", Target: to,
			Decisions: export.Decisions{Format: id, Cameras: true, Lights: true}})
		require.NoError(t, err)
		if strings.HasPrefix(id, "gl") {
			b.load(t, p.Package.Files) // the validator has nothing to say
		}
		dir, _ := b.serve(p.Package.Files)
		type sight struct {
			Name, Kind            string
			At, Along             geom.Vec3
			Angle, Near, Strength float64
		}
		list, err := chromedp.Run(b.ctx, chromedp.Evaluate[[]sight](fmt.Sprintf("sights(%q)",
			b.url+dir+p.Package.Files[0].Name), chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		seen := map[string]sight{}
		for _, x := range list {
			if x.Kind != "AmbientLight" {
				seen[x.Name] = x
			}
		}
		require.Contains(t, seen, "look-out", "%s: %v", id, list)
		require.Contains(t, seen, "lamp", "%s: %v", id, list)
		c, l := seen["look-out"], seen["lamp"]
		assert.True(t, c.At.Near(geom.Vec3{3, 4, 5}, 1e-5), "%s: %v", id, c.At)
		assert.True(t, l.At.Near(geom.Vec3{1, 2, 3}, 1e-5), "%s: %v", id, l.At)
		assert.InDelta(t, 40, c.Angle, 1e-4, id)
		assert.InDelta(t, 20, l.Strength, 1e-4, id)
		if strings.HasPrefix(id, "gl") { // the FBX loader does not turn a camera onto its own axis
			assert.True(t, c.Along.Near(along, 1e-5), "%s: %v", id, c.Along)
			assert.InDelta(t, 0.25, c.Near, 1e-6, id)
		}
	}
}
