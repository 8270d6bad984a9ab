package web

import (
	"fmt"
	"html/template"
	"maps"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/source"
	"yarvek/internal/work"
)

var sourceRoom = room{
	id:     source.Info.ID,
	decode: decideSource,
	page: func(c *call, ws worksheet) (any, error) {
		list, err := c.desk.Revisions(c.r.Context(), c.o.Asset.ID)
		return sourcePage{ws, c.o.Result.Source, c.o.Prep.Source, treeOf(c.o.Result.Source), list}, err
	},
	words: template.FuncMap{
		"keepable": func(n source.Node) bool {
			return n.Kind == scene.KindMesh || n.Kind == scene.KindEmpty || n.Kind == scene.KindLOD
		},
		"indent":    func(depth int) string { return fmt.Sprintf("depth-%d", min(depth, 8)) },
		"formatof":  func(s *scene.Scene) string { return strings.TrimSpace(s.Format + " " + s.FormatVersion) },
		"short3":    short3,
		"nodewords": nodeWords,
		"namelist":  func(l []string) string { return clip(strings.Join(l, ", "), 60) },
		"millimetres": func(m float64) string {
			return figure.Significant(m*1000, 2) + "\u2009mm"
		},
		"treekinds": func() [][2]string {
			return [][2]string{{"mesh", "meshes"}, {"kept", "going on"}, {"left", "left behind"}, {"stray", "strays"},
				{"instance", "instances"},
				{"idle", "names that say nothing"}, {"empty", "empty nodes"}, {"guide", "guides"}, {"camera", "cameras"},
				{"light", "lights"}}
		},
		"rulekinds": func() []string { return source.Kinds },
		"splitways": func() [][2]string {
			return [][2]string{{string(source.ByParts), "by connected parts"}, {string(source.BySlot), "by slot"}}
		},
	},
}

// sourcePage is what Source's worksheet shows.
type sourcePage struct {
	worksheet
	Report    *source.Report
	Decided   source.Decisions
	Tree      []row
	Revisions []work.Revision // the newest first
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

// Newer is the newest revision when it is not in force, 0 when it is.
func (p sourcePage) Newer() int {
	if len(p.Revisions) > 0 && p.Revisions[0].Number > p.Opened.Revision.Number {
		return p.Revisions[0].Number
	}
	return 0
}

// row is a node of the tree as the page shows it.
type row struct {
	source.Node
	Kinds string // what the filter knows it by
}

// treeOf prepares the tree for the page.
func treeOf(r *source.Report) []row {
	var list []row
	for _, n := range r.Nodes {
		kinds := []string{string(n.Kind), "left"}
		if n.Kept {
			kinds[1] = "kept"
		}
		for kind, is := range map[string]bool{"stray": len(n.Lone) > 0, "instance": n.Instance, "idle": n.Idle} {
			if is {
				kinds = append(kinds, kind)
			}
		}
		slices.Sort(kinds)
		list = append(list, row{Node: n, Kinds: strings.Join(kinds, "|")})
	}
	return list
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
	for _, l := range n.Lone {
		if l != string(n.Kind) {
			w = append(w, l)
		}
	}
	if n.Group != "" {
		w = append(w, "in "+n.Group)
	}
	return strings.Join(append(w, n.Slots...), ", ")
}

// without is a list of its own: the prep passed in may share its array with another.
func without(list, drop []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return slices.Contains(drop, k) })
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
	switch act {
	case "leave", "keep", "group", "split":
		decideNodes(f, d, act, keys)
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
	case "unrule":
		if i := f.int("rule"); i >= 0 && i < len(d.Rules) {
			d.Rules = slices.Delete(slices.Clone(d.Rules), i, i+1)
		}
	case "share":
		d.Sharing = sorted(append(slices.Clone(d.Sharing), keys...))
	case "unshare":
		d.Sharing = without(d.Sharing, keys)
	case "move":
		d.Move = geom.Vec3{}
	case "error":
		d.Error = f.length("error", "The error")
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
		r.Area, r.What = f.area(), ""
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
		keys := f.under(ticked)
		d.Leave = without(d.Leave, keys)
		if len(d.Rules) > 0 {
			d.Keep = sorted(append(slices.Clone(d.Keep), keys...))
		}
	case "group":
		d.Groups, d.Merge = grouped(d.Groups, f.name("group"), ticked), source.MergeSome
	case "split":
		by := source.SplitBy(f.str("by"))
		d.Split = slices.DeleteFunc(slices.Clone(d.Split), func(s source.Split) bool { return slices.Contains(ticked, s.Node) })
		for _, k := range ticked {
			d.Split = append(d.Split, source.Split{Node: k, By: by})
		}
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
		names := maps.Clone(d.Names)
		if names == nil {
			names = map[string]string{}
		}
		if name := f.str("name"); name == "" || name == station.LastName(keys[0]) {
			delete(names, keys[0])
		} else {
			names[keys[0]] = f.name("name")
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
