package size_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
	"yarvek/core/station/axes"
	"yarvek/core/station/size"
	"yarvek/core/target"
)

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
			s := shape.Scene("x", nil,
				new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{c.longest / 10, c.longest, c.longest / 10}).Mesh("x"))
			p := prep.Prep{Size: size.Decisions{Class: c.class}}
			f := preptest.Find(t, preptest.Run(t, s, p, preptest.YUp).Size.Findings(), "size/unit-slip")
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
			r := preptest.Run(t, s, p, preptest.YUp)
			assert.InDelta(t, c.now, r.Size.Longest, 1e-9)
			assert.Empty(t, r.Size.Findings())
		})
	}
}

func TestFitMakesAnExtentAKnownLength(t *testing.T) {
	s := preptest.Messy()
	for fit, want := range map[size.Extent]geom.Vec3{
		size.Height:  {0.8 / 0.6, 2, 2 / 0.6}, // as read: 0.8 wide, 1.2 "high" and 2 deep, in hundreds
		size.Width:   {2, 3, 5},
		size.Depth:   {0.8, 1.2, 2},
		size.Longest: {0.8, 1.2, 2},
	} {
		r := preptest.Run(t, s, prep.Prep{Size: size.Decisions{Fit: fit, Length: 2}}, preptest.YUp)
		assert.True(t, r.Size.Now.Near(want, 1e-9), "%s: %v", fit, r.Size.Now)
	}
	assert.Error(t, size.Decisions{Fit: size.Height, Length: 0}.Validate())
	assert.Error(t, size.Decisions{Fit: size.Height, Length: math.NaN()}.Validate())
	assert.Error(t, size.Decisions{Unit: "furlong"}.Validate())
}

// Whatever the order in which an artist stands a thing up and sizes it, a height is the
// height of the thing as it stands: a mast along Z, read as Y up.
func TestAHeightIsThatOfTheThingAsItStands(t *testing.T) {
	s := shape.Scene("mast", nil, new(shape.Builder).Box(geom.Vec3{-.5, -.6, 0}, geom.Vec3{.5, .6, 24}).Mesh("mast"))
	up := axes.Decisions{Up: geom.PosZ}
	for _, to := range target.Shipped {
		stood := preptest.Run(t, s, prep.Prep{Axes: up}, to)
		assert.True(t, stood.Size.Read.Near(geom.Vec3{1, 24, 1.2}, 1e-12), "%v", stood.Size.Read)
		d := size.Decisions{}.Fitted(size.Height, stood.Size.Along(size.Height), 7.2)
		for _, p := range []prep.Prep{{Axes: up, Size: d}, {Axes: up, Size: size.Decisions{Fit: size.Height, Length: 7.2}}} {
			r := preptest.Run(t, s, p, to)
			assert.InDelta(t, 7.2, to.Basis.Extents(r.Delivery.Scene.Bounds())[1], 1e-9)
			assert.True(t, r.Size.Now.Near(geom.Vec3{.3, 7.2, .36}, 1e-9), "%v", r.Size.Now)
		}
		// Turned over afterwards, it keeps its size: the decision holds the mast's length.
		r := preptest.Run(t, s, prep.Prep{Size: d}, to)
		assert.InDelta(t, 7.2, to.Basis.Extents(r.Delivery.Scene.Bounds())[2], 1e-9)
		assert.True(t, r.Size.Now.Near(geom.Vec3{.3, .36, 7.2}, 1e-9), "%v", r.Size.Now)
	}
}

