package prep_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/axes"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// Four decisions, each taken from a finding's remedy or the form, put it right in
// every shipped target, and what was written reads back as what was prepared.
func TestFourDecisionsPutAMessyMeshRight(t *testing.T) {
	for _, to := range target.Shipped {
		t.Run(to.ID, func(t *testing.T) {
			s := preptest.Messy()
			p := prep.Prep{Size: size.Decisions{Class: "street-furniture"}}
			r := preptest.Run(t, s, p, to)
			f := preptest.Find(t, r.Size.Findings(), "size/unit-slip")
			assert.Equal(t, finding.MustFix, f.Severity)
			assert.Equal(t, "About 100 times too large", f.Title)
			p, err := p.With(f.Remedies[0].Decision)
			require.NoError(t, err)
			require.Equal(t, "cm", p.Size.Unit)

			r = preptest.Run(t, s, p, to)
			assert.Empty(t, r.Size.Findings())
			f = preptest.Find(t, r.Axes.Findings(), "axes/lying")
			p, err = p.With(f.Remedies[1].Decision) // it was modelled with Z down, which nothing tells
			require.NoError(t, err)
			require.Equal(t, geom.NegZ, p.Axes.Up)

			r = preptest.Run(t, s, p, to)
			assert.InDelta(t, 2, r.Axes.Size[1], 1e-9)
			f = preptest.Find(t, r.Pivot.Findings(), "pivot/far")
			p, err = p.With(f.Remedies[0].Decision)
			require.NoError(t, err)

			r = preptest.Run(t, s, p, to)
			must, _ := r.Open()
			assert.Zero(t, must)
			// Upright at the origin: the same box as the post as it was built, in
			// the target's coordinates.
			want := geom.EmptyBox()
			m := geom.GLTF.To(to.Basis)
			for _, q := range preptest.Post().Points {
				want = want.Add(m.Apply(q.Sub(geom.Vec3{0, 0, .2})))
			}
			got := r.Delivery.Scene.Bounds()
			assert.True(t, got.Min.Near(want.Min, 1e-9) && got.Max.Near(want.Max, 1e-9), "%v %v", got, want)
			assert.True(t, chiralLikePost(r.Delivery.Scene), "the peg is still on the same side")

			for _, id := range []string{"glb", "gltf", "obj"} {
				pk, err := format.Write(context.Background(), r.Delivery, preptest.Format(t, id), "post", to)
				require.NoError(t, err)
				c, err := deliver.Check(context.Background(), r.Delivery, pk, preptest.Format(t, id), to)
				require.NoError(t, err)
				assert.True(t, c.Equal(), "%s: %+v", id, c.Rows)
			}
		})
	}
}

// chiralLikePost tells whether faces look outward (positive volume) and the peg
// points to the right with the arm to the front.
func chiralLikePost(s *scene.Scene) bool {
	v := s.Carried(geom.Linear(s.Basis.ToView())).Flattened()
	vol, peg := 0.0, geom.EmptyBox()
	for _, m := range v.Meshes {
		m.EachTriangle(func(_ int, a, b, c int32) {
			p := func(i int32) geom.Vec3 { return m.Points[m.Corners[i]] }
			vol += p(a).Dot(p(b).Cross(p(c)))
		})
		for _, p := range m.Points[16:24] {
			peg = peg.Add(p)
		}
	}
	// (right, up, forward) is a left-handed triple, and Carried has turned the
	// winding with it, so outward still means positive.
	return vol > 0 && peg.Min[0] > 0.05 && peg.Max[2] > peg.Min[2]
}

