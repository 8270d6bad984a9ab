package floor

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/collide/decompose"
	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

func box(lo, hi geom.Vec3) *solid.Form {
	return solid.OfBox(fit.Upright([]geom.Vec3{lo, hi})).Form(context.Background())
}

func run(t testing.TB, forms []*solid.Form, x Trial) *Outcome {
	t.Helper()
	o, err := Run(context.Background(), forms, x)
	require.NoError(t, err)
	return o
}

// energyFalls is by how much of itself energy ever grew from one frame to the next.
func grew(o *Outcome) float64 {
	most := 0.0
	for i := 1; i < len(o.Energy); i++ {
		most = max(most, (o.Energy[i]-o.Energy[i-1])/o.Energy[0])
	}
	return most
}

// A box that falls flat comes down when Galilei says, and stays.
func TestABoxFallsAndStays(t *testing.T) {
	o := run(t, []*solid.Form{box(geom.Vec3{-0.5, 0, -0.5}, geom.Vec3{0.5, 1, 0.5})}, Trial{Kind: Drop, Height: 2})
	assert.InDelta(t, 500, o.Mass, 1e-9)
	require.True(t, o.Rested)
	hit := 0.0
	for _, f := range o.Frames {
		if f.Poses[0].At[1] < 0.51 {
			hit = f.T
			break
		}
	}
	assert.InDelta(t, math.Sqrt(2*2/Gravity), hit, 1.5/60)
	assert.Less(t, o.Deepest, 2e-3)
	assert.Less(t, o.Jitter, 1e-3)
	assert.InDelta(t, 0, o.Tip, 1e-3)
	assert.InDelta(t, 0.5, o.Frames[len(o.Frames)-1].Poses[0].At[1], 2e-3)
	assert.Less(t, grew(o), 1e-3)
}

// A resting body stays where it is.
func TestARestingBodyStays(t *testing.T) {
	for _, lean := range []float64{0, 90} {
		o := run(t, []*solid.Form{box(geom.Vec3{-0.2, 0, -0.2}, geom.Vec3{0.2, 1, 0.2})},
			Trial{Kind: Drop, Height: 1e-9, Tilt: lean,
				Seconds: 10})
		require.True(t, o.Rested)
		assert.InDelta(t, 0, o.Rest, 0.2)
		assert.Less(t, o.Moved, 1e-3)
		assert.Less(t, o.Jitter, 1e-3)
	}
}

// A tower falls over when it leans by more than its half diagonal, and not when by less.
func TestATowerFallsWhenItLeansTooFar(t *testing.T) {
	tower := []*solid.Form{box(geom.Vec3{-0.25, 0, -0.25}, geom.Vec3{0.25, 2, 0.25})}
	limit := math.Atan2(0.25, 1) * 180 / math.Pi
	for _, c := range []struct {
		lean float64
		tip  float64
	}{{limit - 2, 0}, {limit + 2, 90}} {
		o := run(t, tower, Trial{Kind: Drop, Height: 1e-6, Tilt: c.lean})
		require.True(t, o.Rested)
		assert.InDelta(t, c.tip, o.Tip*180/math.Pi, 1, "leaning by %.1f°", c.lean)
		assert.Less(t, grew(o), 2e-3)
	}
}

