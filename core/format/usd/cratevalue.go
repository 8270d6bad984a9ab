package usd

import (
	"encoding/binary"
	"math"

	"yarvek/core/fault"
	"yarvek/core/figure"
)

// Bits of the word that says where a value is: behind them the type, and in the lowest six bytes the value itself or
// its place in the file.
const (
	isArray   = 1 << 63
	isInlined = 1 << 62
	isPacked  = 1 << 61
	placeBits = 1<<48 - 1
)

// The types of values, by the number they have in a crate.
const (
	typeBool        = 1
	typeUChar       = 2
	typeInt         = 3
	typeUInt        = 4
	typeInt64       = 5
	typeUInt64      = 6
	typeHalf        = 7
	typeFloat       = 8
	typeDouble      = 9
	typeString      = 10
	typeToken       = 11
	typeAsset       = 12
	typeMatrix2d    = 13
	typeMatrix4d    = 15
	typeQuatd       = 16
	typeQuath       = 18
	typeVec2d       = 19
	typeVec4i       = 30
	typeDictionary  = 31
	typeTokenOp     = 32
	typeStringOp    = 33
	typePathOp      = 34
	typeReferenceOp = 35
	typePathVector  = 40
	typeTokenVector = 41
	typeSpecifier   = 42
	typeVariability = 44
	typeVariants    = 45
	typeSamples     = 46
	typePayload     = 47
	typeDoubles     = 48
	typeStrings     = 50
	typeBlock       = 51
	typePayloadOp   = 55
	typeTimeCode    = 56
)

// shape is how numbers of a type lie in the file: how many a value has, of which sort, and whether the real part of a
// turn comes last there.
type shape struct {
	width, size int
	sort        byte // 'f' for a fraction, 'i' for a whole number, 'u' for one without a sign
	turn        bool
}

// shapes are those of the types that are numbers.
var shapes = func() map[int]shape {
	m := map[int]shape{typeBool: {1, 1, 'u', false}, typeUChar: {1, 1, 'u', false}, typeInt: {1, 4, 'i', false},
		typeUInt: {1, 4, 'u', false}, typeInt64: {1, 8, 'i', false}, typeUInt64: {1, 8, 'u', false},
		typeHalf: {1, 2, 'f', false}, typeFloat: {1, 4, 'f', false}, typeDouble: {1, 8, 'f', false},
		typeTimeCode: {1, 8, 'f', false}}
	for k := range 3 { // matrices of 2, 3 and 4 rows
		m[typeMatrix2d+k] = shape{(k + 2) * (k + 2), 8, 'f', false}
	}
	for k, size := range []int{8, 4, 2} {
		m[typeQuatd+k] = shape{4, size, 'f', true}
	}
	for k := range 3 { // vectors of 2, 3 and 4: doubles, floats, halves, whole numbers
		for j, x := range []shape{{k + 2, 8, 'f', false}, {k + 2, 4, 'f', false}, {k + 2, 2, 'f', false},
			{k + 2, 4, 'i', false}} {
			m[typeVec2d+4*k+j] = x
		}
	}
	return m
}()

// one is a number at the head of b.
func (x shape) one(b []byte) float64 {
	switch {
	case x.sort == 'f' && x.size == 2:
		return half(binary.LittleEndian.Uint16(b))
	case x.sort == 'f' && x.size == 4:
		return float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
	case x.sort == 'f':
		return math.Float64frombits(binary.LittleEndian.Uint64(b))
	case x.size == 1:
		return float64(b[0])
	case x.size == 4 && x.sort == 'i':
		return float64(int32(binary.LittleEndian.Uint32(b)))
	case x.size == 4:
		return float64(binary.LittleEndian.Uint32(b))
	case x.sort == 'i':
		return float64(int64(binary.LittleEndian.Uint64(b)))
	}
	return float64(binary.LittleEndian.Uint64(b))
}

// half is a number of 16 bits (IEEE 754 binary16).
func half(h uint16) float64 {
	sign := 1.0
	if h&0x8000 != 0 {
		sign = -1
	}
	e, m := int(h>>10&31), float64(h&1023)
	switch e {
	case 0:
		return sign * math.Ldexp(m, -24)
	case 31:
		if m != 0 {
			return math.NaN()
		}
		return sign * math.Inf(1)
	}
	return sign * math.Ldexp(1+m/1024, e-15)
}

// value reads one; a type that is of no use to a mesh is nil.
func (c *crate) value(rep uint64) any {
	was := c.at
	defer func() { c.at = was }()
	if c.deep++; c.deep > mostDeep {
		c.fail("has values more than %d deep in one another", mostDeep)
	}
	defer func() { c.deep-- }()
	typ := int(rep >> 48 & 0xff)
	x, isNumber := shapes[typ]
	switch {
	case rep&isArray != 0 && isNumber:
		return c.array(rep, typ, x)
	case rep&isArray != 0:
		return c.words(rep, typ)
	case rep&isInlined != 0:
		return c.inlined(uint32(rep), typ, x)
	}
	c.at = c.offset(rep & placeBits)
	if isNumber {
		return x.row(c.bytes(x.width * x.size))
	}
	return c.other(typ)
}

