// Package export is station 10: what leaves, and in what form. Writing it and reading
// it back is the work of package deliver.
package export

import (
	"fmt"
	"slices"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "export", Name: "Export", Number: 10, Question: "What leaves, and did it arrive?"}

// Decisions choose the file to write.
type Decisions struct {
	Format string `json:"format,omitempty"` // of format.Written; "" is the one the target prefers
	// Name is the pattern of the file's name without suffix, over {asset} and {kit}; "" is the target's.
	Name string `json:"name,omitempty"`
	// Bake writes every point where it stands, so that all nodes are identity in the
	// file's axes; a receiver that drops node transforms then sees the same. It counts
	// in formats that leave the choice.
	Bake bool `json:"bake,omitempty"`
	// Grid is the step of a grid that meshes wider than it leave in pieces by, each about a place of its own; metres, 0
	// for none. It counts in formats that hold several.
	Grid float64 `json:"grid,omitempty"`
	// Triangles cuts polygons, so that no receiver cuts them another way. It counts in
	// formats that keep polygons.
	Triangles bool `json:"triangles,omitempty"`
	// Tangents makes them of normals and the first UV set where there are none. It
	// counts in formats that carry tangents.
	Tangents bool `json:"tangents,omitempty"`
	// LODs says how the LODs leave.
	LODs LODForm `json:"lods,omitempty"`
	// Shapes says how the collision leaves.
	Shapes ShapeForm `json:"shapes,omitempty"`
	// Markers and Pictures say whether these leave.
	Markers  Leaving `json:"markers,omitempty"`
	Pictures Leaving `json:"pictures,omitempty"`
	// Cameras and Lights leave where these are asked for. They count in formats that hold such.
	Cameras bool `json:"cameras,omitempty"`
	Lights  bool `json:"lights,omitempty"`
	// Folder is the pattern of the folder that the files lie in, within a zip and in the kit's outbox; "" is the
	// target's, and "." none.
	Folder string `json:"folder,omitempty"`
	// Outbox has it written into the kit's folder on the machine that Yarvek runs on.
	Outbox bool `json:"outbox,omitempty"`
	// Only has one LOD leave as the whole asset, 0 for all of it: a light version for a weak device.
	Only int `json:"only,omitempty"`
}

// Leaving is whether things of a kind leave.
type Leaving string

// The ways.
const (
	With    Leaving = ""     // with the mesh
	Without Leaving = "none" // not at all
)

// LODForm is how LODs leave.
type LODForm string

// The ways LODs leave.
const (
	LODsNamed LODForm = ""      // nodes named by the target's pattern, in the one file
	LODsGroup LODForm = "group" // a LOD group, where the format knows such
	LODsApart LODForm = "apart" // a file each
	LODsLeft  LODForm = "none"  // not at all
)

// NamedForm is a form and what it is called.
type NamedForm struct {
	ID   LODForm
	Name string
}

// LODForms lists them in words.
var LODForms = []NamedForm{{LODsNamed, "Nodes named by the target’s pattern"},
	{LODsGroup, "The format’s own LOD group"},
	{LODsApart, "A file each"},
	{LODsLeft, "Leave them behind"}}

// ShapeForm is how collision leaves.
type ShapeForm string

// The ways collision leaves.
const (
	ShapesNamed ShapeForm = ""      // nodes named by the target's pattern, in the one file
	ShapesApart ShapeForm = "apart" // a file of its own
	ShapesLeft  ShapeForm = "none"  // not at all
)

// NamedShapeForm is a form and what it is called.
type NamedShapeForm struct {
	ID   ShapeForm
	Name string
}

// ShapeForms lists them in words.
var ShapeForms = []NamedShapeForm{{ShapesNamed, "Nodes named by the target’s pattern"},
	{ShapesApart, "A file of its own"},
	{ShapesLeft, "Leave it behind"}}

// maxName bounds the name of a file, in bytes.
const maxName = 200

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if _, err := d.Chosen(format.Written[0].ID); err != nil {
		return err
	}
	if err := scene.ValidGrid(d.Grid); err != nil {
		return err
	}
	if len(d.Name) > maxName {
		return fmt.Errorf("a file name of %d bytes is too long: expected at most %d", len(d.Name), maxName)
	}
	if !slices.ContainsFunc(LODForms, func(f NamedForm) bool { return f.ID == d.LODs }) {
		return fmt.Errorf("%q is no way for LODs to leave: expected group, apart or none", d.LODs)
	}
	if !slices.ContainsFunc(ShapeForms, func(f NamedShapeForm) bool { return f.ID == d.Shapes }) {
		return fmt.Errorf("%q is no way for collision to leave: expected apart or none", d.Shapes)
	}
	for what, l := range map[string]Leaving{"markers": d.Markers, "pictures": d.Pictures} {
		if l != With && l != Without {
			return fmt.Errorf("%q is no way for %s to leave: expected none, or nothing at all", l, what)
		}
	}
	for _, p := range []string{d.Name, d.Folder} {
		if err := CheckPattern(p); err != nil {
			return err
		}
	}
	if len(d.Folder) > maxName {
		return fmt.Errorf("a folder of %d bytes is too long: expected at most %d", len(d.Folder), maxName)
	}
	if d.Only < 0 || d.Only > maxLOD {
		return fmt.Errorf("there is no LOD %d", d.Only)
	}
	return nil
}

