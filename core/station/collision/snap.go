package collision

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Anchors are what shapes snap to while they are dragged. All are in one frame, whose axes are those that shapes are
// dragged along; metres.
type Anchors struct {
	Points []geom.Vec3    // corners of the mesh
	Edges  [][2]geom.Vec3 // hard ones of the mesh
	Levels [3][]float64   // where flat faces of the mesh that look along each axis stand, ascending
	Others []Other
	Grid   float64 // its step from the origin of the frame on, 0 for none
}

// Bytes is what it holds.
func (a *Anchors) Bytes() int64 { return int64(24*len(a.Points) + 48*len(a.Edges)) }

// GridOf is the step that shapes snap to, of a kit's own, which may be 0; metres.
func GridOf(kit float64) float64 {
	if kit == 0 {
		return 0.1
	}
	return kit
}

// Other is another shape.
type Other struct {
	Name   string
	Points []geom.Vec3
}

// Bounds of what is snapped to of a mesh.
const (
	mostAnchors  = 50_000
	mostLevels   = 400
	levelLooks   = 0.9999 // cosine between a face and the axis that it looks along
	levelOfAll   = 1e-3   // the least area of the faces at a level, for one of all
	levelsTogeth = 1e-5   // of the size: levels nearer than that are one
)

// AnchorsOf are those of a mesh, of which each calls what it is given with the corners of every triangle, and of its
// hard edges.
func AnchorsOf(each func(do func(p, q, r geom.Vec3)), hard [][2]geom.Vec3) *Anchors {
	a := &Anchors{}
	box := geom.EmptyBox()
	type flat struct{ at, area float64 }
	var flats [3][]flat
	all := 0.0
	each(func(p, q, r geom.Vec3) {
		box = box.Add(p).Add(q).Add(r)
		n := q.Sub(p).Cross(r.Sub(p))
		l := n.Len()
		all += l
		for x := range 3 {
			if math.Abs(n[x]) > levelLooks*l {
				flats[x] = append(flats[x], flat{p[x], l})
			}
		}
	})
	near := levelsTogeth * box.Size().Len()
	for x, list := range flats {
		slices.SortFunc(list, func(a, b flat) int { return cmp.Compare(a.at, b.at) })
		for i := 0; i < len(list); {
			from, area := i, 0.0
			for ; i < len(list) && list[i].at-list[from].at <= near; i++ {
				area += list[i].area
			}
			if area >= levelOfAll*all && len(a.Levels[x]) < mostLevels {
				a.Levels[x] = append(a.Levels[x], list[from].at)
			}
		}
	}
	seen := map[geom.Vec3]bool{}
	for _, e := range hard[:min(len(hard), mostAnchors)] {
		a.Edges = append(a.Edges, e)
		for _, x := range e {
			if !seen[x] {
				seen[x] = true
				a.Points = append(a.Points, x)
			}
		}
	}
	return a
}

// Drag is what is dragged: a shape as a whole, or sides of its box.
type Drag struct {
	Points []geom.Vec3 // of the shape as it stands
	// Grip is which of its sides are dragged along each axis: -1 the lower, 1 the upper; all 0 for the shape as a whole.
	Grip [3]int
	By   geom.Vec3 // how far it is dragged
	// Free tells the axes that it goes along: one or two, the others are the direction of the view.
	Free  [3]bool
	Reach float64 // how near to something it snaps
}

// Snapped is where something that is dragged comes to.
type Snapped struct {
	By geom.Vec3
	To []SnappedTo
}

// SnappedTo is what it snapped to: words, and the two ends of what shows it, which may be one place.
type SnappedTo struct {
	Say  string
	Ends [2]geom.Vec3
}

// Snap is where a drag comes to: a corner onto a corner, or else onto an edge, or else each side of its box by itself
// onto a flat face, onto the sides and middles of other shapes, or onto the grid, whatever is the nearest of its kind
// within reach. Corners and edges are taken as they lie on the view. It takes time by the corners of the shape times
// those of the mesh.
func (a *Anchors) Snap(d Drag) Snapped {
	var free []int
	for k := range 3 {
		if d.Free[k] {
			free = append(free, k)
		}
	}
	box := boxOf(d.Points)
	whole := d.Grip == [3]int{}
	if len(free) == 2 && (whole || d.Grip[free[0]] != 0 && d.Grip[free[1]] != 0) {
		if s, ok := a.onto(d, free[0], free[1]); ok {
			return s
		}
	}
	s := Snapped{By: d.By}
	for _, k := range free {
		var refs []float64
		switch {
		case whole:
			refs = []float64{box.Min[k], box.Max[k], box.Center()[k]}
		case d.Grip[k] < 0:
			refs = []float64{box.Min[k]}
		case d.Grip[k] > 0:
			refs = []float64{box.Max[k]}
		}
		if by, to, ok := a.level(d, refs, k, whole); ok {
			s.By[k] = by
			ends := [2]geom.Vec3{box.Min.Add(d.By), box.Max.Add(d.By)}
			ends[0][k], ends[1][k] = to.at, to.at
			s.To = append(s.To, SnappedTo{to.say, ends})
		}
	}
	return s
}

