// Package size is station 2: how big it is, truly.
package size

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "size", Name: "Size", Number: 2, Question: "How big is it, truly?"}

// Extent is one of the measures a length can be set by.
type Extent string

// The extents, in the basis as read.
const (
	Height  Extent = "height"
	Width   Extent = "width"
	Depth   Extent = "depth"
	Longest Extent = "longest"
	// Between is the distance of two points of the mesh, ByFactor no extent at all.
	Between  Extent = "between"
	ByFactor Extent = "factor"
)

// Decisions set the size. Unit overrides the unit the file was read in; Fit then
// scales so that an extent has a known length.
type Decisions struct {
	Class  string  `json:"class,omitempty"`
	Unit   string  `json:"unit,omitempty"`   // symbol of a target.Unit, "custom", or "" as read
	Metres float64 `json:"metres,omitempty"` // metres a unit, when custom
	Fit    Extent  `json:"fit,omitempty"`
	Length float64 `json:"length,omitempty"` // metres the fitted extent becomes
	Factor float64 `json:"factor,omitempty"` // when Fit is ByFactor
	// From and To are the two points of Between; metres as Source leaves them.
	From geom.Vec3 `json:"from,omitzero"`
	To   geom.Vec3 `json:"to,omitzero"`

	Bake  Bake     `json:"bake,omitempty"`
	Nodes []string `json:"nodes,omitempty"` // those baked; none means all
}

// Bake says which part of the nodes' transforms goes into the meshes.
type Bake string

// What can be baked.
const (
	BakeNone     Bake = ""
	BakeAll      Bake = "all"
	BakeRotation Bake = "rotation"
	BakeScale    Bake = "scale"
)

// Limits on what a person can type; beyond them 32-bit receivers lose everything.
const (
	minMetres = 1e-9
	maxMetres = 1e9
)

// Validate checks the numbers of the decisions.
func (d Decisions) Validate() error {
	if _, ok := class.Find(d.Class); !ok {
		return fmt.Errorf("%q is no class: expected one of %s", d.Class, strings.Join(class.IDs(), ", "))
	}
	if d.Unit != "" && d.Unit != "custom" {
		if _, ok := target.UnitBySymbol(d.Unit); !ok {
			return fmt.Errorf("%q is no unit: expected mm, cm, in, ft, yd, m or custom", d.Unit)
		}
	}
	if d.Unit == "custom" && !(d.Metres >= minMetres && d.Metres <= maxMetres) {
		return fmt.Errorf("one unit can't be %g m: give a number above zero", d.Metres)
	}
	if !slices.Contains([]Bake{BakeNone, BakeAll, BakeRotation, BakeScale}, d.Bake) {
		return fmt.Errorf("%q can't be baked: expected all, rotation or scale", d.Bake)
	}
	switch d.Fit {
	case "":
	case ByFactor:
		if !(d.Factor >= minMetres && d.Factor <= maxMetres) {
			return fmt.Errorf("a factor of %g can't be meant: give a number above zero", d.Factor)
		}
	case Between:
		if !d.From.IsFinite() || !d.To.IsFinite() || d.From.Dist(d.To) == 0 {
			return fmt.Errorf("measure between two different points first")
		}
		if !(d.Length >= minMetres && d.Length <= maxMetres) {
			return fmt.Errorf("the distance can't become %g m: give a length above zero", d.Length)
		}
	default:
		if !slices.Contains([]Extent{Height, Width, Depth, Longest}, d.Fit) {
			return fmt.Errorf("%q is no extent: expected height, width, depth, longest, between or factor", d.Fit)
		}
		if !(d.Length >= minMetres && d.Length <= maxMetres) {
			return fmt.Errorf("the %s can't become %g m: give a length above zero", d.Fit, d.Length)
		}
	}
	return nil
}

// Refs lists the nodes the decisions name, sorted.
func (d Decisions) Refs() []string { return slices.Compact(slices.Sorted(slices.Values(d.Nodes))) }

// Repoint returns the decisions with one node named in the place of another; an empty
// name drops it. When none is left nothing is baked: no name would mean all.
func (d Decisions) Repoint(from, to string) station.Decisions {
	if !slices.Contains(d.Nodes, from) {
		return d
	}
	d.Nodes = slices.DeleteFunc(slices.Clone(d.Nodes), func(k string) bool { return k == from || k == to })
	if to != "" {
		d.Nodes = append(d.Nodes, to)
	}
	if len(d.Nodes) == 0 {
		d.Bake = BakeNone
	}
	return d
}

// Slip is a likely mix-up of units: reading the file in Unit brings the asset into
// its class's range.
type Slip struct {
	Unit   target.Unit
	Factor float64 // of the length as read
	Length float64 // the longest extent it gives, metres
}

