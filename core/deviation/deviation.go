// Package deviation measures how far two surfaces are apart, by points on both.
package deviation

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Figures are distances from points of one surface to the other, in metres of both.
type Figures struct {
	Max  float64 `json:"max"`
	Mean float64 `json:"mean"`
	RMS  float64 `json:"rms"`
}

// Between is both directions, and how many points were taken.
type Between struct {
	There  Figures `json:"there"` // from points of the first to the second
	Back   Figures `json:"back"`
	Points int     `json:"points"`
}

// Worst is the largest of both directions.
func (b Between) Worst() Figures {
	return Figures{max(b.There.Max, b.Back.Max), max(b.There.Mean, b.Back.Mean), max(b.There.RMS, b.Back.RMS)}
}

// Of measures two scenes' surfaces by about n points each: all corners, and points strewn evenly
// over the faces by area, the same at every call (Cignoni, Rocchini and Scopigno 1998, "Metro:
// measuring error on simplified surfaces"). The mean and the root mean square are of the strewn
// points alone. When ctx ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, a, b *scene.Scene, n int) Between {
	return NewSurface(ctx, a).From(ctx, NewSurface(ctx, b), n)
}

// From measures both ways between x and another surface; see [Of].
func (x *Surface) From(ctx context.Context, y *Surface, n int) Between {
	out := Between{Points: n}
	split.Together(
		func() { out.There = x.to(ctx, y, n) },
		func() { out.Back = y.to(ctx, x, n) })
	return out
}

// Times is the figures of surfaces k times as large.
func (b Between) Times(k float64) Between {
	f := func(f Figures) Figures { return Figures{f.Max * k, f.Mean * k, f.RMS * k} }
	return Between{f(b.There), f(b.Back), b.Points}
}

// Surface is the triangles of a scene where they stand, ready to be measured. It is only read.
type Surface struct {
	pts  []geom.Vec3
	tris []int32
	tree *geom.BVH
	area []float64 // up to and with each triangle
}

// NewSurface takes the triangles of a scene. When ctx ends it returns early, and what it returns
// means nothing.
func NewSurface(ctx context.Context, s *scene.Scene) *Surface {
	x := &Surface{}
	for _, m := range s.Flattened().Meshes {
		x.take(m)
	}
	x.plant(ctx)
	return x
}

// NewMeshSurface takes those of one mesh.
func NewMeshSurface(ctx context.Context, m *scene.Mesh) *Surface {
	x := &Surface{}
	x.take(m)
	x.plant(ctx)
	return x
}

// Area is that of all triangles.
func (x *Surface) Area() float64 {
	if len(x.area) == 0 {
		return 0
	}
	return x.area[len(x.area)-1]
}

// take adds the triangles of a mesh.
func (x *Surface) take(m *scene.Mesh) {
	base := int32(len(x.pts))
	x.pts = append(x.pts, m.Points...)
	m.EachTriangle(func(_ int, a, b, c int32) {
		x.tris = append(x.tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
	})
}

// plant makes the tree, and sums up areas.
func (x *Surface) plant(ctx context.Context) {
	x.tree = geom.NewBVH(ctx, x.pts, x.tris)
	sum := 0.0
	for t := 0; t < len(x.tris); t += 3 {
		p, q, r := x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]
		sum += q.Sub(p).Cross(r.Sub(p)).Len() / 2
		x.area = append(x.area, sum)
	}
}

