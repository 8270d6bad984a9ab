// Package topo says which faces of a mesh meet where: its places, the edges between them,
// the parts that hang together, and how these are wound. Points that stand together count as
// one place, whether or not the file joined them.
package topo

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/union"
)

// Net is the edges of some of a mesh's faces. It is made by [Of] and only read afterwards.
type Net struct {
	Mesh   *scene.Mesh
	Place  []int32 // of each point: the number of the first point that stands there
	FaceOf []int32 // of each corner
	// Edge is, of each corner, the number of the edge that runs from it to its face's next
	// corner; -1 where both are one place, and for faces that are left out.
	Edge []int32
	// First and Uses list the corners from which each edge is run along: those of edge e are
	// Uses[First[e]:First[e+1]], in ascending order. A face may run along an edge twice.
	First, Uses []int32
}

// Places gives each point the number of the first one within tol of it, in metres of the
// points: exactly the same place for 0. Chains of near points become one place; a cell of a
// grid is looked up once a point, and its neighbours only by points near its border. When ctx
// ends it returns early, and what it returns means nothing.
func Places(ctx context.Context, pts []geom.Vec3, tol float64) []int32 {
	same := scene.Weld(ctx, pts)
	if tol <= 0 || ctx.Err() != nil {
		return same
	}
	return near(ctx, pts, same, tol)
}

// OnePlace is how near points of a mesh are at one place: the rounding of the largest of their coordinates, and
// nothing that anybody drew. Finding, waste and mending go by it.
func OnePlace(pts []geom.Vec3) float64 {
	reach := 0.0
	for _, p := range pts {
		for _, v := range p {
			reach = max(reach, math.Abs(v))
		}
	}
	return 1e-12 * reach
}

// hashed is a hash of a cell of the grid; what another cell with the same hash holds is too far
// away to be joined.
func hashed(x, y, z int64) int {
	h := uint64(x)*0x9e3779b97f4a7c15 ^ uint64(y)*0xc2b2ae3d27d4eb4f ^ uint64(z)*0x165667b19e3779f9
	h ^= h >> 32
	return int(h * 0xff51afd7ed558ccd >> 30)
}

// near joins the places of same that are within tol, by a grid of cells some times as wide.
func near(ctx context.Context, pts []geom.Vec3, same []int32, tol float64) []int32 {
	const wide = 4
	low := geom.EmptyBox()
	for _, p := range pts {
		low = low.Add(p)
	}
	k := 1 / (wide * tol)
	size := 16
	for size < 2*len(pts) {
		size *= 2
	}
	first := make([]int32, size) // by the hash of a cell, the point that came last, plus one
	next := make([]int32, len(pts))
	up := union.Sets(slices.Clone(same))
	for i, p := range pts {
		if i&0x3fff == 0 && ctx.Err() != nil {
			return same
		}
		if same[i] != int32(i) {
			continue
		}
		var from, to, own [3]int64
		for c := range 3 {
			v := (p[c] - low.Min[c]) * k
			from[c], own[c], to[c] = int64(math.Floor(v-1.0/wide)), int64(math.Floor(v)), int64(math.Floor(v+1.0/wide))
		}
		// One join with a cell's crowd is enough when all of it stands in one place already:
		// in a crowd of millions within tol the first holds the place of all.
		for x := from[0]; x <= to[0]; x++ {
			for y := from[1]; y <= to[1]; y++ {
				for z := from[2]; z <= to[2]; z++ {
					steps := 0
					for j := first[hashed(x, y, z)&(size-1)] - 1; j >= 0 && steps < crowd; j = next[j] - 1 {
						if steps++; pts[j].Dist(p) <= tol {
							up.Join(j, int32(i))
						}
					}
				}
			}
		}
		at := hashed(own[0], own[1], own[2]) & (size - 1)
		next[i] = first[at]
		first[at] = int32(i) + 1
	}
	return up.Flatten()
}

// crowd bounds how many points of one cell a point is held against, the latest ones: a cell of
// four times the tolerance holds more only where that is far too large for the mesh.
const crowd = 512

