package target

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"yarvek/core/naming"
)

// Example is a name that is right where it came from: of a LOD or of a shape of a mesh.
type Example struct {
	Name string // of the node
	Mesh string // of the node that it stands for
	N    int    // of a LOD, or which of the shapes of that kind
	Kind string // of a shape, of [SolidKinds]; "" of a LOD
}

// Learned is a target that names LODs and shapes as examples do.
type Learned struct {
	Target Target
	Said   []string // what was learned, and what could not be followed
}

// Learn makes the patterns of a target of names that are right somewhere else. Each example is read by what was
// learned, and no pattern is taken that would read one of them otherwise than it is meant. The error says what names
// have in common that no pattern can say.
func Learn(t Target, examples []Example) (Learned, error) {
	t = t.Copy()
	var lods, solids []Example
	stems := map[string]string{} // of meshes whose names count their LODs from themselves on
	for _, e := range examples {
		if e.Kind == "" {
			stems[e.Mesh] = cmp.Or(stems[e.Mesh], uncounted(e.Mesh, e.Name))
		}
	}
	for _, e := range examples {
		e.Mesh = cmp.Or(stems[e.Mesh], e.Mesh)
		if e.Kind == "" {
			lods = append(lods, e)
		} else {
			solids = append(solids, e)
		}
	}
	if len(examples) == 0 {
		return Learned{}, fmt.Errorf("nothing here is a LOD or a shape of another by its role, so no name can be learned of")
	}
	l := Learned{Target: t}
	for _, e := range examples {
		l.Target.Names.Rules = allowing(l.Target.Names.Rules, e.Name)
	}
	if len(lods) > 0 {
		if err := l.lods(lods); err != nil {
			return l, err
		}
	}
	if len(solids) > 0 {
		if err := l.solids(solids); err != nil {
			return l, err
		}
	}
	if err := l.Target.Check(); err != nil {
		return l, fmt.Errorf("what was learned makes no target: %w", err)
	}
	return l, nil
}

// allowing are rules that let a name be as it is.
func allowing(r naming.Rules, name string) naming.Rules {
	for _, c := range name {
		switch {
		case unicode.IsUpper(c) && r.Case == naming.Lower, unicode.IsLower(c) && r.Case == naming.Upper:
			r.Case = naming.AsIs
		}
		if unicode.IsLetter(c) && c > unicode.MaxASCII {
			r.Letters = naming.AnyLetter
		}
		mark := c <= unicode.MaxASCII && !unicode.IsLetter(c) && !unicode.IsDigit(c) && !unicode.IsControl(c)
		if mark && !strings.ContainsRune(r.Marks, c) && !strings.ContainsRune(`/\:*?"<>|{}`, c) {
			r.Marks += string(c)
		}
	}
	return r
}

// alike gives two patterns that differ in the width of their number alone the larger one: 12 needs no zero before it,
// and 01 does.
func alike(a, b string) (string, string) {
	if numbered.ReplaceAllString(a, "{n}") != numbered.ReplaceAllString(b, "{n}") {
		return a, b
	}
	if len(a) < len(b) {
		a = b
	}
	return a, a
}

// numbered is the placeholder of a number, with its width.
var numbered = regexp.MustCompile(`\{n[0-9]*\}`)

// digits are a run of them.
var digits = regexp.MustCompile(`[0-9]+`)

// shape is a name with its mesh and its number taken out; the width of the number is in it. ok is false of a name that
// does not hold the mesh's. numbered is false of one without the number.
func (e Example) shape() (text string, numbered, ok bool) {
	for _, mesh := range []string{e.Mesh, stem(e.Mesh)} {
		at := strings.Index(e.Name, mesh)
		if mesh == "" || at < 0 {
			continue
		}
		before, after := e.Name[:at], e.Name[at+len(mesh):]
		if a, found := counted(after, e.N, true); found {
			return plain(before) + "{mesh}" + a, true, true
		}
		if b, found := counted(before, e.N, false); found {
			return b + "{mesh}" + plain(after), true, true
		}
		return plain(before) + "{mesh}" + plain(after), false, true
	}
	return "", false, false
}

