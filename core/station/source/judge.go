package source

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// place is where a finding is on the drawing, which shows the scene moved.
func (r *run) place(at geom.Vec3, node string) finding.Place {
	at = at.Sub(r.d.Move)
	return finding.Place{Point: &at, Node: node}
}

// say adds a finding and returns it, for its place to be added.
func (r *run) say(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) *finding.Finding {
	r.rep.Say(finding.Finding{Code: code, Severity: sev, Title: title, Text: text, Remedies: remedies})
	return r.rep.Last()
}

// leaving is the decisions with more nodes left behind.
func (d Decisions) leaving(keys []string) Decisions {
	list := append(slices.Clone(d.Leave), keys...)
	slices.Sort(list)
	d.Leave = slices.Compact(list)
	gone := set(keys)
	d.Keep = slices.DeleteFunc(slices.Clone(d.Keep), func(k string) bool { return gone[k] })
	return d
}

// judge says everything that deserves a look, in the order of the worksheet.
func (r *run) judge(out *scene.Scene) {
	r.nothing()
	r.unsaid()
	r.strays()
	r.lone()
	r.broken()
	r.faces()
	r.alike()
	r.digits(out)
	r.idleNames()
	for _, l := range r.rep.Left {
		title := figure.Plural(l.Count, l.What, l.What+"s") + " left behind"
		text := "Not kept: " + l.Why + "."
		if len(l.Names) > 0 {
			text = strings.Join(l.Names, ", ") + ". " + text
		}
		r.say(finding.Note, "source/left", title, text)
	}
	for i, n := range r.s.Nodes {
		if n.Kind == scene.KindLOD && r.rep.Nodes[i].Kept && !r.gathersOf(i) {
			r.say(finding.Note, "source/lod-group", fmt.Sprintf("“%s” is a LOD group", n.Name),
				"All its levels came in and stand in one another. Keep the finest and leave out the rest, unless the receiver is "+
					"to get "+
					"the group; FBX keeps it, other formats do not.")
		}
	}
	r.rep.Refer(Info, r.d, r.survey.Keys)
}

// nothing says that no polygon goes on.
func (r *run) nothing() {
	if r.rep.Kept > 0 {
		return
	}
	text := "Keep at least one node that has polygons."
	if r.rep.Counts.Triangles == 0 {
		text = "The file came in without any polygons. Nothing can be exported from it."
	}
	r.say(finding.MustFix, "source/nothing", "Nothing goes on", text).Brief = "nothing kept"
}

// unsaid says what the file does not declare and was assumed.
func (r *run) unsaid() {
	s := r.s
	if s.UnitHow != scene.Assumed && s.BasisHow != scene.Assumed {
		return
	}
	what := "neither unit nor axes"
	switch {
	case s.UnitHow != scene.Assumed:
		what = "no axes"
	case s.BasisHow != scene.Assumed:
		what = "no unit"
	}
	r.say(finding.Note, "source/unsaid", "The file says "+what,
		fmt.Sprintf("Assumed: one unit is %s, %s up, %s to the front. Change it at Size and Axes.",
			figure.Length(s.UnitMetres),
			s.Basis.Up, s.Basis.Forward))
}

var loneTitles = map[string][2]string{
	Empty: {"empty node goes along", "empty nodes go along"}, Hidden: {"hidden node goes along", "hidden nodes go along"},
	Helper: {"helper plane", "helper planes"}, Far: {"node far from the rest", "nodes far from the rest"},
	Speck: {"lone speck", "lone specks"}, Inside: {"body inside another", "bodies inside others"},
	Double: {"node stands in another’s place", "nodes stand in others’ places"},
}

