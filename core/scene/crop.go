package scene

import (
	"context"

	"yarvek/core/geom"
)

// Plane is the half of space where N·p is at most D.
type Plane struct {
	N geom.Vec3
	D float64
}

// over is how far p lies beyond the plane, in lengths of N.
func (h Plane) over(p geom.Vec3) float64 { return h.N.Dot(p) - h.D }

// lain is a point of the plane, up to rounding, without it where the plane is square to an axis.
func (h Plane) lain(p geom.Vec3) geom.Vec3 {
	for i, c := range h.N {
		var axis geom.Vec3
		if axis[i] = c; h.N == axis && c*c == 1 {
			p[i] = c * h.D
		}
	}
	return p
}

// Carried is the plane in coordinates that a takes to those it was given in.
func (h Plane) Carried(a geom.Affine) Plane {
	return Plane{a.M.Transpose().Apply(h.N), h.D - h.N.Dot(a.T)}
}

// Region is a room that planes do not bound: a ball, or what lies within an outline along a direction.
type Region struct {
	// To takes places to those of the region's own: those of a ball that has the origin for its middle and a radius of
	// one, or whose first two coordinates are the outline's.
	To geom.Affine
	// Outline is a closed polygon; what it goes round an odd number of times is within. Nil for a ball.
	Outline [][2]float64
}

// Carried is the region in coordinates that a takes to those it was given in.
func (r Region) Carried(a geom.Affine) Region { return Region{r.To.Mul(a), r.Outline} }

// holds tells whether a place is within.
func (r Region) holds(p geom.Vec3) bool {
	p = r.To.Apply(p)
	if r.Outline == nil {
		return p.Dot(p) <= 1
	}
	in := false
	for i, a := range r.Outline {
		b := r.Outline[(i+1)%len(r.Outline)]
		if (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0]+(p[1]-a[1])/(b[1]-a[1])*(b[0]-a[0]) {
			in = !in
		}
	}
	return in
}

// Cropping says what of a mesh stays: what lies within all planes and the region, or what does not.
type Cropping struct {
	Within  []Plane
	Region  *Region // nil for none; with one faces stay whole
	Outside bool    // what does not lie within stays
	Whole   bool    // faces go or stay as their middle does; else they are cut at the planes
}

// Cropped is the mesh cut down; itself when all of it stays, and without faces when nothing
// does. Faces that are cut keep their slot, their smoothing and their hard edges; normals,
// tangents, colours and UVs of new corners lie between those of the edge that was cut
// (Sutherland and Hodgman 1974, one plane after the other). Two faces on one edge get one new
// point, so what hung together still does. A face that is not convex is cut as triangles.
// When ctx ends it returns early, and what it returns means nothing.
func (m *Mesh) Cropped(ctx context.Context, c Cropping) *Mesh {
	if m.Cloud != nil {
		return m.dotsWithin(c)
	}
	k := &cropper{m: m, Cropping: c, points: m.Points[:len(m.Points):len(m.Points)], made: map[cutEdge]int32{}}
	k.layers()
	beyond := make([]uint64, len(m.Points)) // a bit for each plane
	for i, p := range m.Points {
		for b, h := range c.Within {
			if h.over(p) > 0 {
				beyond[i] |= 1 << b
			}
		}
	}
	concave := map[int]bool{}
	whole := true
	for f := range m.Faces() {
		if f&0x3fff == 0 && ctx.Err() != nil {
			return m
		}
		all, any := ^uint64(0), uint64(0)
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		for _, p := range m.Corners[s:e] {
			all &= beyond[p]
			any |= beyond[p]
		}
		switch {
		case c.Region == nil && (any == 0 || all != 0): // wholly within, or wholly beyond one plane
			if (any == 0) != c.Outside {
				k.keep(f)
			} else {
				whole = false
			}
		case c.Whole || c.Region != nil:
			if k.middle(f) != c.Outside {
				k.keep(f)
			} else {
				whole = false
			}
		case e-s > 3 && !m.convex(f):
			concave[f], whole = true, false
		default:
			ring := make([]int32, e-s)
			for i := range ring {
				ring[i] = k.corner(s + int32(i))
			}
			whole = false
			k.cut(f, ring)
		}
	}
	if whole {
		return m
	}
	if len(concave) > 0 {
		m.EachTriangle(func(f int, a, b, c int32) {
			if concave[f] {
				k.cut(f, []int32{k.corner(a), k.corner(b), k.corner(c)})
			}
		})
	}
	if c.Outside {
		k.stitch()
	}
	return k.mesh()
}

