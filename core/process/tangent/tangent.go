// Package tangent computes tangents in the way that normal maps are baked for: Mikkelsen 2008,
// "Simulation of wrinkled surfaces revisited", chapter 5. A corner's tangent depends on the
// triangles round it that share its place, normal and texture coordinate and are turned the
// same way on the texture, and not on the order of anything.
package tangent

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// least is what areas and lengths must exceed to count as any: the smallest normal number of
// 32 bits, as the method has it.
const least = 1.1754943508222875e-38

// Of is the mesh with a tangent for every corner, made of its normals and its first UV set; w is
// 1 where the texture is seen the right way round and -1 where it is mirrored. What has
// tangents gets new ones. A mesh without normals or UVs comes back as it is. When ctx ends it
// returns early, and what it returns means nothing.
func Of(ctx context.Context, m *scene.Mesh) *scene.Mesh {
	if !m.Normals.Has() || len(m.UVs) == 0 || !m.UVs[0].Has() || slices.ContainsFunc(m.Normals.Index, negative) ||
		slices.ContainsFunc(m.UVs[0].Index, negative) {
		return m
	}
	b := newBasis(ctx, m)
	if ctx.Err() == nil {
		b.group(ctx)
	}
	if ctx.Err() == nil {
		b.sum(ctx)
	}
	if ctx.Err() != nil {
		return m
	}
	return b.mesh()
}

// Filled gives every mesh of a scene that has none tangents.
func Filled(ctx context.Context, s *scene.Scene) *scene.Scene {
	out := s.Clone()
	for i, m := range out.Meshes {
		if !m.Tangents.Has() {
			out.Meshes[i] = Of(ctx, m)
		}
	}
	return out
}

func negative(i int32) bool { return i < 0 }

// basis is a mesh's triangles on the way to their tangents. Half edge 3t+i is corner i of
// triangle t, and the edge from it to the next.
type basis struct {
	m      *scene.Mesh
	corner []int32 // of each half edge: the corner of the mesh
	vertex []uint32
	first  []int32 // of each vertex: a corner
	tris   []triangle
	beside []int32 // of each half edge: the triangle across, -1 for none
	of     []int32 // of each half edge: its group, -1 for none
	groups []group
	values [][4]float32 // of each group
	list   []int32      // half edges, group by group
}

// triangle is how the texture lies on one: directions of its s and t, of unit length.
type triangle struct {
	s, t    geom.Vec3
	keeps   bool // the texture is seen the right way round
	any     bool // the texture tells no direction: it goes with whichever group reaches it
	nothing bool // two corners are one place: it takes what others have there
}

// group is triangles round one vertex that are turned alike.
type group struct {
	vertex   uint32
	keeps    bool
	from, to int32 // in list
}

// newBasis joins equal corners and measures the triangles.
func newBasis(ctx context.Context, m *scene.Mesh) *basis {
	b := &basis{m: m}
	plain := *m
	plain.Tangents, plain.Colors, plain.UVs = scene.Layer[[4]float32]{}, scene.Layer[[4]float32]{}, m.UVs[:1]
	var keys [][]int32
	places := make([]int32, len(m.Corners))
	split.Together(func() { keys = plain.VertexKeys(m.Normals) }, func() {
		same := scene.Weld(ctx, m.Points)
		for c, p := range m.Corners {
			places[c] = same[p]
		}
		b.corner = make([]int32, 0, 3*m.Triangles())
		m.EachTriangle(func(_ int, i, j, k int32) { b.corner = append(b.corner, i, j, k) })
	})
	keys[0] = places
	b.first, b.vertex = scene.Share(ctx, b.corner, keys)
	b.tris = make([]triangle, len(b.corner)/3)
	split.Range(len(b.tris), 1<<13, func(_, from, to int) {
		for t := from; t < to; t++ {
			b.tris[t] = b.measure(t)
		}
	})
	b.pair(ctx)
	return b
}

