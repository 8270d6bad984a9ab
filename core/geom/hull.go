package geom

import (
	"context"
	"math"
	"slices"
)

// Hull is the convex hull of points.
type Hull struct {
	Points []Vec3     // its corners
	Faces  [][3]int32 // triangles, anticlockwise seen from outside
	Flat   bool       // the points lie in one plane: the faces are that plane, both ways
}

// hullFace is a triangle in the making: nb[i] is across the side from v[i] to v[i+1].
type hullFace struct {
	v, nb   [3]int32
	n       Vec3
	d       float64
	outside []int32
	far     int32
	farD    float64
	dead    bool
	seen    int32
}

// quickhull is one run of the algorithm (Barber, Dobkin and Huhdanpaa 1996). Faces are
// kept in one list with free places; every point outside belongs to exactly one face
// that sees it. Which points are far enough outside to be joined is told within a tolerance,
// which faces such a point sees is told exactly: so the hull of what was joined is always convex.
// Faces in whose plane a point lies are replaced with those it sees, so that none has no area.
type quickhull struct {
	pts   []Vec3
	eps   float64
	faces []hullFace
	round int32
}

// HullOf is the convex hull by the quickhull algorithm (Barber, Dobkin and
// Huhdanpaa 1996, "The quickhull algorithm for convex hulls"). A point less than a
// millionth of the largest extent outside counts as inside, so that subdivided
// flat faces do not fall into slivers. Fewer than three points, or points on one
// line, have no hull: it has no faces then.
//
// When ctx ends it returns early, with the hull of some of the points.
func HullOf(ctx context.Context, pts []Vec3) *Hull { return HullWithin(ctx, pts, 1e-6) }

// Finely is the least share of the largest extent that [HullWithin] tells points from planes by.
const Finely = 1e-12

// HullWithin is HullOf where a point counts as inside that is outside by less than a share of the
// largest extent, at least [Finely], and of what doubles tell so far from the origin. Along an edge
// sharper than a right angle a point may be outside by that over the sine of half the angle.
func HullWithin(ctx context.Context, pts []Vec3, share float64) *Hull {
	b := EmptyBox()
	for _, p := range pts {
		for k, v := range p {
			if v < b.Min[k] {
				b.Min[k] = v
			}
			if v > b.Max[k] {
				b.Max[k] = v
			}
		}
	}
	if len(pts) == 0 {
		return &Hull{}
	}
	// About the middle, so that a mesh far from the origin keeps its digits.
	mid := b.Center()
	far := max(b.Max.Max(), b.Min.Mul(-1).Max())
	q := &quickhull{pts: make([]Vec3, len(pts)), eps: max(max(share, Finely)*b.Size().Max(), 1e-15*far)}
	for i, p := range pts {
		q.pts[i] = p.Sub(mid)
	}
	tetra, dim := q.first(ctx)
	var h *Hull
	switch dim {
	case 3:
		q.grow(ctx, tetra)
		h = q.collect()
	case 2:
		h = q.flat(tetra)
	default:
		h = &Hull{}
		for i := range dim + 1 {
			h.Points = append(h.Points, q.pts[tetra[i]])
		}
	}
	for i := range h.Points {
		h.Points[i] = h.Points[i].Add(mid)
	}
	return h
}

// first finds four points far apart, and how many dimensions they span.
func (q *quickhull) first(ctx context.Context) (t [4]int32, dim int) {
	var ext [6]int32
	for i, p := range q.pts {
		if i&0xffff == 0 && ctx.Err() != nil {
			return t, 0
		}
		for k := range 3 {
			if p[k] < q.pts[ext[2*k]][k] {
				ext[2*k] = int32(i)
			}
			if p[k] > q.pts[ext[2*k+1]][k] {
				ext[2*k+1] = int32(i)
			}
		}
	}
	most := 0.0
	for _, a := range ext {
		for _, b := range ext {
			if d := q.pts[a].Dist(q.pts[b]); d > most {
				most, t[0], t[1] = d, a, b
			}
		}
	}
	if most <= q.eps || most == 0 {
		return t, 0
	}
	far := func(dist func(p Vec3) float64) (int32, float64) {
		best, most := int32(0), -1.0
		for i, p := range q.pts {
			if i&0xffff == 0 && ctx.Err() != nil {
				break
			}
			if d := dist(p); d > most {
				best, most = int32(i), d
			}
		}
		return best, most
	}
	a := q.pts[t[0]]
	u := q.pts[t[1]].Sub(a).Unit()
	var d float64
	if t[2], d = far(func(p Vec3) float64 { return p.Sub(a).Cross(u).Len() }); d <= q.eps {
		return t, 1
	}
	n := u.Cross(q.pts[t[2]].Sub(a)).Unit()
	if t[3], d = far(func(p Vec3) float64 { return math.Abs(p.Sub(a).Dot(n)) }); d <= q.eps {
		return t, 2
	}
	return t, 3
}