// Balls and capsules roll and rest on the ground; nothing gains energy by being let go in any pose.
func TestEnergyDoesNotGrow(t *testing.T) {
	table := decompose.Of(context.Background(), shape.Scene("table", nil, shapetest.Table()),
		decompose.Options{Hulls: 16, Points: 64})
	var forms []*solid.Form
	for _, h := range table.Hulls {
		forms = append(forms, solid.OfBody(h.Body).Form(context.Background()))
	}
	capsule := solid.OfCapsule(fit.Capsule{A: geom.Vec3{0, 0.3, 0}, B: geom.Vec3{0, 1.2, 0}, Radius: 0.3}).Form(
		context.Background())
	for i, c := range []struct {
		forms      []*solid.Form
		tilt, roll float64
	}{
		{forms, 0, 0}, {forms, 35, 0}, {forms, 120, 40}, {forms, -70, 15}, {forms, 180, 1},
		{[]*solid.Form{capsule}, 10, 0}, {[]*solid.Form{capsule}, 80, 20},
		{[]*solid.Form{box(geom.Vec3{}, geom.Vec3{0.1, 0.5, 2})}, 50, 50},
	} {
		o := run(t, c.forms, Trial{Kind: Drop, Height: 0.8, Tilt: c.tilt, Roll: c.roll})
		fmt.Printf("let go %d: rests %v after %.2f s, sank %.2f mm, trembles %.3f mm, gained %.5f\n", i, o.Rested, o.Rest,
			1e3*o.Deepest,
			1e3*o.Jitter, grew(o))
		assert.Less(t, grew(o), 3e-3)
		assert.True(t, o.Rested)
		assert.Less(t, o.Deepest, 5e-3)
	}
}

// The same trial gives the same outcome.
func TestTrialsRepeat(t *testing.T) {
	forms := []*solid.Form{box(geom.Vec3{}, geom.Vec3{0.3, 0.5, 1}), box(geom.Vec3{0.3, 0, 0}, geom.Vec3{0.6, 0.2, 1})}
	x := Trial{Kind: Box, Speed: 6, From: 30}
	assert.Equal(t, run(t, forms, x), run(t, forms, x))
}

// A heavy wall stops a ball, which stays outside of it; a ball as heavy moves it.
func TestABallIsStopped(t *testing.T) {
	wall := []*solid.Form{box(geom.Vec3{-1, 0, -0.3}, geom.Vec3{1, 1.5, 0.3})}
	o := run(t, wall, Trial{Kind: Ball, Density: 2000, Speed: 4})
	assert.False(t, o.Through)
	assert.Less(t, o.Deepest, 5e-3)
	last := o.Frames[len(o.Frames)-1].Poses[1].At
	assert.Greater(t, last[2], 0.3, "it came from the front and bounced or stayed there")
	assert.Less(t, o.Moved, 0.01)

	light := run(t, []*solid.Form{box(geom.Vec3{-0.15, 0, -0.15}, geom.Vec3{0.15, 0.3, 0.15})},
		Trial{Kind: Ball, Density: 50, Speed: 4})
	assert.Greater(t, light.Moved, 0.05)
	assert.False(t, light.Through)
}

// A thrown box hits a plank and does not go through it.
func TestABoxIsThrown(t *testing.T) {
	plank := []*solid.Form{box(geom.Vec3{-1, 0, -0.05}, geom.Vec3{1, 2, 0.05})}
	o := run(t, plank, Trial{Kind: Box, Density: 700, Speed: 6})
	assert.False(t, o.Through)
	assert.Greater(t, o.Moved+o.Tip, 0.01, "it was hit")
}

// A long capsule is solid all along, not only at its ends and its middle: a small box touches it wherever it lies
// against it, and where it does not, there is no contact.
func TestACapsuleIsSolidAllAlong(t *testing.T) {
	rail := NewBody([]*solid.Form{solid.OfCapsule(fit.Capsule{A: geom.Vec3{-1, 0, 0}, B: geom.Vec3{1, 0, 0},
		Radius: 0.1}).Form(context.Background())}, 7000)
	for at := -1.05; at <= 1.05; at += 0.021 {
		guest := NewBody([]*solid.Form{box(geom.Vec3{-.05, -.05, -.05}, geom.Vec3{.05, .05, .05})}, 7000)
		for _, pair := range [][]*Body{{rail, guest}, {guest, rail}} {
			rail.At, guest.At = geom.Vec3{0, 5, 0}, geom.Vec3{at, 5, 0.14} // a hundredth deep in its side
			rail.turned()
			guest.turned()
			deepest := 0.0
			for _, c := range contacts(pair) {
				deepest = max(deepest, c.depth)
			}
			assert.Greater(t, deepest, 0.002, "%.3g m from its middle", at)
			assert.Less(t, deepest, 0.011, "%.3g m from its middle", at)
			guest.At[2] = 0.17
			guest.turned()
			for _, c := range contacts(pair) {
				assert.Less(t, c.depth, 0.0, "beside it, %.3g m from its middle", at)
			}
		}
	}
}

