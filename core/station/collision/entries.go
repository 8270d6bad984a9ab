package collision

import (
	"slices"
	"strconv"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/figure"
)

// Entries are the values that can be decided here. How shapes are made is said of the first fit; more fits, and shapes
// by hand, are lists of edits.
var Entries = []entry.Group[Decisions]{
	{ID: "form", Title: "Make", Head: madeHead, Entries: []entry.Entry[Decisions]{
		entry.Choice("form", "Made as", func(d *Decisions) *Form { return &d.first().Form }, formOptions()...).
			Else("as it came").Held(Decisions.fits).Then(anew).Last(unmade),
		entry.YesNo("none", "No collision at all", func(d *Decisions) *bool { return &d.None }).
			Helped("whatever the file has").Then(func(d *Decisions) { *d = d.With() }),
	}},
	{ID: "fitting", Title: "How they are made", DoFor: makes, Entries: []entry.Entry[Decisions]{
		fitted(entry.Count("most", "Hulls at most", "", func(d *Decisions) *int { return &d.first().Most })).
			Between(1, mostHulls).By(usualHulls).When("with hulls", is(Hulls)),
		fitted(entry.Count("points", "Points each", "", func(d *Decisions) *int { return &d.first().Points })).
			Between(8, 1024).By(usualPoints).When("with hulls", is(Hulls, OneHull)),
		fitted(entry.Length("concavity", "Hollows filled up to", "mm",
			func(d *Decisions) *float64 { return &d.first().Concavity })).Between(0, 100).Usually("0").
			Helped("a hollow so deep is filled to save a hull").When("with hulls", is(Hulls)),
		fitted(entry.Length("sheet", "Sheets as thick as", "mm",
			func(d *Decisions) *float64 { return &d.first().Sheet })).Between(1e-6, 100).By(usualSheet).
			Helped("open surfaces have no volume of their own").When("with hulls", is(Hulls)),
		fitted(entry.Length("within", "The mesh sticks out up to", "mm",
			func(d *Decisions) *float64 { return &d.first().Within })).Between(0, 100).Usually("0").
			Helped("a hull of few points fills less").When("with one hull", is(OneHull)),
		fitted(entry.Count("planes", "Planes of a slab", "", func(d *Decisions) *int { return &d.first().Planes })).
			Usually("26").Helped("6, 18 or 26 fixed directions").When("with a slab", is(Slab)),
		fitted(entry.Slot("slot", "Of which slot", func(d *Decisions) *string { return &d.first().Slot })).Else("any"),
		fitted(entry.Nodes("nodes", "Of which nodes", func(d *Decisions) *[]string { return &d.first().Nodes })),
		fitted(entry.YesNo("each", "Each node by itself", func(d *Decisions) *bool { return &d.first().Each })),
	}},
	{ID: "through", Title: "Who comes through", Do: "Keep it open for that", Head: func(d Decisions,
		_ entry.Given) string {
		return d.Keep.Words()
	}, Entries: []entry.Entry[Decisions]{
		entry.YesNo("nobody", "Nobody", func(d *Decisions) *bool { return &d.Keep.None }).
			Helped("passages may be filled").Then(func(d *Decisions) { d.Keep = Keep{None: true} }),
		entry.Length("wide", "Wide", "m", func(d *Decisions) *float64 { return &d.Keep.Radius }).Twice().
			Between(2e-4, 2e3).Usually("0.6").First(walking).Last(walker).When("where somebody comes through", somebody),
		entry.Length("tall", "Tall", "m", func(d *Decisions) *float64 { return &d.Keep.Height }).
			Between(0, 1e3).By(usualHeight).Helped("0 is a ball").First(walking).Last(walker).
			When("where somebody comes through", somebody),
	}},
	{ID: "surface", Title: "The surface itself", Do: "Touch {share} % of it", Head: surfaceHead,
		Entries: []entry.Entry[Decisions]{
			entry.Share("share", "Of its triangles", func(d *Decisions) *float64 { return &d.Surface.Share }).
				Between(0, 1).Usually("0").Helped("the mesh itself is touched, made of so many").
				Then(func(d *Decisions) { d.None = false }),
			entry.YesNo("twosided", "From both sides", func(d *Decisions) *bool { return &d.Surface.TwoSided }).
				When("where the surface is touched", func(d Decisions) bool { return d.Surface.Share > 0 }),
		}},
	{ID: "limits", Title: "What counts as off", Do: "Judge it so", Entries: []entry.Entry[Decisions]{
		entry.Length("gap", "Sticks out up to", "mm", func(d *Decisions) *float64 { return &d.Gap }).
			Between(1e-5, 1e3).By(func(_ Decisions, g entry.Given) entry.Force { return limit(g, false) }),
		entry.Length("air", "Air filled up to", "mm", func(d *Decisions) *float64 { return &d.Air }).
			Between(1e-5, 1e3).By(func(_ Decisions, g entry.Given) entry.Force { return limit(g, true) }),
		entry.Number("density", "It weighs", "kg/m³", func(d *Decisions) *float64 { return &d.Density }).
			Between(1, 30_000).Usually("500"),
	}},
}

