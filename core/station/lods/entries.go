package lods

import (
	"yarvek/core/entry"
	"yarvek/core/figure"
)

// Entries are the values that can be decided here. Weights of slots and nodes are a list.
var Entries = []entry.Group[Decisions]{
	{ID: "ladder", Title: "The ladder", Do: "Make them", Head: head, Entries: []entry.Entry[Decisions]{
		entry.List("levels", "LODs", func(d *Decisions) *[]Level { return &d.Levels }, Level.Typed, ParseLevel).
			Helped("each by a share, a count or how far it is off, and from where: 50 %, 500 tri from 12 m, 3 mm").
			Then(func(d *Decisions) { d.Few, d.None = false, false }),
		entry.YesNo("few", "As few as bring the saving", func(d *Decisions) *bool { return &d.Few }).
			Then(func(d *Decisions) { d.Levels, d.None = nil, false }),
		entry.YesNo("none", "No LODs", func(d *Decisions) *bool { return &d.None }).
			Helped("whatever the file has").Then(func(d *Decisions) { d.Levels, d.Few = nil, false }),
	}},
	{ID: "showing", Title: "What may show", Do: "Let it show so", Entries: []entry.Entry[Decisions]{
		entry.Number("pixels", "A LOD may show by", "px", func(d *Decisions) *float64 { return &d.Pixels }).
			Between(0.05, 50).By(func(_ Decisions, g entry.Given) entry.Force {
			return entry.Force{Text: figure.Untyped(g.Target.View.Tolerance, 0), By: entry.Target}
		}).Helped("where it takes over"),
		entry.Length("vanish", "Goes away at", "m", func(d *Decisions) *float64 { return &d.Vanish }).
			Between(0, 1e6).Helped("never while undecided"),
		entry.Count("fade", "Fades over", "%", func(d *Decisions) *int { return &d.Fade }).Between(0, 50).Usually("0").
			Helped("of the distance"),
	}},
	{ID: "making", Title: "How they are made", Do: "Make them so", Entries: []entry.Entry[Decisions]{
		entry.Count("detail", "Normals, UVs and colours count", "%", func(d *Decisions) *int { return &d.Making.Detail }).
			Between(0, 1000).ZeroAs(-1).UsualAs("100").Helped("of the usual, beside the shape"),
		entry.YesNo("keeppoints", "Points only where points are", func(d *Decisions) *bool { return &d.Making.KeepPoints }),
		entry.YesNo("borders", "Hold points of open borders", func(d *Decisions) *bool { return &d.Making.Borders }),
		entry.YesNo("mirrored", "Halves stay mirrored", func(d *Decisions) *bool { return &d.Making.Mirrored }),
		entry.YesNo("offirst", "Each of the asset itself", func(d *Decisions) *bool { return &d.Making.OfFirst }).
			Helped("not of the LOD before it"),
		entry.Count("outside", "Only the outside from LOD", "", func(d *Decisions) *int { return &d.Outside }).
			Between(0, Most).Helped("what nobody sees from outside goes").Usually("0"),
		entry.Angle("angle", "New normals, hard above", func(d *Decisions) *float64 { return &d.Making.Angle }).
			Between(0.01, 180).Helped("normals are carried along while undecided"),
		entry.Count("blend", "Mixed in by", "%", func(d *Decisions) *int { return &d.Making.Blend }).Between(1, 100).
			UsualAs("100").When("with new normals", func(d Decisions) bool { return d.Making.Angle > 0 }),
	}},
}

// head says how many LODs there are.
func head(_ Decisions, g entry.Given) string {
	if r, ok := g.Report.(*Report); ok && r != nil && len(r.LODs) > 1 {
		return figure.Plural(len(r.LODs)-1, "LOD", "LODs")
	}
	return ""
}
