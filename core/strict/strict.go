// Package strict reads JSON that people write, and refuses what encoding/json lets pass: keys that are there twice,
// keys that only differ in case from those that are meant, unknown keys, and anything behind the end.
package strict

import (
	"bytes"
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strings"

	"yarvek/core/fault"
)

// Error is what is wrong with a text, and where.
type Error struct {
	Line int    // from 1
	Path string // of the value, such as classes.2.id; "" for the text as a whole
	What string // what was found and what was expected
}

// Error says all of it.
func (e *Error) Error() string {
	at := fmt.Sprintf("line %d", e.Line)
	if e.Path != "" {
		at += ", " + e.Path
	}
	return at + ": " + e.What
}

// bom is the mark that some editors put before UTF-8; it says nothing and is passed over.
var bom = []byte("\xef\xbb\xbf")

// Bare is a text without that mark.
func Bare(data []byte) []byte { return bytes.TrimPrefix(data, bom) }

// Unmarshal reads one JSON value into what v points at, by its fields' names exactly as they are written (RFC 8259, and
// I-JSON of RFC 7493 in that a key is there once). The error is an *Error.
func Unmarshal(data []byte, v any) error {
	if bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff")) {
		return &Error{1, "", "the text is UTF-16: save it as UTF-8"}
	}
	data = Bare(data)
	r := &reader{data: data, d: json.NewDecoder(bytes.NewReader(data))}
	r.d.UseNumber()
	if err := r.value("", reflect.TypeOf(v).Elem()); err != nil {
		return err
	}
	if _, err := r.d.Token(); err != io.EOF {
		return r.fail("", "something stands behind the end")
	}
	var kind *json.UnmarshalTypeError
	switch err := json.Unmarshal(data, v); {
	case errors.As(err, &kind):
		return &Error{r.line(kind.Offset), kind.Field,
			fmt.Sprintf("expected %s, found %s", fault.JSON(kind.Type), kind.Value)}
	case err != nil:
		return &Error{1, "", err.Error()}
	}
	return nil
}

// reader goes through a text token by token, beside the type it is to be.
type reader struct {
	data []byte
	d    *json.Decoder
}

func (r *reader) line(at int64) int {
	return 1 + bytes.Count(r.data[:min(int64(len(r.data)), max(0, at))], []byte("\n"))
}

func (r *reader) fail(path, format string, args ...any) error {
	return &Error{r.line(r.d.InputOffset()), path, fmt.Sprintf(format, args...)}
}

// token is the next one; what is no JSON is an error.
func (r *reader) token(path string) (json.Token, error) {
	t, err := r.d.Token()
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &syntax):
		return nil, &Error{r.line(syntax.Offset), path, err.Error()}
	case err != nil:
		return nil, r.fail(path, "the text ends too early")
	}
	return t, nil
}

// value reads one that is to be of a type; nil for any.
func (r *reader) value(path string, t reflect.Type) error {
	for t != nil && t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t != nil && (reflect.PointerTo(t).Implements(reflect.TypeFor[json.Unmarshaler]()) ||
		reflect.PointerTo(t).Implements(reflect.TypeFor[encoding.TextUnmarshaler]())) {
		t = nil // it reads itself
	}
	tok, err := r.token(path)
	if err != nil {
		return err
	}
	open, ok := tok.(json.Delim)
	if !ok {
		return nil // whether it fits is said when it is put there
	}
	if open == '[' {
		return r.list(path, t)
	}
	return r.object(path, t)
}

// list reads a list behind its bracket.
func (r *reader) list(path string, t reflect.Type) error {
	var of reflect.Type
	switch {
	case t == nil || t.Kind() == reflect.Interface:
	case t.Kind() == reflect.Slice || t.Kind() == reflect.Array:
		of = t.Elem()
	default:
		return r.fail(path, "expected %s, found a list", fault.JSON(t))
	}
	for i := 0; r.d.More(); i++ {
		if err := r.value(join(path, fmt.Sprint(i)), of); err != nil {
			return err
		}
	}
	_, err := r.token(path) // its end
	return err
}

// object reads one behind its brace.
func (r *reader) object(path string, t reflect.Type) error {
	fields, of := map[string]reflect.Type(nil), reflect.Type(nil)
	switch {
	case t == nil || t.Kind() == reflect.Interface:
	case t.Kind() == reflect.Struct:
		fields = fieldsOf(t)
	case t.Kind() == reflect.Map:
		of = t.Elem()
	default:
		return r.fail(path, "expected %s, found an object", fault.JSON(t))
	}
	seen := map[string]bool{}
	for r.d.More() {
		tok, err := r.token(path)
		if err != nil {
			return err
		}
		key, _ := tok.(string) // a key is a text, or the token was an error
		at := join(path, fault.Shown(key))
		if seen[key] {
			return r.fail(at, "it is there twice")
		}
		seen[key] = true
		next := of
		if fields != nil {
			var known bool
			if next, known = fields[key]; !known {
				return r.unknown(at, key, fields)
			}
		}
		if err := r.value(at, next); err != nil {
			return err
		}
	}
	_, err := r.token(path)
	return err
}

// unknown says that there is no such field, and which is meant where only its case differs.
func (r *reader) unknown(at, key string, fields map[string]reflect.Type) error {
	for name := range fields {
		if strings.EqualFold(name, key) {
			return r.fail(at, "there is no such field: it is written %s", name)
		}
	}
	return r.fail(at, "there is no such field")
}

// fieldsOf are the fields of a struct by the names that JSON has for them, those of embedded ones among them.
func fieldsOf(t reflect.Type) map[string]reflect.Type {
	m := map[string]reflect.Type{}
	for _, f := range reflect.VisibleFields(t) {
		name, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if !f.IsExported() || name == "-" && opts == "" || f.Anonymous && name == "" {
			continue
		}
		if name == "" {
			name = f.Name
		}
		m[name] = f.Type
	}
	return m
}

func join(path, key string) string {
	return strings.Join(slices.DeleteFunc([]string{path, key}, func(s string) bool { return s == "" }), ".")
}
