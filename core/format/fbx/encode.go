package fbx

import (
	"bytes"
	"compress/zlib"
	"context"
	"encoding/binary"
	"fmt"
	"math"
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
	ctx  context.Context
	buf  []byte
	wide bool
	err  error
}

// encodeBinary writes a tree as a binary file of a version, 7400 or 7500, with the
// footer readers expect. Equal trees give equal bytes.
func encodeBinary(ctx context.Context, tree []*record, version int) ([]byte, error) {
	e := &encoder{ctx: ctx, wide: version >= 7500}
	e.buf = append(e.buf, magic...)
	e.buf = binary.LittleEndian.AppendUint32(e.buf, uint32(version))
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
		raw := make([]byte, 4*len(v))
		for i, x := range v {
			le.PutUint32(raw[4*i:], uint32(x))
		}
		e.array('i', len(v), raw)
	case []float64:
		raw := make([]byte, 8*len(v))
		for i, x := range v {
			le.PutUint64(raw[8*i:], math.Float64bits(x))
		}
		e.array('d', len(v), raw)
	default:
		e.err = fmt.Errorf("a property of type %T can't be written", p)
	}
}

// array writes n elements whose bytes are raw, deflated when that makes them fewer.
func (e *encoder) array(kind byte, n int, raw []byte) {
	le := binary.LittleEndian
	packed, encoding := raw, uint32(0)
	if len(raw) >= packFrom {
		var z bytes.Buffer
		w, err := zlib.NewWriterLevel(&z, zlib.BestSpeed)
		// A piece at a time: a long array takes seconds.
		for at := 0; err == nil && at < len(raw); at += 1 << 20 {
			if err = e.ctx.Err(); err == nil {
				_, err = w.Write(raw[at:min(at+1<<20, len(raw))])
			}
		}
		if err == nil {
			err = w.Close()
		}
		if err != nil {
			e.err = err
			return
		}
		packed, encoding = z.Bytes(), 1
	}
	e.buf = le.AppendUint32(append(e.buf, kind), uint32(n))
	e.buf = le.AppendUint32(e.buf, encoding)
	e.buf = le.AppendUint32(e.buf, uint32(len(packed)))
	e.buf = append(e.buf, packed...)
}
