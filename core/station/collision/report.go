package collision

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"yarvek/core/collide/gap"
	"yarvek/core/collide/passage"
	"yarvek/core/collide/solid"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// Way is a passage of the mesh, with what the shapes do to it.
type Way struct {
	At      geom.Vec3 // of its first mouth, in the frame of the outcome
	Sides   []string  // that its mouths are on
	Through bool
	Open    bool
	Path    []geom.Vec3
}

// Where says on which side it is, or from where to where it leads.
func (w Way) Where() string {
	switch {
	case len(w.Sides) == 1:
		return "on the " + w.Sides[0]
	case len(w.Sides) == 2:
		return "from the " + w.Sides[0] + " to the " + w.Sides[1]
	}
	return fmt.Sprintf("open on %d sides", len(w.Sides))
}

// Name is what it is called.
func (w Way) Name() string {
	if w.Through {
		return "The passage " + w.Where()
	}
	return "The opening " + w.Where()
}

// Measured is how well shapes stand for a mesh. Lengths are metres, volumes cubic metres.
type Measured struct {
	Gap    gap.Between
	Ways   []Way
	Fine   bool    // the body is too small beside the asset for passages to be found
	Closed bool    // the mesh bounds a solid
	Mesh   float64 // volume of that
	Volume float64 // of the shapes together, what several hold counted once
	Sum    float64 // of theirs, each by itself
	Centre geom.Vec3
	Own    geom.Vec3 // centre of mass of the mesh
	Air    []float64 // of each shape
	Depth  []float64
	Needle []int
	Within []int // of each shape the one that it lies wholly within, -1 for none
}

// Ratio is how many times the mesh's volume the shapes have, 0 where it bounds none.
func (m Measured) Ratio() float64 {
	if !m.Closed || m.Mesh <= 0 {
		return 0
	}
	return m.Volume / m.Mesh
}

// closeTo is how many times the volume of what they hold hulls have that follow it closely.
const closeTo = 1.25

// closely is about how many hulls hold the mesh with no more than closeTo times its volume, as so many come to the
// ratio there is: what a hull of a bend holds beside it grows with the third power of the bend's angle, so that all of
// them together hold less by the square of their number. 0 where the hulls are close.
func (m Measured) closely(hulls int) int {
	if m.Ratio() <= closeTo {
		return 0
	}
	return int(math.Ceil(float64(hulls) * math.Sqrt((m.Ratio()-1)/(closeTo-1))))
}

// Shift is how far the centres of mass lie apart.
func (m Measured) Shift() float64 { return m.Centre.Dist(m.Own) }

// across is how many lines the volume is sampled along, along the longest side.
const across = 220

// Measure measures shapes against the scene they stand for. ways are its passages, nil where none
// were looked for. When ctx ends it returns early, and what it returns means nothing.
func Measure(ctx context.Context, s *scene.Scene, shapes []Shape, ways *passage.Grid, limit float64) Measured {
	is := extents.Of(ctx, s)
	m := Measured{Closed: is.Closed && is.Volume != 0, Mesh: math.Abs(is.Volume), Own: is.Centre}
	forms := make([]*solid.Form, len(shapes))
	var stand []passage.Shape
	var sum extents.MassSum
	for i, x := range shapes {
		forms[i] = x.Form
		stand = append(stand, x.Form)
		c := x.Form.Convex
		for _, f := range c.Faces {
			for k := 1; k+1 < len(f); k++ {
				sum.Add(c.Points[f[0]], c.Points[f[k]], c.Points[f[k+1]])
			}
		}
		m.Sum += x.Form.Volume()
		m.Within = append(m.Within, within(shapes, i))
		depth, needles := 0.0, 0
		if x.Mesh != nil {
			for _, p := range x.Mesh.Points {
				depth = max(depth, -c.Beyond(p))
			}
			needles = needlesOf(x.Mesh)
		}
		m.Depth, m.Needle = append(m.Depth, depth), append(m.Needle, needles)
	}
	m.Centre = sum.Mass().Centre
	m.Volume = gap.Volume(forms, across)
	if len(forms) == 1 {
		m.Volume = m.Sum
	}
	m.Gap = gap.NewMesh(ctx, s, m.Closed).Of(ctx, forms, limit)
	for _, list := range m.Gap.Shapes {
		most := float32(0)
		for _, v := range list {
			most = max(most, v)
		}
		m.Air = append(m.Air, float64(most))
	}
	if ways != nil {
		open := ways.Open(stand, passage.Slack)
		for i, p := range ways.Found {
			w := Way{At: p.Mouths[0], Through: p.Through(), Open: open[i], Path: p.Path}
			for _, out := range p.Out {
				if side := sideOf(s.Basis, out); !slices.Contains(w.Sides, side) {
					w.Sides = append(w.Sides, side)
				}
			}
			m.Ways = append(m.Ways, w)
		}
	}
	return m
}

