package web

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/prep"
	"yarvek/internal/store"
)

// revisions lists all revisions of an asset.
func (s *Server) revisions(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	list, err := s.desk.Store.Revisions(r.Context(), sh.Asset.ID)
	if err != nil {
		return err
	}
	s.render(w, r, http.StatusOK, "revisions", sh.Asset.Name+" · revisions · Yarvek", map[string]any{"Sheet": sh, "List": list})
	return nil
}

// review sets a revision beside the one in force.
func (s *Server) review(w http.ResponseWriter, r *http.Request) error {
	aid, n, err := revisionOf(r)
	if err != nil {
		return err
	}
	return s.showReview(w, r, aid, n, http.StatusOK, "")
}

func (s *Server) showReview(w http.ResponseWriter, r *http.Request, aid int64, n, status int, say string) error {
	v, err := s.desk.Review(r.Context(), aid, n)
	if err != nil {
		return err
	}
	list, err := s.desk.Store.Revisions(r.Context(), aid)
	if err != nil {
		return err
	}
	s.render(w, r, status, "review", v.Sheet.Asset.Name+" · revision "+strconv.Itoa(n)+" · Yarvek", map[string]any{"Review": v, "Sheet": v.Sheet, "List": list, "Say": say})
	return nil
}

// takeRevision puts one in force, with its lost decisions pointed anew.
func (s *Server) takeRevision(w http.ResponseWriter, r *http.Request) error {
	aid, n, err := revisionOf(r)
	f := parse(w, r)
	base := f.int("base")
	if err := first(err, f.err); err != nil {
		return err
	}
	points := map[prep.Ref]string{}
	for i, ref := range f.strs("lost") {
		station, key, _ := strings.Cut(ref, " ")
		switch to := f.str("to" + strconv.Itoa(i)); to {
		case "later":
		case "drop":
			points[prep.Ref{Station: station, Key: key}] = ""
		default:
			points[prep.Ref{Station: station, Key: key}] = strings.TrimPrefix(to, "node ")
		}
	}
	err = s.desk.TakeRevision(r.Context(), aid, n, base, points)
	if err == store.ErrStale {
		return s.showReview(w, r, aid, n, http.StatusConflict, "This asset was changed in another window meanwhile. What is in force now is shown on the left; take the revision again if it still is right.")
	}
	if err != nil {
		return err
	}
	return seeOther(w, r, "/assets/%d/source", aid)
}

func revisionOf(r *http.Request) (asset int64, number int, err error) {
	asset, err = id(r, "asset")
	if err != nil {
		return 0, 0, err
	}
	if number, err = strconv.Atoi(chi.URLParam(r, "revision")); err != nil {
		return 0, 0, store.ErrNotFound
	}
	return asset, number, nil
}
