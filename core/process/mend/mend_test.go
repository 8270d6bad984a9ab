package mend

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/flaw"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/topo"
)

var ctx = context.Background()

func find(m *scene.Mesh) *flaw.Flaws { return flaw.Find(ctx, m, flaw.Limits{}) }

func ball(*testing.T) *scene.Mesh {
	return (&shape.Builder{}).Lathe([][2]float64{{0, 0}, {1, 0.5}, {1.2, 1.5}, {0, 2}}, 24).Mesh("ball")
}

func TestWeldingClosesWhatWasSplitAndKeepsSeams(t *testing.T) {
	box := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	split := *box
	split.Points, split.Corners = nil, nil
	r := rand.New(rand.NewPCG(1, 2))
	for c, p := range box.Corners { // every corner a point of its own, up to 0.01 mm off
		q := box.Points[p]
		for k := range q {
			q[k] += 1e-5 * (r.Float64() - 0.5)
		}
		split.Points, split.Corners = append(split.Points, q), append(split.Corners, int32(c))
	}
	require.NotEmpty(t, find(&split).Borders)
	m, joined, gone := Weld(ctx, &split, 1e-4)
	require.NoError(t, m.Validate())
	assert.Equal(t, 24-8, joined)
	assert.Zero(t, gone)
	assert.Len(t, m.Points, 8)
	assert.Empty(t, find(m).Borders)
	assert.Equal(t, box.UVs[0].Index, m.UVs[0].Index)
	assert.Equal(t, box.Normals.Index, m.Normals.Index)
	assert.InDelta(t, 6, extents.OfMesh(ctx, m).Volume, 1e-3)
	again, joined, _ := Weld(ctx, m, 1e-4)
	assert.Same(t, m, again)
	assert.Zero(t, joined)
}

func TestWeldingAClosedMeshKeepsItsVolume(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 1))
		m := shapetest.Boulder(6 + r.IntN(10))
		before := extents.OfMesh(ctx, m)
		out, _, _ := Weld(ctx, m, 1e-6)
		after := extents.OfMesh(ctx, out)
		assert.Equal(t, before.Closed, after.Closed)
		assert.InDelta(t, before.Volume, after.Volume, 1e-9)
	}
	// A short edge goes, and the faces at it; the rest stays closed.
	m := shapetest.Boulder(12)
	f := find(m)
	short := math.Inf(1)
	for e := range f.Net.Edges() {
		a, b := f.Net.Ends(e)
		short = min(short, m.Points[a].Dist(m.Points[b]))
	}
	out, joined, gone := ShortEdges(ctx, m, short*1.0001)
	assert.NotZero(t, joined)
	assert.NotZero(t, gone)
	assert.True(t, extents.OfMesh(ctx, out).Closed)
	assert.Equal(t, m.Triangles()-gone, out.Triangles())
}

func TestTurningIsUndoneByTurning(t *testing.T) {
	m := ball(t)
	m.Hard = make([]bool, len(m.Corners))
	for i := range m.Hard {
		m.Hard[i] = i%3 == 0
	}
	twice := Turn(Turn(m, []int32{1, 5, 9}), []int32{1, 5, 9})
	assert.Equal(t, m.Corners, twice.Corners)
	assert.Equal(t, m.Hard, twice.Hard)
	assert.Equal(t, m.UVs[0].Index, twice.UVs[0].Index)
	once := Turn(m, []int32{1, 5, 9})
	assert.Equal(t, []int32{1, 5, 9}, find(once).Flipped)
	assert.Empty(t, find(once).Normals.Against, "normals are turned with their faces")
	mended := Turn(once, find(once).Flipped)
	assert.InDelta(t, extents.OfMesh(ctx, m).Volume, extents.OfMesh(ctx, mended).Volume, 1e-12)
}

