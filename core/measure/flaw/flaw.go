// Package flaw finds what is wrong with a mesh's surface: points that are not joined, faces
// without area, twice or needle-thin, edges of too many faces, borders, faces that turn their
// back, polygons that are bent or concave. It finds and locates; package mend puts right.
// So are faces that flicker, because they cover one another in one plane, and facets whose corners an outline shows.
//
// Faces, edges and points are named by their numbers in the mesh, in rising order. Limits are lengths or shares of
// the mesh's own coordinates; where two points are at one place is told within the rounding of the mesh, or within
// [Limits.Weld]. Every search is n log n but for what flickers and what lies inside, whose pairs are bounded, and
// which say so when they stopped there. Nothing is changed.
package flaw

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// Limits are where a flaw begins. The zero value of a field is what [Usual] has for it.
type Limits struct {
	Weld   float64 // points within it are at one place; metres, 0 for the rounding of the mesh alone
	Empty  float64 // a face has no area when it is at most this share of the square of its longest edge
	Needle float64 // a triangle is a needle when it is more than this many times as long as high
	Edge   float64 // an edge is short below it; metres, 0 for none
	Bent   float64 // a polygon is bent when a corner is off its mean plane by more than this share of its longest edge
	BentBy float64 // or, when it is not 0, by more than this; metres, negative for any
}

// Usual are the limits that apply where nothing else is decided.
var Usual = Limits{Empty: 1e-9, Needle: 100, Bent: 1e-3}

// Or fills what is zero.
func (l Limits) Or(u Limits) Limits {
	return Limits{cmp.Or(l.Weld, u.Weld), cmp.Or(l.Empty, u.Empty), cmp.Or(l.Needle, u.Needle), cmp.Or(l.Edge, u.Edge),
		cmp.Or(l.Bent, u.Bent), l.BentBy}
}

// Flaws are those of one mesh. Faces are numbers of its faces, and lists are ascending.
// Everything from edges on leaves out the faces without area and those that are there twice.
type Flaws struct {
	Net   *topo.Net // of the faces with area, each once
	Parts *topo.Parts

	Unjoined []int32 // points that stand where an earlier point stands, both used by faces
	Unused   []int32 // points no face uses
	Empty    []int32 // faces without area
	Doubled  []int32 // faces on the same places as an earlier one, in either direction
	Needles  []int32 // faces with a needle among their triangles
	NeedleN  int     // triangles that are needles
	Short    []int32 // edges that are short

	Crowded []int32      // edges of more than two faces
	Pinched []int32      // places where parts of the surface meet in that point alone
	Borders []topo.Chain // open borders
	Flipped []int32      // faces wound against the majority of their part
	Inside  []int32      // parts that are turned inside out
	Volumes []float64    // of each part as most of it is wound; cubic metres, 0 for an open one

	Bent    []int32   // polygons with a corner off their mean plane
	Off     []float64 // of each of them: its farthest corner; metres
	BentBy  float64   // the farthest of all; metres
	Concave []int32   // polygons with a dent
	DentBy  float64   // the deepest dent, from the line between its neighbours; metres

	Normals Normals
}

// Normals counts corners whose normal is not what it should be.
type Normals struct {
	None    bool    // the mesh has none at all
	Missing int     // corners without one where others have one
	Length  int     // corners whose normal is not of unit length
	Against []int32 // faces with a corner whose normal points behind the face
}

// Find looks for all flaws of a mesh. When ctx ends it returns early, and what it returns
// means nothing.
func Find(ctx context.Context, m *scene.Mesh, l Limits) *Flaws {
	l = l.Or(Usual)
	x, looks := begun(ctx, m, l)
	if x.Net == nil || ctx.Err() != nil {
		return x
	}
	split.Together(func() { x.parts(ctx) }, func() {
		x.needles(m, looks, l)
		x.edges(m, l)
		x.Borders = x.Net.Borders(ctx)
		x.pinched(ctx)
		x.normals(m)
	})
	return x
}

// FindInside looks only for parts that are inside out, and for what that takes: faces without area, those that are
// there twice, and parts. When ctx ends it returns early, and what it returns means nothing.
func FindInside(ctx context.Context, m *scene.Mesh) *Flaws {
	x, _ := begun(ctx, m, Usual)
	if x.Net != nil && ctx.Err() == nil {
		x.parts(ctx)
	}
	return x
}

