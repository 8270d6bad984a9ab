package lods_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/process/ladder"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/lods"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
)

var ctx = context.Background()

func rock() *scene.Scene {
	s := shape.Scene("rock", []scene.Material{{Name: "stone"}}, shapetest.Boulder(20))
	s.Meshes[0].Slots = []int{0}
	return s
}

func with(d lods.Decisions) prep.Prep { return prep.Prep{LODs: d} }

func codes(r *lods.Report) map[string]finding.Finding {
	m := map[string]finding.Finding{}
	for _, f := range r.Findings() {
		m[strings.TrimPrefix(f.Code, "lods/")] = f
	}
	return m
}

// wish is a ladder of LODs that are made.
func wish(list ...ladder.Wish) (out []lods.Level) {
	for _, w := range list {
		out = append(out, lods.Level{Wish: w})
	}
	return out
}

func TestALadderIsSolvedEitherWay(t *testing.T) {
	view := ladder.View{Lines: preptest.YUp.View.Lines, Angle: preptest.YUp.View.Angle}
	byShare := preptest.Run(t, rock(),
		with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.5}, ladder.Wish{Share: 0.1})}), preptest.YUp)
	list := byShare.LODs.LODs
	require.Len(t, list, 3)
	for i, l := range list[1:] {
		assert.InDelta(t, 1, l.Pixels, 1e-6, "it takes over where it shows by a pixel")
		assert.LessOrEqual(t, l.Seen, l.Pixels+1e-9)
		assert.InDelta(t, []float64{0.5, 0.1}[i], float64(l.Cost.Triangles)/float64(list[0].Cost.Triangles), 0.01)
		assert.Greater(t, l.From, list[i].From)
		assert.InDelta(t, view.ShareAt(byShare.LODs.Size, l.From), l.Screen, 1e-12)
		// An independent, denser sampling finds no more than is said.
		is := deviation.Of(ctx, byShare.Delivery.Scene, l.Scene, 60_000).Worst()
		assert.LessOrEqual(t, is.Max, l.Visible*1.03)
		assert.InDelta(t, is.RMS, l.Deviation.Worst().RMS, 0.02*is.RMS)
	}
	// The other way round: those distances bear those triangles, or fewer.
	var levels []lods.Level
	for _, l := range list[1:] {
		levels = append(levels, lods.Level{Wish: ladder.Wish{From: l.From * 1.0001}})
	}
	byDistance := preptest.Run(t, rock(), with(lods.Decisions{Levels: levels}), preptest.YUp).LODs.LODs
	kept, err := prep.Parse(with(lods.Decisions{Levels: append(levels, lods.Level{Hand: 3}),
		Making: ladder.Making{Weights: map[string]int{"a": 0}}}).JSON())
	require.NoError(t, err)
	assert.Equal(t, levels[0], kept.LODs.Levels[0], "they are kept as they are")
	require.Len(t, byDistance, 3)
	for i, l := range byDistance[1:] {
		assert.LessOrEqual(t, l.Cost.Triangles, list[i+1].Cost.Triangles)
		assert.LessOrEqual(t, l.Pixels, 1+1e-9)
	}
	// Twice the pixels, half the distance.
	twice := preptest.Run(t, rock(), with(lods.Decisions{Pixels: 2, Levels: wish(ladder.Wish{Share: 0.5})}),
		preptest.YUp).LODs.LODs
	reach := byShare.LODs.View.Reach
	assert.InDelta(t, reach+(list[1].From-reach)/2, twice[1].From, 1e-9)
}

func TestLODsAreAskedForByCountAndByDeviation(t *testing.T) {
	r := preptest.Run(t, rock(), with(lods.Decisions{Levels: []lods.Level{{Wish: ladder.Wish{Deviation: 0.01}},
		{Wish: ladder.Wish{Triangles: 123}},
		{Wish: ladder.Wish{Triangles: 20, From: 500}}}}), preptest.YUp)
	list := r.LODs.LODs
	require.Len(t, list, 4)
	assert.LessOrEqual(t, list[1].Visible, 0.01)
	assert.Greater(t, list[1].Visible, 0.004, "and about as coarse as that allows")
	assert.LessOrEqual(t, list[2].Cost.Triangles, 123)
	assert.GreaterOrEqual(t, list[2].Cost.Triangles, 119)
	assert.LessOrEqual(t, list[3].Cost.Triangles, 20)
	assert.Equal(t, 500.0, list[3].From)
	again := preptest.Run(t, rock(), with(lods.Decisions{}.With(r.LODs.LevelsNow())), preptest.YUp)
	for i, l := range again.LODs.LODs {
		assert.Equal(t, list[i].Cost, l.Cost, "written out they are the same")
	}
}

