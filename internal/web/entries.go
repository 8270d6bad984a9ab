package web

import (
	"slices"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/target"
	"yarvek/internal/work"
)

// entrySection is a group of a station's entries as its worksheet shows it: a fold with a row for each that counts,
// and one button at its foot.
type entrySection struct {
	press     // its form
	ID, Title string
	Head      string // what is in force, in a few words
	Do        string // what the button says; "" where each entry is taken by itself
	Pattern   string // what Do is made of, with {name} for what is typed
	Set       int    // how many entries are decided
	Rows      []entryRow
	Open      bool
	Kept      bool // under a heading, without a fold
}

// entryRow is an entry as it is shown.
type entryRow struct {
	entry.About
	ID      string // of its field
	Section string // of its section, for the press that gives it back
	Value   string // decided, as it is typed; "" for nothing
	Force   string // in force while nothing is decided
	From    string // where that comes from, in words: "the target has 64"; "" where it need not be said
	Items   []string
	Coords  [3]string
	Choices []choice
	When    string // with what of another row it counts; see when
	Hidden  bool   // it does not count now
	Lit     bool   // an undo or a redo brought it back
	Control string // how it takes its value: one of the templates entry-…
	Says    string // the line under the label: its help, or where what is in force comes from
}

// choice is an option of a row.
type choice struct {
	ID, Name string
	Chosen   bool
}

// fewOptions is how many options stand beside one another instead of in a list.
const fewOptions = 3

// mostListed is how many nodes or slots a list shows.
const mostListed = 200

// givenOf is what entries look at, of an asset at a station.
func givenOf(o *work.Opened, at string) entry.Given {
	g := entry.Given{Target: o.Kit.Target}
	g.Class, _ = g.Target.Class(o.Prep.Size.Class)
	if stop, err := o.Result.Stop(at); err == nil {
		g.Report = stop.Report
	}
	return g
}

// Section is the one of an ID. What is not listed is a fault of the template, which the page says.
func (w worksheet) Section(id string) (entrySection, error) {
	o, at := w.Opened, w.Station.ID
	groups := prep.Groups(at)
	i := slices.IndexFunc(groups, func(g entry.Group[prep.Prep]) bool { return g.ID == id })
	if i < 0 {
		return entrySection{}, work.ErrNotFound
	}
	g, given := groups[i], givenOf(o, at)
	s := entrySection{press: w.Form("entries"), ID: id, Title: g.Title, Pattern: w.short(g.Pattern(o.Prep, given)),
		Do: g.Says(o.Prep, given)}
	s.press = s.press.Called("section-" + id).Plainly("entries")
	s.Fields = append(s.Fields, [2]string{"section", id})
	s.Set, _ = g.Decided(o.Prep)
	if g.Head != nil {
		s.Head = g.Head(o.Prep, given)
	}
	for _, e := range g.Entries {
		r := w.row(e, id, given)
		if r.When = w.when(e, g); r.When == "" && !e.Applies(o.Prep) {
			continue
		}
		r.Hidden = !e.Applies(o.Prep)
		s.Open = s.Open || r.Lit
		s.Rows = append(s.Rows, r)
	}
	return s, nil
}

// when says with which value of another entry of the group an entry counts, as the page's script reads it:
// "form=hulls|hull", with * for anything that is typed; "" where none of them decides that.
func (w worksheet) when(e entry.Entry[prep.Prep], g entry.Group[prep.Prep]) string {
	if e.Counts == "" {
		return ""
	}
	for _, by := range g.Entries {
		values := []string{""}
		for _, o := range by.Options {
			values = append(values, o.ID)
		}
		switch {
		case by.Name == e.Name:
			continue
		case by.Kind == entry.KindYesNo:
			values = []string{"yes", "no"}
		case len(values) == 1:
			values = append(values, "1")
		}
		var counts []string
		for i, v := range values {
			p := w.Opened.Prep
			if by.Set(&p, v) == nil && e.Applies(p) {
				if by.Kind != entry.KindYesNo && len(by.Options) == 0 && i > 0 {
					v = "*"
				}
				counts = append(counts, v)
			}
		}
		if len(counts) > 0 && len(counts) < len(values) {
			return strings.TrimPrefix(by.Name, w.Station.ID+".") + "=" + strings.Join(counts, "|")
		}
	}
	return ""
}

// short is a pattern of a button with the short names of the station's entries, as its fields have them.
func (w worksheet) short(pattern string) string {
	return strings.ReplaceAll(pattern, "{"+w.Station.ID+".", "{")
}

// Opened has the section unfolded.
func (s entrySection) Opened() entrySection { s.Open = true; return s }

// Alone is the section without its fold, under a heading.
func (s entrySection) Alone() entrySection { s.Kept = true; return s }

