package prep

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"

	"yarvek/core/entry"
	"yarvek/core/fault"
	"yarvek/core/naming"
)

// Groups are a station's entries, as values of a prep; none for a station that is not on the list.
func Groups(station string) []entry.Group[Prep] {
	m, err := memberOf(station)
	if err != nil {
		return nil
	}
	return m.groups
}

// Entries are those of all stations, in the order of the work. The list must not be written to.
var Entries = sync.OnceValue(func() (all []entry.Entry[Prep]) {
	for _, m := range list {
		for _, g := range m.groups {
			all = append(all, g.Entries...)
		}
	}
	return all
})

// Entry is the one of a name such as "collision.most". The error says which name is nearest.
func Entry(name string) (entry.Entry[Prep], error) {
	all := Entries()
	if i := slices.IndexFunc(all, func(e entry.Entry[Prep]) bool { return e.Name == name }); i >= 0 {
		return all[i], nil
	}
	near := slices.MinFunc(all, func(a, b entry.Entry[Prep]) int {
		return cmp.Compare(naming.Distance(name, a.Name), naming.Distance(name, b.Name))
	})
	return entry.Entry[Prep]{}, fault.Input("nothing is decided by %q", name).
		Advise(fmt.Sprintf("Did you mean %q?", near.Name))
}

// Decide returns the prep with values decided, each as "collision.most=24"; nothing behind the sign gives an entry
// back. They are decided in their order, and what doesn't count with the others is an error.
func (p Prep) Decide(assignments ...string) (Prep, error) {
	var set []entry.Entry[Prep]
	for _, a := range assignments {
		name, value, ok := strings.Cut(a, "=")
		if !ok {
			return p, fault.Input("%q decides nothing: expected STATION.NAME=VALUE", a)
		}
		e, err := Entry(strings.TrimSpace(name))
		if err != nil {
			return p, err
		}
		if err := e.Set(&p, value); err != nil {
			return p, fault.Input("%s: %v", e.Name, err)
		}
		if strings.TrimSpace(value) != "" {
			set = append(set, e)
		}
	}
	for _, e := range set {
		if !e.Applies(p) {
			return p, fault.Input("%s counts only %s", e.Name, e.Counts)
		}
	}
	return p, p.Validate()
}

// Assigned lists what decides the prep by [Prep.Decide]. whole is false when something is decided besides that no
// value says: picks, lists of edits, pictures.
func (p Prep) Assigned() (list []string, whole bool) {
	for _, e := range Entries() {
		if text := e.Text(p); text != "" && e.Applies(p) {
			list = append(list, e.Name+"="+strings.ReplaceAll(e.Written(text), "\u00a0", ""))
		}
	}
	again, err := Prep{}.Decide(list...)
	return list, err == nil && string(again.JSON()) == string(p.JSON())
}

// bare is the prep without what its entries say.
func (p Prep) bare() Prep {
	for _, e := range Entries() {
		if e.Text(p) != "" {
			_ = e.Set(&p, "") // nothing typed is never refused
		}
	}
	return p
}

// Changed lists the stations that decide otherwise in another prep, in the order of the work.
func Changed(before, after Prep) (ids []string) {
	for _, m := range list {
		a, b := Prep{}, Prep{}
		m.set(&a, m.get(before))
		m.set(&b, m.get(after))
		if string(a.JSON()) != string(b.JSON()) {
			ids = append(ids, m.ID)
		}
	}
	return ids
}

// Diff says in words what another prep decides otherwise, a line each: values from what to what, and what else came
// or went. Equal preps have none.
func Diff(before, after Prep) (lines []string) {
	for _, m := range list {
		for _, g := range m.groups {
			for _, e := range g.Entries {
				a, b := e.Text(before), e.Text(after)
				if a == b {
					continue
				}
				lines = append(lines, fmt.Sprintf("%s, %s: %s → %s", m.Name, e.Label, worded(e, a), worded(e, b)))
			}
		}
	}
	was, is := before.bare().Lines(), after.bare().Lines()
	for _, l := range is {
		if !slices.Contains(was, l) {
			lines = append(lines, l)
		}
	}
	for _, l := range was {
		if !slices.Contains(is, l) {
			lines = append(lines, "No longer "+l)
		}
	}
	if len(lines) == 0 && string(before.JSON()) != string(after.JSON()) {
		lines = append(lines, "Another detail, of a pick or a list")
	}
	return lines
}

// worded is a value as people read it.
func worded(e entry.Entry[Prep], text string) string {
	if text == "" {
		return "undecided"
	}
	return e.Worded(text)
}
