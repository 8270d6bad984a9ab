package scene

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// MostPieces is how many pieces a grid may make of one mesh.
const MostPieces = 2000

// LeastGrid and MostGrid are the steps that a grid may have, in metres.
const (
	LeastGrid = 1e-3
	MostGrid  = 1e7
)

// ValidGrid checks the step of a grid, 0 for none.
func ValidGrid(step float64) error {
	if step != 0 && !(step >= LeastGrid && step <= MostGrid) {
		return fmt.Errorf("a grid of %g m can't be meant: expected %g to %g", step, LeastGrid, MostGrid)
	}
	return nil
}

// Laid is a scene that a grid was laid over.
type Laid struct {
	*Scene
	From  []int  // of each node the one that it is or was cut from; -1 for those that hold pieces
	Piece []bool // which are pieces
	Hub   []int  // of a piece, the node that holds it; -1 for other nodes
	Whole []Kept // what stays whole although it is wider than a step
}

// Kept is a node that a grid could not cut.
type Kept struct{ Name, Why string }

// Gridded cuts every mesh that is wider than a step, where its nodes stand, by lines at multiples of the step as seen
// from above; see [Mesh.Gridded]. In its place, or beside it where others stand below it, comes one that holds a node
// for each piece, which is called after it and its square. A piece's origin is the middle of its square, at a
// multiple of the step, so that its coordinates are small and its place is exact. When ctx ends it returns early, and
// what it returns means nothing.
func (s *Scene) Gridded(ctx context.Context, step float64) *Laid {
	up := s.Basis.Up.Index()
	axes := [3][2]int{{1, 2}, {0, 2}, {0, 1}}[up]
	worlds := s.Worlds()
	out := *s
	out.Nodes, out.Meshes = nil, slices.Clone(s.Meshes)
	l := &Laid{}
	holds := make([]bool, len(s.Nodes)) // nodes that others stand below
	for _, n := range s.Nodes {
		if n.Parent >= 0 {
			holds[n.Parent] = true
		}
	}
	at := make([]int, len(s.Nodes))
	add := func(n Node, from, hub int) int {
		out.Nodes = append(out.Nodes, n)
		l.From, l.Hub, l.Piece = append(l.From, from), append(l.Hub, hub), append(l.Piece, hub >= 0)
		return len(out.Nodes) - 1
	}
	for i, n := range s.Nodes {
		above := geom.Identity
		if n.Parent >= 0 {
			above = worlds[n.Parent]
			n.Parent = at[n.Parent]
		}
		inverse, ok := above.Inverse()
		var cells []Cell
		if n.Mesh >= 0 && ok && ctx.Err() == nil {
			var why string
			if cells, why = s.Meshes[n.Mesh].cellsAt(ctx, worlds[i], axes, step); why != "" {
				l.Whole = append(l.Whole, Kept{n.Name, why})
			}
		}
		whole := n
		if len(cells) > 0 {
			whole.Kind, whole.Mesh = KindEmpty, -1
		}
		if len(cells) == 0 || holds[i] {
			at[i] = add(whole, i, -1)
		}
		if len(cells) == 0 {
			continue
		}
		hub := add(Node{Name: n.Name + " pieces", Kind: KindEmpty, Parent: n.Parent, Mesh: -1, Local: inverse,
			Hidden: n.Hidden}, -1, -1)
		for _, cell := range cells {
			piece := n
			piece.Name = fmt.Sprintf("%s %d %d", n.Name, cell.At[0], cell.At[1])
			piece.Parent, piece.Mesh, piece.Local = hub, len(out.Meshes), cell.middle(axes, step)
			own := *cell.Mesh.MappedIn(ctx, geom.Affine{M: geom.Identity3, T: piece.Local.T.Mul(-1)})
			own.Name = piece.Name
			out.Meshes = append(out.Meshes, &own)
			add(piece, i, hub)
		}
	}
	// Meshes that nobody places any more go.
	l.Scene = out.Without(func(int) bool { return false })
	return l
}

// cellsAt are the pieces of a mesh in the world; none where it is no wider than a step, and why it stays whole where
// there were too many.
func (m *Mesh) cellsAt(ctx context.Context, world geom.Affine, axes [2]int, step float64) ([]Cell, string) {
	placed := m.MappedIn(ctx, world)
	box := placed.Extent()
	if box.IsEmpty() || box.Size()[axes[0]] <= step && box.Size()[axes[1]] <= step {
		return nil, ""
	}
	if n := Cells(box, axes, step); n > MostCells {
		return nil, fmt.Sprintf("the grid has more than %s squares over it", figure.Count(MostCells))
	}
	cells := placed.Gridded(ctx, axes, step)
	if len(cells) > MostPieces {
		return nil, fmt.Sprintf("the grid makes %s pieces of it", figure.Count(len(cells)))
	}
	return cells, ""
}

// middle is where a piece has its origin.
func (c Cell) middle(axes [2]int, step float64) geom.Affine {
	at := geom.Identity
	for k, axis := range axes {
		at.T[axis] = (float64(c.At[k]) + 0.5) * step
	}
	return at
}

// Pieces is about how many squares of a grid lie over a box of a size, with an up axis.
func Pieces(size geom.Vec3, up int, step float64) float64 {
	n := 1.0
	for k, v := range size {
		if k != up {
			n *= math.Ceil(v/step) + 1
		}
	}
	return n
}
