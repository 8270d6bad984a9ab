package web

import (
	"fmt"
	"html"
	"html/template"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
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
	"under2":       work.Leave,
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
	"short":        func(s string) string { return clip(s, 16) },
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
