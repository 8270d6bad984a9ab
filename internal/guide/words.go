package guide

import (
	"fmt"
	"html/template"
	"regexp"
	"strings"
	"sync"
)

// Word is a trade word.
type Word struct {
	Name  string
	Names []string // all it goes by, Name among them
	Says  string   // what it means, in a sentence without its full stop at the end or with it
}

var entry = regexp.MustCompile(`(?m)^- \*\*(.+?)\*\*(?:, ([^:\n]+))?: (.+)$`)

// glossary reads the trade words, and makes their page.
func (g *guide) glossary(text, group string) error {
	for _, m := range entry.FindAllStringSubmatch(text, -1) {
		w := Word{Name: m[1], Names: []string{m[1]}, Says: m[3]}
		if m[2] != "" {
			w.Names = append(w.Names, strings.Split(m[2], ", ")...)
		}
		g.words = append(g.words, w)
	}
	if len(g.words) == 0 {
		return fmt.Errorf("it has no words")
	}
	return g.one(text, group)
}

// Words lists the trade words.
func Words() []Word { return whole().words }

// names are the words by all their names, in small letters, and how many letters the longest has.
var names = sync.OnceValues(func() (m map[string]*Word, longest int) {
	list := Words()
	m = map[string]*Word{}
	for i := range list {
		for _, n := range list[i].Names {
			m[strings.ToLower(n)], longest = &list[i], max(longest, len(n))
		}
	}
	return m, longest
})

// wordAt is the longest trade word that a text has at a place where a word begins, and where it ends.
func wordAt(s string, at int) (w *Word, end int) {
	m, longest := names()
	for i := min(len(s), at+longest); i > at; i-- {
		if i < len(s) && isLetter(s[i]) {
			continue // in the middle of one
		}
		if w := m[strings.ToLower(s[at:i])]; w != nil {
			return w, i
		}
	}
	return nil, 0
}

// isLetter tells what words are made of; bytes of other alphabets are such.
func isLetter(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c >= 0x80
}

// Mark makes HTML of a text, in which the trade words can be pointed at and gone to. What is not a word is escaped.
func Mark(s string) template.HTML {
	var b strings.Builder
	from := 0
	for i := 0; i < len(s); i++ {
		if !isLetter(s[i]) || i > 0 && isLetter(s[i-1]) {
			continue
		}
		w, end := wordAt(s, i)
		if w == nil {
			continue
		}
		b.WriteString(template.HTMLEscapeString(s[from:i]))
		fmt.Fprintf(&b, `<dfn class="trade-word" tabindex="0" data-word="%s" data-means="%s">%s</dfn>`,
			template.HTMLEscapeString(w.Name), template.HTMLEscapeString(w.Says), template.HTMLEscapeString(s[i:end]))
		from, i = end, end-1
	}
	b.WriteString(template.HTMLEscapeString(s[from:]))
	return template.HTML(b.String())
}

var marked = regexp.MustCompile(`<dfn class="trade-word" tabindex="0" data-word="([^"]*)" data-means="[^"]*">` +
	`([^<]*)</dfn>`)

// Once leaves of each word that Mark marked in a page the first, so that whoever goes from field to field by keyboard
// comes by each once.
func Once(page template.HTML) template.HTML {
	seen := map[string]bool{}
	return template.HTML(marked.ReplaceAllStringFunc(string(page), func(s string) string {
		m := marked.FindStringSubmatch(s)
		if !seen[m[1]] {
			seen[m[1]] = true
			return s
		}
		return m[2]
	}))
}
