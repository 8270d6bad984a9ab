package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/target"
)

// sort is how a field of a target is typed.
type sort string

const (
	asText   sort = "text"
	asNumber sort = "number"
	asCount  sort = "count"  // whole
	asLength sort = "length" // kept in metres
	asBytes  sort = "mib"    // kept in bytes
	asSwitch sort = "switch"
	asChoice sort = "choice"
)

// entryField is one of a target's in the editor. Its path is that of the target's JSON, with the
// number of a list's element between dots.
type entryField struct {
	Path    string
	Label   string
	Sort    sort
	After   string // what stands behind it
	Choices [][2]string
	Value   string
	Error   string
}

// section is a folded part of the editor.
type section struct {
	ID, Title, About string
	Fields           []entryField
	Rows             []line // a table instead
	Heads            []string
	Wrong            int // fields that can't be meant
}

// line is one of a section's table.
type line struct {
	Name   string
	About  string
	Fields []entryField
	Reason entryField // typed below it; no path for none
	Drop   string     // what takes it out, "" for nothing
}

var axisChoices = func() (list [][2]string) {
	for _, a := range geom.Axes {
		list = append(list, [2]string{a.String(), a.String()})
	}
	return list
}()

// same makes choices whose words are their values.
func same(list ...string) (out [][2]string) {
	for _, v := range list {
		out = append(out, [2]string{v, v})
	}
	return out
}

