package gltf

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/split"
)

// maxZeros bounds an accessor without a buffer view, whose size no bytes back.
const maxZeros = 1 << 20

// span is a run of equally spaced elements in a buffer.
type span struct {
	data   []byte
	stride int64
	offset int64 // of data within the file or buffer, for messages
}

// fail makes an error about accessor i.
func (r *reader) fail(i int, format string, args ...any) *fault.Error {
	return fault.AtByte(r.name, -1, "accessor %d "+format, append([]any{i}, args...)...).
		Advise("The file is damaged or was written wrongly; export the mesh again")
}

// elements checks an accessor's shape and finds its bytes. A nil data means zeros.
// A missing buffer gives errNoBuffer.
func (r *reader) elements(i int, wantType string) (accessor, span, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return accessor{}, span{}, fault.AtByte(r.name, -1, "refers to accessor %d of %d", i, len(r.doc.Accessors))
	}
	a := r.doc.Accessors[i]
	size := componentSize(a.ComponentType)
	switch {
	case a.Type != wantType:
		return a, span{}, r.fail(i, "is %q where %s is expected", a.Type, wantType)
	case size == 0:
		return a, span{}, r.fail(i, "has the unknown component type %d", a.ComponentType)
	case a.Count < 0 || a.Count > math.MaxInt32:
		return a, span{}, r.fail(i, "claims %d elements", a.Count)
	}
	if r.spent += a.Count; r.spent > r.budget {
		return a, span{}, r.fail(i, "and those before it ask for %d elements, far more than the file has bytes for",
			r.spent).Beyond()
	}
	if a.BufferView == nil {
		if a.Count > maxZeros {
			return a, span{}, r.fail(i, "claims %d elements without any bytes for them", a.Count)
		}
		return a, span{}, nil
	}
	s, err := r.view(i, *a.BufferView, a.ByteOffset, a.Count, size*components[a.Type])
	return a, s, err
}

// viewed gives the bytes of a buffer view, decoded when they came compressed, and where they
// lie in their buffer.
func (r *reader) viewed(i int) (data []byte, at int64, err error) {
	if i < 0 || i >= len(r.doc.BufferViews) {
		return nil, 0, fault.AtByte(r.name, -1, "refers to buffer view %d of %d", i, len(r.doc.BufferViews)).Advise(
			adviceDamage)
	}
	v := r.doc.BufferViews[i]
	if v.Buffer < 0 || v.Buffer >= len(r.buffers) || r.buffers[v.Buffer] == nil {
		if data, ok, err := r.unfold(i); ok {
			return data, 0, err
		}
	}
	data, err = r.stretch(i, v.Buffer, v.ByteOffset, v.ByteLength)
	return data, v.ByteOffset, err
}

// stretch gives length bytes of a buffer from byte offset on, for buffer view i.
func (r *reader) stretch(i, buffer int, offset, length int64) ([]byte, error) {
	if buffer < 0 || buffer >= len(r.buffers) {
		return nil, fault.AtByte(r.name, -1, "buffer view %d lies in buffer %d of %d", i, buffer,
			len(r.buffers)).Advise(adviceDamage)
	}
	b := r.buffers[buffer]
	if b == nil {
		return nil, errNoBuffer
	}
	if n := int64(len(b)); offset < 0 || length < 0 || offset > n || length > n-offset {
		return nil, fault.AtByte(r.name, -1, "buffer view %d has the bytes %d to %d of a buffer of %d", i, offset,
			offset+length, n).
			Advise("The file may be cut short; send it again")
	}
	return b[offset : offset+length], nil
}

