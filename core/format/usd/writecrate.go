package usd

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"github.com/pierrec/lz4/v4"
)

// crateWriter writes a layer as a crate of version 0.8, as the standard's library does: what it writes is read by that
// (TestUSDAgainstTheStandardsLibrary). Values come first, then the tables that say where they are.
type crateWriter struct {
	values  []byte // behind the head
	tokens  []string
	token0  map[string]uint32 // the number of each
	strings []uint32
	string0 map[uint32]uint32 // likewise, by its token
	fields  []crateField
	sets    []uint32
	paths   map[string]uint32
	order   []string
	specs   [][3]int64
}

const crateHead = 88

func (w *crateWriter) token(s string) uint32 {
	if i, ok := w.token0[s]; ok {
		return i
	}
	w.token0[s] = uint32(len(w.tokens))
	w.tokens = append(w.tokens, s)
	return w.token0[s]
}

func (w *crateWriter) text(s string) uint32 {
	t := w.token(s)
	if i, ok := w.string0[t]; ok {
		return i
	}
	w.string0[t] = uint32(len(w.strings))
	w.strings = append(w.strings, t)
	return w.string0[t]
}

func (w *crateWriter) path(s string) uint32 {
	if i, ok := w.paths[s]; ok {
		return i
	}
	switch cut := strings.LastIndexAny(s, "./{"); {
	case s == "/" || s == "": // none is a path that stands in no tree
	case cut == 0:
		w.path("/")
	case s[cut] == '{', strings.HasSuffix(s[:cut+1], "}"), s[cut] == '.':
		w.path(s[:cut])
	default:
		w.path(s[:cut])
	}
	w.paths[s] = uint32(len(w.order))
	w.order = append(w.order, s)
	return w.paths[s]
}

func (w *crateWriter) here() uint64 { return uint64(crateHead + len(w.values)) }

// put writes numbers as they lie in a crate.
func (w *crateWriter) put(v ...any) {
	le := binary.LittleEndian
	for _, x := range v {
		switch x := x.(type) {
		case byte:
			w.values = append(w.values, x)
		case uint32:
			w.values = le.AppendUint32(w.values, x)
		case int32:
			w.values = le.AppendUint32(w.values, uint32(x))
		case uint64:
			w.values = le.AppendUint64(w.values, x)
		case float64:
			w.values = le.AppendUint64(w.values, math.Float64bits(x))
		case float32:
			w.values = le.AppendUint32(w.values, math.Float32bits(x))
		case []uint32:
			for _, y := range x {
				w.values = le.AppendUint32(w.values, y)
			}
		case []byte:
			w.values = append(w.values, x...)
		default:
			panic(fmt.Sprintf("usd: no way to write %T", x))
		}
	}
}

func packedBy(data []byte) []byte {
	out := make([]byte, lz4.CompressBlockBound(len(data)))
	n, err := lz4.CompressBlock(data, out, nil)
	if err != nil || n == 0 { // what can't be made smaller goes as it is: one run of letters
		out = out[:0]
		k := len(data)
		if k < 15 {
			out = append(out, byte(k<<4))
		} else {
			out = append(out, 0xf0)
			for k -= 15; k >= 255; k -= 255 {
				out = append(out, 255)
			}
			out = append(out, byte(k))
		}
		return append([]byte{0}, append(out, data...)...)
	}
	return append([]byte{0}, out[:n]...)
}

// packedInts are whole numbers of 4 bytes, packed: the most frequent difference is the common one.
func packedInts(list []int64) []byte {
	count := map[int32]int{}
	var diffs []int32
	last := int64(0)
	for _, v := range list {
		d := int32(v - last)
		diffs, last = append(diffs, d), v
		count[d]++
	}
	common := int32(0)
	for d, n := range count {
		if n > count[common] || n == count[common] && d > common {
			common = d
		}
	}
	codes := make([]byte, (2*len(list)+7)/8)
	var rest []byte
	for i, d := range diffs {
		code := byte(3)
		switch {
		case d == common:
			code = 0
		case d >= -128 && d < 128:
			code, rest = 1, append(rest, byte(d))
		case d >= -32768 && d < 32768:
			code, rest = 2, binary.LittleEndian.AppendUint16(rest, uint16(d))
		default:
			rest = binary.LittleEndian.AppendUint32(rest, uint32(d))
		}
		codes[i/4] |= code << (2 * (i % 4))
	}
	b := packedBy(append(append(binary.LittleEndian.AppendUint32(nil, uint32(common)), codes...), rest...))
	return append(binary.LittleEndian.AppendUint64(nil, uint64(len(b))), b...)
}

