package web

import (
	"encoding/json"
	"net/http"

	"github.com/go-chi/chi/v5"

	"yarvek/core/station/export"
	"yarvek/internal/work"
)

// curesView is how far the search is for other ways to send what an export sent.
type curesView struct {
	work.State
	Export int64
	Asset  int64
	Base   int // of the asset's decisions
	Done   *work.Cures
	Say    string // why there are none, "" otherwise
}

// JSON is a cure's decisions as a form sends them.
func (v curesView) JSON(d export.Decisions) (string, error) { return decisionsJSON(d) }

// decisionsJSON is how something is to be sent, as a form sends it.
func decisionsJSON(d export.Decisions) (string, error) {
	b, err := json.Marshal(d)
	return string(b), err
}

// findCures begins to look for other ways to send what an export sent.
func (s *Server) findCures(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	f := parse(w, r)
	at := f.str("at")
	if err := first(err, f.end()); err != nil {
		return err
	}
	job, err := s.desk.CuresLater(r.Context(), eid, at)
	if err != nil {
		return err
	}
	return s.showCures(w, r, eid, job.ID)
}

// curesSoFar shows how far that is.
func (s *Server) curesSoFar(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	return s.showCures(w, r, eid, chi.URLParam(r, "job"))
}

func (s *Server) showCures(w http.ResponseWriter, r *http.Request, eid int64, job string) error {
	j, err := s.desk.Jobs.Find(job)
	if err != nil {
		return work.ErrNotFound
	}
	e, err := s.desk.Sent(r.Context(), eid)
	if err != nil {
		return err
	}
	a, _, err := s.desk.Owner(r.Context(), e.AssetID)
	if err != nil {
		return err
	}
	v := curesView{State: j.State(), Export: eid, Asset: e.AssetID, Base: a.Changes}
	if done, ok := v.Outcome.(work.Cures); ok {
		v.Done = &done
	} else {
		v.Say = broke(v.State)
	}
	return s.fragment(w, "packing", "cures", v)
}
