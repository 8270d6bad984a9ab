package source

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/union"
)

// Guess is what a node seems to stand in for, by its name and by its shape: nobody has said so, and the target's
// patterns do not.
type Guess struct {
	Node int
	What string // Level or Solid
	Kind string // of a Solid: by its name, "" where that says none
	N    int    // of a Level, from 1 on
	Of   int    // the node it stands in for
	Text string // why, in a sentence
	// Named tells that a name says so, not the shape alone.
	Named bool
}

// StandIns guesses which nodes of a scene stand in for others, where nothing is known of how a target calls them. When
// ctx ends it returns early, and what it returns means nothing.
func StandIns(ctx context.Context, s *scene.Scene) []Guess {
	v := &looker{ctx: ctx, Survey: &Survey{Worlds: s.Worlds(), Boxes: s.NodeBounds(), lone: map[int][]string{}}}
	v.standIns(s)
	return v.Guesses
}

// standsIn tells whether a node was found to be a level or a collision shape of another.
func (v *Survey) standsIn(i int) bool {
	return slices.Contains(v.lone[i], Level) || slices.Contains(v.lone[i], Solid)
}

// samePlace tells whether two nodes take up the same room, as a thing and its levels do: no
// side off by more than a quarter of the largest, nor the middle by more than a tenth.
func samePlace(a, b geom.Box) bool {
	x, y := a.Size(), b.Size()
	most := max(x.Max(), y.Max())
	for k := range 3 {
		if d := x[k] - y[k]; d > most/4 || d < -most/4 {
			return false
		}
	}
	return a.Center().Dist(b.Center()) <= most/10
}

// within tells whether b lies in a, but for a tenth of a's size.
func within(a, b geom.Box) bool {
	grown := a.Grown(0.1 * a.Size().Max())
	return grown.Union(b) == grown
}

// guesser finds nodes that stand in the place of another on purpose: simpler levels, and shapes to collide with.
type guesser struct {
	*looker
	s    *scene.Scene
	list []int            // nodes with a mesh that fill some room
	read []naming.Reading // of each node's name, or of the one it is grouped under
	// together are the nodes that take up the same room as a node, itself among them, in their order
	together map[int][]int
	base     map[string][]int // nodes that stand for themselves, by their stems
	based    map[here][]int   // the first two of these that take up one room
	own      map[int]bool     // nodes that are a base of their own stem
	runs     map[here][]int   // nodes that count up in one room, the finest first
	finestAt map[int]int      // of those that stand for themselves in one room, by its first node
	largest  map[int]int      // of all there, the one with the most triangles
}

// affix is up to how many letters a word has that is put before or behind another mesh's name.
const affix = 5

// standIns makes the guesses, for what the target's patterns do not read.
func (v *looker) standIns(s *scene.Scene) {
	g := &guesser{looker: v, s: s, read: make([]naming.Reading, len(s.Nodes)), together: map[int][]int{},
		base: map[string][]int{}}
	for i, n := range s.Nodes {
		g.read[i] = naming.RoleOf(n.Name)
		if n.Mesh >= 0 && !v.Boxes[i].IsEmpty() {
			g.list = append(g.list, i)
		}
	}
	if !g.places() {
		return
	}
	for _, i := range g.list {
		g.grouped(i)
	}
	for _, i := range g.list {
		if r := g.read[i]; r.Role == naming.Itself {
			g.base[r.Stem] = append(g.base[r.Stem], i)
			// A number at its end may be part of what it is called.
			if whole := strings.Join(naming.Words(s.Nodes[i].Name), " "); whole != r.Stem {
				g.base[whole] = append(g.base[whole], i)
			}
		}
	}
	g.first()
	g.ready()
	for _, i := range g.list {
		if r, said := v.Recognised[i]; !said || r.Of < 0 && r.Nearest < 0 {
			g.judge(i)
		}
	}
	g.numbers()
	for _, x := range v.Guesses {
		v.note(x.Node, x.What, x.Text)
	}
}