// sideOf names the side of an asset that a direction points to.
func sideOf(b geom.Basis, d geom.Vec3) string {
	best, most := "", math.Inf(-1)
	for _, x := range []struct {
		axis geom.Axis
		name string
	}{{b.Forward, "front"}, {b.Forward.Neg(), "back"}, {b.Right(), "right side"}, {b.Right().Neg(), "left side"}, {b.Up,
		"top"}, {b.Up.Neg(), "underside"}} {
		if k := d.Dot(x.axis.Vec()); k > most+1e-9 {
			best, most = x.name, k
		}
	}
	return best
}

// within is a shape that holds another wholly, -1 for none; of two alike the first holds the second.
func within(shapes []Shape, i int) int {
	size := shapes[i].Form.Bounds().Size().Max()
	for k, o := range shapes {
		if k == i || o.Form.Volume() < shapes[i].Form.Volume() || o.Form.Volume() == shapes[i].Form.Volume() && k > i {
			continue
		}
		all := true
		for _, p := range shapes[i].Form.Convex.Points {
			if o.Form.Beyond(p) > 1e-6*size {
				all = false
				break
			}
		}
		if all {
			return k
		}
	}
	return -1
}

// needlesOf counts faces whose height is less than a thousandth of their length.
func needlesOf(m *scene.Mesh) int {
	n := 0
	m.EachTriangle(func(_ int, a, b, c int32) {
		p, q, r := m.Points[m.Corners[a]], m.Points[m.Corners[b]], m.Points[m.Corners[c]]
		longest := max(p.Dist(q), q.Dist(r), r.Dist(p))
		if q.Sub(p).Cross(r.Sub(p)).Len() < 1e-3*longest*longest {
			n++
		}
	})
	return n
}

// Ask is what the station needs to know besides.
type Ask struct {
	Class  class.Class
	Solids []target.Solid // the collision the target takes
	Scene  *scene.Scene
	Keys   []string
	Made   []Fitted
	Hand   []Hand
	Shapes []Shape
	// Surface is the mesh itself as collision, nil where that is not asked for.
	Surface *Touched
	Placed  geom.Affine
	Size    float64 // from corner to corner; metres
	Print   string
	// Pending tells that shapes are still to be fitted, or measured.
	Pending bool
	// Ways is why passages were not looked for, nil where they were.
	Ways error
}

// Report is what the station found.
type Report struct {
	station.Account
	Measured
	Shapes  []Shape
	Hand    []Hand
	Limit   float64 // that the mesh may stick out
	AirMost float64 // that may be filled
	Pending bool
	Surface *Touched
	Solids  []target.Solid // what the target takes, and what for
	Most    int            // shapes that the class reckons with, 0 for any number
	Points  int            // likewise, of one
	Size    float64        // from corner to corner; metres
	// Space is what edits need.
	Space Space
	Keep  Keep
	Fits  []Fitted
	Owner string // name of the first node with a mesh
}

// Figure is what there is to touch.
func (r *Report) Figure() string {
	if r.Pending {
		return "to be fitted"
	}
	if len(r.Shapes) == 0 {
		if r.Surface != nil {
			return "surface"
		}
		return "none"
	}
	kind := r.Shapes[0].Form.Kind
	for _, s := range r.Shapes {
		if s.Form.Kind != kind {
			return figure.Plural(len(r.Shapes), "shape", "shapes")
		}
	}
	plural := map[solid.Kind]string{solid.Box: "boxes"}[kind]
	if plural == "" {
		plural = string(kind) + "s"
	}
	return figure.Plural(len(r.Shapes), string(kind), plural)
}

