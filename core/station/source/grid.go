package source

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// leastGrid and mostGrid are the steps that a grid may have, in metres.
const (
	leastGrid = 1e-3
	mostGrid  = 1e7
)

// grid cuts every mesh that is wider than a step, where its nodes stand, by lines at multiples of the step as seen from
// above. The node stays, without its mesh; beside it comes one that holds a node for each piece. A piece's origin is the
// middle of its square, at a multiple of the step, so that its coordinates are small and its place is exact.
func (c *Came) grid(ctx context.Context, step float64) {
	s := c.Scene
	up := s.Basis.Up.Index()
	axes := [2]int{(up + 1) % 3, (up + 2) % 3}
	worlds := s.Worlds()
	out := *s
	out.Nodes, out.Meshes = nil, slices.Clone(s.Meshes)
	next := &Came{Scene: &out, said: c.said}
	at := make([]int, len(s.Nodes))
	add := func(n scene.Node, hubOf int, laid bool) int {
		out.Nodes = append(out.Nodes, n)
		next.hub, next.hubOf, next.laid = append(next.hub, false), append(next.hubOf, hubOf), append(next.laid, laid)
		return len(out.Nodes) - 1
	}
	for i, n := range s.Nodes {
		above := geom.Identity
		if n.Parent >= 0 {
			above = worlds[n.Parent]
			n.Parent = at[n.Parent]
		}
		inverse, ok := above.Inverse()
		cells, why := []scene.Cell(nil), ""
		if n.Mesh >= 0 && ok && ctx.Err() == nil {
			cells, why = cellsOf(ctx, s.Meshes[n.Mesh], worlds[i], axes, step)
		}
		if why != "" {
			next.said = append(next.said, finding.Finding{Code: "source/grid-too-fine", Severity: finding.Look,
				Title: fmt.Sprintf("“%s” stays whole: %s", n.Name, why),
				Text:  fmt.Sprintf("A grid makes up to %s pieces. Ask for a larger step.", figure.Count(maxParts))})
		}
		whole := n
		if len(cells) > 0 {
			whole.Kind, whole.Mesh = scene.KindEmpty, -1
		}
		at[i] = add(whole, -1, false)
		if len(cells) == 0 {
			continue
		}
		hub := add(scene.Node{Name: n.Name + " pieces", Kind: scene.KindEmpty, Parent: n.Parent, Mesh: -1, Local: inverse,
			Hidden: n.Hidden}, -1, false)
		for _, cell := range cells {
			piece := n
			piece.Name = fmt.Sprintf("%s %d %d", n.Name, cell.At[0], cell.At[1])
			piece.Parent, piece.Mesh, piece.Local = hub, len(out.Meshes), middleOf(cell, axes, step)
			m := cell.Mesh.MappedIn(ctx, geom.Affine{M: geom.Identity3, T: piece.Local.T.Mul(-1)})
			if m == cell.Mesh {
				own := *m
				m = &own
			}
			m.Name = piece.Name
			out.Meshes = append(out.Meshes, m)
			add(piece, hub, true)
		}
	}
	next.Scene = out.Without(func(int) bool { return false })
	*c = *next
}

// cellsOf are the pieces of a mesh in the world; none where it is no wider than a step, and why it stays whole where
// there were too many.
func cellsOf(ctx context.Context, m *scene.Mesh, world geom.Affine, axes [2]int, step float64) ([]scene.Cell, string) {
	placed := m.MappedIn(ctx, world)
	box := placed.Extent()
	if box.IsEmpty() || box.Size()[axes[0]] <= step && box.Size()[axes[1]] <= step {
		return nil, ""
	}
	if n := scene.Cells(box, axes, step); n > scene.MostCells {
		return nil, fmt.Sprintf("the grid has more than %s squares over it", figure.Count(scene.MostCells))
	}
	cells := placed.Gridded(ctx, axes, step)
	if len(cells) > maxParts {
		return nil, fmt.Sprintf("the grid makes %s pieces of it", figure.Count(len(cells)))
	}
	return cells, ""
}

// middleOf is where a piece has its origin.
func middleOf(c scene.Cell, axes [2]int, step float64) geom.Affine {
	at := geom.Identity
	for k, axis := range axes {
		at.T[axis] = (float64(c.At[k]) + 0.5) * step
	}
	return at
}

// cure is the step of a grid that brings what is lost by 32-bit coordinates below a length: a power of two or ten
// metres and halves between, the largest that does; 0 where the smallest piece loses more by its own height.
func cure(size geom.Vec3, up int, accepted float64) float64 {
	wide := 0.0
	for k, v := range size {
		if k != up {
			wide = max(wide, v)
		}
	}
	for _, step := range []float64{50_000, 20_000, 10_000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10} {
		if step < wide && halfStep(math.Max(step/2, size[up])) <= accepted && pieces(size, up, step) <= maxParts {
			return step
		}
	}
	return 0
}

// pieces is about how many squares of a grid lie over a box.
func pieces(size geom.Vec3, up int, step float64) float64 {
	n := 1.0
	for k, v := range size {
		if k != up {
			n *= math.Ceil(v/step) + 1
		}
	}
	return n
}
