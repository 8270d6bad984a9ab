package web

import (
	"cmp"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/internal/draft"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

// reply sends a small answer to a script, or what a person should know instead.
func (s *Server) reply(w http.ResponseWriter, v any, err error) error {
	status := http.StatusOK
	if fault.KindOf(err) != 0 {
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
			return nil, fault.Input("%s: %q is no number", n, r.URL.Query().Get(n))
		}
		list[i] = v
	}
	return list, nil
}

// pick tells what is at a place of the drawing, or on a ray of the turntable.
func (s *Server) pick(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	at := show.Sight{Station: r.URL.Query().Get("station"), Height: figureHeight(r)}
	var v []float64
	if r.URL.Query().Has("ox") {
		if v, err = numbers(r, "ox", "oy", "oz", "dx", "dy", "dz", "spread"); err == nil {
			at.Ray, at.Spread = &[2]geom.Vec3{geom.Vec3(v[:3]), geom.Vec3(v[3:6])}, v[6]
		}
	} else if v, err = numbers(r, "x", "y"); err == nil {
		at.X, at.Y = v[0], v[1]
	}
	if err != nil {
		return s.reply(w, nil, err)
	}
	p, err := s.board.Pick(r.Context(), o, at)
	if fault.KindOf(err) == fault.Missing { // pointing beside the mesh is no error
		return s.reply(w, map[string]any{"nothing": true, "say": sentence(err.Error())}, nil)
	}
	return s.reply(w, p, err)
}

// snap tells where a shape of Collision comes to that is dragged.
func (s *Server) snap(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	q := r.URL.Query()
	v, err := numbers(r, "right", "up", "front", "reach", "gripright", "gripup", "gripfront")
	if err != nil {
		return s.reply(w, nil, err)
	}
	d := show.Dragged{Shape: q.Get("shape"), By: geom.Vec3(v[:3]), Reach: v[3]}
	for k, name := range [3]string{"right", "up", "front"} {
		d.Grip[k] = int(min(1, max(-1, v[4+k])))
		d.Free[k] = slices.Contains(q["free"], name)
	}
	c, err := s.board.Snap(r.Context(), o, d)
	return s.reply(w, c, err)
}

// area turns a rectangle on the plan into metres.
func (s *Server) area(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	if text := r.URL.Query().Get("round"); text != "" {
		places, err := placesOf(text)
		if err != nil {
			return s.reply(w, nil, err)
		}
		c, err := show.Round(o, places)
		return s.reply(w, c, err)
	}
	v, err := numbers(r, "x0", "y0", "x1", "y1")
	if err != nil {
		return s.reply(w, nil, err)
	}
	a, err := show.Area(o, v[0], v[1], v[2], v[3])
	return s.reply(w, a, err)
}

// placesOf reads two numbers of each place, "x,y;x,y".
func placesOf(text string) (list [][2]float64, err error) {
	for part := range strings.SplitSeq(text, ";") {
		x, y, _ := strings.Cut(part, ",")
		var p [2]float64
		for k, s := range [2]string{x, y} {
			if p[k], err = strconv.ParseFloat(s, 64); err != nil || p[k]-p[k] != 0 {
				return nil, fault.Input("%q is no place: expected two numbers, x,y", fault.Shown(part))
			}
		}
		if list = append(list, p); len(list) > mostPlaces {
			return nil, fault.Input("more than %d places were drawn round", mostPlaces)
		}
	}
	return list, nil
}

// mostPlaces bounds what is drawn round.
const mostPlaces = 400

