// Package class lists the sorts of thing a kit is made of, and how large each
// plausibly is.
package class

import "yarvek/core/figure"

// Class is a sort of thing. Least and Most bound its largest extent, in metres.
type Class struct {
	ID          string
	Name        string
	Least, Most float64
	Module      bool // its pieces are set side by side on the kit's grid
}

// Unsorted is the class of an asset nobody has sorted yet: only absurd sizes are
// implausible for it.
var Unsorted = Class{Name: "Not sorted yet", Least: 0.01, Most: 500}

// All are the classes to choose from. The ranges come from everyday objects: a cup
// to a broom, a stool to a wardrobe, a bollard to a lamp post, and so on.
var All = []Class{
	{ID: "hand-prop", Name: "Hand prop", Least: 0.02, Most: 1.5},
	{ID: "furniture", Name: "Furniture", Least: 0.25, Most: 3},
	{ID: "street-furniture", Name: "Street furniture", Least: 0.4, Most: 6},
	{ID: "modular-piece", Name: "Modular piece", Least: 0.25, Most: 12, Module: true},
	{ID: "vehicle", Name: "Vehicle", Least: 1, Most: 20},
	{ID: "building-part", Name: "Building part", Least: 0.3, Most: 10},
	{ID: "building", Name: "Building", Least: 2, Most: 60},
	{ID: "landmark", Name: "Landmark", Least: 8, Most: 500},
}

// Find finds a class by its ID; "" is Unsorted.
func Find(id string) (Class, bool) {
	if id == "" {
		return Unsorted, true
	}
	for _, c := range All {
		if c.ID == id {
			return c, true
		}
	}
	return Class{}, false
}

// IDs lists those of all classes.
func IDs() []string {
	ids := make([]string, len(All))
	for i, c := range All {
		ids[i] = c.ID
	}
	return ids
}

// Range says the plausible range in words.
func (c Class) Range() string { return figure.Length(c.Least) + " to " + figure.Length(c.Most) }

// Fits tells whether a largest extent is plausible.
func (c Class) Fits(m float64) bool { return m >= c.Least && m <= c.Most }
