package prep

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/measure"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/axes"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

var (
	zUpLeft = target.Shipped[1]
	yUp     = target.Shipped[0]
)

// post is an L-shaped thing, 0.8 wide, 2 tall, 1.2 deep, chiral, standing upright on
// the origin in glTF's basis: an upright with an arm to the front and a peg to the right.
func post() *scene.Mesh {
	return new(shape.Builder).
		Box(geom.Vec3{-.2, 0, -.2}, geom.Vec3{.2, 2, .2}).
		Box(geom.Vec3{-.1, 1.6, .2}, geom.Vec3{.1, 1.8, .8}).
		Box(geom.Vec3{-.2, .3, .2}, geom.Vec3{-.1, .4, .3}).
		Box(geom.Vec3{-.4, 0, -.4}, geom.Vec3{.4, .1, .4}).Mesh("post")
}

// messy is post in centimetres, lying on its back, forty metres off.
func messy() *scene.Scene {
	s := shape.Scene("post", nil, post())
	lie := geom.Linear(geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2).Scaled(100))
	lie.T = geom.Vec3{4000, 0, -300}
	s = s.Carried(lie)
	// As a file has it: the points moved, the node at the scene's origin.
	s = s.Flattened()
	s.BasisHow, s.UnitHow = scene.Assumed, scene.Assumed
	return s
}

func run(t testing.TB, s *scene.Scene, p Prep, to target.Target) *Result {
	t.Helper()
	r, err := Run(context.Background(), Input{Key: "k", Scene: s, Target: to}, p, nil)
	require.NoError(t, err)
	return r
}

func find(t testing.TB, list []finding.Finding, code string) finding.Finding {
	t.Helper()
	for _, f := range list {
		if f.Code == code {
			return f
		}
	}
	require.Failf(t, "no such finding", "%s in %v", code, list)
	return finding.Finding{}
}

