package axes

import (
	"yarvek/core/entry"
	"yarvek/core/geom"
)

// Entries are the values that can be decided here. Turns and poses are lists and picks.
var Entries = []entry.Group[Decisions]{{ID: "stance", Title: "How it stands", Do: "Stand it so",
	Entries: []entry.Entry[Decisions]{
		axis("up", "Up is the file’s", func(d *Decisions) *geom.Axis { return &d.Up },
			func(b geom.Basis) geom.Axis { return b.Up }),
		axis("forward", "The front is the file’s", func(d *Decisions) *geom.Axis { return &d.Forward },
			func(b geom.Basis) geom.Axis { return b.Forward }),
		entry.Choice("hand", "Read as", func(d *Decisions) *string { return &d.Hand },
			entry.Option{ID: "right", Name: "right-handed"}, entry.Option{ID: "left", Name: "left-handed"}).
			By(func(_ Decisions, g entry.Given) entry.Force {
				if r, ok := g.Report.(*Report); ok && r != nil {
					return entry.Force{Text: r.Read.Handedness(), By: entry.File}
				}
				return entry.Force{By: entry.File}
			}).Helped("if lettering on it reads backwards"),
		entry.YesNo("drop", "Drop it to the ground", func(d *Decisions) *bool { return &d.Drop }),
	}}}

// axis is an entry of one of the file's six axes.
func axis(name, label string, field func(*Decisions) *geom.Axis, of func(geom.Basis) geom.Axis) entry.Entry[Decisions] {
	var options []entry.Option
	for _, a := range geom.Axes {
		options = append(options, entry.Option{ID: a.String(), Name: a.String()})
	}
	return entry.Of(name, label, field, geom.Axis.String, geom.ParseAxis, options...).
		By(func(_ Decisions, g entry.Given) entry.Force {
			if r, ok := g.Report.(*Report); ok && r != nil {
				return entry.Force{Text: of(r.Read).String(), By: entry.File}
			}
			return entry.Force{By: entry.File}
		})
}
