package demo

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// quay is a whole corner of the level as it stood in the modelling program, with
// what was meant to stay there: a helper plane, a hidden older crane, a gull put in
// far away, a crumb, a block inside the wall, a crane pasted twice and an empty
// node. Three crates are one mesh in three places that nobody told the file.
func quay() *scene.Scene {
	var k stock
	stone := k.add("quay stone", [3]float64{0.62, 0.6, 0.55}, "quay_stone.png", paint(64, whitewash))
	iron := k.add("crane iron", [3]float64{0.25, 0.3, 0.33}, "", nil)
	wood := k.add("crate wood", [3]float64{0.6, 0.45, 0.28}, "", nil)
	wall := new(shape.Builder).Slot(stone).Box(v3{-4, 0, -1.5}, v3{4, 1.2, 1.5}).Mesh("quay wall")
	hoist := func(name string) *scene.Mesh {
		return new(shape.Builder).Slot(iron).Lathe([][2]float64{{.3, 1.2}, {.3, 1.3}, {.12, 1.35}, {.1, 3.6}}, 12).
			Box(v3{-.06, 3.4, -.06}, v3{1.9, 3.52, .06}).Box(v3{1.7, 2.6, -.02}, v3{1.74, 3.4, .02}).Mesh(name)
	}
	crate := new(shape.Builder).Slot(wood).Box(v3{-.4, 0, -.3}, v3{.4, .6, .3}).Box(v3{-.42, .2, -.32},
		v3{-.3, .28, .32}).Mesh("crate")
	stand := func(x, z, turn float64) geom.Affine {
		return geom.Affine{M: geom.Rotation(v3{0, 1, 0}, turn), T: v3{x, 1.2, z}}
	}
	plane := &scene.Mesh{Name: "ground", Points: []geom.Vec3{{-7, 0, 7}, {7, 0, 7}, {7, 0, -7}, {-7, 0, -7}},
		FaceStart: []int32{0, 4},
		Corners:   []int32{0, 1, 2, 3}, Slots: []int{-1}}
	s := k.scene("quay-corner", wall, hoist("crane"), crate.Mapped(stand(-2, .4, .4)), crate.Mapped(stand(-2.9, -.5, 1.9)),
		crate.Mapped(geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: v3{-.9, 1.2, -.6}}),
		plane, hoist("crane before").Mapped(geom.Translation(v3{-1, 0, .4})),
		new(shape.Builder).Slot(wood).Lathe([][2]float64{{0, 0}, {.12, .1}, {.1, .3}, {0, .35}},
			10).Place(geom.Identity).Mesh("gull"),
		new(shape.Builder).Slot(stone).Box(v3{3.2, 2.2, .5}, v3{3.215, 2.21, .512}).Mesh("crumb"),
		new(shape.Builder).Slot(stone).Box(v3{1, .3, -.5}, v3{2, .8, .5}).Mesh("core block"), hoist("mesh_3"))
	names := []string{"quay wall", "crane", "crate", "crate 2", "crate 3", "ground", "crane before", "gull", "crumb",
		"core block",
		"mesh_3"}
	for i := range s.Nodes {
		s.Nodes[i].Name = names[i]
	}
	s.Nodes[6].Hidden = true
	s.Nodes[7].Local = geom.Affine{M: geom.Rotation(v3{0, 1, 0}, math.Pi/5).Scaled(1.5), T: v3{46, 9, -20}}
	s.Nodes = append(s.Nodes, scene.Node{Name: "look here", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Translation(v3{0, 1.5, 0})})
	return s
}