// parts finds parts, faces in them that are turned over, and parts that are inside out.
func (x *Flaws) parts(ctx context.Context) {
	x.Parts = x.Net.Parts(ctx)
	for f, t := range x.Parts.Turned {
		if t {
			x.Flipped = append(x.Flipped, int32(f))
		}
	}
	x.inside(ctx)
}

// begun looks at points and faces, each by itself, and finds faces that are there twice and the net of the others.
func begun(ctx context.Context, m *scene.Mesh, l Limits) (*Flaws, []look) {
	x := &Flaws{}
	place := topo.Places(ctx, m.Points, max(l.Weld, topo.OnePlace(m.Points)))
	used := m.Used()
	taken := make([]bool, len(m.Points))
	for i, u := range used {
		switch {
		case !u:
			x.Unused = append(x.Unused, int32(i))
		case taken[place[i]]:
			x.Unjoined = append(x.Unjoined, int32(i))
		default:
			taken[place[i]] = true
		}
	}
	looks := make([]look, m.Faces())
	split.Range(m.Faces(), 1<<13, func(_, from, to int) {
		for f := from; f < to; f++ {
			if f&0x1fff == 0 && ctx.Err() != nil {
				return
			}
			looks[f] = lookAt(m, f, l)
		}
	})
	for f, s := range looks {
		if s.empty {
			x.Empty = append(x.Empty, int32(f))
		}
		if s.bent > 0 {
			x.Bent, x.Off, x.BentBy = append(x.Bent, int32(f)), append(x.Off, s.bent), max(x.BentBy, s.bent)
		}
		if s.dent > 0 {
			x.Concave, x.DentBy = append(x.Concave, int32(f)), max(x.DentBy, s.dent)
		}
		if s.against {
			x.Normals.Against = append(x.Normals.Against, int32(f))
		}
	}
	if ctx.Err() != nil {
		return x, looks
	}
	var first []int32 // of each doubled face, the one that was there before
	x.Doubled, first = doubled(ctx, m, place, looks)
	out := spare(ctx, m, place, looks, x.Doubled, first)
	x.Net = topo.Of(ctx, m, place, func(f int) bool { return !looks[f].empty && !out[f] })
	return x, looks
}

// edges finds those of more than two faces, and those that are short.
func (x *Flaws) edges(m *scene.Mesh, l Limits) {
	for e := range x.Net.Edges() {
		if x.Net.FacesAt(e) > 2 {
			x.Crowded = append(x.Crowded, int32(e))
		}
		if a, b := x.Net.Ends(e); l.Edge > 0 && m.Points[a].Dist(m.Points[b]) < l.Edge {
			x.Short = append(x.Short, int32(e))
		}
	}
}

// look is what one face is like by itself.
type look struct {
	empty      bool
	bent, dent float64 // 0 where it is plane, convex
	against    bool
}

// lookAt measures a face: its area by Newell's normal, how far corners are off the plane
// across it through their middle, and dents seen along it.
func lookAt(m *scene.Mesh, f int, l Limits) look {
	var s look
	c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
	normal := m.FaceNormal(f)
	longest := 0.0
	var middle geom.Vec3
	a := m.Points[c[len(c)-1]]
	for _, i := range c {
		b := m.Points[i]
		longest = max(longest, a.Dist(b))
		middle = middle.Add(b.Sub(m.Points[c[0]]))
		a = b
	}
	s.empty = !(normal.Len()/2 > l.Empty*longest*longest)
	if s.empty {
		return s
	}
	n := normal.Unit()
	if m.Normals.Has() {
		for k := m.FaceStart[f]; k < m.FaceStart[f+1] && !s.against; k++ {
			if i := m.Normals.Index[k]; i >= 0 {
				v := m.Normals.Values[i]
				s.against = n.Dot(geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}) < -1e-6
			}
		}
	}
	if len(c) == 3 {
		return s
	}
	middle = middle.Mul(1 / float64(len(c))).Add(m.Points[c[0]])
	bent := l.Bent * longest
	switch {
	case l.BentBy > 0:
		bent = l.BentBy
	case l.BentBy < 0:
		bent = 1e-7 * longest // what is more than rounding
	}
	for k, i := range c {
		b := m.Points[i]
		if off := math.Abs(b.Sub(middle).Dot(n)); off > bent {
			s.bent = max(s.bent, off)
		}
		a, d := m.Points[c[(k+len(c)-1)%len(c)]], m.Points[c[(k+1)%len(c)]]
		u, v := b.Sub(a), d.Sub(b)
		turn := u.Cross(v).Dot(n)
		if turn < -1e-6*u.Len()*v.Len() {
			// A corner within its neighbours' line by less than rounding is no dent.
			if deep := -turn / max(d.Dist(a), 1e-300); deep > 1e-7*longest {
				s.dent = max(s.dent, deep)
			}
		}
	}
	return s
}