func TestAsFewAsBringTheSaving(t *testing.T) {
	r := preptest.Run(t, rock(), prep.Prep{Size: size.Decisions{Class: "street-furniture"}}, preptest.YUp)
	f := preptest.Find(t, r.LODs.Findings(), "lods/none")
	assert.Equal(t, finding.Look, f.Severity)
	p, err := prep.Prep{Size: size.Decisions{Class: "street-furniture"}}.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	r = preptest.Run(t, rock(), p, preptest.YUp)
	assert.LessOrEqual(t, len(r.LODs.LODs)-1, 4, "no more than the target reckons with")
	assert.GreaterOrEqual(t, len(r.LODs.LODs), 2)
	assert.Greater(t, r.LODs.Saved(), 0.3)
	assert.Equal(t, len(r.LODs.LODs)-1, len(r.Delivery.LODs))
	require.NoError(t, r.Delivery.Validate())
	// Written out, the ladder is the same.
	p.LODs = p.LODs.With(r.LODs.LevelsNow())
	require.NoError(t, p.Validate())
	again := preptest.Run(t, rock(), p, preptest.YUp)
	require.Len(t, again.LODs.LODs, len(r.LODs.LODs))
	for i, l := range again.LODs.LODs {
		assert.Equal(t, r.LODs.LODs[i].Cost, l.Cost)
		assert.InDelta(t, r.LODs.LODs[i].From, l.From, 0.006*l.From, "distances are rounded to three digits")
	}
}

// LODs stand where the asset stands, however it is decided to stand, and are made once for all of
// that: another pivot or size takes them as they are.
func TestLODsFollowTheAsset(t *testing.T) {
	memo := prep.NewMemo(1 << 30)
	run := func(p prep.Prep, s *scene.Scene) *prep.Result {
		r, err := prep.Run(ctx, prep.Input{Key: "k", Scene: s, Target: preptest.ZUpLeft}, p, memo)
		require.NoError(t, err)
		return r
	}
	p := with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.25})})
	src := rock()
	src.Nodes[0].Local = geom.Translation(geom.Vec3{3, 0, 1}).Mul(geom.Linear(geom.Rotation(geom.Vec3{0, 1, 0}, 0.7)))
	first := run(p, src)
	for _, change := range []func(p *prep.Prep){
		func(*prep.Prep) {},
		func(p *prep.Prep) { p.Size.Fit, p.Size.Factor = size.ByFactor, 2 },
		func(p *prep.Prep) { p.Pivot = pivot.Decisions{Place: pivot.OnMass} },
		func(p *prep.Prep) { p.Size.Bake = size.BakeAll },
	} {
		q := p
		change(&q)
		require.NoError(t, q.Validate())
		r := run(q, src)
		l := r.LODs.LODs[1]
		a, b := r.Delivery.Scene.Bounds(), l.Scene.Bounds()
		off := l.Visible * 1.01
		assert.True(t, a.Min.Near(b.Min, off) && a.Max.Near(b.Max, off), "%+v: %v and %v", q, a, b)
		assert.LessOrEqual(t, deviation.Of(ctx, r.Delivery.Scene, l.Scene, 20_000).Worst().Max, l.Visible*1.03)
		assert.Equal(t, first.LODs.LODs[1].Cost.Triangles, l.Cost.Triangles)
		if q.Size.Factor == 2 {
			assert.InDelta(t, 2*first.LODs.LODs[1].From, l.From, 1e-9, "twice as large, it shows twice as far")
		}
	}
}

// What the file hides is hidden in every LOD.
func TestWhatIsHiddenStaysSo(t *testing.T) {
	s := rock()
	s.Nodes = append([]scene.Node{{Name: "all", Kind: scene.KindEmpty, Parent: -1, Mesh: -1, Local: geom.Identity,
		Hidden: true}}, s.Nodes...)
	s.Nodes[1].Parent = 0
	r := preptest.Run(t, s, with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.25})}), preptest.YUp)
	require.Len(t, r.Delivery.LODs, 1)
	assert.True(t, r.Delivery.LODs[0].Scene.Nodes[0].Hidden)
}

