package scene_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
)

// star is an outline that goes in and out: whatever is nearer than its inner radius lies within, and what is farther
// than its outer does not.
func star(n int, inner, outer float64) (list [][2]float64) {
	for i := range 2 * n {
		r, turn := outer, math.Pi*float64(i)/float64(n)
		if i%2 == 1 {
			r = inner
		}
		list = append(list, [2]float64{r * math.Cos(turn), r * math.Sin(turn)})
	}
	return list
}

// wound is how often an outline goes round a place, by the angles it is seen under.
func wound(list [][2]float64, x, y float64) int {
	sum := 0.0
	for i, a := range list {
		b := list[(i+1)%len(list)]
		d := math.Atan2(b[1]-y, b[0]-x) - math.Atan2(a[1]-y, a[0]-x)
		sum += math.Remainder(d, 2*math.Pi)
	}
	return int(math.Round(sum / (2 * math.Pi)))
}

// Points are kept by a ball and by what is drawn round them as each is by itself, wherever the node stands.
func TestPointsAreCroppedByRegions(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	c := &cloud.Cloud{Type: "float"}
	for range 20_000 {
		c.Points = append(c.Points, geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()})
	}
	m := &scene.Mesh{Name: "dots", FaceStart: []int32{0}, Cloud: c}
	world := geom.Affine{M: geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), .8).Scaled(1.5), T: geom.Vec3{1, 0, -2}}
	world.M[0] = world.M[0].Mul(-1) // a mirrored node
	middle, radius := geom.Vec3{1.5, .2, -1.7}, 1.1
	outline := star(5, .5, 2)
	regions := map[string]struct {
		region scene.Region
		holds  func(p geom.Vec3) bool
	}{
		"ball": {scene.Region{To: geom.Affine{M: geom.Identity3.Scaled(1 / radius), T: middle.Mul(-1 / radius)}},
			func(p geom.Vec3) bool { return p.Dist(middle) <= radius }},
		"drawn": {scene.Region{To: geom.Linear(geom.Mat3{{0, 0, 1}, {1, 0, 0}, {0, 1, 0}}), Outline: outline},
			func(p geom.Vec3) bool { return wound(outline, p[2], p[0]) != 0 }},
	}
	for name, x := range regions {
		for _, outside := range []bool{false, true} {
			by := scene.Cropping{Region: &x.region, Outside: outside}.Carried(world)
			got := m.Cropped(t.Context(), by).Cloud.Points
			var want []geom.Vec3
			for _, p := range c.Points {
				if x.holds(world.Apply(p)) != outside {
					want = append(want, p)
				}
			}
			require.Greater(t, len(want), 500)
			assert.Equal(t, want, got, "%s, outside %v", name, outside)
		}
	}
}

// Faces go or stay whole, each by its middle.
func TestFacesAreCroppedByRegions(t *testing.T) {
	m := shapetest.Boulder(20)
	middle, radius := geom.Vec3{.4, .3, 0}, .8
	by := scene.Cropping{Region: &scene.Region{To: geom.Affine{M: geom.Identity3.Scaled(1 / radius),
		T: middle.Mul(-1 / radius)}}}
	got := m.Cropped(t.Context(), by)
	want := 0
	for f := range m.Faces() {
		var sum geom.Vec3
		ring := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		for _, p := range ring {
			sum = sum.Add(m.Points[p].Mul(1 / float64(len(ring))))
		}
		if sum.Dist(middle) <= radius {
			want++
		}
	}
	assert.Greater(t, want, 20)
	assert.Equal(t, want, got.Faces())
	assert.Subset(t, m.Points, got.Points, "points stay as they are")
}