// face makes a face of three corners whose normal points outward, and gives its place in
// the list.
func (q *quickhull) face(a, b, c int32) int32 {
	p := q.pts[a]
	n := finely(p, q.pts[b], q.pts[c])
	q.faces = append(q.faces, hullFace{v: [3]int32{a, b, c}, n: n, d: n.Dot(p), far: -1, seen: -1})
	return int32(len(q.faces) - 1)
}

// grow adds the farthest outside point of a face until no face has one. t is the first
// tetrahedron.
func (q *quickhull) grow(ctx context.Context, t [4]int32) {
	a := q.pts[t[0]]
	if q.pts[t[1]].Sub(a).Cross(q.pts[t[2]].Sub(a)).Dot(q.pts[t[3]].Sub(a)) > 0 {
		t[1], t[2] = t[2], t[1]
	}
	// The base looks away from the tip, the sides join it to the tip.
	q.face(t[0], t[1], t[2])
	q.face(t[0], t[3], t[1])
	q.face(t[1], t[3], t[2])
	q.face(t[2], t[3], t[0])
	q.faces[0].nb = [3]int32{1, 2, 3}
	q.faces[1].nb = [3]int32{3, 2, 0}
	q.faces[2].nb = [3]int32{1, 3, 0}
	q.faces[3].nb = [3]int32{2, 1, 0}
	all := make([]int32, len(q.pts))
	for i := range all {
		all[i] = int32(i)
	}
	work := []int32{0, 1, 2, 3}
	q.hand(ctx, all, work)
	for len(work) > 0 && ctx.Err() == nil {
		f := work[len(work)-1]
		work = work[:len(work)-1]
		if q.faces[f].dead || len(q.faces[f].outside) == 0 {
			continue
		}
		work = append(work, q.raise(ctx, f)...)
	}
}

// hand gives every point that lies outside to the first of the faces it is outside of.
func (q *quickhull) hand(ctx context.Context, list []int32, faces []int32) {
	for n, i := range list {
		if n&0xffff == 0xffff && ctx.Err() != nil {
			return
		}
		p := q.pts[i]
		for _, k := range faces {
			f := &q.faces[k]
			if d := f.n[0]*p[0] + f.n[1]*p[1] + f.n[2]*p[2] - f.d; d > q.eps {
				f.outside = append(f.outside, i)
				if d > f.farD {
					f.far, f.farD = i, d
				}
				break
			}
		}
	}
}

