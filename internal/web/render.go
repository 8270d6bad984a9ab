package web

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"time"

	"yarvek/core/figure"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

//go:embed templates
var templateFiles embed.FS

// version changes whenever a shipped file does, so that browsers keep them for good.
var version = func() string {
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
}()

var funcs = template.FuncMap{
	"length":   figure.Length,
	"in":       figure.In,
	"imperial": figure.Imperial,
	"area":     figure.Area,
	"volume":   figure.Volume,
	"degrees":  figure.Degrees,
	"count":    figure.Count,
	"plural":   figure.Plural,
	"sig":      figure.Significant,
	"bytes":    work.Bytes,
	"ago":      func(t time.Time) string { return work.Ago(t, time.Now()) },
	"sev":      draft.SeverityClass,
	"svg":      trusted,
	"static":   func(path string) string { return "/static/" + path + "?v=" + version },
	"add":      func(a, b int) int { return a + b },
	"unit":     func(m float64) string { return target.UnitFor(m).Name },
	"f1":       func(v float64) string { return fmt.Sprintf("%.1f", v) },
	"indent":   func(depth int) string { return fmt.Sprintf("depth-%d", min(depth, 8)) },
	"dict":     dict,
	"plainNum": func(v float64) string { return fmt.Sprintf("%.6g", v) },
}

// dict makes the arguments of a nested template.
func dict(pairs ...any) (map[string]any, error) {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		k, ok := pairs[i].(string)
		if !ok {
			return nil, fmt.Errorf("argument %d of dict is no name", i)
		}
		m[k] = pairs[i+1]
	}
	return m, nil
}

// pages holds one template set for each page, all over the one layout.
var pages = func() map[string]*template.Template {
	base := template.Must(template.New("").Funcs(funcs).Funcs(words).ParseFS(templateFiles, "templates/layout.html", "templates/shared.html"))
	all := map[string]*template.Template{}
	list, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		panic(err)
	}
	for _, f := range list {
		name := f[len("templates/") : len(f)-len(".html")]
		if name == "layout" || name == "shared" {
			continue
		}
		t := template.Must(template.Must(base.Clone()).ParseFS(templateFiles, f))
		if name == "sheet" {
			template.Must(t.ParseFS(templateFiles, "templates/station-*.html"))
		}
		all[name] = t
	}
	return all
}()

// view is what every page gets.
type view struct {
	Title string
	Page  string
	Data  any
}

func (s *Server) render(w http.ResponseWriter, r *http.Request, status int, page, title string, data any) {
	s.write(w, status, page, "layout", view{title, page, data})
}

// fragment renders one named part of a page.
func (s *Server) fragment(w http.ResponseWriter, page, name string, data any) error {
	s.write(w, http.StatusOK, page, name, data)
	return nil
}

func (s *Server) write(w http.ResponseWriter, status int, page, name string, data any) {
	var buf bytes.Buffer
	if err := pages[page].ExecuteTemplate(&buf, name, data); err != nil {
		s.log.Error("template failed", "page", page, "error", err)
		http.Error(w, "This page could not be put together; the log has the details.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = buf.WriteTo(w)
}
