package fbx

import (
	"context"
	"strconv"
	"strings"

	"yarvek/core/fault"
)

// asciiReader walks a text file. Places are lines.
type asciiReader struct {
	ctx     context.Context
	name    string
	data    []byte
	at      int
	line    int
	records int
}

// fail is an error at the line the reader stands on.
func (a *asciiReader) fail(format string, args ...any) *fault.Error {
	return fault.AtLine(a.name, a.line, format,
		args...).Advise("The file may be cut short or damaged; export the mesh again")
}

// parseASCII reads the tree of a text file and its version from its header.
func parseASCII(ctx context.Context, name string, data []byte) (*record, int, error) {
	a := &asciiReader{ctx: ctx, name: name, data: data, line: 1}
	root := &record{}
	for {
		a.space()
		if a.at >= len(a.data) {
			break
		}
		r, err := a.record(0)
		if err != nil {
			return nil, 0, err
		}
		root.subs = append(root.subs, r)
	}
	version := 0
	if v, ok := root.sub("FBXHeaderExtension").sub("FBXVersion").num(0); ok {
		version = int(v)
	}
	if version == 0 && root.sub("Objects") == nil {
		return nil, 0, fault.AtLine(name, 1, "has neither an FBX header nor objects").Advise(
			"Check that the file is an FBX; its name " +
				"may have the wrong suffix")
	}
	if version != 0 && (version < 5000 || version > 7999) {
		return nil, 0, fault.AtLine(name, 1, "is FBX version %d; 6100 to 7700 are read", version).Unsupported().Advise(
			"Export as FBX 7.4")
	}
	return root, version, nil
}

// space skips blanks, line ends and comments.
func (a *asciiReader) space() {
	for a.at < len(a.data) {
		switch c := a.data[a.at]; {
		case c == '\n':
			a.line++
			a.at++
		case c == ' ' || c == '\t' || c == '\r':
			a.at++
		case c == ';':
			for a.at < len(a.data) && a.data[a.at] != '\n' {
				a.at++
			}
		default:
			return
		}
	}
}

// isWord tells the bytes that names of records and bare words are made of.
func isWord(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '_' || c == '|' || c == '-' ||
		c == '+' ||
		c == '.' || c >= 0x80
}

// word takes the bare word the reader stands on, "" when there is none.
func (a *asciiReader) word() string {
	start := a.at
	for a.at < len(a.data) && isWord(a.data[a.at]) {
		a.at++
	}
	return string(a.data[start:a.at])
}

// peek is the next byte after spaces, 0 at the end.
func (a *asciiReader) peek() byte {
	if a.at < len(a.data) {
		return a.data[a.at]
	}
	return 0
}

// record reads one record and those nested in it; depth bounds the nesting.
func (a *asciiReader) record(depth int) (*record, error) {
	if depth > maxDepth {
		return nil, a.fail("records are nested more than %d deep", maxDepth).Beyond()
	}
	if a.records++; a.records > maxRecords {
		return nil, a.fail("the file has more than %d records", maxRecords).Beyond()
	}
	if a.records&0xff == 0 && a.ctx.Err() != nil {
		return nil, a.ctx.Err() // nobody waits any more
	}
	r := &record{at: int64(a.line)}
	r.name = a.word()
	for a.peek() == ' ' || a.peek() == '\t' {
		a.at++
	}
	if r.name == "" || a.peek() != ':' {
		return nil, a.fail("expected a record such as “Model: …”, found %s",
			fault.Quote(a.data[a.at:min(len(a.data), a.at+20)]))
	}
	a.at++
	if err := a.values(r); err != nil {
		return nil, err
	}
	if a.peek() != '{' {
		return r, nil
	}
	a.at++
	for {
		a.space()
		switch {
		case a.at >= len(a.data):
			return nil, a.fail("the file ends within %q, begun on line %d", r.name, r.at)
		case a.peek() == '}':
			a.at++
			return a.unwrap(r), nil
		}
		s, err := a.record(depth + 1)
		if err != nil {
			return nil, err
		}
		r.subs = append(r.subs, s)
	}
}

