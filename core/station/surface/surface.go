// Package surface is station 5: whether the surface is sound. It finds flaws in every mesh,
// and puts right what it is decided to.
package surface

import (
	"errors"
	"fmt"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/process/mend"
	"yarvek/core/process/round"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "surface", Name: "Surface", Number: 5, Question: "Is the surface sound?"}

// Decisions put the surface right. Lengths are metres of the asset as it leaves Pivot. They are
// carried out in the order of the fields, on every mesh.
type Decisions struct {
	// Sides is how many sides round parts get, 0 for those they have; Round are the keys of the nodes whose parts get
	// them, none for all.
	Sides int      `json:"sides,omitempty"`
	Round []string `json:"round,omitempty"`

	Weld    float64 `json:"weld,omitempty"`    // points nearer than this are joined
	Edges   float64 `json:"edges,omitempty"`   // edges shorter than this are taken out
	Empty   bool    `json:"empty,omitempty"`   // faces without area go
	Doubled bool    `json:"doubled,omitempty"` // faces that are there twice go
	Unused  bool    `json:"unused,omitempty"`  // points no face uses go
	Wind    bool    `json:"wind,omitempty"`    // faces are turned the way most of their part is
	Outward bool    `json:"outward,omitempty"` // parts that are inside out are turned
	Holes   int     `json:"holes,omitempty"`   // holes of up to so many edges are closed
	Flat    bool    `json:"flat,omitempty"`    // bent and dented polygons are cut into triangles
	// Separate parts edges of more than two faces, Split places where surfaces meet in a point alone; Needles takes
	// triangles out that are needles.
	Separate bool `json:"separate,omitempty"`
	Split    bool `json:"split,omitempty"`
	Needles  bool `json:"needles,omitempty"`

	// Hairs move nodes by so little that no faces of theirs lie on another's.
	Hairs []Hair `json:"hairs,omitempty"`

	Thick []Thick `json:"thick,omitempty"`
	// Thickness, Side and Of are one thickness, as older decisions have it, of nodes or of all; see Thicks.
	Thickness float64   `json:"thickness,omitempty"`
	Side      mend.Side `json:"side,omitempty"`
	Of        []string  `json:"of,omitempty"`
	TwoSided  bool      `json:"twoSided,omitempty"` // slots of sheets are seen from both sides

	Units    bool       `json:"units,omitempty"`    // normals get unit length
	Smooth   mend.Edges `json:"smooth,omitempty"`   // normals are made anew, with these edges hard
	Angle    float64    `json:"angle,omitempty"`    // degrees; of mend.ByAngle
	Keep     float64    `json:"keep,omitempty"`     // share of the old normals that is kept, below 1
	Tangents bool       `json:"tangents,omitempty"` // are made anew

	// Where a flaw begins; 0 is what Usual says.
	Limits Limits `json:"limits,omitzero"`
}

// Limits are where flaws begin. Lengths are metres.
type Limits struct {
	Gap    float64 `json:"gap,omitempty"`    // points nearer than this ought to be joined
	Short  float64 `json:"short,omitempty"`  // edges below it are short
	Needle float64 `json:"needle,omitempty"` // a triangle so many times as long as high is a needle
	Bent   float64 `json:"bent,omitempty"`   // a polygon is bent whose corner is so far off its plane
	Apart  float64 `json:"apart,omitempty"`  // faces nearer than this flicker
	Texels float64 `json:"texels,omitempty"` // wanted to a metre; 0 for none
}

// Usual are the limits where nothing else is decided. Apart depends on the class.
var Usual = Limits{Gap: 0.0001, Short: 0.0001, Needle: 100, Bent: 0.001}

// or fills what is zero.
func (l Limits) or(u Limits) Limits {
	pick := func(v, w float64) float64 {
		if v == 0 {
			return w
		}
		return v
	}
	return Limits{pick(l.Gap, u.Gap), pick(l.Short, u.Short), pick(l.Needle, u.Needle), pick(l.Bent, u.Bent),
		pick(l.Apart, u.Apart),
		l.Texels}
}

// Bounds of what may be typed.
const (
	longest  = 10.0 // metres
	mostEdge = mend.MostRim
)

