package collision_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
	"yarvek/core/station/collision"
)

// cornersOf are the eight of a box.
func cornersOf(lo, hi geom.Vec3) (list []geom.Vec3) {
	for i := range 8 {
		p := lo
		for k := range 3 {
			if i>>k&1 == 1 {
				p[k] = hi[k]
			}
		}
		list = append(list, p)
	}
	return list
}

// anchored is a mesh of one box from 0 to 2, 1, 4, with its edges.
func anchored() *collision.Anchors {
	c := cornersOf(geom.Vec3{}, geom.Vec3{2, 1, 4})
	var hard [][2]geom.Vec3
	for i := range 8 {
		for k := range 3 {
			if i>>k&1 == 0 {
				hard = append(hard, [2]geom.Vec3{c[i], c[i|1<<k]})
			}
		}
	}
	return collision.AnchorsOf(func(do func(p, q, r geom.Vec3)) {
		for k := range 3 {
			u, v := 1<<((k+1)%3), 1<<((k+2)%3)
			for _, o := range []int{0, 1 << k} {
				do(c[o], c[o|u], c[o|u|v])
				do(c[o], c[o|u|v], c[o|v])
			}
		}
	}, hard)
}

func TestDragsSnap(t *testing.T) {
	box := cornersOf(geom.Vec3{}, geom.Vec3{0.3, 0.2, 0.5})
	front := [3]bool{true, true, false}
	for name, c := range map[string]struct {
		grid   float64
		others []collision.Other
		drag   collision.Drag
		by     geom.Vec3
		say    []string
	}{
		"a corner on the view, whatever its depth": {drag: collision.Drag{Points: box, By: geom.Vec3{1.68, 0.79, 0},
			Free: front, Reach: 0.05}, by: geom.Vec3{1.7, 0.8, 0}, say: []string{"a corner"}},
		"an edge where no corner is near": {drag: collision.Drag{Points: box, By: geom.Vec3{0.9, 0.83, 0}, Free: front,
			Reach: 0.05}, by: geom.Vec3{0.9, 0.8, 0}, say: []string{"an edge"}},
		"nothing beyond reach": {drag: collision.Drag{Points: box, By: geom.Vec3{0.9, 0.4, 0}, Free: front, Reach: 0.05},
			by: geom.Vec3{0.9, 0.4, 0}},
		"a face, of a side that is dragged along one axis": {drag: collision.Drag{Points: box, Grip: [3]int{1, 0, 0},
			By: geom.Vec3{1.73, 0, 0}, Free: [3]bool{true, false, false}, Reach: 0.05}, by: geom.Vec3{1.7, 0, 0},
			say: []string{"a face"}},
		"the side that is dragged, and no other": {drag: collision.Drag{Points: box, Grip: [3]int{-1, 0, 0},
			By: geom.Vec3{1.73, 0, 0}, Free: [3]bool{true, false, false}, Reach: 0.05}, by: geom.Vec3{1.73, 0, 0}},
		"a corner that is dragged": {drag: collision.Drag{Points: box, Grip: [3]int{1, 1, 0},
			By: geom.Vec3{1.72, 0.77, 0}, Free: front, Reach: 0.05}, by: geom.Vec3{1.7, 0.8, 0}, say: []string{"a corner"}},
		"another shape's middle and side, each by itself": {
			others: []collision.Other{{Name: "shape B", Points: cornersOf(geom.Vec3{5, 5, 0}, geom.Vec3{6, 7, 1})}},
			drag:   collision.Drag{Points: box, By: geom.Vec3{5.33, 6.98, 0}, Free: front, Reach: 0.03},
			by:     geom.Vec3{5.35, 7, 0}, say: []string{"the middle of shape B", "shape B"}},
		"the grid where nothing else is": {grid: 0.25, drag: collision.Drag{Points: box, By: geom.Vec3{7.26, 3.1, 0},
			Free: front, Reach: 0.05}, by: geom.Vec3{7.25, 3.1, 0}, say: []string{"the grid of 0.250\u202fm"}},
	} {
		a := anchored()
		a.Grid, a.Others = c.grid, c.others
		got := a.Snap(c.drag)
		var say []string
		for _, to := range got.To {
			say = append(say, to.Say)
		}
		assert.Equal(t, c.say, say, name)
		assert.InDelta(t, 0, got.By.Dist(c.by), 1e-12, "%s: %v", name, got.By)
	}
}

