package kept

import (
	"fmt"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// Meshes are made in many ways: closed and open, round and flat, with UVs, slots, normals and colours, and with
// everything that is wrong with some. Each has a name of its own.
func Meshes() (list []*scene.Mesh) {
	wave := func(n int, u, v float64) geom.Vec3 {
		return geom.Vec3{2 * u, 0.2 * math.Sin(float64(n)*u) * math.Cos(5*v), -3 * v}
	}
	hill := new(shape.Builder).Grid(14, 10, func(u, v float64) geom.Vec3 { return wave(7, u, v) }).Mesh("hill")
	hill.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, .5, .25, 1}, {0, 1, 0, .5}},
		Index: make([]int32, len(hill.Corners))}
	for c := range hill.Colors.Index {
		hill.Colors.Index[c] = int32(c / 7 % 2)
	}
	two := new(shape.Builder).Slot(0).Box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 2, .5}).Slot(1).
		Lathe([][2]float64{{0, 2}, {.4, 2}, {.3, 3}, {0, 3.2}}, 9).Mesh("two slots")
	sheet := new(shape.Builder).Grid(6, 4, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh("sheet")
	list = append(list, hill, two, sheet, shapetest.Boulder(6), shapetest.Torus(1, .3, 12, 8), shapetest.Bowl(.1, 4, 10),
		shapetest.Arch(6),
		shapetest.Table(), shapetest.Chair(), shapetest.Beam(), shapetest.Stair(4), shapetest.Hut())
	list = append(list, Flawed(), scene.Joined("twice", []*scene.Mesh{sheet, sheet}),
		scene.Joined("crossed", []*scene.Mesh{shapetest.Table(),
			shapetest.Table().Mapped(geom.Translation(geom.Vec3{.3, .2, .1}))}))
	for seed := range uint64(4) {
		for i, m := range shapetest.Ragged(seed).Meshes {
			own := *m
			own.Name = fmt.Sprintf("ragged %d.%d", seed, i)
			list = append(list, &own)
		}
		for i, m := range shapetest.Scene(40 + seed).Meshes {
			own := *m
			own.Name = fmt.Sprintf("random %d.%d", seed, i)
			list = append(list, &own)
		}
	}
	return append(list, odd()...)
}

// Scenes have groups, nodes that share a mesh, mirrored ones and ones without any.
func Scenes() (list []*scene.Scene) {
	for seed := range uint64(6) {
		list = append(list, shapetest.Scene(60+seed))
	}
	return append(list, &scene.Scene{Name: "empty"})
}

// Flawed is a box with one of each flaw: a face less, one twice, one turned round, a needle, a face without area, an
// edge of three faces, points at one place and one that nothing uses.
func Flawed() *scene.Mesh {
	m := &scene.Mesh{Name: "flawed", FaceStart: []int32{0}, Slots: []int{-1},
		Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
			{0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}, {1, 1, 1}, {2, .5, .5}, {9, 9, 9}, {.5, 0, 0}, {3, 0, 0}, {4, 0, 0},
			{3.5, .003, 0},
			{0, 0, 3}, {1, 0, 3}, {1, .2, 4}, {0, 0, 4}}}
	for _, f := range [][]int32{{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4}, {1, 2, 6, 5}, {1, 2, 6, 5}, {3, 7, 6, 2},
		{0, 3, 7}, {1, 8, 9}, {0, 11, 1},
		{12, 13, 14}, {15, 16, 17, 18}, {4, 7, 7}} {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}
