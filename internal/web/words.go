package web

import (
	"fmt"
	"html"
	"html/template"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/axes"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// What templates say that takes more than a field: words and small computations
// for the pages alone.
var words = template.FuncMap{
	"list2":      pairs,
	"names3":     func() []string { return []string{"Width", "Height", "Depth"} },
	"xyz":        func() []string { return []string{"X", "Y", "Z"} },
	"lowerx":     strings.ToLower,
	"fits":       func() []string { return []string{"height", "width", "depth", "longest"} },
	"singular":   singular,
	"stationkey": func(n int) string { return fmt.Sprint(n % 10) },
	"savedline":  savedLine,
	"meshnodes":  meshNodes,
	"keepable": func(n source.Node) bool {
		return n.Kind == scene.KindMesh || n.Kind == scene.KindEmpty || n.Kind == scene.KindLOD
	},
	"short3":       short3,
	"facingwords":  func() []string { return []string{"front", "left side", "back", "right side"} },
	"turnwords":    turnWords,
	"isfbx":        func(id string) bool { return strings.HasPrefix(id, "fbx") },
	"polygonal":    func(id string) bool { return strings.HasPrefix(id, "fbx") || id == "obj" },
	"openfindings": openFindings,
	"arrives":      arrives,
	"tickx":        func(long float64) string { return fmt.Sprintf("%.1f", 46-long) },
	"ty":           func(y float64) string { return fmt.Sprintf("%.1f", y+4) },
	"ty2":          func(h float64) string { return fmt.Sprintf("%.1f", h-10) },
	"under":        func(y float64, by int) string { return fmt.Sprintf("%.1f", y+float64(by)) },
	"personmid":    func(x, k float64) string { return fmt.Sprintf("%.1f", x+max(14, 0.25*k)) },
	"person":       func(x, y, k float64) template.HTML { return trusted(draft.Person(x+max(0, 14-0.25*k), y, k)) },
	"figureOf":     lineupFigure,
	"point":        func(p geom.Vec3) string { return fmt.Sprintf("%.9g,%.9g,%.9g", p[0], p[1], p[2]) },
	"lastname":     lastName,
	"seatname":     seatName,
	"nodewords":    nodeWords,
	"namelist":     func(l []string) string { return clip(strings.Join(l, ", "), 60) },
	"millimetres":  func(m float64) string { return figure.Significant(m*1000, 2) + "\u2009mm" },
	"ordinal":      ordinal,
	"ranked":       ranked,
	"percent":      func(v float64) string { return figure.Significant(100*v, 2) + "\u2009%" },
	"heightwords":  heightWords,
	"fitwords":     fitWords,
	"offwords":     offWords,
	"cells":        func(n int, grid float64) string { return fmt.Sprintf("%.9g", float64(n)*grid) },
	"meetwords":    meetWords,
	"partkeys":     partKeys,
	"treekinds": func() [][2]string {
		return [][2]string{{"mesh", "meshes"}, {"kept", "going on"}, {"left", "left behind"}, {"stray", "strays"}, {"instance", "instances"}, {"idle", "names that say nothing"}, {"empty", "empty nodes"}, {"guide", "guides"}, {"camera", "cameras"}, {"light", "lights"}}
	},
	"rulekinds": func() []string { return source.Kinds },
	"headings": func() [][3]string {
		return [][3]string{{"left", "90", "Quarter left"}, {"right", "-90", "Quarter right"}, {"round", "180", "Half round"}}
	},
	"drops": func() [][2]string {
		return [][2]string{{"", "Where picked"}, {"ground", "To the ground"}, {"surface", "To the surface below"}}
	},
	"short": func(s string) string { return clip(s, 16) },
}

func pairs(words ...string) [][2]string {
	var list [][2]string
	for i := 0; i+1 < len(words); i += 2 {
		list = append(list, [2]string{words[i], words[i+1]})
	}
	return list
}

func clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}

func singular(name string) string {
	switch name {
	case "inches":
		return "inch"
	case "feet":
		return "foot"
	}
	return strings.TrimSuffix(name, "s")
}

func savedLine(sh *work.Sheet) string {
	if sh.History.Seq == 0 {
		return "Nothing decided yet; the source is as it came"
	}
	return fmt.Sprintf("Saved, decision %d: %s", sh.History.Seq, sh.History.Label)
}

func meshNodes(r *source.Report) int {
	n := 0
	for _, d := range r.Nodes {
		if d.Triangles > 0 {
			n++
		}
	}
	return n
}

// short3 fits three extents into a column; each station's worksheet has them in full.
func short3(v geom.Vec3) string {
	return figure.Significant(v[0], 3) + "×" + figure.Significant(v[1], 3) + "×" + figure.Significant(v[2], 3)
}

// turn is one of the quarter-turn buttons.
type turn struct {
	ID, About, Label string
	Degrees          int
}

