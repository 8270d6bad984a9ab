package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/core/station/export"
	"yarvek/core/station/source"
	"yarvek/core/target"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

// open loads the asset of the path. What is shown of one that waits for a job is not kept.
func (s *Server) open(r *http.Request) (*work.Opened, error) {
	aid, err := id(r, "asset")
	if err != nil {
		return nil, err
	}
	return s.opened(r, aid)
}

func (s *Server) opened(r *http.Request, asset int64) (*work.Opened, error) {
	o, err := s.desk.Open(r.Context(), asset)
	if err == nil && o.Result.Pending() {
		passing(r)
	}
	return o, err
}

// asset sends to the first station that wants something.
func (s *Server) asset(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	to := source.Info.ID
	for _, c := range o.Tape() {
		if c.Severity > finding.Note && c.ID != export.Info.ID {
			to = c.ID
			break
		}
	}
	if o.Step.Seq == 0 { // it just came in
		to += "?came"
	}
	return seeOther(w, r, "%s/%s", assetPath(o.Asset.ID), to)
}

// sheet shows an asset at one station.
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
	Yours  []string // what would be decided if it were made now
	Theirs []string // what is
	Again  url.Values
	Action string // where Again is sent, "" when it can't be
	Button string // what sends it, "" for the usual words
}

// sheetPage is what an asset's page shows around the worksheet.
type sheetPage struct {
	Opened       *work.Opened
	Station      station.Info
	Tape         []work.Cell
	Picture      *show.Picture
	Prev, Next   int64 // the assets beside this one, 0 for none
	Trouble      *trouble
	Targets      []target.Target
	Path         string
	Worksheet    template.HTML
	FigureHeight float64
	Moved        string // "undone" or "redone" where that was just done
	Title        string // of a page beside the station's own, "" for that
	Came         bool   // it just came in, and is shown as its target would have it
	Sent         int64  // the export that is told of below the drawing, 0 for none
	At           string // ID of the target whose arrival of it is drawn
}

// Heading is what the worksheet is headed by.
func (p sheetPage) Heading() string {
	if p.Title != "" {
		return p.Title
	}
	return p.Station.Name
}

// SavedLine says how far the decisions are kept.
func (p sheetPage) SavedLine() string {
	st := p.Opened.Step
	if st.Seq == 0 {
		return "Nothing decided yet; the source is as it came"
	}
	if st.By != "" {
		return fmt.Sprintf("Saved, decision %d by %s: %s", st.Seq, st.By, st.Label)
	}
	return fmt.Sprintf("Saved, decision %d: %s", st.Seq, st.Label)
}

// showSheet renders that page; t is what went wrong with a decision, nil for nothing.
func (s *Server) showSheet(w http.ResponseWriter, r *http.Request, aid int64, at string, status int, t *trouble) error {
	in, err := work.Station(at)
	if err != nil {
		return err
	}
	o, err := s.opened(r, aid)
	if err != nil {
		return err
	}
	targets, err := s.choices(r, o.Kit.Target)
	if err != nil {
		return err
	}
	p := sheetPage{Opened: o, Station: in, Tape: o.Tape(), Trouble: t, Targets: targets,
		Path: assetPath(aid) + "/" + at, FigureHeight: figureHeight(r)}
	p.Came = r.URL.Query().Has("came")
	for _, how := range []string{"undone", "redone"} {
		if r.URL.Query().Has(how) {
			p.Moved = how
		}
	}
	var measured []show.Measured
	if m := ruler(r, o, at); m != nil {
		measured = append(measured, *m)
	}
	room, err := roomOf(at)
	if err != nil {
		return err
	}
	if room.draw != nil {
		err = room.draw(&call{s, r, o}, &p)
	} else {
		p.Picture, err = s.board.Draw(r.Context(), o, at, p.FigureHeight, measured...)
	}
	if err != nil {
		return err
	}
	if p.Prev, p.Next, err = s.desk.Neighbours(r.Context(), o.Asset); err != nil {
		return err
	}
	if p.Worksheet, err = s.worksheet(r, p); err != nil {
		return err
	}
	s.render(w, status, "sheet", fmt.Sprintf("%s · %s · Yarvek", o.Asset.Name, in.Name), p)
	return nil
}