// maxLOD is the highest number a LOD can have.
const maxLOD = 8

// Chosen is the format to write, the one the target prefers when none is decided; the error
// names those there are.
func (d Decisions) Chosen(preferred string) (format.Format, error) {
	if d.Format == "" {
		return format.ByID(preferred)
	}
	return format.ByID(d.Format)
}

// ChosenOf is Chosen for a scene: points without faces leave in the first format that holds them, where none is
// decided.
func (d Decisions) ChosenOf(s *scene.Scene, preferred string) (format.Format, error) {
	f, err := d.Chosen(preferred)
	if err != nil || d.Format != "" || f.Points || s.Count().Dots == 0 {
		return f, err
	}
	return cloudFormat(), nil
}

// cloudFormat is the first format that holds points.
func cloudFormat() format.Format {
	return format.Written[slices.IndexFunc(format.Written, func(f format.Format) bool { return f.Points })]
}

// Refs lists nothing: no decision names a node.
func (d Decisions) Refs() []string { return nil }

// Repoint changes nothing.
func (d Decisions) Repoint(string, string) station.Decisions { return d }

// Lines says the decisions, one a line.
func (d Decisions) Lines() []string {
	var l []string
	if f, err := d.Chosen(format.Written[0].ID); err != nil {
		l = append(l, "Export as "+d.Format) // Validate refuses it
	} else if d.Format != "" {
		l = append(l, "Export as "+f.Name)
	}
	if d.Name != "" {
		l = append(l, "Call the file "+d.Name)
	}
	for _, c := range []struct {
		on   bool
		line string
	}{{d.Bake, "Bake transforms into the file"}, {d.Grid > 0, "Split by a grid of " + figure.Length(d.Grid)},
		{d.Triangles, "Cut polygons into triangles"},
		{d.Tangents, "Make tangents"}} {
		if c.on {
			l = append(l, c.line)
		}
	}
	switch d.LODs {
	case LODsNamed:
	case LODsGroup:
		l = append(l, "Send LODs as a LOD group")
	case LODsApart:
		l = append(l, "Send each LOD as a file")
	case LODsLeft:
		l = append(l, "Leave LODs behind")
	default:
		l = append(l, "Send LODs as "+string(d.LODs)) // Validate refuses it
	}
	switch d.Shapes {
	case ShapesNamed:
	case ShapesApart:
		l = append(l, "Send collision as a file of its own")
	case ShapesLeft:
		l = append(l, "Leave collision behind")
	default:
		l = append(l, "Send collision as "+string(d.Shapes)) // Validate refuses it
	}
	for _, c := range []struct {
		on   bool
		line string
	}{{d.Markers != With, "Leave markers behind"}, {d.Pictures != With, "Leave pictures behind"},
		{d.Cameras, "Send cameras"}, {d.Lights, "Send lights"}, {d.Folder != "", "Put it into " + d.Folder},
		{d.Outbox, "Write it into the kit’s folder on this machine"}} {
		if c.on {
			l = append(l, c.line)
		}
	}
	if d.Only > 0 {
		l = append(l, fmt.Sprintf("Send LOD %d as the whole asset", d.Only))
	}
	return l
}

// Report is how the export stands.
type Report struct {
	station.Account
	Held    int // findings of the stations before that must be fixed
	Markers int // that can leave, and so on
	Cameras int
	Lights  int
}

// Ask is what the station has to know besides its decisions.
type Ask struct {
	MustFix int          // findings of the stations before that must be fixed
	Scene   *scene.Scene // what leaves
	LODs    int          // besides the first
	Shapes  int          // of collision
	Markers int
	Cameras int // that came with it
	Lights  int
	Pending bool // LODs or shapes are decided and still to be made
	Target  target.Target
}

// Run tells whether anything stands in the way of the export, and what the target needs that
// what leaves has not.
func Run(d Decisions, ask Ask) *Report {
	r := &Report{Held: ask.MustFix, Markers: ask.Markers, Cameras: ask.Cameras, Lights: ask.Lights}
	f, err := d.ChosenOf(ask.Scene, ask.Target.Prefers)
	count := ask.Scene.Count()
	if err != nil || count.Polygons+count.Dots == 0 {
		return r // nothing leaves, which others say
	}
	if count.Dots > 0 {
		r.points(d, f)
		return r
	}
	r.needs(d, f, ask)
	r.lods(d, f, ask)
	return r
}

// points holds a cloud back from formats that have no place for it.
func (r *Report) points(d Decisions, f format.Format) {
	if f.Points {
		return
	}
	to := d
	to.Format = cloudFormat().ID
	r.Held++
	r.Say(finding.Finding{Code: "export/points", Severity: finding.MustFix,
		Title: f.Name + " holds faces, and these are points",
		Text:  "Points leave with all they carry as PLY.", Remedies: []finding.Remedy{{Label: "Send PLY",
			Effect: "Every point leaves with all it carries.", Decision: to}}})
}