// unwrap turns "Vertices: *24 { a: 1,2,… }" into a record with one array, which
// values has already read into the nested a.
func (a *asciiReader) unwrap(r *record) *record {
	if len(r.subs) == 1 && r.subs[0].name == "a" && len(r.props) == 1 {
		if _, starred := r.props[0].(starred); starred {
			r.props, r.subs = r.subs[0].props, nil
		}
	}
	return r
}

// starred is the *N before an array in braces.
type starred int

// values reads what follows a record's colon. A long list of numbers becomes one
// array of floats. It is long because it is one scanner, whose states share the place it has come to.
func (a *asciiReader) values(r *record) error {
	a.space()
	if a.peek() == ',' { // embedded content often begins so
		a.at++
		a.space()
	}
	var floats []float64
	if c := a.peek(); c != '{' && c != '}' && c != '\n' {
		r.props = make([]any, 0, 4) // most have no more
	}
	for {
		switch c := a.peek(); {
		case c == '"':
			s, err := a.quoted()
			if err != nil {
				return err
			}
			r.props = append(r.props, s)
		case c == '*':
			a.at++
			n, err := strconv.Atoi(a.word())
			if err != nil || n < 0 {
				return a.fail("expected a count after *")
			}
			r.props = append(r.props, starred(n))
			a.space()
			return nil
		case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
			w := a.word()
			f, err := strconv.ParseFloat(w, 64)
			if err != nil || f-f != 0 {
				return a.fail("expected a number, found %s", fault.Quote([]byte(w)))
			}
			// Objects are numbered beyond what a float holds, but never in a long list;
			// a long list of single values would take several times the memory.
			if floats == nil && (len(r.props) < 8 || notNumber(r.props[0])) {
				if n, err := strconv.ParseInt(w, 10, 64); err == nil {
					r.props = append(r.props, n)
				} else {
					r.props = append(r.props, f)
				}
				break
			}
			if floats == nil {
				floats = make([]float64, 0, 64)
				for _, p := range r.props {
					v, _ := number(p)
					floats = append(floats, v)
				}
			}
			if floats = append(floats, f); len(floats)&0xffff == 0 && a.ctx.Err() != nil {
				return a.ctx.Err() // nobody waits any more
			}
		case isWord(c):
			mark, line := a.at, a.line
			w := a.word()
			for a.peek() == ' ' || a.peek() == '\t' {
				a.at++
			}
			if a.peek() == ':' {
				a.at, a.line = mark, line // the next record: this one has no value here
				return done(r, floats)
			}
			switch w {
			case "T", "Y":
				r.props = append(r.props, true)
			case "F", "N":
				r.props = append(r.props, false)
			default:
				r.props = append(r.props, w)
			}
		default:
			return done(r, floats)
		}
		a.space()
		if a.peek() != ',' {
			return done(r, floats)
		}
		a.at++
		a.space()
	}
}

// notNumber tells what can’t be part of an array.
func notNumber(v any) bool {
	_, ok := number(v)
	return !ok
}

// done closes a record's values.
func done(r *record, floats []float64) error {
	if floats != nil {
		r.props = []any{floats}
	}
	return nil
}

// unquote has the words that stand for what a quoted text can't hold.
var unquote = strings.NewReplacer("&quot;", `"`, "&cr;", "\r", "&lf;", "\n")

// quoted reads a text between quotation marks, which may go over lines and escapes
// quotation marks and ends of lines as &quot;, &cr; and &lf;.
func (a *asciiReader) quoted() (string, error) {
	start := a.at + 1
	for i := start; i < len(a.data); i++ {
		switch a.data[i] {
		case '\n':
			a.line++
		case '"':
			a.at = i + 1
			return unquote.Replace(string(a.data[start:i])), nil
		}
	}
	return "", a.fail("a text is not closed by a quotation mark")
}
