package usd

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"unicode/utf8"

	"yarvek/core/fault"
	"yarvek/core/format/text"
)

// textMagic is what a layer of text begins with.
const textMagic = "#usda "

// Bounds of a layer of text.
const (
	mostDeep  = 256     // prims, lists and dictionaries in one another
	mostSpecs = 2 << 20 // of a layer
)

// parser reads a layer of text ("USD ASCII"): prims with their metadata and properties, in braces.
type parser struct {
	file  string
	data  []byte
	at    int
	line  int
	layer *layer
	deep  int
	specs int
}

// parseText reads a layer.
func parseText(file string, data []byte) (l *layer, err error) {
	p := &parser{file: file, data: data, line: 1, layer: &layer{file: file}}
	defer func() {
		if e, ok := recover().(*fault.Error); ok {
			l, err = nil, e
		}
	}()
	end := bytes.IndexByte(data, '\n')
	if end < 0 {
		end = len(data)
	}
	p.at = end
	root := &spec{meta: map[string]any{}, layer: p.layer, line: 1}
	p.layer.root = root
	if p.peek() == '(' {
		p.metadata(root.meta)
	}
	for p.peek() != 0 {
		p.statement(root)
	}
	return p.layer, nil
}

// fail ends the reading at the line it came to. It is recovered by parseText, and by nobody else.
func (p *parser) fail(format string, args ...any) {
	panic(fault.AtLine(p.file, p.line, format, args...).Advise("Export it again"))
}

// peek is the next byte that is no blank and stands in no comment; 0 at the end.
func (p *parser) peek() byte {
	for p.at < len(p.data) {
		switch c := p.data[p.at]; {
		case c == '\n':
			p.line++
			p.at++
		case c == '#':
			for p.at < len(p.data) && p.data[p.at] != '\n' {
				p.at++
			}
		case text.IsSpace(c), c == ';':
			p.at++
		case c == 0xef && bytes.HasPrefix(p.data[p.at:], []byte("\xef\xbb\xbf")):
			p.at += 3
		default:
			return c
		}
	}
	return 0
}

// take passes the next byte, which must be c.
func (p *parser) take(c byte) {
	if got := p.peek(); got != c {
		p.fail("expected %q, found %s", c, p.here())
	}
	p.at++
}

// has passes the next byte if it is c.
func (p *parser) has(c byte) bool {
	if p.peek() != c {
		return false
	}
	p.at++
	return true
}

// here is what stands at the place that is read, for a message.
func (p *parser) here() string {
	if p.at >= len(p.data) {
		return "the end"
	}
	return fault.Quote(p.data[p.at:min(len(p.data), p.at+16)])
}

// named tells bytes of names: letters, digits, and what joins them.
func named(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '_' || c == ':' || c >= 0x80
}

// name reads a name, "" where none stands.
func (p *parser) name() string {
	p.peek()
	from := p.at
	for p.at < len(p.data) && named(p.data[p.at]) {
		p.at++
	}
	return string(p.data[from:p.at])
}

// deeper counts how deep things lie in one another.
func (p *parser) deeper() {
	if p.deep++; p.deep > mostDeep {
		p.fail("is nested deeper than %d", mostDeep)
	}
}

// text reads a string in quotes.
func (p *parser) text() string {
	q := p.peek()
	if q != '"' && q != '\'' {
		p.fail("expected a string, found %s", p.here())
	}
	mark := string(q)
	if bytes.HasPrefix(p.data[p.at:], []byte(strings.Repeat(mark, 3))) {
		mark = strings.Repeat(mark, 3)
	}
	p.at += len(mark)
	var out []byte
	for p.at < len(p.data) {
		if bytes.HasPrefix(p.data[p.at:], []byte(mark)) {
			p.at += len(mark)
			return strings.ToValidUTF8(string(out), "�")
		}
		c := p.data[p.at]
		p.at++
		switch {
		case c == '\n':
			p.line++
			out = append(out, c)
		case c == '\\' && p.at < len(p.data):
			e := p.data[p.at]
			p.at++
			if i := strings.IndexByte("ntr", e); i >= 0 {
				e = "\n\t\r"[i]
			}
			out = append(out, e)
		default:
			out = append(out, c)
		}
	}
	p.fail("a string has no end")
	return ""
}

// until reads up to a mark, which is passed.
func (p *parser) until(mark string) string {
	i := bytes.Index(p.data[p.at:], []byte(mark))
	if i < 0 {
		p.fail("expected %q behind %s", mark, p.here())
	}
	s := string(p.data[p.at : p.at+i])
	p.line += strings.Count(s, "\n")
	p.at += i + len(mark)
	return strings.ToValidUTF8(s, "�")
}

// asset reads an address of a file.
func (p *parser) asset() asset {
	p.take('@')
	if bytes.HasPrefix(p.data[p.at:], []byte("@@")) {
		p.at += 2
		return asset(p.until("@@@"))
	}
	return asset(p.until("@"))
}

// path reads the path of a prim or property.
func (p *parser) path() target {
	p.take('<')
	return target(strings.TrimSpace(p.until(">")))
}

