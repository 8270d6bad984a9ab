package web

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/compare"
	"yarvek/core/prep"
	"yarvek/core/station/source"
	"yarvek/internal/work"
)

// revisionsPage lists all revisions of an asset.
type revisionsPage struct {
	Opened *work.Opened
	List   []work.Revision
}

// revisions lists an asset’s revisions.
func (s *Server) revisions(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	list, err := s.desk.Revisions(r.Context(), o.Asset.ID)
	if err != nil {
		return err
	}
	s.render(w, http.StatusOK, "revisions", o.Asset.Name+" · revisions · Yarvek", revisionsPage{o, list})
	return nil
}

// reviewPage sets a revision beside the one in force.
type reviewPage struct {
	*work.Review
	Opened        *work.Opened // as it is in force
	List          []work.Revision
	Say           string
	Before, After string // front views at one scale, as SVG
}

// InForce tells whether the revision is the one in force already.
func (p reviewPage) InForce() bool { return p.Revision.Number == p.Opened.Revision.Number }

// choicesInAll is how many nodes a review's page offers for all its lost decisions together.
const choicesInAll = 4000

// Choices are the nodes a lost decision can be pointed at: all, or as many as a page of so
// many lost decisions has room for.
func (p reviewPage) Choices(l compare.Lost) []string {
	return l.Nodes[:min(len(l.Nodes), choicesInAll/min(fewOf, len(p.Lost)))]
}

// review sets a revision beside the one in force.
func (s *Server) review(w http.ResponseWriter, r *http.Request) error {
	aid, n, err := revisionOf(r)
	if err != nil {
		return err
	}
	return s.showReview(w, r, aid, n, http.StatusOK, "")
}

// showReview renders that page, with say on top of it when there is something to say.
func (s *Server) showReview(w http.ResponseWriter, r *http.Request, aid int64, n, status int, say string) error {
	v, err := s.desk.Review(r.Context(), aid, n)
	if err != nil {
		return err
	}
	p := reviewPage{Review: v, Opened: v.Now, Say: say}
	if p.List, err = s.desk.Revisions(r.Context(), aid); err != nil {
		return err
	}
	if v.Next != nil {
		if p.Before, p.After, err = s.board.Fronts(r.Context(), v.Now, v.Next); err != nil {
			return err
		}
	}
	s.render(w, status, "review", v.Now.Asset.Name+" · revision "+strconv.Itoa(n)+" · Yarvek", p)
	return nil
}

// takeRevision puts one in force, with its lost decisions pointed anew.
func (s *Server) takeRevision(w http.ResponseWriter, r *http.Request) error {
	aid, n, err := revisionOf(r)
	f := parse(w, r)
	base := f.int("base")
	points := map[prep.Ref]string{}
	for i, ref := range f.strs("lost") {
		station, key, _ := strings.Cut(ref, " ")
		to := f.str("to" + strconv.Itoa(i))
		name, isNode := strings.CutPrefix(to, "node ")
		switch {
		case to == "later":
		case to == "drop":
			points[prep.Ref{Station: station, Key: key}] = ""
		case isNode:
			points[prep.Ref{Station: station, Key: key}] = name
		default:
			f.fail("%q says nothing of what “%s” means now", to, key)
		}
	}
	if err := first(err, f.end()); err != nil {
		return err
	}
	err = s.desk.TakeRevision(r.Context(), aid, n, base, points)
	if errors.Is(err, work.ErrStale) {
		return s.showReview(w, r, aid, n, http.StatusConflict, "This asset was changed in another window meanwhile. "+
			"What is in force now is shown on the left; take the revision again if it still is right.")
	}
	if err != nil {
		return err
	}
	return seeOther(w, r, "%s/%s", assetPath(aid), source.Info.ID)
}

// revisionOf reads asset and revision from the address.
func revisionOf(r *http.Request) (asset int64, number int, err error) {
	asset, err = id(r, "asset")
	if err != nil {
		return 0, 0, err
	}
	if number, err = strconv.Atoi(chi.URLParam(r, "revision")); err != nil {
		return 0, 0, work.ErrNotFound
	}
	return asset, number, nil
}
