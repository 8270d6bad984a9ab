package fit

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/geom"
)

var ctx = context.Background()

// clouds are small sets of points: at random, in a plane, on a line, a cube turned, points twice,
// far away.
func clouds() map[string][]geom.Vec3 {
	r := rand.New(rand.NewPCG(11, 12))
	random := func(n int, x, y, z float64) []geom.Vec3 {
		var list []geom.Vec3
		for range n {
			list = append(list, geom.Vec3{x * (r.Float64() - 0.5), y * (r.Float64() - 0.5), z * (r.Float64() - 0.5)})
		}
		return list
	}
	turn := geom.Rotation(geom.Vec3{1, 2, 3}.Unit(), 0.7)
	var cube, far, twice []geom.Vec3
	for i := range 8 {
		cube = append(cube, turn.Apply(geom.Vec3{float64(i & 1), 2 * float64(i>>1&1), 3 * float64(i>>2&1)}))
	}
	for _, p := range random(9, 1, 2, 0.5) {
		far = append(far, p.Add(geom.Vec3{5000, -3000, 100}))
		twice = append(twice, p, p)
	}
	flat := random(9, 1, 1, 0)
	for i := range flat {
		flat[i] = turn.Apply(flat[i])
	}
	return map[string][]geom.Vec3{"four": random(4, 1, 1, 1), "ten": random(10, 1, 1, 1), "long": random(12, 6, 1, 0.7),
		"thirty": random(30, 2, 2, 1),
		"cube":   cube, "far": far, "twice": twice, "flat": flat}
}

// hull is that of points, or the points alone where they have none.
func hull(pts []geom.Vec3) *geom.Hull {
	h := geom.HullOf(ctx, pts)
	if len(h.Points) == 0 {
		h.Points = pts
	}
	return h
}

func TestSmallestBoxesAgainstManyDirections(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for name, pts := range clouds() {
		b := Smallest(ctx, hull(pts))
		size := b.Half.Len()
		for _, p := range pts {
			assert.LessOrEqual(t, b.Holds(p), 1e-6*size, name)
		}
		assert.InDelta(t, 1, b.Axes.Det(), 1e-9, "%s: a right-handed triple", name)
		brute := math.Inf(1)
		for range 3000 {
			axes := geom.Rotation(geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit(), math.Pi*r.Float64())
			brute = min(brute, boxAlong(pts, axes).Volume())
		}
		assert.LessOrEqual(t, b.Volume(), brute*1.01+1e-12, name)
	}
	cube := Smallest(ctx, hull(clouds()["cube"]))
	assert.InDelta(t, 6, cube.Volume(), 1e-9, "a turned box is found as it is")
	assert.Zero(t, Smallest(ctx, &geom.Hull{}).Volume())
}

// ballByTrying is the smallest of all balls through two, three or four of the points that hold all.
func ballByTrying(pts []geom.Vec3) float64 {
	best := math.Inf(1)
	try := func(on ...geom.Vec3) {
		b, ok := ballThrough(on)
		if !ok {
			return
		}
		for _, p := range pts {
			if p.Dist(b.Centre) > b.Radius*(1+1e-9)+1e-12 {
				return
			}
		}
		best = min(best, b.Radius)
	}
	for i := range pts {
		for j := range i {
			try(pts[i], pts[j])
			for k := range j {
				try(pts[i], pts[j], pts[k])
				for l := range k {
					try(pts[i], pts[j], pts[k], pts[l])
				}
			}
		}
	}
	return best
}

