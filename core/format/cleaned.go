package format

import (
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/naming"
	"yarvek/core/scene"
)

// cleaned takes out of all names what is not seen in them or turns the direction of writing: two names that look the
// same would be two, and a name would look like another. It says how many there were. The scene is nobody else's yet.
func cleaned(s *scene.Scene) []finding.Finding {
	n := 0
	clean := func(name *string, what string) {
		if naming.Plain(*name) == nil {
			return
		}
		n++
		if *name = naming.Visible(*name); *name == "" {
			*name = fmt.Sprintf("%s %d", what, n)
		}
	}
	clean(&s.Name, "scene")
	for i := range s.Nodes {
		clean(&s.Nodes[i].Name, "node")
	}
	for _, m := range s.Meshes {
		clean(&m.Name, "mesh")
		for i := range m.UVs {
			clean(&m.UVs[i].Name, "set")
		}
	}
	for i := range s.Materials {
		clean(&s.Materials[i].Name, "slot")
	}
	for i := range s.Images {
		clean(&s.Images[i].Name, "picture")
	}
	if n == 0 {
		return nil
	}
	return []finding.Finding{{Code: "source/unseen-letters", Severity: finding.Note,
		Title: figure.Plural(n, "name had letters that are not seen", "names had letters that are not seen"),
		Text: "Controls, marks that turn the direction of writing and letters of no width were taken out, so that a name " +
			"is what it looks like."}}
}
