// Package class lists the sorts of thing a kit is made of, and how large each
// plausibly is.
package class

import "yarvek/core/figure"

// Class is a sort of thing. Least and Most bound its largest extent, in metres.
type Class struct {
	ID          string
	Name        string
	Least, Most float64
}

// Unsorted is the class of an asset nobody has sorted yet: only absurd sizes are
// implausible for it.
var Unsorted = Class{"", "Not sorted yet", 0.01, 500}

// All are the classes to choose from. The ranges come from everyday objects: a cup
// to a broom, a stool to a wardrobe, a bollard to a lamp post, and so on.
var All = []Class{
	{"hand-prop", "Hand prop", 0.02, 1.5},
	{"furniture", "Furniture", 0.25, 3},
	{"street-furniture", "Street furniture", 0.4, 6},
	{"modular-piece", "Modular piece", 0.25, 12},
	{"vehicle", "Vehicle", 1, 20},
	{"building-part", "Building part", 0.3, 10},
	{"building", "Building", 2, 60},
	{"landmark", "Landmark", 8, 500},
}

// ByID finds a class; an unknown one is Unsorted.
func ByID(id string) Class {
	for _, c := range All {
		if c.ID == id {
			return c
		}
	}
	return Unsorted
}

// Range says the plausible range in words.
func (c Class) Range() string { return figure.Length(c.Least) + " to " + figure.Length(c.Most) }

// Fits tells whether a largest extent is plausible.
func (c Class) Fits(m float64) bool { return m >= c.Least && m <= c.Most }
