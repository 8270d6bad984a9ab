// Package passage finds where a body can go through a mesh or into it, and tells whether what stands
// for the mesh lets it.
//
// The body is a ball, or balls in a column as somebody who walks upright. Where its middle may be is
// told on a grid of distances to the mesh (configuration space: Lozano-Pérez 1983, "Spatial planning:
// a configuration space approach"); a passage is a part of that within the convex hull of the mesh,
// which a single hull would fill.
package passage

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Body is what wants to pass. Lengths are metres.
type Body struct {
	Radius float64 // of a ball; more than 0
	// Height of somebody upright, from sole to crown; 0 for a ball. Somebody upright stands on the
	// ground that the mesh stands on, or higher.
	Height float64
	Up     geom.Vec3 // unit, of somebody upright
}

// column are the middles of the balls that a body is made of, about its own middle.
func (b Body) column() []geom.Vec3 {
	half := b.Height/2 - b.Radius
	if half <= 0 {
		return []geom.Vec3{{}}
	}
	n := 1 + int(math.Ceil(2*half/(0.75*b.Radius)))
	list := make([]geom.Vec3, n)
	for i := range list {
		list[i] = b.Up.Mul(half * (2*float64(i)/float64(n-1) - 1))
	}
	return list
}

// Passage is a place within the hull of a mesh where the body fits.
type Passage struct {
	// Path is middles of the body, from a mouth to another, or from the mouth to the inmost place.
	Path []geom.Vec3
	// Mouths are middles of the body where it leaves the hull: several of them for one that leads
	// through, one that leads into it.
	Mouths []geom.Vec3
	// Out is the direction out of each mouth.
	Out []geom.Vec3
	// Clear is the least distance from the surface along the path, at least about the body's radius.
	Clear float64
	cells []int32
}

// Through tells whether it leads from one mouth to another.
func (p Passage) Through() bool { return len(p.Mouths) > 1 }

// ErrFine means that the body is too small beside the mesh to be told from nothing.
var ErrFine = errors.New("the body is too small beside the asset for passages to be found")

// Bounds of the grid.
const (
	mostCells  = 3_000_000
	fewCells   = 100_000
	perRadius  = 4   // cells that a radius is divided into, and the hull where it is thin, where there is room
	leastCells = 1.4 // no fewer
)

// Grid is the places of a mesh that a body may be in. It is only read.
type Grid struct {
	Body  Body
	lo    geom.Vec3
	step  float64
	n     [3]int
	clear []float32 // distance of the body's balls from the mesh, the least, up to a limit
	free  []bool    // the body can come there from outside
	hull  *fit.Convex
	// height of the middle of somebody who stands where the mesh does
	soles float64
	// depth below which a middle counts as within the hull
	within float64
	Found  []Passage // the largest first
}

// Cells is how many places a grid for a body has over a mesh of these extents where it is as fine as it is meant to be
// at least; the time that [New] takes goes with it. There may be more where the mesh's hull is thin.
func Cells(box geom.Box, b Body) int {
	if !(b.Radius > 0) || box.IsEmpty() {
		return 0
	}
	size := b.room(box).Size()
	return int(min(size[0]*size[1]*size[2]/math.Pow(b.Radius/perRadius, 3), mostCells))
}

// room is where the middle of a body that touches something within a box can be.
func (b Body) room(box geom.Box) geom.Box {
	room := box.Grown(b.Radius)
	for _, c := range b.column() {
		room = room.Union(box.Grown(b.Radius).Shifted(c.Mul(-1)))
	}
	return room
}

// New finds the passages of a scene for a body. It takes as many steps as the grid has cells, of
// which there are at most three million. When ctx ends it returns its error.
func New(ctx context.Context, s *scene.Scene, b Body) (*Grid, error) {
	var pts []geom.Vec3
	var tris []int32
	for _, m := range s.Flattened().Meshes {
		base := int32(len(pts))
		pts = append(pts, m.Points...)
		m.EachTriangle(func(_ int, x, y, z int32) {
			tris = append(tris, base+m.Corners[x], base+m.Corners[y], base+m.Corners[z])
		})
	}
	g := &Grid{Body: b}
	used := make([]geom.Vec3, 0, len(tris))
	box := geom.EmptyBox()
	for _, t := range tris {
		used = append(used, pts[t])
		box = box.Add(pts[t])
	}
	if is := extents.Of(ctx, s); is.Closed && ctx.Err() == nil {
		// What is convex has no room for anybody.
		whole := fit.OfHull(geom.HullOf(ctx, used)).Volume()
		if air := whole - math.Abs(is.Volume); air < 1e-4*math.Pow(b.Radius, 3) && air < 1e-4*whole {
			g.hull = fit.NewConvex(fit.Body{})
			return g, ctx.Err()
		}
	}
	hull := geom.HullWithin(ctx, used, 1e-3) // of a round one few planes are enough
	g.hull = fit.NewConvex(fit.OfHull(hull))
	if len(g.hull.Planes) == 0 || !(b.Radius > 0) {
		return g, ctx.Err()
	}
	g.soles = math.Inf(1)
	for _, p := range used {
		g.soles = min(g.soles, p.Dot(b.Up))
	}
	g.soles += b.Height / 2
	column, room := b.column(), b.room(box)
	// A thin wall has places within it, too.
	_, extents := hull.TightBox(ctx)
	g.step = min(b.Radius, extents[2]) / perRadius
	size := room.Size()
	all := size[0] * size[1] * size[2]
	g.step = min(g.step, max(b.Radius/10, math.Cbrt(all/fewCells))) // finer where that costs little
	g.step = max(g.step, math.Cbrt(all/mostCells))
	if g.step > b.Radius/leastCells {
		return nil, ErrFine
	}
	g.lo = room.Min.Sub(geom.Vec3{g.step, g.step, g.step})
	for k := range 3 {
		g.n[k] = int(math.Ceil(size[k]/g.step)) + 3
	}
	if g.within = g.step / 4; g.step > extents[2]/3 {
		g.within = -g.step / 2
	}
	g.measure(ctx, geom.NewBVH(ctx, pts, tris), column)
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	g.flood()
	g.find(ctx)
	g.clear, g.free = nil, nil
	return g, ctx.Err()
}