// row is an entry as it stands.
func (w worksheet) row(e entry.Entry[prep.Prep], of string, given entry.Given) entryRow {
	p := w.Opened.Prep
	name := strings.TrimPrefix(e.Name, w.Station.ID+".")
	r := entryRow{About: e.About, ID: "e-" + name, Section: of, Value: e.Text(p)}
	r.Name, r.Lit = name, slices.Contains(w.Lit, name)
	f := e.Usual(p, given)
	r.Force = f.Text
	if f.Text != "" && f.By != entry.Yarvek {
		r.From = string(f.By) + " has " + e.Worded(f.Text)
	}
	if e.Many {
		r.Items, _ = entry.Items(r.Value)
	}
	options := e.Choices(given)
	switch e.Kind {
	case entry.KindNode:
		options = w.nodes()
	case entry.KindSlot:
		options = w.slots()
	case entry.KindPoint:
		for k, s := range strings.SplitN(r.Value+",,", ",", 4)[:3] {
			r.Coords[k] = strings.TrimSpace(s)
		}
	case entry.KindYesNo:
		options = []entry.Option{{ID: "yes", Name: "yes"}, {ID: "no", Name: "no"}}
	}
	now := r.Value
	if e.Kind == entry.KindYesNo && now == "" {
		now = "no"
	}
	if e.Kind != entry.KindYesNo && !e.Many && len(options) > 0 && options[0].ID != "" {
		options = append([]entry.Option{{Name: e.Nothing(f)}}, options...)
	}
	// What is decided is on the list, were it beyond its end or of another revision: a form must not give it up.
	kept := r.Items
	if !e.Many && len(options) > 0 && now != "" {
		kept = []string{now}
	}
	for _, id := range kept {
		if len(options) > 0 && !slices.ContainsFunc(options, func(o entry.Option) bool { return o.ID == id }) {
			options = append(options, entry.Option{ID: id, Name: id})
		}
	}
	for _, o := range options {
		chosen := o.ID == now
		if e.Many {
			chosen = slices.Contains(r.Items, o.ID)
		}
		r.Choices = append(r.Choices, choice{o.ID, o.Name, chosen})
	}
	r.Control = r.control()
	if r.Says = r.Help; r.Says == "" && r.Value == "" {
		r.Says = r.From
	}
	return r
}

// nodes are those with a mesh that came to the station.
func (w worksheet) nodes() (list []entry.Option) {
	stop, err := w.Opened.Result.Stop(w.Station.ID)
	if err != nil {
		return nil
	}
	keys := stop.Before.Keys()
	for i, n := range stop.Before.Nodes {
		if n.Mesh >= 0 && len(list) < mostListed {
			list = append(list, entry.Option{ID: keys[i], Name: n.Name})
		}
	}
	return list
}

// slots are those that faces use, of what came to the station.
func (w worksheet) slots() (list []entry.Option) {
	stop, err := w.Opened.Result.Stop(w.Station.ID)
	if err != nil {
		return nil
	}
	keys := stop.Before.MaterialKeys()
	for _, i := range stop.Before.UsedMaterials() {
		key := scene.NoSlot
		if i >= 0 {
			key = keys[i]
		}
		if len(list) < mostListed {
			list = append(list, entry.Option{ID: key, Name: key})
		}
	}
	return list
}

// control is how the row takes its value.
func (r *entryRow) control() string {
	switch {
	case r.Kind == entry.KindPoint:
		return "coords"
	case r.Many && r.Kind == entry.KindChoice:
		return "ticks"
	case r.Many && len(r.Choices) > 0:
		return "several"
	case len(r.Choices) == 0:
		return "field"
	case r.Kind == entry.KindYesNo, len(r.Choices) <= fewOptions && r.letters() < 28:
		return "segments"
	}
	return "list"
}

// letters are those of all options together.
func (r *entryRow) letters() (n int) {
	for _, c := range r.Choices {
		n += len([]rune(c.Name))
	}
	return n
}

// Numeric tells whether figures are typed.
func (r entryRow) Numeric() bool { return r.Kind != entry.KindText }

// Labelled tells whether the row has one field that its label is for.
func (r entryRow) Labelled() bool { return r.Control != "segments" && r.Control != "ticks" }

// Axes are the names of three coordinates.
func (r entryRow) Axes() [3]string { return [3]string{"X", "Y", "Z"} }

// Bare tells that a unit has no room behind what is in force, which is words.
func (r entryRow) Bare() bool {
	_, err := figure.Typed(r.Force, 0)
	return r.Value == "" && r.Force != "" && err != nil
}

