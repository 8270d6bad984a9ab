package draft

import (
	"context"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// placedMost is how many triangles a model holds, each instance with its own: about a
// hundred megabytes. Instances of a scene with more are drawn coarser.
const placedMost = 800_000

// drawable has the meshes of a scene as they are drawn: as they are, or coarser where all
// their instances together would be more than a drawing can hold. Their points are put
// together in cells then (Rossignac and Borrel 1993), in the mesh's own frame, first of a
// pixel's size and then of twice that until they fit.
type drawable struct {
	s    *scene.Scene
	thin []*scene.Mesh // nil where the scene's own is drawn
}

// newDrawable finds the size of the cells for the meshes at these nodes; pixel is that of
// the paper in metres. When ctx ends it returns early.
func newDrawable(ctx context.Context, s *scene.Scene, worlds []geom.Affine, places []int, pixel float64) drawable {
	out := drawable{s, make([]*scene.Mesh, len(s.Meshes))}
	times, reach := make([]int, len(s.Meshes)), make([]float64, len(s.Meshes))
	for _, i := range places {
		k := s.Nodes[i].Mesh
		times[k]++
		reach[k] = max(reach[k], worlds[i].M[0].Len(), worlds[i].M[1].Len(), worlds[i].M[2].Len())
	}
	total := func() (n int) {
		for k, m := range s.Meshes {
			if out.thin[k] != nil {
				m = out.thin[k]
			}
			n += times[k] * m.Triangles()
		}
		return n
	}
	for cells := 1.; total() > placedMost && cells < 1e6 && ctx.Err() == nil; cells *= 2 {
		for k, m := range s.Meshes {
			if times[k] > 1 && reach[k] > 0 {
				if t := gathered(m, cells*pixel/reach[k]); t.Faces() > 0 { // what is smaller than a cell stays seen
					out.thin[k] = t
				}
			}
		}
	}
	return out
}

// reduced tells whether a mesh is drawn coarser than it is.
func (s drawable) reduced() bool {
	return slices.ContainsFunc(s.thin, func(m *scene.Mesh) bool { return m != nil })
}

// mesh is one as it is drawn.
func (s drawable) mesh(k int) *scene.Mesh {
	if s.thin[k] != nil {
		return s.thin[k]
	}
	return s.s.Meshes[k]
}

// gathered is a mesh of triangles whose points in one cell are one, without those that
// this leaves nothing of or lays onto another. It has the slots and no other layers.
func gathered(m *scene.Mesh, cell float64) *scene.Mesh {
	out := &scene.Mesh{Name: m.Name, Slots: m.Slots, FaceStart: []int32{0}}
	at := map[geom.Vec3]int32{}
	to := make([]int32, len(m.Points))
	for i, p := range m.Points {
		k := geom.Vec3{cellOf(p[0], cell), cellOf(p[1], cell), cellOf(p[2], cell)}
		n, ok := at[k]
		if !ok {
			n = int32(len(out.Points))
			at[k] = n
			out.Points = append(out.Points, p)
		}
		to[i] = n
	}
	placed := map[[3]int32]bool{}
	m.EachTriangle(func(f int, a, b, c int32) {
		a, b, c = to[m.Corners[a]], to[m.Corners[b]], to[m.Corners[c]]
		key := sortedKey(a, b, c)
		if a == b || b == c || c == a || placed[key] {
			return
		}
		placed[key] = true
		out.Corners = append(out.Corners, a, b, c)
		out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
		if m.Slot != nil {
			out.Slot = append(out.Slot, m.Slot[f])
		}
	})
	return out
}
