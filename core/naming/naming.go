// Package naming matches names against patterns, makes new ones, and tells names
// that say nothing.
//
// In a pattern * stands for any letters, none included, ? for one letter and # for
// one or more digits; case does not matter. A new name is made of plain text and of
// words in braces: {name} is the old name, {rest} what the first * or # stood for,
// {n} a number counting from 1 and {n3} the same with three digits.
package naming

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
)

// Pattern is a compiled pattern.
type Pattern struct{ re *regexp.Regexp }

// MaxPattern bounds the letters of a pattern.
const MaxPattern = 200

// Parse compiles a pattern. The only thing that can be wrong with one is its length.
func Parse(s string) (Pattern, error) {
	if strings.TrimSpace(s) == "" {
		return Pattern{}, fmt.Errorf("the pattern is empty: write a name, with * for any letters")
	}
	if len(s) > MaxPattern {
		return Pattern{}, fmt.Errorf("a pattern of more than %d letters is too long", MaxPattern)
	}
	var b strings.Builder
	b.WriteString(`(?is)^`)
	for _, r := range s {
		switch r {
		case '*':
			b.WriteString(`(.*)`)
		case '#':
			b.WriteString(`([0-9]+)`)
		case '?':
			b.WriteString(`.`)
		default:
			b.WriteString(regexp.QuoteMeta(string(r)))
		}
	}
	b.WriteString(`$`)
	re, err := regexp.Compile(b.String())
	if err != nil {
		return Pattern{}, fmt.Errorf("the pattern %q can't be used: %w", s, err)
	}
	return Pattern{re}, nil
}

// Matches tells whether a name fits.
func (p Pattern) Matches(name string) bool { return p.re != nil && p.re.MatchString(name) }

// rest is what the first wildcard of many letters stood for.
func (p Pattern) rest(name string) string {
	m := p.re.FindStringSubmatch(name)
	if len(m) > 1 {
		return m[1]
	}
	return ""
}

var words = regexp.MustCompile(`\{(name|rest|n[1-9]?)\}`)

// Check tells what is wrong with a template for new names.
func Check(to string) error {
	if strings.TrimSpace(to) == "" {
		return fmt.Errorf("the new name is empty")
	}
	if len(to) > MaxPattern {
		return fmt.Errorf("a name of more than %d letters is too long", MaxPattern)
	}
	if left := words.ReplaceAllString(to, ""); strings.ContainsAny(left, "{}") {
		return fmt.Errorf("%q holds a word in braces that is not known: there are {name}, {rest}, {n} and {n2} to {n9}", to)
	}
	return nil
}

// Make gives the new name of the i-th name that matched, counting from 1.
func (p Pattern) Make(to, name string, i int) string {
	out := words.ReplaceAllStringFunc(to, func(w string) string {
		switch w {
		case "{name}":
			return name
		case "{rest}":
			return p.rest(name)
		case "{n}":
			return strconv.Itoa(i)
		}
		return fmt.Sprintf("%0*d", int(w[2]-'0'), i)
	})
	if out = strings.TrimSpace(out); out == "" {
		return name
	}
	return out
}

// idle are words that say what a thing is made of on the screen, not what it is.
var idle = map[string]bool{"object": true, "obj": true, "mesh": true, "node": true, "untitled": true, "unnamed": true,
	"noname": true,
	"none":   true,
	"group":  true, "part": true, "shape": true, "model": true, "geometry": true, "geo": true, "default": true,
	"new": true, "copy": true,
	"of":   true,
	"cube": true, "box": true, "sphere": true, "ball": true, "plane": true, "cylinder": true, "cone": true, "torus": true,
	"circle":  true,
	"surface": true,
	"poly":    true, "polygon": true, "root": true, "scene": true, "export": true, "final": true, "test": true,
	"temp": true, "tmp": true,
	"file": true, "the": true,
	"layer": true, "item": true, "element": true, "entity": true, "body": true, "solid": true, "merged": true,
	"combined":  true,
	"duplicate": true, "null": true}

// Idle tells whether a name says nothing: only general words, numbers and marks.
func Idle(name string) bool {
	said := false
	for _, w := range strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if !idle[w] && len([]rune(w)) > 1 {
			said = true
		}
	}
	return !said
}

// Plain tells whether a name can be shown and typed as it stands: a control character, one that turns the direction of
// writing (Unicode Standard Annex 9), or one that is not seen at all makes it look like another name. The error names
// the first such character.
func Plain(s string) error {
	runes := []rune(s)
	for i, r := range runes {
		if unicode.IsControl(r) || r == unicode.ReplacementChar || unseen(runes, i) {
			return fmt.Errorf("it holds the character %U, which no name should", r)
		}
	}
	return nil
}

// Visible is a name without what [Plain] refuses; tabs and ends of lines become blanks.
func Visible(s string) string {
	if Plain(s) == nil {
		return s
	}
	runes := []rune(s)
	var b strings.Builder
	for i, r := range runes {
		switch {
		case unicode.IsSpace(r):
			b.WriteByte(' ')
		case unicode.IsControl(r), r == unicode.ReplacementChar, unseen(runes, i):
		default:
			b.WriteRune(r)
		}
	}
	return strings.TrimSpace(b.String())
}

// unseen tells the format characters (category Cf) of a text, which turn the direction of writing or are not seen. The
// two joiners are letters' own where they stand between letters of a script that has them, as in Persian.
func unseen(runes []rune, i int) bool {
	r := runes[i]
	if unicode.In(r, unicode.Zl, unicode.Zp) { // they end a line
		return true
	}
	if !unicode.Is(unicode.Cf, r) {
		return false
	}
	joined := func(k int) bool {
		return k >= 0 && k < len(runes) && !unicode.Is(unicode.Latin, runes[k]) &&
			unicode.In(runes[k], unicode.L, unicode.M, unicode.So, unicode.Sk)
	}
	return !((r == 0x200C || r == 0x200D) && joined(i-1) && joined(i+1))
}
