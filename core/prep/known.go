package prep

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/naming"
)

// known tells the first key of a JSON text that the type of v has no field for, and
// the nearest one it has; and the first list that is not as long as it has to be, which encoding/json fills up
// or cuts in silence.
func known(b []byte, v any) error {
	var tree any
	if err := json.Unmarshal(b, &tree); err != nil {
		return fault.From(fault.Damaged, fmt.Errorf("the decisions can't be read: %w", err))
	}
	return knownIn(tree, reflect.TypeOf(v), "")
}

// knownIn walks JSON and type side by side; path is where it stands.
func knownIn(tree any, t reflect.Type, path string) error {
	switch v := tree.(type) {
	case []any:
		if t.Kind() != reflect.Slice && t.Kind() != reflect.Array {
			return nil // of the wrong type, which reading it says
		}
		if t.Kind() == reflect.Array && t.Len() != len(v) {
			return fault.Input("%q has %d items: expected %d", path, len(v), t.Len())
		}
		for i, e := range v {
			if err := knownIn(e, t.Elem(), fmt.Sprintf("%s[%d]", path, i)); err != nil {
				return err
			}
		}
	case map[string]any:
		var fields map[string]reflect.Type
		if t.Kind() == reflect.Struct {
			fields = fieldsOf(t)
		} else if t.Kind() != reflect.Map {
			return nil
		}
		for _, k := range slices.Sorted(maps.Keys(v)) {
			at := strings.TrimPrefix(path+"."+k, ".")
			to, ok := fields[k]
			if t.Kind() == reflect.Map {
				to, ok = t.Elem(), true
			}
			if !ok {
				return fault.Input("nothing is decided by %q", at).Advise(fmt.Sprintf("Did you mean %q?", nearest(k, fields)))
			}
			if err := knownIn(v[k], to, at); err != nil {
				return err
			}
		}
	}
	return nil
}

// fieldsOf lists the JSON keys of a struct.
func fieldsOf(t reflect.Type) map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for i := range t.NumField() {
		if f := t.Field(i); f.Anonymous && f.Tag.Get("json") == "" { // its fields are the struct's own
			maps.Copy(out, fieldsOf(f.Type))
			continue
		}
		if name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ","); name != "" {
			out[name] = t.Field(i).Type
		}
	}
	return out
}

// nearest is the name that takes the fewest letters changed, put in or taken out
// (Levenshtein 1966), the first of equals by the alphabet.
func nearest(k string, among map[string]reflect.Type) string {
	best, least := "", -1
	for _, name := range slices.Sorted(maps.Keys(among)) {
		if d := naming.Distance(k, name); least < 0 || d < least {
			best, least = name, d
		}
	}
	return best
}

// dropEmpty makes lists and maps that have nothing in them none, so that preps that decide the same are equal.
func dropEmpty(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			dropEmpty(v.Field(i))
		}
	case reflect.Slice, reflect.Map:
		if v.Len() == 0 {
			v.SetZero()
			return
		}
		for i := 0; v.Kind() == reflect.Slice && i < v.Len(); i++ {
			dropEmpty(v.Index(i))
		}
	}
}
