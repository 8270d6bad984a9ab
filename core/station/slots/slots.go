// Package slots is station 9: what an asset is made of. Slots are joined, put in order, named and
// given faces; the pictures of their materials are assigned, made what the target wants, and laid on
// one sheet.
//
// A slot is a material that faces use. Decisions name it by its key: the name of the material as it came
// to the station, "#2" behind it where another one before has it too, and [scene.NoSlot] for faces
// without one. Pictures have keys of the same sort.
package slots

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yarvek/core/picture/outfit"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "slots", Name: "Slots", Number: 9, Question: "What is it made of?"}

// Decisions are what is wished of slots and pictures.
type Decisions outfit.Wishes

// Bounds of how much can be decided.
const (
	maxList  = 20_000
	maxMoves = 200 // each looks at every face
	maxPicks = 200
)

// Validate checks the decisions, each by itself and how many there are.
func (d Decisions) Validate() error {
	if n := len(d.Moves) + len(d.Joins) + len(d.Order) + len(d.Names) + len(d.Rename) + len(d.Looks) + len(d.Assigned) +
		len(d.Own) +
		len(d.Sheets); n > maxList || len(d.Moves) > maxMoves || len(d.Sheets) > maxMoves {
		return fmt.Errorf("%d decisions about slots are more than can be kept: up to %d in all, %d of moved faces and %d "+
			"of sheets", n,
			maxList, maxMoves, maxMoves)
	}
	picks := 0
	for _, m := range d.Moves {
		if picks += len(m.At); picks > maxPicks {
			return fmt.Errorf("more than %d places were picked: each is held against every triangle; choose by part or slot "+
				"instead",
				maxPicks)
		}
	}
	return cmp.Or(station.Valid(d.Moves), station.Valid(d.Joins), station.Valid(d.Names), station.Valid(d.Rename),
		station.Valid(d.Looks),
		station.Valid(d.Assigned), station.Valid(d.Own), station.Valid(d.Sheets), d.Light.Validate(), d.Pictures.Validate())
}

// Refs lists the nodes whose faces are moved.
func (d Decisions) Refs() []string {
	var list []string
	for _, m := range d.Moves {
		if m.Node != "" {
			list = append(list, m.Node)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// Repoint puts a node in another one's place.
func (d Decisions) Repoint(from, to string) station.Decisions {
	var moves []outfit.Move
	for _, m := range d.Moves {
		if m.Node == from {
			if m.Node = to; to == "" {
				continue
			}
		}
		moves = append(moves, m)
	}
	d.Moves = moves
	return d
}

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	say := func(on bool, format string, args ...any) {
		if on {
			l = append(l, fmt.Sprintf(format, args...))
		}
	}
	say(d.Drop, "Leave unused materials behind")
	for _, m := range d.Moves {
		l = append(l, m.Line())
	}
	for _, j := range d.Joins {
		say(true, "Make %s one with %s", j.Slot, j.Into)
	}
	say(len(d.Order) > 0, "Put slots in order: %s", strings.Join(d.Order, ", "))
	for _, n := range d.Names {
		say(true, "Call %s %s", n.Slot, n.To)
	}
	for _, r := range d.Rename {
		say(true, "Call all named %s %s", r.Match, r.To)
	}
	say(d.Clean, "Clean names by the target’s rule")
	say(d.Unmapped, "Leave the kit’s map of names aside")
	say(d.Bare, "Send slots as names only")
	for _, k := range d.Looks {
		say(k.Alpha != "", "Draw %s %s", k.Slot, outfit.AlphaWords[k.Alpha])
		say(k.Sides > 0, "Draw %s from %s", k.Slot, map[int]string{1: "one side", 2: "both sides"}[k.Sides])
	}
	for _, a := range d.Assigned {
		how := map[bool]string{true: " the other way round"}[a.Invert] +
			map[bool]string{true: " with roughness and metallic"}[a.Packed]
		say(a.Picture != "", "Give %s a picture for its %s%s (%.8s)", a.Slot, a.Use, how, a.Picture)
		say(a.Picture == "", "Take the %s picture out of %s", a.Use, a.Slot)
	}
	l = append(l, d.Pictures.Lines()...)
	for _, o := range d.Own {
		l = append(l, o.Lines()...)
	}
	for _, s := range d.Sheets {
		l = append(l, s.Line())
	}
	if d.Light.Size > 0 {
		l = append(l, d.Light.Line())
	}
	return l
}

// AsWanted is the decisions with pictures as a target wants them: no larger, of its sides, green, packing and formats.
func (d Decisions) AsWanted(t target.Textures) Decisions {
	p := &d.Pictures
	p.Most, p.Formats, p.Green, p.Pack = t.Largest, "target", "down", ""
	if t.GreenUp {
		p.Green = "up"
	}
	if t.PowerOfTwo {
		p.Power = "down"
	}
	if t.Packing == "orm" {
		p.Pack = "orm"
	}
	return d
}