// Part is the size of one node.
type Part struct {
	Name string
	Size geom.Vec3 // right, up, forward; metres
}

// Report is what the station measured. Vectors are width, height, depth: along
// right, up and forward of the basis as read.
type Report struct {
	station.Account
	Read    geom.Vec3 // as the file was read
	Now     geom.Vec3 // after the decisions
	Factor  float64
	Unit    target.Unit // the file's unit after the decisions
	UnitHow string
	Class   class.Class
	Longest float64
	Box     geom.Box // of the outcome
	Slips   []Slip
	Parts   []Part
	Placed  []Placed
	Grid    float64
	Off     []Off
	FitVoid bool // the extent to fit is zero, so it was not scaled

	body *memo.Once[measure.Body]
	up   geom.Vec3
}

// Figure is the longest extent.
func (r *Report) Figure() string { return figure.Length(r.Longest) }

// Run scales the scene and bakes what was decided. grid is the kit's module in
// metres, 0 for none. The outcome shares what it can with s. When ctx ends it returns
// early, and what it returns means nothing.
func Run(ctx context.Context, s *scene.Scene, d Decisions, grid float64) (*scene.Scene, *Report) {
	r := &Report{Factor: 1, Grid: grid}
	r.Class, _ = class.Find(d.Class) // Validate refuses what is none
	boxes := s.NodeBounds()
	r.Box = scene.Union(boxes)
	r.Read = s.Basis.Extents(r.Box)
	r.Unit, r.UnitHow = target.UnitFor(s.UnitMetres), string(s.UnitHow)
	if d.Unit != "" {
		u, ok := target.UnitBySymbol(d.Unit)
		if !ok {
			u = target.UnitFor(d.Metres)
		}
		r.Factor = u.Metres / s.UnitMetres
		r.Unit, r.UnitHow = u, "decided"
	}
	r.fit(d)
	grow := geom.Identity3.Scaled(r.Factor)
	out := s.CarriedIn(ctx, geom.Linear(grow))
	r.Box = r.Box.Carried(grow)
	r.Now = r.Read.Mul(r.Factor)
	r.Longest = r.Now.Max()
	for i, b := range boxes {
		if !b.IsEmpty() {
			r.Parts = append(r.Parts, Part{out.Nodes[i].Name, out.Basis.Extents(b).Mul(r.Factor)})
		}
	}
	r.transforms(out, d)
	if d.Bake != BakeNone {
		out = bake(out, d)
	}
	r.measure(out)
	r.judge(s, d)
	r.judgeTransforms(d)
	r.judgeGrid(d)
	r.Refer(Info, d, s.Keys())
	return out, r
}

// fit scales by the decision for a known length, on top of the unit.
func (r *Report) fit(d Decisions) {
	e := 0.0
	switch d.Fit {
	case "":
		return
	case ByFactor:
		r.Factor *= d.Factor
		return
	case Between:
		e = d.From.Dist(d.To) * r.Factor
	default:
		e = extent(r.Read.Mul(r.Factor), d.Fit)
	}
	if e > 0 {
		r.Factor *= d.Length / e
	} else {
		r.FitVoid = true
	}
}

// judge says what is wrong with the size.
func (r *Report) judge(s *scene.Scene, d Decisions) {
	if r.Longest == 0 {
		return // nothing there; Source says so
	}
	at := r.Box.Center()
	if r.FitVoid {
		r.Say(finding.Finding{Code: "size/no-extent", Severity: finding.Look, Title: fmt.Sprintf("The %s is zero", d.Fit),
			Text: "It can't be scaled to a length; choose another extent."})
	}
	if !r.Class.Fits(r.Longest) {
		r.Slips = slips(r.Longest/r.Unit.Metres, r.Unit, r.Class)
		f := finding.Finding{Code: "size/implausible", Severity: finding.MustFix, Place: finding.Place{Point: &at}}
		times := r.Longest / r.Class.Most
		word := "large"
		if r.Longest < r.Class.Least {
			times, word = r.Class.Least/r.Longest, "small"
		}
		f.Brief = "far too " + word
		f.Title = fmt.Sprintf("Too %s for its class, %s times", word, figure.Significant(times, 2))
		f.Text = fmt.Sprintf("Measures %s at its longest. %s: %s.", figure.Length(r.Longest), r.Class.Name, r.Class.Range())
		if len(r.Slips) > 0 {
			b := r.Slips[0]
			f.Code = "size/unit-slip"
			f.Title = fmt.Sprintf("About %s times too %s", ratio(b.Factor), word)
			f.Text = fmt.Sprintf("Probably written in %s and read as %s. Reading it as %s gives %s.",
				b.Unit.Name, r.Unit.Name, b.Unit.Name, figure.Length(b.Length))
			if r.Longest < r.Class.Least {
				f.Text = fmt.Sprintf("The ratio is that of %s, so it was probably scaled down once too often on the way. %s, it "+
					"measures %s.",
					unitPair(b.Factor), b.words("Reading one unit as %s", "Reading it as %s"), figure.Length(b.Length))
			}
			for _, sl := range r.Slips {
				f.Remedies = append(f.Remedies, sl.remedy(d))
			}
		}
		r.Say(f)
	} else if s.UnitHow == scene.Assumed && d.Unit == "" && d.Fit == "" {
		r.Say(finding.Finding{Code: "size/unit-assumed", Severity: finding.Note, Title: "The file has no unit: metres assumed",
			Text: fmt.Sprintf("OBJ does not say what its numbers mean. As metres it is %s at its longest, which %s.",
				figure.Length(r.Longest), fits(r.Class))})
	}
}

