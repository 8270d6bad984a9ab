package unfold

import (
	"cmp"
	"context"
	"slices"

	"yarvek/core/queue"
)

// Charts go to a neighbour where both can be laid flat as one and the box of both is no larger than grown of their
// boxes. Crumbs, of so few faces that the room between charts costs more than they do, may waste more.
const (
	crumb      = 64   // faces
	mostMerged = 4000 // faces of both together
	asked      = 4    // neighbours that are tried, those with the longest border first
	grown      = 1.05
	grownCrumb = 1.25
	mostTries  = 12 // faces laid flat anew, for one of the body
	facedAway  = -0.9
)

// sized is a chart with how many faces it had when it was put in order.
type sized struct{ faces, chart int }

// merged joins charts of a body to neighbours, the smallest first.
//
// Each is tried with its neighbours: both are laid flat as one, and what grows the least is taken if it is not
// stretched by more than is allowed; what is no crumb may be stretched by a third of that, but for rough bodies. Not
// more than mostTries times the faces of the mesh are laid flat anew.
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
		order.Put(sized{len(c.faces), i})
	}
	for budget := mostTries * b.m.Faces(); order.Len() > 0 && budget > 0 && ctx.Err() == nil; {
		x := order.Take()
		c := list[x.chart]
		if c == nil {
			continue
		}
		var best *chart
		with, least, limit := -1, grownCrumb, most
		if len(c.faces) > crumb {
			least = grown
			if !b.isRough {
				limit = 1 + (most-1)/3
			}
		}
		for _, k := range b.beside(c, owner, x.chart) {
			o := list[k]
			n := len(c.faces) + len(o.faces)
			if n > mostMerged || n > budget {
				continue
			}
			budget -= n
			both := b.asOne(ctx, slices.Concat(c.faces, o.faces), most)
			if both == nil || both.stretch > limit {
				continue
			}
			if by := boxOf(both) / (boxOf(c) + boxOf(o)); by < least {
				best, with, least = both, k, by
			}
		}
		if best == nil {
			continue
		}
		list[x.chart], list[with] = nil, nil
		list = append(list, best)
		for _, f := range best.faces {
			owner[f] = int32(len(list) - 1)
		}
		order.Put(sized{len(best.faces), len(list) - 1})
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
	if least <= facedAway {
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