// Whatever is dragged wherever: it goes no farther than reach beside where it was dragged, along free axes alone, and a
// corner of it stands on the corner that it is said to.
func TestSnapsAreNearAndTrue(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	a := anchored()
	corners := 0
	for range 4000 {
		lo := geom.Vec3{r.Float64(), r.Float64(), r.Float64()}
		hi := lo.Add(geom.Vec3{0.1 + r.Float64(), 0.1 + r.Float64(), 0.1 + r.Float64()})
		d := collision.Drag{Points: cornersOf(lo, hi), By: geom.Vec3{3*r.Float64() - 1, 3*r.Float64() - 1, 0},
			Free: [3]bool{true, true, false}, Reach: 0.1 * r.Float64()}
		got := a.Snap(d)
		off := got.By.Sub(d.By)
		require.Zero(t, off[2])
		require.LessOrEqual(t, max(math.Abs(off[0]), math.Abs(off[1])), d.Reach)
		for _, to := range got.To {
			if to.Say != "a corner" {
				continue
			}
			corners++
			least := math.Inf(1)
			for _, p := range d.Points {
				q := p.Add(got.By)
				least = min(least, math.Hypot(q[0]-to.Ends[0][0], q[1]-to.Ends[0][1]))
			}
			require.Less(t, least, 1e-12)
		}
	}
	assert.Greater(t, corners, 20)
}

// A side that is held stays, the other goes: boxes, capsules, balls and hulls.
func TestSizingHoldsASide(t *testing.T) {
	s := crate()
	for _, f := range []collision.Form{collision.Box, collision.Capsule, collision.Ball, collision.OneHull} {
		d := fitted(f)
		before := run(t, s, d).Collision
		box := before.Shapes[0].Form.Bounds()
		d, err := d.Changed(t.Context(), before.Space, []string{before.Shapes[0].ID},
			collision.Edit{Do: collision.Size, By: geom.Vec3{1.5, 1, 1}, Hold: [3]int{-1, 0, 1}})
		require.NoError(t, err)
		after := run(t, s, d).Collision.Shapes[0].Form.Bounds()
		assert.InDelta(t, box.Min[0], after.Min[0], 1e-9, f)
		assert.InDelta(t, box.Max[2], after.Max[2], 1e-9, f)
		assert.InDelta(t, box.Center()[1], after.Center()[1], 1e-9, f)
		assert.Greater(t, after.Size()[0], box.Size()[0], f)
	}
}

// What is fitted to what is drawn round holds the surface within the outline, cut at it, and no more.
func TestAFitTakesWhatIsDrawnRound(t *testing.T) {
	s := crate()
	whole := s.Bounds()
	// On the front, the right half and a half of that on the left, drawn clockwise and with a dent.
	mid := whole.Center()
	x0 := mid[0] - whole.Size()[0]/4
	places := []geom.Vec2{{x0, whole.Max[1] + 1}, {whole.Max[0] + 1, whole.Max[1] + 1}, {mid[0], mid[1]},
		{whole.Max[0] + 1, whole.Min[1] - 1}, {x0, whole.Min[1] - 1}}
	r, err := collision.DrawnRound("front", places, geom.Identity)
	require.NoError(t, err)
	got := run(t, s, collision.Decisions{Fits: []collision.Fit{{Form: collision.Box, Round: &r}}})
	box := got.Collision.Shapes[0].Form.Bounds()
	want := whole
	want.Min[0] = x0
	assert.InDelta(t, 0, box.Min.Dist(want.Min)+box.Max.Dist(want.Max), 1e-9, "%v", box)
	_, err = collision.DrawnRound("front", places[:2], geom.Identity)
	assert.Error(t, err)
	back := []geom.Vec2{{0, 0}, {0, 1}, {1, 0}}
	assert.Error(t, collision.Round{View: "front", Outline: back, To: geom.Identity}.Validate(), "clockwise")
	assert.Error(t, collision.Round{View: "front", Outline: r.Outline}.Validate(), "seen from nowhere")
}
