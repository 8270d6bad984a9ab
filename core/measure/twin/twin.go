// Package twin finds meshes that are one mesh in another place: equal up to a turn,
// a move and perhaps a mirroring.
//
// Twins have the same faces with the same slots, UVs and smoothing, and points that fall on one another within a
// tolerance, in lengths of the meshes; another size is no twin. Pairs that can't be are told by what moving leaves
// as it is (area, reach, spread, slots), the others are solved: point by point where they stand in the same order,
// else by two points of the one tried on those of the other that lie as far from the middle, a bounded number of
// times, so that a mesh of very many equal corners may be missed and none is ever called a twin that is not.
package twin

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Match says that a mesh is another one, moved: Map carries the points of First
// onto those of Mesh, to within Off metres.
type Match struct {
	Mesh, First int
	Map         geom.Affine
	Off         float64
}

// form is what moving a mesh does not change.
type form struct {
	mesh                int
	slots               uint64
	area, around, reach float64 // area, mean square distance from the middle, greatest distance
	mid                 geom.Vec3
	same                []int32
}

// Find lists the meshes that equal one of lower number, which is itself equal to
// none. tol is how far, in metres, a point may be off. Faces, slots, UV coordinates
// and colours must agree too, and normals to a degree, so that taking one for the
// other changes nothing that can be seen.
// When ctx ends it returns early, with some of them.
func Find(ctx context.Context, meshes []*scene.Mesh, tol float64) []Match {
	buckets := map[[3]int][]*form{}
	counts := func(m *scene.Mesh) [3]int { return [3]int{len(m.Points), m.Faces(), len(m.Corners)} }
	alike := map[[3]int]int{}
	for _, m := range meshes {
		alike[counts(m)]++
	}
	var out []Match
	for i, m := range meshes {
		key := counts(m)
		if ctx.Err() != nil {
			return out
		}
		if m.Faces() == 0 || alike[key] < 2 {
			continue
		}
		s := formOf(i, m)
		found := false
		for _, o := range buckets[key] {
			if !o.like(s, tol) {
				continue
			}
			if a, off, ok := solve(ctx, meshes[o.mesh], m, o, s, tol); ok {
				out = append(out, Match{i, o.mesh, a, off})
				found = true
				break
			}
		}
		if !found {
			buckets[key] = append(buckets[key], s)
		}
	}
	return out
}

// formOf measures what stays the same however a mesh is placed and its points are
// ordered.
func formOf(i int, m *scene.Mesh) *form {
	s := &form{mesh: i}
	for f := range m.Faces() {
		s.area += m.FaceNormal(f).Len() / 2
	}
	for _, p := range m.Points {
		s.mid = s.mid.Add(p)
	}
	s.mid = s.mid.Mul(1 / float64(len(m.Points)))
	for _, p := range m.Points {
		d := p.Sub(s.mid)
		s.around += d.Dot(d)
		s.reach = max(s.reach, d.Len())
	}
	s.around = math.Sqrt(s.around / float64(len(m.Points)))
	used := slices.Clone(m.UsedSlots())
	slices.Sort(used)
	for _, k := range slices.Compact(used) {
		s.slots = s.slots*31 + uint64(k+2)
	}
	return s
}

// like is the quick test: what moving does not change must agree.
func (s *form) like(o *form, tol float64) bool {
	return s.slots == o.slots &&
		math.Abs(s.reach-o.reach) <= 2*tol && math.Abs(s.around-o.around) <= 2*tol &&
		math.Abs(s.area-o.area) <= 1e-6*s.area+8*tol*math.Sqrt(s.area)
}

