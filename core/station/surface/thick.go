package surface

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/measure/flaw"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/topo"
)

// Thick gives open parts a thickness: those of a node, of a slot, or all sheets that no other one speaks of.
// What is named by node comes before what is named by slot, and that before all.
type Thick struct {
	Node string    `json:"node,omitempty"` // key of the node
	Slot string    `json:"slot,omitempty"` // name of the slot
	By   float64   `json:"by"`             // metres of the asset as it leaves Pivot
	Side mend.Side `json:"side,omitempty"` // to which side of them
	// Open has bodies with holes thickened too, as tubes and open boxes are; what is named always is. Without,
	// all takes sheets alone.
	Open bool `json:"open,omitempty"`
}

// all tells one that speaks of nothing in particular.
func (t Thick) all() bool { return t.Node == "" && t.Slot == "" }

func (t Thick) line() string {
	of := "sheets"
	switch {
	case t.Node != "":
		of = station.Nodes([]string{t.Node})
	case t.Slot != "":
		of = "slot " + t.Slot
	case t.Open:
		of = "all that is open"
	}
	return fmt.Sprintf("Give %s %s of thickness, %s", of, figure.Length(t.By), sideWords[t.Side])
}

// Thicks are the thicknesses in force, those of older decisions before the others.
func (d Decisions) Thicks() []Thick {
	var list []Thick
	if d.Thickness > 0 {
		if len(d.Of) == 0 {
			list = append(list, Thick{By: d.Thickness, Side: d.Side})
		}
		for _, k := range d.Of {
			list = append(list, Thick{Node: k, By: d.Thickness, Side: d.Side})
		}
	}
	return append(list, d.Thick...)
}

// Thickened returns the decisions with a thickness in the place of that of the same node or slot, or without
// it when it is 0; all others stay.
func (d Decisions) Thickened(t Thick) Decisions {
	list := slices.DeleteFunc(d.Thicks(), func(x Thick) bool { return x.Node == t.Node && x.Slot == t.Slot })
	if t.By > 0 {
		list = append(list, t)
	}
	d.Thickness, d.Side, d.Of, d.Thick = 0, "", nil, list
	return d
}

// validThick checks the thicknesses.
func validThick(list []Thick) error {
	if len(list) > mostThick {
		return fmt.Errorf("%d thicknesses are more than can be kept: up to %d", len(list), mostThick)
	}
	for i, t := range list {
		switch {
		case !(t.By > 0 && t.By <= longest):
			return fmt.Errorf("a thickness of %g m is out of bounds: expected more than 0 and up to %g m", t.By, longest)
		case !slices.Contains([]mend.Side{mend.Both, mend.Front, mend.Back}, t.Side):
			return fmt.Errorf("%q is no side of a sheet: expected front, back or none for both", t.Side)
		case t.Node != "" && t.Slot != "":
			return fmt.Errorf("a thickness is of a node or of a slot: expected one of “%s” and “%s”", t.Node, t.Slot)
		case slices.ContainsFunc(list[:i], func(x Thick) bool { return x.Node == t.Node && x.Slot == t.Slot }):
			return fmt.Errorf("a thickness is given twice: %s", t.line())
		}
	}
	return nil
}

const (
	mostThick  = 1000
	mostAround = 3_000_000 // triangles, placed: some 150 bytes each are held to see what lies on what
)

// thicken carries the thicknesses out on one mesh, and says what stayed as it was, and why.
func (w *mender) thicken(list []Thick, at func() *flaw.Flaws) {
	if len(list) == 0 {
		return
	}
	solids, flat := 0, 0
	var bodies, twisted int
	for i := range list {
		x := at()
		if w.ctx.Err() != nil {
			return
		}
		sheet, _ := mend.Sheets(x.Net, x.Parts, x.Borders)
		slots := make([]string, x.Parts.N) // of each part, by its first face
		for k, f := range x.Parts.FirstFace {
			slots[k] = w.slotName(w.m.Material(int(f)))
		}
		open := make([]bool, x.Parts.N) // at a border, not only where edges have more than two faces
		for _, b := range x.Borders {
			if k := x.Parts.Of[x.Net.FaceOf[x.Net.Runs(int(b.Edges[0]))[0]]]; k >= 0 {
				open[k] = true
			}
		}
		means := func(k int32) bool {
			return open[k] && w.best(list, slots[k]) == i && (!list[i].all() || list[i].Open || sheet[k])
		}
		var lies []bool
		if list[i].all() && w.around != nil {
			lies = w.around.lying(w.ctx, w.m, x.Parts, list[i].By*w.k, means)
		}
		if list[i].all() {
			for k := range sheet {
				switch {
				case !open[k] || w.best(list, slots[k]) != i:
				case !means(int32(k)):
					bodies++
				case lies != nil && lies[k]:
					flat++
				case x.Parts.TwoFaced[k]:
					twisted++
				}
			}
		}
		m, n := mend.Thicken(w.ctx, w.m, x.Net, x.Parts, func(k int32) bool { return means(k) && (lies == nil || !lies[k]) },
			list[i].By*w.k, list[i].Side)
		if n > 0 {
			w.m, solids = m, solids+n
			w.fresh()
		}
	}
	w.say("thickness", "sheet became a solid", "sheets became solids", solids)
	for _, left := range []struct {
		n             int
		id, one, many string
	}{
		{bodies, "thickness-bodies", "open body is none of the sheets and stayed; name its node or slot to thicken it",
			"open bodies are none of the sheets and stayed; name their nodes or slots to thicken them"},
		{flat, "thickness-lying", "sheet lies on another face and stayed", "sheets lie on other faces and stayed"},
		{twisted, "thickness-twisted", "sheet has no two sides and stayed", "sheets have no two sides and stayed"},
	} {
		if left.n > 0 {
			w.say(left.id, left.one, left.many, left.n)
		}
	}
}

