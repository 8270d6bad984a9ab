// Package source is station 1: what came in, and what of it goes on.
package source

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Decisions name what is left behind. A node is named by its path of names, so
// that the decision finds it again in the next revision.
type Decisions struct {
	Leave []string `json:"leave,omitempty"`
}

// Node is one row of the tree.
type Node struct {
	Key       string
	Name      string
	Kind      scene.Kind
	Depth     int
	Triangles int
	Size      geom.Vec3 // right, up, forward; metres
	Instance  bool      // shares its mesh with another node
	Kept      bool
	Carries   bool // something below it is kept, so it stays as an empty node
	Box       geom.Box
}

// Report is what the station found.
type Report struct {
	Counts   scene.Counts
	Nodes    []Node
	Lost     []string // keys in the decisions that no node has
	Left     []scene.Left
	Kept     int      // nodes with a mesh that go on
	Box      geom.Box // of what goes on
	Findings []finding.Finding
}

// Keys names every node by its path; the second of two alike gets #2.
func Keys(s *scene.Scene) []string {
	keys := make([]string, len(s.Nodes))
	seen := map[string]int{}
	for i, n := range s.Nodes {
		k := strings.ReplaceAll(n.Name, "/", "∕")
		if n.Parent >= 0 {
			k = keys[n.Parent] + "/" + k
		}
		seen[k]++
		if c := seen[k]; c > 1 {
			k = fmt.Sprintf("%s#%d", k, c)
		}
		keys[i] = k
	}
	return keys
}

// Run leaves out what the decisions say, and cameras, lights and joints always.
func Run(s *scene.Scene, read []finding.Finding, d Decisions) (*scene.Scene, *Report) {
	keys := Keys(s)
	boxes := s.NodeBounds()
	rep := &Report{Box: geom.EmptyBox(), Counts: s.Count(), Left: s.Left, Findings: slices.Clone(read)}
	leave := map[string]bool{}
	for _, k := range d.Leave {
		leave[k] = true
		if !slices.Contains(keys, k) {
			rep.Lost = append(rep.Lost, k)
		}
	}
	uses := map[int]int{}
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			uses[n.Mesh]++
		}
	}
	view := s.Basis.ToView()
	depth := make([]int, len(s.Nodes))
	rep.Nodes = make([]Node, len(s.Nodes))
	for i, n := range s.Nodes {
		if n.Parent >= 0 {
			depth[i] = depth[n.Parent] + 1
		}
		r := Node{Key: keys[i], Name: n.Name, Kind: n.Kind, Depth: depth[i], Box: boxes[i]}
		if n.Mesh >= 0 {
			r.Triangles = s.Meshes[n.Mesh].Triangles()
			r.Size = abs(view.Apply(boxes[i].Size()))
			r.Instance = uses[n.Mesh] > 1
		}
		r.Kept = !leave[keys[i]] && (n.Kind == scene.KindMesh && n.Mesh >= 0 || (n.Kind == scene.KindEmpty || n.Kind == scene.KindLOD))
		if r.Kept && n.Mesh >= 0 {
			rep.Kept++
			rep.Box = rep.Box.Union(boxes[i])
		}
		rep.Nodes[i] = r
	}
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		if p := s.Nodes[i].Parent; p >= 0 && (rep.Nodes[i].Kept || rep.Nodes[i].Carries) {
			rep.Nodes[p].Carries = true
		}
	}
	rep.judge(s)
	return prune(s, rep.Nodes), rep
}

func abs(v geom.Vec3) geom.Vec3 {
	return geom.Vec3{max(v[0], -v[0]), max(v[1], -v[1]), max(v[2], -v[2])}
}

// prune builds the scene of what is kept; a left node with kept children stays as
// an empty one, so that they stand where they stood.
func prune(s *scene.Scene, rows []Node) *scene.Scene {
	out := *s
	out.Nodes = nil
	at := make([]int, len(s.Nodes))
	used := map[int]int{}
	out.Meshes = nil
	for i, n := range s.Nodes {
		at[i] = -1
		if !rows[i].Kept && !rows[i].Carries {
			continue
		}
		if n.Parent >= 0 {
			n.Parent = at[n.Parent]
		}
		if !rows[i].Kept {
			n.Kind, n.Mesh = scene.KindEmpty, -1
		}
		if n.Mesh >= 0 {
			k, seen := used[n.Mesh]
			if !seen {
				k = len(out.Meshes)
				used[n.Mesh] = k
				out.Meshes = append(out.Meshes, s.Meshes[n.Mesh])
			}
			n.Mesh = k
		}
		at[i] = len(out.Nodes)
		out.Nodes = append(out.Nodes, n)
	}
	return &out
}

func (r *Report) judge(s *scene.Scene) {
	say := func(sev finding.Severity, code, title, text string) {
		r.Findings = append(r.Findings, finding.Finding{Code: code, Severity: sev, Title: title, Text: text})
	}
	if r.Kept == 0 {
		text := "Keep at least one node that has polygons."
		if r.Counts.Triangles == 0 {
			text = "The file came in without any polygons. Nothing can be exported from it."
		}
		say(finding.MustFix, "source/nothing", "Nothing goes on", text)
	}
	if s.UnitHow == scene.Assumed || s.BasisHow == scene.Assumed {
		what := "neither unit nor axes"
		switch {
		case s.UnitHow != scene.Assumed:
			what = "no axes"
		case s.BasisHow != scene.Assumed:
			what = "no unit"
		}
		say(finding.Note, "source/unsaid", "The file says "+what,
			fmt.Sprintf("Assumed: one unit is %s, %s up, %s to the front. Change it at Size and Axes.", figure.Length(s.UnitMetres), s.Basis.Up, s.Basis.Forward))
	}
	for _, l := range r.Left {
		title := figure.Plural(l.Count, l.What, l.What+"s") + " left behind"
		text := "Not kept: " + l.Why + "."
		if len(l.Names) > 0 {
			text = strings.Join(l.Names, ", ") + ". " + text
		}
		say(finding.Note, "source/left", title, text)
	}
	for i, n := range s.Nodes {
		if n.Kind == scene.KindLOD && r.Nodes[i].Kept {
			say(finding.Note, "source/lod-group", fmt.Sprintf("“%s” is a LOD group", n.Name),
				"All its levels came in and stand in one another. Keep the finest and leave the rest, unless the receiver is to get the group; FBX keeps it, other formats do not.")
		}
	}
	if u := s.UnusedMaterials(); len(u) > 0 {
		say(finding.Note, "source/unused-materials", figure.Plural(len(u), "material", "materials")+" no face uses",
			strings.Join(u[:min(len(u), scene.MaxLeftNames)], ", ")+". They go along and make no draw call.")
	}
	if len(r.Lost) > 0 {
		say(finding.Look, "source/lost-decision", figure.Plural(len(r.Lost), "decision finds", "decisions find")+" no node",
			"These were to be left behind and are not in this revision: "+strings.Join(r.Lost, ", ")+".")
	}
}
