// Package coarse finds stretches that are shaded round and whose outline shows that they are not.
package coarse

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// Facets are the smooth edges at which an outline would show corners.
type Facets struct {
	Edges int
	Turn  float64   // of the worst of them, radians
	Off   float64   // by how much the facets leave the curve there; the mesh's lengths
	At    geom.Vec3 // its middle, in the mesh's coordinates
}

// Find looks for edges that are shaded round, whose faces turn by more than turn radians and
// leave the arc through their middles by more than off. A facet as wide as w that turns by t
// against the next is off the arc by w/2·tan(t/4) in its middle. When ctx ends it returns early.
func Find(ctx context.Context, m *scene.Mesh, turn, off float64) Facets {
	var out Facets
	normals := m.Normals
	if !normals.Has() {
		if normals = m.SmoothNormals(); !normals.Has() {
			return out // nothing says that it is meant to be round
		}
	}
	n := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
	alike := func(a, b int32) bool {
		i, j := normals.Index[a], normals.Index[b]
		if i < 0 || j < 0 {
			return false
		}
		u, v := normals.Values[i], normals.Values[j]
		return u[0]*v[0]+u[1]*v[1]+u[2]*v[2] > 0.9998
	}
	for e := range n.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return out
		}
		r := n.Runs(e)
		if len(r) != 2 || n.Alike(r[0], r[1]) || !alike(r[0], n.Next(r[1])) || !alike(n.Next(r[0]), r[1]) {
			continue
		}
		f, g := int(n.FaceOf[r[0]]), int(n.FaceOf[r[1]])
		u, v := m.FaceNormal(f), m.FaceNormal(g)
		t := math.Acos(min(1, max(-1, u.Unit().Dot(v.Unit()))))
		if t <= turn {
			continue
		}
		p, q := m.Points[m.Corners[r[0]]], m.Points[m.Corners[n.Next(r[0])]]
		long := p.Dist(q)
		if !(long > 0) {
			continue
		}
		// The facets are about as wide, across the edge, as their area over its length.
		sag := max(u.Len(), v.Len()) / 2 / long / 2 * math.Tan(t/4)
		if sag <= off {
			continue
		}
		out.Edges++
		if sag > out.Off {
			out.Off, out.Turn, out.At = sag, t, p.Add(q).Mul(0.5)
		}
	}
	return out
}