func turnWords() []turn {
	return []turn{
		{"left", "up", "Quarter left", 90}, {"right", "up", "Quarter right", -90}, {"round", "up", "Half round", 180},
		{"back", "right", "Tip back", 90}, {"forth", "right", "Tip forth", -90},
		{"rollleft", "forward", "Roll left", 90}, {"rollright", "forward", "Roll right", -90},
	}
}

func openFindings(r *prep.Result) int {
	n := 0
	for _, st := range prep.Stations {
		for _, f := range r.Findings(st.ID) {
			if f.Severity == finding.MustFix {
				n++
			}
		}
	}
	return n
}

// arrives says in what frame a file of the format is written.
func arrives(id string, t target.Target) string {
	basis, unit := t.FileFrame(id)
	if strings.HasPrefix(id, "fbx") {
		return fmt.Sprintf("Written in the target's own frame: %s up, %s-handed, %s. The file declares it; node transforms are kept.", basis.Up, basis.Handedness(), target.UnitFor(unit).Name)
	}
	if id == "obj" {
		return fmt.Sprintf("Written in the target's own frame: %s up, %s-handed, %s. The file can't say so.", basis.Up, basis.Handedness(), target.UnitFor(unit).Name)
	}
	return "Written in the frame glTF fixes: +Y up, right-handed, metres. A receiver turns it to " + t.Basis.Up.String() + " up by itself."
}

// lineupFigure places an asset's kept front view on the line-up.
func lineupFigure(p work.Place, ground float64) template.HTML {
	v := p.Summary.View
	if v.Width == 0 && v.Height == 0 || p.Scale == 0 {
		return ""
	}
	return trusted(fmt.Sprintf(`<g transform="translate(%.2f %.2f) scale(%.5f)">%s</g><title>%s</title>`,
		p.X-p.W/2, ground, p.Scale, v.SVG(0, 0), html.EscapeString(p.Asset.Name)))
}

// nodeWords says below a node's name what it is besides a mesh.
func nodeWords(n source.Node) string {
	var w []string
	if n.Kind != scene.KindMesh {
		w = append(w, string(n.Kind))
	}
	if n.Instance {
		w = append(w, "instance")
	}
	for _, l := range n.Lone {
		if l != string(n.Kind) {
			w = append(w, l)
		}
	}
	if n.Group != "" {
		w = append(w, "in "+n.Group)
	}
	return strings.Join(append(w, n.Slots...), ", ")
}

func ordinal(n int) string {
	if n < 1 || n > 6 {
		return fmt.Sprint(n)
	}
	return [...]string{"1st", "2nd", "3rd", "4th", "5th", "6th"}[n-1]
}

func ranked(list []axes.Stance) []axes.Stance {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b axes.Stance) int { return a.Rank - b.Rank })
	return list
}

// heightWords says where the lowest point is against the origin.
func heightWords(r *axes.Report) string {
	switch {
	case math.Abs(r.Low) < 1e-6:
		return "Its lowest point is at the origin’s height"
	case r.Low > 0:
		return "Its lowest point came " + figure.Length(r.Low) + " above the origin"
	}
	return "Its lowest point came " + figure.Length(-r.Low) + " below the origin"
}

// fitWords says the decision on the scale.
func fitWords(d size.Decisions) string {
	switch d.Fit {
	case size.ByFactor:
		return "Scaled by " + figure.Significant(d.Factor, 5) + "."
	case size.Between:
		return "Scaled so that the measured distance is " + figure.Length(d.Length) + "."
	}
	return fmt.Sprintf("Scaled so that the %s is %s.", d.Fit, figure.Length(d.Length))
}

func offWords(by float64) string {
	if by < 0 {
		return figure.Length(-by) + " short of"
	}
	return figure.Length(by) + " longer than"
}

// meetWords says why a piece would not meet its neighbours.
func meetWords(p work.Piece) string {
	var w []string
	for k, n := range []string{"width", "", "depth"} {
		if n != "" && math.Abs(p.Over[k]) >= 0.0005 {
			word := "too long"
			if p.Over[k] < 0 {
				word = "short"
			}
			w = append(w, fmt.Sprintf("%s %s %s", n, figure.Length(math.Abs(p.Over[k])), word))
		}
	}
	if p.Off >= 0.0005 {
		w = append(w, "pivot "+figure.Length(p.Off)+" off")
	}
	if len(w) == 0 {
		return "no whole number of cells"
	}
	return strings.Join(w, ", ")
}

// partKeys lists the parts whose own origin can be seated, by key and name.
func partKeys(r *prep.Result) [][2]string {
	var list [][2]string
	keys := r.Stood.Keys()
	for i, n := range r.Stood.Nodes {
		if n.Mesh >= 0 {
			list = append(list, [2]string{keys[i], n.Name})
		}
	}
	return list
}
