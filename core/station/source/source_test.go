package source

import (
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

func box(name string, lo, hi geom.Vec3) *scene.Mesh { return new(shape.Builder).Box(lo, hi).Mesh(name) }

// yard is a quay with seven things that do not belong: a helper plane, a hidden
// body, a far node, a speck, a body inside another, a double and an empty node.
func yard() *scene.Scene {
	plane := new(shape.Builder).Grid(1, 1,
		func(u, v float64) geom.Vec3 { return geom.Vec3{20*u - 10, -.5, 10 - 20*v} }).Mesh("ground")
	s := shape.Scene("yard", nil, box("quay", geom.Vec3{-4, 0, -1}, geom.Vec3{4, 1, 1}),
		box("crane", geom.Vec3{1, 1.01, -.5}, geom.Vec3{2, 5, .5}),
		plane, box("under sheet", geom.Vec3{-3, 1.2, -.5}, geom.Vec3{-2, 2, .5}),
		box("gull", geom.Vec3{400, 30, 0}, geom.Vec3{401, 31, 1}),
		box("crumb", geom.Vec3{-3.9, 3, .4}, geom.Vec3{-3.89, 3.01, .41}),
		box("brick", geom.Vec3{0, .2, -.2}, geom.Vec3{.3, .4, .2}),
		box("crane copy", geom.Vec3{1, 1.01, -.5}, geom.Vec3{2, 5, .5}))
	s.Nodes[3].Hidden = true
	s.Nodes = append(s.Nodes, scene.Node{Name: "target", Kind: scene.KindEmpty, Parent: -1, Mesh: -1,
		Local: geom.Identity},
		scene.Node{Name: "edge line", Kind: scene.KindGuide, Parent: -1, Mesh: -1, Local: geom.Identity})
	return s
}

func do(t testing.TB, s *scene.Scene, d Decisions) (*scene.Scene, *Report) {
	t.Helper()
	require.NoError(t, d.Validate())
	came := TakeApart(context.Background(), s, d)
	out, r := Run(context.Background(), came, Look(context.Background(), came.Scene, target.Shipped[0]),
		Ask{Counts: s.Count()}, d)
	for i, n := range out.Nodes {
		require.Less(t, n.Parent, i, "a parent comes first")
	}
	for _, m := range out.Meshes {
		require.NoError(t, m.Validate())
	}
	return out, r
}

func finding1(r *Report, code string) *finding.Finding {
	for i := range r.Findings() {
		if r.Findings()[i].Code == code {
			return &r.Findings()[i]
		}
	}
	return nil
}

func names(s *scene.Scene) (list []string) {
	for _, n := range s.Nodes {
		list = append(list, n.Name)
	}
	return list
}

func TestSevenThingsThatDoNotBelong(t *testing.T) {
	s := yard()
	_, r := do(t, s, Decisions{})
	assert.Equal(t, 8, r.Kept)
	d := Decisions{}
	for code, name := range map[string]string{"source/helper-plane": "ground", "source/hidden-node": "under sheet",
		"source/far-node": "gull",
		"source/speck":    "crumb", "source/body-inside-another": "brick", "source/double": "crane copy",
		"source/empty-node": "target"} {
		f := finding1(r, code)
		require.NotNil(t, f, "%s in %+v", code, r.Findings())
		assert.Equal(t, name, f.Place.Node)
		require.NotNil(t, f.Place.Point)
		d = d.leaving([]string{name})
	}
	require.NotNil(t, finding1(r, "source/guides"))
	out, after := do(t, s, d)
	assert.Equal(t, []string{"quay", "crane"}, names(out))
	for _, f := range after.Findings() {
		assert.Equal(t, finding.Note, f.Severity, f.Title)
	}
	// The same by rules, and by a box on the plan and a distance.
	d = Decisions{Rules: []Rule{{By: ByKind, What: Hidden}, {By: ByKind, What: Inside}, {By: ByKind, What: Empty},
		{By: ByName, What: "cr* copy"}, {By: ByName, What: "crumb"},
		{By: ByBeyond, Reach: 100}, {By: ByArea, Area: [4]float64{-12, -12, 12, 12}}, {By: ByName, What: "quay", Keep: true},
		{By: ByName, What: "crane", Keep: true}}}
	out, _ = do(t, s, d)
	assert.Equal(t, []string{"quay", "crane"}, names(out))
	d.Keep = []string{"gull"}
	out, _ = do(t, s, d)
	assert.Equal(t, []string{"quay", "crane", "gull"}, names(out), "what is decided for a node counts more than a rule")
	d.Leave, d.Keep = []string{"crane"}, nil
	out, r = do(t, s, d)
	assert.Equal(t, []string{"quay"}, names(out))
	assert.Equal(t, "Leave out what is farther than 100.00\u202fm from the main body", r.Nodes[4].Why)
}

func TestCoplanarFacesFlicker(t *testing.T) {
	s := shape.Scene("x", nil, box("wall", geom.Vec3{0, 0, 0}, geom.Vec3{4, 3, .2}),
		box("sign", geom.Vec3{1, 1, .1}, geom.Vec3{2, 2, .2}),
		box("shelf", geom.Vec3{0, 0, .2}, geom.Vec3{1, .1, .5}), box("lamp", geom.Vec3{3, 2, .3}, geom.Vec3{3.2, 2.2, .5}))
	v := Look(context.Background(), s, target.Shipped[0])
	require.Len(t, v.Overlaps, 1,
		"the sign's face lies in the wall's; the shelf stands back to front against it and lines up below: %+v",
		v.Overlaps)
	o := v.Overlaps[0]
	assert.Equal(t, [2]int{0, 1}, [2]int{o.A, o.B})
	assert.InDelta(t, 1, o.Area, 1e-9)
	assert.InDelta(t, .2, o.At[2], 1e-9)
}

func TestMergingAndWhatItGives(t *testing.T) {
	mats := []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("iron")}
	b := func(name string, x float64, slots ...int) *scene.Mesh {
		k := new(shape.Builder)
		for i, m := range slots {
			k.Slot(m).Box(geom.Vec3{x, float64(i), 0}, geom.Vec3{x + 1, float64(i) + 1, 1})
		}
		return k.Mesh(name)
	}
	s := shape.Scene("shed", mats, b("a", 0, 0, 1), b("b", 2, 0), b("c", 4, 1))
	s.Nodes = append(s.Nodes, scene.Node{Name: "a again", Kind: scene.KindMesh, Parent: 1, Mesh: 0,
		Local: geom.Translation(geom.Vec3{0, 0, 7})},
		scene.Node{Name: "hook", Kind: scene.KindEmpty, Parent: 3, Mesh: -1, Local: geom.Translation(geom.Vec3{0, 1, 0})})
	was, area := s.Bounds(), s.Count().Triangles
	group := []Group{{"pair", []string{"b", "c"}}}
	want := map[Merge][3]int{Apart: {4, 6, 4}, MergeAll: {1, 2, 1}, MergeSlot: {2, 2, 2}, MergeSome: {3, 6, 3}}
	for how, w := range want {
		out, r := do(t, s, Decisions{Merge: how, Groups: group})
		for _, e := range r.Merging {
			if e.ID != how {
				continue
			}
			assert.Equal(t, w, [3]int{e.Meshes, e.Calls, e.Pivots}, "%q", how)
			assert.Equal(t, out.DrawCalls(), e.Calls, "said and done, %q", how)
			assert.Equal(t, out.Count().Instances, e.Meshes)
			n := int64(0)
			for _, m := range out.Meshes {
				n += m.Bytes()
			}
			assert.InDelta(t, n, e.Bytes, .35*float64(n))
		}
		assert.Equal(t, was, out.Bounds(), "%q", how)
		assert.Equal(t, area, out.Count().Triangles)
		hook := -1
		for i, n := range out.Nodes {
			if n.Name == "hook" {
				hook = i
			}
		}
		require.GreaterOrEqual(t, hook, 0, "empty nodes that carried nothing stay")
		assert.Equal(t, geom.Vec3{0, 1, 7}, out.Worlds()[hook].T)
	}
}