// stitch puts the points at which an edge was cut in one face into the others that have the
// edge: a face that was not cut there, or a piece that was done with before.
func (k *cropper) stitch() {
	touched := make([]bool, len(k.points))
	for e := range k.made {
		if e.layer < 0 {
			touched[e.lo], touched[e.hi] = true, true
		}
	}
	var out []int32
	var between func(c, d int32)
	between = func(c, d int32) {
		p, q := k.pool[c].point, k.pool[d].point
		for b := 0; b < len(k.Within) && int(max(p, q)) < len(touched) && touched[p] && touched[q]; b++ {
			if _, cut := k.made[cutEdge{min(p, q), max(p, q), int8(b), -1, 0}]; cut {
				x := k.on(c, d, b)
				between(c, x)
				out = append(out, x)
				between(x, d)
				return
			}
		}
	}
	from := int32(0)
	for f, to := range k.start {
		ring := k.out[from:to]
		for i, c := range ring {
			out = append(out, c)
			between(c, ring[(i+1)%len(ring)])
		}
		from = to
		k.start[f] = int32(len(out))
	}
	k.out = out
}

// convex tells whether a face has no corner that turns the other way.
func (m *Mesh) convex(f int) bool {
	n := m.FaceNormal(f)
	ring := m.Corners[m.FaceStart[f]:m.FaceStart[f+1]]
	for i := range ring {
		a, b, c := m.Points[ring[i]], m.Points[ring[(i+1)%len(ring)]], m.Points[ring[(i+2)%len(ring)]]
		if b.Sub(a).Cross(c.Sub(b)).Dot(n) < 0 {
			return false
		}
	}
	return true
}

// cutEdge names the new point on an edge, or the new value between two, at a plane.
type cutEdge struct {
	lo, hi int32
	plane  int8
	layer  int8  // -1 for points
	point  int32 // new point of a value, 0 for points
}

// pooled is a corner in the making: its point, and its value in each layer.
type pooled struct {
	point int32
	hard  bool
	value [3 + maxLayers]int32
}

// maxLayers is how many UV sets a mesh can carry through a cut.
const maxLayers = 8

// cropper makes the mesh that stays.
type cropper struct {
	m *Mesh
	Cropping
	points []geom.Vec3
	made   map[cutEdge]int32
	pool   []pooled
	out    []int32 // corners of the faces that stay, in the pool
	start  []int32
	from   []int32 // face of each

	index   [3 + maxLayers][]int32 // of the mesh, nil where it has none
	between [3 + maxLayers]func(a, b int32, t float64) int32

	normals  Layer[[3]float32]
	tangents Layer[[4]float32]
	colors   Layer[[4]float32]
	uvs      []UVSet
}

// layers opens those the mesh has.
func (k *cropper) layers() {
	m := k.m
	k.normals, k.tangents, k.colors = own(m.Normals), own(m.Tangents), own(m.Colors)
	k.index[0], k.index[1], k.index[2] = m.Normals.Index, m.Tangents.Index, m.Colors.Index
	k.between[0] = func(a, b int32, t float64) int32 {
		v := mixed3(k.normals.Values[a], k.normals.Values[b], t)
		k.normals.Values = append(k.normals.Values, v)
		return int32(len(k.normals.Values) - 1)
	}
	k.between[1] = func(a, b int32, t float64) int32 {
		k.tangents.Values = append(k.tangents.Values, mixed4(k.tangents.Values[a], k.tangents.Values[b], t, true))
		return int32(len(k.tangents.Values) - 1)
	}
	k.between[2] = func(a, b int32, t float64) int32 {
		k.colors.Values = append(k.colors.Values, mixed4(k.colors.Values[a], k.colors.Values[b], t, false))
		return int32(len(k.colors.Values) - 1)
	}
	for i, u := range m.UVs[:min(len(m.UVs), maxLayers)] {
		k.uvs = append(k.uvs, UVSet{u.Name, own(u.Layer)})
		k.index[3+i] = u.Index
		k.between[3+i] = func(a, b int32, t float64) int32 {
			l := &k.uvs[i]
			p, q := l.Values[a], l.Values[b]
			l.Values = append(l.Values, [2]float64{p[0] + t*(q[0]-p[0]), p[1] + t*(q[1]-p[1])})
			return int32(len(l.Values) - 1)
		}
	}
}