func TestSmallestBallsAreThoseOfTryingAll(t *testing.T) {
	for name, pts := range clouds() {
		b := SmallestBall(pts)
		for _, p := range pts {
			assert.LessOrEqual(t, b.Holds(p), 1e-12*(1+b.Radius), name)
		}
		assert.InDelta(t, ballByTrying(pts), b.Radius, 1e-6*b.Radius, name)
	}
	assert.Zero(t, SmallestBall(nil).Radius)
	assert.Zero(t, SmallestBall([]geom.Vec3{{1, 2, 3}}).Radius)
	line := SmallestBall([]geom.Vec3{{0, 0, 0}, {1, 0, 0}, {3, 0, 0}, {2, 0, 0}, {2, 0, 0}})
	assert.InDelta(t, 1.5, line.Radius, 1e-9)
	r := rand.New(rand.NewPCG(3, 4))
	var shell []geom.Vec3
	for range 5000 {
		shell = append(shell, geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit())
	}
	assert.InDelta(t, 1, SmallestBall(shell).Radius, 1e-6)
}

func TestSmallestCapsulesAgainstManyDirections(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for name, pts := range clouds() {
		c := SmallestCapsule(ctx, hull(pts))
		for _, p := range pts {
			assert.LessOrEqual(t, c.Holds(p), 1e-6*(1+c.Radius), name)
		}
		brute := math.Inf(1)
		for range 700 {
			brute = min(brute, capsuleAlong(pts, geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit()).Volume())
		}
		assert.LessOrEqual(t, c.Volume(), brute*1.01, name)
	}
	// Points all over a capsule are held by it.
	var all []geom.Vec3
	for range 500 {
		d := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit().Mul(0.3)
		d[1] += 2 * math.Copysign(1, d[1])
		all = append(all, d)
	}
	c := SmallestCapsule(ctx, hull(all))
	assert.InDelta(t, 0.3, c.Radius, 0.01)
	assert.InDelta(t, 4, c.A.Dist(c.B), 0.06)
}

// Slabs hold their points, are closed, and their volume is that of points thrown at their planes.
func TestSlabsAreBodies(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for name, pts := range clouds() {
		last := math.Inf(1)
		for _, n := range Slabs {
			s := SlabOf(pts, n)
			require.Len(t, s.Planes, n)
			size := Upright(pts).Half.Len()
			for _, p := range pts {
				for _, q := range s.Planes {
					assert.LessOrEqual(t, p.Dot(q.N)-q.D, 1e-9*(size+p.Len()), name)
				}
			}
			v := s.Body.Volume()
			assert.LessOrEqual(t, v, last*(1+1e-9), "%s: more planes hold less", name)
			last = v
			if name == "flat" {
				continue
			}
			edges := map[[2]int32]int{}
			for _, f := range s.Body.Faces {
				for k, i := range f {
					edges[[2]int32{i, f[(k+1)%len(f)]}]++
				}
			}
			for e, k := range edges {
				assert.Equal(t, 1, k, name)
				assert.Equal(t, 1, edges[[2]int32{e[1], e[0]}], "%s with %d: every edge has two faces", name, n)
			}
			used := map[int32]bool{}
			for _, f := range s.Body.Faces {
				for _, i := range f {
					used[i] = true
				}
			}
			assert.Equal(t, 2, len(used)-len(edges)/2+len(s.Body.Faces), "%s with %d: Euler", name, n)
			box := Upright(pts)
			in := 0
			const thrown = 20_000
			for range thrown {
				p := box.Centre.Add(geom.Vec3{box.Half[0] * (2*r.Float64() - 1), box.Half[1] * (2*r.Float64() - 1),
					box.Half[2] * (2*r.Float64() - 1)})
				within := true
				for _, q := range s.Planes {
					within = within && p.Dot(q.N) <= q.D
				}
				if within {
					in++
				}
			}
			assert.InDelta(t, float64(in)/thrown*box.Volume(), v, 0.015*box.Volume(), name)
		}
	}
}

// volumeOf is that of a hull.
func volumeOf(h *geom.Hull) float64 {
	v := 0.0
	for _, f := range h.Faces {
		o := h.Points[0]
		v += h.Points[f[0]].Sub(o).Dot(h.Points[f[1]].Sub(o).Cross(h.Points[f[2]].Sub(o))) / 6
	}
	return v
}

