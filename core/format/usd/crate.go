package usd

import (
	"encoding/binary"
	"math"
	"strings"

	"github.com/pierrec/lz4/v4"

	"yarvek/core/fault"
	"yarvek/core/figure"
)

// A crate is a layer in binary: tables of tokens, strings, fields, sets of fields, paths and specs, found by a table of
// contents, and values that fields point at. Versions 0.4 to 0.12 are read: those before 0.4 have tables that are not
// packed, and none has been written for years.

// Bounds of a crate. Each table is also bounded by what its packed bytes can make, before anything is taken for it.
const (
	mostRows = 32 << 20 // of a table or array
	lz4Most  = 255      // how often larger than packed LZ4 may be
)

// crate reads one. Where it is damaged it ends by a panic with a *fault.Error, which parseCrate recovers.
type crate struct {
	file     string
	data     []byte
	minor    byte
	at       int // of the next byte of a table
	tokens   []string
	strings  []uint32
	fields   []crateField
	even     int // values of lists that are packed farther than usual, so far
	sets     []uint32
	paths    []string
	layer    *layer
	deep     int
	sections map[string][2]int
}

// crateField is a name and where its value is.
type crateField struct {
	name  uint32
	value uint64
}

// parseCrate reads a crate.
func parseCrate(file string, data []byte) (l *layer, err error) {
	c := &crate{file: file, data: data, layer: &layer{file: file}, sections: map[string][2]int{}}
	defer func() {
		if e, ok := recover().(*fault.Error); ok {
			l, err = nil, e
		}
	}()
	c.contents()
	c.readTokens()
	c.readStrings()
	c.readFields()
	c.readPaths()
	c.specs()
	return c.layer, nil
}

// fail ends the reading.
func (c *crate) fail(format string, args ...any) {
	panic(fault.AtByte(c.file, int64(c.at), format, args...).Advise("The upload may be cut short; export it again"))
}

// bytes passes so many.
func (c *crate) bytes(n int) []byte {
	if n < 0 || n > len(c.data)-c.at {
		c.fail("ends where %s are expected", figure.Bytes(int64(n)))
	}
	b := c.data[c.at : c.at+n]
	c.at += n
	return b
}

func (c *crate) u32() uint32 { return binary.LittleEndian.Uint32(c.bytes(4)) }
func (c *crate) u64() uint64 { return binary.LittleEndian.Uint64(c.bytes(8)) }

// count is a number of things of which each takes at least so many bytes of the file, in hundredths.
func (c *crate) count(hundredths int) int {
	n := c.u64()
	if n > mostRows || int(n)*hundredths/100 > len(c.data) {
		c.fail("counts %d entries, and the file has %s", n, figure.Bytes(int64(len(c.data))))
	}
	return int(n)
}

// contents reads the head and the table of contents.
func (c *crate) contents() {
	if len(c.data) < 88 {
		c.fail("ends within its head")
	}
	version := c.data[8:11]
	if c.minor = version[1]; version[0] != 0 || c.minor < 4 || c.minor > 12 {
		panic(fault.AtByte(c.file, 8, "is a crate of version %d.%d.%d: expected 0.4 to 0.12", version[0], version[1],
			version[2]).Unsupported().Advise("Export it as text (.usda), or with a newer program"))
	}
	c.at = c.offset(binary.LittleEndian.Uint64(c.data[16:]))
	for range c.count(3200) {
		name := strings.TrimRight(string(c.bytes(16)), "\x00")
		at, size := c.u64(), c.u64()
		if at > uint64(len(c.data)) || size > uint64(len(c.data))-at {
			c.fail("has a part “%s” beyond its end", fault.Shown(name))
		}
		c.sections[name] = [2]int{int(at), int(size)}
	}
}

// offset is a place in the file.
func (c *crate) offset(v uint64) int {
	if v > uint64(len(c.data)) {
		c.fail("points beyond its end")
	}
	return int(v)
}

// section goes to a table.
func (c *crate) section(name string) {
	s, ok := c.sections[name]
	if !ok {
		c.fail("has no part “%s”", name)
	}
	c.at = s[0]
}

