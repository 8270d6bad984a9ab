package web

import (
	"cmp"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/source"
	"yarvek/core/target"
	"yarvek/internal/work"
)

var sourceRoom = room{
	id:     source.Info.ID,
	decode: decideSource,
	page: func(c *call, ws worksheet) (any, error) {
		list, err := c.desk.Revisions(c.r.Context(), c.o.Asset.ID)
		return sourcePage{ws, c.o.Result.Source, c.o.Prep.Source, treeOf(c.o, looked(c.r, ws)), list,
			c.o.Result.LODs.Range.Near, c.o.Prep.Source.Divide > 0 || source.Cages(c.o.Result.Came.Scene)}, err
	},
	words: template.FuncMap{
		"keepable": func(n source.Node) bool {
			return n.Kind == scene.KindMesh || n.Kind == scene.KindEmpty || n.Kind == scene.KindLOD ||
				n.Kind == scene.KindPoints
		},
		"indent":    func(depth int) string { return fmt.Sprintf("depth-%d", min(depth, 8)) },
		"formatof":  func(s *scene.Scene) string { return strings.TrimSpace(s.Format + " " + s.FormatVersion) },
		"short3":    short3,
		"nodewords": nodeWords,
		"namelist":  func(l []string) string { return clip(strings.Join(l[:min(len(l), 60)], ", "), 60) },
		"slotnames": func(s *scene.Scene) string { return cmp.Or(station.Some(s.SlotNames()), "none") },
		"treekinds": func() [][2]string {
			return [][2]string{{"mesh", "meshes"}, {"kept", "going on"}, {"left", "left behind"}, {"stray", "strays"},
				{"instance", "instances"},
				{"idle", "names that say nothing"}, {"empty", "empty nodes"}, {"guide", "guides"}, {"camera", "cameras"},
				{"light", "lights"}}
		},
		"rulekinds":  func() []string { return source.Kinds },
		"roles":      func() [][2]string { return roles },
		"shapekinds": func() [][2]string { return shapeKinds },
		"cropways": func() (l [4][][2]string) {
			l[0] = [][2]string{{string(source.OnPlan), "plan"}, {string(source.OnFront), "front"},
				{string(source.OnSide), "side"}}
			l[1] = [][2]string{{"inside", "inside"}, {"outside", "outside"}}
			l[2] = [][2]string{{"cut", "cut at its edge"}, {"whole", "whole faces"}}
			l[3] = [][2]string{{string(source.AsBox), "a box"}, {string(source.AsBall), "a ball"},
				{string(source.ByHand), "what is drawn round"}}
			return l
		},
		"splitways": func() [][2]string { return splitWays },
	},
}

// splitWays are those to take the mesh of a node apart.
var splitWays = [][2]string{{string(source.ByParts), "by connected parts"}, {string(source.BySlot), "by slot"}}

// roles are what a node can go on as.
var roles = [][2]string{{"mesh", "a mesh"}, {string(source.AsLOD), "a LOD"}, {string(source.AsShape), "collision"},
	{string(source.AsMarker), "a marker"}}

// shapeKinds are those of a shape to collide with.
var shapeKinds = func() [][2]string {
	list := [][2]string{{"", "as it measures"}}
	for _, k := range target.SolidKinds {
		list = append(list, [2]string{k, k})
	}
	return list
}()

// sourcePage is what Source's worksheet shows.
type sourcePage struct {
	worksheet
	Report    *source.Report
	Decided   source.Decisions
	Tree      tree
	Revisions []work.Revision // the newest first
	Near      float64         // metres that it is seen from, at the least
	Cages     bool            // of smooth surfaces are there, or were divided
}

// Meshes is how many nodes with polygons came in.
func (p sourcePage) Meshes() int {
	n := 0
	for _, d := range p.Report.Nodes {
		if d.Triangles > 0 {
			n++
		}
	}
	return n
}

// StandIns says how many nodes go on in other roles, "" for none.
func (p sourcePage) StandIns() string {
	var list []string
	count := func(what string, is func(source.Node) bool) {
		n := 0
		for _, d := range p.Report.Nodes {
			if is(d) {
				n++
			}
		}
		if n > 0 {
			list = append(list, fmt.Sprintf("%d as %s", n, what))
		}
	}
	count("LODs", func(n source.Node) bool { return n.LOD > 0 })
	count("collision", func(n source.Node) bool { return n.Solid })
	count("markers", func(n source.Node) bool { return n.Marker })
	return strings.Join(list, ", ")
}

