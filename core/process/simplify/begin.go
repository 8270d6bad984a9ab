package simplify

import (
	"context"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/topo"
)

// newWork cuts the mesh into triangles, joins what stands together, and sets up the quadrics.
//
// Work goes on over places, not points: points at one place are one, and what differs between them (normals,
// UVs, colours) is a wedge of each corner. Coordinates are about the middle of the mesh, so that quadrics,
// which square them, lose no digits far from the origin. Each place sums the quadrics of its
// triangles' planes by their area (Garland and Heckbert 1997, "Surface simplification using quadric error metrics");
// lines finds the borders, seams and hard edges that hold it, newCarried what its corners carry.
func newWork(ctx context.Context, m *scene.Mesh, o Options) *work {
	w := &work{m: m, o: o}
	tri, same, net := w.opened(ctx)
	number := make([]int32, len(tri.Points))
	box := geom.EmptyBox()
	for i, p := range tri.Points {
		box = box.Add(p)
		if same[i] == int32(i) {
			number[i] = int32(len(w.at))
			w.at = append(w.at, p)
		}
	}
	w.origin = box.Center()
	for i := range w.at {
		w.at[i] = w.at[i].Sub(w.origin)
	}
	n := len(w.at)
	w.q, w.weight, w.class, w.alive, w.stamp = make([]quadric, n), make([]float64, n), make([]class, n), make([]bool, n),
		make([]uint32, n)
	w.first = make([]int32, n)
	for p := range w.first {
		w.first[p] = -1
	}
	w.place, w.next = make([]int32, len(tri.Corners)), make([]int32, len(tri.Corners))
	w.crease = make([]bool, len(tri.Corners))
	source := make([]int32, 0, tri.Faces())
	m.EachTriangle(func(f int, _, _, _ int32) { source = append(source, int32(f)) })
	w.face = source
	for t := range tri.Faces() {
		if t&0xffff == 0 && ctx.Err() != nil {
			return w
		}
		for c := int32(3 * t); c < int32(3*t+3); c++ {
			w.place[c] = number[same[tri.Corners[c]]]
		}
		a, b, c := w.place[3*t], w.place[3*t+1], w.place[3*t+2]
		if a == b || b == c || c == a {
			w.place[3*t], w.place[3*t+1], w.place[3*t+2] = -1, -1, -1 // of no extent: it goes
			continue
		}
		w.left++
		for c := int32(3 * t); c < int32(3*t+3); c++ {
			w.link(c)
		}
		p, q, r := w.at[a], w.at[b], w.at[c]
		k := q.Sub(p).Cross(r.Sub(p))
		area := k.Len() / 2
		if o.Weight != nil {
			area *= o.Weight(int(source[t]))
		}
		normal := k.Unit()
		var one quadric
		one.plane(normal, -normal.Dot(p), area)
		for _, v := range [3]int32{a, b, c} {
			w.q[v].add(&one)
			w.weight[v] += area
		}
	}
	if ctx.Err() == nil {
		w.lines(tri, net)
		w.carried = w.newCarried(ctx)
	}
	if o.Mirrored && ctx.Err() == nil {
		w.mirrored()
	}
	return w
}

// opened cuts the mesh into triangles, tells the place of each point, finds the edges, and copies what corners carry.
// Where the surface branches its sheets and bodies are parted, so that each comes down by itself; they stand together
// at the end where they did.
func (w *work) opened(ctx context.Context) (tri *scene.Mesh, same []int32, net *topo.Net) {
	tri = w.m.Triangulated()
	same = topo.Places(ctx, tri.Points, 0)
	look := func() {
		split.Together(func() { w.carry(ctx, tri, same) }, func() {
			net = topo.Of(ctx, tri, same, func(f int) bool {
				a, b, c := same[tri.Corners[3*f]], same[tri.Corners[3*f+1]], same[tri.Corners[3*f+2]]
				return a != b && b != c && c != a
			})
		})
	}
	look()
	if parted, place := mend.Apart(ctx, tri, net); place != nil && ctx.Err() == nil {
		tri, same, w.values, w.branched = parted, place, wedges{}, true
		look()
	}
	return tri, same, net
}

// link puts a corner into the ring of its place.
func (w *work) link(c int32) {
	p := w.place[c]
	w.alive[p] = true
	if w.first[p] < 0 {
		w.first[p], w.next[c] = c, c
		return
	}
	w.next[c] = w.next[w.first[p]]
	w.next[w.first[p]] = c
}