// A walker goes through a doorway, is stopped by a wall, and climbs what is no higher than a step.
func TestAWalker(t *testing.T) {
	hut := decompose.Of(context.Background(), shape.Scene("hut", nil, shapetest.Hut()),
		decompose.Options{Hulls: 16, Points: 64})
	var forms []*solid.Form
	for _, h := range hut.Hulls {
		forms = append(forms, solid.OfBody(h.Body).Form(context.Background()))
	}
	in := run(t, forms, Trial{Kind: Walk})
	last := in.Walked.Path[len(in.Walked.Path)-1]
	assert.True(t, in.Walked.Stopped, "by the back wall")
	assert.InDelta(t, 0.1+0.3, last[2], 0.03)
	assert.InDelta(t, 0.1, in.Walked.Climbed, 0.02, "over the floor")
	side := run(t, forms, Trial{Kind: Walk, From: 90})
	last = side.Walked.Path[len(side.Walked.Path)-1]
	assert.InDelta(t, -0.3, last[0], 0.03)

	stair := decompose.Of(context.Background(), shape.Scene("stair", nil, shapetest.Stair(4)),
		decompose.Options{Hulls: 16, Points: 64})
	forms = nil
	for _, h := range stair.Hulls {
		forms = append(forms, solid.OfBody(h.Body).Form(context.Background()))
	}
	up := run(t, forms, Trial{Kind: Walk, From: 90, Step: 0.2})
	assert.InDelta(t, 4*0.18, up.Walked.Climbed, 0.03)
	no := run(t, forms, Trial{Kind: Walk, From: 90, Step: 0.15})
	assert.True(t, no.Walked.Stopped)
	assert.Zero(t, no.Walked.Climbed)
}

// Bad trials say what is wrong.
func TestBadTrials(t *testing.T) {
	forms := []*solid.Form{box(geom.Vec3{}, geom.Vec3{1, 1, 1})}
	for _, x := range []Trial{{}, {Kind: "fly"}, {Kind: Drop, Height: 1e6}, {Kind: Drop, Density: -1},
		{Kind: Ball, Speed: math.NaN()}} {
		_, err := Run(context.Background(), forms, x)
		assert.Error(t, err)
	}
	for what, x := range map[string][2]Trial{ // the last that can be tried, and the first that can't
		"height": {{Height: 100}, {Height: 100.1}}, "tilt": {{Tilt: -360}, {Tilt: -360.1}},
		"roll":  {{Roll: 360}, {Roll: 361}},
		"light": {{Density: 1}, {Density: .9}}, "dense": {{Density: 30_000}, {Density: 30_001}},
		"short": {{Seconds: .1}, {Seconds: .09}}, "long": {{Seconds: 60}, {Seconds: 60.1}},
		"size": {{Size: 20}, {Size: 20.1}}, "speed": {{Speed: 60}, {Speed: 60.1}}, "back": {{Speed: 0}, {Speed: -1}},
		"tall": {{Tall: 10}, {Tall: 10.1}}, "wide": {{Wide: 10}, {Wide: 10.1}}, "step": {{Step: 5}, {Step: 5.1}},
		"slope": {{Slope: 89}, {Slope: 89.1}}, "slant": {{Slant: 60}, {Slant: 60.1}},
	} {
		fine, bad := x[0], x[1]
		for _, t := range []*Trial{&fine, &bad} {
			t.Kind, t.Density, t.Seconds = Drop, cmp.Or(t.Density, 500), cmp.Or(t.Seconds, 20)
		}
		assert.NoError(t, fine.Validate(), what)
		assert.Error(t, bad.Validate(), what)
	}
	_, err := Run(context.Background(), nil, Trial{Kind: Drop})
	assert.ErrorIs(t, err, ErrNothing)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Run(ctx, forms, Trial{Kind: Drop})
	assert.ErrorIs(t, err, context.Canceled)
}