// lone says what probably does not belong, a finding for each sort; more than one
// node of a sort can be left by a rule that holds for later revisions too. It is long because it is a list:
// each finding stands where it is said.
func (r *run) lone() {
	guides := 0
	for _, what := range []string{Double, Far, Helper, Hidden, Inside, Speck, Empty} {
		var keys, names []string
		var first *Lone
		for i, l := range r.survey.Lone {
			if l.What == Guide && what == Empty {
				guides++
			}
			if l.What == what && r.rep.Nodes[l.Node].Kept {
				keys = append(keys, r.survey.Keys[l.Node])
				names = append(names, r.rep.Nodes[l.Node].Name)
				if first == nil {
					first = &r.survey.Lone[i]
				}
			}
		}
		if len(keys) == 0 {
			continue
		}
		sev := finding.Look
		if what == Empty {
			sev = finding.Note
		}
		t := loneTitles[what]
		title := figure.Plural(len(keys), t[0], t[1])
		text := station.Some(names) + ". " + first.Text
		remedies := []finding.Remedy{}
		gone, all := 0, 0
		for _, n := range r.rep.Nodes {
			if n.Kept {
				all += n.Triangles
			}
		}
		for _, k := range r.survey.Lone {
			if k.What == what && r.rep.Nodes[k.Node].Kept {
				gone += r.rep.Nodes[k.Node].Triangles
			}
		}
		much := 2*gone > all
		if len(keys) < r.rep.Kept || what == Empty {
			label, effect := "Leave out "+names[0], "It stays in the source and does not go on."
			if len(keys) > 1 {
				label, effect = fmt.Sprintf("Leave out all %d", len(keys)), "They stay in the source and do not go on."
			}
			ruled := r.d
			ruled.Rules = append(slices.Clone(r.d.Rules), Rule{By: ByKind, What: what})
			if much {
				effect += " They hold more than half of the triangles."
			}
			if len(keys) > 1 && what != Empty { // the mildest first
				remedies = append(remedies, finding.Remedy{Label: "Leave out " + names[0],
					Effect:   "It alone stays in the source and does not go on.",
					Decision: r.d.leaving(keys[:1])})
			}
			remedies = append(remedies, finding.Remedy{Label: label, Effect: effect, Decision: r.d.leaving(keys), Harsh: much,
				Sure: what == Empty},
				finding.Remedy{Label: "Always leave such out", Effect: "A rule: it leaves out every " + what +
					" in later revisions too.",
					Decision: ruled, Harsh: true})
		}
		r.say(sev, "source/"+strings.ReplaceAll(what, " ", "-"), title, text, remedies...).Place = r.place(first.At, names[0])
	}
	r.standIns()
	r.proxies()
	r.variants()
	r.cages()
	if guides > 0 {
		r.say(finding.Note, "source/guides", figure.Plural(guides, "guide", "guides")+" left behind",
			"Lines and points have no polygon and never go on.")
	}
	for i, n := range r.survey.Keys {
		if k := r.survey.Buried[i]; k > 0 && r.rep.Nodes[i].Kept {
			d := r.d
			d.Split = append(slices.DeleteFunc(slices.Clone(d.Split), func(s Split) bool { return s.Node == n }),
				Split{n, ByParts})
			r.say(finding.Look, "source/buried-parts", fmt.Sprintf("%s inside other parts of “%s”",
				figure.Plural(k, "part lies", "parts lie"), r.rep.Nodes[i].Name),
				"Nobody sees them, and each triangle of them is drawn. Split the node into its parts to leave them out, in the "+
					"modelling program or here.",
				finding.Remedy{Label: "Split it into its parts", Effect: "Its connected parts become nodes of their own.",
					Decision: d}).Place = r.place(r.survey.Boxes[i].Center(), r.rep.Nodes[i].Name)
		}
	}
}

// faces gathers where faces of two nodes that go on lie in one plane, which Surface tells.
func (r *run) faces() {
	for i := range r.survey.Overlaps {
		o := &r.survey.Overlaps[i]
		a, b := r.rep.Nodes[o.A], r.rep.Nodes[o.B]
		if !a.Kept || !b.Kept {
			continue
		}
		r.rep.Flickering = append(r.rep.Flickering, Flickering{a.Name, b.Name, [2]string{a.Key, b.Key}, o.Area,
			o.At.Sub(r.d.Move), o.Normal, finding.Remedy{
				Label: "Leave out " + b.Name, Effect: "It stays in the source and does not go on.",
				Decision: r.d.leaving([]string{b.Key}),
				Harsh:    true}})
	}
	if r.survey.Cut {
		r.say(finding.Note, "source/not-all-compared", "Not everything was compared",
			"The scene has more bodies, or more parts in one of them, than are held against each other; some that share a "+
				"plane, lie "+
				"inside others or are specks may be unnamed.")
	}
}

