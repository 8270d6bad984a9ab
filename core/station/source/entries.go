package source

import (
	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/process/divide"
	"yarvek/core/scene"
)

// Entries are the values that can be decided here. What is left, named, split, cropped and grouped are lists.
var Entries = []entry.Group[Decisions]{
	{ID: "merge", Title: "One mesh or many", Entries: []entry.Entry[Decisions]{
		entry.Choice("merge", "Becomes", func(d *Decisions) *Merge { return &d.Merge },
			entry.Option{ID: string(MergeAll), Name: "one mesh"}, entry.Option{ID: string(MergeSlot), Name: "a mesh a slot"},
			entry.Option{ID: string(MergeSome), Name: "a mesh a group"}).Else("as many as came"),
	}},
	{ID: "materials", Title: "Materials", Entries: []entry.Entry[Decisions]{
		entry.YesNo("dropunused", "Leave unused materials behind", func(d *Decisions) *bool { return &d.DropUnused }),
		entry.YesNo("jointwins", "Make equal materials one", func(d *Decisions) *bool { return &d.JoinTwins }).
			Helped("equal but for their names"),
	}},
	{ID: "cages", Title: "Smooth surfaces", Entries: []entry.Entry[Decisions]{
		entry.Count("divide", "Divide cages", "times", func(d *Decisions) *int { return &d.Divide }).
			Between(0, divide.MostTimes).Usually("0").Helped("each time into about four times the faces"),
	}},
	{ID: "points", Title: "Points without faces", Entries: []entry.Entry[Decisions]{
		entry.YesNo("piece", "Keep the largest piece alone", func(d *Decisions) *bool { return &d.Piece }).
			Helped("strays, and what lies apart, stay behind"),
		entry.Length("thin", "One point in each cube of", "mm", func(d *Decisions) *float64 { return &d.Thin }).
			Between(leastThin, mostThin).Helped("the one nearest to the mean of those in it"),
	}},
	{ID: "place", Title: "Place in space", Entries: []entry.Entry[Decisions]{
		entry.Length("error", "Coordinates may be off by", "mm", func(d *Decisions) *float64 { return &d.Error }).
			Between(1e-9, 1e3).Usually(figure.Untyped(DefaultError, -3)).
			Helped("as 32-bit numbers, far from the origin"),
		entry.Length("grid", "Split by a grid of", "m", func(d *Decisions) *float64 { return &d.Grid }).
			Between(scene.LeastGrid, scene.MostGrid).Helped("as seen from above: each piece about a place of its own"),
		entry.Point("move", "Moved to the origin from", "m",
			func(d *Decisions) *geom.Vec3 { return &d.Move }).Helped("metres as read"),
	}},
}
