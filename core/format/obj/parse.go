package obj

import (
	"bytes"
	"context"
	"math"
	"strings"
	"sync"
	"sync/atomic"

	"yarvek/core/fault"
	"yarvek/core/format/text"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// A file is read twice, in chunks cut at line ends and shared out among the
// processors. The first pass counts, so that the second can write every number
// straight to its place in arrays of the right size: no growing, no joining, and
// an index may refer to anything in the file.

// tally counts what a stretch of the file holds, so that arrays are taken once, of the
// right size.
type tally struct{ lines, v, vt, vn, faces, corners int }

// plus is both together.
func (t tally) plus(u tally) tally {
	return tally{t.lines + u.lines, t.v + u.v, t.vt + u.vt, t.vn + u.vn, t.faces + u.faces, t.corners + u.corners}
}

// event is a statement that changes what the following faces or points belong to.
type event struct {
	kind  byte // 'o', 'g', 'u' for usemtl, 's', 'm' for mtllib, 'c' for what the next object is called
	line  int
	face  int // faces before it
	point int // points before it
	text  string
}

// skipped counts a statement that makes no polygons.
type skipped struct {
	count int
	line  int // the first
}

// raw is what the file says, in arrays: positions, UVs, normals, and the corners of
// faces with their statements between them.
type raw struct {
	name    string
	points  []geom.Vec3
	colors  [][4]float32 // one for each point, or nil
	uvs     [][2]float64
	normals [][3]float32
	start   []int32 // faces+1
	corner  []int32 // point of each corner
	uv      []int32 // or nil
	normal  []int32 // or nil
	events  []event
	skipped map[string]skipped
	damage  damage
}

// damage is what can't be read of a file and is left out: numbers of faces, points, UVs and
// normals, in order, and why the first can't.
type damage struct {
	faces, points, uvs, normals []int
	first                       *fault.Error
}

// add notes that element i of list can't be read.
func (d *damage) add(list *[]int, i int, why *fault.Error) {
	*list = append(*list, i)
	if d.first == nil {
		d.first = why
	}
}

// join adds the damage of the next stretch.
func (d *damage) join(o damage) {
	d.faces, d.points = append(d.faces, o.faces...), append(d.points, o.points...)
	d.uvs, d.normals = append(d.uvs, o.uvs...), append(d.normals, o.normals...)
	if d.first == nil {
		d.first = o.first
	}
}

// chunk is a stretch of whole lines that one processor reads. Its offsets come from the
// tallies of those before it.
type chunk struct {
	data    []byte
	before  tally
	own     tally
	events  []event
	skipped map[string]skipped
	damage  damage
	err     *fault.Error
}

const chunkSize = 1 << 20

// chunked cuts a file into stretches at ends of lines, alike for equal files whatever
// the number of processors.
func chunked(data []byte) []*chunk {
	var chunks []*chunk
	for len(data) > 0 {
		n := min(chunkSize, len(data))
		for n < len(data) {
			i := bytes.IndexByte(data[n:], '\n')
			if i < 0 {
				n = len(data)
				break
			}
			n += i + 1
			if !continued(data[:n-1]) {
				break
			}
		}
		chunks = append(chunks, &chunk{data: data[:n]})
		data = data[n:]
	}
	return chunks
}

// continued tells whether a line, without its line end, goes on in the next.
func continued(line []byte) bool {
	n := len(line)
	for n > 0 && (line[n-1] == '\r' || line[n-1] == ' ' || line[n-1] == '\t') { // blanks after the mark can't be seen
		n--
	}
	return n > 0 && line[n-1] == '\\'
}

// lines calls f with each statement and the number of its first line, counting
// from zero, and returns how many lines there were.
func lines(data []byte, f func(line []byte, at int) bool) int {
	at := 0
	var joined []byte
	for len(data) > 0 {
		var line []byte
		if i := bytes.IndexByte(data, '\n'); i >= 0 {
			line, data = data[:i], data[i+1:]
		} else {
			line, data = data, nil
		}
		first := at
		at++
		if n := len(line); n > 0 && (line[n-1] == '\\' || line[n-1] <= ' ') && continued(line) {
			joined = joined[:0]
			for continued(line) {
				joined = append(append(joined, bytes.TrimRight(line, "\\\r \t")...), ' ')
				if len(data) == 0 {
					line = nil
					break
				}
				if i := bytes.IndexByte(data, '\n'); i >= 0 {
					line, data = data[:i], data[i+1:]
				} else {
					line, data = data, nil
				}
				at++
			}
			line = append(joined, line...)
		}
		if !f(line, first) {
			return at
		}
	}
	return at
}

// kind tells the statements that carry numbers apart: v, t, n, f, or 0.
func kind(b []byte) byte {
	if len(b) < 2 {
		return 0
	}
	switch {
	case b[0] == 'v' && text.IsSpace(b[1]):
		return 'v'
	case b[0] == 'f' && text.IsSpace(b[1]):
		return 'f'
	case b[0] == 'v' && len(b) > 2 && text.IsSpace(b[2]) && (b[1] == 't' || b[1] == 'n'):
		return b[1]
	}
	return 0
}

// count fills in the tally of the stretch.
func (c *chunk) count() {
	c.own.lines = lines(c.data, func(b []byte, _ int) bool {
		b = text.SkipSpace(b)
		switch kind(b) {
		case 'v':
			c.own.v++
		case 't':
			c.own.vt++
		case 'n':
			c.own.vn++
		case 'f':
			if n := words(b[1:]); n >= 3 {
				c.own.faces++
				c.own.corners += n
			}
		}
		return true
	})
}

// words counts the words of a statement up to a comment. It runs over every face
// of the file, so it looks at a byte once and does not branch on it.
func words(b []byte) int {
	if i := bytes.IndexByte(b, '#'); i >= 0 && (i == 0 || text.IsSpace(b[i-1])) {
		b = b[:i]
	}
	n, before := 0, uint8(1)
	for _, c := range b {
		s := spaces[c]
		n += int(before &^ s)
		before = s
	}
	return n
}

// spaces is 1 for the bytes isSpace accepts.
var spaces = func() (t [256]uint8) {
	for c := range t {
		if text.IsSpace(byte(c)) {
			t[c] = 1
		}
	}
	return t
}()

// each runs f over the chunks on all processors.
func each(ctx context.Context, chunks []*chunk, f func(*chunk)) error {
	return split.Each(ctx, len(chunks), func(i int) { f(chunks[i]) })
}

// parse reads the file in two passes, one that counts and one that reads, both over all
// processors. Errors are about the first bad line of the file.
func parse(ctx context.Context, name string, data []byte, progress func(done, total int64)) (*raw, error) {
	chunks := chunked(data)
	if err := each(ctx, chunks, (*chunk).count); err != nil {
		return nil, err
	}
	var all tally
	for _, c := range chunks {
		c.before = all
		all = all.plus(c.own)
	}
	if all.corners > math.MaxInt32 || all.v > math.MaxInt32 {
		return nil, fault.AtByte(name, -1, "holds %d face corners, more than 2 147 483 647", all.corners).Beyond()
	}
	r := &raw{name: name, skipped: map[string]skipped{},
		points: make([]geom.Vec3, all.v), uvs: make([][2]float64, all.vt), normals: make([][3]float32, all.vn),
		start: make([]int32, all.faces+1), corner: make([]int32, all.corners)}
	if all.vt > 0 {
		r.uv = make([]int32, all.corners)
	}
	if all.vn > 0 {
		r.normal = make([]int32, all.corners)
	}
	var done atomic.Int64
	var colorsOnce sync.Once
	p := &pass{raw: r, all: all, colors: func() [][4]float32 {
		colorsOnce.Do(func() { r.colors = make([][4]float32, all.v) })
		return r.colors
	}}
	err := each(ctx, chunks, func(c *chunk) {
		p.read(c)
		if progress != nil {
			progress(done.Add(int64(len(c.data))), int64(len(data)))
		}
	})
	if err != nil {
		return nil, err
	}
	for _, c := range chunks {
		if c.err != nil {
			return nil, c.err
		}
		r.events = append(r.events, c.events...)
		r.damage.join(c.damage)
		for k, s := range c.skipped {
			t, seen := r.skipped[k]
			if !seen || s.line < t.line {
				t.line = s.line
			}
			t.count += s.count
			r.skipped[k] = t
		}
	}
	r.paintRest()
	if r.repair(); r.damage.first != nil && len(r.start) == 1 {
		return nil, r.damage.first // nothing is left of it
	}
	return r, nil
}

// repair leaves out the faces that can't be read and those on points that can't, and the
// UVs and normals that can't from the corners that have them. It costs a pass over all
// corners, and only a damaged file pays it.
func (r *raw) repair() {
	d := &r.damage
	if d.first == nil {
		return
	}
	marked := func(n int, list []int) []bool {
		m := make([]bool, n)
		for _, i := range list {
			m[i] = true
		}
		return m
	}
	bad, nowhere := marked(len(r.start)-1, d.faces), marked(len(r.points), d.points)
	for f := range bad {
		for _, p := range r.corner[r.start[f]:r.start[f+1]] {
			bad[f] = bad[f] || nowhere[p]
		}
	}
	kept := make([]int, len(bad)+1) // faces left before each
	corners, from := int32(0), r.start[0]
	for f, b := range bad {
		to := r.start[f+1]
		kept[f+1] = kept[f]
		if !b {
			for _, list := range [][]int32{r.corner, r.uv, r.normal} {
				if list != nil {
					copy(list[corners:], list[from:to])
				}
			}
			corners += to - from
			kept[f+1]++
			r.start[kept[f+1]] = corners
		}
		from = to
	}
	d.faces = d.faces[:0]
	for f, b := range bad {
		if b {
			d.faces = append(d.faces, f)
		}
	}
	r.start, r.corner = r.start[:kept[len(bad)]+1], r.corner[:corners]
	for i := range r.events {
		r.events[i].face = kept[r.events[i].face]
	}
	forget := func(list []int32, values int, damaged []int) []int32 {
		if list == nil {
			return nil
		}
		gone := marked(values, damaged)
		list = list[:corners]
		for i, v := range list {
			if v >= 0 && gone[v] {
				list[i] = -1
			}
		}
		return list
	}
	r.uv, r.normal = forget(r.uv, len(r.uvs), d.uvs), forget(r.normal, len(r.normals), d.normals)
}

// paintRest makes points white that carry no colour in a file where others do.
func (r *raw) paintRest() {
	if r.colors == nil {
		return
	}
	for i, c := range r.colors {
		if c[3] == 0 {
			r.colors[i] = [4]float32{1, 1, 1, 1}
		}
	}
}

// pass is the second reading: where everything goes.
type pass struct {
	*raw
	all    tally
	colors func() [][4]float32
}

// read reads one stretch into its part of the arrays.
func (p *pass) read(c *chunk) {
	at := c.before
	limit := at.corners + c.own.corners
	c.skipped = map[string]skipped{}
	lines(c.data, func(b []byte, line int) bool {
		b = text.SkipSpace(b)
		n := c.before.lines + line + 1
		switch kind(b) {
		case 'v':
			if err := p.vertex(b[1:], n, at.v); err != nil {
				c.damage.add(&c.damage.points, at.v, err)
			}
			at.v++
		case 't':
			var v [3]float64
			if _, err := p.numbers(b[2:], n, v[:], 1, "texture coordinate"); err != nil {
				c.damage.add(&c.damage.uvs, at.vt, err)
			}
			p.uvs[at.vt] = [2]float64{v[0], v[1]}
			at.vt++
		case 'n':
			var v [3]float64
			if _, err := p.numbers(b[2:], n, v[:], 3, "normal"); err != nil {
				c.damage.add(&c.damage.normals, at.vn, err)
			}
			p.normals[at.vn] = direction(v)
			at.vn++
		case 'f':
			k, err := p.face(b[1:], n, &at, limit)
			if all := words(b[1:]); err != nil && all >= 3 {
				// Its places were counted; repair closes the gap.
				c.damage.add(&c.damage.faces, at.faces, err)
				at.corners += all
				at.faces++
				p.start[at.faces] = int32(at.corners)
			} else if k < 3 {
				c.skip("face of fewer than three corners", n)
			}
		default:
			p.other(c, b, n, at)
		}
		return c.err == nil
	})
}

// skip notes a statement that is not read, the first of its kind with its line.
func (c *chunk) skip(what string, line int) {
	s, seen := c.skipped[what]
	if !seen {
		s.line = line
	}
	s.count++
	c.skipped[what] = s
}

// numbers reads up to len(into) numbers, at least least of them.
func (p *pass) numbers(b []byte, line int, into []float64, least int, what string) (int, *fault.Error) {
	n := 0
	for {
		b = text.SkipSpace(b)
		if len(b) == 0 || b[0] == '#' || n == len(into) {
			break
		}
		f, k := text.Float(b)
		if k == 0 || k < len(b) && !text.IsSpace(b[k]) {
			return n, p.badNumber(b, line, what)
		}
		if !(math.Abs(f) <= maxNumber) {
			return n, fault.AtLine(p.name, line, "the %s holds %s, which is too large a number", what,
				fault.Quote(b[:k])).Beyond()
		}
		into[n] = f
		n++
		b = b[k:]
	}
	if n < least {
		return n, fault.AtLine(p.name, line, "a %s needs %d numbers and has %d", what, least, n).
			Advise("The line may be cut short; export the mesh again")
	}
	return n, nil
}

// maxNumber bounds what a file may say: beyond it 32-bit receivers have infinities.
const maxNumber = 1e30

// direction narrows a normal whose length says nothing.
func direction(v [3]float64) [3]float32 {
	if m := max(math.Abs(v[0]), math.Abs(v[1]), math.Abs(v[2])); m > 1e6 {
		v = [3]float64{v[0] / m, v[1] / m, v[2] / m}
	}
	return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])}
}

