package mend

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// Side is to which side of a sheet thickness is given.
type Side string

// The sides.
const (
	Both  Side = ""      // half to each: the sheet stays the middle
	Front Side = "front" // out of the faces
	Back  Side = "back"
)

// A corner of a sheet that bends sharply moves at most so many times the thickness, and along
// its faces at most this share of their shortest edge there, so that they don't cross.
const (
	farthestMitre = 4.0
	alongEdge     = 0.45
)

// Thicken makes solids of the open parts that are asked for: their faces are offset by t in all,
// corners mitred so that each face has its thickness across itself, and the rim is closed. A
// solid is closed and wound outward; faces keep UVs and slots, the rim's continue those of the
// faces beside it. Parts that can't be wound alike stay as they are. It returns how many parts
// became solids. When ctx ends it returns early, and what it returns means nothing.
func Thicken(ctx context.Context, m *scene.Mesh, net *topo.Net, parts *topo.Parts, asked func(part int32) bool,
	t float64, side Side) (*scene.Mesh, int) {
	does := make([]bool, parts.N)
	solids := 0
	for k := range does {
		does[k] = !parts.Closed[k] && !parts.TwoFaced[k] && asked(int32(k))
		if does[k] {
			solids++
		}
	}
	if solids == 0 || !(t > 0) {
		return m, 0
	}
	x := &thickener{m: m, net: net, parts: parts, does: does}
	x.fans(ctx)
	x.directions(ctx)
	if ctx.Err() != nil {
		return m, 0
	}
	up, down := t/2, t/2
	switch side {
	case Front:
		up, down = t, 0
	case Back:
		up, down = 0, t
	}
	return x.mesh(up, down, t), solids
}

// thickener gathers what a sheet's points need to be offset.
type thickener struct {
	m     *scene.Mesh
	net   *topo.Net
	parts *topo.Parts
	does  []bool
	fan   []int32 // of each corner: the lowest corner of those that stay one point
	dir   []geom.Vec3
	along []float64 // of each fan: its shortest edge
}

// in tells whether a face becomes part of a solid.
func (x *thickener) in(f int32) bool { return x.parts.Of[f] >= 0 && x.does[x.parts.Of[f]] }

// joins tells whether an edge stays one between two faces.
func (x *thickener) joins(e int) bool {
	runs := x.net.Runs(e)
	return len(runs) == 2 && x.net.FaceOf[runs[0]] != x.net.FaceOf[runs[1]] && x.in(x.net.FaceOf[runs[0]])
}

// fans joins corners over the edges that stay.
func (x *thickener) fans(ctx context.Context) {
	n := x.net
	corners := union.New(len(x.m.Corners))
	for e := range n.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return
		}
		if x.joins(e) {
			r := n.Runs(e)
			n.JoinAcross(corners, r[0], r[1])
		}
	}
	x.fan = corners.Flatten()
}

// normal is a face's, as most of its part is wound.
func (x *thickener) normal(f int32) geom.Vec3 {
	n := x.m.FaceNormal(int(f)).Unit()
	if x.parts.Turned[f] {
		return n.Mul(-1)
	}
	return n
}

