package axes_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/prep/preptest"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/station/axes"
	"yarvek/core/target"
)

func TestTurnsAreFactsOfTheWorld(t *testing.T) {
	s := shape.Scene("post", nil, preptest.Post())
	for _, to := range target.Shipped {
		r := preptest.Run(t, s, prep.Prep{Axes: axes.Decisions{Turns: []axes.Turn{{About: axes.AboutUp, Degrees: 90}}}}, to)
		b := r.Delivery.Scene.Bounds()
		v := to.Basis.ToView()
		lo, hi := v.Apply(b.Min), v.Apply(b.Max)
		// The arm pointed 0.8 to the front; anticlockwise seen from above carries the
		// front to the asset's own left, which is −right.
		assert.InDelta(t, 0.8, max(-lo[0], -hi[0]), 1e-9, to.ID)
		assert.InDelta(t, 2, math.Abs(hi[1]-lo[1]), 1e-9)
	}
}

func TestStancesAreRankedWithReasons(t *testing.T) {
	r := preptest.Run(t, shape.Scene("x", nil, preptest.Post()), prep.Prep{}, preptest.ZUpLeft)
	var best axes.Stance
	for _, st := range preptest.Standing(t, r).Stances {
		if st.Rank == 1 {
			best = st
		}
	}
	assert.Equal(t, geom.PosY, best.Basis.Up, "it stands on its plate")
	assert.InDelta(t, .64, best.Contact, 1e-9)
	assert.Greater(t, best.Margin, .3)
	assert.Contains(t, best.Reasons(), "stands on 0.64\u202fm², its weight")
	assert.Equal(t, axes.Decisions{}, prep.Prep{}.Axes, "nothing is applied by itself")
}

func TestALeaningBodyIsLaidToRestAndTurnedTrue(t *testing.T) {
	lean := geom.Affine{M: geom.Rotation(geom.Vec3{1, 0, .4}, 6*math.Pi/180), T: geom.Vec3{0, 7, 0}}
	for _, to := range target.Shipped {
		s := shape.Scene("x", nil, new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{1, 2, .6}).Mesh("slab").Mapped(lean))
		r := preptest.Run(t, s, prep.Prep{}, to)
		f := preptest.Find(t, r.Axes.Findings(), "axes/askew")
		assert.Equal(t, "Askew by 6°", f.Title)
		for i, d := range []axes.Decisions{f.Remedies[0].Decision.(axes.Decisions),
			{Pose: preptest.Standing(t, r).Poses[0].Turn}} {
			d.Drop = true
			q := preptest.Run(t, s, prep.Prep{Axes: d}, to)
			if i == 0 {
				assert.Nil(t, q.Axes.Tilt, "%s", to.ID)
				assert.True(t, q.Axes.Size.Near(geom.Vec3{1, 2, .6}, 1e-6), "a box again: %v", q.Axes.Size)
			} else {
				assert.InDelta(t, .6, q.Axes.Size[1], 1e-6, "on its broad side")
			}
			v := to.Basis.ToView()
			b := preptest.After(t, q, "axes").Bounds()
			assert.InDelta(t, 0, min(v.Apply(b.Min)[1], v.Apply(b.Max)[1]), 1e-9, "on the ground")
		}
		// With a turn after it the remedy still turns the outcome true.
		turned := axes.Decisions{Turns: []axes.Turn{{About: axes.AboutUp, Degrees: 90}}}
		r = preptest.Run(t, s, prep.Prep{Axes: turned}, to)
		q := preptest.Run(t, s, prep.Prep{Axes: preptest.Find(t, r.Axes.Findings(),
			"axes/askew").Remedies[0].Decision.(axes.Decisions)}, to)
		assert.Nil(t, q.Axes.Tilt)
	}
	assert.Error(t, axes.Decisions{Pose: geom.Vec3{400, 0, 0}}.Validate())
}

