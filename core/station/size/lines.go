package size

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station"
	"yarvek/core/target/class"
)

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if c, ok := class.Find(class.Usual, d.Class); !ok {
		say("Class: %s", d.Class) // one of a target of one's own
	} else if d.Class != "" {
		say("Class: %s", c.Name)
	}
	if u, ok := figure.UnitBySymbol(d.Unit); ok {
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
		along := ""
		for k, v := range d.Along {
			if math.Abs(v) == 1 {
				along = ", along the file’s " + geom.Axes[2*k].Letter()
			}
		}
		if along == "" && d.Along != (geom.Vec3{}) {
			along = ", along a direction of the file"
		}
		say("Make the %s %s%s", d.Fit, figure.Length(d.Length), along)
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
