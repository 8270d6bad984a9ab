package draco

import (
	"cmp"
	"encoding/binary"
	"errors"
	"maps"
	"math"
	"slices"

	"yarvek/core/split"
)

// coding is how the values of an attribute are written.
type coding uint8

const (
	raw       coding = iota // bytes as they stood
	integers                // whole numbers
	quantized               // floats on a grid
	octahedra               // unit vectors on an unfolded octahedron
)

// attributes reads all layers: first how they are grouped, then what they are, then
// their values, group by group.
func (d *decoder) attributes() error {
	n := int(d.byte())
	if d.err != nil || n > maxAttributes {
		return d.fail("%d groups of layers are announced; %d are the most", n, maxAttributes)
	}
	orders := make([]*order, n)
	for i := range orders {
		var err error
		if orders[i], err = d.order(); err != nil {
			return err
		}
	}
	from := make([]int, n+1)
	for i := range n {
		if err := d.describe(); err != nil {
			return err
		}
		from[i+1] = len(d.mesh.Attributes)
	}
	different := slices.Collect(maps.Values(d.orders))
	err := split.Each(d.ctx, len(different), func(i int) { different[i].sequence, different[i].err = different[i].walk() })
	if err != nil {
		return err
	}
	work := make([][]func() error, 0, maxAttributes)
	for i, o := range orders {
		if o.err != nil {
			return o.err
		}
		group := d.mesh.Attributes[from[i]:from[i+1]]
		jobs, err := d.values(group, o.sequence)
		if err != nil {
			return err
		}
		for k := range group {
			if group[k].Kind != Position { // which others may be foretold from
				work = append(work, jobs[k])
			} else if err := inTurn(jobs[k]); err != nil {
				return err
			}
		}
	}
	wrong := make([]error, len(work))
	err = split.Each(d.ctx, len(work), func(i int) { wrong[i] = inTurn(work[i]) })
	return cmp.Or(err, errors.Join(wrong...))
}

// inTurn does what is left of a layer when its bytes were read.
func inTurn(jobs []func() error) error {
	for _, f := range jobs {
		if err := f(); err != nil {
			return err
		}
	}
	return nil
}

// order reads in which order a group stands, and on which mesh. Groups may share one.
func (d *decoder) order() (*order, error) {
	if d.base == nil {
		return &order{sequence: inOrder(d.mesh.Points)}, nil
	}
	layer, perCorner, method := int(int8(d.byte())), d.byte(), d.byte()
	if d.err != nil {
		return nil, d.err
	}
	if layer >= len(d.layers) || perCorner > 1 || method > 1 || perCorner == 1 && (layer < 0 || method != 0) {
		return nil, d.fail("a group of layers stands in an order there is not")
	}
	t := d.base
	if perCorner == 1 {
		t = d.layers[layer].table
	}
	walk := d.depthFirst
	if method != 0 {
		walk = d.byDegree
	}
	key := orderOf{t, method}
	if o, ok := d.orders[key]; ok {
		return o, nil
	}
	o := &order{walk: func() (*sequence, error) { return walk(t) }}
	d.orders[key] = o
	return o, nil
}

// order is a sequence that groups stand in, and how it is made.
type order struct {
	walk func() (*sequence, error)
	*sequence
	err error
}

// orderOf tells an order from others: the mesh, and how its faces are passed.
type orderOf struct {
	table  *table
	method byte
}

// describe reads what the layers of a group are.
func (d *decoder) describe() error {
	n := d.count()
	first := len(d.mesh.Attributes)
	if first+n > maxAttributes {
		return d.fail("%d layers are announced; %d are the most", first+n, maxAttributes)
	}
	for range n {
		a := Attribute{Kind: Kind(d.byte()), Type: Type(d.byte()), Components: int(d.byte()), Normalized: d.byte() != 0,
			ID: uint32(d.varint())}
		if d.err == nil && (a.Type.size() == 0 || a.Components == 0) {
			return d.fail("a layer of %d numbers of type %d", a.Components, a.Type)
		}
		if a.Components > 16 {
			return UnsupportedError("a layer of more than 16 numbers a point")
		}
		d.mesh.Attributes = append(d.mesh.Attributes, a)
	}
	for i := range n {
		c := coding(d.byte())
		a := &d.mesh.Attributes[first+i]
		if a.coding = c; c > octahedra || c == octahedra && a.Components != 3 {
			return d.fail("layer %d is coded in the unknown way %d", first+i, c)
		}
	}
	return d.err
}

