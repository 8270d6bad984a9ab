package ply

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
)

// coding is how the body of a file is written.
type coding int

// The codings.
const (
	ascii coding = iota
	little
	big
)

// number is the type of a number in a file.
type number int

// The types, by their older and newer names.
const (
	int8s number = iota
	uint8s
	int16s
	uint16s
	int32s
	uint32s
	float32s
	float64s
)

var numbers = map[string]number{"char": int8s, "int8": int8s, "uchar": uint8s, "uint8": uint8s, "short": int16s,
	"int16": int16s, "ushort": uint16s, "uint16": uint16s, "int": int32s, "int32": int32s, "uint": uint32s,
	"uint32": uint32s, "float": float32s, "float32": float32s, "double": float64s, "float64": float64s}

// size is that of a number in a binary file, in bytes.
func (n number) size() int { return [...]int{1, 1, 2, 2, 4, 4, 4, 8}[n] }

// whole tells numbers without a fraction, and most is the largest of them, which stands for 1 where a share is meant.
func (n number) whole() bool { return n < float32s }

func (n number) most() float64 {
	return [...]float64{127, 255, 32767, 65535, 1<<31 - 1, 1<<32 - 1, 1, 1}[n]
}

// property is one of an element: a number, or a list of them with their count before it.
type property struct {
	name  string
	of    number
	list  bool
	count number // of a list
}

// element is a table of the file: so many rows, each with the properties in their order.
type element struct {
	name  string
	rows  int
	props []property
	line  int
}

// find is the number of the first property that has one of some names, or -1.
func (e *element) find(names ...string) int {
	for _, n := range names {
		for i, p := range e.props {
			if p.name == n {
				return i
			}
		}
	}
	return -1
}

// header is what a file says before its body.
type header struct {
	coding   coding
	elements []*element
	pictures []string // named in comments, as common tools do
	body     int      // where it begins, in bytes
	lines    int      // before it
}

// What may stand in a header, so that none takes long.
const (
	mostHeader     = 1 << 20 // bytes
	mostElements   = 256
	mostProperties = 4096 // of all elements
)

// parse reads a header.
func parse(file string, data []byte) (*header, error) {
	h := &header{}
	var now *element
	properties := 0
	wrong := func(line int, format string, args ...any) error {
		return fault.AtLine(file, line, format, args...).Advise("Export the mesh again")
	}
	for line := 1; ; line++ {
		if h.body > mostHeader {
			return nil, wrong(line, "the header is longer than %s", figure.Bytes(mostHeader))
		}
		text, n := cutLine(data[h.body:])
		if n == 0 {
			return nil, wrong(line, "the header does not end: expected “end_header”")
		}
		h.body, h.lines = h.body+n, line
		words := strings.Fields(text)
		switch {
		case line == 1:
			if text != "ply" {
				return nil, wrong(line, "expected “ply”, found %s", fault.Quote([]byte(text)))
			}
		case len(words) == 0:
		case words[0] == "comment" || words[0] == "obj_info":
			h.comment(text)
		case words[0] == "format":
			if err := h.format(words); err != nil {
				return nil, wrong(line, "%s", err)
			}
		case words[0] == "element":
			e, err := elementOf(words)
			if err != nil || len(h.elements) == mostElements {
				return nil, wrong(line, "an element needs a name and a number of rows, and there may be %d: found %s",
					mostElements, fault.Quote([]byte(text)))
			}
			e.line, now = line, e
			h.elements = append(h.elements, e)
		case words[0] == "property":
			p, err := propertyOf(words)
			if properties++; err != nil || now == nil || properties > mostProperties {
				return nil, wrong(line, "a property needs an element, a type and a name: found %s", fault.Quote([]byte(text)))
			}
			now.props = append(now.props, p)
		case words[0] == "end_header":
			return h, nil
		default:
			return nil, wrong(line, "is no line of a header: %s", fault.Quote([]byte(text)))
		}
	}
}

// cutLine is the first line without its end, and how many bytes it takes with it; 0 where it has no end.
func cutLine(data []byte) (text string, n int) {
	i := bytes.IndexAny(data[:min(len(data), mostHeader)], "\r\n")
	if i < 0 {
		return "", 0
	}
	n = i + 1
	if data[i] == '\r' && n < len(data) && data[n] == '\n' {
		n++
	}
	return strings.TrimSpace(strings.ToValidUTF8(string(data[:i]), "�")), n
}

// comment keeps the pictures that comments name.
func (h *header) comment(text string) {
	for _, key := range []string{"TextureFile ", "texturefile "} {
		if _, name, ok := strings.Cut(text, key); ok && strings.TrimSpace(name) != "" {
			h.pictures = append(h.pictures, strings.TrimSpace(name))
			return
		}
	}
}

func (h *header) format(words []string) error {
	codings := map[string]coding{"ascii": ascii, "binary_little_endian": little, "binary_big_endian": big}
	if len(words) == 3 {
		if c, ok := codings[words[1]]; ok && words[2] == "1.0" {
			h.coding = c
			return nil
		}
	}
	return fmt.Errorf("the format is %s: expected ascii, binary_little_endian or binary_big_endian, of version 1.0",
		fault.Shown(strings.Join(words[1:], " ")))
}

func elementOf(words []string) (*element, error) {
	if len(words) != 3 {
		return nil, strconv.ErrSyntax
	}
	n, err := strconv.ParseUint(words[2], 10, 31)
	return &element{name: words[1], rows: int(n)}, err
}

func propertyOf(words []string) (p property, err error) {
	switch {
	case len(words) == 3:
		var ok bool
		if p.of, ok = numbers[words[1]]; !ok {
			return p, strconv.ErrSyntax
		}
		p.name = words[2]
	case len(words) == 5 && words[1] == "list":
		count, ok := numbers[words[2]]
		of, ok2 := numbers[words[3]]
		if !ok || !ok2 || !count.whole() {
			return p, strconv.ErrSyntax
		}
		p = property{words[4], of, true, count}
	default:
		return p, strconv.ErrSyntax
	}
	return p, nil
}
