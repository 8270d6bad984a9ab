package target

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Change is a field in which two targets differ. A field that one does not have is "".
type Change struct {
	Path    string
	Was, Is string
}

// Changes lists the fields in which two targets differ, in the order of their paths; classes
// and kinds of collision are told apart by their IDs and kinds. ID, name and revision are not
// compared.
func Changes(a, b Target) []Change {
	was, is := flat(a), flat(b)
	var paths []string
	for p := range was {
		paths = append(paths, p)
	}
	for p := range is {
		if _, ok := was[p]; !ok {
			paths = append(paths, p)
		}
	}
	slices.Sort(paths)
	var list []Change
	for _, p := range paths {
		if was[p] != is[p] && p != "id" && p != "name" && p != "revision" {
			list = append(list, Change{p, was[p], is[p]})
		}
	}
	return list
}

// flat is a target as fields by path.
func flat(t Target) map[string]string {
	var v any
	if err := json.Unmarshal(t.JSON(), &v); err != nil {
		panic(err) // it was written a moment ago
	}
	out := map[string]string{}
	var walk func(path string, v any)
	walk = func(path string, v any) {
		switch v := v.(type) {
		case map[string]any:
			for k, w := range v {
				walk(strings.TrimPrefix(path+"."+k, "."), w)
			}
		case []any:
			for i, w := range v {
				key := fmt.Sprint(i)
				if m, ok := w.(map[string]any); ok {
					for _, by := range []string{"id", "kind"} {
						if s, ok := m[by].(string); ok {
							key = s
							break
						}
					}
				}
				walk(path+"["+key+"]", w)
			}
		case string:
			out[path] = v
		default:
			b, _ := json.Marshal(v) // a number, a truth or nothing
			out[path] = string(b)
		}
	}
	walk("", v)
	return out
}

// WithChange is a target with one field as another target has it; the path is that of
// [Changes] between the two. Where lists differ in what they hold, all of a list is one
// field.
func WithChange(base, other Target, c Change) (Target, error) {
	var a, b any
	if err := json.Unmarshal(base.JSON(), &a); err != nil {
		return base, err
	}
	if err := json.Unmarshal(other.JSON(), &b); err != nil {
		return base, err
	}
	top := c.Path
	if i := strings.IndexAny(top, "."); i >= 0 {
		top = top[:i]
	}
	list, inList := strings.CutSuffix(top[strings.Index(top+"[", "["):], "]")
	name := top[:strings.Index(top+"[", "[")]
	from, to := a.(map[string]any), b.(map[string]any)
	if !inList {
		put(from, to, strings.Split(c.Path, "."))
	} else if x, y := element(from[name], list[1:]), element(to[name], list[1:]); x != nil && y != nil {
		put(x, y, strings.Split(strings.TrimPrefix(c.Path, top+"."), "."))
	} else {
		from[name] = to[name]
	}
	merged, err := json.Marshal(a)
	if err != nil {
		return base, err
	}
	var t Target
	if err := json.Unmarshal(merged, &t); err != nil {
		return base, err
	}
	return t, nil
}

// element is that of a list with an ID or a kind, nil when there is none.
func element(list any, key string) map[string]any {
	l, _ := list.([]any)
	for _, v := range l {
		if m, ok := v.(map[string]any); ok && (m["id"] == key || m["kind"] == key) {
			return m
		}
	}
	return nil
}

// put copies a value along a path of maps; a list on the way is copied whole.
func put(to, from map[string]any, path []string) {
	key, _, _ := strings.Cut(path[0], "[")
	next, ok := to[key].(map[string]any)
	more, has := from[key].(map[string]any)
	if len(path) == 1 || !ok || !has {
		to[key] = from[key]
		return
	}
	put(next, more, path[1:])
}
