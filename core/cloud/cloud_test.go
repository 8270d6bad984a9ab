package cloud

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

// splats are so many blobs with everything: turns, sizes in the logarithm, normals, light to degree 3.
func splats(n int) *Cloud {
	rng := rand.New(rand.NewPCG(3, 4))
	c := &Cloud{Name: "shore", Type: "float"}
	names := []string{"nx", "ny", "nz", "f_dc_0", "f_dc_1", "f_dc_2"}
	for i := range 45 {
		names = append(names, fmt.Sprint("f_rest_", i))
	}
	names = append(names, "opacity", "scale_0", "scale_1", "scale_2", "rot_0", "rot_1", "rot_2", "rot_3", "station")
	for _, name := range names {
		c.Fields = append(c.Fields, Field{Name: name, Type: "double", Double: make([]float64, n)})
	}
	for i := range n {
		c.Points = append(c.Points, geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()})
		for f := range c.Fields {
			c.Fields[f].Set(i, rng.NormFloat64())
		}
		c.Field("scale_0").Set(i, -2-rng.Float64())
	}
	return c
}

// sigma is how a blob spreads, from the definition: turn · sizes² · turnᵀ, by a matrix of its own for the quaternion.
func sigma(c *Cloud, i int) (m [3][3]float64) {
	var q [4]float64
	l := 0.0
	for k := range 4 {
		q[k] = c.Field(fmt.Sprint("rot_", k)).At(i)
		l += q[k] * q[k]
	}
	l = math.Sqrt(l)
	w, x, y, z := q[0]/l, q[1]/l, q[2]/l, q[3]/l
	r := [3][3]float64{{1 - 2*(y*y+z*z), 2 * (x*y - w*z), 2 * (x*z + w*y)},
		{2 * (x*y + w*z), 1 - 2*(x*x+z*z), 2 * (y*z - w*x)},
		{2 * (x*z - w*y), 2 * (y*z + w*x), 1 - 2*(x*x+y*y)}}
	for a := range 3 {
		for b := range 3 {
			for k := range 3 {
				s := math.Exp(c.Field(fmt.Sprint("scale_", k)).At(i))
				m[a][b] += r[a][k] * s * s * r[b][k]
			}
		}
	}
	return m
}

// seen is the light of a channel of a blob in a direction, summed up from the definition of the harmonics.
func seen(c *Cloud, i, channel int, d geom.Vec3) float64 {
	v := c.Field(fmt.Sprint("f_dc_", channel)).At(i) * Harmonics(0, d)[0]
	at := channel * 15
	for l := 1; l <= 3; l++ {
		for _, y := range Harmonics(l, d) {
			v += c.Field(fmt.Sprint("f_rest_", at)).At(i) * y
			at++
		}
	}
	return v
}

// Whatever carries a cloud, mirrors among it, its light is seen in a direction that was turned along as it was seen
// before, its blobs spread as the map says of any spread, its normals are turned, and what nobody knows stays.
func TestACloudIsCarriedWithAllItHas(t *testing.T) {
	turn := geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 1.1)
	mirror := geom.Mat3{{0, 1, 0}, {1, 0, 0}, {0, 0, 1}}
	for name, m := range map[string]geom.Mat3{"turned": turn, "mirrored": mirror, "both": turn.Mul(mirror),
		"scaled": turn.Scaled(2.5), "turned over": geom.Mat3{{-1, 0, 0}, {0, -1, 0}, {0, 0, -1}}} {
		t.Run(name, func(t *testing.T) {
			was, is := splats(5), splats(5)
			a := geom.Affine{M: m, T: geom.Vec3{4, 5, 6}}
			require.NoError(t, is.Mapped(a))
			k := math.Cbrt(math.Abs(m.Det()))
			r := m.Scaled(1 / k)
			rng := rand.New(rand.NewPCG(8, 9))
			for i := range was.Points {
				assert.True(t, a.Apply(was.Points[i]).Near(is.Points[i], 1e-12))
				for range 1000 {
					d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
					for channel := range 3 {
						require.InDelta(t, seen(was, i, channel, d), seen(is, i, channel, r.Apply(d)), 1e-9)
					}
				}
				s, got := sigma(was, i), sigma(is, i)
				for a := range 3 {
					for b := range 3 {
						want := 0.0
						for x := range 3 {
							for y := range 3 {
								want += m[a][x] * s[x][y] * m[b][y]
							}
						}
						assert.InDelta(t, want, got[a][b], 1e-9*(1+math.Abs(want)), "spread of %d", i)
					}
				}
				n := geom.Vec3{was.Field("nx").At(i), was.Field("ny").At(i), was.Field("nz").At(i)}
				now := geom.Vec3{is.Field("nx").At(i), is.Field("ny").At(i), is.Field("nz").At(i)}
				assert.True(t, r.Apply(n).Near(now, 1e-9))
				assert.Equal(t, was.Field("station").At(i), is.Field("station").At(i))
				assert.Equal(t, was.Field("opacity").At(i), is.Field("opacity").At(i))
			}
		})
	}
	err := splats(2).Mapped(geom.Linear(geom.Mat3{{2, 0, 0}, {0, 1, 0}, {0, 0, 1}}))
	assert.ErrorContains(t, err, "stretched")
}