// sections are all of a target's fields with their values. It is long because it is a table: each entry of
// the form stands once, in the order of the page.
func sections(t target.Target) []section {
	var kinds [][2]string
	for _, f := range format.Written {
		kinds = append(kinds, [2]string{f.ID, f.Name})
	}
	list := []section{
		{ID: "frame", Title: "Frame", About: "The axes, handedness and unit of the receiving engine.", Fields: []entryField{
			{Path: "basis.up", Label: "Up", Sort: asChoice, Choices: axisChoices},
			{Path: "basis.forward", Label: "Front", Sort: asChoice, Choices: axisChoices},
			{Path: "basis.leftHanded", Label: "Left-handed", Sort: asSwitch},
			{Path: "unit.metres", Label: "One unit is", Sort: asLength},
			{Path: "unit.symbol", Label: "Its symbol", Sort: asText},
			{Path: "unit.name", Label: "Its name", Sort: asText}}},
		{ID: "reads", Title: "What it does with files",
			About: "What it honours of what a file says. What it does not honour is written as " +
				"it assumes it, and read back so.", Heads: []string{"", "Unit", "Axes", "Third axis", "Node transforms"}},
		{ID: "assumes", Title: "What it assumes instead", Heads: []string{"", "One unit is", "Up", "Front", "Left-handed"}},
		{ID: "arrival", Title: "What it does on arrival",
			About: "It scales, then turns about the upright, then moves what comes. What leaves " +
				"is moved the other way.", Fields: []entryField{
				{Path: "arrival.scale", Label: "Scales by", Sort: asNumber},
				{Path: "arrival.turn", Label: "Turns by", Sort: asNumber, After: "° to the left"},
				{Path: "arrival.move.0", Label: "Moves along X by", Sort: asLength},
				{Path: "arrival.move.1", Label: "along Y by", Sort: asLength},
				{Path: "arrival.move.2", Label: "along Z by", Sort: asLength}}},
		{ID: "sends", Title: "What it wants to have", Fields: []entryField{
			{Path: "prefers", Label: "Format", Sort: asChoice, Choices: kinds},
			{Path: "needs.triangles", Label: "Triangles only", Sort: asSwitch},
			{Path: "needs.tangents", Label: "Tangents", Sort: asSwitch},
			{Path: "needs.smoothing", Label: "Normals or smoothing groups", Sort: asSwitch},
			{Path: "needs.lightmap", Label: "A second UV set for light", Sort: asSwitch},
			{Path: "needs.oneMesh", Label: "One mesh a file", Sort: asSwitch},
			{Path: "needs.indexBits", Label: "Bits of an index", Sort: asChoice, Choices: same("16", "32")},
			{Path: "mixes", Label: "Opaque and translucent may share a mesh", Sort: asSwitch}}},
		{ID: "pivot", Title: "Pivot and grid", Fields: []entryField{
			{Path: "pivot.place", Label: "The origin lies", Sort: asChoice,
				Choices: [][2]string{{"base", "at the centre of the base"},
					{"contact", "in the middle of what touches the ground"}, {"mass", "at the centre of mass"},
					{"centre", "at the centre"},
					{"corner", "at a corner of the base"}, {"as it is", "where the source has it"}}},
			{Path: "pivot.grid", Label: "Grid of modular pieces", Sort: asLength, After: "0 for none; a kit's own goes first"}}},
		{ID: "classes", Title: "Classes and budgets", About: "What things measure and may cost. 0 is no bound.",
			Heads: []string{"Class", "At least", "At most", "Triangles", "Vertices", "Draw calls", "Slots", "Textures", "LODs",
				"Shapes",
				"Points each", "Seen from", "Modular"}},
		{ID: "view", Title: "View", About: "For LODs: how it looks at things, and by how much a change may show.",
			Fields: []entryField{
				{Path: "view.lines", Label: "Lines of the screen", Sort: asCount},
				{Path: "view.angle", Label: "It sees upright", Sort: asNumber, After: "°"},
				{Path: "view.tolerance", Label: "A change may show by", Sort: asNumber, After: "pixels"}}},
		{ID: "textures", Title: "Textures", Fields: []entryField{
			{Path: "textures.largest", Label: "Largest side", Sort: asCount, After: "pixels"},
			{Path: "textures.powerOfTwo", Label: "Sides are powers of two", Sort: asSwitch},
			{Path: "textures.greenUp", Label: "In normal maps green is up", Sort: asSwitch},
			{Path: "textures.packing", Label: "Packing", Sort: asChoice, Choices: [][2]string{{"none", "each role a picture"},
				{"orm", "occlusion, roughness and metallic in one"}}}}},
		{ID: "solids", Title: "Collision", About: "The kinds it takes, and what it uses them for.",
			Heads: []string{"Kind", "For"}},
		{ID: "names", Title: "Names",
			About: "Plain text with words in braces. They name what leaves, and are recognised when it comes in.",
			Fields: []entryField{
				{Path: "names.letters", Label: "Letters", Sort: asChoice,
					Choices: [][2]string{{string(naming.AnyLetter), "of any script"},
						{string(naming.LatinOnly), "a to z"}}},
				{Path: "names.marks", Label: "Marks besides", Sort: asText},
				{Path: "names.case", Label: "Case", Sort: asChoice,
					Choices: same(string(naming.AsIs), string(naming.Lower), string(naming.Upper))},
				{Path: "names.longest", Label: "Letters at most", Sort: asCount, After: "0 for no bound"}}},
	}
	at := func(id string) *section {
		for i := range list {
			if list[i].ID == id {
				return &list[i]
			}
		}
		panic(id) // it stands above
	}
	for _, f := range format.Rules() {
		p := "reads." + f.Key + "."
		honours := line{Name: f.Name}
		for _, k := range [][2]string{{"honoursUnit", "Unit"}, {"honoursAxes", "Axes"}, {"honoursHand", "Third axis"}} {
			if f.Says {
				honours.Fields = append(honours.Fields, entryField{Path: p + k[0], Label: f.Name + ": honours " + k[1],
					Sort:  asSwitch,
					After: "honoured"})
			} else {
				honours.Fields = append(honours.Fields, entryField{})
			}
		}
		honours.Fields = append(honours.Fields, entryField{Path: p + "keepsNodes", Label: f.Name + ": keeps node transforms",
			Sort:  asSwitch,
			After: "kept"})
		at("reads").Rows = append(at("reads").Rows, honours)
		at("assumes").Rows = append(at("assumes").Rows, line{Name: f.Name, Fields: []entryField{
			{Path: p + "unit.metres", Label: f.Name + ": one unit is", Sort: asLength},
			{Path: p + "basis.up", Label: f.Name + ": up", Sort: asChoice, Choices: axisChoices},
			{Path: p + "basis.forward", Label: f.Name + ": front", Sort: asChoice, Choices: axisChoices},
			{Path: p + "basis.leftHanded", Label: f.Name + ": left-handed", Sort: asSwitch}}})
	}
	for i, c := range t.Classes {
		p, n := fmt.Sprintf("classes.%d.", i), c.Name+": "
		at("classes").Rows = append(at("classes").Rows, line{Name: c.Name, Drop: c.ID,
			Reason: entryField{Path: p + "reason", Label: n + "why", Sort: asText}, Fields: []entryField{
				{Path: p + "least", Label: n + "at least", Sort: asLength},
				{Path: p + "most", Label: n + "at most", Sort: asLength},
				{Path: p + "budget.triangles", Label: n + "triangles", Sort: asCount},
				{Path: p + "budget.vertices", Label: n + "vertices", Sort: asCount},
				{Path: p + "budget.drawCalls", Label: n + "draw calls", Sort: asCount},
				{Path: p + "budget.slots", Label: n + "slots", Sort: asCount},
				{Path: p + "budget.textureBytes", Label: n + "textures in MiB", Sort: asBytes},
				{Path: p + "budget.lods", Label: n + "LODs", Sort: asCount},
				{Path: p + "budget.shapes", Label: n + "collision shapes", Sort: asCount},
				{Path: p + "budget.shapePoints", Label: n + "points of a shape", Sort: asCount},
				{Path: p + "seen", Label: n + "seen from", Sort: asLength},
				{Path: p + "module", Label: n + "modular", Sort: asSwitch}}})
	}
	for i, s := range t.Solids {
		at("solids").Rows = append(at("solids").Rows, line{Name: s.Kind, Drop: s.Kind, Fields: []entryField{
			{Path: fmt.Sprintf("solids.%d.for", i), Label: s.Kind + " is for", Sort: asText},
			{Path: fmt.Sprintf("solids.%d.word", i), Label: s.Kind + " in names", Sort: asText}}})
	}
	for _, r := range target.Roles {
		at("textures").Fields = append(at("textures").Fields,
			entryField{Path: "textures.formats." + r, Label: "Format of " + r, Sort: asChoice,
				Choices: same("png", "jpeg", "webp", "tga")})
	}
	for _, n := range t.Patterns() {
		after := strings.Join(n.Slots, " ")
		if n.Empty {
			after += "; empty leaves them as they are"
		}
		at("names").Fields = append(at("names").Fields, entryField{Path: "names." + string(n.Subject), Label: n.Label,
			Sort:  asText,
			After: after})
	}
	fillIn(list, t)
	return list
}

