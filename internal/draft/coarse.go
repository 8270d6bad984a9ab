package draft

// coarseFrom is the number of triangles above which small drawings are made of a
// thinned model.
const coarseFrom = 12_000

// coarseCells is how many cells a thinned model has along its longest extent: more
// than a small drawing has pixels.
const coarseCells = 110

// coarse is the model with all points of one cell of a grid made one, as small
// drawings need it (Rossignac and Borrel 1993, "Multi-resolution 3D approximations
// for rendering complex scenes"). It keeps the box.
func (m *Model) coarse() *Model {
	if len(m.tris) < 3*coarseFrom {
		return m
	}
	m.thinned.Do(func() {
		cell := m.Box.Size().Max() / coarseCells
		if cell == 0 {
			m.thin = m
			return
		}
		out := &Model{faces: m.faces, Box: m.Box}
		at := map[[3]int16]int32{}
		to := make([]int32, len(m.points))
		for i, p := range m.points {
			var k [3]int16
			for c := range 3 {
				k[c] = int16((p[c] - m.Box.Min[c]) / cell)
			}
			n, ok := at[k]
			if !ok {
				n = int32(len(out.points))
				at[k] = n
				out.points = append(out.points, p)
			}
			to[i] = n
		}
		for t := 0; t < len(m.tris); t += 3 {
			a, b, c := to[m.tris[t]], to[m.tris[t+1]], to[m.tris[t+2]]
			if a != b && b != c && c != a {
				out.tris = append(out.tris, a, b, c)
				out.faceOf = append(out.faceOf, m.faceOf[t/3])
			}
		}
		type pair struct {
			a, b int32
			hard bool
		}
		seen := map[pair]bool{}
		for _, e := range m.edges {
			e.a, e.b = to[e.a], to[e.b]
			k := pair{min(e.a, e.b), max(e.a, e.b), e.hard}
			if e.a != e.b && !seen[k] {
				seen[k] = true
				out.edges = append(out.edges, e)
			}
		}
		m.thin = out
	})
	return m.thin
}
