package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/prep"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/station/lods"
	"yarvek/internal/show"
)

var lodsRoom = room{
	id:     lods.Info.ID,
	decode: decideLODs,
	page: func(c *call, ws worksheet) (any, error) {
		r, d := c.o.Result.LODs, c.o.Prep.LODs
		p := lodsPage{worksheet: ws, Report: r, Decided: d, Levels: r.LevelsNow(),
			Progress: c.making(r.Pending, ws.Station.ID)}
		if len(d.Levels) > 0 && len(d.Levels) != len(p.Levels) {
			p.Levels = d.Levels // not all that are asked for are there
		}
		for _, name := range c.o.Result.Delivery.Scene.SlotNames() {
			if name != scene.NoSlot {
				w, ok := d.Making.Weights[name]
				if !ok {
					w = 100
				}
				p.Slots = append(p.Slots, weighted{"slot", name, name, w})
			}
		}
		kept := c.o.Result.LODs.LODs[0].Scene
		keys, several := kept.Keys(), kept.Count().Instances > 1
		for i, n := range kept.Nodes {
			if n.Mesh < 0 || !several {
				continue
			}
			w, ok := d.Making.Nodes[keys[i]]
			if !ok {
				w = 100
			}
			p.Nodes = append(p.Nodes, weighted{"node", keys[i], n.Name, w})
		}
		b, err := json.Marshal(show.DistancesOf(c.o))
		if err != nil {
			return nil, err
		}
		p.Distances = string(b)
		return p, nil
	},
	words: template.FuncMap{
		"px":    func(v float64) string { return figure.Significant(v, 2) + "\u202fpx" },
		"share": func(v float64) string { return figure.Significant(100*v, 3) + "\u202f%" },
		"sized": sized,
		"round": lods.Round,
		"most":  func() int { return lods.Most },
	},
}

// lodsPage is what LODs' worksheet shows.
type lodsPage struct {
	worksheet
	Report    *lods.Report
	Decided   lods.Decisions
	Levels    []lods.Level // as they are, with how coarse and from where each is
	Slots     []weighted
	Nodes     []weighted
	Progress  making // of those that are to be made
	Distances string // for the turntable's slider
}

// weighted is a slot or a node with the weight its faces have.
type weighted struct {
	What, Key, Name string
	Weight          int
}

// Weighs lists both.
func (p lodsPage) Weighs() [][]weighted { return [][]weighted{p.Slots, p.Nodes} }

// Plain are the steps that LODs are chosen of, every third of them.
func (p lodsPage) Plain() []ladder.Step {
	var list []ladder.Step
	for i, s := range p.Report.Steps {
		if i%3 == 1 {
			list = append(list, s)
		}
	}
	return list
}

// At is from where a step shows no more than is allowed.
func (p lodsPage) At(s ladder.Step) float64 {
	return p.Report.View.ShownFrom(s.Visible, p.Report.Allowed)
}

// decideLODs turns LODs' form into decisions.
func decideLODs(f *form, p *prep.Prep) {
	d := &p.LODs
	switch f.str("act") {
	case "few":
		*d = d.With(nil)
		d.Few, d.None = true, false
	case "none":
		*d = d.With(nil)
	case "asfile":
		*d = d.With(nil)
		d.None = false
	case "levels":
		*d = d.With(f.levels(f.str("how")))
	case "move":
		f.moveLevel(d)
	case "slot":
		f.comes(lods.Info.ID, entry.KindSlot, f.strs("key"), slices.Collect(maps.Keys(d.Making.Weights)))
		d.Making.Weights = f.weigh(d.Making.Weights)
	case "node":
		f.comes(lods.Info.ID, entry.KindNode, f.strs("key"), slices.Collect(maps.Keys(d.Making.Nodes)))
		d.Making.Nodes = f.weigh(d.Making.Nodes)
	default:
		f.unknown()
	}
}