// unpacked undoes LZ4, in one piece or several, of so many bytes at least and at most.
func (c *crate) unpacked(packed []byte, least, most int) []byte {
	if len(packed) == 0 || most < least || least < 0 || least/lz4Most > len(packed)+1 {
		c.fail("packs %s into %s", figure.Bytes(int64(least)), figure.Bytes(int64(len(packed))))
	}
	pieces, rest := int(packed[0]), packed[1:]
	out := make([]byte, min(most, lz4Most*(len(packed)+1)))
	n := 0
	one := func(b []byte) {
		k, err := lz4.UncompressBlock(b, out[n:])
		if err != nil {
			c.fail("has a packed part that can't be unpacked")
		}
		n += k
	}
	if pieces == 0 {
		one(rest)
	}
	for range pieces {
		if len(rest) < 4 {
			c.fail("has a packed part that is cut short")
		}
		size := int(binary.LittleEndian.Uint32(rest))
		if size < 0 || size > len(rest)-4 {
			c.fail("has a packed part that is cut short")
		}
		one(rest[4 : 4+size])
		rest = rest[4+size:]
	}
	return out[:n]
}

// usualPacked is how many values a byte of a packed list stands for at most where they differ, and mostEven how many
// the lists of a file may have in all that are packed farther, since they are the same or grow evenly: a few bytes
// could ask for any memory.
const (
	usualPacked = 64
	mostEven    = 32 << 20
)

// ints reads so many packed whole numbers of 4 or 8 bytes: differences from one to the next, each by a code of two bits
// that says whether it is the most frequent one, or how many bytes it has.
func (c *crate) ints(n, width int) []int64 {
	packed := c.bytes(c.count(100))
	if n == 0 {
		return nil
	}
	if n > usualPacked*len(packed) {
		if c.even += n; c.even > mostEven {
			c.fail("has even lists of more than %s values", figure.Count(mostEven))
		}
	}
	least := width + (2*n+7)/8 // where all differences are the common one
	b := c.unpacked(packed, least, least+width*n)
	if len(b) < least {
		c.fail("has a packed list that is cut short")
	}
	number := func(b []byte, size int) int64 {
		switch size {
		case 1:
			return int64(int8(b[0]))
		case 2:
			return int64(int16(binary.LittleEndian.Uint16(b)))
		case 4:
			return int64(int32(binary.LittleEndian.Uint32(b)))
		}
		return int64(binary.LittleEndian.Uint64(b))
	}
	common := number(b, width)
	codes, rest := b[width:width+(2*n+7)/8], b[width+(2*n+7)/8:]
	out := make([]int64, n)
	var last int64
	for i := range out {
		d := common
		if code := codes[i/4] >> (2 * (i % 4)) & 3; code != 0 {
			size := width >> (3 - code)
			if len(rest) < size {
				c.fail("has a packed list that is cut short")
			}
			d, rest = number(rest, size), rest[size:]
		}
		if last += d; width == 4 {
			last = int64(int32(last))
		}
		out[i] = last
	}
	return out
}

// readTokens reads the names of everything.
func (c *crate) readTokens() {
	c.section("TOKENS")
	n, plain := c.count(25), c.u64()
	packed := c.bytes(c.count(100))
	if plain > mostRows*16 {
		c.fail("has names of %d bytes", plain)
	}
	text := c.unpacked(packed, int(plain), int(plain))
	c.tokens = strings.SplitN(strings.TrimSuffix(string(text), "\x00"), "\x00", n)
	if len(c.tokens) != n && n > 0 {
		c.fail("counts %d names and has %d", n, len(c.tokens))
	}
	for i, t := range c.tokens {
		c.tokens[i] = strings.ToValidUTF8(t, "�")
	}
}

// token is a name by its number.
func (c *crate) token(i uint32) string {
	if int(i) >= len(c.tokens) {
		c.fail("names %d of %d names", i, len(c.tokens))
	}
	return c.tokens[i]
}

// readStrings reads which names strings are.
func (c *crate) readStrings() {
	c.section("STRINGS")
	for range c.count(400) {
		c.strings = append(c.strings, c.u32())
	}
}

// text is a string by its number.
func (c *crate) text(i uint32) string {
	if int(i) >= len(c.strings) {
		c.fail("names %d of %d strings", i, len(c.strings))
	}
	return c.token(c.strings[i])
}

