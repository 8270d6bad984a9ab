package ladder

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

var (
	ctx  = context.Background()
	view = View{Lines: 1080, Angle: 50}
)

func box(lo, hi geom.Vec3) *scene.Scene {
	return shape.Scene("box", nil, (&shape.Builder{}).Box(lo, hi).Mesh("box"))
}

func outlinesApart(a, b *scene.Scene) float64 {
	o := NewOutlines(ctx, a)
	return o.Apart(ctx, o.Like(ctx, b)).Metres
}

func TestDistancesAndPixelsAreInverse(t *testing.T) {
	// A wall as high as the screen sees at 10 m is as many pixels as the screen has lines.
	high := 2 * 10 * math.Tan(25*math.Pi/180)
	assert.InDelta(t, 1080, high*view.PixelsAt(10), 1e-9)
	assert.InDelta(t, 10, view.DistanceOf(high, 1080), 1e-12)
	assert.InDelta(t, 0.5, view.ShareAt(high, 20), 1e-12)
	assert.InDelta(t, 20, view.DistanceOfShare(high, 0.5), 1e-9)
}

func TestOutlinesAreApartAsMadeSo(t *testing.T) {
	a := box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 1, 1})
	cell := math.Sqrt(3) / Across
	assert.Zero(t, outlinesApart(a, a))
	// A face moved by a tenth of a metre.
	assert.InDelta(t, 0.1, outlinesApart(a, box(geom.Vec3{0, 0, 0}, geom.Vec3{1.1, 1, 1})), 2*cell)
	// A tooth of two centimetres on a side, however narrow.
	tooth := shape.Scene("tooth", nil, (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Box(geom.Vec3{0.5, 1, 0.5},
		geom.Vec3{0.52, 1.02, 0.52}).Mesh("tooth"))
	assert.InDelta(t, 0.02, outlinesApart(a, tooth), 2*cell)
	assert.InDelta(t, 0.5, outlinesApart(a, box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 0.5, 1})), 2*cell)
	o := NewOutlines(ctx, a)
	where := o.Apart(ctx, o.Like(ctx, tooth))
	// The place is told in a plane through the middle: seen along the direction it is the tooth's.
	off := where.At.Sub(geom.Vec3{0.51, 1.02, 0.51})
	assert.Less(t, off.Sub(where.Direction.Mul(off.Dot(where.Direction))).Len(), 0.03)
}

// Distances to what is covered are those of trying all cells.
func TestDistancesAreThoseOfTryingAll(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 60 {
		const n = 70
		f := frame{n: n, words: 2}
		p, q := make([]uint64, n*2), make([]uint64, n*2)
		set := func(m []uint64, i int) { fill(m[i/n*2:], i%n, i%n) }
		has := func(m []uint64, i int) bool { return m[i/n*2+i%n>>6]>>(i%n&63)&1 != 0 }
		for i := range n * n {
			if r.IntN(4) == 0 {
				set(p, i)
			}
			if r.IntN(200) == 0 {
				set(q, i)
			}
		}
		set(q, r.IntN(n*n))
		want := 0.0
		for i := range n * n {
			if !has(p, i) {
				continue
			}
			best := math.Inf(1)
			for j := range n * n {
				if has(q, j) {
					best = min(best, math.Hypot(float64(i%n-j%n), float64(i/n-j/n)))
				}
			}
			want = max(want, best)
		}
		got, _, _ := f.beyond(p, q, 0)
		assert.InDelta(t, want, got, 1e-9)
		got, _, _ = f.beyondAll(p, q)
		assert.InDelta(t, want, got, 1e-9)
	}
}

