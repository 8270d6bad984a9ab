package scene

import (
	"sync"
	"weak"

	"yarvek/core/geom"
)

// A polygon of so many corners takes long to be cut, and every station cuts it again: how the last few were cut is
// kept, for as long as anybody has their mesh.
const (
	hugePolygon = 20_000
	hugeKept    = 8
)

// polygon is one of a mesh as it lies in memory: whoever has the same arrays has the same polygon, since nobody writes
// to a scene that others have.
type polygon struct {
	corner weak.Pointer[int32]
	points weak.Pointer[geom.Vec3]
	n      int32
}

// cutting is how one is cut: three corners a triangle, counted from its first.
type cutting struct {
	once sync.Once
	tris []int32
}

// huge are those that were cut last.
var huge struct {
	mu    sync.Mutex
	by    map[polygon]*cutting
	order []polygon // the one asked for longest ago first
}

// hugeCut cuts the polygon of corners s to e, or gives how it was cut before.
func (m *Mesh) hugeCut(s, e int32) []int32 {
	k := polygon{weak.Make(&m.Corners[s]), weak.Make(&m.Points[0]), e - s}
	huge.mu.Lock()
	if huge.by == nil {
		huge.by = map[polygon]*cutting{}
	}
	c := huge.by[k]
	for i, o := range huge.order {
		if o == k {
			huge.order = append(huge.order[:i], huge.order[i+1:]...)
			break
		}
	}
	if huge.order = append(huge.order, k); c == nil {
		c = &cutting{}
		huge.by[k] = c
	}
	// Those whose mesh is gone go first, then the oldest.
	for i := 0; i < len(huge.order); i++ {
		if o := huge.order[i]; o.corner.Value() == nil || o.points.Value() == nil || len(huge.order) > hugeKept && i == 0 {
			delete(huge.by, o)
			huge.order = append(huge.order[:i], huge.order[i+1:]...)
			i--
		}
	}
	huge.mu.Unlock()
	c.once.Do(func() {
		ring, flat := m.project(s, e, nil, nil)
		var clip clipper
		c.tris = make([]int32, 0, 3*(e-s-2))
		clip.cut(ring, flat, func(a, b, d int32) { c.tris = append(c.tris, a-s, b-s, d-s) })
	})
	return c.tris
}