// extent picks one of width, height and depth.
func extent(v geom.Vec3, e Extent) float64 {
	switch e {
	case Width:
		return v[0]
	case Height:
		return v[1]
	case Depth:
		return v[2]
	}
	return v.Max()
}

// fits says the range of a class.
func fits(c class.Class) string {
	if c.ID == "" {
		return "is not absurd; choose its class to check it closer"
	}
	return "suits its class"
}

// slips lists the units that bring the asset into range, the nearest to the
// middle of the range first. length is the longest extent in file units.
func slips(length float64, now target.Unit, c class.Class) []Slip {
	mid := math.Log(math.Sqrt(c.Least * c.Most))
	var list []Slip
	add := func(u target.Unit) {
		l := length * u.Metres
		if u.Metres != now.Metres && c.Fits(l) && !slices.ContainsFunc(list, func(s Slip) bool { return s.Unit.Metres == u.Metres }) {
			list = append(list, Slip{u, u.Metres / now.Metres, l})
		}
	}
	for _, u := range target.Units {
		add(u)
	}
	if length*now.Metres < c.Least {
		// Scaled down once too often on the way: by the ratio of two common units.
		for _, by := range []float64{100, 1000, 10} {
			add(target.UnitFor(now.Metres * by))
		}
	}
	slices.SortStableFunc(list, func(a, b Slip) int {
		pa, pb := rank(a.Factor), rank(b.Factor)
		if pa != pb {
			return pa - pb
		}
		da, db := math.Abs(math.Log(a.Length)-mid), math.Abs(math.Log(b.Length)-mid)
		switch {
		case da < db:
			return -1
		case da > db:
			return 1
		}
		return 0
	})
	return list[:min(len(list), 3)]
}

// rank puts the slips that happen every day before the rest: the metric ones,
// a hundred first, then inches and feet.
func rank(factor float64) int {
	if factor < 1 {
		factor = 1 / factor
	}
	for i, f := range []float64{100, 1000, 39.37, 2.54} {
		if math.Abs(factor/f-1) < 0.01 {
			return i
		}
	}
	return 9
}

// ratio says a factor as "100 times".
func ratio(f float64) string {
	if f < 1 {
		f = 1 / f
	}
	return figure.Significant(f, 3)
}

// unitPair names the two units whose confusion gives a factor, "two units" when none
// that are known do.
func unitPair(f float64) string {
	if f < 1 {
		f = 1 / f
	}
	for _, a := range target.Units {
		for _, b := range target.Units {
			if math.Abs(a.Metres/b.Metres/f-1) < 0.001 {
				return a.Name + " to " + b.Name
			}
		}
	}
	return "two units"
}

// words names the slip's unit: by its length when it has no name of its own.
func (s Slip) words(nameless, named string) string {
	if _, ok := target.UnitBySymbol(s.Unit.Symbol); ok {
		return fmt.Sprintf(named, s.Unit.Name)
	}
	return fmt.Sprintf(nameless, figure.Significant(s.Unit.Metres, 4)+" m")
}

// remedy reads the file in the slip’s unit and leaves the other decisions.
func (s Slip) remedy(d Decisions) finding.Remedy {
	d.Unit, d.Metres = s.Unit.Symbol, 0
	d.Fit, d.Length, d.Factor, d.From, d.To = "", 0, 0, geom.Vec3{}, geom.Vec3{}
	if _, ok := target.UnitBySymbol(s.Unit.Symbol); !ok {
		d.Unit, d.Metres = "custom", s.Unit.Metres
	}
	return finding.Remedy{Label: s.words("Read one unit as %s", "Read as %s"), Effect: "The longest extent becomes " +
		figure.Length(s.Length) + ".", Decision: d}
}
