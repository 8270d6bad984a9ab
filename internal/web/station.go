package web

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"yarvek/core/finding"
	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/core/target"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

// room is a station in the browser: what its form means, what its worksheet shows, and
// the words its template needs. Its template is station-ID.html. Each has a Go file of
// its own and a line in the list of rooms; all its fields but settle are set.
type room struct {
	id string
	// decode turns the station's form into decisions. The form's "act" says which of the
	// controls was used; one that is not known is an error of the form.
	decode func(f *form, p *prep.Prep)
	// settle does what follows from the values of a section that were decided, where that needs the asset; nil for
	// nothing.
	settle func(f *form, p *prep.Prep)
	// page gathers what the worksheet shows besides what all worksheets do. It gives a
	// type of the station's own that embeds the worksheet.
	page func(c *call, ws worksheet) (any, error)
	// draw puts the drawing on its page where that depends on more than the asset; nil for the station's own.
	draw func(c *call, p *sheetPage) error
	// words are the functions of its template alone, besides those of all pages.
	words template.FuncMap
}

// rooms lists those of all stations.
var rooms = []room{sourceRoom, sizeRoom, axesRoom, pivotRoom, surfaceRoom, budgetRoom, lodsRoom, collisionRoom,
	slotsRoom, exportRoom}

// noForm is of a station that decides nothing but values.
func noForm(f *form, _ *prep.Prep) { f.unknown() }

// roomOf finds a station's; the error is a *station.UnknownError.
func roomOf(id string) (room, error) {
	i := slices.IndexFunc(rooms, func(r room) bool { return r.id == id })
	if i < 0 {
		return room{}, &station.UnknownError{ID: id}
	}
	return rooms[i], nil
}

// call is one request for a worksheet.
type call struct {
	*Server
	r *http.Request
	o *work.Opened
}

// worksheet is what every station's worksheet shows, and what its forms are made of.
type worksheet struct {
	Opened   *work.Opened
	Station  station.Info
	Findings []show.Numbered
	Path     string // of the sheet, which its forms are sent to
	From     int    // the first of a list that is wanted, 0 on the page itself
	// Lit are the names of entries that an undo or a redo brought back; nil without one.
	Lit []string
}

// matter is a finding with the others of its kind.
type matter struct {
	show.Numbered
	More []show.Numbered
	All  int // of them have a first remedy that can be taken along with the others
	// Folded has its title alone on the sheet until it is pressed.
	Folded bool
}

// matters are the findings of a kind each. Notes stand apart where there is more to see.
type matters struct{ First, Notes []matter }

// mostMatters is how many findings stand on a worksheet whole; notes beside them, and others after them, are folded.
const mostMatters = 2

// Matters are the findings, those of one kind as one.
func (w worksheet) Matters() matters {
	var list []matter
	for _, f := range w.Findings {
		i := slices.IndexFunc(list, func(m matter) bool { return m.Kind() == f.Kind() && m.Severity == f.Severity })
		if i < 0 {
			list = append(list, matter{Numbered: f})
			i = len(list) - 1
		} else {
			list[i].More = append(list[i].More, f)
		}
		if work.Proposed(f.Finding) {
			list[i].All++
		}
	}
	out := matters{First: list}
	if len(list) <= mostMatters {
		return out
	}
	out.First = nil
	for _, m := range list {
		if m.Severity == finding.Note {
			out.Notes = append(out.Notes, m)
		} else {
			out.First = append(out.First, m)
		}
	}
	if len(out.Notes) < 2 {
		out.First, out.Notes = list, nil
	}
	for _, part := range [][]matter{out.First, out.Notes} {
		for i := range part {
			part[i].Folded = i >= mostMatters && part[i].Severity < finding.MustFix
		}
	}
	return out
}

// Proposed is how many findings have a first remedy to propose.
func (w worksheet) Proposed() (n int) {
	for _, f := range w.Findings {
		if work.Proposed(f.Finding) {
			n++
		}
	}
	return n
}

// pieceOf is how many lines of a list a page shows at once. The rest come as they are
// scrolled to, so that a page stays small whatever came in.
const pieceOf = 100

// More is the address of the next piece of a list of n, "" when there is none. The
// station's template defines the piece as list-NAME.
func (w worksheet) More(list string, n int) string {
	if w.From+pieceOf >= n {
		return ""
	}
	return fmt.Sprintf("%s/lists/%s?from=%d", w.Path, list, w.From+pieceOf)
}

// Upto is where the piece of a list of n ends.
func (w worksheet) Upto(n int) int { return min(w.From+pieceOf, n) }

