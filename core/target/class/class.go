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
	{ID: "hand-prop", Name: "Hand prop", Least: 0.02, Most: 1.5, Seen: 0.7,
		Reason: "held or looked at from an arm's length, a cup to a broom",
		Budget: Budget{Triangles: 8_000, DrawCalls: 2, Slots: 2, TextureBytes: 12 << 20, LODs: 3, Shapes: 2}},
	{ID: "furniture", Name: "Furniture", Least: 0.25, Most: 3, Seen: 2,
		Reason: "walked around, a stool to a wardrobe",
		Budget: Budget{Triangles: 12_000, DrawCalls: 3, Slots: 3, TextureBytes: 16 << 20, LODs: 3, Shapes: 6}},
	{ID: "street-furniture", Name: "Street furniture", Least: 0.4, Most: 6, Seen: 4,
		Reason: "walked past, a bollard to a lamp post",
		Budget: Budget{Triangles: 15_000, DrawCalls: 3, Slots: 3, TextureBytes: 16 << 20, LODs: 4, Shapes: 6}},
	{ID: "modular-piece", Name: "Modular piece", Least: 0.25, Most: 12, Seen: 4, Module: true,
		Reason: "many stand side by side, so each has to be cheap: a step to a length of wall",
		Budget: Budget{Triangles: 6_000, DrawCalls: 2, Slots: 2, TextureBytes: 8 << 20, LODs: 3, Shapes: 4}},
	{ID: "vehicle", Name: "Vehicle", Least: 1, Most: 20, Seen: 4,
		Reason: "one or two in sight at a time, a cart to a lorry",
		Budget: Budget{Triangles: 45_000, DrawCalls: 6, Slots: 6, TextureBytes: 48 << 20, LODs: 4, Shapes: 12}},
	{ID: "building-part", Name: "Building part", Least: 0.3, Most: 10, Seen: 5,
		Reason: "part of a whole that pays for many, a window to a stair",
		Budget: Budget{Triangles: 10_000, DrawCalls: 3, Slots: 3, TextureBytes: 16 << 20, LODs: 4, Shapes: 8}},
	{ID: "building", Name: "Building", Least: 2, Most: 60, Seen: 20,
		Reason: "seen as a whole from across a street, a hut to a hall",
		Budget: Budget{Triangles: 60_000, DrawCalls: 8, Slots: 8, TextureBytes: 64 << 20, LODs: 4, Shapes: 24}},
	{ID: "landmark", Name: "Landmark", Least: 8, Most: 500, Seen: 80,
		Reason: "seen from afar for a long time, a lighthouse to a bridge",
		Budget: Budget{Triangles: 90_000, DrawCalls: 10, Slots: 10, TextureBytes: 96 << 20, LODs: 5, Shapes: 32}},
}

func init() { // a vertex for a triangle and a half, and shapes of 64 points
	for i := range Usual {
		b := &Usual[i].Budget
		b.Vertices, b.ShapePoints = b.Triangles*2/3, 64
	}
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