// Of makes the net of the faces that are asked for, nil for all of them. place is as [Places]
// gives it. When ctx ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, m *scene.Mesh, place []int32, faces func(f int) bool) *Net {
	n := &Net{Mesh: m, Place: place, FaceOf: make([]int32, len(m.Corners)), Edge: make([]int32, len(m.Corners)),
		First: []int32{0}}
	// Corners sorted by the lower place of their edge: all runs along an edge lie together.
	start := make([]int32, len(m.Points)+1)
	other := make([]int32, len(m.Corners)) // the higher place, -1 for no edge
	lower := make([]int32, len(m.Corners))
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return n
		}
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		in := faces == nil || faces(f)
		for c := s; c < e; c++ {
			d := c + 1
			if d == e {
				d = s
			}
			a, b := place[m.Corners[c]], place[m.Corners[d]]
			n.FaceOf[c], n.Edge[c], other[c] = int32(f), -1, -1
			if a == b || !in {
				continue
			}
			lower[c], other[c] = min(a, b), max(a, b)
			start[lower[c]+1]++
		}
	}
	for i := range m.Points {
		start[i+1] += start[i]
	}
	sorted := make([]int32, start[len(m.Points)])
	fill := slices.Clone(start[:len(m.Points)])
	for c, o := range other {
		if o >= 0 {
			sorted[fill[lower[c]]] = int32(c)
			fill[lower[c]]++
		}
	}
	for i := range m.Points {
		if i&0xffff == 0 && ctx.Err() != nil {
			return n
		}
		list := sorted[start[i]:start[i+1]]
		if len(list) > 1 {
			slices.SortFunc(list, func(a, b int32) int { return cmp.Or(cmp.Compare(other[a], other[b]), cmp.Compare(a, b)) })
		}
		for k, c := range list {
			if k == 0 || other[c] != other[list[k-1]] {
				n.First = append(n.First, n.First[len(n.First)-1])
			}
			e := len(n.First) - 2
			n.First[e+1]++
			n.Edge[c] = int32(e)
		}
	}
	n.Uses = sorted
	return n
}

// Edges is how many there are.
func (n *Net) Edges() int { return len(n.First) - 1 }

// Runs are the corners from which an edge is run along.
func (n *Net) Runs(e int) []int32 { return n.Uses[n.First[e]:n.First[e+1]] }

// FacesAt is how many faces an edge has, each counted once.
func (n *Net) FacesAt(e int) int {
	runs, faces := n.Runs(e), 0
	for k, c := range runs {
		if k == 0 || n.FaceOf[c] != n.FaceOf[runs[k-1]] { // ascending corners: those of a face lie together
			faces++
		}
	}
	return faces
}

// After is the corner after c where triangles are numbered three by three.
func After(c int32) int32 {
	if c%3 == 2 {
		return c - 2
	}
	return c + 1
}

// Before is the corner before c, likewise.
func Before(c int32) int32 {
	if c%3 == 0 {
		return c + 2
	}
	return c - 1
}

// Next is the corner after c in its face.
func (n *Net) Next(c int32) int32 {
	f := n.FaceOf[c]
	if c+1 == n.Mesh.FaceStart[f+1] {
		return n.Mesh.FaceStart[f]
	}
	return c + 1
}

// Prev is the corner before c in its face.
func (n *Net) Prev(c int32) int32 {
	f := n.FaceOf[c]
	if c == n.Mesh.FaceStart[f] {
		return n.Mesh.FaceStart[f+1] - 1
	}
	return c - 1
}

// At is the place of a corner.
func (n *Net) At(c int32) int32 { return n.Place[n.Mesh.Corners[c]] }

// Ends are the places of an edge, the lower number first.
func (n *Net) Ends(e int) (a, b int32) {
	c := n.Uses[n.First[e]]
	a, b = n.At(c), n.At(n.Next(c))
	return min(a, b), max(a, b)
}

// Alike tells whether two runs along one edge go in the same direction, as those of neighbours
// wound against each other do.
func (n *Net) Alike(a, b int32) bool { return n.At(a) == n.At(b) }

// softFrom is the cosine of the angle within which two normals count as one: about a degree.
const softFrom = 0.9998

