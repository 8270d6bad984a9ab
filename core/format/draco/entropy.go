package draco

import (
	"encoding/binary"
	"math/bits"
)

// buffer reads a stream from its front. After the first error everything reads as zero, so
// a stage may look at err once, but for loops whose length was read: those look before.
type buffer struct {
	data []byte
	at   int
	err  error
}

// fail keeps the first error and returns it.
func (b *buffer) fail(format string, args ...any) error {
	if b.err == nil {
		b.err = wrong(b.at, format, args...)
	}
	return b.err
}

// take returns the next n bytes, nil when there are fewer.
func (b *buffer) take(n int) []byte {
	if b.err != nil || n < 0 || n > len(b.data)-b.at {
		b.fail("the stream ends, and %d bytes more are needed", n)
		return nil
	}
	b.at += n
	return b.data[b.at-n : b.at]
}

func (b *buffer) skip(n int) { b.take(n) }

func (b *buffer) byte() byte {
	if v := b.take(1); v != nil {
		return v[0]
	}
	return 0
}

func (b *buffer) uint32() uint32 {
	if v := b.take(4); v != nil {
		return binary.LittleEndian.Uint32(v)
	}
	return 0
}

// varint reads a number of seven bits a byte.
func (b *buffer) varint() uint64 {
	var v uint64
	for shift := 0; shift < 64; shift += 7 {
		c := b.byte()
		v |= uint64(c&0x7f) << shift
		if c < 0x80 {
			return v
		}
	}
	b.fail("a number is longer than its bytes")
	return 0
}

// count reads a number of things of which each takes a byte at least.
func (b *buffer) count() int {
	n := b.varint()
	if n > uint64(len(b.data)-b.at) {
		b.fail("%d things are announced in %d bytes", n, len(b.data)-b.at)
		return 0
	}
	return int(n)
}

// packed reads single bits, the lowest of a byte first.
type packed struct {
	data []byte
	at   int // in bits
}

// get reads n bits, up to 32; beyond the end they are zero and left counts below zero.
func (p *packed) get(n int) uint32 {
	i, shift := p.at>>3, p.at&7
	p.at += n
	var v uint64
	if i+8 <= len(p.data) {
		v = binary.LittleEndian.Uint64(p.data[i:])
	} else {
		for k := 0; i+k < len(p.data); k++ {
			v |= uint64(p.data[i+k]) << (8 * k)
		}
	}
	return uint32(v >> shift & (1<<n - 1))
}

// over tells that more bits were read than there are.
func (p *packed) over() bool { return p.at > 8*len(p.data) }

// state is an asymmetric numeral system read from the back of its bytes.
type state struct {
	data []byte
	at   int // bytes that are left
	x    uint32
	base uint32 // x is kept from here on
}

// start reads the last bytes, which hold the state; long allows four of them.
func (s *state) start(data []byte, base uint32, long bool) bool {
	if len(data) == 0 {
		return false
	}
	n := int(data[len(data)-1]>>6) + 1
	if n > len(data) || n == 4 && !long {
		return false
	}
	var v uint32
	for k := range n {
		v |= uint32(data[len(data)-n+k]) << (8 * k)
	}
	v &= 1<<(8*n-2) - 1
	*s = state{data: data, at: len(data) - n, x: v + base, base: base}
	return s.x < base<<8
}

// fill brings the state back into its range while there are bytes.
func (s *state) fill() {
	for s.x < s.base && s.at > 0 {
		s.at--
		s.x = s.x<<8 | uint32(s.data[s.at])
	}
}

// coin reads bits of which one kind is likelier than the other.
type coin struct {
	state
	zero uint32 // of 256, how likely a 0 is
}

// coin reads the head of a run of such bits and steps over the run.
func (b *buffer) coin() coin {
	c := coin{zero: uint32(b.byte())}
	data := b.take(b.count())
	if b.err == nil && !c.start(data, 4096, false) {
		b.fail("a run of bits has no state at its end")
	}
	return c
}

// bit reads one.
func (c *coin) bit() bool {
	c.fill()
	one := 256 - c.zero
	quot, rem := c.x>>8, c.x&255
	xn := quot * one
	if rem < one {
		c.x = xn + rem
		return true
	}
	c.x -= xn + one
	return false
}

