// Package size is station 2: how big it is, truly.
package size

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/extents"
	"yarvek/core/memo"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target/class"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "size", Name: "Size", Number: 2, Question: "How big is it, truly?"}

// Extent is one of the measures a length can be set by.
type Extent string

// The extents, of the asset as it is decided to stand.
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
	Unit   string  `json:"unit,omitempty"`   // symbol of a figure.Unit, "custom", or "" as read
	Metres float64 `json:"metres,omitempty"` // metres a unit, when custom
	Fit    Extent  `json:"fit,omitempty"`
	Length float64 `json:"length,omitempty"` // metres the fitted extent becomes
	// Along is the direction of that extent in the frame of the scene that Source leaves,
	// so that it means the same however the asset is stood later; of unit length. Zero
	// means the extent of the name as the asset stands.
	Along  geom.Vec3 `json:"along,omitzero"`
	Factor float64   `json:"factor,omitempty"` // when Fit is ByFactor
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
	if len(d.Class) > 60 {
		return fmt.Errorf("a class of %d letters is none: expected at most 60", len(d.Class))
	}
	if d.Unit != "" && d.Unit != "custom" {
		if _, ok := figure.UnitBySymbol(d.Unit); !ok {
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
		if n := d.Along.Len(); d.Along != (geom.Vec3{}) && !(math.Abs(n-1) < 1e-6) {
			return fmt.Errorf("the direction of the %s has the length %g: expected 1", d.Fit, n)
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
	Unit   figure.Unit
	Factor float64 // of the length as read
	Length float64 // the longest extent it gives, metres
}

// Part is the size of one node.
type Part struct {
	Name string
	Size geom.Vec3 // width, height, depth; metres
}

// Ask is what the station has to know of the others.
type Ask struct {
	Grid    float64       // the kit's module in metres, 0 for none
	Classes []class.Class // of the target
	// Stand takes directions of the scene to glTF's basis as the asset is decided to stand:
	// x to the side, y up, z toward the viewer. Sizes are told in that frame.
	Stand geom.Mat3
}

// Report is what the station measured. Vectors are width, height, depth as the asset is
// decided to stand.
type Report struct {
	station.Account
	Read    geom.Vec3 // as the file was read
	Now     geom.Vec3 // after the decisions
	Factor  float64
	Unit    figure.Unit // the file's unit after the decisions
	UnitHow string
	Class   class.Class
	Longest float64
	Box     geom.Box // of the outcome
	Slips   []Slip
	Parts   []Part
	Placed  []Placed
	Grid    float64
	Off     []Off
	// Proposals are the classes it may be of, when it has none yet.
	Proposals []class.Proposal
	FitVoid   bool // the extent to fit is zero, so it was not scaled

	body  *memo.Once[extents.Body]
	stand geom.Mat3
}

// Figure is the longest extent.
func (r *Report) Figure() string { return figure.Length(r.Longest) }

// Run scales the scene and bakes what was decided. The outcome shares what it can with s.
// When ctx ends it returns early, and what it returns means nothing.
func Run(ctx context.Context, s *scene.Scene, d Decisions, ask Ask) (*scene.Scene, *Report) {
	r := &Report{Factor: 1, Grid: ask.Grid, stand: ask.Stand}
	known := false
	if r.Class, known = class.Find(ask.Classes, d.Class); !known {
		r.Class = class.Unsorted
	}
	boxes := s.NodeBounds()
	r.Box = scene.Union(boxes)
	standing := boxes
	if !ask.Stand.SwapsAxes() {
		standing = s.NodeBoundsUnder(ask.Stand)
	} else {
		standing = make([]geom.Box, len(boxes))
		for i, b := range boxes {
			standing[i] = b.Carried(ask.Stand)
		}
	}
	r.Read = sides(scene.Union(standing))
	r.Unit, r.UnitHow = figure.UnitFor(s.UnitMetres), string(s.UnitHow)
	if d.Unit != "" {
		u, ok := figure.UnitBySymbol(d.Unit)
		if !ok {
			u = figure.UnitFor(d.Metres)
		}
		r.Factor = u.Metres / s.UnitMetres
		r.Unit, r.UnitHow = u, "decided"
	}
	r.fit(s, d)
	grow := geom.Identity3.Scaled(r.Factor)
	out := s.CarriedIn(ctx, geom.Linear(grow))
	r.Box = r.Box.Carried(grow)
	r.Now = r.Read.Mul(r.Factor)
	r.Longest = r.Now.Max()
	for i, b := range standing {
		if !b.IsEmpty() {
			r.Parts = append(r.Parts, Part{out.Nodes[i].Name, sides(b).Mul(r.Factor)})
		}
	}
	r.transforms(out, d)
	if d.Bake != BakeNone {
		out = bake(out, d)
	}
	r.measure(out)
	r.judge(s, d, ask)
	if !known {
		r.classGone(d, ask)
	}
	r.judgeTransforms(d)
	r.judgeGrid(d)
	r.Refer(Info, d, s.Keys())
	return out, r
}

// unfit gives up the decision on the scale.
func (d *Decisions) unfit() {
	d.Fit, d.Length, d.Factor, d.Along, d.From, d.To = "", 0, 0, geom.Vec3{}, geom.Vec3{}, geom.Vec3{}
}

// Fitted returns the decisions with another on the scale, and nothing left of the one
// before.
func (d Decisions) Fitted(e Extent, along geom.Vec3, length float64) Decisions {
	d.unfit()
	d.Fit, d.Along, d.Length = e, along, length
	return d
}

// fit scales by the decision for a known length, on top of the unit.
func (r *Report) fit(s *scene.Scene, d Decisions) {
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
		e = extent(r.Read, d.Fit) * r.Factor
		if d.Along != (geom.Vec3{}) {
			e = span(s, r.Box, d.Along) * r.Factor
		}
	}
	if e > 0 {
		r.Factor *= d.Length / e
	} else {
		r.FitVoid = true
	}
}

// judge says what is wrong with the size.
func (r *Report) judge(s *scene.Scene, d Decisions, ask Ask) {
	if r.Longest == 0 {
		return // nothing there; Source says so
	}
	at := r.Box.Center()
	if r.FitVoid {
		r.Say(finding.Finding{Code: "size/no-extent", Severity: finding.Look, Title: fmt.Sprintf("The %s is zero", d.Fit),
			Text: "It can't be scaled to a length; choose another extent."})
	}
	if !r.Class.Fits(r.Longest) {
		r.Slips = slips(r.Longest/r.Unit.Metres, r.Unit, r.Class, r.usual(s))
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
	} else if d.Class == "" {
		r.unjudged(s, d, ask)
	} else if s.UnitHow == scene.Assumed && d.Unit == "" && d.Fit == "" {
		r.Say(finding.Finding{Code: "size/unit-assumed", Severity: finding.Note,
			Title: "The file has no unit: metres assumed",
			Text: fmt.Sprintf("%s does not say what its numbers mean. As metres it is %s at its longest, which %s.",
				strings.ToUpper(s.Format), figure.Length(r.Longest), fits(r.Class))})
	}
}

// names are those an asset may be known by: the file's, and that of its node when there is
// one with a mesh.
func names(s *scene.Scene) []string {
	list, meshes := []string{s.Name}, 0
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			if meshes++; meshes == 1 {
				list = append(list, n.Name)
			}
		}
	}
	if meshes != 1 {
		return list[:1]
	}
	return list
}

