// Package unit has the units of length that meshes are modelled in.
package unit

import "fmt"

// Unit is a unit of length.
type Unit struct {
	Symbol string  `json:"symbol"`
	Name   string  `json:"name"`
	Metres float64 `json:"metres"`
}

// All are those a mesh is commonly modelled in. The inch is 25.4 mm exactly
// (the international yard and pound agreement of 1959).
var All = []Unit{
	{"mm", "millimetres", 0.001},
	{"cm", "centimetres", 0.01},
	{"in", "inches", 0.0254},
	{"ft", "feet", 0.3048},
	{"yd", "yards", 0.9144},
	{"m", "metres", 1},
}

// Metre is the unit lengths are in when nothing else is said.
var Metre = All[5]

// BySymbol finds one of All.
func BySymbol(s string) (Unit, bool) {
	for _, u := range All {
		if u.Symbol == s {
			return u, true
		}
	}
	return Unit{}, false
}

// For finds the unit of so many metres, or describes it.
func For(metres float64) Unit {
	for _, u := range All {
		if u.Metres == metres {
			return u
		}
	}
	return Unit{Symbol: fmt.Sprintf("%g m", metres), Name: fmt.Sprintf("units of %g m", metres), Metres: metres}
}
