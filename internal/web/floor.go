package web

import (
	"encoding/json"
	"html/template"
	"net/http"
	"strings"

	"yarvek/core/collide/floor"
	"yarvek/core/figure"
	"yarvek/core/station/collision"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

// floorPage is what the test floor's worksheet shows.
type floorPage struct {
	*show.Floor
	Report *collision.Report
	Asset  string // where its addresses begin
	Query  string // of the trial
}

// Kinds are the trials there are, with the words of their buttons.
func (p floorPage) Kinds() [][2]string {
	return [][2]string{{string(floor.Drop), "Drop"}, {string(floor.Ball), "Ball"}, {string(floor.Box), "Box"},
		{string(floor.Walk), "Walker"}}
}

// Sentence says what came of the trial.
func (p floorPage) Sentence() template.HTML {
	o := p.Outcome
	strong := func(s string) string { return "<strong>" + template.HTMLEscapeString(s) + "</strong>" }
	if o.Walked != nil {
		return template.HTML("Somebody who walked at it " + strong(show.Walked(o)) + ". Steps of up to " +
			strong(figure.Length(o.Trial.Step)) + " are climbed, and slopes of up to " +
			strong(figure.Significant(o.Trial.Slope, 3)+"°") + ".")
	}
	s := "It " + strong(show.Ended(o))
	if o.Rested {
		s += " after " + strong(figure.Significant(o.Rest, 3)+" s")
	}
	if o.Moved > 0.005 {
		s += ", and slid " + strong(figure.Length(o.Moved))
	}
	if o.Trial.Slant > 0 {
		s += " on a floor that falls by " + strong(figure.Significant(o.Trial.Slant, 3)+"°") +
			" toward the front, drawn level"
	}
	if o.Highest > 0.005 {
		s += ". What came got " + strong(figure.Length(o.Highest)) + " high"
	}
	if o.Deepest < 1e-5 {
		s += ". Nothing sank in."
	} else {
		s += ". Nothing sank in deeper than " + strong(figure.Length(o.Deepest)) + "."
	}
	if o.Through {
		s += " What came went " + strong("into it") + "."
	}
	return template.HTML(s)
}

// trialOf opens an asset and reads a trial from the address: what is missing is as usual.
func (s *Server) trialOf(r *http.Request) (*work.Opened, floor.Trial, error) {
	o, err := s.open(r)
	if err != nil {
		return nil, floor.Trial{}, err
	}
	q := r.URL.Query()
	t := floor.Trial{Kind: floor.Kind(q.Get("kind"))}
	if t.Kind == "" {
		t = floor.Trial{Kind: floor.Drop, Tilt: 30}
	}
	f := &form{r: r}
	for _, x := range []struct {
		name string
		to   *float64
		read func(s, label string) float64
	}{{"height", &t.Height, f.lengthOf}, {"tilt", &t.Tilt, f.numberOf}, {"roll", &t.Roll, f.numberOf},
		{"density", &t.Density, f.numberOf}, {"size", &t.Size, f.lengthOf}, {"speed", &t.Speed, f.numberOf},
		{"from", &t.From, f.numberOf}, {"tall", &t.Tall, f.lengthOf}, {"wide", &t.Wide, f.lengthOf},
		{"step", &t.Step, f.lengthOf}, {"slope", &t.Slope, f.numberOf}, {"slant", &t.Slant, f.numberOf}} {
		if typed := strings.TrimSpace(q.Get(x.name)); typed != "" {
			*x.to = x.read(typed, x.name)
		}
	}
	if t.Density == 0 {
		t.Density = o.Prep.Collision.DensityInForce()
	}
	return o, t, f.err
}

// floor shows the test floor of an asset.
func (s *Server) floor(w http.ResponseWriter, r *http.Request) error {
	o, t, err := s.trialOf(r)
	if err != nil {
		return err
	}
	f, err := s.board.Floor(r.Context(), o, t)
	if err != nil {
		return err
	}
	targets, err := s.choices(r, o.Kit.Target)
	if err != nil {
		return err
	}
	in, err := work.Station(collision.Info.ID)
	if err != nil {
		return err
	}
	p := sheetPage{Opened: o, Station: in, Tape: o.Tape(), Targets: targets, Path: assetPath(o.Asset.ID) + "/" + in.ID,
		FigureHeight: figureHeight(r),
		Picture:      &show.Picture{Drawn: f.Drawn}, Title: "Test floor"}
	if p.Prev, p.Next, err = s.desk.Neighbours(r.Context(), o.Asset); err != nil {
		return err
	}
	page := floorPage{f, o.Result.Collision, assetPath(o.Asset.ID), r.URL.RawQuery}
	var b strings.Builder
	if err := shared().Lookup("floor").Execute(&b, page); err != nil {
		return err
	}
	p.Worksheet = template.HTML(b.String())
	s.render(w, http.StatusOK, "sheet", o.Asset.Name+" · Test floor · Yarvek", p)
	return nil
}

// moves answers with what the turntable plays of a trial.
func (s *Server) moves(w http.ResponseWriter, r *http.Request) error {
	o, t, err := s.trialOf(r)
	if err != nil {
		return err
	}
	m, err := s.board.Moves(r.Context(), o, t)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	return json.NewEncoder(w).Encode(m)
}
