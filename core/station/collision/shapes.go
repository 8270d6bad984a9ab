package collision

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"yarvek/core/collide/decompose"
	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target/class"
	"yarvek/core/topo"
)

// Usual hulls and points where neither the decision nor the class says any.
const (
	UsualHulls  = 16
	UsualPoints = 64
)

// UsualFor is how many hulls there may be, and points each, where nobody decides: no more than the class reckons with.
func UsualFor(c class.Class) (hulls, points int) {
	hulls, points = UsualHulls, UsualPoints
	if most := c.Budget.Shapes; most > 0 {
		hulls = min(hulls, most)
	}
	if most := c.Budget.ShapePoints; most >= 8 {
		points = min(points, most)
	}
	return hulls, points
}

// Made is what a fit came to, and what of it could not be had.
type Made struct {
	Solids []solid.Solid
	Of     []int // the node each stands for, -1 for several
	// Blocked is how many of the places that were to stay open could not be, and More how many hulls more than
	// there may be it would take so that none is that can stay open.
	Blocked, More int
	// Short tells that a hull could not be within the distance that was asked for.
	Short  bool
	Pieces int // nearly convex ones that hulls were made of
	Sheets int // open parts that were given a thickness, and how much; in the lengths of what is fitted to
	Sheet  float64
}

// Meant are the numbers of the nodes with a mesh that a fit speaks of, in a scene whose nodes have these keys.
func (f Fit) Meant(s *scene.Scene, keys []string) (all []int) {
	for i, n := range s.Nodes {
		if n.Mesh >= 0 && (len(f.Nodes) == 0 || slices.Contains(f.Nodes, keys[i])) {
			all = append(all, i)
		}
	}
	return all
}

// Room is what hulls depend on besides the mesh: balls that none may reach into, and which way is down.
type Room struct {
	Open []fit.Ball
	Down geom.Vec3
}

// FitTo fits to some nodes of a scene, in its coordinates, whatever they are called. room is what hulls must
// leave free. When ctx ends it returns early, and what it returns means nothing.
func FitTo(ctx context.Context, s *scene.Scene, all []int, f Fit, room Room, progress func(float64)) Made {
	var m Made
	var groups [][]int
	if f.Each {
		for _, i := range all {
			groups = append(groups, []int{i})
		}
	} else if len(all) > 0 {
		groups = [][]int{all}
	}
	worlds := s.Worlds()
	for k, g := range groups {
		if ctx.Err() != nil {
			return m
		}
		part := partOf(s, g, worlds, f.Slot)
		if len(f.At) > 0 {
			part = pickedOf(ctx, part, f.At, f.Flat)
		}
		if f.Round != nil {
			part = drawnOf(ctx, part, *f.Round)
		}
		of := -1
		if len(g) == 1 {
			of = g[0]
		}
		list := m.fitted(ctx, part, f, room, func(p float64) { progress((float64(k) + p) / float64(len(groups))) })
		for _, x := range list {
			m.Solids, m.Of = append(m.Solids, x), append(m.Of, of)
		}
	}
	return m
}

// partOf is some nodes of a scene where they stand, with the faces of a slot alone when one is named.
func partOf(s *scene.Scene, nodes []int, worlds []geom.Affine, slot string) *scene.Scene {
	out := *s
	out.Nodes, out.Meshes = nil, nil
	for _, i := range nodes {
		m := s.Meshes[s.Nodes[i].Mesh]
		if slot != "" {
			part, materials := m.SlotParts()
			var only *scene.Mesh
			for k, x := range m.Cut(part, len(materials)) {
				if name := materials[k]; name >= 0 && s.Materials[name].Name == slot || name < 0 && slot == scene.NoSlot {
					only = x
				}
			}
			if m = only; m == nil {
				continue
			}
		}
		out.Nodes = append(out.Nodes, scene.Node{Name: s.Nodes[i].Name, Kind: scene.KindMesh, Parent: -1,
			Mesh:  len(out.Meshes),
			Local: worlds[i]})
		out.Meshes = append(out.Meshes, m)
	}
	return &out
}

// alike is the cosine of the angle within which faces look the same way.
const alike = 0.985

