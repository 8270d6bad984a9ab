package web

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/station"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/guide"
)

//go:embed templates
var templateFiles embed.FS

// version changes whenever a shipped file does, so that browsers keep them for good.
var version = sync.OnceValue(func() string {
	h := sha256.New()
	for _, f := range []embed.FS{static, templateFiles} {
		_ = fs.WalkDir(f, ".", func(path string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				b, _ := f.ReadFile(path)
				fmt.Fprintf(h, "%s %d\n", path, len(b))
				h.Write(b)
			}
			return nil
		})
	}
	return fmt.Sprintf("%x", h.Sum(nil)[:6])
})

// words are what all templates say that takes more than a field.
var words = template.FuncMap{
	"formats":  format.Names,
	"length":   figure.Length,
	"in":       figure.In,
	"imperial": figure.Imperial,
	"area":     figure.Area,
	"volume":   figure.Volume,
	"degrees":  figure.Degrees,
	"count":    figure.Count,
	"plural":   figure.Plural,
	"sig":      figure.Significant,
	"bytes":    figure.Bytes,
	"ago":      func(t time.Time) string { return ago(t, time.Now()) },
	"sev":      draft.SeverityClass,
	"must":     func(s finding.Severity) bool { return s == finding.MustFix },
	"look":     func(s finding.Severity) bool { return s == finding.Look },
	"sentence": func(err error) string { return sentence(err.Error()) },
	"svg":      trusted,
	"static":   func(path string) string { return "/static/" + path + "?v=" + version() },
	"piece":    piece,
	"few":      few,
	"choices":  choices,

	"solidkinds": func() []string { return target.SolidKinds },
	"left":       left,
	"mapx":       func(i int) int { return 266 + 30*i },
	"mapmid":     func(i int) int { return 281 + 30*i },
	"add":        func(a, b int) int { return a + b },
	"f1":         f1,
	"dict":       dict,
	"pairs":      pairs,
	"field":      newField,
	"metres":     metresOf,
	"filled":     filled,
	"plainnum":   plainNumber,
	"tofloat":    func(n int) float64 { return float64(n) },
	"sub":        func(a, b float64) float64 { return a - b },
	"hundred":    func(v float64) float64 { return 100 * v },
	"twice":      func(v float64) float64 { return 2 * v },
	"percent":    func(v float64) string { return figure.Significant(100*v, 2) + "\u202f%" },
	"point":      func(p geom.Vec3) string { return fmt.Sprintf("%.9g,%.9g,%.9g", p[0], p[1], p[2]) },
	"nowhere":    func(p geom.Vec3) bool { return p == geom.Vec3{} },
	"lastname":   station.LastName,
	"some":       station.Some,
	"mark":       guide.Mark,
	"why":        why,
	"extents3":   func() []string { return []string{"Width", "Height", "Depth"} },
	"stationkey": func(n int) string {
		return fmt.Sprint(n % 10)
	},
}

// dict makes the arguments of a nested template.
func dict(args ...any) (map[string]any, error) {
	m := map[string]any{}
	for i := 0; i+1 < len(args); i += 2 {
		k, ok := args[i].(string)
		if !ok {
			return nil, fmt.Errorf("argument %d of dict is no name", i)
		}
		m[k] = args[i+1]
	}
	return m, nil
}

// pairs makes options of values and words in turn.
func pairs(words ...string) [][2]string {
	var list [][2]string
	for i := 0; i+1 < len(words); i += 2 {
		list = append(list, [2]string{words[i], words[i+1]})
	}
	return list
}

// metresOf says a length as a form takes it; none for 0.
func metresOf(m float64) string {
	if s := filled(m); s != "" {
		return s + " m"
	}
	return ""
}

// filled says a number as a form takes it; none for 0.
func filled(v float64) string {
	if v == 0 {
		return ""
	}
	return plainNumber(v)
}

// plainNumber says a number as people type it.
func plainNumber(v float64) string { return fmt.Sprintf("%.6g", v) }

// piece is the part of a list that begins at from and is shown at once.
func piece(list any, from int) any {
	v := reflect.ValueOf(list)
	from = min(from, v.Len())
	return v.Slice(from, min(from+pieceOf, v.Len())).Interface()
}

// fewOf is how many of a list are told that has no pieces.
const fewOf = 40

// few are the first of a list.
func few(list any) any {
	v := reflect.ValueOf(list)
	return v.Slice(0, min(fewOf, v.Len())).Interface()
}

// mostChoices is how many a list has to choose from.
const mostChoices = 300

// choices are the first of a list of options, by value and label, and the one that is chosen.
func choices(list [][2]string, now any) [][2]string {
	if len(list) <= mostChoices {
		return list
	}
	out := slices.Clone(list[:mostChoices])
	for _, o := range list[mostChoices:] {
		if o[0] == now {
			return append(out, o)
		}
	}
	return out
}

// left is how many there are besides the few.
func left(list any) int { return max(0, reflect.ValueOf(list).Len()-fewOf) }

// clip shortens a text to n letters.
func clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}

