package web

import (
	"fmt"
	"html/template"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/axes"
	"yarvek/internal/show"
)

var axesRoom = room{
	id:     axes.Info.ID,
	decode: decideAxes,
	page: func(c *call, ws worksheet) (any, error) {
		rep := c.o.Result.Axes
		st, err := rep.Standing(c.r.Context())
		if err != nil {
			return nil, err
		}
		return axesPage{ws, rep, c.o.Prep.Axes, st, show.StancesOf(c.o, st)}, nil
	},
	words: template.FuncMap{
		"facingwords": func(i int) string { return [...]string{"front", "left side", "back", "right side"}[i] },
		"turnwords":   func() []turn { return turns },
		"ordinal":     ordinal,
		"percent":     func(v float64) string { return figure.Significant(100*v, 2) + "\u202f%" },
		"abouts": func() [][2]string {
			return [][2]string{{string(axes.AboutUp), "the upright"}, {string(axes.AboutRight), "the sideways axis"},
				{string(axes.AboutForward), "the front axis"}}
		},
	},
}

// axesPage is what Axes' worksheet shows.
type axesPage struct {
	worksheet
	Report   *axes.Report
	Decided  axes.Decisions
	Standing axes.Standing
	Small    show.Stances
}

// Drawing is the address of a small drawing.
func (p axesPage) Drawing(t show.Turn) string {
	return fmt.Sprintf("%s/small.svg?turn=%s&of=%s", p.Asset(), t, p.Small.Of)
}

// Posed tells whether a pose is decided.
func (p axesPage) Posed() bool { return p.Decided.Pose != geom.Vec3{} }

// Ranked lists the stances, the best first.
func (p axesPage) Ranked() []axes.Stance {
	list := slices.Clone(p.Standing.Stances)
	slices.SortStableFunc(list, func(a, b axes.Stance) int { return a.Rank - b.Rank })
	return list
}

// HeightWords says where the lowest point is against the origin.
func (p axesPage) HeightWords() string {
	switch low := p.Report.Low; {
	case math.Abs(low) < 1e-6:
		return "Its lowest point is at the origin’s height"
	case low > 0:
		return "Its lowest point came " + figure.Length(low) + " above the origin"
	default:
		return "Its lowest point came " + figure.Length(-low) + " below the origin"
	}
}

// turn is one of the quarter-turn buttons.
type turn struct {
	ID, About, Label, Degrees string
}

var turns = []turn{
	{"left", "up", "Quarter left", "90"}, {"right", "up", "Quarter right", "-90"}, {"round", "up", "Half round", "180"},
	{"back", "right", "Tip back", "90"}, {"forth", "right", "Tip forth", "-90"},
	{"rollleft", "forward", "Roll left", "90"}, {"rollright", "forward", "Roll right", "-90"},
}

// ordinal is a number as 1st, 2nd, 3rd.
func ordinal(n int) string {
	if n < 1 || n > 6 {
		return fmt.Sprint(n)
	}
	return [...]string{"1st", "2nd", "3rd", "4th", "5th", "6th"}[n-1]
}

// decideAxes turns Axes’ form into decisions.
func decideAxes(f *form, p *prep.Prep) {
	d := &p.Axes
	switch f.str("act") {
	case "stand":
		d.Up, d.Forward, d.Turns, d.Pose = f.axis("axis"), geom.NoAxis, nil, geom.Vec3{}
	case "face":
		d.Forward = f.axis("axis")
		if f.has("up") {
			d.Up = f.axis("up")
		}
	case "turn":
		d.Turns = turned(d.Turns, axes.Turn{About: axes.About(f.str("about")), Degrees: f.number("degrees", "The angle")})
	case "pose":
		d.Pose, d.Turns = f.point("pose"), nil
	case "drop":
		d.Drop = f.on("drop")
	case "asread":
		*d = axes.Decisions{}
	default:
		f.unknown()
	}
}

// turned adds a turn. Turning on about the same axis adds up, and a full circle is no
// turn.
func turned(list []axes.Turn, t axes.Turn) []axes.Turn {
	list = slices.Clone(list)
	if n := len(list); n > 0 && list[n-1].About == t.About {
		list[n-1].Degrees += t.Degrees
		if math.Mod(list[n-1].Degrees, 360) == 0 {
			list = list[:n-1]
		}
	} else if t.Degrees != 0 {
		list = append(list, t)
	}
	return list
}
