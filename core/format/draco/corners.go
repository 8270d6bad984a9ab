package draco

// table is a mesh by its corners (Rossignac's corner table). Corners 3f, 3f+1 and 3f+2
// belong to face f, in its order. All numbers are -1 where there is nothing.
type table struct {
	opposite []int32 // of a corner, the corner across the edge that faces it
	vertex   []int32 // of a corner
	left     []int32 // of a vertex, the corner furthest to the left, or any when it is closed
}

func next(c int32) int32 {
	if c%3 == 2 {
		return c - 2
	}
	return c + 1
}

func prev(c int32) int32 {
	if c%3 == 0 {
		return c + 2
	}
	return c - 1
}

// swingRight is the corner of the same vertex in the face to the right, -1 at a border.
func (t *table) swingRight(c int32) int32 {
	if o := t.opposite[prev(c)]; o >= 0 {
		return prev(o)
	}
	return -1
}

// swingLeft is the corner of the same vertex in the face to the left, -1 at a border.
func (t *table) swingLeft(c int32) int32 {
	if o := t.opposite[next(c)]; o >= 0 {
		return next(o)
	}
	return -1
}

// face of a corner, -1 of none.
func face(c int32) int32 {
	if c < 0 {
		return -1
	}
	return c / 3
}

// onBorder tells that a vertex has an open side.
func (t *table) onBorder(v int32) bool {
	return t.left[v] < 0 || t.swingLeft(t.left[v]) < 0
}

// join makes two corners opposite to each other.
func (t *table) join(a, b int32) { t.opposite[a], t.opposite[b] = b, a }

// seamed is a layer whose values break along edges where positions don't.
type seamed struct {
	seams []int32 // corners opposite to such edges
	table *table  // open along the seams
	on    []bool  // vertices of the base on a seam
}

// inside tells whether any seam is no border.
func (s *seamed) inside(base *table) bool {
	for _, c := range s.seams {
		if base.opposite[c] >= 0 {
			return true
		}
	}
	return false
}

// cut makes the layer's table from that of positions.
func (s *seamed) cut(base *table) error {
	t := &table{opposite: append([]int32(nil), base.opposite...), vertex: make([]int32, len(base.vertex))}
	s.on = make([]bool, len(base.left))
	for _, c := range s.seams {
		s.on[base.vertex[next(c)]], s.on[base.vertex[prev(c)]] = true, true
		if o := base.opposite[c]; o >= 0 {
			t.opposite[c], t.opposite[o] = -1, -1
		}
	}
	for i := range t.vertex {
		t.vertex[i] = -1
	}
	for v, c := range base.left {
		if c < 0 {
			continue
		}
		first := c
		if s.on[v] {
			for at := t.swingLeft(first); at >= 0; at = t.swingLeft(at) {
				if first = at; at == c {
					return wrong(0, "a seam has no begin")
				}
			}
		}
		id := int32(len(t.left))
		t.vertex[first] = id
		t.left = append(t.left, first)
		for at := base.swingRight(first); at >= 0 && at != first; at = base.swingRight(at) {
			if t.opposite[next(at)] < 0 {
				id = int32(len(t.left))
				t.left = append(t.left, at)
			}
			t.vertex[at] = id
		}
	}
	for _, v := range t.vertex {
		if v < 0 {
			return wrong(0, "the faces round a vertex don't hang together")
		}
	}
	s.table = t
	return nil
}