// pickedOf is what of a scene hangs together with the faces nearest to some places; with flat only those
// of them, from face to face, that look the way the first does.
func pickedOf(ctx context.Context, s *scene.Scene, at []geom.Vec3, flat bool) *scene.Scene {
	whole := s.Flattened()
	out := *whole
	out.Nodes, out.Meshes = nil, nil
	chosen := make([]map[int]bool, len(whole.Meshes))
	for _, p := range at {
		mesh, face, least := -1, -1, math.Inf(1)
		for i, m := range whole.Meshes {
			if f, d := m.NearestFace(ctx, geom.Identity, p, func(int) bool { return true }); d < least {
				mesh, face, least = i, f, d
			}
		}
		if ctx.Err() != nil {
			return s
		}
		if mesh < 0 {
			continue
		}
		if chosen[mesh] == nil {
			chosen[mesh] = map[int]bool{}
		}
		m := whole.Meshes[mesh]
		if !flat {
			part, _ := m.Bodies(ctx)
			for f := range part {
				if part[f] == part[face] {
					chosen[mesh][f] = true
				}
			}
			continue
		}
		net := topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), nil)
		way := m.FaceNormal(face).Unit()
		for _, f := range net.Flood(ctx, face, func(_, over int32) bool {
			return m.FaceNormal(int(net.FaceOf[over])).Unit().Dot(way) > alike
		}) {
			chosen[mesh][f] = true
		}
	}
	for i, m := range whole.Meshes {
		if len(chosen[i]) == 0 {
			continue
		}
		part := make([]int32, m.Faces())
		for f := range part {
			if !chosen[i][f] {
				part[f] = 1
			}
		}
		out.Nodes = append(out.Nodes, scene.Node{Name: whole.Nodes[i].Name, Kind: scene.KindMesh, Parent: -1,
			Mesh:  len(out.Meshes),
			Local: geom.Identity})
		out.Meshes = append(out.Meshes, m.Cut(part, 2)[0])
	}
	return &out
}

// fitted are the shapes round a scene.
func (m *Made) fitted(ctx context.Context, s *scene.Scene, f Fit, room Room, progress func(float64)) []solid.Solid {
	pts := extents.Points(s)
	if len(pts) == 0 {
		return nil
	}
	most, points := f.Most, f.Points
	if most == 0 {
		most = UsualHulls
	}
	if points == 0 {
		points = UsualPoints
	}
	if f.Form == Hulls {
		r := decompose.Of(ctx, s, decompose.Options{Hulls: most, Points: points, Concavity: f.Concavity, Open: room.Open,
			Progress: progress,
			Sheet:    f.Sheet, Down: room.Down})
		var list []solid.Solid
		for _, h := range r.Hulls {
			if len(h.Body.Faces) > 0 {
				list = append(list, solid.OfBody(h.Body))
			}
		}
		m.Blocked, m.Pieces = m.Blocked+len(r.Blocked), m.Pieces+r.Pieces
		m.More += max(0, r.Needs-most)
		if r.Sheets > 0 {
			m.Sheets, m.Sheet = m.Sheets+r.Sheets, r.Sheet
		}
		if len(list) > 0 {
			return list
		}
		return []solid.Solid{thickened(pts)}
	}
	h := geom.HullWithin(ctx, pts, geom.Finely)
	if len(h.Faces) == 0 || h.Flat {
		return []solid.Solid{thickened(pts)}
	}
	switch f.Form {
	case OneHull:
		if f.Within > 0 {
			if body, out := fit.Within(ctx, h.Points, points, f.Within); out <= f.Within {
				return []solid.Solid{solid.OfBody(body)}
			}
			m.Short = true // so few points can't be so near: it stays outside
		}
		return []solid.Solid{solid.OfBody(fit.Around(ctx, h, points))}
	case Box:
		return []solid.Solid{solid.OfBox(fit.Upright(h.Points))}
	case Turned:
		return []solid.Solid{solid.OfBox(fit.Smallest(ctx, h))}
	case Ball:
		return []solid.Solid{solid.OfBall(fit.SmallestBall(h.Points))}
	case Capsule:
		return []solid.Solid{solid.OfCapsule(fit.SmallestCapsule(ctx, h))}
	case Slab:
		planes := f.Planes
		if planes == 0 {
			planes = fit.Slabs[len(fit.Slabs)-1]
		}
		return []solid.Solid{solid.OfBody(fit.SlabOf(h.Points, planes).Body)}
	}
	return nil // Validate knows no other
}

// thinnest is how thick a shape round what is flat is made, as a share of its size.
const thinnest = 0.005

// thickened is the box round points without thickness, made as thick as a body needs to touch it.
func thickened(pts []geom.Vec3) solid.Solid {
	b := fit.Upright(pts)
	least := max(1e-4, thinnest*b.Half.Len())
	for k := range b.Half {
		b.Half[k] = max(b.Half[k], least)
	}
	return solid.OfBox(b)
}

// Print tells a mesh from another: equal prints mean equal points and faces where they stand, to a
// hundred-thousandth of its size.
func Print(s *scene.Scene) string {
	h := fnv.New64a()
	b := s.Bounds()
	k := 1e5 / math.Max(b.Size().Max(), 1e-300)
	for _, m := range s.Flattened().Meshes {
		fmt.Fprintf(h, "%d %d ", len(m.Points), len(m.Corners))
		for _, p := range m.Points {
			for a := range 3 {
				v := int64(math.Round((p[a] - b.Min[a]) * k))
				h.Write([]byte{byte(v), byte(v >> 8), byte(v >> 16), byte(v >> 24)})
			}
		}
	}
	return fmt.Sprintf("%016x", h.Sum64())
}

