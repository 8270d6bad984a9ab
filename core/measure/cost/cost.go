// Package cost counts what a mesh costs a receiver: triangles, vertices as it will hold them
// and why there are more of them than points, draw calls, bytes, and how well its triangles
// are ordered.
//
// A vertex is what an exporter would write: corners of one slot that agree in place, normal, UVs, colour and
// tangent are one, to the bit. Bytes are those of plain buffers of floats, without compression; the cache that
// [Misses] counts by is a model, first in first out, that no processor has and all come near to. A mesh counts
// once in [Of] and as often as it is placed in [OfScene]. Cost is linear in corners, but for the sorting of
// vertices.
package cost

import (
	"context"

	"yarvek/core/cloud"
	"yarvek/core/scene"
)

// Cost is what one mesh costs, or several.
type Cost struct {
	Triangles int
	Dots      int // points of clouds
	Quads     int // polygons of four corners, before they are cut
	Larger    int // polygons of more
	Points    int // that faces use
	Vertices  int // as written by an exporter: one for corners that agree in all they carry, in each slot
	Splits    Splits
	DrawCalls int   // one a slot that faces use
	Misses    int   // vertices transformed, with a cache of CacheSize entries emptied for each draw call
	Bytes     Bytes // of vertices and indices in graphics memory
	Wide      int   // draw calls for which indices of 16 bits do not suffice
}

// Splits are the vertices beyond one a point, by what makes them: each cause counts what it adds
// to those before it, in the order of the fields, so that together they are all of them.
type Splits struct {
	Slots   int
	Normals int
	UVs     int
	Colors  int // and tangents
}

// All is how many there are.
func (s Splits) All() int { return s.Slots + s.Normals + s.UVs + s.Colors }

// Bytes is memory for vertices and for indices.
type Bytes struct{ Vertices, Indices int64 }

// largestNarrow is how many vertices indices of 16 bits tell apart; the last number restarts
// strips.
const largestNarrow = 65535

// Add joins the costs of two meshes.
func (c Cost) Add(d Cost) Cost {
	return Cost{c.Triangles + d.Triangles, c.Dots + d.Dots, c.Quads + d.Quads, c.Larger + d.Larger, c.Points + d.Points,
		c.Vertices + d.Vertices,
		Splits{c.Splits.Slots + d.Splits.Slots, c.Splits.Normals + d.Splits.Normals, c.Splits.UVs + d.Splits.UVs,
			c.Splits.Colors + d.Splits.Colors},
		c.DrawCalls + d.DrawCalls, c.Misses + d.Misses, Bytes{c.Bytes.Vertices + d.Bytes.Vertices, c.Bytes.Indices +
			d.Bytes.Indices},
		c.Wide + d.Wide}
}

// OfScene is what all meshes of a scene cost, every instance by itself. When ctx ends it returns
// early, and what it returns means nothing.
func OfScene(ctx context.Context, s *scene.Scene) Cost {
	var sum Cost
	for i, users := range s.Users() {
		if len(users) > 0 && !s.Meshes[i].Empty() {
			c := Of(ctx, s.Meshes[i])
			for range users {
				sum = sum.Add(c)
			}
		}
	}
	return sum
}

// Much is what of the cost counts most: triangles, or the points of clouds where there are none.
func (c Cost) Much() int {
	if c.Triangles == 0 {
		return c.Dots
	}
	return c.Triangles
}

// ofCloud is what points without faces cost: a vertex each, with all they carry by the widths of the file, drawn at
// once and without indices.
func ofCloud(c *cloud.Cloud) Cost {
	n, width := len(c.Points), 3*cloud.Width(c.Type)
	for _, f := range c.Fields {
		width += cloud.Width(f.Type)
	}
	return Cost{Dots: n, Points: n, Vertices: n, DrawCalls: min(n, 1), Bytes: Bytes{Vertices: int64(n) * int64(width)}}
}

// MissesATriangle is the average cache miss ratio: half a vertex a triangle at best, three at
// worst; 0 without triangles.
func (c Cost) MissesATriangle() float64 {
	if c.Triangles == 0 {
		return 0
	}
	return float64(c.Misses) / float64(c.Triangles)
}

// Of counts what a mesh costs by itself, as it is written. When ctx ends it returns early, and
// what it returns means nothing.
func Of(ctx context.Context, m *scene.Mesh) Cost {
	if m.Faces() == 0 && m.Cloud != nil {
		return ofCloud(m.Cloud)
	}
	var c Cost
	for f := range m.Faces() {
		switch n := m.FaceStart[f+1] - m.FaceStart[f]; {
		case n == 4:
			c.Quads++
		case n > 4:
			c.Larger++
		}
	}
	for _, u := range m.Used() {
		if u {
			c.Points++
		}
	}
	normals := m.Normals
	if !normals.Has() {
		normals = m.SmoothNormals()
	}
	all := m.VertexKeys(normals)
	// What each cause adds: the keys up to it.
	plain := *m
	plain.Tangents, plain.Colors, plain.UVs = scene.Layer[[4]float32]{}, scene.Layer[[4]float32]{}, nil
	upToNormals := plain.VertexKeys(normals)
	plain.UVs = m.UVs
	upToUVs := plain.VertexKeys(normals)
	_, slots := m.SlotCorners()
	size := vertexBytes(m, normals)
	for _, corners := range slots {
		if ctx.Err() != nil {
			return c
		}
		c.DrawCalls++
		c.Triangles += len(corners) / 3
		count := func(keys [][]int32) int {
			corner, _ := scene.Share(ctx, corners, keys)
			return len(corner)
		}
		bySlot := count([][]int32{m.Corners})
		byNormal := bySlot
		if len(upToNormals) > 1 {
			byNormal = count(upToNormals)
		}
		byUV := byNormal
		if len(upToUVs) > len(upToNormals) {
			byUV = count(upToUVs)
		}
		corner, index := scene.Share(ctx, corners, all)
		n := len(corner)
		c.Vertices += n
		c.Splits.Slots += bySlot
		c.Splits.Normals += byNormal - bySlot
		c.Splits.UVs += byUV - byNormal
		c.Splits.Colors += n - byUV
		c.Misses += Misses(index, n, CacheSize)
		wide := int64(2)
		if n > largestNarrow {
			wide = 4
			c.Wide++
		}
		c.Bytes.Vertices += int64(n) * size
		c.Bytes.Indices += int64(len(index)) * wide
	}
	c.Splits.Slots -= c.Points
	return c
}

// vertexBytes is what one vertex takes in 32-bit numbers: place, normal, tangent, texture
// coordinates, and a colour of four bytes.
func vertexBytes(m *scene.Mesh, normals scene.Layer[[3]float32]) int64 {
	n := int64(12)
	if normals.Has() {
		n += 12
	}
	if m.Tangents.Has() {
		n += 16
	}
	if m.Colors.Has() {
		n += 4
	}
	for _, u := range m.UVs {
		if u.Has() {
			n += 8
		}
	}
	return n
}

// CacheSize is how many transformed vertices the cache holds that orders are judged by: it is
// filled in turn, first in first out. Caches that are larger or work otherwise gain as well.
const CacheSize = 16

// Misses counts the vertices that are transformed when the triangles, three indices each, are
// drawn in order with a cache of size entries, first in first out. vertices is more than the
// largest index.
func Misses(index []uint32, vertices, size int) int {
	came := make([]int, vertices) // when a vertex entered the cache, counted in misses from 1
	misses := 0
	for _, v := range index {
		if came[v] == 0 || misses-came[v] >= size {
			misses++
			came[v] = misses
		}
	}
	return misses
}
