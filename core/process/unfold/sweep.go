package unfold

import (
	"cmp"
	"slices"
)

// sweep looks whether any two of many sides cross, by a line that runs from left to right over them and
// keeps those it is on in their order from below (Shamos and Hoey 1976, "Geometric intersection
// problems"). Sides that share a place or only touch don't cross. It takes n log n; numbers are as they
// are rounded, so a crossing by less than that may be missed.
type sweep struct {
	at   []complex128 // places
	side [][2]int32   // of places, the left one first
	runs [][2]int32   // the same as they run along the outline, which tells on which side a touching one lies
	tree []treap      // by side
	root int32
}

// treap is a place in a search tree that a second order, by chance, keeps shallow (Seidel and Aragon
// 1996, "Randomized search trees"). -1 is none.
type treap struct {
	up, left, right int32
	chance          uint64
}

// crossing tells whether any two sides cross.
//
// A line goes over the plane from left to right (Shamos and Hoey 1976, "Geometric intersection problems"):
// sides that it meets at the moment stand in a tree in the order in which it meets them. Two that cross are
// neighbours in it just before they do, so only those that become neighbours are held against each other: when
// one begins, with both beside it, and when one ends, the two that it lay between. That takes n log n.
func crossing(at []complex128, border [][2]int32) bool {
	s := &sweep{at: at, root: -1}
	for _, e := range border {
		a, b := at[e[0]], at[e[1]]
		if a == b {
			continue
		}
		s.runs = append(s.runs, e)
		if real(b) < real(a) || real(b) == real(a) && imag(b) < imag(a) {
			e[0], e[1] = e[1], e[0]
		}
		s.side = append(s.side, e)
	}
	s.tree = make([]treap, len(s.side))
	type event struct {
		at    complex128
		side  int32
		begin bool
	}
	events := make([]event, 0, 2*len(s.side))
	for i, e := range s.side {
		events = append(events, event{at[e[0]], int32(i), true}, event{at[e[1]], int32(i), false})
	}
	slices.SortFunc(events, func(x, y event) int {
		ends := func(e event) int { // what ends goes before what begins
			if e.begin {
				return 1
			}
			return 0
		}
		return cmp.Or(cmp.Compare(real(x.at), real(y.at)), cmp.Compare(imag(x.at), imag(y.at)), cmp.Compare(ends(x), ends(y)),
			cmp.Compare(x.side, y.side))
	})
	seed := uint64(0x9e3779b97f4a7c15)
	for _, e := range events {
		if e.begin {
			seed ^= seed << 13
			seed ^= seed >> 7
			seed ^= seed << 17
			s.insert(e.side, seed)
			if s.cross(e.side, s.next(e.side, false)) || s.cross(e.side, s.next(e.side, true)) {
				return true
			}
			continue
		}
		if s.cross(s.next(e.side, false), s.next(e.side, true)) {
			return true
		}
		s.remove(e.side)
	}
	return false
}

// cross tells whether two sides do, of which there may be none.
func (s *sweep) cross(i, j int32) bool {
	if i < 0 || j < 0 {
		return false
	}
	e, f := s.runs[i], s.runs[j]
	if e[0] == f[0] || e[0] == f[1] || e[1] == f[0] || e[1] == f[1] {
		return false
	}
	return meets(s.at[e[0]], s.at[e[1]], s.at[f[0]], s.at[f[1]])
}

// below tells whether a side that begins lies below one that the line is on.
func (s *sweep) below(i, j int32) bool {
	e, f := s.side[i], s.side[j]
	a, b := s.at[f[0]], s.at[f[1]]
	if e[0] != f[0] {
		if t := turned(a, b, s.at[e[0]]); t != 0 {
			return t < 0
		}
	}
	if t := turned(a, b, s.at[e[1]]); t != 0 {
		return t < 0
	}
	return i < j
}

func (s *sweep) insert(i int32, chance uint64) {
	s.tree[i] = treap{-1, -1, -1, chance}
	if s.root < 0 {
		s.root = i
		return
	}
	for j := s.root; ; {
		to := &s.tree[j].right
		if s.below(i, j) {
			to = &s.tree[j].left
		}
		if *to < 0 {
			*to, s.tree[i].up = i, j
			break
		}
		j = *to
	}
	for up := s.tree[i].up; up >= 0 && s.tree[up].chance < chance; up = s.tree[i].up {
		s.rotate(i)
	}
}

// rotate puts a place above the one it hangs on.
func (s *sweep) rotate(i int32) {
	p := s.tree[i].up
	g := s.tree[p].up
	var moved int32
	if s.tree[p].left == i {
		moved = s.tree[i].right
		s.tree[p].left, s.tree[i].right = moved, p
	} else {
		moved = s.tree[i].left
		s.tree[p].right, s.tree[i].left = moved, p
	}
	if moved >= 0 {
		s.tree[moved].up = p
	}
	s.tree[p].up, s.tree[i].up = i, g
	switch {
	case g < 0:
		s.root = i
	case s.tree[g].left == p:
		s.tree[g].left = i
	default:
		s.tree[g].right = i
	}
}

// remove takes a place out: it goes down until nothing hangs on it.
func (s *sweep) remove(i int32) {
	for {
		l, r := s.tree[i].left, s.tree[i].right
		switch {
		case l < 0 && r < 0:
			p := s.tree[i].up
			switch {
			case p < 0:
				s.root = -1
			case s.tree[p].left == i:
				s.tree[p].left = -1
			default:
				s.tree[p].right = -1
			}
			return
		case r < 0 || l >= 0 && s.tree[l].chance > s.tree[r].chance:
			s.rotate(l)
		default:
			s.rotate(r)
		}
	}
}

// next is the place above or below one in order, -1 for none.
func (s *sweep) next(i int32, above bool) int32 {
	to := func(j int32, above bool) int32 {
		if above {
			return s.tree[j].right
		}
		return s.tree[j].left
	}
	if j := to(i, above); j >= 0 {
		for k := to(j, !above); k >= 0; k = to(j, !above) {
			j = k
		}
		return j
	}
	for up := s.tree[i].up; up >= 0; i, up = up, s.tree[up].up {
		if to(up, !above) == i {
			return up
		}
	}
	return -1
}