// A ladder is replayed on another revision, whose meshes differ.
func TestALadderOutlastsARevision(t *testing.T) {
	p := with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.5, From: 9}, ladder.Wish{Share: 0.1})})
	for _, rings := range []int{16, 22} {
		s := shape.Scene("rock", nil, shapetest.Boulder(rings))
		r := preptest.Run(t, s, p, preptest.YUp)
		require.Len(t, r.LODs.LODs, 3)
		assert.Equal(t, 9.0, r.LODs.LODs[1].From)
		assert.InDelta(t, 0.1, float64(r.LODs.LODs[2].Cost.Triangles)/float64(r.LODs.LODs[0].Cost.Triangles), 0.01)
	}
}

func TestWhatCantBeHadIsSaid(t *testing.T) {

	// Too near for anything coarser, and no coarser than the one before.
	levels := wish(ladder.Wish{From: 0.02}, ladder.Wish{Share: 0.2}, ladder.Wish{Share: 0.4})
	r := preptest.Run(t, rock(), with(lods.Decisions{Levels: levels}), preptest.YUp).LODs
	require.Len(t, r.LODs, 2)
	found := codes(r)
	assert.Contains(t, found["left-out-1"].Text, "nothing coarser")
	assert.Contains(t, found["left-out-3"].Text, "no fewer")
	// Dropping one leaves the others.
	d := found["left-out-1"].Remedies[0].Decision.(lods.Decisions)
	assert.Len(t, d.Levels, 2)
	// What holds it, and what frees it, by the names that Surface has for that.
	box := shape.Scene("box", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
	r = preptest.Run(t, box, with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.3})}), preptest.YUp).LODs
	held := codes(r)["left-out-1"].Text
	assert.Contains(t, held, "its outline and its seams")
	assert.Contains(t, held, "At Surface, “Join points within”")
	for _, h := range []simplify.Holder{simplify.Outline, simplify.Holes, simplify.Allowed} {
		assert.NotEmpty(t, h.Words(), h)
	}
	// Where it shows by too much the remedy puts it farther.
	r = preptest.Run(t, rock(), with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.02, From: 1})}), preptest.YUp).LODs
	f := codes(r)["shows-1"]
	assert.Equal(t, finding.Look, f.Severity)
	again := preptest.Run(t, rock(), with(f.Remedies[0].Decision.(lods.Decisions)), preptest.YUp).LODs
	assert.InDelta(t, 1, again.LODs[1].Pixels, 1e-6)
	assert.Empty(t, codes(again))
	// All of it locked.
	r = preptest.Run(t, rock(), with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.5}),
		Making: ladder.Making{Weights: map[string]int{"stone": 0}}}), preptest.YUp).LODs
	assert.Contains(t, codes(r)["left-out-1"].Text, "None of its triangles can go")
	for _, bad := range []lods.Decisions{
		{Levels: wish(ladder.Wish{})}, {Levels: wish(ladder.Wish{Share: 1})},
		{Levels: wish(ladder.Wish{From: 5}, ladder.Wish{From: 5})},
		{Levels: []lods.Level{{Wish: ladder.Wish{Share: 0.5}, Hand: 1}}}, {Pixels: 0.001}, {Vanish: -1}, {Fade: 90},
		{Outside: 9},
		{Few: true, None: true}, {Making: ladder.Making{Detail: -2}}, {Making: ladder.Making{Angle: 181}},
		{Making: ladder.Making{Blend: 101}},
		{Making: ladder.Making{Weights: map[string]int{"a": -1}}}, {Levels: make([]lods.Level, 9)},
	} {
		assert.Error(t, bad.Validate(), "%+v", bad)
	}
}

