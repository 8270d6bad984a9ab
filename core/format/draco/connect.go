package draco

import "math"

// plain reads connectivity that is a list of corners, as numbers or as differences.
func (d *decoder) plain() error {
	faces, points := d.varint(), d.varint()
	if err := d.bound(faces, points); err != nil {
		return err
	}
	corners := make([]int32, 3*d.faces)
	switch how := d.byte(); {
	case how == 0:
		d.symbols(corners, 1)
		signed(corners)
		for i := 1; i < len(corners); i++ {
			corners[i] += corners[i-1]
		}
	case how != 1:
		return d.fail("corners are written in the unknown way %d", how)
	case points < 1<<8:
		for i, v := range d.take(len(corners)) {
			corners[i] = int32(v)
		}
	case points < 1<<16:
		for i, v := 0, d.take(2*len(corners)); v != nil && i < len(corners); i++ {
			corners[i] = int32(v[2*i]) | int32(v[2*i+1])<<8
		}
	case points < 1<<21:
		for i := range corners {
			corners[i] = int32(min(d.varint(), math.MaxInt32))
		}
	default:
		for i := range corners {
			corners[i] = int32(d.uint32())
		}
	}
	if d.err != nil {
		return d.err
	}
	for i, c := range corners {
		if c < 0 || uint64(c) >= points {
			return d.fail("corner %d refers to point %d of %d", i, c, points)
		}
	}
	d.mesh.Corners, d.mesh.Points = corners, int(points)
	return nil
}

// bound holds the claimed size against the limit.
func (d *decoder) bound(faces, points uint64) error {
	switch {
	case d.err != nil:
		return d.err
	case faces > uint64(d.limit):
		return d.fail("%d faces are announced, and %d are the most for a stream of this size", faces, d.limit)
	case points > 3*faces:
		return d.fail("%d points are announced for %d faces", points, faces)
	}
	d.faces = int(faces)
	return nil
}

// The ways a face can hang on those before it (Rossignac’s CLERS), by their bits.
const (
	symbolC = 0
	symbolS = 1
	symbolL = 3
	symbolR = 5
	symbolE = 7
)

// splitEvent says that the face of symbol source meets a piece again that was split off at
// symbol split, over its right or its left edge. Both count from the encoder's side.
type splitEvent struct {
	source, split int
	right         bool
}

// walk is the state of decoding faces one by one.
type walk struct {
	*decoder
	t       *table
	symbols symbols
	events  []splitEvent
	most    int           // vertices
	active  []int32       // gates: corners the next face may hang on
	waiting map[int]int32 // symbol to the gate that it takes up again
	hole    []bool        // vertices on a border
	dead    []int32       // vertices that were merged into others
	made    int           // faces
}

// symbols gives the ways faces hang, and hears what came of them.
type symbols interface {
	symbol() (byte, bool)
	reached(t *table, corner int32)
	merged(to, from int32)
}

// connect reads connectivity coded by Edgebreaker.
//
// The coder walked over the mesh, a face at a time, and wrote for each how it lay to what was walked already:
// at its tip a new vertex (C), the walked part on its left (L), its right (R), on both (E), or before it, so
// that the walk falls into two (S). It is read backwards, so that faces are put together from the last walked
// to the first: then each symbol tells of the border of what is built which of its edges the new face goes to.
// Events say where an S took up a part that lay aside; a coin a piece says whether its last face closes it.
func (d *decoder) connect() error {
	kind := d.byte()
	vertices, faces := d.varint(), d.varint()
	layers := int(d.byte())
	count, splits := d.varint(), d.varint()
	if err := d.bound(faces, vertices); err != nil {
		return err
	}
	if count > faces || splits > count || layers > maxAttributes || vertices == 0 != (faces == 0) {
		return d.fail("%d symbols with %d splits and %d layers are announced for %d faces", count, splits, layers, faces)
	}
	w := &walk{decoder: d, t: newTable(d.faces), most: int(vertices + splits), waiting: map[int]int32{}}
	w.hole = make([]bool, w.most)
	for i := range w.hole {
		w.hole[i] = true
	}
	if err := w.splitEvents(int(count)); err != nil {
		return err
	}
	switch kind {
	case 0:
		w.symbols = &standard{packed{data: d.take(d.count())}}
	case 2:
		w.symbols = &byValence{context: -1, valences: make([]int32, w.most)}
	default:
		return UnsupportedError("the predictive walk of the first versions")
	}
	starts := d.coin()
	seams := make([]coin, layers)
	for i := range seams {
		seams[i] = d.coin()
	}
	if v, ok := w.symbols.(*byValence); ok {
		v.read(&d.buffer, int(count))
	}
	if d.err != nil {
		return d.err
	}
	if err := w.walk(int(count), layers == 0, &starts); err != nil {
		return err
	}
	d.base = w.t
	if err := d.seam(seams); err != nil {
		return err
	}
	return d.points(w.hole)
}

