package surface

import (
	"fmt"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/process/mend"
)

// verdict is how one sort of flaw is told.
type verdict struct {
	sort     Sort
	severity finding.Severity
	title    func(r *Report, n int) string
	text     func(r *Report, n int) string
	remedies func(r *Report, d Decisions) []finding.Remedy
	safe     string // label on the list of what tidying does, for remedies that change neither shape nor look
}

// count makes a title of a number.
func count(one, many string) func(*Report, int) string {
	return func(_ *Report, n int) string { return figure.Plural(n, one, many) }
}

func says(text string) func(*Report, int) string { return func(*Report, int) string { return text } }

// one makes the only remedy.
func one(label, effect string, with func(r *Report, d *Decisions)) func(*Report, Decisions) []finding.Remedy {
	return func(r *Report, d Decisions) []finding.Remedy {
		with(r, &d)
		return []finding.Remedy{{Label: label, Effect: effect, Decision: d}}
	}
}

// verdicts are those of all sorts, in the order they are told.
var verdicts = []verdict{
	{Inside, finding.MustFix, count("part is inside out", "parts are inside out"),
		says("Its faces look inward: a receiver that draws faces from outside alone shows the far wall, or nothing."),
		one("Turn them", "Their faces are turned round; places stay.", func(_ *Report, d *Decisions) { d.Outward = true }),
		"turn parts that are inside out"},
	{Flipped, finding.Look, count("face looks the other way than its neighbours",
		"faces look the other way than their neighbours"),
		says("A receiver that draws faces from the front alone shows holes there."),
		one("Turn them", "They are turned the way most of their part is.", func(_ *Report, d *Decisions) { d.Wind = true }),
		"turn faces the way their part is"},
	{Gaps, finding.Look, count("point nearly meets another", "points nearly meet others"),
		func(r *Report, _ int) string {
			return fmt.Sprintf("They are within %s of a point at another border, and not joined to it: light leaks through.",
				figure.Length(r.Limits.Gap))
		},
		func(r *Report, d Decisions) []finding.Remedy {
			d.Weld = r.Limits.Gap
			return []finding.Remedy{{Label: "Join within " + figure.Length(r.Limits.Gap),
				Effect: "Points so near become one; seams of UVs and hard edges stay.", Decision: d}}
		}, "join points that nearly meet"},
	{Doubled, finding.Look, count("face is there twice", "faces are there twice"),
		says("Both lie on the same points; they cost twice, and flicker where they differ."),
		one("Drop the second", "The first of each stays.", func(_ *Report, d *Decisions) { d.Doubled = true }),
		"drop faces that are there twice"},
	{Empty, finding.Look, count("face has no area", "faces have no area"),
		says("Nobody sees them; they cost, and give light maps and collision trouble."),
		one("Drop them", "Nothing that is seen changes.", func(_ *Report, d *Decisions) { d.Empty = true }),
		"drop faces without area"},
	{Sheets, finding.Note, count("sheet has no thickness", "sheets have no thickness"),
		func(r *Report, _ int) string {
			return "Seen from behind, nothing is there where a receiver draws faces from the front alone. Their area is " +
				figure.Area(r.SheetArea*r.Scale*r.Scale) + "."
		},
		func(r *Report, d Decisions) []finding.Remedy {
			two, thick := d, d
			two.TwoSided, thick = true, d.Thickened(Thick{By: 0.005})
			return []finding.Remedy{
				{Label: "Show their slots from both sides", Effect: "The slots are marked; nothing is added.", Decision: two,
					Harsh: true},
				{Label: "Give 5 mm, half to each side", Effect: "Each becomes a closed solid; the sheet stays its middle.",
					Decision: thick, Harsh: true}}
		}, ""},
	{Bent, finding.Note, func(r *Report, n int) string {
		return figure.Plural(n, "polygon is bent", "polygons are bent") + ", by up to " + figure.Length(r.BentBy*r.Scale)
	}, says("Receivers cut them in their own way, and the surface comes out otherwise than here."),
		one("Cut them here", "They become triangles along the better diagonal; all else stays.",
			func(_ *Report, d *Decisions) { d.Flat = true }),
		"cut bent and dented polygons"},
	{Concave, finding.Look, func(r *Report, n int) string {
		return figure.Plural(n, "polygon has a dent", "polygons have dents") + " of up to " + figure.Length(r.DentBy*r.Scale)
	}, says("A receiver that cuts polygons as fans lays triangles over one another there."),
		one("Cut them here", "They become triangles that lie within them; all else stays.",
			func(_ *Report, d *Decisions) { d.Flat = true }), ""},
	{Holes, finding.Note, count("hole in a body", "holes in bodies"),
		says("The part they are in is otherwise closed. They may be meant so."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Holes = 16
			return []finding.Remedy{{Label: "Close those of up to 16 edges", Harsh: true,
				Effect: "Flat ones get one polygon, others the least surface over their rim.", Decision: d}}
		}, ""},
	{Crowded, finding.Note, count("edge has more than two faces", "edges have more than two faces"),
		says("The surface branches there: it has no inside, and smoothing breaks, and LODs keep such edges as they are."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Separate = true
			return []finding.Remedy{{Label: "Separate", Decision: d, Harsh: true,
				Effect: "Bodies and sheets that share such an edge get one each, moved apart by less than 32-bit numbers show."}}
		}, ""},
	{Pinched, finding.Note, count("place where surfaces meet in a point alone",
		"places where surfaces meet in a point alone"),
		says("Nothing is wrong to look at; what walks over the surface stops there."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Split = true
			return []finding.Remedy{{Label: "Split", Decision: d, Harsh: true,
				Effect: "Each surface gets a point of its own there, moved by less than 32-bit numbers show."}}
		}, ""},
	{Needles, finding.Note, count("triangle is a needle", "triangles are needles"),
		func(r *Report, _ int) string {
			return fmt.Sprintf("More than %s times as long as high: they cost more to draw than they show.",
				figure.Significant(r.Limits.Needle, 4))
		},
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Needles = true
			return []finding.Remedy{{Label: "Take them out", Decision: d, Harsh: true,
				Effect: "The face beside each is cut at its third corner, or its short side becomes a point; no other moves."}}
		}, ""},
	{Short, finding.Note, count("edge is short", "edges are short"),
		func(r *Report, _ int) string { return "They measure less than " + figure.Length(r.Limits.Short) + "." },
		func(r *Report, d Decisions) []finding.Remedy {
			d.Edges = r.Limits.Short
			return []finding.Remedy{{Label: "Take them out", Effect: "The ends of each become one point.", Decision: d,
				Harsh: true}}
		}, ""},
	{Unjoined, finding.Note, count("point shares its place with another", "points share their places with others"),
		says("Formats split points along seams; nothing is wrong to look at, and each is held once more."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Weld = Exactly
			return []finding.Remedy{{Label: "Join them", Effect: "Seams of UVs and hard edges stay.", Decision: d, Harsh: true}}
		}, "join points that stand together"},
	{Unused, finding.Note, count("point no face uses", "points no face uses"),
		says("They leave with some formats, and widen nothing."),
		one("Drop them", "Nothing that is seen changes.", func(_ *Report, d *Decisions) { d.Unused = true }),
		"drop points no face uses"},
	{Against, finding.Look, count("face has a normal that points behind it", "faces have normals that point behind them"),
		says("They are shaded as if lit from behind."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Smooth, d.Angle = mend.ByAngle, 35
			return []finding.Remedy{{Label: "Make normals anew, hard above 35°", Effect: "All normals are replaced.",
				Decision: d,
				Harsh:    true}}
		}, ""},
	{Tangents, finding.Note, count("face has a tangent that is not that of its UVs",
		"faces have tangents that are not those of their UVs"),
		says("Off by more than 15°, or of the other handedness: a normal map is lit wrongly there."),
		func(_ *Report, d Decisions) []finding.Remedy {
			d.Tangents = true
			return []finding.Remedy{{Label: "Make tangents anew", Effect: "In the way normal maps are baked for.", Decision: d,
				Harsh: true}}
		}, ""},
	{Length, finding.Note, count("corner has no normal of unit length", "corners have no normal of unit length"),
		says("Exports mend them in any case."),
		one("Mend them here", "Directions stay.", func(_ *Report, d *Decisions) { d.Units = true }),
		"give normals unit length"},
}

