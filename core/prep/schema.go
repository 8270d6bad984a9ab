package prep

import (
	"bytes"
	"encoding"
	"encoding/json"
	"reflect"
	"strings"

	"yarvek/core/entry"
	"yarvek/core/geom"
)

// Schema is the JSON Schema (draft 2020-12) of a prep, so that editors complete and check one that is written by
// hand. Its shape is that of the types that are kept; what values are called and may be is what entries say.
func Schema() ([]byte, error) {
	s := schema{about: map[string]entry.About{}}
	for _, e := range Entries() {
		path, err := e.Path()
		if err != nil {
			return nil, err
		}
		s.about[path] = e.About
	}
	tree := s.of(reflect.TypeFor[Prep](), "")
	tree["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	tree["title"] = "Prep"
	tree["description"] = "All decisions taken for an asset, station by station. What is left out is undecided."
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(tree)
	return b.Bytes(), err
}

// schema makes one of a type; about are the entries by where they are kept.
type schema struct{ about map[string]entry.About }

// object is one of JSON.
type object map[string]any

// of is the schema of a type that stands at a path.
func (s schema) of(t reflect.Type, path string) object {
	if t.Implements(reflect.TypeFor[encoding.TextMarshaler]()) {
		return s.said(object{"type": "string"}, path)
	}
	if t == reflect.TypeFor[geom.Vec3]() {
		return s.said(object{"type": "array", "items": object{"type": "number"}, "minItems": 3, "maxItems": 3}, path)
	}
	switch t.Kind() {
	case reflect.Pointer:
		return s.of(t.Elem(), path)
	case reflect.Struct:
		o := object{"type": "object", "additionalProperties": false}
		properties := object{}
		s.fields(t, path, properties)
		o["properties"] = properties
		return o
	case reflect.Slice:
		return s.said(object{"type": []string{"array", "null"}, "items": s.of(t.Elem(), path+"[]")}, path)
	case reflect.Array:
		return s.said(object{"type": "array", "items": s.of(t.Elem(), path+"[]"), "minItems": t.Len(),
			"maxItems": t.Len()}, path)
	case reflect.Map:
		return object{"type": "object", "additionalProperties": s.of(t.Elem(), path+"{}")}
	case reflect.String:
		return s.said(object{"type": "string"}, path)
	case reflect.Bool:
		return s.said(object{"type": "boolean"}, path)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return s.said(object{"type": "integer"}, path)
	}
	return s.said(object{"type": "number"}, path)
}

// fields adds those of a struct, and those of structs in it that have no name of their own.
func (s schema) fields(t reflect.Type, path string, to object) {
	for i := range t.NumField() {
		f := t.Field(i)
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Anonymous && key == "" {
			s.fields(f.Type, path, to)
			continue
		}
		if key == "" {
			key = f.Name
		}
		if key != "-" && f.IsExported() {
			to[key] = s.of(f.Type, strings.TrimPrefix(path+"."+key, "."))
		}
	}
}

// said adds what an entry says of a value.
func (s schema) said(o object, path string) object {
	a, ok := s.about[path]
	if !ok {
		return o
	}
	o["title"] = a.Label
	if say := described(a); say != "" {
		o["description"] = say
	}
	if least, most, ok := a.Kept(); ok {
		if least > 0 {
			least = 0 // which is undecided
		}
		o["minimum"], o["maximum"] = least, most
	}
	if len(a.Options) > 0 {
		values := []string{""}
		for _, v := range a.Options {
			if v.ID != "" {
				values = append(values, v.ID)
			}
		}
		if a.Many {
			o["items"] = object{"type": "string", "enum": values[1:]}
		} else {
			o["enum"] = values
		}
	}
	return o
}

// keptIn is what numbers of a kind are kept in.
var keptIn = map[entry.Kind]string{entry.KindLength: "metres", entry.KindAngle: "degrees",
	entry.KindShare: "a share from 0 to 1"}

// described is an entry in a line for an editor.
func described(a entry.About) string {
	var parts []string
	for _, s := range []string{a.Help, keptIn[a.Kind], strings.TrimSpace("only " + a.Counts)} {
		if s != "" && s != "only" {
			parts = append(parts, s)
		}
	}
	return strings.Join(parts, "; ")
}

// Table is a station's entries as a table of Markdown, for the guide: what --set calls them, what they are and take,
// and what is in force while nothing is decided. A station that is not on the list has none.
func Table(station string, given entry.Given) string {
	var b strings.Builder
	b.WriteString("| `--set` | What it is | Takes | While undecided |\n|---|---|---|---|\n")
	for _, g := range Groups(station) {
		for _, e := range g.Entries {
			what := e.Label
			if e.Help != "" {
				what += ": " + e.Help
			}
			if e.Counts != "" {
				what += " (only " + e.Counts + ")"
			}
			b.WriteString("| `" + e.Name + "` | " + cell(what) + " | " + cell(takes(e)) + " | " + cell(undecided(e, given)) +
				" |\n")
		}
	}
	return b.String()
}

// cell is a text in a table.
func cell(s string) string { return strings.NewReplacer("|", "\\|", "\u00a0", " ").Replace(s) }

// takes says what may be typed for an entry.
func takes(e entry.Entry[Prep]) string {
	s := string(e.Kind)
	switch {
	case e.Kind == entry.KindYesNo:
		return "yes, no"
	case len(e.Options) > 0:
		s = e.Words()
	case e.Bounds() != "":
		s += ", " + e.Bounds()
	case e.Unit != "":
		s += ", " + e.Unit
	}
	if e.Many {
		s += "; several with commas between"
	}
	return s
}

// undecided says what is in force while nothing is decided, and where that comes from.
func undecided(e entry.Entry[Prep], given entry.Given) string {
	f := e.Usual(Prep{}, given)
	switch {
	case e.Undecided != "":
		return e.Undecided
	case f.By == entry.Target:
		return "the target's"
	case f.By == entry.Class:
		return "its class's"
	case f.By == entry.File && f.Text == "":
		return "the file's"
	case f.Text == "":
		return "nothing"
	}
	return worded(e, f.Text)
}
