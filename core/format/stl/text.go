package stl

import (
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format/text"
)

// words goes over the words of a text and knows their lines.
type words struct {
	rest []byte
	line int // of the word that was given last
	at   int64
}

// next is the next word in small letters, "" at the end.
func (w *words) next() string {
	for len(w.rest) > 0 && text.IsSpace(w.rest[0]) {
		if w.rest[0] == '\n' {
			w.line++
		}
		w.skip(1)
	}
	word, _ := text.Word(w.rest)
	w.skip(len(word))
	return strings.ToLower(string(word))
}

func (w *words) skip(n int) { w.rest, w.at = w.rest[n:], w.at+int64(n) }

// toEnd is what is left of the line.
func (w *words) toEnd() string {
	n := 0
	for n < len(w.rest) && w.rest[n] != '\n' && w.rest[n] != '\r' {
		n++
	}
	line := strings.TrimSpace(strings.ToValidUTF8(string(w.rest[:n]), "�"))
	w.skip(n)
	return line
}

// text reads solids of facets; each solid is a node.
func (r *reader) text(data []byte) error {
	w := &words{rest: data, line: 1}
	var m *joiner
	solids := 0
	for word := w.next(); word != ""; word = w.next() {
		switch word {
		case "solid":
			name := w.toEnd()
			if name == "" {
				name = r.s.Name
			}
			m = newJoiner(name, 0)
			solids++
		case "facet":
			if m == nil {
				return r.expected(w, "solid", word)
			}
			if err := r.facet(w, m); err != nil {
				return err
			}
			if n := len(m.mesh.Corners) / 3; n%(1<<14) == 0 {
				if r.ctx.Err() != nil {
					return r.ctx.Err()
				}
				r.progress(w.at, int64(len(data)))
			}
		case "endsolid":
			w.toEnd()
			r.end(m)
			m = nil
		default:
			return r.expected(w, "facet or endsolid", word)
		}
	}
	if m != nil {
		return fault.AtLine(r.file, w.line, "the solid “%s” has no end", fault.Shown(m.mesh.Name)).
			Advise("The upload may be cut short; export the mesh again")
	}
	if len(r.s.Meshes) == 0 {
		return fault.AtLine(r.file, 1, "holds %s and no facets", figure.Plural(solids, "solid", "solids")).
			Advise("Check that the export was not empty")
	}
	r.disagree()
	return nil
}

// end takes a solid that has facets.
func (r *reader) end(m *joiner) {
	if m != nil && len(m.mesh.Corners) > 0 {
		r.take(m)
	}
}

// facet reads one behind its first word.
func (r *reader) facet(w *words, m *joiner) error {
	var v [4][3]float32
	for i, before := range [][]string{{"normal"}, {"outer", "loop", "vertex"}, {"vertex"}, {"vertex"}} {
		for _, want := range before {
			if word := w.next(); word != want {
				return r.expected(w, want, word)
			}
		}
		for k := range v[i] {
			word := w.next()
			x, n := text.Float([]byte(word))
			f := float32(x)
			switch {
			case n == 0 || n != len(word), i > 0 && !finite(f):
				if i == 0 { // a normal that is none is not used
					f = 0
					break
				}
				return r.expected(w, "a number", word)
			}
			v[i][k] = f
		}
	}
	for _, want := range []string{"endloop", "endfacet"} {
		if word := w.next(); word != want {
			return r.expected(w, want, word)
		}
	}
	if len(m.mesh.FaceStart) > MostFacets {
		return fault.AtLine(r.file, w.line, "holds more than %s facets", figure.Count(MostFacets)).Beyond().
			Advise("Export it in parts")
	}
	m.facet(v[1], v[2], v[3])
	r.judge(m, v[0])
	return nil
}

// expected says what stands in the place of something.
func (r *reader) expected(w *words, want, word string) error {
	if word == "" {
		return fault.AtLine(r.file, w.line, "ends where “%s” is expected", want).
			Advise("The upload may be cut short; export the mesh again")
	}
	return fault.AtLine(r.file, w.line, "expected “%s”, found %s", want, fault.Quote([]byte(word))).
		Advise("Export the mesh again")
}
