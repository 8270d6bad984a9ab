package fbx

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"slices"

	"github.com/klauspost/compress/zlib"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/split"
)

// magic begins every binary file.
const magic = "Kaydara FBX Binary  \x00\x1a\x00"

// Limits on what a file may claim.
const (
	maxDepth   = 64
	maxRecords = 4 << 20
	// zlib packs at most about a thousandfold, and an array of one number repeated
	// comes near it; a whole file of such arrays is made to fill memory.
	maxInflation = 1100
	// What all arrays of a file may take in memory, as they are held: so many times the
	// file, and so many bytes on top.
	maxHeldTimes = 32
	maxHeldFree  = 64 << 20
)

// binaryReader walks a binary file. Offsets are of the whole file.
type binaryReader struct {
	name    string
	ctx     context.Context
	data    []byte
	wide    bool // 64-bit record headers, from version 7500 on
	records int
	held    int64       // by the arrays so far, in bytes
	later   []unpacking // arrays whose place is known and whose numbers are still packed

	passArrays bool // they are passed over, and stand as nil
	brief      bool // those of beside are
}

// fail is an error at a byte of the file.
func (b *binaryReader) fail(at int, format string, args ...any) *fault.Error {
	return fault.AtByte(b.name, int64(at), format,
		args...).Advise("The file may be cut short or damaged; export the mesh again")
}

// beside are the records whose arrays say nothing of how many faces a mesh has, where they stand and what they are made
// of: a brief look passes over them.
var beside = map[string]bool{"Normals": true, "NormalsW": true, "NormalsIndex": true, "Binormals": true,
	"BinormalsW": true, "BinormalsIndex": true, "Tangents": true, "TangentsW": true, "TangentsIndex": true,
	"Colors": true, "ColorIndex": true, "UV": true, "UVIndex": true, "Smoothing": true, "Edges": true,
	"EdgeCrease": true}

// parseBinary reads the tree of a binary file and its version, such as 7400; a brief one passes over arrays of beside.
func parseBinary(ctx context.Context, name string, data []byte, brief bool) (*record, int, error) {
	b, version, err := newBinaryReader(ctx, name, data)
	if err != nil {
		return nil, 0, err
	}
	b.brief = brief
	tree, err := b.tree()
	return tree, version, err
}

// newBinaryReader looks at the header of a binary file and tells its version.
func newBinaryReader(ctx context.Context, name string, data []byte) (*binaryReader, int, error) {
	if len(data) < len(magic)+4 {
		return nil, 0, fault.AtByte(name, int64(len(data)),
			"the FBX ends within its header").Advise("The upload may be cut short; send the file again")
	}
	version := int(binary.LittleEndian.Uint32(data[len(magic):]))
	if version < 5000 || version > 7999 {
		return nil, 0, fault.AtByte(name, int64(len(magic)), "is FBX version %d; 6000 to 7700 are read",
			version).Unsupported().Advise("Export as FBX 7.4 binary")
	}
	return &binaryReader{ctx: ctx, name: name, data: data, wide: version >= 7500}, version, nil
}

// tree reads all records.
func (b *binaryReader) tree() (*record, error) {
	root := &record{}
	for at := len(magic) + 4; at < len(b.data); {
		r, next, err := b.record(at, 0)
		if err != nil {
			return nil, err
		}
		if r == nil {
			return root, b.unpack(root)
		}
		root.subs = append(root.subs, r)
		at = next
	}
	return nil, b.fail(len(b.data), "the FBX ends before its last record")
}

// header is the size of a record’s head in bytes: 25 from version 7.5 on, 13 before.
func (b *binaryReader) header() int {
	if b.wide {
		return 25
	}
	return 13
}

