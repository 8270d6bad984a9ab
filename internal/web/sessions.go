package web

import (
	"net/http"

	"yarvek/internal/work"
)

// sessionsPage lists the sessions of whoever looks at it.
type sessionsPage struct {
	Who  string
	List []work.Session
	Here string // what the session is called that the page is seen by
	Said string
}

// mySessions shows one's own sessions.
func (s *Server) mySessions(w http.ResponseWriter, r *http.Request) error {
	p := sessionsPage{Who: work.By(r.Context()), Here: s.door.here(r)}
	if r.URL.Query().Has("ended") {
		p.Said = "Ended. Whoever had that window open signs in again."
	}
	var err error
	if p.List, err = s.door.kept.List(r.Context(), p.Who); err != nil {
		return err
	}
	s.render(w, http.StatusOK, "sessions", "Sessions · Yarvek", p)
	return nil
}

// endSession ends one of one's own sessions; its own is the one to sign out of.
func (s *Server) endSession(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	of := f.str("session")
	if err := f.end(); err != nil {
		return err
	}
	if of == "" {
		return work.ErrNotFound
	}
	n, err := s.door.kept.End(r.Context(), work.By(r.Context()), of)
	if err != nil {
		return err
	}
	if n == 0 {
		return work.ErrNotFound
	}
	return seeOther(w, r, "/sessions?ended")
}

// here is what the session of a request is called.
func (d *door) here(r *http.Request) string { return work.SessionID(d.sessions.Token(r.Context())) }