func TestSplitAndRename(t *testing.T) {
	k := new(shape.Builder)
	for i := range 3 {
		k.Slot(i%2).Box(geom.Vec3{float64(2 * i), 0, 0}, geom.Vec3{float64(2*i) + 1, 1, 1})
	}
	mats := []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("iron")}
	s := shape.Scene("mesh_3", mats, k.Mesh("object"))
	s.Nodes = append(s.Nodes, scene.Node{Name: "twin", Kind: scene.KindMesh, Parent: -1, Mesh: 0,
		Local: geom.Translation(geom.Vec3{0, 5, 0})})
	_, r := do(t, s, Decisions{})
	assert.NotNil(t, finding1(r, "source/names"))
	assert.NotNil(t, finding1(r, "source/file-name"))
	out, r := do(t, s, Decisions{Split: []Split{{"object", ByParts}, {"twin", ByParts}},
		Names:  map[string]string{"object": "rail"},
		Rename: []Rename{{"rail *", "post {n2}"}, {"twin #", "{rest} far post"}}})
	assert.Equal(t, []string{"post 01", "post 02", "post 03", "1 far post", "2 far post", "3 far post"}, names(out))
	assert.Len(t, out.Meshes, 3, "instances stay instances")
	assert.Equal(t, s.Bounds(), out.Bounds())
	assert.Nil(t, finding1(r, "source/names"))
	out, _ = do(t, s, Decisions{Split: []Split{{"object", BySlot}}})
	assert.Equal(t, []string{"object wood", "object iron", "twin"}, names(out))
}