// worksheet renders a station's part of its page.
func (s *Server) worksheet(r *http.Request, p sheetPage) (template.HTML, error) {
	room, err := roomOf(p.Station.ID)
	if err != nil {
		return "", err
	}
	data, err := room.page(&call{s, r, p.Opened}, worksheet{Opened: p.Opened, Station: p.Station,
		Findings: p.Picture.Findings, Path: p.Path, Lit: litOf(r)})
	if err != nil {
		return "", err
	}
	return worksheetHTML(room, data)
}

// decide takes a station's form.
func (s *Server) decide(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	at := chi.URLParam(r, "station")
	f := parse(w, r)
	by, err := s.decision(r, aid, at, f)
	if err != nil {
		return err
	}
	base := f.int("base")
	if f.err == nil {
		_, err = s.desk.Decide(r.Context(), aid, base, by)
	}
	return s.after(w, r, aid, at, f, by, first(f.err, err))
}

// decision is what a form of a station decides.
func (s *Server) decision(r *http.Request, aid int64, at string, f *form) (work.Decision, error) {
	room, err := roomOf(at)
	if err != nil {
		return nil, err
	}
	f.known = controlsOf()[room.id]
	if f.open == nil {
		f.open = sync.OnceValues(func() (*work.Opened, error) { return s.desk.Open(r.Context(), aid) })
	}
	return func(p *prep.Prep) error {
		if f.str("act") == "entries" {
			f.decideEntries(at, p)
			if f.known["reason"] {
				f.str("reason") // of a release: it stands in the same form, and is of no use here
			}
			if room.settle != nil {
				room.settle(f, p)
			}
		} else {
			room.decode(f, p)
		}
		return f.end()
	}, nil
}

// remedy applies a finding's remedy.
func (s *Server) remedy(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	f := parse(w, r)
	base, at := f.int("base"), f.str("station")
	f.pass("act") // of a remedy that is applied on top of what somebody else decided
	by, err := s.remedyOf(r.Context(), o, at, f)
	if err != nil {
		gone := err
		by = func(*prep.Prep) error { return gone }
	}
	switch {
	case f.end() != nil:
		err = f.err
	case base != o.Base():
		err = work.ErrStale // whether the finding is still there or not
	case err == nil:
		_, err = s.desk.Decide(r.Context(), o.Asset.ID, base, by)
	}
	return s.after(w, r, o.Asset.ID, at, f, by, err)
}

// remedyOf is what a form with a finding's remedy, or with all first ones, decides.
func (s *Server) remedyOf(ctx context.Context, o *work.Opened, at string, f *form) (work.Decision, error) {
	if f.on("all") {
		return s.desk.Proposals(ctx, o, at, f.str("kind"))
	}
	return s.desk.Remedy(ctx, o, at, f.str("code"), f.int("n"))
}

// move is undo and redo.
func (s *Server) move(by int) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		aid, err := id(r, "asset")
		f := parse(w, r)
		base, at := f.int("base"), f.str("station")
		if err := first(err, f.end()); err != nil {
			return err
		}
		if at == "" { // a press that came from no station goes back to the first
			at = source.Info.ID
		}
		if _, err := work.Station(at); err != nil {
			return err // before anything is undone
		}
		before, err := s.desk.Prep(r.Context(), aid)
		if _, damaged := s.desk.StepBack(r.Context(), aid, err); err != nil && !damaged {
			return err // a damaged decision can be left behind
		}
		moved, err := s.desk.Move(r.Context(), aid, base, by)
		if err != nil || !moved {
			return s.after(w, r, aid, at, f, nil, err)
		}
		after, err := s.desk.Prep(r.Context(), aid)
		if err != nil {
			return err
		}
		return seeOther(w, r, "%s/%s", assetPath(aid), litPath(before, after, at, by))
	}
}

