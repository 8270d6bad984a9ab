package size

import (
	"strings"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/geom"
)

// Entries are the values that can be decided here. What lies between two points that are picked is no value.
var Entries = []entry.Group[Decisions]{
	{ID: "class", Title: "Class", Entries: []entry.Entry[Decisions]{
		entry.Choice("class", "Class", func(d *Decisions) *string { return &d.Class }).Among(classes).
			Helped("says what size and cost are plausible").Else("not sorted yet"),
	}},
	{ID: "unit", Title: "Unit of the file", Do: "Read so", Entries: []entry.Entry[Decisions]{
		entry.Choice("unit", "One unit is", func(d *Decisions) *string { return &d.Unit }, units()...).
			By(func(_ Decisions, g entry.Given) entry.Force {
				if r, ok := g.Report.(*Report); ok && r != nil {
					return entry.Force{Text: r.Unit.Symbol, By: entry.File}
				}
				return entry.Force{By: entry.File}
			}),
		entry.Length("metres", "A length of its own", "m", func(d *Decisions) *float64 { return &d.Metres }).
			Between(minMetres, maxMetres).When("with a custom unit", func(d Decisions) bool { return d.Unit == "custom" }),
	}},
	{ID: "fit", Title: "Set its size", Do: "Scale to it", Head: fitHead, Entries: []entry.Entry[Decisions]{
		entry.Choice("fit", "What is known", func(d *Decisions) *Extent { return &d.Fit },
			entry.Option{ID: string(Height), Name: "height"}, entry.Option{ID: string(Width), Name: "width"},
			entry.Option{ID: string(Depth), Name: "depth"}, entry.Option{ID: string(Longest), Name: "longest"},
			entry.Option{ID: string(Between), Name: "between two picked points"},
			entry.Option{ID: string(ByFactor), Name: "a factor"}).Else("nothing").Last(otherwise),
		entry.Length("length", "Is to be", "m", func(d *Decisions) *float64 { return &d.Length }).
			Between(minMetres, maxMetres).When("where an extent is known",
			func(d Decisions) bool { return d.Fit != "" && d.Fit != ByFactor }),
		entry.Number("factor", "Or times", "", func(d *Decisions) *float64 { return &d.Factor }).
			Between(minMetres, maxMetres).First(byFactor).Last(otherwise),
	}},
	{ID: "bake", Title: "Transforms the nodes hold", Do: "Bake them", Entries: []entry.Entry[Decisions]{
		entry.Choice("bake", "Bake", func(d *Decisions) *Bake { return &d.Bake },
			entry.Option{ID: string(BakeAll), Name: "rotation and scale"},
			entry.Option{ID: string(BakeScale), Name: "scale"}, entry.Option{ID: string(BakeRotation), Name: "rotation"}).
			Else("nothing"),
		entry.Nodes("nodes", "Of which nodes", func(d *Decisions) *[]string { return &d.Nodes }).
			When("where something is baked", func(d Decisions) bool { return d.Bake != BakeNone }),
	}},
}

// byFactor has a factor take the place of an extent.
func byFactor(d *Decisions) {
	if d.Fit != ByFactor {
		*d = d.Fitted(ByFactor, geom.Vec3{}, 0)
	}
}

// otherwise leaves nothing of what an extent, or a factor, was when it is given up or another takes its place.
func otherwise(d *Decisions) {
	switch {
	case d.Fit == ByFactor && d.Factor == 0 && d.Length == 0 || d.Fit == "":
		d.unfit()
	case d.Fit != ByFactor:
		d.Factor = 0
	}
}

// fitHead says what the size is set by.
func fitHead(d Decisions, _ entry.Given) string {
	fit := Decisions{Fit: d.Fit, Along: d.Along, Length: d.Length, Factor: d.Factor, From: d.From, To: d.To}
	return strings.Join(fit.Lines(), "")
}

func classes(g entry.Given) (list []entry.Option) {
	for _, c := range g.Target.Classes {
		list = append(list, entry.Option{ID: c.ID, Name: c.Name + ", " + c.Range()})
	}
	return list
}

func units() (list []entry.Option) {
	for _, u := range figure.Units {
		list = append(list, entry.Option{ID: u.Symbol, Name: singular(u.Name)})
	}
	return append(list, entry.Option{ID: "custom", Name: "a length of its own"})
}

// singular is a unit's name for one of it, with its article.
func singular(name string) string {
	switch name {
	case "inches":
		return "an inch"
	case "feet":
		return "a foot"
	}
	return "a " + strings.TrimSuffix(name, "s")
}