// ago says when something happened, as a person would.
func ago(t, now time.Time) string {
	t, now = t.Local(), now.Local()
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location()) }
	switch d := int(day(now).Sub(day(t)).Hours() / 24); d {
	case 0:
		return "Today " + t.Format("15:04")
	case 1:
		return "Yesterday " + t.Format("15:04")
	}
	return t.Format("2 Jan 2006")
}

// trusted marks SVG made by packages draft and show, which escape every name.
func trusted(s string) template.HTML { return template.HTML(s) }

// stationPrefix begins the file names of the stations' own templates.
const stationPrefix = "station-"

// shared is what every page and every worksheet may use.
var shared = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("").Funcs(words).ParseFS(templateFiles, "templates/layout.html",
		"templates/shared.html", "templates/forms.html", "templates/floor.html"))
})

// pages holds one template set for each page, all over the one layout. A file whose name goes on from a page's behind a
// hyphen is part of that page: kit-cost of kit.
var pages = sync.OnceValue(func() map[string]*template.Template {
	all := map[string]*template.Template{}
	list, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is sound
	}
	for _, f := range list {
		name := strings.TrimSuffix(strings.TrimPrefix(f, "templates/"), ".html")
		if name == "layout" || name == "shared" || name == "forms" || strings.HasPrefix(name, stationPrefix) {
			continue
		}
		if of, _, ok := strings.Cut(name, "-"); ok && slices.Contains(list, "templates/"+of+".html") {
			continue
		}
		files := []string{f}
		for _, g := range list {
			if strings.HasPrefix(g, "templates/"+name+"-") {
				files = append(files, g)
			}
		}
		all[name] = template.Must(template.Must(shared().Clone()).Funcs(lineupWords).ParseFS(templateFiles, files...))
	}
	return all
})

// worksheets holds one template set for each station, with that station's own words.
var worksheets = sync.OnceValue(func() map[string]*template.Template {
	all := map[string]*template.Template{}
	for _, r := range rooms {
		own := maps.Clone(r.words)
		t := template.Must(shared().Clone()).Funcs(own)
		all[r.id] = template.Must(t.ParseFS(templateFiles, "templates/"+stationPrefix+r.id+".html"))
	}
	return all
})

// controlName is the name of a control in a template, where it is written out.
var controlName = regexp.MustCompile(`(?:name=|field "[^"]*" |"Name" )"([a-z][a-zA-Z0-9]*)"`)

// controlsIn are the names of the controls of some templates.
func controlsIn(files ...string) map[string]bool {
	names := map[string]bool{}
	for _, file := range files {
		b, err := templateFiles.ReadFile("templates/" + file + ".html")
		if err != nil {
			panic(err) // they are embedded
		}
		for _, m := range controlName.FindAllSubmatch(b, -1) {
			names[string(m[1])] = true
		}
	}
	return names
}

// controlsOf are the names of the controls of each station's templates, and targetControls those of a target's: a form
// may be sent with those that the button it was sent by does not need.
var (
	controlsOf = sync.OnceValue(func() map[string]map[string]bool {
		all := map[string]map[string]bool{}
		for _, r := range rooms {
			all[r.id] = controlsIn(stationPrefix+r.id, "forms", "shared")
		}
		return all
	})
	targetControls = sync.OnceValue(func() map[string]bool { return controlsIn("target", "forms", "shared") })
)

// worksheetHTML renders a station's worksheet.
func worksheetHTML(r room, data any) (template.HTML, error) {
	var buf bytes.Buffer
	if err := worksheets()[r.id].ExecuteTemplate(&buf, "worksheet", data); err != nil {
		return "", err
	}
	return template.HTML(buf.String()), nil // html/template has escaped it
}

// page is what every page gets.
type page struct {
	Title string
	Name  string
	Data  any
}

// render answers with a whole page.
func (s *Server) render(w http.ResponseWriter, status int, name, title string, data any) {
	s.write(w, status, pages()[name], "layout", page{title, name, data})
}

// explained are the pages whose trade words are marked in all that can be worked on; a worksheet marks its own, since
// it is sent without its page too.
var explained = map[string]bool{"kits": true, "kit": true, "target": true, "learn": true}

// withWords marks the trade words of a page.
func withWords(b []byte) []byte {
	from, to := bytes.Index(b, []byte("<main")), bytes.LastIndex(b, []byte("</main>"))
	if from < 0 || to < from {
		return b
	}
	return slices.Concat(b[:from], []byte(guide.Mark(template.HTML(b[from:to]))), b[to:])
}

// fragment renders one named part of a page.
func (s *Server) fragment(w http.ResponseWriter, page, name string, data any) error {
	s.write(w, http.StatusOK, pages()[page], name, data)
	return nil
}

// write answers with one template of a set. Nothing is sent until it came out
// whole.
func (s *Server) write(w http.ResponseWriter, status int, set *template.Template, name string, data any) {
	var buf bytes.Buffer
	if err := set.ExecuteTemplate(&buf, name, data); err != nil {
		s.log.Error("template failed", "template", name, "error", err)
		http.Error(w, "This page could not be put together; the log has the details.", http.StatusInternalServerError)
		return
	}
	b := buf.Bytes()
	if p, ok := data.(page); ok && explained[p.Name] {
		b = withWords(b)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(b)
}
