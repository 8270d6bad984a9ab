package collada

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format/text"
)

// element is one of the document's tree. The document owns it, and nobody writes to it once it is read.
type element struct {
	name string // without its namespace
	attr map[string]string
	text []byte
	kids []*element
	line int
}

// first is the first element of a name below e, following a path of names; nil where there is none. A nil element has
// nothing below it.
func (e *element) first(path ...string) *element {
	for _, name := range path {
		if e == nil {
			return nil
		}
		var next *element
		for _, k := range e.kids {
			if k.name == name {
				next = k
				break
			}
		}
		e = next
	}
	return e
}

// all are those of some names right below e, in their order.
func (e *element) all(names ...string) (list []*element) {
	if e == nil {
		return nil
	}
	for _, k := range e.kids {
		for _, n := range names {
			if k.name == n {
				list = append(list, k)
			}
		}
	}
	return list
}

// get is an attribute, "" where it is not there.
func (e *element) get(name string) string {
	if e == nil {
		return ""
	}
	return e.attr[name]
}

// words is its text without blanks around it.
func (e *element) words() string {
	if e == nil {
		return ""
	}
	return strings.TrimSpace(strings.ToValidUTF8(string(e.text), "�"))
}

// floats are the numbers of its text, up to the first word that is none.
func (e *element) floats() (list []float64) {
	if e == nil {
		return nil
	}
	for b := text.SkipSpace(e.text); len(b) > 0; {
		v, n := text.Float(b)
		if n == 0 || n < len(b) && !text.IsSpace(b[n]) {
			return list
		}
		list = append(list, v)
		b = text.SkipSpace(b[n:])
	}
	return list
}

// ints are the whole numbers of its text, likewise; one that no index is becomes -1.
func (e *element) ints() (list []int32) {
	if e == nil {
		return nil
	}
	for b := text.SkipSpace(e.text); len(b) > 0; {
		v, n := text.Int(b)
		if n == 0 || n < len(b) && !text.IsSpace(b[n]) {
			return list
		}
		if v < 0 || v > 1<<31-1 {
			v = -1
		}
		list = append(list, int32(v))
		b = text.SkipSpace(b[n:])
	}
	return list
}

// number is the first number of its text, or what it is without one.
func (e *element) number(without float64) float64 {
	if l := e.floats(); len(l) > 0 {
		return l[0]
	}
	return without
}

// Bounds of a document.
const (
	mostElements = 2 << 20
	mostDepth    = 512
)

// document is a file as a tree.
type document struct {
	root *element
	ids  map[string]*element
}

// find is what an address within the document leads to, nil where it leads elsewhere or nowhere.
func (d *document) find(url string) *element {
	if id, ok := strings.CutPrefix(url, "#"); ok {
		return d.ids[id]
	}
	return nil
}

// parse reads the tree. Entities that a document declares are not followed: they can grow without bound, and no file of
// a mesh needs one.
func parse(file string, data []byte) (*document, error) {
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // letters of names at worst
	doc := &document{ids: map[string]*element{}}
	var open []*element
	n := 0
	fail := func(format string, args ...any) error {
		line, _ := dec.InputPos()
		return fault.AtLine(file, line, format, args...).Advise("Export the mesh again")
	}
	for {
		tok, err := dec.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			var syntax *xml.SyntaxError
			if errors.As(err, &syntax) {
				return nil, fault.AtLine(file, syntax.Line, "is no XML there: %s", syntax.Msg).Advise("Export the mesh again")
			}
			return nil, fail("is no XML there: %s", err)
		}
		switch t := tok.(type) {
		case xml.StartElement:
			if n++; n > mostElements || len(open) == mostDepth {
				return nil, fail("holds more than %s elements, or is nested deeper than %d", figure.Count(mostElements), mostDepth)
			}
			e := &element{name: t.Name.Local}
			e.line, _ = dec.InputPos()
			for _, a := range t.Attr {
				if e.attr == nil {
					e.attr = make(map[string]string, len(t.Attr))
				}
				e.attr[a.Name.Local] = strings.ToValidUTF8(a.Value, "�")
			}
			if id := e.attr["id"]; id != "" && doc.ids[id] == nil {
				doc.ids[id] = e
			}
			if len(open) > 0 {
				top := open[len(open)-1]
				top.kids = append(top.kids, e)
			} else if doc.root == nil {
				doc.root = e
			}
			open = append(open, e)
		case xml.EndElement:
			if len(open) == 0 || open[len(open)-1].name != t.Name.Local {
				return nil, fail("“%s” ends where it did not begin", fault.Shown(t.Name.Local))
			}
			open = open[:len(open)-1]
		case xml.CharData:
			if len(open) > 0 {
				top := open[len(open)-1]
				if len(top.text) == 0 && len(bytes.TrimSpace(t)) == 0 {
					continue
				}
				top.text = append(top.text, t...)
			}
		}
	}
	if len(open) > 0 {
		return nil, fault.AtLine(file, open[len(open)-1].line, "“%s” begins here and has no end",
			fault.Shown(open[len(open)-1].name)).Advise("The upload may be cut short; export the mesh again")
	}
	if doc.root == nil || doc.root.name != "COLLADA" {
		return nil, fault.AtLine(file, 1, "holds no COLLADA document").Advise("Check the suffix, or export the mesh again")
	}
	return doc, nil
}
