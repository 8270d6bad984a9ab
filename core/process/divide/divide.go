// Package divide makes the smooth surface that a cage stands for, as many times divided as is asked.
//
// The schemes are those of Catmull and Clark 1978, "Recursively generated B-spline surfaces on arbitrary topological
// meshes", and Loop 1987, "Smooth Subdivision Surfaces Based on Triangles", with the creases of DeRose, Kass and Truong
// 1998, "Subdivision Surfaces in Character Animation": an edge is as sharp as a number says, one less at each dividing,
// and between nought and one it lies between both rules. Borders, and edges of more than two faces, are sharp; at a
// border's corner, where one face is, a point stays. UVs, colours and slots run linearly over each face of the cage.
package divide

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Most is how many faces a division may make of a mesh.
const Most = 4_000_000

// MostTimes is how often a cage may be divided.
const MostTimes = 5

// Faces is how many faces a mesh of cage has, divided so many times.
func Faces(m *scene.Mesh, times int) int {
	if times == 0 {
		return m.Faces()
	}
	n := len(m.Corners)
	if m.Cage != nil && m.Cage.Scheme == scene.Loop {
		n = 4 * m.Triangles()
	}
	for range times - 1 {
		if n *= 4; n > Most {
			break
		}
	}
	return n
}

// Mesh is the surface of a cage divided so many times; itself for a mesh that is no cage. The number must be no more
// than [MostTimes], and the faces it makes no more than [Most]. When ctx ends it returns early, and what it returns
// means nothing.
func Mesh(ctx context.Context, m *scene.Mesh, times int) *scene.Mesh {
	if m.Cage == nil || times == 0 {
		return m
	}
	out := m
	if m.Cage.Scheme == scene.Loop {
		out = m.Triangulated()
		out.Cage = m.Cage
	}
	for range times {
		if ctx.Err() != nil {
			return m
		}
		d := divider{m: out, scheme: m.Cage.Scheme}
		d.edges()
		out = d.divided()
	}
	return smooth(out)
}

// smooth says that a divided surface is so, but for edges that are still sharp.
func smooth(m *scene.Mesh) *scene.Mesh {
	m.Normals, m.Tangents = scene.Layer[[3]float32]{}, scene.Layer[[4]float32]{}
	m.Smooth = make([]uint32, m.Faces())
	for f := range m.Smooth {
		m.Smooth[f] = 1
	}
	m.Hard = nil
	if len(m.Cage.Sharp) > 0 {
		m.Hard = make([]bool, len(m.Corners))
		for f := range m.Faces() {
			each(m, f, func(c, d int32) {
				m.Hard[c] = m.Cage.Sharp[scene.EdgeOf(m.Corners[c], m.Corners[d])] > 0
			})
		}
	}
	m.Cage = nil
	return m
}

// each goes round a face, corner by corner with the one after.
func each(m *scene.Mesh, f int, do func(c, d int32)) {
	s, e := m.FaceStart[f], m.FaceStart[f+1]
	for c := s; c < e; c++ {
		d := c + 1
		if d == e {
			d = s
		}
		do(c, d)
	}
}

// edge is one of the mesh that is divided.
type edge struct {
	ends  [2]int32
	faces [2]int32 // the first two that have it
	n     int      // how many have it
	sharp float64
}

// divider divides a mesh once.
type divider struct {
	m      *scene.Mesh
	scheme scene.Scheme
	list   []edge
	of     []int32 // the edge that runs from each corner to the next
}

func (d *divider) edges() {
	m := d.m
	at := make(map[scene.EdgeKey]int32, len(m.Corners)/2+1)
	d.of = make([]int32, len(m.Corners))
	for f := range m.Faces() {
		each(m, f, func(c, next int32) {
			key := scene.EdgeOf(m.Corners[c], m.Corners[next])
			k, ok := at[key]
			if !ok {
				k = int32(len(d.list))
				at[key] = k
				d.list = append(d.list, edge{ends: key, sharp: m.Cage.Sharp[key]})
			}
			e := &d.list[k]
			if e.n < 2 {
				e.faces[e.n] = int32(f)
			}
			e.n++
			d.of[c] = k
		})
	}
	for i := range d.list {
		if d.list[i].n != 2 {
			d.list[i].sharp = math.Inf(1)
		}
	}
}

// divided is the mesh after one division: the points of the cage first, then one for each edge, then one for each face.
func (d *divider) divided() *scene.Mesh {
	m := d.m
	centres := make([]geom.Vec3, m.Faces())
	for f := range centres {
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		for _, p := range m.Corners[s:e] {
			centres[f] = centres[f].Add(m.Points[p].Mul(1 / float64(e-s)))
		}
	}
	out := &scene.Mesh{Name: m.Name, FaceStart: []int32{0}, Slots: m.Slots, Cage: &scene.Cage{Scheme: d.scheme}}
	out.Points = append(out.Points, d.moved(centres)...)
	for i := range d.list {
		out.Points = append(out.Points, d.onEdge(&d.list[i], centres))
	}
	if d.scheme != scene.Loop {
		out.Points = append(out.Points, centres...)
	}
	d.faces(out)
	d.creases(out)
	return out
}

