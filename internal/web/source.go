package web

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/source"
	"yarvek/internal/work"
)

// lastName is a node's own name in its key.
func lastName(key string) string { return key[strings.LastIndexByte(key, '/')+1:] }

// without is a list of its own: the prep passed in may share its array with another.
func without(list, drop []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return slices.Contains(drop, k) })
}

func sorted(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}

// several names one node, or counts more.
func several(keys []string) string {
	if len(keys) == 1 {
		return lastName(keys[0])
	}
	return figure.Plural(len(keys), "node", "nodes")
}

func decideSource(f *form, p *prep.Prep) string {
	d := &p.Source
	act := f.str("act")
	if one := f.str("one"); one != "" { // a row's own button: the act and its node
		var key string
		act, key, _ = strings.Cut(one, " ")
		f.r.PostForm["key"] = []string{key}
	}
	switch act {
	case "leave", "keep", "group", "split":
		return decideNodes(f, d, act)
	case "unsplit":
		key := f.str("key")
		d.Split = slices.DeleteFunc(slices.Clone(d.Split), func(s source.Split) bool { return s.Node == key })
		return "Leave " + lastName(key) + " whole"
	case "ungroup":
		name := f.str("group")
		d.Groups = slices.DeleteFunc(slices.Clone(d.Groups), func(g source.Group) bool { return g.Name == name })
		if d.Merge == source.MergeSome && len(d.Groups) == 0 {
			d.Merge = source.Apart
		}
		return "Dissolve the group " + name
	case "merge":
		if d.Merge = source.Merge(f.str("merge")); d.Merge == source.MergeSome && len(d.Groups) == 0 {
			f.fail("there is no group yet. Tick nodes in the list and group them first")
		}
		return map[source.Merge]string{source.Apart: "Keep meshes apart", source.MergeAll: "Merge to one mesh", source.MergeSlot: "Merge by slot", source.MergeSome: "Merge by group"}[d.Merge]
	case "rule":
		r := source.Rule{By: source.RuleBy(f.str("by")), What: f.str("what"), Keep: f.str("keep") == "on"}
		switch r.By {
		case source.ByBeyond:
			r.Reach, r.What = f.length("reach", "The distance"), ""
		case source.ByArea:
			r.Area, r.What = f.area(), ""
		}
		if err := r.Validate(); err != nil {
			f.fail("%v", err)
		}
		d.Rules = append(slices.Clone(d.Rules), r)
		return r.String()
	case "unrule":
		if i := f.int("rule"); i >= 0 && i < len(d.Rules) {
			d.Rules = slices.Delete(slices.Clone(d.Rules), i, i+1)
		}
		return "Drop a rule"
	case "share":
		d.Sharing = sorted(append(slices.Clone(d.Sharing), f.strs("key")...))
		return "Make instances of " + several(f.strs("key"))
	case "unshare":
		d.Sharing = without(d.Sharing, f.strs("key"))
		return "Give them meshes of their own"
	case "move":
		d.Move = geom.Vec3{}
		return "Leave it where it stood"
	case "error":
		d.Error = f.length("error", "The error")
		return "Accept coordinates off by " + figure.Length(cmp.Or(d.Error, source.DefaultError))
	}
	return decideNames(f, d, act)
}

// decideNodes acts on the ticked nodes and all below them.
func decideNodes(f *form, d *source.Decisions, act string) string {
	ticked := f.strs("key")
	if len(ticked) == 0 {
		f.fail("no node was ticked")
		return ""
	}
	keys := f.under(ticked)
	switch act {
	case "leave":
		d.Leave, d.Keep = sorted(append(slices.Clone(d.Leave), keys...)), without(d.Keep, keys)
		return "Leave " + several(ticked)
	case "keep":
		d.Leave = without(d.Leave, keys)
		if len(d.Rules) > 0 {
			d.Keep = sorted(append(slices.Clone(d.Keep), keys...))
		}
		return "Keep " + several(ticked)
	case "group":
		name, err := work.CleanName(f.str("group"))
		if err != nil {
			f.fail("%v", err)
		}
		var groups []source.Group
		for _, g := range d.Groups {
			if g.Nodes = without(g.Nodes, ticked); g.Name == name {
				ticked = append(g.Nodes, ticked...)
			} else if len(g.Nodes) > 0 {
				groups = append(groups, g)
			}
		}
		d.Groups = append(groups, source.Group{Name: name, Nodes: sorted(ticked)})
		d.Merge = source.MergeSome
		return "Group " + name
	}
	by := source.SplitBy(f.str("by"))
	d.Split = slices.DeleteFunc(slices.Clone(d.Split), func(s source.Split) bool { return slices.Contains(ticked, s.Node) })
	for _, k := range ticked {
		d.Split = append(d.Split, source.Split{Node: k, By: by})
	}
	return fmt.Sprintf("Split %s by %s", several(ticked), by)
}

func decideNames(f *form, d *source.Decisions, act string) string {
	switch act {
	case "name":
		key := f.str("key")
		names := maps.Clone(d.Names)
		if names == nil {
			names = map[string]string{}
		}
		name := f.str("name")
		if name == "" || name == lastName(key) {
			delete(names, key)
			name = "as the file has it"
		} else {
			clean, err := work.CleanName(name)
			if err != nil {
				f.fail("%v", err)
			}
			names[key] = clean
		}
		if len(names) == 0 {
			names = nil
		}
		d.Names = names
		return fmt.Sprintf("Call %s %s", lastName(key), name)
	case "rename":
		r := source.Rename{Match: f.str("match"), To: f.str("to")}
		d.Rename = append(slices.Clone(d.Rename), r)
		return fmt.Sprintf("Call “%s” “%s”", r.Match, r.To)
	case "unrename":
		if i := f.int("rename"); i >= 0 && i < len(d.Rename) {
			d.Rename = slices.Delete(slices.Clone(d.Rename), i, i+1)
		}
		return "Drop a pattern"
	}
	f.fail("nothing was chosen")
	return ""
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
		kinds := []string{string(n.Kind)}
		if !n.Kept {
			kinds = append(kinds, "left")
		} else {
			kinds = append(kinds, "kept")
		}
		if len(n.Lone) > 0 {
			kinds = append(kinds, "stray")
		}
		if n.Instance {
			kinds = append(kinds, "instance")
		}
		if n.Idle {
			kinds = append(kinds, "idle")
		}
		list = append(list, row{Node: n, Kinds: strings.Join(kinds, "|")})
	}
	return list
}