func newTable(faces int) *table {
	t := &table{opposite: make([]int32, 3*faces), vertex: make([]int32, 3*faces)}
	for i := range t.opposite {
		t.opposite[i], t.vertex[i] = -1, -1
	}
	return t
}

// splitEvents reads the events, the last of which is the first to happen.
func (w *walk) splitEvents(symbols int) error {
	n := w.count()
	if n > symbols {
		return w.fail("%d events are announced for %d symbols", n, symbols)
	}
	w.events = make([]splitEvent, n)
	last := uint64(0)
	for i := range w.events {
		last += w.varint()
		back := w.varint()
		if back > last || last >= uint64(max(symbols, 1)) {
			return w.fail("an event lies outside the symbols")
		}
		w.events[i] = splitEvent{source: int(last), split: int(last - back)}
	}
	if n > 0 {
		p := packed{data: w.take((n + 7) / 8)}
		for i := range w.events {
			w.events[i].right = p.get(1) == 1
		}
	}
	return w.err
}

// add makes a vertex.
func (w *walk) add(corner int32) (int32, error) {
	if len(w.t.left) >= w.most {
		return 0, w.fail("there are more than the %d vertices announced", w.most)
	}
	w.t.left = append(w.t.left, corner)
	return int32(len(w.t.left) - 1), nil
}

// unfit is the error of symbols that don't fit one another.
func (w *walk) unfit() error { return w.fail("the faces don't fit one another, at face %d", w.made) }

// walk makes the faces of all symbols, then those that close a piece; vertices that were
// merged away are filled up when tidy.
func (w *walk) walk(count int, tidy bool, starts *coin) error {
	for i := range count {
		if w.stopped(i) {
			return w.ctx.Err()
		}
		s, ok := w.symbols.symbol()
		if !ok {
			return w.fail("the stream ends within its symbols")
		}
		if err := w.face(i, s); err != nil {
			return err
		}
		w.made++
		w.symbols.reached(w.t, w.active[len(w.active)-1])
		if s != symbolC && s != symbolS {
			if err := w.happen(count-i-1, count); err != nil {
				return err
			}
		}
	}
	for len(w.active) > 0 {
		corner := w.active[len(w.active)-1]
		w.active = w.active[:len(w.active)-1]
		if starts.bit() {
			if err := w.close(corner); err != nil {
				return err
			}
		}
	}
	if w.made != w.faces {
		return w.fail("%d faces are announced and %d were made", w.faces, w.made)
	}
	if tidy {
		w.tidy()
	}
	return nil
}

// happen marks the gates that later symbols take up again.
func (w *walk) happen(symbol, count int) error {
	for len(w.events) > 0 {
		e := w.events[len(w.events)-1]
		if e.source > symbol {
			return w.unfit()
		}
		if e.source < symbol {
			return nil
		}
		w.events = w.events[:len(w.events)-1]
		top := w.active[len(w.active)-1]
		gate := prev(top)
		if e.right {
			gate = next(top)
		}
		w.waiting[count-e.split-1] = gate
	}
	return nil
}

// face makes the face of symbol i.
//
// active is a stack of gates: the corner over against the edge of the built part at which the next face goes
// on. E begins a part, with three new vertices and a gate of its own. L and R put one vertex beyond the gate's
// edge. C closes the fan about the vertex at the gate's end: the face fills the wedge between the gate's edge
// and the next of the border, and that vertex is on no hole. S joins the upper two parts. Corner c is the new
// face's first, whose edge becomes the gate.
func (w *walk) face(i int, s byte) error {
	t, c := w.t, int32(3*w.made)
	if w.made >= w.faces {
		return w.fail("there are more than the %d faces announced", w.faces)
	}
	if s == symbolE {
		for k := range int32(3) {
			v, err := w.add(c + k)
			if err != nil {
				return err
			}
			t.vertex[c+k] = v
		}
		w.active = append(w.active, c)
		return nil
	}
	if len(w.active) == 0 {
		return w.unfit()
	}
	a := w.active[len(w.active)-1]
	switch s {
	case symbolC:
		x := t.vertex[next(a)]
		if t.left[x] < 0 {
			return w.unfit()
		}
		b := next(t.left[x])
		before, after := t.vertex[prev(a)], t.vertex[next(b)]
		if a == b || t.opposite[a] >= 0 || t.opposite[b] >= 0 || x == before || x == after {
			return w.unfit()
		}
		t.join(a, c+1)
		t.join(b, c+2)
		t.vertex[c], t.vertex[c+1], t.vertex[c+2] = x, after, before
		t.left[before] = c + 2
		w.hole[x] = false
	case symbolR, symbolL:
		if t.opposite[a] >= 0 {
			return w.unfit()
		}
		tip, l, r := c+2, c+1, c
		if s == symbolL {
			tip, l, r = c+1, c, c+2
		}
		v, err := w.add(tip)
		if err != nil {
			return err
		}
		t.join(tip, a)
		t.vertex[tip] = v
		right := t.vertex[prev(a)]
		t.vertex[r], t.vertex[l] = right, t.vertex[next(a)]
		t.left[right] = r
	case symbolS:
		return w.split(i, a, c)
	default:
		return w.unfit()
	}
	w.active[len(w.active)-1] = c
	return nil
}

