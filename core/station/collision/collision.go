// Package collision is station 8: what a body touches. It has simple shapes stand for the asset,
// fitted here, made by hand in the file or changed by hand, and tells how well they do.
//
// What is fitted follows the mesh of a new revision; what was changed by hand stays, and is told when
// the mesh beneath it is another. Shapes that are kept are in coordinates as Source leaves the scene,
// so that they follow size, stance and pivot.
package collision

import (
	"errors"
	"fmt"
	"slices"

	"yarvek/core/collide/solid"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "collision", Name: "Collision", Number: 8, Question: "What does a body touch?"}

// Decisions say what shapes there are. Without any, those of the file are in force.
type Decisions struct {
	None   bool     `json:"none,omitempty"` // there are none, whatever the file has
	Fits   []Fit    `json:"fits,omitempty"` // they take the place of those of the file
	Edited []Edited `json:"edited,omitempty"`
	// FileWithout are nodes of the file whose shapes were taken out, or changed by hand.
	FileWithout []string `json:"fileWithout,omitempty"`
	// Keep is the body that passages stay open for; its zero value is the usual walker.
	Keep Keep `json:"keep,omitzero"`
	// Gap is how far the mesh may stick out, and Air how much may be filled, in metres; 0 for what is
	// usual for its size.
	Gap float64 `json:"gap,omitempty"`
	Air float64 `json:"air,omitempty"`
	// Surface has the mesh itself touched, too, for receivers that take it.
	Surface Surface `json:"surface,omitzero"`
	// Density is that of what it is made of, kg/m³; 0 for 500.
	Density float64 `json:"density,omitempty"`
}

// Surface is the mesh itself as collision, made of fewer triangles.
type Surface struct {
	Share    float64 `json:"share,omitempty"`    // of the triangles, 0 for none of it at all
	TwoSided bool    `json:"twoSided,omitempty"` // to be touched from behind, too
}

// Keep is a body that must come through: a ball, or somebody upright when it has a height.
type Keep struct {
	Radius float64 `json:"radius,omitempty"`
	Height float64 `json:"height,omitempty"`
	None   bool    `json:"none,omitempty"` // nothing need come through
}

// Walker is the usual one: 1.80 m tall and 0.6 m wide.
var Walker = Keep{Radius: 0.3, Height: 1.8}

// InForce is the body itself, the usual one where nothing is said.
func (k Keep) InForce() Keep {
	if k == (Keep{}) {
		return Walker
	}
	return k
}

// Words say it.
func (k Keep) Words() string {
	switch {
	case k.None:
		return "nobody"
	case k == Keep{} || k == Walker:
		return "a walker"
	case k.Height > 0:
		return fmt.Sprintf("a walker of %s, %s wide", figure.Length(k.Height), figure.Length(2*k.Radius))
	}
	return "a ball of " + figure.Length(2*k.Radius)
}

// Form is what sort of shape is fitted.
type Form string

// The sorts that can be fitted.
const (
	Hulls   Form = "hulls"   // as many as it takes
	OneHull Form = "hull"    // one round all
	Box     Form = "box"     // along the axes
	Turned  Form = "turned"  // the box of least volume
	Ball    Form = "ball"    // the least
	Capsule Form = "capsule" // of least volume
	Slab    Form = "slab"    // planes of fixed directions
)

// NamedForm is a sort with its name.
type NamedForm struct {
	ID   Form
	Name string
	Kind solid.Kind // of what comes of it
}

// Forms lists them.
var Forms = []NamedForm{{Hulls, "Hulls", solid.Hull}, {OneHull, "One hull", solid.Hull}, {Box, "Box", solid.Box},
	{Turned,
		"Turned box", solid.Box},
	{Capsule, "Capsule", solid.Capsule}, {Ball, "Ball", solid.Ball}, {Slab, "Slab", solid.Hull}}