// Balanced tells whether the centres of mass of the shapes and of the mesh agree, to a fiftieth of its
// size.
func (r *Report) Balanced() bool { return r.Shift() <= 0.02*r.Size }

// Total is all corners and sides.
func (r *Report) Total() (points, planes int) {
	for _, s := range r.Shapes {
		points, planes = points+s.Points(), planes+s.Planes()
	}
	return points, planes
}

// Filled are the passages that are not open.
func (r *Report) Filled() []Way {
	return slices.DeleteFunc(slices.Clone(r.Ways), func(w Way) bool { return w.Open })
}

// Delivered are the shapes as they leave, before they have their names.
func (r *Report) Delivered() []scene.Shape {
	var list []scene.Shape
	for _, s := range r.Shapes {
		m := s.Mesh
		if m == nil {
			m = s.Form.Mesh("")
		}
		list = append(list, scene.Shape{Of: s.Name, Kind: s.Kind(), Mesh: m, Frame: geom.Identity})
	}
	if r.Surface != nil && r.Surface.Mesh != nil {
		list = append(list, scene.Shape{Of: r.Owner, Kind: SurfaceKind, Mesh: r.Surface.Mesh, Frame: geom.Identity})
	}
	return list
}

// Run says what there is and how good it is. measured may be nil where there is nothing to measure.
func Run(d Decisions, ask Ask, measured *Measured) *Report {
	r := &Report{Shapes: ask.Shapes, Hand: ask.Hand, Pending: ask.Pending, Surface: ask.Surface, Solids: ask.Solids,
		Keep: d.Keep.InForce(), Fits: ask.Made, Size: ask.Size, Owner: firstName(ask.Scene),
		Most: ask.Class.Budget.Shapes, Points: ask.Class.Budget.ShapePoints}
	r.Limit, r.AirMost = d.Limits(ask.Size)
	floor := 0.0
	if b := ask.Scene.Bounds(); !b.IsEmpty() {
		up := ask.Scene.Basis.Up
		floor = b.Min[up.Index()]
		if up.Sign() < 0 {
			floor = -b.Max[up.Index()]
		}
	}
	r.Space = Space{Shapes: r.Shapes, Placed: ask.Placed, Basis: ask.Scene.Basis, Floor: floor, Keys: ask.Keys,
		Print: ask.Print}
	if measured != nil {
		r.Measured = *measured
		for i := range r.Shapes {
			r.Shapes[i].Air, r.Shapes[i].Depth, r.Shapes[i].Needles = r.Air[i], r.Measured.Depth[i], r.Needle[i]
		}
	}
	r.Refer(Info, d, slices.Concat(ask.Keys, keysOf(ask.Hand)))
	r.judge(d, ask)
	r.WorstFirst()
	return r
}

func keysOf(list []Hand) []string {
	var keys []string
	for _, h := range list {
		keys = append(keys, h.Key)
	}
	return keys
}

// hulls is the fit that keeps passages open, as many as the class reckons with.
func (r *Report) hulls() Fit {
	f := Fit{Form: Hulls}
	if r.Most > 0 && r.Most < UsualHulls {
		f.Most = r.Most
	}
	return f
}