func TestDroppingTakesOutWhatIsSaidAndNoMore(t *testing.T) {
	m := ball(t)
	out := Faces(m, []int32{0, 3})
	require.NoError(t, out.Validate())
	assert.Equal(t, m.Faces()-2, out.Faces())
	assert.Same(t, m, Faces(m, nil))
	loose := *m
	loose.Points = append([]geom.Vec3{{9, 9, 9}}, m.Points...)
	loose.Corners = nil
	for _, p := range m.Corners {
		loose.Corners = append(loose.Corners, p+1)
	}
	kept := Faces(&loose, []int32{0})
	assert.Equal(t, geom.Vec3{9, 9, 9}, kept.Points[0], "a point nothing used before is another matter")
	clean, n := Unused(&loose)
	assert.Equal(t, 1, n)
	assert.Equal(t, m.Corners, clean.Corners)
	same, n := Unused(m)
	assert.Zero(t, n)
	assert.Same(t, m, same)
}

func TestCuttingKeepsTheAreaOfAPolygon(t *testing.T) {
	// A comb: many dents, of known area.
	const teeth = 40
	outline := [][2]float64{}
	for k := range teeth {
		x := float64(k)
		outline = append(outline, [2]float64{x, 0}, [2]float64{x + 0.6, 0}, [2]float64{x + 0.6, 2}, [2]float64{x + 1, 2})
	}
	outline = append(outline, [2]float64{teeth, 3}, [2]float64{0, 3})
	m := (&shape.Builder{}).Prism(outline, 0, 1).Mesh("comb")
	f := find(m)
	require.Len(t, f.Concave, 2)
	out := Flat(m, f.Concave)
	require.NoError(t, out.Validate())
	assert.Empty(t, find(out).Concave)
	a, b := extents.OfMesh(ctx, m), extents.OfMesh(ctx, out)
	assert.InDelta(t, a.Area, b.Area, 1e-9)
	assert.InDelta(t, 3*teeth-2*0.4*teeth, b.Volume, 1e-9)
	assert.True(t, b.Closed)
	for g := range out.Faces() { // none overlaps: each looks the way its polygon did
		if out.FaceStart[g+1]-out.FaceStart[g] == 3 {
			assert.Greater(t, math.Abs(out.FaceNormal(g)[2]), 0.0)
		}
	}
}

