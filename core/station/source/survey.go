package source

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/twin"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/core/union"
)

// The things that often do not belong, besides the kinds of node.
const (
	Empty  = "empty node"
	Guide  = "guide"
	Hidden = "hidden node"
	Helper = "helper plane"
	Far    = "far node"
	Speck  = "speck"
	Inside = "body inside another"
	Double = "double"
	Level  = "simpler level"
	Solid  = "collision shape"
	Marker = "marker" // by decision alone
)

// Kinds are what a rule can speak of.
var Kinds = []string{Empty, Hidden, Helper, Far, Speck, Inside, Double, Level, Solid, string(scene.KindMesh),
	string(scene.KindEmpty),
	string(scene.KindLOD)}

// Lone is a node that probably does not belong.
type Lone struct {
	Node int
	What string
	Text string
	At   geom.Vec3
}

// Overlap is faces of two nodes that lie in one plane, one on the other.
type Overlap struct {
	A, B int
	Area float64 // square metres
	At   geom.Vec3
	// Normal is that of the plane, the way both sides look.
	Normal geom.Vec3
}

// Survey is what there is to know of a scene before anything is decided.
type Survey struct {
	Keys     []string
	Worlds   []geom.Affine
	Boxes    []geom.Box
	Main     geom.Box // of the main body
	Near     float64  // what counts as the same place; metres
	Twins    []twin.Group
	Lone     []Lone
	Overlaps []Overlap
	// Bodies inside other bodies of the same node, by node.
	Buried map[int]int
	Cut    bool // there was more to look at than was looked at
	// Recognised are nodes whose names the target's patterns read, by node.
	Recognised map[int]Recognised
	// Guesses are what the names and shapes of others say.
	Guesses []Guess
	// Ladders are the meshes that came with coarser ones made by hand.
	Ladders []Ladder
	Flaws   map[int]Flaw // of meshes that are broken, by mesh

	inMain []bool
	lone   map[int][]string
	level  map[int]int // see LevelOf

	patterns patterns // of the target
}

// looker makes a survey. Its bodies and their trees are many times the scene, so they
// are not kept with it.
type looker struct {
	*Survey
	ctx    context.Context
	items  []item
	budget int         // pairs of triangles that may still be compared
	beside *neighbours // made when first asked for
}

// InMain tells whether a node belongs to the main body.
func (v *Survey) InMain(i int) bool { return v.inMain[i] }

// LoneOf lists what a node was found to be.
func (v *Survey) LoneOf(i int) []string { return v.lone[i] }

// pairTests bounds how many pairs of triangles are compared.
const pairTests = 4_000_000

// Look surveys a scene. It depends on nothing that is decided, so it is made once a
// revision. When ctx ends it returns early, and what it returns means nothing.
func Look(ctx context.Context, s *scene.Scene, t target.Target) *Survey {
	v := &looker{ctx: ctx, budget: pairTests, Survey: &Survey{Keys: s.Keys(), Worlds: s.Worlds(), Boxes: s.NodeBounds(),
		Buried: map[int]int{}, lone: map[int][]string{}, inMain: make([]bool, len(s.Nodes))}}
	v.mainBody(s)
	diag := v.Main.Size().Len()
	v.Near = Near(diag)
	v.Twins = twin.Groups(twin.Find(ctx, s.Meshes, v.Near))
	v.recognise(s, t)
	v.level = map[int]int{}
	v.Ladders = laddersOf(s, v.Recognised, v.level)
	v.standIns(s)
	v.strays(s, diag)
	v.doubles(s)
	v.gather(s)
	v.buried()
	v.overlaps(s)
	v.flaws(s)
	return v.Survey
}

// note says something of node i.
func (v *looker) note(i int, what, text string) {
	at := v.Worlds[i].T
	if !v.Boxes[i].IsEmpty() {
		at = v.Boxes[i].Center()
	}
	v.Lone = append(v.Lone, Lone{i, what, text, at})
	v.lone[i] = append(v.lone[i], what)
}

