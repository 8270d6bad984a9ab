package meshopt

import "math/bits"

const (
	blockBytes = 8192 // of the elements that are decoded together, at most
	blockMost  = 256  // elements in a block
	groupSize  = 16   // bytes that share a width
)

// attributes decodes count elements of stride bytes. Bytes at one place within their
// elements are stored together, as differences to the element before; the first element's
// own base stands at the end of the stream.
func attributes(data []byte, count, stride int) ([]byte, error) {
	if stride%4 != 0 {
		return nil, wrong(0, "attributes of %d bytes are asked for; they have a multiple of 4", stride)
	}
	if len(data) == 0 || data[0] != 0xa0 && data[0] != 0xa1 {
		return nil, wrong(0, "the stream of attributes does not begin with a0 or a1")
	}
	d := vertices{data: data, at: 1, stride: stride, second: data[0] == 0xa1}
	tail, least := stride, 32
	if d.second {
		tail, least = stride+stride/4, 24
	}
	if len(data) < 1+max(tail, least) {
		return nil, wrong(len(data), "the stream ends before its base element")
	}
	d.end = len(data) - max(tail, least)
	d.last = append([]byte(nil), data[len(data)-tail:len(data)-tail+stride]...)
	d.channels = make([]byte, stride/4)
	if d.second {
		copy(d.channels, data[len(data)-stride/4:])
	}
	block := min(blockBytes/stride&^(groupSize-1), blockMost)
	if blocks := (count + block - 1) / block; blocks > (d.end-d.at)/(stride/4) {
		return nil, wrong(len(data), "%d elements are asked for, more than the stream can hold", count)
	}
	out := make([]byte, count*stride)
	for from := 0; from < count; from += block {
		n := min(block, count-from)
		if err := d.block(out[from*stride:(from+n)*stride], n); err != nil {
			return nil, err
		}
	}
	if d.at != d.end {
		return nil, wrong(d.at, "%d bytes are left over", d.end-d.at)
	}
	return out, nil
}

// vertices is how far the decoding of attributes came: at in data, before end, with the
// element last decoded.
type vertices struct {
	data     []byte
	at, end  int
	stride   int
	second   bool   // version 1
	last     []byte // one element
	channels []byte // how four bytes of an element follow from those before
	column   [4][blockMost]byte
}

// block decodes n elements.
func (d *vertices) block(out []byte, n int) error {
	var control []byte
	if d.second {
		size := d.stride / 4
		if d.at+size > d.end {
			return wrong(d.at, "the stream ends within the head of a block")
		}
		control = d.data[d.at : d.at+size]
		d.at += size
	}
	for k := 0; k < d.stride; k += 4 {
		for b := range 4 {
			how := byte(0xff)
			if d.second {
				how = control[k/4] >> (2 * b) & 3
			}
			if err := d.bytes(d.column[b][:n], how); err != nil {
				return err
			}
		}
		if err := d.follow(out, k, n); err != nil {
			return err
		}
	}
	copy(d.last, out[(n-1)*d.stride:])
	return nil
}

// follow adds up the differences of the four bytes at place k of n elements.
func (d *vertices) follow(out []byte, k, n int) error {
	how := d.channels[k/4]
	c := &d.column
	switch how & 3 {
	case 0:
		for b := range 4 {
			v, col := d.last[k+b], c[b][:n]
			for i, x := range col {
				v += x>>1 ^ -(x & 1)
				out[i*d.stride+k+b] = v
			}
		}
	case 1:
		for b := 0; b < 4; b += 2 {
			v := uint16(d.last[k+b]) | uint16(d.last[k+b+1])<<8
			for i := range n {
				x := uint16(c[b][i]) | uint16(c[b+1][i])<<8
				v += x>>1 ^ -(x & 1)
				out[i*d.stride+k+b], out[i*d.stride+k+b+1] = byte(v), byte(v>>8)
			}
		}
	case 2:
		turn := -int(how >> 4)
		v := uint32(d.last[k]) | uint32(d.last[k+1])<<8 | uint32(d.last[k+2])<<16 | uint32(d.last[k+3])<<24
		for i := range n {
			x := uint32(c[0][i]) | uint32(c[1][i])<<8 | uint32(c[2][i])<<16 | uint32(c[3][i])<<24
			v ^= bits.RotateLeft32(x, turn)
			o := out[i*d.stride+k : i*d.stride+k+4]
			o[0], o[1], o[2], o[3] = byte(v), byte(v>>8), byte(v>>16), byte(v>>24)
		}
	default:
		return wrong(len(d.data), "four bytes of an element follow by the unknown rule %d", how)
	}
	return nil
}

// bytes reads the column of one byte of every element: in groups of sixteen whose width
// stands in a head of two bits each. How is the block's control in version 1 and 0xff in
// version 0.
func (d *vertices) bytes(out []byte, how byte) error {
	widths := [4]int{0, 2, 4, 8}
	switch how {
	case 0:
		widths = [4]int{0, 1, 2, 4}
	case 1:
		widths = [4]int{1, 2, 4, 8}
	case 2:
		clear(out)
		return nil
	case 3:
		if d.at+len(out) > d.end {
			return wrong(d.at, "the stream ends within the bytes of a block")
		}
		d.at += copy(out, d.data[d.at:])
		return nil
	}
	groups := (len(out) + groupSize - 1) / groupSize
	head := (groups + 3) / 4
	if d.at+head > d.end {
		return wrong(d.at, "the stream ends within the head of a block")
	}
	heads := d.data[d.at : d.at+head]
	d.at += head
	var buf [groupSize]byte
	for g := range groups {
		if err := d.group(&buf, widths[heads[g/4]>>(g%4*2)&3]); err != nil {
			return err
		}
		copy(out[g*groupSize:], buf[:])
	}
	return nil
}

// group reads sixteen bytes of width bits each; the largest number of that width says that
// the byte itself stands behind the group.
func (d *vertices) group(out *[groupSize]byte, width int) error {
	if width == 0 {
		*out = [groupSize]byte{}
		return nil
	}
	size := groupSize * width / 8
	if d.at+size > d.end {
		return wrong(d.at, "the stream ends within a group")
	}
	packed := d.data[d.at : d.at+size]
	d.at += size
	if width == 8 {
		copy(out[:], packed)
		return nil
	}
	largest := byte(1)<<width - 1
	each := 8 / width
	for i := range out {
		shift := 8 - width - i%each*width
		if width == 1 {
			shift = i % 8 // single bits lie the other way round
		}
		v := packed[i/each] >> shift & largest
		if v == largest {
			if d.at >= d.end {
				return wrong(d.at, "the stream ends within the large bytes of a group")
			}
			v = d.data[d.at]
			d.at++
		}
		out[i] = v
	}
	return nil
}