// A body around a hull holds it with few corners, and less the more it may have; with enough it is
// the hull.
func TestBodiesAroundHoldWithFewCorners(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	var ball []geom.Vec3
	for range 400 {
		ball = append(ball, geom.Vec3{r.NormFloat64(), 2 * r.NormFloat64(), r.NormFloat64()}.Unit())
	}
	sets := clouds()
	sets["ball"] = ball
	for name, pts := range sets {
		h := hull(pts)
		last := Smallest(ctx, h).Volume()
		for _, most := range []int{8, 16, 32, 64, 4000} {
			b := Around(ctx, h, most)
			assert.LessOrEqual(t, len(b.Points), most, name)
			v := b.Volume()
			assert.LessOrEqual(t, v, last*(1+1e-9)+1e-15, "%s with %d corners", name, most)
			last = v
			size := Upright(pts).Half.Len()
			for _, f := range b.Faces { // every point lies behind every face
				n := b.Points[f[1]].Sub(b.Points[f[0]]).Cross(b.Points[f[2]].Sub(b.Points[f[1]])).Unit()
				if name == "flat" || n == (geom.Vec3{}) {
					continue
				}
				for _, p := range pts {
					assert.LessOrEqual(t, p.Sub(b.Points[f[0]]).Dot(n), 2e-6*size, "%s with %d corners", name, most)
				}
			}
		}
		if name != "flat" {
			assert.InDelta(t, volumeOf(h), last, 2e-3*last, "%s: with enough corners it is the hull", name)
		}
	}
	assert.Len(t, Around(ctx, hull(sets["cube"]), 64).Points, 8)
}

// Distances from a body are those to the nearest of all its faces.
func TestDistancesAreThoseToAllFaces(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		var pts []geom.Vec3
		for range 4 + r.IntN(40) {
			pts = append(pts, geom.Vec3{r.NormFloat64(), r.NormFloat64() * 0.3, math.Round(2 * r.Float64())})
		}
		c := NewConvex(OfHull(geom.HullWithin(context.Background(), pts, geom.Finely)))
		for range 50 {
			p := geom.Vec3{2 * r.NormFloat64(), r.NormFloat64(), math.Round(4 * r.Float64())}
			want := math.Inf(1)
			for _, f := range c.Faces {
				want = min(want, geom.NearestOnTriangle(p, c.Points[f[0]], c.Points[f[1]], c.Points[f[2]]).Dist(p))
			}
			if len(c.Planes) > 0 && c.Beyond(p) <= 0 {
				want = 0
			}
			require.InDelta(t, want, c.Distance(p), 1e-9)
		}
	}
}

// A hull of some corners is within the hull, and the others lie outside by no more than it says.
func TestHullsOfSomeCorners(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 40 {
		var pts []geom.Vec3
		for range 30 + r.IntN(200) {
			d := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Unit()
			pts = append(pts, geom.Vec3{2 * d[0], d[1], 0.7 * d[2]})
		}
		whole := NewConvex(OfHull(geom.HullWithin(context.Background(), pts, geom.Finely)))
		last := math.Inf(1)
		for _, most := range []int{8, 16, 32, 64} {
			b, out := Within(context.Background(), whole.Points, most, 0)
			c := NewConvex(b)
			require.LessOrEqual(t, len(b.Points), most)
			worst := 0.0
			for _, p := range whole.Points {
				worst = max(worst, c.Beyond(p))
			}
			require.InDelta(t, worst, out, 1e-9)
			for _, p := range b.Points {
				require.LessOrEqual(t, whole.Beyond(p), 1e-9)
			}
			require.LessOrEqual(t, out, last+0.3, "about nearer with more")
			last = out
		}
		b, out := Within(context.Background(), whole.Points, 1000, 0.05)
		require.LessOrEqual(t, out, 0.05)
		require.Less(t, len(b.Points), len(whole.Points)+1)
	}
}
