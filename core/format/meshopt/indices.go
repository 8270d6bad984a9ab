package meshopt

// stream reads numbers of seven bits a byte.
type stream struct {
	data []byte
	at   int
	end  int // no number reaches it
}

// number reads one of up to 32 bits.
func (s *stream) number() (uint32, error) {
	var v uint32
	for shift := 0; shift < 35; shift += 7 {
		if s.at >= s.end {
			return 0, wrong(s.at, "the stream ends within a number")
		}
		b := s.data[s.at]
		s.at++
		v |= uint32(b&0x7f) << shift
		if b < 0x80 {
			return v, nil
		}
	}
	return 0, wrong(s.at, "a number is longer than five bytes")
}

// signed undoes the folding of negative numbers among the positive ones.
func signed(v uint32) uint32 { return v>>1 ^ -(v & 1) }

// sequence decodes count indices: each a difference to one of the last two it names.
func sequence(data []byte, count int) ([]uint32, error) {
	if len(data) == 0 || data[0]&0xf0 != 0xd0 || data[0]&0xf > 1 {
		return nil, wrong(0, "the stream of indices does not begin with d0 or d1")
	}
	if len(data) < 1+count+4 {
		return nil, wrong(len(data), "%d indices are asked for, more than the stream can hold", count)
	}
	s := stream{data: data, at: 1, end: len(data) - 4}
	var last [2]uint32
	out := make([]uint32, count)
	for i := range out {
		v, err := s.number()
		if err != nil {
			return nil, err
		}
		base := v & 1
		last[base] += signed(v >> 1)
		out[i] = last[base]
	}
	if s.at != s.end {
		return nil, wrong(s.at, "%d bytes are left over", s.end-s.at)
	}
	return out, nil
}

// triangles decodes count indices of a triangle list. A byte for each triangle says which
// of the last sixteen edges it hangs on and where its third point comes from: new, one of
// the last sixteen points, or a difference written out. It is long because it is the decoder of the
// specification, code for code, in its order.
func triangles(data []byte, count int) ([]uint32, error) {
	if count%3 != 0 {
		return nil, wrong(0, "%d indices are asked for, which is no whole number of triangles", count)
	}
	if len(data) == 0 || data[0]&0xf0 != 0xe0 || data[0]&0xf > 1 {
		return nil, wrong(0, "the stream of triangles does not begin with e0 or e1")
	}
	n := count / 3
	if len(data) < 1+n+16 {
		return nil, wrong(len(data), "%d triangles are asked for, more than the stream can hold", n)
	}
	const near = 16
	written := 15 // third points from here on are written out
	if data[0]&0xf == 1 {
		written = 13
	}
	codes, table := data[1:1+n], data[len(data)-16:]
	s := stream{data: data, at: 1 + n, end: len(data) - 16}
	var edges [near][2]uint32
	var points [near]uint32
	var e, p int // the next place in each
	var next, last uint32
	edge := func(a, b uint32) { edges[e&15] = [2]uint32{a, b}; e++ }
	point := func(v uint32) { points[p&15] = v; p++ }
	far := func() (uint32, error) {
		v, err := s.number()
		last += signed(v)
		return last, err
	}
	fresh := func() uint32 { next++; return next - 1 }
	out := make([]uint32, 0, count)
	for _, code := range codes {
		hang, third := int(code>>4), int(code&15)
		if hang < 15 {
			a, b := edges[(e-1-hang)&15][0], edges[(e-1-hang)&15][1]
			var c uint32
			switch {
			case third == 0:
				c = fresh()
				point(c)
			case third < written:
				c = points[(p-1-third)&15]
			default:
				if third == 15 {
					if _, err := far(); err != nil {
						return nil, err
					}
				} else {
					last += uint32(third - (third ^ 3))
				}
				c = last
				point(c)
			}
			out = append(out, a, b, c)
			edge(c, b)
			edge(a, c)
			continue
		}
		var aux byte
		first := 0
		if code < 0xfe {
			aux = table[third]
		} else {
			if s.at >= s.end {
				return nil, wrong(s.at, "the stream ends within a triangle")
			}
			aux = s.data[s.at]
			s.at++
			if code == 0xff {
				first = 15
			}
			if aux == 0 {
				next = 0 // what follows counts its points anew
			}
		}
		var corner [3]uint32
		var anew [3]bool
		from := [3]int{first, int(aux >> 4), int(aux & 15)}
		for k, f := range from {
			switch {
			case f == 0:
				corner[k], anew[k] = fresh(), true
			case f == 15 && code >= 0xfe:
				anew[k] = true
			default:
				corner[k] = points[(p-f)&15]
			}
		}
		for k, f := range from {
			if f == 15 && code >= 0xfe {
				var err error
				if corner[k], err = far(); err != nil {
					return nil, err
				}
			}
		}
		for k := range corner {
			if anew[k] {
				point(corner[k])
			}
		}
		out = append(out, corner[:]...)
		edge(corner[1], corner[0])
		edge(corner[2], corner[1])
		edge(corner[0], corner[2])
	}
	if s.at != s.end {
		return nil, wrong(s.at, "%d bytes are left over", s.end-s.at)
	}
	return out, nil
}
