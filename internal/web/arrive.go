package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"yarvek/core/deliver"
	"yarvek/internal/work"
)

// arrivePage is where a file is dropped that nobody need take in, and how it arrives.
type arrivePage struct {
	Limit int64
	State *work.State // of the job that reads it, nil before
	Done  *work.Arrivals
	Say   string // why it can't be told, "" otherwise
	// Headings are those of the table.
	Headings []string
}

// arrive shows the page to drop a file on.
func (s *Server) arrive(w http.ResponseWriter, _ *http.Request) error {
	s.render(w, http.StatusOK, "arrive", "How a file arrives · Yarvek", arrivePage{Limit: s.desk.Limits.Upload})
	return nil
}

// arriveFile begins to read one that was dropped.
func (s *Server) arriveFile(w http.ResponseWriter, r *http.Request) error {
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	job, err := s.desk.Arrive(r.Context(), u, s.board.SmallOf)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/arrive/%s", job.ID)
}

// arrived shows how far that is, and then what came of it.
func (s *Server) arrived(w http.ResponseWriter, r *http.Request) error {
	j, err := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if err != nil {
		return work.ErrNotFound
	}
	st := j.State()
	p := arrivePage{Limit: s.desk.Limits.Upload, State: &st, Headings: deliver.Headings}
	if done, ok := st.Outcome.(work.Arrivals); ok {
		p.Done = &done
	} else {
		p.Say = broke(st)
	}
	s.render(w, http.StatusOK, "arrive", "How a file arrives · Yarvek", p)
	return nil
}