func TestALargeSceneIsMadeWhenThatIsAskedFor(t *testing.T) {
	s := shape.Scene("rock", nil, shapetest.Boulder(56))
	memo := prep.NewMemo(1 << 30)
	shelf := shelf{}
	in := prep.Input{Key: "k", Scene: s, Target: preptest.YUp, Shelf: shelf}
	p := with(lods.Decisions{Levels: wish(ladder.Wish{Share: 0.25})})
	r, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	assert.True(t, r.LODs.Pending)
	assert.Empty(t, r.Delivery.LODs)
	told := 0.0
	in.Make, in.Progress = true, func(_ string, f float64) { told = max(told, f) }
	made, err := prep.Run(ctx, in, p, memo)
	require.NoError(t, err)
	require.Len(t, made.Delivery.LODs, 1)
	assert.InDelta(t, 1, told, 1e-9)
	// From then on it is there, in memory or on the shelf.
	for _, m := range []*prep.Memo{memo, prep.NewMemo(1 << 30)} {
		r, err = prep.Run(ctx, prep.Input{Key: "k", Scene: s, Target: preptest.YUp, Shelf: shelf}, p, m)
		require.NoError(t, err)
		require.Len(t, r.Delivery.LODs, 1)
		assert.Equal(t, made.Delivery.LODs[0].From, r.Delivery.LODs[0].From)
		assert.Equal(t, made.Delivery.LODs[0].Scene.Meshes, r.Delivery.LODs[0].Scene.Meshes)
	}
	gone, stop := context.WithCancel(ctx)
	stop()
	_, err = prep.Run(gone, in, with(lods.Decisions{Few: true, Making: ladder.Making{OfFirst: true}}), memo)
	assert.ErrorIs(t, err, context.Canceled)
}

type shelf map[string][]byte

func (s shelf) Load(key string) ([]byte, bool) { b, ok := s[key]; return b, ok }
func (s shelf) Save(key string, b []byte)      { s[key] = b }

// Each fault that LODs made by hand have is found, and nothing else.
func TestLODsMadeByHandAreJudged(t *testing.T) {
	fine := func() *scene.Mesh {
		m := (&shape.Builder{}).Lathe([][2]float64{{0, 0}, {0.5, 0}, {0.5, 2}, {0, 2}}, 48).Mesh("post")
		m.Slots = []int{0}
		return m
	}
	coarse := func(name string, sides int) *scene.Mesh {
		m := (&shape.Builder{}).Lathe([][2]float64{{0, 0}, {0.5, 0}, {0.5, 2}, {0, 2}}, sides).Mesh(name)
		m.Slots = []int{0}
		return m
	}
	for want, change := range map[string]func(list []*scene.Mesh, s *scene.Scene){
		"":           func([]*scene.Mesh, *scene.Scene) {},
		"gap-3":      func(_ []*scene.Mesh, s *scene.Scene) { s.Nodes[2].Name = "post lod 3" },
		"finer-2":    func(list []*scene.Mesh, s *scene.Scene) { *list[2] = *coarse("x", 40); list[2].Name = "post lod 2" },
		"close-2":    func(list []*scene.Mesh, s *scene.Scene) { *list[2] = *coarse("x", 22); list[2].Name = "post lod 2" },
		"new-slot-1": func(list []*scene.Mesh, s *scene.Scene) { list[1].Slots = []int{1} },
		"uvs-2":      func(list []*scene.Mesh, s *scene.Scene) { list[2].UVs = nil },
		"smoothing-1": func(list []*scene.Mesh, s *scene.Scene) {
			list[1].Smooth = nil
			list[1].Normals = scene.Layer[[3]float32]{}
		},
		"pivot-1": func(list []*scene.Mesh, s *scene.Scene) {
			shift(list[1], -1)
			s.Nodes[1].Local = geom.Translation(geom.Vec3{1, 0, 0})
		},
		"extent-2":      func(list []*scene.Mesh, s *scene.Scene) { shift(list[2], 0.4) },
		"names-no-mesh": func(list []*scene.Mesh, s *scene.Scene) { s.Nodes[2].Name = "pots lod 2" },
	} {
		s := shape.Scene("post", []scene.Material{{Name: "wood"}, {Name: "iron"}}, fine(), coarse("post lod 1", 24),
			coarse("post lod 2", 9))
		if s.Meshes[0].Smooth == nil && !s.Meshes[0].Normals.Has() {
			t.Fatal("the asset has normals")
		}
		change(s.Meshes, s)
		r := preptest.Run(t, s, prep.Prep{}, preptest.YUp)
		found := codes(r.LODs)
		if want == "names-no-mesh" {
			preptest.Find(t, r.Source.Findings(), "source/simpler-level")
			assert.Len(t, r.LODs.LODs, 2)
			continue
		}
		require.Len(t, r.LODs.LODs, 3, want)
		if want == "" {
			assert.Empty(t, found)
			continue
		}
		require.Contains(t, found, want)
		for code := range found {
			if code != want && !(want == "pivot-1" && code == "extent-1") {
				t.Errorf("%s is said besides %s", code, want)
			}
		}
		for i, rem := range found[want].Remedies {
			d := rem.Decision.(lods.Decisions)
			require.NoError(t, d.Validate(), fmt.Sprint(want, i))
			after := codes(preptest.Run(t, s, with(d), preptest.YUp).LODs)
			assert.NotContains(t, after, want, "remedy %q", rem.Label)
		}
	}
}

