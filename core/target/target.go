// Package target says what a receiving engine expects of a delivery.
package target

import (
	"fmt"

	"yarvek/core/geom"
)

// Unit is a unit of length.
type Unit struct {
	Symbol string  `json:"symbol"`
	Name   string  `json:"name"`
	Metres float64 `json:"metres"`
}

// Units are those a mesh is commonly modelled in. The inch is 25.4 mm exactly
// (the international yard and pound agreement of 1959).
var Units = []Unit{
	{"mm", "millimetres", 0.001},
	{"cm", "centimetres", 0.01},
	{"in", "inches", 0.0254},
	{"ft", "feet", 0.3048},
	{"yd", "yards", 0.9144},
	{"m", "metres", 1},
}

// Metre is the unit lengths are in when nothing else is said.
var Metre = Units[5]

// UnitBySymbol finds one of Units.
func UnitBySymbol(s string) (Unit, bool) {
	for _, u := range Units {
		if u.Symbol == s {
			return u, true
		}
	}
	return Unit{}, false
}

// UnitFor finds the unit of so many metres, or describes it.
func UnitFor(metres float64) Unit {
	for _, u := range Units {
		if u.Metres == metres {
			return u
		}
	}
	return Unit{Symbol: fmt.Sprintf("%g m", metres), Name: fmt.Sprintf("units of %g m", metres), Metres: metres}
}

// Target is the convention one receiver lives by.
type Target struct {
	ID    string     `json:"id"`
	Name  string     `json:"name"`
	Basis geom.Basis `json:"basis"`
	Unit  Unit       `json:"unit"`
}

// Shipped are the conventions that cover most receivers.
var Shipped = []Target{
	{"y-up-metres-right", "Y up · metres · right-handed", geom.Basis{Up: geom.PosY, Forward: geom.PosZ}, Units[5]},
	{"z-up-centimetres-left", "Z up · centimetres · left-handed", geom.Basis{Up: geom.PosZ, Forward: geom.PosX, Left: true}, Units[1]},
	{"y-up-metres-left", "Y up · metres · left-handed", geom.Basis{Up: geom.PosY, Forward: geom.PosZ, Left: true}, Units[5]},
	{"z-up-metres-right", "Z up · metres · right-handed", geom.Basis{Up: geom.PosZ, Forward: geom.NegY}, Units[5]},
}

// ByID finds a shipped target.
func ByID(id string) (Target, bool) {
	for _, t := range Shipped {
		if t.ID == id {
			return t, true
		}
	}
	return Target{}, false
}
