package web

import (
	"fmt"
	"html/template"
	"maps"
	"math"
	"slices"
	"strings"

	"yarvek/core/cloud"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/lods"
	"yarvek/core/station/pivot"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

var pivotRoom = room{
	id:     pivot.Info.ID,
	decode: decidePivot,
	page: func(c *call, ws worksheet) (any, error) {
		stop, err := c.o.Result.Stop(pivot.Info.ID)
		if err != nil {
			return nil, err
		}
		pieces, err := c.desk.Pieces(c.r.Context(), c.o)
		p := pivotPage{worksheet: ws, Report: c.o.Result.Pivot, Decided: c.o.Prep.Pivot, Boxes: boxLayers(c.o.Prep.Pivot),
			Pieces: pieces, Dotted: stop.Before.Dotted(), Reach: lods.Round(stop.Before.Bounds().Size().Max() / 12)}
		keys := stop.Before.Keys()
		for i, n := range stop.Before.Nodes {
			if n.Mesh >= 0 {
				p.Parts = append(p.Parts, [2]string{keys[i], n.Name})
			}
		}
		return p, err
	},
	words: template.FuncMap{
		"xyz":       func() []string { return []string{"X", "Y", "Z"} },
		"meetwords": meetWords,
		"features":  func() [][2]string { return cloud.Sorts },
		"empties": func() [2]string {
			with, without := format.Keeping(func(f format.Format) bool { return f.Empties })
			return [2]string{with, without}
		},
		"headings": func() [][3]string {
			return [][3]string{{"left", "90", "Quarter left"}, {"right", "-90", "Quarter right"}, {"round", "180", "Half round"}}
		},
		"drops": func() [][2]string {
			return [][2]string{{string(pivot.Stay), "Where picked"}, {string(pivot.ToGround), "To the ground"},
				{string(pivot.ToSurface), "To the surface below"}}
		},
		"seats": func() [][2]string {
			return [][2]string{{string(pivot.OnBox), "centre of its base"}, {string(pivot.OnContact), "between its feet"},
				{string(pivot.OnMass), "centre of mass"}, {string(pivot.AsRead), "as the file has it"}}
		},
	},
}

// pivotPage is what Pivot's worksheet shows.
type pivotPage struct {
	worksheet
	Report  *pivot.Report
	Decided pivot.Decisions
	Boxes   []boxLayer
	Pieces  []work.Piece
	Dotted  bool        // all there is of it is points without faces
	Reach   float64     // metres round a pick that features are looked for in, to begin with
	Parts   [][2]string // key and name of the parts whose own origin can be seated
}

// EachKeys are the parts that are seated by themselves, in order.
func (p pivotPage) EachKeys() []string { return slices.Sorted(maps.Keys(p.Decided.Each)) }

// AsRead tells whether the pivot is where it was.
func (p pivotPage) AsRead() bool {
	return p.Decided.Place == pivot.AsRead && p.Report.Heading == 0 && !p.Decided.Snap
}

// OnBox tells whether it is seated on the box.
func (p pivotPage) OnBox() bool { return p.Decided.Place == pivot.OnBox }

// EachLine says what is decided for the origin of one part.
func (p pivotPage) EachLine(key string) string { return p.Decided.Each[key].Words() }

// boxLayer is nine of the 27 points of the box, as the plan shows them.
type boxLayer struct {
	Name string
	Rows [][]boxPoint
}

// boxPoint is one of the points: right, up and forward, as a form sends it.
type boxPoint struct {
	Box    string
	Name   string
	Chosen bool
}

// boxLayers lists the points from the top down, each layer seen from above with the
// back first, as the plan on the drawing shows it: the asset's own right lies to the
// left.
func boxLayers(d pivot.Decisions) []boxLayer {
	var layers []boxLayer
	for _, up := range []int{1, 0, -1} {
		l := boxLayer{Name: [3]string{"Base", "Mid-height", "Top"}[up+1]}
		for _, fwd := range []int{-1, 0, 1} {
			var row []boxPoint
			for _, right := range []int{1, 0, -1} {
				at := [3]int{right, up, fwd}
				row = append(row, boxPoint{fmt.Sprintf("%d,%d,%d", right, up, fwd), pivot.BoxWords(at), d.Place == pivot.OnBox &&
					d.Box == at})
			}
			l.Rows = append(l.Rows, row)
		}
		layers = append(layers, l)
	}
	return layers
}

// meetWords says why a piece would not meet its neighbours.
func meetWords(p work.Piece) string {
	var w []string
	for _, side := range []struct {
		k    int
		name string
	}{{0, "width"}, {2, "depth"}} {
		if over := p.Over[side.k]; math.Abs(over) >= work.MeetTol {
			word := "too long"
			if over < 0 {
				word = "short"
			}
			w = append(w, fmt.Sprintf("%s %s %s", side.name, figure.Length(math.Abs(over)), word))
		}
	}
	if p.Off >= work.MeetTol {
		w = append(w, "pivot "+figure.Length(p.Off)+" off")
	}
	if len(w) == 0 {
		return "no whole number of cells"
	}
	return strings.Join(w, ", ")
}

// seat reads the place of a seat.
func (f *form) seat() pivot.Seat {
	s := pivot.Seat{Place: pivot.SeatBy(f.str("place"))}
	switch s.Place {
	case pivot.OnBox:
		var err error
		if s.Box, err = pivot.ParseBox(f.str("box")); err != nil {
			f.fail("%s", err)
		}
	case pivot.OnPicks:
		s.Picks = f.points("pick")
	case pivot.At:
		f.unknown() // coordinates are values
	}
	f.check(s.Validate())
	return s
}

// feature is the seat on what points of the asset lie on near a place.
func (f *form) feature(at geom.Vec3) pivot.Seat {
	o, err := f.open()
	if f.err = first(f.err, err); f.err != nil {
		return pivot.Seat{}
	}
	seat, err := show.Feature(o, cloud.Sort(f.str("sort")), at, f.length("reach", "How far round it"))
	f.check(err)
	return seat
}

// decidePivot turns Pivot’s form into decisions.
func decidePivot(f *form, p *prep.Prep) {
	d := &p.Pivot
	switch f.str("act") {
	case "seat":
		*d = d.Seated(f.seat())
	case "feature":
		*d = d.Seated(f.feature(f.point("at")))
	case "asread":
		*d = d.Seated(pivot.Seat{})
		d.Heading, d.Along, d.Snap, d.Under, d.Parts = 0, nil, false, false, false
	case "parts":
		d.Parts = f.on("parts")
	case "each":
		decidePart(f, d)
	case "snap":
		d.Snap = f.on("snap")
	case "turn":
		d.Heading, d.Along = math.Remainder(d.Heading+f.number("degrees", "The angle"), 360), nil
	case "heading":
		d.Heading, d.Along = math.Remainder(f.number("degrees", "The angle"), 360), nil
	case "along":
		d.Along, d.Heading = f.points("pick"), 0
	case "under":
		d.Under = f.on("under")
	case "marker":
		addMarker(f, d)
	case "marker-name", "marker-turn", "marker-drop", "marker-remove":
		changeMarker(f, d, f.str("act"))
	default:
		f.unknown()
	}
}

// decidePart seats the origin of one part.
func decidePart(f *form, d *pivot.Decisions) {
	_, decided := d.Each[f.str("key")]
	key, s := f.node("key", f.parts(), decided), f.seat()
	each := maps.Clone(d.Each)
	if each == nil {
		each = map[string]pivot.Seat{}
	}
	if each[key] = s; s.Place == pivot.AsRead {
		delete(each, key)
	}
	if len(each) == 0 {
		each = nil
	}
	d.Each = each
}

// parts are the keys of the nodes that come to Pivot.
func (f *form) parts() []string {
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return nil
	}
	stop, err := o.Result.Stop(pivot.Info.ID)
	f.check(err)
	if err != nil {
		return nil
	}
	return stop.Before.Keys()
}