// Nothing is worked out twice, and what a decision changes begins with its station.
func TestOnlyWhatChangedIsWorkedOutAnew(t *testing.T) {
	m := prep.NewMemo(64 << 20)
	in := prep.Input{Key: "k", Scene: preptest.Messy(), Target: preptest.YUp}
	p := prep.Prep{}
	run := func() *prep.Result {
		r, err := prep.Run(context.Background(), in, p, m)
		require.NoError(t, err)
		return r
	}
	was := run()
	assert.Zero(t, was.Hits)
	again := run()
	all := again.Hits
	assert.GreaterOrEqual(t, all, len(prep.Stations())-1, "Export alone is too small to keep")

	for _, c := range []struct {
		first  string
		change func()
	}{
		{"pivot", func() { p.Pivot = pivot.BaseCentre }},
		{"size", func() { p.Size.Unit = "cm" }},
		{"axes", func() { in.Target = preptest.ZUpLeft }},
		{"source", func() { p.Source.Leave = []string{"none"} }},
	} {
		c.change()
		is := run()
		assert.Less(t, is.Hits, all, c.first)
		changed := false
		for i, s := range is.Stops() {
			changed = changed || s.ID == c.first
			if changed {
				assert.NotEqual(t, was.Stops()[i].Key, s.Key, "%s changes %s", c.first, s.ID)
			} else {
				assert.Equal(t, was.Stops()[i].Key, s.Key, "%s leaves %s alone", c.first, s.ID)
				assert.Same(t, was.Stops()[i].Scene, s.Scene)
			}
		}
		was = is
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := prep.Run(ctx, in, p, m)
	assert.ErrorIs(t, err, context.Canceled)
}

// The memo counts pictures and indices, so its bound is one of memory.
func TestScenesWeighWhatTheyHold(t *testing.T) {
	s := preptest.Messy()
	before := s.Bytes()
	s.Images = append(s.Images, scene.Image{Name: "bark.png", Data: make([]byte, 5<<20)})
	assert.InDelta(t, 5<<20, s.Bytes()-before, 4096)

	m := prep.NewMemo(8 << 20)
	for i := range 4 { // each has a picture of its own: two do not fit
		s := preptest.Messy()
		s.Images = []scene.Image{{Name: "bark.png", Data: make([]byte, 5<<20)}}
		_, err := prep.Run(context.Background(), prep.Input{Key: fmt.Sprint(i), Scene: s, Target: preptest.YUp}, prep.Prep{},
			m)
		require.NoError(t, err)
		bytes, _ := m.Size()
		assert.LessOrEqual(t, bytes, int64(8<<20))
	}
}

func TestAKeyNoStationKnowsIsNamed(t *testing.T) {
	for in, want := range map[string]string{
		`{"sise":{}}`:                           "size",
		`{"size":{"untit":"cm"}}`:               "unit",
		`{"source":{"rules":[{"bye":"kind"}]}}`: "by",
		`{"size":{"unit":"cm"}} more`:           "can't be read",
		`[1]`:                                   "",
	} {
		_, err := prep.Parse([]byte(in))
		if assert.Error(t, err, in) {
			assert.Contains(t, err.Error(), want)
			assert.NotZero(t, fault.KindOf(err), "%s is the asker's fault", in)
		}
	}
	for _, same := range []string{`{"source":{"leave":[],"rules":[],"merge":""}}`, `{"pivot":{"markers":[],"each":{}}}`,
		`{}`, ``} {
		p, err := prep.Parse([]byte(same))
		require.NoError(t, err, same)
		assert.Equal(t, prep.Prep{}, p, "%s decides nothing", same)
	}
}

func TestPrepSurvivesKeeping(t *testing.T) {
	p := prep.Prep{Source: source.Decisions{Leave: []string{"a/b"}}, Size: size.Decisions{Unit: "custom", Metres: 0.3},
		Axes:  axes.Decisions{Up: geom.NegZ, Turns: []axes.Turn{{About: axes.AboutRight, Degrees: 12.5}}},
		Pivot: pivot.Decisions{Place: pivot.At, Point: geom.Vec3{1, 2, 3}}}
	got, err := prep.Parse(p.JSON())
	require.NoError(t, err)
	assert.Equal(t, p, got)
	assert.JSONEq(t, `{"pivot":{"place":"box","box":[0,-1,0]}}`, string(prep.Prep{Pivot: pivot.BaseCentre}.JSON()))
	_, err = prep.Parse([]byte(`{"axes":{"up":"sideways"}}`))
	assert.ErrorContains(t, err, "no axis")
	_, err = prep.Parse([]byte(`{"axes":{"up":"+X","forward":"-X"}}`))
	assert.Error(t, err)
}

// A decision and its undo give the same bytes.
func TestUndoneDecisionsLeaveNoTrace(t *testing.T) {
	s := shapetest.Scene(3)
	c := prep.NewMemo(64 << 20)
	write := func(p prep.Prep) []byte {
		r, err := prep.Run(context.Background(), prep.Input{Key: "k", Scene: s, Target: preptest.ZUpLeft}, p, c)
		require.NoError(t, err)
		pk, err := format.Write(context.Background(), r.Delivery, preptest.Format(t, "fbx"), "x", preptest.ZUpLeft)
		require.NoError(t, err)
		return pk.Files[0].Data
	}
	before := write(prep.Prep{})
	for _, p := range []prep.Prep{{Size: size.Decisions{Bake: size.BakeAll}},
		{Axes: axes.Decisions{Pose: geom.Vec3{10, 20, 30},
			Drop: true}},
		{Pivot: pivot.Decisions{Place: pivot.OnMass, Heading: 33, Under: true}}} {
		assert.NotEqual(t, before, write(p))
		assert.Equal(t, before, write(prep.Prep{}))
	}
}

// The same file and decisions give the same bytes on any number of processors: meshes
// here are large enough for everything that is split to be split.
func TestTheNumberOfProcessorsChangesNothing(t *testing.T) {
	m := new(shape.Builder).Grid(400, 300, func(u, v float64) geom.Vec3 {
		return geom.Vec3{3 * u, math.Sin(40*u) * math.Cos(37*v) * .2, -3 * v}
	}).Mesh("terrain")
	s := shape.Scene("terrain", []scene.Material{scene.NewMaterial("ground")}, m)
	s.Nodes[0].Local = geom.Linear(geom.Rotation(geom.Vec3{1, 2, 3}, .7))
	pk, err := format.Write(context.Background(), scene.Delivery{Scene: s}, preptest.Format(t, "obj"), "terrain",
		preptest.YUp)
	require.NoError(t, err)
	require.Greater(t, len(pk.Files[0].Data), 4<<20, "more than a chunk of the reader")
	p := prep.Prep{Size: size.Decisions{Bake: size.BakeAll}, Axes: axes.Decisions{Pose: geom.Vec3{10, 20, 30}, Drop: true},
		Pivot: pivot.Decisions{Place: pivot.OnMass, Heading: 33}}
	prepared := func(processors int) []byte {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(processors))
		got, _, err := format.Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
		require.NoError(t, err)
		r := preptest.Run(t, got, p, preptest.ZUpLeft)
		st := preptest.Standing(t, r)
		out, err := format.Write(context.Background(), r.Delivery, preptest.Format(t, "fbx"), "x", preptest.ZUpLeft)
		require.NoError(t, err)
		return fmt.Appendf(out.Files[0].Data, "%v %v", r.Pivot.Where, st.Stances)
	}
	one := prepared(1)
	others := []int{3, 2, 8}
	if testing.Short() {
		others = others[:1]
	}
	for _, n := range others {
		assert.True(t, bytes.Equal(one, prepared(n)), "%d processors", n)
	}
}

