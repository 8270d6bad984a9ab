package obj

import (
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// gather renumbers the entries one mesh uses of an array of the whole file. The
// stamp saves clearing the table for each mesh.
type gather struct {
	to    []int32
	stamp []int32
	now   int32
}

// newGather makes one for n values of the file.
func newGather(n int) *gather {
	return &gather{to: make([]int32, n), stamp: make([]int32, n)}
}

// begin forgets what was gathered, without touching all of it.
func (g *gather) begin() { g.now++ }

// take returns the new number of entry i and whether it is new.
func (g *gather) take(i, next int32) (int32, bool) {
	if g.stamp[i] == g.now {
		return g.to[i], false
	}
	g.stamp[i], g.to[i] = g.now, next
	return next, true
}

// builder makes meshes of ranges of the raw arrays. It is used by one goroutine and
// keeps its arrays from mesh to mesh.
type builder struct {
	*assembly
	smooth               bool
	whole                bool // one node takes the arrays of the file as they are
	points, uvs, normals *gather
}

// mesh makes the mesh of one object, with the points, UVs and normals its faces use and
// no others.
func (b *builder) mesh(o object, runs []run) *scene.Mesh {
	m := &scene.Mesh{Name: o.name}
	if b.whole {
		m.Points, m.FaceStart, m.Corners = b.raw.points, b.start, b.corner
		if b.raw.normal != nil {
			m.Normals = scene.Layer[[3]float32]{Values: b.raw.normals, Index: b.raw.normal}
		}
		if b.raw.uv != nil {
			m.UVs = []scene.UVSet{{Name: uvName, Layer: scene.Layer[[2]float64]{Values: b.raw.uvs, Index: b.raw.uv}}}
		}
		if b.raw.colors != nil {
			m.Colors = scene.Layer[[4]float32]{Values: b.raw.colors, Index: b.corner}
		}
	} else {
		b.part(m, o, runs)
	}
	b.slots(m, runs)
	return m
}

const uvName = "UV 1"

// part copies one object's faces, with the points declared in it and those it uses.
func (b *builder) part(m *scene.Mesh, o object, runs []run) {
	faces, corners := 0, 0
	for _, r := range runs {
		faces += r.to - r.from
		corners += int(b.start[r.to] - b.start[r.from])
	}
	m.FaceStart = make([]int32, 1, faces+1)
	m.Corners = make([]int32, 0, corners)
	b.points.begin()
	var from []int32 // point of the file for each point of the mesh
	for _, p := range o.points {
		for i := p[0]; i < p[1]; i++ {
			b.points.take(int32(i), int32(len(from)))
			from = append(from, int32(i))
		}
	}
	for _, r := range runs {
		for f := r.from; f < r.to; f++ {
			for _, p := range b.corner[b.start[f]:b.start[f+1]] {
				k, isNew := b.points.take(p, int32(len(from)))
				if isNew {
					from = append(from, p)
				}
				m.Corners = append(m.Corners, k)
			}
			m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
		}
	}
	m.Points = make([]geom.Vec3, len(from))
	for i, p := range from {
		m.Points[i] = b.raw.points[p]
	}
	if b.raw.colors != nil {
		m.Colors = scene.Layer[[4]float32]{Values: make([][4]float32, len(from)), Index: m.Corners}
		for i, p := range from {
			m.Colors.Values[i] = b.raw.colors[p]
		}
	}
	if l := layer(b.normals, b.raw.normals, b.raw.normal, b.start, runs, corners); l.Has() {
		m.Normals = l
	}
	if l := layer(b.uvs, b.raw.uvs, b.raw.uv, b.start, runs, corners); l.Has() {
		m.UVs = []scene.UVSet{{Name: uvName, Layer: l}}
	}
}

// layer copies what the runs use of a layer of the whole file; one that no corner
// uses is absent.
func layer[T any](g *gather, values []T, index, start []int32, runs []run, corners int) scene.Layer[T] {
	var out scene.Layer[T]
	if index == nil {
		return out
	}
	g.begin()
	out.Index = make([]int32, 0, corners)
	for _, r := range runs {
		for _, i := range index[start[r.from]:start[r.to]] {
			if i < 0 {
				out.Index = append(out.Index, -1)
				continue
			}
			k, isNew := g.take(i, int32(len(out.Values)))
			if isNew {
				out.Values = append(out.Values, values[i])
			}
			out.Index = append(out.Index, k)
		}
	}
	if len(out.Values) == 0 {
		return scene.Layer[T]{}
	}
	return out
}

// slots gives each face its slot, in order of first use, and its smoothing group.
func (b *builder) slots(m *scene.Mesh, runs []run) {
	slotOf := map[int]int32{}
	for _, r := range runs {
		if _, ok := slotOf[r.material]; !ok {
			slotOf[r.material] = int32(len(m.Slots))
			m.Slots = append(m.Slots, r.material)
		}
	}
	many := len(m.Slots) > 1
	if many {
		m.Slot = make([]int32, 0, m.Faces())
	}
	if b.smooth {
		m.Smooth = make([]uint32, 0, m.Faces())
	}
	for _, r := range runs {
		for range r.to - r.from {
			if many {
				m.Slot = append(m.Slot, slotOf[r.material])
			}
			if b.smooth {
				m.Smooth = append(m.Smooth, r.smooth)
			}
		}
	}
}
