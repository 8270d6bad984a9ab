package web

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/internal/work"
)

// seat reads the place of a seat.
func (f *form) seat() pivot.Seat {
	s := pivot.Seat{Place: pivot.Place(f.str("place"))}
	switch s.Place {
	case pivot.OnBox:
		if n, err := fmt.Sscanf(f.str("box"), "%d,%d,%d", &s.Box[0], &s.Box[1], &s.Box[2]); n != 3 || err != nil {
			f.fail("%q names no point of the box", f.str("box"))
		}
	case pivot.At:
		s.Point = geom.Vec3{f.length("x", "X"), f.length("y", "Y"), f.length("z", "Z")}
	case pivot.OnPicks:
		s.Picks = f.points("pick")
	}
	if err := s.Validate(); err != nil {
		f.fail("%v", err)
	}
	return s
}

func seatName(s pivot.Seat) string {
	switch s.Place {
	case pivot.OnBox:
		return placeName(s.Box)
	case pivot.At:
		return "at coordinates"
	case pivot.OnContact:
		return "in the middle of what touches the ground"
	case pivot.OnMass:
		return "at the centre of mass"
	case pivot.OnPicks:
		if len(s.Picks) == 2 {
			return "in the middle of an edge"
		}
		return "at a picked point"
	}
	return "at the old origin"
}

func decidePivot(f *form, p *prep.Prep) string {
	d := &p.Pivot
	switch f.str("act") {
	case "seat":
		s := f.seat()
		if f.err != nil {
			return ""
		}
		*d = d.Seated(s)
		return "Seat the pivot " + seatName(s)
	case "asread":
		*d = d.Seated(pivot.Seat{})
		d.Heading, d.Along, d.Snap, d.Under, d.Parts = 0, nil, false, false, false
		return "Leave the pivot at the old origin"
	case "parts":
		if d.Parts = f.str("parts") == "on"; d.Parts {
			return "Seat each part too"
		}
		return "Leave the parts' own origins"
	case "each":
		return decidePart(f, d)
	case "snap":
		if d.Snap = f.str("snap") == "on"; d.Snap {
			return "Snap the pivot to the kit's grid"
		}
		return "Leave the grid alone"
	case "turn":
		d.Heading, d.Along = math.Remainder(d.Heading+f.number("degrees", "The angle"), 360), nil
		return fmt.Sprintf("Turn the pivot to %s°", figure.Significant(d.Heading, 4))
	case "heading":
		d.Heading, d.Along = math.Remainder(f.number("degrees", "The angle"), 360), nil
		return fmt.Sprintf("Turn the pivot to %s°", figure.Significant(d.Heading, 4))
	case "along":
		d.Along, d.Heading = f.points("pick"), 0
		return "Turn the pivot along an edge"
	case "under":
		if d.Under = f.str("under") == "on"; d.Under {
			return "Move the pivot under the mesh"
		}
		return "Move the mesh onto the origin"
	}
	return decideMarker(f, d)
}

// decidePart seats the origin of one part.
func decidePart(f *form, d *pivot.Decisions) string {
	key, s := f.str("key"), f.seat()
	if f.err != nil {
		return ""
	}
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
	return fmt.Sprintf("Seat %s %s", lastName(key), seatName(s))
}

func decideMarker(f *form, d *pivot.Decisions) string {
	list := slices.Clone(d.Markers)
	act := f.str("act")
	if act == "marker" {
		name := f.str("name")
		for i := len(list) + 1; name == "" || slices.ContainsFunc(list, func(m pivot.Marker) bool { return m.Name == name }); i++ {
			if name != "" && f.str("name") == name {
				f.fail("there is a marker called “%s” already", name)
				return ""
			}
			name = fmt.Sprintf("marker %d", i)
		}
		clean, err := work.CleanName(name)
		if err != nil {
			f.fail("%v", err)
		}
		m := pivot.Marker{Name: clean, At: f.point("at")}
		if f.has("heading") && f.str("heading") != "" {
			m.Heading = f.number("heading", "The heading")
		}
		d.Markers = append(list, m)
		return "Add the marker " + clean
	}
	i := slices.IndexFunc(list, func(m pivot.Marker) bool { return m.Name == f.str("marker") })
	if i < 0 {
		f.fail("there is no marker called “%s”", f.str("marker"))
		return ""
	}
	m := &list[i]
	d.Markers = list
	switch act {
	case "marker-name":
		was := m.Name
		name, err := work.CleanName(f.str("name"))
		if err != nil {
			f.fail("%v", err)
		}
		m.Name = name
		return fmt.Sprintf("Call the marker %s %s", was, name)
	case "marker-turn":
		m.Heading = math.Remainder(f.number("heading", "The heading"), 360)
		return fmt.Sprintf("Turn the marker %s to %s°", m.Name, figure.Significant(m.Heading, 4))
	case "marker-drop":
		m.Drop = pivot.Drop(f.str("drop"))
		return map[pivot.Drop]string{pivot.Stay: "Leave the height of " + m.Name, pivot.ToGround: "Drop " + m.Name + " to the ground", pivot.ToSurface: "Drop " + m.Name + " to the surface below"}[m.Drop]
	case "marker-remove":
		name := m.Name
		d.Markers = slices.Delete(list, i, i+1)
		return "Remove the marker " + name
	}
	f.fail("nothing was chosen")
	return ""
}