// solve finds the map from a to b: first point by point, in the order they stand;
// when that fails, by pairs of points that are as far from the middle and from one
// another.
func solve(ctx context.Context, a, b *scene.Mesh, sa, sb *form, tol float64) (geom.Affine, float64, bool) {
	order := make([]int32, len(a.Points))
	for i := range order {
		order[i] = int32(i)
	}
	if m, off, ok := inOrder(a, b, sa, sb, tol); ok && agree(ctx, a, b, order, m) {
		return m, off, true
	}
	if sa.same == nil {
		sa.same = scene.Weld(ctx, a.Points)
	}
	sb.same = scene.Weld(ctx, b.Points)
	i1, i2 := anchors(a.Points, sa.mid)
	p1, p2 := a.Points[i1].Sub(sa.mid), a.Points[i2].Sub(sa.mid)
	if p1.Cross(p2).Len() < 1e-9*sa.reach*sa.reach {
		return geom.Identity, 0, false
	}
	table := newPlaces(b.Points, sb.same, max(2*tol, 1e-9*sa.reach))
	fa := triad(p1, p2, false)
	tries := 0
	for k1, q1 := range b.Points {
		if ctx.Err() != nil {
			return geom.Identity, 0, false
		}
		if sb.same[k1] != int32(k1) || math.Abs(q1.Dist(sb.mid)-p1.Len()) > 2*tol {
			continue
		}
		for k2, q2 := range b.Points {
			if sb.same[k2] != int32(k2) || math.Abs(q2.Dist(sb.mid)-p2.Len()) > 2*tol ||
				math.Abs(q2.Dist(q1)-p2.Dist(p1)) > 2*tol {
				continue
			}
			for _, mirrored := range []bool{false, true} {
				if tries++; tries > 256 {
					return geom.Identity, 0, false
				}
				r := triad(q1.Sub(sb.mid), q2.Sub(sb.mid), mirrored).Mul(fa.Transpose())
				m := geom.Affine{M: r, T: sb.mid.Sub(r.Apply(sa.mid))}
				if to, off, ok := table.match(ctx, a.Points, sa.same, m, tol); ok && agree(ctx, a, b, to, m) {
					return m, off, true
				}
			}
		}
	}
	return geom.Identity, 0, false
}

// inOrder is the least-squares rotation between two lists of points (Horn, Hilden
// and Negahdaripour 1988, "Closed-form solution of absolute orientation using
// orthonormal matrices"): the polar part of the covariance, mirrored or not as the
// covariance is.
func inOrder(a, b *scene.Mesh, sa, sb *form, tol float64) (geom.Affine, float64, bool) {
	var h geom.Mat3
	for i, p := range a.Points {
		u, v := p.Sub(sa.mid), b.Points[i].Sub(sb.mid)
		for r := range 3 {
			h[r] = h[r].Add(u.Mul(v[r]))
		}
	}
	r, _, ok := h.Polar()
	if !ok { // flat: the missing direction is the one across
		r, ok = flatRotation(h)
		if !ok {
			return geom.Identity, 0, false
		}
	}
	try := func(r geom.Mat3) (geom.Affine, float64, bool) {
		m := geom.Affine{M: r, T: sb.mid.Sub(r.Apply(sa.mid))}
		off := 0.0
		for i, p := range a.Points {
			if off = max(off, m.Apply(p).Dist(b.Points[i])); off > tol {
				return m, off, false
			}
		}
		return m, off, true
	}
	if h.Det() < 0 {
		r = r.Scaled(-1)
	}
	return try(r)
}

// flatRotation is the rotation of a covariance of rank two: its two directions are
// carried over, and the third is across both.
func flatRotation(h geom.Mat3) (geom.Mat3, bool) {
	_, v := h.Transpose().Mul(h).Eigen()
	x, y := h.Apply(v.Col(0)), h.Apply(v.Col(1))
	if y.Len() < 1e-9*x.Len() || x.Len() == 0 {
		return h, false
	}
	x, y = x.Unit(), y.Unit()
	return geom.Columns(x, y, x.Cross(y)).Mul(v.Transpose()), true
}

// anchors are two points far from the middle, in different directions.
func anchors(pts []geom.Vec3, mid geom.Vec3) (i, k int) {
	most := -1.0
	for n, p := range pts {
		if d := p.Dist(mid); d > most+1e-12 {
			most, i = d, n
		}
	}
	u := pts[i].Sub(mid).Unit()
	most = -1
	for n, p := range pts {
		if d := p.Sub(mid).Cross(u).Len(); d > most+1e-12 {
			most, k = d, n
		}
	}
	return i, k
}

