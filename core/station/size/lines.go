package size

import (
	"fmt"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if c, ok := class.Find(d.Class); !ok {
		say("Class: %s", d.Class) // Validate refuses it
	} else if d.Class != "" {
		say("Class: %s", c.Name)
	}
	if u, ok := target.UnitBySymbol(d.Unit); ok {
		say("Read as %s", u.Name)
	} else if d.Unit != "" {
		say("Read one unit as %s", figure.Length(d.Metres))
	}
	switch d.Fit {
	case "":
	case ByFactor:
		say("Scale by %s", figure.Significant(d.Factor, 5))
	case Between:
		say("Make the measured distance %s", figure.Length(d.Length))
	default:
		say("Make the %s %s", d.Fit, figure.Length(d.Length))
	}
	if d.Bake != BakeNone {
		of := "all nodes"
		if len(d.Nodes) > 0 {
			of = station.Nodes(d.Nodes)
		}
		say("Bake %s of %s", bakeWords[d.Bake], of)
	}
	return l
}

var bakeWords = map[Bake]string{BakeAll: "rotation and scale", BakeRotation: "rotation", BakeScale: "scale"}