// flat tells whether a node is one flat face or two, such as a helper plane is.
func flat(s *scene.Scene, i int, box geom.Box) bool {
	m := s.Meshes[s.Nodes[i].Mesh]
	size := box.Size()
	return m.Faces() <= 2 && min(size[0], size[1], size[2]) <= 1e-4*size.Max()
}

// mainBody finds the cluster of nodes with the greatest surface: those whose boxes
// are no farther apart than half the largest of them, helper planes not counted.
func (v *looker) mainBody(s *scene.Scene) {
	var list []int
	reach := 0.0
	area := make([]float64, len(s.Nodes))
	for i, n := range s.Nodes {
		if v.Boxes[i].IsEmpty() || n.Mesh < 0 || flat(s, i, v.Boxes[i]) {
			continue
		}
		list = append(list, i)
		reach = max(reach, 0.5*v.Boxes[i].Size().Len())
		z := v.Boxes[i].Size()
		area[i] = z[0]*z[1] + z[1]*z[2] + z[2]*z[0]
	}
	if len(list) == 0 { // nothing but planes
		for i := range s.Nodes {
			if !v.Boxes[i].IsEmpty() {
				list = append(list, i)
				v.inMain[i] = true
			}
		}
		v.Main = scene.Union(v.Boxes)
		return
	}
	slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(v.Boxes[a].Min[0], v.Boxes[b].Min[0]) })
	bodies := union.New(len(list))
	tests := 0
	for i, a := range list {
		for j := i + 1; j < len(list) && v.Boxes[list[j]].Min[0] <= v.Boxes[a].Max[0]+reach; j++ {
			if tests++; tests > 20_000_000 {
				v.Cut = true
				break
			}
			if v.Boxes[a].Gap(v.Boxes[list[j]]) <= reach {
				bodies.Join(int32(i), int32(j))
			}
		}
	}
	sum := map[int32]float64{}
	best := int32(-1)
	for i, a := range list {
		sum[bodies.Find(int32(i))] += area[a]
	}
	for i := range list {
		if k := bodies.Find(int32(i)); best < 0 || sum[k] > sum[best] {
			best = k
		}
	}
	v.Main = geom.EmptyBox()
	for i, a := range list {
		if bodies.Find(int32(i)) == best {
			v.inMain[a] = true
			v.Main = v.Main.Union(v.Boxes[a])
		}
	}
	for i, n := range s.Nodes { // a plane within the body is part of it
		if n.Mesh >= 0 && !v.Boxes[i].IsEmpty() && !v.inMain[i] &&
			v.Main.Grown(1e-6*v.Main.Size().Max()).Union(v.Boxes[i]) == v.Main.Grown(1e-6*v.Main.Size().Max()) {
			v.inMain[i] = true
		}
	}
}

const speckText = "It is smaller than a two-hundredth of the main body and touches nothing."

