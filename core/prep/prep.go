// Package prep walks an asset through the stations in their order. A prep is all
// decisions taken for it; the source is never changed.
//
// This package has the one list of stations. What a station is, is in package station;
// what it needs from those before it is a function from frame to frame beside its place on
// the list, written by hand and typed, because that differs from station to station.
package prep

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"

	"yarvek/core/entry"
	"yarvek/core/fault"
	"yarvek/core/station"
	"yarvek/core/station/axes"
	"yarvek/core/station/budget"
	"yarvek/core/station/collision"
	"yarvek/core/station/export"
	"yarvek/core/station/lods"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/slots"
	"yarvek/core/station/source"
	"yarvek/core/station/surface"
	"yarvek/core/strict"
)

// Prep is the decisions of an asset, station by station. Its JSON is what is kept; a
// station that decides nothing is left out of it. The zero Prep decides nothing.
type Prep struct {
	Source    source.Decisions    `json:"source,omitzero"`
	Size      size.Decisions      `json:"size,omitzero"`
	Axes      axes.Decisions      `json:"axes,omitzero"`
	Pivot     pivot.Decisions     `json:"pivot,omitzero"`
	Surface   surface.Decisions   `json:"surface,omitzero"`
	Budget    budget.Decisions    `json:"budget,omitzero"`
	LODs      lods.Decisions      `json:"lods,omitzero"`
	Collision collision.Decisions `json:"collision,omitzero"`
	Slots     slots.Decisions     `json:"slots,omitzero"`
	Export    export.Decisions    `json:"export,omitzero"`
}

// list is the stations in the order of the work, each with its field of a Prep and its part of
// the walk.
var list = []member{
	field(source.Info, func(p *Prep) *source.Decisions { return &p.Source }, source.Entries, (*walk).source),
	field(size.Info, func(p *Prep) *size.Decisions { return &p.Size }, size.Entries, (*walk).size),
	field(axes.Info, func(p *Prep) *axes.Decisions { return &p.Axes }, axes.Entries, (*walk).axes),
	field(pivot.Info, func(p *Prep) *pivot.Decisions { return &p.Pivot }, pivot.Entries, (*walk).pivot),
	field(surface.Info, func(p *Prep) *surface.Decisions { return &p.Surface }, surface.Entries, (*walk).surface),
	field(budget.Info, func(p *Prep) *budget.Decisions { return &p.Budget }, budget.Entries, (*walk).budget),
	field(lods.Info, func(p *Prep) *lods.Decisions { return &p.LODs }, lods.Entries, (*walk).lods),
	field(collision.Info, func(p *Prep) *collision.Decisions { return &p.Collision }, collision.Entries,
		(*walk).collision),
	field(slots.Info, func(p *Prep) *slots.Decisions { return &p.Slots }, slots.Entries, (*walk).slots),
	field(export.Info, func(p *Prep) *export.Decisions { return &p.Export }, export.Entries, (*walk).export),
}

// member is a station on the list.
type member struct {
	station.Info
	groups []entry.Group[Prep]
	get    func(p Prep) station.Decisions
	set    func(p *Prep, d station.Decisions) bool // false when d is of another station
	run    func(*walk, frame) (frame, station.Report)
}

// field makes a member of a station’s Info, the field of a prep that has its decisions, and what
// takes a frame through it.
func field[D station.Decisions](in station.Info, of func(*Prep) *D,
	groups []entry.Group[D], run func(*walk, frame) (frame, station.Report)) member {
	return member{in, entry.WholeOf(in.ID, of, groups),
		func(p Prep) station.Decisions { return *of(&p) },
		func(p *Prep, d station.Decisions) bool {
			v, ok := d.(D)
			if ok {
				*of(p) = v
			}
			return ok
		}, run}
}

// Stations lists the stations that are built, in the order of the work.
func Stations() []station.Info {
	out := make([]station.Info, len(list))
	for i, e := range list {
		out[i] = e.Info
	}
	return out
}

// memberOf gives a station's member of the list; the error is a *station.UnknownError.
func memberOf(id string) (member, error) {
	i := slices.IndexFunc(list, func(e member) bool { return e.ID == id })
	if i < 0 {
		return member{}, &station.UnknownError{ID: id}
	}
	return list[i], nil
}

