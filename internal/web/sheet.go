package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"yarvek/core/class"
	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/core/station/size"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// asset sends to the first station that wants something.
func (s *Server) asset(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	to := "source"
	for _, m := range sh.Marks() {
		if m.Mark != "tick" && m.ID != "export" {
			to = m.ID
			break
		}
	}
	return seeOther(w, r, "/assets/%d/%s", sh.Asset.ID, to)
}

func (s *Server) sheet(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	return s.showSheet(w, r, aid, chi.URLParam(r, "station"), http.StatusOK, nil)
}

// trouble is what a page has to say about a change that was not made.
type trouble struct {
	Say    string
	Yours  []string
	Theirs []string
	Again  map[string][]string // the refused form, to be sent once more
	Action string
}

func (s *Server) showSheet(w http.ResponseWriter, r *http.Request, aid int64, station string, status int, t *trouble) error {
	st, ok := prep.StationByID(station)
	if !ok {
		return store.ErrNotFound
	}
	sh, err := s.desk.Open(r.Context(), aid)
	if err != nil {
		return err
	}
	height := figureHeight(r)
	var rules []work.Measured
	ruler := measured(r, sh, station)
	if ruler != nil {
		rules = append(rules, *ruler)
	} else if d := sh.Prep.Size; station == "size" && d.Fit == size.Between {
		rules = append(rules, sh.Measure(station, d.From, d.To))
	}
	pic, err := s.desk.Draw(r.Context(), sh, station, height, rules...)
	if err != nil {
		return err
	}
	prev, next, err := s.neighbours(r, sh)
	if err != nil {
		return err
	}
	d := map[string]any{"Sheet": sh, "Result": sh.Result, "Station": st, "Marks": sh.Marks(), "Picture": pic, "Prev": prev, "Next": next,
		"Trouble": t, "Targets": target.Shipped, "Units": target.Units, "Classes": class.All, "Formats": format.Written,
		"Target": sh.Kit.Target, "FigureHeight": height, "Ruler": ruler, "Path": fmt.Sprintf("/assets/%d/%s", aid, station)}
	if err := s.stationData(r, sh, station, d); err != nil {
		return err
	}
	s.render(w, r, status, "sheet", fmt.Sprintf("%s · %s · Yarvek", sh.Asset.Name, st.Name), d)
	return nil
}

// neighbours are the assets before and after this one in the kit, 0 for none.
func (s *Server) neighbours(r *http.Request, sh *work.Sheet) (prev, next int64, err error) {
	list, err := s.desk.Store.Assets(r.Context(), sh.Kit.ID, false)
	if err != nil {
		return 0, 0, err
	}
	for i, a := range list {
		if a.ID != sh.Asset.ID {
			continue
		}
		if i > 0 {
			prev = list[i-1].ID
		}
		if i+1 < len(list) {
			next = list[i+1].ID
		}
	}
	return prev, next, nil
}

// stationData adds what only one station's worksheet shows.
func (s *Server) stationData(r *http.Request, sh *work.Sheet, station string, d map[string]any) error {
	switch station {
	case "source":
		d["Tree"] = treeOf(sh.Result.Source)
		list, err := s.desk.Store.Revisions(r.Context(), sh.Asset.ID)
		d["Revisions"] = list
		return err
	case "size":
		d["Cube"] = draft.CubeTest(sh.Result.Size.Unit.Metres)
	case "axes":
		st, err := s.desk.DrawStances(r.Context(), sh)
		d["Stances"] = st
		return err
	case "pivot":
		d["Grid"] = pivotGrid(sh)
		neighbours, err := s.desk.Pieces(r.Context(), sh)
		d["Pieces"] = neighbours
		return err
	case "export":
		list, err := s.desk.Deliveries(r.Context(), sh.Kit.ID, sh.Asset.ID)
		if err != nil {
			return err
		}
		d["Deliveries"] = list
		if want, err := strconv.ParseInt(r.URL.Query().Get("sent"), 10, 64); err == nil {
			for _, e := range list {
				if e.ID == want {
					d["Shown"] = e
				}
			}
		} else if len(list) > 0 {
			d["Shown"] = list[0]
		}
	}
	return nil
}

