package webp

import (
	"cmp"
	"math/bits"
	"slices"

	"yarvek/core/queue"
)

// The alphabets (section 5.2): green and lengths of repeats, red, blue, alpha, and distances.
const (
	literals  = 256
	lengths   = 24
	distances = 40
	// plane is what is added to a distance: the first 120 codes say where in the plane a repeat begins.
	plane = 120
	// longest and farthest bound a repeat.
	longest  = 4096
	farthest = 1<<20 - plane - 1
)

// repeat says that n pixels from at on are those that stand so many before.
type repeat struct{ at, n, distance int32 }

// chain is how many earlier places are looked at for a repeat, and worth from how many pixels on one is
// told.
const (
	chain = 12
	worth = 4
)

// repeats finds what is there already, from the front and each time the longest: places of the same two
// pixels are kept in chains by their hash. Memory is four bytes a pixel, and what is found.
func repeats(px []uint32) (list []repeat) {
	const hashBits = 16
	head := make([]int32, 1<<hashBits)
	for i := range head {
		head[i] = -1
	}
	before := make([]int32, len(px))
	hash := func(i int) uint32 {
		return uint32((uint64(px[i])*0x9e3779b97f4a7c15 ^ uint64(px[i+1])*0xc2b2ae3d27d4eb4f) >> (64 - hashBits))
	}
	enter := func(i int) {
		if i+1 < len(px) {
			h := hash(i)
			before[i], head[h] = head[h], int32(i)
		}
	}
	for i := 0; i+worth <= len(px); {
		best, from := 0, 0
		at := head[hash(i)]
		for k := 0; k < chain && at >= 0 && i-int(at) <= farthest; k++ {
			n := 0
			for n < longest && i+n < len(px) && px[int(at)+n] == px[i+n] {
				n++
			}
			if n > best {
				best, from = n, int(at)
			}
			at = before[at]
		}
		if best < worth {
			enter(i)
			i++
			continue
		}
		list = append(list, repeat{int32(i), int32(best), int32(i - from)})
		for k := range best {
			if k < 64 || k > best-4 { // a long run need not be entered all along
				enter(i + k)
			}
		}
		i += best
	}
	return list
}

// prefix is the code of a length or a distance, with how many more bits follow and which.
func prefix(v int) (code int, more uint, extra uint32) {
	d := v - 1
	if d < 4 {
		return d, 0, 0
	}
	high := bits.Len(uint(d)) - 1
	more = uint(high - 1)
	return 2*high + d>>more&1, more, uint32(d & (1<<more - 1))
}

// codes writes pixels with five prefix codes of their own.
func (b *bitWriter) codes(px []uint32, width int) {
	list := repeats(px)
	var counts [5][]int
	for k, n := range [5]int{literals + lengths, literals, literals, literals, distances} {
		counts[k] = make([]int, n)
	}
	each := func(literal func(p uint32), again func(r repeat)) {
		i := 0
		for _, r := range append(list, repeat{at: int32(len(px))}) {
			for ; i < int(r.at); i++ {
				literal(px[i])
			}
			if r.n > 0 {
				again(r)
				i += int(r.n)
			}
		}
	}
	each(func(p uint32) {
		counts[0][p>>8&0xff]++
		counts[1][p>>16&0xff]++
		counts[2][p&0xff]++
		counts[3][p>>24]++
	}, func(r repeat) {
		n, _, _ := prefix(int(r.n))
		d, _, _ := prefix(int(r.distance) + plane)
		counts[0][literals+n]++
		counts[4][d]++
	})
	var code [5]code
	for k := range code {
		code[k] = codeOf(counts[k], 15)
		b.lengths(code[k])
	}
	each(func(p uint32) {
		code[0].write(b, int(p>>8&0xff))
		code[1].write(b, int(p>>16&0xff))
		code[2].write(b, int(p&0xff))
		code[3].write(b, int(p>>24))
	}, func(r repeat) {
		n, more, extra := prefix(int(r.n))
		code[0].write(b, literals+n)
		b.put(extra, more)
		d, more, extra := prefix(int(r.distance) + plane)
		code[4].write(b, d)
		b.put(extra, more)
	})
}