// places groups the nodes that take up the same room; false when there were too many to compare.
func (g *guesser) places() bool {
	boxes := g.Boxes
	order := slices.Clone(g.list)
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(boxes[a].Min[0], boxes[b].Min[0]) })
	group := union.New(len(g.s.Nodes))
	tests := 0
	for k, a := range order {
		reach := boxes[a].Min[0] + boxes[a].Size().Max()/2 + g.Near
		for _, b := range order[k+1:] {
			if boxes[b].Min[0] > reach {
				break
			}
			if tests++; tests > 4_000_000 || g.ctx.Err() != nil {
				g.Cut = true
				return false
			}
			if samePlace(boxes[a], boxes[b]) {
				group.Join(int32(a), int32(b))
			}
		}
	}
	places := map[int32][]int{}
	for _, i := range g.list {
		k := group.Find(int32(i))
		places[k] = append(places[k], i)
	}
	for _, i := range g.list {
		g.together[i] = places[group.Find(int32(i))]
	}
	return true
}

// grouped reads a node by the nearest node above it whose name says a role for sure, where its own says none: what
// lies in a group “LOD1” is of that level.
func (g *guesser) grouped(i int) {
	if g.read[i].Role != naming.Itself {
		return
	}
	for p, deep := g.s.Nodes[i].Parent, 0; p >= 0 && deep < 16; p, deep = g.s.Nodes[p].Parent, deep+1 {
		if r := g.read[p]; g.s.Nodes[p].Mesh < 0 && r.Sure && (r.Role == naming.Solid || r.Number >= 0) {
			own := g.read[i]
			r.Stem, r.Bare = own.Stem, own.Bare
			if r.Role == naming.Solid {
				r.Number = own.Number
			}
			g.read[i] = r
			return
		}
	}
}

// first makes the finest of the levels that have one stem, and take up one room, the one that stands for itself, where
// no node is called by the stem alone: the first of a ladder may be counted from 0, from 1, or from the other end.
func (g *guesser) first() {
	levels := map[string][]int{}
	for _, i := range g.list {
		if r := g.read[i]; r.Role == naming.Level && len(g.base[r.Stem]) == 0 {
			levels[r.Stem] = append(levels[r.Stem], i)
		}
	}
	for stem, list := range levels {
		places := map[int][]int{} // by the first that takes up the same room
		for _, i := range list {
			places[g.together[i][0]] = append(places[g.together[i][0]], i)
		}
		for _, at := range slices.Sorted(maps.Keys(places)) {
			some := places[at]
			if len(some) > 1 || g.read[some[0]].Number == 0 || g.read[some[0]].Rank == 0 {
				g.base[stem] = append(g.base[stem], g.finest(some))
			}
		}
		if len(g.base[stem]) == 0 && len(list) > 1 && stem != "" {
			g.base[stem] = []int{g.finest(list)}
		}
	}
}

func (g *guesser) tris(i int) int { return g.s.Meshes[g.s.Nodes[i].Mesh].Triangles() }

// finest has the most triangles, and of those with as many the lowest number.
func (g *guesser) finest(list []int) int {
	return slices.MinFunc(list, func(a, b int) int {
		return cmp.Or(cmp.Compare(g.tris(b), g.tris(a)), cmp.Compare(g.read[a].Number, g.read[b].Number), cmp.Compare(a, b))
	})
}

// here is a stem within the nodes that take up one room, by the first of these.
type here struct {
	place int
	stem  string
}

// ready indexes what is asked for of each node, once the bases are known: a file may have thousands of one stem, or in
// one place.
func (g *guesser) ready() {
	g.own = map[int]bool{}
	g.based, g.runs, g.finestAt, g.largest = map[here][]int{}, map[here][]int{}, map[int]int{}, map[int]int{}
	for stem, list := range g.base {
		for _, k := range list {
			g.own[k] = g.own[k] || g.read[k].Stem == stem
			if at := (here{g.together[k][0], stem}); len(g.based[at]) < 2 { // one may be who asks
				g.based[at] = append(g.based[at], k)
			}
		}
	}
	for _, i := range g.list {
		place, r := g.together[i][0], g.read[i]
		if k, ok := g.largest[place]; !ok || g.tris(i) > g.tris(k) {
			g.largest[place] = i
		}
		if r.Role != naming.Itself {
			continue
		}
		if k, ok := g.finestAt[place]; !ok || g.finest([]int{k, i}) == i {
			g.finestAt[place] = i
		}
		if r.Number >= 0 {
			g.runs[here{place, r.Stem}] = append(g.runs[here{place, r.Stem}], i)
		}
	}
	for at, list := range g.runs {
		if !g.counts(list) {
			delete(g.runs, at)
		}
	}
}

