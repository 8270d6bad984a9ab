package geom

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func random(r *rand.Rand) Vec3 { return Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()} }

func (h *Hull) volume() float64 {
	v := 0.0
	for _, f := range h.Faces {
		o := h.Points[0]
		v += h.Points[f[0]].Sub(o).Dot(h.Points[f[1]].Sub(o).Cross(h.Points[f[2]].Sub(o))) / 6
	}
	return v
}

// Every point lies inside, every side is shared by two faces in opposite directions.
func checkHull(t *testing.T, h *Hull, pts []Vec3, tol float64) {
	t.Helper()
	sides := map[[2]int32]int{}
	for _, f := range h.Faces {
		a := h.Points[f[0]]
		n := h.Points[f[1]].Sub(a).Cross(h.Points[f[2]].Sub(a)).Unit()
		for _, p := range pts {
			if d := p.Sub(a).Dot(n); d > tol {
				require.Failf(t, "outside", "by %g", d)
			}
		}
		for k := range 3 {
			sides[[2]int32{f[k], f[(k+1)%3]}]++
		}
	}
	for s, n := range sides {
		require.Equal(t, 1, n)
		require.Equal(t, 1, sides[[2]int32{s[1], s[0]}], "closed")
	}
}

func TestHullsByHand(t *testing.T) {
	var cube []Vec3
	for i := range 6 {
		for j := range 6 {
			for k := range 6 { // a cube with subdivided faces and points inside
				cube = append(cube, Vec3{float64(i) / 5, float64(j) / 5, float64(k) / 5})
			}
		}
	}
	for name, m := range map[string]Affine{
		"as it is":     Identity,
		"turned":       Linear(Rotation(Vec3{1, 2, 3}, 0.7)),
		"far away":     {Rotation(Vec3{3, 1, 0}, 0.3), Vec3{60000, -2000, 800}},
		"in thousands": Linear(Identity3.Scaled(1000)),
	} {
		t.Run(name, func(t *testing.T) {
			pts := make([]Vec3, len(cube))
			for i, p := range cube {
				pts[i] = m.Apply(p)
			}
			k := math.Cbrt(m.M.Det())
			h := HullOf(context.Background(), pts)
			checkHull(t, h, pts, 2e-6*k)
			assert.InDelta(t, 1, h.volume()/(k*k*k), 1e-5)
			assert.Len(t, h.Facets(), 6, "six flat sides")
			frame, size := h.TightBox(context.Background())
			assert.InDelta(t, k, size[0], 1e-5*k)
			assert.InDelta(t, k, size[2], 1e-5*k)
			assert.InDelta(t, 1, frame.Det(), 1e-9)
		})
	}
	flat := HullOf(context.Background(), []Vec3{{0, 0, 0}, {2, 0, 0}, {2, 3, 0}, {0, 3, 0}, {1, 1, 0}})
	assert.True(t, flat.Flat)
	assert.Len(t, flat.Points, 4)
	require.Len(t, flat.Facets(), 2)
	assert.InDelta(t, 6, flat.Facets()[0].Area, 1e-9)
	assert.Empty(t, HullOf(context.Background(), []Vec3{{1, 1, 1}, {2, 2, 2}, {3, 3, 3}}).Faces, "a line")
	assert.Empty(t, HullOf(context.Background(), []Vec3{{1, 1, 1}, {1, 1, 1}}).Faces, "a point")
	assert.Empty(t, HullOf(context.Background(), nil).Faces)
}

func TestHullsOfRandomPoints(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 5))
		pts := make([]Vec3, 4+r.IntN(400))
		for i := range pts {
			pts[i] = random(r)
			if seed%3 == 0 {
				pts[i] = pts[i].Unit() // all of them corners
			}
			if seed%3 == 1 {
				pts[i][2] = math.Round(pts[i][2]) // many in a few planes
			}
		}
		checkHull(t, HullOf(context.Background(), pts), pts, 1e-5)
	}
}

