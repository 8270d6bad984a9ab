// Package shapetest makes random scenes for round-trip tests: trees of nodes with
// transforms, instances, polygons of many corners, several UV sets, smoothing,
// unused slots, and names in many scripts.
package shapetest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// names are the parts names are made of: scripts, spaces, quotes and what formats
// might take for syntax.
var names = []string{"mole", "Kaimauer", "маяк", "灯台", "φάρος", "مرسى", "two words", `quo"ted`, "it’s", "a::b", "1",
	"no. #5", "x&y",
	"-s", "<b>"}

// Scene makes the scene of a seed. All its nodes have different names.
func Scene(seed uint64) *scene.Scene {
	r := rand.New(rand.NewPCG(seed, 77))
	name := func(kind string, i int) string { return fmt.Sprintf("%s %s%d", names[r.IntN(len(names))], kind, i) }
	s := &scene.Scene{Name: "random", Basis: geom.AllBases()[r.IntN(48)], UnitMetres: 1}
	for i := range 1 + r.IntN(4) {
		m := scene.NewMaterial(name("m", i))
		m.BaseColor = [4]float64{eighth(r), eighth(r), eighth(r), 1}
		m.Metallic, m.Roughness = eighth(r), eighth(r)
		s.Materials = append(s.Materials, m)
	}
	for i := range 1 + r.IntN(3) {
		s.Meshes = append(s.Meshes, mesh(r, name("g", i), len(s.Materials)))
	}
	for i := range 1 + r.IntN(6) {
		n := scene.Node{Name: name("n", i), Kind: scene.KindEmpty, Parent: r.IntN(i+1) - 1, Mesh: -1, Local: local(r)}
		if i < len(s.Meshes) || r.IntN(3) > 0 {
			n.Kind, n.Mesh = scene.KindMesh, (i+r.IntN(2)*r.IntN(3))%len(s.Meshes)
		}
		s.Nodes = append(s.Nodes, n)
	}
	return s
}

// Ragged is the scene of a seed as files often are: corners without a coordinate, a colour
// or a normal, normals of no length and of another than one, faces without a material, UV
// sets that no corner has.
func Ragged(seed uint64) *scene.Scene {
	r := rand.New(rand.NewPCG(seed, 78))
	s := Scene(seed)
	for _, m := range s.Meshes {
		m.UVs = append(slices.Clone(m.UVs), scene.UVSet{Name: "spare"})
		for k := range m.UVs {
			u := &m.UVs[k]
			if u.Index = slices.Clone(u.Index); u.Index == nil {
				u.Index = slices.Repeat([]int32{-1}, len(m.Corners))
			}
			drop(r, u.Index, r.IntN(2)*5)
		}
		m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}, {0, .5, 0, 1}},
			Index: make([]int32, len(m.Corners))}
		m.Normals = scene.Layer[[3]float32]{Values: [][3]float32{{}, {0, 0, 2}, {0, 1, 0}},
			Index: make([]int32, len(m.Corners))}
		m.Smooth = nil
		for c := range m.Corners {
			m.Colors.Index[c], m.Normals.Index[c] = int32(r.IntN(2)), int32(r.IntN(3))
		}
		drop(r, m.Colors.Index, 4)
		drop(r, m.Normals.Index, 6)
		if m.Slot == nil {
			m.Slot = make([]int32, m.Faces())
		}
		m.Slot, m.Slots = slices.Clone(m.Slot), append(slices.Clone(m.Slots), -1)
		for f := range m.Slot {
			if r.IntN(3) == 0 {
				m.Slot[f] = int32(len(m.Slots) - 1)
			}
		}
	}
	return s
}

// drop takes the value of about one corner in n, of none when n is 0.
func drop(r *rand.Rand, index []int32, n int) {
	for c := range index {
		if n > 0 && r.IntN(n) == 0 {
			index[c] = -1
		}
	}
}

// eighth is a number every format writes exactly.
func eighth(r *rand.Rand) float64 { return float64(r.IntN(9)) / 8 }

// mesh is a random one that is valid.
func mesh(r *rand.Rand, name string, materials int) *scene.Mesh {
	b := &shape.Builder{}
	for range 1 + r.IntN(3) {
		b.Slot(r.IntN(materials))
		at := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
		b.Place(geom.Affine{M: geom.Rotation(geom.Vec3{r.NormFloat64(), 1, r.NormFloat64()}, r.Float64()*6), T: at})
		switch r.IntN(3) {
		case 0:
			b.Box(geom.Vec3{}, geom.Vec3{.1 + r.Float64(), .1 + r.Float64(), .1 + r.Float64()})
		case 1:
			b.Lathe([][2]float64{{.2 + r.Float64(), 0}, {.2 + r.Float64(), 1}, {r.Float64(), 1.5}}, 3+r.IntN(9))
		default:
			n := 3 + r.IntN(7)
			var ring [][2]float64
			for i := range n {
				sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
				ring = append(ring, [2]float64{cos * (.5 + r.Float64()), sin * (.5 + r.Float64())})
			}
			b.Prism(ring, 0, .1+r.Float64())
		}
	}
	m := b.Mesh(name)
	for k := range r.IntN(3) {
		u := scene.UVSet{Name: fmt.Sprintf("UV %d", k+2)}
		u.Index = m.UVs[0].Index
		for range m.UVs[0].Values {
			u.Values = append(u.Values, [2]float64{eighth(r), eighth(r)})
		}
		m.UVs = append(m.UVs, u)
	}
	return m
}

// local is a map without shear: a root may scale unevenly, with children beneath it
// every world map would shear.
func local(r *rand.Rand) geom.Affine {
	a := geom.Identity
	if r.IntN(4) > 0 {
		a.T = geom.Vec3{r.NormFloat64() * 5, r.NormFloat64() * 5, r.NormFloat64() * 5}
	}
	if r.IntN(3) > 0 {
		a.M = geom.Rotation(geom.Vec3{r.NormFloat64(), r.NormFloat64(), 1}, r.NormFloat64()*3)
	}
	if r.IntN(3) == 0 {
		k := .25 + r.Float64()*2
		if r.IntN(2) == 0 {
			a.M = a.M.Mul(geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}})
		}
		a.M = a.M.Scaled(k)
	}
	return a
}
