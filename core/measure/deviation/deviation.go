// Package deviation measures how far two surfaces are apart, by points on both.
//
// Points are strewn evenly over each surface (a Halton sequence, so that the same surfaces give the same points),
// the corners are added, and the nearest place of the other surface is found for each in a tree. What comes out is
// no more than the true Hausdorff distance and less than it by about the spacing of the points; [Surface.Farthest]
// climbs from the largest found to a summit near it (Cignoni, Rocchini and Scopigno 1998, "Metro: measuring error on
// simplified surfaces", samples alike). Lengths are those of the scenes, which stand in one frame. The work is n log
// n of points and triangles. Surfaces are compared as sheets: which side looks out plays no part.
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

// Farthest is about the largest distance between points of x and another surface, both ways, by
// about n of their corners and of the middles of their triangles and edges each, and by what is
// farther round the farthest of them. When ctx ends it returns early, and what it returns means
// nothing.
func (x *Surface) Farthest(ctx context.Context, y *Surface, n int) float64 {
	var there, back float64
	split.Together(
		func() { there = x.climbed(ctx, y, x.marked(ctx, y, n)) },
		func() { back = y.climbed(ctx, x, y.marked(ctx, x, n)) })
	return max(there, back)
}

// to measures from points of x to y.
func (x *Surface) to(ctx context.Context, y *Surface, n int) Figures {
	var f Figures
	whole := x.Area()
	if len(x.area) == 0 || len(y.tris) == 0 {
		return f
	}
	best := x.marked(ctx, y, n)
	if !(whole > 0) {
		f.Max = x.climbed(ctx, y, best)
		return f
	}
	type sums struct{ sum, square float64 }
	parts := make([]sums, split.Blocks(n, block))
	strewn := make([]summit, (n+window-1)/window) // the farthest of so many points that follow one another
	_ = split.InBlocks(ctx, n, block, func(k, from, to int) {
		t, _ := slices.BinarySearch(x.area, whole*float64(from)/float64(n))
		near := y.nearby()
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
			d := near.to(x.at(t, u, v))
			parts[k].sum, parts[k].square = parts[k].sum+d, parts[k].square+d*d
			if b := &strewn[i/window]; d > b.d {
				*b = summit{t, u, v, d}
			}
		}
	})
	var sum, square float64
	for _, p := range parts {
		sum, square = sum+p.sum, square+p.square
	}
	f.Mean, f.RMS = sum/float64(n), math.Sqrt(square/float64(n))
	f.Max = x.climbed(ctx, y, append(best, strewn...))
	return f
}

// block is how many points are measured at a time.
const block = 1 << 10

// marked are the farthest, of each window, of the corners of the triangles and of the middles of
// them and of their edges: the farthest places lie there, or near. Of more than n a part is taken,
// evenly.
func (x *Surface) marked(ctx context.Context, y *Surface, n int) []summit {
	faces := len(x.tris) / 3
	if faces == 0 || len(y.tris) == 0 {
		return nil
	}
	corners, middles := max(1, faces/(2*max(n, 1))), max(1, 4*faces/max(n, 1))
	each := max(1, faces/1024) // triangles of a window
	out := make([]summit, (faces+each-1)/each)
	_ = split.InBlocks(ctx, len(out), 64, func(_, from, to int) {
		near := y.nearby()
		for t := from * each; t < min(faces, to*each); t++ {
			b := &out[t/each]
			try := func(u, v float64) {
				if d := near.to(x.at(t, u, v)); d > b.d {
					*b = summit{t, u, v, d}
				}
			}
			if t%corners == 0 {
				// A point is a corner of two triangles to each of it: one of three is tried.
				switch t % 3 {
				case 0:
					try(0, 0)
				case 1:
					try(1, 0)
				default:
					try(0, 1)
				}
			}
			if t%middles == 0 {
				try(1./3, 1./3)
				try(0.5, 0)
				try(0, 0.5)
				try(0.5, 0.5)
				try(0, 0)
				try(1, 0)
				try(0, 1)
			}
		}
	})
	return out
}

// climbed is the largest distance found from some of the farthest points on.
func (x *Surface) climbed(ctx context.Context, y *Surface, best []summit) float64 {
	most := 0.0
	slices.SortStableFunc(best, func(a, b summit) int { return cmp.Compare(b.d, a.d) })
	for i, top := range best[:min(len(best), summits)] {
		if i&3 == 0 && ctx.Err() != nil {
			return most
		}
		most = max(most, x.ascend(y, top))
	}
	return most
}

// nearby measures distances to a surface from points that mostly lie beside the one before.
type nearby struct {
	*geom.BVH
	at   geom.Vec3
	d    float64
	some bool
}

func (x *Surface) nearby() *nearby { return &nearby{BVH: x.tree} }

// to is how far a point is: no farther than the one before and the way between.
func (n *nearby) to(p geom.Vec3) float64 {
	most := math.Inf(1)
	if n.some {
		most = (n.d + p.Dist(n.at)) * (1 + 1e-9)
	}
	_, t, d := n.Nearest(p, most)
	if t < 0 {
		_, _, d = n.Nearest(p, math.Inf(1))
	}
	n.at, n.d, n.some = p, d, true
	return d
}

// summits are how many of the farthest points are climbed on from, of as many windows of points.
const (
	summits = 32
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
