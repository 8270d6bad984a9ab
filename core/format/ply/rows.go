package ply

import (
	"context"
	"encoding/binary"
	"math"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format/text"
)

// row is one of an element: a number for each property that is one, a list for each that is that. It is used again for
// the next row.
type row struct {
	value []float64
	list  [][]float64
}

// body gives the rows of a file one after the other.
type body struct {
	ctx      context.Context
	file     string
	header   *header
	data     []byte // all of the file
	at       int    // of the next byte
	line     int    // of an ascii file
	order    binary.ByteOrder
	progress func(done, total int64)
}

func newBody(ctx context.Context, file string, h *header, data []byte, progress func(done, total int64)) *body {
	b := &body{ctx: ctx, file: file, header: h, data: data, at: h.body, line: h.lines + 1, progress: progress}
	if b.order = binary.LittleEndian; h.coding == big {
		b.order = binary.BigEndian
	}
	return b
}

// least is how many bytes a row takes at least.
func (b *body) least(e *element) int {
	n := 0
	for _, p := range e.props {
		switch {
		case b.header.coding == ascii:
			n += 2 // a digit and a blank
		case p.list:
			n += p.count.size()
		default:
			n += p.of.size()
		}
	}
	return n
}

// room refuses an element of more rows than the rest of the file has bytes for, before anything is made for them.
func (b *body) room(e *element) error {
	least := b.least(e)
	if rest := len(b.data) - b.at; least > 0 && e.rows > (rest+1)/least {
		return fault.AtByte(b.file, int64(len(b.data)), "has %s of “%s” by its header, and room for at most %s",
			figure.Plural(e.rows, "row", "rows"), fault.Shown(e.name), figure.Count((rest+1)/least)).
			Advise("The upload may be cut short; export it again")
	}
	return nil
}

// each gives all rows of an element. What is given is not to be kept.
func (b *body) each(e *element, take func(i int, r *row) error) error {
	if err := b.room(e); err != nil {
		return err
	}
	if len(e.props) == 0 {
		return nil // rows of nothing
	}
	r := &row{make([]float64, len(e.props)), make([][]float64, len(e.props))}
	read := b.binary
	if b.header.coding == ascii {
		read = b.ascii
	}
	for i := range e.rows {
		if i%(1<<14) == 0 {
			if b.ctx.Err() != nil {
				return b.ctx.Err()
			}
			b.progress(int64(b.at), int64(len(b.data)))
		}
		if err := read(e, i, r); err != nil {
			return err
		}
		if err := take(i, r); err != nil {
			return err
		}
	}
	return nil
}

// ended says that the file ends within a row.
func (b *body) ended(e *element, i int) error {
	return fault.AtByte(b.file, int64(len(b.data)), "ends within row %s of “%s”, which has %s", figure.Count(i+1),
		fault.Shown(e.name), figure.Count(e.rows)).Advise("The upload may be cut short; export it again")
}

// binary reads a row of fixed numbers.
func (b *body) binary(e *element, i int, r *row) error {
	for k, p := range e.props {
		if !p.list {
			if b.at+p.of.size() > len(b.data) {
				return b.ended(e, i)
			}
			r.value[k] = b.number(p.of)
			continue
		}
		if b.at+p.count.size() > len(b.data) {
			return b.ended(e, i)
		}
		n := b.number(p.count)
		if n < 0 || n*float64(p.of.size()) > float64(len(b.data)-b.at) {
			return b.ended(e, i)
		}
		list := r.list[k][:0]
		for range int(n) {
			list = append(list, b.number(p.of))
		}
		r.list[k] = list
	}
	return nil
}

// number reads one, of which there is room.
func (b *body) number(of number) float64 {
	d := b.data[b.at:]
	b.at += of.size()
	switch of {
	case int8s:
		return float64(int8(d[0]))
	case uint8s:
		return float64(d[0])
	case int16s:
		return float64(int16(b.order.Uint16(d)))
	case uint16s:
		return float64(b.order.Uint16(d))
	case int32s:
		return float64(int32(b.order.Uint32(d)))
	case uint32s:
		return float64(b.order.Uint32(d))
	case float32s:
		return float64(math.Float32frombits(b.order.Uint32(d)))
	}
	return math.Float64frombits(b.order.Uint64(d))
}

// ascii reads a row of words. Rows are lines as a rule, and nothing hangs on that.
func (b *body) ascii(e *element, i int, r *row) error {
	for k, p := range e.props {
		v, err := b.word(e, i, p)
		if err != nil {
			return err
		}
		if !p.list {
			r.value[k] = v
			continue
		}
		if !(v >= 0) || v != math.Trunc(v) || v > float64((len(b.data)-b.at+1)/2) {
			return fault.AtLine(b.file, b.line, "the list “%s” can't have %g entries", fault.Shown(p.name), v).
				Advise("Export it again")
		}
		list := r.list[k][:0]
		for range int(v) {
			x, err := b.word(e, i, p)
			if err != nil {
				return err
			}
			list = append(list, x)
		}
		r.list[k] = list
	}
	return nil
}

// word reads a number of a text.
func (b *body) word(e *element, i int, p property) (float64, error) {
	for b.at < len(b.data) && text.IsSpace(b.data[b.at]) {
		if b.data[b.at] == '\n' {
			b.line++
		}
		b.at++
	}
	if b.at == len(b.data) {
		return 0, b.ended(e, i)
	}
	word, _ := text.Word(b.data[b.at:])
	v, n := text.Float(word)
	if n != len(word) {
		var ok bool
		if v, ok = odd(word); !ok {
			return 0, fault.AtLine(b.file, b.line, "%s of row %s of “%s” is no number: %s", fault.Shown(p.name),
				figure.Count(i+1), fault.Shown(e.name), fault.Quote(word)).Advise("Export it again")
		}
	}
	b.at += len(word)
	return v, nil
}

// odd are words that stand for numbers that are none.
func odd(word []byte) (float64, bool) {
	switch s := string(word); s {
	case "nan", "NaN", "NAN", "-nan", "-nan(ind)", "nan(ind)", "1.#QNAN", "-1.#IND":
		return math.NaN(), true
	case "inf", "Inf", "INF", "+inf":
		return math.Inf(1), true
	case "-inf", "-Inf", "-INF":
		return math.Inf(-1), true
	}
	return 0, false
}
