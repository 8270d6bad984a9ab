// Package extents takes the figures of a scene: surface, volume, middle of mass,
// hull, mass properties and what touches the ground. Lengths are metres.
//
// Everything is in the scene's own basis; instances count as often as they are placed. Volume and middle are those
// of the tetrahedra from one point to every triangle, so that they mean something only for what is closed, which
// [Figures.Closed] tells; parts that are inside out count against the others. Sums are taken in blocks of one size,
// so that they are the same on any number of processors. All is linear in the mesh but the hull, which is n log n.
package extents

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Figures of a scene, all nodes together.
type Figures struct {
	Box  geom.Box
	Area float64 // of every face; square metres
	// Volume is signed: negative for a body turned inside out. It means something
	// only when Closed.
	Volume float64
	Closed bool
	// Centre is the middle of mass of a closed body; of the surface, as of a shell of
	// even thickness, when it is open.
	Centre geom.Vec3
}

// sums over faces, about an origin near them.
type sums struct {
	area, volume     float64
	byArea, byVolume geom.Vec3
	chain            uint64
	box              geom.Box
}

// add joins the sums of two stretches.
func (s *sums) add(o sums) {
	s.area += o.area
	s.volume += o.volume
	s.byArea = s.byArea.Add(o.byArea)
	s.byVolume = s.byVolume.Add(o.byVolume)
	s.chain += o.chain
	s.box = s.box.Union(o.box)
}

// Of measures extents, area, volume and middle of a scene's nodes, and whether
// they are closed. When ctx ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, s *scene.Scene) Figures {
	total, closed := passes(ctx, s, true)
	f := Figures{Box: total.box, Area: total.area, Volume: total.volume, Closed: closed}
	switch {
	case closed && math.Abs(total.volume) > 1e-12*math.Pow(total.box.Size().Max(), 3):
		f.Centre = total.byVolume.Mul(1 / total.volume)
	case total.area > 0:
		f.Centre = total.byArea.Mul(1 / total.area)
	default:
		f.Centre = total.box.Center()
	}
	return f
}

// OfMesh measures a mesh by itself, in its own coordinates.
func OfMesh(ctx context.Context, m *scene.Mesh) Figures {
	return Of(ctx, &scene.Scene{Meshes: []*scene.Mesh{m},
		Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1, Local: geom.Identity}}})
}

// Sized measures extents, area and volume alone.
func Sized(s *scene.Scene) (box geom.Box, area, volume float64) {
	t, _ := passes(context.Background(), s, false)
	return t.box, t.area, t.volume
}

// passes goes over every triangle of every placed mesh and sums. chain asks for the
// check of closedness as well.
func passes(ctx context.Context, s *scene.Scene, chain bool) (sums, bool) {
	total := sums{box: geom.EmptyBox()}
	closed, any := true, false
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || s.Meshes[n.Mesh].Faces() == 0 {
			continue
		}
		if ctx.Err() != nil {
			return total, false
		}
		any = true
		t := mesh(ctx, s.Meshes[n.Mesh], worlds[i], chain)
		closed = closed && t.chain == 0
		total.add(t)
	}
	return total, closed && any
}

