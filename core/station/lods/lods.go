// Package lods is station 7: what is seen from afar. It puts coarser meshes on a ladder, made here
// or by hand, tells from where each stands for the asset, and how much of that shows.
//
// The meshes themselves are made by package ladder, and what of them is asked for is worked out
// here without them: package prep brings the two together, because making takes long.
package lods

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/process/ladder"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "lods", Name: "LODs", Number: 7, Question: "What is seen from afar?"}

// Most is how many LODs there may be besides the first.
const Most = 8

// Decisions say what LODs there are and how they are made. Without any, those that came along from
// the file are the ladder.
type Decisions struct {
	Levels []Level `json:"levels,omitempty"` // finest first
	Few    bool    `json:"few,omitempty"`    // as few as bring the saving are made instead
	None   bool    `json:"none,omitempty"`   // there are none, whatever came along
	// Pixels is by how much a LOD may show where it takes over; 0 for the target's.
	Pixels float64 `json:"pixels,omitempty"`
	// Vanish is from how far on the asset is not drawn at all; metres, 0 for never.
	Vanish float64 `json:"vanish,omitempty"`
	// Fade is how much of the distance two LODs fade into one another over, in hundredths.
	Fade int `json:"fade,omitempty"`
	// Outside is from which LOD on only what is seen from outside goes into those made; 0 for none.
	Outside int           `json:"outside,omitempty"`
	Making  ladder.Making `json:"making,omitzero"`
}

// Level is one LOD: made by a wish, or the one of a number that came along.
type Level struct {
	ladder.Wish
	Hand int `json:"hand,omitempty"` // number of one that came along, 0 for one that is made
}

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if len(d.Levels) > Most {
		return fmt.Errorf("%d LODs are too many: expected at most %d besides the first", len(d.Levels), Most)
	}
	if d.None && (d.Few || len(d.Levels) > 0) || d.Few && len(d.Levels) > 0 {
		return fmt.Errorf("LODs can't be listed, be chosen and be none at once")
	}
	last := 0.0
	for i, l := range d.Levels {
		if err := l.validate(last); err != nil {
			return fmt.Errorf("LOD %d %w", i+1, err)
		}
		last = max(last, l.From)
	}
	switch {
	case d.Pixels != 0 && !(d.Pixels >= 0.05 && d.Pixels <= 50):
		return fmt.Errorf("%g pixels can't be allowed: expected 0.05 to 50", d.Pixels)
	case !(d.Vanish >= 0 && d.Vanish <= 1e6):
		return fmt.Errorf("the asset can't go away at %g m", d.Vanish)
	case d.Fade < 0 || d.Fade > 50:
		return fmt.Errorf("a fade over %d %% of the distance can't be meant: expected 0 to 50", d.Fade)
	case d.Outside < 0 || d.Outside > Most:
		return fmt.Errorf("there is no LOD %d to begin with", d.Outside)
	}
	return d.Making.Validate()
}

// leastShare is the least that may be asked for of the triangles: ten of a million.
const leastShare = 1e-5

// validate checks a LOD beside where the one before it takes over; the error goes on from “LOD 2”.
func (l Level) validate(last float64) error {
	switch {
	case !(l.Share == 0 || l.Share >= leastShare && l.Share < 1):
		return fmt.Errorf("can't have %g of the triangles: expected from %g to less than 1", l.Share, leastShare)
	case !(l.From >= 0 && l.From <= 1e6):
		return fmt.Errorf("can't take over at %g m", l.From)
	case l.Triangles < 0 || !(l.Deviation >= 0 && l.Deviation <= 1e6):
		return fmt.Errorf("can't have %d triangles, or be off by %g m", l.Triangles, l.Deviation)
	case l.Share > 0 && l.Triangles > 0 || (l.Share > 0 || l.Triangles > 0) && l.Deviation > 0:
		return errors.New("is asked for by more than one of share, triangles and deviation")
	case l.Hand < 0 || l.Hand > 0 && l.Sized():
		return errors.New("can't be both made here and by hand")
	case l.Hand == 0 && !l.Sized() && l.From == 0:
		return errors.New("says neither how many triangles it has nor where it takes over")
	case l.From > 0 && l.From <= last:
		return fmt.Errorf("takes over at %s, no farther than the one before it", figure.Length(l.From))
	}
	return nil
}

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	if d.Few {
		l = append(l, "Make as few LODs as bring the saving")
	}
	if d.None {
		l = append(l, "Have no LODs")
	}
	for i, v := range d.Levels {
		l = append(l, v.line(i+1))
	}
	add := func(on bool, format string, args ...any) {
		if on {
			l = append(l, fmt.Sprintf(format, args...))
		}
	}
	add(d.Pixels > 0, "Let a LOD show by %s", pixels(d.Pixels))
	add(d.Vanish > 0, "Let it go away at %s", figure.Length(d.Vanish))
	add(d.Fade > 0, "Fade LODs over %d %% of the distance", d.Fade)
	add(d.Outside > 0, "Keep only the outside from LOD %d on", d.Outside)
	m := d.Making
	add(m.Detail == -1, "Make LODs by their shape alone")
	add(m.Detail > 0, "Weigh what surfaces carry by %d %%", m.Detail)
	add(m.Borders, "Hold the points of open borders in LODs")
	add(m.KeepPoints, "Keep points of LODs where points are")
	add(m.Mirrored, "Keep halves of LODs mirrored")
	add(m.OfFirst, "Make each LOD of the asset itself")
	for _, name := range slices.Sorted(maps.Keys(m.Weights)) {
		l = append(l, weigh("slot", name, m.Weights[name]))
	}
	for _, key := range slices.Sorted(maps.Keys(m.Nodes)) {
		l = append(l, weigh("node", key, m.Nodes[key]))
	}
	add(m.Angle > 0, "Make normals of LODs anew, hard above %g°", m.Angle)
	add(m.Blend > 0, "Mix them in by %d %%", m.Blend)
	return l
}

