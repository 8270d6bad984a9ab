package prep

import (
	"reflect"

	"yarvek/core/fault"
	"yarvek/core/naming"
)

// Plain makes sure that no text of the decisions holds what is not seen or turns the direction of writing: it would
// leave in a name. What is decided already may stay, since a file of before may have had it.
func (p Prep) Plain(was Prep) error {
	there := map[string]bool{}
	texts(reflect.ValueOf(was), func(s string) { there[s] = true })
	var err error
	texts(reflect.ValueOf(p), func(s string) {
		if bad := naming.Plain(s); bad != nil && !there[s] && err == nil {
			err = fault.Input("“%s” can’t be meant: %v", naming.Visible(s), bad)
		}
	})
	return err
}

// texts gives all texts of a value, the keys of maps among them.
func texts(v reflect.Value, f func(string)) {
	switch v.Kind() {
	case reflect.String:
		f(v.String())
	case reflect.Struct:
		for i := range v.NumField() {
			texts(v.Field(i), f)
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			texts(v.Index(i), f)
		}
	case reflect.Map:
		for k, e := range v.Seq2() {
			texts(k, f)
			texts(e, f)
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			texts(v.Elem(), f)
		}
	}
}