func (b *basis) point(h int) geom.Vec3 { return b.m.Points[b.m.Corners[b.corner[h]]] }

func (b *basis) uv(h int) [2]float64 {
	u := b.m.UVs[0]
	return u.Values[u.Index[b.corner[h]]]
}

// measure finds the directions of s and t on a triangle.
func (b *basis) measure(t int) triangle {
	p, q, r := b.point(3*t), b.point(3*t+1), b.point(3*t+2)
	if p == q || q == r || r == p {
		return triangle{any: true, nothing: true}
	}
	u, v, w := b.uv(3*t), b.uv(3*t+1), b.uv(3*t+2)
	x1, y1, x2, y2 := v[0]-u[0], v[1]-u[1], w[0]-u[0], w[1]-u[1]
	d, e := q.Sub(p), r.Sub(p)
	area := x1*y2 - y1*x2
	out := triangle{keeps: area > 0, any: true}
	if !(math.Abs(area) > least) {
		return out
	}
	s, g := d.Mul(y2).Sub(e.Mul(y1)), e.Mul(x1).Sub(d.Mul(x2))
	sign := 1.0
	if !out.keeps {
		sign = -1
	}
	if n := s.Len(); n > least {
		out.s = s.Mul(sign / n)
		out.any = !(n/math.Abs(area) > least)
	}
	if n := g.Len(); n > least {
		out.t = g.Mul(sign / n)
	} else {
		out.any = true
	}
	return out
}

// pair finds the triangle across each half edge: the one that runs back along it between the
// same vertices. Where several do, the first two by number belong together.
func (b *basis) pair(ctx context.Context) {
	b.beside = make([]int32, len(b.corner))
	for h := range b.beside {
		b.beside[h] = -1
	}
	start := make([]int32, len(b.first)+1)
	low := func(h int) (uint32, uint32) {
		x, y := b.vertex[h], b.vertex[3*(h/3)+(h+1)%3]
		return min(x, y), max(x, y)
	}
	for h := range b.corner {
		if !b.tris[h/3].nothing {
			x, _ := low(h)
			start[x+1]++
		}
	}
	for v := range b.first {
		start[v+1] += start[v]
	}
	sorted, fill := make([]int32, start[len(b.first)]), slices.Clone(start)
	for h := range b.corner {
		if !b.tris[h/3].nothing {
			x, _ := low(h)
			sorted[fill[x]] = int32(h)
			fill[x]++
		}
	}
	for v := range b.first {
		if v&0xffff == 0 && ctx.Err() != nil {
			return
		}
		list := sorted[start[v]:start[v+1]]
		slices.SortFunc(list, func(g, h int32) int {
			_, x := low(int(g))
			_, y := low(int(h))
			return cmp.Or(cmp.Compare(x, y), cmp.Compare(g, h))
		})
		for i, g := range list {
			if b.beside[g] >= 0 {
				continue
			}
			_, x := low(int(g))
			for _, h := range list[i+1:] {
				if _, y := low(int(h)); y != x {
					break
				}
				if b.beside[h] < 0 && b.vertex[g] != b.vertex[h] {
					b.beside[g], b.beside[h] = h/3, g/3
					break
				}
			}
		}
	}
}

// group gathers, round each corner, the triangles that are reached over edges of its vertex and
// are turned alike on the texture.
func (b *basis) group(ctx context.Context) {
	b.of = make([]int32, len(b.corner))
	for h := range b.of {
		b.of[h] = -1
	}
	var stack []int32
	for h := range b.corner {
		if h&0xffff == 0 && ctx.Err() != nil {
			return
		}
		if b.of[h] >= 0 || b.tris[h/3].any {
			continue
		}
		v := b.vertex[h]
		k := int32(len(b.groups))
		g := group{vertex: v, keeps: b.tris[h/3].keeps, from: int32(len(b.list))}
		stack = append(stack[:0], int32(h/3))
		for len(stack) > 0 {
			t := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			i := b.find(t, v)
			if i < 0 || b.of[i] >= 0 {
				continue
			}
			x := &b.tris[t]
			if x.any && b.of[3*t] < 0 && b.of[3*t+1] < 0 && b.of[3*t+2] < 0 {
				x.keeps = g.keeps // the first that reaches it decides
			}
			if x.keeps != g.keeps {
				continue
			}
			b.of[i] = k
			b.list = append(b.list, i)
			before := 3*t + (i+2)%3
			if r := b.beside[before]; r >= 0 {
				stack = append(stack, r)
			}
			if l := b.beside[i]; l >= 0 {
				stack = append(stack, l)
			}
		}
		g.to = int32(len(b.list))
		b.groups = append(b.groups, g)
	}
}