// Hand is a shape that came along, in the frame of the outcome.
type Hand struct {
	Key  string // of its node
	Name string // as the file has it
	Of   string // name of the mesh it stands for
	Kind string // by the target's pattern or by decision, "" for what it measures as
	Mesh *scene.Mesh
	// Lost tells that no mesh has the name it stands for; Near is the nearest there is.
	Lost bool
	Near string
}

// Shape is one that is in force.
type Shape struct {
	ID     string // "f0.2" for the third of the first fit, "e1" for one by hand, "h3" for one of the file
	Letter string
	Form   *solid.Form // in the frame of the outcome; its hull, of one of the file
	Of     int         // node it stands for, -1 for several
	Name   string      // of that
	// Fit, Edited and Hand are numbers of what it comes from, -1 for the others.
	Fit, Edited, Hand int
	Key               string      // of its node in the file
	Mesh              *scene.Mesh // of one of the file, as it is
	Air               float64     // how far it is from the mesh at most, where it is not within; metres
	Depth             float64     // of one of the file: how far its surface lies within its hull
	Needles           int         // faces that are next to nothing
	// Said is what the file calls one of its own, by the target's words, and Belied tells that it is none.
	Said   string
	Belied bool
}

// Kind is what it leaves as, by the target's words.
func (s Shape) Kind() string {
	if s.Said == SurfaceKind {
		return SurfaceKind
	}
	return string(s.Form.Kind)
}

// Points is how many corners it has as a mesh.
func (s Shape) Points() int {
	if s.Mesh != nil {
		return len(s.Mesh.Points)
	}
	return len(s.Form.Convex.Points)
}

// Planes is how many sides it has: two of a capsule and one of a ball, which are round.
func (s Shape) Planes() int { return len(s.Form.Convex.Planes) }

// Source says where it comes from.
func (s Shape) Source() string {
	switch {
	case s.Fit >= 0:
		return "fitted"
	case s.Edited >= 0:
		return "by hand"
	}
	return "of the file"
}

// Gather lists the shapes in force, with their forms. made is what each fit came to, in coordinates
// as Source leaves the scene or in those of the outcome, as flagged; placed carries the first to the
// second.
func Gather(ctx context.Context, d Decisions, made []Fitted, hand []Hand, s *scene.Scene, keys []string,
	placed geom.Affine) []Shape {
	var list []Shape
	add := func(x Shape, form solid.Solid, by geom.Affine) {
		x.Form = form.Carried(by).Form(ctx)
		if len(x.Form.Convex.Planes) == 0 && x.Form.Capsule == nil {
			return // without a volume there is nothing to touch
		}
		x.Letter = station.Letter(len(list))
		if x.Of >= 0 {
			x.Name = s.Nodes[x.Of].Name
		} else {
			x.Name = firstName(s)
		}
		list = append(list, x)
	}
	for i, m := range made {
		out := without(m, d.Fits[i].Without, placed)
		for k, x := range m.Solids {
			if !out[k] {
				add(Shape{ID: fmt.Sprintf("f%d.%d", i, k), Fit: i, Edited: -1, Hand: -1, Of: m.Of[k]}, x, m.By)
			}
		}
	}
	if !d.None && len(d.Fits) == 0 {
		for i, h := range hand {
			if slices.Contains(d.FileWithout, h.Key) || len(h.Mesh.Points) < 4 {
				continue
			}
			of := slices.IndexFunc(s.Nodes, func(n scene.Node) bool { return n.Mesh >= 0 && n.Name == h.Of })
			x := Shape{ID: fmt.Sprintf("h%d", i), Fit: -1, Edited: -1, Hand: i, Of: of, Key: h.Key, Mesh: h.Mesh}
			kind := h.Kind
			if kind == "" {
				kind = measuredKind(ctx, h.Mesh)
			}
			form, is := saidAs(ctx, kind, h.Mesh)
			x.Said, x.Belied = kind, !is
			add(x, form, geom.Identity)
		}
	}
	for i, e := range d.Edited {
		add(Shape{ID: fmt.Sprintf("e%d", i), Fit: -1, Edited: i, Hand: -1, Of: slices.Index(keys, e.Of)}, e.Solid, placed)
	}
	return list
}

// Fitted is what a fit came to, and what carries that to the outcome.
type Fitted struct {
	Made
	By geom.Affine
}

// without tells which shapes of a fit are left out: of each place the one whose middle is nearest.
func without(m Fitted, places []geom.Vec3, placed geom.Affine) []bool {
	out := make([]bool, len(m.Solids))
	for _, p := range places {
		best, least := -1, math.Inf(1)
		for k, x := range m.Solids {
			if d := m.By.Apply(centre(x)).Dist(placed.Apply(p)); d < least && !out[k] {
				best, least = k, d
			}
		}
		if best >= 0 {
			out[best] = true
		}
	}
	return out
}

func firstName(s *scene.Scene) string {
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			return n.Name
		}
	}
	return s.Name
}
