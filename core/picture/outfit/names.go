package outfit

import (
	"strings"

	"yarvek/core/naming"
)

// names is a kit's map of names, ready to be asked.
type names struct {
	lines    []MapLine
	patterns []naming.Pattern // of lines that have one
	exact    map[string]int   // lines that are just a name, by it in small letters
	project  map[string]string
	words    []string // of names of the project alone, as plain words
	asked    int      // how often the nearest was looked for
}

// mostNearest bounds how often the nearest name is looked for: each time every line is read.
const mostNearest = 200

func newNames(lines []MapLine) *names {
	n := &names{lines: lines, patterns: make([]naming.Pattern, len(lines)), exact: map[string]int{},
		project: map[string]string{},
		words:   make([]string, len(lines))}
	for i, l := range lines {
		if _, ok := n.project[strings.ToLower(l.To)]; !ok {
			n.project[strings.ToLower(l.To)] = l.To
		}
		if l.From == "" {
			n.words[i] = plainWords(l.To)
			continue
		}
		if _, ok := n.exact[strings.ToLower(l.From)]; !ok {
			n.exact[strings.ToLower(l.From)] = i
		}
		if strings.ContainsAny(l.From, "*?#") {
			n.patterns[i], _ = naming.Parse(l.From) // one that is none matches nothing
		}
	}
	return n
}

func plainWords(name string) string { return strings.Join(naming.Words(name), " ") }

// mapped is what the map makes of a name: by a line that is just that name, else by the first pattern it
// matches.
func (n *names) mapped(name string) (string, bool) {
	if i, ok := n.exact[strings.ToLower(name)]; ok {
		return n.lines[i].To, true
	}
	for i, p := range n.patterns {
		if p.Matches(name) {
			return p.Make(n.lines[i].To, name, i+1), true
		}
	}
	return "", false
}

// inProject is the material of the receiving project that a name is, whatever its case; or the nearest
// one, that differs in a third of its letters at most.
func (n *names) inProject(name string) (is, near string) {
	if to, ok := n.project[strings.ToLower(name)]; ok {
		return to, ""
	}
	if n.asked++; n.asked > mostNearest {
		return "", ""
	}
	plain := plainWords(name)
	least := 0
	for i, other := range n.words {
		if other == "" {
			continue
		}
		if d := naming.Distance(plain, other); 3*d <= max(len(plain), len(other)) && (near == "" || d < least) {
			near, least = n.lines[i].To, d
		}
	}
	return "", near
}
