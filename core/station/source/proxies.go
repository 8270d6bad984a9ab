package source

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// proxies asks of meshes that the file has as stand-ins what they stand in as: from afar, or where a body touches.
// Which mesh each is of is told by where it stands.
func (r *run) proxies() {
	lods, shapes, counted := map[string]Role{}, map[string]Role{}, r.taken()
	var keys, names []string
	first := -1
	keep := set(r.d.Keep)
	for i, n := range r.s.Nodes {
		key := r.survey.Keys[i]
		if !n.Proxy || n.Mesh < 0 || !r.rep.Nodes[i].Kept || keep[key] || r.stands.by[i].What != "" {
			continue
		}
		of := r.under(i)
		if of < 0 {
			continue
		}
		if first < 0 {
			first = i
		}
		base := r.survey.Keys[of]
		lods[key] = Role{As: AsLOD, Of: base, N: counted(base, 1)}
		shapes[key] = Role{As: AsShape, Of: base}
		keys, names = append(keys, key), append(names, r.rep.Nodes[i].Name)
	}
	if len(keys) == 0 {
		return
	}
	which := map[bool]string{true: "it", false: "them"}[len(keys) == 1]
	r.say(finding.Look, "source/proxy", figure.Plural(len(keys), "mesh stands in", "meshes stand in")+" for what is finer",
		fmt.Sprintf("%s. The file has %s as a proxy; as a mesh it would stand in the one that it is of.", station.Some(names),
			which),
		finding.Remedy{Label: "Use as LODs", Effect: "They stand for it from afar, and LODs shows them.",
			Decision: r.d.withRoles(lods)},
		finding.Remedy{Label: "Use as collision", Effect: "They are what a body touches, and Collision shows them.",
			Decision: r.d.withRoles(shapes)},
		finding.Remedy{Label: "Leave out " + which, Effect: "Nothing becomes of them.", Decision: r.d.leaving(keys)},
		finding.Remedy{Label: "They are meshes", Effect: "They go on as they are, and this is not asked again.",
			Decision: r.d.AsMeshes(keys), Harsh: true}).Place = r.place(r.survey.Boxes[first].Center(), names[0])
}

// under is the mesh that a stand-in is of: of those the file shows, the one whose box is most like its own; -1 for none
// that it meets.
func (r *run) under(i int) int {
	best, most := -1, 0.0
	a := r.survey.Boxes[i]
	for k, n := range r.s.Nodes {
		if k == i || n.Proxy || n.Mesh < 0 || n.Kind != scene.KindMesh || !r.rep.Nodes[k].Kept {
			continue
		}
		if s := alike(a, r.survey.Boxes[k]); s > most {
			best, most = k, s
		}
	}
	return best
}

// alike is the part of what two boxes fill together that both do, with a little room round them so that flat ones fill
// something.
func alike(a, b geom.Box) float64 {
	if a.IsEmpty() || b.IsEmpty() {
		return 0
	}
	room := 1e-3 * math.Max(a.Size().Max(), b.Size().Max())
	a, b = a.Grown(room), b.Grown(room)
	both := 1.0
	for k := range 3 {
		both *= max(0, min(a.Max[k], b.Max[k])-max(a.Min[k], b.Min[k]))
	}
	fills := func(x geom.Box) float64 { s := x.Size(); return s[0] * s[1] * s[2] }
	return both / (fills(a) + fills(b) - both)
}