// Exactly is the distance that joins what stands together and nothing else.
const Exactly = 1e-6

// remaining are the sorts of which a remedy may leave some, and why it does.
var remaining = map[Sort]struct {
	decided func(d Decisions) bool
	text    string
}{
	Holes: {func(d Decisions) bool { return d.Holes > 0 },
		"Those that are left have a rim of more edges, or one that meets itself or other " +
			"faces, and can't be closed by themselves."},
	Crowded: {func(d Decisions) bool { return d.Separate },
		"Those that are left could not be told apart: their faces lie in one plane."},
	Pinched: {func(d Decisions) bool { return d.Split }, "Those that are left could not be told apart."},
	Needles: {func(d Decisions) bool { return d.Needles },
		"Those that are left lie along a seam of UVs or a border of slots, between more than two faces, or are part of a " +
			"polygon."},
	Sheets: {func(d Decisions) bool { return slices.ContainsFunc(d.Thicks(), Thick.all) },
		"Those that are left lie on other faces, have no " +
			"two sides, or are part of a body: name their node or slot to thicken them too."},
}

// changes tells whether decisions do more about a sort than others do.
func (d Decisions) changes(from Decisions, sort Sort) bool {
	if sort == Holes {
		return d.Holes > from.Holes
	}
	return d.TwoSided && !from.TwoSided
}

