package scene

import (
	"cmp"
	"math"
	"slices"
)

// sweeper cuts simple polygons in n log n steps, whatever their form: a line sweeps over
// the plane and draws the diagonals that leave only pieces monotone along its way (Garey,
// Johnson, Preparata and Tarjan 1978, "Triangulating a simple polygon"; in the form of de
// Berg et al., "Computational Geometry", chapter 3), and these are cut with a stack. Its
// triangles are longer and thinner than ears, so it is for polygons on which ears take
// too long.
type sweeper struct {
	p          [][2]float64
	prev, next []int32
	rank       []int32 // of a corner: when the line comes by it, from above to below

	// The edges that the line crosses, from left to right, as a treap: an edge is known by
	// the corner it begins at, and goes on to the next.
	top         int32
	left, right []int32
	weight      []uint32
	helper      []int32 // of an edge: the last corner that sees it to its left

	diagonals [][2]int32
	triangles [][3]int32
}

// cut gives the triangles of the polygon of these corners, which runs anticlockwise in
// p, and whether they are a cut of it: as many as there must be, none turned over, and
// together as large as it. It fails where the polygon crosses itself.
func (s *sweeper) cut(corners []int32, p [][2]float64) ([][3]int32, bool) {
	n := int32(len(corners))
	q := make([][2]float64, n)
	for i, c := range corners {
		q[i] = p[c]
	}
	*s = sweeper{p: q, prev: make([]int32, n), next: make([]int32, n), rank: make([]int32, n), top: -1,
		left: make([]int32, n), right: make([]int32, n), weight: make([]uint32, n), helper: make([]int32, n)}
	order := make([]int32, n)
	for i := range n {
		order[i], s.prev[i], s.next[i] = i, (i+n-1)%n, (i+1)%n
		s.weight[i] = (uint32(i) + 1) * 2654435761 // Fibonacci hashing: as good as drawn by lot
	}
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(q[b][1], q[a][1]), cmp.Compare(q[a][0], q[b][0]), cmp.Compare(a, b))
	})
	for r, i := range order {
		s.rank[i] = int32(r)
	}
	for _, i := range order {
		s.pass(i)
	}
	s.pieces()
	for i, t := range s.triangles {
		s.triangles[i] = [3]int32{corners[t[0]], corners[t[1]], corners[t[2]]}
	}
	return s.triangles, s.covers(corners, p)
}

// covers tells whether the triangles are a cut of the polygon.
func (s *sweeper) covers(corners []int32, p [][2]float64) bool {
	if len(s.triangles) != len(corners)-2 {
		return false
	}
	var whole, sum, size float64
	for i := 1; i+1 < len(corners); i++ {
		a := cross2(p[corners[0]], p[corners[i]], p[corners[i+1]])
		whole, size = whole+a, size+math.Abs(a)
	}
	for _, t := range s.triangles {
		a := cross2(p[t[0]], p[t[1]], p[t[2]])
		if a < -1e-12*size {
			return false
		}
		sum += a
	}
	return math.Abs(sum-whole) <= 1e-9*size
}

// pass moves the line over corner i.
func (s *sweeper) pass(i int32) {
	before, after := s.prev[i], s.next[i]
	above := func(k int32) bool { return s.rank[k] < s.rank[i] }
	merges := func(e int32) bool { // whether the edge waits for a diagonal to the corner it sees
		h := s.helper[e]
		return s.rank[s.prev[h]] < s.rank[h] && s.rank[s.next[h]] < s.rank[h] && !s.convex(h)
	}
	see := func(e int32) {
		if e >= 0 {
			if merges(e) {
				s.diagonals = append(s.diagonals, [2]int32{i, s.helper[e]})
			}
			s.helper[e] = i
		}
	}
	switch {
	case !above(before) && !above(after): // the line meets a new piece, or one splits
		if !s.convex(i) {
			if e := s.leftOf(i); e >= 0 {
				s.diagonals = append(s.diagonals, [2]int32{i, s.helper[e]})
				s.helper[e] = i
			}
		}
		s.helper[i] = i
		s.insert(i)
	case above(before) && above(after): // a piece ends, or two merge
		see(before)
		s.remove(before)
		if !s.convex(i) {
			see(s.leftOf(i))
		}
	case above(before): // down the left side, the inside is to the right
		see(before)
		s.remove(before)
		s.helper[i] = i
		s.insert(i)
	default:
		see(s.leftOf(i))
	}
}

