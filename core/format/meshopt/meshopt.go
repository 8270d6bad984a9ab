// Package meshopt decodes the compressed buffer views of the glTF extension
// EXT_meshopt_compression (Khronos vendor extension, bitstream appendix of its text):
// attributes, triangle lists and index sequences, and the filters over attributes. It also
// reads version 1 of the attribute stream, which KHR_meshopt_compression adds.
//
// Decoding takes time and memory in proportion to the size of what is asked for, which the
// caller bounds before asking; nothing the stream itself claims is allocated.
package meshopt

import (
	"encoding/binary"
	"fmt"
	"math"
)

// A FormatError says where a stream is not what its mode asks for.
type FormatError struct {
	Offset int // byte of the stream, where it was noticed
	What   string
}

// Error tells the byte and what was found there.
func (e *FormatError) Error() string {
	return fmt.Sprintf("compressed data, byte %d: %s", e.Offset, e.What)
}

func wrong(at int, format string, args ...any) error {
	return &FormatError{at, fmt.Sprintf(format, args...)}
}

// Mode says what a stream holds.
type Mode string

// The modes by the extension's names.
const (
	Attributes Mode = "ATTRIBUTES" // count elements of stride bytes
	Triangles  Mode = "TRIANGLES"  // count indices, three for a triangle
	Indices    Mode = "INDICES"    // count indices in any order
)

// Filter says how decoded attributes become what accessors read.
type Filter string

// The filters by the extensions' names; the empty one is None as well.
const (
	None        Filter = "NONE"
	Octahedral  Filter = "OCTAHEDRAL"  // unit vectors of 8 or 16 bits
	Quaternion  Filter = "QUATERNION"  // unit quaternions of 16 bits
	Exponential Filter = "EXPONENTIAL" // floats with a shared or own exponent
	Color       Filter = "COLOR"       // luma and chroma of 8 or 16 bits
)

// Decode gives the count elements of stride bytes that data holds, little-endian. It makes
// count×stride bytes and some 64 kB beside them.
func Decode(data []byte, mode Mode, filter Filter, count, stride int) ([]byte, error) {
	if count < 0 || stride <= 0 || stride > 256 {
		return nil, wrong(0, "%d elements of %d bytes are asked for", count, stride)
	}
	var out []byte
	var err error
	switch mode {
	case Attributes:
		out, err = attributes(data, count, stride)
	case Triangles, Indices:
		if stride != 2 && stride != 4 {
			return nil, wrong(0, "indices of %d bytes are asked for; they have 2 or 4", stride)
		}
		if filter != "" && filter != None {
			return nil, wrong(0, "indices have no filter, and %q is asked for", string(filter))
		}
		var idx []uint32
		if mode == Triangles {
			idx, err = triangles(data, count)
		} else {
			idx, err = sequence(data, count)
		}
		if err == nil {
			out, err = packed(idx, stride)
		}
	default:
		return nil, wrong(0, "the mode %q is unknown", string(mode))
	}
	if err != nil {
		return nil, err
	}
	if err := filter.undo(out, stride); err != nil {
		return nil, err
	}
	return out, nil
}

// packed writes indices in 2 or 4 bytes each.
func packed(idx []uint32, stride int) ([]byte, error) {
	out := make([]byte, len(idx)*stride)
	for i, v := range idx {
		if stride == 4 {
			binary.LittleEndian.PutUint32(out[4*i:], v)
			continue
		}
		if v > math.MaxUint16 {
			return nil, wrong(0, "index %d is %d, which 2 bytes don't hold", i, v)
		}
		binary.LittleEndian.PutUint16(out[2*i:], uint16(v))
	}
	return out, nil
}