// row is one value of numbers.
func (x shape) row(b []byte) tuple {
	t := tuple{width: x.width}
	for i := range x.width {
		t.v = append(t.v, x.one(b[i*x.size:]))
	}
	return x.real(t)
}

// real puts the real part of turns first, as text has it.
func (x shape) real(t tuple) tuple {
	if x.turn {
		for i := 0; i+4 <= len(t.v); i += 4 {
			t.v[i], t.v[i+1], t.v[i+2], t.v[i+3] = t.v[i+3], t.v[i], t.v[i+1], t.v[i+2]
		}
	}
	return t
}

// inlined is a value that lies in the word itself: numbers of up to four bytes, larger ones as smaller ones where those
// hold them, vectors and diagonals as bytes.
func (c *crate) inlined(v uint32, typ int, x shape) any {
	var b [8]byte
	binary.LittleEndian.PutUint32(b[:], v)
	switch {
	case typ == typeToken:
		return token(c.token(v))
	case typ == typeString:
		return prose(c.text(v))
	case typ == typeAsset:
		return asset(c.token(v))
	case typ == typeBlock:
		return none{}
	case typ == typeSpecifier || typ == typeVariability:
		return tuple{1, []float64{float64(v)}, false}
	case typ >= typeMatrix2d && typ <= typeMatrix4d:
		n := typ - typeMatrix2d + 2
		t := tuple{width: n * n, v: make([]float64, n*n)}
		for i := range n {
			t.v[i*n+i] = float64(int8(b[i]))
		}
		return t
	case x.width > 1:
		t := tuple{width: x.width}
		for i := range x.width {
			t.v = append(t.v, float64(int8(b[i%4])))
		}
		return x.real(t)
	case x.width == 1 && x.size == 8 && x.sort == 'f':
		return tuple{1, []float64{float64(math.Float32frombits(v))}, false}
	case x.width == 1 && x.size == 8 && x.sort == 'i':
		return tuple{1, []float64{float64(int32(v))}, false}
	case x.width == 1 && x.size == 8:
		return tuple{1, []float64{float64(v)}, false}
	case x.width == 1:
		return x.row(b[:])
	case typ == typeDictionary:
		return map[string]any{}
	}
	return nil
}

// arrayMost is how many entries of an array there may be for each byte of the file.
const arrayMost = 512

// length is that of an array, at its place.
func (c *crate) length(rep uint64) int {
	if rep&placeBits == 0 {
		return 0
	}
	c.at = c.offset(rep & placeBits)
	if c.minor < 5 {
		c.u32() // its rank
	}
	if c.minor < 7 {
		return int(c.u32())
	}
	n := c.u64()
	if n > mostRows || int(n)/arrayMost > len(c.data) {
		c.fail("has an array of %d, and the file has %s", n, figure.Bytes(int64(len(c.data))))
	}
	return int(n)
}

// leastPacked is from how many values on arrays are packed.
const leastPacked = 16

// array reads many values of numbers.
func (c *crate) array(rep uint64, typ int, x shape) tuple {
	out := tuple{width: x.width, list: true}
	n := c.length(rep)
	switch {
	case n == 0:
		return out
	case rep&isPacked == 0 || n < leastPacked:
		if n > (len(c.data)-c.at)/(x.width*x.size) {
			c.fail("has an array of %d, and not so many bytes", n)
		}
		b := c.bytes(n * x.width * x.size)
		out.v = make([]float64, n*x.width)
		for i := range out.v {
			out.v[i] = x.one(b[i*x.size:])
		}
		return x.real(out)
	case x.sort != 'f':
		return tuple{1, c.whole(n, x), true}
	}
	switch code := c.bytes(1)[0]; code {
	case 'i':
		return tuple{1, c.whole(n, shape{1, 4, 'i', false}), true}
	case 't':
		k := int(c.u32())
		if k > (len(c.data)-c.at)/x.size {
			c.fail("has a table of %d, and not so many bytes", k)
		}
		table := c.bytes(k * x.size)
		for _, i := range c.ints(n, 4) {
			if i < 0 || int(i) >= k {
				c.fail("names %d of a table of %d", i, k)
			}
			out.v = append(out.v, x.one(table[int(i)*x.size:]))
		}
		return out
	default:
		c.fail("packs numbers in a way %s that is not known", fault.Quote([]byte{code}))
	}
	return out
}

