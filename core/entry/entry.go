// Package entry describes the values that can be decided at a station: what each is called, what may be typed,
// and what is in force while nothing is decided and where that comes from.
//
// A station says its entries once, in groups, without a word about pages. The rows of its worksheet and the reading
// of its form, the --set of commands, the schema of a prep, the words for what differs between two preps and the
// tables of the guide are all made of them. Entries are for values: picks, lists of edits and pictures are not.
package entry

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"unicode/utf8"

	"yarvek/core/figure"
	"yarvek/core/naming"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// Kind is what sort of value an entry takes.
type Kind string

// The kinds. All are typed as text: numbers with a point or a comma, in the entry's unit unless another one is typed
// behind them; lists with commas between, quoted as in CSV where an item has a comma.
const (
	KindLength Kind = "length" // kept in metres
	KindAngle  Kind = "angle"  // kept in degrees
	KindCount  Kind = "count"  // whole
	KindShare  Kind = "share"  // typed in hundredths
	KindNumber Kind = "number"
	KindChoice Kind = "choice"
	KindYesNo  Kind = "yes or no"
	KindNode   Kind = "node" // the key of one
	KindSlot   Kind = "slot" // the name of one
	KindText   Kind = "text"
	KindPoint  Kind = "place" // three numbers
)

// Option is one of the values that a choice has.
type Option struct{ ID, Name string }

// Origin is where a value comes from that nobody decided.
type Origin string

// The origins.
const (
	Yarvek Origin = "Yarvek"
	Target Origin = "the target"
	Class  Origin = "its class"
	File   Origin = "the file"
)

// Force is what is in force while nothing is decided, as it is typed, and where it comes from. An empty text is
// nothing at all.
type Force struct {
	Text string
	By   Origin
}

// Given is what entries may look at besides the decisions: whom the asset is for, and what its station found. The
// Report is the station's own, nil where nothing was run.
type Given struct {
	Target target.Target
	Class  class.Class
	Report any
}

// About is what an entry says of itself, whatever it belongs to.
type About struct {
	Name  string // in --set and in forms: letters and digits, stable
	Label string // left of the value
	Help  string // one line, "" where the label says all
	Kind  Kind
	Many  bool   // a list of these
	Unit  string // that a number is typed in, "" for none
	// Min and Max bound a number, as it is kept; both 0 for no bounds.
	Min, Max float64
	Options  []Option // of a choice; empty where only the target or the asset knows them
	// Undecided words a choice that is not decided, "" for what follows from what is in force.
	Undecided string
	Letters   int     // bounds a text, in bytes; 0 for any
	Counts    string  // when it counts, in words that go on from “only”: "with slabs"; "" for always
	zero      float64 // what zero is kept as, 0 for itself
	times     float64 // that what is typed is of what is kept; 0 for once
	power     int     // of ten, that what is typed of a number is of what is kept
}

// Entry is one value of the decisions D. Its methods give it with something more said, so that a station says each
// on one line. The zero Entry is none.
type Entry[D any] struct {
	About
	field func(*D) any // a pointer to where it is kept
	get   func(*D) string
	set   func(*D, string) error
	usual func(D, Given) Force
	when  func(D) bool
	there func(D) bool // tells whether what holds the field is there; nil for always
	first func(*D)     // before it is set
	then  func(*D)     // once it is decided
	last  func(*D)     // once it is set, decided or given back
	list  func(Given) []Option
}

// Group is entries that belong together: one section of a worksheet.
type Group[D any] struct {
	ID    string // of the section, stable
	Title string
	// Do is what the section's button says will come of it; {name} in it is what is in force of an entry. Without
	// one each entry is taken by itself.
	Do      string
	DoFor   func(D, Given) string // Do where it depends on more than what is in force; nil for Do itself
	Entries []Entry[D]
	// Head says in a few words what is in force, for the section's head; nil for how many entries are set.
	Head func(D, Given) string
}

// Helped adds a line of help.
func (e Entry[D]) Helped(help string) Entry[D] { e.Help = help; return e }

// Else words a choice that is not decided.
func (e Entry[D]) Else(words string) Entry[D] { e.Undecided = words; return e }

// Between bounds a number, as it is kept.
func (e Entry[D]) Between(least, most float64) Entry[D] { e.Min, e.Max = least, most; return e }

// AtMost bounds the letters of a text, in bytes.
func (e Entry[D]) AtMost(letters int) Entry[D] { e.Letters = letters; return e }

// Usually says what is in force while nothing is decided, whoever the asset is for.
func (e Entry[D]) Usually(text string) Entry[D] {
	e.usual = func(D, Given) Force { return Force{text, Yarvek} }
	return e
}

// By says what is in force while nothing is decided where that depends on other decisions, the target, the class or
// the asset.
func (e Entry[D]) By(usual func(D, Given) Force) Entry[D] { e.usual = usual; return e }

