// Package compare sets two revisions of an asset side by side, each with the same
// prep over it.
package compare

import (
	"cmp"
	"context"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/twin"
	"yarvek/core/prep"
	"yarvek/core/scene"
)

// Row is one figure of both revisions.
type Row struct {
	What     string
	Old, New string
	Differs  bool
}

// Node is a node that is not as it was.
type Node struct {
	Key  string // in the new revision; in the old one when gone
	Was  string // its key in the old revision, when renamed
	What string // "added", "gone", "renamed" or "changed"
	Text string
}

// Lost is a decision that finds no node, with the node it may mean.
type Lost struct {
	prep.Ref
	Means string   // a key, or ""
	Nodes []string // all it can be pointed at
}

// Comparison is what changed.
type Comparison struct {
	Rows      []Row
	Nodes     []Node
	SlotsNew  []string
	SlotsGone []string
	New       []finding.Finding
	Gone      []finding.Finding
	Lost      []Lost
}

// Same tells whether nothing differs.
func (c Comparison) Same() bool {
	return len(c.Nodes)+len(c.SlotsNew)+len(c.SlotsGone)+len(c.New)+len(c.Gone)+len(c.Lost) == 0 &&
		!slices.ContainsFunc(c.Rows, func(r Row) bool { return r.Differs })
}

// Results compares two outcomes. When ctx ends it returns early, and what it returns
// means nothing.
func Results(ctx context.Context, was, is *prep.Result) Comparison {
	var c Comparison
	c.row("Format", was.Read.Format+" "+was.Read.FormatVersion, is.Read.Format+" "+is.Read.FormatVersion)
	extents(&c, "As read", was.Read.Basis.Extents(was.Source.Box), is.Read.Basis.Extents(is.Source.Box))
	extents(&c, "Prepared", was.Axes.Size, is.Axes.Size)
	a, b := was.Delivery.Scene.Count(), is.Delivery.Scene.Count()
	ra, rb := was.Read.Count(), is.Read.Count()
	c.row("Triangles as read", figure.Count(ra.Triangles), figure.Count(rb.Triangles))
	c.row("Triangles prepared", figure.Count(a.Triangles), figure.Count(b.Triangles))
	c.row("Points", figure.Count(ra.Points), figure.Count(rb.Points))
	c.row("Nodes", figure.Count(ra.Nodes), figure.Count(rb.Nodes))
	c.row("Meshes that go on", figure.Count(was.Source.Kept), figure.Count(is.Source.Kept))
	c.row("Slots", figure.Count(ra.Slots), figure.Count(rb.Slots))
	c.nodes(ctx, was, is)
	old, now := was.Read.SlotNames(), is.Read.SlotNames()
	c.SlotsNew, c.SlotsGone = missing(now, old), missing(old, now)
	c.findings(was, is)
	renamed, keys := map[string]string{}, map[string][]string{}
	for _, n := range c.Nodes {
		if n.What == "renamed" {
			renamed[n.Was] = n.Key
		}
	}
	for _, ref := range is.Lost() {
		at, err := is.Stop(ref.Station)
		if err != nil {
			continue // Lost names stops only
		}
		if keys[ref.Station] == nil {
			keys[ref.Station] = at.Before.Keys()
		}
		c.Lost = append(c.Lost, Lost{Ref: ref, Means: renamed[ref.Key], Nodes: keys[ref.Station]})
	}
	return c
}

// row adds a line to the table, marked when the two differ.
func (c *Comparison) row(what, old, now string) {
	c.Rows = append(c.Rows, Row{what, old, now, old != now})
}

// extents compares three extents in metres, each on a row of its own.
func extents(c *Comparison, when string, a, b geom.Vec3) {
	for i, n := range []string{"width", "height", "depth"} {
		c.row(when+", "+n, figure.Length(a[i]), figure.Length(b[i]))
	}
}

// missing lists what is in a and not in b.
func missing(a, b []string) (list []string) {
	there := make(map[string]bool, len(b))
	for _, s := range b {
		there[s] = true
	}
	for _, s := range a {
		if !there[s] {
			list = append(list, s)
		}
	}
	return list
}

// nodes finds those added, gone, renamed and changed. A node that is gone and one
// that is new are one renamed when their meshes are equal, or alone of their
// triangle count and extents; with several alike the first of each are taken.
func (c *Comparison) nodes(ctx context.Context, was, is *prep.Result) {
	old, now := was.Survey, is.Survey
	at := map[string]int{}
	for i, k := range now.Keys {
		at[k] = i
	}
	var gone []int
	seen := make([]bool, len(now.Keys))
	for i, k := range old.Keys {
		j, ok := at[k]
		if !ok {
			gone = append(gone, i)
			continue
		}
		seen[j] = true
		if text := differs(ctx, was.Came.Scene, is.Came.Scene, i, j, old.Boxes[i], now.Boxes[j]); text != "" {
			c.Nodes = append(c.Nodes, Node{Key: k, What: "changed", Text: text})
		}
	}
	for _, i := range gone {
		found := -1
		for j := range now.Keys {
			if !seen[j] && like(ctx, was.Came.Scene, is.Came.Scene, i, j) {
				found = j
				break
			}
		}
		if found < 0 {
			c.Nodes = append(c.Nodes, Node{Key: old.Keys[i], What: "gone", Text: triangles(was.Came.Scene, i)})
			continue
		}
		seen[found] = true
		c.Nodes = append(c.Nodes, Node{Key: now.Keys[found], Was: old.Keys[i], What: "renamed", Text: "was “" + old.Keys[i] +
			"”"})
	}
	for j, k := range now.Keys {
		if !seen[j] {
			c.Nodes = append(c.Nodes, Node{Key: k, What: "added", Text: triangles(is.Came.Scene, j)})
		}
	}
	slices.SortStableFunc(c.Nodes, func(a, b Node) int { return cmp.Compare(rank(a.What), rank(b.What)) })
}