// rep is where a value of a type is, which is written.
func (w *crateWriter) rep(typ string, v any) uint64 {
	name := strings.TrimSuffix(typ, "[]")
	number := map[string]int{"bool": typeBool, "int": typeInt, "float": typeFloat, "double": typeDouble, "half": typeHalf,
		"matrix4d": typeMatrix4d, "quatf": 17, "quath": 18, "double2": 19, "float2": 20, "texCoord2f": 20, "double3": 23,
		"float3": 24, "point3f": 24, "normal3f": 24, "color3f": 24, "float4": 28, "int64": typeInt64}[name]
	at := func(typ int) uint64 { return uint64(typ)<<48 | w.here() }
	switch x := v.(type) {
	case token:
		return typeToken<<48 | isInlined | uint64(w.token(string(x)))
	case prose:
		if name == "token" {
			return typeToken<<48 | isInlined | uint64(w.token(string(x)))
		}
		return typeString<<48 | isInlined | uint64(w.text(string(x)))
	case asset:
		return typeAsset<<48 | isInlined | uint64(w.token(string(x)))
	case none:
		return typeBlock<<48 | isInlined
	case list:
		r := at(typeToken) | isArray
		w.put(uint64(len(x)))
		for _, y := range x {
			w.put(w.token(word(y)))
		}
		return r
	case map[string]any:
		type pair struct{ key, value uint32 }
		var pairs []pair
		for k, y := range x {
			pairs = append(pairs, pair{w.text(k), w.text(word(y))})
		}
		r := at(typeVariants)
		w.put(uint64(len(pairs)))
		for _, p := range pairs {
			w.put(p.key, p.value)
		}
		return r
	case tuple:
		if number == 0 {
			number = typeDouble
		}
		s := shapes[number]
		if s.turn {
			y := tuple{v: slices.Clone(x.v)}
			for i := 0; i+4 <= len(y.v); i += 4 {
				y.v[i], y.v[i+1], y.v[i+2], y.v[i+3] = x.v[i+1], x.v[i+2], x.v[i+3], x.v[i]
			}
			x.v = y.v
		}
		r := at(number)
		if strings.HasSuffix(typ, "[]") {
			r |= isArray
			w.put(uint64(len(x.v) / s.width))
			if number == typeInt && len(x.v) >= leastPacked {
				var ints []int64
				for _, f := range x.v {
					ints = append(ints, int64(f))
				}
				w.put(packedInts(ints))
				return r | isPacked
			}
		} else if number == typeInt || number == typeBool {
			return uint64(number)<<48 | isInlined | uint64(uint32(int32(x.v[0])))
		} else if number == typeFloat { // what fits always lies in the word
			return uint64(number)<<48 | isInlined | uint64(math.Float32bits(float32(x.v[0])))
		}
		for _, f := range x.v {
			switch {
			case s.sort == 'f' && s.size == 8:
				w.put(f)
			case s.sort == 'f' && s.size == 4:
				w.put(float32(f))
			default:
				w.put(int32(f))
			}
		}
		return r
	}
	panic(fmt.Sprintf("usd: no way to write %T", v)) // nothing that this package makes
}

// listed is a list of arcs or paths with what becomes of it.
func (w *crateWriter) listed(v any, references bool) uint64 {
	e, ok := v.(*edits)
	if !ok {
		e = &edits{whole: true, items: items(v)}
	}
	typ := uint64(typePathOp)
	if references {
		typ = typeReferenceOp
	}
	type ref struct{ file, prim uint32 }
	put := func(l []any) {
		var refs []ref
		for _, x := range l {
			switch y := x.(type) {
			case asset:
				refs = append(refs, ref{w.text(string(y)), w.path("")})
			case arc:
				refs = append(refs, ref{w.text(y.file), w.path(y.prim)})
			case target:
				refs = append(refs, ref{w.text(""), w.path(string(y))})
			}
		}
		w.put(uint64(len(refs)))
		for _, x := range refs {
			if references {
				w.put(x.file, x.prim, 0.0, 1.0, uint64(0))
			} else {
				w.put(x.prim)
			}
		}
	}
	r := typ<<48 | w.here()
	if e.whole {
		w.put(byte(3))
		put(e.items)
		return r
	}
	w.put(byte(32))
	put(e.before)
	return r
}

