package web

import (
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/internal/work"
)

// manyOf reads what is to be done for many of a form.
func manyOf(f *form) work.Many {
	m := work.Many{Do: work.Doing(f.str("do")), Codes: f.strs("code"), Station: f.str("station"), Class: f.str("class")}
	m.Codes = slices.DeleteFunc(m.Codes, func(c string) bool { return c == "" })
	m.Make, m.Kind, m.Sum = f.str("make"), work.PartKind(f.str("kind")), f.str("sum")
	m.At, m.Match, m.To = f.str("at"), f.str("match"), f.str("name")
	m.From, m.Preset = int64(f.optional("as")), int64(f.optional("preset"))
	m.Assets = assetsOf(f)
	return m
}

// markedFields are those of the form of marked assets: whichever of its buttons is pressed sends them all.
var markedFields = []string{"do", "at", "code", "make", "class", "station", "as", "preset", "reason", "match",
	"name", "to"}

// assetsOf are the marked assets of a form, each once.
func assetsOf(f *form) (list []int64) {
	for _, v := range f.strs("asset") {
		n, err := strconv.ParseInt(v, 10, 64)
		if err != nil {
			f.check(fault.Input("%q is no asset", fault.Shown(v)))
			continue
		}
		if !slices.Contains(list, n) {
			list = append(list, n)
		}
	}
	return list
}

// previewMany begins to look what something would change for the marked assets.
func (s *Server) previewMany(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	m := manyOf(f)
	f.pass(markedFields...)
	if err := first(err, f.end()); err != nil {
		return err
	}
	job, err := s.desk.PreviewLater(r.Context(), kid, m)
	if err != nil {
		return err
	}
	return s.showMany(w, kid, job.ID)
}

// doMany decides what was looked at.
func (s *Server) doMany(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	looked := f.str("job")
	if err := first(err, f.end()); err != nil {
		return err
	}
	j, err := s.desk.Jobs.Find(looked)
	if err != nil {
		return fault.New(fault.Missing, "it was looked at too long ago").Advise("Look at it again")
	}
	seen, ok := j.State().Outcome.(work.Looked)
	if !ok {
		return work.ErrNotFound
	}
	job, err := s.desk.DoLater(r.Context(), kid, seen.Many)
	if err != nil {
		return err
	}
	return s.showMany(w, kid, job.ID)
}

// sendMany sends the marked assets.
func (s *Server) sendMany(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	assets, preset, reason := assetsOf(f), int64(f.optional("preset")), f.str("reason")
	f.pass(markedFields...)
	if err := first(err, f.end()); err != nil {
		return err
	}
	job, err := s.desk.SendManyLater(r.Context(), kid, assets, preset, reason)
	if err != nil {
		return err
	}
	return s.showMany(w, kid, job.ID)
}

// undoMany takes back what was done for many.
func (s *Server) undoMany(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	round, err2 := id(r, "round")
	f := parse(w, r)
	if err := first(err, err2, f.end()); err != nil {
		return err
	}
	n, stay, err := s.desk.UndoMany(r.Context(), kid, round)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d?undone=%d&stay=%d", kid, n, len(stay))
}

// manyView is how far something for many is, and what came of it.
type manyView struct {
	work.State
	Kit    int64
	Looked *work.Looked
	Groups []work.Grouped
	N      int // assets that would change
	Done   *work.Done
	Convoy *work.Convoy
	Say    string
}

// manySoFar shows how far it is.
func (s *Server) manySoFar(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	return s.showMany(w, kid, chi.URLParam(r, "job"))
}

func (s *Server) showMany(w http.ResponseWriter, kit int64, job string) error {
	j, err := s.desk.Jobs.Find(job)
	if err != nil {
		return work.ErrNotFound
	}
	v := manyView{State: j.State(), Kit: kit}
	switch done := v.Outcome.(type) {
	case work.Looked:
		v.Looked, v.Groups = &done, work.Group(done.List)
		for _, x := range done.List {
			if x.Changes() {
				v.N++
			}
		}
	case work.Done:
		v.Done = &done
	case work.Convoy:
		v.Convoy = &done
	}
	if v.Err != nil || v.State.Done && v.Convoy == nil && v.Done == nil && v.Looked == nil {
		v.Say = broke(v.State)
	}
	return s.fragment(w, "kit", "many", v)
}

// Waits tells that more is to come.
func (v manyView) Waits() bool { return !v.State.Done && v.Say == "" }

// Went counts those of a convoy that were sent.
func (v manyView) Went() (n int) {
	for _, x := range v.Convoy.List {
		if x.Sent != nil {
			n++
		}
	}
	return n
}

// Prescriptions are what can be made for many.
func (p *kitPage) Prescriptions() []work.Prescription { return work.Prescriptions }

// Stations are all there are, for what is done as on another asset.
func (p *kitPage) Stations() []station.Info { return prep.Stations() }