// judge says what was found.
func (r *Report) judge(d Decisions, pairs []Pair) {
	for _, v := range verdicts {
		n := r.Count[v.sort]
		if n == 0 {
			continue
		}
		sev := v.severity
		if v.sort == Sheets && !r.Single {
			continue // all are seen from both sides
		}
		f := finding.Finding{Code: Info.ID + "/" + string(v.sort), Severity: sev, Title: v.title(r, n), Text: v.text(r, n),
			Remedies: v.remedies(r, d)}
		if left, ok := remaining[v.sort]; ok && left.decided(d) {
			// The remedy was taken; what it could not do is another matter.
			f.Code += "-left"
			f.Text = left.text
			f.Remedies = slices.DeleteFunc(f.Remedies, func(x finding.Remedy) bool {
				return left.decided(x.Decision.(Decisions)) &&
					!x.Decision.(Decisions).changes(d, v.sort)
			})
		}
		if p, ok := r.First[v.sort]; ok {
			at := r.Onto.Apply(p.At)
			f.Place = finding.Place{Node: p.Node, Point: &at}
		}
		r.Say(f)
		if v.safe != "" {
			if list := v.remedies(r, d); len(list) > 0 {
				r.Tidy = append(r.Tidy, Proposal{string(v.sort), v.safe, n, list[0].Decision.(Decisions)})
			}
		}
	}
	r.flickers(d, pairs)
	r.uvs()
	r.smoothing(d)
	r.texels()
}