// Station finds a station by its ID; the error is a *station.UnknownError.
func Station(id string) (station.Info, error) {
	e, err := memberOf(id)
	return e.Info, err
}

// Parse reads a kept prep. A key that no station knows is an error, as is anything
// after the prep: what was meant by it would be lost in silence. Equal preps come out
// equal, whatever empty lists the JSON holds.
func Parse(b []byte) (Prep, error) {
	var p Prep
	if len(b) == 0 {
		return p, nil
	}
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	err := d.Decode(&p)
	if err == nil && d.More() {
		err = errors.New("something stands behind them")
	}
	if err != nil {
		return Prep{}, cmp.Or(known(b, p), typed(err))
	}
	if err := cmp.Or(known(b, p), p.Validate()); err != nil {
		return Prep{}, err
	}
	dropEmpty(reflect.ValueOf(&p).Elem())
	return p, nil
}

// ParseFile reads a prep that somebody may have written or changed: as Parse, and a key that is there twice or in
// another case than it is written is an error, too. The mark that editors put before UTF-8 is passed over.
func ParseFile(b []byte) (Prep, error) {
	b = strict.Bare(b)
	p, err := Parse(b)
	if err != nil || len(b) == 0 {
		return p, err
	}
	if err := strict.Unmarshal(b, new(Prep)); err != nil {
		return Prep{}, fault.From(fault.Invalid, err)
	}
	return p, p.Plain(Prep{})
}

// typed says in words of JSON what could not be read; a value of another kind than its field's names that.
func typed(err error) error {
	var kind *json.UnmarshalTypeError
	if !errors.As(err, &kind) {
		return fault.From(fault.Damaged, fmt.Errorf("the decisions can't be read: %w", err))
	}
	return fault.Input("%q is %s: expected %s", kind.Field, kind.Value, fault.JSON(kind.Type))
}

// Validate checks every station's decisions.
func (p Prep) Validate() error {
	var errs []error
	for _, e := range list {
		errs = append(errs, e.get(p).Validate())
	}
	return fault.From(fault.Invalid, errors.Join(errs...))
}

// JSON writes the prep for keeping; equal preps give equal bytes.
func (p Prep) JSON() []byte {
	b, err := json.Marshal(p)
	if err != nil {
		panic(err) // plain data: numbers are checked to be finite on the way in
	}
	return b
}

// Of gives a station's decisions; the error is a *station.UnknownError.
func (p Prep) Of(id string) (station.Decisions, error) {
	e, err := memberOf(id)
	if err != nil {
		return nil, err
	}
	return e.get(p), nil
}

// With returns the prep with one station's decisions replaced: the whole of them, in
// that station's own type, as a remedy carries them.
func (p Prep) With(decision any) (Prep, error) {
	d, ok := decision.(station.Decisions)
	for i := 0; ok && i < len(list); i++ {
		if list[i].set(&p, d) {
			return p, p.Validate()
		}
	}
	return p, fmt.Errorf("no station has decisions of type %T", decision)
}

// Lines says all decisions, a line each, behind the name of the station.
func (p Prep) Lines() []string {
	var out []string
	for _, e := range list {
		for _, l := range e.get(p).Lines() {
			out = append(out, e.Name+": "+l)
		}
	}
	return out
}

// Label words the step from one prep to another, as undo and redo name it; "" when
// they are the same.
func Label(before, after Prep) string {
	for _, e := range list {
		if l := station.Change(e.get(before).Lines(), e.get(after).Lines()); l != "" {
			return l
		}
	}
	for _, id := range Changed(before, after) {
		e, err := memberOf(id)
		if err == nil {
			return "Another detail at " + e.Name
		}
	}
	return ""
}

// Ref is a decision of a station that names a node.
type Ref struct {
	Station string
	Key     string
}

// Repointed returns the prep with a station's decision pointed at another node; an
// empty name drops it. A station that is not on the list is a *station.UnknownError.
func (p Prep) Repointed(ref Ref, to string) (Prep, error) {
	e, err := memberOf(ref.Station)
	if err != nil {
		return p, err
	}
	e.set(&p, e.get(p).Repoint(ref.Key, to))
	return p, nil
}
