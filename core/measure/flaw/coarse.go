package flaw

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// Facets are the smooth edges at which an outline would show corners.
type Facets struct {
	Off  []float64 // by how much the facets leave the curve at each, the most first; the mesh's lengths
	Turn float64   // of the first of them, radians
	At   geom.Vec3 // its middle, in the mesh's coordinates
}

// mostFacets bounds the edges that are kept.
const mostFacets = 1 << 16

// FacetsOf looks for edges that are shaded round and whose faces turn by more than turn radians. A
// facet as wide as w that turns by t against the next is off the arc through their middles by
// w/2·tan(t/4) in its own. When ctx ends it returns early.
func FacetsOf(ctx context.Context, m *scene.Mesh, turn float64) Facets {
	var out Facets
	worst := 0.0
	normals := m.Normals
	if !normals.Has() {
		if normals = m.SmoothNormals(); !normals.Has() {
			return out // nothing says that it is meant to be round
		}
	}
	n := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
	for e := range n.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return out
		}
		r := n.Runs(e)
		if !n.Soft(normals, e) {
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
		if out.Off = append(out.Off, sag); sag > worst {
			worst, out.Turn, out.At = sag, t, p.Add(q).Mul(0.5)
		}
	}
	slices.SortFunc(out.Off, func(a, b float64) int { return cmp.Compare(b, a) })
	out.Off = out.Off[:min(len(out.Off), mostFacets)]
	return out
}

// Beyond is how many of them leave the curve by more than off.
func (f Facets) Beyond(off float64) int {
	n, _ := slices.BinarySearchFunc(f.Off, off, func(x, off float64) int {
		if x > off {
			return -1
		}
		return 1
	})
	return n
}