// badNumber says what stands where a number should.
func (p *pass) badNumber(b []byte, line int, what string) *fault.Error {
	w, _ := text.Word(b)
	e := fault.AtLine(p.name, line, "expected a number in the %s, found %s", what, fault.Quote(w))
	switch l := strings.ToLower(strings.TrimLeft(string(w), "+-")); {
	case bytes.IndexByte(w, ',') >= 0:
		return e.Advise("Numbers need a point, not a comma: set the exporter's number format to English")
	case strings.HasPrefix(l, "nan") || strings.HasPrefix(l, "inf"):
		return e.Advise("The mesh has a point that is nowhere; delete it in the modelling program and export again")
	}
	return e
}

// vertex reads a v line into place at; what follows the point may be a weight or a
// colour.
func (p *pass) vertex(b []byte, line, at int) *fault.Error {
	var v [7]float64
	n, err := p.numbers(b, line, v[:], 3, "point")
	if err != nil {
		return err
	}
	p.points[at] = geom.Vec3{v[0], v[1], v[2]}
	// x y z r g b, or x y z w r g b; a lone fourth number is a weight and says
	// nothing about polygons.
	if n >= 6 {
		p.colors()[at] = [4]float32{float32(scene.Linear(v[n-3])), float32(scene.Linear(v[n-2])),
			float32(scene.Linear(v[n-1])), 1} // as a screen shows them
	}
	return nil
}

