package usd

import (
	"fmt"
	"math"
	"sort"
	"strconv"
	"strings"
)

// uniform are the attributes that don't vary, by the schemas.
var uniform = map[string]bool{"xformOpOrder": true, "purpose": true, "subdivisionScheme": true, "doubleSided": true,
	"orientation": true, "info:id": true, "elementType": true, "familyName": true, "physics:approximation": true,
	"subsetFamily:materialBind:familyType": true}

// sorted are the keys of a map in order.
func sorted[V any](m map[string]V) (keys []string) {
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// textOf is a layer as text.
func textOf(l *layer) []byte {
	b := []byte("#usda 1.0\n")
	b = appendMeta(b, l.root.meta, "")
	b = append(b, '\n')
	for _, k := range l.root.kids {
		b = appendSpec(append(b, '\n'), k, "")
	}
	return b
}

// appendMeta writes metadata in parentheses, nothing where there is none.
func appendMeta(b []byte, meta map[string]any, in string) []byte {
	if len(meta) == 0 {
		return b
	}
	b = append(b, "(\n"...)
	for _, k := range sorted(meta) {
		v := meta[k]
		b = append(b, in+"    "...)
		if e, ok := v.(*edits); ok && !e.whole {
			b, v = append(b, "prepend "...), list(e.before)
		}
		b = append(b, k+" = "...)
		switch x := v.(type) {
		case list:
			if k == "apiSchemas" {
				b = appendValue(b, x, "")
			} else {
				b = appendValue(b, x[0], "")
			}
		case token: // names in metadata are quoted, too
			b = appendQuoted(b, string(x))
		default:
			b = appendValue(b, v, "double")
		}
		b = append(b, '\n')
	}
	return append(b, in+")"...)
}

// appendSpec writes a prim with all below it.
func appendSpec(b []byte, s *spec, in string) []byte {
	b = fmt.Appendf(b, "%sdef %s %q", in, s.typ, s.name)
	if len(s.meta) > 0 {
		b = appendMeta(append(b, ' '), s.meta, in)
	}
	b = append(b, "\n"+in+"{\n"...)
	for _, name := range sorted(s.props) {
		b = appendProperty(b, name, s.props[name], in+"    ")
	}
	for i, k := range s.kids {
		if i > 0 || len(s.props) > 0 {
			b = append(b, '\n')
		}
		b = appendSpec(b, k, in+"    ")
	}
	return append(b, in+"}\n"...)
}

func appendProperty(b []byte, name string, p *property, in string) []byte {
	b = append(b, in...)
	switch {
	case p.rel:
		b = append(b, "rel "+name...)
	case uniform[name]:
		b = append(b, "uniform "+p.typ+" "+name...)
	default:
		b = append(b, p.typ+" "+name...)
	}
	switch {
	case p.targets != nil && !p.rel:
		b = append(b, ".connect = "...)
		b = appendValue(b, p.targets.items[0], "")
	case p.targets != nil:
		b = appendValue(append(b, " = "...), p.targets.items[0], "")
	case p.value != nil:
		b = appendValue(append(b, " = "...), p.value, p.typ)
	}
	if len(p.meta) > 0 {
		b = appendMeta(append(b, ' '), p.meta, in)
	}
	return append(b, '\n')
}

// appendQuoted writes a text in quotes, whatever letters it has.
func appendQuoted(b []byte, s string) []byte {
	b = append(b, '"')
	for i := range len(s) {
		switch c := s[i]; {
		case c == '"' || c == '\\':
			b = append(b, '\\', c)
		case c == '\n':
			b = append(b, `\n`...)
		case c < ' ':
			b = fmt.Appendf(b, `\x%02x`, c)
		default:
			b = append(b, c)
		}
	}
	return append(b, '"')
}

// appendValue writes one of a type.
func appendValue(b []byte, v any, typ string) []byte {
	switch x := v.(type) {
	case token:
		return appendQuoted(b, string(x))
	case prose:
		return appendQuoted(b, string(x))
	case asset:
		return append(append(append(b, '@'), x...), '@')
	case target:
		return append(append(append(b, '<'), x...), '>')
	case list:
		b = append(b, '[')
		for i, y := range x {
			if i > 0 {
				b = append(b, ", "...)
			}
			b = appendValue(b, y, "")
		}
		return append(b, ']')
	case tuple:
		return appendTuple(b, x, strings.TrimSuffix(typ, "[]"))
	}
	panic(fmt.Sprintf("usd: no way to write %T", v)) // nothing that this package makes
}

func appendTuple(b []byte, t tuple, typ string) []byte {
	bits := 32
	if strings.HasPrefix(typ, "double") || strings.HasPrefix(typ, "matrix") || strings.HasSuffix(typ, "d") {
		bits = 64
	}
	number := func(v float64) {
		if v == 0 {
			v = 0 // no minus zero
		}
		if v == math.Trunc(v) && math.Abs(v) < 1e15 {
			b = strconv.AppendInt(b, int64(v), 10)
			return
		}
		b = strconv.AppendFloat(b, v, 'g', -1, bits)
	}
	if t.list {
		b = append(b, '[')
	}
	for i := 0; i < len(t.v); i += t.width {
		if i > 0 {
			b = append(b, ", "...)
		}
		switch {
		case t.width == 1:
			number(t.v[i])
			continue
		case t.width == 16: // a matrix is one of rows
			b = append(b, "( "...)
			for k := range 4 {
				if k > 0 {
					b = append(b, ", "...)
				}
				b = appendTuple(b, tuple{width: 4, v: t.v[i+4*k : i+4*k+4]}, typ)
			}
			b = append(b, " )"...)
			continue
		}
		b = append(b, '(')
		for k, v := range t.v[i : i+t.width] {
			if k > 0 {
				b = append(b, ", "...)
			}
			number(v)
		}
		b = append(b, ')')
	}
	if t.list {
		b = append(b, ']')
	}
	return b
}
