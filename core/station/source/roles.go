package source

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Role is what a node goes on as by decision, in place of the mesh that it is.
type Role struct {
	As   As     `json:"as"`
	Of   string `json:"of,omitempty"`   // the node with the mesh that it stands for
	N    int    `json:"n,omitempty"`    // of a LOD, from 1 on
	Kind string `json:"kind,omitempty"` // of a shape, one of [target.SolidKinds]; "" for what it measures as
}

// As is the sort of a role.
type As string

// A node goes on as a LOD or a shape to collide with of another, or as a marker: its place and name alone.
const (
	AsLOD    As = "lod"
	AsShape  As = "shape"
	AsMarker As = "marker"
)

// MostLODs bounds the number of a LOD.
const MostLODs = 16

// Validate checks a role.
func (r Role) Validate() error {
	switch r.As {
	case AsLOD:
		if r.Of == "" || r.N < 1 || r.N > MostLODs {
			return fmt.Errorf("a LOD needs the node it is one of and a number from 1 to %d", MostLODs)
		}
	case AsShape:
		if r.Of == "" {
			return fmt.Errorf("a shape to collide with needs the node it stands for")
		}
		if r.Kind != "" && !slices.Contains(target.SolidKinds, r.Kind) {
			return fmt.Errorf("%q is no kind of shape: expected %s", r.Kind, station.Some(target.SolidKinds))
		}
	case AsMarker:
	default:
		return fmt.Errorf("%q is no role of a node: expected %s, %s or %s", r.As, AsLOD, AsShape, AsMarker)
	}
	return nil
}

// String says the role in words.
func (r Role) String() string {
	switch r.As {
	case AsLOD:
		return fmt.Sprintf("LOD %d of %s", r.N, station.LastName(r.Of))
	case AsShape:
		return strings.TrimSpace(r.Kind + " collision of " + station.LastName(r.Of))
	}
	return "a marker"
}

// withRoles is the decisions with roles for more nodes; those are not left out nor kept as meshes.
func (d Decisions) withRoles(more map[string]Role) Decisions {
	d.Roles = maps.Clone(d.Roles)
	if d.Roles == nil {
		d.Roles = map[string]Role{}
	}
	maps.Copy(d.Roles, more)
	has := func(k string) bool { _, ok := more[k]; return ok }
	d.Leave = slices.DeleteFunc(slices.Clone(d.Leave), has)
	d.Keep = slices.DeleteFunc(slices.Clone(d.Keep), has)
	return d
}

// AsMeshes is the decisions with nodes that go on as the meshes they are, whatever their names say.
func (d Decisions) AsMeshes(keys []string) Decisions {
	gone := set(keys)
	d.Leave = slices.DeleteFunc(slices.Clone(d.Leave), func(k string) bool { return gone[k] })
	d.Keep = append(slices.Clone(d.Keep), keys...)
	slices.Sort(d.Keep)
	d.Keep = slices.Compact(d.Keep)
	return d.withoutRoles(keys)
}

// withoutRoles takes back what nodes were decided to go on as.
func (d Decisions) withoutRoles(keys []string) Decisions {
	gone := set(keys)
	d.Roles = maps.Clone(d.Roles)
	maps.DeleteFunc(d.Roles, func(k string, _ Role) bool { return gone[k] })
	if len(d.Roles) == 0 {
		d.Roles = nil
	}
	return d
}

// As gives nodes a role. LODs without a number are counted by their triangles, the most first; see [Report.Nodes].
// The node they stand for is not among them.
func (d Decisions) As(role Role, keys []string, rep *Report) Decisions {
	more := map[string]Role{}
	keys = slices.DeleteFunc(slices.Clone(keys), func(k string) bool { return k == role.Of })
	tris := map[string]int{}
	for _, n := range rep.Nodes {
		tris[n.Key] = n.Triangles
	}
	if role.As == AsLOD && role.N == 0 {
		slices.SortStableFunc(keys, func(a, b string) int { return tris[b] - tris[a] })
	}
	for i, k := range keys {
		one := role
		if role.As == AsLOD && role.N == 0 {
			one.N = i + 1
		}
		more[k] = one
	}
	return d.withRoles(more)
}

// stands is what nodes stand for in one run: what the target's patterns read in their names as they are now, and what
// is decided for them.
type stands struct {
	by      map[int]Recognised // by node
	ladders []Ladder
	level   map[int]int // see LevelOf
}

