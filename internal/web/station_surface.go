package web

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/prep"
	"yarvek/core/process/mend"
	"yarvek/core/station/surface"
)

var surfaceRoom = room{
	id:     surface.Info.ID,
	decode: decideSurface,
	page: func(c *call, ws worksheet) (any, error) {
		return surfacePage{ws, c.o.Result.Surface, c.o.Prep.Surface, c.o.Result.Surface.Limits}, nil
	},
	words: template.FuncMap{
		"edges": func() [][2]string {
			return [][2]string{{string(mend.ByAngle), "above an angle"}, {string(mend.ByGroups), "between smoothing groups"},
				{string(mend.BySeams), "along UV seams"}, {string(mend.AllSoft), "nowhere"}, {string(mend.AllHard), "everywhere"}}
		},
		"tosides": func() [][2]string {
			return [][2]string{{string(mend.Both), "half to each side"}, {string(mend.Front), "to the front"},
				{string(mend.Back), "to the back"}}
		},
		"percent":    func(v float64) string { return figure.Significant(100*v, 3) + "\u202f%" },
		"percentnum": func(v float64) string { return filled(100 * v) },
		"times":      func(a, b, c float64) float64 { return a * b * c },
		"shareof": func(c, of float64) float64 {
			if of == 0 {
				return 0
			}
			return c / of
		},
	},
}

// surfacePage is what Surface's worksheet shows.
type surfacePage struct {
	worksheet
	Report  *surface.Report
	Decided surface.Decisions
	Limits  surface.Limits
}

// Changed is what the decisions changed, without those that found nothing to do.
func (p surfacePage) Changed() []surface.Done {
	return slices.DeleteFunc(slices.Clone(p.Report.Done), func(d surface.Done) bool { return d.Count == 0 })
}

// SheetNodes are the nodes with a sheet, and those that are given thickness, which makes them none,
// when there are several to choose from.
func (p surfacePage) SheetNodes() []surface.PlacedSeen {
	var list []surface.PlacedSeen
	for _, m := range p.Report.Mesh {
		if m.Sheets > 0 || p.Thick(m.Key) {
			list = append(list, m)
		}
	}
	if len(list) < 2 && len(p.Decided.Thicks()) == 0 {
		return nil
	}
	return list
}

// Thick tells whether thickness is given to a node by name.
func (p surfacePage) Thick(key string) bool {
	return slices.ContainsFunc(p.Decided.Thicks(), func(t surface.Thick) bool { return t.Node == key && key != "" })
}

// ThickLast is the thickness that was given last, 0 for none.
func (p surfacePage) ThickLast() surface.Thick {
	if list := p.Decided.Thicks(); len(list) > 0 {
		return list[len(list)-1]
	}
	return surface.Thick{}
}

// ThickSlots are the names of the slots there are, when there are several to choose from.
func (p surfacePage) ThickSlots() []string {
	var list []string
	for _, s := range p.Report.Slots {
		list = append(list, s.Name)
	}
	if len(list) < 2 {
		return nil
	}
	return list
}

// Given names the decisions that one press can give up, by what Lines says of them.
func (p surfacePage) Given() [][2]string {
	var list [][2]string
	for _, g := range givable {
		without := p.Decided
		g.without(&without)
		before, after := p.Decided.Lines(), without.Lines()
		for _, l := range before {
			if !slices.Contains(after, l) {
				list = append(list, [2]string{g.name, l})
				break
			}
		}
	}
	for i, t := range p.Decided.Thicks() {
		l := surface.Decisions{Thick: []surface.Thick{t}}.Lines()
		list = append(list, [2]string{fmt.Sprintf("%s%d", givenThick, i+1), l[0]})
	}
	return list
}

// givenThick and a number name one of the thicknesses.
const givenThick = "thickness-"

// given is a decision with what gives it up.
type given struct {
	name    string
	without func(d *surface.Decisions)
}

// givable are the decisions that can be given up one by one.
var givable = []given{
	{"weld", func(d *surface.Decisions) { d.Weld = 0 }},
	{"edges", func(d *surface.Decisions) { d.Edges = 0 }},
	{"empty", func(d *surface.Decisions) { d.Empty = false }},
	{"doubled", func(d *surface.Decisions) { d.Doubled = false }},
	{"unused", func(d *surface.Decisions) { d.Unused = false }},
	{"wind", func(d *surface.Decisions) { d.Wind = false }},
	{"outward", func(d *surface.Decisions) { d.Outward = false }},
	{"holes", func(d *surface.Decisions) { d.Holes = 0 }},
	{"flat", func(d *surface.Decisions) { d.Flat = false }},
	{"twosided", func(d *surface.Decisions) { d.TwoSided = false }},
	{"units", func(d *surface.Decisions) { d.Units = false }},
	{"smooth", func(d *surface.Decisions) { d.Smooth, d.Angle, d.Keep = "", 0, 0 }},
	{"tangents", func(d *surface.Decisions) { d.Tangents = false }},
}

// decideSurface turns Surface's form into decisions.
func decideSurface(f *form, p *prep.Prep) {
	d := &p.Surface
	switch f.str("act") {
	case "tidy":
		o, err := f.open()
		if err != nil {
			f.err = first(f.err, err)
			return
		}
		ticked := f.strs("do")
		if len(ticked) == 0 {
			f.fail("nothing is ticked, so nothing is tidied")
		}
		*d = o.Result.Surface.Tidied(*d, func(id string) bool { return slices.Contains(ticked, id) })
	case "weld":
		d.Weld = f.length("weld", "The distance")
	case "edges":
		d.Edges = f.length("edges", "The length")
	case "holes":
		d.Holes = f.int("holes")
	case "smooth":
		d.Smooth, d.Angle, d.Keep = mend.Edges(f.str("edges")), 0, 0
		if d.Smooth == mend.ByAngle {
			d.Angle = f.number("angle", "The angle")
		}
		if f.str("keep") != "" {
			d.Keep = f.number("keep", "The share") / 100
		}
	case "thickness":
		t := surface.Thick{By: f.length("thickness", "The thickness"), Side: mend.Side(f.str("side"))}
		of := f.str("of")
		if slot, ok := strings.CutPrefix(of, "slot "); ok {
			t.Slot = slot
		} else {
			t.Node, _ = strings.CutPrefix(of, "node ")
		}
		*d = d.Thickened(t)
	case "twosided":
		d.TwoSided = true
	case "tangents":
		d.Tangents = true
	case "limits":
		l := &d.Limits
		for _, x := range []struct {
			to          *float64
			name, label string
		}{{&l.Gap, "gap", "The gap"}, {&l.Short, "short", "The edge"}, {&l.Bent, "bent", "The bend"},
			{&l.Apart, "apart", "The distance"}} {
			if *x.to = 0; f.str(x.name) != "" {
				*x.to = f.length(x.name, x.label)
			}
		}
		if l.Texels = 0; f.str("texels") != "" {
			l.Texels = f.number("texels", "The density")
		}
		if l.Needle = 0; f.str("needle") != "" {
			l.Needle = f.number("needle", "The needle")
		}
	case "giveup":
		if n, ok := strings.CutPrefix(f.str("what"), givenThick); ok {
			k, err := strconv.Atoi(n)
			list := d.Thicks()
			if err != nil || k < 1 || k > len(list) {
				f.unknown()
				return
			}
			list[k-1].By = 0
			*d = d.Thickened(list[k-1])
			return
		}
		i := slices.IndexFunc(givable, func(g given) bool { return g.name == f.str("what") })
		if i < 0 {
			f.unknown()
			return
		}
		givable[i].without(d)
	default:
		f.unknown()
	}
}
