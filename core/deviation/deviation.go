// Package deviation measures how far two surfaces are apart, by points on both.
package deviation

import (
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
	x, y := surfaceOf(ctx, a), surfaceOf(ctx, b)
	var out Between
	out.Points = n
	split.Together(
		func() { out.There = x.to(ctx, y, n) },
		func() { out.Back = y.to(ctx, x, n) })
	return out
}

// surface is the triangles of a scene where they stand.
type surface struct {
	pts  []geom.Vec3
	tris []int32
	tree *geom.BVH
	area []float64 // up to and with each triangle
}

func surfaceOf(ctx context.Context, s *scene.Scene) *surface {
	x := &surface{}
	for _, m := range s.Flattened().Meshes {
		base := int32(len(x.pts))
		x.pts = append(x.pts, m.Points...)
		m.EachTriangle(func(_ int, a, b, c int32) {
			x.tris = append(x.tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		})
	}
	x.tree = geom.NewBVH(ctx, x.pts, x.tris)
	sum := 0.0
	for t := 0; t < len(x.tris); t += 3 {
		p, q, r := x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]
		sum += q.Sub(p).Cross(r.Sub(p)).Len() / 2
		x.area = append(x.area, sum)
	}
	return x
}

// to measures from points of x to y.
func (x *surface) to(ctx context.Context, y *surface, n int) Figures {
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
	whole := x.area[len(x.area)-1]
	if !(whole > 0) {
		return f
	}
	type sums struct{ max, sum, square float64 }
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
			p, q, r := x.pts[x.tris[3*t]], x.pts[x.tris[3*t+1]], x.pts[x.tris[3*t+2]]
			_, _, d := y.tree.Nearest(p.Add(q.Sub(p).Mul(u)).Add(r.Sub(p).Mul(v)), math.Inf(1))
			parts[k].max, parts[k].sum, parts[k].square = max(parts[k].max, d), parts[k].sum+d, parts[k].square+d*d
		}
	})
	var all sums
	for _, p := range parts {
		all = sums{max(all.max, p.max), all.sum + p.sum, all.square + p.square}
	}
	f.Max, f.Mean, f.RMS = max(f.Max, all.max), all.sum/float64(n), math.Sqrt(all.square/float64(n))
	return f
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