// split makes face c of symbol i, which joins two gates, b the upper one; a vertex of each becomes one.
//
// The upper part is done, and the one below it, or the one that an event laid aside for this symbol, is joined
// to it: the face has one edge at each gate. Where these meet, two vertices were made for one; that of the
// upper part is renamed all round its fan and is dead, to be filled up at the end.
func (w *walk) split(i int, b, c int32) error {
	t := w.t
	w.active = w.active[:len(w.active)-1]
	if gate, ok := w.waiting[i]; ok {
		w.active = append(w.active, gate)
	}
	if len(w.active) == 0 {
		return w.unfit()
	}
	a := w.active[len(w.active)-1]
	if a == b || t.opposite[a] >= 0 || t.opposite[b] >= 0 {
		return w.unfit()
	}
	t.join(a, c+2)
	t.join(b, c+1)
	keep := t.vertex[prev(a)]
	t.vertex[c], t.vertex[c+1] = keep, t.vertex[next(a)]
	before := t.vertex[prev(b)]
	t.vertex[c+2], t.left[before] = before, c+2
	at := next(b)
	gone := t.vertex[at]
	w.symbols.merged(keep, gone)
	t.left[keep] = t.left[gone]
	for first := at; at >= 0; {
		t.vertex[at] = keep
		if at = t.swingLeft(at); at == first {
			return w.unfit()
		}
	}
	t.left[gone] = -1
	w.dead = append(w.dead, gone)
	w.active[len(w.active)-1] = c
	return nil
}

// close makes the face inside three gates, the last of a piece without a border there.
func (w *walk) close(a int32) error {
	t := w.t
	if w.made >= w.faces {
		return w.fail("there are more than the %d faces announced", w.faces)
	}
	n := t.vertex[next(a)]
	if t.left[n] < 0 {
		return w.unfit()
	}
	b := next(t.left[n])
	x := t.vertex[next(b)]
	if t.left[x] < 0 {
		return w.unfit()
	}
	c := next(t.left[x])
	if a == b || a == c || b == c || t.opposite[a] >= 0 || t.opposite[b] >= 0 || t.opposite[c] >= 0 {
		return w.unfit()
	}
	p, at := t.vertex[next(c)], int32(3*w.made)
	t.join(at, a)
	t.join(at+1, b)
	t.join(at+2, c)
	t.vertex[at], t.vertex[at+1], t.vertex[at+2] = x, p, n
	w.hole[x], w.hole[p], w.hole[n] = false, false, false
	w.made++
	return nil
}

// tidy gives the numbers of vertices that were merged away to the last ones.
func (w *walk) tidy() {
	t := w.t
	for _, free := range w.dead {
		last := len(t.left) - 1
		for last >= 0 && t.left[last] < 0 {
			last--
		}
		t.left = t.left[:last+1]
		if last < int(free) {
			continue
		}
		start := t.left[last]
		for c, back := start, false; c >= 0; {
			t.vertex[c] = free
			if !back {
				if c = t.swingLeft(c); c == start {
					break
				}
				if c >= 0 {
					continue
				}
				back, c = true, start
			}
			c = t.swingRight(c)
		}
		t.left[free], w.hole[free] = start, w.hole[last]
		t.left = t.left[:last]
	}
}

// standard reads symbols of one or three bits.
type standard struct{ packed }

func (s *standard) symbol() (byte, bool) {
	v := byte(s.get(1))
	if v != 0 {
		v |= byte(s.get(2)) << 1
	}
	return v, !s.over()
}

func (*standard) reached(*table, int32) {}
func (*standard) merged(int32, int32)   {}

// byValence reads symbols whose likelihood hangs on how many faces the gate's vertex has.
type byValence struct {
	last     byte
	context  int // -1 before the first symbol
	runs     [6][]int32
	valences []int32
}

