package web

import (
	"cmp"
	"net/url"
	"slices"
	"strings"

	"yarvek/internal/work"
)

// lens is what of a kit is looked for, and in which order; its zero value is all of it as it came.
type lens struct {
	find    string
	state   string // "must", "look", "ready" or "unread", "" for any
	station string // with something to do there
	code    string // of a finding
	class   string // its ID, "-" for none
	over    bool   // over the budget of its class
	changed bool   // since its last export
	never   bool   // sent
	sort    string // a column, "" as they came
	down    bool   // from the largest on
	group   string // "class" or "finding", "" for none
}

// lensOf reads it from an address. What is not known there is passed over: an old link shows all.
func lensOf(q url.Values) lens {
	on := func(name string) bool { return q.Get(name) == "1" }
	l := lens{find: strings.TrimSpace(q.Get("find")), state: q.Get("state"), station: q.Get("station"),
		code: q.Get("finding"), class: q.Get("class"), over: on("over"), changed: on("changed"), never: on("never"),
		sort: q.Get("sort"), down: on("down"), group: q.Get("group")}
	if !slices.ContainsFunc(columns, func(c column) bool { return c.ID == l.sort }) {
		l.sort = ""
	}
	return l
}

// stateOf is how an asset stands as a whole.
func stateOf(s work.Summary) string {
	switch {
	case s.Unlooked:
		return "unlooked"
	case s.Unread != "":
		return "unread"
	case s.MustFix > 0:
		return "must"
	case s.Look > 0:
		return "look"
	}
	return "ready"
}

// keeps tells whether a row is looked for; most is what its class may have of triangles, 0 for any number.
func (l lens) keeps(r work.Row, most int) bool {
	s := r.Summary
	switch {
	case l.find != "" && !strings.Contains(strings.ToLower(r.Asset.Name), strings.ToLower(l.find)),
		l.state != "" && stateOf(s) != l.state,
		l.class == "-" && s.ClassID != "", l.class != "" && l.class != "-" && s.ClassID != l.class,
		l.over && !(most > 0 && s.Triangles > most),
		l.changed && !(r.Last != nil && r.Changed),
		l.never && r.Last != nil:
		return false
	}
	if l.station == "" && l.code == "" {
		return true
	}
	return slices.ContainsFunc(s.Found, func(f work.Found) bool {
		return (l.station == "" || f.Station == l.station) && (l.code == "" || f.Code == l.code)
	})
}

// column is one that the list is sorted by.
type column struct {
	ID, Name string
	Num      bool
	compare  func(a, b work.Row) int
}

func by[T cmp.Ordered](of func(work.Row) T) func(a, b work.Row) int {
	return func(a, b work.Row) int { return cmp.Compare(of(a), of(b)) }
}

// columns are those of the list, in their order.
var columns = []column{
	{"name", "Asset", false, by(func(r work.Row) string { return strings.ToLower(r.Asset.Name) })},
	{"class", "Class", false, by(func(r work.Row) string { return strings.ToLower(r.Summary.Class) })},
	{"findings", "Stations", false, by(func(r work.Row) int { return 10_000*r.Summary.MustFix + r.Summary.Look })},
	{"height", "Height", true, by(func(r work.Row) float64 { return r.Summary.Size[1] })},
	{"width", "Width", true, by(func(r work.Row) float64 { return r.Summary.Size[0] })},
	{"depth", "Depth", true, by(func(r work.Row) float64 { return r.Summary.Size[2] })},
	{"triangles", "Triangles", true, by(func(r work.Row) int { return r.Summary.Triangles })},
	{"slots", "Slots", true, by(func(r work.Row) int { return r.Summary.Slots })},
	{"sent", "Last export", false, by(func(r work.Row) int64 {
		if r.Last == nil {
			return 0
		}
		return r.Last.Created.UnixNano()
	})},
}

// ordered sorts rows as the lens says; what is alike stays as it came.
func (l lens) ordered(rows []work.Row) {
	for _, c := range columns {
		if c.ID == l.sort {
			slices.SortStableFunc(rows, func(a, b work.Row) int {
				if l.down {
					a, b = b, a
				}
				return c.compare(a, b)
			})
		}
	}
	switch l.group {
	case "class":
		slices.SortStableFunc(rows, by(func(r work.Row) string { return strings.ToLower(r.Summary.Class) }))
	case "finding":
		slices.SortStableFunc(rows, by(func(r work.Row) string { return worstTitle(r) }))
	}
}