func TestTightBoxFollowsALeaningMast(t *testing.T) {
	lean := Rotation(Vec3{0.3, 0, 1}, 0.4)
	var pts []Vec3
	for _, x := range []float64{-.05, .05} {
		for _, y := range []float64{0, 6} {
			for _, z := range []float64{-.1, .1} {
				pts = append(pts, lean.Apply(Vec3{x, y, z}))
			}
		}
	}
	frame, size := HullOf(context.Background(), pts).TightBox(context.Background())
	assert.True(t, size.Near(Vec3{6, .2, .1}, 1e-9), "%v", size)
	assert.InDelta(t, 1, math.Abs(frame.Col(0).Dot(lean.Apply(Vec3{0, 1, 0}))), 1e-9)
}

// What is dropped before the outline is taken is no corner of it: against all points,
// each side has every point on its left, and brute force finds the same corners.
func TestOutlinesOfManyPoints(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	shapes := map[string]func() Vec2{
		"square": func() Vec2 { return Vec2{r.Float64(), r.Float64()} },
		"disc": func() Vec2 {
			s, c := math.Sincos(7 * r.Float64())
			k := math.Sqrt(r.Float64())
			return Vec2{9 + k*c, k*s - 4}
		},
		"circle": func() Vec2 { s, c := math.Sincos(7 * r.Float64()); return Vec2{c, s} },
		"grid":   func() Vec2 { return Vec2{float64(r.IntN(12)), float64(r.IntN(9))} },
		"line":   func() Vec2 { v := r.Float64(); return Vec2{v, 2 * v} },
		"point":  func() Vec2 { return Vec2{3, 3} },
		"far":    func() Vec2 { return Vec2{1e9 + float64(r.IntN(50)), float64(r.IntN(50)) - 1e9} },
	}
	for name, at := range shapes {
		pts := make([]Vec2, 700)
		for i := range pts {
			pts[i] = at()
		}
		o := OutlineOf(slices.Clone(pts))
		corner := map[Vec2]bool{}
		for i, a := range o {
			corner[a] = true
			if len(o) > 2 {
				b := o[(i+1)%len(o)]
				for _, p := range pts {
					require.GreaterOrEqual(t, b.Sub(a).Cross(p.Sub(a)), -1e-9, "%s: a point lies outside", name)
				}
			}
		}
		for _, p := range pts { // a point is a corner when some direction has it alone farthest
			for k := range 64 {
				s, c := math.Sincos(float64(k) / 10)
				d := Vec2{c, s}
				alone := !slices.ContainsFunc(pts, func(q Vec2) bool { return q != p && d.Dot(q.Sub(p)) >= -1e-12 })
				if alone {
					require.True(t, corner[p], "%s: corner %v is missing", name, p)
					break
				}
			}
		}
	}
}

func TestOutlines(t *testing.T) {
	o := OutlineOf([]Vec2{{0, 0}, {4, 0}, {4, 3}, {0, 3}, {2, 0}, {1, 1}, {4, 0}})
	assert.Equal(t, Outline{{0, 0}, {4, 0}, {4, 3}, {0, 3}}, o)
	assert.Equal(t, 12.0, o.Area())
	assert.Equal(t, Vec2{2, 1.5}, o.Centre())
	assert.InDelta(t, 1, o.Inside(Vec2{1, 1.5}), 1e-12)
	assert.InDelta(t, -5, o.Inside(Vec2{7, 7}), 1e-12, "to the corner")
	s, c := math.Sincos(0.3)
	for i, p := range o {
		o[i] = Vec2{p[0]*c - p[1]*s, p[0]*s + p[1]*c}
	}
	angle, w, h := o.TightRectangle()
	assert.InDelta(t, 0.3, angle, 1e-9)
	assert.InDelta(t, 4, w, 1e-9)
	assert.InDelta(t, 3, h, 1e-9)
	assert.Equal(t, math.Inf(-1), Outline{}.Inside(Vec2{}))
	assert.InDelta(t, -1, Outline{{0, 0}, {2, 0}}.Inside(Vec2{1, 1}), 1e-12)
}

