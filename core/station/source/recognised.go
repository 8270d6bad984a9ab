package source

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Recognised is what the target's patterns read in a node's name, or is decided: a level or a collision shape of a
// mesh, or a marker.
type Recognised struct {
	What    string // Level, Solid or Marker
	Kind    string // of collision, "" for a level
	N       string
	Mesh    string // as the name has it
	Of      int    // the node of that mesh, -1 when there is none
	Nearest int    // without it, the node whose name is nearest, -1 when none is near
	Right   string // the name it would have as that one's, "" without Nearest
	Decided bool   // by a role, not by its name
}

// words say what a node stands for, "" for itself.
func (r Recognised) words() string {
	switch r.What {
	case Marker:
		return "a marker"
	case Level:
		return fmt.Sprintf("LOD %s of %s", r.N, r.Mesh)
	case Solid:
		if r.Decided {
			return strings.TrimSpace(r.Kind + " to collide with, of " + r.Mesh)
		}
		return fmt.Sprintf("%s %s to collide with, of %s", r.Kind, r.N, r.Mesh)
	}
	return ""
}

// recognise reads the names of nodes by the target's patterns.
func (v *looker) recognise(s *scene.Scene, t target.Target) {
	v.patterns.rules = t.Names.Rules
	var err1, err2 error
	v.patterns.lod, err1 = t.Pattern(target.LODName)
	v.patterns.solid, err2 = t.SolidNames()
	if err1 != nil || err2 != nil {
		v.patterns = patterns{} // such a target is refused where it comes in
	}
	names := make([]string, len(s.Nodes))
	for i, n := range s.Nodes {
		names[i] = n.Name
	}
	v.Recognised = v.patterns.recognise(s, names)
	for _, i := range slices.Sorted(maps.Keys(v.Recognised)) {
		r := v.Recognised[i]
		what := "a LOD"
		if r.What == Solid {
			what = "a " + r.Kind + " to collide with"
		}
		v.note(i, r.What, fmt.Sprintf("By the target's pattern it is %s, number %s, of “%s”.", what, r.N, r.Mesh))
	}
}

// number is what a name counts by; its pattern lets only digits in.
func number(n string) int {
	k, _ := strconv.Atoi(n)
	return k
}

// nearestName is the name that takes the fewest letters changed, "" when that is more than a
// third of them. Of many names the first few hundred are tried.
func nearestName(name string, among []string) string {
	best, least := "", len([]rune(name))/3+1
	for _, n := range among[:min(len(among), 400)] {
		if d := naming.Distance(name, n); d < least {
			best, least = n, d
		}
	}
	return best
}