// values reads the values of a group: all whole numbers, then how they are scaled. What is
// left to do for each layer does not read on.
func (d *decoder) values(group []Attribute, s *sequence) (jobs [][]func() error, err error) {
	entries := s.entries(&d.mesh)
	jobs = make([][]func() error, len(group))
	for i := range group {
		a := &group[i]
		a.Entry = entries
		if a.coding == raw {
			if err := d.rawValues(a, len(s.point)); err != nil {
				return nil, err
			}
			continue
		}
		undo, err := d.wholeValues(a, s)
		if err != nil {
			return nil, err
		}
		jobs[i] = append(jobs[i], undo)
	}
	for i := range group {
		if scale := d.scale(&group[i]); scale != nil {
			jobs[i] = append(jobs[i], scale)
		}
	}
	return jobs, d.err
}

// rawValues reads n values as they stood.
func (d *decoder) rawValues(a *Attribute, n int) error {
	size := a.Type.size()
	data := d.take(n * a.Components * size)
	if d.err != nil {
		return d.err
	}
	a.Values = make([]float64, n*a.Components)
	for i := range a.Values {
		a.Values[i] = a.Type.number(data[i*size:])
	}
	return nil
}

// number reads one of the type.
func (t Type) number(b []byte) float64 {
	switch t {
	case Int8:
		return float64(int8(b[0]))
	case Uint8, Bool:
		return float64(b[0])
	case Int16:
		return float64(int16(binary.LittleEndian.Uint16(b)))
	case Uint16:
		return float64(binary.LittleEndian.Uint16(b))
	case Int32:
		return float64(int32(binary.LittleEndian.Uint32(b)))
	case Uint32:
		return float64(binary.LittleEndian.Uint32(b))
	case Int64:
		return float64(int64(binary.LittleEndian.Uint64(b)))
	case Uint64:
		return float64(binary.LittleEndian.Uint64(b))
	case Float32:
		return float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
	}
	return math.Float64frombits(binary.LittleEndian.Uint64(b))
}

// narrow is whole number v as the type holds it.
func (t Type) narrow(v int32) float64 {
	switch t {
	case Int8:
		return float64(int8(v))
	case Uint8, Bool:
		return float64(uint8(v))
	case Int16:
		return float64(int16(v))
	case Uint16:
		return float64(uint16(v))
	case Uint32, Uint64:
		return float64(uint32(v))
	}
	return float64(v)
}

// wholeValues reads values as corrections of what is foretold; what it returns adds them up.
func (d *decoder) wholeValues(a *Attribute, s *sequence) (func() error, error) {
	n := a.Components
	if a.coding == octahedra {
		n = 2
	}
	p := predictor{decoder: d, sequence: s, n: n, method: method(int8(d.byte()))}
	if p.method != unforetold {
		p.rule = rule(int8(d.byte()))
	}
	compressed := d.byte()
	out := make([]int32, n*len(s.point))
	switch size := 0; {
	case d.err != nil:
	case compressed > 0:
		d.symbols(out, n)
	default:
		size = int(d.byte())
		data := d.take(size * len(out))
		if size < 1 || size > 4 || data == nil && len(out) > 0 {
			return nil, d.fail("whole numbers of %d bytes", size)
		}
		for i := range out {
			for k := range size {
				out[i] |= int32(data[i*size+k]) << (8 * k)
			}
		}
	}
	if d.err != nil {
		return nil, d.err
	}
	a.portable = out
	undo, err := p.undo(out)
	if err != nil {
		return nil, err
	}
	return func() error {
		if p.method == unforetold || p.rule != canonical {
			signed(out)
		}
		return undo()
	}, nil
}

// scale reads how whole numbers become the values of a layer; what it returns makes them.
func (d *decoder) scale(a *Attribute) func() error {
	switch a.coding {
	case integers:
		return func() error {
			a.Values = make([]float64, len(a.portable))
			for i, v := range a.portable {
				a.Values[i] = a.Type.narrow(v)
			}
			return nil
		}
	case quantized:
		low := make([]float32, a.Components)
		for i := range low {
			low[i] = math.Float32frombits(d.uint32())
		}
		span := math.Float32frombits(d.uint32())
		bits := int(d.byte())
		if d.err != nil || bits < 1 || bits > 31 {
			d.fail("a grid of %d bits", bits)
			return nil
		}
		step := span / float32(uint32(1)<<bits-1)
		return func() error {
			a.Values = make([]float64, len(a.portable))
			for i, k := 0, 0; i < len(a.portable); i++ {
				// Rounded to 32 bits at each step, as the encoder counted on.
				scaled := float32(float32(a.portable[i]) * step)
				a.Values[i] = float64(scaled + low[k])
				if k++; k == len(low) {
					k = 0
				}
			}
			return nil
		}
	case octahedra:
		bits := int(d.byte())
		if d.err != nil || bits < 2 || bits > 30 {
			d.fail("unit vectors of %d bits", bits)
			return nil
		}
		return func() error {
			o := newOctahedron(bits)
			a.Values = make([]float64, len(a.portable)/2*3)
			for i := range len(a.portable) / 2 {
				v := o.unit(a.portable[2*i], a.portable[2*i+1])
				copy(a.Values[3*i:], v[:])
			}
			return nil
		}
	}
	return nil
}