func TestEqualMeshesBecomeInstances(t *testing.T) {
	m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{.3, 2, .2}).Box(geom.Vec3{.3, 1, 0}, geom.Vec3{.8, 1.1, .1}).Mesh(
		"post")
	flip := geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{-3, 0, 0}}
	s := shape.Scene("x", nil, m, m.Mapped(geom.Affine{M: geom.Rotation(geom.Vec3{0, 1, 0}, 1), T: geom.Vec3{6, 0, 1}}),
		m.Mapped(flip))
	s.Nodes[1].Name, s.Nodes[2].Name = "turned", "mirrored"
	s.Nodes = append(s.Nodes, scene.Node{Name: "below", Kind: scene.KindEmpty, Parent: 1, Mesh: -1,
		Local: geom.Translation(geom.Vec3{1, 2, 3})})
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/alike")
	require.NotNil(t, f)
	assert.Contains(t, f.Text, "1 of them mirrored")
	out, r := do(t, s, f.Remedies[0].Decision.(Decisions))
	assert.Nil(t, finding1(r, "source/alike"))
	assert.Len(t, out.Meshes, 1)
	was, is := s.NodeBounds(), out.NodeBounds()
	for i := range was {
		assert.True(t, was[i].IsEmpty() || was[i].Min.Near(is[i].Min, 1e-6) && was[i].Max.Near(is[i].Max, 1e-6), "%d", i)
	}
	assert.True(t, s.Worlds()[3].T.Near(out.Worlds()[3].T, 1e-9), "what hangs below stays")
	assert.True(t, out.Worlds()[2].Mirrors())
	// A revision in which one of them changed: it is said, and it keeps its own mesh.
	s.Meshes[1] = box("other", geom.Vec3{}, geom.Vec3{1, 1, 1})
	out, r = do(t, s, f.Remedies[0].Decision.(Decisions))
	require.NotNil(t, finding1(r, "source/parted"))
	assert.Len(t, out.Meshes, 2)
	_, r = do(t, s, finding1(r, "source/parted").Remedies[0].Decision.(Decisions))
	assert.Nil(t, finding1(r, "source/parted"))
}

func TestWhatHangsFromAHiddenNodeIsHidden(t *testing.T) {
	s := shape.Scene("x", nil, box("a", geom.Vec3{}, geom.Vec3{1, 1, 1}),
		box("b", geom.Vec3{1.1, 0, 0}, geom.Vec3{2, 1, 1}))
	s.Nodes = append([]scene.Node{{Name: "off", Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: geom.Identity,
		Hidden: true}},
		s.Nodes...)
	s.Nodes[1].Parent = 0
	_, r := do(t, s, Decisions{})
	assert.Equal(t, "a", finding1(r, "source/hidden-node").Place.Node)
	out, _ := do(t, s, Decisions{Leave: []string{"off"}})
	assert.False(t, out.Nodes[0].Hidden, "left behind, it only carries what is kept")
}

