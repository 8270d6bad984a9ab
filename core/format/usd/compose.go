package usd

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/scene"
)

// stage puts layers together: what each says of a prim, strongest first (the Universal Scene Description documentation,
// “LIVERPS strength ordering”): its own layers, classes it inherits, variants, references, payloads, what it
// specializes. What a prim's ancestors bring is weaker than what it brings itself.
type stage struct {
	ctx      context.Context
	file     string
	set      *bundle.Bundle
	layers   map[string]*layer // by their names in the set; nil for one that can't be read
	found    []finding.Finding
	said     map[string]bool // addresses that lead nowhere, and sets of variants
	variants []scene.Variants
	prims    int
	root     []*layer
}

// group is what the layers of one stack say of a prim. Paths in them below from are below to in the stage.
type group struct {
	stack    []*layer
	specs    []*spec // the strongest first
	from, to string
	brought  bool // by an arc: a class among them is a pattern, and makes none of the prim
}

// prim is one of the stage.
type prim struct {
	path   string
	name   string
	groups []group
	kids   []*prim
	named  map[string]*prim // kids by name, once one was looked for
}

// Bounds of a stage.
const (
	mostPrims = 1 << 20 // with all that instances repeat
	mostArcs  = 64      // references through references
)

// note adds a finding about a spec.
func (st *stage) note(sev finding.Severity, code, title, text string, s *spec) {
	f := finding.Finding{Code: code, Severity: sev, Title: title, Text: text, Place: finding.Place{File: st.file}}
	if s != nil {
		f.Place = finding.Place{File: s.layer.file, Line: s.line}
	}
	st.found = append(st.found, f)
}

// open reads the layer that an address means, seen from another; nil where there is none, which is said once.
func (st *stage) open(from *layer, ref string, s *spec) *layer {
	name, _, err := st.set.Resolve(from.file, ref)
	if err != nil {
		if !st.said[ref] {
			st.said[ref] = true
			st.note(finding.Look, "source/missing-layer", fmt.Sprintf("“%s” %s", fault.Shown(ref), bundle.Reason(err)),
				"What stands there is left out. Add the file and it comes in.", s)
		}
		return nil
	}
	if l, ok := st.layers[name]; ok {
		return l
	}
	l, err := st.read(name)
	if err != nil {
		st.note(finding.Look, "source/bad-layer", fmt.Sprintf("“%s” can't be read", fault.Shown(name)), err.Error(), s)
	}
	st.layers[name] = l
	return l
}

// read reads a layer of the set.
func (st *stage) read(name string) (*layer, error) {
	data, err := st.set.Open(name)
	if err != nil {
		return nil, err
	}
	return parseLayer(name, data)
}

// parseLayer reads a layer, of text or as a crate.
func parseLayer(name string, data []byte) (*layer, error) {
	switch {
	case isText(data):
		return parseText(name, data)
	case bytes.HasPrefix(data, []byte(crateMagic)):
		return parseCrate(name, data)
	}
	head := fault.Quote(data[:min(len(data), 12)])
	return nil, fault.AtByte(name, 0, "does not begin like a USD layer but with %s", head).
		Advise("The suffix may be wrong, or the upload damaged")
}

// crateMagic is what a layer in binary begins with.
const crateMagic = "PXR-USDC"

// stackOf is a layer with those below it, the strongest first, each once.
func (st *stage) stackOf(l *layer, within []*layer) []*layer {
	if l == nil || slices.Contains(within, l) || len(within) > mostArcs {
		return within
	}
	within = append(within, l)
	for _, sub := range items(l.root.meta["subLayers"]) {
		if a, ok := sub.(asset); ok {
			within = st.stackOf(st.open(l, string(a), l.root), within)
		}
	}
	return within
}

// at is what a stack says of a path.
func at(stack []*layer, path, to string) group {
	g := group{stack: stack, from: path, to: to}
	for _, l := range stack {
		if s := l.root.find(path); s != nil {
			g.specs = append(g.specs, s)
		}
	}
	return g
}

// mapped is a path of a group's layers as the stage has it.
func (g group) mapped(path string) string {
	if g.from == "/" {
		return strings.TrimSuffix(g.to, "/") + path
	}
	if rest, ok := strings.CutPrefix(path, g.from); ok && (rest == "" || rest[0] == '/' || rest[0] == '.') {
		return strings.TrimSuffix(g.to, "/") + rest
	}
	return path
}

// compose puts the stage together.
func (st *stage) compose() (*prim, error) {
	root := &prim{path: "/", groups: []group{at(st.root, "/", "/")}}
	return root, st.below(root)
}

