package target

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"yarvek/core/naming"
)

// Solid is a kind of collision the receiver takes.
type Solid struct {
	Kind string `json:"kind"` // of SolidKinds
	For  string `json:"for"`  // what it uses it for, in words
	Word string `json:"word"` // that stands for the kind in names, "" for the kind's own
}

// SolidKinds are the kinds of collision there are.
var SolidKinds = []string{"box", "ball", "capsule", "hull", "surface"}

// solidWords are the words that stand for the kinds in names, in the order of SolidKinds.
func (t Target) solidWords() []string {
	words := make([]string, len(SolidKinds))
	for i, k := range SolidKinds {
		words[i] = k
		for _, s := range t.Solids {
			if s.Kind == k {
				words[i] = cmp.Or(s.Word, k)
			}
		}
	}
	return words
}

// SolidNames gives shapes to collide with their names, and reads them. It is only read.
type SolidNames struct {
	pattern *naming.Template
	words   []string // by SolidKinds
	only    string   // the kind of all of them, where the pattern does not say it; "" where that can't be known
	rules   naming.Rules
}

// SolidNames are those of the target; the error says what is wrong with its pattern.
func (t Target) SolidNames() (SolidNames, error) {
	p, err := t.Pattern(SolidName)
	n := SolidNames{pattern: p, words: t.solidWords(), rules: t.Names.Rules}
	if len(t.Solids) == 1 {
		n.only = t.Solids[0].Kind
	}
	return n, err
}

// Name is that of the n-th shape of a mesh; where the pattern says the kind, the n-th of its kind.
func (s SolidNames) Name(mesh, asset, kind string, n int) (string, error) {
	word := kind
	for i, k := range SolidKinds {
		if k == kind {
			word = s.words[i]
		}
	}
	return s.pattern.Make(map[string]string{"mesh": mesh, "asset": asset, "kind": word, "n": strconv.Itoa(n)})
}

// SaysKind tells whether names say the kind.
func (s SolidNames) SaysKind() bool { return s.pattern.Has("kind") }

// Read reads a name: the values of its placeholders, with the kind in our own word, "" where nothing tells it.
func (s SolidNames) Read(name string) (values map[string]string, ok bool) {
	if s.pattern == nil {
		return nil, false
	}
	m, ok := s.pattern.Read(name)
	if !ok {
		return nil, false
	}
	if !s.SaysKind() {
		m["kind"] = s.only
		return m, true
	}
	for i, w := range s.words {
		if strings.EqualFold(s.rules.Clean(w), m["kind"]) || strings.EqualFold(w, m["kind"]) {
			m["kind"] = SolidKinds[i]
			break
		}
	}
	return m, true
}

// Template is the pattern itself.
func (s SolidNames) Template() *naming.Template { return s.pattern }

// unsaid is what is wrong with a pattern of shapes that does not say the kind, with an example.
func (t Target) unsaid(p *naming.Template) error {
	if p.Has("kind") || len(t.Solids) <= 1 {
		return nil
	}
	name, err := p.Make(map[string]string{"mesh": "hut", "asset": "hut", "n": "1"})
	if err != nil {
		name = t.Names.Solid
	}
	return fmt.Errorf("“%s” could be a %s or a %s: put {kind} into the pattern, or have the target take one kind only",
		name, t.Solids[0].Kind, t.Solids[1].Kind)
}
