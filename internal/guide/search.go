package guide

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// Hit is a place of the guide where what is looked for stands.
type Hit struct {
	Page    *Page
	Section Section
	Before  string // a few words of the text before what was found
	Found   string
	After   string

	rank int
}

// mostHits is how many places are told at once.
const mostHits = 40

// Search finds the sections that have all words of a question, in any case and as the beginning of a word, those with
// them in their heading first.
func Search(question string) (hits []Hit) {
	asked := strings.FieldsFunc(strings.ToLower(question), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
	if len(asked) == 0 {
		return nil
	}
	for _, p := range Pages() {
		for _, s := range p.Sections {
			if h, ok := look(p, s, asked); ok {
				hits = append(hits, h)
			}
		}
	}
	slices.SortStableFunc(hits, func(a, b Hit) int { return cmp.Compare(b.rank, a.rank) })
	return hits[:min(len(hits), mostHits)]
}

// around is how many letters are told on either side of what was found.
const around = 90

// look looks for words in a section.
func look(p *Page, s Section, asked []string) (Hit, bool) {
	h := Hit{Page: p, Section: s}
	heading, text := strings.ToLower(s.Title), strings.ToLower(s.Text)
	if len(text) != len(s.Text) { // letters whose small form is of another length
		text = s.Text
	}
	first, length := -1, 0
	for _, w := range asked {
		in, at := begins(heading, w), begins(text, w)
		if in < 0 && at < 0 {
			return Hit{}, false
		}
		if in >= 0 {
			h.rank++
		}
		if at >= 0 && first < 0 {
			first, length = at, len(w)
		}
	}
	if first < 0 {
		h.After = cut(s.Text, 2*around, false)
		return h, true
	}
	h.Before = cut(s.Text[:first], around, true)
	h.Found = s.Text[first : first+length]
	h.After = cut(s.Text[first+length:], around, false)
	return h, true
}

// begins is where a word of a text begins with letters, or -1.
func begins(text, letters string) int {
	for from := 0; ; {
		i := strings.Index(text[from:], letters)
		if i < 0 {
			return -1
		}
		i += from
		if before := []rune(text[:i]); len(before) == 0 || !unicode.IsLetter(before[len(before)-1]) {
			return i
		}
		from = i + len(letters)
	}
}

// cut leaves so many letters of a text, its end or its beginning, at whole words.
func cut(s string, most int, end bool) string {
	r := []rune(s)
	if len(r) <= most {
		return s
	}
	if end {
		_, rest, _ := strings.Cut(string(r[len(r)-most:]), " ")
		return "… " + rest
	}
	kept := string(r[:most])
	if i := strings.LastIndex(kept, " "); i > 0 {
		kept = kept[:i]
	}
	return kept + " …"
}