// each calls f for every field of a list of sections.
func each(list []section, f func(s *section, x *entryField)) {
	for i := range list {
		s := &list[i]
		for k := range s.Fields {
			f(s, &s.Fields[k])
		}
		for r := range s.Rows {
			for k := range s.Rows[r].Fields {
				if s.Rows[r].Fields[k].Path != "" {
					f(s, &s.Rows[r].Fields[k])
				}
			}
			if s.Rows[r].Reason.Path != "" {
				f(s, &s.Rows[r].Reason)
			}
		}
	}
}

// fillIn gives fields the values a target has.
func fillIn(list []section, t target.Target) {
	tree := valuesOf(t)
	each(list, func(_ *section, x *entryField) { x.Value = shown(x.Sort, lookUp(tree, x.Path)) })
}

// valuesOf is a target as maps and lists.
func valuesOf(t target.Target) (tree any) {
	if err := json.Unmarshal(t.JSON(), &tree); err != nil {
		panic(err) // it was written a moment ago
	}
	return tree
}

// lookUp is the value at a path, nil where there is none.
func lookUp(v any, path string) any {
	for p := range strings.SplitSeq(path, ".") {
		switch w := v.(type) {
		case map[string]any:
			v = w[p]
		case []any:
			i, err := strconv.Atoi(p)
			if err != nil || i < 0 || i >= len(w) {
				return nil
			}
			v = w[i]
		default:
			return nil
		}
	}
	return v
}

