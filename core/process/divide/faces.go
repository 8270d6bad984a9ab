package divide

import "yarvek/core/scene"

// faces cuts every face: into a quad at each of its corners, or a triangle into four.
func (d *divider) faces(out *scene.Mesh) {
	m := d.m
	onEdge := func(c int32) int32 { return int32(len(m.Points)) + d.of[c] }
	var of []int32 // of each new face the old one
	layers := d.layers(out)
	ring := func(f int, corners ...mix) {
		for _, x := range corners {
			out.Corners = append(out.Corners, x.point)
			for _, l := range layers {
				l.add(x)
			}
		}
		out.FaceStart = append(out.FaceStart, int32(len(out.Corners)))
		of = append(of, int32(f))
	}
	for f := range m.Faces() {
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		before := func(c int32) int32 {
			if c == s {
				return e - 1
			}
			return c - 1
		}
		corner := func(c int32) mix { return mix{point: m.Corners[c], from: c, to: c} }
		half := func(c int32) mix { // of the edge on from a corner
			next := c + 1
			if next == e {
				next = s
			}
			return mix{point: onEdge(c), from: c, to: next}
		}
		if d.scheme == scene.Loop {
			for c := s; c < e; c++ {
				ring(f, corner(c), half(c), half(before(c)))
			}
			ring(f, half(s), half(s+1), half(s+2))
			continue
		}
		centre := mix{point: int32(len(m.Points) + len(d.list) + f), from: s, to: e, whole: true}
		for c := s; c < e; c++ {
			ring(f, corner(c), half(c), centre, half(before(c)))
		}
	}
	if m.Slot != nil {
		out.Slot = make([]int32, len(of))
		for i, f := range of {
			out.Slot[i] = m.Slot[f]
		}
	}
}

// mix is a corner of a new face: its point, and what of the old corners it carries: one of them, both ends of an edge,
// or all from one to before another.
type mix struct {
	point, from, to int32
	whole           bool
}

// layer carries one through a division.
type layer interface{ add(x mix) }

// carried is a layer of values, which run linearly.
type carried[T any] struct {
	old, new *scene.Layer[T]
	mean     func(list []T) T
	made     map[[2]int32]int32 // of two values, the one between
	whole    map[int32]int32    // of a face by its first corner
}

func (l *carried[T]) add(x mix) {
	index := l.old.Index
	if !x.whole && x.from == x.to {
		l.new.Index = append(l.new.Index, index[x.from])
		return
	}
	if x.whole {
		at, ok := l.whole[x.from]
		if !ok {
			at = l.between(index[x.from:x.to])
			l.whole[x.from] = at
		}
		l.new.Index = append(l.new.Index, at)
		return
	}
	a, b := index[x.from], index[x.to]
	key := [2]int32{min(a, b), max(a, b)}
	at, ok := l.made[key]
	if !ok {
		at = l.between(key[:])
		l.made[key] = at
	}
	l.new.Index = append(l.new.Index, at)
}

// between is a new value, the mean of others; none where one of them is none.
func (l *carried[T]) between(list []int32) int32 {
	values := make([]T, len(list))
	for i, k := range list {
		if k < 0 {
			return -1
		}
		values[i] = l.new.Values[k]
	}
	l.new.Values = append(l.new.Values, l.mean(values))
	return int32(len(l.new.Values) - 1)
}

func carry[T any](old, new *scene.Layer[T], mean func([]T) T) layer {
	new.Values = old.Values[:len(old.Values):len(old.Values)]
	new.Index = make([]int32, 0, 4*len(old.Index))
	return &carried[T]{old, new, mean, map[[2]int32]int32{}, map[int32]int32{}}
}

// layers opens those that the mesh has and that can be divided.
func (d *divider) layers(out *scene.Mesh) (list []layer) {
	if d.m.Colors.Has() {
		list = append(list, carry(&d.m.Colors, &out.Colors, func(of [][4]float32) (v [4]float32) {
			for _, x := range of {
				for k := range v {
					v[k] += x[k] / float32(len(of))
				}
			}
			return v
		}))
	}
	out.UVs = make([]scene.UVSet, len(d.m.UVs))
	for i := range d.m.UVs {
		if out.UVs[i].Name = d.m.UVs[i].Name; !d.m.UVs[i].Has() {
			continue
		}
		list = append(list, carry(&d.m.UVs[i].Layer, &out.UVs[i].Layer, func(of [][2]float64) (v [2]float64) {
			for _, x := range of {
				for k := range v {
					v[k] += x[k] / float64(len(of))
				}
			}
			return v
		}))
	}
	return list
}