// rank orders kinds of change as the page lists them; -1 for a kind it does not know.
func rank(what string) int {
	return slices.Index([]string{"gone", "renamed", "added", "changed"}, what)
}

// triangles says how many triangles node i has.
func triangles(s *scene.Scene, i int) string {
	if m := s.Nodes[i].Mesh; m >= 0 {
		return figure.Plural(s.Meshes[m].Triangles(), "triangle", "triangles")
	}
	return string(s.Nodes[i].Kind)
}

// differs says in words how a node changed, "" when it did not.
func differs(ctx context.Context, a, b *scene.Scene, i, j int, boxA, boxB geom.Box) string {
	m, n := a.Nodes[i].Mesh, b.Nodes[j].Mesh
	if (m < 0) != (n < 0) {
		return "was a " + string(a.Nodes[i].Kind) + ", is a " + string(b.Nodes[j].Kind)
	}
	if m < 0 {
		return ""
	}
	if x, y := a.Meshes[m].Triangles(), b.Meshes[n].Triangles(); x != y {
		return figure.Count(x) + " triangles, now " + figure.Count(y)
	}
	tol := 1e-5 * max(boxA.Size().Max(), boxB.Size().Max())
	u, v := a.Basis.Extents(boxA), b.Basis.Extents(boxB)
	switch {
	case !u.Near(v, tol):
		return "another size: " + figure.Length(u[0]) + " × " + figure.Length(u[1]) + " × " + figure.Length(u[2]) + ", now " +
			figure.Length(v[0]) + " × " + figure.Length(v[1]) + " × " + figure.Length(v[2])
	case !boxA.Center().Near(boxB.Center(), tol):
		return "moved by " + figure.Length(boxA.Center().Dist(boxB.Center()))
	case len(twin.Find(ctx, []*scene.Mesh{a.Meshes[m], b.Meshes[n]}, max(tol, 1e-7))) == 0 && !sameSlots(a, b, m, n):
		return "its points or slots are others"
	}
	return ""
}

// sameSlots compares two meshes whose scenes number their materials differently:
// equal points and equally named slots count as the same.
func sameSlots(a, b *scene.Scene, m, n int) bool {
	x, y := a.Meshes[m], b.Meshes[n]
	if len(x.Points) != len(y.Points) || !slices.Equal(x.Corners, y.Corners) {
		return false
	}
	box := geom.EmptyBox()
	for _, p := range x.Points {
		box = box.Add(p)
	}
	tol := 1e-5 * box.Size().Max()
	for i, p := range x.Points {
		if !p.Near(y.Points[i], tol) {
			return false
		}
	}
	name := func(s *scene.Scene, k int) string {
		if k < 0 {
			return scene.NoSlot
		}
		return s.Materials[k].Name
	}
	for f := range x.Faces() {
		if name(a, x.Material(f)) != name(b, y.Material(f)) {
			return false
		}
	}
	return true
}

// like tells whether a node of one scene is one of the other under another name.
func like(ctx context.Context, a, b *scene.Scene, i, j int) bool {
	m, n := a.Nodes[i].Mesh, b.Nodes[j].Mesh
	if m < 0 || n < 0 {
		return m < 0 && n < 0 && a.Nodes[i].Kind == b.Nodes[j].Kind && a.Nodes[i].Local.Near(b.Nodes[j].Local, 1e-6)
	}
	x, y := a.Meshes[m], b.Meshes[n]
	if x.Triangles() != y.Triangles() || len(x.Points) != len(y.Points) {
		return false
	}
	bx, by := geom.EmptyBox(), geom.EmptyBox()
	for k := range x.Points {
		bx, by = bx.Add(x.Points[k]), by.Add(y.Points[k])
	}
	return bx.Size().Near(by.Size(), 1e-3*bx.Size().Max()) ||
		len(twin.Find(ctx, []*scene.Mesh{x, y}, 1e-5*bx.Size().Max())) == 1
}

// findings lists those only one of the two has, by code and title.
func (c *Comparison) findings(was, is *prep.Result) {
	only := func(a, b []finding.Finding) (out []finding.Finding) {
		for _, f := range a {
			if !slices.ContainsFunc(b, func(g finding.Finding) bool { return g.Code == f.Code && g.Title == f.Title }) {
				out = append(out, f)
			}
		}
		return out
	}
	a, b := was.Findings(), is.Findings()
	c.New, c.Gone = only(b, a), only(a, b)
}