// named finds a sort.
func (f Form) named() (NamedForm, bool) {
	i := slices.IndexFunc(Forms, func(n NamedForm) bool { return n.ID == f })
	if i < 0 {
		return NamedForm{}, false
	}
	return Forms[i], true
}

// Fit is shapes that are fitted to the mesh, or to a part of it.
type Fit struct {
	Form  Form     `json:"form"`
	Nodes []string `json:"nodes,omitempty"` // keys of what it is fitted to; all without any
	Slot  string   `json:"slot,omitempty"`  // only to faces with that slot
	Each  bool     `json:"each,omitempty"`  // each node by itself
	// At are places on the surface, as Source leaves it: only what hangs together with the face there is
	// fitted to, or with Flat only the faces beside it that look the same way.
	At   []geom.Vec3 `json:"at,omitempty"`
	Flat bool        `json:"flat,omitempty"`
	// Round is what was drawn round: only that is fitted to.
	Round *Round `json:"round,omitempty"`
	// Most are the hulls there may be, and Points the corners of each; 0 for what the class reckons with.
	Most   int `json:"most,omitempty"`
	Points int `json:"points,omitempty"`
	// Within is how far the mesh may stick out of one hull, so that it has few points and fills little;
	// metres as Source leaves it. Without, it stays outside of the mesh.
	Within float64 `json:"within,omitempty"`
	Planes int     `json:"planes,omitempty"` // of a slab: one of fit.Slabs, 0 for the most
	// Concavity is how deep a hollow may be filled to save a hull; metres as Source leaves it.
	Concavity float64 `json:"concavity,omitempty"`
	// Sheet is how thick hulls take an open surface; metres as Source leaves it, 0 for decompose.SheetOf.
	Sheet float64 `json:"sheet,omitempty"`
	// Without are places, as Source leaves them, whose shape was taken out, or changed by hand: that
	// whose middle is nearest.
	Without []geom.Vec3 `json:"without,omitempty"`
}

// Edited is a shape that was changed by hand.
type Edited struct {
	Solid solid.Solid `json:"solid"`
	Of    string      `json:"of,omitempty"` // key of the node it stands for, "" for the first
	// Print tells the mesh it was changed over from another; see [Print].
	Print string `json:"print,omitempty"`
}

// Bounds of the decisions.
const (
	mostFits   = 64
	mostEdited = 512
	mostHulls  = 256
	mostPicks  = 32
)

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if len(d.Fits) > mostFits || len(d.Edited) > mostEdited {
		return fmt.Errorf("%d fits and %d shapes are too many: expected at most %d and %d", len(d.Fits), len(d.Edited),
			mostFits, mostEdited)
	}
	if d.None && len(d.Fits)+len(d.Edited) > 0 {
		return fmt.Errorf("there can't be shapes and none at once")
	}
	for i, f := range d.Fits {
		if err := f.Validate(); err != nil {
			return fmt.Errorf("fit %d: %w", i+1, err)
		}
	}
	for _, e := range d.Edited {
		if err := e.Solid.Validate(); err != nil {
			return err
		}
	}
	switch {
	case !(d.Gap >= 0 && d.Gap <= 1e3) || !(d.Air >= 0 && d.Air <= 1e3):
		return fmt.Errorf("a gap of %g m can't be accepted", max(d.Gap, d.Air))
	case !(d.Surface.Share >= 0 && d.Surface.Share <= 1):
		return fmt.Errorf("%g of the triangles can't be meant for the surface: expected 0 to 1", d.Surface.Share)
	case d.Density != 0 && !(d.Density >= 1 && d.Density <= 30_000):
		return fmt.Errorf("a density of %g kg/m³ can't be meant: expected 1 to 30 000", d.Density)
	}
	return d.Keep.Validate()
}

