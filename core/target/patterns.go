package target

import (
	"fmt"
	"maps"

	"yarvek/core/naming"
)

// Subject is what a pattern names.
type Subject string

// What patterns name.
const (
	FileName    Subject = "file"
	NodeName    Subject = "node"
	LODName     Subject = "lod"
	SolidName   Subject = "solid"
	SlotName    Subject = "slot"
	TextureName Subject = "texture"
	FolderName  Subject = "folder"
)

// subject is one of them: where its pattern stands, what it may hold and what it must.
type subject struct {
	id    Subject
	Label string
	of    func(*Names) *string
	slots map[string]naming.Slot
	must  [][]string // of each list, one
	empty bool       // it may be empty: names stay as they are
}

var (
	text   = naming.Slot{Kind: naming.Text}
	number = naming.Slot{Kind: naming.Number}
)

// subjects are all of them, in the order the editor shows them.
var subjects = []subject{
	{FileName, "Files", func(n *Names) *string { return &n.File }, map[string]naming.Slot{"asset": text, "kit": text},
		[][]string{{"asset"}}, false},
	{FolderName, "Folders", func(n *Names) *string { return &n.Folder },
		map[string]naming.Slot{"kit": text, "asset": text}, nil,
		true},
	{NodeName, "Nodes with a mesh", func(n *Names) *string { return &n.Node },
		map[string]naming.Slot{"mesh": text, "asset": text},
		[][]string{{"mesh"}}, true},
	{LODName, "LODs", func(n *Names) *string { return &n.LOD }, map[string]naming.Slot{"mesh": text, "asset": text,
		"n": number},
		[][]string{{"mesh"}, {"n"}}, false},
	{SolidName, "Collision", func(n *Names) *string { return &n.Solid },
		map[string]naming.Slot{"mesh": text, "asset": text, "n": number,
			"kind": {Kind: naming.OneOf, Words: SolidKinds}}, [][]string{{"mesh"}, {"n"}}, false},
	{SlotName, "Slots", func(n *Names) *string { return &n.Slot }, map[string]naming.Slot{"slot": text, "asset": text},
		[][]string{{"slot"}}, true},
	{TextureName, "Textures", func(n *Names) *string { return &n.Texture },
		map[string]naming.Slot{"slot": text, "asset": text,
			"role": {Kind: naming.OneOf, Words: Roles}}, [][]string{{"slot", "asset"}, {"role"}}, true},
}

// Pattern compiles one of a target's patterns, nil for one that leaves names as they are. The
// error says what is wrong with it.
func (t Target) Pattern(of Subject) (*naming.Template, error) {
	for _, s := range subjects {
		if s.id != of {
			continue
		}
		if s.empty && *s.of(&t.Names) == "" {
			return nil, nil
		}
		slots := s.slots
		if of == SolidName {
			slots = maps.Clone(slots)
			slots["kind"] = naming.Slot{Kind: naming.OneOf, Words: t.solidWords()}
		}
		return naming.NewTemplate(*s.of(&t.Names), t.Names.Rules, slots)
	}
	return nil, fmt.Errorf("%q is named by no pattern", of)
}

// Named is a pattern with its subject, as the editor shows it.
type Named struct {
	Subject Subject
	Label   string
	Text    string
	Slots   []string // placeholders it may hold
	Empty   bool     // it may be empty: names stay as they are
}

// Patterns lists them all.
func (t Target) Patterns() []Named {
	var list []Named
	for _, s := range subjects {
		list = append(list, Named{s.id, s.Label, *s.of(&t.Names), naming.Placeholders(s.slots), s.empty})
	}
	return list
}

// WithPattern is the target with another pattern. A subject that is none is an error.
func (t Target) WithPattern(of Subject, text string) (Target, error) {
	for _, s := range subjects {
		if s.id == of {
			*s.of(&t.Names) = text
			return t, nil
		}
	}
	return t, fmt.Errorf("%q is named by no pattern", of)
}