func weigh(what, name string, w int) string {
	if w == 0 {
		return fmt.Sprintf("Keep the %s “%s” as it is in LODs", what, name)
	}
	return fmt.Sprintf("Weigh the %s “%s” by %d %% in LODs", what, name, w)
}

// line says one LOD.
func (v Level) line(n int) string {
	at := ""
	if v.From > 0 {
		at = " from " + figure.Length(v.From) + " on"
	}
	switch {
	case v.Hand > 0:
		return fmt.Sprintf("LOD %d: number %d of the file%s", n, v.Hand, at)
	case v.Share > 0:
		return fmt.Sprintf("LOD %d: %s of the triangles%s", n, percent(v.Share), at)
	case v.Triangles > 0:
		return fmt.Sprintf("LOD %d: %s%s", n, figure.Plural(v.Triangles, "triangle", "triangles"), at)
	case v.Deviation > 0:
		return fmt.Sprintf("LOD %d: off by %s at most%s", n, figure.Length(v.Deviation), at)
	}
	return fmt.Sprintf("LOD %d: what shows no more%s", n, at)
}

func percent(share float64) string { return figure.Significant(100*share, 3) + " %" }

func pixels(p float64) string { return figure.Significant(p, 2) + " px" }

// Refs lists the nodes that have weights.
func (d Decisions) Refs() []string { return slices.Sorted(maps.Keys(d.Making.Nodes)) }

// Repoint gives another node a node's weight.
func (d Decisions) Repoint(from, to string) station.Decisions {
	w, ok := d.Making.Nodes[from]
	if !ok {
		return d
	}
	d.Making.Nodes = maps.Clone(d.Making.Nodes)
	delete(d.Making.Nodes, from)
	if to != "" {
		d.Making.Nodes[to] = w
	}
	if len(d.Making.Nodes) == 0 {
		d.Making.Nodes = nil
	}
	return d
}

// With is the decisions with these LODs, none at all without any.
func (d Decisions) With(levels []Level) Decisions {
	d.Levels, d.Few, d.None = levels, false, len(levels) == 0
	return d
}

// Allowed is by how many pixels a LOD may show.
func (d Decisions) Allowed(target float64) float64 {
	if d.Pixels > 0 {
		return d.Pixels
	}
	return target
}

// InForce are the LODs that are asked for: those decided, or all that came along. The numbers are
// those of what came along.
func (d Decisions) InForce(hand []int) []Level {
	if d.Few || d.None {
		return nil
	}
	if len(d.Levels) > 0 {
		return d.Levels
	}
	var list []Level
	for _, n := range hand[:min(len(hand), Most)] {
		list = append(list, Level{Hand: n})
	}
	return list
}

// Climbs tells which climbs are needed: of all that is there, and of the outside alone.
func (d Decisions) Climbs(hand []int) (whole, outside bool) {
	if d.Few {
		return d.Outside != 1, d.Outside > 0
	}
	for i, l := range d.InForce(hand) {
		if l.Hand == 0 {
			whole = whole || d.Outside == 0 || i+1 < d.Outside
			outside = outside || d.Outside > 0 && i+1 >= d.Outside
		}
	}
	return whole, outside
}

// Near is how near a share of the triangles may be to a step that is there anyway, as a factor.
const near = 1.02

// Wanted are the shares of the triangles that none of the steps of a climb comes near to.
func (d Decisions) Wanted(c *ladder.Climb) []float64 {
	var list []float64
	for _, l := range d.Levels {
		share := l.ShareOf(c.Triangles)
		if !(share > 0 && share < 1) || l.Hand > 0 {
			continue
		}
		// A count is not gone beyond; a share may be missed by a little.
		least := 1 / near
		most := near
		if l.Triangles > 0 {
			most = 1
		}
		close := slices.ContainsFunc(c.Steps, func(s ladder.Step) bool {
			k := float64(max(1, s.Triangles)) / (share * float64(max(1, c.Triangles)))
			return k >= least && k <= most*(1+1e-9)
		})
		if !close && !slices.Contains(list, share) {
			list = append(list, share)
		}
	}
	slices.Sort(list)
	return list
}
