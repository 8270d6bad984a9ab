package budget

import "yarvek/core/entry"

// Entries are the values that can be decided here.
var Entries = []entry.Group[Decisions]{{ID: "sparing", Title: "What is spared", Entries: []entry.Entry[Decisions]{
	entry.YesNo("waste", "Take out triangles that add nothing", func(d *Decisions) *bool { return &d.Waste }).
		Helped("in flat areas and along straight edges"),
	entry.YesNo("order", "Order triangles for the cache", func(d *Decisions) *bool { return &d.Order }).
		Helped("nothing is seen of it; fewer vertices are transformed"),
}}}
