// Package class says what sorts of thing a kit is made of: how large each plausibly is, what
// it may cost, and which words speak for it. The lists themselves are a target's.
package class

import (
	"slices"

	"yarvek/core/figure"
)

// Class is a sort of thing. Least and Most bound its largest extent, in metres.
type Class struct {
	ID     string  `json:"id"`
	Name   string  `json:"name"`
	Least  float64 `json:"least"`
	Most   float64 `json:"most"`
	Module bool    `json:"module"` // its pieces are set side by side on the kit's grid
	Budget Budget  `json:"budget"`
	Seen   float64 `json:"seen"`   // from how far it is usually seen; metres
	Reason string  `json:"reason"` // for the range and the budget, in words
}

// Budget is what one asset may cost. 0 is no bound.
type Budget struct {
	Triangles    int   `json:"triangles"`
	Vertices     int   `json:"vertices"` // as the receiver holds them
	DrawCalls    int   `json:"drawCalls"`
	Slots        int   `json:"slots"`
	TextureBytes int64 `json:"textureBytes"` // in graphics memory, with mips
	LODs         int   `json:"lods"`
	Shapes       int   `json:"shapes"`      // of collision
	ShapePoints  int   `json:"shapePoints"` // of one of them
}

// Unsorted is the class of an asset nobody has sorted yet: only absurd sizes are
// implausible for it.
var Unsorted = Class{Name: "Not sorted yet", Least: 0.01, Most: 500}

// Usual are the classes of the shipped targets. The ranges come from everyday objects: a cup
// to a broom, a stool to a wardrobe, a bollard to a lamp post, and so on. Budgets follow from
// what a thing covers of a screen of 1080 lines at the distance it is usually seen from: about
// one triangle for eight pixels, a vertex for a triangle and a half to allow for seams.
var Usual = []Class{
	usual("hand-prop", "Hand prop", 0.02, 1.5, 0.7, 8_000, 2, 2, 12<<20, 3, 2,
		"held or looked at from an arm's length, a cup to a broom"),
	usual("furniture", "Furniture", 0.25, 3, 2, 12_000, 3, 3, 16<<20, 3, 6, "walked around, a stool to a wardrobe"),
	usual("street-furniture", "Street furniture", 0.4, 6, 4, 15_000, 3, 3, 16<<20, 4, 6,
		"walked past, a bollard to a lamp post"),
	module(usual("modular-piece", "Modular piece", 0.25, 12, 4, 6_000, 2, 2, 8<<20, 3, 4,
		"many stand side by side, so each has to be cheap: a step to a length of wall")),
	usual("vehicle", "Vehicle", 1, 20, 4, 45_000, 6, 6, 48<<20, 4, 12, "one or two in sight at a time, a cart to a lorry"),
	usual("building-part", "Building part", 0.3, 10, 5, 10_000, 3, 3, 16<<20, 4, 8,
		"part of a whole that pays for many, a window to a stair"),
	usual("building", "Building", 2, 60, 20, 60_000, 8, 8, 64<<20, 4, 24,
		"seen as a whole from across a street, a hut to a hall"),
	usual("landmark", "Landmark", 8, 500, 80, 90_000, 10, 10, 96<<20, 5, 32,
		"seen from afar for a long time, a lighthouse to a bridge"),
}

func usual(id, name string, least, most, seen float64, triangles, calls, slots int, texture int64, lods, shapes int,
	why string) Class {
	return Class{ID: id, Name: name, Least: least, Most: most, Seen: seen, Reason: why,
		Budget: Budget{triangles, triangles * 2 / 3, calls, slots, texture, lods, shapes, 64}}
}

func module(c Class) Class {
	c.Module = true
	return c
}

// Find finds a class of a list by its ID; "" is Unsorted.
func Find(list []Class, id string) (Class, bool) {
	if id == "" {
		return Unsorted, true
	}
	if i := slices.IndexFunc(list, func(c Class) bool { return c.ID == id }); i >= 0 {
		return list[i], true
	}
	return Class{}, false
}

// Range says the plausible range in words.
func (c Class) Range() string { return figure.Length(c.Least) + " to " + figure.Length(c.Most) }

// Distance is from how far it is usually seen, in metres; four where the class does not say.
func (c Class) Distance() float64 {
	if c.Seen == 0 {
		return 4
	}
	return c.Seen
}

// Fits tells whether a largest extent is plausible.
func (c Class) Fits(m float64) bool { return m >= c.Least && m <= c.Most }
