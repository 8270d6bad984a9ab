package scene

import (
	"context"

	"yarvek/core/geom"
)

// Dotted tells whether all there is of the scene is points without faces.
func (s *Scene) Dotted() bool { return s.Count().Dotted() }

// Dotted tells whether these are counts of points without faces.
func (c Counts) Dotted() bool { return c.Dots > 0 && c.Polygons == 0 }

// Empty tells whether a mesh has neither faces nor a cloud's points.
func (m *Mesh) Empty() bool { return m.Faces() == 0 && (m.Cloud == nil || len(m.Cloud.Points) == 0) }

// densePart is the least part of a cloud's points that a piece has which shapes are fitted round.
const densePart = 0.02

// Hulled is the scene with convex hulls of its clouds in their places, one round each dense piece: what shapes are
// fitted round, so that neither strays nor the gap between two pieces is touched. When ctx ends it returns early, and
// what it returns means nothing.
func (s *Scene) Hulled(ctx context.Context) *Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		if m.Cloud == nil {
			continue
		}
		hull := &Mesh{Name: m.Name, FaceStart: []int32{0}, Slots: []int{-1}}
		for _, piece := range m.Cloud.Dense(ctx, densePart) {
			h := geom.HullOf(ctx, piece.Outermost())
			base := int32(len(hull.Points))
			hull.Points = append(hull.Points, h.Points...)
			for _, f := range h.Faces {
				hull.Corners = append(hull.Corners, base+f[0], base+f[1], base+f[2])
				hull.FaceStart = append(hull.FaceStart, int32(len(hull.Corners)))
			}
		}
		out.Meshes[i] = hull
		for k := range out.Nodes {
			if out.Nodes[k].Mesh == i {
				out.Nodes[k].Kind = KindMesh
			}
		}
	}
	return out
}

// dotsWithin is a cloud with the points that a cropping leaves; itself when that is all.
func (m *Mesh) dotsWithin(c Cropping) *Mesh {
	keep, all := make([]bool, len(m.Cloud.Points)), true
	for i, p := range m.Cloud.Points {
		keep[i] = c.holds(p) != c.Outside
		all = all && keep[i]
	}
	if all {
		return m
	}
	out := *m
	out.Cloud = m.Cloud.Only(keep)
	return &out
}