func (s *sweeper) convex(i int32) bool { return cross2(s.p[s.prev[i]], s.p[i], s.p[s.next[i]]) > 0 }

// side tells on which side of edge e, which goes down, the point of corner i lies:
// negative when it is to the left of it.
func (s *sweeper) side(e, i int32) float64 {
	if i == e || i == s.next[e] {
		return 0
	}
	return cross2(s.p[e], s.p[s.next[e]], s.p[i])
}

// before tells whether edge a is to the left of edge b, both crossed by the line: by the
// lower one of their beginnings against the other.
func (s *sweeper) before(a, b int32) bool {
	if s.rank[a] < s.rank[b] {
		if d := s.side(a, b); d != 0 {
			return d > 0
		}
		return s.side(a, s.next[b]) > 0
	}
	if d := s.side(b, a); d != 0 {
		return d < 0
	}
	return s.side(b, s.next[a]) < 0
}

// leftOf is the edge next to the left of corner i, -1 when there is none.
func (s *sweeper) leftOf(i int32) int32 {
	found := int32(-1)
	for e := s.top; e >= 0; {
		if s.side(e, i) > 0 {
			found, e = e, s.right[e]
		} else {
			e = s.left[e]
		}
	}
	return found
}

// insert puts an edge among those that the line crosses (Seidel and Aragon 1996,
// "Randomized search trees").
func (s *sweeper) insert(e int32) {
	at := &s.top
	for *at >= 0 && s.weight[*at] >= s.weight[e] {
		if s.before(e, *at) {
			at = &s.left[*at]
		} else {
			at = &s.right[*at]
		}
	}
	// What lies below is split into what is to the left of the edge and to its right.
	rest := *at
	*at = e
	l, r := &s.left[e], &s.right[e]
	for rest >= 0 {
		if s.before(rest, e) {
			*l, l = rest, &s.right[rest]
			rest = *l
		} else {
			*r, r = rest, &s.left[rest]
			rest = *r
		}
	}
	*l, *r = -1, -1
}

// remove takes an edge out again. Where the polygon crosses itself it may not be found;
// then the cut fails.
func (s *sweeper) remove(e int32) {
	at := &s.top
	for *at >= 0 && *at != e {
		if s.before(e, *at) {
			at = &s.left[*at]
		} else {
			at = &s.right[*at]
		}
	}
	if *at < 0 {
		return
	}
	l, r := s.left[e], s.right[e]
	for l >= 0 && r >= 0 {
		if s.weight[l] > s.weight[r] {
			*at, at = l, &s.right[l]
			l = *at
		} else {
			*at, at = r, &s.left[r]
			r = *at
		}
	}
	*at = max(l, r)
}