// own is a layer whose values can grow without touching the mesh's.
func own[T any](l Layer[T]) Layer[T] {
	return Layer[T]{Values: l.Values[:len(l.Values):len(l.Values)]}
}

// mixed3 is a unit direction between two.
func mixed3(a, b [3]float32, t float64) [3]float32 {
	v := geom.Vec3{}
	for i := range v {
		v[i] = float64(a[i]) + t*(float64(b[i])-float64(a[i]))
	}
	if n := v.Len(); n > 0 {
		v = v.Mul(1 / n)
	}
	return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])}
}

// mixed4 lies between two; a tangent keeps its length and the first one's handedness.
func mixed4(a, b [4]float32, t float64, tangent bool) [4]float32 {
	if tangent {
		v := mixed3([3]float32(a[:3]), [3]float32(b[:3]), t)
		return [4]float32{v[0], v[1], v[2], a[3]}
	}
	var v [4]float32
	for i := range v {
		v[i] = float32(float64(a[i]) + t*(float64(b[i])-float64(a[i])))
	}
	return v
}

// corner puts a corner of the mesh into the pool.
func (k *cropper) corner(c int32) int32 {
	p := pooled{point: k.m.Corners[c], hard: k.m.Hard != nil && k.m.Hard[c]}
	for l, index := range k.index {
		p.value[l] = -1
		if index != nil {
			p.value[l] = index[c]
		}
	}
	k.pool = append(k.pool, p)
	return int32(len(k.pool) - 1)
}

// keep lets a face of the mesh stay as it is.
func (k *cropper) keep(f int) {
	for c := k.m.FaceStart[f]; c < k.m.FaceStart[f+1]; c++ {
		k.out = append(k.out, k.corner(c))
	}
	k.close(f)
}

// emit lets a ring of the pool stay, as part of face f.
func (k *cropper) emit(f int, ring []int32) {
	// A corner that was cut twice at one place is there once.
	var clean []int32
	for i, c := range ring {
		if k.pool[c].point != k.pool[ring[(i+1)%len(ring)]].point {
			clean = append(clean, c)
		}
	}
	if len(clean) >= 3 {
		k.out = append(k.out, clean...)
		k.close(f)
	}
}

func (k *cropper) close(f int) {
	k.start = append(k.start, int32(len(k.out)))
	k.from = append(k.from, int32(f))
}

// middle tells whether the middle of a face's corners lies within.
func (k *cropper) middle(f int) bool {
	var sum geom.Vec3
	ring := k.m.Corners[k.m.FaceStart[f]:k.m.FaceStart[f+1]]
	for _, p := range ring {
		sum = sum.Add(k.m.Points[p])
	}
	sum = sum.Mul(1 / float64(len(ring)))
	return k.holds(sum)
}

// holds tells whether a place is within all planes and the region.
func (c Cropping) holds(p geom.Vec3) bool {
	for _, h := range c.Within {
		if h.over(p) > 0 {
			return false
		}
	}
	return c.Region == nil || c.Region.holds(p)
}

// Carried is the cropping in coordinates that a takes to those it was given in.
func (c Cropping) Carried(a geom.Affine) Cropping {
	list := c.Within
	c.Within = make([]Plane, len(list))
	for k, h := range list {
		c.Within[k] = h.Carried(a)
	}
	if c.Region != nil {
		r := c.Region.Carried(a)
		c.Region = &r
	}
	return c
}