func TestHolesAreClosedFlatOrAlongTheirRim(t *testing.T) {
	box := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	open := Faces(box, []int32{4})
	f := find(open)
	out, n := Holes(ctx, open, f.Net, f.Borders, f.Parts, 8)
	require.NoError(t, out.Validate())
	assert.Equal(t, 1, n)
	got := extents.OfMesh(ctx, out)
	assert.True(t, got.Closed)
	assert.InDelta(t, 6, got.Volume, 1e-12)
	assert.Equal(t, box.Faces(), out.Faces(), "one flat polygon")
	assert.Empty(t, find(out).Normals.Against)
	// Two side by side leave a rim round a corner.
	bent := Faces((&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("cube"), []int32{2, 4})
	f = find(bent)
	out, n = Holes(ctx, bent, f.Net, f.Borders, f.Parts, 8)
	assert.Equal(t, 1, n)
	assert.True(t, extents.OfMesh(ctx, out).Closed)
	assert.Empty(t, find(out).Flipped)
	_, n = Holes(ctx, open, f.Net, f.Borders, f.Parts, 3)
	assert.Zero(t, n, "of more edges than asked")
	sheet := (&shape.Builder{}).Grid(4, 4, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh("sheet")
	f = find(sheet)
	_, n = Holes(ctx, sheet, f.Net, f.Borders, f.Parts, 100)
	assert.Zero(t, n, "a sheet's outline is no hole")
}

// leastArea agrees with trying all cuts.
func TestTheLeastSurfaceOverARimIsTheLeast(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	area := func(p []geom.Vec3, t [3]int) float64 { return p[t[1]].Sub(p[t[0]]).Cross(p[t[2]].Sub(p[t[0]])).Len() }
	var all func(p []geom.Vec3, i, j int) float64
	all = func(p []geom.Vec3, i, j int) float64 {
		if j-i < 2 {
			return 0
		}
		best := math.Inf(1)
		for k := i + 1; k < j; k++ {
			best = min(best, all(p, i, k)+all(p, k, j)+area(p, [3]int{i, k, j}))
		}
		return best
	}
	for range 30 {
		p := make([]geom.Vec3, 4+r.IntN(5))
		for i := range p {
			p[i] = geom.Vec3{r.Float64(), r.Float64(), r.Float64()}
		}
		sum := 0.0
		for _, t := range leastArea(p) {
			sum += area(p, t)
		}
		assert.InDelta(t, all(p, 0, len(p)-1), sum, 1e-12)
		assert.Len(t, leastArea(p), len(p)-2)
	}
}

// thickened gives all open parts of a mesh thickness and holds what must be so of the outcome.
func thickened(t *testing.T, m *scene.Mesh, thick float64, side Side) *scene.Mesh {
	t.Helper()
	f := find(m)
	out, n := Thicken(ctx, m, f.Net, f.Parts, func(int32) bool { return true }, thick, side)
	require.NotZero(t, n)
	require.NoError(t, out.Validate())
	g := find(out)
	assert.Empty(t, g.Borders, "it is closed")
	assert.Empty(t, g.Crowded)
	assert.Empty(t, g.Flipped, "and wound alike")
	assert.Empty(t, g.Inside, "outward")
	assert.Empty(t, g.Normals.Against)
	assert.Greater(t, extents.OfMesh(ctx, out).Volume, 0.0)
	return out
}

func TestThicknessMakesSolidsOfTheRightVolume(t *testing.T) {
	wave := func(a float64) *scene.Mesh {
		return (&shape.Builder{}).Grid(40, 30, func(u, v float64) geom.Vec3 {
			return geom.Vec3{2 * u, a * math.Sin(5*u) * math.Cos(4*v), -v}
		}).Mesh("wave")
	}
	for _, side := range []Side{Both, Front, Back} {
		flat := wave(0)
		out := thickened(t, flat, 0.01, side)
		assert.InDelta(t, 2*0.01, extents.OfMesh(ctx, out).Volume, 1e-12, "area by thickness, of a flat one exactly")
		lo, hi := extents.OfMesh(ctx, out).Box.Min[1], extents.OfMesh(ctx, out).Box.Max[1]
		want := map[Side][2]float64{Both: {-0.005, 0.005}, Front: {0, 0.01}, Back: {-0.01, 0}}[side]
		assert.InDelta(t, want[0], lo, 1e-12, string(side))
		assert.InDelta(t, want[1], hi, 1e-12, string(side))
	}
	// About the middle the error is of the second order: an eighth at half the thickness... of the
	// volume's own third.
	m := wave(0.2)
	area := extents.OfMesh(ctx, m).Area
	for _, thick := range []float64{0.02, 0.01, 0.005} {
		v := extents.OfMesh(ctx, thickened(t, m, thick, Both)).Volume
		assert.InDelta(t, 1, v/(area*thick), 40*thick*thick, "%g", thick)
	}
}

func TestThicknessKeepsFacesAcrossSharpBends(t *testing.T) {
	for _, degrees := range []float64{30, 90, 150, 175} {
		a := degrees * math.Pi / 180
		fold := (&shape.Builder{}).Grid(8, 2, func(u, v float64) geom.Vec3 {
			x := 2 * (u - 0.5)
			if x < 0 {
				return geom.Vec3{x, 0, -v}
			}
			return geom.Vec3{x * math.Cos(a), x * math.Sin(a), -v}
		}).Mesh("fold")
		out := thickened(t, fold, 0.01, Both)
		// No face turned over: each of the sheet's looks along the one it came of, or against it.
		for g := range out.Faces() {
			n := out.FaceNormal(g).Unit()
			assert.Greater(t, n.Len(), 0.5, "%g degrees, face %d has area", degrees, g)
		}
		if degrees <= 90 { // mitred: each side is as thick as asked
			area := extents.OfMesh(ctx, fold).Area
			assert.InDelta(t, area*0.01, extents.OfMesh(ctx, out).Volume, 1e-9)
		}
	}
}

func TestThicknessTakesSheetsOfManyKinds(t *testing.T) {
	holed := Faces((&shape.Builder{}).Grid(6, 6, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh(
		"holed"), []int32{14, 15})
	thickened(t, holed, 0.02, Both)
	corner := Faces((&shape.Builder{}).Grid(6, 6, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh(
		"pinched"), []int32{14, 21})
	f := find(corner) // two holes that touch in a point: the solids round it touch along an edge, on points of their own
	pinched, _ := Thicken(ctx, corner, f.Net, f.Parts, func(int32) bool { return true }, 0.02, Both)
	assert.True(t, extents.OfMesh(ctx, pinched).Closed)
	assert.Len(t, find(pinched).Crowded, 1)
	assert.InDelta(t, 34.0/36*0.02, extents.OfMesh(ctx, pinched).Volume, 1e-12)
	thickened(t, Faces((&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("tub"), []int32{4}), 0.02, Back)
	flipped := Turn((&shape.Builder{}).Grid(3, 3, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh(
		"flipped"), []int32{4})
	thickened(t, flipped, 0.02, Both)
	mobius := (&shape.Builder{}).Grid(40, 4, func(u, v float64) geom.Vec3 {
		s, c := math.Sincos(2 * math.Pi * u)
		h, g := math.Sincos(math.Pi * u)
		w := v - 0.5
		return geom.Vec3{(2 + w*g) * c, w * h, (2 + w*g) * s}
	}).Mesh("möbius")
	for i, p := range mobius.Points { // its ends meet to the last digit
		for j, q := range mobius.Points[:i] {
			if p.Dist(q) < 1e-9 {
				mobius.Points[i] = mobius.Points[j]
			}
		}
	}
	f = find(mobius)
	_, n := Thicken(ctx, mobius, f.Net, f.Parts, func(int32) bool { return true }, 0.01, Both)
	assert.Zero(t, n, "what has one side stays as it is")
	// UVs and slots stay, and the rim goes on with those beside it.
	sheet := (&shape.Builder{}).Slot(3).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, -v} }).Mesh(
		"sheet")
	out := thickened(t, sheet, 0.1, Both)
	assert.Equal(t, []int{3}, out.UsedSlots())
	lo, hi := 0.0, 0.0
	for _, i := range out.UVs[0].Index {
		v := out.UVs[0].Values[i]
		lo, hi = min(lo, v[0], v[1]), max(hi, v[0], v[1])
	}
	assert.InDelta(t, -0.1, lo, 1e-9)
	assert.InDelta(t, 1.1, hi, 1e-9)
}

func TestSmoothingFollowsItsEdges(t *testing.T) {
	box := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box")
	net := func(m *scene.Mesh) *topo.Net { return topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil) }
	hard, n := Smooth(ctx, box, net(box), Smoothing{By: ByAngle, Angle: 35, Blend: 1})
	assert.Zero(t, n, "a box was flat already")
	for f := range hard.Faces() {
		want := hard.FaceNormal(f).Unit()
		for c := hard.FaceStart[f]; c < hard.FaceStart[f+1]; c++ {
			v := hard.Normals.Values[hard.Normals.Index[c]]
			assert.InDelta(t, 1, want.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}), 1e-6)
			assert.True(t, hard.Hard[c])
		}
	}
	soft, n := Smooth(ctx, box, net(box), Smoothing{By: AllSoft, Blend: 1})
	assert.Equal(t, 24, n)
	for c, p := range soft.Corners { // by symmetry along the diagonals
		v := soft.Normals.Values[soft.Normals.Index[c]]
		want := soft.Points[p].Sub(geom.Vec3{0.5, 0.5, 0.5}).Unit()
		assert.InDelta(t, 1, want.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}), 1e-6)
	}
	half, _ := Smooth(ctx, box, net(box), Smoothing{By: AllSoft, Blend: 0.5})
	v := half.Normals.Values[half.Normals.Index[0]]
	flat, round := geom.Vec3{0, 0, 1}, soft.Points[soft.Corners[0]].Sub(geom.Vec3{0.5, 0.5, 0.5}).Unit()
	assert.InDelta(t, 1, flat.Add(round).Unit().Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}), 1e-6)
	// A cylinder of 24 sides is round about and sharp at its ends; by seams, hard where its UVs begin.
	cyl := (&shape.Builder{}).Lathe([][2]float64{{1, 0}, {1, 2}}, 24).Mesh("cylinder")
	out, _ := Smooth(ctx, cyl, net(cyl), Smoothing{By: ByAngle, Angle: 35, Blend: 1})
	for f := range 24 {
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			p := out.Points[out.Corners[c]]
			v := out.Normals.Values[out.Normals.Index[c]]
			assert.InDelta(t, 1, geom.Vec3{p[0], 0, p[2]}.Unit().Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}),
				1e-6)
		}
	}
	seams, _ := Smooth(ctx, cyl, net(cyl), Smoothing{By: BySeams, Blend: 1})
	count := 0
	for c, h := range seams.Hard {
		if h && c < 96 {
			count++
		}
	}
	assert.Equal(t, 24+24+2, count, "the rims of both discs, and the seam from both its sides")
}