// No step is farther from the scene than it says, by a denser sampling of other points and by
// outlines; and steps of both ways of making are of fewer triangles each.
func TestStepsShowByNoMoreThanTheySay(t *testing.T) {
	s := shape.Scene("boulder", nil, shapetest.Boulder(18))
	s.Nodes = append(s.Nodes,
		scene.Node{Kind: scene.KindMesh, Parent: -1,
			Local: geom.Linear(geom.Identity3.Scaled(0.5)).Mul(geom.Translation(geom.Vec3{4, 0, 0}))})
	for _, by := range []Making{{}, {OfFirst: true}, {KeepPoints: true}} {
		c, meshes := Down(ctx, s, by, []float64{0.37}, nil)
		require.Greater(t, len(c.Steps), 12)
		last := c.Triangles
		exact := false
		for i, step := range c.Steps {
			less := Put(s, meshes[i])
			require.NoError(t, less.Meshes[0].Validate())
			assert.Equal(t, step.Triangles, less.Count().Triangles)
			assert.Less(t, step.Triangles, last)
			last = step.Triangles
			exact = exact || math.Abs(float64(step.Triangles)-0.37*float64(c.Triangles)) <= 4
			if i%8 == 3 {
				is := deviation.Of(ctx, s, less, 80_000).Worst().Max
				assert.LessOrEqual(t, is, step.Visible*1.03, "%+v, %d triangles", by, step.Triangles)
				assert.LessOrEqual(t, outlinesApart(s, less), step.Visible+2*s.Bounds().Size().Len()/Across)
			}
		}
		assert.True(t, exact, "a share that is asked for is there")
	}
}

// Made of one another, LODs are less far off than made of the first, at worst and on the whole: what a
// quadric remembers of the way is more than what is left of it. So that is the usual way.
func TestOfOneAnotherIsTheBetterWay(t *testing.T) {
	fine, rings := 60, 30
	if testing.Short() {
		fine, rings = 36, 18
	}
	hill := (&shape.Builder{}).Grid(fine, fine, func(u, v float64) geom.Vec3 {
		return geom.Vec3{u, 0.1*math.Sin(9*u)*math.Cos(7*v) + 0.02*math.Sin(41*u+3)*math.Sin(37*v), -v}
	}).Mesh("hill")
	for _, m := range []*scene.Mesh{shapetest.Boulder(rings), hill} {
		s := shape.Scene(m.Name, nil, m)
		var most, square [2]float64
		for i, by := range []Making{{}, {OfFirst: true}} {
			c, meshes := Down(ctx, s, by, nil, nil)
			require.NotEmpty(t, c.Steps)
			for k, step := range c.Steps {
				most[i] += math.Log(max(1e-9, step.Visible)) / float64(len(c.Steps))
				is := deviation.Of(ctx, s, Put(s, meshes[k]), 8000).Worst().RMS
				square[i] += math.Log(max(1e-9, is)) / float64(len(c.Steps))
			}
		}
		t.Logf("%s: of one another %.2g off at most and %.2g root mean square, as a mean of all steps; of the first %.2g "+
			"and %.2g", m.Name,
			math.Exp(most[0]), math.Exp(square[0]), math.Exp(most[1]), math.Exp(square[1]))
		assert.Less(t, most[0], most[1])
		assert.Less(t, square[0], square[1]*1.03)
	}
}

// Many loose parts vanish when they are smaller than what shows; ten thousand of them take no pairs.
func TestSmallPartsVanishAndAreNotCrumpled(t *testing.T) {
	b := (&shape.Builder{}).Box(geom.Vec3{}, geom.Vec3{1, 1, 1})
	for i := range 2000 {
		x, y := float64(i%50)/50+0.005, float64(i/50)/40+0.005
		b.Box(geom.Vec3{x, 1, y}, geom.Vec3{x + 0.004, 1.004, y + 0.004})
	}
	s := shape.Scene("pins", nil, b.Mesh("pins"))
	c, meshes := Down(ctx, s, Making{}, nil, nil)
	last := len(c.Steps) - 1
	require.GreaterOrEqual(t, last, 0)
	assert.Less(t, c.Steps[last].Triangles, c.Triangles/100)
	assert.Greater(t, c.Steps[last].Gone, 1900)
	assert.InDelta(t, 0.004, c.Steps[last].Visible, 1e-4, "as wide as a pin")
	for _, m := range meshes[last] {
		part, n := m.Bodies(ctx)
		for _, body := range m.Cut(part, n) {
			assert.Equal(t, 12, body.Triangles(), "what is there is whole")
		}
	}
}

