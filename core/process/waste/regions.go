package waste

import (
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// fit is the plane of a region and, as linear functions of the place on it, all values its
// corners carry: sums of a least-squares fit that grows with the region.
type fit struct {
	origin geom.Vec3
	axes   [2]geom.Vec3 // of the plane, so that its triangles run anticlockwise
	vector geom.Vec3    // sum of the triangles' vector areas
	normal geom.Vec3    // of the first triangle, along which heights are summed
	plane  geom.Vec3    // of all of them
	level  float64      // of the plane along its normal, from origin

	n       int
	moments [6]float64   // sums of 1, s, t, ss, st, tt
	height  float64      // sum of heights over the origin, along the first normal
	by      [][3]float64 // of each value: sums of v, sv, tv
	is      [][3]float64 // of each value: constant, along s, along t
	fitted  int          // n at the last fit
}

// flat takes a point to the plane.
func (f *fit) flat(p geom.Vec3) [2]float64 {
	d := p.Sub(f.origin)
	return [2]float64{d.Dot(f.axes[0]), d.Dot(f.axes[1])}
}

// values are all a corner carries, and whether it has them all.
func (w *work) values(c int32, into []float64) ([]float64, bool) {
	ok := true
	if w.normal.Has() {
		into, ok = carried3(into, w.normal, c, ok)
	}
	for _, u := range w.m.UVs {
		if !u.Has() {
			continue
		}
		i := u.Index[c]
		if i < 0 {
			return into, false
		}
		into = append(into, u.Values[i][0], u.Values[i][1])
	}
	into, ok = carried4(into, w.m.Colors, c, ok)
	return carried4(into, w.m.Tangents, c, ok)
}

func carried3(into []float64, l scene.Layer[[3]float32], c int32, ok bool) ([]float64, bool) {
	if l.Index[c] < 0 {
		return into, false
	}
	v := l.Values[l.Index[c]]
	return append(into, float64(v[0]), float64(v[1]), float64(v[2])), ok
}

func carried4(into []float64, l scene.Layer[[4]float32], c int32, ok bool) ([]float64, bool) {
	if !l.Has() {
		return into, ok
	}
	if l.Index[c] < 0 {
		return into, false
	}
	v := l.Values[l.Index[c]]
	return append(into, float64(v[0]), float64(v[1]), float64(v[2]), float64(v[3])), ok
}

// tolerances are those of the values of a corner, in their order.
func (w *work) tolerances() []float64 {
	var list []float64
	if w.normal.Has() {
		list = append(list, normalTol, normalTol, normalTol)
	}
	for _, u := range w.m.UVs {
		if !u.Has() {
			continue
		}
		far := 0.0
		for _, v := range u.Values {
			far = max(far, math.Abs(v[0]), math.Abs(v[1]))
		}
		// Coordinates of 32 bits have fewer digits after the point the larger they are.
		tol := uvTol + 4e-7*far
		list = append(list, tol, tol)
	}
	if w.m.Colors.Has() {
		list = append(list, colorTol, colorTol, colorTol, colorTol)
	}
	if w.m.Tangents.Has() {
		list = append(list, normalTol, normalTol, normalTol, normalTol)
	}
	return list
}

// begin starts a fit with a triangle; false when the triangle has no area to speak of.
func (f *fit) begin(w *work, t int32, values int) bool {
	p, q, r := w.point(3*t), w.point(3*t+1), w.point(3*t+2)
	u, v := q.Sub(p), r.Sub(p)
	n := u.Cross(v)
	long := max(u.Dot(u), v.Dot(v), q.Sub(r).Dot(q.Sub(r)))
	if !(n.Len() > 1e-9*long) {
		return false
	}
	*f = fit{origin: p, normal: n.Unit(), by: f.by, is: f.is}
	f.axes[0] = f.normal.Across()
	f.axes[1] = f.normal.Cross(f.axes[0])
	if cap(f.by) < values {
		f.by, f.is = make([][3]float64, values), make([][3]float64, values)
	}
	f.by, f.is = f.by[:values], f.is[:values]
	clear(f.by)
	clear(f.is)
	return true
}

// add takes a triangle's corners in.
func (f *fit) add(w *work, t int32, values *[3][]float64) {
	p, q, r := w.point(3*t), w.point(3*t+1), w.point(3*t+2)
	f.vector = f.vector.Add(q.Sub(p).Cross(r.Sub(p)))
	for k, x := range [3]geom.Vec3{p, q, r} {
		s := f.flat(x)
		f.height += x.Sub(f.origin).Dot(f.normal)
		for i, v := range [6]float64{1, s[0], s[1], s[0] * s[0], s[0] * s[1], s[1] * s[1]} {
			f.moments[i] += v
		}
		for i, v := range values[k] {
			f.by[i][0] += v
			f.by[i][1] += s[0] * v
			f.by[i][2] += s[1] * v
		}
	}
	f.n++
}

// solve makes the fit of the sums.
func (f *fit) solve() {
	f.fitted = f.n
	m := f.moments
	f.plane = f.vector.Unit()
	// The plane goes through the middle of the corners, across the sum of the vector areas.
	middle := f.origin.Add(f.axes[0].Mul(m[1] / m[0])).Add(f.axes[1].Mul(m[2] / m[0])).Add(f.normal.Mul(f.height / m[0]))
	f.level = middle.Sub(f.origin).Dot(f.plane)
	// About the middle the moments are a two by two system.
	a, b := m[1]/m[0], m[2]/m[0]
	ss, st, tt := m[3]-m[0]*a*a, m[4]-m[0]*a*b, m[5]-m[0]*b*b
	det := ss*tt - st*st
	for i, v := range f.by {
		sv, tv := v[1]-a*v[0], v[2]-b*v[0]
		var g, h float64
		if det > 0 {
			g, h = (sv*tt-tv*st)/det, (tv*ss-sv*st)/det
		}
		f.is[i] = [3]float64{v[0]/m[0] - g*a - h*b, g, h}
	}
}

// off tells whether a triangle belongs: its corners on the plane, with the values that are
// expected there, and not turned away.
func (f *fit) off(w *work, t int32, values *[3][]float64, tol []float64) bool {
	for k := range int32(3) {
		p := w.point(3*t + k)
		if math.Abs(p.Sub(f.origin).Dot(f.plane)-f.level) > placeTol*w.size {
			return true
		}
		s := f.flat(p)
		for i, v := range values[k] {
			if is := f.is[i]; math.Abs(is[0]+is[1]*s[0]+is[2]*s[1]-v) > tol[i] {
				return true
			}
		}
	}
	p := w.point(3 * t)
	n := w.point(3*t + 1).Sub(p).Cross(w.point(3*t + 2).Sub(p))
	return !(n.Dot(f.plane) > 0.9*n.Len())
}

// regions grows flat areas from the largest triangles on: a neighbour comes along when its
// corners lie on the plane, carry what is expected there, and slot, smoothing group and edge
// don't set it apart. The fit is made anew each time a region has doubled, and in the end all
// of it must agree with the last one; what does not is left alone.
func (w *work) regions(ctx context.Context) {
	n := int32(len(w.face))
	w.region = make([]int32, n)
	order := make([]uint64, n) // areas as 32 bits, the largest first, above the triangles' numbers
	for t := range n {
		p := w.point(3 * t)
		area := float32(w.point(3*t + 1).Sub(p).Cross(w.point(3*t + 2).Sub(p)).Len())
		order[t], w.region[t] = uint64(^math.Float32bits(area))<<32|uint64(t), -1
	}
	slices.Sort(order)
	tol := w.tolerances()
	var values [3][]float64
	carries := func(t int32) bool {
		for k := range int32(3) {
			var ok bool
			if values[k], ok = w.values(w.corner[3*t+k], values[k][:0]); !ok {
				return false
			}
		}
		return true
	}
	var f fit
	var list []int32
	for count, o := range order {
		seed := int32(uint32(o))
		if count&0x3fff == 0 && ctx.Err() != nil {
			return
		}
		if w.region[seed] >= 0 || !carries(seed) {
			continue
		}
		if w.lone(seed) {
			w.region[seed] = int32(len(w.fits))
			w.fits = append(w.fits, nil)
			continue
		}
		if !f.begin(w, seed, len(tol)) {
			continue
		}
		r := int32(len(w.fits))
		f.add(w, seed, &values)
		f.solve()
		w.region[seed] = r
		list = append(list[:0], seed)
		for i := 0; i < len(list); i++ {
			if i&0x3fff == 0 && ctx.Err() != nil {
				return
			}
			for k := range int32(3) {
				h := 3*list[i] + k
				g := w.twin[h]
				if g < 0 || w.region[g/3] >= 0 || !w.alike(h, g) {
					continue
				}
				t := g / 3
				if !carries(t) || f.off(w, t, &values, tol) {
					continue
				}
				w.region[t] = r
				list = append(list, t)
				if f.add(w, t, &values); f.n >= 2*f.fitted {
					f.solve()
				}
			}
		}
		f.solve()
		kept := f
		kept.by, kept.is = nil, nil
		w.fits = append(w.fits, &kept)
		for _, t := range list {
			if len(list) > 1 && (!carries(t) || f.off(w, t, &values, tol)) {
				// It was let in by an earlier fit: a region of its own, which loses nothing.
				w.region[t] = int32(len(w.fits))
				w.fits = append(w.fits, nil)
			}
		}
	}
}

// lone tells that no neighbour of a triangle comes near its plane, so that nothing is to be fitted: on what is curved
// that is nearly every one.
func (w *work) lone(t int32) bool {
	p := w.point(3 * t)
	normal := w.point(3*t + 1).Sub(p).Cross(w.point(3*t + 2).Sub(p)).Unit()
	if normal == (geom.Vec3{}) {
		return false
	}
	for h := 3 * t; h < 3*t+3; h++ {
		g := w.twin[h]
		if g < 0 || w.region[g/3] >= 0 {
			continue
		}
		far := false
		for k := 3 * (g / 3); k < 3*(g/3)+3; k++ {
			far = far || math.Abs(w.point(k).Sub(p).Dot(normal)) > 1.01*placeTol*w.size
		}
		if !far {
			return false
		}
	}
	return true
}

// alike tells whether nothing sets two neighbours apart but where they lie.
func (w *work) alike(h, g int32) bool {
	m := w.m
	a, b := w.face[h/3], w.face[g/3]
	if m.Slot != nil && m.Slot[a] != m.Slot[b] || m.Smooth != nil && m.Smooth[a] != m.Smooth[b] {
		return false
	}
	return w.hard == nil || !w.hard[h] && !w.hard[g]
}

// divides tells whether a half edge is a border of its region.
func (w *work) divides(h int32) bool {
	g := w.twin[h]
	return g < 0 || w.region[g/3] != w.region[h/3] || w.region[h/3] < 0 || w.hard != nil && (w.hard[h] || w.hard[g])
}
