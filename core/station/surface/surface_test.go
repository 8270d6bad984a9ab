package surface

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/mend"
	"yarvek/core/process/tangent"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/split"
)

var ctx = context.Background()

// looked is what the station says of a scene as it stands.
func looked(s *scene.Scene, d Decisions) *Report {
	l := InForce(d, 0)
	return Run(d, Ask{Seen: seenOf(s, l), Onto: geom.Identity, Scale: 1, Limits: l, Box: s.Bounds(), Keys: s.Keys()})
}

// seenOf looks at every mesh of a scene.
func seenOf(s *scene.Scene, l Limits) *Seen {
	var meshes []*MeshSeen
	var overlaps []Compared
	for _, p := range Places(s) {
		meshes = append(meshes, LookAt(ctx, s.Meshes[p.Mesh], l.Needle))
		m := s.Meshes[p.Mesh]
		overlaps = append(overlaps,
			Compared{Overlap: Overlapping(ctx, m, l.Apart/p.Scale, flaw.AtOnce(m.Triangles()))})
	}
	return Gathered(ctx, s, meshes, overlaps, CoverOf(ctx, s), l)
}

func codes(r *Report) map[string]finding.Finding {
	out := map[string]finding.Finding{}
	for _, f := range r.Findings() {
		out[f.Code] = f
	}
	return out
}

func box(at geom.Vec3) *shape.Builder { return (&shape.Builder{}).Box(at, at.Add(geom.Vec3{1, 1, 1})) }

func TestASoundBoxIsSound(t *testing.T) {
	r := looked(shape.Scene("box", nil, box(geom.Vec3{}).Mesh("box")), Decisions{})
	assert.Equal(t, "sound", r.Figure())
	for c, f := range codes(r) {
		assert.Equal(t, finding.Note, f.Severity, c)
	}
	assert.Empty(t, r.Tidy)
	worst, _ := r.Stands()
	assert.Equal(t, finding.Note, worst)
}

// flawed is a mesh with six flaws: a face turned, one twice, one without area, an unused point, a
// gap of a twentieth of a millimetre and a polygon with a dent.
func flawed() *scene.Scene {
	m := box(geom.Vec3{}).Prism([][2]float64{{3, 0}, {5, 0}, {5, 2}, {4, 0.5}, {3, 2}}, 0, 1).Mesh("crate")
	add := func(ring ...int32) {
		for range ring {
			m.UVs[0].Index = append(m.UVs[0].Index, 0)
			m.Normals.Index = append(m.Normals.Index, 0)
		}
		m.Corners = append(m.Corners, ring...)
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		m.Smooth = append(m.Smooth, 0)
	}
	add(m.Corners[4], m.Corners[5], m.Corners[6], m.Corners[7]) // the back once more
	add(m.Corners[0], m.Corners[0], m.Corners[1])
	m.Points = append(m.Points, geom.Vec3{0.5, 0.5, 0.5})
	// The top is put on points of its own.
	for c := m.FaceStart[4]; c < m.FaceStart[5]; c++ {
		p := m.Points[m.Corners[c]]
		p[1] += 0.00005
		m.Points = append(m.Points, p)
		m.Corners[c] = int32(len(m.Points) - 1)
	}
	return shape.Scene("crate", nil, mend.Turn(m, []int32{2}))
}

func TestSixFlawsAreFoundAndTidied(t *testing.T) {
	s := flawed()
	r := looked(s, Decisions{})
	got := codes(r)
	for _, k := range []Sort{Flipped, Doubled, Empty, Gaps, Concave, Unused} {
		f, ok := got["surface/"+string(k)]
		if assert.True(t, ok, "%s is not found", k) {
			assert.NotEmpty(t, f.Remedies, k)
			assert.NotEmpty(t, f.Text, k)
		}
	}
	all := func(string) bool { return true }
	d := r.Tidied(Decisions{}, all)
	d.Flat = true
	require.NoError(t, d.Validate())
	out, done := Mended(ctx, s, d)
	counts := map[string]int{}
	for _, x := range done {
		counts[x.Remedy] = x.Count
	}
	assert.Equal(t, 1, counts["doubled"])
	assert.Equal(t, 1, counts["empty"])
	assert.Equal(t, 1, counts["wind"])
	assert.Equal(t, 4, counts["weld"])
	assert.Equal(t, 2, counts["flat"])
	after := looked(out, Decisions{})
	assert.Equal(t, "sound", after.Figure(), "%v", codes(after))
	body := extents.Of(ctx, out)
	assert.True(t, body.Closed)
	assert.InDelta(t, 1+4-1.5, body.Volume, 1e-3)
	// Twice is no more than once, and the source is as it was.
	again, done := Mended(ctx, out, d)
	for _, x := range done {
		assert.Zero(t, x.Count, x.Remedy)
	}
	assert.Equal(t, out.Meshes[0].Corners, again.Meshes[0].Corners)
	assert.Equal(t, codes(r), codes(looked(s, Decisions{})))
}

