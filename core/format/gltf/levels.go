package gltf

import (
	"encoding/json"
	"fmt"
	"slices"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
)

// extLevels is the vendor extension MSFT_lod: a node, the finest level, lists the nodes that take
// its place, one after the other; those stand in no list of children. The share of the screen down
// to which each stands is in its extras.
const (
	extLevels     = "MSFT_lod"
	extraCoverage = "MSFT_screencoverage"
)

// levelsBody is the body of MSFT_lod.
type levelsBody struct {
	IDs []int `json:"ids"`
}

// groups are the LOD groups of a scene that the document says so.
type groups struct {
	of   map[int][]int // levels of a group, the finest first
	list []int         // groups, in order
}

// levels finds the groups that have levels. A group within a level of another is one too.
func (w *writer) levels() groups {
	g := groups{of: map[int][]int{}}
	for i, n := range w.s.Nodes {
		if n.Parent >= 0 && w.s.Nodes[n.Parent].Kind == scene.KindLOD {
			if g.of[n.Parent] == nil {
				g.list = append(g.list, n.Parent)
			}
			g.of[n.Parent] = append(g.of[n.Parent], i)
		}
	}
	g.list = slices.DeleteFunc(g.list, func(i int) bool {
		if len(g.of[i]) < 2 {
			delete(g.of, i)
			return true
		}
		return false
	})
	// One whose finest level is a group itself can't be said: a node lists levels once.
	for _, i := range g.list {
		for p := i; p >= 0; p = w.s.Nodes[p].Parent {
			up := w.s.Nodes[p].Parent
			if up >= 0 && len(g.of[up]) > 0 && g.of[up][0] == i {
				w.out.Say(pack.Nodes, fmt.Sprintf("that “%s” is a LOD group", w.s.Nodes[i].Name),
					"it is the finest level of another; its levels stand "+
						"side by side")
				delete(g.of, i)
				break
			}
		}
	}
	return g
}

// linkLevels lists the levels of each group in the node that is its finest.
func (w *writer) linkLevels(g groups, at []int) {
	for _, i := range g.list {
		levels := g.of[i]
		if levels == nil {
			continue
		}
		var ids []int
		for _, k := range levels[1:] {
			ids = append(ids, at[k])
		}
		n := &w.doc.Nodes[at[levels[0]]]
		for name, raw := range w.extension(extLevels, levelsBody{ids}) {
			if n.Extensions == nil {
				n.Extensions = map[string]json.RawMessage{}
			}
			n.Extensions[name] = raw
		}
		if c := w.s.Nodes[i].Coverage; len(c) > 0 {
			b, err := json.Marshal(map[string][]float64{extraCoverage: c})
			if err == nil { // shares of a screen are finite
				n.Extras = b
			}
		}
	}
}

// levelsOf are the nodes that a node lists to take its place, nil for none: those that are there,
// and stand nowhere else.
func (r *reader) levelsOf(i int, nd node, free func(k int) bool) (ids []int, coverage []float64) {
	raw, ok := nd.Extensions[extLevels]
	if !ok {
		return nil, nil
	}
	var x levelsBody
	bad := func(why string) {
		r.note(finding.Look, "source/gltf-levels", "The LODs of a node can't be read",
			fmt.Sprintf("Node “%s”: %s. It comes in without them.",
				fault.Shown(orNumber(nd.Name, "node", i)), why))
	}
	if err := json.Unmarshal(raw, &x); err != nil {
		bad(err.Error())
		return nil, nil
	}
	seen := map[int]bool{i: true}
	for _, k := range x.IDs {
		if k < 0 || k >= len(r.doc.Nodes) || seen[k] || !free(k) {
			bad(fmt.Sprintf("it lists node %d, which is not there, or stands elsewhere", k))
			return nil, nil
		}
		seen[k] = true
	}
	var extras struct {
		Coverage []float64 `json:"MSFT_screencoverage"`
	}
	if len(nd.Extras) > 0 && json.Unmarshal(nd.Extras, &extras) == nil {
		for _, c := range extras.Coverage {
			if !(c >= 0 && c <= 1) {
				extras.Coverage = nil
				break
			}
		}
	}
	return x.IDs, extras.Coverage
}
