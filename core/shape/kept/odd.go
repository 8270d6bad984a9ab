package kept

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// odd are small meshes at the edges of what rules say: nothing and next to nothing, far off and tiny, edges that many
// faces share, parts that touch, lie in one another or have no two sides, polygons that are bent or dented, textures
// that are blank, mirrored or torn.
func odd() []*scene.Mesh {
	tetra := func(at geom.Vec3, by float64) *scene.Mesh {
		return soup("tetra", []geom.Vec3{at, at.Add(geom.Vec3{by, 0, 0}), at.Add(geom.Vec3{0, by, 0}),
			at.Add(geom.Vec3{0, 0, by})},
			[]int32{0, 2, 1}, []int32{0, 1, 3}, []int32{1, 2, 3}, []int32{2, 0, 3})
	}
	called := func(name string, low, high geom.Vec3) *scene.Mesh {
		return new(shape.Builder).Box(low, high).Mesh(name)
	}
	box := func(low, high geom.Vec3) *scene.Mesh { return called("box", low, high) }
	turned := func(m *scene.Mesh) *scene.Mesh {
		list := make([][]int32, m.Faces())
		for f := range list {
			for c := m.FaceStart[f+1] - 1; c >= m.FaceStart[f]; c-- {
				list[f] = append(list[f], m.Corners[c])
			}
		}
		return soup(m.Name, m.Points, list...)
	}
	unit := geom.Vec3{1, 1, 1}
	list := []*scene.Mesh{
		soup("nothing", nil),
		soup("one place", []geom.Vec3{unit, unit, unit}, []int32{0, 1, 2}),
		soup("a line", []geom.Vec3{{}, {1, 0, 0}, {3, 0, 0}}, []int32{0, 1, 2}),
		soup("a triangle", []geom.Vec3{{}, {0, 2, 0}, {1, 0, 0}}, []int32{0, 1, 2}),
		soup("both ways", []geom.Vec3{{}, {0, 2, 0}, {1, 0, 0}}, []int32{0, 1, 2}, []int32{0, 2, 1}),
		called("far", geom.Vec3{1e6, -3, 2e5}, geom.Vec3{1e6 + 2, -2, 2e5 + 1}),
		called("tiny", geom.Vec3{}, geom.Vec3{1e-5, 2e-5, 3e-5}),
		called("long", geom.Vec3{}, geom.Vec3{1, 5000, 1e-4}),
		scene.Joined("touching", []*scene.Mesh{tetra(geom.Vec3{}, 1), tetra(geom.Vec3{}, -.5),
			tetra(geom.Vec3{1, 0, 0}, .7)}),
		scene.Joined("inside", []*scene.Mesh{box(geom.Vec3{}, unit.Mul(3)), turned(box(unit, unit.Mul(2))),
			box(unit.Mul(1.2), unit.Mul(1.7)), turned(tetra(geom.Vec3{5, 0, 0}, 1))}),
		scene.Joined("on one another", []*scene.Mesh{box(geom.Vec3{}, unit), box(geom.Vec3{0, 1, 0}, geom.Vec3{1, 2, 1}),
			box(geom.Vec3{.25, 2.001, .25}, geom.Vec3{.75, 2.001, .75}), box(geom.Vec3{1.2, 0, 0}, geom.Vec3{2.2, 1, 1})}),
		fan(), twisted(), polygons(), tube(), ragBag(),
	}
	return list
}