// litPath is the station that differs between two preps, with the entries that came back to be lit; at where none
// does.
func litPath(before, after prep.Prep, at string, by int) string {
	changed := prep.Changed(before, after)
	if len(changed) == 0 {
		return at
	}
	if !slices.Contains(changed, at) {
		at = changed[0]
	}
	lit := []string{"-"}
	for _, e := range prep.Entries() {
		if name, here := strings.CutPrefix(e.Name, at+"."); here && e.Text(before) != e.Text(after) {
			lit = append(lit, name)
		}
	}
	return fmt.Sprintf("%s?%s=%s", at, map[bool]string{true: "undone", false: "redone"}[by < 0], strings.Join(lit, ","))
}

// litOf are the entries that an undo or a redo brought back, as litPath says them; nil where there was none.
func litOf(r *http.Request) []string {
	q := r.URL.Query()
	if s := cmp.Or(q.Get("undone"), q.Get("redone")); s != "" {
		return strings.Split(s, ",")
	}
	return nil
}

// Back says what an undo or a redo that was just made brought back, "" without one.
func (p sheetPage) Back() string {
	switch {
	case p.Moved == "undone" && p.Opened.Step.Redo != "":
		return "Undone: " + p.Opened.Step.Redo
	case p.Moved == "redone" && p.Opened.Step.Undo != "":
		return "Done again: " + p.Opened.Step.Undo
	}
	return ""
}

// after goes back to the sheet, or shows on it why the change was not made. by is the
// change, nil when it is none that could be made again.
func (s *Server) after(w http.ResponseWriter, r *http.Request, aid int64, at string, f *form, by work.Decision,
	err error) error {
	switch {
	case err == nil:
		if _, err := work.Station(at); err != nil {
			return err
		}
		return seeOther(w, r, "%s/%s", assetPath(aid), at)
	case errors.Is(err, work.ErrStale):
		t, err := s.conflict(r, aid, f, by)
		if err != nil {
			return err
		}
		return s.showSheet(w, r, aid, at, http.StatusConflict, t)
	case fault.KindOf(err) != 0:
		return s.showSheet(w, r, aid, at, http.StatusUnprocessableEntity, &trouble{Say: sentence(err.Error())})
	}
	return err
}

// conflict sets what somebody wanted beside what is in force, and lets them have it all
// the same when it still can be had.
func (s *Server) conflict(r *http.Request, aid int64, f *form, by work.Decision) (*trouble, error) {
	o, err := s.desk.Open(r.Context(), aid)
	if err != nil {
		return nil, err
	}
	const meanwhile = "This asset was changed in another window meanwhile, so %s. The sheet now shows what is in force."
	if by == nil {
		return &trouble{Say: fmt.Sprintf(meanwhile, "nothing was undone or done again")}, nil
	}
	mine := o.Prep
	if err := by(&mine); err != nil {
		return &trouble{Say: fmt.Sprintf(meanwhile, "your change was not made, and can't be made any more")}, nil
	}
	label := prep.Label(o.Prep, mine)
	if label == "" {
		return &trouble{Say: fmt.Sprintf(meanwhile, "your change was not made; what is in force has it already")}, nil
	}
	f.r.PostForm.Set("base", strconv.Itoa(o.Base()))
	t := &trouble{Say: fmt.Sprintf(meanwhile, "“"+label+"” was not applied"), Yours: mine.Lines(), Theirs: o.Prep.Lines(),
		Again: f.r.PostForm, Action: r.URL.Path}
	if len(t.Theirs) == 0 {
		t.Theirs = []string{"Nothing decided: as read"}
	}
	return t, nil
}

// renameAsset changes an asset’s name.
func (s *Server) renameAsset(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	name := f.str("name")
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.Rename(r.Context(), aid, name); err != nil {
		return err
	}
	return seeOther(w, r, "%s/%s", assetPath(aid), source.Info.ID)
}