// decideEntries decides what a section's form sent. A press that gives one back, or all of a section, sends its name.
func (f *form) decideEntries(at string, p *prep.Prep) {
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return
	}
	given := givenOf(o, at)
	groups := prep.Groups(at)
	i := slices.IndexFunc(groups, func(g entry.Group[prep.Prep]) bool { return g.ID == f.str("section") })
	if i < 0 {
		f.unknown()
		return
	}
	back, found := f.str("back"), false
	type change struct {
		entry.Entry[prep.Prep]
		was string
	}
	var sent []change
	for _, e := range groups[i].Entries {
		name := strings.TrimPrefix(e.Name, at+".")
		text := f.typed(e, name)
		switch {
		case back == name || back == "all":
			f.check(e.Set(p, ""))
			found = true
		case back == "" && f.has(name):
			if text == e.Text(*p) || e.Kind == entry.KindYesNo && text == "no" && e.Text(*p) == "" {
				found = true
				continue // as it was: what follows from deciding it need not follow again
			}
			if f.str("usual") == name && e.Text(*p) == "" && text == e.Usual(*p, given).Text {
				found = true
				continue // a choice without a word for undecided: what is in force anyway is nobody's decision
			}
			if list := e.Choices(given); text != "" && len(e.Options) == 0 && e.Kind == entry.KindChoice &&
				!slices.ContainsFunc(list, func(o entry.Option) bool { return o.ID == text }) {
				f.fail("%s: %q is none of those there are", e.Label, text)
			}
			if e.Kind == entry.KindNode || e.Kind == entry.KindSlot {
				f.named(at, e, text, e.Text(*p))
			}
			sent, found = append(sent, change{e, e.Text(*p)}), true
			f.check(e.Set(p, text))
		}
	}
	if !found {
		f.unknown()
	}
	for _, c := range sent { // what does not count with the others stays as it was
		if !c.Applies(*p) {
			f.check(c.Set(p, c.was))
		}
	}
}

// named makes sure that the nodes or slots an entry is given come to the station.
func (f *form) named(at string, e entry.Entry[prep.Prep], typed, decided string) {
	names, was := []string{typed}, []string{decided}
	if e.Many {
		var err error
		if names, err = entry.Items(typed); err != nil {
			f.check(err)
			return
		}
		was, _ = entry.Items(decided) // it was written by ourselves
	}
	f.comes(at, e.Kind, names, was)
}

// typed is what a form sent for an entry, as it is typed.
func (f *form) typed(e entry.Entry[prep.Prep], name string) string {
	sent := f.strs(name)
	switch {
	case e.Kind == entry.KindPoint && len(sent) == 3:
		if strings.Join(sent, "") == "" {
			return ""
		}
		for i, s := range sent {
			if sent[i] = strings.TrimSpace(s); sent[i] == "" {
				sent[i] = "0"
			}
		}
		return strings.Join(sent, ", ")
	case e.Many && len(sent) > 1 || e.Many && (e.Kind == entry.KindChoice || e.Kind == entry.KindNode ||
		e.Kind == entry.KindSlot):
		return entry.Join(slices.DeleteFunc(slices.Clone(sent), func(s string) bool { return s == "" }))
	}
	return f.str(name)
}

// command is the one that does what pages decided.
type command struct {
	Text  string
	Whole bool // nothing is decided besides
}

// Command is the one that writes what the asset's pages would; nil where the format that is decided is none.
func (w worksheet) Command() *command {
	o := w.Opened
	sets, whole := o.Prep.Assigned()
	f, err := o.Prep.Export.ChosenOf(o.Result.Delivery.Scene, o.Kit.Target.Prefers)
	if err != nil {
		return nil
	}
	lines := []string{"yarvek prepare " + shellWord(o.Revision.Main)}
	if to := o.Kit.Target; to.ID != target.Shipped[0].ID {
		id := to.ID
		if !slices.ContainsFunc(target.Shipped, func(t target.Target) bool { return t.ID == id }) {
			id = bundle.Safe(to.Name) + ".target.json"
		}
		lines = append(lines, "--target "+shellWord(id))
	}
	if grid := o.Kit.Grid; grid > 0 {
		lines = append(lines, "--grid "+figure.Untyped(grid, 0)+"m")
	}
	if names, err := work.SlotMap(o.Kit); err == nil && len(names) > 0 {
		lines = append(lines, "--slot-map "+shellWord(bundle.Safe(o.Kit.Name)+".slots.txt"))
	}
	if whole {
		for _, s := range sets {
			lines = append(lines, "--set "+shellWord(s))
		}
	} else {
		lines = append(lines, "--prep "+shellWord(bundle.Safe(o.Asset.Name)+".prep.json"))
	}
	lines = append(lines, "-o "+shellWord(o.Asset.Name+f.Suffix))
	return &command{Text: strings.Join(lines, " \\\n  "), Whole: whole}
}

// shellWord is a word as a shell takes it.
func shellWord(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.=/%+") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}