// best is the thickness that a part of a slot gets on this node: the number of the most particular, -1 for none.
func (w *mender) best(list []Thick, slot string) int {
	best, rank := -1, 0
	for i, t := range list {
		r := 0
		switch {
		case t.Node != "" && t.Node == w.key:
			r = 3
		case t.Slot != "" && t.Slot == slot:
			r = 2
		case t.all():
			r = 1
		}
		if r > rank {
			best, rank = i, r
		}
	}
	return best
}

// slotName is the name of a material as slots have it.
func (w *mender) slotName(material int) string {
	if material < 0 || material >= len(w.materials) {
		return scene.NoSlot
	}
	return w.materials[material].Name
}

// surroundings are faces where they stand in the scene, to see what lies on them. It is not written to after it is
// made.
type surroundings struct {
	tree *geom.BVH
	of   []int32     // of each triangle: its node, or its part
	all  geom.Labels // the same, of whole branches of the tree
}

// facing gathers faces: each mesh by where it stands, and what label each face has.
type facing struct {
	pts  []geom.Vec3
	tris []int32
	of   []int32
}

func (x *facing) add(m *scene.Mesh, world geom.Affine, label func(f int) int32) {
	base := int32(len(x.pts))
	for _, p := range m.Points {
		x.pts = append(x.pts, world.Apply(p))
	}
	m.EachTriangle(func(f int, a, b, c int32) {
		x.tris = append(x.tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		x.of = append(x.of, label(f))
	})
}

func (x *facing) made(ctx context.Context) *surroundings {
	tree := geom.NewBVH(ctx, x.pts, x.tris)
	return &surroundings{tree, x.of, tree.Labels(func(t int) int32 { return x.of[t] })}
}

// around gathers the faces of a scene by the nodes that place them.
func around(ctx context.Context, s *scene.Scene) *surroundings {
	x := &facing{}
	worlds := s.Worlds()
	for i, n := range s.Nodes {
		if n.Mesh >= 0 && ctx.Err() == nil {
			x.add(s.Meshes[n.Mesh], worlds[i], func(int) int32 { return int32(i) })
		}
	}
	return x.made(ctx)
}

// touches tells whether a face of another label than but lies at a point, no farther than near, and looks along n or
// against it.
func (x *surroundings) touches(at, n geom.Vec3, near float64, but int32) (found bool) {
	x.tree.Others(geom.EmptyBox().Add(at).Grown(near), x.all, but, func(t int) bool {
		if x.of[t] == but {
			return true
		}
		u, v, w := x.tree.Corners(t)
		found = math.Abs(v.Sub(u).Cross(w.Sub(u)).Unit().Dot(n)) > 0.999 &&
			geom.NearestOnTriangle(at, u, v, w).Dist(at) <= near
		return !found
	})
	return found
}

// nearness sees one mesh among all others, from its first node.
type nearness struct {
	*surroundings // of the scene as it came, by nodes
	node          int
	world         geom.Affine
	scale         float64 // of lengths of the mesh to those of the scene
}

// lying tells the parts whose faces lie within a distance, as long as in the mesh, of other faces that look along
// or against them: decals, stickers, a covering on a floor. Nine tenths of the area must. Other meshes are taken as
// they came, and the other parts of this one as they are by now. Its own faces cost a part nothing (geom's Others).
func (x *nearness) lying(ctx context.Context, m *scene.Mesh, parts *topo.Parts, near float64,
	asked func(int32) bool) []bool {
	on, all := make([]float64, parts.N), make([]float64, parts.N)
	near *= x.scale
	own := &facing{}
	own.add(m, x.world, func(f int) int32 { return parts.Of[f] })
	beside := own.made(ctx)
	for t, k := range own.of {
		if k < 0 || !asked(k) {
			continue
		}
		if ctx.Err() != nil {
			break
		}
		p, q, r := beside.tree.Corners(t)
		n := q.Sub(p).Cross(r.Sub(p))
		area := n.Len()
		n = n.Unit()
		mid := p.Add(q).Add(r).Mul(1. / 3)
		all[k] += area
		if beside.touches(mid, n, near, k) || x.touches(mid, n, near, int32(x.node)) {
			on[k] += area
		}
	}
	out := make([]bool, parts.N)
	for k := range out {
		out[k] = all[k] > 0 && on[k] > 0.9*all[k]
	}
	return out
}
