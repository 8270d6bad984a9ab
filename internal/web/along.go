package web

import (
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/internal/work"
)

// takeAlong sends a kit as one file.
func (s *Server) takeAlong(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	name, write, err := s.desk.TakeAlong(r.Context(), kid)
	if err != nil {
		return err
	}
	attachment(w, "application/zip", name)
	if err := write(w); err != nil {
		s.log.Error("a kit was not taken along whole", "kit", kid, "error", err)
		panic(http.ErrAbortHandler) // so that nobody takes what has come for the whole
	}
	return nil
}

// bringAlong begins to put in a kit that was taken along.
func (s *Server) bringAlong(w http.ResponseWriter, r *http.Request) error {
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	job, err := s.desk.BringAlong(r.Context(), u)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/along/%s", job.ID)
}

// alongPage is how far a kit is that is put in.
type alongPage struct {
	State work.State
	Say   string // why it is not there, "" otherwise
}

// along shows how far that is, and then the kit.
func (s *Server) along(w http.ResponseWriter, r *http.Request) error {
	j, err := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if err != nil {
		return work.ErrNotFound
	}
	p := alongPage{State: j.State()}
	switch k, ok := p.State.Outcome.(work.Kit); {
	case p.State.Err != nil:
		p.Say = broke(p.State)
	case ok && p.State.Done:
		j.Seen()
		if to := "/kits/" + strconv.FormatInt(k.ID, 10); r.Header.Get("HX-Request") != "" {
			w.Header().Set("HX-Redirect", to) // the page that waits goes there whole
			return nil
		}
		return seeOther(w, r, "/kits/%d", k.ID)
	case p.State.Done:
		p.Say = "It was stopped, and nothing was put in."
	}
	s.render(w, http.StatusOK, "along", "A kit is put in · Yarvek", p)
	return nil
}

// duplicateKit makes a kit from one.
func (s *Server) duplicateKit(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err := first(err, nothing(w, r)); err != nil {
		return err
	}
	k, err := s.desk.DuplicateKit(r.Context(), kid)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", k.ID)
}

// duplicateMany makes another of each marked asset, with its history.
func (s *Server) duplicateMany(w http.ResponseWriter, r *http.Request) error {
	kid, assets, _, err := marked(w, r)
	if err != nil {
		return err
	}
	if _, err := s.desk.DuplicateAssets(r.Context(), kid, assets); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", kid)
}

// others lists the kits that assets of one may be moved to. It is asked for when somebody looks, so that the page of a
// kit need not be drawn anew whenever another changes.
func (s *Server) others(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	kits, err := s.desk.Kits(r.Context())
	if err != nil {
		return err
	}
	kits = slices.DeleteFunc(kits, func(k work.Kit) bool { return k.ID == kid || k.Harm != nil })
	return s.fragment(w, "kit", "others", map[string]any{"Kit": kid, "Others": kits})
}

// moveMany puts the marked assets into another kit.
func (s *Server) moveMany(w http.ResponseWriter, r *http.Request) error {
	kid, assets, to, err := marked(w, r)
	if err != nil {
		return err
	}
	if to == 0 {
		return fault.Input("no kit was chosen").Advise("Choose the kit they are to stand in")
	}
	if err := s.desk.MoveAssets(r.Context(), kid, to, assets); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", to)
}

// removeMany takes the marked assets out of the kit.
func (s *Server) removeMany(w http.ResponseWriter, r *http.Request) error {
	kid, assets, _, err := marked(w, r)
	if err != nil {
		return err
	}
	if err := s.desk.RemoveAssets(r.Context(), kid, assets); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", kid)
}

// marked reads the form of the marked assets, of which this needs no more than them and the kit they may go to.
func marked(w http.ResponseWriter, r *http.Request) (kit int64, assets []int64, to int64, err error) {
	kit, err = id(r, "kit")
	f := parse(w, r)
	assets, to = assetsOf(f), int64(f.optional("to"))
	f.pass(markedFields...)
	if err = first(err, f.end()); err == nil && len(assets) == 0 {
		err = fault.Input("no asset is marked").Advise("Mark some in the list")
	}
	return kit, assets, to, err
}