// At any standing, with turns and poses askew, Size tells the extents that Axes then has,
// and a fitted extent has its length there.
func TestSizeSpeaksOfWhatAxesStands(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for seed := range uint64(40) {
		s, to := shapetest.Scene(seed), target.Shipped[seed%4]
		d := axes.Decisions{Up: geom.Axes[r.IntN(6)], Hand: []string{"", "left", "right"}[r.IntN(3)]}
		if seed%2 == 0 {
			d.Turns = []axes.Turn{{About: axes.AboutForward, Degrees: 360 * r.Float64()}, {About: axes.AboutUp, Degrees: 90}}
			d.Pose = geom.Vec3{30 * r.Float64(), -20, 50 * r.Float64()}
		}
		was := preptest.Run(t, s, prep.Prep{Axes: d}, to)
		box := was.Delivery.Scene.Bounds()
		want := to.Basis.Extents(box)
		tol := 1e-9 * max(1, want.Max())
		require.True(t, was.Size.Now.Near(want, tol), "seed %d: %v, %v", seed, was.Size.Now, want)
		stop := preptest.Stop(t, was, "size")
		require.True(t, stop.Standing.Size().Near(want, tol), "seed %d", seed)
		e := []size.Extent{size.Width, size.Height, size.Depth, size.Longest}[r.IntN(4)]
		is := preptest.Run(t, s, prep.Prep{Axes: d, Size: size.Decisions{}.Fitted(e, was.Size.Along(e), 3)}, to)
		got := to.Basis.Extents(is.Delivery.Scene.Bounds())
		k := map[size.Extent]int{size.Width: 0, size.Height: 1, size.Depth: 2}
		if axis, ok := k[e]; ok {
			require.InDelta(t, 3, got[axis], 1e-9, "seed %d %s", seed, e)
		} else {
			require.InDelta(t, 3, got.Max(), 1e-9, "seed %d", seed)
		}
	}
}

// written sends a result and measures what is read back.
func written(t testing.TB, d scene.Delivery, id string, to target.Target) extents.Figures {
	t.Helper()
	pk, err := format.Write(context.Background(), d, preptest.Format(t, id), "x", to)
	require.NoError(t, err)
	got, _, err := format.Read(context.Background(), bundle.New(pk.Files), pk.Files[0].Name, nil)
	require.NoError(t, err)
	return extents.Of(context.Background(), got.Carried(geom.Linear(preptest.Format(t, id).Frame(to).Basis.To(to.Basis))))
}

// Baking and then exporting gives the places that exporting and then baking gives,
// in every basis and for instances, mirrored and scaled nodes alike.
func TestBakingBeforeOrAfterExportIsTheSame(t *testing.T) {
	seeds := uint64(16)
	if testing.Short() {
		seeds = 4
	}
	for seed := range seeds {
		s := shapetest.Scene(seed)
		to := target.Shipped[seed%4]
		plain := preptest.Run(t, s, prep.Prep{}, to)
		for _, b := range []size.Bake{size.BakeAll, size.BakeScale, size.BakeRotation} {
			baked := preptest.Run(t, s, prep.Prep{Size: size.Decisions{Bake: b}}, to)
			for _, id := range []string{"glb", "fbx"} {
				was, is := written(t, plain.Delivery, id, to), written(t, baked.Delivery, id, to)
				tol := 1e-4 * max(1, was.Box.Size().Max())
				require.True(t, was.Box.Min.Near(is.Box.Min, tol) && was.Box.Max.Near(is.Box.Max, tol), "seed %d %s %s", seed, b,
					id)
				require.InEpsilon(t, was.Area, is.Area, 1e-4, "seed %d %s %s", seed, b, id)
				require.InEpsilon(t, was.Volume, is.Volume, 1e-3, "seed %d %s %s", seed, b, id)
				require.True(t, was.Centre.Near(is.Centre, 10*tol), "seed %d %s %s: %v %v", seed, b, id, was.Centre, is.Centre)
			}
		}
	}
}

func TestAUnitThereAndBack(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post())
	there := preptest.After(t, preptest.Run(t, s, prep.Prep{Size: size.Decisions{Unit: "cm"}}, preptest.YUp), "size")
	back := preptest.After(t, preptest.Run(t, there, prep.Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 100}},
		preptest.YUp),
		"size")
	for i, p := range preptest.Corners(s) {
		require.True(t, p.Near(preptest.Corners(back)[i], 1e-14))
	}
	assert.Equal(t, 0.02, there.Bounds().Size()[1])
}

