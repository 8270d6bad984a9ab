package cost_test

import (
	"context"
	"github.com/stretchr/testify/assert"
	"testing"

	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/kept"
)

// Costs over many meshes come out as they did.
func TestCostsAreKept(t *testing.T) {
	var lines []string
	ctx := context.Background()
	for _, m := range kept.Meshes() {
		c := cost.Of(ctx, m)
		lines = append(lines, kept.Line(m.Name, c, c.Splits, c.Bytes, cost.OfScene(ctx, shape.Scene("s", nil, m, m))))
	}
	kept.Same(t, "kept.txt", lines)
}

// Costs by hand: the bytes of a vertex by what it carries, the width of indices, and what is added up.
func TestCostsByHand(t *testing.T) {
	ctx := context.Background()
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	m.Normals, m.Colors = scene.Layer[[3]float32]{}, scene.Layer[[4]float32]{}
	uvs := m.UVs
	m.UVs = nil
	bare := cost.Of(ctx, m)
	assert.Equal(t, 12, bare.Triangles)
	assert.Equal(t, 8, bare.Points)
	assert.Equal(t, 6, bare.Quads)
	vertex := func(c cost.Cost) int { return int(c.Bytes.Vertices) / c.Vertices }
	had := vertex(bare)
	assert.EqualValues(t, 12*3*2, bare.Bytes.Indices, "indices of 16 bits")
	m.UVs = uvs
	assert.Equal(t, had+8, vertex(cost.Of(ctx, m)), "two floats a UV set")
	m.Tangents = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}}, Index: make([]int32, len(m.Corners))}
	assert.Equal(t, had+8+16, vertex(cost.Of(ctx, m)), "four floats a tangent")
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, 0, 0, 1}}, Index: make([]int32, len(m.Corners))}
	assert.Greater(t, vertex(cost.Of(ctx, m)), had+24)
	assert.Zero(t, cost.Cost{}.MissesATriangle())
	assert.InDelta(t, 0.5, cost.Cost{Triangles: 4, Misses: 2}.MissesATriangle(), 1e-12)
	assert.Equal(t, 10, cost.Splits{Slots: 1, Normals: 2, UVs: 3, Colors: 4}.All())
	for points, wide := range map[int]int{65_535: 0, 65_536: 1} {
		big := &scene.Mesh{Name: "fan", Points: make([]geom.Vec3, points), FaceStart: []int32{0}, Slots: []int{-1}}
		for i := range points {
			big.Points[i] = geom.Vec3{float64(i), float64(i * i % 7), 0}
		}
		for i := 0; i+2 < points; i += 2 {
			big.Corners = append(big.Corners, int32(i), int32(i+1), int32(i+2))
			big.FaceStart = append(big.FaceStart, int32(len(big.Corners)))
		}
		if points%2 == 0 {
			big.Corners = append(big.Corners, 0, 1, int32(points-1))
			big.FaceStart = append(big.FaceStart, int32(len(big.Corners)))
		}
		c := cost.Of(ctx, big)
		assert.Equal(t, points, c.Vertices)
		assert.Equal(t, wide, c.Wide, "%d vertices", points)
		assert.EqualValues(t, c.Triangles*3*(2+2*wide), c.Bytes.Indices)
		two := cost.OfScene(ctx, shape.Scene("two", nil, big, big))
		assert.Equal(t, 2*wide, two.Wide)
		assert.Equal(t, 2*c.Triangles, two.Triangles)
	}
}