// below composes the prims within one.
func (st *stage) below(p *prim) error {
	if st.ctx.Err() != nil {
		return st.ctx.Err()
	}
	var names []string
	seen := map[string]bool{}
	for i := len(p.groups) - 1; i >= 0; i-- { // weaker ones name them first, as they were there first
		for k := len(p.groups[i].specs) - 1; k >= 0; k-- {
			for _, s := range p.groups[i].specs[k].kids {
				if !seen[s.name] {
					seen[s.name] = true
					names = append(names, s.name)
				}
			}
		}
	}
	for _, name := range names {
		kid := &prim{path: strings.TrimSuffix(p.path, "/") + "/" + name, name: name}
		for _, g := range p.groups {
			k := group{stack: g.stack, from: g.from, to: g.to, brought: g.brought}
			for _, s := range g.specs {
				if c := s.kid(name); c != nil {
					k.specs = append(k.specs, c)
				}
			}
			if len(k.specs) > 0 {
				kid.groups = append(kid.groups, k)
			}
		}
		kid.groups = st.expand(kid, kid.groups, nil, nil)
		if st.prims++; st.prims > mostPrims {
			return fault.AtByte(st.file, -1, "puts together more than %d prims", mostPrims).Beyond().
				Advise("Export fewer instances at once")
		}
		p.kids = append(p.kids, kid)
		if kid.active() {
			if err := st.below(kid); err != nil {
				return err
			}
		}
	}
	return nil
}

// expand puts behind each group what its arcs bring. before are stronger groups, which choose variants, and on the
// places that are being brought, so that none brings itself.
func (st *stage) expand(p *prim, groups, before []group, on []string) (out []group) {
	for _, g := range groups {
		if len(g.specs) == 0 {
			continue
		}
		out = append(out, g)
		for _, key := range []string{"inherits", "variants", "references", "payload", "specializes"} {
			for _, more := range st.arcs(p, g, key, slices.Concat(before, out, groups), on) {
				out = append(out, more...)
			}
		}
	}
	return out
}

// arcs are the groups that one sort of arc of a group brings, each already with what it brings itself.
func (st *stage) arcs(p *prim, g group, key string, stronger []group, on []string) (out [][]group) {
	if key == "variants" {
		for _, v := range st.chosen(p, g, stronger) {
			out = append(out, st.expand(p, []group{v}, stronger, on))
		}
		return out
	}
	for _, item := range g.edited(key) {
		stack, path := g.stack, ""
		switch x := item.(type) {
		case target:
			path = string(x)
		case asset:
			stack = st.stackOf(st.open(g.specs[0].layer, string(x), g.specs[0]), nil)
		case arc:
			path = x.prim
			if x.file != "" {
				stack = st.stackOf(st.open(g.specs[0].layer, x.file, g.specs[0]), nil)
			}
		}
		if len(stack) == 0 {
			continue
		}
		if path == "" {
			if path = "/" + word(stack[0].root.meta["defaultPrim"]); path == "/" {
				st.note(finding.Look, "source/no-default", fmt.Sprintf("“%s” says no prim that stands for it", stack[0].file),
					"“"+p.path+"” refers to it and is left without it.", g.specs[0])
				continue
			}
		}
		place := stack[0].file + path
		if slices.Contains(on, place) || len(on) > mostArcs {
			continue
		}
		next := at(stack, path, p.path)
		next.brought = true
		out = append(out, st.expand(p, []group{next}, stronger, append(slices.Clone(on), place)))
	}
	return out
}

// edited is a list of arcs that the layers of a group make together, the weakest begins.
func (g group) edited(key string) (out []any) {
	for i := len(g.specs) - 1; i >= 0; i-- {
		switch v := g.specs[i].meta[key].(type) {
		case nil:
		case *edits:
			out = v.onto(out)
		default:
			out = items(v)
		}
	}
	return out
}

// onto is a list with the changes.
func (e *edits) onto(was []any) []any {
	if e.whole {
		was = e.items
	}
	drop := func(list []any, those []any) []any {
		return slices.DeleteFunc(slices.Clone(list), func(v any) bool {
			return slices.ContainsFunc(those, func(w any) bool { return same(v, w) })
		})
	}
	was = drop(drop(drop(was, e.no), e.before), e.behind)
	return slices.Concat(e.before, was, e.behind)
}

// same tells whether two items of a list are one: addresses, paths, names.
func same(a, b any) bool {
	switch a.(type) {
	case asset, arc, target, token, prose:
		return a == b // of another type it is another
	}
	return false
}