// strays finds the nodes that probably do not belong.
func (v *looker) strays(s *scene.Scene, diag float64) {
	carries := make([]bool, len(s.Nodes))
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		if p := s.Nodes[i].Parent; p >= 0 && (carries[i] || s.Nodes[i].Mesh >= 0) {
			carries[p] = true
		}
	}
	plan := v.Main.Size()
	hidden := s.Unseen()
	for i, n := range s.Nodes {
		switch {
		case n.Kind == scene.KindGuide:
			v.note(i, Guide, "It holds lines or points and no polygon.")
			continue
		case n.Kind == scene.KindEmpty && !carries[i]:
			v.note(i, Empty, "It holds nothing; some receivers make an object of it.")
			continue
		case n.Mesh < 0:
			continue
		}
		if hidden[i] {
			v.note(i, Hidden, "The file says it is not to be seen. Many receivers show it all the same.")
		}
		b := v.Boxes[i]
		if b.IsEmpty() {
			continue
		}
		m := s.Meshes[n.Mesh]
		if flat(s, i, b) {
			z := b.Size()
			// As broad as what stands on it, or nothing on it at all.
			broad := max(z[0]*z[1], z[1]*z[2], z[2]*z[0]) >= 0.8*min(plan[0]*plan[1], plan[1]*plan[2], plan[2]*plan[0]) &&
				!v.inMain[i]
			bare := len(m.UsedSlots()) == 1 && m.UsedSlots()[0] < 0
			if len(s.Nodes) > 1 && (broad || bare) {
				v.note(i, Helper, "One flat face as broad as what stands on it, or without any material.")
				continue
			}
		}
		if v.inMain[i] {
			continue
		}
		gap := v.Main.Gap(b)
		if gap > diag && !v.inARow(i, diag) {
			v.note(i, Far, fmt.Sprintf("It stands %.3g times the main body's size away from it.", gap/diag))
		}
		if b.Size().Len() < 0.005*diag {
			v.note(i, Speck, speckText)
		}
	}
	for i := range s.Nodes {
		b := v.Boxes[i]
		if !v.inMain[i] || b.IsEmpty() || b.Size().Len() >= 0.005*diag {
			continue
		}
		if len(s.Nodes) > maxCompared {
			v.Cut = true
			break
		}
		alone := true
		for k := range s.Nodes {
			if k != i && !v.Boxes[k].IsEmpty() && v.Boxes[k].Gap(b) <= 2*b.Size().Len() {
				alone = false
				break
			}
		}
		if alone {
			v.note(i, Speck, speckText)
		}
	}
}

// doubles finds nodes that stand in the place of another, mesh in mesh.
func (v *looker) doubles(s *scene.Scene) {
	type key struct {
		points, faces int
		at            [3]int64
	}
	seen := map[key][]int{}
	cell := max(8*v.Near, 1e-9)
	for i, n := range s.Nodes {
		if n.Mesh < 0 || v.Boxes[i].IsEmpty() || v.standsIn(i) {
			continue
		}
		m := s.Meshes[n.Mesh]
		c := v.Boxes[i].Center()
		k := key{len(m.Points), m.Faces(), [3]int64{}}
		for j := range 3 {
			k.at[j] = int64(math.Round(c[j] / cell))
		}
		first := -1
		for _, o := range seen[k] {
			a, b := v.Boxes[o], v.Boxes[i]
			if a.Min.Near(b.Min, 2*v.Near) && a.Max.Near(b.Max, 2*v.Near) &&
				(s.Nodes[o].Mesh == n.Mesh && v.Worlds[o].Near(v.Worlds[i], v.Near) ||
					twin.Coincide(v.ctx, points(s, o, v.Worlds), points(s, i, v.Worlds), 2*v.Near)) {
				first = o
				break
			}
		}
		if first < 0 {
			seen[k] = append(seen[k], i)
			continue
		}
		v.note(i, Double, fmt.Sprintf("It stands in the same place as “%s”, and the two will flicker.", s.Nodes[first].Name))
	}
}

// points are the places of a node’s points in the scene.
func points(s *scene.Scene, i int, worlds []geom.Affine) []geom.Vec3 {
	m := s.Meshes[s.Nodes[i].Mesh]
	out := make([]geom.Vec3, len(m.Points))
	for k, p := range m.Points {
		out[k] = worlds[i].Apply(p)
	}
	return out
}

// item is a body: a node, or a connected part of one.
type item struct {
	node   int
	whole  bool
	box    geom.Box
	scene  *scene.Scene // of this body alone, in place
	points []geom.Vec3
	tris   []int32
	tree   *geom.BVH
	closed int8 // 0 not known, 1 yes, -1 no
}

// maxBodies is up to how many connected parts of a node are looked at singly.
const maxBodies = 64

