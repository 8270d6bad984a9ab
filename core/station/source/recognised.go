package source

import (
	"fmt"
	"strconv"

	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Recognised is what the target's patterns read in a node's name: a level or a collision shape
// of a mesh.
type Recognised struct {
	What    string // Level or Solid
	Kind    string // of collision, "" for a level
	N       string
	Mesh    string // as the name has it
	Of      int    // the node of that mesh, -1 when there is none
	Nearest int    // without it, the node whose name is nearest, -1 when none is near
	Right   string // the name it would have as that one's, "" without Nearest
}

// words say what a node stands for, "" for itself.
func (r Recognised) words() string {
	switch r.What {
	case Level:
		return fmt.Sprintf("level %s of %s", r.N, r.Mesh)
	case Solid:
		return fmt.Sprintf("%s %s to collide with, of %s", r.Kind, r.N, r.Mesh)
	}
	return ""
}

// recognise reads the names of nodes by the target's patterns.
func (v *looker) recognise(s *scene.Scene, t target.Target) {
	lod, err1 := t.Pattern(target.LODName)
	solid, err2 := t.Pattern(target.SolidName)
	if err1 != nil || err2 != nil {
		return // such a target is refused where it comes in
	}
	v.Recognised = map[int]Recognised{}
	read := func(name string) (Recognised, *naming.Template, map[string]string, bool) {
		if m, ok := solid.Read(name); ok {
			return Recognised{What: Solid, Kind: m["kind"], N: m["n"], Mesh: m["mesh"]}, solid, m, true
		}
		if m, ok := lod.Read(name); ok {
			return Recognised{What: Level, N: m["n"], Mesh: m["mesh"]}, lod, m, true
		}
		return Recognised{}, nil, nil, false
	}
	own := map[string]int{} // nodes that stand for themselves, by their clean names
	var names []string
	for i, n := range s.Nodes {
		r, _, _, ok := read(n.Name)
		if ok && !(r.What == Level && number(r.N) == 0) || n.Mesh < 0 {
			continue
		}
		clean := t.Names.Rules.Clean(n.Name)
		if ok {
			clean = r.Mesh // the first of a ladder is the mesh itself
		}
		if _, ok := own[clean]; !ok {
			own[clean] = i
			names = append(names, clean)
		}
	}
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		r, by, values, ok := read(n.Name)
		if !ok {
			continue
		}
		if r.What == Level && number(r.N) == 0 {
			continue // the first of a ladder is the mesh itself
		}
		r.Of, r.Nearest = -1, -1
		if of, ok := own[r.Mesh]; ok {
			r.Of = of
		} else if near := nearestName(r.Mesh, names); near != "" {
			r.Nearest = own[near]
			values["mesh"] = near
			if r.Right, _ = by.Make(values); r.Right == "" {
				r.Nearest = -1
			}
		}
		v.Recognised[i] = r
		what := "a simpler level"
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