// shown is a value as its field shows it.
func shown(s sort, v any) string {
	switch v := v.(type) {
	case string:
		return v
	case bool:
		return map[bool]string{true: "on", false: ""}[v]
	case float64:
		switch s {
		case asLength:
			return strconv.FormatFloat(v, 'g', -1, 64) + " m"
		case asBytes:
			return strconv.FormatFloat(v/(1<<20), 'g', -1, 64)
		}
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return ""
}

// typed reads what was typed into a field.
func typed(s sort, text string) (any, error) {
	switch s {
	case asSwitch:
		return text == "on", nil
	case asLength:
		if strings.TrimSpace(text) == "0" {
			return 0., nil
		}
		return figure.ParseLength(text, figure.Metre)
	case asNumber, asCount, asBytes:
		v, err := strconv.ParseFloat(strings.NewReplacer(",", ".", "\u202f", "", " ", "").Replace(text), 64)
		if err != nil || v-v != 0 {
			return nil, fmt.Errorf("%q is no number", text)
		}
		if s == asBytes {
			v *= 1 << 20
		}
		if s == asCount && v != float64(int64(v)) {
			return nil, fmt.Errorf("%q is no whole number", text)
		}
		return v, nil
	}
	return text, nil
}

// decideTarget makes of a form the target it describes, on top of another; fields that were
// not sent stay. The sections come back as they were typed, with what is wrong at each field;
// the error is that something is.
func decideTarget(f *form, base target.Target) (target.Target, []section, error) {
	list := sections(base)
	tree := valuesOf(base)
	wrong := 0
	whole := f.has("whole") // all fields were sent, so that a switch that was not is off
	each(list, func(s *section, x *entryField) {
		if !f.has(x.Path) && !(whole && x.Sort == asSwitch) {
			return
		}
		x.Value = f.raw(x.Path)
		v, err := typed(x.Sort, x.Value)
		if err != nil {
			x.Error = err.Error()
			s.Wrong++
			wrong++
			return
		}
		if x.Path == "needs.indexBits" {
			v, _ = strconv.ParseFloat(x.Value, 64)
		}
		set(tree, x.Path, v)
	})
	b, err := json.Marshal(tree)
	if err != nil {
		return base, list, err
	}
	t := target.Target{}
	if err := json.Unmarshal(b, &t); err != nil {
		return base, list, fault.Input("%v", err)
	}
	if wrong > 0 {
		return base, list, fault.Input("%s can't be meant", figure.Plural(wrong, "field", "fields"))
	}
	if err := t.Check(); err != nil {
		return t, list, mark(list, err)
	}
	return t, list, nil
}

// mark puts errors of fields at them, and says what no field has.
func mark(list []section, err error) error {
	rest, n := []string{}, 0
	for _, e := range apart(err) {
		var at *target.FieldError
		if !errors.As(e, &at) {
			rest = append(rest, e.Error())
			continue
		}
		path := strings.NewReplacer("[", ".", "]", "").Replace(at.Path)
		found := false
		each(list, func(s *section, x *entryField) {
			if x.Path == path && x.Error == "" {
				x.Error, found = at.Err.Error(), true
				s.Wrong++
				n++
			}
		})
		if !found {
			rest = append(rest, at.Error())
		}
	}
	say := figure.Plural(n, "field", "fields") + " can't be meant"
	if len(rest) > 0 {
		say += "; " + strings.Join(rest, "; ")
	}
	return fault.Input("%s", say)
}

// apart takes joined errors apart.
func apart(err error) []error {
	if many, ok := err.(interface{ Unwrap() []error }); ok {
		return many.Unwrap()
	}
	return []error{err}
}

// set puts a value at a path of a tree, which has it.
func set(v any, path string, value any) {
	parts := strings.Split(path, ".")
	for _, p := range parts[:len(parts)-1] {
		switch w := v.(type) {
		case map[string]any:
			v = w[p]
		case []any:
			i, _ := strconv.Atoi(p)
			v = w[i]
		}
	}
	last := parts[len(parts)-1]
	switch w := v.(type) {
	case map[string]any:
		w[last] = value
	case []any:
		i, _ := strconv.Atoi(last)
		w[i] = value
	}
}
