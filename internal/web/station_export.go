package web

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/core/strict"
	"yarvek/core/target"
	"yarvek/internal/work"
)

var exportRoom = room{
	id: export.Info.ID,
	decode: func(f *form, p *prep.Prep) {
		if f.str("act") != "as" {
			f.unknown()
			return
		}
		var d export.Decisions
		if err := strict.Unmarshal([]byte(f.raw("decisions")), &d); err != nil {
			f.fail("how it is to be sent can’t be read: %v", err)
			return
		}
		p.Export = d
	},
	page: func(c *call, ws worksheet) (any, error) {
		list, n, err := c.desk.Exports(c.r.Context(), c.o.Kit.ID, c.o.Asset.ID, 0, pieceOf)
		if err != nil {
			return nil, err
		}
		p := exportPage{worksheet: ws, Outbox: c.desk.Outbox(c.o.Kit.ID), Report: c.o.Result.Export,
			Decided: c.o.Prep.Export, Sent: list, AllSent: n}
		if p.Presets, err = c.desk.Presets(c.r.Context(), c.o.Kit.ID); err != nil {
			return nil, err
		}
		if p.Chosen, err = p.Decided.ChosenOf(c.o.Result.Delivery.Scene, c.o.Kit.Target.Prefers); err != nil {
			return nil, err
		}
		for _, f := range format.Written {
			switch {
			case usual(f) || f.ID == p.Chosen.ID || f.ID == c.o.Kit.Target.Prefers:
				p.Formats = append(p.Formats, f)
			case slices.ContainsFunc(format.Rules(), func(r format.Rule) bool { return r.Usual && r.As.ID == f.Variant }):
				p.Variants = append(p.Variants, f)
			default:
				p.Others = append(p.Others, f)
			}
		}
		if job := c.r.URL.Query().Get("sending"); job != "" {
			passing(c.r)
			p.Sending = c.sendingOf(c.o.Asset.ID, job)
		}
		if p.Shown, err = c.shownExport(); err != nil {
			return nil, err
		}
		if p.Shown != nil {
			if p.Placing, err = c.placingsOf(c.r.Context(), c.o, *p.Shown); err != nil {
				return nil, err
			}
			if p.Opinion, err = c.opinionOf(c.r.Context(), *p.Shown); err != nil {
				return nil, err
			}
		}
		if at, err := c.receiver(p.Shown); err == nil && p.Shown != nil {
			p.At, p.AtName, p.Elsewhere = at.ID, at.Name, !at.Equal(p.Shown.Target)
		}
		return p, nil
	},
	draw: func(c *call, p *sheetPage) error {
		sent, err := c.shownExport()
		if err != nil {
			return err
		}
		at, err := c.receiver(sent)
		if err != nil {
			return err
		}
		if sent != nil {
			p.Sent, p.At = sent.ID, at.ID
		}
		p.Picture, err = c.board.Arrival(c.r.Context(), c.o, sent, at)
		return err
	},
	words: template.FuncMap{"frame": frameWords},
}

// shownExport is the export whose certificate stands on the page: the one the address names, else the newest that is
// sound; nil for none.
func (c *call) shownExport() (*work.Sent, error) {
	if id, err := strconv.ParseInt(c.r.URL.Query().Get("sent"), 10, 64); err == nil {
		e, err := c.desk.Sent(c.r.Context(), id)
		if err == nil && e.AssetID == c.o.Asset.ID {
			return &e, nil
		}
	}
	list, _, err := c.desk.Exports(c.r.Context(), c.o.Kit.ID, c.o.Asset.ID, 0, pieceOf)
	i := slices.IndexFunc(list, func(e work.Sent) bool { return e.Harm == nil })
	if err != nil || i < 0 {
		return nil, err
	}
	return &list[i], nil
}

// receiver is the target whose arrival is drawn: the one the address names, else the one that an export was sent for.
func (c *call) receiver(sent *work.Sent) (target.Target, error) {
	if at := c.r.URL.Query().Get("at"); at != "" && sent != nil {
		return c.desk.Target(c.r.Context(), at, 0)
	}
	if sent != nil {
		return sent.Target, nil
	}
	return c.o.Kit.Target, nil
}

// exportPage is what Export's worksheet shows.
type exportPage struct {
	worksheet
	Report  *export.Report
	Decided export.Decisions
	// Formats are those that matter, with the chosen and the preferred one; Variants hold the same in other bytes, and
	// Others are for other uses.
	Formats, Variants, Others []format.Format

	Chosen  format.Format
	Sent    []work.Sent // the newest first, the last hundred
	AllSent int
	Sending *sending   // under way, nil for none
	Shown   *work.Sent // the one whose certificate stands on the page
	// At is the target whose arrival of it is drawn, which is Elsewhere when it was sent for another.
	At, AtName string
	Elsewhere  bool
	Opinion    opinionView
	Placing    placingView
	Outbox     string        // folder of this machine that the kit's exports may be written into, "" for none
	Presets    []work.Preset // of the kit
}