// Among gives a choice its options where only the target or the asset knows them.
func (e Entry[D]) Among(list func(Given) []Option) Entry[D] { e.list = list; return e }

// When says when an entry counts; words go on from “only”.
func (e Entry[D]) When(words string, is func(D) bool) Entry[D] {
	e.Counts, e.when = words, is
	return e
}

// Held says whether there is what holds the field; without it the entry is undecided.
func (e Entry[D]) Held(there func(D) bool) Entry[D] { e.there = there; return e }

// First does what has to be there before the entry is set.
func (e Entry[D]) First(do func(*D)) Entry[D] { e.first = do; return e }

// Then does what follows from deciding the entry.
func (e Entry[D]) Then(do func(*D)) Entry[D] { e.then = do; return e }

// Last does what follows from deciding the entry or giving it back.
func (e Entry[D]) Last(do func(*D)) Entry[D] { e.last = do; return e }

// Text is the value that is decided, as it is typed, without its unit; "" when nothing is.
func (e Entry[D]) Text(d D) string {
	if e.there != nil && !e.there(d) {
		return ""
	}
	return e.get(&d)
}

// Applies tells whether the entry counts with these decisions.
func (e Entry[D]) Applies(d D) bool { return e.when == nil || e.when(d) }

// Usual is what is in force while nothing is decided.
func (e Entry[D]) Usual(d D, g Given) Force {
	if e.usual == nil {
		return Force{By: Yarvek}
	}
	return e.usual(d, g)
}

// InForce is the value that counts, decided or not.
func (e Entry[D]) InForce(d D, g Given) string {
	if s := e.Text(d); s != "" {
		return s
	}
	return e.Usual(d, g).Text
}

// Choices are the options there are for an asset.
func (e Entry[D]) Choices(g Given) []Option {
	if e.list != nil {
		return e.list(g)
	}
	return e.Options
}

// Set decides the entry by what was typed; nothing typed gives it back. The error says what was expected and leaves
// the decisions as they were.
func (e Entry[D]) Set(d *D, typed string) error {
	next := *d
	if typed = strings.TrimSpace(typed); typed == "" && e.there != nil && !e.there(next) {
		return nil
	}
	if !utf8.ValidString(typed) || naming.Plain(typed) != nil {
		return fmt.Errorf("%s: %q is no text that can be kept", e.Label, typed)
	}
	if e.first != nil && typed != "" {
		e.first(&next)
	}
	err := e.set(&next, typed)
	if err == nil && typed != "" {
		err = e.check(e.get(&next))
	}
	if err != nil {
		return fmt.Errorf("%s: %w", e.Label, err)
	}
	if e.then != nil && e.get(&next) != "" {
		e.then(&next)
	}
	if e.last != nil {
		e.last(&next)
	}
	*d = next
	return nil
}

// check holds a value, as it is typed, against what the entry says of itself; "" is a number that is zero.
func (a About) check(text string) error {
	switch a.Kind {
	case KindLength, KindAngle, KindCount, KindShare, KindNumber:
		if text == "" {
			text = "0"
		}
		v, err := figure.Typed(text, a.power)
		if err == nil && a.Max > a.Min && !(v >= a.Min && v <= a.Max) {
			return fmt.Errorf("%s can't be meant: expected %s", a.Written(text), a.Bounds())
		}
		return err
	case KindChoice:
		items := []string{text}
		if a.Many {
			items, _ = Items(text)
		}
		for _, i := range items {
			if len(a.Options) > 0 && i != "" && !slices.ContainsFunc(a.Options, func(o Option) bool { return o.ID == i }) {
				return fmt.Errorf("%q is none of those there are: expected %s", i, a.Words())
			}
		}
	}
	if a.Letters > 0 && len(text) > a.Letters {
		return fmt.Errorf("%d letters are too many: expected at most %d", len(text), a.Letters)
	}
	return nil
}

// Written is a value with its unit behind it; words have none.
func (a About) Written(text string) string {
	_, err := figure.Typed(text, 0)
	switch {
	case a.Unit == "" || err != nil:
		return text
	case a.Unit == "°":
		return text + a.Unit
	}
	return text + "\u00a0" + a.Unit
}

// Bounds are a number's in words, as it is typed: "1 to 256"; "" for none.
func (a About) Bounds() string {
	if a.Max <= a.Min {
		return ""
	}
	return figure.Untyped(a.Min, a.power) + " to " + a.Written(figure.Untyped(a.Max, a.power))
}

// Worded is a value as people read it: a choice by its name, a number with its unit.
func (a About) Worded(text string) string {
	if a.Kind == KindChoice && a.Many {
		items, _ := Items(text)
		for k, id := range items {
			if i := slices.IndexFunc(a.Options, func(o Option) bool { return o.ID == id }); i >= 0 {
				items[k] = a.Options[i].Name
			}
		}
		return strings.Join(items, ", ")
	}
	if a.Kind == KindChoice {
		if i := slices.IndexFunc(a.Options, func(o Option) bool { return o.ID == text }); i >= 0 {
			return a.Options[i].Name
		}
	}
	return a.Written(text)
}

