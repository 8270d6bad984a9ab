package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/internal/work"
)

// packingPage is the packing list of an export, to look at and to print.
type packingPage struct {
	work.Sent
	Asset   string // its name now
	Kit     work.Kit
	Opinion opinionView
	Again   *againView // it is made again, or was a moment ago; nil otherwise
}

// packed are the things of one sort that left.
type packed struct {
	Sort  string
	Items []deliver.Item
}

// Title counts them.
func (p packed) Title() string {
	many := map[string]string{"mesh": "meshes", "collision": "collision shapes"}
	one := map[string]string{"collision": "collision shape"}
	return figure.Plural(len(p.Items), cmp.Or(one[p.Sort], p.Sort), cmp.Or(many[p.Sort], p.Sort+"s"))
}

// Sorts are the contents by their sort, in the order in which each is met first.
func (p packingPage) Sorts() []packed {
	var list []packed
	at := map[string]int{}
	for _, x := range p.Packing.Contents {
		i, ok := at[x.Sort]
		if !ok {
			i = len(list)
			at[x.Sort] = i
			list = append(list, packed{Sort: x.Sort})
		}
		list[i].Items = append(list[i].Items, x)
	}
	return list
}

// packing shows the packing list of an export.
func (s *Server) packing(w http.ResponseWriter, r *http.Request) error {
	p, err := s.listed(r)
	if err != nil {
		return err
	}
	if job := r.URL.Query().Get("again"); job != "" {
		p.Again = s.againOf(p.ID, job)
	}
	s.render(w, http.StatusOK, "packing", "Packing list of "+p.Name+" · Yarvek", p)
	return nil
}

// listed finds the export of a request.
func (s *Server) listed(r *http.Request) (packingPage, error) {
	eid, err := id(r, "export")
	if err != nil {
		return packingPage{}, err
	}
	p := packingPage{}
	if p.Sent, err = s.desk.Sent(r.Context(), eid); err != nil {
		return p, err
	}
	a, k, err := s.desk.Owner(r.Context(), p.AssetID)
	if err != nil {
		return p, err
	}
	p.Asset, p.Kit = a.Name, k
	p.Opinion, err = s.opinionOf(r.Context(), p.Sent)
	return p, err
}

// listFile is the packing list as a file holds it.
type listFile struct {
	Format      string              `json:"format"` // "yarvek packing list"
	Version     int                 `json:"version"`
	Asset       string              `json:"asset"`
	Kit         string              `json:"kit"`
	Target      string              `json:"target"`
	Revision    int                 `json:"revision"`
	Sent        string              `json:"sent"` // RFC 3339
	By          string              `json:"by,omitempty"`
	File        string              `json:"file"`
	Arrived     bool                `json:"arrived"` // as it was sent, less what the list names
	Packing     work.Packing        `json:"packing"`
	Certificate deliver.Certificate `json:"certificate"`
	// Opinions are what readers of another make say; none where none was asked.
	Opinions []work.Opinion `json:"secondOpinions"`
}

// packingFile gives the packing list of an export as JSON.
func (s *Server) packingFile(w http.ResponseWriter, r *http.Request) error {
	p, err := s.listed(r)
	if err != nil {
		return err
	}
	opinions, err := s.desk.Opinions(r.Context(), p.Sent)
	if err != nil {
		return err
	}
	b, err := json.MarshalIndent(listFile{Format: "yarvek packing list", Version: 1, Asset: p.Asset, Kit: p.Kit.Name,
		Target: p.Target.Name, Revision: p.Revision, Sent: p.Created.UTC().Format(time.RFC3339), By: p.By, File: p.Name,
		Arrived: p.Certificate.Arrived(), Packing: p.Packing, Certificate: p.Certificate,
		Opinions: opinions}, "", "  ")
	if err != nil {
		return err
	}
	attachment(w, "application/json", bundle.Safe(strings.TrimSuffix(p.Name, ".zip"))+".packing.json")
	_, err = w.Write(append(b, '\n'))
	return err
}

// againView is how far an export is that is made again.
type againView struct {
	work.State
	Export int64
	Done   *work.Rewritten // nil while it is under way
	Say    string          // why it can't be made, "" otherwise
}

// again makes an export again, to see whether the same bytes come out.
func (s *Server) again(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	f := parse(w, r)
	if err := first(err, f.end()); err != nil {
		return err
	}
	job, err := s.desk.AgainLater(r.Context(), eid)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/exports/%d/packing?again=%s", eid, job.ID)
}

// againSoFar shows how far that is.
func (s *Server) againSoFar(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	v := s.againOf(eid, chi.URLParam(r, "job"))
	if v == nil {
		return work.ErrNotFound
	}
	return s.fragment(w, "packing", "again", v)
}

// againOf is how far a job is that makes an export again, nil when there is none of that ID any more.
func (s *Server) againOf(export int64, job string) *againView {
	j, err := s.desk.Jobs.Find(job)
	if err != nil {
		return nil
	}
	v := &againView{State: j.State(), Export: export}
	if done, ok := v.Outcome.(work.Rewritten); ok {
		v.Done = &done
	} else {
		v.Say = broke(v.State)
	}
	return v
}

// everywhereView is how an export's file arrives at every target.
type everywhereView struct {
	Headings []string
	List     []deliver.Standing
	Sent     string // name of the target it was sent for
	Export   int64
	Asset    int64
	At       string // ID of the target that is looked at, "" for none
}

// everywhere tells how the file of an export arrives at every target of the house.
func (s *Server) everywhere(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	e, err := s.desk.Sent(r.Context(), eid)
	if err != nil {
		return err
	}
	list, err := s.desk.Everywhere(r.Context(), eid)
	if err != nil {
		return err
	}
	return s.fragment(w, "packing", "everywhere", everywhereView{deliver.Headings, list, e.Target.Name,
		e.ID, e.AssetID, r.URL.Query().Get("at")})
}

// ofExport is the stamp of what is told of an export, which never changes, at the targets there are.
func (s *Server) ofExport(r *http.Request) (string, error) {
	eid, err := id(r, "export")
	if err != nil {
		return "", err
	}
	list, err := s.desk.Targets(r.Context())
	if err != nil {
		return "", err
	}
	of := fmt.Sprint(eid)
	for _, t := range list {
		of += fmt.Sprintf(" %s %d", t.ID, t.Revision)
	}
	return of, nil
}
