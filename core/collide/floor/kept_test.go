package floor_test

import (
	"context"
	"testing"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/floor"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/shape/kept"
)

// Trials on the floor come out as they did: each kind, with each shape, and what is not usual.
func TestTrialsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	box := func(lo, hi geom.Vec3) *solid.Form { return solid.OfBox(fit.Upright([]geom.Vec3{lo, hi})).Form(ctx) }
	stair := []*solid.Form{box(geom.Vec3{-1, 0, -1}, geom.Vec3{1, .2, 1}), box(geom.Vec3{-1, .2, -1}, geom.Vec3{1, .4, 0})}
	gate := []*solid.Form{box(geom.Vec3{-1, 0, -.1}, geom.Vec3{-.6, 2, .1}),
		box(geom.Vec3{.6, 0, -.1}, geom.Vec3{1, 2, .1}),
		box(geom.Vec3{-1, 2, -.1}, geom.Vec3{1, 2.3, .1})}
	post := []*solid.Form{solid.OfCapsule(fit.Capsule{A: geom.Vec3{0, .3, 0}, B: geom.Vec3{0, 1.4, 0}, Radius: .2}).Form(
		ctx)}
	ball := []*solid.Form{solid.OfBall(fit.Ball{Centre: geom.Vec3{0, .5, 0}, Radius: .5}).Form(ctx)}
	for _, x := range []struct {
		name  string
		forms []*solid.Form
	}{{"stair", stair}, {"gate", gate}, {"post", post}, {"ball", ball}} {
		for _, k := range floor.Kinds {
			for i, t := range []floor.Trial{{Kind: k}, {Kind: k, Tilt: 25, Roll: 10, Slant: 8, Seconds: 2},
				{Kind: k, From: 90, Size: .4, Speed: 3, Tall: 1.2, Wide: .4, Step: .3, Slope: 30, Seconds: 2}} {
				o, err := floor.Run(ctx, x.forms, t)
				if err != nil {
					lines = append(lines, kept.Line(x.name, string(k), i, err.Error()))
					continue
				}
				lines = append(lines, kept.Line(x.name+" "+string(k), o))
				if o.Walked != nil {
					lines = append(lines, kept.Line(x.name+" walked", o.Walked))
				}
			}
		}
		b := floor.NewBody(x.forms, 700)
		lines = append(lines, kept.Line(x.name+" body", b.Energy(geom.Vec3{0, -floor.Gravity, 0}), b.Lowest()))
	}
	kept.Same(t, "kept.txt", lines)
}