func TestMeasuredDistancesAndFactorsScale(t *testing.T) {
	s := preptest.Messy() // in hundreds
	d := size.Decisions{Fit: size.Between, From: geom.Vec3{4000, 0, -300}, To: geom.Vec3{4000, 30, -260}, Length: 2}
	r := preptest.Run(t, s, prep.Prep{Size: d}, preptest.YUp)
	assert.InDelta(t, 2./50, r.Size.Factor, 1e-12)
	r = preptest.Run(t, s, prep.Prep{Size: size.Decisions{Fit: size.Between, Unit: "cm", From: d.From, To: d.To,
		Length: 2}}, preptest.YUp)
	assert.InDelta(t, 2./50, r.Size.Factor, 1e-12, "a known length counts more than the unit")
	r = preptest.Run(t, s, prep.Prep{Size: size.Decisions{Unit: "cm", Fit: size.ByFactor, Factor: 2}}, preptest.YUp)
	assert.InDelta(t, 0.02, r.Size.Factor, 1e-12, "a factor goes on top of it")
	for _, bad := range []size.Decisions{{Fit: size.Between, Length: 1}, {Fit: size.ByFactor},
		{Fit: size.ByFactor, Factor: math.Inf(1)},
		{Bake: "x"}} {
		assert.Error(t, bad.Validate())
	}
}

func TestAPieceThatMissesTheGrid(t *testing.T) {
	s := shape.Scene("board", nil, new(shape.Builder).Box(geom.Vec3{.1, 0, 0}, geom.Vec3{2.08, .2, 1.5}).Mesh("board"))
	in := prep.Input{Key: "k", Scene: s, Target: preptest.YUp, Grid: .5}
	p := prep.Prep{Size: size.Decisions{Class: "modular-piece"}}
	r, err := prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	f := preptest.Find(t, r.Size.Findings(), "size/off-grid")
	assert.Contains(t, f.Text, "Width 1.98\u202fm is 20.0\u202fmm short of 4 cells")
	p, err = p.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	r, err = prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	assert.InDelta(t, 2, r.Size.Now[0], 1e-12)
	g := preptest.Find(t, r.Pivot.Findings(), "pivot/off-grid")
	p, err = p.With(g.Remedies[0].Decision)
	require.NoError(t, err)
	r, err = prep.Run(context.Background(), in, p, nil)
	require.NoError(t, err)
	assert.True(t, r.Pivot.OffGrid.Near(geom.Vec3{}, 1e-9), "%v", r.Pivot.OffGrid)
	assert.InDelta(t, 0, math.Remainder(r.Delivery.Scene.Bounds().Min[0], .5), 1e-9)
}

