package work

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// Describe says the decisions of a prep, a line for each.
func Describe(p prep.Prep) []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	describeSource(p.Source, say)
	if p.Size.Class != "" {
		say("Size: class %s", class.ByID(p.Size.Class).Name)
	}
	if p.Size.Unit == "custom" {
		say("Size: one unit read as %s", figure.Length(p.Size.Metres))
	} else if u, ok := target.UnitBySymbol(p.Size.Unit); ok {
		say("Size: read as %s", u.Name)
	}
	switch p.Size.Fit {
	case "":
	case size.ByFactor:
		say("Size: scaled by %s", figure.Significant(p.Size.Factor, 5))
	case size.Between:
		say("Size: a measured distance made %s", figure.Length(p.Size.Length))
	default:
		say("Size: %s made %s", p.Size.Fit, figure.Length(p.Size.Length))
	}
	if p.Size.Bake != size.BakeNone {
		what := string(p.Size.Bake)
		if p.Size.Bake == size.BakeAll {
			what = "rotation and scale"
		}
		of := "all nodes"
		if len(p.Size.Nodes) > 0 {
			of = strings.Join(p.Size.Nodes, ", ")
		}
		say("Size: baked %s of %s", what, of)
	}
	if p.Axes.Up != geom.NoAxis {
		say("Axes: %s up", p.Axes.Up)
	}
	if p.Axes.Forward != geom.NoAxis {
		say("Axes: %s forward", p.Axes.Forward)
	}
	if p.Axes.Hand != "" {
		say("Axes: read as %s-handed", p.Axes.Hand)
	}
	if p.Axes.Pose != (geom.Vec3{}) {
		say("Axes: laid another way, turned by %s°", figure.Significant(p.Axes.Pose.Len(), 4))
	}
	if p.Axes.Drop {
		say("Axes: dropped to the ground")
	}
	for _, t := range p.Axes.Turns {
		say("Axes: turned %s° about %s", figure.Significant(t.Degrees, 4), t.About)
	}
	describePivot(p.Pivot, say)
	if p.Export.Format != "" {
		say("Export: %s", p.Export.Format)
	}
	if len(l) == 0 {
		say("Nothing decided: as read")
	}
	return l
}

func describeSource(d source.Decisions, say func(format string, args ...any)) {
	if len(d.Leave) > 0 {
		say("Source: left behind %s", strings.Join(d.Leave, ", "))
	}
	if len(d.Keep) > 0 {
		say("Source: kept %s", strings.Join(d.Keep, ", "))
	}
	for _, r := range d.Rules {
		say("Source: %s", strings.ToLower(r.String()[:1])+r.String()[1:])
	}
	for _, k := range slices.Sorted(maps.Keys(d.Names)) {
		say("Source: %s is called %s", k, d.Names[k])
	}
	for _, r := range d.Rename {
		say("Source: all named “%s” are called “%s”", r.Match, r.To)
	}
	if len(d.Sharing) > 0 {
		say("Source: instances made of %s", strings.Join(d.Sharing, ", "))
	}
	for _, s := range d.Split {
		say("Source: %s split by %s", s.Node, s.By)
	}
	switch d.Merge {
	case source.MergeAll:
		say("Source: merged to one mesh")
	case source.MergeSlot:
		say("Source: merged to one mesh a slot")
	case source.MergeSome:
		for _, g := range d.Groups {
			say("Source: %s merged of %s", g.Name, strings.Join(g.Nodes, ", "))
		}
	}
	if d.Move != (geom.Vec3{}) {
		say("Source: moved to the origin by %s, %s, %s m", figure.Significant(-d.Move[0], 7), figure.Significant(-d.Move[1], 7), figure.Significant(-d.Move[2], 7))
	}
}

func describePivot(d pivot.Decisions, say func(format string, args ...any)) {
	say1 := func(what string, s pivot.Seat) {
		switch s.Place {
		case pivot.OnBox:
			say("%s on the box at right %+d, up %+d, front %+d", what, s.Box[0], s.Box[1], s.Box[2])
		case pivot.At:
			say("%s at %s, %s, %s m", what, figure.Significant(s.Point[0], 5), figure.Significant(s.Point[1], 5), figure.Significant(s.Point[2], 5))
		case pivot.OnContact:
			say("%s in the middle of what touches the ground", what)
		case pivot.OnMass:
			say("%s at the centre of mass", what)
		case pivot.OnPicks:
			say("%s at a picked place", what)
		}
	}
	say1("Pivot:", d.Whole())
	for _, k := range d.Refs() {
		say1("Pivot: "+k, d.Each[k])
	}
	if d.Parts {
		say("Pivot: each part at the same point of its own box")
	}
	if d.Snap {
		say("Pivot: snapped to the kit's grid")
	}
	if len(d.Along) > 0 {
		say("Pivot: turned along an edge")
	} else if d.Heading != 0 {
		say("Pivot: turned by %s°", figure.Significant(d.Heading, 4))
	}
	if d.Under {
		say("Pivot: moved under the mesh")
	}
	for _, m := range d.Markers {
		say("Pivot: marker %s", m.Name)
	}
}