// read reads the symbols of each context; they are used from the back.
func (s *byValence) read(b *buffer, most int) {
	for i := range s.runs {
		n := b.varint()
		if n > uint64(most) {
			b.fail("%d symbols are announced in a mesh of %d", n, most)
			return
		}
		s.runs[i] = make([]int32, n)
		b.symbols(s.runs[i], 1)
	}
}

func (s *byValence) symbol() (byte, bool) {
	if s.context < 0 {
		s.last = symbolE
		return s.last, true
	}
	run := s.runs[s.context]
	if len(run) == 0 || uint32(run[len(run)-1]) > 4 {
		return 0, false
	}
	s.last = [...]byte{symbolC, symbolS, symbolL, symbolR, symbolE}[run[len(run)-1]]
	s.runs[s.context] = run[:len(run)-1]
	return s.last, true
}

// reached counts the faces of the last face's vertices and finds the next context.
func (s *byValence) reached(t *table, c int32) {
	add := [...][3]int32{symbolC: {0, 1, 1}, symbolS: {0, 1, 1}, symbolL: {1, 2, 1}, symbolR: {1, 1, 2},
		symbolE: {2, 2, 2}}[s.last]
	a, b, p := t.vertex[c], t.vertex[next(c)], t.vertex[prev(c)]
	s.valences[a] += add[0]
	s.valences[b] += add[1]
	s.valences[p] += add[2]
	s.context = int(min(max(s.valences[b], 2), 7)) - 2
}

func (s *byValence) merged(to, from int32) { s.valences[to] += s.valences[from] }

// seam reads which edges each layer breaks at; borders are seams of all.
//
// A layer is a set of values with seams of its own: one coin for each edge, told by the face that comes first,
// says whether values break there. A layer with a seam within the mesh gets a table cut along its seams; others
// share the mesh's.
func (d *decoder) seam(coins []coin) error {
	for range coins {
		d.layers = append(d.layers, &seamed{})
	}
	if len(coins) == 0 {
		return nil
	}
	for f := range int32(d.faces) {
		if d.stopped(int(f)) {
			return d.ctx.Err()
		}
		for _, c := range [3]int32{3 * f, 3*f + 1, 3*f + 2} {
			o := d.base.opposite[c]
			if o >= 0 && o/3 < f {
				continue
			}
			for i := range coins {
				if o < 0 || coins[i].bit() {
					d.layers[i].seams = append(d.layers[i].seams, c)
				}
			}
		}
	}
	for _, l := range d.layers {
		if !l.inside(d.base) {
			l.table = d.base
			continue
		}
		if err := l.cut(d.base); err != nil {
			return err
		}
		d.broken = append(d.broken, l)
	}
	return nil
}

// points numbers the points: a vertex is one for each stretch of its corners between seams.
func (d *decoder) points(hole []bool) error {
	t := d.base
	d.mesh.Corners = make([]int32, len(t.vertex))
	if len(d.layers) == 0 {
		copy(d.mesh.Corners, t.vertex)
		d.mesh.Points = len(t.left)
		return nil
	}
	for i := range d.mesh.Corners {
		d.mesh.Corners[i] = -1
	}
	n := int32(0)
	for v, c := range t.left {
		if c < 0 {
			continue
		}
		first := c
		if !hole[v] {
			var err error
			if first, err = d.breakOf(c); err != nil {
				return err
			}
		}
		d.mesh.Corners[first] = n
		n++
		last := first
		for at := t.swingRight(first); at >= 0 && at != first; at = t.swingRight(at) {
			if d.breaks(at, last) {
				n++
			}
			d.mesh.Corners[at] = n - 1
			last = at
		}
	}
	for _, p := range d.mesh.Corners {
		if p < 0 {
			return d.fail("the faces round a vertex don't hang together")
		}
	}
	d.mesh.Points = int(n)
	return nil
}

// breakOf is the first corner of the vertex of c, going right, at which a layer breaks; c
// when none does.
func (d *decoder) breakOf(c int32) (int32, error) {
	for _, l := range d.broken {
		if !l.on[d.base.vertex[c]] {
			continue
		}
		for at := d.base.swingRight(c); at != c; at = d.base.swingRight(at) {
			if at < 0 {
				return 0, d.fail("a vertex inside has a border")
			}
			if l.table.vertex[at] != l.table.vertex[c] {
				return at, nil
			}
		}
	}
	return c, nil
}

// breaks tells whether any layer has another value at corner a than at b.
func (d *decoder) breaks(a, b int32) bool {
	for _, l := range d.broken {
		if l.table.vertex[a] != l.table.vertex[b] {
			return true
		}
	}
	return false
}