// Validate checks a fit.
func (f Fit) Validate() error {
	_, known := f.Form.named()
	switch {
	case !known:
		return fmt.Errorf("%q is no shape that can be fitted", f.Form)
	case f.Most < 0 || f.Most > mostHulls:
		return fmt.Errorf("%d hulls can't be meant: expected 1 to %d", f.Most, mostHulls)
	case f.Points != 0 && (f.Points < 8 || f.Points > 1024):
		return fmt.Errorf("a hull of %d points can't be meant: expected 8 to 1024", f.Points)
	case f.Planes != 0 && f.Planes != 6 && f.Planes != 18 && f.Planes != 26:
		return fmt.Errorf("a slab of %d planes can't be fitted: expected 6, 18 or 26", f.Planes)
	case !(f.Within >= 0 && f.Within <= 1e6):
		return fmt.Errorf("a hull can't be within %g m", f.Within)
	case !(f.Concavity >= 0 && f.Concavity <= 1e6):
		return fmt.Errorf("a hollow of %g m can't be meant", f.Concavity)
	case !(f.Sheet >= 0 && f.Sheet <= 1e6):
		return fmt.Errorf("a sheet can't be taken %g m thick", f.Sheet)
	case len(f.At) > mostPicks:
		return fmt.Errorf("it is picked at too many places: expected at most %d", mostPicks)
	case len(f.Without) > mostEdited:
		return errors.New("it leaves out too many shapes")
	case slices.ContainsFunc(slices.Concat(f.Without, f.At), func(p geom.Vec3) bool { return !p.IsFinite() }):
		return errors.New("it names a place that is none")
	case f.Round != nil:
		return f.Round.Validate()
	}
	return nil
}

// Validate checks what is to stay open.
func (k Keep) Validate() error {
	switch {
	case !(k.Radius >= 0 && k.Radius <= 1e3) || k != (Keep{}) && !k.None && k.Radius == 0:
		return fmt.Errorf("a body of radius %g m can't come through", k.Radius)
	case !(k.Height >= 0 && k.Height <= 1e3) || k.Height > 0 && k.Height < 2*k.Radius:
		return fmt.Errorf("a walker of %g m can't be %g m wide", k.Height, 2*k.Radius)
	}
	return nil
}

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	if d.None {
		l = append(l, "Have no collision")
	}
	for _, f := range d.Fits {
		l = append(l, f.line())
		if n := len(f.Without); n > 0 {
			l = append(l, "Without "+figure.Plural(n, "of its shapes", "of its shapes"))
		}
	}
	for i, e := range d.Edited {
		c := centre(e.Solid)
		l = append(l, fmt.Sprintf("Shape %d by hand: a %s at %s, %s, %s", i+1, e.Solid.Kind, figure.Length(c[0]),
			figure.Length(c[1]),
			figure.Length(c[2])))
	}
	for _, k := range d.FileWithout {
		l = append(l, fmt.Sprintf("Without the shape “%s” of the file", station.LastName(k)))
	}
	if s := d.Surface; s.Share > 0 {
		line := fmt.Sprintf("Have the surface touched, of %s of its triangles", share(s.Share))
		if s.TwoSided {
			line += ", from both sides"
		}
		l = append(l, line)
	}
	if d.Keep != (Keep{}) {
		l = append(l, "Let "+d.Keep.Words()+" through")
	}
	if d.Gap > 0 {
		l = append(l, "Let the mesh stick out by "+figure.Length(d.Gap))
	}
	if d.Air > 0 {
		l = append(l, "Let air be filled by "+figure.Length(d.Air))
	}
	if d.Density > 0 {
		l = append(l, fmt.Sprintf("Have it weigh %s kg/m³", figure.Significant(d.Density, 4)))
	}
	return l
}