// record reads the record at an offset; nil means the empty one that ends a list.
func (b *binaryReader) record(at, depth int) (*record, int, error) {
	h := b.header()
	if len(b.data)-at < h {
		return nil, 0, b.fail(at, "the FBX ends within the header of a record")
	}
	var end, props, size uint64
	if b.wide {
		end, props, size = binary.LittleEndian.Uint64(b.data[at:]), binary.LittleEndian.Uint64(b.data[at+8:]),
			binary.LittleEndian.Uint64(b.data[at+16:])
	} else {
		end, props, size = uint64(binary.LittleEndian.Uint32(b.data[at:])), uint64(binary.LittleEndian.Uint32(b.data[at+4:])),
			uint64(binary.LittleEndian.Uint32(b.data[at+8:]))
	}
	nameLen := int(b.data[at+h-1])
	if end == 0 {
		return nil, at + h, nil
	}
	body := at + h + nameLen
	if body > len(b.data) || end > uint64(len(b.data)) || end < uint64(body) || size > end-uint64(body) || props > size {
		return nil, 0, b.fail(at,
			"a record claims to end at byte %d with %d bytes for %d properties, and the file has %d bytes", end,
			size, props, len(b.data))
	}
	if depth > maxDepth {
		return nil, 0, b.fail(at, "records are nested more than %d deep", maxDepth).Beyond()
	}
	if b.records++; b.records > maxRecords {
		return nil, 0, b.fail(at, "the file has more than %d records", maxRecords).Beyond()
	}
	r := &record{name: string(b.data[at+h : body]), at: int64(at)}
	p, stop := body, body+int(size)
	passed := b.passArrays
	b.passArrays = passed || b.brief && beside[r.name]
	for range props {
		v, next, err := b.property(p, stop)
		if err != nil {
			return nil, 0, err
		}
		r.props = append(r.props, v)
		p = next
	}
	b.passArrays = passed
	for p = stop; p < int(end); {
		s, next, err := b.record(p, depth+1)
		if err != nil {
			return nil, 0, err
		}
		if s == nil {
			break
		}
		if next <= p || next > int(end) {
			return nil, 0, b.fail(p, "a nested record reaches beyond the one it stands in")
		}
		r.subs = append(r.subs, s)
		p = next
	}
	return r, int(end), nil
}

// property reads the property at a byte and gives the byte after it; it reads nothing at
// or beyond stop.
func (b *binaryReader) property(at, stop int) (any, int, error) {
	if at >= stop {
		return nil, 0, b.fail(at, "a record has fewer properties than it claims")
	}
	kind := b.data[at]
	at++
	need := func(n int) error {
		if n < 0 || n > stop-at {
			return b.fail(at, "a property of type %q needs %d bytes and its record has %d", kind, n, stop-at)
		}
		return nil
	}
	le := binary.LittleEndian
	fixed := map[byte]int{'C': 1, 'B': 1, 'Y': 2, 'I': 4, 'F': 4, 'D': 8, 'L': 8}[kind]
	if fixed > 0 {
		if err := need(fixed); err != nil {
			return nil, 0, err
		}
		d := b.data[at:]
		var v any
		switch kind {
		case 'C', 'B':
			v = d[0]&1 == 1
		case 'Y':
			v = int64(int16(le.Uint16(d)))
		case 'I':
			v = int64(int32(le.Uint32(d)))
		case 'L':
			v = int64(le.Uint64(d))
		case 'F':
			v = float64(math.Float32frombits(le.Uint32(d)))
		case 'D':
			v = math.Float64frombits(le.Uint64(d))
		}
		return v, at + fixed, nil
	}
	switch kind {
	case 'S', 'R':
		if err := need(4); err != nil {
			return nil, 0, err
		}
		n := int(le.Uint32(b.data[at:]))
		at += 4
		if err := need(n); err != nil {
			return nil, 0, err
		}
		if kind == 'S' {
			return string(b.data[at : at+n]), at + n, nil
		}
		return b.data[at : at+n : at+n], at + n, nil
	case 'f', 'd', 'i', 'l', 'b', 'c':
		return b.array(kind, at, need)
	}
	return nil, 0, b.fail(at-1, "a property has the unknown type %q", kind)
}

// array reads an array of one kind. need tells whether so many bytes are there, and is
// asked before any memory is taken; inflated sizes are counted against the reader’s
// bound.
func (b *binaryReader) array(kind byte, at int, need func(int) error) (any, int, error) {
	if err := need(12); err != nil {
		return nil, 0, err
	}
	le := binary.LittleEndian
	count, encoding, packed := int64(le.Uint32(b.data[at:])), le.Uint32(b.data[at+4:]), int(le.Uint32(b.data[at+8:]))
	start := at
	at += 12
	size := int64(map[byte]int{'f': 4, 'd': 8, 'i': 4, 'l': 8, 'b': 1, 'c': 1}[kind])
	want := count * size
	if b.passArrays {
		if encoding == 0 {
			packed = int(want)
		}
		return nil, at + packed, need(packed)
	}
	claim := func(packed int) error {
		b.held += count * int64(map[byte]int{'f': 8, 'd': 8, 'i': 4, 'l': 8, 'b': 4, 'c': 4}[kind])
		if most := int64(len(b.data))*maxHeldTimes + maxHeldFree; want > int64(packed)*maxInflation+64 || b.held > most {
			return b.fail(start, "an array claims %d entries packed into %d bytes: expected all arrays of the file to take at "+
				"most %s",
				count, packed, figure.Bytes(most)).Beyond()
		}
		return nil
	}
	switch encoding {
	case 0:
		if err := need(int(want)); err != nil {
			return nil, 0, err
		}
		if err := claim(int(want)); err != nil {
			return nil, 0, err
		}
		// Some writers leave the packed length at zero here.
		out := newArray(kind, int(count))
		out.decode(0, b.data[at:at+int(want)])
		return out.values(), at + int(want), nil
	case 1:
		if err := need(packed); err != nil {
			return nil, 0, err
		}
		if err := claim(packed); err != nil {
			return nil, 0, err
		}
		out := newArray(kind, int(count))
		b.later = append(b.later, unpacking{out, at, packed, want})
		return out.values(), at + packed, nil
	}
	return nil, 0, b.fail(start+4, "an array has the unknown encoding %d", encoding).Unsupported()
}

