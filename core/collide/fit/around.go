package fit

import (
	"context"

	"yarvek/core/geom"
)

// mostPlanes bounds the facets of a hull whose planes are tried for a body around it, the largest.
const mostPlanes = 2000

// Body is the box as corners and faces.
func (b Box) Body() Body {
	planes := make([]Plane, 0, 6)
	for k := range 3 {
		planes = append(planes, Plane{D: b.Half[k]}, Plane{D: b.Half[k]})
	}
	out := cuboid(planes)
	back := b.Axes.Transpose()
	for i, p := range out.Points {
		out.Points[i] = b.Centre.Add(back.Apply(p))
	}
	if b.Axes.Det() < 0 {
		for _, f := range out.Faces {
			for i, k := 0, len(f)-1; i < k; i, k = i+1, k-1 {
				f[i], f[k] = f[k], f[i]
			}
		}
	}
	return out
}

// Around is a convex body of at most so many corners that holds a hull: its smallest box, cut by one
// plane of the hull after the other, each time by that which the body reaches beyond farthest, as
// long as no more corners come of it. It stays outside the hull by construction, however few
// corners it may have; fewer than eight are taken for eight. When ctx ends it returns early, with a
// body that holds all.
func Around(ctx context.Context, h *geom.Hull, most int) Body {
	body := Smallest(ctx, h).Body()
	if len(h.Faces) == 0 || h.Flat {
		return body
	}
	size := Upright(h.Points).Half.Len()
	near := 1e-9 * size
	var planes []Plane
	for _, f := range h.Facets() {
		if len(planes) == mostPlanes {
			break
		}
		d := f.Ring[0].Dot(f.Normal)
		for _, p := range h.Points { // no corner of the hull lies beyond it, rounding or not
			d = max(d, p.Dot(f.Normal))
		}
		planes = append(planes, Plane{f.Normal, d})
	}
	for len(planes) > 0 && ctx.Err() == nil {
		best, beyond := -1, 16*near
		for i, p := range planes {
			for _, q := range body.Points {
				if d := q.Dot(p.N) - p.D; d > beyond {
					best, beyond = i, d
				}
			}
		}
		if best < 0 {
			break
		}
		cut := body.Cut(planes[best], near)
		if used := cut.trimmed(); len(used.Points) <= max(8, most) {
			body = used
		}
		planes[best] = planes[len(planes)-1]
		planes = planes[:len(planes)-1]
	}
	return body
}

// trimmed is the body without corners that no face has.
func (b Body) trimmed() Body {
	var out Body
	number := make(map[int32]int32, len(b.Points))
	for _, f := range b.Faces {
		g := make([]int32, len(f))
		for k, i := range f {
			n, ok := number[i]
			if !ok {
				n = int32(len(out.Points))
				number[i] = n
				out.Points = append(out.Points, b.Points[i])
			}
			g[k] = n
		}
		out.Faces = append(out.Faces, g)
	}
	return out
}