// Lengths are of the world: a node that scales by ten has its gaps ten times as wide.
func TestLimitsAreRealLengths(t *testing.T) {
	s := flawed()
	assert.Equal(t, 4, looked(s, Decisions{}).Count[Gaps])
	s.Nodes[0].Local = geom.Linear(geom.Identity3.Scaled(10))
	assert.Zero(t, looked(s, Decisions{}).Count[Gaps], "half a millimetre is no gap of a tenth")
	d := Decisions{Limits: Limits{Gap: 0.0006}}
	assert.Equal(t, 4, looked(s, d).Count[Gaps])
	d.Weld = 0.0006
	_, done := Mended(ctx, s, d)
	assert.Equal(t, 4, done[0].Count)
	d.Weld = 0.0004
	_, done = Mended(ctx, s, d)
	assert.Zero(t, done[0].Count)
}

func TestSheetsAndHolesAreToldApart(t *testing.T) {
	tub := mend.Faces(box(geom.Vec3{}).Mesh("tub"), []int32{4})
	r := looked(shape.Scene("tub", nil, tub), Decisions{})
	assert.Equal(t, 1, r.Count[Holes])
	assert.Zero(t, r.Count[Sheets])
	flag := (&shape.Builder{}).Grid(3, 3, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh("flag")
	s := shape.Scene("flag", nil, flag)
	r = looked(s, Decisions{})
	assert.Equal(t, 1, r.Count[Sheets])
	assert.Contains(t, codes(r)["surface/sheets"].Text, "1\u202fm²")
	out, done := Mended(ctx, s, Decisions{Thickness: 0.01})
	assert.Equal(t, 1, done[0].Count)
	body := extents.Of(ctx, out)
	assert.True(t, body.Closed)
	assert.InDelta(t, 0.01, body.Volume, 1e-12)
	named, done := Mended(ctx, s, Decisions{Thickness: 0.01, Of: []string{"other"}})
	assert.Same(t, s.Meshes[0], named.Meshes[0], "it is given to others")
	assert.Zero(t, done[0].Count)
	mat := scene.NewMaterial("cloth")
	s.Materials, flag.Slots = []scene.Material{mat}, []int{0}
	two, done := Mended(ctx, s, Decisions{TwoSided: true})
	assert.True(t, two.Materials[0].TwoSided)
	assert.False(t, s.Materials[0].TwoSided)
	assert.Equal(t, 1, done[0].Count)
	_, ok := codes(looked(two, Decisions{}))["surface/sheets"]
	assert.False(t, ok, "seen from both sides, it does not vanish")
}

func TestFlickerIsWithinOneMeshAndGrowsWithDistance(t *testing.T) {
	m := scene.Joined("panel", []*scene.Mesh{
		(&shape.Builder{}).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh("a"),
		(&shape.Builder{}).Grid(1, 1, func(u, v float64) geom.Vec3 { return geom.Vec3{u/2 + 0.2, v/2 + 0.1, 0.00002} }).Mesh(
			"b")})
	all := Overlapping(ctx, m, 1e-3, flaw.AtOnce(m.Triangles()))
	n, _, _ := all.Within(InForce(Decisions{}, 2).Apart)
	assert.Zero(t, n, "2 hundredths of a millimetre are told apart from 2 m")
	_, area, _ := all.Within(InForce(Decisions{}, 20).Apart)
	assert.InDelta(t, 0.25, area, 1e-9)
	back := scene.Joined("panel", []*scene.Mesh{m, mend.Turn(m, []int32{0, 1})})
	_, area, _ = Overlapping(ctx, back, 1e-3, flaw.AtOnce(back.Triangles())).Within(1e-3)
	assert.InDelta(t, 0.5, area, 1e-9, "back to back nothing flickers")
	assert.Empty(t, Overlapping(ctx, box(geom.Vec3{}).Mesh("box"), 1e-3, flaw.AtOnce(12)).Pairs)
}

func TestSecondUVSetsAreHeldAgainstALightmap(t *testing.T) {
	m := (&shape.Builder{}).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{u, v, 0} }).Mesh("wall")
	m.UVs = append(m.UVs, scene.UVSet{Name: "light", Layer: m.UVs[0].Layer})
	assert.True(t, looked(shape.Scene("wall", nil, m), Decisions{}).Mesh[0].Lightmap.Fit())
	twice := scene.Joined("walls", []*scene.Mesh{m, m.Mapped(geom.Translation(geom.Vec3{3, 0, 0}))})
	l := looked(shape.Scene("walls", nil, twice), Decisions{}).Mesh[0].Lightmap
	assert.InDelta(t, 1, l.Overlap, 1e-9)
	assert.False(t, l.Fit())
}