func shift(m *scene.Mesh, x float64) {
	for i := range m.Points {
		m.Points[i][0] += x
	}
}

// Hand-made LODs and made ones share a ladder; the file's own distances count.
func TestHandMadeAndMadeLODsShareALadder(t *testing.T) {
	s := rock()
	low := shapetest.Boulder(6)
	low.Name = "boulder lod 1"
	low.Slots = []int{0}
	s.Meshes = append(s.Meshes, low)
	s.Nodes = append(s.Nodes, scene.Node{Name: "boulder lod 1", Kind: scene.KindMesh, Parent: -1, Mesh: 1,
		Local: geom.Identity})
	p := with(lods.Decisions{Levels: []lods.Level{{Wish: ladder.Wish{Share: 0.5}}, {Hand: 1},
		{Wish: ladder.Wish{Share: 0.02}}}})
	r := preptest.Run(t, s, p, preptest.YUp)
	require.Len(t, r.LODs.LODs, 4)
	assert.Equal(t, low.Triangles(), r.LODs.LODs[2].Cost.Triangles)
	assert.NotNil(t, r.LODs.LODs[2].Fetched.Hand)
	group := scene.Node{Name: "rock", Kind: scene.KindLOD, Parent: -1, Mesh: -1, Local: geom.Identity,
		Thresholds: []float64{17}}
	s.Nodes = append([]scene.Node{group}, s.Nodes...)
	for i := range s.Nodes[1:] {
		s.Nodes[i+1].Parent, s.Nodes[i+1].Name = 0, fmt.Sprint("part ", i)
	}
	r = preptest.Run(t, s, prep.Prep{}, preptest.YUp)
	require.Len(t, r.LODs.LODs, 2)
	assert.Equal(t, 17.0, r.LODs.LODs[1].From)
}

// From a LOD on only what is seen goes in.
func TestFarLODsAreOfTheOutside(t *testing.T) {
	b := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1})
	inside := geom.Translation(geom.Vec3{0.5, 0.5, 0.5}).Mul(geom.Linear(geom.Identity3.Scaled(0.6)))
	m := scene.Joined("crate", []*scene.Mesh{b.Mesh("shell"), shapetest.Boulder(10).Mapped(inside)})
	s := shape.Scene("crate", nil, m)
	r := preptest.Run(t, s, with(lods.Decisions{Outside: 1, Levels: wish(ladder.Wish{Share: 0.02})}), preptest.YUp)
	require.Len(t, r.LODs.LODs, 2)
	assert.Equal(t, 12, r.LODs.LODs[1].Cost.Triangles, "the shell alone")
	assert.InDelta(t, 0, r.LODs.LODs[1].Visible, 1e-12)
}

