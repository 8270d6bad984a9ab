// Package waste takes triangles out of a mesh that add nothing to it: points inside flat areas
// and along straight edges that neither shape nor UVs, slots, normals or smoothing need. What
// is left is the same surface, to within a millionth of its size.
package waste

import (
	"context"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// Tolerances by which a point may be off what the points that stay would have there. Positions
// are shares of the mesh's largest extent; a surface may be off by two of them.
const (
	placeTol  = 4e-7
	uvTol     = 2.5e-5 // a tenth of a texel of 4096
	normalTol = 2e-3
	colorTol  = 1.0 / 510
)

// Removed is what a mesh would be without its waste.
type Removed struct {
	Mesh      *scene.Mesh // the mesh itself when there is none
	Triangles int         // that went
	Faces     []int32     // of the mesh before: those that were changed, ascending
}

// Of takes the waste out. Faces that nothing goes from stay the polygons they are. The order
// of what stays is kept. Points are taken out of the triangulation one at a time, each hole
// being cut anew, so that any number can go whatever the form of the area: an area with b
// corners and h holes comes to b + 2h - 2 triangles. It takes n log n steps. When ctx ends it
// returns early, and what it returns means nothing.
func Of(ctx context.Context, m *scene.Mesh) Removed {
	locked := map[int32]bool{} // regions to leave alone
	for range 3 {
		w := newWork(ctx, m)
		if w == nil || ctx.Err() != nil {
			return Removed{Mesh: m}
		}
		w.regions(ctx)
		w.classify(ctx)
		w.lock(locked)
		w.remove(ctx)
		if ctx.Err() != nil || w.gone == 0 {
			return Removed{Mesh: m}
		}
		// Two areas back to back could share a new edge: those are left as they were.
		bad := w.crowded(ctx)
		if len(bad) == 0 {
			return Removed{w.mesh(), w.gone, w.changed()}
		}
		for _, r := range bad {
			locked[r] = true
		}
	}
	return Removed{Mesh: m}
}

// work is a mesh as triangles while waste is taken out. Half edge h is that of triangle h/3
// from its corner h%3 to the next.
type work struct {
	m      *scene.Mesh
	normal scene.Layer[[3]float32] // stored, or those that smoothing groups make
	place  []int32                 // of each point
	size   float64

	corner []int32 // of each half edge, the corner of m it begins at; -1 of a triangle that is gone
	begins []int32 // of each half edge, the place it begins at
	face   []int32 // of each triangle, the face of m
	twin   []int32 // of each half edge: the one that runs back, -1 where that is not exactly one
	hard   []bool  // of each half edge; nil when nothing is said
	region []int32 // of each triangle, -1 for none
	fits   []*fit  // of each region; nil of a triangle by itself

	out     []int32 // of each place, a half edge that begins there; -1 for none
	state   []state // of each place
	touched []bool  // of each triangle
	gone    int
}

// state is whether a point can go.
type state uint8

const (
	stays state = iota
	inside
	along // between two regions or at a border
)

// at is the place a half edge begins at.
func (w *work) at(h int32) int32 { return w.begins[h] }

// point is where that is.
func (w *work) point(h int32) geom.Vec3 { return w.m.Points[w.m.Corners[w.corner[h]]] }

// newWork cuts the mesh into triangles and joins them; nil for one without any.
func newWork(ctx context.Context, m *scene.Mesh) *work {
	n := m.Triangles()
	if n < 2 {
		return nil
	}
	w := &work{m: m, normal: m.Normals, corner: make([]int32, 0, 3*n), face: make([]int32, 0, n)}
	if !w.normal.Has() {
		w.normal = m.SmoothNormals()
	}
	box := geom.EmptyBox()
	for _, p := range m.Points {
		box = box.Add(p)
	}
	w.size = box.Size().Max()
	w.place = topo.Places(ctx, m.Points, topo.OnePlace(m.Points))
	m.EachTriangle(func(f int, a, b, c int32) {
		w.corner, w.face = append(w.corner, a, b, c), append(w.face, int32(f))
	})
	w.begins = make([]int32, len(w.corner))
	for h, c := range w.corner {
		w.begins[h] = w.place[m.Corners[c]]
	}
	if m.Hard != nil {
		w.hard = make([]bool, len(w.corner))
		for h := range w.corner {
			w.hard[h] = m.HardAfter(int(w.face[h/3]), w.corner[h], w.corner[topo.After(int32(h))])
		}
	}
	w.pair(ctx)
	return w
}

// pair finds the half edge that runs back along each.
func (w *work) pair(ctx context.Context) {
	points := len(w.m.Points)
	w.twin, w.out = make([]int32, len(w.corner)), make([]int32, points)
	start := make([]int32, points+1)
	low := func(h int32) (a, b int32) {
		a, b = w.at(h), w.at(topo.After(h))
		return min(a, b), max(a, b)
	}
	for p := range w.out {
		w.out[p] = -1
	}
	for h := range w.corner {
		a, _ := low(int32(h))
		start[a+1]++
		w.out[w.at(int32(h))] = int32(h)
	}
	for p := range points {
		start[p+1] += start[p]
	}
	sorted, fill := make([]int32, len(w.corner)), append([]int32(nil), start...)
	for h := range w.corner {
		a, _ := low(int32(h))
		sorted[fill[a]] = int32(h)
		fill[a]++
		w.twin[h] = -1
	}
	mate := make([]int32, points) // of the higher place: the half edge met first, plus one
	many := make([]uint8, points)
	for p := range points {
		if p&0xffff == 0 && ctx.Err() != nil {
			return
		}
		list := sorted[start[p]:start[p+1]]
		for _, h := range list {
			_, b := low(h)
			if many[b]++; many[b] > 3 {
				many[b] = 3
			}
			if mate[b] == 0 {
				mate[b] = h + 1
			} else if many[b] == 2 {
				g := mate[b] - 1
				if w.at(g) != w.at(h) && b != int32(p) {
					w.twin[g], w.twin[h] = h, g
				}
			} else {
				if g := mate[b] - 1; w.twin[g] >= 0 {
					w.twin[w.twin[g]], w.twin[g] = -1, -1
				}
			}
		}
		for _, h := range list {
			_, b := low(h)
			mate[b], many[b] = 0, 0
		}
	}
}

// crowded are regions that touch an edge of more than two triangles which was not there
// before: new ones alone are looked at.
func (w *work) crowded(ctx context.Context) []int32 {
	type edge struct{ a, b int32 }
	count := map[edge]int32{}
	key := func(h int32) edge {
		a, b := w.at(h), w.at(topo.After(h))
		return edge{min(a, b), max(a, b)}
	}
	for t, touched := range w.touched {
		if !touched || w.corner[3*t] < 0 {
			continue
		}
		if t&0xffff == 0 && ctx.Err() != nil {
			return nil
		}
		for k := range int32(3) {
			count[key(int32(3*t)+k)] = 0
		}
	}
	for h, c := range w.corner {
		if c < 0 {
			continue
		}
		k := key(int32(h))
		if n, ok := count[k]; ok {
			count[k] = n + 1
		}
	}
	seen := map[int32]bool{}
	var bad []int32
	for h, c := range w.corner {
		if c < 0 || !w.touched[h/3] || w.twin[h] < 0 {
			continue
		}
		if r := w.region[h/3]; count[key(int32(h))] > 2 && !seen[r] {
			seen[r] = true
			bad = append(bad, r)
		}
	}
	return bad
}

// changed are the faces that something went from.
func (w *work) changed() []int32 {
	var list []int32
	for t, f := range w.face {
		if w.touched[t] && (len(list) == 0 || list[len(list)-1] != f) {
			list = append(list, f)
		}
	}
	return list
}

// mesh is what is left.
func (w *work) mesh() *scene.Mesh {
	m := w.m
	whole := make([]bool, m.Faces())
	for f := range whole {
		whole[f] = true
	}
	for t, f := range w.face {
		if w.touched[t] {
			whole[f] = false
		}
	}
	from, start, face := []int32(nil), []int32{0}, []int32(nil)
	var hards []bool
	emit := func(f int32, hard func(k int) bool, corners ...int32) {
		from, face = append(from, corners...), append(face, f)
		start = append(start, int32(len(from)))
		if m.Hard != nil {
			for k := range corners {
				hards = append(hards, hard(k))
			}
		}
	}
	last := int32(-1)
	var ring []int32
	for t, f := range w.face {
		switch {
		case whole[f]:
			if f == last {
				continue // the face is out already
			}
			last = f
			ring = ring[:0]
			for c := m.FaceStart[f]; c < m.FaceStart[f+1]; c++ {
				ring = append(ring, c)
			}
			emit(f, func(k int) bool { return m.Hard[ring[k]] }, ring...)
		case w.corner[3*t] >= 0:
			emit(f, func(k int) bool { return w.hard[3*t+k] }, w.corner[3*t:3*t+3]...)
		}
	}
	out := m.Remade(start, from, face)
	out.Hard = hards
	return out.WithoutLoose(m.Used())
}