// Four decisions, each taken from a finding's remedy or the form, put it right in
// every shipped target, and what was written reads back as what was prepared.
func TestFourDecisionsPutAMessyMeshRight(t *testing.T) {
	for _, to := range target.Shipped {
		t.Run(to.ID, func(t *testing.T) {
			s := messy()
			p := Prep{Size: size.Decisions{Class: "street-furniture"}}
			r := run(t, s, p, to)
			f := find(t, r.Size.Findings(), "size/unit-slip")
			assert.Equal(t, finding.MustFix, f.Severity)
			assert.Equal(t, "About 100 times too large", f.Title)
			p, err := p.With(f.Remedies[0].Decision)
			require.NoError(t, err)
			require.Equal(t, "cm", p.Size.Unit)

			r = run(t, s, p, to)
			assert.Empty(t, r.Size.Findings())
			f = find(t, r.Axes.Findings(), "axes/lying")
			p, err = p.With(f.Remedies[0].Decision)
			require.NoError(t, err)
			require.Equal(t, geom.NegZ, p.Axes.Up)

			r = run(t, s, p, to)
			assert.InDelta(t, 2, r.Axes.Size[1], 1e-9)
			f = find(t, r.Pivot.Findings(), "pivot/far")
			p, err = p.With(f.Remedies[0].Decision)
			require.NoError(t, err)

			r = run(t, s, p, to)
			must, _ := r.Open()
			assert.Zero(t, must)
			// Upright at the origin: the same box as the post as it was built, in
			// the target's coordinates.
			want := geom.EmptyBox()
			m := geom.GLTF.To(to.Basis)
			for _, q := range post().Points {
				want = want.Add(m.Apply(q.Sub(geom.Vec3{0, 0, .2})))
			}
			got := r.Delivery.Scene.Bounds()
			assert.True(t, got.Min.Near(want.Min, 1e-9) && got.Max.Near(want.Max, 1e-9), "%v %v", got, want)
			assert.True(t, chiralLikePost(r.Delivery.Scene), "the peg is still on the same side")

			for _, id := range []string{"glb", "gltf", "obj"} {
				pk, err := format.Write(context.Background(), r.Delivery, as(t, id), "post", to)
				require.NoError(t, err)
				c, err := deliver.Check(context.Background(), r.Delivery, pk, as(t, id), to)
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

func TestUnitSlipsByHand(t *testing.T) {
	for _, c := range []struct {
		name    string
		longest float64 // metres as read
		class   string
		unit    string
		now     float64
	}{
		{"centimetres read as metres", 218.4, "street-furniture", "cm", 2.184},
		{"millimetres read as metres", 3500, "building", "mm", 3.5},
		{"inches read as metres", 72, "furniture", "in", 1.8288},
		{"feet read as metres", 12000, "landmark", "cm", 120},
		{"scaled down a hundredfold", 0.013, "building-part", "custom", 1.3},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{c.longest / 10, c.longest, c.longest / 10}).Mesh("x"))
			p := Prep{Size: size.Decisions{Class: c.class}}
			f := find(t, run(t, s, p, yUp).Size.Findings(), "size/unit-slip")
			// More than one unit may be plausible; the likeliest stands first.
			for _, rem := range f.Remedies {
				if d := rem.Decision.(size.Decisions); d.Unit == c.unit {
					p.Size = d
				}
			}
			require.Equal(t, c.unit, p.Size.Unit)
			if c.name != "inches read as metres" && c.name != "millimetres read as metres" {
				assert.Equal(t, p.Size, f.Remedies[0].Decision)
			}
			r := run(t, s, p, yUp)
			assert.InDelta(t, c.now, r.Size.Longest, 1e-9)
			assert.Empty(t, r.Size.Findings())
		})
	}
}

func TestFitMakesAnExtentAKnownLength(t *testing.T) {
	s := messy()
	for fit, want := range map[size.Extent]geom.Vec3{
		size.Height:  {0.8 / 0.6, 2, 2 / 0.6}, // as read: 0.8 wide, 1.2 "high" and 2 deep, in hundreds
		size.Width:   {2, 3, 5},
		size.Depth:   {0.8, 1.2, 2},
		size.Longest: {0.8, 1.2, 2},
	} {
		r := run(t, s, Prep{Size: size.Decisions{Fit: fit, Length: 2}}, yUp)
		assert.True(t, r.Size.Now.Near(want, 1e-9), "%s: %v", fit, r.Size.Now)
	}
	assert.Error(t, size.Decisions{Fit: size.Height, Length: 0}.Validate())
	assert.Error(t, size.Decisions{Fit: size.Height, Length: math.NaN()}.Validate())
	assert.Error(t, size.Decisions{Unit: "furlong"}.Validate())
}

func TestPivotsByHand(t *testing.T) {
	// 2 right-left, 4 high, 6 deep, its lowest left back corner at (1, 2, 3) in glTF's axes.
	s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{1, 2, 3}, geom.Vec3{3, 6, 9}).Mesh("x"))
	for _, c := range []struct {
		d    pivot.Decisions
		min  geom.Vec3
		said string
	}{
		{pivot.Decisions{}, geom.Vec3{1, 2, 3}, "1.00\u2009m to the left of it, 2.00\u2009m below it, 3.00\u2009m behind it"},
		{pivot.BaseCentre, geom.Vec3{-1, 0, -3}, "at the centre of its base"},
		{pivot.Decisions{Place: pivot.OnBox}, geom.Vec3{-1, -2, -3}, "at its centre"},
		{pivot.Decisions{Place: pivot.OnBox, Box: [3]int{-1, -1, 1}}, geom.Vec3{-2, 0, -6}, "at its base, front right"},
		{pivot.Decisions{Place: pivot.OnBox, Box: [3]int{1, 1, 0}}, geom.Vec3{0, -4, -3}, "at its top, left"},
		{pivot.Decisions{Place: pivot.At, Point: geom.Vec3{1.5, 2, 3}}, geom.Vec3{-.5, 0, 0}, "inside, at no special place"},
	} {
		r := run(t, s, Prep{Pivot: c.d}, yUp)
		assert.Equal(t, c.min, r.Delivery.Scene.Bounds().Min, "%+v", c.d)
		assert.Equal(t, c.said, r.Pivot.Where.String())
	}
	// In a left-handed, Z-up target the same corner is the same corner of the thing.
	r := run(t, s, Prep{Pivot: pivot.Decisions{Place: pivot.OnBox, Box: [3]int{-1, -1, 1}}}, zUpLeft)
	assert.Equal(t, "at its base, front right", r.Pivot.Where.String())
	assert.Equal(t, geom.Box{Min: geom.Vec3{-6, 0, 0}, Max: geom.Vec3{0, 2, 4}}, r.Delivery.Scene.Bounds())
}

func TestFloatingAndSunkAreFoundAndRemedied(t *testing.T) {
	for lift, code := range map[float64]string{0.31: "pivot/floats", -0.4: "pivot/sunk"} {
		s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{-1, lift, -1}, geom.Vec3{1, lift + 2, 1}).Mesh("x"))
		for _, to := range target.Shipped {
			f := find(t, run(t, s, Prep{}, to).Pivot.Findings(), code)
			for _, rem := range f.Remedies {
				p, err := Prep{}.With(rem.Decision)
				require.NoError(t, err)
				r := run(t, s, p, to)
				assert.Empty(t, r.Pivot.Findings(), rem.Label)
				assert.Equal(t, "at the centre of its base", r.Pivot.Where.String())
			}
		}
	}
}

