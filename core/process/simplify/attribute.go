package simplify

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/split"
)

// How much what a surface carries weighs beside its shape, as lengths of error.
const (
	// normalWeight and colorWeight are shares of the mesh's size that a normal turned by a
	// radian, and a colour off by one, count for.
	normalWeight = 0.002
	colorWeight  = 0.01
	// uvWeight is the share of the metres that a picture slides over the surface.
	uvWeight = 0.25
)

// carried is what every wedge carries, as a function of where it is: the mean, by area, of the
// functions of its faces (the quadrics of Hoppe 1999, "New quadric metric for simplifying meshes
// with appearance attributes", in another form: what two functions differ by is a quadric in the
// place, which goes to the quadric of the place, so that no large numbers cancel out). All lengths
// are about the mesh's middle.
type carried struct {
	scale []float64 // of each value, to a length
	slope []float32 // of each wedge and value: a gradient and the value at the middle
	mass  []float32 // of each wedge: the area its functions are the mean of
}

// function is value k of a wedge as a gradient and its value at the middle, as a length.
func (a *carried) function(wedge int32, k int) (geom.Vec3, float64) {
	s := a.slope[4*(int(wedge)*len(a.scale)+k):]
	return geom.Vec3{float64(s[0]), float64(s[1]), float64(s[2])}, float64(s[3])
}

// newCarried finds the functions of all wedges; nil when nothing that is carried counts.
//
// What a corner carries is taken as a linear function of place about it (Hoppe 1999, "New quadric metric for
// simplifying meshes with appearance attributes"): a gradient and a value. A collapse then costs what it makes
// these functions wrong by, as a length: normals by the size of the mesh, UVs by the metres that one of them
// covers, each by its weight.
func (w *work) newCarried(ctx context.Context) *carried {
	v := &w.values
	if w.o.Detail <= 0 || v.width == 0 {
		return nil
	}
	a := &carried{scale: make([]float64, v.width)}
	box := geom.EmptyBox()
	for _, p := range w.at {
		box = box.Add(p)
	}
	size := box.Size().Len()
	k := 0
	if v.normal {
		if w.m.Normals.Has() {
			a.scale[0], a.scale[1], a.scale[2] = normalWeight*size, normalWeight*size, normalWeight*size
		}
		k = 3
	}
	for _, u := range w.m.UVs {
		if u.Has() {
			a.scale[k] = uvWeight * w.metresOfUV(k)
			a.scale[k+1] = a.scale[k]
			k += 2
		}
	}
	for ; k < v.width; k++ {
		a.scale[k] = colorWeight * size
	}
	some := false
	for i := range a.scale {
		a.scale[i] *= w.o.Detail
		some = some || a.scale[i] > 0
	}
	if !some {
		return nil
	}
	n := len(v.data) / v.width
	w.charts()
	a.slope, a.mass = make([]float32, 4*n*v.width), make([]float32, n)
	// The wedges of a place belong to it alone, so that places can be gone over side by side.
	const block = 1 << 12
	_ = split.InBlocks(ctx, len(w.at), block, func(_, from, to int) {
		for p := from; p < to; p++ {
			w.each(int32(p), func(c int32) { a.take(w, c) })
			w.each(int32(p), func(c int32) { a.settle(w, c) })
		}
	})
	return a
}

// metresOfUV is how long one of a set's units is on the surface, on the whole; 0 of a set without
// extent.
func (w *work) metresOfUV(k int) float64 {
	var area, mapped float64
	for t := 0; t < len(w.place); t += 3 {
		if w.place[t] < 0 {
			continue
		}
		p, q, r := w.at[w.place[t]], w.at[w.place[t+1]], w.at[w.place[t+2]]
		x, y, z := w.values.of(w.wedge[t]), w.values.of(w.wedge[t+1]), w.values.of(w.wedge[t+2])
		area += q.Sub(p).Cross(r.Sub(p)).Len()
		mapped += math.Abs((y[k]-x[k])*(z[k+1]-x[k+1]) - (z[k]-x[k])*(y[k+1]-x[k+1]))
	}
	if !(mapped > 0) {
		return 0
	}
	return math.Sqrt(area / mapped)
}

// take adds the functions of corner c's face, by its area, to those of its wedge.
func (a *carried) take(w *work, c int32) {
	t := c - c%3
	x, y, z := w.at[w.place[t]], w.at[w.place[t+1]], w.at[w.place[t+2]]
	u, v := y.Sub(x), z.Sub(x)
	n := u.Cross(v)
	square := n.Dot(n)
	// Of a needle nothing can be told across it.
	if long := max(u.Dot(u), v.Dot(v)); !(square > 1e-10*long*long) {
		return
	}
	area := math.Sqrt(square) / 2
	across, along := v.Cross(n).Mul(1/square), n.Cross(u).Mul(1/square)
	p, q, r := w.values.of(w.wedge[t]), w.values.of(w.wedge[t+1]), w.values.of(w.wedge[t+2])
	wedge := int(w.wedge[c])
	for k, scale := range a.scale {
		if scale == 0 {
			continue
		}
		g := across.Mul((q[k] - p[k]) * scale * area).Add(along.Mul((r[k] - p[k]) * scale * area))
		s := a.slope[4*(wedge*len(a.scale)+k):]
		s[0] += float32(g[0])
		s[1] += float32(g[1])
		s[2] += float32(g[2])
	}
	a.mass[wedge] += float32(area)
}

// settle makes means of sums, once a wedge: each goes through the wedge's value at its place.
func (a *carried) settle(w *work, c int32) {
	wedge := int(w.wedge[c])
	p, v := w.at[w.place[c]], w.values.of(w.wedge[c])
	last := a.slope[4*wedge*len(a.scale):]
	if !(a.mass[wedge] > 0) || last[3] != 0 {
		return
	}
	for k, scale := range a.scale {
		s := a.slope[4*(wedge*len(a.scale)+k):]
		for i := range 3 {
			s[i] /= a.mass[wedge]
		}
		s[3] = float32(v[k]*scale - (float64(s[0])*p[0] + float64(s[1])*p[1] + float64(s[2])*p[2]))
		if s[3] == 0 {
			s[3] = math.SmallestNonzeroFloat32 // it is settled
		}
	}
}

// apart adds to q what the functions of two wedges differ by, as it would cost to make them one.
func (a *carried) apart(q *quadric, x, y int32) {
	if x == y {
		return
	}
	m, n := float64(a.mass[x]), float64(a.mass[y])
	if !(m > 0 && n > 0) {
		return
	}
	both := m * n / (m + n)
	for k, scale := range a.scale {
		if scale == 0 {
			continue
		}
		g, d := a.function(x, k)
		h, e := a.function(y, k)
		q.plane(g.Sub(h), d-e, both)
	}
}

// join makes the functions of wedge x part of those of wedge y.
func (a *carried) join(x, y int32) {
	m, n := a.mass[x], a.mass[y]
	if x == y || !(m > 0) {
		return
	}
	k := n / (m + n)
	p, q := a.slope[4*int(x)*len(a.scale):][:4*len(a.scale)], a.slope[4*int(y)*len(a.scale):][:4*len(a.scale)]
	for i := range q {
		q[i] = p[i]*(1-k) + q[i]*k
	}
	a.mass[y] = m + n
}

// values gives a wedge's values at a place, where it has functions of them.
func (a *carried) values(wedge int32, at geom.Vec3, into []float64) {
	if !(a.mass[wedge] > 0) {
		return
	}
	for k, scale := range a.scale {
		if scale > 0 {
			g, d := a.function(wedge, k)
			into[k] = (g.Dot(at) + d) / scale
		}
	}
}
