package surface

import (
	"slices"
	"strconv"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/process/mend"
	"yarvek/core/process/round"
)

// Entries are the values that can be decided here. A thickness here is that of all; of nodes and slots there is a list.
var Entries = []entry.Group[Decisions]{
	{ID: "smoothing", Title: "Smoothing", Do: "Make normals anew", Entries: []entry.Entry[Decisions]{
		entry.Choice("smooth", "Hard edges", func(d *Decisions) *mend.Edges { return &d.Smooth },
			entry.Option{ID: string(mend.ByAngle), Name: "above an angle"},
			entry.Option{ID: string(mend.ByGroups), Name: "between smoothing groups"},
			entry.Option{ID: string(mend.BySeams), Name: "along UV seams"},
			entry.Option{ID: string(mend.AllSoft), Name: "nowhere"}, entry.Option{ID: string(mend.AllHard),
				Name: "everywhere"}).
			Else("as they came").Then(func(d *Decisions) {
			if d.Smooth != mend.ByAngle {
				d.Angle = 0
			}
		}),
		entry.Angle("angle", "Hard above", func(d *Decisions) *float64 { return &d.Angle }).Between(0, 180).Usually("0").
			When("above an angle", func(d Decisions) bool { return d.Smooth == mend.ByAngle }),
		entry.Share("keep", "Kept of the old ones", func(d *Decisions) *float64 { return &d.Keep }).Between(0, 0.999).
			Usually("0").When("where normals are made anew", func(d Decisions) bool { return d.Smooth != "" }),
		entry.YesNo("tangents", "Tangents anew", func(d *Decisions) *bool { return &d.Tangents }),
		entry.YesNo("units", "Normals of unit length", func(d *Decisions) *bool { return &d.Units }),
	}},
	{ID: "round", Title: "Round again", Do: "Give them {sides} sides", Entries: []entry.Entry[Decisions]{
		entry.Count("sides", "Sides of round parts", "", func(d *Decisions) *int { return &d.Sides }).
			Between(round.LeastSides, round.MostSides).Else("as they came").
			Helped("rings and what they carry stay; cylinders, cones, balls, rings, any profile that was revolved"),
		entry.Nodes("round", "Of which nodes", func(d *Decisions) *[]string { return &d.Round }).Else("all").
			When("where round parts get sides", func(d Decisions) bool { return d.Sides > 0 }),
	}},
	{ID: "mending", Title: "More to mend", Do: "Mend it so", Entries: []entry.Entry[Decisions]{
		entry.Length("weld", "Join points within", "mm", func(d *Decisions) *float64 { return &d.Weld }).
			Between(0, longest).ZeroAs(Exactly).Helped("0 joins points that stand in one place; empty joins none"),
		entry.Length("edges", "Take out edges below", "mm", func(d *Decisions) *float64 { return &d.Edges }).
			Between(0, longest).Usually("0"),
		entry.Count("holes", "Close holes of up to", "edges", func(d *Decisions) *int { return &d.Holes }).
			Between(0, mostEdge).Usually("0"),
		entry.YesNo("empty", "Drop faces without area", func(d *Decisions) *bool { return &d.Empty }),
		entry.YesNo("doubled", "Drop faces that are there twice", func(d *Decisions) *bool { return &d.Doubled }),
		entry.YesNo("separate", "Separate edges of more than two faces", func(d *Decisions) *bool { return &d.Separate }),
		entry.YesNo("split", "Split places where surfaces meet in a point", func(d *Decisions) *bool { return &d.Split }),
		entry.YesNo("needles", "Take needles out", func(d *Decisions) *bool { return &d.Needles }),
		entry.YesNo("unused", "Drop points no face uses", func(d *Decisions) *bool { return &d.Unused }),
		entry.YesNo("wind", "Turn faces the way of their part", func(d *Decisions) *bool { return &d.Wind }),
		entry.YesNo("outward", "Turn parts that are inside out", func(d *Decisions) *bool { return &d.Outward }),
		entry.YesNo("flat", "Cut bent and dented polygons", func(d *Decisions) *bool { return &d.Flat }),
	}},
	{ID: "thickness", Title: "Thickness of sheets", Do: "Give them {thickness} mm", Entries: []entry.Entry[Decisions]{
		entry.Length("thickness", "Thick by", "mm", func(d *Decisions) *float64 { return &d.whole().By }).
			Between(0, longest).Usually("0").Held(Decisions.hasWhole).Last(thin),
		entry.Choice("side", "To which side", func(d *Decisions) *mend.Side { return &d.whole().Side },
			entry.Option{ID: string(mend.Front), Name: "to the front"}, entry.Option{ID: string(mend.Back),
				Name: "to the back"}).
			Else("half to each").Held(Decisions.hasWhole).When("where sheets get a thickness",
			Decisions.hasWhole),
		entry.YesNo("open", "Bodies with holes too", func(d *Decisions) *bool { return &d.whole().Open }).
			Helped("as tubes and open boxes are").Held(Decisions.hasWhole).
			When("where sheets get a thickness", Decisions.hasWhole),
		entry.YesNo("twosided", "Slots of sheets from both sides", func(d *Decisions) *bool { return &d.TwoSided }),
	}},
	{ID: "limits", Title: "Where a flaw begins", Do: "Judge it so", Entries: []entry.Entry[Decisions]{
		entry.Length("gap", "Points nearly meet within", "mm", func(d *Decisions) *float64 { return &d.Limits.Gap }).
			Between(1e-9, longest).Usually(figure.Untyped(Usual.Gap, -3)),
		entry.Length("short", "Edges are short below", "mm", func(d *Decisions) *float64 { return &d.Limits.Short }).
			Between(1e-9, longest).Usually(figure.Untyped(Usual.Short, -3)),
		entry.Length("bent", "Polygons are bent from", "mm", func(d *Decisions) *float64 { return &d.Limits.Bent }).
			Between(1e-9, longest).Usually(figure.Untyped(Usual.Bent, -3)),
		entry.Number("needle", "Needles are longer than high by", "times",
			func(d *Decisions) *float64 { return &d.Limits.Needle }).Between(1, 1e6).Usually(figure.Untyped(Usual.Needle, 0)),
		entry.Length("apart", "Faces flicker within", "mm", func(d *Decisions) *float64 { return &d.Limits.Apart }).
			Between(1e-9, longest).By(func(_ Decisions, g entry.Given) entry.Force {
			mm := 1000 * InForce(Decisions{}, g.Class.Seen).Apart
			return entry.Force{Text: strconv.FormatFloat(mm, 'g', 3, 64), By: entry.Class}
		}),
		entry.Number("texels", "Texels a metre wanted", "", func(d *Decisions) *float64 { return &d.Limits.Texels }).
			Between(0.001, 1e6),
	}},
}

// hasWhole tells whether all sheets are given a thickness.
func (d Decisions) hasWhole() bool {
	return slices.ContainsFunc(d.Thick, Thick.all) || d.Thickness > 0 && len(d.Of) == 0
}

// whole is the thickness of all sheets, for writing; that of an older prep moves into the list.
func (d *Decisions) whole() *Thick {
	d.Thick = slices.Clone(d.Thicks())
	d.Thickness, d.Side, d.Of = 0, "", nil
	i := slices.IndexFunc(d.Thick, Thick.all)
	if i < 0 {
		d.Thick, i = append(d.Thick, Thick{}), len(d.Thick)
	}
	return &d.Thick[i]
}

// thin takes out thicknesses of nothing.
func thin(d *Decisions) {
	d.Thick = slices.DeleteFunc(slices.Clone(d.Thick), func(t Thick) bool { return t.By == 0 })
	if len(d.Thick) == 0 {
		d.Thick = nil
	}
}
