package pivot

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station"
)

// Spot is where a point lies against a box, along right, up and forward of the basis.
// The zero Spot is one of nothing. A side along an axis is -1 (right, base, back), 0
// (the middle) or 1 (left, top, front), as in [Seat]'s Box; left and right are those of
// somebody looking at the front, as the drawing shows it.
type Spot struct {
	known  bool
	side   [3]int
	exact  [3]bool   // whether it lies on side, to half a hundredth of the box's size
	off    geom.Vec3 // by how far it is outside, with the side as sign; metres
	chosen string    // what it was decided to be, such as a centre of mass; "" for nothing
}

// SpotOf finds where a point lies against a box, both in the basis.
func SpotOf(p geom.Vec3, b geom.Box, basis geom.Basis) Spot {
	if b.IsEmpty() {
		return Spot{}
	}
	s := Spot{known: true}
	tol := max(b.Size().Max()*0.005, 1e-4)
	for i, axis := range []geom.Axis{basis.Right(), basis.Up, basis.Forward} {
		k := axis.Index()
		lo, hi, v := b.Min[k], b.Max[k], p[k]
		if axis.Sign() < 0 {
			lo, hi, v = -hi, -lo, -v
		}
		switch {
		case v < lo-tol:
			s.off[i] = v - lo
		case v > hi+tol:
			s.off[i] = v - hi
		case math.Abs(v-lo) <= tol:
			s.side[i], s.exact[i] = -1, true
		case math.Abs(v-hi) <= tol:
			s.side[i], s.exact[i] = 1, true
		case math.Abs(v-(lo+hi)/2) <= tol:
			s.side[i], s.exact[i] = 0, true
		}
	}
	return s
}

// Known tells whether there was a box at all.
func (s Spot) Known() bool { return s.known }

// Outside tells whether the point lies beyond the box.
func (s Spot) Outside() bool { return s.off != geom.Vec3{} }

// OnBox gives the point of the box the spot is, as [Seat]'s Box has it, and whether it
// is one.
func (s Spot) OnBox() ([3]int, bool) {
	return s.side, s.known && s.exact == [3]bool{true, true, true}
}

// String says the spot in words that go on from "it lies".
func (s Spot) String() string {
	if !s.known {
		return ""
	}
	var off []string
	for i, beyond := range [3][2]string{{"to the right of it", "to the left of it"}, {"below it", "above it"},
		{"behind it", "in front of it"}} {
		switch {
		case s.off[i] < 0:
			off = append(off, figure.Length(-s.off[i])+" "+beyond[0])
		case s.off[i] > 0:
			off = append(off, figure.Length(s.off[i])+" "+beyond[1])
		}
	}
	at, on := s.OnBox()
	switch {
	case len(off) > 0:
		return strings.Join(off, ", ")
	case !on && s.chosen != "":
		return s.chosen
	case !on:
		return "inside its box"
	case at == [3]int{}:
		return "at its centre"
	}
	across := [3]string{"right", "", "left"}[at[0]+1]
	level := [3]string{"base", "mid-height", "top"}[at[1]+1]
	deep := [3]string{"back", "", "front"}[at[2]+1]
	sides := strings.TrimSpace(deep + " " + across)
	if sides == "" {
		return "at the centre of its " + level
	}
	return fmt.Sprintf("at its %s, %s", level, sides)
}

// Figure is the place of the pivot in two words, or how far off it is.
func (r *Report) Figure() string {
	if r.Box.IsEmpty() {
		return "–"
	}
	if off := r.Box.Distance(r.Origin); off > max(0.001, 0.005*r.Box.Size().Max()) {
		return figure.Length(off) + " off"
	}
	for _, f := range r.Findings() {
		switch f.Code {
		case codeFloats:
			return "floats"
		case codeSunk:
			return "sunk"
		}
	}
	switch at, on := r.Where.OnBox(); {
	case !on:
		return "inside"
	case at == BaseCentre.Box:
		return "base centre"
	case at == [3]int{}:
		return "centre"
	}
	return "on the box"
}

// BoxWords says a point of the box in words that go on from "seat it".
func BoxWords(at [3]int) string {
	level := [3]string{"at the base", "at mid-height", "at the top"}[at[1]+1]
	across := [3]string{"right", "", "left"}[at[0]+1] // as seen from the front, like the drawing
	deep := [3]string{"back", "", "front"}[at[2]+1]
	switch sides := strings.TrimSpace(deep + " " + across); {
	case sides != "":
		return level + ", " + sides
	case at[1] == 0:
		return "at the centre"
	default:
		return strings.Replace(level, "at the", "at the centre of the", 1)
	}
}

// Words says a seat in words that go on from "seat it".
func (s Seat) Words() string {
	switch s.Place {
	case AsRead:
		return "at the old origin"
	case OnBox:
		return BoxWords(s.Box)
	case At:
		return fmt.Sprintf("at %s, %s, %s m", figure.Significant(s.Point[0], 5), figure.Significant(s.Point[1], 5),
			figure.Significant(s.Point[2], 5))
	case OnContact:
		return "in the middle of what touches the ground"
	case OnMass:
		return "at the centre of mass"
	case OnPicks:
		if s.Feature != (Feature{}) {
			return s.Feature.words()
		}
		if len(s.Picks) == 2 {
			return "in the middle of an edge"
		}
		return "at a picked point"
	}
	return string(s.Place) // Validate refuses it
}

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(format string, args ...any) { l = append(l, fmt.Sprintf(format, args...)) }
	if d.Place != AsRead {
		say("Seat the pivot %s", d.Whole().Words())
	}
	for _, k := range d.Refs() {
		say("Seat %s %s", station.LastName(k), d.Each[k].Words())
	}
	if d.Parts {
		say("Seat each part at the same point of its own box")
	}
	if d.Snap {
		say("Snap the pivot to the kit’s grid")
	}
	if len(d.Along) > 0 {
		say("Turn the pivot along an edge")
	} else if d.Heading != 0 {
		say("Turn the pivot to %s°", figure.Significant(d.Heading, 4))
	}
	if d.Under {
		say("Move the pivot under the mesh")
	}
	for _, m := range d.Markers {
		say("%s", m.line())
	}
	return l
}

// line says a marker: its name, and what was decided for it besides its place.
func (m Marker) line() string {
	s := "Add the marker " + m.Name
	if m.Heading != 0 {
		s += fmt.Sprintf(", facing %s°", figure.Significant(m.Heading, 4))
	}
	switch m.Drop {
	case ToGround:
		s += ", dropped to the ground"
	case ToSurface:
		s += ", dropped to the surface below"
	}
	return s
}