// preview draws what a form would do, without doing it.
func (s *Server) preview(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	f := parse(w, r)
	f.open = func() (*work.Opened, error) { return o, nil }
	at := f.str("station")
	f.pass("base", "view", "target") // of the form that is tried
	var by work.Decision
	if f.has("code") || f.has("all") {
		by, err = s.remedyOf(r.Context(), o, at, f)
	} else {
		by, err = s.decision(r, o.Asset.ID, at, f)
	}
	var p prep.Prep
	if err = first(err, f.err); err == nil {
		p = o.Prep
		if err = by(&p); err == nil {
			err = p.Validate()
		}
	}
	if k := fault.KindOf(err); k != 0 { // a field half typed has no outcome to show, and that is no error
		w.WriteHeader(http.StatusNoContent)
		return nil
	}
	if err != nil {
		return s.reply(w, nil, err)
	}
	if f.str("view") == "turntable" {
		lines, err := s.board.PreviewLines(r.Context(), o, at, p)
		if err != nil {
			return s.reply(w, nil, err)
		}
		w.Header().Set("Content-Type", "application/octet-stream")
		w.Header().Set("Cache-Control", "no-store")
		_, err = w.Write(lines)
		return err
	}
	svg, err := s.board.Preview(r.Context(), o, at, figureHeight(r), p)
	if err != nil {
		return s.reply(w, nil, err)
	}
	w.Header().Set("Content-Type", "image/svg+xml; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write([]byte(svg))
	return err
}

// turntable sends the mesh a station leaves, as the page’s canvas draws it.
func (s *Server) turntable(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	at := r.URL.Query().Get("station")
	var b []byte
	lod, _ := strconv.Atoi(r.URL.Query().Get("lod")) // none is the asset itself
	if as := r.URL.Query().Get("look"); r.URL.Query().Has("came") {
		b, err = s.board.CameTurntable(r.Context(), o)
	} else if lod > 0 {
		b, err = s.board.Level(r.Context(), o, lod, draft.Coat(as))
	} else if as != "" {
		b, err = s.board.Painted(r.Context(), o, at, draft.Coat(as))
	} else {
		b, err = s.board.Turntable(r.Context(), o, at, figureHeight(r))
	}
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write(b)
	return err
}

// picture is one of the pictures of an asset's materials, as a browser shows it.
func (s *Server) picture(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(chi.URLParam(r, "picture"))
	if err != nil {
		return work.ErrNotFound
	}
	channel, err := strconv.Atoi(cmp.Or(r.URL.Query().Get("channel"), "0"))
	if err != nil || channel < 0 || channel > 4 {
		return work.ErrNotFound
	}
	shot, err := s.board.Picture(r.Context(), o, r.URL.Query().Get("station"), n, channel)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", shot.MIME)
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write(shot.Data)
	return err
}

// uvs is the layout of a UV set at a station.
func (s *Server) uvs(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	set, err := strconv.Atoi(cmp.Or(r.URL.Query().Get("set"), "0"))
	if err != nil || set < 0 || set > 7 {
		return work.ErrNotFound
	}
	b, err := s.board.UVs(r.Context(), o, r.URL.Query().Get("station"), set)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write(b)
	return err
}

// small is one of the small drawings of Axes. What is drawn stands in its address, so a
// browser need not ask twice.
func (s *Server) small(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	turn, err := show.ParseTurn(r.URL.Query().Get("turn"))
	if err != nil {
		return err
	}
	svg, err := s.board.Small(r.Context(), o, turn)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "image/svg+xml")
	if r.URL.Query().Get("of") == o.Result.Stops()[0].Key {
		w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	} else { // the page it is for is of before
		w.Header().Set("Cache-Control", "no-store")
	}
	_, err = io.WriteString(w, svg)
	return err
}

// came is a small drawing of the asset as its target would have it with nothing decided, in a page of its own kind.
func (s *Server) came(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	c, err := s.board.Came(r.Context(), o)
	if err != nil {
		return err
	}
	return s.fragment(w, "packing", "came", c)
}

// Bounds of the artist's own figure, in metres.
const (
	figureLeast = 0.05
	figureMost  = 20
)

// figureHeight is that of the artist's own figure beside the asset, 0 for none.
func figureHeight(r *http.Request) float64 {
	h, err := strconv.ParseFloat(r.URL.Query().Get("figure"), 64)
	if err != nil || !(h > figureLeast && h < figureMost) {
		return 0
	}
	return h
}

// ruler reads the two points of a measurement from the address, nil when there are none.
func ruler(r *http.Request, o *work.Opened, at string) *show.Measured {
	q := r.URL.Query()
	a, err1 := parsePoint(q.Get("from"))
	b, err2 := parsePoint(q.Get("to"))
	if err1 != nil || err2 != nil {
		return nil
	}
	m, err := show.Measure(o, at, a, b)
	if err != nil {
		return nil
	}
	return &m
}