func TestTransformsAreSaidAndBaked(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post(), preptest.Post())
	s.Nodes[0].Name, s.Nodes[1].Name = "mirrored", "plain"
	s.Nodes[0].Local = geom.Affine{M: geom.Mat3{{-2, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{5, 0, 0}}
	r := preptest.Run(t, s, prep.Prep{}, preptest.YUp)
	require.Len(t, r.Size.Placed, 1)
	assert.Equal(t, "scaled unevenly, 1 to 2, mirrored", r.Size.Placed[0].What)
	f := preptest.Find(t, r.Size.Findings(), "size/unbaked")
	assert.Equal(t, finding.Look, f.Severity)
	p, err := prep.Prep{}.With(f.Remedies[0].Decision)
	require.NoError(t, err)
	p.Size.Class = "vehicle"
	r = preptest.Run(t, s, p, preptest.YUp)
	assert.Empty(t, r.Size.Findings())
	assert.Equal(t, geom.Identity3, r.Delivery.Scene.Nodes[0].Local.M)
	r = preptest.Run(t, s, prep.Prep{Size: size.Decisions{Bake: size.BakeAll, Nodes: []string{"gone"}}}, preptest.YUp)
	assert.Equal(t, []prep.Ref{{Station: "size", Key: "gone"}}, r.Lost())
	preptest.Find(t, r.Size.Findings(), "size/lost-decision")
}

// A mirrored node looks the same in every format and target, baked or not: faces
// look outward, and it arrives equal.
func TestAMirroredNodeKeepsItsLook(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post())
	s.Nodes[0].Local = geom.Affine{M: geom.Mat3{{-1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, T: geom.Vec3{3, 0, 0}}
	for _, to := range target.Shipped {
		for _, b := range []size.Bake{size.BakeNone, size.BakeAll, size.BakeScale} {
			r := preptest.Run(t, s, prep.Prep{Size: size.Decisions{Bake: b}}, to)
			for _, id := range []string{"glb", "obj", "fbx"} {
				pk, err := format.Write(context.Background(), r.Delivery, preptest.Format(t, id), "x", to)
				require.NoError(t, err)
				c, err := deliver.Check(context.Background(), r.Delivery, pk, preptest.Format(t, id), to)
				require.NoError(t, err)
				assert.True(t, c.Equal(), "%s %s %s: %+v", to.ID, b, id, c.Rows)
			}
			v := r.Delivery.Scene.Carried(geom.Linear(to.Basis.To(geom.GLTF))).Flattened()
			vol := 0.0
			for _, m := range v.Meshes {
				m.EachTriangle(func(_ int, a, b, c int32) {
					vol += m.Points[m.Corners[a]].Dot(m.Points[m.Corners[b]].Cross(m.Points[m.Corners[c]]))
				})
			}
			assert.Greater(t, vol, 0.0, "%s %s", to.ID, b)
		}
	}
}

// An asset that nobody sorted has no tick: its class is proposed, by its name first; where
// the thing of that name is never so large, units are offered in the order of how well they
// fit. A door in inches is offered inches first, a bollard in centimetres centimetres.
func TestAnUnsortedAssetIsNotJudged(t *testing.T) {
	thing := func(name string, tall float64) *scene.Scene {
		s := shape.Scene(name, nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{tall / 3, tall, tall / 4}).Mesh(name))
		s.Nodes[0].Name = name
		return s
	}
	for _, c := range []struct {
		name  string
		tall  float64
		first []string
	}{
		{"barn_door", 84, []string{"Building part", "Landmark", "Read as inches", "Read as centimetres"}},
		{"crate 3", 80, []string{"Street furniture", "Landmark", "Read as centimetres", "Read as inches"}},
		{"teacup", 95, []string{"Hand prop", "Landmark", "Read as millimetres"}},
		{"mooring-bollard", 90, []string{"Street furniture", "Landmark", "Read as centimetres"}},
		{"object_1", 218, []string{"Read as centimetres", "Landmark"}},
		{"object_1", 1.2, []string{"Street furniture", "Furniture"}},
		{"bench", 1.6, []string{"Furniture", "Street furniture"}},
	} {
		r := preptest.Run(t, thing(c.name, c.tall), prep.Prep{}, preptest.YUp)
		f := preptest.Find(t, r.Size.Findings(), "size/not-judged")
		assert.Equal(t, finding.Look, f.Severity)
		var labels []string
		for _, rem := range f.Remedies {
			labels = append(labels, rem.Label)
		}
		at := 0
		for _, l := range labels { // in this order, others between
			if at < len(c.first) && l == c.first[at] {
				at++
			}
		}
		assert.Equal(t, len(c.first), at, "%s of %g m: %v", c.name, c.tall, labels)
		assert.Equal(t, c.first[0], labels[0])
		p, err := prep.Prep{}.With(f.Remedies[0].Decision)
		require.NoError(t, err)
		r = preptest.Run(t, thing(c.name, c.tall), p, preptest.YUp)
		for _, f := range r.Size.Findings() {
			if p.Size.Class != "" {
				assert.NotEqual(t, "size/not-judged", f.Code)
			}
			if f.Code == "size/unit-slip" {
				assert.Equal(t, c.first[2], f.Remedies[0].Label, c.name)
			}
		}
	}
}