// judge says what deserves a look. It is long because it is a list: each finding stands where it is said.
func (r *Report) judge(d Decisions, ask Ask) {
	say := func(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) *finding.Finding {
		r.Say(finding.Finding{Code: Info.ID + "/" + code, Severity: sev, Title: title, Text: text, Remedies: remedies})
		return r.Last()
	}
	hulls := finding.Remedy{Label: "Fit hulls", Effect: "As many as it takes, round what comes through.",
		Decision: d.With(r.hulls())}
	if r.Pending {
		say(finding.Note, "pending", "The shapes are still to be fitted",
			"What they stand for has changed, or they were never fitted. It takes a while for a mesh of this size, and "+
				"everything else goes on "+
				"meanwhile.")
		return
	}
	if r.Surface != nil && len(ask.Solids) > 0 && !slices.ContainsFunc(ask.Solids,
		func(t target.Solid) bool { return t.Kind == "surface" }) {
		say(finding.Look, "kind-surface", "The target takes no surface", "What it does with one is not said.",
			finding.Remedy{Label: "Send none", Effect: "The shapes stay.",
				Decision: with(d, func(d *Decisions) { d.Surface = Surface{} })})
	}
	if len(r.Shapes) == 0 && r.Surface == nil {
		if !d.None && ask.Scene.Count().Triangles > 0 {
			say(finding.Note, "none", "There is nothing to touch", "Bodies go through it, and shots too.", hulls,
				finding.Remedy{Label: "Fit one hull", Effect: "It fills every hollow.", Decision: d.With(Fit{Form: OneHull})},
				finding.Remedy{Label: "Have none", Effect: "Nothing is to be touched.", Decision: d.With()})
		}
		r.lost(d, ask, say)
		return
	}
	if len(r.Shapes) == 0 {
		return
	}
	for i, w := range r.Filled() {
		f := say(finding.Look, fmt.Sprintf("filled-%d", i+1), w.Name()+" is filled",
			fmt.Sprintf("The mesh has room for %s there, and the shapes have none.", r.Keep.Words()), hulls,
			finding.Remedy{Label: "Let it be filled", Effect: "No passages are looked for any more.", Decision: with(d,
				func(d *Decisions) { d.Keep = Keep{None: true} }),
				Harsh: true})
		at := w.At
		f.Place.Point = &at
	}
	if r.Gap.Out.Max > r.Limit {
		accept := math.Ceil(r.Gap.Out.Max*1e3) / 1e3
		more := with(d, func(d *Decisions) {
			for i := range d.Fits {
				if d.Fits[i].Form == Hulls {
					d.Fits[i].Points = min(1024, 2*max(d.Fits[i].Points, UsualPoints))
				}
			}
		})
		remedies := []finding.Remedy{{Label: "Accept " + figure.Length(accept), Effect: "It may stick out so far.",
			Decision: with(d, func(d *Decisions) { d.Gap = accept })}}
		if len(d.Fits) > 0 && slices.ContainsFunc(d.Fits, func(f Fit) bool { return f.Form == Hulls }) {
			remedies = append([]finding.Remedy{{Label: "Fit them closer", Effect: "Each hull may have twice as many points.",
				Decision: more}}, remedies...)
		}
		f := say(finding.Look, "sticks-out", "The mesh sticks out by "+figure.Length(r.Gap.Out.Max),
			fmt.Sprintf("On %s of its surface a body would sink in by more than %s before it is stopped.", share(r.Gap.Out.Over),
				figure.Length(r.Limit)),
			remedies...)
		at := r.Gap.Out.At
		f.Place.Point = &at
	}
	if r.Gap.In.Max > r.AirMost {
		accept := math.Ceil(r.Gap.In.Max*1e2) / 1e2
		remedies := []finding.Remedy{{Label: "Accept " + figure.Length(accept), Effect: "Shapes may fill air so far.",
			Decision: with(d, func(d *Decisions) { d.Air = accept })}}
		if !slices.ContainsFunc(d.Fits, func(f Fit) bool { return f.Form == Hulls }) {
			remedies = append([]finding.Remedy{hulls}, remedies...)
		}
		f := say(finding.Note, "air", "A body is stopped up to "+figure.Length(r.Gap.In.Max)+" from the mesh",
			"The shapes fill air there, as in a hollow.", remedies...)
		at := r.Gap.In.At
		f.Place.Point = &at
	}
	r.limits(d, ask, say)
	r.quality(d, ask, say)
	r.lost(d, ask, say)
	if r.Closed && !r.Balanced() {
		say(finding.Note, "balance", "The shapes’ centre of mass lies "+figure.Length(r.Shift())+" from the mesh’s",
			"A body that moves turns about the shapes’ own.")
	}
}

// with is the decisions changed, with lists of their own.
func with(d Decisions, f func(*Decisions)) Decisions {
	d.Fits, d.Edited = slices.Clone(d.Fits), slices.Clone(d.Edited)
	f(&d)
	return d
}

func share(v float64) string { return figure.Significant(100*v, 2) + " %" }

// sayer adds a finding and gives it for its place to be added.
type sayer func(finding.Severity, string, string, string, ...finding.Remedy) *finding.Finding