// makes says what a section's button makes.
func makes(d Decisions, _ entry.Given) string {
	switch f, _ := d.first().Form.named(); f.ID {
	case Hulls:
		return "Make {most} hulls"
	case OneHull:
		return "Make one hull"
	default:
		return "Make a " + strings.ToLower(f.Name)
	}
}

// fitted is an entry of the first fit: undecided where there is none.
func fitted(e entry.Entry[Decisions]) entry.Entry[Decisions] {
	return e.Held(Decisions.fits).Then(noLonger)
}

// fits tells whether anything is fitted.
func (d Decisions) fits() bool { return len(d.Fits) > 0 }

// first is the first fit, for writing: hulls where there is none.
func (d *Decisions) first() *Fit {
	if d.Fits = slices.Clone(d.Fits); len(d.Fits) == 0 {
		d.Fits = []Fit{{Form: Hulls}}
	}
	return &d.Fits[0]
}

// anew has the first fit take the place of all shapes there are.
func anew(d *Decisions) {
	noLonger(d)
	f := *d.first()
	f.Without = nil
	*d = d.With(f)
}

// noLonger takes back that there are none, and what counts with another form alone.
func noLonger(d *Decisions) {
	d.None = false
	f := d.first()
	if f.Form == "" {
		f.Form = Hulls
	}
	if f.Form != Hulls {
		f.Most, f.Concavity, f.Sheet = 0, 0, 0
	}
	if f.Form != Hulls && f.Form != OneHull {
		f.Points = 0
	}
	if f.Form != OneHull {
		f.Within = 0
	}
	if f.Form != Slab {
		f.Planes = 0
	}
}

// unmade takes out a fit of no form.
func unmade(d *Decisions) {
	if d.fits() && d.Fits[0].Form == "" {
		d.Fits = slices.Clone(d.Fits[1:])
	}
	if !d.fits() {
		d.Fits = nil
	}
}

// is tells whether the first fit is of one of some forms.
func is(forms ...Form) func(Decisions) bool {
	return func(d Decisions) bool { return slices.Contains(forms, d.first().Form) }
}

func somebody(d Decisions) bool { return !d.Keep.None }

func formOptions() (list []entry.Option) {
	for _, f := range Forms {
		list = append(list, entry.Option{ID: string(f.ID), Name: f.Name})
	}
	return list
}

func usualHulls(_ Decisions, g entry.Given) entry.Force {
	hulls, _ := UsualFor(g.Class)
	return entry.Force{Text: strconv.Itoa(hulls), By: origin(hulls < UsualHulls)}
}

// origin of a value that is the class's, or everybody's.
func origin(class bool) entry.Origin {
	if class {
		return entry.Class
	}
	return entry.Yarvek
}

func usualPoints(_ Decisions, g entry.Given) entry.Force {
	_, points := UsualFor(g.Class)
	return entry.Force{Text: strconv.Itoa(points), By: origin(points < UsualPoints)}
}

// usualSheet is a hundredth of the size, which the file alone knows.
func usualSheet(Decisions, entry.Given) entry.Force {
	return entry.Force{Text: "1 % of the size", By: entry.File}
}

// usualHeight is that of the usual walker; a ball has none.
func usualHeight(d Decisions, _ entry.Given) entry.Force {
	return entry.Force{Text: figure.Untyped(d.Keep.InForce().Height, 0), By: entry.Yarvek}
}

// walking begins with the usual walker, so that one of its measures is decided and the other stays.
func walking(d *Decisions) {
	if d.Keep == (Keep{}) {
		d.Keep = Walker
	}
}

// walker leaves the usual one undecided.
func walker(d *Decisions) {
	if d.Keep == Walker || d.Keep.Radius == 0 && !d.Keep.None {
		d.Keep = Keep{}
	}
}

// limit is what counts as off while nothing is decided, of the asset's size.
func limit(g entry.Given, air bool) entry.Force {
	r, _ := g.Report.(*Report)
	switch {
	case r == nil && air:
		return entry.Force{Text: "5 % of the size", By: entry.File}
	case r == nil:
		return entry.Force{Text: "1 % of the size", By: entry.File}
	case air:
		return entry.Force{Text: figure.Untyped(rounded(r.AirMost), -3), By: entry.File}
	}
	return entry.Force{Text: figure.Untyped(rounded(r.Limit), -3), By: entry.File}
}

// rounded is a length to a hundredth of a millimetre.
func rounded(m float64) float64 { return float64(int64(m*1e5+0.5)) / 1e5 }

// madeHead says what there is.
func madeHead(d Decisions, g entry.Given) string {
	if r, ok := g.Report.(*Report); ok && r != nil && len(r.Shapes) > 0 {
		return r.Figure()
	}
	if d.None {
		return "none"
	}
	return ""
}

func surfaceHead(d Decisions, g entry.Given) string {
	if r, ok := g.Report.(*Report); ok && r != nil && r.Surface != nil && r.Surface.Mesh != nil {
		return figure.Plural(r.Surface.Mesh.Triangles(), "triangle", "triangles") + ", off by " + figure.Length(r.Surface.Off)
	}
	if d.Surface.Share == 0 {
		return "not touched"
	}
	return share(d.Surface.Share) + " of its triangles"
}
