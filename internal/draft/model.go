// Package draft makes the measured drawing of an asset: three views in third-angle
// projection, with visible surface shaded by a depth buffer, feature edges,
// dimensions, datum and balloons, as SVG.
//
// The model it draws is in the frame of the paper: x to the right of the front
// view, y up, z toward the viewer of the front view. That is glTF's basis, so a
// scene is carried there first and the views are three ways of dropping an axis.
package draft

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Model is a scene made ready to be drawn from any side.
type Model struct {
	points []geom.Vec3
	tris   []int32 // three points each
	faceOf []int32 // face of each triangle
	faces  []geom.Vec3
	edges  []edge
	dots   []dot // of clouds, which are stippled
	dotOf  int   // points that each stands for
	Box    geom.Box

	slots   []uint16 // of each face, the number of its material plus one, 0 for none
	tint    []uint8  // of each face, a step of density or a slot, nil for shading by light
	hatched []int    // the order of slots that are hatched, nil for none
	coarser bool     // its instances are drawn with fewer triangles than they have
	from    *origin  // nil for one that was flattened from a scene or thinned

	// Made when first asked for.
	tree    *memo.Once[*geom.BVH] // of the triangles
	thin    *memo.Once[*Model]    // for small drawings
	sketchy *memo.Once[*Model]    // for outlines
	fine    *memo.Once[*Model]    // for large drawings of what is too dense for them
	cells   float64               // that it was thinned to along its longest extent, 0 for all of it
}

// Bytes estimates what the model holds on to once its tree is there; what it shares with its
// origin is not counted. It counts placed triangles: the instances of a mesh are each there
// in full.
func (m *Model) Bytes() int64 {
	if m.from != nil {
		return int64(24*len(m.points) + 24*len(m.faces))
	}
	n := int64(24*len(m.points) + 20*len(m.dots) + 4*len(m.tris) + 4*len(m.faceOf) + 26*len(m.faces) + 20*len(m.edges))
	return n + 40*int64(len(m.tris)/3)
}

// withLater makes ready what is made when first asked for.
func (m *Model) withLater() *Model {
	m.tree = memo.NewOnce(func(ctx context.Context) (*geom.BVH, error) {
		t := geom.NewBVH(ctx, m.points, m.tris)
		return t, ctx.Err()
	})
	m.thin, m.sketchy, m.fine = m.grid(coarseCells), m.grid(sketchCells), m.grid(finestCells)
	return m
}

// later is the model thinned to one of the three grids.
func (m *Model) later(cells float64) *memo.Once[*Model] {
	return map[float64]*memo.Once[*Model]{coarseCells: m.thin, sketchCells: m.sketchy, finestCells: m.fine}[cells]
}

// edge joins two points and borders up to two faces.
type edge struct {
	a, b   int32
	f0, f1 int32 // f1 is -1 at a border
	hard   bool  // border, crease or slot border
}

// creaseCos is the cosine of the angle from which on an edge counts as a crease.
var creaseCos = math.Cos(30 * math.Pi / 180)

// NewModel flattens a scene as its basis stands. A nil or empty scene gives an empty model.
// When ctx ends it returns early, and what it returns means nothing.
func NewModel(ctx context.Context, s *scene.Scene) *Model {
	if s == nil {
		return (&Model{Box: geom.EmptyBox()}).withLater()
	}
	stand := s.Basis.To(geom.GLTF)
	m := (&Model{Box: geom.EmptyBox()}).withLater()
	toPaper := geom.Linear(stand)
	worlds := s.Worlds()
	m.Box = scene.Union(s.NodeBoundsUnder(stand))
	places := distinct(s, worlds)
	drawn := newDrawable(ctx, s, worlds, places, m.Box.Size().Max()/finestCells)
	m.coarser = drawn.reduced()
	for _, i := range places {
		if ctx.Err() == nil {
			onto := toPaper.Mul(worlds[i])
			if c := s.Meshes[s.Nodes[i].Mesh].Cloud; c != nil {
				m.stipple(c, onto)
				continue
			}
			m.add(ctx, drawn.mesh(s.Nodes[i].Mesh).MappedIn(ctx, onto))
		}
	}
	return m
}

// distinct are the nodes that place a mesh, without those that place one where it stands
// already.
func distinct(s *scene.Scene, worlds []geom.Affine) []int {
	type place struct {
		mesh int
		at   geom.Affine
	}
	seen := map[place]bool{}
	var list []int
	for i, n := range s.Nodes {
		if k := (place{n.Mesh, worlds[i]}); n.Mesh >= 0 && !seen[k] {
			seen[k] = true
			list = append(list, i)
		}
	}
	return list
}

