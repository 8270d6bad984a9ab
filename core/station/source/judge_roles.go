package source

import (
	"fmt"
	"maps"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/station"
)

// standIns tells levels and collision shapes as such, and asks what those are that nobody has said so of.
func (r *run) standIns() {
	r.guessed(Level)
	r.guessed(Solid)
	stands := map[string]bool{} // keys of nodes that stand for others
	for _, h := range r.rep.Hand {
		for _, key := range h.Nodes {
			stands[key] = true
		}
	}
	var names []string
	told := map[string]bool{}
	for _, n := range r.rep.Nodes {
		if stands[n.Key] && !told[n.Name] {
			names, told[n.Name] = append(names, n.Name), true
		}
	}
	if len(names) > 0 {
		r.say(finding.Note, "source/lods", figure.Plural(len(names), "node goes on as a LOD", "nodes go on as LODs"),
			station.Some(names)+". By their names, their group or your decision they stand for others from afar; LODs "+
				"shows them. Keep one to have it go on as a mesh of its own.")
	}
	names = nil
	for _, n := range r.rep.Nodes {
		if n.Solid {
			names = append(names, n.Name)
		}
	}
	if len(names) > 0 {
		r.say(finding.Note, "source/solids", figure.Plural(len(names), "node goes on as collision",
			"nodes go on as collision"),
			station.Some(names)+". By the target's pattern or your decision they are what a body touches; Collision "+
				"shows them. Keep one to have it go on as a mesh like any other.")
	}
	r.meshless()
	r.baseless()
}

// baseless tells LODs and shapes to collide with of what does not go on.
func (r *run) baseless() {
	var keys, names []string
	first := -1
	for i, n := range r.rep.Nodes {
		k, ok := r.stands.by[i]
		if !ok || k.Of < 0 || n.LOD == 0 && !n.Solid || r.rep.Nodes[k.Of].Kept {
			continue
		}
		if keys, names = append(keys, n.Key), append(names, n.Name); first < 0 {
			first = i
		}
	}
	if first < 0 {
		return
	}
	of := r.rep.Nodes[r.stands.by[first].Of].Name
	r.say(finding.Look, "source/base-left", figure.Plural(len(keys), "node stands for what does not go on",
		"nodes stand for what does not go on"),
		fmt.Sprintf("%s. “%s” is of “%s”, which stays behind: of a LOD nothing becomes then, and a shape to "+
			"collide with leaves alone.", station.Some(names), names[0], of),
		finding.Remedy{Label: "Leave out " + map[bool]string{true: "it", false: "them"}[len(keys) == 1] + " too",
			Effect: "What they stand for stays behind already.", Decision: r.d.withoutRoles(keys).leaving(keys)},
		finding.Remedy{Label: "Use as " + map[bool]string{true: "a mesh", false: "meshes"}[len(keys) == 1],
			Effect: "They go on as they are.", Decision: r.d.AsMeshes(keys)}).Place =
		r.place(r.survey.Boxes[first].Center(), names[0])
}

// guessed asks of nodes that seem to be LODs, or shapes to collide with, and go on as meshes whether they are.
func (r *run) guessed(what string) {
	roles := map[string]Role{}
	var keys, names, of []string
	var first *Guess
	named, counted, keep, told := false, r.taken(), set(r.d.Keep), map[string]bool{}
	for i, g := range r.survey.Guesses {
		row, key := r.rep.Nodes[g.Node], r.survey.Keys[g.Node]
		if g.What != what || !row.Kept || keep[key] {
			continue
		}
		base := r.survey.Keys[g.Of]
		role := Role{As: AsShape, Of: base, Kind: g.Kind}
		if what == Level {
			role = Role{As: AsLOD, Of: base, N: counted(base, g.N)}
		}
		roles[key] = role
		keys, names, named = append(keys, key), append(names, row.Name), named || g.Named
		if name := r.rep.Nodes[g.Of].Name; !told[name] {
			told[name] = true
			of = append(of, name)
		}
		if first == nil {
			first = &r.survey.Guesses[i]
		}
	}
	if len(keys) == 0 {
		return
	}
	whose := ""
	if len(of) == 1 {
		whose = fmt.Sprintf(" of “%s”", of[0])
	}
	code, title, label, effect := "source/simpler-level",
		figure.Plural(len(keys), "node reads as a LOD", "nodes read as LODs")+whose, "Use as LODs",
		"They stand for it from afar, and LODs shows them."
	if what == Solid {
		code, title, label, effect = "source/collision-shape",
			figure.Plural(len(keys), "node reads as a collision shape", "nodes read as collision shapes")+whose,
			"Use as collision"+whose, "They are what a body touches, and Collision shows them."
	}
	sev := finding.Note
	if named {
		sev = finding.Look
	}
	text := station.Some(names) + ". " + first.Text + " As they are they go on as meshes and stand in one another."
	r.say(sev, code, title, text,
		finding.Remedy{Label: label, Effect: effect, Decision: r.d.withRoles(roles)},
		finding.Remedy{Label: "They are meshes", Effect: "They go on as they are, and this is not asked again.",
			Decision: r.d.AsMeshes(keys), Harsh: true}).Place =
		r.place(r.survey.Boxes[first.Node].Center(), names[0])
}

// taken gives the number a guessed LOD of a node has: its own, or where that is too high or taken already the next
// free one.
func (r *run) taken() func(of string, n int) int {
	has := map[string]bool{}
	for _, role := range r.d.Roles {
		if role.As == AsLOD {
			has[fmt.Sprint(role.N, role.Of)] = true
		}
	}
	return func(of string, n int) int {
		n = min(n, MostLODs)
		for ; has[fmt.Sprint(n, of)] && n < MostLODs; n++ {
		}
		return n
	}
}

// meshless tells names that the target's patterns read and that name no mesh, with the nearest
// one there is.
func (r *run) meshless() {
	said := 0
	guessed := map[int]bool{}
	for _, g := range r.survey.Guesses {
		guessed[g.Node] = true
	}
	for i := range r.survey.Keys {
		k, ok := r.stands.by[i]
		if !ok || k.Decided || k.Of >= 0 || guessed[i] || k.What == Level && number(k.N) == 0 ||
			!r.rep.Nodes[i].Kept && !r.rep.Nodes[i].Solid {
			continue
		}
		if said++; said > 6 {
			continue
		}
		name := r.rep.Nodes[i].Name
		text := fmt.Sprintf("The target's pattern reads “%s” as a %s of “%s”, and no mesh has that name.", name, k.What,
			k.Mesh)
		var remedies []finding.Remedy
		if k.Nearest >= 0 {
			d := r.d
			d.Names = maps.Clone(d.Names)
			if d.Names == nil {
				d.Names = map[string]string{}
			}
			d.Names[r.survey.Keys[i]] = k.Right
			remedies = append(remedies, finding.Remedy{Label: "Call it " + k.Right,
				Effect: fmt.Sprintf("It belongs to “%s” then.", r.rep.Nodes[k.Nearest].Name), Decision: d})
		}
		at := r.survey.Worlds[i].T
		if b := r.survey.Boxes[i]; !b.IsEmpty() {
			at = b.Center()
		}
		r.say(finding.Look, fmt.Sprintf("source/names-no-mesh-%d", said), fmt.Sprintf("“%s” names no mesh", name), text,
			remedies...).Place =
			r.place(at, name)
	}
	if said > 6 {
		r.say(finding.Note, "source/names-no-mesh-more", fmt.Sprintf("%d more names name no mesh", said-6),
			"They are listed when the first six are settled.")
	}
}