// readFields reads fields and the sets of them that specs have; a set ends at a number that none has.
func (c *crate) readFields() {
	c.section("FIELDS")
	n := c.count(25)
	names := c.ints(n, 4)
	values := c.unpacked(c.bytes(c.count(100)), 8*n, 8*n)
	if len(values) < 8*n {
		c.fail("has fewer values than fields")
	}
	for i := range n {
		c.fields = append(c.fields, crateField{uint32(names[i]), binary.LittleEndian.Uint64(values[8*i:])})
	}
	c.section("FIELDSETS")
	for _, v := range c.ints(c.count(25), 4) {
		c.sets = append(c.sets, uint32(v))
	}
}

// readPaths reads the tree of paths: each row is one, with its last part, and by how many rows its next sibling comes
// later: -2 for a leaf without one, -1 for a child alone, 0 for a sibling alone.
func (c *crate) readPaths() {
	c.section("PATHS")
	c.paths = make([]string, c.count(25))
	n := c.count(25)
	index, parts, jumps := c.ints(n, 4), c.ints(n, 4), c.ints(n, 4)
	type place struct {
		row    int
		parent string
	}
	open, seen := []place{{0, ""}}, make([]bool, n)
	bytes := 0
	for len(open) > 0 {
		p := open[len(open)-1]
		open = open[:len(open)-1]
		for row, parent := p.row, p.parent; ; row++ {
			if row >= n || seen[row] {
				c.fail("has a tree of paths that leads back or out")
			}
			seen[row] = true
			path := "/"
			if parent != "" {
				path = c.joined(parent, parts[row])
			}
			if i := index[row]; i < 0 || int(i) >= len(c.paths) {
				c.fail("names a path that is not there")
			} else if c.paths[i] = path; bytes+len(path) > mostRows {
				c.fail("has paths of more than %s", figure.Bytes(mostRows))
			}
			bytes += len(path)
			child, sibling := jumps[row] > 0 || jumps[row] == -1, jumps[row] >= 0
			if child && sibling {
				open = append(open, place{row + int(jumps[row]), parent})
			}
			if child {
				parent = path
			} else if !sibling {
				break
			}
		}
	}
}

// joined is a path with one more part: a property by a negative number, a variant in braces, a prim.
func (c *crate) joined(parent string, part int64) string {
	name := c.token(uint32(max(part, -part)))
	switch {
	case part < 0:
		return parent + "." + name
	case strings.HasPrefix(name, "{") || strings.HasPrefix(name, "["):
		return parent + name
	case strings.HasSuffix(parent, "/") || strings.HasSuffix(parent, "}"):
		return parent + name
	}
	return parent + "/" + name
}

// pathOrNone is a path by its number, "" for none.
func (c *crate) pathOrNone(i uint32) string {
	if int(i) >= len(c.paths) {
		return ""
	}
	return c.paths[i]
}

// path is one by its number.
func (c *crate) path(i uint32) string {
	if int(i) >= len(c.paths) {
		c.fail("names %d of %d paths", i, len(c.paths))
	}
	return c.paths[i]
}

// The sorts of specs that count.
const (
	specAttribute    = 1
	specPrim         = 6
	specRoot         = 7
	specRelationship = 8
	specVariant      = 10
)

// specs makes the layer of the specs.
func (c *crate) specs() {
	c.section("SPECS")
	n := c.count(25)
	paths, sets, sorts := c.ints(n, 4), c.ints(n, 4), c.ints(n, 4)
	c.layer.root = &spec{meta: map[string]any{}, layer: c.layer}
	at := map[string]*spec{"/": c.layer.root}
	order := map[*spec][]string{}
	for i := range n {
		path := c.path(uint32(paths[i]))
		switch sorts[i] {
		case specRoot, specPrim, specVariant:
			s := c.specAt(at, path)
			for _, f := range c.fieldsOf(sets[i]) {
				c.primField(s, f, order)
			}
		case specAttribute, specRelationship:
			dot := strings.LastIndexByte(path, '.')
			if dot < 0 || strings.HasSuffix(path, "]") {
				continue
			}
			s := c.specAt(at, path[:dot])
			p := &property{rel: sorts[i] == specRelationship}
			for _, f := range c.fieldsOf(sets[i]) {
				c.propField(p, f)
			}
			if s.props == nil {
				s.props = map[string]*property{}
			}
			s.props[path[dot+1:]] = p
		}
	}
	for s, names := range order {
		sortKids(s, names)
	}
}

