package web

import (
	"mime"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"yarvek/core/format/bundle"
	"yarvek/internal/work"
)

// attachment says that what follows is a file of a name, to be kept.
func attachment(w http.ResponseWriter, kind, name string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Cache-Control", "private, no-cache")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
}

// original sends all files of a revision, as they came, in a zip.
func (s *Server) original(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(chi.URLParam(r, "revision"))
	if err != nil {
		return work.ErrNotFound
	}
	o, err := s.desk.Original(r.Context(), aid, n)
	if err != nil {
		return err
	}
	attachment(w, "application/zip", o.Name)
	if r.Method == http.MethodHead {
		return nil
	}
	if _, err := o.WriteTo(w); err != nil {
		s.log.Error("a revision could not be sent whole", "asset", aid, "revision", n, "error", err)
		panic(http.ErrAbortHandler) // the receiver sees that it is cut short
	}
	return nil
}

// prepFile sends all decisions on an asset, as the command line takes them.
func (s *Server) prepFile(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	attachment(w, "application/json", bundle.Safe(o.Asset.Name)+".prep.json")
	_, err = w.Write(append(o.Prep.JSON(), '\n'))
	return err
}

// join makes an asset that came in the next revision of another.
func (s *Server) join(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	into := int64(f.int("into"))
	if err := first(err, f.end()); err != nil {
		return err
	}
	n, err := s.desk.Join(r.Context(), aid, into)
	if err != nil {
		return err
	}
	return seeOther(w, r, "%s/revisions/%d", assetPath(into), n)
}