func (g *Grid) at(i int32) geom.Vec3 {
	x := int(i) % g.n[0]
	y := int(i) / g.n[0] % g.n[1]
	z := int(i) / (g.n[0] * g.n[1])
	return g.lo.Add(geom.Vec3{float64(x), float64(y), float64(z)}.Mul(g.step))
}

func (g *Grid) number(x, y, z int) int32 { return int32(x + g.n[0]*(y+g.n[1]*z)) }

// around calls f with the six cells beside one.
func (g *Grid) around(i int32, f func(k int32)) {
	x, y, z := int(i)%g.n[0], int(i)/g.n[0]%g.n[1], int(i)/(g.n[0]*g.n[1])
	if x > 0 {
		f(i - 1)
	}
	if x+1 < g.n[0] {
		f(i + 1)
	}
	if y > 0 {
		f(i - int32(g.n[0]))
	}
	if y+1 < g.n[1] {
		f(i + int32(g.n[0]))
	}
	if z > 0 {
		f(i - int32(g.n[0]*g.n[1]))
	}
	if z+1 < g.n[2] {
		f(i + int32(g.n[0]*g.n[1]))
	}
}

// flood marks where the body can come to from the border of the grid. Somewhat less than its radius
// is enough, since cells lie beside the best place.
func (g *Grid) flood() {
	g.free = make([]bool, len(g.clear))
	var todo []int32
	least := float32(g.Body.Radius * 0.999)
	try := func(i int32) {
		if !g.free[i] && g.clear[i] >= least {
			g.free[i] = true
			todo = append(todo, i)
		}
	}
	for z := range g.n[2] {
		for y := range g.n[1] {
			for x := range g.n[0] {
				if x == 0 || y == 0 || z == 0 || x == g.n[0]-1 || y == g.n[1]-1 || z == g.n[2]-1 {
					try(g.number(x, y, z))
				}
			}
		}
	}
	for len(todo) > 0 {
		i := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		g.around(i, try)
	}
}

// find gathers the cells within the hull that hang together.
//
// A cell that the body can stand in (free) and that lies within the hull of the asset by more than a little is
// within a doorway, a tunnel or a room. Those that hang together, and come deep enough to be more than a dent,
// are one passage, with its mouths where it comes out of the hull. The largest stands first.
func (g *Grid) find(ctx context.Context) {
	inside := make([]bool, len(g.clear))
	depth := make([]float32, len(g.clear))
	_ = split.InBlocks(ctx, len(g.clear), 1<<12, func(_, from, to int) {
		for i := from; i < to; i++ {
			if !g.free[i] {
				continue
			}
			p, d := g.at(int32(i)), math.Inf(1)
			for k := range g.hull.Planes {
				if d = min(d, g.hull.Planes[k].D-p.Dot(g.hull.Planes[k].N)); d < g.within {
					break // it is outside
				}
			}
			if d >= g.within {
				inside[i], depth[i] = true, max(float32(d), 1e-30)
			}
		}
	})
	for i := range inside {
		if !inside[i] || ctx.Err() != nil {
			continue
		}
		cells := []int32{int32(i)}
		inside[i] = false
		deepest := float32(0)
		for k := 0; k < len(cells); k++ {
			deepest = max(deepest, depth[cells[k]])
			g.around(cells[k], func(n int32) {
				if inside[n] {
					inside[n] = false
					cells = append(cells, n)
				}
			})
		}
		if float64(deepest) < g.within+g.step/2 {
			continue
		}
		if p, ok := g.passage(cells, depth); ok {
			g.Found = append(g.Found, p)
		}
	}
	slices.SortStableFunc(g.Found, func(a, b Passage) int { return cmp.Compare(len(b.cells), len(a.cells)) })
}