// Newer is the newest revision when it is not in force, 0 when it is.
func (p sourcePage) Newer() int {
	if len(p.Revisions) > 0 && p.Revisions[0].Number > p.Opened.Revision.Number {
		return p.Revisions[0].Number
	}
	return 0
}

// Twins are the first groups of equal meshes.
func (p sourcePage) Twins() []source.Twins { return p.Report.Twins[:min(len(p.Report.Twins), pieceOf)] }

// MoreTwins is how many groups there are besides.
func (p sourcePage) MoreTwins() int { return len(p.Report.Twins) - len(p.Twins()) }

// SomeNodes are keys and names of the first nodes, to choose from.
func (p sourcePage) SomeNodes() [][2]string {
	var list [][2]string
	for _, r := range p.Tree.Rows {
		list = append(list, [2]string{r.Key, r.Name})
	}
	return list
}

// Bases are the first meshes that others can be a LOD or a shape of: those that go on.
func (p sourcePage) Bases() [][2]string {
	var list [][2]string
	for _, n := range p.Report.Nodes {
		if n.Kept && n.Triangles > 0 && len(list) < pieceOf {
			list = append(list, [2]string{n.Key, n.Name})
		}
	}
	return list
}

// MissingPictures names the pictures that did not come with the mesh.
func (p sourcePage) MissingPictures() []string {
	var list []string
	for _, i := range p.Opened.Result.Read.Images {
		if !i.Found() {
			list = append(list, i.Name)
		}
	}
	return list
}

// wanted is what is looked for in the tree.
type wanted struct {
	find string // letters of a name or a slot, in lower case
	kind string // one of treekinds, "" for all
	from int    // the piece begins at this node
}

// looked is what a request looks for.
func looked(r *http.Request, ws worksheet) wanted {
	q := r.URL.Query()
	return wanted{strings.ToLower(strings.TrimSpace(q.Get("find"))), q.Get("kind"), ws.From}
}

// takes tells whether a node is looked for.
func (w wanted) takes(n source.Node) bool {
	has := func(s string) bool { return strings.Contains(strings.ToLower(s), w.find) }
	if w.find != "" && !has(n.Name) && !has(n.Was) && !slices.ContainsFunc(n.Slots, has) {
		return false
	}
	switch w.kind {
	case "":
		return true
	case "kept":
		return n.Kept
	case "left":
		return !n.Kept
	case "stray":
		return len(n.Lone) > 0
	case "instance":
		return n.Instance
	case "idle":
		return n.Idle
	}
	return string(n.Kind) == w.kind
}

// row is a node of the tree as the page shows it.
type row struct {
	source.Node
	At   int       // among all nodes
	Size geom.Vec3 // width, height, depth as the asset is decided to stand; metres as read
}

// tree is a piece of the tree of nodes: those that were looked for, in their order.
type tree struct {
	Rows  []row
	Found string // how many there are, "" when all are shown
	Next  string // address of the next piece, "" when this is the last
}

// treeOf takes the piece of the tree that is wanted. Only the first counts what there is.
func treeOf(o *work.Opened, w wanted) tree {
	var t tree
	nodes, boxes := o.Result.Source.Nodes, o.Result.Boxes()
	found := 0
	for i := w.from; i < len(nodes); i++ {
		if !w.takes(nodes[i]) {
			continue
		}
		if found++; len(t.Rows) < pieceOf {
			t.Rows = append(t.Rows, row{nodes[i], i, boxes[i].Size()})
		} else if t.Next == "" {
			t.Next = fmt.Sprintf("%s/source/lists/rows?%s", assetPath(o.Asset.ID),
				url.Values{"find": {w.find}, "kind": {w.kind}, "from": {fmt.Sprint(i)}}.Encode())
			if w.from > 0 {
				break
			}
		}
	}
	if w.from == 0 && (found != len(nodes) || t.Next != "") {
		t.Found = fmt.Sprintf("%s of %s", figure.Count(found), figure.Count(len(nodes)))
	}
	return t
}

// short3 fits three extents into a column; each station's worksheet has them in full.
func short3(v geom.Vec3) string {
	return figure.Significant(v[0], 3) + "×" + figure.Significant(v[1], 3) + "×" + figure.Significant(v[2], 3)
}