// removeAsset takes an asset off its kit or puts it back; its files stay.
func (s *Server) removeAsset(removed bool) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		aid, err := id(r, "asset")
		if err := first(err, nothing(w, r)); err != nil {
			return err
		}
		kit, err := s.desk.Remove(r.Context(), aid, removed)
		if err != nil {
			return err
		}
		if removed {
			return seeOther(w, r, "/kits/%d?out=%d", kit, aid)
		}
		return seeOther(w, r, "/kits/%d", kit)
	}
}

// addCompanions takes files that were missing, or a changed mesh.
func (s *Server) addCompanions(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	defer u.Close()
	n, used, err := s.desk.AddFiles(r.Context(), aid, u)
	if err == nil && !used {
		return seeOther(w, r, "%s/revisions/%d", assetPath(aid), n)
	}
	return s.after(w, r, aid, source.Info.ID, nil, nil, err)
}

// send writes the asset, reads it back and shows the certificate.
func (s *Server) send(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	f := parse(w, r)
	leave := work.Leave{Target: f.str("target"), Reason: f.str("reason")}
	if err := first(err, f.err); err != nil {
		return err
	}
	if f.has("format") { // what stands in the fields is what leaves
		by, err := s.decision(r, aid, export.Info.ID, f)
		if err != nil {
			return err
		}
		base := f.int("base")
		if f.err == nil {
			_, err = s.desk.Decide(r.Context(), aid, base, by)
		}
		if err := first(f.err, err); err != nil {
			return s.after(w, r, aid, export.Info.ID, f, by, err)
		}
	} else if f.pass("base"); f.end() != nil {
		return f.err
	}
	job, err := s.desk.SendLater(r.Context(), aid, leave)
	if err != nil {
		return s.after(w, r, aid, export.Info.ID, f, nil, err)
	}
	return s.waitFor(w, r, job, aid, f)
}

// waitFor goes on to the export that a job gives, or to how far it is where that takes longer than a page waits.
func (s *Server) waitFor(w http.ResponseWriter, r *http.Request, job *work.Job, aid int64, f *form) error {
	select {
	case <-job.Done():
	case <-time.After(longestWithin):
		return seeOther(w, r, "%s/%s?sending=%s", assetPath(aid), export.Info.ID, job.ID)
	case <-r.Context().Done():
		return r.Context().Err()
	}
	sent, ok := job.State().Outcome.(work.Sent)
	if err := job.State().Err; err != nil || !ok {
		return s.after(w, r, aid, export.Info.ID, f, nil, cmp.Or(err, errors.New("the export was stopped")))
	}
	return seeOther(w, r, "%s/%s?sent=%d", assetPath(aid), export.Info.ID, sent.ID)
}

// sending is how far an export is that takes longer than a page waits.
type sending struct {
	work.State
	Path string // of the station
	Sent int64  // the export, once it is kept; 0 before
	Say  string // why it is not, "" while it is under way
}

// sendingOf says how far an export's job is, nil for one that nobody knows any more.
func (s *Server) sendingOf(asset int64, job string) *sending {
	j, err := s.desk.Jobs.Find(job)
	if err != nil {
		return nil
	}
	p := &sending{State: j.State(), Path: assetPath(asset) + "/" + export.Info.ID}
	switch sent, ok := p.Outcome.(work.Sent); {
	case ok:
		p.Sent = sent.ID
	case p.Err != nil:
		_, p.Say = explain(p.Err)
		p.Say = sentence(p.Say)
	case p.Stopped:
		p.Say = "It was stopped, and nothing was sent."
	}
	return p
}

// sentSoFar shows how far an export is; the page asks again until it is kept, and fetches its sheet then.
func (s *Server) sentSoFar(w http.ResponseWriter, r *http.Request) error {
	aid, err := id(r, "asset")
	if err != nil {
		return err
	}
	p := s.sendingOf(aid, chi.URLParam(r, "job"))
	if p == nil {
		return work.ErrNotFound
	}
	s.write(w, http.StatusOK, worksheets()[export.Info.ID], "sending", p)
	return nil
}