// cut cuts a convex ring at one plane after the other. What lies beyond a plane is done
// with; the rest goes on to the next.
func (k *cropper) cut(f int, ring []int32) {
	for b := range k.Within {
		var in, out []int32
		for i, c := range ring {
			d := ring[(i+1)%len(ring)]
			p, q := k.Within[b].over(k.points[k.pool[c].point]), k.Within[b].over(k.points[k.pool[d].point])
			if p <= 0 {
				in = append(in, c)
			}
			if p >= 0 {
				out = append(out, k.again(c, p == 0))
			}
			if p < 0 && q > 0 || p > 0 && q < 0 {
				x := k.on(c, d, b)
				// The edge along the cut is none of the mesh; that on from it is.
				along := k.again(x, true)
				if p < 0 {
					in, out = append(in, along), append(out, x)
				} else {
					in, out = append(in, x), append(out, along)
				}
			}
		}
		if k.Outside && len(out) >= 3 {
			k.emit(f, out)
		}
		if ring = in; len(ring) < 3 {
			return
		}
	}
	if !k.Outside {
		k.emit(f, ring)
	}
}

// again is a corner once more, from which a soft edge runs when soft.
func (k *cropper) again(c int32, soft bool) int32 {
	if !soft || !k.pool[c].hard {
		return c
	}
	p := k.pool[c]
	p.hard = false
	k.pool = append(k.pool, p)
	return int32(len(k.pool) - 1)
}

// on is the new corner where the edge from corner c to d meets plane b; the edge on from it
// is as hard as that from c.
func (k *cropper) on(c, d int32, b int) int32 {
	p, q := k.pool[c], k.pool[d]
	if k.later(p.point, q.point) { // alike from both sides, and in another mesh that has the same edge
		p, q = q, p
	}
	u, v := k.Within[b].over(k.points[p.point]), k.Within[b].over(k.points[q.point])
	t := u / (u - v)
	edge := cutEdge{min(p.point, q.point), max(p.point, q.point), int8(b), -1, 0}
	at, ok := k.made[edge]
	if !ok {
		at = int32(len(k.points))
		k.points = append(k.points, k.Within[b].lain(k.points[p.point].Add(
			k.points[q.point].Sub(k.points[p.point]).Mul(t))))
		k.made[edge] = at
	}
	n := pooled{point: at, hard: k.pool[c].hard}
	for l := range n.value {
		x, y := p.value[l], q.value[l]
		switch {
		case x < 0 || y < 0:
			n.value[l] = -1
		case x == y:
			n.value[l] = x
		default:
			key := cutEdge{x, y, int8(b), int8(l), at}
			value, ok := k.made[key]
			if !ok {
				value = k.between[l](x, y, t)
				k.made[key] = value
			}
			n.value[l] = value
		}
	}
	k.pool = append(k.pool, n)
	return int32(len(k.pool) - 1)
}

// later tells whether a point comes after another: by their coordinates, or by their numbers where these are equal.
func (k *cropper) later(a, b int32) bool {
	p, q := k.points[a], k.points[b]
	for i := range p {
		if p[i] != q[i] {
			return p[i] > q[i]
		}
	}
	return a > b
}

// mesh is what stays, with no more points and values than it uses.
func (k *cropper) mesh() *Mesh {
	m := k.m
	out := &Mesh{Name: m.Name, Points: k.points, FaceStart: append([]int32{0}, k.start...),
		Corners: make([]int32, len(k.out)),
		Slots:   m.Slots, Normals: k.normals, Tangents: k.tangents, Colors: k.colors, UVs: k.uvs}
	index := func(l int) []int32 {
		if k.index[l] == nil {
			return nil
		}
		list := make([]int32, len(k.out))
		for i, c := range k.out {
			list[i] = k.pool[c].value[l]
		}
		return list
	}
	out.Normals.Index, out.Tangents.Index, out.Colors.Index = index(0), index(1), index(2)
	for i := range out.UVs {
		out.UVs[i].Index = index(3 + i)
	}
	if m.Hard != nil {
		out.Hard = make([]bool, len(k.out))
	}
	for i, c := range k.out {
		out.Corners[i] = k.pool[c].point
		if m.Hard != nil {
			out.Hard[i] = k.pool[c].hard
		}
	}
	for _, f := range k.from {
		if m.Slot != nil {
			out.Slot = append(out.Slot, m.Slot[f])
		}
		if m.Smooth != nil {
			out.Smooth = append(out.Smooth, m.Smooth[f])
		}
	}
	if len(k.from) == 0 {
		return &Mesh{Name: m.Name, Slots: m.Slots, FaceStart: []int32{0}}
	}
	return out.Cut(make([]int32, len(k.from)), 1)[0]
}
