package mend

import (
	"context"

	"yarvek/core/measure/flaw"
	"yarvek/core/scene"
	"yarvek/core/topo"
)

// needleRounds is how often needles are looked for anew: one may stand beside another.
const needleRounds = 8

// shortBy is up to which part of its longest side the shortest of a needle is one that its ends can be joined over.
const shortBy = 0.02

// Needles takes out triangles that are more than so many times as long as high. Where one of its sides is short its
// ends become one point; else the face across its longest side is cut at the needle's third corner, which lies nearly
// on it, and the needle goes; at a border it goes alone. Needles along a seam of UVs or slots stay, and so do those
// that are part of a polygon. Points stay where they are, but for those of short sides. It gives how many went, and
// the longest way that a point or the surface was moved, in the mesh's lengths. When ctx ends it returns early, and
// what it returns means nothing.
func Needles(ctx context.Context, m *scene.Mesh, longer float64) (out *scene.Mesh, went int, moved float64) {
	out = m
	for _, joins := range []bool{true, false} {
		for range needleRounds {
			x := flaw.Find(ctx, out, flaw.Limits{Needle: longer})
			if ctx.Err() != nil || len(x.Needles) == 0 {
				return out, went, moved
			}
			r := &needler{m: out, net: x.Net, joins: joins, busy: make([]bool, out.Faces()), gone: make([]bool, out.Faces()),
				cut: map[int32]cut{}, to: map[int32]int32{}}
			for _, f := range x.Needles {
				r.take(f)
			}
			if r.went == 0 {
				break
			}
			went, moved = went+r.went, max(moved, r.moved)
			out = r.mesh()
		}
	}
	return out, went, moved
}

// cut is where a face is cut: at a corner of a needle, between one of its own corners and the next.
type cut struct{ after, corner int32 }

// needler takes needles out of a mesh, of those that touch one at a time.
type needler struct {
	m     *scene.Mesh
	net   *topo.Net
	joins bool   // ends of short sides are joined in this round, else faces are cut
	busy  []bool // faces that something is done to
	gone  []bool
	cut   map[int32]cut   // by face
	to    map[int32]int32 // places that become others
	went  int
	moved float64
}

// take deals with the needle of a face, if nothing was done beside it.
func (r *needler) take(f int32) {
	m := r.m
	s := m.FaceStart[f]
	if m.FaceStart[f+1]-s != 3 || r.busy[f] {
		return
	}
	long, short := s, s // corners from which the longest and the shortest side run
	side := func(c int32) float64 {
		return m.Points[m.Corners[c]].Dist(m.Points[m.Corners[r.net.Next(c)]])
	}
	for c := s; c < s+3; c++ {
		if side(c) > side(long) {
			long = c
		}
		if side(c) < side(short) {
			short = c
		}
	}
	if brief := side(short) <= shortBy*side(long); brief && r.joins {
		r.join(short, side(short))
		return
	} else if brief || r.joins {
		return
	}
	apex := r.net.Prev(long)
	height := m.FaceNormal(int(f)).Len() / side(long)
	e := r.net.Edge[long]
	if e < 0 {
		return
	}
	runs := r.net.Runs(int(e))
	switch {
	case len(runs) == 1:
		r.busy[f], r.gone[f] = true, true
	case len(runs) == 2:
		across := runs[0]
		if across == long {
			across = runs[1]
		}
		g := r.net.FaceOf[across]
		if r.busy[g] || g == f || r.net.Alike(across, long) || m.Slot != nil && m.Slot[f] != m.Slot[g] ||
			!r.agree(long, r.net.Next(across)) || !r.agree(r.net.Next(long), across) {
			return
		}
		r.busy[f], r.busy[g], r.gone[f] = true, true, true
		r.cut[g] = cut{across, apex}
	default:
		return
	}
	r.went++
	r.moved = max(r.moved, height)
}

// agree tells whether two corners carry the same, so that no seam runs between their faces there.
func (r *needler) agree(a, b int32) bool {
	m := r.m
	for _, u := range m.UVs {
		if u.Has() && (u.Index[a] < 0) != (u.Index[b] < 0) || u.Has() && u.Index[a] >= 0 &&
			u.Values[u.Index[a]] != u.Values[u.Index[b]] {
			return false
		}
	}
	return true
}

// join makes one place of the ends of a short side.
func (r *needler) join(c int32, by float64) {
	e := r.net.Edge[c]
	if e < 0 {
		return
	}
	a, b := r.net.Ends(int(e))
	_, first := r.to[a]
	_, second := r.to[b]
	for _, run := range r.net.Runs(int(e)) {
		first = first || r.busy[r.net.FaceOf[run]]
	}
	if first || second {
		return
	}
	for _, run := range r.net.Runs(int(e)) {
		r.busy[r.net.FaceOf[run]] = true
	}
	r.to[a], r.to[b] = a, a
	r.went++
	r.moved = max(r.moved, by)
}

// mesh is what comes of it.
func (r *needler) mesh() *scene.Mesh {
	if r.joins {
		list := make([]int32, len(r.m.Points))
		for i, p := range r.net.Place {
			if list[i] = int32(i); r.to[p] != p {
				if to, ok := r.to[p]; ok {
					list[i] = to // points at one place are moved together
				}
			}
		}
		out, _, _ := onto(r.m, list)
		return out
	}
	b := newBuilder(r.m)
	for f := range r.m.Faces() {
		if r.gone[f] {
			continue
		}
		x, ok := r.cut[int32(f)]
		if !ok {
			b.keep(f)
			continue
		}
		var ring []int32
		for c := r.m.FaceStart[f]; c < r.m.FaceStart[f+1]; c++ {
			if ring = append(ring, c); c == x.after {
				ring = append(ring, x.corner)
			}
		}
		hard := func(of []int32) func(k int) bool {
			return func(k int) bool { return r.m.Hard[of[k]] }
		}
		if len(ring) != 4 {
			b.add(f, ring, nil, hard(ring))
			continue
		}
		for k := range ring { // a triangle becomes two, from the new corner to the one across
			if ring[k] != x.corner {
				continue
			}
			at := func(i int) int32 { return ring[(k+i)%4] }
			for _, t := range [][]int32{{at(0), at(1), at(2)}, {at(0), at(2), at(3)}} {
				b.add(f, t, nil, hard(t))
			}
		}
	}
	return b.mesh(r.m.Points)
}