// Validate checks the decisions.
func (d Decisions) Validate() error {
	length := func(v float64, what string) error {
		if !(v >= 0 && v <= longest) {
			return fmt.Errorf("%s of %g m is out of bounds: expected up to %g m", what, v, longest)
		}
		return nil
	}
	var err error
	if !slices.Contains([]mend.Side{mend.Both, mend.Front, mend.Back}, d.Side) {
		err = fmt.Errorf("%q is no side of a sheet: expected front, back or none for both", d.Side)
	}
	if d.Smooth != "" && !slices.Contains([]mend.Edges{mend.ByAngle, mend.ByGroups, mend.BySeams, mend.AllSoft,
		mend.AllHard}, d.Smooth) {
		err = errors.Join(err, fmt.Errorf("%q makes no edge hard: expected angle, groups, seams, soft or hard", d.Smooth))
	}
	if !(d.Angle >= 0 && d.Angle <= 180) {
		err = errors.Join(err, fmt.Errorf("an angle of %g degrees is out of bounds: expected 0 to 180", d.Angle))
	}
	if !(d.Keep >= 0 && d.Keep < 1) {
		err = errors.Join(err, fmt.Errorf("a share of %g of the old normals is out of bounds: expected 0 to below 1", d.Keep))
	}
	if d.Sides != 0 && (d.Sides < round.LeastSides || d.Sides > round.MostSides) {
		err = errors.Join(err, fmt.Errorf("%d sides can't be meant: expected %d to %d", d.Sides, round.LeastSides,
			round.MostSides))
	}
	if d.Holes < 0 || d.Holes > mostEdge {
		err = errors.Join(err, fmt.Errorf("holes of %d edges can't be closed: expected up to %d", d.Holes, mostEdge))
	}
	if l := d.Limits; !(l.Needle >= 0 && l.Needle <= 1e6) {
		err = errors.Join(err, fmt.Errorf("a needle %g times as long as high is out of bounds", l.Needle))
	}
	if l := d.Limits; !(l.Texels >= 0 && l.Texels <= 1e6) {
		err = errors.Join(err, fmt.Errorf("%g texels a metre are out of bounds", l.Texels))
	}
	return errors.Join(err, validThick(d.Thicks()), validHairs(d.Hairs), length(d.Weld, "a distance"),
		length(d.Edges, "an edge"), length(d.Thickness, "a thickness"),
		length(d.Limits.Gap, "a gap"), length(d.Limits.Short, "an edge"), length(d.Limits.Bent, "a bend"),
		length(d.Limits.Apart, "a distance"))
}

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(yes bool, format string, args ...any) {
		if yes {
			l = append(l, fmt.Sprintf(format, args...))
		}
	}
	say(d.Sides > 0 && len(d.Round) == 0, "Give round parts %d sides", d.Sides)
	say(d.Sides > 0 && len(d.Round) > 0, "Give round parts of %s %d sides", figure.Plural(len(d.Round), "node", "nodes"),
		d.Sides)
	say(d.Weld == Exactly, "Join points that stand together")
	say(d.Weld > 0 && d.Weld != Exactly, "Join points within %s", figure.Length(d.Weld))
	say(d.Edges > 0, "Take out edges below %s", figure.Length(d.Edges))
	say(d.Empty, "Drop faces without area")
	say(d.Doubled, "Drop faces that are there twice")
	say(d.Unused, "Drop points no face uses")
	say(d.Wind, "Turn faces the way most of their part is")
	say(d.Outward, "Turn parts that are inside out")
	say(d.Holes > 0, "Close holes of up to %d edges", d.Holes)
	say(d.Flat, "Cut bent and dented polygons")
	say(d.Needles, "Take needles out")
	say(d.Separate, "Separate edges of more than two faces")
	say(d.Split, "Split places where surfaces meet in a point alone")
	for _, h := range d.Hairs {
		l = append(l, h.line())
	}
	for _, t := range d.Thicks() {
		l = append(l, t.line())
	}
	say(d.TwoSided, "Show the slots of sheets from both sides")
	say(d.Units, "Give normals unit length")
	switch d.Smooth {
	case "":
	case mend.ByAngle:
		say(true, "Make edges hard above %s°", figure.Significant(d.Angle, 4))
	default:
		words, ok := edgeWords[d.Smooth]
		if !ok {
			words = "Make edges hard: " + string(d.Smooth) // what Validate refuses
		}
		say(true, "%s", words)
	}
	say(d.Smooth != "" && d.Keep > 0, "Keep %s %% of the old normals", figure.Significant(100*d.Keep, 3))
	say(d.Tangents, "Make tangents anew")
	u := d.Limits
	say(u.Gap > 0, "Points nearer than %s ought to be joined", figure.Length(u.Gap))
	say(u.Short > 0, "Edges below %s are short", figure.Length(u.Short))
	say(u.Needle > 0, "A needle is %s times as long as high", figure.Significant(u.Needle, 4))
	say(u.Bent > 0, "A polygon is bent by more than %s", figure.Length(u.Bent))
	say(u.Apart > 0, "Faces nearer than %s flicker", figure.Length(u.Apart))
	say(u.Texels > 0, "Textures ought to have %s texels a metre", figure.Significant(u.Texels, 4))
	return l
}

var sideWords = map[mend.Side]string{mend.Both: "half to each side", mend.Front: "to the front",
	mend.Back: "to the back"}

var edgeWords = map[mend.Edges]string{mend.ByGroups: "Make edges between smoothing groups hard",
	mend.BySeams: "Make edges along UV seams hard",
	mend.AllSoft: "Make all edges soft", mend.AllHard: "Make all edges hard"}

// Refs lists the nodes the decisions name.
func (d Decisions) Refs() []string {
	list := slices.Concat(d.Of, d.Round)
	for _, t := range d.Thick {
		if t.Node != "" {
			list = append(list, t.Node)
		}
	}
	for _, h := range d.Hairs {
		list = append(list, h.Node)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// Repoint returns the decisions with one node named in the place of another; an empty name
// drops it, and with the last one the thickness, or the sides.
func (d Decisions) Repoint(from, to string) station.Decisions {
	var thick []Thick
	for _, t := range d.Thick {
		if t.Node == from && from != "" {
			if t.Node = to; to == "" {
				continue
			}
		}
		thick = append(thick, t)
	}
	d.Thick = thick
	var hairs []Hair
	for _, h := range d.Hairs {
		if h.Node == from {
			h.Node = to
		}
		if h.Node != "" && !slices.ContainsFunc(hairs, func(x Hair) bool { return x.Node == h.Node }) {
			hairs = append(hairs, h)
		}
	}
	d.Hairs = hairs
	if slices.Contains(d.Of, from) {
		if d.Of = station.Repointed(d.Of, from, to); len(d.Of) == 0 {
			d.Thickness, d.Side = 0, ""
		}
	}
	if slices.Contains(d.Round, from) {
		if d.Round = station.Repointed(d.Round, from, to); len(d.Round) == 0 {
			d.Sides = 0
		}
	}
	return d
}

// Mends tells whether the decisions change a mesh.
func (d Decisions) Mends() bool {
	d.Limits = Limits{}
	return len(d.Lines()) > 0
}
