package draft

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
)

// packed takes a packed answer apart as a browser does, by its header alone.
type packed struct {
	t    *testing.T
	rest []byte
}

func unpack(t *testing.T, b []byte, head any) *packed {
	n := binary.LittleEndian.Uint32(b)
	require.Zero(t, n%4)
	require.NoError(t, json.Unmarshal(b[4:4+n], head))
	return &packed{t, b[4+n:]}
}

func (p *packed) floats(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(p.rest[4*i:])))
	}
	p.rest = p.rest[4*n:]
	return out
}

func (p *packed) numbers(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = int(binary.LittleEndian.Uint32(p.rest[4*i:]))
	}
	p.rest = p.rest[4*n:]
	return out
}

func (p *packed) bytes(n int) []byte {
	out := p.rest[:n]
	p.rest = p.rest[n:]
	return out
}

// inside is the volume of triangles over coordinates.
func inside(at []float64, tris []int) (v float64) {
	p := func(i int) geom.Vec3 { return geom.Vec3(at[3*i : 3*i+3]) }
	for i := 0; i < len(tris); i += 3 {
		v += p(tris[i]).Dot(p(tris[i+1]).Cross(p(tris[i+2]))) / 6
	}
	return v
}

func TestTheTurntableCarriesTheAssetAndWhatStandsBesideIt(t *testing.T) {
	s := box(geom.Vec3{1, 0, 1}, geom.Vec3{3, 4, 6})
	m := NewModel(context.Background(), s)
	at := geom.Vec3{2, 0, 3}
	b, err := m.Turntable(context.Background(), Table{Pivot: &at, Ground: -1})
	require.NoError(t, err)
	var head tableHead
	p := unpack(t, b, &head)
	points := p.floats(3 * head.Points)
	assert.InDelta(t, 2*4*5, inside(points, p.numbers(3*head.Triangles)), 1e-5)
	assert.Equal(t, 12, head.Edges, "the edges of a box")
	p.numbers(2 * head.Edges)
	require.Len(t, head.Things, 3)
	for i, want := range []struct {
		name string
		h    float64
	}{{"Door", 2.1}, {"Cube", 1}, {"Person", 1.8}} {
		assert.Equal(t, want.name, head.Things[i].Name)
		lines := p.floats(6 * head.Things[i].Lines)
		low, high := math.Inf(1), math.Inf(-1)
		for k := 0; k < len(lines); k += 3 {
			assert.Less(t, lines[k], 1., "to the left of it")
			low, high = min(low, lines[k+1]), max(high, lines[k+1])
		}
		assert.InDelta(t, -1, low, 1e-6, "on the ground")
		assert.InDelta(t, want.h, high-low, 1e-6)
	}
	assert.Empty(t, p.rest)
	assert.Equal(t, at, *head.Pivot)
	assert.Equal(t, [2]geom.Vec3{{1, 0, 1}, {3, 4, 6}}, [2]geom.Vec3{head.Min, head.Max})
}

// On a dense sheet with a fold across it and grain all over, the fold stays and nearly all of
// the grain goes; a coarse one keeps every crease.
func TestGrainOfADenseMeshIsNotDrawn(t *testing.T) {
	for _, n := range []int{40, 160} {
		rnd := rand.New(rand.NewPCG(1, 2))
		s := shape.Scene("sheet", nil, new(shape.Builder).Grid(n, n, func(u, v float64) geom.Vec3 {
			y := math.Abs(u - 0.5) // a fold of 90 degrees
			if rnd.IntN(4) == 0 && math.Abs(u-0.5) > 2/float64(n) {
				y += rnd.Float64() * 2 / float64(n)
			}
			return geom.Vec3{u, y, v}
		}).Mesh("sheet"))
		m := NewModel(context.Background(), s)
		hard, inFold := 0, 0
		onFold := func(e edge) bool { return math.Abs(m.points[e.a][0]-.5)+math.Abs(m.points[e.b][0]-.5) < 1e-9 }
		for _, e := range m.edges {
			if e.hard {
				hard++
				if onFold(e) {
					inFold++
				}
			}
		}
		list, thinned := m.features(context.Background())
		fold := 0
		for _, i := range list {
			if onFold(m.edges[i]) {
				fold++
			}
		}
		t.Logf("%d faces: %d hard edges, %d drawn, %d of %d of the fold", len(m.faces), hard, len(list), fold, inFold)
		require.Equal(t, n, inFold)
		if n == 40 {
			assert.False(t, thinned)
			assert.Len(t, list, hard)
			continue
		}
		assert.True(t, thinned)
		assert.Equal(t, n, fold)
		assert.Less(t, len(list)-fold-4*n, hard/50, "besides the fold and the border")
	}
}

