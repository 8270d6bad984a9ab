package web

import (
	"context"
	"io"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/internal/report"
	"yarvek/internal/work"
)

// reportPage is the report of a kit, to look at and to print.
type reportPage struct {
	Kit     work.Kit
	State   work.State
	Done    *report.Report // nil while it is made
	Say     string         // why it is not, "" otherwise
	Drawn   map[string]string
	Changes []report.Change // since another report, which is called Since
	Since   string
}

// beginReport begins to make the report of a kit.
func (s *Server) beginReport(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err := first(err, nothing(w, r)); err != nil {
		return err
	}
	job, err := s.desk.ReportLater(r.Context(), kid)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d/report/%s", kid, job.ID)
}

// report shows it, or how far it is.
func (s *Server) report(w http.ResponseWriter, r *http.Request) error {
	p, err := s.reportOf(r)
	if err != nil {
		return err
	}
	return s.showReport(w, r, p)
}

func (s *Server) showReport(w http.ResponseWriter, r *http.Request, p reportPage) error {
	if p.Done != nil {
		var err error
		if p.Drawn, err = s.fronts(r.Context(), p.Kit.ID); err != nil {
			return err
		}
	}
	s.render(w, http.StatusOK, "report", "Report of "+p.Kit.Name+" · Yarvek", p)
	return nil
}

// reportOf finds the report of a request.
func (s *Server) reportOf(r *http.Request) (p reportPage, err error) {
	kid, err := id(r, "kit")
	if err != nil {
		return p, err
	}
	if p.Kit, err = s.desk.Kit(r.Context(), kid); err != nil {
		return p, err
	}
	j, err := s.desk.Jobs.Find(chi.URLParam(r, "job"))
	if err != nil {
		return p, work.ErrNotFound
	}
	p.State = j.State()
	switch done, ok := p.State.Outcome.(report.Report); {
	case ok && p.State.Err == nil && !p.State.Stopped:
		p.Done = &done
	case p.State.Err != nil:
		_, p.Say = explain(p.State.Err)
		p.Say = sentence(p.Say)
	case p.State.Done:
		p.Say = "It was stopped."
	}
	return p, nil
}

// fronts are small drawings of a kit's assets by their names.
func (s *Server) fronts(ctx context.Context, kit int64) (map[string]string, error) {
	_, rows, err := s.desk.Overview(ctx, kit)
	if err != nil {
		return nil, err
	}
	drawn := map[string]string{}
	for _, row := range rows {
		svg, err := s.board.Front(ctx, row)
		if err != nil {
			return nil, err
		}
		drawn[row.Asset.Name] = svg
	}
	return drawn, nil
}

// reportFile gives it as JSON.
func (s *Server) reportFile(w http.ResponseWriter, r *http.Request) error {
	p, err := s.reportOf(r)
	if err != nil {
		return err
	}
	if p.Done == nil {
		return fault.New(fault.Missing, "the report is not there yet")
	}
	attachment(w, "application/json", bundle.Safe(p.Kit.Name)+".report.json")
	_, err = w.Write(p.Done.JSON())
	return err
}

// compareReport sets it beside one that was kept.
func (s *Server) compareReport(w http.ResponseWriter, r *http.Request) error {
	p, err := s.reportOf(r)
	if err != nil {
		return err
	}
	r.Body = http.MaxBytesReader(w, r.Body, 64<<20)
	file, head, err := r.FormFile("file")
	if err != nil {
		return fault.Input("no report was sent").Advise("Choose the JSON of a report from before")
	}
	defer file.Close()
	b, err := io.ReadAll(file)
	if err != nil {
		return err
	}
	before, err := report.Parse(b)
	if err != nil {
		return fault.Input("%s: %v", fault.Shown(head.Filename), err)
	}
	if p.Done == nil {
		return fault.New(fault.Missing, "the report is not there yet")
	}
	p.Since, p.Changes = head.Filename, report.Compare(before, *p.Done)
	return s.showReport(w, r, p)
}

// Of is the drawing of an asset.
func (p reportPage) Of(a report.Asset) string { return p.Drawn[a.Name] }

// Sums are those of all assets.
func (p reportPage) Sums() (f report.Figures) {
	for _, a := range p.Done.Assets {
		if x := a.Figures; x != nil {
			f.Triangles, f.DrawCalls, f.Pictures = f.Triangles+x.Triangles, f.DrawCalls+x.DrawCalls, f.Pictures+x.Pictures
			f.Memory, f.Bytes, f.Shapes = f.Memory+x.Memory, f.Bytes+x.Bytes, f.Shapes+x.Shapes
		}
	}
	return f
}

// Here is the address of the report.
func (p reportPage) Here() string {
	return "/kits/" + strconv.FormatInt(p.Kit.ID, 10) + "/report/" + p.State.ID
}