// view finds count elements of size bytes in a buffer view.
func (r *reader) view(acc, view int, offset, count, size int64) (span, error) {
	data, at, err := r.viewed(view)
	var e *fault.Error
	if errors.As(err, &e) {
		e.What = fmt.Sprintf("accessor %d: %s", acc, e.What)
	}
	if err != nil {
		return span{}, err
	}
	v := r.doc.BufferViews[view]
	long := int64(len(data))
	stride := v.ByteStride
	if stride == 0 {
		stride = size
	}
	if stride < size || stride > 1<<16 {
		return span{}, r.fail(acc, "has elements of %d bytes, %d bytes apart", size, stride)
	}
	if offset < 0 || count > 0 && (offset > long || (count-1) > (long-offset-size)/stride || long-offset < size) {
		return span{}, r.fail(acc, "needs %d elements of %d bytes from byte %d, and its buffer view has %d bytes", count,
			size, offset, long)
	}
	if count == 0 {
		return span{stride: stride}, nil
	}
	return span{data[offset:], stride, at + offset}, nil
}

// component reads one number of any type; normalised integers go to [0,1] or
// [-1,1] (section 3.6.2.2).
func component(b []byte, t int, norm bool) float64 {
	switch t {
	case typeFloat32:
		return float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
	case typeUint8:
		return scaled(float64(b[0]), 255, norm)
	case typeInt8:
		return max(scaled(float64(int8(b[0])), 127, norm), minimum(norm))
	case typeUint16:
		return scaled(float64(binary.LittleEndian.Uint16(b)), 65535, norm)
	case typeInt16:
		return max(scaled(float64(int16(binary.LittleEndian.Uint16(b))), 32767, norm), minimum(norm))
	}
	return scaled(float64(binary.LittleEndian.Uint32(b)), math.MaxUint32, norm)
}

// scaled is v divided by the largest number of its type when the accessor is normalized.
func scaled(v, by float64, norm bool) float64 {
	if norm {
		return v / by
	}
	return v
}

// minimum is the least a normalized number can be, without bound otherwise.
func minimum(norm bool) float64 {
	if norm {
		return -1
	}
	return math.Inf(-1)
}

// vectors reads an accessor, calling set with the number and the values of each element,
// from several goroutines and in no order. The array passed to set is reused.
func (r *reader) vectors(i int, wantType string, prepare func(n int), set func(k int, v *[4]float64)) error {
	if r.solidPart != nil && i >= 0 && i < len(r.doc.Accessors) {
		if a, ok := r.solidPart.layers[i]; ok {
			return r.solidPart.values(r, i, a, wantType, prepare, set)
		}
	}
	a, s, err := r.elements(i, wantType)
	if err != nil {
		return err
	}
	prepare(int(a.Count))
	n, size := components[wantType], componentSize(a.ComponentType)
	element := func(v *[4]float64, b []byte) {
		for c := range n {
			v[c] = component(b[c*size:], a.ComponentType, a.Normalized)
		}
	}
	if a.ComponentType == typeFloat32 {
		element = func(v *[4]float64, b []byte) {
			b = b[:4*n]
			for c := range n {
				v[c] = float64(math.Float32frombits(binary.LittleEndian.Uint32(b[4*c:])))
			}
		}
	}
	split.Range(int(a.Count), 1<<15, func(_, from, to int) {
		var v [4]float64
		for k := from; k < to; k++ {
			if k&0xffff == 0 && r.ctx.Err() != nil {
				return // nobody waits any more
			}
			if v = ([4]float64{}); s.data != nil {
				element(&v, s.data[int64(k)*s.stride:])
			}
			set(k, &v)
		}
	})
	if err := r.ctx.Err(); err != nil {
		return err
	}
	read := func(k int, b []byte) {
		var v [4]float64
		element(&v, b)
		set(k, &v)
	}
	if a.Sparse == nil {
		return nil
	}
	return r.sparse(i, a, n*size, read)
}