// middle is that of an edge.
func (d *divider) middle(e *edge) geom.Vec3 {
	return d.m.Points[e.ends[0]].Add(d.m.Points[e.ends[1]]).Mul(.5)
}

// onEdge is the new point of an edge.
func (d *divider) onEdge(e *edge, centres []geom.Vec3) geom.Vec3 {
	middle := d.middle(e)
	if e.sharp >= 1 || d.scheme == scene.Bilinear {
		return middle
	}
	var soft geom.Vec3
	if d.scheme == scene.Loop {
		soft = middle.Mul(.75).Add(d.opposite(e, 0).Add(d.opposite(e, 1)).Mul(.125))
	} else {
		soft = middle.Mul(.5).Add(centres[e.faces[0]].Add(centres[e.faces[1]]).Mul(.25))
	}
	return soft.Mul(1 - e.sharp).Add(middle.Mul(e.sharp))
}

// opposite is the point of the k-th triangle of an edge that is not on it.
func (d *divider) opposite(e *edge, k int) geom.Vec3 {
	s := d.m.FaceStart[e.faces[k]]
	for _, p := range d.m.Corners[s : s+3] {
		if p != e.ends[0] && p != e.ends[1] {
			return d.m.Points[p]
		}
	}
	return d.m.Points[e.ends[0]]
}

// around is what lies round a point of the cage.
type around struct {
	n       int       // edges
	faces   int       // corners of faces on it
	centres geom.Vec3 // sum of the middles of these
	ends    geom.Vec3 // sum of the other ends of edges
	sharp   int       // edges that are sharp at all
	sum     float64   // of their sharpness, as far as it is finite
	endless bool      // one of them is sharp for ever
	crease  geom.Vec3 // sum of the other ends of the sharp ones
}

// moved are the points of the cage where they are after the division.
func (d *divider) moved(centres []geom.Vec3) []geom.Vec3 {
	m := d.m
	if d.scheme == scene.Bilinear {
		return m.Points
	}
	list := make([]around, len(m.Points))
	for f := range m.Faces() {
		each(m, f, func(c, _ int32) {
			a := &list[m.Corners[c]]
			a.faces++
			a.centres = a.centres.Add(centres[f])
		})
	}
	for i := range d.list {
		e := &d.list[i]
		for k, p := range e.ends {
			a, other := &list[p], m.Points[e.ends[1-k]]
			a.n++
			a.ends = a.ends.Add(other)
			if e.sharp > 0 {
				a.sharp++
				a.crease = a.crease.Add(other)
				if math.IsInf(e.sharp, 1) {
					a.endless = true
				} else {
					a.sum += e.sharp
				}
			}
		}
	}
	out := make([]geom.Vec3, len(m.Points))
	for i, p := range m.Points {
		out[i] = d.point(&list[i], p)
	}
	return out
}

// point is where a point of the cage goes.
func (d *divider) point(a *around, p geom.Vec3) geom.Vec3 {
	if a.n == 0 {
		return p
	}
	soft := d.soft(a, p)
	hard := p // a corner
	switch {
	case a.sharp < 2:
		return soft // an edge that ends there does not hold it
	case a.sharp == 2 && a.faces > 1:
		hard = p.Mul(.75).Add(a.crease.Mul(.125))
	}
	if k := a.sum / float64(a.sharp); !a.endless && k < 1 {
		return soft.Mul(1 - k).Add(hard.Mul(k))
	}
	return hard
}

// soft is where a point goes that nothing holds.
func (d *divider) soft(a *around, p geom.Vec3) geom.Vec3 {
	n := float64(a.n)
	if d.scheme == scene.Loop {
		c := 3./8 + math.Cos(2*math.Pi/n)/4
		beta := (5./8 - c*c) / n
		return p.Mul(1 - n*beta).Add(a.ends.Mul(beta))
	}
	if a.faces == 0 {
		return p
	}
	q := a.centres.Mul(1 / float64(a.faces))
	r := a.ends.Mul(1 / n).Add(p).Mul(.5)
	return q.Add(r.Mul(2)).Add(p.Mul(n - 3)).Mul(1 / n)
}

// creases hands on what is still sharp.
func (d *divider) creases(out *scene.Mesh) {
	for i := range d.list {
		e := &d.list[i]
		if e.n == 1 || !(e.sharp > 1) {
			continue
		}
		if out.Cage.Sharp == nil {
			out.Cage.Sharp = map[scene.EdgeKey]float64{}
		}
		new := int32(len(d.m.Points) + i)
		for _, p := range e.ends {
			out.Cage.Sharp[scene.EdgeOf(p, new)] = e.sharp - 1
		}
	}
}