// alike says what could be shared.
func (r *run) alike() {
	var keys []string
	var saves int64
	var groups, mirrored int
	for _, t := range r.rep.Twins {
		if !t.Shared {
			keys = append(keys, t.Keys...)
			saves += t.Saves
			groups++
			mirrored += t.Mirrored
		}
	}
	r.parted()
	if len(keys) == 0 {
		return
	}
	d := r.d
	d.Sharing = append(slices.Clone(d.Sharing), keys...)
	slices.Sort(d.Sharing)
	d.Sharing = slices.Compact(d.Sharing)
	text := fmt.Sprintf("%s equal to another but for where they stand", figure.Plural(len(keys), "mesh is", "meshes are"))
	if mirrored > 0 {
		text += fmt.Sprintf(", %d of them mirrored", mirrored)
	}
	r.say(finding.Note, "source/alike", figure.Plural(len(keys), "mesh could be an instance", "meshes could be instances"),
		fmt.Sprintf("%s, in %s. Sharing saves %s.", text, figure.Plural(groups, "group", "groups"), figure.Bytes(saves)),
		finding.Remedy{Label: "Make them instances", Effect: "Nothing moves; each place then uses one mesh.", Decision: d})
}

// parted says which meshes were to be shared and equal no other any more.
func (r *run) parted() {
	equal := map[string]bool{}
	for _, t := range r.rep.Twins {
		for _, k := range t.Keys {
			equal[k] = true
		}
	}
	var names, keys []string
	sharing := set(r.d.Sharing)
	for _, n := range r.rep.Nodes {
		if n.Kept && sharing[n.Key] && !equal[n.Key] {
			names, keys = append(names, n.Name), append(keys, n.Key)
		}
	}
	if len(keys) == 0 {
		return
	}
	d, gone := r.d, set(keys)
	d.Sharing = slices.DeleteFunc(slices.Clone(d.Sharing), func(k string) bool { return gone[k] })
	r.say(finding.Look, "source/parted", figure.Plural(len(keys), "mesh to be shared is",
		"meshes to be shared are")+" no longer equal",
		station.Some(names)+". In this revision no other mesh has this shape, so each keeps its own.",
		finding.Remedy{Label: "Drop the decision", Effect: "Nothing changes but that it is no longer kept.", Decision: d})
}

// farthest is the largest coordinate that is kept in 32 bits: of pieces of a grid, whose places are exact, in their own
// coordinates, of all else in the scene's.
func (r *run) farthest(out *scene.Scene, box geom.Box) (far float64) {
	reach := func(b geom.Box) {
		for k := range 3 {
			if !b.IsEmpty() {
				far = max(far, math.Abs(b.Min[k]), math.Abs(b.Max[k]))
			}
		}
	}
	if r.s.laid == nil || r.d.Merge != Apart {
		reach(box)
		return far
	}
	worlds := out.Worlds()
	for i, n := range out.Nodes {
		if n.Mesh < 0 {
			continue
		}
		b := out.Meshes[n.Mesh].Extent()
		if !r.s.laid[r.from[i]] {
			b = out.Meshes[n.Mesh].MappedIn(r.ctx, worlds[i]).Extent()
		}
		reach(b)
	}
	return far
}