func TestWhatIsLockedStays(t *testing.T) {
	m := shapetest.Boulder(20)
	m.Slots, m.Slot = []int{0, 1}, make([]int32, m.Faces())
	for f := range m.Slot {
		m.Slot[f] = int32(f % 400 / 200)
	}
	s := shape.Scene("two", []scene.Material{{Name: "keep"}, {Name: "rest"}}, m)
	c, meshes := Down(ctx, s, Making{Weights: map[string]int{"keep": 0}}, nil, nil)
	require.NotEmpty(t, c.Steps)
	kept := 0
	for _, k := range m.Slot {
		if k == 0 {
			kept++
		}
	}
	for _, list := range meshes {
		n := 0
		for f := range list[0].Faces() {
			if list[0].Material(f) == 0 {
				n++
			}
		}
		assert.Equal(t, kept, n)
	}
	assert.NotEmpty(t, c.Held)
	all, _ := Down(ctx, s, Making{Weights: map[string]int{"keep": 0, "rest": 0}}, nil, nil)
	assert.Empty(t, all.Steps)
	assert.NotEmpty(t, all.Held)
}

// Halves that go two by two may come farther than a step was wanted; the step after is none then.
func TestAMirroredClimbSaysSoOfItsStepsAlone(t *testing.T) {
	for _, n := range []int{4, 6, 8, 10} { // alike above and below
		s := shape.Scene("boulder", nil, shapetest.Boulder(n))
		for _, first := range []bool{false, true} {
			c, _ := Down(ctx, s, Making{Mirrored: true, OfFirst: first}, nil, nil)
			require.NotEmpty(t, c.Steps)
			assert.True(t, c.Mirrored, "%d, of the first %v", n, first)
		}
	}
	odd := shapetest.Boulder(12)
	odd.Points[40][1] += 0.01
	c, _ := Down(ctx, shape.Scene("odd", nil, odd), Making{Mirrored: true}, nil, nil)
	assert.False(t, c.Mirrored)
}

func TestAClimbDoesNotDependOnProcessors(t *testing.T) {
	s := shape.Scene("boulder", nil, shapetest.Boulder(16), shapetest.Boulder(8))
	want, meshes := Down(ctx, s, Making{}, nil, nil)
	before := runtime.GOMAXPROCS(1)
	defer runtime.GOMAXPROCS(before)
	got, again := Down(ctx, s, Making{}, nil, nil)
	assert.Equal(t, want, got)
	assert.Equal(t, meshes, again)
}

// As few as bring the saving are found as trying all ladders finds them.
func TestFewLODsAreThoseOfTryingAll(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 50 {
		c := &Climb{Triangles: 10_000}
		tris, shows := 6000.0, 0.001
		for range 7 {
			c.Steps = append(c.Steps, Step{Triangles: int(tris), Visible: shows})
			tris *= 0.4 + 0.5*r.Float64()
			shows *= 1.1 + 2*r.Float64()
		}
		seen := Range{1, 100}
		drawn := func(set int) float64 {
			list, from := []int{c.Triangles}, []float64(nil)
			for i, s := range c.Steps {
				if set>>i&1 != 0 {
					list, from = append(list, s.Triangles), append(from, max(seen.Near, view.DistanceOf(s.Visible, 1)))
				}
			}
			return Drawn(seen, list, from)
		}
		best := map[int]float64{}
		for set := range 1 << len(c.Steps) {
			n := 0
			for i := range c.Steps {
				n += set >> i & 1
			}
			if was, ok := best[n]; !ok || drawn(set) < was {
				best[n] = drawn(set)
			}
		}
		top := float64(c.Triangles)
		for n := range best {
			top = min(top, best[n])
		}
		want := 0
		for float64(c.Triangles)-best[want] < enough*(float64(c.Triangles)-top) {
			want++
		}
		got := Few(c, view, 1, seen, len(c.Steps))
		set := 0
		for _, w := range got {
			for i, s := range c.Steps {
				if float64(s.Triangles)/float64(c.Triangles) == w.Share {
					set |= 1 << i
				}
			}
		}
		assert.Len(t, got, want)
		assert.InDelta(t, best[want], drawn(set), 1)
	}
}