// levelOf is the number of the LOD that a node is one of, 0 of the finest and of all others.
func (t stands) levelOf(i int) int { return t.level[i] }

// standing works that out. Where no name was given and no role decided it is the survey's.
func (r *run) standing() stands {
	v, d := r.survey, r.d
	if len(d.Names)+len(d.Rename)+len(d.Roles) == 0 {
		return stands{v.Recognised, v.Ladders, v.level}
	}
	names := make([]string, len(r.s.Nodes))
	for i, n := range r.s.Nodes {
		names[i] = n.Name
		if to := d.Names[v.Keys[i]]; to != "" {
			names[i] = to
		}
	}
	renameAll(d.Rename, names)
	t := stands{by: v.patterns.recognise(r.s.Scene, names), level: map[int]int{}}
	at := map[string]int{}
	for i, k := range v.Keys {
		at[k] = i
	}
	for key, role := range d.Roles {
		i, ok := at[key]
		if !ok || r.s.Nodes[i].Mesh < 0 {
			continue
		}
		x := Recognised{Of: -1, Nearest: -1, Decided: true}
		if of, ok := at[role.Of]; ok {
			x.Of, x.Mesh = of, names[of]
		}
		switch {
		case role.As == AsMarker:
			x.What = Marker
		case x.Of < 0:
			continue // what it stood for is not there any more
		case role.As == AsLOD:
			x.What, x.N = Level, strconv.Itoa(role.N)
		default:
			x.What, x.Kind, x.N = Solid, role.Kind, "1"
		}
		t.by[i] = x
	}
	t.ladders = laddersOf(r.s.Scene, t.by, t.level)
	return t
}

// renameAll gives names that match the rules their new ones, in the rules' order.
func renameAll(rules []Rename, names []string) {
	for _, rule := range rules {
		p, err := naming.Parse(rule.Match)
		if err != nil {
			continue // Validate has said so
		}
		n := 0
		for i := range names {
			if p.Matches(names[i]) {
				n++
				names[i] = p.Make(rule.To, names[i], n)
			}
		}
	}
}

// patterns read names as a target has them.
type patterns struct {
	lod   *naming.Template
	solid target.SolidNames
	rules naming.Rules
}

// read reads a name: what it stands for, and the pattern with its values, nil where none reads it.
func (p patterns) read(name string) (Recognised, *naming.Template, map[string]string) {
	if p.lod == nil {
		return Recognised{}, nil, nil
	}
	if m, ok := p.solid.Read(name); ok {
		return Recognised{What: Solid, Kind: m["kind"], N: m["n"], Mesh: m["mesh"]}, p.solid.Template(), m
	}
	if m, ok := p.lod.Read(name); ok {
		return Recognised{What: Level, N: m["n"], Mesh: m["mesh"]}, p.lod, m
	}
	return Recognised{}, nil, nil
}

// as is the name that what was read in another has as one of a mesh, "" where it can't be made.
func (p patterns) as(r Recognised, by *naming.Template, mesh string, values map[string]string) string {
	if r.What == Solid {
		name, _ := p.solid.Name(mesh, values["asset"], r.Kind, number(r.N))
		return name
	}
	values["mesh"] = mesh
	name, _ := by.Make(values)
	return name
}

// recognise reads the names of nodes.
func (p patterns) recognise(s *scene.Scene, names []string) map[int]Recognised {
	found := map[int]Recognised{}
	own := map[string]int{} // nodes that stand for themselves, by their clean names
	var list []string
	for i, n := range s.Nodes {
		r, by, _ := p.read(names[i])
		if by != nil && !(r.What == Level && number(r.N) == 0) || n.Mesh < 0 {
			continue
		}
		clean := p.rules.Clean(names[i])
		if by != nil {
			clean = r.Mesh // the first of a ladder is the mesh itself
		}
		if _, ok := own[clean]; !ok {
			own[clean] = i
			list = append(list, clean)
		}
	}
	for i, n := range s.Nodes {
		if n.Mesh < 0 {
			continue
		}
		r, by, values := p.read(names[i])
		if by == nil || r.What == Level && number(r.N) == 0 {
			continue
		}
		r.Of, r.Nearest = -1, -1
		if of, ok := own[r.Mesh]; ok {
			r.Of = of
		} else if near := nearestName(r.Mesh, list); near != "" {
			r.Nearest = own[near]
			if r.Right = p.as(r, by, near, values); r.Right == "" {
				r.Nearest = -1
			}
		}
		found[i] = r
	}
	return found
}
