package exemplar

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// names says how LODs and shapes are called and which shapes there are. What only its form makes a stand-in has a name
// that says nothing of it.
func (r *Reading) names(s *scene.Scene, aside map[int]source.Guess) {
	var lods, solids []target.Example
	var kinds []string
	count := map[[2]string]int{}
	for i, n := range s.Nodes {
		at, is := aside[i]
		if !is || !at.Named {
			continue
		}
		of := s.Nodes[at.Of].Name
		if at.What == source.Level {
			lods = append(lods, target.Example{Name: n.Name, Mesh: of, N: at.N})
			continue
		}
		if at.Kind != "" && !slices.Contains(kinds, at.Kind) {
			kinds = append(kinds, at.Kind)
		}
		kind := cmp.Or(at.Kind, "hull")
		k := [2]string{of, kind}
		count[k]++
		num := count[k]
		if said := naming.RoleOf(n.Name).Number; said >= 0 {
			num = said
		}
		solids = append(solids, target.Example{Name: n.Name, Mesh: of, N: num, Kind: kind})
	}
	r.learn(lods, solids)
	if len(kinds) > 0 {
		slices.SortFunc(kinds, func(a, b string) int {
			return slices.Index(target.SolidKinds, a) - slices.Index(target.SolidKinds, b)
		})
		r.line(Line{"kinds", "Shapes it takes", strings.Join(kinds, ", "), "there are such", false,
			func(t *target.Target) {
				t.Solids = slices.DeleteFunc(slices.Clone(t.Solids), func(x target.Solid) bool {
					return !slices.Contains(kinds, x.Kind)
				})
			}})
	}
}

// learn makes a line of the patterns that names follow, or says why there is none.
func (r *Reading) learn(lods, solids []target.Example) {
	if len(lods) == 0 {
		r.Said = append(r.Said, "No node is a LOD of another by its name")
	}
	if len(solids) == 0 {
		r.Said = append(r.Said, "No node is a shape of another by its name")
	}
	list := slices.Concat(lods, solids)
	if len(list) == 0 {
		return
	}
	l, err := patterns(target.Shipped[0], list)
	if err != nil {
		r.Said = append(r.Said, "Not all names make patterns: "+err.Error())
		for _, list = range [][]target.Example{lods, solids} {
			if l, err = patterns(target.Shipped[0], list); err == nil {
				break
			}
		}
	}
	if err != nil {
		return
	}
	r.line(Line{"names", "Names", strings.Join(l.Said, "; "), fmt.Sprintf("“%s” among them", list[0].Name), true,
		func(t *target.Target) {
			n := l.Target.Names
			t.Names.Rules, t.Names.LOD, t.Names.Solid, t.Solids = n.Rules, n.LOD, n.Solid, l.Target.Solids
		}})
}

// patterns learns of names. A pattern of which no name tells is the shipped one, or, where that could be read as what
// was learned, one that begins otherwise.
func patterns(t target.Target, list []target.Example) (l target.Learned, err error) {
	for _, other := range []struct{ lod, solid string }{{t.Names.LOD, t.Names.Solid},
		{"lod {n} {mesh}", "solid {kind} {n2} {mesh}"}} {
		own := t.Copy()
		own.Names.LOD, own.Names.Solid = other.lod, other.solid
		if l, err = target.Learn(own, list); err == nil {
			return l, nil
		}
	}
	return l, err
}
