package passage_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/passage"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
	"yarvek/core/shape/shapetest"
)

// Passages of many meshes come out as they did.
func TestPassagesAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	list := []struct {
		m *scene.Mesh
		r float64
	}{{shapetest.Table(), .25}, {shapetest.Hut(), .45}, {scene.Joined("gabled", shapetest.Gabled()), .4},
		{shapetest.Arch(12), .8},
		{shapetest.Torus(1, .25, 24, 10), .45}, {shapetest.Chair(), .12}, {shapetest.Bowl(.1, 6, 16), .4},
		{shapetest.Stair(4), .3},
		{kept.Flawed(), .4}}
	for _, x := range list {
		m := x.m
		s := shape.Scene("s", make([]scene.Material, 4), m)
		for _, b := range []passage.Body{{Radius: x.r}, {Radius: x.r * .7, Height: x.r * 3, Up: geom.Vec3{0, 1, 0}}} {
			g, err := passage.New(ctx, s, b)
			if err != nil {
				lines = append(lines, kept.Line(m.Name, err.Error()))
				continue
			}
			f := solid.OfBox(fit.Upright(m.Points)).Form(ctx)
			lines = append(lines, kept.Line(m.Name, g.Found, g.Balls(20), g.Open([]passage.Shape{f}, passage.Slack)))
			for _, p := range g.Found {
				lines = append(lines, kept.Line(m.Name+" way", p, p.Through()))
			}
		}
	}
	kept.Same(t, "kept.txt", lines)
}