// What is sent of a painted scene is what its corners have: places, colours, and UVs where the
// material's picture lies.
func TestPaintedCarriesMaterialsAsTheyAre(t *testing.T) {
	b := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3})
	m := b.Mesh("box")
	n := len(m.Corners)
	m.UVs = []scene.UVSet{{},
		{Name: "second", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{.25, .5}}, Index: make([]int32, n)}}}
	m.UVs[0] = scene.UVSet{Name: "first", Layer: scene.Layer[[2]float64]{Values: [][2]float64{{0, 0}},
		Index: make([]int32, n)}}
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{1, .5, 0, 1}}, Index: make([]int32, n)}
	m.Slots = []int{0, -1}
	m.Slot = make([]int32, m.Faces())
	m.Slot[5] = 1
	mat := scene.NewMaterial("tin")
	mat.BaseColor = [4]float64{.2, .4, .6, .5}
	mat.AlphaMode = scene.Blend
	mat.Maps[scene.UseBaseColor] = scene.Map{Texture: 1, UVSet: 1, Place: &scene.Placement{Offset: [2]float64{.1, .2},
		Scale: [2]float64{2, 4}}}
	s := shape.Scene("box", []scene.Material{mat}, m)
	s.Images = []scene.Image{{Name: "tin.png"}}
	s.Textures = []scene.Texture{{Image: 0, WrapU: scene.Clamp, WrapV: scene.Mirror}}
	for _, shown := range []bool{true, false} {
		out, err := Painted(context.Background(), s, geom.Linear(geom.Identity3.Scaled(2)), AsMaterials,
			Shown{Has: func(int) bool { return shown }})
		require.NoError(t, err)
		var head paintedHead
		p := unpack(t, out, &head)
		at := p.floats(3 * head.Vertices)
		normals := p.bytes(4 * head.Vertices)
		uvs := p.floats(2 * head.Vertices)
		colors := p.bytes(4 * head.Vertices)
		tris := p.numbers(3 * head.Triangles)
		assert.Empty(t, p.rest)
		assert.Equal(t, 12, head.Triangles)
		assert.InDelta(t, 8*6, inside(at, tris), 1e-4)
		require.Len(t, head.Paints, 2)
		first := head.Paints[0]
		assert.Equal(t, Paint{Name: "tin", Color: mat.BaseColor, Picture: map[bool]int{true: 0, false: -1}[shown],
			WrapU: scene.Clamp,
			WrapV: scene.Mirror, Alpha: "BLEND", Cutoff: .5, Roughness: 1, Bumps: 1, Shade: 1, Count: 10}, first)
		assert.Equal(t, [2]int{10, 2}, [2]int{head.Paints[1].First, head.Paints[1].Count}, "the face without a material")
		for _, i := range tris[:30] {
			// From the top left (0.25, 0.5) scaled by 2 and 4 and moved is (0.6, 2.2).
			assert.InDelta(t, .6, uvs[2*i], 1e-6)
			assert.InDelta(t, 1-2.2, uvs[2*i+1], 1e-6)
			assert.Equal(t, []byte{255, 128, 0, 255}, colors[4*i:4*i+4])
			long := 0
			for _, v := range normals[4*i : 4*i+3] {
				long += int(int8(v)) * int(int8(v))
			}
			assert.Equal(t, 127*127, long)
		}
	}
}