// digits says what 32-bit coordinates lose so far from the origin.
func (r *run) digits(out *scene.Scene) {
	box := out.Bounds()
	if box.IsEmpty() {
		return
	}
	far := r.farthest(out, box)
	r.rep.Error = halfStep(far)
	size := box.Size().Max()
	grid := 0.0
	if r.d.Grid == 0 {
		grid = cure(box.Size(), r.s.Basis.Up.Index(), r.rep.Accepted)
	}
	if size > 10000 && r.d.Grid == 0 {
		r.say(finding.Look, "source/vast", fmt.Sprintf("The scene is %s across", figure.Length(size)),
			"Beyond 10 km, 32-bit coordinates lose more than a receiver can hide. If it is not meant so, look at its unit at "+
				"Size, or "+
				"leave out what stands far off.")
	}
	if r.rep.Error <= r.rep.Accepted {
		return
	}
	sev := finding.Look
	if r.rep.Error > 10*r.rep.Accepted {
		sev = finding.MustFix
	}
	centre := box.Center()
	up := r.s.Basis.Up
	centre[up.Index()] = box.Min[up.Index()]
	if up.Sign() < 0 {
		centre[up.Index()] = box.Max[up.Index()]
	}
	d := r.d
	for k := range 3 {
		d.Move[k] += math.Round(centre[k])
	}
	after := 0.0
	for k := range 3 {
		after = max(after, math.Abs(box.Min[k]-math.Round(centre[k])), math.Abs(box.Max[k]-math.Round(centre[k])))
	}
	var remedies []finding.Remedy
	if halfStep(after) < r.rep.Error {
		remedies = append(remedies, finding.Remedy{Label: "Move it to the origin", Decision: d,
			Effect: fmt.Sprintf("All of it moves by %s, %s, %s m; the error becomes %s.",
				figure.Number(-math.Round(centre[0]), 0),
				figure.Number(-math.Round(centre[1]), 0), figure.Number(-math.Round(centre[2]), 0),
				figure.Length(halfStep(after)))})
	}
	if grid > 0 {
		to := r.d
		to.Grid = grid
		remedies = append(remedies, finding.Remedy{Label: "Split it by a grid of " + figure.Length(grid), Decision: to,
			Effect: fmt.Sprintf("About %s pieces, each about its own place; the error becomes %s.",
				figure.Count(int(scene.Pieces(box.Size(), up.Index(), grid))), figure.Length(halfStep(max(grid/2,
					box.Size()[up.Index()]))))})
	}
	r.say(sev, "source/digits", fmt.Sprintf("Coordinates are off by up to %s", figure.Length(r.rep.Error)),
		fmt.Sprintf("It lies up to %s from the origin. Receivers keep positions in 32 bits, which there lie %s apart; "+
			"edges jitter "+
			"and seams open. Accepted is %s.",
			figure.Length(far), figure.Length(2*r.rep.Error), figure.Length(r.rep.Accepted)), remedies...)
}

// halfStep is half the distance between neighbouring 32-bit floats at v, the most a
// coordinate can be rounded by (IEEE 754, binary32).
func halfStep(v float64) float64 {
	f := float32(v)
	return (float64(math.Nextafter32(f, float32(math.Inf(1)))) - float64(f)) / 2
}

// idleNames notes names that say nothing.
func (r *run) idleNames() {
	var names []string
	var first Node
	for _, n := range r.rep.Nodes {
		if n.Kept && n.Idle {
			if len(names) == 0 {
				first = n
			}
			names = append(names, n.Name)
		}
	}
	if len(names) > 0 {
		at := geom.Vec3{}
		if !first.Box.IsEmpty() {
			at = first.Box.Center()
		}
		r.say(finding.Note, "source/names", figure.Plural(len(names), "name is a default", "names are defaults"),
			station.Some(names)+". In a level of hundreds nobody finds them again. Rename them in the list, or by "+
				"pattern.").Place = finding.Place{Point: &at, Node: first.Name}
	}
	if naming.Idle(r.s.Name) && r.s.Name != "" {
		r.say(finding.Note, "source/file-name", fmt.Sprintf("The file is called “%s”", r.s.Name),
			"The asset takes its name from it, and the export from the asset. Rename the asset below.")
	}
}