// triad is the frame of two directions; mirrored turns its third direction round.
func triad(p, q geom.Vec3, mirrored bool) geom.Mat3 {
	x := p.Unit()
	z := x.Cross(q).Unit()
	y := z.Cross(x)
	if mirrored {
		z = z.Mul(-1)
	}
	return geom.Columns(x, y, z)
}

// places finds the point nearest to a place, by a grid.
type places struct {
	pts  []geom.Vec3
	cell float64
	grid map[[3]int64][]int32
}

// newPlaces hashes points into cells; same merges points of one place.
func newPlaces(pts []geom.Vec3, same []int32, cell float64) *places {
	p := &places{pts, cell, map[[3]int64][]int32{}}
	for i, q := range pts {
		if same[i] == int32(i) {
			k := p.key(q)
			p.grid[k] = append(p.grid[k], int32(i))
		}
	}
	return p
}

// key is the cell of a point.
func (p *places) key(q geom.Vec3) (k [3]int64) {
	for i := range 3 {
		k[i] = int64(math.Floor(q[i] / p.cell))
	}
	return k
}

// find is the nearest point within tol and its distance, -1 for none.
func (p *places) find(q geom.Vec3, tol float64) (int32, float64) {
	best, most := int32(-1), tol
	k := p.key(q)
	for dx := int64(-1); dx <= 1; dx++ {
		for dy := int64(-1); dy <= 1; dy++ {
			for dz := int64(-1); dz <= 1; dz++ {
				for _, i := range p.grid[[3]int64{k[0] + dx, k[1] + dy, k[2] + dz}] {
					if d := p.pts[i].Dist(q); d <= most {
						best, most = i, d
					}
				}
			}
		}
	}
	return best, most
}

// match finds for every point of a the point of b it falls on.
func (p *places) match(ctx context.Context, a []geom.Vec3, same []int32, m geom.Affine, tol float64) (to []int32,
	off float64, ok bool) {
	to = make([]int32, len(a))
	taken := map[int32]bool{}
	for i, q := range a {
		if i&0xfff == 0 && ctx.Err() != nil {
			return nil, 0, false
		}
		if same[i] != int32(i) {
			to[i] = to[same[i]]
			continue
		}
		k, d := p.find(m.Apply(q), tol)
		if k < 0 || taken[k] {
			return nil, 0, false
		}
		taken[k] = true
		to[i], off = k, max(off, d)
	}
	return to, off, true
}

// agree tells whether, with the points of a standing for those of b, every face has
// its counterpart with the same slot and the same values at its corners.
func agree(ctx context.Context, a, b *scene.Mesh, to []int32, m geom.Affine) bool {
	if len(a.UVs) != len(b.UVs) || a.Normals.Has() != b.Normals.Has() || a.Colors.Has() != b.Colors.Has() ||
		a.Tangents.Has() != b.Tangents.Has() || (a.Smooth == nil) != (b.Smooth == nil) || (a.Hard == nil) != (b.Hard == nil) {
		return false
	}
	// Points of b in the same place count as one.
	same := scene.Weld(ctx, b.Points)
	hash := func(c []int32, of func(int32) int32) (h uint64) {
		for _, p := range c {
			x := uint64(of(p)+1) * 0x9E3779B97F4A7C15
			h += (x ^ x>>29) * 0xff51afd7ed558ccd
		}
		return h
	}
	at := map[uint64][]int32{}
	for f := range b.Faces() {
		h := hash(b.Corners[b.FaceStart[f]:b.FaceStart[f+1]], func(p int32) int32 { return same[p] })
		at[h] = append(at[h], int32(f))
	}
	c := corners{a: a, b: b, mirrored: m.M.Det() < 0, m: m.M}
	for f := range a.Faces() {
		list := a.Corners[a.FaceStart[f]:a.FaceStart[f+1]]
		h := hash(list, func(p int32) int32 { return same[to[p]] })
		found := -1
		for k, g := range at[h] {
			if c.face(f, int(g), func(p int32) int32 { return same[to[p]] }, same) {
				found = k
				break
			}
		}
		if found < 0 {
			return false
		}
		at[h] = slices.Delete(at[h], found, found+1)
	}
	return true
}

