package decompose

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
)

// rounds bounds how often places go to the nearest of the middles, which then move.
const rounds = 40

// mostPlaces bounds the places that middles are found by.
const mostPlaces = 3000

// strewn divides a shell into the cells of points that are strewn over it as evenly as may be (Du,
// Faber and Gunzburger 1999, "Centroidal Voronoi tessellations: applications and algorithms"): on
// a round shell they are about hexagons, which fill less than what planes cut one after the other.
func (c *cutting) strewn(ctx context.Context, x *shell, k int) []*part {
	whole := &soup{}
	none := []int32{-1, -1, -1}
	var at []geom.Vec3
	var weight []float64
	step := max(1, len(x.tris)/3/mostPlaces)
	for t := 0; t < len(x.tris); t += 3 {
		pts := []geom.Vec3{x.pts[x.tris[t]], x.pts[x.tris[t+1]], x.pts[x.tris[t+2]]}
		whole.add(pts, none, int32(t/3))
		if t/3%step == 0 {
			at, weight = append(at, middleOf(pts)), append(weight, areaOf(pts).Len())
		}
	}
	middles := spread(at, weight, k)
	var out []*part
	for _, m := range middles {
		if ctx.Err() != nil {
			return nil
		}
		others := slices.Clone(middles)
		slices.SortStableFunc(others, func(a, b geom.Vec3) int { return cmp.Compare(a.Dist(m), b.Dist(m)) })
		s := whole
		var cell []fit.Plane
		for _, o := range others {
			if o == m {
				continue
			}
			n := o.Sub(m).Unit()
			p := fit.Plane{N: n, D: n.Dot(o.Add(m).Mul(0.5))}
			low := &soup{}
			s.clip(p, c.near, low, &soup{})
			s, cell = low, append(cell, p)
		}
		if s.len() == 0 {
			continue
		}
		pts := append(slices.Clip(s.corners), c.inner(ctx, x, cell, func(geom.Vec3) bool { return true })...)
		out = append(out, c.newPiecePart(ctx, pts, sampled(s)))
	}
	for _, y := range out {
		y.solid = y.volume * min(1, x.volume/math.Max(volumes(out), 1e-300))
	}
	return out
}

// spread are k middles among places, each in the middle of those nearest to it. They begin far from
// one another.
func spread(at []geom.Vec3, weight []float64, k int) []geom.Vec3 {
	if len(at) == 0 {
		return nil
	}
	middles := []geom.Vec3{at[0]}
	near := make([]float64, len(at))
	for i := range near {
		near[i] = math.Inf(1)
	}
	for len(middles) < min(k, len(at)) {
		far := 0
		for i, p := range at {
			near[i] = min(near[i], p.Dist(middles[len(middles)-1]))
			if near[i] > near[far] {
				far = i
			}
		}
		middles = append(middles, at[far])
	}
	of := make([]int, len(at))
	for range rounds {
		moved := false
		for i, p := range at {
			best := 0
			for j, m := range middles {
				if p.Dist(m) < p.Dist(middles[best]) {
					best = j
				}
			}
			moved = moved || of[i] != best
			of[i] = best
		}
		if !moved {
			break
		}
		sums, weights := make([]geom.Vec3, len(middles)), make([]float64, len(middles))
		for i, p := range at {
			sums[of[i]] = sums[of[i]].Add(p.Mul(weight[i]))
			weights[of[i]] += weight[i]
		}
		for j := range middles {
			if weights[j] > 0 {
				middles[j] = sums[j].Mul(1 / weights[j])
			}
		}
	}
	return middles
}
