package fbx

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"sync"

	"github.com/klauspost/compress/zlib"

	"yarvek/core/split"
)

// rec builds a record to be written. Properties are bool, int32, int64, float64,
// string, []byte, []int32 or []float64.
func rec(name string, props ...any) *record { return &record{name: name, props: props} }

// add nests records and gives r back.
func (r *record) add(subs ...*record) *record {
	r.subs = append(r.subs, subs...)
	return r
}

// prop70 is one entry of Properties70.
func prop70(name, kind, label, flags string, values ...any) *record {
	return rec("P", append([]any{name, kind, label, flags}, values...)...)
}

// Marks of the format that stand for a fixed time of creation, so that equal
// scenes make equal bytes: a reader accepts the footer only with the file id that
// belongs to the time.
var (
	fileID     = []byte{0x28, 0xb3, 0x2a, 0xeb, 0xb6, 0x24, 0xcc, 0xc2, 0xbf, 0xc8, 0xb0, 0x2a, 0xa9, 0x2b, 0xfc, 0xf1}
	footID     = []byte{0xfa, 0xbc, 0xab, 0x09, 0xd0, 0xc8, 0xd4, 0x66, 0xb1, 0x76, 0xfb, 0x83, 0x1c, 0xf7, 0x26, 0x7e}
	footMagic  = []byte{0xf8, 0x5a, 0x8c, 0x6a, 0xde, 0xf5, 0xd9, 0x7e, 0xec, 0xe9, 0x0c, 0xe3, 0x75, 0x8f, 0x29, 0x0b}
	createTime = "1970-01-01 10:00:00:000"
)

// packFrom is the size in bytes from which on an array is packed.
const packFrom = 256

// encoder writes a binary file of version 7400, or 7500 when offsets need it.
type encoder struct {
	ctx    context.Context
	buf    []byte
	wide   bool
	err    error
	packed map[any][]byte // arrays that are packed already, by where they begin
}

// encodeBinary writes a tree as a binary file of a version, 7400 or 7500, with the
// footer readers expect. Equal trees give equal bytes.
func encodeBinary(ctx context.Context, tree []*record, version int) ([]byte, error) {
	e := &encoder{ctx: ctx, wide: version >= 7500}
	e.buf = append(e.buf, magic...)
	e.buf = binary.LittleEndian.AppendUint32(e.buf, uint32(version))
	if e.err = e.packAll(tree); e.err != nil {
		return nil, e.err
	}
	for _, r := range tree {
		e.record(r)
	}
	e.buf = append(e.buf, make([]byte, e.header())...)
	e.buf = append(e.buf, footID...)
	e.buf = append(e.buf, make([]byte, 4)...)
	pad := 16 - len(e.buf)%16
	e.buf = append(e.buf, make([]byte, pad)...)
	e.buf = binary.LittleEndian.AppendUint32(e.buf, uint32(version))
	e.buf = append(e.buf, make([]byte, 120)...)
	e.buf = append(e.buf, footMagic...)
	if e.err == nil && !e.wide && len(e.buf) > math.MaxUint32 {
		return nil, fmt.Errorf("the FBX has %d bytes, more than version %d can number", len(e.buf), version)
	}
	return e.buf, e.err
}

// packAll packs all long arrays of a tree side by side, the longest first.
func (e *encoder) packAll(tree []*record) error {
	var arrays []any
	var gather func(r *record)
	gather = func(r *record) {
		for _, p := range r.props {
			if n := arrayBytes(p); n >= packFrom {
				arrays = append(arrays, p)
			}
		}
		for _, s := range r.subs {
			gather(s)
		}
	}
	for _, r := range tree {
		gather(r)
	}
	slices.SortStableFunc(arrays, func(a, b any) int { return arrayBytes(b) - arrayBytes(a) })
	out, errs := make([][]byte, len(arrays)), make([]error, len(arrays))
	if err := split.Each(e.ctx, len(arrays), func(i int) { out[i], errs[i] = deflated(e.ctx, arrays[i]) }); err != nil {
		return err
	}
	e.packed = make(map[any][]byte, len(arrays))
	for i, a := range arrays {
		if errs[i] != nil {
			return errs[i]
		}
		e.packed[arrayKey(a)] = out[i]
	}
	return nil
}

// arrayBytes is how many bytes an array takes unpacked, 0 for what is none.
func arrayBytes(p any) int {
	switch v := p.(type) {
	case []int32:
		return 4 * len(v)
	case []float64:
		return 8 * len(v)
	}
	return 0
}

// arrayKey tells an array that is not empty from all others by where it begins.
func arrayKey(p any) any {
	switch v := p.(type) {
	case []int32:
		return &v[0]
	case []float64:
		return &v[0]
	}
	return nil
}

// piece is how many entries of an array are packed at a time.
const piece = 1 << 16

// packer is what packs arrays, one after the other: a compressor has a megabyte of tables, which a scene of many small
// meshes would make anew for each of its arrays.
type packer struct {
	zlib *zlib.Writer
	raw  []byte
}

