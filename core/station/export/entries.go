package export

import (
	"yarvek/core/entry"
	"yarvek/core/format"
	"yarvek/core/scene"
)

// Entries are the values that can be decided here.
var Entries = []entry.Group[Decisions]{{ID: "leaves", Title: "What leaves", Entries: []entry.Entry[Decisions]{
	entry.Choice("format", "Format", func(d *Decisions) *string { return &d.Format }, formats()...).
		By(func(_ Decisions, g entry.Given) entry.Force {
			return entry.Force{Text: g.Target.Prefers, By: entry.Target}
		}),
	entry.YesNo("triangles", "Triangles", func(d *Decisions) *bool { return &d.Triangles }).
		Helped("cut here, so that no receiver cuts a polygon another way").
		When("in formats that keep polygons", among(func(f format.Format) bool { return f.Polygons })),
	entry.Length("grid", "Split by a grid of", "m", func(d *Decisions) *float64 { return &d.Grid }).
		Between(scene.LeastGrid, scene.MostGrid).Helped("as seen from above: each piece about a place of its own").
		When("in formats that hold several meshes", among(func(f format.Format) bool { return f.Several })),
	entry.YesNo("tangents", "Tangents", func(d *Decisions) *bool { return &d.Tangents }).
		Helped("made where there are none").
		When("in formats that carry tangents", among(func(f format.Format) bool { return f.Tangents })),
	entry.YesNo("bake", "Bake transforms", func(d *Decisions) *bool { return &d.Bake }).
		Helped("every point where it stands; instances and the tree of nodes are lost").
		When("in formats that leave the choice", among(func(f format.Format) bool { return f.Bakes })),
	entry.Choice("lods", "LODs", func(d *Decisions) *LODForm { return &d.LODs }, lodOptions()...),
	entry.Count("only", "Only LOD", "", func(d *Decisions) *int { return &d.Only }).Between(0, maxLOD).
		Helped("as the whole asset; all of it while undecided").Usually("0"),
	entry.Choice("shapes", "Collision", func(d *Decisions) *ShapeForm { return &d.Shapes }, shapeOptions()...),
	entry.Choice("markers", "Markers", func(d *Decisions) *Leaving { return &d.Markers }, leavings()...),
	entry.Choice("pictures", "Pictures", func(d *Decisions) *Leaving { return &d.Pictures }, leavings()...),
	entry.YesNo("cameras", "Cameras", func(d *Decisions) *bool { return &d.Cameras }).
		Helped("that came with it, where they stand").
		When("in formats that hold cameras", among(func(f format.Format) bool { return f.Sights })),
	entry.YesNo("lights", "Lights", func(d *Decisions) *bool { return &d.Lights }).
		Helped("that came with it, where they stand").
		When("in formats that hold lights", among(func(f format.Format) bool { return f.Sights })),
	entry.Text("name", "Name", func(d *Decisions) *string { return &d.Name }).AtMost(maxName).
		Helped("of the file, without suffix; {asset}, {kit}, {class} and {target} stand for these. The target makes it of " +
			"the asset’s while undecided"),
	entry.Text("folder", "Folder", func(d *Decisions) *string { return &d.Folder }).AtMost(maxName).
		Helped("within the zip and in the kit’s folder, such as props/{class}; a dot for none, the target’s while undecided"),
	entry.YesNo("outbox", "Into the kit’s folder", func(d *Decisions) *bool { return &d.Outbox }).
		Helped("on the machine Yarvek runs on, besides the download"),
}}}

// among tells whether the format can; one the target prefers is not known here and counts.
func among(can func(format.Format) bool) func(Decisions) bool {
	return func(d Decisions) bool {
		f, err := format.ByID(d.Format)
		return d.Format == "" || err == nil && can(f)
	}
}

func formats() (list []entry.Option) {
	for _, f := range format.Written {
		list = append(list, entry.Option{ID: f.ID, Name: f.Name})
	}
	return list
}

func lodOptions() (list []entry.Option) {
	for _, f := range LODForms {
		list = append(list, entry.Option{ID: string(f.ID), Name: f.Name})
	}
	return list
}

func leavings() []entry.Option {
	return []entry.Option{{ID: string(With), Name: "With the mesh"}, {ID: string(Without), Name: "Leave them behind"}}
}

func shapeOptions() (list []entry.Option) {
	for _, f := range ShapeForms {
		list = append(list, entry.Option{ID: string(f.ID), Name: f.Name})
	}
	return list
}