// raise joins the farthest point outside of face f to the hull and returns the new
// faces.
func (q *quickhull) raise(ctx context.Context, f int32) []int32 {
	eye := q.faces[f].far
	p := q.pts[eye]
	if v := q.faces[f].v; side(q.pts[v[0]], q.pts[v[1]], q.pts[v[2]], p) <= 0 {
		q.faces[f].outside = nil // by rounding: none of them is farther out
		return nil
	}
	q.round++
	type rim struct{ a, b, across int32 }
	var rims []rim
	var gone []int32
	// Walk over the faces the point sees, depth first and always the same way round,
	// so that the rim comes out as one closed line.
	type visit struct {
		face int32
		side int // to begin with
		left int
	}
	q.faces[f].seen, q.faces[f].dead = q.round, true
	gone = append(gone, f)
	stack := []visit{{f, 0, 3}}
	for len(stack) > 0 {
		v := &stack[len(stack)-1]
		if v.left == 0 {
			stack = stack[:len(stack)-1]
			continue
		}
		i := v.side
		v.side, v.left = (v.side+1)%3, v.left-1
		cur := &q.faces[v.face]
		k := cur.nb[i]
		nb := &q.faces[k]
		if nb.dead && nb.seen == q.round {
			continue
		}
		if side(q.pts[nb.v[0]], q.pts[nb.v[1]], q.pts[nb.v[2]], p) >= 0 {
			nb.seen, nb.dead = q.round, true
			gone = append(gone, k)
			back := 0
			for j := range 3 {
				if nb.nb[j] == v.face && nb.v[j] == cur.v[(i+1)%3] {
					back = j
				}
			}
			stack = append(stack, visit{k, (back + 1) % 3, 2})
			continue
		}
		rims = append(rims, rim{cur.v[i], cur.v[(i+1)%3], k})
	}
	made := make([]int32, len(rims))
	for i, r := range rims {
		made[i] = q.face(r.a, r.b, eye)
	}
	for i, r := range rims {
		n := &q.faces[made[i]]
		n.nb = [3]int32{r.across, made[(i+1)%len(made)], made[(i+len(made)-1)%len(made)]}
		o := &q.faces[r.across]
		for j := range 3 {
			if o.v[j] == r.b && o.v[(j+1)%3] == r.a {
				o.nb[j] = made[i]
			}
		}
	}
	for _, g := range gone {
		list := q.faces[g].outside
		q.faces[g].outside = nil
		for i, k := range list {
			if k == eye {
				list[i] = list[len(list)-1]
				list = list[:len(list)-1]
				break
			}
		}
		q.hand(ctx, list, made)
	}
	return made
}

// collect makes the hull of the faces that are left, with the points of its corners
// alone.
func (q *quickhull) collect() *Hull {
	h := &Hull{}
	at := map[int32]int32{}
	for _, f := range q.faces {
		if f.dead {
			continue
		}
		var t [3]int32
		for i, v := range f.v {
			k, ok := at[v]
			if !ok {
				k = int32(len(h.Points))
				at[v] = k
				h.Points = append(h.Points, q.pts[v])
			}
			t[i] = k
		}
		h.Faces = append(h.Faces, t)
	}
	return h
}

// flat makes the hull of points in one plane.
func (q *quickhull) flat(t [4]int32) *Hull {
	o := q.pts[t[0]]
	u := q.pts[t[1]].Sub(o).Unit()
	n := u.Cross(q.pts[t[2]].Sub(o)).Unit()
	v := n.Cross(u)
	flat := make([]Vec2, len(q.pts))
	for i, p := range q.pts {
		d := p.Sub(o)
		flat[i] = Vec2{d.Dot(u), d.Dot(v)}
	}
	h := &Hull{Flat: true}
	for i, p := range OutlineOf(flat) {
		h.Points = append(h.Points, o.Add(u.Mul(p[0])).Add(v.Mul(p[1])))
		if i > 1 {
			h.Faces = append(h.Faces, [3]int32{0, int32(i - 1), int32(i)}, [3]int32{0, int32(i), int32(i - 1)})
		}
	}
	return h
}

// Facet is a flat side of a hull.
type Facet struct {
	Normal Vec3 // outward
	Area   float64
	Ring   []Vec3 // its corners, anticlockwise seen from outside
	Around []int  // the facets it borders on
}