// undo turns stored numbers into those an accessor reads, in place.
func (f Filter) undo(data []byte, stride int) error {
	switch f {
	case "", None:
		return nil
	case Octahedral, Color:
		if stride != 4 && stride != 8 {
			return wrong(0, "the filter %s is for elements of 4 or 8 bytes, not %d", string(f), stride)
		}
		element := octahedral
		if f == Color {
			element = colour
		}
		var v [4]int32
		for at := 0; at < len(data); at += stride {
			get(&v, data[at:at+stride])
			element(&v, int32(1)<<(2*stride-1)-1)
			put(&v, data[at:at+stride])
		}
	case Quaternion:
		if stride != 8 {
			return wrong(0, "the filter %s is for elements of 8 bytes, not %d", string(f), stride)
		}
		var v [4]int32
		for at := 0; at < len(data); at += stride {
			get(&v, data[at:at+stride])
			quaternion(&v)
			put(&v, data[at:at+stride])
		}
	case Exponential:
		if stride%4 != 0 {
			return wrong(0, "the filter %s is for elements of whole floats, not %d bytes", string(f), stride)
		}
		for at := 0; at < len(data); at += 4 {
			v := int32(binary.LittleEndian.Uint32(data[at:]))
			f := math.Ldexp(float64(v<<8>>8), int(v>>24))
			binary.LittleEndian.PutUint32(data[at:], math.Float32bits(float32(f)))
		}
	default:
		return wrong(0, "the filter %q is unknown", string(f))
	}
	return nil
}

// get reads four signed numbers of a byte or of two each, as many as b has room for.
func get(v *[4]int32, b []byte) {
	for k := range v {
		if len(b) == 4 {
			v[k] = int32(int8(b[k]))
		} else {
			v[k] = int32(int16(binary.LittleEndian.Uint16(b[2*k:])))
		}
	}
}

// put writes what get reads.
func put(v *[4]int32, b []byte) {
	for k, n := range v {
		if len(b) == 4 {
			b[k] = byte(n)
		} else {
			binary.LittleEndian.PutUint16(b[2*k:], uint16(n))
		}
	}
}

// octahedral unfolds a unit vector: x and y lie on the folded octahedron, z holds what
// stands for one; largest is the largest number of the type.
func octahedral(v *[4]int32, largest int32) {
	x, y := float64(v[0]), float64(v[1])
	z := float64(v[2]) - math.Abs(x) - math.Abs(y)
	fold := min(z, 0)
	x -= math.Copysign(fold, x)
	y -= math.Copysign(fold, y)
	n := math.Sqrt(x*x + y*y + z*z)
	if n == 0 {
		v[0], v[1], v[2] = 0, 0, largest
		return
	}
	s := float64(largest) / n
	v[0], v[1], v[2] = nearest(x*s), nearest(y*s), nearest(z*s)
}

// quaternion restores the largest of four components, whose place the two lowest bits of
// the last number tell; the rest of that number stands for one.
func quaternion(v *[4]int32) {
	place := v[3] & 3
	s := math.Sqrt2 / 2 / float64(v[3]|3)
	x, y, z := float64(v[0])*s, float64(v[1])*s, float64(v[2])*s
	w := math.Sqrt(max(0, 1-x*x-y*y-z*z))
	for k, c := range [4]float64{w, x, y, z} {
		v[(int(place)+k)&3] = nearest(c * math.MaxInt16)
	}
}

// colour turns luma, two chromas and a scaled opacity into four unsigned numbers of all
// bits of their type. The highest bit of the fourth says how many bits were kept.
func colour(v *[4]int32, largest int32) {
	full := 2*largest + 1
	alpha := v[3] & full
	bits := 0
	for n := alpha; n > 0; n >>= 1 {
		bits++
	}
	one := int32(1)<<bits - 1
	if bits == 0 {
		v[0], v[1], v[2], v[3] = 0, 0, 0, 0
		return
	}
	y, co, cg := v[0]&full, v[1], v[2]
	r, g, b := y+co-cg, y+cg, y-co-cg
	a := alpha&(one>>1)<<1 | alpha&1
	s := float64(full) / float64(one)
	for k, c := range [4]int32{r, g, b, a} {
		v[k] = int32(min(max(float64(c)*s+0.5, 0), float64(full)))
	}
}

// nearest rounds to the nearest whole number, halves away from zero.
func nearest(v float64) int32 { return int32(v + math.Copysign(0.5, v)) }