// onto snaps corners, as they lie on the view along two axes, onto corners or else onto edges.
func (a *Anchors) onto(d Drag, u, v int) (Snapped, bool) {
	corners := d.corners(u, v)
	off, to := a.atCorner(corners, d.Reach, u, v)
	if to == nil {
		off, to = a.atEdge(corners, d.Reach, u, v)
	}
	if to == nil {
		return Snapped{}, false
	}
	s := Snapped{By: d.By, To: []SnappedTo{*to}}
	s.By[u], s.By[v] = d.By[u]+off[0], d.By[v]+off[1]
	return s, true
}

// corners are what of it snaps, where it is dragged to, on a view along two axes.
func (d Drag) corners(u, v int) (list []geom.Vec2) {
	if d.Grip == [3]int{} {
		for _, p := range d.Points {
			list = append(list, geom.Vec2{p[u] + d.By[u], p[v] + d.By[v]})
		}
		return geom.OutlineOf(list)
	}
	box := boxOf(d.Points)
	corner := box.Min
	for k, g := range d.Grip {
		if g > 0 {
			corner[k] = box.Max[k]
		}
	}
	return []geom.Vec2{{corner[u] + d.By[u], corner[v] + d.By[v]}}
}

// atCorner is how far the nearest corner is off one of the mesh or of another shape, and what that is; nil for none.
func (a *Anchors) atCorner(corners []geom.Vec2, reach float64, u, v int) (shift geom.Vec2, to *SnappedTo) {
	try := func(p geom.Vec3, say string) {
		for _, c := range corners {
			off := geom.Vec2{p[u] - c[0], p[v] - c[1]}
			if l := math.Hypot(off[0], off[1]); l < reach {
				reach, shift, to = l, off, &SnappedTo{say, [2]geom.Vec3{p, p}}
			}
		}
	}
	for _, p := range a.Points {
		try(p, "a corner")
	}
	for _, o := range a.Others {
		for _, p := range o.Points {
			try(p, "a corner of "+o.Name)
		}
	}
	return shift, to
}

// atEdge is how far the nearest corner is off an edge of the mesh, likewise.
func (a *Anchors) atEdge(corners []geom.Vec2, reach float64, u, v int) (shift geom.Vec2, to *SnappedTo) {
	for _, e := range a.Edges {
		p := geom.Vec2{e[0][u], e[0][v]}
		along := geom.Vec2{e[1][u], e[1][v]}.Sub(p)
		l := along.Dot(along)
		if l == 0 {
			continue // it is seen end on
		}
		for _, c := range corners {
			t := c.Sub(p).Dot(along) / l
			if t < 0 || t > 1 {
				continue
			}
			off := geom.Vec2{p[0] + t*along[0] - c[0], p[1] + t*along[1] - c[1]}
			if l := math.Hypot(off[0], off[1]); l < reach {
				reach, shift, to = l, off, &SnappedTo{"an edge", e}
			}
		}
	}
	return shift, to
}

// boxOf is the box round places.
func boxOf(list []geom.Vec3) geom.Box {
	b := geom.EmptyBox()
	for _, p := range list {
		b = b.Add(p)
	}
	return b
}

// standing is a level with what has it.
type standing struct {
	at  float64
	say string
}

// level snaps sides at some places along an axis: how far the drag goes along it then.
func (a *Anchors) level(d Drag, refs []float64, k int, whole bool) (float64, standing, bool) {
	var by float64
	var to standing
	least, found := d.Reach, false
	try := func(at float64, say string, refs []float64) {
		for _, r := range refs {
			if off := math.Abs(r + d.By[k] - at); off < least {
				least, by, to, found = off, at-r, standing{at, say}, true
			}
		}
	}
	sides := refs[:min(len(refs), 2)]
	for _, at := range a.Levels[k] {
		try(at, "a face", sides)
	}
	for _, o := range a.Others {
		b := boxOf(o.Points)
		try(b.Min[k], o.Name, sides)
		try(b.Max[k], o.Name, sides)
		if whole {
			try(b.Center()[k], "the middle of "+o.Name, refs[2:])
		}
	}
	if !found && a.Grid > 0 && len(refs) > 0 {
		at := math.Round((refs[0]+d.By[k])/a.Grid) * a.Grid
		try(at, fmt.Sprintf("the grid of %s", figure.Length(a.Grid)), refs[:1])
	}
	return by, to, found
}