// counted puts a placeholder in the place of a number in a text: the last run of digits that says it, or the first.
func counted(s string, n int, last bool) (string, bool) {
	all := digits.FindAllStringIndex(s, -1)
	if last {
		slices.Reverse(all)
	}
	for _, at := range all {
		run := s[at[0]:at[1]]
		if v, err := strconv.Atoi(run); err != nil || v != n {
			continue
		}
		width := ""
		if run[0] == '0' || len(run) > 1 && n < 10 {
			width = strconv.Itoa(len(run))
		}
		return plain(s[:at[0]]) + "{n" + width + "}" + plain(s[at[1]:]), true
	}
	return s, false
}

// plain is text of a name as a pattern can have it.
func plain(s string) string { return strings.NewReplacer("{", "", "}", "").Replace(s) }

// stem is the name of a mesh without what says that it is the finest of its LODs.
func stem(mesh string) string {
	r := naming.RoleOf(mesh)
	if r.Role != naming.Level || r.Number > 0 || r.Rank > 0 {
		return mesh
	}
	return strings.TrimRight(finest.ReplaceAllString(mesh, ""), "_-. ")
}

// finest is the end of a name that says so.
var finest = regexp.MustCompile(`(?i)[^\pL\pN]*(lod|level|detail)[^\pL\pN]*0*$`)

// zeroth is the end of a name that counts from nought, with the few letters that say what is counted.
var zeroth = regexp.MustCompile(`^(.*?\pL.*?)([^\pL\pN]+\pL{0,4})0+$`)

// uncounted is what stands before the count in the name of a mesh that is counted as 0, and of a LOD that goes on from
// it; "" where they are not such names.
func uncounted(mesh, lod string) string {
	m := zeroth.FindStringSubmatch(mesh)
	if m == nil {
		return ""
	}
	n, goesOn := strings.CutPrefix(lod, m[1]+m[2])
	if _, err := strconv.ParseUint(n, 10, 32); !goesOn || err != nil {
		return ""
	}
	return m[1]
}

// lods learns the pattern of LODs.
func (l *Learned) lods(list []Example) error {
	text := ""
	for _, e := range list {
		s, counts, ok := e.shape()
		s, text = alike(s, text)
		switch {
		case !ok:
			return fmt.Errorf("“%s” does not hold the name of what it is a LOD of, “%s”, so no pattern can say it", e.Name,
				e.Mesh)
		case !counts:
			return fmt.Errorf("“%s” does not say that it is LOD %d, so no pattern can say it", e.Name, e.N)
		case text != "" && s != text:
			return fmt.Errorf("“%s” follows %s, and others %s: names that differ in more than mesh and number make no pattern",
				e.Name, s, text)
		}
		text = s
	}
	l.Target.Names.LOD = text
	p, err := l.Target.Pattern(LODName)
	if err != nil {
		return err
	}
	for _, e := range list {
		if m, ok := p.Read(e.Name); !ok || m["n"] != strconv.Itoa(e.N) {
			return fmt.Errorf("%s does not read “%s” as LOD %d", text, e.Name, e.N)
		}
	}
	l.Said = append(l.Said, "LODs are called "+text)
	return nil
}

