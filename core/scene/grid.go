package scene

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// Cell is a piece of a mesh that a grid was laid over: what lies in one of its squares.
type Cell struct {
	At   [2]int // the square's number along both axes: it begins at step times that
	Mesh *Mesh
}

// MostCells is how many squares a grid may have that lies over a mesh, empty ones among them.
const MostCells = 1 << 20

// Cells is how many squares a grid of a step has that lies over a box along two axes; with more than [MostCells] the
// number is one that is.
func Cells(b geom.Box, axes [2]int, step float64) int {
	n := 1.0
	for _, a := range axes {
		n *= math.Floor(b.Max[a]/step) - math.Floor(b.Min[a]/step) + 1
	}
	return int(min(n, MostCells+1))
}

// Gridded cuts a mesh by a grid of squares along two axes, with lines at all multiples of step, into the pieces that
// lie in them, in the order of the squares. Where two pieces meet both have the same points, to the bit, and those of
// a line lie on it exactly; what lies on a line goes with the square below it. The work is that of [Mesh.Cropped] for
// each halving of the grid: faces times the logarithm of squares. When ctx ends it returns early, and what it returns
// means nothing. A grid of more squares than [MostCells] must not be asked for.
func (m *Mesh) Gridded(ctx context.Context, axes [2]int, step float64) []Cell {
	list := []Cell{{Mesh: m}}
	for k, axis := range axes {
		var next []Cell
		for _, c := range list {
			b := c.Mesh.Extent()
			if b.IsEmpty() {
				continue
			}
			from, to := int(math.Floor(b.Min[axis]/step)), int(math.Floor(b.Max[axis]/step))
			for _, strip := range c.Mesh.strips(ctx, axis, step, from, to) {
				strip.At[0], strip.At[1] = c.At[0], strip.At[0]
				if k == 0 {
					strip.At = [2]int{strip.At[1], 0}
				}
				next = append(next, strip)
			}
		}
		list = next
	}
	return list
}

// strips cuts along one axis, at its middle line first. At[0] is the number of each strip.
func (m *Mesh) strips(ctx context.Context, axis int, step float64, from, to int) []Cell {
	if ctx.Err() != nil || m.Empty() {
		return nil
	}
	if from >= to {
		return []Cell{{At: [2]int{from}, Mesh: m}}
	}
	line := from + (to-from+1)/2
	var n geom.Vec3
	n[axis] = 1
	plane := []Plane{{N: n, D: float64(line) * step}}
	below, above := m.Cropped(ctx, Cropping{Within: plane}), m.Cropped(ctx, Cropping{Within: plane, Outside: true})
	return append(below.strips(ctx, axis, step, from, line-1), above.strips(ctx, axis, step, line, to)...)
}

// Farthest is how far the farthest of the points that a mesh has is from a place, carried by a map.
func (m *Mesh) Farthest(by geom.Affine, from geom.Vec3) (far float64) {
	// Nearly always the farthest of all points is one that a face has: only then need it be known which are.
	all := func(int) bool { return true }
	if at, d := m.farthest(by, from, all); at >= 0 && slices.Contains(m.Corners, int32(at)) {
		far = d
	} else {
		used := m.Used()
		_, far = m.farthest(by, from, func(i int) bool { return used[i] })
	}
	if m.Cloud != nil {
		for _, p := range m.Cloud.Points {
			far = max(far, by.Apply(p).Dist(from))
		}
	}
	return far
}

// farthest is the first of the farthest of some points, and how far off it is; -1 for none.
func (m *Mesh) farthest(by geom.Affine, from geom.Vec3, of func(i int) bool) (at int, far float64) {
	n := split.Pieces(len(m.Points), 1<<15)
	ats, most := slices.Repeat([]int{-1}, n), make([]float64, n) // squares
	split.Range(len(m.Points), 1<<15, func(piece, lo, hi int) {
		for i := lo; i < hi; i++ {
			d := by.Apply(m.Points[i]).Sub(from)
			if l := d.Dot(d); of(i) && (l > most[piece] || ats[piece] < 0) {
				ats[piece], most[piece] = i, l
			}
		}
	})
	at = -1
	for piece, i := range ats {
		if d := math.Sqrt(most[piece]); i >= 0 && (at < 0 || d > far) {
			at, far = i, d
		}
	}
	return at, far
}

// Extent is the box of the points that a mesh has, of its cloud where it has one.
func (m *Mesh) Extent() geom.Box {
	b := geom.EmptyBox()
	for i, used := range m.Used() {
		if used {
			b = b.Add(m.Points[i])
		}
	}
	if m.Cloud != nil {
		b = b.Union(m.Cloud.Box())
	}
	return b
}