// code is a canonical prefix code: of each symbol how many bits, and which, the first one lowest.
type code struct {
	length []uint8
	bits   []uint16
	one    int // the only symbol, which is written with no bits; -1 when there are more
}

func (c code) write(b *bitWriter, symbol int) {
	if c.one < 0 {
		b.put(uint32(c.bits[symbol]), uint(c.length[symbol]))
	}
}

// tree is what is still to be joined (Huffman 1952).
type tree struct {
	count, order int
	symbols      []int
}

// codeOf is the shortest code for symbols that occur so often, with no more than most bits: rare ones are
// taken for more frequent until it has.
func codeOf(counts []int, most uint8) code {
	c := code{length: make([]uint8, len(counts)), one: -1}
	for floor := 1; ; floor *= 2 {
		t := queue.By(func(a, b tree) int {
			return cmp.Or(cmp.Compare(a.count, b.count), cmp.Compare(a.order, b.order))
		})
		clear(c.length)
		for s, n := range counts {
			if n > 0 {
				t.Put(tree{max(n, floor), s, []int{s}})
			}
		}
		if t.Len() < 2 {
			if c.one = 0; t.Len() == 1 {
				c.one = t.Take().order
			}
			return c
		}
		for order := len(counts); t.Len() > 1; order++ {
			x, y := t.Take(), t.Take()
			both := append(x.symbols, y.symbols...)
			for _, s := range both {
				c.length[s]++
			}
			t.Put(tree{x.count + y.count, order, both})
		}
		if slices.Max(c.length) <= most {
			break
		}
	}
	c.bits = make([]uint16, len(counts))
	next := uint16(0)
	for n := uint8(1); n <= most; n++ {
		next <<= 1
		for s, l := range c.length {
			if l == n {
				c.bits[s] = bits.Reverse16(next) >> (16 - n)
				next++
			}
		}
	}
	return c
}

// inOrder is the order in which lengths of the code for lengths are written.
var inOrder = [...]int{17, 18, 0, 1, 2, 3, 4, 5, 16, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15}

// run is a word of the code for lengths: a length, or one of the words for runs with how long.
type run struct {
	word  int
	extra uint32
	more  uint
}

// lengths writes a code by the lengths of its symbols (section 6.2.1).
func (b *bitWriter) lengths(c code) {
	if c.one >= 0 && c.one < 256 { // a simple code of one symbol
		b.put(1, 1)
		b.put(0, 1)
		b.put(1, 1)
		b.put(uint32(c.one), 8)
		return
	}
	var runs []run
	for i := 0; i < len(c.length); {
		n := 1
		for i+n < len(c.length) && c.length[i+n] == c.length[i] {
			n++
		}
		l := int(c.length[i])
		i += n
		if l != 0 {
			runs = append(runs, run{word: l})
			n--
		}
		for n > 0 {
			switch {
			case l == 0 && n >= 11:
				k := min(n, 138)
				runs, n = append(runs, run{18, uint32(k - 11), 7}), n-k
			case l == 0 && n >= 3:
				k := min(n, 10)
				runs, n = append(runs, run{17, uint32(k - 3), 3}), n-k
			case l != 0 && n >= 3:
				k := min(n, 6)
				runs, n = append(runs, run{16, uint32(k - 3), 2}), n-k
			default:
				runs, n = append(runs, run{word: l}), n-1
			}
		}
	}
	counts := make([]int, len(inOrder))
	for _, r := range runs {
		counts[r.word]++
	}
	of := codeOf(counts, 7)
	if of.one >= 0 { // a single word still needs a length
		of.length[of.one] = 1
	}
	last := len(inOrder)
	for last > 4 && of.length[inOrder[last-1]] == 0 {
		last--
	}
	b.flag(false)
	b.put(uint32(last-4), 4)
	for _, w := range inOrder[:last] {
		b.put(uint32(of.length[w]), 3)
	}
	b.flag(false) // lengths for the whole alphabet
	for _, r := range runs {
		of.write(b, r.word)
		b.put(r.extra, r.more)
	}
}
