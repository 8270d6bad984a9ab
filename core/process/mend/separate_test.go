package mend_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// welded is boxes as one mesh, whose corners that stand in one place are one point.
func welded(t *testing.T, boxes ...[2]geom.Vec3) *scene.Mesh {
	t.Helper()
	b := new(shape.Builder)
	for _, x := range boxes {
		b.Box(x[0], x[1])
	}
	m, _, _ := mend.Weld(t.Context(), b.Mesh("boxes"), 1e-9)
	return m
}

// separated parts a mesh by what is found in it.
func separated(t *testing.T, m *scene.Mesh, crowded, pinched bool) (out *scene.Mesh, came int) {
	t.Helper()
	x := flaw.Find(t.Context(), m, flaw.Limits{})
	var places []int32
	if pinched {
		places = x.Pinched
	}
	out, came, moved := mend.Separate(t.Context(), m, x.Net, crowded, places)
	assert.Equal(t, m.Faces(), out.Faces())
	assert.Equal(t, came > 0, moved > 0)
	for i, c := range out.Corners {
		assert.LessOrEqual(t, out.Points[c].Dist(m.Points[m.Corners[i]]), 4e-6)
	}
	return out, came
}

// Two bodies that share an edge, or a point alone, become two closed bodies, each with its own volume; where both sorts
// are there each remedy does its own.
func TestBodiesThatTouchAreSeparated(t *testing.T) {
	edge := welded(t, [2]geom.Vec3{{0, 0, 0}, {1, 1, 1}}, [2]geom.Vec3{{1, 1, 0}, {2, 3, 1}})
	require.Len(t, flaw.Find(t.Context(), edge, flaw.Limits{}).Crowded, 1)
	out, came := separated(t, edge, true, false)
	assert.Equal(t, 2, came)
	x := flaw.Find(t.Context(), out, flaw.Limits{})
	assert.Empty(t, x.Crowded)
	assert.Empty(t, x.Borders)
	require.Len(t, x.Volumes, 2)
	assert.InDelta(t, 1, min(x.Volumes[0], x.Volumes[1]), 1e-5)
	assert.InDelta(t, 2, max(x.Volumes[0], x.Volumes[1]), 1e-5)

	point := welded(t, [2]geom.Vec3{{0, 0, 0}, {1, 1, 1}}, [2]geom.Vec3{{1, 1, 1}, {2, 2, 2}})
	require.Len(t, flaw.Find(t.Context(), point, flaw.Limits{}).Pinched, 1)
	same, came := separated(t, point, true, false)
	assert.Zero(t, came, "there is no crowded edge")
	assert.Same(t, point, same)
	out, came = separated(t, point, false, true)
	assert.Equal(t, 1, came)
	x = flaw.Find(t.Context(), out, flaw.Limits{})
	assert.Empty(t, x.Pinched)
	assert.Len(t, x.Volumes, 2)
	// As 32-bit numbers they stay apart.
	for i := range out.Points {
		for k := range 3 {
			out.Points[i][k] = float64(float32(out.Points[i][k]))
		}
	}
	assert.Empty(t, flaw.Find(t.Context(), out, flaw.Limits{}).Pinched)
}

// Of three sheets at an edge the two that run on straightest stay joined; the third has a border there.
func TestSheetsThatBranchAreSeparated(t *testing.T) {
	m := &scene.Mesh{Name: "fins", FaceStart: []int32{0, 4, 8, 12}, Points: []geom.Vec3{{0, 0, 0}, {0, 1, 0}, {1, 1, 0},
		{1, 0, 0}, {-1, 1, .1}, {-1, 0, .1}, {0, 1, 1}, {0, 0, 1}},
		Corners: []int32{0, 3, 2, 1, 0, 1, 4, 5, 0, 7, 6, 1}, Slots: []int{-1}}
	require.Len(t, flaw.Find(t.Context(), m, flaw.Limits{}).Crowded, 1)
	out, came := separated(t, m, true, false)
	assert.Equal(t, 2, came)
	assert.Equal(t, out.Corners[:8], m.Corners[:8], "the flat ones are as they were")
	x := flaw.Find(t.Context(), out, flaw.Limits{})
	assert.Empty(t, x.Crowded)
	assert.Equal(t, 2, x.Parts.N)
}

// Faces that are there twice are no third and fourth face of their edges.
func TestDoubledFacesCrowdNoEdge(t *testing.T) {
	m := welded(t, [2]geom.Vec3{{0, 0, 0}, {1, 1, 1}})
	m.Normals, m.UVs, m.Hard, m.Slot, m.Smooth = scene.Layer[[3]float32]{}, nil, nil, nil, nil
	m.Corners = append(m.Corners, m.Corners[:4]...)
	m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	x := flaw.Find(t.Context(), m, flaw.Limits{})
	assert.Len(t, x.Doubled, 1)
	assert.Empty(t, x.Crowded)
	assert.Empty(t, x.Borders)
	assert.InDelta(t, 1, x.Volumes[0], 1e-12)
}

