package cloud

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/split"
)

// Coarse is what is left of a cloud where one point stands for all in a cube. Lengths are those of the cloud.
type Coarse struct {
	Edge float64 // of the cubes
	Keep []int32 // the points that stay, ascending
	// How far points are from the one that stands for them: none is farther than a cube's diagonal.
	Max, Mean, RMS float64
}

// octave is how many sizes of cubes there are from one to that twice as large, so that of a surface scanned evenly each
// has about 0.63 of the points of the one before.
const octave = 3

// mostCells is how many cubes of the finest grid there may be in a row: three such numbers go into one key.
const mostCells = 1 << 21

// Coarser is a cloud by cubes of n sizes, the first finest and each ∛2 times as large as the one before, as far as more
// than one point is left. Of each cube the point stays that is nearest to the mean of those in it (of equal ones the
// first), so that what is left lies on the scan and no point is farther from one that stays than a cube's diagonal.
//
// Keys of nested cubes in the order of Morton ("A computer oriented geodetic data base", 1966) are sorted three times
// over, and each size is one pass: n log n time of the points, 40 bytes for each of them meanwhile. The error is ctx's,
// or a *fault.Error for cubes that are too fine.
func (c *Cloud) Coarser(ctx context.Context, finest float64, n int) ([]Coarse, error) {
	list := make([]Coarse, n)
	for phase := range min(octave, n) {
		edge := finest * math.Exp2(float64(phase)/octave)
		at, err := c.sorted(ctx, edge)
		if err != nil {
			return nil, err
		}
		points := make([]geom.Vec3, len(at))
		for i, k := range at {
			points[i] = c.Points[k.of]
		}
		levels := (n - phase + octave - 1) / octave
		err = split.Each(ctx, levels, func(l int) {
			list[phase+l*octave] = coarse(at, points, 3*l, edge*math.Exp2(float64(l)))
		})
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// keyed is a point by the key of its cube.
type keyed struct {
	key uint64
	of  int32
}

// sorted are the points by the keys of their cubes, those of one in their order.
func (c *Cloud) sorted(ctx context.Context, edge float64) ([]keyed, error) {
	b := c.Box()
	if !(edge > 0) || b.Size().Max()/edge >= mostCells {
		return nil, fault.Input("cells of %g m are too fine for points over %g m", edge, b.Size().Max()).
			Advise("Ask for larger ones, or crop what lies far away")
	}
	at := make([]keyed, len(c.Points))
	for i, p := range c.Points {
		d := p.Sub(b.Min).Mul(1 / edge)
		at[i] = keyed{spread(d[0]) | spread(d[1])<<1 | spread(d[2])<<2, int32(i)}
	}
	slices.SortFunc(at, func(a, b keyed) int { return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.of, b.of)) })
	return at, ctx.Err()
}

// spread puts two bits of zero between any two of the lowest 21 bits of a number.
func spread(v float64) uint64 {
	x := uint64(v) & (mostCells - 1)
	x = (x | x<<32) & 0x1f00000000ffff
	x = (x | x<<16) & 0x1f0000ff0000ff
	x = (x | x<<8) & 0x100f00f00f00f00f
	x = (x | x<<4) & 0x10c30c30c30c30c3
	return (x | x<<2) & 0x1249249249249249
}

// coarse takes one point of each run of equal keys, as far as bits above shift go.
func coarse(at []keyed, points []geom.Vec3, shift int, edge float64) Coarse {
	out := Coarse{Edge: edge}
	sum, square := 0.0, 0.0
	for from := 0; from < len(at); {
		to, mean := from, geom.Vec3{}
		for key := at[from].key >> shift; to < len(at) && at[to].key>>shift == key; to++ {
			mean = mean.Add(points[to])
		}
		mean = mean.Mul(1 / float64(to-from))
		best, near := from, math.Inf(1)
		for i := from; i < to; i++ {
			d := points[i].Sub(mean)
			if q := d.Dot(d); q < near || q == near && at[i].of < at[best].of {
				best, near = i, q
			}
		}
		for i := from; i < to; i++ {
			d := points[i].Dist(points[best])
			sum, square, out.Max = sum+d, square+d*d, max(out.Max, d)
		}
		out.Keep = append(out.Keep, at[best].of)
		from = to
	}
	if n := float64(len(at)); n > 0 {
		out.Mean, out.RMS = sum/n, math.Sqrt(square/n)
	}
	slices.Sort(out.Keep)
	return out
}

// Taken is the cloud of the points of a list, in its order.
func (c *Cloud) Taken(list []int32) *Cloud {
	keep := make([]bool, len(c.Points))
	for _, i := range list {
		keep[i] = true
	}
	return c.Only(keep)
}

// Thinned keeps one point of each cube; see [Cloud.Coarser], whose error it has.
func (c *Cloud) Thinned(ctx context.Context, edge float64) (*Cloud, error) {
	list, err := c.Coarser(ctx, edge, 1)
	if err != nil {
		return nil, err
	}
	return c.Taken(list[0].Keep), nil
}