func (w *crateWriter) set(fields ...crateField) int64 {
	at := len(w.sets)
	for _, f := range fields {
		w.sets = append(w.sets, uint32(len(w.fields)))
		w.fields = append(w.fields, f)
	}
	w.sets = append(w.sets, math.MaxUint32)
	return int64(at)
}

// vector is a list of names.
func (w *crateWriter) vector(names []string) uint64 {
	var ids []uint32
	for _, n := range names {
		ids = append(ids, w.token(n))
	}
	r := uint64(typeTokenVector)<<48 | w.here()
	w.put(uint64(len(ids)), ids)
	return r
}

func (w *crateWriter) prim(s *spec, path string, sort int64) {
	var f []crateField
	field := func(name string, rep uint64) { f = append(f, crateField{w.token(name), rep}) }
	if sort == specPrim {
		field("specifier", typeSpecifier<<48|isInlined|uint64(map[specifier]int{def: 0, over: 1, class: 2}[s.how]))
		if s.typ != "" {
			field("typeName", w.rep("token", token(s.typ)))
		}
	}
	for _, key := range sorted(s.meta) {
		v := s.meta[key]
		switch key {
		case "references":
			field(key, w.listed(v, true))
		case "payload":
			a, _ := v.(asset)
			file := w.text(string(a))
			nowhere := w.path("")
			r := uint64(typePayload)<<48 | w.here()
			w.put(file, nowhere, 0.0, 1.0)
			field(key, r)
		case "inherits":
			field("inheritPaths", w.listed(v, false))
		case "variants":
			field("variantSelection", w.rep("", v))
		case "variantSets":
			var ids []uint32
			for _, n := range words(v) {
				ids = append(ids, w.text(n))
			}
			r := uint64(typeStringOp)<<48 | w.here()
			w.put(byte(32), uint64(len(ids)), ids)
			field("variantSetNames", r)
		case "subLayers", "comment":
			if key == "subLayers" {
				var names []string
				for _, x := range items(v) {
					names = append(names, string(x.(asset)))
				}
				var ids []uint32
				for _, n := range names {
					ids = append(ids, w.text(n))
				}
				r := uint64(typeStrings)<<48 | w.here()
				w.put(uint64(len(ids)), ids)
				field(key, r)
			}
		case "active":
			field(key, typeBool<<48|isInlined|uint64(number(v, 1)))
		case "apiSchemas":
			var ids []uint32
			for _, n := range words(v) {
				ids = append(ids, w.token(n))
			}
			r := uint64(typeTokenOp)<<48 | w.here()
			w.put(byte(32), uint64(len(ids)), ids)
			field(key, r)
		case "displayName":
			field(key, w.rep("string", v))
		case "upAxis", "defaultPrim", "kind":
			field(key, w.rep("token", v))
		default:
			field(key, w.rep("double", v))
		}
	}
	var names []string
	for _, k := range s.kids {
		names = append(names, k.name)
	}
	if names != nil {
		field("primChildren", w.vector(names))
	}
	if props := sorted(s.props); len(props) > 0 {
		field("properties", w.vector(props))
	}
	for _, set := range s.sets {
		field("variantSetChildren", w.vector([]string{set.name}))
	}
	w.specs = append(w.specs, [3]int64{int64(w.path(path)), w.set(f...), sort})
	for _, name := range sorted(s.props) {
		w.property(s.props[name], path+"."+name)
	}
	below := path + "/"
	if strings.HasSuffix(path, "/") || strings.HasSuffix(path, "}") {
		below = path
	}
	for _, set := range s.sets {
		var names []string
		for _, v := range set.of {
			names = append(names, v.name)
		}
		w.specs = append(w.specs, [3]int64{int64(w.path(path + "{" + set.name + "=}")),
			w.set(crateField{w.token("variantChildren"), w.vector(names)}), 11})
		for _, v := range set.of {
			w.prim(v, path+"{"+set.name+"="+v.name+"}", specVariant)
		}
	}
	for _, k := range s.kids {
		w.prim(k, below+k.name, specPrim)
	}
}

func (w *crateWriter) property(p *property, path string) {
	var f []crateField
	field := func(name string, rep uint64) { f = append(f, crateField{w.token(name), rep}) }
	sort := int64(specAttribute)
	if p.rel {
		sort = specRelationship
		field("targetPaths", w.listed(p.targets, false))
	} else {
		field("typeName", w.rep("token", token(p.typ)))
		if uniform[path[strings.IndexByte(path, '.')+1:]] {
			field("variability", typeVariability<<48|isInlined|1)
		}
		if p.targets != nil {
			field("connectionPaths", w.listed(p.targets, false))
		}
		if p.value != nil {
			field("default", w.rep(p.typ, p.value))
		}
	}
	if v := word(p.meta["interpolation"]); v != "" {
		field("interpolation", w.rep("token", token(v)))
	}
	w.specs = append(w.specs, [3]int64{int64(w.path(path)), w.set(f...), sort})
}