// value reads any value.
func (p *parser) value() any {
	switch c := p.peek(); {
	case c == '"' || c == '\'':
		return prose(p.text())
	case c == '@':
		a := p.asset()
		if p.peek() == '<' {
			return arc{string(a), string(p.path())}
		}
		return a
	case c == '<':
		return p.path()
	case c == '[':
		return p.list()
	case c == '(':
		v := p.row(nil)
		return tuple{len(v), v, false}
	case c == '{':
		return p.dictionary()
	case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
		return tuple{1, []float64{p.number()}, false}
	}
	switch w := p.name(); w {
	case "":
		p.fail("expected a value, found %s", p.here())
	case "None":
		return none{}
	case "true", "True":
		return tuple{1, []float64{1}, false}
	case "false", "False":
		return tuple{1, []float64{0}, false}
	case "inf":
		return tuple{1, []float64{math.Inf(1)}, false}
	case "nan":
		return tuple{1, []float64{math.NaN()}, false}
	default:
		return token(w)
	}
	return nil
}

// number reads one.
func (p *parser) number() float64 {
	p.peek()
	v, n := text.Float(p.data[p.at:])
	if n == 0 {
		sign := 1.0
		rest := p.data[p.at:]
		if len(rest) > 0 && (rest[0] == '-' || rest[0] == '+') {
			if rest[0] == '-' {
				sign = -1
			}
			rest = rest[1:]
		}
		switch {
		case bytes.HasPrefix(rest, []byte("inf")):
			p.at += len(p.data[p.at:]) - len(rest) + 3
			return sign * math.Inf(1)
		case bytes.HasPrefix(rest, []byte("nan")):
			p.at += len(p.data[p.at:]) - len(rest) + 3
			return math.NaN()
		}
		p.fail("expected a number, found %s", p.here())
	}
	p.at += n
	return v
}

// row reads the numbers of a tuple, which may hold others: a matrix is one of rows.
func (p *parser) row(out []float64) []float64 {
	p.deeper()
	p.take('(')
	for !p.has(')') {
		if p.peek() == '(' {
			out = p.row(out)
		} else {
			out = append(out, p.number())
		}
		p.has(',')
	}
	p.deep--
	return out
}

// list reads one: of numbers and tuples as a tuple, of others as they are.
func (p *parser) list() any {
	p.deeper()
	p.take('[')
	nums, others := tuple{list: true}, list{}
	for !p.has(']') {
		switch c := p.peek(); {
		case c == '(':
			from := len(nums.v)
			nums.v = p.row(nums.v)
			if w := len(nums.v) - from; nums.width != 0 && w != nums.width {
				p.fail("a list of rows of %d has one of %d", nums.width, w)
			} else {
				nums.width = w
			}
		case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
			nums.v = append(nums.v, p.number())
			nums.width = 1
		case c == 0:
			p.fail("a list has no end")
		default:
			switch v := p.item().(type) {
			case tuple:
				nums.v = append(nums.v, v.v...)
				nums.width = max(1, v.width)
			default:
				others = append(others, v)
			}
		}
		p.has(',')
	}
	p.deep--
	if len(others) > 0 {
		return others
	}
	if nums.width == 0 {
		nums.width = 1
	}
	return nums
}

// item reads a value of a list; a reference may have a time behind it, which static meshes have no use for.
func (p *parser) item() any {
	v := p.value()
	switch v.(type) {
	case arc, asset, target:
		if p.peek() == '(' {
			p.metadata(map[string]any{})
		}
	}
	return v
}

// dictionary reads values with their types and names.
func (p *parser) dictionary() map[string]any {
	p.deeper()
	out := map[string]any{}
	p.take('{')
	for !p.has('}') {
		if p.peek() == 0 {
			p.fail("a dictionary has no end")
		}
		words := []string{p.key()}
		for p.peek() != '=' && p.peek() != ':' {
			if p.has('[') {
				p.take(']')
				continue
			}
			words = append(words, p.key())
		}
		p.at++
		out[words[len(words)-1]] = p.value()
		p.has(',')
	}
	p.deep--
	return out
}

// key is a name, in quotes or not, or a number, as that of a time.
func (p *parser) key() string {
	c := p.peek()
	switch {
	case c == '"' || c == '\'':
		return p.text()
	case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
		return fmt.Sprint(p.number())
	}
	n := p.name()
	if n == "" {
		p.fail("expected a name, found %s", p.here())
	}
	return n
}

// listWords are those that say what becomes of a list.
var listWords = map[string]bool{"prepend": true, "append": true, "add": true, "delete": true, "reorder": true}

// metadata reads what stands in parentheses.
func (p *parser) metadata(into map[string]any) {
	p.deeper()
	p.take('(')
	for !p.has(')') {
		if c := p.peek(); c == '"' || c == '\'' {
			into["comment"] = prose(p.text())
			continue
		} else if c == 0 {
			p.fail("metadata has no end")
		}
		how, key := "", p.key()
		if listWords[key] {
			how, key = key, p.key()
		}
		p.take('=')
		v := p.item()
		switch {
		case how != "":
			e, _ := into[key].(*edits)
			if e == nil {
				e = &edits{}
			}
			e.put(how, items(v))
			into[key] = e
		default:
			into[key] = v
		}
		p.has(',')
	}
	p.deep--
}