// Nothing words a choice that is not decided, by what is in force instead.
func (a About) Nothing(f Force) string {
	switch {
	case a.Undecided != "":
		return a.Undecided
	case f.Text == "" && f.By == File:
		return "as the file has it"
	case f.Text == "":
		return "as it is"
	}
	return a.Worded(f.Text) + ", as " + string(f.By) + " has it"
}

// Kept are the bounds of a number as it is kept; false for none.
func (a About) Kept() (least, most float64, ok bool) {
	times := max(1, a.times)
	if least = a.Min / times; a.zero != 0 {
		least = min(least, a.zero)
	}
	return least, a.Max / times, a.Max > a.Min
}

// Words lists the options of a choice as they are typed.
func (a About) Words() string {
	var list []string
	for _, o := range a.Options {
		switch {
		case o.ID == "":
		case a.Many:
			list = append(list, o.Name) // which are typed as well
		default:
			list = append(list, o.ID)
		}
	}
	return strings.Join(list, ", ")
}

// Path is where the entry is kept in the JSON of the decisions: keys with points between, [] behind a list.
func (e Entry[D]) Path() (string, error) {
	d := new(D)
	at := reflect.ValueOf(e.field(d))
	if p, ok := find(reflect.ValueOf(d).Elem(), at); ok {
		return strings.TrimPrefix(p, "."), nil
	}
	return "", errors.New(e.Name + " is kept outside of its decisions")
}

// find walks a value to the place that at points to.
func find(v, at reflect.Value) (string, bool) {
	if v.CanAddr() && v.Addr().Type() == at.Type() && v.Addr().Pointer() == at.Pointer() {
		return "", true
	}
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if p, ok := find(v.Field(i), at); ok {
				if key != "" {
					p = "." + key + p
				}
				return p, true
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			if p, ok := find(v.Index(i), at); ok {
				return "[]" + p, true
			}
		}
	}
	return "", false
}

// In makes an entry of a part of something an entry of the whole, its name behind that of the part.
func In[W, D any](part string, of func(*W) *D, e Entry[D]) Entry[W] {
	w := Entry[W]{About: e.About, list: e.list,
		field: func(w *W) any { return e.field(of(w)) },
		get:   func(w *W) string { return e.Text(*of(w)) },
		set:   func(w *W, s string) error { return e.set(of(w), s) }}
	w.Name = part + "." + e.Name
	if e.there != nil {
		w.there = func(w W) bool { return e.there(*of(&w)) }
	}
	if e.when != nil {
		w.when = func(w W) bool { return e.when(*of(&w)) }
	}
	if e.usual != nil {
		w.usual = func(w W, g Given) Force { return e.usual(*of(&w), g) }
	}
	on := func(do func(*D)) func(*W) {
		if do == nil {
			return nil
		}
		return func(w *W) { do(of(w)) }
	}
	w.first, w.then, w.last = on(e.first), on(e.then), on(e.last)
	return w
}

// WholeOf makes groups of a part groups of the whole.
func WholeOf[W, D any](part string, of func(*W) *D, groups []Group[D]) []Group[W] {
	var out []Group[W]
	for _, g := range groups {
		// Names in braces get the part's before them, as the entries do.
		w := Group[W]{ID: g.ID, Title: g.Title, Do: strings.ReplaceAll(g.Do, "{", "{"+part+".")}
		if g.DoFor != nil {
			w.DoFor = func(w W, given Given) string {
				return strings.ReplaceAll(g.DoFor(*of(&w), given), "{", "{"+part+".")
			}
		}
		for _, e := range g.Entries {
			w.Entries = append(w.Entries, In(part, of, e))
		}
		if g.Head != nil {
			w.Head = func(w W, given Given) string { return g.Head(*of(&w), given) }
		}
		out = append(out, w)
	}
	return out
}

// Pattern is what the section's button says, with names in braces.
func (g Group[D]) Pattern(d D, given Given) string {
	if g.DoFor != nil {
		return g.DoFor(d, given)
	}
	return g.Do
}

// Says is what the section's button says: Do with what is in force in the place of names.
func (g Group[D]) Says(d D, given Given) string {
	s := g.Pattern(d, given)
	for _, e := range g.Entries {
		s = strings.ReplaceAll(s, "{"+e.Name+"}", e.InForce(d, given))
	}
	return s
}

// Decided counts the entries that are set, of those that count.
func (g Group[D]) Decided(d D) (set, of int) {
	for _, e := range g.Entries {
		if !e.Applies(d) {
			continue
		}
		if of++; e.Text(d) != "" {
			set++
		}
	}
	return set, of
}
