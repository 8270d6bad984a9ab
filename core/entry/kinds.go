package entry

import (
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
)

// of makes an entry of a field of any type: its zero is undecided.
func of[D, T any](a About, field func(*D) *T, zero func(T) bool, text func(T) string,
	read func(About, string) (T, error)) Entry[D] {
	return Entry[D]{About: a, field: func(d *D) any { return field(d) },
		get: func(d *D) string {
			if v := *field(d); !zero(v) {
				return text(v)
			}
			return ""
		},
		set: func(d *D, s string) error {
			var v T
			var err error
			if s != "" {
				v, err = read(a, s)
			}
			if err == nil {
				*field(d) = v
			}
			return err
		}}
}

// number makes an entry of a number whose text is its value without a power of ten, with its unit behind where one
// is typed.
func number[D any](a About, power int, field func(*D) *float64) Entry[D] {
	a.power = power
	return of(a, field, func(v float64) bool { return v == 0 },
		func(v float64) string { return figure.Untyped(v, power) },
		func(a About, s string) (float64, error) {
			if u := strings.TrimSpace(strings.TrimSuffix(s, a.Unit)); a.Unit != "" && u != "" {
				s = u
			}
			v, err := figure.Typed(s, power)
			if err != nil {
				return 0, fmt.Errorf("%q is no number", s)
			}
			return v, nil
		})
}

// Length is a length kept in metres and typed in a unit, of which the symbol is given.
func Length[D any](name, label, unit string, field func(*D) *float64) Entry[D] {
	u, ok := figure.UnitBySymbol(unit)
	power, ten := u.Power()
	if !ok || !ten {
		panic(name + ": lengths are typed in mm, cm or m")
	}
	a := About{Name: name, Label: label, Kind: KindLength, Unit: unit, power: power}
	return of(a, field, func(v float64) bool { return v == 0 },
		func(v float64) string { return figure.Untyped(v, power) },
		func(_ About, s string) (float64, error) { return figure.ParseLength(s, u) })
}

// Angle is one in degrees.
func Angle[D any](name, label string, field func(*D) *float64) Entry[D] {
	return number(About{Name: name, Label: label, Kind: KindAngle, Unit: "°"}, 0, field)
}

// Share is one of a whole, typed in hundredths.
func Share[D any](name, label string, field func(*D) *float64) Entry[D] {
	return number(About{Name: name, Label: label, Kind: KindShare, Unit: "%"}, -2, field)
}

// Number is one in a unit of its own, "" for none.
func Number[D any](name, label, unit string, field func(*D) *float64) Entry[D] {
	return number(About{Name: name, Label: label, Kind: KindNumber, Unit: unit}, 0, field)
}

// Count is a whole number of something, "" for what the label says.
func Count[D any](name, label, unit string, field func(*D) *int) Entry[D] {
	a := About{Name: name, Label: label, Kind: KindCount, Unit: unit}
	return of(a, field, func(v int) bool { return v == 0 }, strconv.Itoa,
		func(a About, s string) (int, error) {
			t := s
			if a.Unit != "" {
				t = strings.TrimSpace(strings.TrimSuffix(s, a.Unit))
			}
			v, err := figure.Typed(t, 0)
			if err != nil || v != math.Trunc(v) || math.Abs(v) > 1<<31 {
				return 0, fmt.Errorf("%q is no whole number", s)
			}
			return int(v), nil
		})
}

// ZeroAs has a number that is typed as zero kept as another one, where zero itself is undecided.
func (e Entry[D]) ZeroAs(kept float64) Entry[D] {
	get, set, field := e.get, e.set, e.field
	e.zero = kept
	e.get = func(d *D) string {
		switch v := field(d).(type) {
		case *float64:
			if *v == kept {
				return "0"
			}
		case *int:
			if *v == int(kept) {
				return "0"
			}
		}
		return get(d)
	}
	e.set = func(d *D, s string) error {
		if err := set(d, s); err != nil || s == "" {
			return err
		}
		switch v := field(d).(type) {
		case *float64:
			if *v == 0 {
				*v = kept
			}
		case *int:
			if *v == 0 {
				*v = int(kept)
			}
		}
		return nil
	}
	return e
}

// Twice has what is typed of a number be twice what is kept: a width of what is kept as a radius.
func (e Entry[D]) Twice() Entry[D] {
	get, set, field, power := e.get, e.set, e.field, e.power
	e.times = 2
	e.get = func(d *D) string {
		if v, ok := field(d).(*float64); ok && *v != 0 {
			return figure.Untyped(2**v, power)
		}
		return get(d)
	}
	e.set = func(d *D, s string) error {
		err := set(d, s)
		if v, ok := field(d).(*float64); ok && err == nil {
			*v /= 2
		}
		return err
	}
	return e
}

// UsualAs gives a value back that is typed as what is in force anyway, for everybody: 100 of "100".
func (e Entry[D]) UsualAs(text string) Entry[D] {
	set := e.set
	e.set = func(d *D, s string) error {
		if s == text {
			s = ""
		}
		return set(d, s)
	}
	return e.Usually(text)
}

// Choice is one of several. An option with the ID "" is what is in force while nothing is decided.
func Choice[D any, S ~string](name, label string, field func(*D) *S, options ...Option) Entry[D] {
	a := About{Name: name, Label: label, Kind: KindChoice, Options: options}
	return of(a, field, func(v S) bool { return v == "" }, func(v S) string { return string(v) },
		func(a About, s string) (S, error) { return S(a.chosen(s)), nil })
}