// texels holds the slots' textures against the density that is wanted.
func (r *Report) texels() {
	for i, s := range r.Slots {
		if s.Flat > 0.01*s.Area {
			r.Say(finding.Finding{Code: fmt.Sprintf("%s/uv-flat-%d", Info.ID, i+1), Severity: finding.Note,
				Title: fmt.Sprintf("%s of “%s” has UVs without area", figure.Percent(s.Flat/s.Area), s.Name),
				Text:  "Its texture is drawn out to lines or to one texel there."})
		}
		want, is := r.Limits.Texels, s.PerMetre(r.Scale)
		if !(want > 0) || !(is > 0) || is > want/2 && is < want*2 {
			continue
		}
		words := "too few"
		if is > want {
			words = "more than wanted"
		}
		r.Say(finding.Finding{Code: fmt.Sprintf("%s/texels-%d", Info.ID, i+1), Severity: finding.Look,
			Title: fmt.Sprintf("“%s” has %s texels a metre, %s", s.Name, figure.Significant(is, 3), words),
			Text:  fmt.Sprintf("Wanted are %s.", figure.Significant(want, 3))})
	}
}

// mostPairs is how many pairs of nodes are told one by one.
const mostPairs = 6

// flickers tells of faces in one plane, of one mesh and of two.
func (r *Report) flickers(d Decisions, pairs []Pair) {
	if o := r.Flicker; o.Part {
		r.Say(finding.Finding{Code: Info.ID + "/flicker-part", Severity: finding.Note,
			Title: "Faces in one plane are not all looked for yet",
			Text:  "Comparing all of so many takes longer than a page waits. It can be done in the background."})
	}
	if o := r.Flicker; o.Pairs > 0 {
		at := r.Onto.Apply(o.At)
		text := fmt.Sprintf("They lie within %s of one another, look the same way and cover %s together: which is in front "+
			"changes from "+
			"frame to frame.", figure.Length(r.Limits.Apart), figure.Area(o.Area*r.Scale*r.Scale))
		if o.Cut {
			text += " There are more pairs than are compared."
		}
		r.Say(finding.Finding{Code: Info.ID + "/flicker", Severity: finding.Look,
			Title: figure.Plural(o.Pairs, "pair of faces will flicker", "pairs of faces will flicker"), Text: text,
			Place: finding.Place{Point: &at}})
	}
	for i, p := range pairs {
		if i == mostPairs {
			r.Say(finding.Finding{Code: Info.ID + "/flicker-more", Severity: finding.Note,
				Title: figure.Plural(len(pairs)-mostPairs, "more pair of nodes shares", "more pairs of nodes share") + " a plane",
				Text:  "They are listed when the first are settled."})
			return
		}
		r.Say(finding.Finding{Code: fmt.Sprintf("%s/flicker-%d", Info.ID, i+1), Severity: finding.Look,
			Title: fmt.Sprintf("“%s” and “%s” share a plane", p.A, p.B),
			Text: fmt.Sprintf("%s of their faces lie on one another and look the same way; they will flicker. Leave one of "+
				"them out, or move it by a hair.", figure.Area(p.Area)),
			Place: finding.Place{Node: p.B, Point: &p.At}, Remedies: []finding.Remedy{p.Remedy}})
		if by, ok := r.apart(d, p); ok {
			r.Last().Remedies = append(r.Last().Remedies, by)
		}
	}
}

