package collision

import (
	"context"

	"yarvek/core/measure/deviation"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
)

// Touched is the mesh itself as collision.
type Touched struct {
	Mesh *scene.Mesh // triangles where they stand, without materials
	Off  float64     // how far it is from the mesh at most; metres of its scene
}

// surfaceSamples are the points that Off is measured by, on either surface.
const surfaceSamples = 20_000

// SurfaceOf makes it of a scene. When ctx ends it returns early, and what it returns means nothing.
func SurfaceOf(ctx context.Context, s *scene.Scene, d Surface) Touched {
	var all []*scene.Mesh
	for _, m := range s.Flattened().Meshes {
		bare := &scene.Mesh{Points: m.Points, Corners: m.Corners, FaceStart: m.FaceStart, Slots: []int{-1}}
		if d.Share < 1 {
			bare = simplify.Of(ctx, bare, simplify.Options{Triangles: max(4, int(d.Share*float64(m.Triangles())))}).Mesh
		}
		bare = bare.Triangulated()
		all = append(all, &scene.Mesh{Points: bare.Points, Corners: bare.Corners, FaceStart: bare.FaceStart,
			Slots: []int{-1}})
	}
	if len(all) == 0 || ctx.Err() != nil {
		return Touched{}
	}
	t := Touched{Mesh: scene.Joined("", all)}
	if d.Share < 1 {
		t.Off = deviation.NewSurface(ctx, s).From(ctx, deviation.NewMeshSurface(ctx, t.Mesh), surfaceSamples).Worst().Max
	}
	if d.TwoSided {
		m := t.Mesh
		for f := range m.Faces() {
			c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
			m.Corners = append(m.Corners, c[0], c[2], c[1])
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		}
	}
	return t
}