// worstTitle is the title of the first finding of the worst severity of an asset.
func worstTitle(r work.Row) string {
	var worst *work.Found
	for i, f := range r.Summary.Found {
		if worst == nil || f.Severity > worst.Severity {
			worst = &r.Summary.Found[i]
		}
	}
	if worst == nil {
		return "Nothing found"
	}
	return worst.Title
}

// headingOf is what a row is grouped under, "" without groups.
func (l lens) headingOf(r work.Row) string {
	switch l.group {
	case "class":
		return cmp.Or(r.Summary.Class, "No class")
	case "finding":
		return worstTitle(r)
	}
	return ""
}

// chip is a filter that is on or off.
type chip struct {
	Label string
	Count int
	On    bool
	To    string // address with it turned round
}

// foundKind is a finding that assets of a kit have.
type foundKind struct {
	Code, Title string
	Count       int
	Proposes    bool
}

// flipped is the address with a value set, or taken away where it is set so.
func flipped(q url.Values, name, value string) string {
	now := url.Values{}
	for k, v := range q {
		now[k] = v
	}
	now.Del("from")
	now.Del("out")
	if now.Get(name) == value {
		now.Del(name)
	} else {
		now.Set(name, value)
	}
	if e := now.Encode(); e != "" {
		return "?" + e
	}
	return "?"
}

// chips are the filters of a kit, with how many of its assets each leaves.
func (p *kitPage) chips(q url.Values, rows []work.Row) {
	most := p.mostOf
	for _, c := range []struct {
		label, name, value string
		l                  lens
	}{{"must fix", "state", "must", lens{state: "must"}}, {"to look at", "state", "look", lens{state: "look"}},
		{"ready", "state", "ready", lens{state: "ready"}}, {"unreadable", "state", "unread", lens{state: "unread"}},
		{"over budget", "over", "1", lens{over: true}}, {"changed since export", "changed", "1", lens{changed: true}},
		{"never sent", "never", "1", lens{never: true}}} {
		n := 0
		for _, r := range rows {
			if c.l.keeps(r, most(r)) {
				n++
			}
		}
		on := q.Get(c.name) == c.value
		if n > 0 || on {
			p.Chips = append(p.Chips, chip{c.label, n, on, flipped(q, c.name, c.value)})
		}
	}
	kinds := map[string]*foundKind{}
	for _, r := range rows {
		seen := map[string]bool{}
		for _, f := range r.Summary.Found {
			if seen[f.Code] {
				continue
			}
			seen[f.Code] = true
			k := kinds[f.Code]
			if k == nil {
				k = &foundKind{Code: f.Code, Title: f.Title}
				kinds[f.Code] = k
			}
			k.Count++
			k.Proposes = k.Proposes || f.Proposes
		}
	}
	for _, k := range kinds {
		p.Findings = append(p.Findings, *k)
	}
	slices.SortFunc(p.Findings, func(a, b foundKind) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Title, b.Title), cmp.Compare(a.Code, b.Code))
	})
}

// heading is a column's heading, as it sorts.
type heading struct {
	column
	To   string
	Sign string // which way it is sorted, "" for not
}

// heads are the headings of the list.
func (p *kitPage) heads(q url.Values) (list []heading) {
	for _, c := range columns {
		now := url.Values{}
		for k, v := range q {
			now[k] = v
		}
		now.Del("from")
		h := heading{column: c}
		switch {
		case p.lens.sort == c.ID && !p.lens.down:
			h.Sign = "↑"
			now.Set("down", "1")
		case p.lens.sort == c.ID:
			h.Sign = "↓"
			now.Del("sort")
			now.Del("down")
		default:
			now.Set("sort", c.ID)
			now.Del("down")
			if c.Num || c.ID == "findings" || c.ID == "sent" {
				now.Set("down", "1") // the largest is what one looks for
			}
		}
		h.To = "?" + now.Encode()
		list = append(list, h)
	}
	return list
}

// mostOf is how many triangles an asset may have by its class, 0 for any number.
func (p *kitPage) mostOf(r work.Row) int {
	c, _ := p.Kit.Target.Class(r.Summary.ClassID)
	return c.Budget.Triangles
}
