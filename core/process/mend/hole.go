package mend

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// MostRim bounds the edges of a hole that is filled by the least surface, which takes time in
// proportion to their cube.
const MostRim = 200

// Holes closes open borders of up to most edges that run once round: a flat one with one
// polygon, any other with the triangles of least area over its rim (Barequet and Sharir 1995,
// "Filling gaps in the boundary of a polyhedron"). A sheet whose only border it is stays open:
// nothing tells that it was meant to be closed. New faces have slot and texture coordinates of
// the faces at the rim and normals of their own.
func Holes(ctx context.Context, m *scene.Mesh, net *topo.Net, borders []topo.Chain, parts *topo.Parts,
	most int) (*scene.Mesh, int) {
	b := newBuilder(m)
	for f := range m.Faces() {
		b.keep(f)
	}
	first := m.Faces()
	filled := 0
	areas := Areas(net, parts)
	for _, ch := range borders {
		if ctx.Err() != nil {
			return m, 0
		}
		if ch.Ring == nil || len(ch.Ring) > min(most, MostRim) || len(ch.Ring) < 3 || !IsHole(net, parts, areas, ch) {
			continue
		}
		// The rim runs along its faces; the face that closes it runs back.
		n := len(ch.Ring)
		ring, point := make([]int32, n), make([]int32, n)
		pts := make([]geom.Vec3, n)
		for k, c := range ch.Ring {
			ring[n-1-k] = c
			point[n-1-k] = m.Corners[c]
			pts[n-1-k] = m.Points[m.Corners[c]]
		}
		like := int(net.FaceOf[ch.Ring[0]])
		hard := func(int) bool { return true }
		filled++
		if isFlat(pts) {
			b.add(like, ring, point, hard)
			continue
		}
		for _, t := range leastArea(pts) {
			b.add(like, []int32{ring[t[0]], ring[t[1]], ring[t[2]]}, []int32{point[t[0]], point[t[1]], point[t[2]]}, nil)
		}
	}
	if filled == 0 {
		return m, 0
	}
	out := b.mesh(m.Points)
	if out.Smooth != nil {
		for f := first; f < out.Faces(); f++ {
			out.Smooth[f] = 0
		}
	}
	if out.Normals.Has() {
		out.Normals.Values = append([][3]float32(nil), out.Normals.Values...)
		for f := first; f < out.Faces(); f++ {
			v := out.FaceNormal(f).Unit()
			k := int32(len(out.Normals.Values))
			out.Normals.Values = append(out.Normals.Values, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
			for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
				out.Normals.Index[c] = k
			}
		}
	}
	out.Tangents = scene.Layer[[4]float32]{}
	return out, filled
}

// Areas are those of the parts.
func Areas(net *topo.Net, parts *topo.Parts) []float64 {
	area := make([]float64, parts.N)
	for f, k := range parts.Of {
		if k >= 0 {
			area[k] += net.Mesh.FaceNormal(f).Len() / 2
		}
	}
	return area
}

// IsHole tells whether a border is a hole in something, and not the outline of a sheet: what
// spans it is less than half as large as the part it is in, of which areas are given.
func IsHole(net *topo.Net, parts *topo.Parts, areas []float64, ch topo.Chain) bool {
	m := net.Mesh
	k := parts.Of[net.FaceOf[net.Runs(int(ch.Edges[0]))[0]]]
	if k < 0 {
		return false
	}
	var rim geom.Vec3
	o := m.Points[m.Corners[net.Runs(int(ch.Edges[0]))[0]]]
	for _, e := range ch.Edges {
		c := net.Runs(int(e))[0]
		p, q := m.Points[m.Corners[c]], m.Points[m.Corners[net.Next(c)]]
		rim = rim.Add(p.Sub(o).Cross(q.Sub(o)).Mul(0.5))
	}
	return rim.Len() < 0.5*areas[k]
}

// Sheets tells the parts that are sheets, whose outline is among the borders, from bodies, and the
// borders that are holes.
func Sheets(net *topo.Net, parts *topo.Parts, borders []topo.Chain) (sheet, hole []bool) {
	areas := Areas(net, parts)
	sheet, hole = make([]bool, parts.N), make([]bool, len(borders))
	for i, ch := range borders {
		hole[i] = IsHole(net, parts, areas, ch)
		if k := parts.Of[net.FaceOf[net.Runs(int(ch.Edges[0]))[0]]]; k >= 0 && !hole[i] {
			sheet[k] = true
		}
	}
	return sheet, hole
}

// isFlat tells whether a ring lies on a plane, to a thousandth of its size.
func isFlat(p []geom.Vec3) bool {
	var n, mid geom.Vec3
	box := geom.EmptyBox()
	for i, q := range p {
		n = n.Add(q.Sub(p[0]).Cross(p[(i+1)%len(p)].Sub(p[0])))
		mid = mid.Add(q.Mul(1 / float64(len(p))))
		box = box.Add(q)
	}
	u := n.Unit()
	if u == (geom.Vec3{}) {
		return false
	}
	for _, q := range p {
		if math.Abs(q.Sub(mid).Dot(u)) > 1e-3*box.Size().Max() {
			return false
		}
	}
	return true
}

// leastArea cuts a ring into the triangles of least area in all.
func leastArea(p []geom.Vec3) [][3]int {
	n := len(p)
	cost, by := make([]float64, n*n), make([]int, n*n)
	for d := 2; d < n; d++ {
		for i := 0; i+d < n; i++ {
			j := i + d
			best, at := math.Inf(1), i+1
			for k := i + 1; k < j; k++ {
				c := cost[i*n+k] + cost[k*n+j] + p[k].Sub(p[i]).Cross(p[j].Sub(p[i])).Len()
				if c < best {
					best, at = c, k
				}
			}
			cost[i*n+j], by[i*n+j] = best, at
		}
	}
	var list [][3]int
	stack := [][2]int{{0, n - 1}}
	for len(stack) > 0 {
		s := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if s[1]-s[0] < 2 {
			continue
		}
		k := by[s[0]*n+s[1]]
		list = append(list, [3]int{s[0], k, s[1]})
		stack = append(stack, [2]int{s[0], k}, [2]int{k, s[1]})
	}
	return list
}