// Of a closed crate what is inside goes; of one without a lid it stays, and so it does behind glass.
func TestOnlyTheOutsideStays(t *testing.T) {
	crate := (&shape.Builder{}).Box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 1, 1}).Box(geom.Vec3{0.4, 0.4, 0.4},
		geom.Vec3{0.6, 0.6, 0.6}).Mesh("crate")
	s := shape.Scene("crate", []scene.Material{{Name: "wood", BaseColor: [4]float64{1, 1, 1, 1}}}, crate)
	out := Outside(ctx, s)[0]
	require.NoError(t, out.Validate())
	assert.Equal(t, 6, out.Faces())
	assert.InDelta(t, 1, Put(s, []*scene.Mesh{out}).Bounds().Size()[0], 1e-12)
	open := make([]int32, crate.Faces())
	for f := range open {
		if n := crate.FaceNormal(f).Unit(); n[1] > 0.9 && crate.Points[crate.Corners[crate.FaceStart[f]]][1] == 1 {
			open[f] = 1
		}
	}
	s.Meshes[0] = crate.Cut(open, 2)[0]
	assert.Equal(t, 10, Outside(ctx, s)[0].Faces())
	// The underside of the one inside looks at the floor alone.
	s.Meshes[0] = crate
	crate.Slots = []int{0}
	s.Materials[0].BaseColor[3] = 0.5
	assert.Equal(t, 12, Outside(ctx, s)[0].Faces())
}

func BenchmarkDown(b *testing.B) {
	for _, rings := range []int{50, 158, 500} {
		s := shape.Scene("boulder", nil, shapetest.Boulder(rings))
		b.Run(s.Meshes[0].Name, func(b *testing.B) {
			b.ReportAllocs()
			for range b.N {
				c, _ := Down(ctx, s, Making{}, nil, nil)
				b.ReportMetric(float64(c.Triangles), "triangles")
			}
		})
	}
}

// What may be decided has bounds, and a wish says how coarse or only how far.
func TestBoundsOfMakingAndWishes(t *testing.T) {
	for what, x := range map[string][2]Making{ // the last that may be meant, and the first that can't
		"detail": {{Detail: 1000}, {Detail: 1001}}, "less detail": {{Detail: -1}, {Detail: -2}},
		"angle": {{Angle: 180}, {Angle: 180.5}}, "less angle": {{Angle: 0}, {Angle: -1}},
		"blend": {{Blend: 100}, {Blend: 101}}, "less blend": {{Blend: 0}, {Blend: -1}},
		"slots": {{Weights: map[string]int{"a": 10_000}}, {Weights: map[string]int{"a": 10_001}}},
		"nodes": {{Nodes: map[string]int{"a": 0}}, {Nodes: map[string]int{"a": -1}}},
	} {
		assert.NoError(t, x[0].Validate(), what)
		assert.Error(t, x[1].Validate(), what)
	}
	for _, w := range []Wish{{Share: 0.5}, {Triangles: 1}, {Deviation: 0.01}} {
		assert.True(t, w.Sized(), "%+v", w)
	}
	assert.False(t, Wish{From: 3}.Sized())
	assert.Equal(t, 0.25, Wish{Triangles: 50, Share: .9}.ShareOf(200))
	assert.Equal(t, 0.9, Wish{Share: .9}.ShareOf(200))
	assert.Equal(t, 0.9, Wish{Triangles: 50, Share: .9}.ShareOf(0))
	c := &Climb{Triangles: 100, Steps: []Step{{Triangles: 80, Visible: .01}, {Triangles: 40, Visible: .02}, {Triangles: 10,
		Visible: .5}}}
	assert.Equal(t, []int{0, 1, 2, 0}, []int{c.Nearest(.7), c.Nearest(.4), c.Nearest(.01), c.Nearest(1)})
	assert.Equal(t, []int{-1, 0, 1, 1, 2}, []int{c.Within(.009), c.Within(.01), c.Within(.02), c.Within(.4), c.Within(9)})
	assert.Equal(t, -1, (&Climb{}).Nearest(.5))
}