// decide takes a station's form.
func (s *Server) decide(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	station := chi.URLParam(r, "station")
	change, ok := decoders[station]
	if !ok {
		return store.ErrNotFound
	}
	f := parse(w, r)
	if station == "source" {
		sh, err := s.desk.Open(r.Context(), aid)
		if err != nil {
			return err
		}
		f.keys = sh.Result.Read.Keys()
	}
	base := f.int("base")
	var label string
	mine := func(p *prep.Prep) error {
		label = change(f, p)
		return f.err
	}
	// The label depends on the form alone, so a dry run finds it, and what can't
	// be read, before anything is kept.
	var dry prep.Prep
	if h, err := s.desk.Store.Prep(r.Context(), aid); err == nil {
		dry, _ = prep.Parse(h.JSON)
	}
	if err = mine(&dry); err == nil {
		err = s.desk.Decide(r.Context(), aid, base, label, mine)
	}
	return s.after(w, r, aid, station, f, label, dry, err)
}

// after goes back to the sheet, or shows on it why the change was not made.
func (s *Server) after(w http.ResponseWriter, r *http.Request, aid int64, station string, f *form, label string, mine prep.Prep, err error) error {
	switch {
	case err == nil:
		return seeOther(w, r, "/assets/%d/%s", aid, station)
	case errors.Is(err, store.ErrStale):
		h, herr := s.desk.Store.Prep(r.Context(), aid)
		if herr != nil {
			return herr
		}
		theirs, _ := prep.Parse(h.JSON)
		f.r.PostForm.Set("base", strconv.Itoa(h.Seq))
		return s.showSheet(w, r, aid, station, http.StatusConflict, &trouble{
			Say:    "This asset was changed in another window meanwhile, so “" + label + "” was not applied. The sheet now shows what is in force.",
			Yours:  work.Describe(mine),
			Theirs: work.Describe(theirs),
			Again:  f.r.PostForm, Action: r.URL.Path})
	case errors.Is(err, work.ErrInput):
		return s.showSheet(w, r, aid, station, http.StatusUnprocessableEntity, &trouble{Say: sentence(err.Error())})
	}
	return err
}

func (s *Server) remedy(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	f := parse(w, r)
	base, n := f.int("base"), f.int("n")
	if f.err != nil {
		return f.err
	}
	return s.after(w, r, aid, f.str("station"), f, "the remedy", prep.Prep{}, s.desk.Remedy(r.Context(), aid, base, f.str("code"), n))
}

// move is undo and redo.
func (s *Server) move(by int) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		aid, err := id(r, "asset")
		f := parse(w, r)
		if err := first(err, f.err); err != nil {
			return err
		}
		if _, err := s.desk.Store.MovePrep(r.Context(), aid, by); err != nil {
			return err
		}
		return s.after(w, r, aid, f.str("station"), f, "", prep.Prep{}, nil)
	}
}

func (s *Server) renameAsset(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	name, nameErr := work.CleanName(f.str("name"))
	if err := first(err, f.err, nameErr); err != nil {
		return err
	}
	if err := s.desk.Store.RenameAsset(r.Context(), aid, name); err != nil {
		return err
	}
	return seeOther(w, r, "/assets/%d/source", aid)
}

func (s *Server) removeAsset(removed bool) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		aid, err := id(r, "asset")
		if err != nil {
			return err
		}
		a, err := s.desk.Store.Asset(r.Context(), aid)
		if err != nil {
			return err
		}
		if err := s.desk.Store.RemoveAsset(r.Context(), aid, removed); err != nil {
			return err
		}
		return seeOther(w, r, "/kits/%d", a.KitID)
	}
}

// addCompanions takes files that were missing.
func (s *Server) addCompanions(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	n, used, err := s.desk.AddFiles(r.Context(), aid, u)
	if err == nil && !used {
		return seeOther(w, r, "/assets/%d/revisions/%d", aid, n)
	}
	return s.after(w, r, aid, "source", &form{r: r}, "", prep.Prep{}, err)
}

func (s *Server) turntable(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	b, err := s.desk.Turntable(sh, r.URL.Query().Get("station"))
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write(b)
	return err
}

func (s *Server) send(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	if err := first(err, f.err); err != nil {
		return err
	}
	d, err := s.desk.Export(r.Context(), aid)
	if err != nil {
		return s.after(w, r, aid, "export", f, "the export", prep.Prep{}, err)
	}
	return seeOther(w, r, "/assets/%d/export?sent=%d", aid, d.ID)
}
