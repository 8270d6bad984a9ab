package web

import (
	"cmp"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/internal/work"
)

// packingPage is the packing list of an export, to look at and to print.
type packingPage struct {
	work.Sent
	Asset string // its name now
	Kit   work.Kit
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
	p.Asset, p.Kit = a.Name, k
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
}

// packingFile gives the packing list of an export as JSON.
func (s *Server) packingFile(w http.ResponseWriter, r *http.Request) error {
	p, err := s.listed(r)
	if err != nil {
		return err
	}
	b, err := json.MarshalIndent(listFile{Format: "yarvek packing list", Version: 1, Asset: p.Asset, Kit: p.Kit.Name,
		Target: p.Target.Name, Revision: p.Revision, Sent: p.Created.UTC().Format(time.RFC3339), By: p.By, File: p.Name,
		Arrived: p.Certificate.Arrived(), Packing: p.Packing, Certificate: p.Certificate}, "", "  ")
	if err != nil {
		return err
	}
	attachment(w, "application/json", bundle.Safe(strings.TrimSuffix(p.Name, ".zip"))+".packing.json")
	_, err = w.Write(append(b, '\n'))
	return err
}