// alphabet is a run of symbols, each as long as it is rare.
type alphabet struct {
	state
	width uint     // of a slot number, in bits
	slot  []uint32 // slot to symbol
	prob  []uint32 // symbol to its number of slots
	start []uint32 // symbol to its first slot
}

// alphabet reads the table of symbols of up to size bits, and steps over their run.
//
// The table says how many of 2^width slots each symbol has: two bits for how many bytes more its number takes,
// or for a run of symbols with none, then the number. The shares have to fill all slots. A state is then taken
// apart by width bits: the slot names the symbol, and the rest goes into the next state (range variant of
// asymmetric numeral systems).
func (b *buffer) alphabet(size int) *alphabet {
	a := &alphabet{width: uint(min(max(3*size/2, 12), 20))}
	n := b.varint()
	if b.err != nil || n/64 > uint64(len(b.data)-b.at) || n > 1<<20 {
		b.fail("%d symbols are announced in %d bytes", n, len(b.data)-b.at)
		return nil
	}
	a.prob = make([]uint32, n)
	for i := 0; i < len(a.prob) && b.err == nil; i++ {
		v := b.byte()
		if v&3 == 3 { // a run of symbols that don't occur
			i += int(v >> 2)
			if i >= len(a.prob) {
				b.fail("a table of %d symbols has more", n)
			}
			continue
		}
		p := uint32(v >> 2)
		for k := range v & 3 {
			p |= uint32(b.byte()) << (8*(k+1) - 2)
		}
		a.prob[i] = p
	}
	a.slot, a.start = make([]uint32, 1<<a.width), make([]uint32, n)
	at := uint64(0)
	for i, p := range a.prob {
		if at+uint64(p) > uint64(len(a.slot)) {
			b.fail("the symbols of a table take more than their share")
			return nil
		}
		a.start[i] = uint32(at)
		for k := range a.slot[at : at+uint64(p)] {
			a.slot[at+uint64(k)] = uint32(i)
		}
		at += uint64(p)
	}
	if n > 0 && at != uint64(len(a.slot)) {
		b.fail("the symbols of a table take less than their share")
		return nil
	}
	run := b.take(b.count())
	if b.err == nil && !a.state.start(run, 4<<a.width, true) {
		b.fail("a run of symbols has no state at its end")
	}
	return a
}

// symbol reads one.
func (a *alphabet) symbol() uint32 {
	a.fill()
	quot, rem := a.x>>a.width, a.x&(1<<a.width-1)
	s := a.slot[rem]
	a.x = quot*a.prob[s] + rem - a.start[s]
	return s
}

// symbols reads len(out) numbers, n of which belong to one value and may share a length.
func (b *buffer) symbols(out []int32, n int) {
	if len(out) == 0 || b.err != nil {
		return
	}
	switch scheme := b.byte(); scheme {
	case 0: // a length for each value, then its numbers in as many bits
		a := b.alphabet(5)
		if b.err != nil || len(a.prob) == 0 {
			b.fail("numbers have no table of lengths")
			return
		}
		p := packed{data: b.data[b.at:]}
		for i := 0; i < len(out); i += n {
			size := int(a.symbol())
			if size > 32 {
				b.fail("a number of %d bits", size)
				return
			}
			for k := range n {
				out[i+k] = int32(p.get(size))
			}
		}
		if p.over() {
			b.fail("the stream ends within its numbers")
			return
		}
		b.at += (p.at + 7) / 8
	case 1:
		size := int(b.byte())
		if size < 1 || size > 18 {
			b.fail("symbols of %d bits", size)
			return
		}
		a := b.alphabet(size)
		if b.err != nil || len(a.prob) == 0 {
			b.fail("numbers have no table of symbols")
			return
		}
		for i := range out {
			out[i] = int32(a.symbol())
		}
	default:
		b.fail("numbers are written in the unknown way %d", scheme)
	}
}

// signed undoes the folding of negative numbers among the positive ones, in place.
func signed(v []int32) {
	for i, n := range v {
		v[i] = int32(uint32(n)>>1) ^ -(n & 1)
	}
}

// width is the number of bits that v needs.
func width(v uint32) int { return bits.Len32(v) }