func TestSmoothingIsTold(t *testing.T) {
	ball := shapetest.Boulder(12)
	bare := *ball
	bare.Normals, bare.Smooth = scene.Layer[[3]float32]{}, nil
	_, ok := codes(looked(shape.Scene("bare", nil, &bare), Decisions{}))["surface/no-smoothing"]
	assert.True(t, ok)
	for how, code := range map[mend.Edges]string{mend.AllHard: "surface/all-hard", mend.AllSoft: "surface/all-soft"} {
		s := shape.Scene("ball", nil, box(geom.Vec3{}).Mesh("box"))
		if how == mend.AllHard {
			s = shape.Scene("ball", nil, ball)
		}
		out, _ := Mended(ctx, s, Decisions{Smooth: how})
		f, ok := codes(looked(out, Decisions{}))[code]
		assert.True(t, ok, how)
		assert.NotEmpty(t, f.Remedies)
	}
	out, _ := Mended(ctx, shape.Scene("box", nil, box(geom.Vec3{}).Mesh("box")),
		Decisions{Smooth: mend.ByAngle, Angle: 35})
	for c := range codes(looked(out, Decisions{})) {
		assert.NotContains(t, c, "soft")
		assert.NotContains(t, c, "hard")
	}
}

// Tangents of another texture are told, and made anew.
func TestTangentsAreHeldAgainstUVsAndNormals(t *testing.T) {
	m := tangent.Of(ctx, box(geom.Vec3{}).Mesh("box"))
	assert.Zero(t, looked(shape.Scene("box", nil, m), Decisions{}).Count[Tangents])
	turned := *m
	turned.Tangents.Values = append([][4]float32(nil), m.Tangents.Values...)
	i := turned.Tangents.Index[0]
	turned.Tangents.Values[i][3] = -turned.Tangents.Values[i][3]
	s := shape.Scene("box", nil, &turned)
	assert.Equal(t, 1, looked(s, Decisions{}).Count[Tangents])
	out, _ := Mended(ctx, s, Decisions{Tangents: true})
	assert.Zero(t, looked(out, Decisions{}).Count[Tangents])
}

func TestDecisionsAreChecked(t *testing.T) {
	for _, d := range []Decisions{{Weld: -1}, {Weld: math.NaN()}, {Edges: 11}, {Holes: 201}, {Side: "left"},
		{Smooth: "all"}, {Smooth: mend.ByAngle, Angle: 181},
		{Keep: 1}, {Thickness: math.Inf(1)}, {Limits: Limits{Needle: -1}}, {Limits: Limits{Gap: -1}}} {
		assert.Error(t, d.Validate(), "%+v", d)
	}
	d := Decisions{Thickness: 0.01, Of: []string{"a", "b"}}
	assert.Equal(t, []string{"a", "b"}, d.Refs())
	assert.Equal(t, Decisions{Thickness: 0.01, Of: []string{"c", "b"}}, d.Repoint("a", "c"))
	gone := d.Repoint("a", "").Repoint("b", "")
	assert.Equal(t, Decisions{Of: nil}, gone, "with the last node goes what was given to it")
	assert.False(t, Decisions{Limits: Limits{Gap: 1}}.Mends(), "a limit changes nothing")
}