// sortKids puts the prims below one in the order the layer says.
func sortKids(s *spec, names []string) {
	sorted := make([]*spec, 0, len(s.kids))
	by := map[string]*spec{}
	for _, k := range s.kids {
		by[k.name] = k
	}
	for _, n := range names {
		if k := by[n]; k != nil {
			sorted = append(sorted, k)
			delete(by, n)
		}
	}
	for _, k := range s.kids {
		if by[k.name] != nil {
			sorted = append(sorted, k)
		}
	}
	s.kids = sorted
}

// specAt is the spec of a path, which is made with those above it.
func (c *crate) specAt(at map[string]*spec, path string) *spec {
	if s := at[path]; s != nil {
		return s
	}
	s := &spec{meta: map[string]any{}, layer: c.layer}
	at[path] = s
	if strings.HasSuffix(path, "}") {
		open := strings.LastIndexByte(path, '{')
		if open < 0 {
			c.fail("has the path %s", fault.Quote([]byte(path)))
		}
		parent := c.specAt(at, path[:open])
		set, variant, _ := strings.Cut(path[open+1:len(path)-1], "=")
		if s.name = variant; variant == "" {
			return s // the set itself
		}
		for i := range parent.sets {
			if parent.sets[i].name == set {
				parent.sets[i].of = append(parent.sets[i].of, s)
				return s
			}
		}
		parent.sets = append(parent.sets, variantSet{set, []*spec{s}})
		return s
	}
	cut := max(strings.LastIndexByte(path, '/'), strings.LastIndexByte(path, '}'))
	if cut < 0 {
		c.fail("has the path %s", fault.Quote([]byte(path)))
	}
	s.name = path[cut+1:]
	above := path[:cut+1]
	if above != "/" && strings.HasSuffix(above, "/") {
		above = above[:len(above)-1]
	}
	parent := c.specAt(at, above)
	parent.kids = append(parent.kids, s)
	return s
}

// fieldsOf are those of a set.
func (c *crate) fieldsOf(set int64) (list []crateField) {
	for i := set; ; i++ {
		if i < 0 || i >= int64(len(c.sets)) {
			c.fail("has a set of fields without an end")
		}
		k := c.sets[i]
		if k == math.MaxUint32 {
			return list
		}
		if int(k) >= len(c.fields) || len(list) > 1<<16 {
			c.fail("has a set of fields that are not there")
		}
		list = append(list, c.fields[k])
	}
}

// renamed are fields that are called otherwise in a layer of text.
var renamed = map[string]string{"inheritPaths": "inherits", "variantSelection": "variants"}

// primField notes a field of a prim, a variant or the layer.
func (c *crate) primField(s *spec, f crateField, order map[*spec][]string) {
	name := c.token(f.name)
	v := c.value(f.value)
	switch name {
	case "specifier":
		s.how = map[float64]specifier{0: def, 1: over, 2: class}[number(v, 1)]
	case "typeName":
		s.typ = word(v)
	case "primChildren":
		order[s] = words(v)
	case "subLayers": // strings in a crate, and addresses in a text
		var subs list
		for _, w := range words(v) {
			subs = append(subs, asset(w))
		}
		s.meta[name] = subs
	case "properties", "variantChildren", "variantSetChildren", "variantSetNames":
	default:
		if to := renamed[name]; to != "" {
			name = to
		}
		s.meta[name] = v
	}
}

// propField notes a field of a property.
func (c *crate) propField(p *property, f crateField) {
	name := c.token(f.name)
	v := c.value(f.value)
	switch name {
	case "default":
		if _, blocked := v.(none); blocked {
			p.blocked = true
		} else {
			p.value = v
		}
	case "timeSamples":
		p.first = v
	case "typeName":
		p.typ = word(v)
	case "targetPaths", "connectionPaths":
		if e, ok := v.(*edits); ok {
			p.targets = e
		}
	case "variability", "custom":
	default:
		if p.meta == nil {
			p.meta = map[string]any{}
		}
		p.meta[name] = v
	}
}
