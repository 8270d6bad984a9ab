package web

import (
	"errors"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/source"
	"yarvek/internal/work"
)

// form decodes what a page sends. The first thing that can't be read is kept as the
// error; what follows is zero. It is the one decoder of forms.
//
// A form is strict: a field that is sent twice where one is meant, and one that nothing asked for when the form is at
// its end, are errors.
type form struct {
	r     *http.Request
	err   error
	asked map[string]bool // fields that were looked for
	known map[string]bool // fields that other controls of the same page send; nil for none
	// open gives the asset a form is about, for forms that name its nodes; nil for forms
	// about something else.
	open func() (*work.Opened, error)
}

// maxForm bounds a form without files, in bytes.
const maxForm = 1 << 20

// parse reads a form's fields.
func parse(w http.ResponseWriter, r *http.Request) *form {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	f := &form{r: r}
	err := r.ParseForm()
	var tooLarge *http.MaxBytesError
	var escape url.EscapeError
	if err != nil && !errors.As(err, &tooLarge) && !errors.As(err, &escape) {
		err = fault.Input("the form can’t be read: %v", err).Advise("Load the page again")
	}
	f.err = err
	if r.PostForm == nil {
		r.PostForm = url.Values{}
	}
	return f
}

// nothing makes sure that a form which is only a button sends nothing else.
func nothing(w http.ResponseWriter, r *http.Request) error { return parse(w, r).end() }

// end is the first thing that is wrong with the form, a field that nothing asked for among them. It is called once all
// fields were asked for, before anything is changed.
func (f *form) end() error {
	for _, name := range slices.Sorted(maps.Keys(f.r.PostForm)) {
		if !f.asked[name] && !f.known[name] {
			f.check(fault.Input("the form has a field “%s” that is not known here, so nothing was changed",
				fault.Shown(name)).Advise("Load the page again"))
			break
		}
	}
	return f.err
}

// str is a field without blanks at its ends.
func (f *form) str(name string) string { return strings.TrimSpace(f.raw(name)) }

// raw is a field as it was sent, with the blanks at its ends.
func (f *form) raw(name string) string {
	list := f.strs(name)
	if len(list) > 1 {
		f.fail("the form has the field “%s” %d times, and once is meant", name, len(list))
	}
	if len(list) == 0 {
		return ""
	}
	return list[0]
}

// has tells whether the form sent a field at all, empty or not.
func (f *form) has(name string) bool { return f.strs(name) != nil }

// strs lists all fields of a name.
func (f *form) strs(name string) []string {
	f.pass(name)
	return f.r.PostForm[name]
}

// pass lets fields be sent that are of no use here, since other buttons of the same form ask for them.
func (f *form) pass(names ...string) {
	if f.asked == nil {
		f.asked = map[string]bool{}
	}
	for _, n := range names {
		f.asked[n] = true
	}
}

// on tells whether a switch is on.
func (f *form) on(name string) bool { return f.str(name) == "on" }

// fail keeps what is wrong with the form, for the person who sent it.
func (f *form) fail(format string, args ...any) { f.check(fault.Input(format, args...)) }

// unknown says that no control of the station sends this.
func (f *form) unknown() {
	f.fail("nothing was chosen")
}

// check keeps an error as one of the form.
func (f *form) check(err error) {
	if f.err == nil && err != nil {
		f.err = fault.From(fault.Invalid, err)
	}
}

// int reads a whole number, 0 for an empty field; anything else is an error of the form.
func (f *form) int(name string) int {
	n, err := strconv.Atoi(f.str(name))
	if err != nil {
		f.fail("%s: %q is no whole number", name, f.str(name))
	}
	return n
}

// optional reads a whole number that may be missing, 0 then.
func (f *form) optional(name string) int {
	if f.str(name) == "" {
		return 0
	}
	return f.int(name)
}

// name reads a name for something.
func (f *form) name(name string) string {
	s, err := work.CleanName(f.str(name))
	f.check(err)
	return s
}

// axis reads an axis such as +Z.
func (f *form) axis(name string) geom.Axis {
	a, err := geom.ParseAxis(f.str(name))
	f.check(err)
	return a
}

// number reads a plain number; a comma serves as a point.
func (f *form) number(name, label string) float64 { return f.numberOf(f.str(name), label) }

// numberOf reads one of several.
func (f *form) numberOf(s, label string) float64 {
	v, err := strconv.ParseFloat(strings.NewReplacer(",", ".", "−", "-", "\u202f", "", " ", "").Replace(s), 64)
	if err != nil || v-v != 0 {
		f.fail("%s: %q is no number", label, s)
		return 0
	}
	return v
}

