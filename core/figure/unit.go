package figure

import "fmt"

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