// Sixteen hulls for twenty seconds.
func BenchmarkTwentySeconds(b *testing.B) {
	r := decompose.Of(context.Background(), shape.Scene("ring", nil, shapetest.Torus(1, 0.25, 64, 24)),
		decompose.Options{Hulls: 16,
			Points: 64})
	var forms []*solid.Form
	for _, h := range r.Hulls {
		forms = append(forms, solid.OfBody(h.Body).Form(context.Background()))
	}
	for _, kind := range []Kind{Drop, Ball, Box} {
		b.Run(string(kind), func(b *testing.B) {
			for b.Loop() {
				began := time.Now()
				asset := NewBody(forms, 500)
				asset.Turn = geom.Rotation(geom.Vec3{1, 0, 0}, 1.2)
				asset.turned()
				asset.At[1] = 2
				bodies := []*Body{asset}
				if kind != Drop {
					o := &Outcome{Trial: Trial{Kind: kind}.Usual()}
					bodies = append(bodies, o.guest(asset))
				}
				known := map[contactKey]contact{}
				for range 20 * rate {
					known = move(bodies, pullOn(0), known)
				}
				b.ReportMetric(float64(time.Since(began).Milliseconds()), "ms/20s")
				b.ReportMetric(float64(len(forms)), "hulls")
			}
		})
	}
}

// wedge rises along +Z's opposite, from z = 0 by an angle to a top of a metre's depth, and falls off behind.
func wedge(degrees, high, wide float64) *solid.Form {
	long := high / math.Tan(degrees*math.Pi/180)
	var pts []geom.Vec3
	for _, x := range []float64{-wide / 2, wide / 2} {
		pts = append(pts, geom.Vec3{x, 0, 0}, geom.Vec3{x, high, -long}, geom.Vec3{x, 0, -long})
	}
	h := geom.HullOf(context.Background(), pts)
	return solid.OfBody(fit.OfHull(h)).Form(context.Background())
}

// Walks end as where they end tells: over, through, within or before.
func TestWalksAreToldByWhereTheyEnd(t *testing.T) {
	wall := []*solid.Form{box(geom.Vec3{-2, 0, -0.1}, geom.Vec3{2, 2.5, 0.1})}
	gate := []*solid.Form{box(geom.Vec3{-2, 0, -0.1}, geom.Vec3{-0.6, 2.5, 0.1}),
		box(geom.Vec3{0.6, 0, -0.1}, geom.Vec3{2, 2.5, 0.1}),
		box(geom.Vec3{-0.6, 0, -0.1}, geom.Vec3{0.6, 0.1, 0.1})}
	niche := append(append([]*solid.Form{}, gate...), box(geom.Vec3{-0.6, 0, -1.5}, geom.Vec3{0.6, 2.5, -1.4}))
	for name, c := range map[string]struct {
		forms []*solid.Form
		t     Trial
		end   End
		in    float64
		high  float64
	}{
		"a wall":                      {wall, Trial{}, Before, 0, 0},
		"a gate with a sill":          {gate, Trial{}, Through, -1, 0.1},
		"a gate with a back wall":     {niche, Trial{}, Within, 1.5, 0.1},
		"a gentle wedge":              {[]*solid.Form{wedge(30, 1, 2)}, Trial{}, Over, -1, 1},
		"a wedge that is too steep":   {[]*solid.Form{wedge(50, 1, 2)}, Trial{}, Within, -1, 0.3},
		"the same, for who may":       {[]*solid.Form{wedge(50, 1, 2)}, Trial{Slope: 55}, Over, -1, 1},
		"a gentle one, for who can't": {[]*solid.Form{wedge(30, 1, 2)}, Trial{Slope: 20, Step: 0.1}, Within, -1, 0.1},
	} {
		t.Run(name, func(t *testing.T) {
			c.t.Kind = Walk
			w := run(t, c.forms, c.t).Walked
			assert.Equal(t, c.end, w.Ended)
			if c.in >= 0 {
				assert.InDelta(t, c.in, w.In, 0.05)
			}
			assert.InDelta(t, c.high, w.Climbed, 0.05)
		})
	}
}