// length reads a length in metres, or in the unit typed after it.
func (f *form) length(name, label string) float64 { return f.lengthOf(f.str(name), label) }

// lengthOf reads one of several.
func (f *form) lengthOf(s, label string) float64 {
	v, err := figure.ParseLength(s, figure.Metre)
	if err != nil {
		f.fail("%s: %v", label, err)
	}
	return v
}

// point reads three numbers in metres, "x,y,z", as a pick gives them.
func (f *form) point(name string) geom.Vec3 {
	p, err := parsePoint(f.str(name))
	f.check(err)
	return p
}

// points reads all points of a name; empty ones are left out.
func (f *form) points(name string) []geom.Vec3 {
	var list []geom.Vec3
	for _, s := range f.strs(name) {
		if s == "" {
			continue
		}
		p, err := parsePoint(s)
		f.check(err)
		list = append(list, p)
	}
	return list
}

// parsePoint reads three numbers with commas between, metres as Source leaves the scene.
func parsePoint(s string) (geom.Vec3, error) {
	p, err := figure.TypedPoint(s)
	if err != nil {
		return p, fault.Input("%q is no point: pick one on the drawing", s)
	}
	return p, nil
}

// area reads a box on a view, in metres, lower before upper; and how the scene stands on
// the paper it was drawn on.
func (f *form) area() (a [4]float64, seen geom.Mat3) {
	for i, n := range [4]string{"across0", "up0", "across1", "up1"} {
		a[i] = f.length(n, "The box")
	}
	for k := range 2 {
		a[k], a[k+2] = min(a[k], a[k+2]), max(a[k], a[k+2])
	}
	return a, f.seen()
}

// seen is the frame of the paper that Source draws on.
func (f *form) seen() (seen geom.Mat3) {
	o, err := f.open()
	if err == nil {
		var stop prep.Stop
		stop, err = o.Result.Stop(source.Info.ID)
		seen = stop.Stand
	}
	f.err = first(f.err, err)
	return seen
}

// under lists nodes and all below them. A name of another revision's is kept as it was
// sent.
func (f *form) under(keys []string) []string {
	o, err := f.open()
	if err != nil {
		if f.err == nil {
			f.err = err // ours to answer for, not the person's
		}
		return keys
	}
	var list []string
	there := o.Result.Survey.Keys
	for _, k := range keys {
		if !slices.Contains(there, k) {
			list = append(list, k)
		}
		for _, n := range there {
			if n == k || strings.HasPrefix(n, k+"/") {
				list = append(list, n)
			}
		}
	}
	return list
}

// node reads a node by its key among those a station has, or by its own name where only
// one has it. decided tells a node of another revision that something is decided for
// already: that may still be given up.
func (f *form) node(name string, keys []string, decided bool) string {
	typed := f.str(name)
	if decided || slices.Contains(keys, typed) {
		return typed
	}
	var named []string
	for _, k := range keys {
		if station.LastName(k) == typed {
			named = append(named, k)
		}
	}
	switch len(named) {
	case 1:
		return named[0]
	case 0:
		f.fail("there is no node called “%s”. Choose one of the list", typed)
	default:
		f.fail("%d nodes are called “%s”. Write the path to the one that is meant, such as %s", len(named), typed, named[0])
	}
	return typed
}

// comes makes sure that nodes, or slots, are among those that come to a station; others are an error of the form. What
// is decided for one of another revision already may stay.
func (f *form) comes(at string, kind entry.Kind, names, decided []string) {
	o, err := f.open()
	if err != nil {
		f.err = first(f.err, err)
		return
	}
	stop, err := o.Result.Stop(at)
	if err != nil {
		f.err = first(f.err, err)
		return
	}
	what, there := "node", stop.Before.Keys()
	if kind == entry.KindSlot {
		what, there = "slot", append(stop.Before.MaterialKeys(), scene.NoSlot)
	}
	for _, n := range names {
		if n != "" && !slices.Contains(there, n) && !slices.Contains(decided, n) {
			f.fail("there is no %s called “%s” here. Choose one of the list", what, fault.Shown(n))
		}
	}
}

// fromOf reads which line of a list an address asks for first; 0 when it asks for none.
func fromOf(r *http.Request) (int, error) {
	at := r.URL.Query().Get("from")
	if at == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(at)
	if err != nil || n < 0 {
		return 0, fault.Input("from: %q is no line of a list", at)
	}
	return n, nil
}