// directions finds where each fan goes for an offset of one: the place that lies one off every
// face of it, in the sense of least squares by their angles; directions that the faces say
// nothing of, along a sheet or a fold, are not taken.
func (x *thickener) directions(ctx context.Context) {
	m := x.m
	sums := make([][6]float64, len(m.Corners)) // upper half of the sum of n nᵀ
	rhs := make([]geom.Vec3, len(m.Corners))
	x.along = make([]float64, len(m.Corners))
	for c := range x.along {
		x.along[c] = math.Inf(1)
	}
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return
		}
		if !x.in(int32(f)) {
			continue
		}
		n := x.normal(int32(f))
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			p := m.Points[m.Corners[c]]
			u, v := m.Points[m.Corners[x.net.Prev(c)]].Sub(p), m.Points[m.Corners[x.net.Next(c)]].Sub(p)
			w := math.Acos(min(1, max(-1, u.Unit().Dot(v.Unit()))))
			k := x.fan[c]
			for i, s := range [6]float64{n[0] * n[0], n[0] * n[1], n[0] * n[2], n[1] * n[1], n[1] * n[2], n[2] * n[2]} {
				sums[k][i] += w * s
			}
			rhs[k] = rhs[k].Add(n.Mul(w))
			for _, l := range [2]float64{u.Len(), v.Len()} {
				if l > 0 {
					x.along[k] = min(x.along[k], l)
				}
			}
		}
	}
	x.dir = make([]geom.Vec3, len(m.Corners))
	for c, k := range x.fan {
		if int32(c) != k || rhs[k] == (geom.Vec3{}) {
			continue
		}
		s := sums[k]
		values, axes := (geom.Mat3{{s[0], s[1], s[2]}, {s[1], s[3], s[4]}, {s[2], s[4], s[5]}}).Eigen()
		most := max(values[0], values[1], values[2])
		var d geom.Vec3
		for i := range 3 {
			if values[i] > 1e-3*most {
				a := axes.Col(i)
				d = d.Add(a.Mul(a.Dot(rhs[k]) / values[i]))
			}
		}
		if l := d.Len(); l > farthestMitre {
			d = d.Mul(farthestMitre / l)
		}
		x.dir[k] = d
	}
}

// moved is a corner's place offset by d.
func (x *thickener) moved(c int32, d float64) geom.Vec3 {
	k := x.fan[c]
	v := x.dir[k].Mul(d)
	// What the point moves beyond straight out is along its faces.
	if along := math.Sqrt(max(0, v.Dot(v)-d*d)); along > alongEdge*x.along[k] {
		v = v.Mul(math.Hypot(d, alongEdge*x.along[k]) / v.Len())
	}
	return x.m.Points[x.m.Corners[c]].Add(v)
}

// mesh builds the solids.
func (x *thickener) mesh(up, down, t float64) *scene.Mesh {
	m, n := x.m, x.net
	b := newBuilder(m)
	points := append([]geom.Vec3(nil), m.Points...)
	tops, bottoms := make([]int32, len(m.Corners)), make([]int32, len(m.Corners)) // of each fan, plus one
	at := func(c int32, list []int32, d float64) int32 {
		k := x.fan[c]
		if list[k] == 0 {
			points = append(points, x.moved(c, d))
			list[k] = int32(len(points))
		}
		return list[k] - 1
	}
	top := func(c int32) int32 { return at(c, tops, up) }
	bottom := func(c int32) int32 { return at(c, bottoms, -down) }
	var under []bool // of each face of the outcome: it looks back
	var rims []int   // faces of the outcome that close the rim
	var rimOf []int32
	put := func(f int, reversed, low bool) {
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		ring := []int32{s}
		for i := int32(1); i < e-s; i++ {
			if reversed {
				ring = append(ring, e-i)
			} else {
				ring = append(ring, s+i)
			}
		}
		point := make([]int32, len(ring))
		for k, c := range ring {
			if low {
				point[k] = bottom(c)
			} else {
				point[k] = top(c)
			}
		}
		b.add(f, ring, point, func(k int) bool {
			c := ring[k]
			if reversed {
				c = ring[(k+1)%len(ring)]
			}
			return m.Hard[c] || len(n.Runs(int(max(0, n.Edge[c])))) != 2
		})
		under = append(under, reversed)
	}
	for f := range m.Faces() {
		if !x.in(int32(f)) {
			b.keep(f)
			under = append(under, false)
			continue
		}
		turned := x.parts.Turned[f]
		put(f, turned, false)
		put(f, !turned, true)
		for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
			if n.Edge[c] < 0 || x.joins(int(n.Edge[c])) {
				continue
			}
			d := n.Next(c)
			p, q := c, d
			if turned {
				p, q = d, c
			}
			rims, rimOf = append(rims, len(b.face)), append(rimOf, c)
			b.add(f, []int32{q, p, p, q}, []int32{top(q), top(p), bottom(p), bottom(q)}, func(int) bool { return true })
			under = append(under, false)
		}
	}
	out := b.mesh(points)
	out.Tangents = scene.Layer[[4]float32]{}
	x.normals(out, under, rims)
	x.strips(out, rims, rimOf, t)
	if out.Smooth != nil {
		for _, f := range rims {
			out.Smooth[f] = 0
		}
	}
	return out
}