// A block on a slanting floor stays below the angle of friction, and slides above it as its closed form says:
// a = g (sin θ − µ cos θ).
func TestSlidingAgainstItsClosedForm(t *testing.T) {
	block := []*solid.Form{box(geom.Vec3{-0.5, 0, -0.5}, geom.Vec3{0.5, 0.2, 0.5})}
	at := math.Atan(friction) * 180 / math.Pi
	for _, slant := range []float64{at - 8, at - 2, at + 2, at + 6, at + 12} {
		o := run(t, block, Trial{Kind: Drop, Height: 1e-6, Slant: slant, Seconds: 2})
		sin, cos := math.Sincos(slant * math.Pi / 180)
		a := max(0, Gravity*(sin-friction*cos))
		end := o.Frames[len(o.Frames)-1].T
		if a == 0 {
			assert.Less(t, o.Moved, 0.01, "at %g°", slant)
			assert.True(t, o.Rested)
			continue
		}
		assert.InDelta(t, a*end*end/2, o.Moved, 0.02*a*end*end/2+0.02, "at %g°", slant)
	}
}

// A ball that rolls at a ramp gets as high as its speed and its spin carry it: h = 0.7 v² / g.
func TestABallRollsUpARamp(t *testing.T) {
	ramp := []*solid.Form{wedge(12, 2, 4)}
	o := run(t, ramp, Trial{Kind: Ball, Size: 0.4, Speed: 2.5, Density: 20_000})
	assert.InDelta(t, 0.7*2.5*2.5/Gravity, o.Highest, 0.12*0.7*2.5*2.5/Gravity)
}

// On a floor that slants by less than friction holds a box stays, and on one that slants by more it slides: Coulomb's
// bound is the arc tangent of the coefficient, 31 degrees of 0.6.
func TestFrictionHoldsUpToItsAngle(t *testing.T) {
	for slant, slides := range map[float64]bool{20: false, 28: false, 34: true, 40: true} {
		o := run(t, []*solid.Form{box(geom.Vec3{-1, 0, -1}, geom.Vec3{1, .2, 1})},
			Trial{Kind: Drop, Height: 0.01, Slant: slant, Seconds: 3})
		if slides {
			a := Gravity * (math.Sin(slant*math.Pi/180) - friction*math.Cos(slant*math.Pi/180))
			assert.Greater(t, o.Moved, 0.5*a*4*.5, "%v degrees", slant)
		} else {
			assert.Less(t, o.Moved, 0.05, "%v degrees", slant)
		}
	}
	assert.InDelta(t, 0.6, friction, 0, "of common dry surfaces")
}

// The middle of mass of a capsule and a box that lean on nothing is where it is by formula.
func TestMiddlesOfMassByFormula(t *testing.T) {
	ctx := context.Background()
	c := solid.OfCapsule(fit.Capsule{A: geom.Vec3{0, 1, 0}, B: geom.Vec3{0, 3, 0}, Radius: .25}).Form(ctx)
	o := run(t, []*solid.Form{c}, Trial{Kind: Drop, Height: .1})
	assert.InDelta(t, 2, o.Centre[1], 1e-3)
	assert.InEpsilon(t, 500*(math.Pi*.0625*2+4./3*math.Pi*.015625), o.Mass, .04, "it is a body of sixteen sides")
	two := []*solid.Form{box(geom.Vec3{0, 0, 0}, geom.Vec3{1, 1, 1}), box(geom.Vec3{3, 0, 0}, geom.Vec3{4, 2, 1})}
	o = run(t, two, Trial{Kind: Drop, Height: .1})
	assert.InDelta(t, (.5+2*3.5)/3, o.Centre[0], 1e-9)
	assert.InDelta(t, (.5+2*1)/3, o.Centre[1], 1e-9)
	assert.InDelta(t, 1500, o.Mass, 1e-6)
}