func BenchmarkLook(b *testing.B) {
	for _, rings := range []int{250, 353, 500} {
		s := shape.Scene("boulder", nil, shapetest.Boulder(rings))
		l := InForce(Decisions{}, 4)
		b.Run(fmt.Sprintf("%dTriangles", s.Meshes[0].Triangles()), func(b *testing.B) {
			for range b.N {
				split.Together(func() { LookAt(ctx, s.Meshes[0], l.Needle) },
					func() { Overlapping(ctx, s.Meshes[0], l.Apart, flaw.AtOnce(s.Meshes[0].Triangles())) })
			}
		})
	}
}

// A mesh whose faces run through one another is compared in part, within the steps there are, and in full by a job:
// what is found in part is part of what is found in full.
func TestFacesAreComparedInPart(t *testing.T) {
	m := &scene.Mesh{}
	r := rand.New(rand.NewPCG(26, 11))
	const n = 3000
	for i := range n { // sheets in two hundred planes that all cross the middle
		z := float64(i%200) / 1e4
		for k := range 3 {
			a := 2*math.Pi*float64(k)/3 + r.Float64()
			m.Points = append(m.Points, geom.Vec3{math.Cos(a), math.Sin(a), z})
			m.Corners = append(m.Corners, int32(3*i+k))
		}
		m.FaceStart = append(m.FaceStart, int32(3*i))
	}
	m.FaceStart = append(m.FaceStart, 3*n)
	full := Overlapping(ctx, m, 1e-6, flaw.InFull)
	assert.False(t, full.Cut)
	assert.Len(t, full.Pairs, 200*15*14/2, "each of the fifteen of a plane covers the others")
	part := Overlapping(ctx, m, 1e-6, 300_000)
	assert.True(t, part.Cut)
	assert.NotEmpty(t, part.Pairs)
	assert.Less(t, len(part.Pairs), len(full.Pairs))
	for _, p := range part.Pairs {
		assert.Contains(t, full.Pairs, p)
	}
	again := Overlapping(ctx, m, 1e-6, 300_000)
	assert.Equal(t, part, again, "the same on any number of processors")
}

// Round parts get the sides that are decided, of the nodes that are named, and the list says what there is then. One
// whose slots part where no new side begins stays, and is told.
func TestRoundAgain(t *testing.T) {
	post := func() *scene.Mesh {
		return new(shape.Builder).Lathe([][2]float64{{.2, 0}, {.2, 2}}, 8).Mesh("post")
	}
	striped := post()
	striped.Slots, striped.Slot = []int{0, 1}, make([]int32, striped.Faces())
	striped.Slot[2] = 1
	paints := []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("paint")}
	s := shape.Scene("posts", paints, post(), post(), striped)
	for i, name := range []string{"left", "right", "striped"} {
		s.Nodes[i].Name = name
	}
	out, done := Mended(ctx, s, Decisions{Sides: 20, Round: []string{"left", "striped"}})
	assert.Equal(t, []int{22, 10, 10}, []int{out.Meshes[0].Faces(), out.Meshes[1].Faces(), out.Meshes[2].Faces()})
	assert.Contains(t, done, Done{"round", "round parts got other sides", 1, "round part got other sides"})
	assert.Equal(t, 1, done[1].Count)
	seen := LookAt(ctx, out.Meshes[0], 100)
	require.Len(t, seen.Rounds, 1)
	assert.Equal(t, 20, seen.Rounds[0].Sides)
	assert.InDelta(t, .2, seen.Rounds[0].Radius, 1e-9)
	assert.Error(t, Decisions{Sides: 4}.Validate())
	d := Decisions{Sides: 20, Round: []string{"left"}}
	assert.Equal(t, []string{"hut"}, d.Repoint("left", "hut").(Decisions).Round)
	assert.Equal(t, Decisions{}, d.Repoint("left", ""))
	// Two hairs that come to one node are one, which can be kept.
	hairs := Decisions{}.Moved("left", geom.Vec3{.001, 0, 0}).Moved("right", geom.Vec3{0, .001, 0})
	one := hairs.Repoint("left", "right").(Decisions)
	assert.Len(t, one.Hairs, 1)
	assert.NoError(t, one.Validate())
}