// Meshes with all that is wrong with meshes make ladders without a number that is none, or say why
// not.
func TestOddMeshesMakeLaddersOrSayWhyNot(t *testing.T) {
	soup := func(points []geom.Vec3, corners ...int32) *scene.Mesh {
		m := &scene.Mesh{Name: "odd", Points: points, Corners: corners, FaceStart: []int32{0}, Slots: []int{-1}}
		for c := 3; c <= len(corners); c += 3 {
			m.FaceStart = append(m.FaceStart, int32(c))
		}
		return m
	}
	var loose []geom.Vec3
	var order []int32
	corners := 3000
	if testing.Short() {
		corners = 600
	}
	for i := range corners {
		loose = append(loose, geom.Vec3{float64(i/3%100) + 0.3*float64(i%3), float64(i / 300), 0.3 * float64(i%2)})
		order = append(order, int32(i))
	}
	sheet := (&shape.Builder{}).Grid(20, 20, func(u, v float64) geom.Vec3 { return geom.Vec3{u, 0, v} }).Mesh("plane")
	twice := scene.Joined("twice", []*scene.Mesh{sheet, sheet})
	var fan []int32
	pts := []geom.Vec3{{0, 0, 0}, {0, 1, 0}}
	for i := range 300 {
		pts = append(pts, geom.Vec3{float64(1 + i%7), float64(i % 5), float64(i)})
		fan = append(fan, 0, 1, int32(2+i))
	}
	holed := shapetest.Boulder(14)
	part := make([]int32, holed.Faces())
	for f := range part {
		if f%9 == 0 {
			part[f] = 1
		}
	}
	for name, m := range map[string]*scene.Mesh{
		"a triangle":        soup([]geom.Vec3{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, 0, 1, 2),
		"no area":           soup([]geom.Vec3{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, 0, 1, 2),
		"one place":         soup([]geom.Vec3{{1, 1, 1}, {1, 1, 1}, {1, 1, 1}}, 0, 1, 2),
		"loose":             soup(loose, order...),
		"a plane":           sheet,
		"faces twice":       twice,
		"three-faced edges": soup(pts, fan...),
		"with holes":        holed.Cut(part, 2)[0],
	} {
		for _, d := range []lods.Decisions{{Few: true}, {Levels: wish(ladder.Wish{Share: 0.5}, ladder.Wish{Triangles: 1})},
			{Levels: wish(ladder.Wish{From: 3}), Outside: 1, Making: ladder.Making{Mirrored: true, KeepPoints: true,
				Angle: 30}}} {
			r := preptest.Run(t, shape.Scene(name, nil, m), with(d), preptest.YUp).LODs
			for _, l := range r.LODs {
				for _, v := range []float64{l.From, l.Pixels, l.Seen, l.Visible, l.Share, l.Screen, l.Deviation.Worst().RMS,
					r.Saved(), r.Drawn} {
					assert.False(t, math.IsNaN(v) || math.IsInf(v, 0), "%s: %+v", name, l)
				}
				for _, mesh := range l.Scene.Meshes {
					require.NoError(t, mesh.Validate(), name)
					for _, p := range mesh.Points {
						require.True(t, p.IsFinite(), name)
					}
				}
			}
			for i := 0; i < len(d.Levels); i++ { // what is not there is said
				if len(r.LODs)-1 < len(d.Levels) {
					assert.NotEmpty(t, r.Findings(), "%s %+v", name, d)
				}
			}
		}
	}
}

// From wherever a LOD is seen at the distance it takes over at, no place of the asset is so near that what is off there
// shows by more than is allowed: by eyes all round it and every point it has.
func TestNothingShowsFromAnywhere(t *testing.T) {
	s := shape.Scene("mast", nil, new(shape.Builder).Lathe([][2]float64{{.8, 0}, {.5, .6}, {.2, 6}, {.5, 6.4}, {0, 7}},
		96).Mesh("mast"))
	r := preptest.Run(t, s, with(lods.Decisions{Levels: wish(ladder.Wish{Share: .6}, ladder.Wish{Share: .35})}),
		preptest.YUp)
	view := ladder.View{Lines: preptest.YUp.View.Lines, Angle: preptest.YUp.View.Angle}
	whole := r.Delivery.Scene
	middle := whole.Bounds().Center()
	require.Len(t, r.LODs.LODs, 3)
	worst := 0.0
	for _, l := range r.LODs.LODs[1:] {
		require.InDelta(t, 1, l.Pixels, 1e-6)
		for i := range 500 {
			turn, up := 2.4*float64(i), 1-2*(float64(i)+.5)/500
			flat := math.Sqrt(1 - up*up)
			eye := middle.Add(geom.Vec3{flat * math.Cos(turn), up, flat * math.Sin(turn)}.Mul(l.From))
			for _, m := range whole.Meshes {
				for _, p := range m.Points {
					shows := l.Visible * view.PixelsAt(eye.Dist(p))
					assert.LessOrEqual(t, shows, 1+1e-9)
					worst = max(worst, shows)
				}
			}
		}
	}
	assert.Greater(t, worst, .9, "and hardly farther than that takes")
}
