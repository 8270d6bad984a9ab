// Package shape makes simple solid meshes by code: boxes, lathed and extruded
// bodies. Samples and tests are built of them. The basis is glTF's: +Y up, the
// front facing +Z, right-handed; lengths are metres.
package shape

import (
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Builder collects faces. The zero Builder is ready for use.
type Builder struct {
	m     scene.Mesh
	uv    scene.Layer[[2]float64]
	slot  int32
	group uint32
	to    geom.Affine
	moved bool
}

// Slot lets the following faces use a material.
func (b *Builder) Slot(material int) *Builder {
	for k, m := range b.m.Slots {
		if m == material {
			b.slot = int32(k)
			return b
		}
	}
	b.slot = int32(len(b.m.Slots))
	b.m.Slots = append(b.m.Slots, material)
	return b
}

// Place maps the following points.
func (b *Builder) Place(a geom.Affine) *Builder {
	b.to, b.moved = a, true
	return b
}

// point gives the number of a point, adding it when it is new.
func (b *Builder) point(p geom.Vec3) int32 {
	if b.moved {
		p = b.to.Apply(p)
	}
	b.m.Points = append(b.m.Points, p)
	return int32(len(b.m.Points) - 1)
}

// face adds a polygon, anticlockwise seen from outside.
func (b *Builder) face(group uint32, corners []int32, uv [][2]float64) {
	if len(b.m.Slots) == 0 {
		b.Slot(-1)
	}
	if len(b.m.FaceStart) == 0 {
		b.m.FaceStart = []int32{0}
	}
	if b.moved && b.to.Mirrors() {
		for i, j := 0, len(corners)-1; i < j; i, j = i+1, j-1 {
			corners[i], corners[j] = corners[j], corners[i]
			uv[i], uv[j] = uv[j], uv[i]
		}
	}
	for i, c := range corners {
		b.m.Corners = append(b.m.Corners, c)
		b.uv.Index = append(b.uv.Index, int32(len(b.uv.Values)))
		b.uv.Values = append(b.uv.Values, uv[i])
	}
	b.m.FaceStart = append(b.m.FaceStart, int32(len(b.m.Corners)))
	b.m.Slot = append(b.m.Slot, b.slot)
	b.m.Smooth = append(b.m.Smooth, group)
}

// Box adds a closed box of six quads.
func (b *Builder) Box(lo, hi geom.Vec3) *Builder {
	var p [8]int32
	for i := range p {
		q := lo
		for k := range 3 {
			if i>>k&1 == 1 {
				q[k] = hi[k]
			}
		}
		p[i] = b.point(q)
	}
	s := hi.Sub(lo)
	for _, f := range []struct {
		c    [4]int
		w, h float64
	}{
		{[4]int{4, 5, 7, 6}, s[0], s[1]}, {[4]int{1, 0, 2, 3}, s[0], s[1]}, // front, back
		{[4]int{5, 1, 3, 7}, s[2], s[1]}, {[4]int{0, 4, 6, 2}, s[2], s[1]}, // +x, -x
		{[4]int{6, 7, 3, 2}, s[0], s[2]}, {[4]int{0, 1, 5, 4}, s[0], s[2]}, // top, bottom
	} {
		b.face(0, []int32{p[f.c[0]], p[f.c[1]], p[f.c[2]], p[f.c[3]]}, [][2]float64{{0, 0}, {f.w, 0}, {f.w, f.h}, {0, f.h}})
	}
	return b
}

// Lathe turns a profile of (radius, height) pairs, given from the bottom up, about
// the Y axis. Ends of radius above zero are closed by a disc. Steep corners of the
// profile are hard edges.
func (b *Builder) Lathe(profile [][2]float64, sides int) *Builder {
	rings := make([][]int32, len(profile))
	for i, p := range profile {
		n := sides
		if p[0] == 0 {
			n = 1
		}
		for k := range n {
			s, c := math.Sincos(2 * math.Pi * float64(k) / float64(sides))
			rings[i] = append(rings[i], b.point(geom.Vec3{p[0] * s, p[1], p[0] * c}))
		}
	}
	at := func(i, k int) int32 { return rings[i][k%len(rings[i])] }
	v := 0.0
	for i := range len(profile) - 1 {
		a, c := profile[i], profile[i+1]
		if i == 0 || turn(profile[i-1], a, c) > math.Pi/6 {
			b.group++
		}
		l := math.Hypot(c[0]-a[0], c[1]-a[1])
		for k := range sides {
			u0, u1 := float64(k)/float64(sides), float64(k+1)/float64(sides)
			corners := []int32{at(i, k), at(i, k+1), at(i+1, k+1), at(i+1, k)}
			uv := [][2]float64{{u0, v}, {u1, v}, {u1, v + l}, {u0, v + l}}
			switch {
			case a[0] == 0:
				corners, uv = append(corners[:1], corners[2:]...), append(uv[:1], uv[2:]...)
			case c[0] == 0:
				corners, uv = corners[:3], uv[:3]
			}
			b.face(b.group, corners, uv)
		}
		v += l
	}
	b.disc(rings[0], profile[0][0], true)
	b.disc(rings[len(rings)-1], profile[len(profile)-1][0], false)
	return b
}

// turn is the angle by which a profile bends at b.
func turn(a, b, c [2]float64) float64 {
	d := math.Atan2(c[1]-b[1], c[0]-b[0]) - math.Atan2(b[1]-a[1], b[0]-a[0])
	return math.Abs(math.Remainder(d, 2*math.Pi))
}

// disc closes a ring by a fan.
func (b *Builder) disc(ring []int32, radius float64, down bool) {
	if len(ring) < 3 || radius == 0 {
		return
	}
	n := len(ring)
	corners, uv := make([]int32, n), make([][2]float64, n)
	for k := range n {
		j := k
		if down {
			j = n - 1 - k
		}
		s, c := math.Sincos(2 * math.Pi * float64(j) / float64(n))
		corners[k], uv[k] = ring[j], [2]float64{0.5 + s/2, 0.5 - c/2}
	}
	b.face(0, corners, uv)
}

// Prism extrudes a flat outline of (x, y) pairs, anticlockwise, from z0 to z1.
func (b *Builder) Prism(outline [][2]float64, z0, z1 float64) *Builder {
	n := len(outline)
	front, back := make([]int32, n), make([]int32, n)
	uv := make([][2]float64, n)
	for i, p := range outline {
		front[i] = b.point(geom.Vec3{p[0], p[1], z1})
		back[i] = b.point(geom.Vec3{p[0], p[1], z0})
		uv[i] = p
	}
	run := 0.0
	for i := range n {
		j := (i + 1) % n
		l := math.Hypot(outline[j][0]-outline[i][0], outline[j][1]-outline[i][1])
		b.face(0, []int32{front[i], back[i], back[j], front[j]},
			[][2]float64{{run, z1}, {run, z0}, {run + l, z0}, {run + l, z1}})
		run += l
	}
	b.face(0, append([]int32(nil), front...), append([][2]float64(nil), uv...))
	rev, ruv := make([]int32, n), make([][2]float64, n)
	for i := range n {
		rev[i], ruv[i] = back[n-1-i], uv[n-1-i]
	}
	b.face(0, rev, ruv)
	return b
}

// Grid adds an open sheet of nu by nv quads over a surface of (u, v) in [0,1]².
func (b *Builder) Grid(nu, nv int, at func(u, v float64) geom.Vec3) *Builder {
	b.group++
	first := int32(len(b.m.Points))
	for j := range nv + 1 {
		for i := range nu + 1 {
			b.point(at(float64(i)/float64(nu), float64(j)/float64(nv)))
		}
	}
	w := int32(nu + 1)
	for j := range nv {
		for i := range nu {
			k := first + int32(j)*w + int32(i)
			u0, v0 := float64(i)/float64(nu), float64(j)/float64(nv)
			u1, v1 := float64(i+1)/float64(nu), float64(j+1)/float64(nv)
			b.face(b.group, []int32{k, k + 1, k + w + 1, k + w}, [][2]float64{{u0, v0}, {u1, v0}, {u1, v1}, {u0, v1}})
		}
	}
	return b
}

// Mesh finishes the mesh, with normals by its smoothing groups.
func (b *Builder) Mesh(name string) *scene.Mesh {
	m := b.m
	m.Name = name
	m.UVs = []scene.UVSet{{Name: "UV 1", Layer: b.uv}}
	if len(m.Slots) < 2 {
		m.Slot = nil
	}
	m.Normals = m.SmoothNormals()
	return &m
}

// Scene wraps meshes, one root node each, in a scene of glTF's basis.
func Scene(name string, materials []scene.Material, meshes ...*scene.Mesh) *scene.Scene {
	s := &scene.Scene{Name: name, Basis: geom.GLTF, BasisHow: scene.ByStandard, UnitMetres: 1, UnitHow: scene.ByStandard,
		Materials: materials}
	for i, m := range meshes {
		s.Nodes = append(s.Nodes, scene.Node{Name: m.Name, Kind: scene.KindMesh, Parent: -1, Mesh: i, Local: geom.Identity})
		s.Meshes = append(s.Meshes, m)
	}
	return s
}