// The harmonics are orthonormal over the sphere, as their standard says: integrated on a fine grid.
func TestHarmonicsAreOrthonormal(t *testing.T) {
	const n = 400
	var sum [16][16]float64
	for i := range n {
		z := (2*float64(i)+1)/n - 1
		for j := range n {
			s, c := math.Sincos(2 * math.Pi * float64(j) / n)
			d := geom.Vec3{math.Sqrt(1-z*z) * c, math.Sqrt(1-z*z) * s, z}
			var y []float64
			for l := range 4 {
				y = append(y, Harmonics(l, d)...)
			}
			for a := range y {
				for b := range y {
					sum[a][b] += y[a] * y[b] * 4 * math.Pi / (n * n)
				}
			}
		}
	}
	for a := range sum {
		for b := range sum {
			assert.InDelta(t, map[bool]float64{true: 1}[a == b], sum[a][b], 1e-4, "%d %d", a, b)
		}
	}
}

// bell is a scanned thing on a table that leans, with strays far off and a second, smaller thing.
func bell() (c *Cloud, up, normal geom.Vec3) {
	rng := rand.New(rand.NewPCG(5, 6))
	c, up = &Cloud{Name: "fog-bell", Type: "float"}, geom.Vec3{0, 1, 0}
	lean := geom.Rotation(geom.Vec3{1, 0, 2}.Unit(), 12*math.Pi/180)
	add := func(p geom.Vec3) { c.Points = append(c.Points, lean.Apply(p)) }
	for range 20_000 { // the bell: a ball above the table
		d := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Unit()
		add(d.Mul(.2).Add(geom.Vec3{0, .2, 0}))
	}
	for range 30_000 {
		add(geom.Vec3{2*rng.Float64() - 1, .002 * rng.NormFloat64(), 2*rng.Float64() - 1})
	}
	for range 200 {
		add(geom.Vec3{9 * rng.NormFloat64(), 20 + rng.Float64(), 9 * rng.NormFloat64()})
	}
	stamp := Field{Name: "stamp", Type: "double", Double: make([]float64, len(c.Points))}
	for i := range stamp.Double {
		stamp.Double[i] = float64(i)
	}
	c.Fields = []Field{stamp}
	return c, up, lean.Apply(up)
}

// The floor of a scan that leans is found to a hundredth of a degree of what it was made with, and lies flat once it is
// levelled; the densest piece leaves the strays, and nothing else.
func TestFloorsAndPieces(t *testing.T) {
	c, up, normal := bell()
	f, ok := c.FloorOf(up, .01)
	require.True(t, ok)
	assert.InDelta(t, 12*math.Pi/180, f.Tilt, 2e-4)
	assert.Greater(t, f.Normal.Dot(normal), math.Cos(2e-4))
	assert.InDelta(t, .002, f.RMS, .0005)
	require.NoError(t, c.Mapped(f.Levelled(up)))
	f, ok = c.FloorOf(up, .01)
	require.True(t, ok)
	assert.Less(t, f.Tilt, 1e-6)
	keep, err := c.Piece(context.Background(), .05)
	require.NoError(t, err)
	for i, k := range keep {
		require.Equal(t, i < 50_000, k, "point %d at %v", i, c.Points[i])
	}
	only := c.Only(keep)
	assert.Len(t, only.Points, 50_000)
	assert.Equal(t, 50_000, only.Field("stamp").Len())
	_, ok = (&Cloud{Points: []geom.Vec3{{}, {1, 0, 0}}}).FloorOf(up, 1)
	assert.False(t, ok)
}

// What is thinned is a part of what was, one for each cube, with what it carries; no cube is lost.
func TestThinning(t *testing.T) {
	c, _, _ := bell()
	const edge = .03
	out, err := c.Thinned(context.Background(), edge)
	require.NoError(t, err)
	g, err := gridOf(c.Box(), edge)
	require.NoError(t, err)
	were, are := map[cell]bool{}, map[cell]bool{}
	for _, p := range c.Points {
		were[g.of(p)] = true
	}
	for i, p := range out.Points {
		assert.False(t, are[g.of(p)], "two in one cube")
		are[g.of(p)] = true
		assert.Equal(t, c.Points[int(out.Field("stamp").At(i))], p, "with its own stamp")
	}
	assert.Equal(t, were, are)
	_, err = c.Thinned(context.Background(), 1e-12)
	require.ErrorContains(t, err, "too fine")
	stopped, stop := context.WithCancel(context.Background())
	stop()
	_, err = c.Thinned(stopped, edge)
	require.ErrorIs(t, err, context.Canceled)
	assert.InDelta(t, .02, c.Spacing(), .02, "about how far they lie apart")
	assert.Zero(t, (&Cloud{Points: []geom.Vec3{{1, 1, 1}}}).Spacing())
}