// crateData is a layer as a crate.
func crateData(l *layer) []byte {
	w := &crateWriter{paths: map[string]uint32{}, token0: map[string]uint32{"": 0}, string0: map[uint32]uint32{}}
	w.tokens = []string{""} // none has the number 0, whose sign can't be turned
	w.path("/")
	w.prim(l.root, "/", specRoot)
	out := append([]byte(crateMagic), 0, 8, 0, 0, 0, 0, 0, 0)
	out = append(out, make([]byte, crateHead-len(out))...)
	out = append(out, w.values...)
	type part struct {
		name     string
		at, size int
	}
	var parts []part
	add := func(name string, data []byte) {
		parts = append(parts, part{name, len(out), len(data)})
		out = append(out, data...)
	}
	u64 := func(b []byte, v int) []byte { return binary.LittleEndian.AppendUint64(b, uint64(v)) }
	index, elements, jumps := w.tree()
	plain := []byte(strings.Join(w.tokens, "\x00") + "\x00")
	names := packedBy(plain)
	add("TOKENS", append(u64(u64(u64(nil, len(w.tokens)), len(plain)), len(names)), names...))
	b := u64(nil, len(w.strings))
	for _, s := range w.strings {
		b = binary.LittleEndian.AppendUint32(b, s)
	}
	add("STRINGS", b)
	var ids []int64
	var reps []byte
	for _, f := range w.fields {
		ids = append(ids, int64(f.name))
		reps = binary.LittleEndian.AppendUint64(reps, f.value)
	}
	packed := packedBy(reps)
	add("FIELDS", append(u64(append(u64(nil, len(w.fields)), packedInts(ids)...), len(packed)), packed...))
	ids = nil
	for _, s := range w.sets {
		ids = append(ids, int64(int32(s)))
	}
	add("FIELDSETS", append(u64(nil, len(w.sets)), packedInts(ids)...))
	b = u64(u64(nil, len(w.order)), len(index))
	for _, l := range [][]int64{index, elements, jumps} {
		b = append(b, packedInts(l)...)
	}
	add("PATHS", b)
	b = u64(nil, len(w.specs))
	for k := range 3 {
		ids = nil
		for _, s := range w.specs {
			ids = append(ids, s[k])
		}
		b = append(b, packedInts(ids)...)
	}
	add("SPECS", b)
	binary.LittleEndian.PutUint64(out[16:], uint64(len(out)))
	out = u64(out, len(parts))
	for _, p := range parts {
		name := make([]byte, 16)
		copy(name, p.name)
		out = u64(u64(append(out, name...), p.at), p.size)
	}
	return out
}

// tree lists the paths with their last parts and how far on their siblings are.
func (w *crateWriter) tree() (index, elements, jumps []int64) {
	kids := map[string][]string{}
	parent := func(p string) string {
		switch cut := strings.LastIndexAny(p, "./{}"); {
		case p[cut] == '/' && cut == 0:
			return "/"
		case p[cut] == '}' && cut == len(p)-1:
			return p[:strings.LastIndexByte(p, '{')]
		case p[cut] == '}':
			return p[:cut+1]
		default:
			return p[:cut]
		}
	}
	for _, p := range w.order {
		if p != "/" && p != "" {
			kids[parent(p)] = append(kids[parent(p)], p)
		}
	}
	var walk func(p string, sibling bool)
	walk = func(p string, sibling bool) {
		row := len(index)
		part := int64(0)
		if p != "/" {
			rest := strings.TrimLeft(strings.TrimPrefix(p, parent(p)), "/")
			if strings.HasPrefix(rest, ".") {
				part = -int64(w.token(rest[1:]))
			} else {
				part = int64(w.token(rest))
			}
		}
		index, elements, jumps = append(index, int64(w.paths[p])), append(elements, part), append(jumps, 0)
		below := kids[p]
		sort.Strings(below)
		for i, k := range below {
			walk(k, i < len(below)-1)
		}
		switch {
		case len(below) > 0 && sibling:
			jumps[row] = int64(len(index) - row)
		case len(below) > 0:
			jumps[row] = -1
		case !sibling:
			jumps[row] = -2
		}
	}
	walk("/", false)
	return index, elements, jumps
}
