package deliver

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
)

// difference is one thing that arrived otherwise: a property of something, by its name, and what is said of it.
type difference struct {
	property pack.Property
	of       string
	say      string
}

// differences adds a row for things of a kind of which so many were compared. The row is equal when nothing
// differs; it is accepted when the packing list names everything that does, each by its own name.
func (c *Certificate) differences(code, what string, compared int, one, many string, list []difference) {
	r := Row{Code: code, What: what, Sent: figure.Plural(compared, one, many), Arrived: figure.Plural(compared, one, many),
		Equal: len(list) == 0}
	if r.Equal {
		c.Rows = append(c.Rows, r)
		return
	}
	var words []string
	for _, d := range list {
		words = append(words, d.say)
	}
	r.Arrived = strings.Join(words[:min(len(words), 3)], "; ")
	if n := len(words) - 3; n > 0 {
		r.Arrived += fmt.Sprintf("; and %d more", n)
	}
	c.accept(&r, list)
	c.Rows = append(c.Rows, r)
}

// accept notes what the packing list says of differences. Only when it names all of them by property and name
// the row is accepted.
func (c *Certificate) accept(r *Row, list []difference) {
	type thing struct {
		property pack.Property
		of       string
	}
	named := make(map[thing]string, len(c.changes))
	for _, ch := range c.changes {
		if k := (thing{ch.Property, ch.Of}); ch.Property != "" && named[k] == "" {
			named[k] = ch.What + ": " + ch.Why
		}
	}
	var said []string
	once := map[string]bool{}
	for _, d := range list {
		w := named[thing{d.property, d.of}]
		if w == "" {
			return
		}
		if !once[w] {
			once[w] = true
			said = append(said, w)
		}
	}
	r.Accepted = said
	r.Why = strings.Join(said[:min(len(said), 2)], "; ")
}

// Settled tells whether a row is equal, or differs by nothing but what the packing list names.
func (r Row) Settled() bool { return r.Equal || len(r.Accepted) > 0 }

// Arrived tells whether everything arrived as it was sent, or otherwise by nothing but what the packing list names.
func (c Certificate) Arrived() bool {
	return !slices.ContainsFunc(c.Rows, func(r Row) bool { return !r.Settled() })
}

// Less lists what did not arrive as it was sent and is accepted, each once, by its name on the packing list.
func (c Certificate) Less() []string {
	var list []string
	once := map[string]bool{}
	for _, r := range c.Rows {
		for _, a := range r.Accepted {
			if !once[a] {
				once[a] = true
				list = append(list, a)
			}
		}
	}
	return list
}

// Sentence says in words how it arrived.
func (c Certificate) Sentence() string {
	switch n := len(c.Less()); {
	case !c.Arrived():
		return "Arrived different"
	case n > 0:
		return "Arrived, less " + figure.Plural(n, "thing", "things")
	}
	return "Arrived equal"
}
