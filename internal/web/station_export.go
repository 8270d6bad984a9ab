package web

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/station/export"
	"yarvek/core/target"
	"yarvek/internal/work"
)

var exportRoom = room{
	id:     export.Info.ID,
	decode: noForm,
	page: func(c *call, ws worksheet) (any, error) {
		list, n, err := c.desk.Exports(c.r.Context(), c.o.Kit.ID, c.o.Asset.ID, 0, pieceOf)
		if err != nil {
			return nil, err
		}
		p := exportPage{worksheet: ws, Report: c.o.Result.Export, Decided: c.o.Prep.Export, Sent: list, AllSent: n}
		if p.Chosen, err = p.Decided.Chosen(c.o.Kit.Target.Prefers); err != nil {
			return nil, err
		}
		for _, f := range format.Written {
			if f.Variant == "" || f.ID == p.Chosen.ID || f.ID == c.o.Kit.Target.Prefers {
				p.Formats = append(p.Formats, f)
			} else {
				p.Variants = append(p.Variants, f)
			}
		}
		if job := c.r.URL.Query().Get("sending"); job != "" {
			passing(c.r)
			p.Sending = c.sendingOf(c.o.Asset.ID, job)
		}
		want, err := strconv.ParseInt(c.r.URL.Query().Get("sent"), 10, 64)
		for i := range list {
			if list[i].Harm == nil && (list[i].ID == want || err != nil && p.Shown == nil) {
				p.Shown = &list[i]
			}
		}
		if p.Shown == nil && err == nil {
			if old, err := c.desk.Sent(c.r.Context(), want); err == nil && old.AssetID == c.o.Asset.ID {
				p.Shown = &old
			}
		}
		return p, nil
	},
	words: template.FuncMap{"frame": frameWords},
}

// exportPage is what Export's worksheet shows.
type exportPage struct {
	worksheet
	Report  *export.Report
	Decided export.Decisions
	// Formats are those that matter, with the chosen and the preferred one; Variants hold the same in other bytes.
	Formats, Variants []format.Format

	Chosen  format.Format
	Sent    []work.Sent // the newest first, the last hundred
	AllSent int
	Sending *sending   // under way, nil for none
	Shown   *work.Sent // the one whose certificate stands on the page
}

// Rows are the entries besides the format that count for what leaves, or are decided.
func (p exportPage) Rows() ([]entryRow, error) {
	s, err := p.Section("leaves")
	to := p.Opened.Result.Delivery
	return slices.DeleteFunc(s.Rows, func(r entryRow) bool {
		switch r.Name {
		case "format":
			return true // with what each is, by hand
		case "lods", "only":
			return len(to.LODs) == 0 && r.Value == ""
		case "shapes":
			return len(to.Collision) == 0 && r.Value == ""
		}
		return false
	}), err
}

// Unequal are the rows of the shown certificate that did not arrive equal, and Equals the others.
func (p exportPage) Unequal() []deliver.Row { return p.rows(false) }

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
	s := fmt.Sprintf("Written in %s: %s up, %s-handed, %s. ", own, at.Basis.Up, at.Basis.Handedness(),
		figure.UnitFor(at.UnitMetres).Name)
	if f.Declares {
		return s + "The file declares it; node transforms are kept."
	}
	return s + "The file can't say so."
}