// face reads corners v, v/t, v//n or v/t/n and returns how many there are.
func (p *pass) face(b []byte, line int, at *tally, limit int) (int, *fault.Error) {
	k := 0
	for {
		b = text.SkipSpace(b)
		if len(b) == 0 || b[0] == '#' {
			break
		}
		c := at.corners + k
		if c >= limit {
			// Only a face that was not counted, for having too few corners, can
			// reach beyond the chunk's share.
			return words(b) + k, nil
		}
		i, n := text.Int(b)
		if n == 0 {
			return k, p.badCorner(b, line)
		}
		point, ok := resolve(i, at.v, p.all.v)
		if !ok {
			return k, p.nowhere("point", i, at.v, p.all.v, line)
		}
		p.corner[c] = point
		b = b[n:]
		uv, normal := int32(-1), int32(-1)
		if len(b) > 0 && b[0] == '/' {
			b = b[1:]
			if i, n := text.Int(b); n > 0 {
				if uv, ok = resolve(i, at.vt, p.all.vt); !ok {
					return k, p.nowhere("texture coordinate", i, at.vt, p.all.vt, line)
				}
				b = b[n:]
			}
			if len(b) > 0 && b[0] == '/' {
				b = b[1:]
				if i, n := text.Int(b); n > 0 {
					if normal, ok = resolve(i, at.vn, p.all.vn); !ok {
						return k, p.nowhere("normal", i, at.vn, p.all.vn, line)
					}
					b = b[n:]
				}
			}
		}
		if len(b) > 0 && !text.IsSpace(b[0]) {
			return k, p.badCorner(b, line)
		}
		if p.uv != nil {
			p.uv[c] = uv
		}
		if p.normal != nil {
			p.normal[c] = normal
		}
		k++
	}
	if k < 3 {
		return k, nil
	}
	at.corners += k
	at.faces++
	p.start[at.faces] = int32(at.corners)
	return k, nil
}

