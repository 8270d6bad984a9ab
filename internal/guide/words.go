package guide

import (
	"fmt"
	"html/template"
	"regexp"
	"slices"
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

// named is a name that a word goes by.
type named struct {
	name string
	word *Word
}

// index finds names in a text.
type index struct {
	by     map[string][]named // by the first word of each in small letters, the longest first
	begins [1 << 16]bool      // what the first two letters of a name may be, most words of a text begin otherwise
}

// names are all names of the words. Each has two letters or more.
var names = sync.OnceValue(func() *index {
	list := Words()
	x := &index{by: map[string][]named{}}
	for i := range list {
		for _, n := range list[i].Names {
			first := strings.ToLower(n[:run(n, 0)])
			x.by[first] = append(x.by[first], named{n, &list[i]})
			x.begins[beginning(n, 0)] = true
		}
	}
	for _, l := range x.by {
		slices.SortStableFunc(l, func(a, b named) int { return len(b.name) - len(a.name) })
	}
	return x
})

// beginning is the two letters that stand at a place, as small ones.
func beginning(s string, at int) int { return int(small(s[at]))<<8 | int(small(s[at+1])) }

// small is a letter as a small one.
func small(c byte) byte {
	if c >= 'A' && c <= 'Z' {
		return c + 'a' - 'A'
	}
	return c
}

// run is where the letters end that stand from a place on.
func run(s string, at int) int {
	for at < len(s) && isLetter(s[at]) {
		at++
	}
	return at
}

// wordAt is the longest trade word that a text has at a place where a word begins, and where it ends.
func wordAt(s string, at int) (w *Word, end int) {
	x := names()
	if at+1 >= len(s) || !x.begins[beginning(s, at)] {
		return nil, 0
	}
	var first [24]byte // a name's first word is shorter, or it is none
	n := copy(first[:], s[at:run(s, at)])
	for i, c := range first[:n] {
		first[i] = small(c)
	}
	for _, by := range x.by[string(first[:n])] {
		end := at + len(by.name)
		if end <= len(s) && strings.EqualFold(s[at:end], by.name) && (end == len(s) || !isLetter(s[end])) {
			return by.word, end
		}
	}
	return nil, 0
}

// isLetter tells what words are made of; bytes of other alphabets are such.
func isLetter(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c >= 0x80
}

// quiet are the elements in which no word is marked: what is pressed or chosen, what is drawn, and what is code.
var quiet = map[string]bool{"a": true, "button": true, "summary": true, "select": true, "textarea": true, "svg": true,
	"pre": true, "code": true, "script": true, "style": true, "h1": true, "dfn": true, "noscript": true, "option": true,
	"datalist": true}

// Mark marks in a piece of a page the first of each trade word, so that it can be pointed at and gone to; whoever goes
// from field to field by keyboard comes by each once. The piece is HTML as templates make it, in which every < and > of
// a text or an attribute is escaped.
func Mark(page template.HTML) template.HTML {
	s := string(page)
	var b strings.Builder
	b.Grow(len(s) + len(s)/4)
	seen := map[*Word]bool{}
	in := 0 // elements that are quiet
	for len(s) > 0 {
		open := strings.IndexByte(s, '<')
		if open < 0 {
			open = len(s)
		}
		if in > 0 {
			b.WriteString(s[:open])
		} else {
			mark(&b, s[:open], seen)
		}
		s = s[open:]
		end := strings.IndexByte(s, '>') + 1
		if end == 0 {
			b.WriteString(s)
			break
		}
		name, closes := tag(s[:end])
		if strings.Contains(s[:end], "visually-hidden") && !closes { // nobody sees it, so nobody goes there
			if close := strings.Index(s, "</"+name+">"); close > 0 {
				name, end = "", close+len(name)+3
			}
		}
		switch {
		case !quiet[name]:
		case closes:
			in--
		case !strings.HasSuffix(s[:end], "/>"):
			in++
		}
		b.WriteString(s[:end])
		s = s[end:]
	}
	return template.HTML(b.String())
}

// tag is the name of a tag's element, and whether it ends it.
func tag(t string) (name string, closes bool) {
	t, closes = strings.CutPrefix(t[1:], "/")
	if i := strings.IndexAny(t, " \t\n/>"); i >= 0 {
		t = t[:i]
	}
	return strings.ToLower(t), closes
}

// mark marks the words of an escaped text that were not seen yet.
func mark(b *strings.Builder, s string, seen map[*Word]bool) {
	from := 0
	for i := 0; i < len(s); i++ {
		if !isLetter(s[i]) || i > 0 && (isLetter(s[i-1]) || s[i-1] == '&') { // or it is the name of a letter
			continue
		}
		w, end := wordAt(s, i)
		if w == nil || seen[w] {
			i = run(s, i) - 1
			continue
		}
		seen[w] = true
		b.WriteString(s[from:i])
		fmt.Fprintf(b, `<dfn class="trade-word" tabindex="0" data-word="%s" data-means="%s">%s</dfn>`,
			template.HTMLEscapeString(w.Name), template.HTMLEscapeString(w.Says), s[i:end])
		from, i = end, end-1
	}
	b.WriteString(s[from:])
}