var packers = sync.Pool{New: func() any {
	w, err := zlib.NewWriterLevel(io.Discard, 3)
	if err != nil {
		panic(err) // the level is one that there is
	}
	return &packer{w, make([]byte, 0, 8*piece)}
}}

// deflated packs an array, a piece at a time: a long one takes a second.
func deflated(ctx context.Context, p any) ([]byte, error) {
	var z bytes.Buffer
	pack := packers.Get().(*packer)
	defer packers.Put(pack)
	w, raw := pack.zlib, pack.raw[:0]
	w.Reset(&z)
	write := func() error {
		if err := ctx.Err(); err != nil {
			return err
		}
		_, err := w.Write(raw)
		raw = raw[:0]
		return err
	}
	switch v := p.(type) {
	case []int32:
		for from := 0; from < len(v); from += piece {
			for _, x := range v[from:min(from+piece, len(v))] {
				raw = binary.LittleEndian.AppendUint32(raw, uint32(x))
			}
			if err := write(); err != nil {
				return nil, err
			}
		}
	case []float64:
		for from := 0; from < len(v); from += piece {
			for _, x := range v[from:min(from+piece, len(v))] {
				raw = binary.LittleEndian.AppendUint64(raw, math.Float64bits(x))
			}
			if err := write(); err != nil {
				return nil, err
			}
		}
	}
	err := w.Close()
	return z.Bytes(), err
}

// header is the size of a record’s head in bytes.
func (e *encoder) header() int {
	if e.wide {
		return 25
	}
	return 13
}

// putHeader fills in the head at a byte, once it is known where the record ends.
func (e *encoder) putHeader(at int, end, props, size int) {
	le := binary.LittleEndian
	if e.wide {
		le.PutUint64(e.buf[at:], uint64(end))
		le.PutUint64(e.buf[at+8:], uint64(props))
		le.PutUint64(e.buf[at+16:], uint64(size))
		return
	}
	le.PutUint32(e.buf[at:], uint32(end))
	le.PutUint32(e.buf[at+4:], uint32(props))
	le.PutUint32(e.buf[at+8:], uint32(size))
}

// record writes a record and those nested in it. After an error, or when ctx ended, it
// does nothing.
func (e *encoder) record(r *record) {
	if e.err == nil {
		e.err = e.ctx.Err()
	}
	if e.err != nil {
		return
	}
	at := len(e.buf)
	e.buf = append(e.buf, make([]byte, e.header()-1)...)
	e.buf = append(e.buf, byte(len(r.name)))
	e.buf = append(e.buf, r.name...)
	body := len(e.buf)
	for _, p := range r.props {
		e.property(p)
	}
	size := len(e.buf) - body
	for _, s := range r.subs {
		e.record(s)
	}
	// A record with nested ones, or with nothing at all, ends with an empty one.
	if len(r.subs) > 0 || len(r.props) == 0 {
		e.buf = append(e.buf, make([]byte, e.header())...)
	}
	e.putHeader(at, len(e.buf), len(r.props), size)
}

// property writes one property with its type’s letter.
func (e *encoder) property(p any) {
	le := binary.LittleEndian
	switch v := p.(type) {
	case bool:
		b := byte(0)
		if v {
			b = 1
		}
		e.buf = append(e.buf, 'C', b)
	case int32:
		e.buf = le.AppendUint32(append(e.buf, 'I'), uint32(v))
	case int64:
		e.buf = le.AppendUint64(append(e.buf, 'L'), uint64(v))
	case float64:
		e.buf = le.AppendUint64(append(e.buf, 'D'), math.Float64bits(v))
	case string:
		e.buf = le.AppendUint32(append(e.buf, 'S'), uint32(len(v)))
		e.buf = append(e.buf, v...)
	case []byte:
		e.buf = le.AppendUint32(append(e.buf, 'R'), uint32(len(v)))
		e.buf = append(e.buf, v...)
	case []int32:
		e.array('i', len(v), v)
		if arrayBytes(v) < packFrom {
			for _, x := range v {
				e.buf = le.AppendUint32(e.buf, uint32(x))
			}
		}
	case []float64:
		e.array('d', len(v), v)
		if arrayBytes(v) < packFrom {
			for _, x := range v {
				e.buf = le.AppendUint64(e.buf, math.Float64bits(x))
			}
		}
	default:
		e.err = fmt.Errorf("a property of type %T can't be written", p)
	}
}

// array writes the head of an array of n elements, and its packed bytes when it is long
// enough to have been packed; those of a short one follow as they are.
func (e *encoder) array(kind byte, n int, v any) {
	le := binary.LittleEndian
	e.buf = le.AppendUint32(append(e.buf, kind), uint32(n))
	size := arrayBytes(v)
	if size < packFrom {
		e.buf = le.AppendUint32(le.AppendUint32(e.buf, 0), uint32(size))
		return
	}
	packed := e.packed[arrayKey(v)]
	e.buf = le.AppendUint32(le.AppendUint32(e.buf, 1), uint32(len(packed)))
	e.buf = append(e.buf, packed...)
}