// gather lists the bodies of the scene.
func (v *looker) gather(s *scene.Scene) {
	for i, n := range s.Nodes {
		if n.Mesh < 0 || v.Boxes[i].IsEmpty() || slices.Contains(v.lone[i], Double) || v.standsIn(i) {
			continue // nobody sees both it and what it stands for
		}
		if v.ctx.Err() != nil {
			return
		}
		m := s.Meshes[n.Mesh]
		list := []*scene.Mesh{m}
		if m.Faces() > 200_000 || len(s.Nodes) > 500 {
			v.Cut = true // its parts are not looked at singly
		} else if part, k := m.Bodies(v.ctx); k > 1 && k <= maxBodies {
			list = m.Cut(part, k)
		}
		for _, b := range list {
			one := &scene.Scene{Basis: s.Basis, Meshes: []*scene.Mesh{b}, Materials: s.Materials,
				Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1, Local: v.Worlds[i]}}}
			v.items = append(v.items, item{node: i, whole: len(list) == 1, box: one.Bounds(), scene: one})
		}
	}
}

// surface is the body's triangles where they stand, facing outward.
func (t *item) surface() ([]geom.Vec3, []int32) {
	if t.points == nil {
		m := t.scene.Meshes[0].Mapped(t.scene.Nodes[0].Local)
		t.points = m.Points
		m.EachTriangle(func(_ int, a, b, c int32) { t.tris = append(t.tris, m.Corners[a], m.Corners[b], m.Corners[c]) })
	}
	return t.points, t.tris
}

// bvh is built when first asked for; the looker has no other goroutine.
func (t *item) bvh(ctx context.Context) *geom.BVH {
	if t.tree == nil {
		pts, tris := t.surface()
		t.tree = geom.NewBVH(ctx, pts, tris)
	}
	return t.tree
}

// seenThrough tells whether any slot lets light through, as a lantern's glass does.
func (t *item) seenThrough() bool {
	for _, k := range t.scene.Meshes[0].UsedSlots() {
		if k < 0 {
			continue
		}
		if m := t.scene.Materials[k]; m.AlphaMode != scene.Opaque || m.BaseColor[3] < 1 {
			return true
		}
	}
	return false
}

// isClosed tells whether every edge has two faces, worked out when first asked for.
func (t *item) isClosed(ctx context.Context) bool {
	if t.closed == 0 {
		t.closed = -1
		if extents.Of(ctx, t.scene).Closed {
			t.closed = 1
		}
	}
	return t.closed > 0
}

// maxCompared bounds how many bodies are each held against all others.
const maxCompared = 4000

// buried finds bodies that lie wholly inside another, where nobody sees them.
func (v *looker) buried() {
	byNode := map[int]string{}
	parts := map[int]int{}
	if len(v.items) > maxCompared {
		v.Cut = true
		return
	}
	for i := range v.items {
		if v.ctx.Err() != nil {
			return
		}
		b := &v.items[i]
		for k := range v.items {
			a := &v.items[k]
			if i == k || a.box.Union(b.box) != a.box || a.box == b.box || !a.isClosed(v.ctx) || a.seenThrough() {
				continue
			}
			pts, _ := b.surface()
			step := max(1, len(pts)/48)
			in := true
			for j := 0; j < len(pts) && in; j += step {
				// What touches the other's surface may be seen there, as a covering on a floor.
				_, tri, _ := a.bvh(v.ctx).Nearest(pts[j], v.Near)
				in = tri < 0 && a.bvh(v.ctx).Holds(pts[j])
			}
			if !in {
				continue
			}
			if b.whole {
				byNode[b.node] = v.Keys[a.node]
			} else {
				parts[b.node]++
			}
			break
		}
	}
	for i := range v.Keys {
		if in, ok := byNode[i]; ok {
			v.note(i, Inside, fmt.Sprintf("It lies wholly inside “%s”, where nobody sees it.", in))
		}
		if n := parts[i]; n > 0 {
			v.Buried[i] = n
		}
	}
}