// needs says what the target can't do without.
func (r *Report) needs(d Decisions, f format.Format, ask Ask) {
	s, needs := ask.Scene, ask.Target.Needs
	say := func(code, title, text string, remedies ...finding.Remedy) {
		r.Say(finding.Finding{Code: "export/" + code, Severity: finding.Look, Title: title, Text: text, Remedies: remedies})
	}
	with := func(label, effect string, change func(*Decisions)) finding.Remedy {
		to := d
		change(&to)
		return finding.Remedy{Label: label, Effect: effect, Decision: to}
	}
	if !f.Reading(ask.Target).KeepsNodes && !(f.Bakes && d.Bake) && f.Tree && moved(s) {
		text := "In this format the target drops the transforms of nodes, so that parts would stand elsewhere."
		if f.Bakes {
			say("drops-nodes", "The target drops what nodes hold", text, with("Bake transforms into the file",
				"Every point is written where it stands.", func(d *Decisions) { d.Bake = true }))
		} else {
			say("drops-nodes", "The target drops what nodes hold", text+" Send FBX with transforms baked, or OBJ.")
		}
	}
	count := s.Count()
	if needs.Triangles && f.Polygons && !d.Triangles && count.Triangles > count.Polygons {
		say("needs-triangles", "The target needs triangles",
			"What leaves has polygons of more corners, which it would cut its own way.",
			with("Cut polygons into triangles", "They are cut here, so that all see the same.",
				func(d *Decisions) { d.Triangles = true }))
	}
	var bare, second, large int
	for _, m := range s.Meshes {
		if !m.Tangents.Has() {
			bare++
		}
		if len(m.UVs) < 2 {
			second++
		}
		if len(m.Points) > 1<<16 {
			large++
		}
	}
	if needs.Tangents && bare > 0 && !(f.Tangents && d.Tangents) {
		text := figure.Plural(bare, "mesh has", "meshes have") + " none."
		if f.Tangents {
			say("needs-tangents", "The target needs tangents", text,
				with("Make tangents", "They are made of normals and the first UV set.",
					func(d *Decisions) { d.Tangents = true }))
		} else {
			say("needs-tangents", "The target needs tangents", text+" This format holds none.")
		}
	}
	if needs.Lightmap && second > 0 {
		say("needs-lightmap", "The target needs a second UV set",
			figure.Plural(second, "mesh has", "meshes have")+" none for light.")
	}
	if needs.OneMesh && s.Count().Instances > 1 {
		say("needs-one-mesh", "The target needs one mesh",
			fmt.Sprintf("What leaves has %d. Join them at Source, or send each as an asset.",
				s.Count().Instances))
	}
	if needs.IndexBits == 16 && large > 0 {
		say("needs-short-index", "More points than the target's indices count",
			figure.Plural(large, "mesh has", "meshes have")+
				" more than 65 536. Split them at Source.")
	}
}

// lods says what of the LODs can't leave as decided.
func (r *Report) lods(d Decisions, f format.Format, ask Ask) {
	say := func(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) {
		r.Say(finding.Finding{Code: "export/" + code, Severity: sev, Title: title, Text: text, Remedies: remedies})
	}
	if ask.Pending {
		say(finding.Note, "lods-pending", "LODs and shapes are made before it leaves",
			"They are decided and were not made yet; exporting waits for them.")
		return
	}
	if !f.Several {
		say(finding.Note, "one-surface", f.Name+" holds one surface",
			"Meshes are joined, LODs and shapes leave as files of their own, and what it has no place for stays behind: "+
				"the certificate names it.")
	}
	named := d
	named.LODs = LODsNamed
	whole := d
	whole.Only = 0
	switch {
	case d.Only > ask.LODs:
		say(finding.MustFix, "no-such-lod", fmt.Sprintf("There is no LOD %d", d.Only),
			"It was to leave as the whole asset, and the ladder has "+
				figure.Plural(ask.LODs, "LOD", "LODs")+".", finding.Remedy{Label: "Send all of it",
				Effect:   "The asset leaves with its LODs.",
				Decision: whole})
	case ask.LODs > 0 && d.Only == 0 && d.LODs == LODsGroup && !f.Groups:
		say(finding.Look, "no-groups", f.Name+" knows no LOD groups",
			"They leave as nodes named by the target's pattern, and the file does not say where "+
				"they take over.", finding.Remedy{Label: "Name them by the pattern", Effect: "That is what is done anyway.",
				Decision: named})
	}
}

// moved tells whether a node stands anywhere but at the origin.
func moved(s *scene.Scene) bool {
	return slices.ContainsFunc(s.Nodes, func(n scene.Node) bool { return !n.Local.IsIdentity() })
}

// Stands is what holds the export.
func (r *Report) Stands() (finding.Severity, int) {
	if r.Held > 0 {
		return finding.MustFix, r.Held
	}
	return r.Account.Stands()
}

// Figure says whether the asset is ready.
func (r *Report) Figure() string {
	if r.Held > 0 {
		return "held: " + figure.Count(r.Held)
	}
	return "ready"
}
