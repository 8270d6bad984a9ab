package fbx

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Worked out by hand: a chain with offsets, pivots, pre-rotation and order.
func TestTheTransformChainByHand(t *testing.T) {
	vec := func(v ...float64) property {
		p := property{}
		for _, f := range v {
			p.values = append(p.values, f)
		}
		return p
	}
	// Turn a quarter about Z at the pivot (1,0,0): the pivot stays, the origin goes to (1,-1,0).
	p := place(properties{own: map[string]property{"Lcl Rotation": vec(0, 0, 90), "RotationPivot": vec(1, 0, 0)}})
	assert.True(t, p.local.Apply(geom.Vec3{1, 0, 0}).Near(geom.Vec3{1, 0, 0}, 1e-12))
	assert.True(t, p.local.Apply(geom.Vec3{}).Near(geom.Vec3{1, -1, 0}, 1e-12))
	// Scale by two at (0,1,0) with a scaling offset of (0,0,5).
	p = place(properties{own: map[string]property{"Lcl Scaling": vec(2, 2, 2), "ScalingPivot": vec(0, 1, 0),
		"ScalingOffset": vec(0, 0, 5)}})
	assert.True(t, p.local.Apply(geom.Vec3{0, 1, 0}).Near(geom.Vec3{0, 1, 5}, 1e-12))
	assert.True(t, p.local.Apply(geom.Vec3{0, 2, 0}).Near(geom.Vec3{0, 3, 5}, 1e-12))
	// Pre-rotation counts only when rotation is active, and comes outside of it.
	pre := properties{own: map[string]property{"PreRotation": vec(90, 0, 0), "Lcl Rotation": vec(0, 90, 0)}}
	assert.True(t, place(pre).local.Apply(geom.Vec3{0, 0, 1}).Near(geom.Vec3{1, 0, 0}, 1e-12))
	pre.own["RotationActive"] = vec(1)
	assert.True(t, place(pre).local.Apply(geom.Vec3{1, 0, 0}).Near(geom.Vec3{0, 1, 0}, 1e-12),
		"Y turns +X to -Z, X turns -Z to +Y")
	// Two quarter turns show the six orders: +X under X and Z in both orders.
	assert.True(t, rotations([3]float64{90, 0, 90}, 0).Apply(geom.Vec3{1, 0, 0}).Near(geom.Vec3{0, 1, 0}, 1e-12),
		"X first leaves +X, then Z")
	assert.True(t, rotations([3]float64{90, 0, 90}, 5).Apply(geom.Vec3{1, 0, 0}).Near(geom.Vec3{0, 0, 1}, 1e-12),
		"Z first, then X")
}

func TestInheritTypesByHand(t *testing.T) {
	scaled := placing{local: geom.Linear(diagonal([3]float64{2, 1, 1})), turn: geom.Identity3,
		scale:   diagonal([3]float64{2, 1, 1}),
		inherit: 1}
	q := geom.Rotation(geom.Vec3{0, 0, 1}, math.Pi/2)
	child := placing{local: geom.Affine{M: q, T: geom.Vec3{1, 0, 0}}, turn: q, scale: geom.Identity3}
	x := geom.Vec3{1, 0, 0}
	for inherit, want := range map[int]geom.Vec3{
		1: {2, 1, 0}, // the parent stretches the world's X: the turned +X is not stretched
		0: {2, 2, 0}, // the parent's stretch comes after the turn: the child's own X is stretched
		2: {2, 1, 0}, // the parent's own stretch is left out, its place is not
	} {
		child.inherit = inherit
		got := root.child(scaled).child(child).world.Apply(x)
		assert.True(t, got.Near(want, 1e-12), "%d: %v", inherit, got)
	}
}

func TestLODGroupsMakeTheRoundTrip(t *testing.T) {
	s := hut()
	s.Nodes = append(s.Nodes, scene.Node{Name: "levels", Kind: scene.KindLOD, Parent: -1, Mesh: -1, Local: geom.Identity,
		Thresholds: []float64{5, 12.5}})
	for _, text := range []bool{false, true} {
		p, err := Write(context.Background(), s, pack.Options{Name: "hut", Basis: geom.GLTF, UnitMetres: 0.01, Parts: true,
			Text: text})
		require.NoError(t, err)
		got, _, err := Read(context.Background(), bundle.New(p.Files), "hut.fbx", nil)
		require.NoError(t, err)
		found := false
		for _, n := range got.Nodes {
			if n.Kind == scene.KindLOD {
				found = true
				assert.Equal(t, "levels", n.Name)
				assert.InDeltaSlice(t, []float64{5, 12.5}, n.Thresholds, 1e-9)
			}
		}
		assert.True(t, found)
	}
}