func TestDigitsFarFromTheOrigin(t *testing.T) {
	s := shape.Scene("x", nil, box("hut", geom.Vec3{60000, 12, -8000}, geom.Vec3{60004, 15, -7996}))
	_, r := do(t, s, Decisions{})
	f := finding1(r, "source/digits")
	require.NotNil(t, f)
	assert.Equal(t, finding.MustFix, f.Severity)
	assert.Equal(t, 1.0/512, r.Error, "half of 2^-8 m between 32 768 and 65 536 m")
	assert.Contains(t, f.Title, "1.95\u202fmm")
	require.Len(t, f.Remedies, 1)
	d := f.Remedies[0].Decision.(Decisions)
	out, r := do(t, s, d)
	assert.Nil(t, finding1(r, "source/digits"))
	assert.Less(t, out.Meshes[0].Points[0].Len(), 10.0)
	assert.True(t, out.Bounds().Min.Near(geom.Vec3{-2, 0, -2}, 1e-9), "%v", out.Bounds())
	assert.InDelta(t, 0, r.Nodes[0].Box.Center()[0], 1, "what the page and the drawing show is moved with it")
	_, r = do(t, s, Decisions{Error: .01})
	assert.Nil(t, finding1(r, "source/digits"), "the accepted error is chosen")
	s = shape.Scene("x", nil, box("a", geom.Vec3{-9000, 0, 0}, geom.Vec3{9000, 3, 3}))
	_, r = do(t, s, Decisions{})
	assert.NotNil(t, finding1(r, "source/vast"))
	list := finding1(r, "source/digits").Remedies
	require.Len(t, list, 1, "moving would not help")
	assert.Equal(t, 2000.0, list[0].Decision.(Decisions).Grid)
}

func TestDecisionsArePointedAnew(t *testing.T) {
	d := Decisions{Leave: []string{"a", "b"}, Keep: []string{"c"}, Names: map[string]string{"a": "rope"},
		Split:  []Split{{"a", ByParts}},
		Groups: []Group{{"g", []string{"a", "c"}}, {"h", []string{"a"}}}, Sharing: []string{"a"}}
	assert.Equal(t, []string{"a", "b", "c"}, d.Refs())
	e := d.repointed("a", "z")
	assert.Equal(t, []string{"b", "c", "z"}, e.Refs())
	assert.Equal(t, "rope", e.Names["z"])
	assert.Equal(t, "rope", d.Names["a"], "the old ones are as they were")
	e = d.repointed("a", "")
	assert.Equal(t, []string{"b", "c"}, e.Refs())
	assert.Nil(t, e.Names)
	assert.Len(t, e.Groups, 1)
	_, r := do(t, yard(), Decisions{Leave: []string{"gone"}})
	f := finding1(r, "source/lost-decision")
	require.NotNil(t, f)
	assert.Empty(t, f.Remedies[0].Decision.(Decisions).Leave)
	for _, bad := range []Decisions{{Merge: "some"}, {Split: []Split{{"a", "half"}}}, {Rules: []Rule{{By: "moon"}}},
		{Rules: []Rule{{By: ByKind, What: "whale"}}},
		{Rename: []Rename{{"", "x"}}}, {Rename: []Rename{{"x", "{y}"}}}, {Move: geom.Vec3{math.NaN(), 0, 0}}, {Error: -1}} {
		assert.Error(t, bad.Validate(), fmt.Sprintf("%+v", bad))
	}
}