// Soft tells whether an edge lies between two faces that look the same way round it and share a
// normal at both its ends.
func (n *Net) Soft(normals scene.Layer[[3]float32], e int) bool {
	r := n.Runs(e)
	if len(r) != 2 || n.Alike(r[0], r[1]) {
		return false
	}
	same := func(a, b int32) bool {
		i, j := normals.Index[a], normals.Index[b]
		if i == j || i < 0 || j < 0 {
			return i == j && i >= 0
		}
		u, v := normals.Values[i], normals.Values[j]
		return u[0]*v[0]+u[1]*v[1]+u[2]*v[2] > softFrom
	}
	return same(r[0], n.Next(r[1])) && same(n.Next(r[0]), r[1])
}

// JoinAcross joins, of two runs along one edge, the corners that stand at each of its ends.
func (n *Net) JoinAcross(corners union.Sets, a, b int32) {
	if n.Alike(a, b) {
		corners.Join(a, b)
		corners.Join(n.Next(a), n.Next(b))
		return
	}
	corners.Join(a, n.Next(b))
	corners.Join(n.Next(a), b)
}

// Parts are the faces that hang together over edges of two faces.
type Parts struct {
	N  int
	Of []int32 // of each face; -1 for those left out
	// Turned marks the faces wound against the majority of their part; of a part that is
	// divided by halves, those wound against its first face.
	Turned []bool
	Faces  []int32 // of each part
	Flips  []int32 // of each part: how many of them are turned
	Closed []bool  // of each part: every edge has two faces
	// TwoFaced marks parts that can't be wound alike all over, as a Möbius strip.
	TwoFaced []bool
	// FirstFace is the lowest face of each part.
	FirstFace []int32
}

// Parts joins faces over edges of two faces. When ctx ends it returns early, and what it
// returns means nothing.
func (n *Net) Parts(ctx context.Context) *Parts {
	m := n.Mesh
	p := &Parts{Of: make([]int32, m.Faces()), Turned: make([]bool, m.Faces())}
	for f := range p.Of {
		p.Of[f] = -1
	}
	var queue []int32
	for f := range p.Of {
		if f&0xffff == 0 && ctx.Err() != nil {
			return p
		}
		if p.Of[f] >= 0 || !n.has(f) {
			continue
		}
		k := int32(p.N)
		p.N++
		faces, flips, closed, odd := int32(0), int32(0), true, false
		p.Of[f] = k
		queue = append(queue[:0], int32(f))
		for len(queue) > 0 {
			g := queue[len(queue)-1]
			queue = queue[:len(queue)-1]
			faces++
			if p.Turned[g] {
				flips++
			}
			for c := m.FaceStart[g]; c < m.FaceStart[g+1]; c++ {
				if n.Edge[c] < 0 {
					continue
				}
				runs := n.Runs(int(n.Edge[c]))
				if len(runs) != 2 || n.FaceOf[runs[0]] == n.FaceOf[runs[1]] {
					closed = false
					continue
				}
				o := runs[0]
				if o == c {
					o = runs[1]
				}
				h := n.FaceOf[o]
				turned := p.Turned[g] != n.Alike(c, o)
				if p.Of[h] < 0 {
					p.Of[h], p.Turned[h] = k, turned
					queue = append(queue, h)
				} else if p.Turned[h] != turned {
					odd = true
				}
			}
		}
		p.Faces, p.Flips, p.Closed, p.TwoFaced = append(p.Faces, faces), append(p.Flips, flips), append(p.Closed, closed),
			append(p.TwoFaced, odd)
		p.FirstFace = append(p.FirstFace, int32(f))
	}
	for f, k := range p.Of {
		if k >= 0 && 2*p.Flips[k] > p.Faces[k] {
			p.Turned[f] = !p.Turned[f]
		}
	}
	for k := range p.Flips {
		p.Flips[k] = min(p.Flips[k], p.Faces[k]-p.Flips[k])
	}
	return p
}

// has tells whether a face has an edge in the net.
func (n *Net) has(f int) bool {
	for c := n.Mesh.FaceStart[f]; c < n.Mesh.FaceStart[f+1]; c++ {
		if n.Edge[c] >= 0 {
			return true
		}
	}
	return false
}

