package web

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"

	"yarvek/internal/demo"
	"yarvek/internal/guide"
)

// exampleView is how far the worked example is on an asset.
type exampleView struct {
	Steps []guide.Step
	Done  []bool // of each
	Now   *guide.Step
}

// beginExample drops the lantern into a kit of its own, and goes to its sheet, which tells the steps.
func (s *Server) beginExample(w http.ResponseWriter, r *http.Request) error {
	if err := nothing(w, r); err != nil {
		return err
	}
	a, err := demo.Example(r.Context(), s.desk)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/assets/%d/source?example=1", a.ID)
}

// example tells on a sheet which step of the worked example is next, by what stands decided for the asset.
func (s *Server) example(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	a, kit, err := s.desk.Owner(r.Context(), aid)
	if err != nil {
		return err
	}
	p, err := s.desk.Prep(r.Context(), aid)
	if err != nil {
		return err
	}
	_, sent, err := s.desk.Exports(r.Context(), kit.ID, a.ID, 0, 1)
	if err != nil {
		return err
	}
	v := exampleView{Steps: guide.Example()}
	if v.Done, err = stepsDone(v.Steps, p, sent > 0, r.URL.Query().Get("at")); err != nil {
		return err
	}
	if i := slices.Index(v.Done, false); i >= 0 {
		v.Now = &v.Steps[i]
	}
	return s.fragment(w, "guide", "example", v)
}

// stepsDone tells which steps are done: a way to a station once one is there or what is done there is.
func stepsDone(steps []guide.Step, prep any, sent bool, at string) ([]bool, error) {
	body, err := json.Marshal(prep)
	if err != nil {
		return nil, err
	}
	var decided map[string]any
	if err := json.Unmarshal(body, &decided); err != nil {
		return nil, err
	}
	done := make([]bool, len(steps))
	for i := len(steps) - 1; i >= 0; i-- {
		switch s := steps[i]; s.Done {
		case "came":
			done[i] = true
		case "sent":
			done[i] = sent
		case "at":
			done[i] = s.Station == at || i+1 < len(steps) && done[i+1]
		default:
			done[i] = stands(decided, s.Done)
		}
	}
	return done, nil
}

// stands tells whether something stands at a path of a prep, such as "size.unit".
func stands(decided map[string]any, path string) bool {
	name, rest, deeper := strings.Cut(path, ".")
	v, ok := decided[name]
	if !deeper || !ok {
		return ok
	}
	inner, _ := v.(map[string]any)
	return stands(inner, rest)
}
