package draft

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/memo"
	"yarvek/core/split"
)

// origin is the model that another one is a moved, turned or scaled copy of. What takes
// long to make is made of that one, once for all its copies.
type origin struct {
	*Model
	to geom.Affine // from its frame to the copy's: a rotation or mirroring, one scale, a move
}

// worthSplitting is the number of points or faces from which on a second goroutine pays.
const worthSplitting = 1 << 15

// Carried is the model under a map that turns, mirrors, moves and scales alike in all
// directions. All but points and the directions of faces is shared with it. box is what it
// fills then, an empty one when that is not known.
func (m *Model) Carried(by geom.Affine, box geom.Box) *Model {
	out := &Model{tris: m.tris, faceOf: m.faceOf, edges: m.edges, slots: m.slots, Box: box, coarser: m.coarser,
		cells: m.cells, dots: carriedDots(m.dots, by), dotOf: m.dotOf, from: &origin{m, by}}
	if m.from != nil {
		out.from = &origin{m.from.Model, by.Mul(m.from.to)}
	}
	out.points = make([]geom.Vec3, len(m.points))
	split.Range(len(m.points), worthSplitting, func(_, lo, hi int) {
		for i, p := range m.points[lo:hi] {
			out.points[lo+i] = by.Apply(p)
		}
	})
	switch {
	case !box.IsEmpty():
	case by.M.SwapsAxes():
		out.Box = m.Box.Carried(by.M).Shifted(by.T)
	default:
		for _, i := range m.tris {
			out.Box = out.Box.Add(out.points[i])
		}
		for _, d := range out.dots {
			out.Box = out.Box.Add(d.place())
		}
	}
	normal := by.M.Cofactor()
	if by.Mirrors() {
		// What was anticlockwise seen from outside is clockwise now.
		out.tris = make([]int32, len(m.tris))
		for t := 0; t < len(m.tris); t += 3 {
			out.tris[t], out.tris[t+1], out.tris[t+2] = m.tris[t], m.tris[t+2], m.tris[t+1]
		}
		normal = normal.Scaled(-1)
	}
	out.faces = make([]geom.Vec3, len(m.faces))
	split.Range(len(m.faces), worthSplitting, func(_, lo, hi int) {
		for i, n := range m.faces[lo:hi] {
			out.faces[lo+i] = normal.Apply(n).Unit()
		}
	})
	return out.withLater()
}

// grid gives the model thinned to so many cells along its longest extent, made once for it
// and all its copies.
func (m *Model) grid(cells float64) *memo.Once[*Model] {
	return memo.NewOnce(func(ctx context.Context) (*Model, error) {
		if m.from == nil {
			t := m.thinned(ctx, cells)
			return t, ctx.Err()
		}
		t, err := m.from.Model.later(cells).Get(ctx)
		if err != nil || t == m.from.Model {
			return m, err
		}
		return t.Carried(m.from.to, m.Box), nil
	})
}

// triangleTree gives the tree a copy shares with its origin, and the map from that one's
// frame.
func (m *Model) triangleTree(ctx context.Context) (*geom.BVH, geom.Affine, error) {
	if m.from == nil {
		t, err := m.tree.Get(ctx)
		return t, geom.Identity, err
	}
	t, err := m.from.Model.tree.Get(ctx)
	return t, m.from.to, err
}

// first is what a ray in the model's frame meets first: the place, how far along, and the
// direction of the surface there, toward where the ray comes from.
func (m *Model) first(ctx context.Context, from, along geom.Vec3) (at geom.Vec3, distance float64, normal geom.Vec3,
	ok bool, err error) {
	tree, to, err := m.triangleTree(ctx)
	if err != nil {
		return at, 0, normal, false, err
	}
	back, can := to.Inverse()
	if !can {
		return at, 0, normal, false, nil // it has no extent
	}
	hit, ok := tree.First(back.Apply(from), back.M.Apply(along).Unit(), math.Inf(1))
	if !ok {
		return at, 0, normal, false, nil
	}
	a, b, c := tree.Corners(hit.Triangle)
	normal = to.M.Cofactor().Apply(b.Sub(a).Cross(c.Sub(a))).Unit()
	if normal.Dot(along) > 0 {
		normal = normal.Mul(-1)
	}
	at = to.Apply(hit.Point)
	return at, at.Sub(from).Dot(along), normal, true, nil
}
