package naming

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Kind is what a placeholder of a template stands for.
type Kind int

// A placeholder stands for a text, for a number, or for one of a list of words.
const (
	Text Kind = iota
	Number
	OneOf
)

// Slot is a placeholder that a template may hold.
type Slot struct {
	Kind  Kind
	Words []string // of OneOf
}

// Letters are the letters a name may hold.
type Letters string

// Letters of any script, or those from a to z.
const (
	AnyLetter Letters = "any"
	LatinOnly Letters = "latin"
)

// Case is how the letters of a name are written.
type Case string

// Letters as they come, or all small, or all capitals.
const (
	AsIs  Case = "as is"
	Lower Case = "lower"
	Upper Case = "upper"
)

// Rules say what a name may be made of. Digits are always allowed.
type Rules struct {
	Letters Letters `json:"letters"`
	Marks   string  `json:"marks"` // besides letters and digits; the first one stands for what is not allowed
	Case    Case    `json:"case"`
	Longest int     `json:"longest"` // in letters; 0 for no bound
}

// Check tells what is wrong with the rules.
func (r Rules) Check() error {
	switch {
	case r.Letters != AnyLetter && r.Letters != LatinOnly:
		return fmt.Errorf("%q are no letters: expected %q or %q", r.Letters, AnyLetter, LatinOnly)
	case r.Case != AsIs && r.Case != Lower && r.Case != Upper:
		return fmt.Errorf("%q is no case: expected %q, %q or %q", r.Case, AsIs, Lower, Upper)
	case r.Longest < 0 || r.Longest > 255:
		return fmt.Errorf("a longest name of %d letters is out of bounds: expected 1 to 255, or 0 for none", r.Longest)
	case len(r.Marks) > 16:
		return fmt.Errorf("more than 16 marks are too many")
	}
	for _, m := range r.Marks {
		if unicode.IsLetter(m) || unicode.IsDigit(m) || unicode.IsControl(m) || m > unicode.MaxASCII ||
			strings.ContainsRune(`/\:*?"<>|{}`, m) {
			return fmt.Errorf("%q can't be a mark of a name: it is a letter, or files and patterns need it", m)
		}
	}
	return nil
}

// letter tells whether a letter, or what belongs to one, is allowed.
func (r Rules) letter(c rune) bool {
	if c <= unicode.MaxASCII {
		return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
	}
	return r.Letters == AnyLetter && (unicode.IsLetter(c) || unicode.IsMark(c) || unicode.IsDigit(c))
}

// allows tells whether a character may stand in a value.
func (r Rules) allows(c rune) bool {
	return r.letter(c) || c >= '0' && c <= '9' || strings.ContainsRune(r.Marks, c)
}

// cased writes a text in the case of the rules.
func (r Rules) cased(s string) string {
	switch r.Case {
	case Lower:
		return strings.ToLower(s)
	case Upper:
		return strings.ToUpper(s)
	}
	return s
}

// Clean makes a value of a text: what is not allowed becomes the first mark, once in a row, or
// goes when there is none; marks at either end go. What is left of nothing is "x".
func (r Rules) Clean(s string) string {
	var out []rune
	fill, _ := utf8.DecodeRuneInString(r.Marks)
	filled := true // no mark at the beginning
	for _, c := range r.cased(s) {
		switch {
		case strings.ContainsRune(r.Marks, c):
			if len(out) > 0 {
				out = append(out, c)
			}
			filled = true
		case r.allows(c):
			out = append(out, c)
			filled = false
		case !filled && r.Marks != "":
			out = append(out, fill)
			filled = true
		}
	}
	v := strings.Trim(string(out), r.Marks)
	if v == "" {
		return r.cased("x")
	}
	return v
}

// Template makes names of values and reads them back: plain text with placeholders in braces.
// What it makes of clean values it reads as the same values, which [NewTemplate] has proved.
type Template struct {
	text  string
	rules Rules
	parts []piece
	re    *regexp.Regexp
	auto  *automaton
}

