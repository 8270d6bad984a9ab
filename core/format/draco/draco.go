// Package draco decodes meshes of the Draco bitstream, version 2.2, which glTF carries in
// KHR_draco_mesh_compression (the bitstream's own specification, “Draco 3D Data Compression
// — Bitstream”; connectivity after Rossignac 1999, “Edgebreaker”, and its valence coding;
// entropy coding after Duda 2009, “Asymmetric numeral systems”).
//
// A stream is read in stages, each in a file of its own: the head (draco.go), the
// connectivity (connect.go over corners.go), the order in which values stand
// (traverse.go), the values (attribute.go, predict.go, octahedral.go), all of them through
// the entropy coder (entropy.go).
//
// Time and memory grow in proportion to the faces and values; faces are bounded by the
// caller, points by faces, values by points, and nothing a stream claims is allocated before
// it is checked against these.
package draco

import (
	"context"
	"fmt"
)

// A FormatError says where a stream is not what the specification asks for.
type FormatError struct {
	Offset int // byte of the stream, where it was noticed
	What   string
}

// Error tells the byte and what was found there.
func (e *FormatError) Error() string {
	return fmt.Sprintf("compressed mesh, byte %d: %s", e.Offset, e.What)
}

func wrong(at int, format string, args ...any) error {
	return &FormatError{at, fmt.Sprintf(format, args...)}
}

// An UnsupportedError names what a sound stream asks for and this package does not decode.
type UnsupportedError string

// Error says what it is.
func (e UnsupportedError) Error() string { return "compressed mesh: " + string(e) + " is not decoded" }

// Kind says what an attribute means, by the specification's numbers.
type Kind uint8

// The kinds of attributes.
const (
	Position Kind = iota
	Normal
	Color
	TexCoord
	Generic
)

// Type is how an attribute's numbers were kept before they were compressed, by the
// specification's numbers.
type Type uint8

// The types of numbers.
const (
	Int8 Type = iota + 1
	Uint8
	Int16
	Uint16
	Int32
	Uint32
	Int64
	Uint64
	Float32
	Float64
	Bool
)

// size is a number's size in bytes, 0 for a type that there is not.
func (t Type) size() int {
	return [...]int{0, 1, 1, 2, 2, 4, 4, 8, 8, 4, 8, 1}[min(t, Bool+1)%(Bool+1)]
}

// Attribute is a layer of values; Entry tells for every point of the mesh which of them it
// has.
type Attribute struct {
	ID         uint32 // by which the file that holds the stream refers to it
	Kind       Kind
	Type       Type
	Normalized bool
	Components int       // numbers in a value
	Values     []float64 // Components for each value; whole numbers stand as they are
	Entry      []int32   // of each point, the number of its value

	portable []int32 // values before they were scaled back, for predictions of others
	coding   coding
}

// Mesh is a decoded mesh of triangles.
type Mesh struct {
	Points     int     // with values; corners refer to them
	Corners    []int32 // three for each triangle
	Attributes []Attribute
}

// maxAttributes bounds the layers of a stream.
const maxAttributes = 64

// Method of connectivity.
const (
	sequential  = 0
	edgebreaker = 1
)

// decoder goes through a stream.
type decoder struct {
	buffer
	ctx   context.Context
	limit int // faces
	faces int
	mesh  Mesh

	// With Edgebreaker only:
	base   *table    // of positions
	layers []*seamed // of attributes
	broken []*seamed // those with seams that are no borders
	orders map[orderOf]*order
}

// Decode decodes a mesh of no more than limit faces. The context stops it.
func Decode(ctx context.Context, data []byte, limit int) (*Mesh, error) {
	d := &decoder{ctx: ctx, limit: limit, buffer: buffer{data: data}, orders: map[orderOf]*order{}}
	method, err := d.head()
	if err != nil {
		return nil, err
	}
	if method == sequential {
		err = d.plain()
	} else {
		err = d.connect()
	}
	if err != nil {
		return nil, err
	}
	if err := d.attributes(); err != nil {
		return nil, err
	}
	return &d.mesh, nil
}

// head reads the header and steps over metadata, and returns the method of connectivity.
func (d *decoder) head() (method byte, err error) {
	if len(d.data) < 11 || string(d.data[:5]) != "DRACO" {
		return 0, d.fail("the stream does not begin as a compressed mesh does")
	}
	major, minor, kind, method := d.data[5], d.data[6], d.data[7], d.data[8]
	flags := uint16(d.data[9]) | uint16(d.data[10])<<8
	d.at = 11
	switch {
	case major != 2 || minor != 2:
		return 0, UnsupportedError(fmt.Sprintf("version %d.%d of the bitstream (2.2 is)", major, minor))
	case kind == 0:
		return 0, UnsupportedError("a cloud of points")
	case kind != 1 || method > edgebreaker:
		return 0, d.fail("a stream of kind %d and method %d is none of a mesh", kind, method)
	}
	if flags&0x8000 != 0 {
		for range d.count() {
			d.varint()
			d.metadata(0)
			if d.err != nil {
				break
			}
		}
		d.metadata(0)
	}
	return method, d.err
}

// metadata steps over names and values, and those within.
func (d *decoder) metadata(depth int) {
	if depth > 16 {
		d.fail("metadata are nested deeper than 16 levels")
	}
	for n := d.count(); n > 0 && d.err == nil; n-- {
		d.skip(int(d.byte()))
		d.skip(d.count())
	}
	for n := d.count(); n > 0 && d.err == nil; n-- {
		d.skip(int(d.byte()))
		d.metadata(depth + 1)
	}
}

// stopped tells every 65 536 steps whether anybody still waits.
func (d *decoder) stopped(step int) bool { return step&0xffff == 0 && d.ctx.Err() != nil }