func TestPolarTakesRotationAndRestApart(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		turn := Rotation(random(r), r.Float64()*3)
		s := Mat3{{.2 + r.Float64(), 0, 0}, {0, .2 + r.Float64(), 0}, {0, 0, .2 + r.Float64()}}
		if r.IntN(2) == 0 {
			s[1][1] *= -1
		}
		m := turn.Mul(s)
		q, rest, ok := m.Polar()
		require.True(t, ok)
		require.InDelta(t, 1, q.Det(), 1e-9)
		require.True(t, Affine{M: q.Mul(rest)}.Near(Affine{M: m}, 1e-9))
		require.True(t, Affine{M: q.Mul(q.Transpose())}.Near(Identity, 1e-9))
		require.True(t, Affine{M: rest}.Near(Affine{M: rest.Transpose()}, 1e-9), "symmetric")
		if s[1][1] > 0 {
			require.True(t, Affine{M: q}.Near(Affine{M: turn}, 1e-9))
		}
		v := turn.RotationVector()
		require.True(t, Affine{M: FromRotationVector(v)}.Near(Affine{M: turn}, 1e-7), "%v", v)
		values, vectors := s.Mul(s.Transpose()).Eigen()
		require.InDelta(t, s.Det()*s.Det(), values[0]*values[1]*values[2], 1e-9)
		require.InDelta(t, 1, vectors.Det(), 1e-9)
	}
	_, _, ok := Mat3{{1, 0, 0}, {0, 1, 0}, {0, 0, 0}}.Polar()
	assert.False(t, ok, "flat")
	half := Rotation(Vec3{1, 1, 0}, math.Pi)
	assert.True(t, Affine{M: FromRotationVector(half.RotationVector())}.Near(Affine{M: half}, 1e-9))
	a, b := Vec3{1, 0, 0}, Vec3{-1, 0, 0}
	assert.True(t, Turning(a, b).Apply(a).Near(b, 1e-12), "half a turn")
}

// soup is random triangles.
func soup(r *rand.Rand, n int) ([]Vec3, []int32) {
	var pts []Vec3
	var tris []int32
	for i := range n {
		o := random(r)
		pts = append(pts, o, o.Add(random(r).Mul(.2)), o.Add(random(r).Mul(.2)))
		tris = append(tris, int32(3*i), int32(3*i+1), int32(3*i+2))
	}
	return pts, tris
}

func TestTheTreeFindsWhatLookingAtAllFinds(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for _, n := range []int{0, 1, 5, 700, 5000} {
		pts, tris := soup(r, n)
		tree := NewBVH(context.Background(), pts, tris)
		for range 40 {
			from, along := random(r).Mul(2), random(r)
			if r.IntN(4) == 0 {
				along = Axes[r.IntN(6)].Vec() // along the slabs
			}
			best, count := math.Inf(1), 0
			for i := range n {
				if d, ok := tree.meets(i, from, along); ok {
					best = min(best, d)
					count++
				}
			}
			hit, ok := tree.First(from, along, math.Inf(1))
			require.Equal(t, count > 0, ok)
			if ok {
				require.Equal(t, best, hit.Distance)
			}
			require.Equal(t, count, tree.Crossings(from, along))
			box := EmptyBox().Add(from).Add(from.Add(random(r)))
			want, got := 0, 0
			for i := range n {
				a, b, c := tree.Corners(i)
				if EmptyBox().Add(a).Add(b).Add(c).Meets(box) {
					want++
				}
			}
			tree.Overlapping(box, func(int) bool { got++; return true })
			require.Equal(t, want, got)
			// By labels: nothing of others is passed by, whichever share one label, and a label of all is seen never.
			for by, label := range []func(int) int32{
				func(tri int) int32 { return int32(tri % 2) },
				func(tri int) int32 { return int32(tri / (n/2 + 1)) },
				func(tri int) int32 { a, _, _ := tree.Corners(tri); return int32(min(1, math.Floor(a[0]*2+1))) },
				func(int) int32 { return 1 },
			} {
				want, got, of := 0, 0, tree.Labels(label)
				tree.Overlapping(box, func(tri int) bool { want += 1 - min(1, int(max(0, label(tri)))); return true })
				tree.Others(box, of, 1, func(tri int) bool {
					require.NotEqual(t, 3, by, "one label alone")
					got += 1 - min(1, int(max(0, label(tri))))
					return true
				})
				require.Equal(t, want, got, "labels %d", by)
			}
		}
	}
}
