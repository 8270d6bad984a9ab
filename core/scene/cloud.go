package scene

import (
	"context"

	"yarvek/core/geom"
)

// Hulled is the scene with the convex hull of each cloud in its place: what shapes are fitted round. When ctx ends it
// returns early, and what it returns means nothing.
func (s *Scene) Hulled(ctx context.Context) *Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		if m.Cloud == nil {
			continue
		}
		h := geom.HullOf(ctx, m.Cloud.Points)
		hull := &Mesh{Name: m.Name, Points: h.Points, FaceStart: []int32{0}, Slots: []int{-1}}
		for _, f := range h.Faces {
			hull.Corners = append(hull.Corners, f[:]...)
			hull.FaceStart = append(hull.FaceStart, int32(len(hull.Corners)))
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
		within := true
		for _, h := range c.Within {
			within = within && h.over(p) <= 0
		}
		keep[i] = within != c.Outside
		all = all && keep[i]
	}
	if all {
		return m
	}
	out := *m
	out.Cloud = m.Cloud.Only(keep)
	return &out
}
