package show

import (
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/station/size"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// sizeFace shows dimensions, in rust when the size can't be right, and known things.
var sizeFace = face{
	id:  size.Info.ID,
	ask: draft.Ask{Known: true},
	layers: func(v view) []draft.Layer {
		worst, _ := v.stop.Report.Stands()
		list := []draft.Layer{draft.Dimensions{Alarm: worst == finding.MustFix}}
		if d := v.Prep.Size; d.Fit == size.Between {
			list = append(list, ruleOf(v, d.From, d.To))
		}
		return list
	},
	outline: outlineOfScene,
}

// Measured is a distance between two picked points.
type Measured struct {
	From, To geom.Vec3 // metres, as Source leaves them
	Length   float64   // metres, as the station shows it
	Along    geom.Vec3 // sideways, up and frontward share of it; metres
}

// Measure tells how far two points, as Source leaves them, are apart at a station. The
// error is a *station.UnknownError.
func Measure(o *work.Opened, id string, from, to geom.Vec3) (Measured, error) {
	v, err := look(o, id, 0)
	if err != nil {
		return Measured{}, err
	}
	return measure(v, from, to), nil
}

// measure is the distance between two points as Source leaves them, told in metres after
// the station.
func measure(v view, from, to geom.Vec3) Measured {
	d := v.onPaper.Apply(to).Sub(v.onPaper.Apply(from))
	for k := range 3 {
		d[k] = max(d[k], -d[k])
	}
	return Measured{from, to, d.Len(), d}
}

// ruleOf draws that distance on the paper.
func ruleOf(v view, from, to geom.Vec3) draft.Rule {
	return draft.Rule{From: v.onPaper.Apply(from), To: v.onPaper.Apply(to),
		Figure: figure.Length(measure(v, from, to).Length)}
}