func BenchmarkSmooth(b *testing.B) {
	m := shapetest.Boulder(500)
	net := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
	b.Run(fmt.Sprint(m.Triangles()), func(b *testing.B) {
		for range b.N {
			Smooth(ctx, m, net, Smoothing{By: ByAngle, Angle: 35, Blend: 1})
		}
	})
}

// By smoothing groups, faces of one group share normals across their edge, those of group 0 share with none, and a
// mesh without groups is hard all over.
func TestNormalsBySmoothingGroups(t *testing.T) {
	roof := func(groups ...uint32) []geom.Vec3 {
		m := &scene.Mesh{Points: []geom.Vec3{{0, 0, 0}, {0, 0, 1}, {1, 1, 1}, {1, 1, 0}, {2, 0, 1}, {2, 0, 0}},
			FaceStart: []int32{0, 4, 8}, Corners: []int32{0, 1, 2, 3, 3, 2, 4, 5}, Slots: []int{-1}, Smooth: groups}
		net := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
		out, _ := Smooth(ctx, m, net, Smoothing{By: ByGroups})
		var list []geom.Vec3
		for _, i := range out.Normals.Index {
			n := out.Normals.Values[i]
			list = append(list, geom.Vec3{float64(n[0]), float64(n[1]), float64(n[2])})
		}
		return list
	}
	up, left, right := geom.Vec3{0, 1, 0}, geom.Vec3{-1, 1, 0}.Unit(), geom.Vec3{1, 1, 0}.Unit()
	for _, c := range []struct {
		groups []uint32
		ridge  [2]geom.Vec3 // of the left face and the right one
	}{{[]uint32{5, 5}, [2]geom.Vec3{up, up}}, {[]uint32{5, 6}, [2]geom.Vec3{left, right}},
		{[]uint32{0, 0}, [2]geom.Vec3{left, right}}, {nil, [2]geom.Vec3{left, right}}} {
		got := roof(c.groups...)
		for corner, want := range []geom.Vec3{left, left, c.ridge[0], c.ridge[0], c.ridge[1], c.ridge[1], right, right} {
			assert.InDelta(t, 0, got[corner].Dist(want), 1e-6, "groups %v, corner %d", c.groups, corner)
		}
	}
}

// A face that is turned has its normals turned with it, in all three numbers, and those of other faces stay, though
// they were the same values.
func TestTurnedFacesHaveTurnedNormals(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, 3}).Mesh("box")
	m.Normals = scene.Layer[[3]float32]{Values: [][3]float32{{.36, .48, .8}}, Index: make([]int32, len(m.Corners))}
	out := Turn(m, []int32{2})
	require.NoError(t, out.Validate())
	for f := range out.Faces() {
		want, way := [3]float32{.36, .48, .8}, 1.0
		if f == 2 {
			want, way = [3]float32{-.36, -.48, -.8}, -1
		}
		assert.InDelta(t, way, out.FaceNormal(f).Unit().Dot(m.FaceNormal(f).Unit()), 1e-12, "face %d", f)
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			assert.Equal(t, want, out.Normals.Values[out.Normals.Index[c]], "face %d", f)
		}
	}
	assert.Equal(t, [][3]float32{{.36, .48, .8}}, m.Normals.Values, "what came is as it was")
}