// pieces walks round the pieces that the diagonals leave, and cuts each.
func (s *sweeper) pieces() {
	n := len(s.p)
	// Every corner's ways out: to the next corner, and along its diagonals.
	start := make([]int32, n+1)
	for _, d := range s.diagonals {
		start[d[0]+1]++
		start[d[1]+1]++
	}
	for i := range n {
		start[i+1] += start[i] + 1
	}
	out, owner, fill := make([]int32, start[n]), make([]int32, start[n]), slices.Clone(start)
	put := func(a, b int32) { out[fill[a]], owner[fill[a]] = b, a; fill[a]++ }
	for i := range n {
		put(int32(i), s.next[i])
	}
	for _, d := range s.diagonals {
		put(d[0], d[1])
		put(d[1], d[0])
	}
	turn := make([]float64, len(out)) // how far a way out is turned left from that to the next corner
	for i := range n {
		if start[i+1]-start[i] == 1 {
			continue
		}
		ways, base := out[start[i]:start[i+1]], angle2(s.p[i], s.p[s.next[i]])
		slices.SortFunc(ways, func(a, b int32) int {
			return cmp.Compare(turned(base, s.p[i], s.p[a], a == s.next[i]), turned(base, s.p[i], s.p[b], b == s.next[i]))
		})
		for k, w := range ways {
			turn[int(start[i])+k] = turned(base, s.p[i], s.p[w], w == s.next[i])
		}
	}
	gone := make([]bool, len(out))
	var piece []int32
	for first := range out {
		if gone[first] {
			continue
		}
		piece = piece[:0]
		from := owner[first]
		for k := first; !gone[k] && len(piece) <= n; {
			gone[k] = true
			piece = append(piece, from)
			at := out[k]
			// The next side of the piece is the way out turned least to the left of the way back.
			ways := turn[start[at]:start[at+1]]
			back := turned(angle2(s.p[at], s.p[s.next[at]]), s.p[at], s.p[from], false)
			if from == s.prev[at] {
				back = 2 * math.Pi
			}
			next, _ := slices.BinarySearch(ways, back)
			if next--; next < 0 {
				return
			}
			from, k = at, int(start[at])+next
		}
		s.monotone(piece)
	}
}

func angle2(a, b [2]float64) float64 { return math.Atan2(b[1]-a[1], b[0]-a[0]) }

// turned is the angle from base to the way from a to b, from 0 to 2π; the way to the next
// corner itself has none.
func turned(base float64, a, b [2]float64, next bool) float64 {
	if next {
		return 0
	}
	t := angle2(a, b) - base
	if t < 0 {
		t += 2 * math.Pi
	}
	return t
}

// monotone cuts a piece that the line passes from its top to its foot along two sides.
func (s *sweeper) monotone(piece []int32) {
	n := len(piece)
	if n < 3 {
		return
	}
	top, foot := 0, 0
	for k, i := range piece {
		if s.rank[i] < s.rank[piece[top]] {
			top = k
		}
		if s.rank[i] > s.rank[piece[foot]] {
			foot = k
		}
	}
	type step struct {
		i    int32
		left bool // anticlockwise from the top, the left side comes first
	}
	way := []step{{piece[top], true}}
	l, r := (top+1)%n, (top+n-1)%n
	for range n - 1 {
		if s.rank[piece[l]] < s.rank[piece[r]] || r == foot && l != foot {
			way, l = append(way, step{piece[l], true}), (l+1)%n
		} else {
			way, r = append(way, step{piece[r], false}), (r+n-1)%n
		}
	}
	give := func(a, b, c int32) { s.triangles = append(s.triangles, [3]int32{a, b, c}) }
	stack := []step{way[0], way[1]}
	for k := 2; k < n; k++ {
		v := way[k]
		top := stack[len(stack)-1]
		if v.left != top.left || k == n-1 {
			for j := 0; j+1 < len(stack); j++ {
				a, b := stack[j].i, stack[j+1].i
				if top.left {
					give(a, b, v.i)
				} else {
					give(b, a, v.i)
				}
			}
			stack = append(stack[:0], top, v)
			continue
		}
		for len(stack) > 1 {
			a, b := stack[len(stack)-2].i, stack[len(stack)-1].i
			if !v.left {
				a, b = b, a
			}
			if cross2(s.p[a], s.p[b], s.p[v.i]) <= 0 {
				break
			}
			give(a, b, v.i)
			stack = stack[:len(stack)-1]
		}
		stack = append(stack, v)
	}
}