func (f Fit) line() string {
	n, _ := f.Form.named()
	s := "Fit " + map[Form]string{Hulls: "hulls", OneHull: "one hull", Box: "a box", Turned: "a turned box",
		Ball:    "a ball",
		Capsule: "a capsule", Slab: "a slab"}[n.ID]
	if f.Form == Hulls && f.Most > 0 {
		s = fmt.Sprintf("Fit up to %s", figure.Plural(f.Most, "hull", "hulls"))
	}
	if f.Points > 0 && n.Kind == solid.Hull {
		s += fmt.Sprintf(" of %d points", f.Points)
	}
	if f.Within > 0 {
		s += " that the mesh sticks out of by " + figure.Length(f.Within) + " at most"
	}
	if f.Concavity > 0 {
		s += " that fill hollows of " + figure.Length(f.Concavity)
	}
	if f.Sheet > 0 {
		s += ", sheets taken " + figure.Length(f.Sheet) + " thick"
	}
	if f.Planes > 0 {
		s += fmt.Sprintf(" of %d planes", f.Planes)
	}
	if len(f.Nodes) > 0 {
		s += " to " + station.Nodes(f.Nodes)
	}
	if f.Slot != "" {
		s += " to slot “" + f.Slot + "”"
	}
	if len(f.At) > 0 {
		s += map[bool]string{false: " to the part at ", true: " to the flat faces at "}[f.Flat] +
			figure.Plural(len(f.At), "place",
				"places")
	}
	if f.Round != nil {
		s += " to " + f.Round.String()
	}
	if f.Each {
		s += ", each node by itself"
	}
	return s
}

// Refs lists the nodes that decisions name.
func (d Decisions) Refs() []string {
	var list []string
	for _, f := range d.Fits {
		list = append(list, f.Nodes...)
	}
	for _, e := range d.Edited {
		if e.Of != "" {
			list = append(list, e.Of)
		}
	}
	list = append(list, d.FileWithout...)
	slices.Sort(list)
	return slices.Compact(list)
}

// Repoint gives another node what was decided for one.
func (d Decisions) Repoint(from, to string) station.Decisions {
	swap := func(list []string) []string { return station.Repointed(list, from, to) }
	var fits []Fit
	for _, f := range d.Fits {
		had := len(f.Nodes) > 0
		if f.Nodes = swap(f.Nodes); !had || len(f.Nodes) > 0 {
			fits = append(fits, f)
		}
	}
	d.Fits = fits
	d.Edited = slices.Clone(d.Edited)
	for i := range d.Edited {
		if d.Edited[i].Of == from {
			d.Edited[i].Of = to
		}
	}
	d.FileWithout = swap(d.FileWithout)
	return d
}

// With is the decisions with these fits, in the place of all shapes there are.
func (d Decisions) With(fits ...Fit) Decisions {
	d.Fits, d.Edited, d.None, d.FileWithout = fits, nil, len(fits) == 0, nil
	if d.None {
		d.Surface = Surface{}
	}
	return d
}

// AsFile is the decisions with the shapes of the file alone.
func (d Decisions) AsFile() Decisions {
	d = d.With()
	d.None = false
	return d
}

// DensityInForce is that of what the asset is made of; kg/m³.
func (d Decisions) DensityInForce() float64 {
	if d.Density == 0 {
		return 500
	}
	return d.Density
}

// usual gaps as shares of the asset's size, from corner to corner, and no finer than these; metres.
const (
	usualGap, leastGap = 0.01, 0.002
	usualAir, leastAir = 0.05, 0.01
)

// Limits are how far the mesh may stick out, and air be filled, of an asset of a size; metres.
func (d Decisions) Limits(size float64) (out, air float64) {
	out, air = d.Gap, d.Air
	if out == 0 {
		out = max(leastGap, usualGap*size)
	}
	if air == 0 {
		air = max(leastAir, usualAir*size)
	}
	return out, air
}

// centre of a solid.
func centre(s solid.Solid) geom.Vec3 {
	switch {
	case s.Box != nil:
		return s.Box.Centre
	case s.Capsule != nil:
		return s.Capsule.A.Add(s.Capsule.B).Mul(0.5)
	}
	b := geom.EmptyBox()
	for _, p := range s.Points {
		b = b.Add(p)
	}
	return b.Center()
}