// corners compares the corners of two faces.
type corners struct {
	a, b     *scene.Mesh
	mirrored bool
	m        geom.Mat3
}

// face tells whether face f maps to face g, beginning at some corner of it.
func (c corners) face(f, g int, of func(int32) int32, same []int32) bool {
	s, t := c.a.FaceStart[f], c.b.FaceStart[g]
	n := c.a.FaceStart[f+1] - s
	if n != c.b.FaceStart[g+1]-t || c.a.Material(f) != c.b.Material(g) ||
		c.a.Smooth != nil && (c.a.Smooth[f] == 0) != (c.b.Smooth[g] == 0) {
		return false
	}
	for shift := range n {
		ok := true
		for i := range n {
			// A mirrored mesh has its corners the other way round.
			k := (shift + i) % n
			if c.mirrored {
				k = (shift + n - i) % n
			}
			if of(c.a.Corners[s+i]) != same[c.b.Corners[t+k]] || !c.corner(s+i, t+k) {
				ok = false
				break
			}
		}
		if ok {
			return true
		}
	}
	return false
}

var normalCos = math.Cos(1 * math.Pi / 180)

// corner tells whether all layers agree at two corners.
func (c corners) corner(i, k int32) bool {
	for n := range c.a.UVs {
		u, v := c.a.UVs[n].Layer, c.b.UVs[n].Layer
		if !equal(u, v, i, k, func(p, q [2]float64) bool {
			return math.Abs(p[0]-q[0]) < 1e-5 && math.Abs(p[1]-q[1]) < 1e-5
		}) {
			return false
		}
	}
	return equal(c.a.Colors, c.b.Colors, i, k, func(p, q [4]float32) bool {
		for n := range 4 {
			if d := p[n] - q[n]; d > 1e-3 || d < -1e-3 {
				return false
			}
		}
		return true
	}) && equal(c.a.Normals, c.b.Normals, i, k, func(p, q [3]float32) bool {
		u := c.m.Apply(geom.Vec3{float64(p[0]), float64(p[1]), float64(p[2])})
		v := geom.Vec3{float64(q[0]), float64(q[1]), float64(q[2])}
		return u.Dot(v) >= normalCos*u.Len()*v.Len()
	})
}

// equal compares one layer at two corners; two absent layers are equal.
func equal[T any](a, b scene.Layer[T], i, k int32, same func(p, q T) bool) bool {
	if !a.Has() || !b.Has() {
		return a.Has() == b.Has()
	}
	p, q := a.Index[i], b.Index[k]
	if p < 0 || q < 0 {
		return p < 0 && q < 0
	}
	return same(a.Values[p], b.Values[q])
}

// Group is meshes that are one: First and its matches.
type Group struct {
	First   int
	Matches []Match
}

// Groups gathers matches by the mesh they equal.
func Groups(list []Match) []Group {
	var out []Group
	at := map[int]int{}
	for _, m := range list {
		k, ok := at[m.First]
		if !ok {
			k = len(out)
			at[m.First] = k
			out = append(out, Group{First: m.First})
		}
		out[k].Matches = append(out[k].Matches, m)
	}
	slices.SortFunc(out, func(a, b Group) int { return cmp.Compare(a.First, b.First) })
	return out
}

// Coincide tells whether two lists of as many points are the same places, in
// whatever order, to within tol. When ctx ends the answer means nothing.
func Coincide(ctx context.Context, a, b []geom.Vec3, tol float64) bool {
	if len(a) != len(b) {
		return false
	}
	same := true
	for i, p := range a {
		if p.Dist(b[i]) > tol {
			same = false
			break
		}
	}
	if same {
		return true
	}
	// A point that stands twice counts once, as it does on both sides.
	wa, wb := scene.Weld(ctx, a), scene.Weld(ctx, b)
	_, _, ok := newPlaces(b, wb, max(2*tol, 1e-12)).match(ctx, a, wa, geom.Identity, tol)
	return ok
}