// carry numbers the wedges and copies what they carry.
func (w *work) carry(ctx context.Context, tri *scene.Mesh, same []int32) {
	normals := tri.Normals
	if !normals.Has() {
		normals = tri.SmoothNormals()
	}
	plain := *tri
	plain.Tangents = scene.Layer[[4]float32]{}
	keys := plain.VertexKeys(normals)
	places := make([]int32, len(tri.Corners))
	for c, p := range tri.Corners {
		places[c] = same[p]
	}
	keys[0] = places
	all := make([]int32, len(tri.Corners))
	for c := range all {
		all[c] = int32(c)
	}
	corner, index := scene.Share(ctx, all, keys)
	w.wedge = make([]int32, len(index))
	for c, i := range index {
		w.wedge[c] = int32(i)
	}
	v := &w.values
	if v.normal = normals.Has(); v.normal {
		v.width += 3
	}
	for _, u := range tri.UVs {
		if u.Has() {
			v.width += 2
		}
	}
	if tri.Colors.Has() {
		v.width += 4
	}
	v.data = make([]float64, 0, v.width*len(corner))
	for _, c := range corner {
		if v.normal {
			x := [3]float32{}
			if i := normals.Index[c]; i >= 0 {
				x = normals.Values[i]
			}
			v.data = append(v.data, float64(x[0]), float64(x[1]), float64(x[2]))
		}
		for _, u := range tri.UVs {
			if u.Has() {
				x := [2]float64{}
				if i := u.Index[c]; i >= 0 {
					x = u.Values[i]
				}
				v.data = append(v.data, x[0], x[1])
			}
		}
		if tri.Colors.Has() {
			x := [4]float32{1, 1, 1, 1}
			if i := tri.Colors.Index[c]; i >= 0 {
				x = tri.Colors.Values[i]
			}
			v.data = append(v.data, float64(x[0]), float64(x[1]), float64(x[2]), float64(x[3]))
		}
	}
}

// lines finds the edges that are borders or seams, gives them planes of their own, and classes
// the places by how many of them they have.
func (w *work) lines(tri *scene.Mesh, net *topo.Net) {
	many := make([]uint8, len(w.at))
	for e := range net.Edges() {
		runs := net.Runs(e)
		c := runs[0]
		a, b := w.place[c], w.place[topo.After(c)]
		hold := len(runs) != 2
		if !hold {
			d := runs[1]
			f, g := int(c/3), int(d/3)
			switch {
			case net.Alike(c, d): // wound against one another
				hold = true
			case w.wedge[c] != w.wedge[topo.After(d)] || w.wedge[topo.After(c)] != w.wedge[d]:
				hold = true
			case tri.Slot != nil && tri.Slot[f] != tri.Slot[g]:
				hold = true
			case tri.Hard != nil && (tri.Hard[c] || tri.Hard[d]):
				hold = true
			}
		}
		if !hold {
			continue
		}
		for _, c := range runs {
			w.crease[c] = true
		}
		for _, p := range [2]int32{a, b} {
			if many[p] < 3 {
				many[p]++
			}
			if len(runs) > 2 {
				many[p] = 3
			}
		}
		along := w.at[b].Sub(w.at[a])
		for _, c := range runs {
			x, y, z := w.at[w.place[c]], w.at[w.place[topo.After(c)]], w.at[w.place[topo.Before(c)]]
			n := y.Sub(x).Cross(z.Sub(x)).Cross(along).Unit() // across the edge, in the face
			var q quadric
			q.plane(n, -n.Dot(x), lineWeight*along.Dot(along)/float64(len(runs)))
			w.q[a].add(&q)
			w.q[b].add(&q)
		}
	}
	for p, n := range many {
		switch {
		case n == 0:
		case n == 2:
			w.class[p] = line
		default:
			w.class[p] = corner
		}
	}
	// What is not one fan, or is locked, stays.
	for p := range w.at {
		if w.first[p] >= 0 && w.class[p] != corner && !w.oneFan(int32(p)) {
			w.class[p] = corner
		}
	}
	w.runs(net)
	if w.o.Locked != nil {
		for c, p := range w.place {
			if p >= 0 && w.o.Locked(int(w.face[c/3])) {
				w.class[p] = corner
			}
		}
	}
}

// oneFan tells whether the triangles round a place hang together over edges of it as one fan, or
// as two where a line runs through.
func (w *work) oneFan(p int32) bool {
	// Each neighbour is met once on the way out of a triangle and once on the way in, but for the
	// two ends of a border.
	var near [32]int32
	out := near[:0]
	n := 0
	w.each(p, func(c int32) {
		n++
		if len(out) < mostRound {
			out = append(out, w.place[topo.After(c)])
		}
	})
	if n > mostRound {
		return false
	}
	slices.Sort(out)
	for i := 1; i < len(out); i++ {
		if out[i] == out[i-1] {
			return false
		}
	}
	// From one triangle to the next: those that are reached are all, or all from the border on. Each place has few.
	var rim [32]edgeOf
	round := rim[:0]
	w.each(p, func(c int32) { round = append(round, edgeOf{w.place[topo.After(c)], w.place[topo.Before(c)]}) })
	begin := 0
	for i := range round {
		first := true // nothing comes before it
		for j := range round {
			first = first && round[j].to != round[i].from
		}
		if first {
			begin = i
		}
	}
	reached := 0
	for at := begin; reached < n; {
		reached++
		next := 0
		for next < n && round[next].from != round[at].to {
			next++
		}
		if at = next; at == n || at == begin {
			break
		}
	}
	return reached == n
}

// edgeOf is the edge across from a place in one of its triangles.
type edgeOf struct{ from, to int32 }

// each calls f for every corner at a place.
func (w *work) each(p int32, f func(c int32)) {
	c := w.first[p]
	if c < 0 {
		return
	}
	for {
		n := w.next[c]
		f(c)
		if n == w.first[p] {
			return
		}
		c = n
	}
}