// resolve turns a 1-based or relative index into a 0-based one.
func resolve(i, sofar, total int) (int32, bool) {
	if i < 0 {
		i = sofar + i
		return int32(i), i >= 0
	}
	return int32(i - 1), i >= 1 && i <= total
}

// badCorner says what stands where a corner should.
func (p *pass) badCorner(b []byte, line int) *fault.Error {
	w, _ := text.Word(b)
	return fault.AtLine(p.name, line, "expected a face corner such as 12/7/3, found %s", fault.Quote(w))
}

// nowhere says that a face names element i of a kind, where sofar were read and total
// are in the file.
func (p *pass) nowhere(what string, i, sofar, total, line int) *fault.Error {
	e := fault.AtLine(p.name, line, "a face refers to %s %d, and the file has %d", what, i, total)
	if i < 0 {
		e = fault.AtLine(p.name, line, "a face refers to %s %d, counting back from here, and there are %d before it", what,
			i, sofar)
	}
	return e.Advise("The file may be cut short or joined from two; export the mesh again")
}

// other reads the statements that carry names, and counts those that make no polygons.
func (p *pass) other(c *chunk, b []byte, line int, at tally) {
	if name, ok := bytes.CutPrefix(b, []byte(calledMark)); ok {
		c.events = append(c.events, event{'c', line, at.faces, at.v, strings.ToValidUTF8(string(text.TrimRight(name)), "�")})
		return
	}
	if len(b) == 0 || b[0] == '#' {
		return
	}
	key, rest := text.Word(b)
	said := func() string { return strings.ToValidUTF8(string(text.TrimRight(text.SkipSpace(rest))), "�") }
	add := func(kind byte) {
		c.events = append(c.events, event{kind, line, at.faces, at.v, said()})
	}
	switch k := string(key); k {
	case "o", "g", "s":
		add(k[0])
	case "usemtl":
		add('u')
	case "mtllib":
		add('m')
	case "l", "p":
		c.skip(map[string]string{"l": "line", "p": "point"}[k], line)
		// One mark a stretch is enough to tell an object that is a guide.
		if n := len(c.events); n == 0 || c.events[n-1].kind != 'w' {
			c.events = append(c.events, event{'w', line, at.faces, at.v, ""})
		}
	case "v", "vt", "vn", "f":
		c.err = fault.AtLine(p.name, line, "%q stands alone, without its numbers", k).
			Advise("The line may be cut short; export the mesh again")
	case "vp", "cstype", "deg", "bmat", "step", "curv", "curv2", "surf", "parm", "trim", "hole", "scrv", "sp", "end",
		"con":
		if k == "surf" || k == "curv" || k == "curv2" {
			c.skip("free-form "+map[string]string{"surf": "surface", "curv": "curve", "curv2": "curve"}[k], line)
		}
	case "mg", "bevel", "c_interp", "d_interp", "lod", "shadow_obj", "trace_obj", "ctech", "stech", "maplib", "usemap",
		"call", "csh":
		c.skip("statement "+k, line)
	default:
		// A file of which nothing can be understood is no OBJ at all; Read says so.
		c.skip("unknown statement", line)
	}
}