// nodeWords says below a node's name what it is besides a mesh.
func nodeWords(n source.Node) string {
	var w []string
	if n.Kind != scene.KindMesh {
		w = append(w, string(n.Kind))
	}
	if n.Instance {
		w = append(w, "instance")
	}
	if n.For != "" {
		w = append(w, n.For)
	}
	for _, l := range n.Lone {
		if l != string(n.Kind) && (n.For == "" || l != source.Level && l != source.Solid) {
			w = append(w, l)
		}
	}
	if n.Group != "" {
		w = append(w, "in "+n.Group)
	}
	if len(n.Slots) > 0 {
		w = append(w, station.Some(n.Slots))
	}
	return strings.Join(w, ", ")
}

// twins are the nodes of the group of equal meshes that the form names by its first, and
// those it names one by one.
func (f *form) twins(keys []string) []string {
	if !f.has("twin") {
		return keys
	}
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return nil
	}
	name := f.str("twin")
	for _, t := range o.Result.Source.Twins {
		if t.Keys[0] == name {
			return t.Keys
		}
	}
	f.fail("the meshes that were equal to “%s” are not there any more. Look again", station.LastName(name))
	return nil
}

// without is a list of its own: the prep passed in may share its array with another.
func without(list, drop []string) []string {
	gone := make(map[string]bool, len(drop))
	for _, k := range drop {
		gone[k] = true
	}
	return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return gone[k] })
}

// sorted sorts a list in place and drops repeats.
func sorted(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}

// decideSource turns Source’s form into decisions.
func decideSource(f *form, p *prep.Prep) {
	d := &p.Source
	act, keys := f.str("act"), f.strs("key")
	if one := f.str("one"); one != "" { // a row's own button: the act and its node
		var key string
		act, key, _ = strings.Cut(one, " ")
		keys = []string{key}
	}
	role := roleOf(f)
	switch act {
	case "leave", "keep", "group", "split":
		decideNodes(f, d, act, keys)
	case "role":
		decideRole(f, d, role, keys)
	case "unsplit":
		d.Split = slices.DeleteFunc(slices.Clone(d.Split), func(s source.Split) bool { return slices.Contains(keys, s.Node) })
	case "ungroup":
		name := f.str("group")
		d.Groups = slices.DeleteFunc(slices.Clone(d.Groups), func(g source.Group) bool { return g.Name == name })
		if d.Merge == source.MergeSome && len(d.Groups) == 0 {
			d.Merge = source.Apart
		}
	case "merge":
		if d.Merge = source.Merge(f.str("merge")); d.Merge == source.MergeSome && len(d.Groups) == 0 {
			f.fail("there is no group yet. Tick nodes in the list and group them first")
		}
	case "rule":
		d.Rules = append(slices.Clone(d.Rules), ruleOf(f))
	case "crop":
		c := cropOf(f)
		f.check(c.Validate())
		d.Crop = append(slices.Clone(d.Crop), c)
	case "uncrop":
		if i := f.int("crop"); i >= 0 && i < len(d.Crop) {
			d.Crop = slices.Delete(slices.Clone(d.Crop), i, i+1)
		}
	case "unrule":
		if i := f.int("rule"); i >= 0 && i < len(d.Rules) {
			d.Rules = slices.Delete(slices.Clone(d.Rules), i, i+1)
		}
	case "variant":
		*d = d.Choosing(f.str("set"), f.str("is"))
	case "thinseen":
		d.Thin = f.seenFrom(f.length("from", "How far it is seen from"))
	case "share":
		d.Sharing = sorted(append(slices.Clone(d.Sharing), f.twins(keys)...))
	case "unshare":
		d.Sharing = without(d.Sharing, f.twins(keys))
	case "move":
		d.Move = geom.Vec3{}
	default:
		decideNames(f, d, act, keys)
	}
}

// ruleOf reads a rule to add.
func ruleOf(f *form) source.Rule {
	r := source.Rule{By: source.RuleBy(f.str("by")), What: f.str("what"), Keep: f.on("keep")}
	switch r.By {
	case source.ByBeyond:
		r.Reach, r.What = f.length("reach", "The distance"), ""
	case source.ByArea:
		a, seen := f.area()
		// To the asset's right and front, as it stands.
		r.Area, r.Seen, r.What = [4]float64{-a[2], a[1], -a[0], a[3]}, seen, ""
	}
	f.check(r.Validate())
	return r
}