func TestSeatingTwiceIsSeatingOnce(t *testing.T) {
	d := pivot.Decisions{Place: pivot.OnBox, Box: [3]int{1, -1, -1}, Parts: true}
	s := &scene.Scene{Basis: geom.GLTF, UnitMetres: 1, Meshes: []*scene.Mesh{post()}}
	turn := geom.Linear(geom.Rotation(geom.Vec3{0, 1, 0}, 0.5))
	turn.T = geom.Vec3{3, 1, 0}
	s.Nodes = []scene.Node{
		{Name: "a", Kind: scene.KindMesh, Parent: -1, Local: turn},
		{Name: "b", Kind: scene.KindMesh, Parent: 0, Local: geom.Translation(geom.Vec3{0, 0, 5})},
	}
	once, _ := pivot.Run(context.Background(), s, d, pivot.Ask{Body: measure.Later(s), Stood: geom.Identity, Source: geom.Identity})
	twice, _ := pivot.Run(context.Background(), once, d, pivot.Ask{Body: measure.Later(once), Stood: geom.Identity, Source: geom.Identity})
	a, b := once.Flattened(), twice.Flattened()
	for i := range a.Meshes {
		for k, p := range a.Meshes[i].Points {
			require.True(t, p.Near(b.Meshes[i].Points[k], 1e-12))
		}
	}
	assert.Len(t, once.Meshes, 1, "the instance is still one")
	// Nothing moved against anything else.
	was := s.NodeBounds()
	is := once.NodeBounds()
	assert.True(t, was[1].Min.Sub(was[0].Min).Near(is[1].Min.Sub(is[0].Min), 1e-12))
	assert.InDelta(t, 0, is[0].Distance(once.Worlds()[0].T), 1e-9, "the part's origin is on its own box")
}

func TestLeavingNodesBehindByName(t *testing.T) {
	s := shape.Scene("x", nil, post(), post(), post())
	s.Nodes[1].Parent, s.Nodes[2].Parent = 0, 1
	s.Nodes[2].Local = geom.Translation(geom.Vec3{0, 0, 9})
	keys := s.Keys()
	assert.Equal(t, []string{"post", "post/post", "post/post/post"}, keys)
	r := run(t, s, Prep{Source: source.Decisions{Leave: []string{"post", "post/post", "gone"}}}, yUp)
	assert.Equal(t, 1, r.Source.Kept)
	assert.Equal(t, []string{"gone"}, r.Source.Lost())
	require.Len(t, after(r, "source").Nodes, 3, "those left stay as empty nodes, so that the third stands where it stood")
	assert.Equal(t, s.NodeBounds()[2], after(r, "source").NodeBounds()[2])
	r = run(t, s, Prep{Source: source.Decisions{Leave: keys}}, yUp)
	assert.Equal(t, finding.MustFix, find(t, r.Source.Findings(), "source/nothing").Severity)
}

func TestTurnsAreFactsOfTheWorld(t *testing.T) {
	s := shape.Scene("post", nil, post())
	for _, to := range target.Shipped {
		r := run(t, s, Prep{Axes: axes.Decisions{Turns: []axes.Turn{{About: axes.AboutUp, Degrees: 90}}}}, to)
		b := r.Delivery.Scene.Bounds()
		v := to.Basis.ToView()
		lo, hi := v.Apply(b.Min), v.Apply(b.Max)
		// The arm pointed 0.8 to the front; anticlockwise seen from above carries the
		// front to the asset's own left, which is −right.
		assert.InDelta(t, 0.8, max(-lo[0], -hi[0]), 1e-9, to.ID)
		assert.InDelta(t, 2, math.Abs(hi[1]-lo[1]), 1e-9)
	}
}

func TestOnlyWhatChangedIsWorkedOutAnew(t *testing.T) {
	c := NewMemo(64 << 20)
	in := Input{Key: "k", Scene: messy(), Target: yUp}
	p := Prep{}
	hits := func() int {
		r, err := Run(context.Background(), in, p, c)
		require.NoError(t, err)
		return r.Hits
	}
	assert.Equal(t, 0, hits())
	assert.Equal(t, 5, hits())
	p.Pivot = pivot.BaseCentre
	assert.Equal(t, 4, hits())
	p.Size.Unit = "cm"
	assert.Equal(t, 2, hits())
	in.Target = zUpLeft
	assert.Equal(t, 3, hits())
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Run(ctx, in, p, c)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestPrepSurvivesKeeping(t *testing.T) {
	p := Prep{Source: source.Decisions{Leave: []string{"a/b"}}, Size: size.Decisions{Unit: "custom", Metres: 0.3},
		Axes:  axes.Decisions{Up: geom.NegZ, Turns: []axes.Turn{{About: axes.AboutRight, Degrees: 12.5}}},
		Pivot: pivot.Decisions{Place: pivot.At, Point: geom.Vec3{1, 2, 3}}}
	got, err := Parse(p.JSON())
	require.NoError(t, err)
	assert.Equal(t, p, got)
	assert.JSONEq(t, `{"pivot":{"place":"box","box":[0,-1,0]}}`, string(Prep{Pivot: pivot.BaseCentre}.JSON()))
	_, err = Parse([]byte(`{"axes":{"up":"sideways"}}`))
	assert.ErrorContains(t, err, "no axis")
	_, err = Parse([]byte(`{"axes":{"up":"+X","forward":"-X"}}`))
	assert.Error(t, err)
}
