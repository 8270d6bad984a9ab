package extents

import (
	"context"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// thinFrom is from how many points on it pays to drop those within.
const thinFrom = 50_000

// outer are the places of a scene's points without those that lie well within the
// hull of a few of them, which can be no corners of the hull of all (Akl and
// Toussaint 1978, "A fast convex hull algorithm").
func outer(ctx context.Context, s *scene.Scene) []geom.Vec3 {
	n := 0
	for _, d := range s.Nodes {
		if d.Mesh >= 0 {
			n += len(s.Meshes[d.Mesh].Points)
		}
	}
	if n < thinFrom {
		return Points(s)
	}
	planes := inner(ctx, s, n)
	worlds := s.Worlds()
	var out []geom.Vec3
	for i, d := range s.Nodes {
		if d.Mesh < 0 {
			continue
		}
		if ctx.Err() != nil {
			return nil
		}
		m := s.Meshes[d.Mesh]
		used := m.Used()
		const least = 1 << 13 // points worth a goroutine
		pieces := make([][]geom.Vec3, split.Pieces(len(m.Points), least))
		split.Range(len(m.Points), least, func(k, from, to int) {
			for j := from; j < to; j++ {
				if j&0x7fff == 0 && ctx.Err() != nil {
					return
				}
				if used[j] {
					if p := worlds[i].Apply(m.Points[j]); !planes.hold(&p) {
						pieces[k] = append(pieces[k], p)
					}
				}
			}
		})
		for _, p := range pieces {
			out = append(out, p...)
		}
	}
	return out
}

// cell is a convex body by its planes: n·p < d within.
type cell []struct {
	n geom.Vec3
	d float64
}

// hold tells whether p lies behind every plane of the cell, and on none of them.
func (c cell) hold(p *geom.Vec3) bool {
	for i := range c {
		if q := &c[i]; q.n[0]*p[0]+q.n[1]*p[1]+q.n[2]*p[2] >= q.d {
			return false
		}
	}
	return len(c) > 0
}

// inner is the hull of the extremes, in fourteen directions, of some of the points.
func inner(ctx context.Context, s *scene.Scene, n int) cell {
	var dirs []geom.Vec3
	for _, a := range geom.Axes {
		dirs = append(dirs, a.Vec())
	}
	for i := range 8 {
		dirs = append(dirs, geom.Vec3{float64(i&1)*2 - 1, float64(i>>1&1)*2 - 1, float64(i>>2&1)*2 - 1})
	}
	far := make([]geom.Vec3, len(dirs))
	most := make([]float64, len(dirs))
	some := false
	step := 1 + n/60_000
	worlds := s.Worlds()
	for i, d := range s.Nodes {
		if d.Mesh < 0 {
			continue
		}
		m := s.Meshes[d.Mesh]
		for c := 0; c < len(m.Corners); c += step {
			p := worlds[i].Apply(m.Points[m.Corners[c]])
			for k, dir := range dirs {
				if v := p.Dot(dir); !some || v > most[k] {
					far[k], most[k] = p, v
				}
			}
			some = true
		}
	}
	h := geom.HullOf(ctx, far)
	if h.Flat {
		return nil
	}
	var out cell
	size := 0.0
	for _, p := range h.Points {
		size = max(size, p.Dist(h.Points[0]))
	}
	for _, f := range h.Faces {
		a := h.Points[f[0]]
		q := h.Points[f[1]].Sub(a).Cross(h.Points[f[2]].Sub(a)).Unit()
		// A little within, so that what lies on the hull of the few stays.
		out = append(out, struct {
			n geom.Vec3
			d float64
		}{q, q.Dot(a) - 1e-5*size})
	}
	return out
}