// Chain is connected edges of one face each, as of the rim of a hole.
type Chain struct {
	Edges  []int32
	Length float64 // metres of the points
	// Ring is the corners from which the chain is run along, in order, the face's own
	// direction; nil when it is not one closed loop.
	Ring []int32
}

// Borders are the chains of open borders, in the order of their first edge.
func (n *Net) Borders(ctx context.Context) []Chain {
	var open []int32
	for e := range n.Edges() {
		if n.FacesAt(e) == 1 {
			open = append(open, int32(e))
		}
	}
	if len(open) == 0 {
		return nil
	}
	at := n.endsOf(open)
	seen := make([]bool, n.Edges())
	var list []Chain
	for k, e := range open {
		if k&0xfff == 0 && ctx.Err() != nil {
			return list
		}
		if seen[e] {
			continue
		}
		var ch Chain
		seen[e] = true
		stack := []int32{e}
		simple := true
		for len(stack) > 0 {
			e := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			ch.Edges = append(ch.Edges, e)
			a, b := n.Ends(int(e))
			ch.Length += n.Mesh.Points[a].Dist(n.Mesh.Points[b])
			for _, p := range [2]int32{a, b} {
				simple = simple && len(at.of(p)) == 2
				for _, o := range at.of(p) {
					if !seen[o] {
						seen[o] = true
						stack = append(stack, o)
					}
				}
			}
		}
		slices.Sort(ch.Edges)
		if simple {
			ch.Ring = n.ring(ch.Edges, at)
		}
		list = append(list, ch)
	}
	return list
}

// ends are edges by the places where they end: those of a place lie one behind the other.
type ends struct{ from, edges []int32 }

// of lists the edges that end at a place, in their order.
func (e ends) of(place int32) []int32 { return e.edges[e.from[place]:e.from[place+1]] }

// endsOf gathers some edges by where they end.
func (n *Net) endsOf(edges []int32) ends {
	by := ends{make([]int32, len(n.Mesh.Points)+1), make([]int32, 2*len(edges))}
	for _, e := range edges {
		a, b := n.Ends(int(e))
		by.from[a+1]++
		by.from[b+1]++
	}
	for i := 1; i < len(by.from); i++ {
		by.from[i] += by.from[i-1]
	}
	next := slices.Clone(by.from)
	for _, e := range edges {
		a, b := n.Ends(int(e))
		for _, p := range [2]int32{a, b} {
			by.edges[next[p]] = e
			next[p]++
		}
	}
	return by
}

// ring puts the edges of a simple loop in the order in which its faces run along them; nil
// when they do not run alike.
func (n *Net) ring(edges []int32, at ends) []int32 {
	ring := make([]int32, 0, len(edges))
	e := edges[0]
	for range edges {
		c := n.Uses[n.First[e]]
		ring = append(ring, c)
		to := n.At(n.Next(c))
		next := at.of(to)[0]
		if next == e {
			next = at.of(to)[1]
		}
		if n.At(n.Uses[n.First[next]]) != to {
			return nil
		}
		e = next
	}
	if e != edges[0] {
		return nil
	}
	return ring
}

// Flood is a face with all that is reached from it over edges, in ascending order: crosses tells whether one goes from
// the face of one corner to that of another, which run along one edge. When ctx ends it returns early, with a part.
func (n *Net) Flood(ctx context.Context, from int, crosses func(here, there int32) bool) []int {
	m := n.Mesh
	seen, list := map[int]bool{from: true}, []int{from}
	for k := 0; k < len(list); k++ {
		if k&0xfff == 0 && ctx.Err() != nil {
			break
		}
		for c := m.FaceStart[list[k]]; c < m.FaceStart[list[k]+1]; c++ {
			if n.Edge[c] < 0 {
				continue
			}
			for _, r := range n.Runs(int(n.Edge[c])) {
				if g := int(n.FaceOf[r]); !seen[g] && crosses(c, r) {
					seen[g] = true
					list = append(list, g)
				}
			}
		}
	}
	slices.Sort(list)
	return list
}