// list answers with a piece of a list of a worksheet.
func (s *Server) list(w http.ResponseWriter, r *http.Request) error {
	room, err := roomOf(chi.URLParam(r, "station"))
	if err != nil {
		return err
	}
	part := worksheets()[room.id].Lookup("list-" + chi.URLParam(r, "list"))
	if part == nil {
		return work.ErrNotFound
	}
	from, err := fromOf(r)
	if err != nil {
		return err
	}
	o, err := s.open(r)
	if err != nil {
		return err
	}
	in, err := work.Station(room.id)
	if err != nil {
		return err
	}
	data, err := room.page(&call{s, r, o}, worksheet{Opened: o, Station: in, Path: assetPath(o.Asset.ID) + "/" + room.id,
		From: from})
	if err != nil {
		return err
	}
	s.write(w, http.StatusOK, worksheets()[room.id], part.Name(), data)
	return nil
}

// Target is the kit's.
func (w worksheet) Target() target.Target { return w.Opened.Kit.Target }

// Asset is where the asset's own addresses begin.
func (w worksheet) Asset() string { return assetPath(w.Opened.Asset.ID) }

// Do is a decision of one press: a form that sends an act with fixed fields, given as
// names and values in turn.
func (w worksheet) Do(act, label string, fields ...string) press {
	p := press{Action: w.Path, Base: w.Opened.Base(), Act: act, Label: label, Style: "btn-ghost", Preview: true}
	for i := 0; i+1 < len(fields); i += 2 {
		p.Fields = append(p.Fields, [2]string{fields[i], fields[i+1]})
	}
	return p
}

// Form opens a form that sends an act along with what is typed into it.
func (w worksheet) Form(act string) press {
	return press{Action: w.Path, Base: w.Opened.Base(), Act: act, FormClass: "line-form", Preview: true}
}

// press is a form of a worksheet. Its methods give it with something changed, so that a
// template says only what differs from the usual.
type press struct {
	Action    string
	Base      int
	Act       string
	Fields    [][2]string
	FormID    string
	FormClass string
	Preview   bool // its outcome is outlined on the drawing before it is pressed

	// Of the button, in a form that has nothing else.
	Label    string
	ID       string
	Style    string // classes of the style sheet
	Title    string
	Say      string // for those who do not see the button, when the label is not enough
	State    string // "true" or "false" for a button that stays pressed
	Disabled bool
}

// As gives the button an ID.
func (p press) As(id string) press { p.ID = id; return p }

// Main makes it the main button.
func (p press) Main() press { p.Style = "btn-ink"; return p }

// Small makes the button small.
func (p press) Small() press { p.Style += " btn-small"; return p }

// Quiet leaves out the outline of what it would do.
func (p press) Quiet() press { p.Preview = false; return p }

// Inline puts the form into a line with others.
func (p press) Inline() press { p.FormClass = "inline"; return p }

// Titled adds words that show when somebody lingers on it.
func (p press) Titled(s string) press { p.Title = s; return p }

// Saying adds words for those who do not see the button.
func (p press) Saying(s string) press { p.Say = s; return p }

// Off disables the button.
func (p press) Off(off bool) press { p.Disabled = off; return p }

// Chosen shows whether the button's decision is in force, the chosen one as the main
// button.
func (p press) Chosen(on bool) press {
	p.State = "false"
	if on {
		p.State, p.Style = "true", "btn-ink"
	}
	return p
}

// Called gives the form an ID.
func (p press) Called(id string) press { p.FormID = id; return p }

// Plainly gives the form another class than usual; "" for none.
func (p press) Plainly(class string) press { p.FormClass = class; return p }

// field is a field of a form: one that is short and must be filled in, until a method
// says otherwise. Its methods give it with something changed, as those of press do.
type field struct {
	ID, Name, Label string
	Value           string
	Hint            string // what may stand there, shown while it is empty
	Unit            string // or other words behind it
	Width           string // class of the style sheet
	Most            int    // letters, 0 for any number
	Needed          bool
}

func newField(id, name, label string) field {
	return field{ID: id, Name: name, Label: label, Width: "short", Needed: true}
}

// With fills it in.
func (f field) With(value string) field { f.Value = value; return f }

// Like shows what may stand there.
func (f field) Like(hint string) field { f.Hint = hint; return f }

// In puts a unit behind it.
func (f field) In(unit string) field { f.Unit = unit; return f }

// Tight makes room for a figure of a few digits.
func (f field) Tight() field { f.Width = "tight"; return f }

// Wide makes room for a name.
func (f field) Wide() field { f.Width = "mid"; return f }

// Letters bounds what may be typed.
func (f field) Letters(n int) field { f.Most = n; return f }

// MayBeEmpty lets the form be sent without it.
func (f field) MayBeEmpty() field { f.Needed = false; return f }
