// Package fbx reads and writes FBX, binary 6.1 to 7.7 and ASCII 6.1 and 7.x.
//
// The format has no public specification; this follows what its files hold. A file
// is a tree of records, each with a name, properties and nested records. Objects
// stand in one record and are joined by another, Connections. GlobalSettings
// declares axes and unit.
package fbx

import (
	"math"
	"strings"

	"yarvek/core/fault"
)

// record is one node of the file's tree. props hold bool, int64, float64, string,
// []byte, []int32, []int64 or []float64.
type record struct {
	name  string
	props []any
	subs  []*record
	at    int64 // byte offset, or line in an ASCII file

	// Of an object, why an array in it can't be unpacked; nil when all can.
	damaged *fault.Error
}

// holds tells whether a property of the record, or of one below it, is among arrays, by
// their first entries.
func (r *record) holds(arrays map[any]*fault.Error) *fault.Error {
	for _, p := range r.props {
		if e := arrays[firstEntry(p)]; e != nil {
			return e
		}
	}
	for _, s := range r.subs {
		if e := s.holds(arrays); e != nil {
			return e
		}
	}
	return nil
}

// firstEntry is the place of an array's first entry, by which it is told from others; nil
// of what is no array or empty.
func firstEntry(v any) any {
	switch v := v.(type) {
	case []int32:
		if len(v) > 0 {
			return &v[0]
		}
	case []int64:
		if len(v) > 0 {
			return &v[0]
		}
	case []float64:
		if len(v) > 0 {
			return &v[0]
		}
	}
	return nil
}

// sub finds the first nested record of a name; nil when there is none.
func (r *record) sub(name string) *record {
	if r == nil {
		return nil
	}
	for _, s := range r.subs {
		if s.name == name {
			return s
		}
	}
	return nil
}

// str reads property i as text.
func (r *record) str(i int) string {
	if r == nil || i >= len(r.props) {
		return ""
	}
	switch v := r.props[i].(type) {
	case string:
		return v
	case []byte:
		return string(v)
	}
	return ""
}

// num reads property i as a number.
func (r *record) num(i int) (float64, bool) {
	if r == nil || i >= len(r.props) {
		return 0, false
	}
	return number(r.props[i])
}

// number reads a property as a number; true is 1.
func number(v any) (float64, bool) {
	switch v := v.(type) {
	case bool:
		if v {
			return 1, true
		}
		return 0, true
	case int64:
		return float64(v), true
	case float64:
		return v, true
	}
	return 0, false
}

// id reads property i as an object's number.
func (r *record) id(i int) (int64, bool) {
	if r == nil || i >= len(r.props) {
		return 0, false
	}
	v, ok := r.props[i].(int64)
	return v, ok
}

// floats reads the numbers of a record: one array, or a list of single numbers as
// older ASCII files have it.
func (r *record) floats() []float64 {
	if r == nil {
		return nil
	}
	if len(r.props) == 1 {
		switch a := r.props[0].(type) {
		case []float64:
			return a
		case []int32:
			return convert[int32, float64](a)
		case []int64:
			return convert[int64, float64](a)
		}
	}
	out := make([]float64, 0, len(r.props))
	for _, p := range r.props {
		if f, ok := number(p); ok {
			out = append(out, f)
		}
	}
	return out
}

// ints reads the whole numbers of a record, likewise.
func (r *record) ints() []int32 {
	if r == nil {
		return nil
	}
	if len(r.props) == 1 {
		switch a := r.props[0].(type) {
		case []int32:
			return a
		case []int64:
			return indices(a)
		case []float64:
			return indices(a)
		}
	}
	out := make([]int32, 0, len(r.props))
	for _, p := range r.props {
		if f, ok := number(p); ok {
			out = append(out, saturated(f))
		}
	}
	return out
}

// convert changes the type of every element; what the new type can’t hold is the
// caller’s care.
func convert[A, B int32 | int64 | float64](a []A) []B {
	out := make([]B, len(a))
	for i, v := range a {
		out[i] = B(v)
	}
	return out
}

// saturated makes an index of a number. One that 32 bits can't hold becomes the largest
// or smallest that they can: it stays out of range and is refused where it is used,
// where cutting off its upper bits would make another index of it.
func saturated[A int64 | float64](v A) int32 {
	switch {
	case v != v:
		return math.MaxInt32
	case v >= math.MaxInt32:
		return math.MaxInt32
	case v <= math.MinInt32:
		return math.MinInt32
	}
	return int32(v)
}

// indices makes indices of numbers, each saturated.
func indices[A int64 | float64](a []A) []int32 {
	out := make([]int32, len(a))
	for i, v := range a {
		out[i] = saturated(v)
	}
	return out
}

// objectName splits "Name\x00\x01Class" of binary files and "Class::Name" of ASCII
// ones, and returns the name alone.
func objectName(s string) string {
	if i := strings.Index(s, "\x00\x01"); i >= 0 {
		return s[:i]
	}
	if i := strings.Index(s, "::"); i >= 0 {
		return s[i+2:]
	}
	return s
}

// property is one entry of Properties70 or Properties60.
type property struct {
	kind   string
	values []any
}

// vec is the property as three numbers, fallback when it has fewer.
func (p property) vec(fallback [3]float64) [3]float64 {
	if len(p.values) < 3 {
		return fallback
	}
	var v [3]float64
	for i := range v {
		f, ok := number(p.values[i])
		if !ok || f-f != 0 {
			return fallback
		}
		v[i] = f
	}
	return v
}

// float is the property as a number, fallback when it has none.
func (p property) float(fallback float64) float64 {
	if len(p.values) > 0 {
		if f, ok := number(p.values[0]); ok && f-f == 0 {
			return f
		}
	}
	return fallback
}

// text is the property as text, "" when it is none.
func (p property) text() string {
	if len(p.values) > 0 {
		if s, ok := p.values[0].(string); ok {
			return s
		}
	}
	return ""
}

// properties are an object's own over those of the template of its kind, which all
// objects of the kind share. The zero value has none.
type properties struct {
	own      map[string]property
	template map[string]property
	valued   []string // the names in the template that a material has a value for
}

// find is the property of a name, and whether there is one.
func (p properties) find(name string) (property, bool) {
	if v, ok := p.own[name]; ok {
		return v, true
	}
	v, ok := p.template[name]
	return v, ok
}

// get is the property of a name, an empty one when there is none.
func (p properties) get(name string) property {
	v, _ := p.find(name)
	return v
}

// first is the first property there is of several names.
func (p properties) first(names ...string) property {
	for _, n := range names {
		if v, ok := p.find(n); ok {
			return v
		}
	}
	return property{}
}

// ownProperties reads the properties that stand in an object's record; nil when it has
// none.
func ownProperties(r *record) map[string]property {
	var out map[string]property
	for _, list := range []struct {
		name string
		skip int // words between name and values
	}{{"Properties70", 4}, {"Properties60", 3}} {
		l := r.sub(list.name)
		if l == nil {
			continue
		}
		for _, p := range l.subs {
			if len(p.props) < list.skip || p.str(0) == "" {
				continue
			}
			if out == nil {
				out = map[string]property{}
			}
			out[p.str(0)] = property{p.str(1), p.props[list.skip:]}
		}
	}
	return out
}