// unpacking is an array that is still to be filled: its packed bytes in the file, and how
// many it has unpacked.
type unpacking struct {
	out        *array
	at, packed int
	bytes      int64
}

// unpack fills all arrays, side by side; the longest begin first. An object one of whose
// arrays can't be unpacked is marked as damaged; elsewhere that is an error.
func (b *binaryReader) unpack(root *record) error {
	order := make([]int, len(b.later))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return b.later[j].packed - b.later[i].packed })
	errs := make([]*fault.Error, len(order))
	err := split.Each(b.ctx, len(order), func(i int) {
		u := b.later[order[i]]
		if err := b.fill(u); err != nil {
			errs[order[i]] = b.fail(u.at, "an array of %d bytes can't be unpacked: %v", u.bytes, err)
		}
	})
	if err != nil {
		return err
	}
	bad := map[any]*fault.Error{}
	for i, err := range errs {
		if err != nil {
			bad[firstEntry(b.later[i].out.values())] = err
		}
	}
	if len(bad) == 0 {
		return nil
	}
	for _, s := range root.subs {
		if s.name == "Objects" {
			for _, o := range s.subs {
				o.damaged = o.holds(bad)
			}
		} else if e := s.holds(bad); e != nil {
			return e
		}
	}
	return nil
}

// fill unpacks an array, a piece at a time: a long one takes a second, and is nowhere held
// twice.
func (b *binaryReader) fill(u unpacking) error {
	z, err := zlib.NewReader(bytes.NewReader(b.data[u.at : u.at+u.packed]))
	if err != nil {
		return err
	}
	defer z.Close()
	piece := make([]byte, min(1<<16, u.bytes))
	for at := int64(0); at < u.bytes; {
		if err := b.ctx.Err(); err != nil {
			return err
		}
		p := piece[:min(int64(len(piece)), u.bytes-at)]
		if _, err := io.ReadFull(z, p); err != nil {
			return err
		}
		u.out.decode(int(at), p)
		at += int64(len(p))
	}
	return nil
}

// array is one in the making; only the slice of its kind is there. Booleans come as
// whole numbers.
type array struct {
	kind   byte
	whole  []int32
	long   []int64
	number []float64
}

func newArray(kind byte, n int) *array {
	a := &array{kind: kind}
	switch kind {
	case 'd', 'f':
		a.number = make([]float64, n)
	case 'l':
		a.long = make([]int64, n)
	default:
		a.whole = make([]int32, n)
	}
	return a
}

// values is the slice as a property of a record holds it.
func (a *array) values() any {
	switch a.kind {
	case 'd', 'f':
		return a.number
	case 'l':
		return a.long
	}
	return a.whole
}

// decode takes little-endian bytes that stand at a byte of the array, whole entries.
func (a *array) decode(at int, raw []byte) {
	le := binary.LittleEndian
	switch a.kind {
	case 'd':
		for i := range len(raw) / 8 {
			a.number[at/8+i] = math.Float64frombits(le.Uint64(raw[8*i:]))
		}
	case 'f':
		for i := range len(raw) / 4 {
			a.number[at/4+i] = float64(math.Float32frombits(le.Uint32(raw[4*i:])))
		}
	case 'l':
		for i := range len(raw) / 8 {
			a.long[at/8+i] = int64(le.Uint64(raw[8*i:]))
		}
	case 'i':
		for i := range len(raw) / 4 {
			a.whole[at/4+i] = int32(le.Uint32(raw[4*i:]))
		}
	default:
		for i, v := range raw {
			a.whole[at+i] = int32(v)
		}
	}
}
