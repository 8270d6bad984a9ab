package web

import (
	"html/template"
	"slices"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/process/mend"
	"yarvek/core/station/surface"
)

var surfaceRoom = room{
	id:     surface.Info.ID,
	decode: decideSurface,
	page: func(c *call, ws worksheet) (any, error) {
		return surfacePage{ws, c.o.Result.Surface, c.o.Prep.Surface, c.o.Result.Surface.Limits, c.compared()}, nil
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
		"percent": func(v float64) string { return figure.Significant(100*v, 3) + "\u202f%" },
		"times":   func(a, b, c float64) float64 { return a * b * c },
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
	All     making // of what was compared in part
}

// Changed is what the decisions changed, without those that found nothing to do.
func (p surfacePage) Changed() []surface.Done {
	return slices.DeleteFunc(slices.Clone(p.Report.Done), func(d surface.Done) bool { return d.Count == 0 })
}

// roundSeen is a kind of round part of one mesh, with the node that places it first.
type roundSeen struct {
	surface.Round
	Node  string
	Scale float64
}

// Rounds are the round parts of all meshes.
func (p surfacePage) Rounds() (list []roundSeen) {
	for _, m := range p.Report.Mesh {
		for _, r := range m.Rounds {
			list = append(list, roundSeen{r, m.Node, m.Scale})
		}
	}
	return list
}

// Hairs are the nodes that were moved by a hair, a line each.
func (p surfacePage) Hairs() (list []listed) {
	for i, h := range p.Decided.Hairs {
		list = append(list, listed{i, surface.Decisions{Hairs: []surface.Hair{h}}.Lines()[0]})
	}
	return list
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

// listed is one of a list of decisions, a thickness or a hair, with its number.
type listed struct {
	N    int
	Line string
}

// ThickOnes are the thicknesses of single nodes and slots.
func (p surfacePage) ThickOnes() (list []listed) {
	for i, t := range p.Decided.Thicks() {
		if t.Node != "" || t.Slot != "" {
			list = append(list, listed{i, surface.Decisions{Thick: []surface.Thick{t}}.Lines()[0]})
		}
	}
	return list
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
		for _, id := range ticked {
			if !slices.ContainsFunc(o.Result.Surface.Tidy, func(p surface.Proposal) bool { return p.ID == id }) {
				f.fail("there is no “%s” to tidy", fault.Shown(id))
			}
		}
		*d = o.Result.Surface.Tidied(*d, func(id string) bool { return slices.Contains(ticked, id) })
	case "thickness":
		t := surface.Thick{By: f.length("thickness", "The thickness"), Side: mend.Side(f.str("side"))}
		of := f.str("of")
		if slot, ok := strings.CutPrefix(of, "slot "); ok {
			t.Slot = slot
		} else {
			t.Node, _ = strings.CutPrefix(of, "node ")
		}
		f.comes(surface.Info.ID, entry.KindNode, []string{t.Node}, nil)
		f.comes(surface.Info.ID, entry.KindSlot, []string{t.Slot}, nil)
		*d = d.Thickened(t)
	case "thin":
		list, n := d.Thicks(), f.int("n")
		if n < 0 || n >= len(list) {
			f.unknown()
			return
		}
		list[n].By = 0
		*d = d.Thickened(list[n])
	case "unhair":
		n := f.int("n")
		if n < 0 || n >= len(d.Hairs) {
			f.unknown()
			return
		}
		*d = d.Moved(d.Hairs[n].Node, geom.Vec3{})
	default:
		f.unknown()
	}
}