// items are the values of a list, or one that stands for it.
func items(v any) []any {
	switch x := v.(type) {
	case nil, none:
		return nil
	case list:
		return x
	case *edits:
		return append(append(append([]any{}, x.before...), x.items...), x.behind...)
	case tuple:
		if len(x.v) == 0 {
			return nil
		}
	}
	return []any{v}
}

// put notes what becomes of a list.
func (e *edits) put(how string, v []any) {
	switch how {
	case "prepend":
		e.before = v
	case "append", "add":
		e.behind = append(e.behind, v...)
	case "delete":
		e.no = v
	case "":
		e.whole, e.items = true, v
	}
}

// statement reads a prim, a set of variants or a property.
func (p *parser) statement(s *spec) {
	p.peek()
	line := p.line
	word := p.key()
	switch word {
	case "def", "over", "class":
		p.prim(s, map[string]specifier{"def": def, "over": over, "class": class}[word], line)
		return
	case "variantSet":
		p.variants(s)
		return
	case "reorder":
		p.key()
		p.take('=')
		p.value()
		return
	}
	p.property(s, word, line)
}

// prim reads a prim with all in it.
func (p *parser) prim(parent *spec, how specifier, line int) {
	p.deeper()
	if p.specs++; p.specs > mostSpecs {
		p.fail("holds more than %d prims", mostSpecs)
	}
	s := &spec{how: how, meta: map[string]any{}, layer: p.layer, line: line}
	if c := p.peek(); c != '"' && c != '\'' {
		s.typ = p.name()
	}
	s.name = p.text()
	if had := parent.kid(s.name); had == nil {
		parent.kids = append(parent.kids, s)
	} else {
		s = had // said again: both count
		s.how = max(s.how, how)
	}
	if p.peek() == '(' {
		p.metadata(s.meta)
	}
	p.body(s)
	p.deep--
}

// body reads what stands in the braces of a prim or variant.
func (p *parser) body(s *spec) {
	p.take('{')
	for !p.has('}') {
		if p.peek() == 0 {
			p.fail("“%s” of line %d has no end", fault.Shown(s.name), s.line)
		}
		p.statement(s)
	}
}

// variants reads a set of them.
func (p *parser) variants(s *spec) {
	set := variantSet{name: p.text()}
	p.take('=')
	p.take('{')
	for !p.has('}') {
		if p.peek() == 0 {
			p.fail("the variants “%s” have no end", fault.Shown(set.name))
		}
		p.deeper()
		v := &spec{how: over, meta: map[string]any{}, layer: p.layer, line: p.line, name: p.text()}
		if p.peek() == '(' {
			p.metadata(v.meta)
		}
		p.body(v)
		p.deep--
		set.of = append(set.of, v)
	}
	s.sets = append(s.sets, set)
}

// property reads an attribute or a relationship, of which word is the first.
func (p *parser) property(s *spec, word string, line int) {
	how := ""
	for {
		switch word {
		case "custom", "uniform", "varying", "config":
		case "prepend", "append", "add", "delete":
			how = word
		default:
			goto typed
		}
		word = p.key()
	}
typed:
	x := &property{typ: word, rel: word == "rel", line: line}
	if p.has('[') {
		p.take(']')
		x.typ += "[]"
	}
	name := p.key()
	part := ""
	if p.at < len(p.data) && p.data[p.at] == '.' {
		p.at++
		part = p.name()
	}
	if s.props == nil {
		s.props = map[string]*property{}
	}
	if had := s.props[name]; had != nil {
		x = had
	}
	s.props[name] = x
	if p.has('=') {
		v := p.value()
		switch {
		case x.rel || part == "connect":
			if x.targets == nil {
				x.targets = &edits{}
			}
			x.targets.put(how, items(v))
		case part == "timeSamples":
			x.first = earliest(v)
		case part == "":
			if _, blocked := v.(none); blocked {
				x.blocked = true
			} else {
				x.value = v
			}
		}
	}
	if p.peek() == '(' {
		if x.meta == nil {
			x.meta = map[string]any{}
		}
		p.metadata(x.meta)
	}
}

// earliest is the value of the first of samples over time.
func earliest(v any) any {
	d, _ := v.(map[string]any)
	var best any
	at := math.Inf(1)
	for k, x := range d {
		if t, n := text.Float([]byte(k)); n > 0 && t < at {
			if _, blocked := x.(none); !blocked {
				best, at = x, t
			}
		}
	}
	return best
}

// isText tells a layer of text.
func isText(data []byte) bool {
	return bytes.HasPrefix(bytes.TrimPrefix(data[:min(len(data), 16)], []byte("\xef\xbb\xbf")), []byte(textMagic)) &&
		utf8.Valid(data[:min(len(data), 6)])
}