// limits compares with what class and target reckon with.
func (r *Report) limits(d Decisions, ask Ask, say sayer) {
	if r.Most > 0 && len(r.Shapes) > r.Most {
		say(finding.Look, "many",
			fmt.Sprintf("%s, and %d are reckoned with", figure.Plural(len(r.Shapes), "shape", "shapes"), r.Most),
			fmt.Sprintf("Each costs time whenever something moves near it. That is for “%s”.", ask.Class.Name),
			finding.Remedy{Label: fmt.Sprintf("Fit up to %d hulls", r.Most), Effect: "They fill more air.",
				Decision: d.With(Fit{Form: Hulls, Most: r.Most})})
	}
	for i, m := range r.Fits {
		most := d.Fits[i].Most
		if most == 0 {
			most = UsualHulls
			if r.Most > 0 {
				most = min(most, r.Most)
			}
		}
		if n := r.closely(most); len(r.Fits) == 1 && d.Fits[i].Form == Hulls && m.More == 0 && n > most && n <= mostHulls {
			say(finding.Note, "loose",
				fmt.Sprintf("The hulls hold %s times the mesh’s volume", figure.Significant(r.Ratio(), 3)),
				fmt.Sprintf("It bends more often than %d hulls can follow. About %d would hold %s times its volume.", most, n,
					figure.Significant(closeTo, 3)),
				finding.Remedy{Label: fmt.Sprintf("Allow %d hulls", n), Effect: "They follow the mesh; each costs time.",
					Decision: with(d, func(d *Decisions) { d.Fits[i].Most = n })})
		}
		if m.More > 0 {
			say(finding.Look, "more", fmt.Sprintf("%s more would keep a passage open", figure.Plural(m.More, "hull", "hulls")),
				fmt.Sprintf("There may be %d, so one is filled; it takes %d.", most, most+m.More),
				finding.Remedy{Label: fmt.Sprintf("Allow %d hulls", most+m.More), Effect: "The passage stays open.",
					Decision: with(d, func(d *Decisions) { d.Fits[i].Most = most + m.More })},
				finding.Remedy{Label: "Let it be filled", Harsh: true, Effect: "No passages are looked for any more.",
					Decision: with(d, func(d *Decisions) { d.Keep = Keep{None: true} })})
		}
		if m.Sheets > 0 {
			k := math.Cbrt(math.Abs(m.By.M.Det()))
			say(finding.Note, fmt.Sprintf("sheet-%d", i+1), figure.Plural(m.Sheets, "open part is", "open parts are")+" taken "+
				figure.Length(m.Sheet*k)+" thick",
				"A surface that is open has no inside: its hulls follow it as a sheet, half to each side. "+
					"How thick it is taken is set beside the number of hulls.")
		}
	}
	for i, m := range r.Fits {
		if m.Short {
			say(finding.Look, fmt.Sprintf("short-%d", i+1), "So few points can’t come so near",
				fmt.Sprintf("No hull of that many points has the mesh stick out by no more than %s. It stays outside instead.",
					figure.Length(d.Fits[i].Within)),
				finding.Remedy{Label: "Allow twice as many points", Effect: "It may then come so near.",
					Decision: with(d, func(d *Decisions) {
						d.Fits[i].Points = min(1024, 2*max(d.Fits[i].Points, 8))
					})})
		}
	}
	for _, s := range r.Shapes {
		if r.Points > 0 && s.Points() > r.Points && s.Form.Kind == solid.Hull {
			f := say(finding.Look, "points-"+s.Letter, fmt.Sprintf("Shape %s has %d points, and %d are reckoned with", s.Letter,
				s.Points(),
				r.Points),
				"Fit it with fewer, or split it.")
			at := s.Form.Bounds().Center()
			f.Place.Point = &at
		}
	}
	if len(ask.Solids) == 0 {
		return
	}
	var said []string
	for _, s := range r.Shapes {
		if !slices.ContainsFunc(ask.Solids, func(t target.Solid) bool { return t.Kind == s.Kind() }) &&
			!slices.Contains(said, s.Kind()) {
			said = append(said, s.Kind())
			say(finding.Look, "kind-"+s.Kind(), fmt.Sprintf("The target takes no %s", s.Kind()),
				"What it does with one is not said.",
				finding.Remedy{Label: "Fit hulls", Effect: "They take the place of all shapes.", Decision: d.With(r.hulls())})
		}
	}
}

