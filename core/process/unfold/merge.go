package unfold

import (
	"cmp"
	"context"
	"slices"

	"yarvek/core/queue"
)

// Crumbs are charts of so few faces that the room between charts costs more than they do. They go to a
// neighbour where both can be laid flat as one.
const (
	crumb      = 64   // faces
	mostMerged = 4000 // faces of both together
	asked      = 4    // neighbours that are tried, those with the longest border first
	wider      = 1.25 // the box of both beside their boxes
)

// sized is a chart with how many faces it had when it was put in order.
type sized struct{ faces, chart int }

// merged joins crumbs of a body's charts to neighbours, the smallest first.
//
// A crumb is a chart of few faces, which costs more room round it than it fills. It is tried with its
// neighbours, longest common border first: both are laid flat as one, and that is taken if it stretches by no
// more than is allowed and its box is not much larger than both. As many faces as the mesh has are laid flat
// anew at most, so that it takes no longer than laying it flat did.
func (b *body) merged(ctx context.Context, list []*chart, most float64) []*chart {
	owner := make([]int32, b.m.Faces())
	for f := range owner {
		owner[f] = -1
	}
	order := queue.By(func(a, b sized) int {
		return cmp.Or(cmp.Compare(a.faces, b.faces), cmp.Compare(a.chart, b.chart))
	})
	for i, c := range list {
		for _, f := range c.faces {
			owner[f] = int32(i)
		}
		if len(c.faces) <= crumb {
			order.Put(sized{len(c.faces), i})
		}
	}
	for budget := b.m.Faces(); order.Len() > 0 && budget > 0 && ctx.Err() == nil; {
		x := order.Take()
		c := list[x.chart]
		if c == nil {
			continue
		}
		for _, k := range b.beside(c, owner, x.chart) {
			o := list[k]
			n := len(c.faces) + len(o.faces)
			if n > mostMerged || n > budget {
				continue
			}
			budget -= n
			both := b.asOne(ctx, slices.Concat(c.faces, o.faces), most)
			if both == nil || boxOf(both) > wider*(boxOf(c)+boxOf(o)) {
				continue
			}
			list[x.chart], list[k] = nil, nil
			list = append(list, both)
			for _, f := range both.faces {
				owner[f] = int32(len(list) - 1)
			}
			if n <= crumb {
				order.Put(sized{n, len(list) - 1})
			}
			break
		}
	}
	return slices.DeleteFunc(list, func(c *chart) bool { return c == nil })
}

// beside are the charts that share soft edges with one, those with the longest border first.
func (b *body) beside(c *chart, owner []int32, self int) []int {
	long := map[int]float64{}
	for _, f := range c.faces {
		for k := b.m.FaceStart[f]; k < b.m.FaceStart[f+1]; k++ {
			g, ok := b.across(k, f)
			if !ok {
				continue
			}
			if o := int(owner[g]); o >= 0 && o != self {
				long[o] += b.m.Points[b.m.Corners[k]].Dist(b.m.Points[b.m.Corners[b.net.Next(k)]])
			}
		}
	}
	list := make([]int, 0, len(long))
	for o := range long {
		list = append(list, o)
	}
	slices.SortFunc(list, func(i, j int) int { return cmp.Or(cmp.Compare(long[j], long[i]), cmp.Compare(i, j)) })
	return list[:min(asked, len(list))]
}

// asOne is a chart of faces that hang together, nil when they can't be laid flat as one.
func (b *body) asOne(ctx context.Context, faces []int32, most float64) *chart {
	mean, least := b.cone(faces)
	if least <= turnedAway {
		return nil
	}
	slices.Sort(faces)
	c := b.chart(faces)
	b.project(c, mean)
	if least < plane {
		b.conformal(ctx, c, faces)
	}
	if !(b.judge(c) <= most) || c.crossed() {
		return nil
	}
	return c
}