// solids learns the pattern of shapes: one for all, or one with the word for the kind where kinds are told apart by
// one.
func (l *Learned) solids(list []Example) error {
	by := map[string]string{} // by kind
	bare := false
	for _, e := range list {
		s, counts, ok := e.shape()
		if !ok {
			return fmt.Errorf("“%s” does not hold the name of what it is a shape of, “%s”, so no pattern can say it", e.Name,
				e.Mesh)
		}
		if !counts {
			s, bare = s+"_{n}", true
		}
		if s, by[e.Kind] = alike(s, by[e.Kind]); by[e.Kind] != "" && by[e.Kind] != s {
			return fmt.Errorf("“%s” follows %s, and another %s follows %s: names that differ in more than mesh, kind and "+
				"number make no pattern", e.Name, s, e.Kind, by[e.Kind])
		}
		by[e.Kind] = s
	}
	var kinds []string
	for _, k := range SolidKinds {
		if by[k] != "" {
			kinds = append(kinds, k)
		}
	}
	text, words, err := kindly(kinds, by)
	if err != nil {
		return err
	}
	l.Target.Names.Solid = text
	var kept []Solid
	for _, s := range l.Target.Solids {
		if w, ok := words[s.Kind]; ok {
			s.Word = w
		}
		if slices.Contains(kinds, s.Kind) || len(words) > 0 {
			kept = append(kept, s)
		}
	}
	for _, k := range kinds {
		if !slices.ContainsFunc(kept, func(s Solid) bool { return s.Kind == k }) {
			kept = append(kept, Solid{Kind: k, For: "touching", Word: words[k]})
		}
	}
	l.Target.Solids = kept
	if bare {
		l.Target.Names.Rules = allowing(l.Target.Names.Rules, "_")
		l.Said = append(l.Said, "the shapes here have no number, so one is put behind: several of a mesh need to be told "+
			"apart")
	} else {
		names, err := l.Target.SolidNames()
		if err != nil {
			return err
		}
		for _, e := range list {
			if m, ok := names.Read(e.Name); !ok || m["n"] != strconv.Itoa(e.N) || m["kind"] != e.Kind {
				return fmt.Errorf("%s does not read “%s” as %s %d", text, e.Name, e.Kind, e.N)
			}
		}
	}
	l.Said = append(l.Said, "shapes are called "+text)
	for _, k := range kinds {
		if words[k] != "" && words[k] != k {
			l.Said = append(l.Said, fmt.Sprintf("“%s” stands for a %s", words[k], k))
		}
	}
	return nil
}

// kindly is one pattern of the patterns of several kinds: what they differ in is the word for the kind.
func kindly(kinds []string, by map[string]string) (text string, words map[string]string, err error) {
	first := by[kinds[0]]
	if len(kinds) == 1 { // where its name says the kind in our own word, others may be said so too
		at := strings.Index(strings.ToLower(first), kinds[0])
		if at < 0 {
			return first, nil, nil
		}
		return first[:at] + "{kind}" + first[at+len(kinds[0]):], map[string]string{}, nil
	}
	head, tail := len(first), len(first)
	for _, k := range kinds[1:] {
		s := by[k]
		head, tail = min(head, common(first, s)), min(tail, commonEnd(first, s))
	}
	for head > 0 && !boundary(first, head) {
		head--
	}
	for tail > 0 && !boundary(first, len(first)-tail) {
		tail--
	}
	words = map[string]string{}
	for _, k := range kinds {
		s := by[k]
		if head+tail >= len(s) {
			return "", nil, fmt.Errorf("%s names a %s and a %s alike, so no pattern can tell them apart", s, kinds[0], k)
		}
		w := s[head : len(s)-tail]
		if strings.ContainsAny(w, "{}") {
			return "", nil, fmt.Errorf("%s and %s differ in more than a word for the kind", first, s)
		}
		words[k] = w
	}
	return first[:head] + "{kind}" + first[len(first)-tail:], words, nil
}

// boundary tells whether a word may begin or end at a place of a pattern: not within a run of letters, nor within a
// placeholder.
func boundary(s string, at int) bool {
	if strings.Count(s[:at], "{") != strings.Count(s[:at], "}") {
		return false
	}
	if at == 0 || at == len(s) {
		return true
	}
	letter := func(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80 }
	return !(letter(s[at-1]) && letter(s[at]))
}

func common(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

func commonEnd(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}