// Text is words.
func Text[D any, S ~string](name, label string, field func(*D) *S) Entry[D] {
	return text(About{Name: name, Label: label, Kind: KindText}, field)
}

// Slot is the name of one.
func Slot[D any](name, label string, field func(*D) *string) Entry[D] {
	return text(About{Name: name, Label: label, Kind: KindSlot}, field)
}

func text[D any, S ~string](a About, field func(*D) *S) Entry[D] {
	return of(a, field, func(v S) bool { return v == "" }, func(v S) string { return string(v) },
		func(_ About, s string) (S, error) { return S(s), nil })
}

// YesNo is decided or not: no is what is in force while nothing is.
func YesNo[D any](name, label string, field func(*D) *bool) Entry[D] {
	return of(About{Name: name, Label: label, Kind: KindYesNo}, field, func(v bool) bool { return !v },
		func(bool) string { return "yes" },
		func(_ About, s string) (bool, error) {
			switch strings.ToLower(s) {
			case "yes", "true", "on":
				return true, nil
			case "no", "false", "off":
				return false, nil
			}
			return false, fmt.Errorf("%q is neither yes nor no", s)
		}).Usually("no")
}

// Nodes are the keys of nodes.
func Nodes[D any](name, label string, field func(*D) *[]string) Entry[D] {
	return list(About{Name: name, Label: label, Kind: KindNode, Many: true}, field)
}

// Slots are the names of slots.
func Slots[D any](name, label string, field func(*D) *[]string) Entry[D] {
	return list(About{Name: name, Label: label, Kind: KindSlot, Many: true}, field)
}

// Choices are any of several.
func Choices[D any](name, label string, field func(*D) *[]string, options ...Option) Entry[D] {
	a := About{Name: name, Label: label, Kind: KindChoice, Many: true, Options: options}
	return of(a, field, func(v []string) bool { return len(v) == 0 }, Join,
		func(a About, s string) ([]string, error) {
			items, err := Items(s)
			for i := range items {
				items[i] = a.chosen(items[i])
			}
			return items, err
		})
}

func list[D any](a About, field func(*D) *[]string) Entry[D] {
	return of(a, field, func(v []string) bool { return len(v) == 0 }, Join,
		func(_ About, s string) ([]string, error) { return Items(s) })
}

// Join writes a list as it is typed.
func Join(items []string) string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	if err := w.Write(items); err != nil {
		return ""
	}
	w.Flush()
	return strings.TrimSuffix(b.String(), "\n")
}

// Items reads a list as it is typed: items with commas between, quoted where one holds a comma (RFC 4180).
func Items(s string) ([]string, error) {
	r := csv.NewReader(strings.NewReader(s))
	r.TrimLeadingSpace = true
	items, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("%q is no list: type items with commas between", s)
	}
	if _, err := r.Read(); err == nil {
		return nil, errors.New("a list stands on one line")
	}
	if items = slices.DeleteFunc(items, func(s string) bool { return s == "" }); len(items) == 0 {
		return nil, nil
	}
	return items, nil
}

// Point is a place or a direction: three lengths in metres, or three numbers, with commas between.
func Point[D any](name, label, unit string, field func(*D) *geom.Vec3) Entry[D] {
	a := About{Name: name, Label: label, Kind: KindPoint, Unit: unit}
	return of(a, field, func(v geom.Vec3) bool { return v == geom.Vec3{} },
		func(v geom.Vec3) string {
			return figure.Untyped(v[0], 0) + ", " + figure.Untyped(v[1], 0) + ", " + figure.Untyped(v[2], 0)
		},
		func(_ About, s string) (v geom.Vec3, err error) {
			if v, err = figure.TypedPoint(s); err != nil {
				return v, fmt.Errorf("%q is no place: type three numbers with commas between", s)
			}
			return v, nil
		})
}

// Of is an entry of a type of its own, with its words: its zero is undecided.
func Of[D any, T comparable](name, label string, field func(*D) *T, text func(T) string,
	read func(string) (T, error), options ...Option) Entry[D] {
	kind := KindText
	if len(options) > 0 {
		kind = KindChoice
	}
	var zero T
	return of(About{Name: name, Label: label, Kind: kind, Options: options}, field,
		func(v T) bool { return v == zero }, text, func(_ About, s string) (T, error) { return read(s) })
}

// List is values of a type of its own, with commas between.
func List[D, T any](name, label string, field func(*D) *[]T, text func(T) string,
	read func(string) (T, error)) Entry[D] {
	a := About{Name: name, Label: label, Kind: KindText, Many: true}
	return of(a, field, func(v []T) bool { return len(v) == 0 },
		func(v []T) string {
			items := make([]string, len(v))
			for i, x := range v {
				items[i] = text(x)
			}
			return Join(items)
		},
		func(_ About, s string) ([]T, error) {
			items, err := Items(s)
			var list []T
			for _, i := range items {
				x, wrong := read(i)
				if wrong != nil {
					return nil, wrong
				}
				list = append(list, x)
			}
			return list, err
		})
}

// chosen is the option that is typed, by its ID or its name; what is neither stays as it is.
func (a About) chosen(typed string) string {
	for _, o := range a.Options {
		if o.ID != "" && (o.ID == typed || strings.EqualFold(o.Name, typed)) {
			return o.ID
		}
	}
	return typed
}
