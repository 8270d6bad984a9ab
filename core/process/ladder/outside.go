package ladder

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// rays are how many directions are tried from a place before it counts as hidden.
const rays = 48

// Outside are the meshes of a scene, in its order, without the faces that nobody sees from outside
// it: from four places of each of its triangles, and both sides of it, none of 48 rays gets out of
// the scene. Faces that let light through hide nothing. A mesh that stands in several places keeps
// what is seen in any. When ctx ends it returns early, and what it returns means nothing.
func Outside(ctx context.Context, s *scene.Scene) []*scene.Mesh {
	worlds := s.Worlds()
	var pts []geom.Vec3
	var tris, solid []int32
	type from struct{ mesh, face int32 }
	var of []from
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		m, base := s.Meshes[n.Mesh], int32(len(pts))
		for _, p := range m.Points {
			pts = append(pts, worlds[i].Apply(p))
		}
		clear := make([]bool, len(m.Slots))
		for k, mat := range m.Slots {
			clear[k] = mat >= 0 && (s.Materials[mat].AlphaMode != scene.Opaque || s.Materials[mat].BaseColor[3] < 1)
		}
		m.EachTriangle(func(f int, a, b, c int32) {
			x, y, z := base+m.Corners[a], base+m.Corners[b], base+m.Corners[c]
			tris = append(tris, x, y, z)
			of = append(of, from{int32(n.Mesh), int32(f)})
			k := 0
			if m.Slot != nil {
				k = int(m.Slot[f])
			}
			if k >= len(clear) || !clear[k] {
				solid = append(solid, x, y, z)
			}
		})
	}
	tree := geom.NewBVH(ctx, pts, solid)
	size := tree.Box().Size().Len()
	seen := make([]bool, len(of))
	_ = split.InBlocks(ctx, len(of), 1<<8, func(_, lo, hi int) {
		for t := lo; t < hi; t++ {
			seen[t] = getsOut(tree, pts[tris[3*t]], pts[tris[3*t+1]], pts[tris[3*t+2]], size)
		}
	})
	out := make([]*scene.Mesh, len(s.Meshes))
	parts := make([][]int32, len(s.Meshes))
	for i, m := range s.Meshes {
		out[i], parts[i] = m, make([]int32, m.Faces())
		for f := range parts[i] {
			parts[i][f] = 1
		}
	}
	for t, o := range of {
		if seen[t] {
			parts[o.mesh][o.face] = 0
		}
	}
	for i, users := range s.Users() {
		if len(users) > 0 && s.Meshes[i].Faces() > 0 {
			out[i] = s.Meshes[i].Cut(parts[i], 2)[0].WithSlots(s.Meshes[i].Slots)
		}
	}
	return out
}

// getsOut tells whether a ray from a triangle gets out of all that is there.
func getsOut(tree *geom.BVH, a, b, c geom.Vec3, size float64) bool {
	n := b.Sub(a).Cross(c.Sub(a)).Unit()
	if n == (geom.Vec3{}) {
		return false
	}
	mid := a.Add(b).Add(c).Mul(1. / 3)
	for _, p := range [4]geom.Vec3{mid, mid.Add(a).Mul(0.5), mid.Add(b).Mul(0.5), mid.Add(c).Mul(0.5)} {
		for k := range rays {
			// Evenly over the sphere (a spiral of golden angles), the nearest to the normal first.
			z := 1 - (2*float64(k)+1)/rays
			angle := float64(k) * math.Pi * (3 - math.Sqrt(5))
			r := math.Sqrt(max(0, 1-z*z))
			u := n.Across()
			d := n.Mul(z).Add(u.Mul(r * math.Cos(angle))).Add(n.Cross(u).Mul(r * math.Sin(angle)))
			from := p.Add(d.Mul(1e-6 * size))
			if _, hit := tree.First(from, d, 2*size); !hit {
				return true
			}
		}
	}
	return false
}
