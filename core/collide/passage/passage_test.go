package passage

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// A single hull closes every passage there is, and the mesh's own blocks none.
func TestPassagesByHand(t *testing.T) {
	up := geom.Vec3{0, 1, 0}
	for _, x := range []struct {
		name   string
		meshes []*scene.Mesh
		body   Body
		mouths []int // of each passage
	}{
		{"a doorway lets a ball in", []*scene.Mesh{shapetest.Hut()}, Body{Radius: 0.45}, []int{1}},
		{"and a walker", []*scene.Mesh{shapetest.Hut()}, Body{Radius: 0.3, Height: 1.8, Up: up}, []int{1}},
		{"but nobody of 2.1 m", []*scene.Mesh{shapetest.Hut()}, Body{Radius: 0.3, Height: 2.1, Up: up}, nil},
		{"nor a ball of 0.52 m", []*scene.Mesh{shapetest.Hut()}, Body{Radius: 0.52}, nil},
		{"a ring has a hole", []*scene.Mesh{shapetest.Torus(1, 0.25, 48, 16)}, Body{Radius: 0.67}, []int{2}},
		{"not so wide a one", []*scene.Mesh{shapetest.Torus(1, 0.25, 48, 16)}, Body{Radius: 0.78}, nil},
		{"a bowl holds a ball", []*scene.Mesh{shapetest.Bowl(0.1, 16, 48)}, Body{Radius: 0.6}, []int{1}},
		{"an arch leads through", []*scene.Mesh{shapetest.Arch(24)}, Body{Radius: 0.9}, []int{3}},
		{"a table has four sides and a floor", []*scene.Mesh{shapetest.Table()}, Body{Radius: 0.25}, []int{5}},
		{"a block has none", []*scene.Mesh{new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("block")},
			Body{Radius: 0.2}, nil},
	} {
		t.Run(x.name, func(t *testing.T) {
			s := shape.Scene(x.name, nil, x.meshes...)
			began := time.Now()
			g, err := New(t.Context(), s, x.body)
			require.NoError(t, err)
			fmt.Println(x.name, g.n, time.Since(began).Milliseconds(), "ms", len(g.Found), len(g.Balls(200)))
			var mouths []int
			for _, p := range g.Found {
				mouths = append(mouths, len(p.Mouths))
				assert.NotEmpty(t, p.Path)
				assert.GreaterOrEqual(t, p.Clear, 0.99*x.body.Radius)
			}
			assert.Equal(t, x.mouths, mouths)
			hull := fit.NewConvex(fit.OfHull(geom.HullOf(t.Context(), extents.Points(s))))
			for _, open := range g.Open([]Shape{hull}, Slack) {
				assert.False(t, open, "one hull fills it")
			}
			for _, open := range g.Open(nil, Slack) {
				assert.True(t, open)
			}
		})
	}
}