// basis is the node that one stands in for: of its stem, in the same place first; -1 for none.
func (g *guesser) basis(i int, stems ...string) int {
	other := func(k int) bool { return k != i }
	for _, stem := range stems {
		list := g.base[stem]
		at := slices.IndexFunc(list, other)
		if at < 0 {
			continue
		}
		near := g.based[here{g.together[i][0], stem}]
		if k := slices.IndexFunc(near, other); k >= 0 {
			return near[k]
		}
		if len(list) <= maxCompared {
			if k := slices.IndexFunc(list, func(k int) bool { return k != i && within(g.Boxes[k], g.Boxes[i]) }); k >= 0 {
				return list[k]
			}
		}
		return list[at]
	}
	return -1
}

// around is the node that one lies in or takes the room of, the finest of them; -1 for none.
func (g *guesser) around(i int) int {
	if k, ok := g.finestAt[g.together[i][0]]; ok && k != i {
		return k
	}
	var list []int
	if len(g.list) <= maxCompared {
		for _, k := range g.list {
			if k != i && g.read[k].Role == naming.Itself && within(g.Boxes[k], g.Boxes[i]) {
				list = append(list, k)
			}
		}
	}
	if len(list) == 0 {
		return -1
	}
	return g.finest(list)
}

// bare tells whether a node has no material, though another has one.
func (g *guesser) bare(i, of int) bool {
	has := func(k int) bool {
		return slices.ContainsFunc(g.s.Meshes[g.s.Nodes[k].Mesh].UsedSlots(), func(slot int) bool { return slot >= 0 })
	}
	return !has(i) && has(of)
}

// bodyTriangles bounds those of a mesh that may be a convex body: shapes to collide with are simple.
const bodyTriangles = 4096

// convex tells whether a node's mesh is one closed convex body, but for a thousandth of its volume.
func (g *guesser) convex(i int) bool {
	if g.tris(i) > bodyTriangles {
		return false
	}
	m := g.s.Meshes[g.s.Nodes[i].Mesh]
	is := extents.Of(g.ctx, &scene.Scene{Basis: g.s.Basis, Meshes: []*scene.Mesh{m},
		Nodes: []scene.Node{{Kind: scene.KindMesh, Parent: -1, Local: geom.Identity}}})
	if !is.Closed {
		return false
	}
	whole := fit.OfHull(geom.HullOf(g.ctx, m.Points)).Volume()
	v := is.Volume
	if v < 0 {
		v = -v
	}
	return whole > 0 && whole-v < 1e-3*whole
}

// judge guesses what one node stands in for.
func (g *guesser) judge(i int) {
	r, of := g.read[i], -1
	if r.Role != naming.Itself {
		of = g.basis(i, r.Stem, r.Bare)
	}
	switch {
	case r.Role == naming.Solid:
		if of < 0 || !r.Sure && !g.near(i, of) {
			of = g.around(i)
		}
		if of >= 0 && (r.Sure || g.near(i, of) && (2*g.tris(i) <= g.tris(of) || g.bare(i, of))) {
			g.take(i, of, Solid, true, "“%s” is a shape to collide with, of “%s”, by its name.")
		}
	case r.Role == naming.Level:
		if of < 0 {
			of = g.around(i)
		}
		same := of >= 0 && g.together[of][0] == g.together[i][0]
		if of >= 0 && (r.Sure && !g.own[i] || same && g.tris(i) < g.tris(of)) {
			g.take(i, of, Level, true, "“%s” is a LOD of “%s” by its name.")
		}
	case r.Role == naming.Itself:
		if !g.called(i) && !g.counted(i) {
			g.simpler(i)
		}
	}
}

// near tells whether a node stands where another does.
func (g *guesser) near(i, of int) bool {
	return g.together[i][0] == g.together[of][0] || within(g.Boxes[of], g.Boxes[i])
}

