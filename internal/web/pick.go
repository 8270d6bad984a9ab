package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/internal/work"
)

// reply sends a small answer to a script, or what a person should know instead.
func (s *Server) reply(w http.ResponseWriter, v any, err error) error {
	status := http.StatusOK
	if errors.Is(err, work.ErrInput) {
		status, v, err = http.StatusUnprocessableEntity, map[string]string{"say": sentence(err.Error())}, nil
	}
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	return json.NewEncoder(w).Encode(v)
}

// numbers reads numbers of the address.
func numbers(r *http.Request, names ...string) ([]float64, error) {
	list := make([]float64, len(names))
	for i, n := range names {
		v, err := strconv.ParseFloat(r.URL.Query().Get(n), 64)
		if err != nil || v-v != 0 {
			return nil, fmt.Errorf("%w%s: %q is no number", work.ErrInput, n, r.URL.Query().Get(n))
		}
		list[i] = v
	}
	return list, nil
}

// pick tells what is at a place of the drawing, or on a ray of the turntable.
func (s *Server) pick(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	at := work.Sight{Station: r.URL.Query().Get("station"), Height: figureHeight(r)}
	if r.URL.Query().Has("ox") {
		var v []float64
		if v, err = numbers(r, "ox", "oy", "oz", "dx", "dy", "dz", "spread"); err == nil {
			at.Ray, at.Spread = &[2]geom.Vec3{geom.Vec3(v[:3]), geom.Vec3(v[3:6])}, v[6]
		}
	} else {
		var v []float64
		if v, err = numbers(r, "x", "y"); err == nil {
			at.X, at.Y = v[0], v[1]
		}
	}
	if err != nil {
		return s.reply(w, nil, err)
	}
	p, err := s.desk.Pick(r.Context(), sh, at)
	return s.reply(w, p, err)
}

// area turns a rectangle on the plan into metres.
func (s *Server) area(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	v, err := numbers(r, "x0", "y0", "x1", "y1")
	if err != nil {
		return s.reply(w, nil, err)
	}
	return s.reply(w, s.desk.Area(sh, v[0], v[1], v[2], v[3]), nil)
}

// preview draws what a form would do, without doing it.
func (s *Server) preview(w http.ResponseWriter, r *http.Request) error {
	sh, err := s.open(r)
	if err != nil {
		return err
	}
	f := parse(w, r)
	f.keys = sh.Result.Read.Keys()
	station := f.str("station")
	var p prep.Prep
	if f.has("code") {
		p, err = sh.RemedyPrep(station, f.str("code"), f.int("n"))
	} else if change, ok := decoders[station]; ok {
		p = sh.Prep
		change(f, &p)
	}
	if err = first(err, f.err); err != nil {
		return s.reply(w, nil, err)
	}
	svg, err := s.desk.Preview(r.Context(), sh, station, figureHeight(r), p)
	if err != nil {
		return s.reply(w, nil, err)
	}
	w.Header().Set("Content-Type", "image/svg+xml; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write([]byte(svg))
	return err
}

// open loads the asset of the path.
func (s *Server) open(r *http.Request) (*work.Sheet, error) {
	aid, err := id(r, "asset")
	if err != nil {
		return nil, err
	}
	return s.desk.Open(r.Context(), aid)
}

// figureHeight is the artist's own figure beside the asset, 0 for the usual ones.
func figureHeight(r *http.Request) float64 {
	h, _ := strconv.ParseFloat(r.URL.Query().Get("figure"), 64)
	if !(h > 0.05 && h < 20) {
		return 0
	}
	return h
}

// measured reads the two points of a measurement from the address.
func measured(r *http.Request, sh *work.Sheet, station string) *work.Measured {
	q := r.URL.Query()
	a, err1 := parsePoint(q.Get("from"))
	b, err2 := parsePoint(q.Get("to"))
	if err1 != nil || err2 != nil {
		return nil
	}
	m := sh.Measure(station, a, b)
	return &m
}
