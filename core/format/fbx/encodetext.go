package fbx

import (
	"context"
	"encoding/base64"
	"fmt"
	"strconv"
	"strings"
)

// textEncoder writes an ASCII file of version 7.4: a record a line, nested ones
// indented by tabs, arrays as *N { a: … }.
type textEncoder struct {
	ctx context.Context
	buf []byte
	err error
}

// encodeText writes a tree as an ASCII file that says the same as the binary one.
func encodeText(ctx context.Context, tree []*record) ([]byte, error) {
	e := &textEncoder{ctx: ctx}
	e.buf = append(e.buf, "; FBX 7.4.0 project file\n; ----------------------------------------------------\n\n"...)
	for _, r := range tree {
		if len(r.subs) == 0 && len(r.props) > 0 {
			continue // id, time and program stand alone in binary files only
		}
		e.record(r, 0)
		e.buf = append(e.buf, '\n')
	}
	return e.buf, e.err
}

// indent begins a line n levels deep.
func (e *textEncoder) indent(n int) {
	for range n {
		e.buf = append(e.buf, '\t')
	}
}

// record writes a record and those nested in it, depth levels deep.
func (e *textEncoder) record(r *record, depth int) {
	e.indent(depth)
	e.buf = append(append(e.buf, r.name...), ':', ' ')
	if len(r.props) == 1 {
		switch a := r.props[0].(type) {
		case []int32:
			e.array(depth, len(a), func(i int) { e.buf = strconv.AppendInt(e.buf, int64(a[i]), 10) })
			return
		case []float64:
			e.array(depth, len(a), func(i int) { e.float(a[i]) })
			return
		}
	}
	for i, p := range r.props {
		if i > 0 {
			e.buf = append(e.buf, ',')
			// Numbers follow without a blank, which some readers stumble over.
			if _, text := p.(string); text {
				e.buf = append(e.buf, ' ')
			}
		}
		e.property(p)
	}
	if len(r.subs) == 0 && len(r.props) > 0 {
		e.buf = append(e.buf, '\n')
		return
	}
	e.buf = append(e.buf, " {\n"...)
	for _, s := range r.subs {
		e.record(s, depth+1)
	}
	e.indent(depth)
	e.buf = append(e.buf, '}', '\n')
}

// float writes the shortest digits that read back as the same number.
func (e *textEncoder) float(v float64) { e.buf = strconv.AppendFloat(e.buf, v, 'g', -1, 64) }

// perLine keeps the lines of long arrays readable by tools that read whole lines.
const perLine = 400

// array writes n elements, a bounded number on a line.
func (e *textEncoder) array(depth, n int, write func(i int)) {
	e.buf = fmt.Appendf(e.buf, "*%d {\n", n)
	e.indent(depth + 1)
	e.buf = append(e.buf, "a: "...)
	for i := range n {
		if i&0xffff == 0 && e.ctx.Err() != nil {
			e.err = e.ctx.Err()
			return
		}
		if i > 0 {
			e.buf = append(e.buf, ',')
			if i%perLine == 0 {
				e.buf = append(e.buf, '\n')
			}
		}
		write(i)
	}
	e.buf = append(e.buf, '\n')
	e.indent(depth)
	e.buf = append(e.buf, '}', '\n')
}

// property writes one property; text is quoted, with its quotation marks and ends of
// lines as &quot;, &cr; and &lf;.
func (e *textEncoder) property(p any) {
	switch v := p.(type) {
	case bool:
		c := byte('F')
		if v {
			c = 'T'
		}
		e.buf = append(e.buf, c)
	case int32:
		e.buf = strconv.AppendInt(e.buf, int64(v), 10)
	case int64:
		e.buf = strconv.AppendInt(e.buf, v, 10)
	case float64:
		e.float(v)
	case string:
		// "Name\x00\x01Class" of binary files is "Class::Name" here.
		if name, class, ok := strings.Cut(v, "\x00\x01"); ok {
			v = class + "::" + name
		}
		v = strings.NewReplacer(`"`, "&quot;", "\r", "&cr;", "\n", "&lf;").Replace(v)
		e.buf = append(append(append(e.buf, '"'), v...), '"')
	case []byte:
		e.buf = append(e.buf, ',', ' ', '"')
		e.buf = base64.StdEncoding.AppendEncode(e.buf, v)
		e.buf = append(e.buf, '"')
	default:
		e.err = fmt.Errorf("a property of type %T can't be written", p)
	}
}