func soup(name string, pts []geom.Vec3, faces ...[]int32) *scene.Mesh {
	m := &scene.Mesh{Name: name, Points: pts, FaceStart: []int32{0}, Slots: []int{-1}}
	for _, f := range faces {
		m.Corners = append(m.Corners, f...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return m
}

// fan is seven faces on one edge, two of them at one place, and a flap that crosses them.
func fan() *scene.Mesh {
	pts := []geom.Vec3{{}, {0, 1, 0}}
	var list [][]int32
	for i := range 6 {
		y, x := math.Sincos(float64(i*i) / 6)
		pts = append(pts, geom.Vec3{x * float64(1+i%2), .5, y})
		list = append(list, []int32{0, 1, int32(2 + i)})
	}
	pts = append(pts, geom.Vec3{-1, .2, .3}, geom.Vec3{1, .3, .3}, geom.Vec3{0, .4, -2})
	return soup("fan", pts, append(list, []int32{1, 0, 3}, []int32{8, 9, 10})...)
}

// twisted is a strip with one side, of quads.
func twisted() *scene.Mesh {
	const n = 10
	var pts []geom.Vec3
	var list [][]int32
	for i := range n {
		a := 2 * math.Pi * float64(i) / n
		for _, w := range []float64{-.3, .3} {
			r := 1 + w*math.Cos(a/2)
			pts = append(pts, geom.Vec3{r * math.Cos(a), w * math.Sin(a/2), r * math.Sin(a)})
		}
		p, q := int32(2*i), int32(2*i+2)
		if i == n-1 {
			list = append(list, []int32{p, p + 1, 0, 1})
			break
		}
		list = append(list, []int32{p, p + 1, q + 1, q})
	}
	return soup("twisted", pts, list...)
}

// polygons are a star, an L, a bent quad, one that turns back on itself, and one whose corner is there twice.
func polygons() *scene.Mesh {
	var star []geom.Vec3
	for i := range 10 {
		y, x := math.Sincos(math.Pi * float64(i) / 5)
		r := float64(1 + i%2)
		star = append(star, geom.Vec3{r * x, r * y, 0})
	}
	pts := append(star, geom.Vec3{4, 0, 0}, geom.Vec3{6, 0, 0}, geom.Vec3{6, 1, 0}, geom.Vec3{5, 1, 0}, geom.Vec3{5, 3, 0},
		geom.Vec3{4, 3, 0}, geom.Vec3{8, 0, 0}, geom.Vec3{9, 0, .4}, geom.Vec3{9, 1, -.3}, geom.Vec3{8, 1, .2},
		geom.Vec3{11, 0, 0}, geom.Vec3{12, 0, 0}, geom.Vec3{11.5, 0, 0}, geom.Vec3{11.5, 1, 0})
	return soup("polygons", pts, []int32{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}, []int32{10, 11, 12, 13, 14, 15},
		[]int32{16, 17, 18, 19}, []int32{20, 21, 22, 23}, []int32{16, 17, 17, 18, 19}, []int32{19, 18, 23})
}

// tube is open at one end and has a hole, three slots, colours, a hard edge, and a texture whose halves are mirrored,
// with a seam, a blank stretch and a triangle without extent.
func tube() *scene.Mesh {
	m := new(shape.Builder).Slot(2).Lathe([][2]float64{{0, 0}, {1, 0}, {1.2, 1}, {.8, 2}, {.8, 3}}, 8).Mesh("tube")
	u := scene.Layer[[2]float64]{}
	own := *m
	own.Slots, own.Slot = []int{0, 2, 4}, make([]int32, m.Faces())
	own.Smooth = make([]uint32, m.Faces())
	for f := range own.Slot {
		own.Slot[f] = int32(f / 3 % 3)
		own.Smooth[f] = uint32(1 + f/12%2)
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			p := m.Points[m.Corners[c]]
			at := [2]float64{math.Abs(math.Atan2(p[2], p[0])) / math.Pi, p[1] / 3}
			switch f % 9 {
			case 4:
				at = [2]float64{.5, .5}
			case 7:
				at[0] += 1.25
			}
			u.Index, u.Values = append(u.Index, c), append(u.Values, at)
		}
	}
	own.UVs = []scene.UVSet{{Name: "UV", Layer: u}}
	own.Normals = scene.Layer[[3]float32]{}
	own.Normals = own.SmoothNormals()
	own.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, 1, 1, 1}, {.2, .4, .6, 1}},
		Index: make([]int32, len(own.Corners))}
	for c := range own.Colors.Index {
		own.Colors.Index[c] = int32(c / 5 % 2)
	}
	part := make([]int32, own.Faces())
	part[17] = 1
	return own.Cut(part, 2)[0]
}

// ragBag is a box whose faces are all apart, a ball of triangles joined at points that lie a little beside one
// another, and needles.
func ragBag() *scene.Mesh {
	apart := func(m *scene.Mesh, by float64) *scene.Mesh {
		var pts []geom.Vec3
		var list [][]int32
		for f := range m.Faces() {
			var face []int32
			for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
				k := float64(c%5) - 2
				face = append(face, int32(len(pts)))
				pts = append(pts, m.Points[m.Corners[c]].Add(geom.Vec3{by * k, -by * k, by}))
			}
			list = append(list, face)
		}
		return soup("apart", pts, list...)
	}
	return scene.Joined("rag bag", []*scene.Mesh{
		apart(new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"), 0),
		apart(shapetest.Torus(1, .3, 5, 4), 1e-5),
		soup("needles", []geom.Vec3{{3, 0, 0}, {7, 0, 0}, {5, 1e-4, 0}, {5, -2e-4, 0}, {3, 1e-6, 0}}, []int32{0, 1, 2},
			[]int32{1, 0, 3}, []int32{0, 4, 2}),
	})
}
