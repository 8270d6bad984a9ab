package web

import (
	"fmt"
	"net/http"
	"net/url"
	"time"

	"github.com/go-chi/chi/v5"

	"yarvek/internal/work"
)

// usualPatience is how long a kit's page waits for what was not looked at before.
const usualPatience = 500 * time.Millisecond

// lookingView is how far the looking at a kit is.
type lookingView struct {
	Kit int64
	work.State
	Unlooked int
	Page     string // the address of what it is looked at for, once it is done
}

// looking tells how far the looking at a kit is; done, the list comes anew.
func (s *Server) looking(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	v := lookingView{Kit: kid, State: work.State{Done: true}}
	if j, err := s.desk.Jobs.Find(chi.URLParam(r, "job")); err == nil {
		v.State = j.State()
	}
	at, err := url.Parse(r.Header.Get("HX-Current-URL"))
	v.Page = fmt.Sprintf("/kits/%d", kid)
	if err == nil && at.Path == v.Page {
		v.Page = at.RequestURI()
	}
	return s.fragment(w, "kit", "looking", v)
}