// doubled lists faces on the same places as an earlier one: equal as rings of places, from
// whichever corner they begin and whichever way they run.
func doubled(ctx context.Context, m *scene.Mesh, place []int32, looks []look) (out, first []int32) {
	size := 16
	for size < 2*m.Faces() {
		size *= 2
	}
	table := make([]int32, size) // a face with that hash, plus one
	var ring, other []int32
	for f := range m.Faces() {
		if f&0x3fff == 0 && ctx.Err() != nil {
			return out, first
		}
		if looks[f].empty {
			continue
		}
		ring = ringOf(m, place, f, ring[:0])
		// A sum and a product of the places' hashes do not depend on their order.
		h := uint64(len(ring))
		for _, p := range ring {
			x := (uint64(p) + 1) * 0x9e3779b97f4a7c15
			x ^= x >> 29
			h += x * (x | 1)
		}
		h ^= h >> 32
		k := int(h*0xc4ceb9fe1a85ec53>>20) & (size - 1)
		for ; table[k] > 0; k = (k + 1) & (size - 1) {
			other = ringOf(m, place, int(table[k]-1), other[:0])
			if slices.Equal(ring, other) {
				out, first = append(out, int32(f)), append(first, table[k]-1)
				break
			}
		}
		if table[k] == 0 {
			table[k] = int32(f) + 1
		}
	}
	return out, first
}

// spare tells which faces no edge counts: those that are there twice, and of walls between two bodies, which both
// bodies have, the first ones too. A wall is doubled faces that hang together and have, all along their rim, two
// other faces.
func spare(ctx context.Context, m *scene.Mesh, place []int32, looks []look, twice, first []int32) []bool {
	out := make([]bool, m.Faces())
	if len(twice) == 0 {
		return out
	}
	all := topo.Of(ctx, m, place, func(f int) bool { return !looks[f].empty })
	of := map[int32]int32{} // of a face of a pair, the number of the pair
	for i, f := range twice {
		out[f] = true
		of[f], of[first[i]] = int32(i), int32(i)
	}
	wall := union.New(len(twice))
	rim := make(map[int32]bool, len(twice)) // of each pair that has a rim: whether all of it has two other faces
	for _, joins := range []bool{true, false} {
		for e := range all.Edges() {
			runs := all.Runs(e)
			pair, inner, others := int32(-1), 0, 0
			for _, c := range runs {
				p, ok := of[all.FaceOf[c]]
				if !ok {
					others++
					continue
				}
				if inner++; joins && pair >= 0 {
					wall.Join(pair, p)
				}
				pair = p
			}
			if joins || pair < 0 || inner != 2 {
				continue
			}
			root := wall.Find(pair)
			was, there := rim[root]
			rim[root] = others == 2 && (was || !there)
		}
	}
	for i := range twice {
		if rim[wall.Find(int32(i))] {
			out[first[i]] = true
		}
	}
	return out
}

// ringOf is the places round a face without those met twice in a row, from the lowest on, the
// way that leads to the lower of its neighbours.
func ringOf(m *scene.Mesh, place []int32, f int, ring []int32) []int32 {
	for _, c := range m.Corners[m.FaceStart[f]:m.FaceStart[f+1]] {
		if p := place[c]; len(ring) == 0 || ring[len(ring)-1] != p {
			ring = append(ring, p)
		}
	}
	if len(ring) > 1 && ring[0] == ring[len(ring)-1] {
		ring = ring[:len(ring)-1]
	}
	low := 0
	for k, p := range ring {
		if p < ring[low] {
			low = k
		}
	}
	n := len(ring)
	slices.Reverse(ring[:low])
	slices.Reverse(ring[low:])
	slices.Reverse(ring)
	if n > 2 && ring[n-1] < ring[1] {
		slices.Reverse(ring[1:])
	}
	return ring
}

// needles counts the triangles more than so many times as long as high; the cuts of a polygon
// are those of its triangulation.
func (x *Flaws) needles(m *scene.Mesh, looks []look, l Limits) {
	last := int32(-1)
	m.EachTriangle(func(f int, a, b, c int32) {
		if looks[f].empty {
			return
		}
		p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
		long := max(p.Dist(q), q.Dist(r), r.Dist(p))
		// Height over the longest edge is twice the area by it.
		if twice := q.Sub(p).Cross(r.Sub(p)).Len(); twice*l.Needle < long*long {
			x.NeedleN++
			if last != int32(f) {
				last = int32(f)
				x.Needles = append(x.Needles, last)
			}
		}
	})
}