// usual is the size of the thing that the asset's names speak of, 0 for none that is known
// or of another class than it was given.
func (r *Report) usual(s *scene.Scene) float64 {
	for _, n := range names(s) {
		if t, ok := class.Known(n); ok && (r.Class.ID == "" || t.Class == r.Class.ID) {
			return t.Size
		}
	}
	return 0
}

// everyday bounds what most assets measure at their longest, in metres.
var everyday = class.Class{Name: "everyday", Least: 0.04, Most: 40}

// unjudged says that nobody knows yet whether the size is right, and proposes classes; a size
// that few things have, or the thing of its name does not have, gets units too.
func (r *Report) unjudged(s *scene.Scene, d Decisions, ask Ask) {
	at := r.Box.Center()
	f := finding.Finding{Code: "size/not-judged", Severity: finding.Look, Title: "Not judged: choose its class",
		Text: fmt.Sprintf("Measures %s at its longest.", figure.Length(r.Longest)), Place: finding.Place{Point: &at}}
	within := everyday
	proposals := class.Propose(ask.Classes, names(s), r.Longest)
	r.Proposals = proposals
	var sorts []finding.Remedy
	for i, p := range proposals {
		with := d
		with.Class = p.Class.ID
		effect := fmt.Sprintf("%s; its size is then held against %s.", capital(p.Why), p.Class.Range())
		if p.ByName {
			effect = fmt.Sprintf("%s; its size is then held against %s.", p.Why, p.Class.Range())
		}
		if i == 0 && p.ByName {
			f.Text += fmt.Sprintf(" %s says %s", p.Why, p.Class.Name)
			if !p.Class.Fits(r.Longest) {
				within = p.Class
				f.Text += ", which it does not suit"
			}
			f.Text += "."
		}
		sorts = append(sorts, finding.Remedy{Label: p.Class.Name, Effect: effect, Decision: with})
	}
	if within.Fits(r.Longest) {
		f.Remedies = sorts
		r.Say(f)
		return
	}
	word := "large"
	if r.Longest < within.Least {
		word = "small"
	}
	f.Title = "Not judged, and rarely so " + word
	r.Slips = slips(r.Longest/r.Unit.Metres, r.Unit, within, r.usual(s))
	var units []finding.Remedy
	for _, sl := range r.Slips {
		units = append(units, sl.remedy(d))
	}
	// A class that only its size speaks for says nothing while the size is in doubt.
	f.Remedies = append(units, sorts...)
	if len(proposals) > 0 && proposals[0].ByName {
		f.Remedies = append(sorts, units...)
	}
	r.Say(f)
}

