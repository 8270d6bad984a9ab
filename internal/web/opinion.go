package web

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/internal/work"
)

// largeForBrowser is how many triangles a browser is given to read unasked.
const largeForBrowser = 150_000

// opinionView is what readers of another make say of an export, or how the browser that shows the page is asked.
type opinionView struct {
	work.Opinion
	Export    int64
	Ask       bool
	Main, MTL string // addresses of the file, and of its materials where these lie beside it
	Large     bool
	Triangles int
	Failed    string // why it said nothing, "" otherwise
}

func (s *Server) opinionOf(ctx context.Context, e work.Sent) (opinionView, error) {
	list, err := s.desk.Opinions(ctx, e)
	v := opinionView{Export: e.ID}
	if err != nil || e.Certificate.Figures == nil || len(e.Packing.Files) == 0 {
		return v, err
	}
	if len(list) > 0 {
		v.Opinion = list[0]
		return v, nil
	}
	at := func(name string) string { return fileOfExport(e.ID, name) }
	v.Ask, v.Main, v.Triangles = true, at(e.Packing.Files[0].Name), e.Certificate.Figures.Triangles
	v.Large = v.Triangles > largeForBrowser
	for _, f := range e.Packing.Files[1:] {
		if strings.HasSuffix(f.Name, ".mtl") {
			v.MTL = at(f.Name)
			break
		}
	}
	return v, nil
}

// fileOfExport is the address of one file of an export.
func fileOfExport(export int64, name string) string {
	u := url.URL{Path: fmt.Sprintf("/exports/%d/files/%s", export, name)}
	return u.EscapedPath()
}

// takeOpinion keeps what a reader says of an export, and shows it.
func (s *Server) takeOpinion(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	f := parse(w, r)
	reader, figures, failed := f.str("reader"), f.raw("figures"), f.str("failed")
	if err := first(err, f.end()); err != nil {
		return err
	}
	if failed == "" {
		if err := s.desk.TakeOpinion(r.Context(), eid, reader, []byte(figures)); err != nil {
			return err
		}
	}
	e, err := s.desk.Sent(r.Context(), eid)
	if err != nil {
		return err
	}
	v, err := s.opinionOf(r.Context(), e)
	if err != nil {
		return err
	}
	if failed != "" {
		v.Failed, v.Large = "This browser could not read it: "+sentence(failed), false
	}
	return s.fragment(w, "packing", "opinion", v)
}

// exportFile sends one file of an export.
func (s *Server) exportFile(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	name := chi.URLParam(r, "*")
	if plain, err := url.PathUnescape(name); err == nil && r.URL.RawPath != "" {
		name = plain
	}
	f, err := s.desk.FileOf(r.Context(), eid, name)
	if err != nil {
		return err
	}
	defer f.Close()
	attachment(w, work.MediaType(name), name)
	_, err = io.Copy(w, f)
	return err
}