// pinched finds the places where the faces do not hang together over edges of that place:
// each such fan of faces touches the others in the point alone.
func (x *Flaws) pinched(ctx context.Context) {
	n := x.Net
	m := n.Mesh
	fans := make([]uint8, len(m.Points)) // per place, how many fans there are so far, at most 2
	corners := union.New(len(m.Corners))
	// Corners at one place whose faces share an edge of it are one fan.
	for e := range n.Edges() {
		if e&0xffff == 0 && ctx.Err() != nil {
			return
		}
		runs := n.Runs(e)
		for _, c := range runs[1:] {
			n.JoinAcross(corners, runs[0], c)
		}
	}
	for c := range m.Corners {
		if n.Edge[c] < 0 && n.Edge[n.Prev(int32(c))] < 0 {
			continue
		}
		if corners.Find(int32(c)) == int32(c) {
			if p := n.At(int32(c)); fans[p] < 2 {
				if fans[p]++; fans[p] == 2 {
					x.Pinched = append(x.Pinched, p)
				}
			}
		}
	}
	slices.Sort(x.Pinched)
}

// inside measures the parts' volumes and finds those turned inside out: closed, wound to a
// negative volume, and not the inner wall of a hollow one, which is meant so.
func (x *Flaws) inside(ctx context.Context) {
	n, p := x.Net, x.Parts
	m := n.Mesh
	x.Volumes = make([]float64, p.N)
	areas := make([]float64, p.N)
	for f, k := range p.Of {
		if k < 0 || !p.Closed[k] {
			continue
		}
		o := m.Points[m.Corners[m.FaceStart[p.FirstFace[k]]]]
		c := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
		a := m.Points[c[0]].Sub(o)
		v := 0.0
		for i := 1; i+1 < len(c); i++ {
			v += a.Dot(m.Points[c[i]].Sub(o).Cross(m.Points[c[i+1]].Sub(o))) / 6
		}
		if p.Turned[f] {
			v = -v
		}
		x.Volumes[k] += v
		areas[k] += m.FaceNormal(f).Len() / 2
	}
	var tree *geom.BVH
	var of []int32 // of the tree's triangles: their part
	for k, v := range x.Volumes {
		if !p.Closed[k] || p.TwoFaced[k] || !(v < -1e-9*math.Pow(areas[k], 1.5)) {
			continue
		}
		if tree == nil && p.N > 1 {
			var tris []int32
			m.EachTriangle(func(f int, a, b, c int32) {
				if j := p.Of[f]; j >= 0 && p.Closed[j] {
					tris, of = append(tris, m.Corners[a], m.Corners[b], m.Corners[c]), append(of, j)
				}
			})
			tree = geom.NewBVH(ctx, m.Points, tris)
		}
		if ctx.Err() != nil {
			return
		}
		if p.N == 1 || !within(tree, of, m.Points[m.Corners[m.FaceStart[p.FirstFace[k]]]], int32(k)) {
			x.Inside = append(x.Inside, int32(k))
		}
	}
}

// within tells whether a point of part k lies in an odd number of other parts, by two of three
// rays in odd directions.
func within(tree *geom.BVH, of []int32, at geom.Vec3, k int32) bool {
	votes := 0
	for _, along := range []geom.Vec3{{0.8017, 0.2673, 0.5345}, {-0.3244, 0.4867, 0.8111}, {0.4082, -0.8165, 0.4083}} {
		n := 0
		tree.Crossed(at, along, func(tri int) {
			if of[tri] != k {
				n++
			}
		})
		votes += n & 1
	}
	return votes >= 2
}

// normals counts what is wrong with the stored normals.
func (x *Flaws) normals(m *scene.Mesh) {
	l := m.Normals
	if !l.Has() {
		x.Normals.None = true
		return
	}
	off := make([]bool, len(l.Values))
	for i, v := range l.Values {
		n := geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}.Len()
		off[i] = !(math.Abs(n-1) <= 1e-3)
	}
	for _, i := range l.Index {
		switch {
		case i < 0:
			x.Normals.Missing++
		case off[i]:
			x.Normals.Length++
		}
	}
	if x.Normals.Missing == len(l.Index) {
		x.Normals = Normals{None: true}
	}
}