// classGone speaks of a class that the target has not: its size can't be judged until another
// is chosen.
func (r *Report) classGone(d Decisions, ask Ask) {
	f := finding.Finding{Code: "size/class-gone", Severity: finding.Look,
		Title: fmt.Sprintf("The target has no class “%s”", d.Class),
		Text:  "It was chosen for another target, or the class was taken out. Choose one of this target's."}
	for _, p := range class.Propose(ask.Classes, nil, r.Longest) {
		with := d
		with.Class = p.Class.ID
		f.Remedies = append(f.Remedies, finding.Remedy{Label: p.Class.Name, Effect: capital(p.Why) + ".", Decision: with})
	}
	r.Say(f)
}

// sides are the width, height and depth of a box in the frame the asset stands in.
func sides(b geom.Box) geom.Vec3 {
	if b.IsEmpty() {
		return geom.Vec3{}
	}
	return b.Size()
}

// span is how long the scene, whose box is given, is along a direction of its frame.
func span(s *scene.Scene, box geom.Box, along geom.Vec3) float64 {
	for k, v := range along {
		if math.Abs(v) == 1 {
			return sides(box)[k]
		}
	}
	// A frame one of whose axes is the direction.
	least := 0
	for k, v := range along {
		if math.Abs(v) < math.Abs(along[least]) {
			least = k
		}
	}
	var other geom.Vec3
	other[least] = 1
	side := along.Cross(other)
	side = side.Mul(1 / side.Len())
	return sides(scene.Union(s.NodeBoundsUnder(geom.Mat3{along, side, along.Cross(side)})))[0]
}

// Along is the direction of an extent in the frame of the scene that came, as the asset
// stands.
func (r *Report) Along(e Extent) geom.Vec3 {
	k := map[Extent]int{Width: 0, Height: 1, Depth: 2}
	axis, ok := k[e]
	if !ok {
		for i, v := range r.Read {
			if v > r.Read[axis] {
				axis = i
			}
		}
	}
	d := geom.Vec3(r.stand[axis])
	for c, v := range d {
		if math.Abs(math.Abs(v)-1) < 1e-12 { // an axis, to the letter
			d = geom.Vec3{}
			d[c] = math.Copysign(1, v)
		}
	}
	return d.Mul(1 / d.Len())
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

// slips lists the units that bring the asset into range, in the order of how well they fit:
// by how near they come to what such a thing usually measures, or else, with a metric unit
// taken for likelier, to the middle of the range. length is the longest extent in file units,
// usual in metres and 0 when it is not known.
func slips(length float64, now figure.Unit, c class.Class, usual float64) []Slip {
	mid := math.Log(math.Sqrt(c.Least * c.Most))
	if usual > 0 {
		mid = math.Log(usual)
	}
	var list []Slip
	add := func(u figure.Unit) {
		l := length * u.Metres
		if u.Metres != now.Metres && c.Fits(l) &&
			!slices.ContainsFunc(list, func(s Slip) bool { return s.Unit.Metres == u.Metres }) {
			list = append(list, Slip{u, u.Metres / now.Metres, l})
		}
	}
	for _, u := range figure.Units {
		add(u)
	}
	if length*now.Metres < c.Least {
		// Scaled down once too often on the way: by the ratio of two common units.
		for _, by := range []float64{100, 1000, 10} {
			add(figure.UnitFor(now.Metres * by))
		}
	}
	slices.SortStableFunc(list, func(a, b Slip) int {
		if pa, pb := rank(a.Factor), rank(b.Factor); pa != pb && usual == 0 {
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
	return list
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
	for _, a := range figure.Units {
		for _, b := range figure.Units {
			if math.Abs(a.Metres/b.Metres/f-1) < 0.001 {
				return a.Name + " to " + b.Name
			}
		}
	}
	return "two units"
}

// words names the slip's unit: by its length when it has no name of its own.
func (s Slip) words(nameless, named string) string {
	if _, ok := figure.UnitBySymbol(s.Unit.Symbol); ok {
		return fmt.Sprintf(named, s.Unit.Name)
	}
	return fmt.Sprintf(nameless, figure.Significant(s.Unit.Metres, 4)+" m")
}

// remedy reads the file in the slip’s unit and leaves the other decisions.
func (s Slip) remedy(d Decisions) finding.Remedy {
	d.Unit, d.Metres = s.Unit.Symbol, 0
	d.unfit()
	if _, ok := figure.UnitBySymbol(s.Unit.Symbol); !ok {
		d.Unit, d.Metres = "custom", s.Unit.Metres
	}
	return finding.Remedy{Label: s.words("Read one unit as %s", "Read as %s"), Effect: "The longest extent becomes " +
		figure.Length(s.Length) + ".", Decision: d}
}