func TestHowItLiesInReceivers(t *testing.T) {
	s := shape.Scene("x", nil, preptest.Post())
	words := func(to target.Target, d axes.Decisions) (out []string) {
		for _, l := range preptest.Run(t, s, prep.Prep{Axes: d}, to).Axes.Lies {
			out = append(out, l.Honoured.Words+" | "+l.Ignored.Words)
		}
		return out
	}
	same := "as it stands here | as it stands here"
	assert.Equal(t, []string{same, same, same}, words(preptest.YUp, axes.Decisions{}), "glTF's own frame")
	// Z up: a receiver that takes +Z for up lays a Y-up file on its back... seen from the front, Y goes away from or
	// toward the viewer.
	z := words(target.Shipped[3], axes.Decisions{})
	assert.Equal(t, "as it stands here | on its back", z[1])
	assert.Equal(t, same, z[2])
	left := words(target.Shipped[2], axes.Decisions{})
	assert.Equal(t, "as it stands here | mirrored", left[1][:len("as it stands here | ")]+"mirrored")
	assert.Contains(t, left[1], "mirrored")
	require.Len(t, left, 4)
	assert.Contains(t, left[2], "as it stands here | ")
	assert.Contains(t, left[2], "mirrored", "FBX is right-handed")
	assert.Equal(t, same, left[3])
	upset := words(preptest.YUp, axes.Decisions{Up: geom.NegY})
	assert.Equal(t, "upside down | upside down", upset[0][:len("upside down | upside down")], "the source unprepared")
	assert.Equal(t, same, upset[1])
}

// Long thin things that lie are told when one end is broader or a name says that they
// stand, whichever way they lie; planks, beams and things that stand are left in peace.
func TestLongThingsThatLie(t *testing.T) {
	lay := func(m *scene.Mesh, name string, turn geom.Mat3) *scene.Scene {
		s := shape.Scene(name, nil, m.Mapped(geom.Linear(turn)))
		s.Nodes[0].Name = name
		return s
	}
	turns := map[string]geom.Mat3{"standing": geom.Identity3, "on its back": geom.Rotation(geom.Vec3{1, 0, 0}, -math.Pi/2),
		"on its face": geom.Rotation(geom.Vec3{1, 0, 0}, math.Pi/2), "to the left": geom.Rotation(geom.Vec3{0, 0, 1},
			math.Pi/2),
		"to the right": geom.Rotation(geom.Vec3{0, 0, 1}, -math.Pi/2)}
	things := 0
	for _, tall := range []float64{0.3, 2, 9, 24} {
		for _, sides := range []int{4, 12} {
			w := tall / 30
			tapered := new(shape.Builder).Lathe([][2]float64{{2 * w, 0}, {w, tall}}, sides).Mesh("m")
			even := new(shape.Builder).Lathe([][2]float64{{w, 0}, {w, tall}}, sides).Mesh("m")
			for how, turn := range turns {
				for _, c := range []struct {
					m    *scene.Mesh
					name string
					says bool
				}{{tapered, "rod", true}, {even, "radio mast", true}, {even, "rail", false}, {even, "plank", false}} {
					things++
					r := preptest.Run(t, lay(c.m, c.name, turn), prep.Prep{}, preptest.YUp)
					var f *finding.Finding
					for i := range r.Axes.Findings() {
						if r.Axes.Findings()[i].Code == "axes/lying" {
							f = &r.Axes.Findings()[i]
						}
					}
					what := fmt.Sprintf("%s of %g m and %d sides, %s", c.name, tall, sides, how)
					if assert.Equal(t, c.says && how != "standing", f != nil, what) && f != nil {
						after := preptest.Run(t, lay(c.m, c.name, turn), prep.Prep{Axes: f.Remedies[0].Decision.(axes.Decisions)},
							preptest.YUp)
						assert.InDelta(t, tall, after.Axes.Size[1], 1e-6*tall, what)
					}
				}
			}
		}
	}
	assert.Greater(t, things, 50)
}

// Faces that look the wrong way say nothing of how a thing stands.
func TestReversedFacesDoNotTipABox(t *testing.T) {
	for skip := range 6 {
		m := new(shape.Builder).Box(geom.Vec3{}, geom.Vec3{2, 1, 1.5}).Mesh("box")
		for f := range m.Faces() {
			if f != skip {
				slices.Reverse(m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
			}
		}
		r := preptest.Run(t, shape.Scene("box", nil, m), prep.Prep{}, preptest.YUp)
		for _, f := range r.Axes.Findings() {
			assert.NotEqual(t, "axes/lying", f.Code, "face %d", skip)
		}
	}
}
