package unfold

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// Charts are cut where that lets all of them be larger: while less than wellFilled of the square is covered, those that
// waste the most of their boxes, at least wasted of all that is covered.
const (
	wellFilled = 0.65
	wasted     = 0.01
	mostRounds = 8
	inVain     = 3    // rounds that gain nothing
	gained     = 0.01 // of the scale, at least
	mostTimes  = 6    // as many charts as there were
	mostCharts = 400
)

// tighter packs charts, cuts those that waste the most and packs again while that gains, and gives the best.
func tighter(ctx context.Context, charts []*chart, bodies []*body, o Options) ([]*chart, *packer, packing) {
	best := newPacker(ctx, charts, o)
	if best == nil {
		return charts, nil, packing{}
	}
	at := best.about(ctx)
	area := 0.0
	for _, c := range charts {
		area += c.area
	}
	kept, first := charts, len(charts)
	for round, vain := 0, 0; round < mostRounds && vain < inVain && len(charts) < mostCharts && ctx.Err() == nil; round++ {
		if best.fill(at[0].scale) >= wellFilled {
			break
		}
		waste := make([]float64, len(charts))
		most := 0.0
		for i, c := range charts {
			if len(c.faces) > 1 {
				waste[i] = boxOf(c) - c.area
				most = max(most, waste[i])
			}
		}
		if most < wasted*area {
			break
		}
		var cut []*chart
		for i, c := range charts {
			if waste[i] >= most/2 {
				cut = append(cut, bodies[c.piece].sliced(c)...)
			} else {
				cut = append(cut, c)
			}
		}
		if len(cut) == len(charts) || len(cut) > mostTimes*first {
			break
		}
		charts = cut
		p := newPacker(ctx, charts, o)
		if p == nil {
			break
		}
		if got := p.about(ctx); got[0].scale > (1+gained)*at[0].scale {
			kept, best, at, vain = charts, p, got, 0
		} else {
			vain++
		}
	}
	return kept, best, best.finely(ctx, at)
}

// sliced cuts a chart along a line across or along its tightest box, where the boxes of what comes are least; places
// stay as they are.
func (b *body) sliced(c *chart) []*chart {
	turn, _ := tightest(c.at)
	places := make(map[int32][]int32, len(c.faces)) // of the corners of a face
	middle := make(map[int32]complex128, len(c.faces))
	n := int32(0)
	for _, f := range c.faces {
		k := b.m.FaceStart[f+1] - b.m.FaceStart[f]
		places[f] = c.point[n : n+k]
		for _, p := range places[f] {
			middle[f] += c.at[p] * turn / complex(float64(k), 0)
		}
		n += k
	}
	var best [][]int32
	least := math.Inf(1)
	for _, along := range []func(z complex128) float64{func(z complex128) float64 { return real(z) },
		func(z complex128) float64 { return imag(z) }} {
		order := slices.Clone(c.faces)
		slices.SortFunc(order, func(f, g int32) int {
			return cmp.Or(cmp.Compare(along(middle[f]), along(middle[g])), cmp.Compare(f, g))
		})
		for _, share := range []float64{1. / 3, 1. / 2, 2. / 3} {
			end := b.upTo(order, share*c.area)
			if end == len(order) {
				continue
			}
			parts := slices.Concat(b.together(slices.Clone(order[:end])), b.together(slices.Clone(order[end:])))
			sum := 0.0
			for _, part := range parts {
				var at []complex128
				for _, f := range part {
					for _, p := range places[f] {
						at = append(at, c.at[p])
					}
				}
				_, box := tightest(at)
				sum += box
			}
			if sum < least {
				best, least = parts, sum
			}
		}
	}
	if best == nil {
		return []*chart{c}
	}
	out := make([]*chart, len(best))
	for i, part := range best {
		slices.Sort(part)
		out[i] = b.partOf(c, part)
	}
	return out
}

// upTo is how many of some faces have that area together, at least one.
func (b *body) upTo(faces []int32, area float64) int {
	sum := 0.0
	for i, f := range faces {
		if sum += b.area[f] * b.scale * b.scale; sum > area && i > 0 {
			return i
		}
	}
	return len(faces)
}

// partOf is some faces of a chart, as they lie on it.
func (b *body) partOf(c *chart, faces []int32) *chart {
	at := make(map[int32]complex128, len(c.corners))
	for i, k := range c.corners {
		at[k] = c.at[c.point[i]]
	}
	p := b.chart(faces)
	p.piece = c.piece
	for i, k := range p.corners {
		p.at[p.point[i]] = at[k]
	}
	b.judge(p)
	return p
}
