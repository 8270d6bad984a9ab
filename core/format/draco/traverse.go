package draco

// sequence is the order in which the values of some attributes stand, and on which mesh.
type sequence struct {
	table  *table  // nil when the mesh is a list
	corner []int32 // of a value, the corner at which it was met
	value  []int32 // of a vertex of the table
	point  []int32 // of a value
}

// traversal goes over all faces from neighbour to neighbour.
type traversal struct {
	*sequence
	corners []int32 // of the mesh, for the points
	faces   []bool  // that were passed
}

// begin makes the sequence of a table.
func begin(t *table, corners []int32) *traversal {
	s := &sequence{table: t, value: make([]int32, len(t.left)),
		corner: make([]int32, 0, len(t.left)), point: make([]int32, 0, len(t.left))}
	for i := range s.value {
		s.value[i] = -1
	}
	return &traversal{s, corners, make([]bool, len(t.vertex)/3)}
}

// meet gives the vertex of corner c the next value unless it has one, and tells whether it
// had none.
func (t *traversal) meet(c int32) bool {
	v := t.table.vertex[c]
	if t.value[v] >= 0 {
		return false
	}
	t.value[v] = int32(len(t.corner))
	t.corner = append(t.corner, c)
	t.point = append(t.point, t.corners[c])
	return true
}

// passed tells a face that was passed; no face counts as one.
func (t *traversal) passed(f int32) bool { return f < 0 || t.faces[f] }

// depthFirst goes on to the right as far as it can before it goes left.
func (d *decoder) depthFirst(tb *table) (*sequence, error) {
	t := begin(tb, d.mesh.Corners)
	var stack []int32
	for f := range int32(len(t.faces)) {
		if d.stopped(int(f)) {
			return nil, d.ctx.Err()
		}
		if t.faces[f] {
			continue
		}
		stack = append(stack[:0], 3*f)
		t.meet(next(3 * f))
		t.meet(prev(3 * f))
		for len(stack) > 0 {
			c := stack[len(stack)-1]
			if t.passed(face(c)) {
				stack = stack[:len(stack)-1]
				continue
			}
			stack = t.run(c, stack)
		}
	}
	return d.complete(t)
}

// run passes faces from corner c on until they end or part.
func (t *traversal) run(c int32, stack []int32) []int32 {
	for {
		t.faces[c/3] = true
		right := t.table.opposite[next(c)]
		if t.meet(c) && !t.table.onBorder(t.table.vertex[c]) {
			if right < 0 {
				return stack[:len(stack)-1] // not a closed fan after all
			}
			c = right
			continue
		}
		left := t.table.opposite[prev(c)]
		switch overRight, overLeft := t.passed(face(right)), t.passed(face(left)); {
		case overRight && overLeft:
			return stack[:len(stack)-1]
		case overRight:
			c = left
		case overLeft:
			c = right
		default:
			stack[len(stack)-1] = left
			return append(stack, right)
		}
	}
}

// byDegree goes on where the next vertex is best foretold by faces that were passed.
//
// Faces that wait stand in three stacks: those whose tip has its value already, those whose tip two passed
// faces look at (it can be foretold from more than one), and all others. It goes on with the first stack that
// has one; a neighbour that is as good as the best that waits is gone to at once. The coder went the same way,
// so values come in this order.
func (d *decoder) byDegree(tb *table) (*sequence, error) {
	t := begin(tb, d.mesh.Corners)
	degree := make([]int32, len(tb.left))
	var stacks [3][]int32
	best := 0
	priority := func(c int32) int {
		v := tb.vertex[c]
		if t.value[v] >= 0 {
			return 0
		}
		if degree[v]++; degree[v] > 1 {
			return 1
		}
		return 2
	}
	push := func(c int32, p int) {
		stacks[p] = append(stacks[p], c)
		best = min(best, p)
	}
	pop := func() int32 {
		for ; best < len(stacks); best++ {
			if s := stacks[best]; len(s) > 0 {
				stacks[best] = s[:len(s)-1]
				return s[len(s)-1]
			}
		}
		return -1
	}
	for f := range int32(len(t.faces)) {
		if d.stopped(int(f)) {
			return nil, d.ctx.Err()
		}
		best = 0
		push(3*f, 0)
		t.meet(next(3 * f))
		t.meet(prev(3 * f))
		t.meet(3 * f)
		for c := pop(); c >= 0; c = pop() {
			for c >= 0 && !t.faces[c/3] {
				t.faces[c/3] = true
				t.meet(c)
				right, left := tb.opposite[next(c)], tb.opposite[prev(c)]
				overRight := t.passed(face(right))
				c = -1
				if !t.passed(face(left)) {
					p := priority(left)
					if overRight && p <= best {
						c = left
						continue
					}
					push(left, p)
				}
				if !overRight {
					p := priority(right)
					if p <= best {
						c = right
						continue
					}
					push(right, p)
				}
			}
		}
	}
	return d.complete(t)
}

// complete checks that every vertex was met; in a damaged mesh one may be hidden behind
// faces that don't close round it.
func (d *decoder) complete(t *traversal) (*sequence, error) {
	for _, v := range t.table.vertex {
		if t.value[v] < 0 {
			return nil, wrong(d.at, "the faces leave out a vertex")
		}
	}
	return t.sequence, nil
}

// inOrder is the order of points of a mesh that is a list.
func inOrder(points int) *sequence {
	s := &sequence{point: make([]int32, points)}
	for i := range s.point {
		s.point[i] = int32(i)
	}
	return s
}

// entries tells for each point which value it has.
func (s *sequence) entries(m *Mesh) []int32 {
	out := make([]int32, m.Points)
	if s.table == nil {
		copy(out, s.point)
		return out
	}
	for c, p := range m.Corners {
		out[p] = s.value[s.table.vertex[c]]
	}
	return out
}