// find is the half edge of a triangle that begins at a vertex, -1 for none.
func (b *basis) find(t int32, v uint32) int32 {
	for i := 3 * t; i < 3*t+3; i++ {
		if b.vertex[i] == v {
			return i
		}
	}
	return -1
}

// sum makes the tangent of each group: the directions of its triangles along the surface, each
// by the angle of its corner.
func (b *basis) sum(ctx context.Context) {
	b.values = make([][4]float32, len(b.groups))
	split.Range(len(b.groups), 1<<12, func(_, from, to int) {
		for k := from; k < to; k++ {
			if k&0xfff == 0 && ctx.Err() != nil {
				return
			}
			g := b.groups[k]
			n := b.normal(g.vertex)
			var sum geom.Vec3
			for _, h := range b.list[g.from:g.to] {
				t := b.tris[h/3]
				if t.any {
					continue
				}
				i := int(h) % 3
				at := b.point(int(h))
				before, after := b.point(int(h)-i+(i+2)%3), b.point(int(h)-i+(i+1)%3)
				u, v := flat(before.Sub(at), n).Unit(), flat(after.Sub(at), n).Unit()
				sum = sum.Add(flat(t.s, n).Unit().Mul(math.Acos(min(1, max(-1, u.Dot(v))))))
			}
			if sum = sum.Unit(); sum == (geom.Vec3{}) {
				sum = n.Across() // triangles that cancel out: some direction that can be written
			}
			w := float32(-1)
			if g.keeps {
				w = 1
			}
			b.values[k] = [4]float32{float32(sum[0]), float32(sum[1]), float32(sum[2]), w}
		}
	})
}

// flat is a vector along the surface that n is the normal of.
func flat(v, n geom.Vec3) geom.Vec3 { return v.Sub(n.Mul(n.Dot(v))) }

// normal is a vertex's, of unit length.
func (b *basis) normal(v uint32) geom.Vec3 {
	x := b.m.Normals.Values[b.m.Normals.Index[b.first[v]]]
	return geom.Vec3{float64(x[0]), float64(x[1]), float64(x[2])}.Unit()
}

// mesh is the mesh with the tangents of its groups.
func (b *basis) mesh() *scene.Mesh {
	m := *b.m
	index := make([]int32, len(m.Corners))
	for c := range index {
		index[c] = -1
	}
	values := b.values
	sound := make([]int32, len(b.first)) // of each vertex, the value of a sound corner there, plus one
	for h, c := range b.corner {
		k := b.of[h]
		if k < 0 {
			continue
		}
		if index[c] < 0 {
			index[c] = k
		}
		if v := b.vertex[h]; sound[v] == 0 {
			sound[v] = k + 1
		}
	}
	none := int32(-1)
	for h, c := range b.corner {
		if index[c] >= 0 {
			continue
		}
		// Triangles without extent take what others have at their vertices; what no texture
		// tells anything of points along the first axis.
		if i := sound[b.vertex[h]]; i > 0 && b.tris[h/3].nothing {
			index[c] = i - 1
			continue
		}
		if none < 0 {
			none = int32(len(values))
			values = append(values, [4]float32{1, 0, 0, -1})
		}
		index[c] = none
	}
	m.Tangents = scene.Layer[[4]float32]{Values: values, Index: index}
	return &m
}