// whole are packed whole numbers, of which what is packed says that there may be so many.
func (c *crate) whole(n int, x shape) []float64 {
	if n/(4*lz4Most) > len(c.data)-c.at {
		c.fail("has an array of %d, and not so many bytes", n)
	}
	out := make([]float64, 0, n)
	for _, v := range c.ints(n, x.size) {
		if x.sort == 'u' && x.size == 4 {
			v = int64(uint32(v))
		}
		out = append(out, float64(v))
	}
	return out
}

// words reads an array of names, strings or addresses.
func (c *crate) words(rep uint64, typ int) any {
	var out list
	n := c.length(rep)
	if n > (len(c.data)-c.at)/4 {
		c.fail("has an array of %d, and not so many bytes", n)
	}
	for range n {
		switch i := c.u32(); typ {
		case typeToken:
			out = append(out, token(c.token(i)))
		case typeString:
			out = append(out, prose(c.text(i)))
		case typeAsset:
			out = append(out, asset(c.token(i)))
		default:
			return nil
		}
	}
	return out
}

// few is a number of things of so many bytes each at least.
func (c *crate) few(size int) int {
	n := c.u64()
	if n > uint64(len(c.data)-c.at)/uint64(size) {
		c.fail("counts %d things, and not so many bytes", n)
	}
	return int(n)
}

// other reads a value at its place that is no number.
func (c *crate) other(typ int) any {
	switch typ {
	case typeToken:
		return token(c.token(c.u32()))
	case typeString:
		return prose(c.text(c.u32()))
	case typeAsset:
		return asset(c.token(c.u32()))
	case typeDictionary:
		d := map[string]any{}
		for range c.few(12) {
			key := c.text(c.u32())
			d[key] = c.nested()
		}
		return d
	case typeVariants:
		d := map[string]any{}
		for range c.few(8) {
			key := c.text(c.u32())
			d[key] = prose(c.text(c.u32()))
		}
		return d
	case typeTokenVector:
		return c.listOf(func() any { return token(c.token(c.u32())) }, 4)
	case typeStrings:
		return c.listOf(func() any { return prose(c.text(c.u32())) }, 4)
	case typePathVector:
		return c.listOf(func() any { return target(c.path(c.u32())) }, 4)
	case typeDoubles:
		t := tuple{width: 1, list: true}
		for range c.few(8) {
			t.v = append(t.v, math.Float64frombits(c.u64()))
		}
		return t
	case typeTokenOp:
		return c.op(func() any { return token(c.token(c.u32())) }, 4)
	case typeStringOp:
		return c.op(func() any { return prose(c.text(c.u32())) }, 4)
	case typePathOp:
		return c.op(func() any { return target(c.path(c.u32())) }, 4)
	case typeReferenceOp:
		return c.op(func() any { return c.arc(true) }, 24)
	case typePayloadOp:
		return c.op(func() any { return c.arc(false) }, 8)
	case typePayload:
		return c.arc(false)
	case typeSamples:
		return c.firstSample()
	}
	return nil
}

// listOf reads a list.
func (c *crate) listOf(one func() any, size int) list {
	var out list
	for range c.few(size) {
		out = append(out, one())
	}
	return out
}

// nested reads a value within another: how far on the word is that says where it is.
func (c *crate) nested() any {
	from := c.at
	c.at = c.offset(uint64(int64(from) + int64(c.u64())))
	rep := c.u64()
	return c.value(rep)
}

// op reads what becomes of a list: which lists are there, and those.
func (c *crate) op(one func() any, size int) *edits {
	head := c.bytes(1)[0]
	e := &edits{whole: head&1 != 0}
	for bit, put := range []func([]any){func(v []any) { e.items = v }, func(v []any) { e.behind = append(e.behind, v...) },
		func(v []any) { e.before = v }, func(v []any) { e.behind = append(e.behind, v...) }, func(v []any) { e.no = v },
		func([]any) {}} {
		if head&[]byte{2, 4, 32, 64, 8, 16}[bit] != 0 {
			put(c.listOf(one, size))
		}
	}
	return e
}

// arc reads a reference or payload: a file, a prim, and times that static meshes have no use for.
func (c *crate) arc(reference bool) any {
	out := arc{c.text(c.u32()), c.pathOrNone(c.u32())}
	if reference || c.minor >= 8 {
		c.bytes(16) // offset and scale of time
	}
	if reference {
		for range c.few(12) {
			c.u32()
			c.nested()
		}
	}
	if out.prim == "/" {
		out.prim = ""
	}
	return out
}

// firstSample is the earliest of values over time, which is the first in a crate.
func (c *crate) firstSample() any {
	from := c.at
	c.at = c.offset(uint64(int64(from) + int64(c.u64())))
	c.u64() // where the times are
	from = c.at
	c.at = c.offset(uint64(int64(from) + int64(c.u64())))
	if c.few(8) == 0 {
		return nil
	}
	v := c.value(c.u64())
	if _, blocked := v.(none); blocked {
		return nil
	}
	return v
}
