package source

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/process/divide"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// divide makes the smooth surfaces of the cages, so many times divided. What would have too many faces stays a cage,
// and that is said.
func (c *Came) divide(ctx context.Context, times int) {
	out := *c.Scene
	out.Meshes = slices.Clone(out.Meshes)
	for i, m := range out.Meshes {
		if m.Cage == nil || ctx.Err() != nil {
			continue
		}
		if n := divide.Faces(m, times); n > divide.Most {
			c.said = append(c.said, finding.Finding{Code: "source/cage-too-fine", Severity: finding.Look,
				Title: fmt.Sprintf("“%s” stays a cage", m.Name),
				Text: fmt.Sprintf("Divided %s it would have more than %s faces. Divide it less often.",
					figure.Plural(times, "time", "times"), figure.Count(divide.Most))})
			continue
		}
		out.Meshes[i] = divide.Mesh(ctx, m, times)
	}
	c.Scene = &out
}

// cages says which meshes are cages still, and what dividing them comes to.
func (r *run) cages() {
	var names []string
	var faces [3]int
	for i, users := range r.s.Users() {
		m := r.s.Meshes[i]
		if m.Cage == nil || len(users) == 0 {
			continue
		}
		names = append(names, m.Name)
		for k := range faces {
			faces[k] += len(users) * divide.Faces(m, k)
		}
	}
	if len(names) == 0 || r.d.Divide > 0 {
		return
	}
	var remedies []finding.Remedy
	for k, word := range []string{"", "once", "twice"} {
		if k == 0 {
			continue
		}
		to := r.d
		to.Divide = k
		remedies = append(remedies, finding.Remedy{Label: "Divide " + word, Decision: to,
			Effect: fmt.Sprintf("%s faces become %s.", figure.Count(faces[0]), figure.Count(faces[k]))})
	}
	r.say(finding.Note, "source/cage", figure.Plural(len(names), "mesh is a cage", "meshes are cages")+
		" of a smooth surface", station.Some(names)+". Each came in as its cage; divided, it is the surface that is meant.",
		remedies...)
}

// Cages tells whether a scene has any.
func Cages(s *scene.Scene) bool {
	return slices.ContainsFunc(s.Meshes, func(m *scene.Mesh) bool { return m.Cage != nil })
}