// Facets joins the triangles of one plane: those whose normals differ by less than
// half a degree from that of the largest among them.
func (h *Hull) Facets() []Facet {
	n := make([]Vec3, len(h.Faces))
	area := make([]float64, len(h.Faces))
	across := map[[2]int32]int32{}
	for i, f := range h.Faces {
		a := h.Points[f[0]]
		c := h.Points[f[1]].Sub(a).Cross(h.Points[f[2]].Sub(a))
		area[i], n[i] = c.Len()/2, c.Unit()
		for k := range 3 {
			across[[2]int32{f[k], f[(k+1)%3]}] = int32(i)
		}
	}
	order := make([]int32, len(h.Faces))
	for i := range order {
		order[i] = int32(i)
	}
	sortBy(order, func(i int32) float64 { return -area[i] })
	level := math.Cos(0.5 * math.Pi / 180)
	taken := make([]int32, len(h.Faces)) // the facet of each face, from 1
	var out []Facet
	for _, first := range order {
		if taken[first] > 0 || area[first] <= 1e-12*area[order[0]] { // a needle says nothing of its plane
			continue
		}
		f := Facet{Normal: n[first]}
		todo := []int32{first}
		number := int32(len(out) + 1)
		taken[first] = number
		var pts []Vec2
		o := h.Points[h.Faces[first][0]]
		u := f.Normal.Across()
		v := f.Normal.Cross(u)
		for len(todo) > 0 {
			i := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			f.Area += area[i]
			for k, c := range h.Faces[i] {
				d := h.Points[c].Sub(o)
				pts = append(pts, Vec2{d.Dot(u), d.Dot(v)})
				nb, ok := across[[2]int32{h.Faces[i][(k+1)%3], c}]
				if ok && taken[nb] == 0 && n[nb].Dot(f.Normal) > level {
					taken[nb] = number
					todo = append(todo, nb)
				}
			}
		}
		for _, p := range OutlineOf(pts) {
			f.Ring = append(f.Ring, o.Add(u.Mul(p[0])).Add(v.Mul(p[1])))
		}
		out = append(out, f)
	}
	for i, f := range h.Faces {
		for k := range 3 {
			nb, ok := across[[2]int32{f[(k+1)%3], f[k]}]
			if a := taken[i]; ok && a > 0 && taken[nb] > 0 && taken[nb] != a &&
				!slices.Contains(out[a-1].Around, int(taken[nb]-1)) {
				out[a-1].Around = append(out[a-1].Around, int(taken[nb]-1))
			}
		}
	}
	return out
}

// TightBox is the smallest box round the hull among those that have a facet on one
// side, and the box along the axes: the columns of the frame are its directions,
// the longest first, and size its extents along them. (The smallest of all needs
// only edges on its sides, O'Rourke 1985, "Finding minimal enclosing boxes"; for
// made things a facet lies on one.) When ctx ends it returns early, with a box that
// may not be the smallest.
func (h *Hull) TightBox(ctx context.Context) (frame Mat3, size Vec3) {
	best := math.Inf(1)
	try := func(m Mat3) {
		lo, hi := Vec3{math.Inf(1), math.Inf(1), math.Inf(1)}, Vec3{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
		for _, p := range h.Points {
			for k := range 3 {
				d := p[0]*m[0][k] + p[1]*m[1][k] + p[2]*m[2][k]
				lo[k], hi[k] = min(lo[k], d), max(hi[k], d)
			}
		}
		s := hi.Sub(lo)
		// A turned box must be better by more than rounding; a flat thing is
		// compared by its face.
		if cost := (s[0] + 1e-9) * (s[1] + 1e-9) * (s[2] + 1e-9); cost < best*(1-1e-6) {
			best, frame, size = cost, m, s
		}
	}
	frame = Identity3
	if len(h.Points) == 0 {
		return frame, Vec3{}
	}
	try(Identity3)
	flat := make([]Vec2, len(h.Points))
	for i, f := range h.Facets() {
		if i == 48 || ctx.Err() != nil { // the largest decide; a ball has thousands alike
			break
		}
		u := f.Normal.Across()
		v := f.Normal.Cross(u)
		for k, p := range h.Points {
			flat[k] = Vec2{p.Dot(u), p.Dot(v)}
		}
		angle, _, _ := OutlineOf(append([]Vec2(nil), flat...)).TightRectangle()
		s, c := math.Sincos(angle)
		x := u.Mul(c).Add(v.Mul(s))
		try(Columns(x, f.Normal.Cross(x), f.Normal))
	}
	order := []int32{0, 1, 2}
	sortBy(order, func(i int32) float64 { return -size[i] })
	a, b := frame.Col(int(order[0])), frame.Col(int(order[1]))
	return Columns(a, b, a.Cross(b)), Vec3{size[order[0]], size[order[1]], size[order[2]]}
}
