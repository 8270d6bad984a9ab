package web

import (
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/target"
	"yarvek/internal/demo"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

func (s *Server) kits(w http.ResponseWriter, r *http.Request) error {
	kits, err := s.desk.Store.Kits(r.Context())
	if err != nil {
		return err
	}
	s.render(w, r, http.StatusOK, "kits", "Kits · Yarvek", map[string]any{"Kits": kits, "Targets": target.Shipped, "Limit": s.desk.Limits.Upload})
	return nil
}

func (s *Server) newKit(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	name, err := work.CleanName(f.str("name"))
	t, ok := target.ByID(f.str("target"))
	if !ok {
		f.fail("choose a target")
	}
	if err := errors.Join(f.err, err); err != nil {
		return first(f.err, err)
	}
	k, err := s.desk.Store.NewKit(r.Context(), name, t)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", k.ID)
}

func first(errs ...error) error {
	for _, e := range errs {
		if e != nil {
			return e
		}
	}
	return nil
}

func (s *Server) demoKit(w http.ResponseWriter, r *http.Request) error {
	k, err := demo.Fill(r.Context(), s.desk)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", k.ID)
}

// startWithFiles makes the first kit for files dropped where there is none yet.
func (s *Server) startWithFiles(w http.ResponseWriter, r *http.Request) error {
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	k, err := s.desk.Store.NewKit(r.Context(), "First kit", target.Shipped[0])
	if err != nil {
		return err
	}
	return s.showJob(w, s.desk.TakeIn(k.ID, u))
}

func (s *Server) kit(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	k, rows, err := s.desk.Overview(r.Context(), kid)
	if err != nil {
		return err
	}
	removed, err := s.desk.Store.Assets(r.Context(), kid, true)
	if err != nil {
		return err
	}
	fit := r.URL.Query().Get("lineup") == "fit"
	ready, look, held := 0, 0, 0
	for _, row := range rows {
		switch {
		case row.Summary.MustFix > 0 || row.Summary.Unread != "":
			held++
		case row.Summary.Look > 0:
			look++
		default:
			ready++
		}
	}
	s.render(w, r, http.StatusOK, "kit", k.Name+" · Yarvek", map[string]any{"Kit": k, "Rows": rows, "Targets": target.Shipped,
		"Lineup": work.Arrange(rows, fit, 1248), "Fit": fit, "Ready": ready, "Look": look, "Held": held, "Removed": removed,
		"Limit": s.desk.Limits.Upload})
	return nil
}

func (s *Server) setTarget(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	if err := first(err, f.err); err != nil {
		return err
	}
	if err := s.desk.SetTarget(r.Context(), kid, f.str("target")); err != nil {
		return err
	}
	return backTo(w, r, f, kid)
}

// backTo sends the browser to the sheet a form of the kit stood on, or to the kit.
func backTo(w http.ResponseWriter, r *http.Request, f *form, kit int64) error {
	if back := f.str("back"); strings.HasPrefix(back, "/assets/") {
		return seeOther(w, r, "%s", back)
	}
	return seeOther(w, r, "/kits/%d", kit)
}

func (s *Server) renameKit(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	name, nameErr := work.CleanName(f.str("name"))
	if err := first(err, f.err, nameErr); err != nil {
		return err
	}
	k, err := s.desk.Store.Kit(r.Context(), kid)
	if err != nil {
		return err
	}
	if err := s.desk.Store.UpdateKit(r.Context(), kid, name, k.Target); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", kid)
}

// receive streams the files of an upload to the store, part by part.
func (s *Server) receive(w http.ResponseWriter, r *http.Request) (*work.Upload, error) {
	// Room for the parts' headers comes on top of the files themselves.
	r.Body = http.MaxBytesReader(w, r.Body, s.desk.Limits.Upload+16<<20)
	mr, err := r.MultipartReader()
	if err != nil {
		return nil, fmt.Errorf("%wno files were sent: %v", work.ErrInput, err)
	}
	u := s.desk.NewUpload()
	for {
		p, err := mr.NextRawPart()
		if errors.Is(err, io.EOF) {
			return u, nil
		}
		if err != nil {
			return nil, err
		}
		name := fileName(p.Header.Get("Content-Disposition"))
		if name == "" {
			continue
		}
		if err := u.Add(name, p); err != nil {
			return nil, err
		}
	}
}

func (s *Server) addFiles(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	if _, err := s.desk.Store.Kit(r.Context(), kid); err != nil {
		return err
	}
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	return s.showJob(w, s.desk.TakeIn(kid, u))
}

func (s *Server) showJob(w http.ResponseWriter, j *work.Job) error {
	return s.fragment(w, "job", "job", j.State())
}

func (s *Server) job(w http.ResponseWriter, r *http.Request) error {
	j, ok := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if !ok {
		return store.ErrNotFound
	}
	return s.showJob(w, j)
}

func (s *Server) cancelJob(w http.ResponseWriter, r *http.Request) error {
	j, ok := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if !ok {
		return store.ErrNotFound
	}
	j.Cancel()
	return s.showJob(w, j)
}

func (s *Server) exports(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	k, err := s.desk.Store.Kit(r.Context(), kid)
	if err != nil {
		return err
	}
	list, err := s.desk.Deliveries(r.Context(), kid, 0)
	if err != nil {
		return err
	}
	s.render(w, r, http.StatusOK, "exports", "Exports · "+k.Name, map[string]any{"Kit": k, "List": list})
	return nil
}

func (s *Server) download(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	e, err := s.desk.Store.Export(r.Context(), eid)
	if err != nil {
		return err
	}
	f, err := s.desk.Store.OpenBlob(e.SHA)
	if err != nil {
		return err
	}
	defer f.Close()
	w.Header().Set("Content-Type", work.MediaType(e.Name))
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": e.Name}))
	http.ServeContent(w, r, "", e.Created, f)
	return nil
}

// part is something shipped with Yarvek.
type part struct{ Name, Version, Use, Licence, Text string }

func (s *Server) parts(w http.ResponseWriter, r *http.Request) error {
	list := []part{
		{"Bootstrap", "5.3.9", "base of the style sheet", "MIT", "bootstrap"},
		{"htmx", "2.0.11", "swaps parts of a page", "0BSD", "htmx"},
		{"three.js", "0.187.0", "draws the turntable", "MIT", "three"},
		{"Archivo", "5.3.0", "type for words", "SIL OFL 1.1", "archivo"},
		{"IBM Plex Mono", "5.3.0", "type for figures", "SIL OFL 1.1", "ibm-plex-mono"},
	}
	for i := range list {
		b, err := static.ReadFile("static/vendor/licences/" + list[i].Text + ".txt")
		if err != nil {
			return err
		}
		list[i].Text = string(b)
	}
	s.render(w, r, http.StatusOK, "parts", "Parts and licences · Yarvek", map[string]any{"Parts": list, "Modules": modules()})
	return nil
}

// trusted marks SVG made by package draft, which escapes every name.
func trusted(s string) template.HTML { return template.HTML(s) }

// setGrid gives a kit the module of its pieces; an empty length takes it away.
func (s *Server) setGrid(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	grid := 0.0
	if f.str("grid") != "" {
		if grid = f.length("grid", "The grid"); f.err == nil && !(grid == 0 || grid >= 0.001 && grid <= 1000) {
			f.fail("a grid of %g m can't be meant: give a length from 1 mm to 1 km, or nothing", grid)
		}
	}
	if err := first(err, f.err); err != nil {
		return err
	}
	if err := s.desk.Store.SetGrid(r.Context(), kid, grid); err != nil {
		return err
	}
	return backTo(w, r, f, kid)
}
