package work

import (
	"fmt"
	"strings"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/target"
)

// Describe says the decisions of a prep, a line for each.
func Describe(p prep.Prep) []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if len(p.Source.Leave) > 0 {
		say("Source: left behind %s", strings.Join(p.Source.Leave, ", "))
	}
	if p.Size.Class != "" {
		say("Size: class %s", class.ByID(p.Size.Class).Name)
	}
	if p.Size.Unit == "custom" {
		say("Size: one unit read as %s", figure.Length(p.Size.Metres))
	} else if u, ok := target.UnitBySymbol(p.Size.Unit); ok {
		say("Size: read as %s", u.Name)
	}
	if p.Size.Fit != "" {
		say("Size: %s made %s", p.Size.Fit, figure.Length(p.Size.Length))
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
	for _, t := range p.Axes.Turns {
		say("Axes: turned %s° about %s", figure.Significant(t.Degrees, 4), t.About)
	}
	switch p.Pivot.Place {
	case pivot.OnBox:
		say("Pivot: on the box at right %+d, up %+d, front %+d", p.Pivot.Box[0], p.Pivot.Box[1], p.Pivot.Box[2])
	case pivot.At:
		say("Pivot: at %s, %s, %s m", figure.Significant(p.Pivot.Point[0], 5), figure.Significant(p.Pivot.Point[1], 5), figure.Significant(p.Pivot.Point[2], 5))
	}
	if p.Export.Format != "" {
		say("Export: %s", p.Export.Format)
	}
	if len(l) == 0 {
		say("Nothing decided: as read")
	}
	return l
}