// piece is a part of a template: plain text, or a placeholder.
type piece struct {
	plain string
	name  string // of the placeholder, "" for plain text
	slot  Slot
	width int // least digits of a number
}

var placeholder = regexp.MustCompile(`\{([a-z]+)([1-9]?)\}`)

// NewTemplate compiles a template whose placeholders are of slots. The error says what is
// wrong with it: an unknown placeholder, one that is there twice, plain text that the rules
// don't allow, or a name that could be read in two ways.
func NewTemplate(text string, rules Rules, slots map[string]Slot) (*Template, error) {
	if err := rules.Check(); err != nil {
		return nil, err
	}
	if strings.TrimSpace(text) == "" {
		return nil, fmt.Errorf("the pattern is empty: expected plain text with %s", named(slots))
	}
	if utf8.RuneCountInString(text) > 80 {
		return nil, fmt.Errorf("a pattern of more than 80 letters is too long")
	}
	t := &Template{text: text, rules: rules}
	seen := map[string]bool{}
	at := 0
	for _, m := range placeholder.FindAllStringSubmatchIndex(text, -1) {
		if err := t.plain(text[at:m[0]]); err != nil {
			return nil, err
		}
		at = m[1]
		name, digits := text[m[2]:m[3]], text[m[4]:m[5]]
		slot, ok := slots[name]
		if !ok || digits != "" && slot.Kind != Number {
			return nil, fmt.Errorf("%s is no placeholder here: expected %s", text[m[0]:m[1]], named(slots))
		}
		if seen[name] {
			return nil, fmt.Errorf("{%s} is there twice", name)
		}
		seen[name] = true
		width := 1
		if digits != "" {
			width = int(digits[0] - '0')
		}
		t.parts = append(t.parts, piece{name: name, slot: slot, width: width})
	}
	if err := t.plain(text[at:]); err != nil {
		return nil, err
	}
	t.re = regexp.MustCompile(t.expression())
	t.auto = t.automaton()
	if two := t.auto.ambiguous(); two != "" {
		return nil, fmt.Errorf("a name such as “%s” could be read in two ways: put plain text between the placeholders "+
			"that none of their "+
			"values can hold", two)
	}
	return t, nil
}

// plain adds plain text.
func (t *Template) plain(s string) error {
	if s == "" {
		return nil
	}
	for _, c := range s {
		if c == '{' || c == '}' {
			return fmt.Errorf("%q holds a brace without its partner, or a placeholder that is not small letters", t.text)
		}
		if !t.rules.allows(c) {
			return fmt.Errorf("%q holds %q, which the rules for names do not allow", t.text, c)
		}
	}
	t.parts = append(t.parts, piece{plain: t.rules.cased(s)})
	return nil
}

// Placeholders lists those that a template may hold, as they are typed.
func Placeholders(slots map[string]Slot) []string {
	var list []string
	for n := range slots {
		list = append(list, "{"+n+"}")
	}
	slices.Sort(list)
	return list
}

// named lists placeholders in words.
func named(slots map[string]Slot) string { return strings.Join(Placeholders(slots), ", ") }

// String is the template as it was typed.
func (t *Template) String() string { return t.text }

// Has tells whether the template holds a placeholder.
func (t *Template) Has(name string) bool {
	return slices.ContainsFunc(t.parts, func(p piece) bool { return p.name == name && name != "" })
}

