package e2e

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
	"yarvek/internal/demo"
)

// A grey that a screen shows as 0.5 is that grey in every format, as a material, as a glow and at
// a corner: what a file says of it is another number, and three loaders make the same light of it.
func TestOneGreyInAllFormats(t *testing.T) {
	b := newBench(t)
	s := shape.Scene("swatch", []scene.Material{scene.NewMaterial("grey")}, new(shape.Builder).Slot(0).
		Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("swatch"))
	light := math.Pow((0.5+0.055)/1.055, 2.4) // IEC 61966-2-1
	s.Materials[0].BaseColor = [4]float64{light, light, light, 1}
	s.Materials[0].Emissive = [3]float64{light, light, light}
	m := s.Meshes[0]
	m.Colors = scene.Layer[[4]float32]{Values: [][4]float32{{float32(light), float32(light), float32(light), 1}},
		Index: make([]int32, len(m.Corners))}
	to := target.Framed("own", "own", s.Basis, figure.Metre)
	for _, f := range detailed {
		got := b.draw(t, filesOf(t, s, f, to))
		require.Len(t, got.corners["grey"], 36, f.ID)
		for k := range 3 {
			assert.InDelta(t, light, got.materials["grey"].Color[k], 1e-6, f.ID)
			assert.InDelta(t, light, got.materials["grey"].Glow[k], 1e-6, f.ID)
			assert.InDelta(t, light, got.corners["grey"][0][8+k], 1e-3, f.ID)
		}
	}
}

// odd are scenes as they come now and then.
func odd(n int) (string, *scene.Scene) {
	s := shapetest.Scene(uint64(900 + n))
	m := s.Meshes[0]
	list := []struct {
		what string
		do   func()
	}{
		{"as it is", func() {}},
		{"without normals", func() { m.Normals = scene.Layer[[3]float32]{} }},
		{"without coordinates", func() { m.UVs = nil }},
		{"coordinates far beyond the picture", func() { moveUVs(m, 37.25) }},
		{"corner colours", func() { paintCorners(m, 1) }},
		{"dark corner colours", func() { paintCorners(m, 0.02) }},
		{"a large distance off", func() { shift(s, 2000) }},
		{"tiny", func() { scaleAll(s, 1e-3) }},
		{"huge", func() { scaleAll(s, 1e3) }},
		{"mirrored", func() { s.Nodes[0].Local.M[0][0] *= -1 }},
		{"sheared", func() { s.Nodes[0].Local.M[0][1] += 0.5 }},
		{"flat in one way", func() { s.Nodes[0].Local.M[1][1] *= 1e-2 }},
		{"hidden", func() { s.Nodes[0].Hidden = true }},
		{"sheared and hidden", func() { s.Nodes[0].Local.M[0][1] += 0.5; s.Nodes[0].Hidden = true }},
		{"one slot for all", func() { m.Slots, m.Slot = []int{0}, nil }},
		{"faces without a slot", func() {
			m.Slots = []int{-1, 0}
			m.Slot = make([]int32, m.Faces())
			for i := range m.Slot {
				m.Slot[i] = int32(i % 2)
			}
		}},
		{"black and shining", func() { s.Materials[0].BaseColor, s.Materials[0].Roughness = [4]float64{0, 0, 0, 1}, 0 }},
		{"glowing", func() { s.Materials[0].Emissive = [3]float64{0.75, 0.5, 0.01} }},
		{"seen through", func() { s.Materials[0].BaseColor[3], s.Materials[0].AlphaMode = 0.25, scene.Blend }},
		{"both sides", func() { s.Materials[0].TwoSided = true }},
		{"names alike", func() {
			for i := range s.Nodes {
				s.Nodes[i].Name = "post"
			}
		}},
		{"no names", func() {
			for i := range s.Nodes {
				s.Nodes[i].Name = ""
			}
		}},
	}
	list[n%len(list)].do()
	return list[n%len(list)].what, s
}

const odds = 22

func moveUVs(m *scene.Mesh, by float64) {
	for k := range m.UVs[0].Values {
		m.UVs[0].Values[k][0] += by
	}
}

// paintCorners gives each corner a colour of its own.
func paintCorners(m *scene.Mesh, bright float32) {
	m.Colors = scene.Layer[[4]float32]{}
	for i := range m.Corners {
		v := func(k int) float32 { return bright * float32(i*k%17) / 16 }
		m.Colors.Values = append(m.Colors.Values, [4]float32{v(1), v(3), v(5), 1})
		m.Colors.Index = append(m.Colors.Index, int32(i))
	}
}

func shift(s *scene.Scene, by float64) {
	for i := range s.Nodes {
		if s.Nodes[i].Parent < 0 {
			s.Nodes[i].Local.T[0] += by
		}
	}
}

func scaleAll(s *scene.Scene, by float64) {
	for i := range s.Nodes {
		if s.Nodes[i].Parent < 0 {
			s.Nodes[i].Local = geom.Linear(geom.Identity.M.Scaled(by)).Mul(s.Nodes[i].Local)
		}
	}
}

// Corner by corner and value by value, independent loaders draw what was meant: the demo kit for every target,
// random scenes and odd ones; and no certificate says otherwise.
func TestLoadersDrawWhatWasMeant(t *testing.T) {
	b := newBench(t)
	sets, err := demo.Files(context.Background())
	require.NoError(t, err)
	for i, files := range sets {
		src, found, err := format.Read(context.Background(), bundle.New(files), files[0].Name, nil)
		require.NoError(t, err)
		if src.Dotted() {
			continue // these formats hold no points
		}
		if testing.Short() && (i%2 != 0 || src.Count().Triangles > 3000) {
			continue
		}
		to := target.Shipped[i%len(target.Shipped)]
		r, err := prep.Run(context.Background(), prep.Input{Key: src.Name, Scene: src, Findings: found, Target: to},
			prep.Prep{}, nil)
		require.NoError(t, err)
		for _, f := range detailed {
			// the others hold the same in other bytes, and take the odd ones
			if f.ID == "glb" || f.ID == "fbx" || f.ID == "obj" {
				drawsAs(t, b, src.Name, r.Delivery.Scene, f, to)
			}
		}
	}
	for n := range odds {
		what, s := odd(n)
		to := target.Framed("own", "own", s.Basis, figure.Units[1])
		for k, f := range detailed {
			if !testing.Short() || k%3 == n%3 { // each in some formats by turns
				drawsAs(t, b, what, s, f, to)
			}
		}
	}
	for seed := range uint64(4) {
		if testing.Short() && seed > 0 {
			return
		}
		s := shapetest.Ragged(seed)
		to := target.Framed("own", "own", s.Basis, figure.Metre)
		for _, f := range detailed {
			drawsAs(t, b, fmt.Sprint("ragged ", seed), s, f, to)
		}
	}
}

func drawsAs(t *testing.T, b *bench, what string, s *scene.Scene, f format.Format, to target.Target) {
	t.Helper()
	ctx := context.Background()
	pk, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "asset", to)
	require.NoError(t, err)
	assert.Empty(t, otherwise(s, f, to, b.draw(t, pk.Files)), "%s as %s", what, f.ID)
	cert, err := deliver.Check(ctx, scene.Delivery{Scene: s}, pk, f, to)
	require.NoError(t, err)
	if !assert.True(t, cert.Arrived(), "%s as %s", what, f.ID) {
		for _, r := range cert.Rows {
			if !r.Settled() {
				t.Logf("%s: %s, not %s: %s", r.What, r.Arrived, r.Sent, r.Why)
			}
		}
	}
}
