package web

import (
	"net/http"

	"yarvek/core/figure"
	"yarvek/internal/work"
)

// unnamedPage lists the kept files that nothing refers to.
type unnamedPage struct {
	List  []work.Orphan // the largest first
	Bytes int64
	Held  string // why the sweep left them, "" where it did not
	Moved string // what was moved just now, "" for nothing
}

// unnamed shows what a sweep would move to the trash.
func (s *Server) unnamed(w http.ResponseWriter, r *http.Request) error {
	p := unnamedPage{Held: s.desk.Unswept().Held, Moved: r.URL.Query().Get("moved")}
	var err error
	if p.List, err = s.desk.Orphans(r.Context()); err != nil {
		return err
	}
	for _, o := range p.List {
		p.Bytes += o.Size
	}
	s.render(w, http.StatusOK, "unnamed", "Files nothing refers to · Yarvek", p)
	return nil
}

// sweep moves them there.
func (s *Server) sweep(w http.ResponseWriter, r *http.Request) error {
	if err := nothing(w, r); err != nil {
		return err
	}
	did, err := s.desk.Sweep(r.Context())
	if err != nil {
		return err
	}
	return seeOther(w, r, "/unnamed?moved=%s", figure.Count(did.Moved))
}