// Thickness is given by name to one sheet of two, under a pivot that puts a node above both.
func TestASheetIsGivenThicknessByTheNameItHasThere(t *testing.T) {
	sheet := func(name string, x float64) *scene.Mesh {
		return (&shape.Builder{}).Grid(2, 2, func(u, v float64) geom.Vec3 { return geom.Vec3{x + u, v, 0} }).Mesh(name)
	}
	s := shape.Scene("flags", nil, sheet("flag", 0), sheet("pennant", 3))
	p := prep.Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{0, -1, 0}, Under: true}}
	in := prep.Input{Key: "k", Scene: s, Target: target.Shipped[0]}
	r, err := prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	require.Len(t, r.Surface.Mesh, 2)
	key := r.Surface.Mesh[1].Key
	p.Surface.Thickness, p.Surface.Of = 0.01, []string{key}
	r, err = prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	assert.Empty(t, r.Lost())
	require.Len(t, r.Surface.Done, 1)
	assert.Equal(t, 1, r.Surface.Done[0].Count)
	assert.Equal(t, key, r.Surface.Mesh[1].Key, "it has the name it was given by")
	assert.Equal(t, []int{1, 0}, []int{r.Surface.Mesh[0].Sheets, r.Surface.Mesh[1].Sheets})
}

// Two nodes that share a plane are told at Surface, and the remedy of it is Source's.
func TestNodesThatSharePlanesAreOneMatterWithFacesThatDo(t *testing.T) {
	wall := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{4, 3, 0.2}).Mesh("wall")
	sign := (&shape.Builder{}).Box(geom.Vec3{1, 1, 0.1}, geom.Vec3{2, 2, 0.2}).Mesh("sign")
	in := prep.Input{Key: "k", Scene: shape.Scene("yard", nil, wall, sign), Target: target.Shipped[0]}
	p := prep.Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 2}, Pivot: pivot.BaseCentre}
	r, err := prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	i := slices.IndexFunc(r.Surface.Findings(), func(f finding.Finding) bool { return f.Code == "surface/flicker-1" })
	require.GreaterOrEqual(t, i, 0)
	f := r.Surface.Findings()[i]
	assert.Contains(t, f.Title, "wall")
	assert.Contains(t, f.Text, "4\u202fm²", "of the asset as large as it is decided to be")
	require.NotNil(t, f.Place.Point)
	assert.LessOrEqual(t, r.Surface.Box.Distance(*f.Place.Point), 1e-9, "it is on the asset as it stands there")
	require.Len(t, f.Remedies, 2)
	for i, triangles := range []int{12, 24} {
		by, err := p.With(f.Remedies[i].Decision)
		require.NoError(t, err)
		require.NoError(t, by.Validate())
		now, err := prep.Run(context.Background(), in, by, nil)
		require.NoError(t, err)
		for _, f := range now.Findings() {
			assert.NotContains(t, f.Code, "flicker", f.Title)
		}
		assert.Equal(t, triangles, now.Delivery.Scene.Count().Triangles)
		if i == 1 { // out by what was said, and by nothing else
			deep := now.Delivery.Scene.Bounds().Size().Sub(r.Delivery.Scene.Bounds().Size())
			assert.InDelta(t, by.Surface.Hairs[0].By.Len(), deep.Len(), 1e-9)
			assert.Contains(t, f.Remedies[1].Label, figure.Length(deep.Len()))
			assert.Equal(t, "sign", by.Surface.Hairs[0].Node)
		}
	}
}
