package axes_test

import (
	"math"
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
)

// Things that are broader on top than at their feet, modelled with Z up and read with Y up, or lying along X.
func TestTheBroaderFaceIsNotTheFoot(t *testing.T) {
	bench := new(shape.Builder).Box(geom.Vec3{0, 0.4, 0}, geom.Vec3{1.6, 0.45, 0.4})
	for _, x := range []float64{0.05, 1.5} {
		for _, z := range []float64{0.02, 0.33} {
			bench.Box(geom.Vec3{x, 0, z}, geom.Vec3{x + 0.05, 0.4, z + 0.05})
		}
	}
	things := map[string]*scene.Mesh{
		"bench": bench.Mesh("bench"),
		"tower": new(shape.Builder).Lathe([][2]float64{{1, 0}, {1, 9}, {1.6, 9.2}, {1.6, 10}, {0, 10}}, 24).Mesh("capped"),
		"flagpole": new(shape.Builder).Lathe([][2]float64{{0.06, 0}, {0.05, 8}, {0.12, 8.05}, {0.12, 8.2}, {0, 8.2}},
			12).Mesh("staff"),
	}
	for name, m := range things {
		for from, turn := range map[geom.Axis]geom.Mat3{
			geom.PosZ: geom.Rotation(geom.Vec3{1, 0, 0}, math.Pi/2), // its top at +Z
			geom.PosX: geom.Rotation(geom.Vec3{0, 0, 1}, -math.Pi/2),
			geom.NegX: geom.Rotation(geom.Vec3{0, 0, 1}, math.Pi/2),
		} {
			s := shape.Scene(name, nil, m.Mapped(geom.Linear(turn)))
			r := preptest.Run(t, s, prep.Prep{}, preptest.YUp).Axes
			var f *finding.Finding
			for i := range r.Findings() {
				if r.Findings()[i].Code == "axes/lying" {
					f = &r.Findings()[i]
				}
			}
			require.NotNil(t, f, "%s with its top at %s", name, from)
			require.Len(t, f.Remedies, 2)
			first := f.Remedies[0].Decision.(axes.Decisions).Up
			if from == geom.PosZ {
				assert.Equal(t, geom.PosZ, first, name)
				assert.False(t, f.Remedies[0].Equal)
				continue
			}
			// Along X nothing tells: both ends are offered, and neither is the main one.
			assert.Equal(t, geom.PosX.Index(), first.Index(), name)
			assert.True(t, f.Remedies[0].Equal && f.Remedies[1].Equal, name)
			assert.NotEqual(t, first, f.Remedies[1].Decision.(axes.Decisions).Up)
		}
	}
}