// to measures from points of x to y.
func (x *Surface) to(ctx context.Context, y *Surface, n int) Figures {
	var f Figures
	if len(x.area) == 0 || len(y.tris) == 0 {
		return f
	}
	used := make([]bool, len(x.pts))
	for _, p := range x.tris {
		used[p] = true
	}
	const block = 1 << 10
	// Of more corners than that a part is taken, evenly.
	step := max(1, len(x.pts)/max(n, 1))
	tops := make([]float64, split.Blocks(len(x.pts), block))
	_ = split.InBlocks(ctx, len(x.pts), block, func(k, from, to int) {
		for i := from; i < to; i++ {
			if used[i] && i%step == 0 {
				_, _, d := y.tree.Nearest(x.pts[i], math.Inf(1))
				tops[k] = max(tops[k], d)
			}
		}
	})
	for _, d := range tops {
		f.Max = max(f.Max, d)
	}
	// The farthest places lie inside, or amid edges: the middles of both, likewise.
	faces := len(x.tris) / 3
	step = max(1, faces/max(n, 1))
	middles := make([]summit, (faces+window-1)/window)
	_ = split.InBlocks(ctx, len(middles), block/window, func(_, from, to int) {
		for t := from * window; t < min(faces, to*window); t++ {
			if t%step != 0 {
				continue
			}
			for _, m := range [4][2]float64{{1. / 3, 1. / 3}, {0.5, 0}, {0, 0.5}, {0.5, 0.5}} {
				if _, _, d := y.tree.Nearest(x.at(t, m[0], m[1]), math.Inf(1)); d > middles[t/window].d {
					middles[t/window] = summit{t, m[0], m[1], d}
				}
			}
		}
	})
	whole := x.area[len(x.area)-1]
	if !(whole > 0) {
		return f
	}
	type sums struct {
		max, sum, square float64
	}
	best := make([]summit, (n+window-1)/window) // of so many points that follow one another
	parts := make([]sums, split.Blocks(n, block))
	_ = split.InBlocks(ctx, n, block, func(k, from, to int) {
		t, _ := slices.BinarySearch(x.area, whole*float64(from)/float64(n))
		for i := from; i < to; i++ {
			// Evenly along the area, and by a sequence of low discrepancy within each triangle.
			s := whole * (float64(i) + 0.5) / float64(n)
			for t < len(x.area)-1 && x.area[t] < s {
				t++
			}
			u, v := radical(i, 2), radical(i, 3)
			if u+v > 1 {
				u, v = 1-u, 1-v
			}
			_, _, d := y.tree.Nearest(x.at(t, u, v), math.Inf(1))
			parts[k].max, parts[k].sum, parts[k].square = max(parts[k].max, d), parts[k].sum+d, parts[k].square+d*d
			if b := &best[i/window]; d > b.d {
				*b = summit{t, u, v, d}
			}
		}
	})
	var sum, square float64
	for _, p := range parts {
		sum, square = sum+p.sum, square+p.square
		f.Max = max(f.Max, p.max)
	}
	f.Mean, f.RMS = sum/float64(n), math.Sqrt(square/float64(n))
	// Between the points the farthest places are looked for from the farthest points on.
	best = append(best, middles...)
	slices.SortStableFunc(best, func(a, b summit) int { return cmp.Compare(b.d, a.d) })
	for i, top := range best[:min(len(best), summits)] {
		if i&3 == 0 && ctx.Err() != nil {
			return f
		}
		f.Max = max(f.Max, x.ascend(y, top))
	}
	return f
}

// summits are how many of the farthest points are climbed on from, of as many windows of points.
const (
	summits = 64
	window  = 16
)

// summit is a point of a triangle, by how far it is along two of its sides, and its distance.
type summit struct {
	t    int
	u, v float64
	d    float64
}

// at is a point of a triangle.
func (x *Surface) at(t int, u, v float64) geom.Vec3 {
	p, q, r := x.pts[x.tris[3*t]], x.pts[x.tris[3*t+1]], x.pts[x.tris[3*t+2]]
	return p.Add(q.Sub(p).Mul(u)).Add(r.Sub(p).Mul(v))
}

// ascend looks round a point of a triangle, ever nearer, for one that is farther from y (Hooke and
// Jeeves 1961, "Direct search").
func (x *Surface) ascend(y *Surface, s summit) float64 {
	for step := 0.125; step > 1e-3; step /= 2 {
		for range 8 {
			now := s
			for _, d := range [6][2]float64{{step, 0}, {-step, 0}, {0, step}, {0, -step}, {step, -step}, {-step, step}} {
				u, v := max(0, s.u+d[0]), max(0, s.v+d[1])
				if k := u + v; k > 1 {
					u, v = u/k, v/k
				}
				if _, _, far := y.tree.Nearest(x.at(s.t, u, v), math.Inf(1)); far > now.d {
					now = summit{s.t, u, v, far}
				}
			}
			if now.d <= s.d {
				break
			}
			s = now
		}
	}
	return s.d
}

// radical is the van der Corput sequence in a base (Halton 1960).
func radical(i, base int) float64 {
	f, r := 1.0, 0.0
	for i++; i > 0; i /= base {
		f /= float64(base)
		r += f * float64(i%base)
	}
	return r
}