// decideNodes acts on the ticked nodes and all below them.
func decideNodes(f *form, d *source.Decisions, act string, ticked []string) {
	if len(ticked) == 0 {
		f.fail("no node was ticked")
		return
	}
	switch act {
	case "leave":
		keys := f.under(ticked)
		d.Leave, d.Keep = sorted(append(slices.Clone(d.Leave), keys...)), without(d.Keep, keys)
	case "keep":
		// What was left by hand goes on again; what a rule leaves, or a name or a role makes something else, is kept.
		keys := f.under(ticked)
		*d = d.AsMeshes(slices.DeleteFunc(slices.Clone(keys), func(k string) bool {
			return len(d.Rules) == 0 && slices.Contains(d.Leave, k)
		}))
		d.Leave = without(d.Leave, keys)
	case "group":
		d.Groups, d.Merge = grouped(d.Groups, f.name("group"), ticked), source.MergeSome
	case "split":
		by := source.SplitBy(f.str("by"))
		d.Split = slices.DeleteFunc(slices.Clone(d.Split),
			func(s source.Split) bool { return slices.Contains(ticked, s.Node) })
		for _, k := range ticked {
			d.Split = append(d.Split, source.Split{Node: k, By: by})
		}
	}
}

// roleOf reads what ticked nodes are to go on as. It stands in the form of all that is done with them, so that what
// there is not is refused whatever is done.
func roleOf(f *form) source.Role {
	role := source.Role{As: source.As(f.str("as")), Of: f.str("of"), Kind: f.str("kind")}
	if f.str("n") != "" {
		role.N = f.int("n")
	}
	among := func(list [][2]string, v string) bool {
		return v == "" || slices.ContainsFunc(list, func(o [2]string) bool { return o[0] == v })
	}
	// How meshes are split stands in the same form; other forms have a “by” of their own, and no “as”.
	split := role.As == "" || among(splitWays, f.str("by"))
	if !split || !among(roles, string(role.As)) || !among(shapeKinds, role.Kind) {
		f.unknown()
	}
	if role.Of == "" || f.err != nil {
		return role
	}
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
	} else if !slices.Contains(o.Result.Survey.Keys, role.Of) {
		f.fail("choose the mesh they are a LOD or a shape of")
	}
	return role
}

// decideRole has the ticked nodes go on as what the form says.
func decideRole(f *form, d *source.Decisions, role source.Role, ticked []string) {
	if len(ticked) == 0 {
		f.fail("no node was ticked")
		return
	}
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return
	}
	switch role.As {
	case "mesh":
		*d = d.AsMeshes(ticked)
		return
	case source.AsLOD:
		role.Kind = ""
	case source.AsShape:
		role.N = 0
	case source.AsMarker:
		role.Of, role.N, role.Kind = "", 0, ""
	}
	if role.As != source.AsMarker && role.Of == "" {
		f.fail("choose the mesh they are a LOD or a shape of")
		return
	}
	*d = d.As(role, ticked, o.Result.Source)
	for _, role := range d.Roles {
		f.check(role.Validate())
	}
}

// grouped puts nodes into the group of a name, out of any other.
func grouped(list []source.Group, name string, ticked []string) []source.Group {
	var out []source.Group
	for _, g := range list {
		if g.Nodes = without(g.Nodes, ticked); g.Name == name {
			ticked = append(g.Nodes, ticked...)
		} else if len(g.Nodes) > 0 {
			out = append(out, g)
		}
	}
	return append(out, source.Group{Name: name, Nodes: sorted(slices.Clone(ticked))})
}

// decideNames does what the form asks of names.
func decideNames(f *form, d *source.Decisions, act string, keys []string) {
	switch act {
	case "name":
		if len(keys) != 1 {
			f.fail("choose the node to rename")
			return
		}
		o, err := f.open()
		if err != nil {
			f.err = first(f.err, err)
			return
		}
		_, decided := d.Names[keys[0]]
		key := f.node("key", o.Result.Survey.Keys, decided)
		names := maps.Clone(d.Names)
		if names == nil {
			names = map[string]string{}
		}
		if name := f.str("name"); name == "" || name == station.LastName(key) {
			delete(names, key)
		} else {
			names[key] = f.name("name")
		}
		if len(names) == 0 {
			names = nil
		}
		d.Names = names
	case "rename":
		d.Rename = append(slices.Clone(d.Rename), source.Rename{Match: f.str("match"), To: f.str("to")})
	case "unrename":
		if i := f.int("rename"); i >= 0 && i < len(d.Rename) {
			d.Rename = slices.Delete(slices.Clone(d.Rename), i, i+1)
		}
	default:
		f.unknown()
	}
}