// Needles go, and nothing else: the surface stays closed, as large, and where it was, to less than they were high.
func TestNeedlesAreTakenOut(t *testing.T) {
	ball := shapetest.Boulder(14).Triangulated()
	ball, _, _ = mend.Weld(t.Context(), ball, 1e-9)
	before := flaw.Find(t.Context(), ball, flaw.Limits{})
	rng := rand.New(rand.NewPCG(4, 4))
	m := *ball
	m.Points = append([]geom.Vec3(nil), ball.Points...)
	m.Corners, m.FaceStart, m.Slot = nil, []int32{0}, nil
	m.Normals, m.UVs, m.Hard, m.Smooth = scene.Layer[[3]float32]{}, nil, nil, nil
	add := func(t ...int32) {
		m.Corners = append(m.Corners, t...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	made := 0
	for f := range ball.Faces() {
		c := ball.Corners[3*f : 3*f+3]
		if rng.IntN(4) > 0 {
			add(c...)
			continue
		}
		// A point just within an edge makes a needle of the three triangles round it.
		p := int32(len(m.Points))
		a, b, d := ball.Points[c[0]], ball.Points[c[1]], ball.Points[c[2]]
		along := .2 + .6*rng.Float64()
		on := a.Add(b.Sub(a).Mul(along))
		m.Points = append(m.Points, on.Add(d.Sub(on).Mul(1e-4)))
		add(c[0], c[1], p)
		add(c[1], c[2], p)
		add(c[2], c[0], p)
		made++
	}
	require.Greater(t, made, 50)
	x := flaw.Find(t.Context(), &m, flaw.Limits{Needle: 500})
	require.Equal(t, made, len(x.Needles))
	out, went, moved := mend.Needles(t.Context(), &m, 500)
	assert.Equal(t, made, went)
	assert.Less(t, moved, 1e-3)
	y := flaw.Find(t.Context(), out, flaw.Limits{Needle: 500})
	assert.Empty(t, y.Needles)
	assert.Empty(t, y.Borders)
	assert.Empty(t, y.Crowded)
	assert.Equal(t, m.Faces(), out.Faces(), "a needle goes, and the face beside it becomes two")
	assert.InEpsilon(t, before.Volumes[0], y.Volumes[0], 1e-5)
	assert.ElementsMatch(t, m.Points, out.Points)

	// Of a short side the ends become one point, and both faces at it go.
	strip := &scene.Mesh{Name: "strip", Points: []geom.Vec3{{0, 0, 0}, {1, 0, 0}, {1, .001, 0}, {0, 1, 0}, {2, 0, 0}},
		FaceStart: []int32{0, 3, 6, 9}, Corners: []int32{0, 1, 2, 0, 2, 3, 1, 4, 2}, Slots: []int{-1}}
	out, went, moved = mend.Needles(t.Context(), strip, 100)
	assert.Equal(t, 1, went)
	assert.InDelta(t, .001, moved, 1e-9)
	assert.Equal(t, 1, out.Faces())
	assert.True(t, math.Abs(out.FaceNormal(0).Len()/2-.5) < .001)
}

// The wall that two bodies share is counted by no edge; a sheet that has both its sides is one sheet.
func TestSharedWallsAndDoubleSheets(t *testing.T) {
	m := welded(t, [2]geom.Vec3{{0, 0, 0}, {1, 1, 1}}, [2]geom.Vec3{{1, 0, 0}, {2, 1, 1}})
	x := flaw.Find(t.Context(), m, flaw.Limits{})
	assert.Len(t, x.Doubled, 1)
	assert.Empty(t, x.Crowded)
	assert.Empty(t, x.Borders)
	require.Len(t, x.Volumes, 1)
	assert.InDelta(t, 2, x.Volumes[0], 1e-12)
	sheet := &scene.Mesh{Name: "leaf", FaceStart: []int32{0}, Slots: []int{-1}}
	for i := range 16 {
		sheet.Points = append(sheet.Points, geom.Vec3{float64(i % 4), float64(i / 4), 0})
	}
	for i := range 9 {
		a := int32(i/3*4 + i%3)
		for _, ring := range [][]int32{{a, a + 1, a + 5, a + 4}, {a, a + 4, a + 5, a + 1}} {
			sheet.Corners = append(sheet.Corners, ring...)
			sheet.FaceStart = append(sheet.FaceStart, int32(len(sheet.Corners)))
		}
	}
	x = flaw.Find(t.Context(), sheet, flaw.Limits{})
	assert.Len(t, x.Doubled, 9)
	assert.Empty(t, x.Crowded)
	assert.Len(t, x.Borders, 1)
}