// mesh sums over a mesh placed in the world.
func mesh(ctx context.Context, m *scene.Mesh, w geom.Affine, chain bool) sums {
	pts := m.Points
	const least = 1 << 13 // points or faces worth a goroutine
	if !w.IsIdentity() {
		pts = make([]geom.Vec3, len(m.Points))
		split.Range(len(pts), least, func(_, from, to int) {
			for i := from; i < to; i++ {
				pts[i] = w.Apply(m.Points[i])
			}
		})
	}
	var marks []uint64
	if chain {
		marks = make([]uint64, len(pts))
		split.Range(len(pts), least, func(_, from, to int) {
			for i := from; i < to; i++ {
				marks[i] = m.Points[i].Hash()
			}
		})
	}
	// Sums are taken about a point of the mesh: far from the origin they would lose
	// their digits.
	o := pts[m.Corners[0]]
	const block = 1 << 15 // faces summed at a stretch
	parts := make([]sums, split.Blocks(m.Faces(), block))
	_ = split.InBlocks(ctx, m.Faces(), block, func(k, from, to int) {
		t := sums{box: geom.EmptyBox()}
		for f := from; f < to; f++ {
			t.face(pts, m.Corners[m.FaceStart[f]:m.FaceStart[f+1]], o)
		}
		if chain {
			for f := from; f < to; f++ {
				t.chain += boundary(marks, m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
			}
		}
		parts[k] = t
	})
	total := sums{box: geom.EmptyBox()}
	for _, p := range parts {
		total.add(p)
	}
	if w.Mirrors() {
		// The faces are the other way round in the world.
		total.volume, total.byVolume = -total.volume, total.byVolume.Mul(-1)
	}
	total.byArea = total.byArea.Add(o.Mul(total.area))
	total.byVolume = total.byVolume.Add(o.Mul(total.volume))
	return total
}

// face adds one polygon, a fan from its first corner: its vector area (Newell), and
// the signed volume of the tetrahedra down to o (Zhang and Chen 2001, "Efficient
// feature extraction for 2D/3D objects in mesh representation").
func (t *sums) face(pts []geom.Vec3, c []int32, o geom.Vec3) {
	a := pts[c[0]]
	t.grow(&a)
	ax, ay, az := a[0]-o[0], a[1]-o[1], a[2]-o[2]
	var nx, ny, nz, sx, sy, sz float64
	p := pts[c[1]]
	t.grow(&p)
	px, py, pz := p[0]-a[0], p[1]-a[1], p[2]-a[2]
	for _, i := range c[2:] {
		q := pts[i]
		t.grow(&q)
		qx, qy, qz := q[0]-a[0], q[1]-a[1], q[2]-a[2]
		x, y, z := py*qz-pz*qy, pz*qx-px*qz, px*qy-py*qx
		six := ax*x + ay*y + az*z // six times the volume
		t.volume += six / 6
		// The tetrahedron's middle is a quarter of the way, seen from o.
		t.byVolume[0] += six / 24 * (3*ax + px + qx)
		t.byVolume[1] += six / 24 * (3*ay + py + qy)
		t.byVolume[2] += six / 24 * (3*az + pz + qz)
		nx, ny, nz = nx+x, ny+y, nz+z
		w := math.Sqrt(x*x+y*y+z*z) / 2
		sx += w * (ax + (px+qx)/3)
		sy += w * (ay + (py+qy)/3)
		sz += w * (az + (pz+qz)/3)
		px, py, pz = qx, qy, qz
	}
	t.area += math.Sqrt(nx*nx+ny*ny+nz*nz) / 2
	t.byArea[0] += sx
	t.byArea[1] += sy
	t.byArea[2] += sz
}

// grow makes the box hold p.
func (t *sums) grow(p *geom.Vec3) {
	for k := range 3 {
		if p[k] < t.box.Min[k] {
			t.box.Min[k] = p[k]
		}
		if p[k] > t.box.Max[k] {
			t.box.Max[k] = p[k]
		}
	}
}

// boundary hashes the sides of a face so that two faces that share a side in
// opposite directions cancel. The sum over a mesh is zero exactly when its surface
// has no border, but for one chance in 2⁶⁴: a linear hash of the chain's boundary.
func boundary(marks []uint64, c []int32) uint64 {
	sum := uint64(0)
	a := marks[c[len(c)-1]]
	for _, i := range c {
		b := marks[i]
		switch {
		case a < b:
			sum += mix(a, b)
		case a > b:
			sum -= mix(b, a)
		}
		a = b
	}
	return sum
}

// mix is a hash of two numbers in order.
func mix(a, b uint64) uint64 {
	h := (a ^ b>>29 ^ b<<35) * 0xc4ceb9fe1a85ec53
	h ^= h >> 31
	h = (h + b) * 0xff51afd7ed558ccd
	return h ^ h>>33
}

// Points are the places of all used points of a scene.
func Points(s *scene.Scene) []geom.Vec3 {
	var out []geom.Vec3
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		m := s.Meshes[n.Mesh]
		used := m.Used()
		at := len(out)
		out = append(out, m.Points...)
		k := at
		for j, u := range used {
			if u {
				out[k] = worlds[i].Apply(m.Points[j])
				k++
			}
		}
		out = out[:k]
	}
	return out
}

// Ground is what touches the ground when up points up.
type Ground struct {
	Contact geom.Outline // convex outline of the lowest slab, in the plane of Frame
	Outline geom.Outline // of the whole, seen from above
	Frame   [2]geom.Vec3 // directions of the plane's x and y
	Level   float64      // of the lowest point, along up
}

// Slab is how much above the lowest point still counts as touching: half a hundredth
// of the height, and a millimetre at least when that is little.
func Slab(height float64) float64 { return max(0.005*height, min(0.001, 0.02*height)) }

// GroundOf finds the contact of points with the ground. up is a unit vector.
func GroundOf(pts []geom.Vec3, up geom.Vec3) Ground {
	g := Ground{Level: math.Inf(1)}
	u := up.Across()
	g.Frame = [2]geom.Vec3{u, up.Cross(u)}
	top := math.Inf(-1)
	for _, p := range pts {
		d := p.Dot(up)
		g.Level, top = min(g.Level, d), max(top, d)
	}
	if len(pts) == 0 {
		g.Level = 0
		return g
	}
	slab := g.Level + Slab(top-g.Level)
	var low, all []geom.Vec2
	for _, p := range pts {
		q := geom.Vec2{p.Dot(g.Frame[0]), p.Dot(g.Frame[1])}
		all = append(all, q)
		if p.Dot(up) <= slab {
			low = append(low, q)
		}
	}
	g.Contact, g.Outline = geom.OutlineOf(low), geom.OutlineOf(all)
	return g
}

// Flat drops a point to the plane of the ground.
func (g Ground) Flat(p geom.Vec3) geom.Vec2 {
	return geom.Vec2{p.Dot(g.Frame[0]), p.Dot(g.Frame[1])}
}

// Place is a point of the plane at the ground's level, in the world.
func (g Ground) Place(q geom.Vec2, up geom.Vec3) geom.Vec3 {
	return g.Frame[0].Mul(q[0]).Add(g.Frame[1].Mul(q[1])).Add(up.Mul(g.Level))
}