// quality judges each shape by itself.
func (r *Report) quality(d Decisions, ask Ask, say sayer) {
	place := func(f *finding.Finding, s Shape) {
		at := s.Form.Bounds().Center()
		f.Place.Point = &at
	}
	for i, s := range r.Shapes {
		size := s.Form.Bounds().Size()
		if s.Belied {
			place(say(finding.Look, "belied-"+s.Letter, fmt.Sprintf("Shape %s of the file is called a %s, and is none",
				s.Letter, s.Said),
				"Its corners are not those of one. It leaves as the hull round them."), s)
		}
		if s.Depth > 1e-3*size.Max() && s.Said != SurfaceKind {
			place(say(finding.Look, "hollow-"+s.Letter, fmt.Sprintf("Shape %s of the file is hollow by %s", s.Letter,
				figure.Length(s.Depth)),
				"Receivers take such a shape for the hull round it."), s)
		}
		if m := s.Mesh; m != nil {
			is := extents.OfMesh(context.Background(), m)
			switch {
			case !is.Closed:
				place(say(finding.Look, "open-"+s.Letter, fmt.Sprintf("Shape %s of the file is open", s.Letter),
					"Receivers may leave it out."), s)
			case is.Volume < 0:
				place(say(finding.Look, "inside-out-"+s.Letter, fmt.Sprintf("Shape %s of the file is inside out", s.Letter),
					"Its faces look inward."), s)
			}
			if s.Needles > 0 {
				place(say(finding.Note, "needles-"+s.Letter, fmt.Sprintf("Shape %s of the file has %s", s.Letter,
					figure.Plural(s.Needles, "needle of a face", "needles of faces")), "They have no direction to push to."), s)
			}
		}
		if least := min(size[0], size[1], size[2]); least < 1e-3*size.Max() {
			place(say(finding.Look, "flat-"+s.Letter, fmt.Sprintf("Shape %s is only %s thick", s.Letter, figure.Length(least)),
				"What is fast goes through it between two moments."), s)
		}
		if k := r.Within[i]; k >= 0 {
			drop, _ := d.Changed(context.Background(), r.Space, []string{s.ID}, Edit{Do: Delete})
			place(say(finding.Look, "within-"+s.Letter, fmt.Sprintf("Shape %s lies wholly in shape %s", s.Letter,
				r.Shapes[k].Letter),
				"Nothing ever touches it.", finding.Remedy{Label: "Take it out", Effect: "The others stay as they are.",
					Decision: drop}), s)
		}
		if s.Edited >= 0 && d.Edited[s.Edited].Print != "" && d.Edited[s.Edited].Print != ask.Print {
			settle := with(d, func(d *Decisions) { d.Edited[s.Edited].Print = ask.Print })
			place(say(finding.Look, "changed-"+s.Letter, fmt.Sprintf("The mesh beneath shape %s has changed", s.Letter),
				"It was changed by hand, and does not follow.",
				finding.Remedy{Label: "It still fits", Effect: "It stays as it is.", Decision: settle},
				finding.Remedy{Label: "Fit hulls anew", Harsh: true, Effect: "All shapes go, also those by hand.",
					Decision: d.With(r.hulls())}), s)
		}
	}
	if !r.Closed && len(d.Fits) > 0 {
		say(finding.Note, "open-mesh", "The mesh is open, so nothing says what is within it",
			"Shapes are fitted to its surface alone; the volume they fill is not told.")
	}
	if r.Fine || ask.Ways != nil && errors.Is(ask.Ways, passage.ErrFine) {
		say(finding.Note, "fine", "Passages were not looked for", fmt.Sprintf("%s is too small beside an asset of %s.",
			r.Keep.Words(),
			figure.Length(ask.Size)))
	}
}

// lost tells shapes of the file whose name says no mesh there is.
func (r *Report) lost(d Decisions, ask Ask, say sayer) {
	for i, h := range ask.Hand {
		if !h.Lost || slices.Contains(d.FileWithout, h.Key) || len(d.Fits) > 0 || d.None {
			continue
		}
		text := fmt.Sprintf("Its name says that it stands for “%s”, and no mesh is called so.", h.Of)
		if h.Near != "" {
			text += fmt.Sprintf(" The nearest is “%s”. Rename it, or the mesh, at Source.", h.Near)
		}
		say(finding.Look, fmt.Sprintf("unmatched-%d", i+1), fmt.Sprintf("“%s” stands for no mesh", h.Name), text)
	}
}