// Make makes a name of values, which are cleaned; a number that is missing is 1, and a text
// or word that is missing is an error. A name over the longest has its longest text cut.
func (t *Template) Make(values map[string]string) (string, error) {
	clean := map[string]string{}
	for _, p := range t.parts {
		if p.name == "" {
			continue
		}
		v, ok := values[p.name]
		switch {
		case p.slot.Kind == Number:
			n := 1
			if ok {
				var err error
				if n, err = strconv.Atoi(v); err != nil || n < 0 {
					return "", fmt.Errorf("{%s}: %q is no number", p.name, v)
				}
			}
			clean[p.name] = fmt.Sprintf("%0*d", p.width, n)
		case !ok:
			return "", fmt.Errorf("{%s} has no value", p.name)
		case p.slot.Kind == OneOf:
			if !slices.Contains(p.slot.Words, v) {
				return "", fmt.Errorf("{%s}: %q is none of %s", p.name, v, strings.Join(p.slot.Words, ", "))
			}
			clean[p.name] = t.rules.cased(v)
		default:
			clean[p.name] = t.rules.Clean(v)
		}
	}
	name := t.joined(clean)
	for over := utf8.RuneCountInString(name) - t.rules.Longest; t.rules.Longest > 0 && over > 0; {
		long := ""
		for _, p := range t.parts {
			if p.name != "" && p.slot.Kind == Text && (long == "" || len(clean[p.name]) > len(clean[long])) {
				long = p.name
			}
		}
		r := []rune(clean[long])
		if long == "" || len(r) <= over {
			return "", fmt.Errorf("“%s” has more than %d letters, and nothing of it can be cut", name, t.rules.Longest)
		}
		clean[long] = t.rules.Clean(string(r[:len(r)-over]))
		name = t.joined(clean)
		over = utf8.RuneCountInString(name) - t.rules.Longest
	}
	return name, nil
}

func (t *Template) joined(values map[string]string) string {
	var b strings.Builder
	for _, p := range t.parts {
		if p.name == "" {
			b.WriteString(p.plain)
		} else {
			b.WriteString(values[p.name])
		}
	}
	return b.String()
}

// Read takes a name apart; false when the template did not make it. Plain text and words may
// be in any case; a number comes without leading zeros.
func (t *Template) Read(name string) (values map[string]string, ok bool) {
	m := t.re.FindStringSubmatch(name)
	if m == nil {
		return nil, false
	}
	values = map[string]string{}
	i := 0
	for _, p := range t.parts {
		if p.name == "" {
			continue
		}
		i++
		switch v := m[i]; p.slot.Kind {
		case Number:
			n, err := strconv.Atoi(v)
			if err != nil {
				return nil, false // longer than any number
			}
			values[p.name] = strconv.Itoa(n)
		case OneOf:
			k := slices.IndexFunc(p.slot.Words, func(w string) bool { return strings.EqualFold(w, v) })
			values[p.name] = p.slot.Words[k]
		default:
			values[p.name] = v
		}
	}
	return values, true
}

// expression is the template as a regular expression. Since no name can be read in two ways,
// it does not matter which one the machine would prefer.
func (t *Template) expression() string {
	var b strings.Builder
	b.WriteString(`^`)
	for _, p := range t.parts {
		switch {
		case p.name == "":
			b.WriteString(`(?i:` + regexp.QuoteMeta(p.plain) + `)`)
		case p.slot.Kind == Number && p.width == 1:
			b.WriteString(`(0|[1-9][0-9]*)`)
		case p.slot.Kind == Number:
			fmt.Fprintf(&b, `([0-9]{%d}|[1-9][0-9]{%d,})`, p.width, p.width)
		case p.slot.Kind == OneOf:
			var words []string
			for _, w := range p.slot.Words {
				words = append(words, regexp.QuoteMeta(w))
			}
			b.WriteString(`((?i:` + strings.Join(words, "|") + `))`)
		default:
			letters := `a-zA-Z`
			if t.rules.Letters == AnyLetter {
				letters = `\p{L}\p{M}\p{Nd}`
			}
			b.WriteString(`([` + letters + `0-9`)
			for _, m := range t.rules.Marks {
				fmt.Fprintf(&b, `\x{%x}`, m)
			}
			b.WriteString(`]+)`)
		}
	}
	b.WriteString(`$`)
	return b.String()
}