func TestRandomScenesGoThrough(t *testing.T) {
	for seed := range uint64(60) {
		s := shapetest.Scene(seed)
		v := Look(context.Background(), s, target.Shipped[0])
		d := Decisions{Merge: []Merge{Apart, MergeAll, MergeSlot}[seed%3]}
		for i, k := range v.Keys {
			if s.Nodes[i].Mesh >= 0 && i%2 == 0 {
				d.Split = append(d.Split, Split{k, []SplitBy{ByParts, BySlot}[seed%2]})
			}
		}
		out, _ := do(t, s, d)
		assert.Equal(t, s.Count().Triangles, out.Count().Triangles)
		b, c := s.Bounds(), out.Bounds()
		assert.True(t, b.Min.Near(c.Min, 1e-6) && b.Max.Near(c.Max, 1e-6), "seed %d", seed)
	}
}

func BenchmarkSurvey(b *testing.B) {
	var list []*scene.Mesh
	for i := range 500 {
		m := shapetest.Boulder(23)
		list = append(list, m.Mapped(geom.Translation(geom.Vec3{float64(i%25) * .8, 0, float64(i/25) * .8})))
	}
	s := shape.Scene("field", nil, list...)
	var took time.Duration
	for b.Loop() {
		t := time.Now()
		Look(context.Background(), s, target.Shipped[0])
		took = time.Since(t)
	}
	b.Logf("%d nodes, %d triangles: surveyed in %v", len(s.Nodes), s.Count().Triangles, took)
}

// A mesh that was called as its node goes on being so; one that others place, or that was
// called otherwise, keeps its name.
func TestRenamingANodeRenamesItsMesh(t *testing.T) {
	s := shape.Scene("x", nil, box("crate", geom.Vec3{}, geom.Vec3{1, 1, 1}),
		box("lid", geom.Vec3{0, 1, 0}, geom.Vec3{1, 1.1, 1}),
		box("Mesh.017", geom.Vec3{2, 0, 0}, geom.Vec3{3, 1, 1}))
	s.Nodes[2].Name = "box"
	s.Nodes = append(s.Nodes, scene.Node{Name: "lid two", Kind: scene.KindMesh, Parent: -1, Mesh: 1,
		Local: geom.Translation(geom.Vec3{5, 0, 0})})
	out, _ := do(t, s, Decisions{Names: map[string]string{"crate": "fish crate", "lid": "fish lid", "box": "bait box"}})
	var names []string
	for _, m := range out.Meshes {
		names = append(names, m.Name)
	}
	assert.Equal(t, []string{"fish crate", "lid", "Mesh.017"}, names)
	assert.Equal(t, "crate", s.Meshes[0].Name, "the source is never changed")
}

// Materials equal but for their names are told and joined; those nobody uses are dropped; and
// every face keeps the look it had.
func TestMaterialsAreTidied(t *testing.T) {
	mats := []scene.Material{scene.NewMaterial("wood"), scene.NewMaterial("spare"), scene.NewMaterial("wood.001"),
		scene.NewMaterial("iron"),
		scene.NewMaterial("wood.002")}
	for i, k := range []float64{1, .1, 1, .5, 1} {
		mats[i].BaseColor[0] = k
	}
	k := new(shape.Builder)
	for i, m := range []int{0, 2, 3, 4} {
		k.Slot(m).Box(geom.Vec3{float64(2 * i), 0, 0}, geom.Vec3{float64(2*i) + 1, 1, 1})
	}
	s := shape.Scene("x", mats, k.Mesh("planks"))
	look := func(s *scene.Scene) (list []float64) {
		m := s.Meshes[0]
		for f := range m.Faces() {
			list = append(list, s.Materials[m.Material(f)].BaseColor[0])
		}
		return list
	}
	out, _ := do(t, s, Decisions{})
	assert.Len(t, out.Materials, 5)
	for name, want := range map[string]int{"join": 3, "drop": 4, "both": 2} {
		d := Decisions{JoinTwins: name != "drop", DropUnused: name != "join"}
		got, _ := do(t, s, d)
		assert.Len(t, got.Materials, want, name)
		assert.Equal(t, look(s), look(got), name)
	}
	assert.Equal(t, 4, s.DrawCalls())
	got, _ := do(t, s, Decisions{JoinTwins: true})
	assert.Equal(t, 2, got.DrawCalls())
}
