package usd

import "strings"

// layer is one file as it is written, before anything is put together.
type layer struct {
	file string
	root *spec // with the layer's own metadata
}

// specifier is what a spec does: define a prim, say something over one that is defined elsewhere, or be a class.
type specifier byte

// The specifiers.
const (
	over specifier = iota
	def
	class
)

// spec is what a layer says of a prim.
type spec struct {
	name  string
	typ   string // "Xform", "Mesh", ...; "" for none
	how   specifier
	meta  map[string]any
	props map[string]*property
	kids  []*spec
	named map[string]*spec // those of kids that were looked through, by name; see [spec.kid]
	seen  int              // how many these are
	sets  []variantSet
	layer *layer
	line  int
}

// variantSet is a set of variants by name.
type variantSet struct {
	name string
	of   []*spec // each called as its variant
}

// kid is a child by its name, nil where there is none.
func (s *spec) kid(name string) *spec {
	if s.named == nil {
		s.named = make(map[string]*spec, len(s.kids))
	}
	for ; s.seen < len(s.kids); s.seen++ {
		if k := s.kids[s.seen]; s.named[k.name] == nil {
			s.named[k.name] = k
		}
	}
	return s.named[name]
}

// find is the spec of a path below s, nil where there is none.
func (s *spec) find(path string) *spec {
	for _, name := range strings.Split(strings.Trim(path, "/"), "/") {
		if s == nil || name == "" {
			return s
		}
		s = s.kid(name)
	}
	return s
}

// property is an attribute or a relationship.
type property struct {
	typ     string
	rel     bool
	value   any    // nil where it has none of its own
	first   any    // of its samples over time, the earliest; nil without
	blocked bool   // its value is None: weaker ones don't count
	targets *edits // of a relationship, or what an attribute is joined to
	meta    map[string]any
	line    int
}

// The values. Numbers, of whatever type, are float64, and lists of them a tuple; booleans are numbers, too.
type (
	// tuple is a list of rows of so many numbers each: 1 for plain numbers, 16 for matrices.
	tuple struct {
		width int
		v     []float64
		list  bool // it was written as a list; without, it is one row
	}
	// token is a name, prose a string; both are strings to most who ask.
	token string
	prose string
	// asset is an address of a file.
	asset string
	// target is a path of a prim or property.
	target string
	// list is a list of values that are no numbers.
	list []any
	// arc is a reference or payload: a file, a prim in it, or both.
	arc struct {
		file string
		prim string
	}
	// none is a value that is blocked.
	none struct{}
)

// edits are changes to a list: it is said as a whole, or so much is put before and behind that of weaker layers.
type edits struct {
	whole                     bool
	items, before, behind, no []any
}

// strings are the words of a value that is one or a list of them.
func words(v any) (out []string) {
	switch x := v.(type) {
	case token:
		return []string{string(x)}
	case prose:
		return []string{string(x)}
	case list:
		for _, y := range x {
			out = append(out, words(y)...)
		}
	case *edits:
		for _, l := range [][]any{x.before, x.items, x.behind} {
			out = append(out, words(list(l))...)
		}
	}
	return out
}

// word is the first of them, "" without any.
func word(v any) string {
	if l := words(v); len(l) > 0 {
		return l[0]
	}
	return ""
}

// number is the first number of a value, or what it is without one.
func number(v any, without float64) float64 {
	if t, ok := v.(tuple); ok && len(t.v) > 0 {
		return t.v[0]
	}
	return without
}

// numbers are all of a value.
func numbers(v any) []float64 {
	t, _ := v.(tuple)
	return t.v
}
