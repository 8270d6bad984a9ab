package draft

import (
	"context"
	"math"
)

// coarseFrom is the number of triangles above which small drawings are made of a
// thinned model.
const coarseFrom = 12_000

// How many cells a thinned model has along its longest extent: more than a small drawing
// has pixels, one for every two pixels of an outline, and about as many as a large drawing
// has.
const (
	coarseCells = 110
	sketchCells = 170
	finestCells = 1600
)

// coarse is the model with all points of one cell of a grid made one, as small
// drawings need it (Rossignac and Borrel 1993, "Multi-resolution 3D approximations
// for rendering complex scenes"). It keeps the box. The error is ctx's.
func (m *Model) coarse(ctx context.Context) (*Model, error) {
	if len(m.tris) < 3*coarseFrom {
		return m, nil
	}
	return m.thin.Get(ctx)
}

// cellOf is the number of the cell a coordinate lies in.
func cellOf(v, cell float64) float64 { return math.Floor(v / cell) }

// sortedKey is three points in their order, whichever way they are gone round.
func sortedKey(a, b, c int32) [3]int32 {
	lo, hi := min(a, b, c), max(a, b, c)
	return [3]int32{lo, a ^ b ^ c ^ lo ^ hi, hi}
}

// thinned is the model with its points on a grid of so many cells along its longest
// extent, for pictures so small that nobody sees it; the model itself when it has no
// extent. All points of a cell become the first of them; triangles and edges that this
// leaves nothing of, or that lie where another one does, are gone.
func (m *Model) thinned(ctx context.Context, cells float64) *Model {
	cell := m.Box.Size().Max() / cells
	if cell == 0 {
		return m
	}
	out := (&Model{Box: m.Box, dots: m.dots, dotOf: m.dotOf, cells: cells}).withLater()
	at := map[[3]int16]int32{}
	to := make([]int32, len(m.points))
	for i, p := range m.points {
		if i&0xffff == 0 && ctx.Err() != nil {
			return out
		}
		var k [3]int16
		for c := range 3 {
			k[c] = int16((p[c] - m.Box.Min[c]) / cell)
		}
		n, ok := at[k]
		if !ok {
			n = int32(len(out.points))
			at[k] = n
			out.points = append(out.points, p)
		}
		to[i] = n
	}
	kept := make([]int32, len(m.faces)) // the number a face has in out, plus one
	face := func(f int32) int32 {
		if f < 0 {
			return f
		}
		if kept[f] == 0 {
			out.faces = append(out.faces, m.faces[f])
			if len(m.slots) == len(m.faces) {
				out.slots = append(out.slots, m.slots[f])
			}
			kept[f] = int32(len(out.faces))
		}
		return kept[f] - 1
	}
	placed := map[[3]int32]bool{}
	for t := 0; t < len(m.tris); t += 3 {
		if t%0x30000 == 0 && ctx.Err() != nil {
			return out
		}
		a, b, c := to[m.tris[t]], to[m.tris[t+1]], to[m.tris[t+2]]
		key := sortedKey(a, b, c)
		if a != b && b != c && c != a && !placed[key] {
			placed[key] = true
			out.tris = append(out.tris, a, b, c)
			out.faceOf = append(out.faceOf, face(m.faceOf[t/3]))
		}
	}
	type pair struct {
		a, b int32
		hard bool
	}
	seen := map[pair]bool{}
	for i, e := range m.edges {
		if i&0xffff == 0 && ctx.Err() != nil {
			return out
		}
		e.a, e.b = to[e.a], to[e.b]
		k := pair{min(e.a, e.b), max(e.a, e.b), e.hard}
		if e.a != e.b && !seen[k] {
			seen[k] = true
			e.f0, e.f1 = face(e.f0), face(e.f1)
			out.edges = append(out.edges, e)
		}
	}
	return out
}