// chosen are the variants that are meant of a group's sets: by what is chosen of the file, the strongest choice in
// it, or the first of a set where none is chosen.
func (st *stage) chosen(p *prim, g group, stronger []group) (out []group) {
	for _, s := range g.specs {
		for _, set := range s.sets {
			if len(set.of) == 0 {
				continue
			}
			key := p.path + "{" + set.name + "}"
			pick := chosen(stronger, set.name)
			if to := st.set.Chosen[key]; slices.ContainsFunc(set.of, func(v *spec) bool { return v.name == to }) {
				pick = to
			}
			var names []string
			var it *spec
			for _, v := range set.of {
				names = append(names, v.name)
				if v.name == pick {
					it = v
				}
			}
			if it == nil && pick == "" {
				it = set.of[0]
			}
			if said := "variants " + key; len(names) > 1 && !st.said[said] {
				st.said[said] = true
				is, name := "none", ""
				if it != nil {
					is, name = "“"+it.name+"”", it.name
				}
				st.variants = append(st.variants, scene.Variants{Key: key, Of: p.name, Set: set.name, Names: names, Is: name})
				st.note(finding.Note, "source/variants",
					fmt.Sprintf("“%s” has variants of “%s”, and %s came in", p.name, set.name, is),
					"There are "+strings.Join(names, ", ")+". Source chooses another one.", s)
			}
			if it != nil {
				out = append(out, group{stack: g.stack, specs: []*spec{it}, from: g.from, to: g.to, brought: g.brought})
			}
		}
	}
	return out
}

// chosen is the strongest choice of a set, "" for none.
func chosen(groups []group, set string) string {
	for _, g := range groups {
		for _, s := range g.specs {
			if d, ok := s.meta["variants"].(map[string]any); ok && word(d[set]) != "" {
				return word(d[set])
			}
		}
	}
	return ""
}

// meta is the strongest of a prim's metadata, nil for none.
func (p *prim) meta(key string) any {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if v := s.meta[key]; v != nil {
				return v
			}
		}
	}
	return nil
}

// typ is what sort of prim it is, "" for none in particular.
func (p *prim) typ() string {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if s.typ != "" {
				return s.typ
			}
		}
	}
	return ""
}

// active tells a prim that is defined, no class, and not put out of use.
func (p *prim) active() bool {
	defined := false
	for _, g := range p.groups {
		for _, s := range g.specs {
			if s.how == class && !g.brought {
				return false
			}
			defined = defined || s.how == def
		}
	}
	return defined && number(p.meta("active"), 1) != 0
}

// attr is the strongest value of an attribute, nil for none; where only samples over time are there, the first of them.
func (p *prim) attr(name string) any {
	for _, g := range p.groups {
		for _, s := range g.specs {
			switch x := s.props[name]; {
			case x == nil:
			case x.value != nil:
				return x.value
			case x.blocked:
				return nil
			case x.first != nil:
				return x.first
			}
		}
	}
	return nil
}

// has tells whether anything is said of a property.
func (p *prim) has(name string) bool {
	return slices.ContainsFunc(p.groups, func(g group) bool {
		return slices.ContainsFunc(g.specs, func(s *spec) bool { return s.props[name] != nil })
	})
}

// propMeta is the strongest metadata of a property.
func (p *prim) propMeta(name, key string) any {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if x := s.props[name]; x != nil && x.meta[key] != nil {
				return x.meta[key]
			}
		}
	}
	return nil
}

// propType is the type of an attribute, "" for none.
func (p *prim) propType(name string) string {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if x := s.props[name]; x != nil {
				return x.typ
			}
		}
	}
	return ""
}

// targets are the paths that a relationship leads to, or that an attribute is joined to.
func (p *prim) targets(name string) (out []string) {
	for _, g := range p.groups {
		for _, s := range g.specs {
			x := s.props[name]
			if x == nil || x.targets == nil {
				continue
			}
			for _, t := range x.targets.onto(nil) {
				if path, ok := t.(target); ok {
					out = append(out, g.mapped(p.absolute(g, string(path))))
				}
			}
			return out
		}
	}
	return nil
}

// absolute is a path that may be written relative to a prim of a group's layers.
func (p *prim) absolute(g group, t string) string {
	if strings.HasPrefix(t, "/") {
		return t
	}
	own := g.from + strings.TrimPrefix(p.path, g.to)
	return path.Join(own, t)
}

// layerOf is the file of the strongest value of an attribute, by which addresses in it are meant.
func (p *prim) layerOf(name string) string {
	for _, g := range p.groups {
		for _, s := range g.specs {
			if x := s.props[name]; x != nil && x.value != nil {
				return s.layer.file
			}
		}
	}
	return ""
}

// find is the prim of a path, nil where there is none.
func (p *prim) find(path string) *prim {
	for _, name := range strings.Split(strings.Trim(path, "/"), "/") {
		if name == "" {
			continue
		}
		if p.named == nil || len(p.named) != len(p.kids) {
			p.named = make(map[string]*prim, len(p.kids))
			for _, k := range p.kids {
				p.named[k.name] = k
			}
		}
		if p = p.named[name]; p == nil {
			return nil
		}
	}
	return p
}