// addMarker adds one, numbered when it was given no name.
func addMarker(f *form, d *pivot.Decisions) {
	taken := func(name string) bool {
		return slices.ContainsFunc(d.Markers, func(m pivot.Marker) bool { return m.Name == name })
	}
	m := pivot.Marker{At: f.point("at")}
	if f.str("name") != "" {
		if m.Name = f.name("name"); taken(m.Name) {
			f.fail("there is a marker called “%s” already", m.Name)
		}
	} else {
		for i := len(d.Markers) + 1; m.Name == "" || taken(m.Name); i++ {
			m.Name = fmt.Sprintf("marker %d", i)
		}
	}
	if f.str("heading") != "" {
		m.Heading = f.number("heading", "The heading")
	}
	d.Markers = append(slices.Clone(d.Markers), m)
}

// changeMarker does what the form asks of one marker.
func changeMarker(f *form, d *pivot.Decisions, act string) {
	i := slices.IndexFunc(d.Markers, func(m pivot.Marker) bool { return m.Name == f.str("marker") })
	if i < 0 {
		f.fail("there is no marker called “%s”", f.str("marker"))
		return
	}
	list := slices.Clone(d.Markers)
	d.Markers = list
	switch act {
	case "marker-name":
		list[i].Name = f.name("name")
	case "marker-turn":
		list[i].Heading = math.Remainder(f.number("heading", "The heading"), 360)
	case "marker-drop":
		list[i].Drop = pivot.Drop(f.str("drop"))
	case "marker-remove":
		if d.Markers = slices.Delete(list, i, i+1); len(d.Markers) == 0 {
			d.Markers = nil
		}
	}
}