// weigh gives what a form names another weight, in hundredths of the usual.
func (f *form) weigh(weights map[string]int) map[string]int {
	out := maps.Clone(weights)
	if out == nil {
		out = map[string]int{}
	}
	if out[f.str("key")] = f.int("weight"); out[f.str("key")] == 100 {
		delete(out, f.str("key"))
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// levels reads the table of LODs. how says which of its columns counts: "typed" for both,
// "distances" for the triangles alone, so that distances are found, and "triangles" for the
// distances alone.
func (f *form) levels(how string) []lods.Level {
	shares, froms, hands := f.strs("share"), f.strs("from"), f.strs("hand")
	if len(shares) != len(froms) || len(shares) != len(hands) || len(shares) > lods.Most {
		f.fail("the table of LODs did not come whole; load the page again")
		return nil
	}
	drop := f.optional("drop")
	var list []lods.Level
	for i := range shares {
		if i+1 == drop || shares[i] == "" && froms[i] == "" && hands[i] == "" {
			continue
		}
		var l lods.Level
		if hands[i] != "" {
			n, err := strconv.Atoi(hands[i])
			if err != nil || n < 1 {
				f.fail("LOD %d: %q is no number of a LOD", i+1, hands[i])
			}
			l.Hand = n
		} else if shares[i] != "" {
			w, err := lods.ParseWish(shares[i])
			if err != nil {
				f.fail("How coarse LOD %d is: %v", i+1, err)
			}
			l.Wish = w
		}
		if froms[i] != "" {
			l.From = f.distanceOf(froms[i], fmt.Sprintf("The distance of LOD %d", i+1))
		}
		switch how {
		case "distances":
			l.From = 0
			if !l.Sized() && l.Hand == 0 {
				f.fail("LOD %d has no share of the triangles to find a distance for", i+1)
			}
		case "triangles":
			l.Share, l.Triangles, l.Deviation = 0, 0, 0
			if l.From == 0 {
				f.fail("LOD %d has no distance to find triangles for", i+1)
			}
		case "typed", "":
		default:
			f.unknown()
		}
		list = append(list, l)
	}
	if f.on("more") {
		if len(list) == lods.Most {
			f.fail("there can be %d LODs", lods.Most)
			return list
		}
		share := 0.5
		if o, err := f.open(); err == nil {
			if now := o.Result.LODs.LODs; len(now) > 1 {
				share = o.Result.LODs.ShareOf(now[len(now)-1]) / 2
			}
		}
		list = append(list, lods.Level{Wish: ladder.Wish{Share: share}})
	}
	return list
}

// distanceOf reads a distance: a length, or in hundredths the share of the screen's height that the
// asset has there.
func (f *form) distanceOf(s, label string) float64 {
	share, ok := strings.CutSuffix(strings.TrimSpace(s), "%")
	if !ok {
		return f.lengthOf(s, label)
	}
	v := f.numberOf(share, label)
	o, err := f.open()
	if err != nil {
		f.check(err)
		return 0
	}
	if !(v > 0 && v <= 100) {
		f.fail("%s: %q is no share of the screen: expected more than 0 %% and up to 100 %%", label, s)
		return 0
	}
	return lods.Round(o.Result.LODs.View.DistanceOfShare(o.Result.LODs.Size, v/100))
}

// sized says how coarse a LOD is to be as it is typed, with no more digits than anybody types.
func sized(dots bool, w ladder.Wish) string {
	round := func(v float64) float64 {
		v, _ = strconv.ParseFloat(strconv.FormatFloat(v, 'g', 4, 64), 64)
		return v
	}
	w.Share, w.Deviation = round(w.Share), round(w.Deviation)
	if s := lods.WishTyped(w); !dots || w.Triangles == 0 {
		return s
	}
	return strconv.Itoa(w.Triangles) + " points"
}

// moveLevel lets one LOD take over elsewhere; the others stay as they are, with what they have now.
func (f *form) moveLevel(d *lods.Decisions) {
	n, to := f.int("lod"), f.length("from", "The distance")
	o, err := f.open()
	if err != nil {
		f.check(err)
		return
	}
	list := o.Result.LODs.LevelsNow()
	if n < 1 || n > len(list) {
		f.fail("there is no LOD %d", n)
		return
	}
	list[n-1].From = lods.Round(to)
	// Where nobody said from where another takes over it stays where that is solved.
	for i := range list {
		if i != n-1 && o.Result.LODs.LODs[i+1].Solved && list[i].Sized() {
			list[i].From = 0
		}
	}
	for i, l := range list {
		if l.From > 0 && i != n-1 && (i < n-1 && l.From >= list[n-1].From || i > n-1 && l.From <= list[n-1].From) {
			f.fail("LOD %d can't take over beyond LOD %d, or before it", n, i+1)
			return
		}
	}
	*d = d.With(list)
}

// pair draws two LODs beside one another.
func (s *Server) pair(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	a, err1 := strconv.Atoi(r.URL.Query().Get("a"))
	b, err2 := strconv.Atoi(r.URL.Query().Get("b"))
	if err1 != nil || err2 != nil {
		return fault.New(fault.Missing, "there is no LOD of this number")
	}
	svg, err := s.board.Pair(r.Context(), o, a, b)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "image/svg+xml")
	w.Header().Set("Cache-Control", "no-store")
	_, err = io.WriteString(w, svg)
	return err
}
