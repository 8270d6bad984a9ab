package web

import (
	"net/http"

	"yarvek/core/station/surface"
	"yarvek/internal/work"
)

// making is how far LODs and shapes are that take long to be made.
type making struct {
	Path    string // of the asset
	Station string // whose sheet is fetched when they are there
	Pending bool
	State   work.State
	Say     string // why they are not being made
	Again   bool   // they are there by now
}

// NotYet says what is not there, and Do what is pressed to have it.
func (m making) NotYet() string {
	if m.Station == surface.Info.ID {
		return "Faces that run through one another were compared in part."
	}
	return "They are not made yet."
}

// Do is the button's.
func (m making) Do() string {
	if m.Station == surface.Info.ID {
		return "Compare all of them"
	}
	return "Make them"
}

// making begins to make what a worksheet waits for, and tells how far that is.
func (c *call) making(pending bool, station string) making {
	m := making{Path: assetPath(c.o.Asset.ID), Station: station, Pending: pending}
	if !pending {
		return m
	}
	if job := c.desk.Climb(c.r.Context(), c.o); job != nil {
		m.State = job.State()
		return m
	}
	// It may have ended between opening the asset and asking for it: once, the page is fetched again.
	m.Say = c.desk.ClimbEnded(c.o.Asset.ID)
	m.Again = m.Say == "" && !c.r.URL.Query().Has("again")
	return m
}

// compared tells how far comparing in full is of what pages compared in part; begun by hand, as
// nothing waits for it.
func (c *call) compared() making {
	m := making{Path: assetPath(c.o.Asset.ID), Station: surface.Info.ID, Pending: c.o.Result.InPart()}
	if !m.Pending {
		return m
	}
	passing(c.r)
	if job := c.desk.Climbing(c.o.Asset.ID); job != nil {
		m.State = job.State()
		return m
	}
	m.Say = c.desk.ClimbEnded(c.o.Asset.ID)
	return m
}

// beginMaking begins to make an asset's LODs and shapes.
func (s *Server) beginMaking(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	f := parse(w, r)
	at := f.str("station")
	if err := f.end(); err != nil {
		return err
	}
	in, err := work.Station(at)
	if err != nil {
		return err
	}
	s.desk.ClimbAgain(r.Context(), o)
	return seeOther(w, r, "%s/%s", assetPath(o.Asset.ID), in.ID)
}

// stopMaking stops making them; they are made when that is asked for again.
func (s *Server) stopMaking(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	s.desk.StopClimb(o.Asset.ID)
	return s.madeSoFar(w, r)
}

// madeSoFar shows how far an asset's LODs and shapes are; the page asks again until they are there, and
// fetches its sheet then.
func (s *Server) madeSoFar(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	in, err := work.Station(r.URL.Query().Get("station"))
	if err != nil {
		return err
	}
	m := making{Path: assetPath(o.Asset.ID), Station: in.ID,
		Pending: o.Result.Pending() || in.ID == surface.Info.ID && o.Result.InPart()}
	if m.Pending {
		if job := s.desk.Climbing(o.Asset.ID); job != nil {
			m.State = job.State()
		} else {
			m.Say = s.desk.ClimbEnded(o.Asset.ID)
			m.Again = m.Say == ""
		}
	}
	s.write(w, http.StatusOK, worksheets()[in.ID], "progress", m)
	return nil
}