// normals turns those of the faces that look back, and gives the rim its own.
func (x *thickener) normals(out *scene.Mesh, under []bool, rims []int) {
	if !out.Normals.Has() {
		return
	}
	values := append([][3]float32(nil), out.Normals.Values...)
	back := make([]int32, len(values)) // of each value, its opposite, plus one
	turn := func(f int) bool {
		n := out.FaceNormal(f)
		c := out.FaceStart[f]
		i := out.Normals.Index[c]
		if i < 0 {
			return false
		}
		v := values[i]
		return n.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}) < 0
	}
	for f, u := range under {
		if !u || !turn(f) {
			continue
		}
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			i := out.Normals.Index[c]
			if i < 0 || int(i) >= len(back) {
				continue
			}
			if back[i] == 0 {
				v := values[i]
				values = append(values, [3]float32{-v[0], -v[1], -v[2]})
				back[i] = int32(len(values))
			}
			out.Normals.Index[c] = back[i] - 1
		}
	}
	for _, f := range rims {
		v := out.FaceNormal(f).Unit()
		if v == (geom.Vec3{}) {
			v = geom.Vec3{0, 1, 0}
		}
		values = append(values, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
		for c := out.FaceStart[f]; c < out.FaceStart[f+1]; c++ {
			out.Normals.Index[c] = int32(len(values)) - 1
		}
	}
	out.Normals.Values = values
}

// strips lets the rim's texture coordinates go on outward from the edge, as densely as along it.
func (x *thickener) strips(out *scene.Mesh, rims []int, of []int32, t float64) {
	m := x.m
	for s := range out.UVs {
		u := &out.UVs[s]
		if !u.Has() {
			continue
		}
		u.Values = append([][2]float64(nil), u.Values...)
		for r, f := range rims {
			c, d := of[r], x.net.Next(of[r])
			i, j := m.UVs[s].Index[c], m.UVs[s].Index[d]
			long := m.Points[m.Corners[c]].Dist(m.Points[m.Corners[d]])
			if i < 0 || j < 0 || !(long > 0) {
				continue
			}
			a, b := u.Values[i], u.Values[j]
			k := t / long
			if x.winds(s, x.net.FaceOf[c]) < 0 {
				k = -k
			}
			// To the right of the edge, seen along an anticlockwise face, is outside.
			off := [2]float64{(b[1] - a[1]) * k, -(b[0] - a[0]) * k}
			from := out.FaceStart[f]
			// The rim's corners are the edge's two, then the same ones below.
			for k := range int32(2) {
				v := u.Values[out.UVs[s].Index[from+2+k]]
				u.Values = append(u.Values, [2]float64{v[0] + off[0], v[1] + off[1]})
				u.Index[from+2+k] = int32(len(u.Values)) - 1
			}
		}
	}
}

// winds is the area of a face on the plane of a UV set, but for a factor.
func (x *thickener) winds(set int, f int32) float64 {
	m := x.m
	sum := 0.0
	s, e := m.FaceStart[f], m.FaceStart[f+1]
	u := m.UVs[set]
	if u.Index[s] < 0 {
		return 0
	}
	o := u.Values[u.Index[s]]
	for c := s + 1; c+1 < e; c++ {
		if u.Index[c] < 0 || u.Index[c+1] < 0 {
			return 0
		}
		p, q := u.Values[u.Index[c]], u.Values[u.Index[c+1]]
		sum += (p[0]-o[0])*(q[1]-o[1]) - (q[0]-o[0])*(p[1]-o[1])
	}
	return sum
}