// SharedPlane is the area of faces of two nodes of a scene that lie in one plane, look the same way and cover one
// another, within what counts as the same place; where, and which way they look.
func SharedPlane(ctx context.Context, s *scene.Scene, a, b int) (area float64, at, normal geom.Vec3) {
	v := &looker{ctx: ctx, budget: pairTests, Survey: &Survey{Near: Near(s.Bounds().Size().Len())}}
	worlds := s.Worlds()
	var items [2]item
	for i, n := range [2]int{a, b} {
		if s.Nodes[n].Mesh < 0 {
			return 0, at, normal
		}
		one := &scene.Scene{Basis: s.Basis, Meshes: []*scene.Mesh{s.Meshes[s.Nodes[n].Mesh]}, Materials: s.Materials,
			Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1, Local: worlds[n]}}}
		items[i] = item{node: n, whole: true, box: one.Bounds(), scene: one}
	}
	return v.coplanar(&items[0], &items[1])
}

// Near is what counts as the same place in a scene of a size, from corner to corner; metres.
func Near(diagonal float64) float64 { return min(max(1e-5*diagonal, 1e-6), 1e-3) }

// overlaps finds faces of two nodes that lie in one plane, look the same way and
// cover one another: they flicker.
func (v *looker) overlaps(s *scene.Scene) {
	order := make([]int, len(v.items))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(v.items[a].box.Min[0], v.items[b].box.Min[0]) })
	found := map[[2]int]*Overlap{}
	for i, x := range order {
		a := &v.items[x]
		grown := a.box.Grown(v.Near)
		for _, y := range order[i+1:] {
			b := &v.items[y]
			if b.box.Min[0] > grown.Max[0] {
				break
			}
			if b.node == a.node || !grown.Meets(b.box) {
				continue
			}
			if v.budget <= 0 || v.ctx.Err() != nil {
				v.Cut = true
				return
			}
			area, at, normal := v.coplanar(a, b)
			if area <= 0 {
				continue
			}
			k := [2]int{min(a.node, b.node), max(a.node, b.node)}
			if found[k] == nil {
				v.Overlaps = append(v.Overlaps, Overlap{A: k[0], B: k[1], At: at, Normal: normal})
				found[k] = &Overlap{}
			}
			found[k].Area += area
		}
	}
	for i := range v.Overlaps {
		o := &v.Overlaps[i]
		o.Area = found[[2]int{o.A, o.B}].Area
	}
	slices.SortStableFunc(v.Overlaps, func(a, b Overlap) int { return a.A - b.A })
}

// coplanar sums the area that triangles of a and b share in one plane.
func (v *looker) coplanar(a, b *item) (area float64, at, normal geom.Vec3) {
	if len(a.scene.Meshes[0].Corners) > len(b.scene.Meshes[0].Corners) {
		a, b = b, a
	}
	pts, tris := a.surface()
	most := 0.0
	for t := 0; t < len(tris) && v.budget > 0; t += 3 {
		if t%3072 == 0 && v.ctx.Err() != nil {
			return 0, at, normal
		}
		p := [3]geom.Vec3{pts[tris[t]], pts[tris[t+1]], pts[tris[t+2]]}
		box := geom.EmptyBox().Add(p[0]).Add(p[1]).Add(p[2]).Grown(v.Near)
		if !box.Meets(b.box) {
			continue
		}
		n := p[1].Sub(p[0]).Cross(p[2].Sub(p[0])).Unit()
		if n.Len() == 0 {
			continue
		}
		tree := b.bvh(v.ctx)
		tree.Overlapping(box, func(k int) bool {
			v.budget--
			var q [3]geom.Vec3
			q[0], q[1], q[2] = tree.Corners(k)
			for _, c := range q {
				if math.Abs(c.Sub(p[0]).Dot(n)) > v.Near {
					return true
				}
			}
			if q[1].Sub(q[0]).Cross(q[2].Sub(q[0])).Dot(n) <= 0 {
				return true // back to back: only one of them is seen from any side
			}
			s, mid := flaw.Shared(p, q, n)
			if s > most {
				most, at, normal = s, mid, n
			}
			area += s
			return v.budget > 0
		})
	}
	// Less than a thousandth of the smaller box's side is what rounding makes.
	z := a.box.Size()
	if area < 1e-3*max(z[0]*z[1], z[1]*z[2], z[2]*z[0]) {
		return 0, at, normal
	}
	return area, at, normal
}
