package web

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/class"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/axes"
	"yarvek/core/station/export"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// decoders turn a station's form into decisions and a label for undo. Each form
// has an "act" that says which of the station's controls was used.
var decoders = map[string]func(f *form, p *prep.Prep) string{
	"source": decideSource,
	"size":   decideSize,
	"axes":   decideAxes,
	"pivot":  decidePivot,
	"export": decideExport,
}

func decideSize(f *form, p *prep.Prep) string {
	d := &p.Size
	switch f.str("act") {
	case "class":
		d.Class = f.str("class")
		return "Class: " + class.ByID(d.Class).Name
	case "unit":
		d.Unit, d.Metres = f.str("unit"), 0
		if d.Unit == "custom" {
			d.Metres = f.length("metres", "One unit")
			return "Read one unit as " + figure.Length(d.Metres)
		}
		if u, ok := target.UnitBySymbol(d.Unit); ok {
			return "Read as " + u.Name
		}
		return "Read as the file says"
	case "fit":
		d.Fit, d.Factor, d.From, d.To = size.Extent(f.str("fit")), 0, geom.Vec3{}, geom.Vec3{}
		d.Length = f.length("length", "The length")
		return fmt.Sprintf("Make the %s %s", d.Fit, figure.Length(d.Length))
	case "between":
		d.Fit, d.Factor = size.Between, 0
		d.From, d.To = f.point("from"), f.point("to")
		d.Length = f.length("length", "The length")
		return "Make the measured distance " + figure.Length(d.Length)
	case "factor":
		d.Fit, d.Length, d.From, d.To = size.ByFactor, 0, geom.Vec3{}, geom.Vec3{}
		d.Factor = f.number("factor", "The factor")
		return "Scale by " + figure.Significant(d.Factor, 5)
	case "nofit":
		d.Fit, d.Length, d.Factor, d.From, d.To = "", 0, 0, geom.Vec3{}, geom.Vec3{}
		return "Keep the scale"
	case "bake":
		d.Bake, d.Nodes = size.Bake(f.str("bake")), f.strs("node")
		if d.Bake == size.BakeNone {
			d.Nodes = nil
			return "Bake nothing"
		}
		if n := len(d.Nodes); n > 0 {
			return fmt.Sprintf("Bake %s of %s", bakeWord(d.Bake), figure.Plural(n, "node", "nodes"))
		}
		return "Bake " + bakeWord(d.Bake)
	}
	f.fail("nothing was chosen")
	return ""
}

func decideAxes(f *form, p *prep.Prep) string {
	d := &p.Axes
	axis := func(name string) geom.Axis {
		a, err := geom.ParseAxis(f.str(name))
		if err != nil {
			f.fail("%v", err)
		}
		return a
	}
	switch f.str("act") {
	case "stand":
		d.Up, d.Forward, d.Turns, d.Pose = axis("axis"), geom.NoAxis, nil, geom.Vec3{}
		return "Stand with " + d.Up.String() + " up"
	case "face":
		d.Forward = axis("axis")
		if f.has("up") {
			d.Up = axis("up")
		}
		return "Face " + d.Forward.String()
	case "hand":
		d.Hand = f.str("hand")
		return "Read as " + d.Hand + "-handed"
	case "turn":
		deg := f.number("degrees", "The angle")
		t := axes.Turn{About: axes.About(f.str("about")), Degrees: deg}
		turns := slices.Clone(d.Turns)
		// Turning on about the same axis adds up, and a full circle is no turn.
		if n := len(turns); n > 0 && turns[n-1].About == t.About {
			turns[n-1].Degrees += deg
			if turns[n-1].Degrees == float64(int(turns[n-1].Degrees/360)*360) {
				turns = turns[:n-1]
			}
		} else if deg != 0 {
			turns = append(turns, t)
		}
		d.Turns = turns
		return fmt.Sprintf("Turn %s° about %s", figure.Significant(deg, 4), t.About)
	case "pose":
		d.Pose, d.Turns = f.point("pose"), nil
		if d.Pose == (geom.Vec3{}) {
			return "Rest as it stands"
		}
		return "Rest it on the ground another way"
	case "drop":
		if d.Drop = f.str("drop") == "on"; d.Drop {
			return "Drop it to the ground"
		}
		return "Leave its height"
	case "asread":
		*d = axes.Decisions{}
		return "Stand and face as read"
	}
	f.fail("nothing was chosen")
	return ""
}

func bakeWord(b size.Bake) string {
	if b == size.BakeAll {
		return "rotation and scale"
	}
	return string(b)
}

// placeName says a point of the box in words.
func placeName(at [3]int) string {
	v := [3]string{"at the base", "at mid-height", "at the top"}[at[1]+1]
	h := [3]string{"right", "", "left"}[at[0]+1] // as seen from the front, like the drawing
	d := [3]string{"back", "", "front"}[at[2]+1]
	switch s := strings.TrimSpace(d + " " + h); {
	case s != "":
		return v + ", " + s
	case at[1] == 0:
		return "at the centre"
	default:
		return strings.Replace(v, "at the", "at the centre of the", 1)
	}
}

// gridCell is one of the 27 places.
type gridCell struct {
	Box    string
	Name   string
	Chosen bool
}

type gridLayer struct {
	Name string
	Rows [][]gridCell
}

// pivotGrid lists the 27 places as three layers seen from above, the back first,
// as the plan on the drawing shows them: the asset's own right lies to the left.
func pivotGrid(sh *work.Sheet) []gridLayer {
	d := sh.Prep.Pivot
	var layers []gridLayer
	for _, up := range []int{1, 0, -1} {
		l := gridLayer{Name: [3]string{"Base", "Mid-height", "Top"}[up+1]}
		for _, fwd := range []int{-1, 0, 1} {
			var row []gridCell
			for _, right := range []int{1, 0, -1} {
				at := [3]int{right, up, fwd}
				row = append(row, gridCell{fmt.Sprintf("%d,%d,%d", right, up, fwd), placeName(at), d.Place == pivot.OnBox && d.Box == at})
			}
			l.Rows = append(l.Rows, row)
		}
		layers = append(layers, l)
	}
	return layers
}

func decideExport(f *form, p *prep.Prep) string {
	d := export.Decisions{Format: f.str("format"), Name: f.str("name"), Bake: f.str("bake") == "on", Triangles: f.str("triangles") == "on", Tangents: f.str("tangents") == "on"}
	if d.Name != "" {
		name, err := work.CleanName(d.Name)
		if err != nil {
			f.fail("%v", err)
		}
		d.Name = name
	}
	p.Export = d
	return "Export as " + d.FormatID()
}