// Rows are the entries besides the format that are asked: what the target needs, what there is to leave, and what is
// decided. Further are the others.
func (p exportPage) Rows() ([]entryRow, error) { return p.entries(true) }

// Further are the entries that are not asked, but may be decided.
func (p exportPage) Further() ([]entryRow, error) { return p.entries(false) }

func (p exportPage) entries(asked bool) ([]entryRow, error) {
	s, err := p.Section("leaves")
	return slices.DeleteFunc(s.Rows, func(r entryRow) bool {
		if r.Name == "format" {
			return true // with what each is, by hand
		}
		is, there := p.asks(r.Name)
		return !there && r.Value == "" || (is || r.Value != "") != asked
	}), err
}

// asks tells whether a value is asked for, and whether there is anything that it could say.
func (p exportPage) asks(name string) (asked, there bool) {
	to, t := p.Opened.Result.Delivery, p.Target()
	needs := t.Needs
	switch name {
	case "triangles":
		return needs.Triangles, p.Chosen.Polygons
	case "tangents":
		return needs.Tangents, p.Chosen.Tangents
	case "bake":
		return !p.Chosen.Reading(t).KeepsNodes, p.Chosen.Bakes
	case "lods", "only":
		return name == "lods", len(to.LODs) > 0
	case "shapes":
		return true, len(to.Collision) > 0
	case "markers": // a way to send may say it for others too, so it can be decided without any
		return p.Report.Markers > 0, true
	case "outbox":
		return p.Outbox != "", true
	case "cameras":
		return p.Report.Cameras > 0, true
	case "lights":
		return p.Report.Lights > 0, true
	}
	return false, true
}

// Unequal are the rows of the shown certificate that did not arrive equal, and Equals the others.
func (p exportPage) Unequal() []deliver.Row { return p.rows(false) }

// Since says what changed to an export from the one before it, as far as that is listed.
func (p exportPage) Since(e work.Sent) []string {
	i := slices.IndexFunc(p.Sent, func(o work.Sent) bool { return o.ID == e.ID })
	for _, before := range p.Sent[i+1:] {
		if before.Harm == nil {
			if list := work.Between(before, e); len(list) > 0 {
				return list
			}
			return []string{"the same as before it, byte by byte"}
		}
	}
	return nil
}

// Wrong tells whether something arrived otherwise than the packing list names.
func (p exportPage) Wrong() bool { return !p.Shown.Certificate.Arrived() }

// Equals are those that did.
func (p exportPage) Equals() []deliver.Row { return p.rows(true) }

func (p exportPage) rows(equal bool) (list []deliver.Row) {
	for _, r := range p.Shown.Certificate.Rows {
		if r.Equal == equal {
			list = append(list, r)
		}
	}
	return list
}

// Old tells whether the shown file is of another revision, target or decisions than are
// in force, so that it is not what leaves now.
func (p exportPage) Old() bool {
	o, e := p.Opened, p.Shown
	return e.Revision != o.Revision.Number || !e.Target.Equal(o.Kit.Target) || string(e.Prep) != string(o.Prep.JSON())
}

// usual tells the formats that receivers take as a rule, in their first form; the others are folded.
func usual(f format.Format) bool {
	return slices.ContainsFunc(format.Rules(), func(r format.Rule) bool { return r.Usual && r.As.ID == f.ID })
}

// frameWords says in what frame a file of the format is written.
func frameWords(f format.Format, t target.Target) string {
	if f.Fixed != nil {
		return "Written in the frame glTF fixes: +Y up, right-handed, metres. A receiver turns it to " + t.Basis.Up.String() +
			" up by itself."
	}
	at := f.Frame(t)
	own := "the target's own frame"
	if at.Basis != t.Basis {
		own = "the target's axes, right-handed as nearly every receiver of the format expects"
	}
	if len(f.Ups) > 0 {
		own = "the format's own axes for that"
	}
	s := fmt.Sprintf("Written in %s: %s up, %s-handed, %s. ", own, at.Basis.Up, at.Basis.Handedness(),
		figure.UnitFor(at.UnitMetres).Name)
	switch {
	case len(f.Ups) > 0:
		return s + "The file declares which way is up and the unit, and no front; node transforms are kept."
	case f.Declares:
		return s + "The file declares it; node transforms are kept."
	}
	return s + "The file can't say so."
}