// called judges a node by its being called as another with a short word before or behind.
func (g *guesser) called(i int) bool {
	words := strings.Fields(g.read[i].Stem)
	if len(words) < 2 {
		return false
	}
	short := func(w string) bool { return len([]rune(w)) <= affix }
	of := -1
	if short(words[0]) {
		of = g.basis(i, strings.Join(words[1:], " "))
	}
	if of < 0 && short(words[len(words)-1]) {
		of = g.basis(i, strings.Join(words[:len(words)-1], " "))
	}
	if of < 0 || !g.near(i, of) || g.tris(i) >= g.tris(of) {
		return false
	}
	switch {
	case g.bare(i, of) || 2*g.tris(i) <= g.tris(of) && g.convex(i):
		g.take(i, of, Solid, true, "“%s” is called as “%s” is, with a word before or behind, is simpler and stands where "+
			"that does: it reads as a shape to collide with.")
	case g.together[i][0] == g.together[of][0] && 4*g.tris(i) <= 3*g.tris(of):
		g.take(i, of, Level, true, "“%s” is called as “%s” is, with a word before or behind, and takes up its room with "+
			"fewer triangles: it reads as a LOD.")
	default:
		return false
	}
	return true
}

// counted judges a node by the numbers of those in its place: three or more whose numbers follow on one another from 0
// or 1. Two may be a thing and its copy.
func (g *guesser) counted(i int) bool {
	list := g.runs[here{g.together[i][0], g.read[i].Stem}]
	if g.read[i].Number < 0 || len(list) == 0 {
		return false
	}
	if of := list[0]; of != i { // the finest
		g.take(i, of, Level, true, "“%s” counts up from others in the same place: it reads as a LOD of “%s”.")
	}
	return true
}

// counts tells whether nodes of one stem in one place count up from 0 or 1 without a gap; the finest is the first of
// them then.
func (g *guesser) counts(list []int) bool {
	if len(list) < 3 {
		return false
	}
	slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(g.read[a].Number, g.read[b].Number) })
	from := g.read[list[0]].Number
	for k, at := range list {
		if g.read[at].Number != from+k {
			return false
		}
	}
	of := slices.Index(list, g.finest(list))
	list[0], list[of] = list[of], list[0]
	return from <= 1
}

// simpler judges a node by its shape alone: it takes up the room of another with a tenth of its triangles.
func (g *guesser) simpler(i int) {
	of := g.largest[g.together[i][0]]
	if g.tris(of) <= g.tris(i) || 10*g.tris(i) > g.tris(of) || g.tris(of) < 100 {
		return
	}
	text := fmt.Sprintf("“%%s” takes up the room of “%%s” with %d of its %d triangles", g.tris(i), g.tris(of))
	if g.bare(i, of) || g.convex(i) {
		g.take(i, of, Solid, false, text+": it reads as a shape to collide with.")
	} else {
		g.take(i, of, Level, false, text+": it reads as a LOD, or as a shape to collide with.")
	}
}

// take makes a guess; the text has places for its name and that of what it stands in for.
func (g *guesser) take(i, of int, what string, named bool, text string) {
	x := Guess{Node: i, What: what, Of: of, Named: named, Text: fmt.Sprintf(text, g.s.Nodes[i].Name, g.s.Nodes[of].Name)}
	if what == Solid {
		x.Kind = g.read[i].Kind
		if strings.Contains(g.read[of].Stem, g.read[i].Stem) && g.read[i].Stem != g.read[i].Bare {
			x.Kind = "" // the word is of what it stands in for
		}
	}
	g.Guesses = append(g.Guesses, x)
}

// numbers counts the levels of each thing: as their names do where those go with their triangles, else the fewer
// triangles the higher.
func (g *guesser) numbers() {
	of := map[int][]int{} // guesses of levels, by what they stand in for
	for k, x := range g.Guesses {
		if x.What == Level {
			of[x.Of] = append(of[x.Of], k)
		}
	}
	for base, list := range of {
		slices.SortStableFunc(list, func(a, b int) int {
			x, y := g.Guesses[a].Node, g.Guesses[b].Node
			return cmp.Or(cmp.Compare(g.tris(y), g.tris(x)), cmp.Compare(g.read[x].Number, g.read[y].Number))
		})
		from, named := max(g.read[base].Number, 0), true
		last := 0
		for _, k := range list {
			n := g.read[g.Guesses[k].Node].Number - from
			named = named && n >= last && n > 0
			last = n
		}
		for at, k := range list {
			g.Guesses[k].N = at + 1
			if named {
				g.Guesses[k].N = g.read[g.Guesses[k].Node].Number - from
			}
		}
	}
}