// sparse hands over the replaced elements of accessor i, k-th element by element; size
// is that of one, in bytes.
func (r *reader) sparse(i int, a accessor, size int64, read func(k int, b []byte)) error {
	sp := a.Sparse
	if sp.Count < 0 || sp.Count > a.Count {
		return r.fail(i, "replaces %d of its %d elements", sp.Count, a.Count)
	}
	isize := componentSize(sp.Indices.ComponentType)
	if isize == 0 || sp.Indices.ComponentType == typeFloat32 {
		return r.fail(i, "has sparse indices of type %d", sp.Indices.ComponentType)
	}
	idx, err := r.view(i, sp.Indices.BufferView, sp.Indices.ByteOffset, sp.Count, isize)
	if err != nil {
		return err
	}
	val, err := r.view(i, sp.Values.BufferView, sp.Values.ByteOffset, sp.Count, size)
	if err != nil {
		return err
	}
	for k := range sp.Count {
		at := int64(component(idx.data[k*idx.stride:], sp.Indices.ComponentType, false))
		if at < 0 || at >= a.Count {
			return r.fail(i, "replaces element %d of %d", at, a.Count)
		}
		read(int(at), val.data[k*val.stride:])
	}
	return nil
}

// indices reads an index accessor; every index must be below limit.
func (r *reader) indices(i int, limit int) ([]int32, error) {
	a, s, err := r.elements(i, "SCALAR")
	if err != nil {
		return nil, err
	}
	out := make([]int32, a.Count)
	if a.Sparse != nil {
		return out, r.sparseIndices(i, a, s, out, limit)
	}
	if s.data == nil {
		return out, r.inRange(i, 0, limit, len(out))
	}
	var most uint32
	switch a.ComponentType {
	case typeUint8:
		for k := range out {
			v := uint32(s.data[int64(k)*s.stride])
			most, out[k] = max(most, v), int32(v)
		}
	case typeUint16:
		for k := range out {
			v := uint32(binary.LittleEndian.Uint16(s.data[int64(k)*s.stride:]))
			most, out[k] = max(most, v), int32(v)
		}
	case typeUint32:
		for k := range out {
			v := binary.LittleEndian.Uint32(s.data[int64(k)*s.stride:])
			most, out[k] = max(most, v), int32(v)
		}
	default:
		return nil, r.fail(i, "holds indices of component type %d", a.ComponentType)
	}
	if len(out) > 0 && int64(most) >= int64(limit) {
		for k, v := range out {
			if uint32(v) == most {
				return nil, r.fail(i, "refers to vertex %d at index %d, byte %d of its buffer, and there are %d", most, k,
					s.offset+int64(k)*s.stride, limit)
			}
		}
	}
	return out, nil
}

// sparseIndices reads an index accessor some of whose elements are replaced (section 3.6.2.3): of view s, or
// of zeros without one.
func (r *reader) sparseIndices(i int, a accessor, s span, out []int32, limit int) error {
	size := componentSize(a.ComponentType)
	switch a.ComponentType {
	case typeUint8, typeUint16, typeUint32:
	default:
		return r.fail(i, "holds indices of component type %d", a.ComponentType)
	}
	if s.data != nil {
		for k := range out {
			out[k] = int32(component(s.data[int64(k)*s.stride:], a.ComponentType, false))
		}
	}
	err := r.sparse(i, a, size, func(k int, b []byte) { out[k] = int32(component(b, a.ComponentType, false)) })
	if err != nil {
		return err
	}
	for k, v := range out {
		if v < 0 || int64(v) >= int64(limit) {
			return r.fail(i, "refers to vertex %d at index %d, and there are %d", v, k, limit)
		}
	}
	return nil
}

// inRange checks that accessor i, the largest of whose indices is most, stays below n.
func (r *reader) inRange(i, most, limit, n int) error {
	if n > 0 && most >= limit {
		return r.fail(i, "refers to vertex %d, and there are %d", most, limit)
	}
	return nil
}

// points reads positions, refusing what is not finite.
func (r *reader) points(i int) ([]geom.Vec3, error) {
	var pts []geom.Vec3
	err := r.vectors(i, "VEC3", func(n int) { pts = make([]geom.Vec3, n) }, func(k int, v *[4]float64) {
		pts[k] = geom.Vec3{v[0], v[1], v[2]}
	})
	if err != nil {
		return nil, err
	}
	for k, p := range pts {
		if s := p[0] + p[1] + p[2]; s-s != 0 && !p.IsFinite() {
			return nil, r.fail(i, "has a position that is not finite, at vertex %d: %v", k, p)
		}
	}
	return pts, nil
}