// add puts a placed mesh into the model’s arrays, in the frame of the paper.
func (m *Model) add(ctx context.Context, mesh *scene.Mesh) {
	base, firstFace := int32(len(m.points)), int32(len(m.faces))
	m.points = append(m.points, mesh.Points...)
	m.tris = slices.Grow(m.tris, 3*mesh.Triangles())
	m.faceOf = slices.Grow(m.faceOf, mesh.Triangles())
	m.faces = append(m.faces, make([]geom.Vec3, mesh.Faces())...)
	var same []int32
	split.Together(
		func() { same = scene.Weld(ctx, mesh.Points) },
		func() {
			normals := m.faces[firstFace:]
			for f := range mesh.Faces() {
				if f&0xffff == 0 && ctx.Err() != nil {
					return
				}
				normals[f] = mesh.FaceNormal(f).Unit()
				m.slots = append(m.slots, uint16(min(mesh.Material(f)+1, math.MaxUint16)))
			}
			mesh.EachTriangle(func(f int, a, b, c int32) {
				m.tris = append(m.tris, base+mesh.Corners[a], base+mesh.Corners[b], base+mesh.Corners[c])
				m.faceOf = append(m.faceOf, firstFace+int32(f))
			})
		})
	if ctx.Err() == nil { // else what was made is half
		m.addEdges(ctx, mesh, same, base, firstFace)
	}
}

// addEdges pairs the sides of faces. Sides are sorted into buckets by their lower
// point, where their partner is found among a handful, or next to them where many edges
// meet in one point.
func (m *Model) addEdges(ctx context.Context, mesh *scene.Mesh, same []int32, base, firstFace int32) {
	type side struct{ to, face int32 }
	start := make([]int32, len(mesh.Points)+1)
	each := func(f func(lo, hi int32, face int)) {
		for face := range mesh.Faces() {
			if face&0xffff == 0 && ctx.Err() != nil {
				return
			}
			s, e := mesh.FaceStart[face], mesh.FaceStart[face+1]
			prev := same[mesh.Corners[e-1]]
			for c := s; c < e; c++ {
				p := same[mesh.Corners[c]]
				if p != prev {
					f(min(p, prev), max(p, prev), face)
				}
				prev = p
			}
		}
	}
	each(func(lo, _ int32, _ int) { start[lo+1]++ })
	if ctx.Err() != nil {
		return
	}
	for i := range mesh.Points {
		start[i+1] += start[i]
	}
	sides := make([]side, start[len(mesh.Points)])
	m.edges = slices.Grow(m.edges, len(sides)*5/8)
	fill := append([]int32(nil), start[:len(mesh.Points)]...)
	each(func(lo, hi int32, face int) {
		sides[fill[lo]] = side{hi, int32(face)}
		fill[lo]++
	})
	if ctx.Err() != nil {
		return
	}
	for lo := range mesh.Points {
		if lo&0xffff == 0 && ctx.Err() != nil {
			return
		}
		bucket := sides[start[lo]:start[lo+1]]
		sorted := len(bucket) > 32
		if sorted {
			slices.SortStableFunc(bucket, func(a, b side) int { return cmp.Compare(a.to, b.to) })
		}
		for i := range bucket {
			if bucket[i].face < 0 {
				continue
			}
			e := edge{a: base + int32(lo), b: base + bucket[i].to, f0: firstFace + bucket[i].face, f1: -1, hard: true}
			partners := 0
			for j := i + 1; j < len(bucket) && (!sorted || bucket[j].to == bucket[i].to); j++ {
				if bucket[j].to == bucket[i].to && bucket[j].face >= 0 {
					partners++
					e.f1 = firstFace + bucket[j].face
					bucket[j].face = -1
				}
			}
			if partners == 1 {
				f, g := int(e.f0-firstFace), int(e.f1-firstFace)
				e.hard = m.faces[e.f0].Dot(m.faces[e.f1]) < creaseCos || mesh.Material(f) != mesh.Material(g)
			}
			m.edges = append(m.edges, e)
		}
	}
}

// Side is one of the directions a model is looked at from.
type Side int

// The three views of the drawing.
const (
	Front Side = iota // x right, y up, toward the viewer z
	RightSide
	Plan
)

// project gives paper coordinates (right, up) and nearness to the viewer.
func (s Side) project(p geom.Vec3) (u, v, near float64) {
	switch s {
	case RightSide:
		return -p[2], p[1], p[0]
	case Plan:
		return p[0], -p[2], p[1]
	}
	return p[0], p[1], p[2]
}

// extent is the projected box: lower left corner and size, and the depth range.
func (s Side) extent(b geom.Box) (u0, v0, w, h float64) {
	if b.IsEmpty() {
		return 0, 0, 0, 0
	}
	au, av, _ := s.project(b.Min)
	bu, bv, _ := s.project(b.Max)
	return min(au, bu), min(av, bv), math.Abs(bu - au), math.Abs(bv - av)
}
