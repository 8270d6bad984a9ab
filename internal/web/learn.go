package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// learnPage is where a file is dropped that came out right, and what it says of the engine.
type learnPage struct {
	Limit int64
	State *work.State // of the job that reads it, nil before
	Done  *work.Exemplar
	Say   string // why it can't be told, "" otherwise

	Engine work.Confirmed // as proposed, or as sent where something is wrong with it
	Axes   [][2]string
	Units  [][2]string // each with the size that the asset then has
}

// askExemplar shows the page to drop such a file on.
func (s *Server) askExemplar(w http.ResponseWriter, _ *http.Request) error {
	s.render(w, http.StatusOK, "learn", learnTitle, learnPage{Limit: s.desk.Limits.Upload})
	return nil
}

const learnTitle = "A target from a file · Yarvek"

// learnFrom begins to read one that was dropped.
func (s *Server) learnFrom(w http.ResponseWriter, r *http.Request) error {
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	job, err := s.desk.ReadExemplar(r.Context(), u, s.board.SmallOf)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/learn/%s", job.ID)
}

// learned shows how far that is, and then what was read off, to be confirmed.
func (s *Server) learned(w http.ResponseWriter, r *http.Request) error {
	st, e, err := s.exemplar(r)
	if err != nil {
		return err
	}
	p := learnPage{Limit: s.desk.Limits.Upload, State: &st, Done: e}
	if e == nil {
		p.Say = broke(st)
	} else {
		p.Engine = work.Confirmed{Name: "As " + e.File, Engine: e.Basis, Unit: e.Unit, Lines: map[string]bool{}}
		for _, l := range e.Lines {
			p.Engine.Lines[l.ID] = l.Sure
		}
	}
	p.choices()
	s.render(w, http.StatusOK, "learn", learnTitle, p)
	return nil
}

// exemplar is what a job read, nil while it does.
func (s *Server) exemplar(r *http.Request) (work.State, *work.Exemplar, error) {
	j, err := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if err != nil {
		return work.State{}, nil, work.ErrNotFound
	}
	st := j.State()
	e, ok := st.Outcome.(work.Exemplar)
	if !ok {
		return st, nil, nil
	}
	return st, &e, nil
}

// choices are what the form offers.
func (p *learnPage) choices() {
	for _, a := range []geom.Axis{geom.PosX, geom.NegX, geom.PosY, geom.NegY, geom.PosZ, geom.NegZ} {
		p.Axes = append(p.Axes, [2]string{a.String(), a.String()})
	}
	if p.Done == nil {
		return
	}
	for _, u := range figure.Units {
		size := p.Done.Extents.Mul(u.Metres)
		p.Units = append(p.Units, [2]string{u.Symbol, u.Name + ": " + figure.Length(size[0]) + " × " +
			figure.Length(size[1]) + " × " + figure.Length(size[2])})
	}
}

// Figure draws the engine's axes.
func (p learnPage) Figure() any {
	if !p.Engine.Engine.Valid() {
		return "Front can’t lie along up: choose another axis for one of them."
	}
	return trusted(draft.Frames([]draft.Frame{{Label: "In your engine", Basis: p.Engine.Engine}}))
}

// drawEngine draws the axes that are chosen, before they are confirmed.
func (s *Server) drawEngine(w http.ResponseWriter, r *http.Request) error {
	if _, _, err := s.exemplar(r); err != nil {
		return err
	}
	f := parse(w, r)
	p := learnPage{Engine: work.Confirmed{Engine: engineOf(f)}}
	f.pass("name", "unit", "take")
	if err := f.end(); err != nil {
		return err
	}
	return s.fragment(w, "learn", "engine", p)
}

// engineOf reads the axes of an engine off a form.
func engineOf(f *form) geom.Basis {
	hand := f.str("hand")
	if hand != "left" && hand != "right" {
		f.fail("%q is no hand: expected left or right", hand)
	}
	return geom.Basis{Up: f.axis("up"), Forward: f.axis("front"), Left: hand == "left"}
}

// confirm makes a target of what was read off and confirmed.
func (s *Server) confirm(w http.ResponseWriter, r *http.Request) error {
	_, e, err := s.exemplar(r)
	if err == nil && e == nil {
		err = fault.Input("the file is still being read").Advise("Wait until it is")
	}
	if err != nil {
		return err
	}
	f := parse(w, r)
	by := work.Confirmed{Name: f.str("name"), Engine: engineOf(f), Lines: map[string]bool{}}
	var ok bool
	if by.Unit, ok = figure.UnitBySymbol(f.str("unit")); !ok {
		f.fail("%q is no unit", f.str("unit"))
	}
	for _, id := range f.strs("take") {
		by.Lines[id] = true
	}
	if err := f.end(); err != nil {
		return err
	}
	t, err := s.desk.TargetOf(r.Context(), *e, by)
	if err != nil {
		return err
	}
	if r.URL.Query().Get("begin") != "" {
		k, err := s.desk.NewKit(r.Context(), "First kit", t.ID)
		if err != nil {
			return err
		}
		return seeOther(w, r, "/kits/%d", k.ID)
	}
	return seeOther(w, r, "/targets/%s", t.ID)
}