// uvs tells of the first UV set.
func (r *Report) uvs() {
	bare, textured := 0, 0
	for _, m := range r.Mesh {
		if m.NoUVs {
			bare++
			if m.Textured {
				textured++
			}
		}
	}
	c := r.Cover
	overlap, mirrored, outside := c.Share(c.Overlap-c.Mirrored), c.Share(c.Mirrored), c.Share(c.Outside)
	switch {
	case textured > 0:
		r.Say(finding.Finding{Code: Info.ID + "/uv-none", Severity: finding.Look,
			Title: figure.Plural(textured, "mesh has a texture and no UVs", "meshes have textures and no UVs"),
			Text:  "The texture has nowhere to lie; receivers show one texel all over."})
	case bare > 0:
		r.Say(finding.Finding{Code: Info.ID + "/uv-none", Severity: finding.Note,
			Title: figure.Plural(bare, "mesh has no UVs", "meshes have no UVs"),
			Text:  "Nothing needs them yet: no material of it has a picture."})
	}
	if overlap > 1e-3 {
		r.Say(finding.Finding{Code: Info.ID + "/uv-overlap", Severity: finding.Note, Title: "UVs lie on one another, " +
			figure.Percent(overlap) + " of what they cover",
			Text: "Fine for a texture that is used again; what is baked into it comes out wrong there."})
	}
	if mirrored > 1e-3 {
		r.Say(finding.Finding{Code: Info.ID + "/uv-mirrored", Severity: finding.Note,
			Title: "Mirrored halves share " + figure.Percent(mirrored) + " of what the UVs cover",
			Text:  "Two faces lie on one another, one of them mirrored, as of a body unwrapped by halves."})
	}
	if outside > 1e-3 {
		r.Say(finding.Finding{Code: Info.ID + "/uv-outside", Severity: finding.Note, Title: figure.Percent(outside) +
			" of the UVs lie outside the square",
			Text: "Fine for a texture that tiles; in an atlas it shows the wrong part."})
	}
}

// smoothing tells what is said of it.
func (r *Report) smoothing(d Decisions) {
	unsaid, soft, hard := 0, 0, 0
	for _, m := range r.Mesh {
		switch {
		case m.Hard < 0 && m.Triangles > 2:
			unsaid++
		case m.Hard == 0 && m.Closed > 0 && m.Triangles <= 200:
			soft++
		case m.Hard == 1 && m.Triangles > 200:
			hard++
		}
	}
	byAngle := d
	byAngle.Smooth, byAngle.Angle = mend.ByAngle, 35
	remedy := []finding.Remedy{{Label: "Derive hard edges above 35°",
		Effect:   "Normals are made anew: faces that turn by less share theirs.",
		Decision: byAngle, Harsh: true}}
	if unsaid > 0 {
		r.Say(finding.Finding{Code: Info.ID + "/no-smoothing", Severity: finding.Note,
			Title: figure.Plural(unsaid, "mesh came without normals or smoothing", "meshes came without normals or smoothing"),
			Text:  "The receiver decides: all flat in some, all round in others.", Remedies: remedy})
	}
	if hard > 0 {
		r.Say(finding.Finding{Code: Info.ID + "/all-hard", Severity: finding.Note,
			Title: figure.Plural(hard, "mesh has hard edges everywhere", "meshes have hard edges everywhere"),
			Text:  "Every edge splits its points: more vertices, and every facet shows.", Remedies: remedy})
	}
	if soft > 0 {
		r.Say(finding.Finding{Code: Info.ID + "/all-soft", Severity: finding.Note,
			Title: figure.Plural(soft, "mesh has no hard edge", "meshes have no hard edge"),
			Text:  "Closed, of few faces, and shaded as if round all over: corners look swollen.", Remedies: remedy})
	}
}

// Tidied is what is decided when all that is safe is.
func (r *Report) Tidied(d Decisions, only func(id string) bool) Decisions {
	for _, p := range r.Tidy {
		if !only(p.ID) {
			continue
		}
		q := p.Decision
		d.Weld = max(d.Weld, q.Weld)
		d.Empty, d.Doubled, d.Unused = d.Empty || q.Empty, d.Doubled || q.Doubled, d.Unused || q.Unused
		d.Wind, d.Outward, d.Flat, d.Units = d.Wind || q.Wind, d.Outward || q.Outward, d.Flat || q.Flat, d.Units || q.Units
	}
	return d
}

// Marked are the places of all flaws, in the coordinates of the outcome.
func (r *Report) Marked() []Mark {
	out := make([]Mark, 0, len(r.Marks))
	for _, m := range r.Marks {
		at := make([]geom.Vec3, len(m.At))
		for i, p := range m.At {
			at[i] = r.Onto.Apply(p)
		}
		out = append(out, Mark{m.Sort, at})
	}
	return out
}
