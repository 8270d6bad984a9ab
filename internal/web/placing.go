package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"path"

	"yarvek/core/station/export"
	"yarvek/internal/work"
)

// placingView is where an export was written on this machine, or could be.
type placingView struct {
	Export int64
	Folder string // that is allowed, "" for none
	Kit    string
	List   []work.Placing // the newest first
	Now    *work.Placing  // the one that holds, nil for none
	Wanted bool           // that it is written there was decided
}

func (s *Server) placingsOf(ctx context.Context, o *work.Opened, e work.Sent) (placingView, error) {
	v := placingView{Export: e.ID, Folder: s.desk.Outbox(o.Kit.ID), Kit: o.Kit.Name, Wanted: o.Prep.Export.Outbox}
	list, err := s.desk.Placings(ctx, e.ID)
	for i := range list {
		if list[i].Harm == nil {
			v.List = append(v.List, list[i])
		}
	}
	if len(v.List) > 0 && v.List[0].Stage == work.Placed {
		v.Now = &v.List[0]
	}
	return v, err
}

// At is the folder of a placing below the one that is allowed, with a dot for that itself.
func (v placingView) At() string { return path.Dir(v.Now.Files[0].Name) }

// place writes an export into the folder of its kit.
func (s *Server) place(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	f := parse(w, r)
	over := f.on("over")
	if err := first(err, f.end()); err != nil {
		return err
	}
	e, err := s.desk.Sent(r.Context(), eid)
	if err != nil {
		return err
	}
	job, err := s.desk.PlaceLater(r.Context(), eid, over)
	if err != nil {
		return err
	}
	select {
	case <-job.Done():
	case <-r.Context().Done():
		return r.Context().Err()
	}
	var foreign *work.ForeignError
	if err := job.State().Err; errors.As(err, &foreign) {
		r.URL.RawQuery = url.Values{"sent": {fmt.Sprint(eid)}}.Encode() // its sheet is about that one
		return s.showSheet(w, r, e.AssetID, export.Info.ID, http.StatusConflict, &trouble{Say: sentence(foreign.Error()),
			Again: url.Values{"over": {"on"}}, Action: r.URL.Path, Button: "Write over; what is there is kept"})
	}
	return s.waitFor(w, r, job, e.AssetID, f)
}

// unplace puts back what was there before.
func (s *Server) unplace(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	f := parse(w, r)
	placing := f.int("placing")
	if err := first(err, f.end()); err != nil {
		return err
	}
	e, err := s.desk.Sent(r.Context(), eid)
	if err != nil {
		return err
	}
	if err := s.desk.Unplace(r.Context(), int64(placing)); err != nil {
		return s.after(w, r, e.AssetID, export.Info.ID, f, nil, err)
	}
	return seeOther(w, r, "%s/%s?sent=%d", assetPath(e.AssetID), export.Info.ID, e.ID)
}
