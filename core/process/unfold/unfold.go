// Package unfold makes a UV set of its own for meshes: charts are cut, laid flat without overlap and with
// little stretch, and packed on a square with room between them, as light is baked into.
//
// Faces that meet in a soft edge make a region. A region is laid flat by least squares conformal maps
// (Lévy, Petitjean, Ray and Maillot 2002, "Least squares conformal maps for automatic texture atlas
// generation"; Sheffer, Lévy, Mogilnitsky and Bogomyakov 2005 compare it with angle-based flattening), or
// by looking at it where it is nearly flat. What comes out is checked: a chart whose triangles turn over,
// whose outline crosses itself, or that is stretched too much is cut in two, and both are laid flat
// again; charts then go to a neighbour where both can be laid flat as one, and those that waste the most of the square
// are cut by a straight line while that lets all of them be larger. A triangle by itself is always fine, so every mesh
// comes to an end. A scan, whose every few faces have a sharp edge round them, is laid flat as its smoothed self.
package unfold

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/process/mend"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/topo"
	"yarvek/core/union"
)

// Piece is a mesh that gets room on the square.
type Piece struct {
	Mesh  *scene.Mesh
	Scale float64             // lengths of the asset for one of the mesh
	Faces func(face int) bool // those that get room; nil for all
}

// Options say how charts lie.
type Options struct {
	Size    int     // texels a side of the square
	Padding int     // texels between two charts, at least
	Stretch float64 // by area that a chart may have, 0 for [UsualStretch]
}

// UsualStretch is how much a chart may be stretched, as Sander, Snyder, Gortler and Hoppe have it (2001,
// "Texture mapping progressive meshes"): the root mean square of what a length of the square is on the
// surface, both brought to one area. 1 is not at all.
const UsualStretch = 1.2

// Result is a UV set for each piece.
type Result struct {
	Sets   []scene.Layer[[2]float64] // by corner; -1 for faces that get no room
	Charts int
	Fill   float64 // share of the square that charts cover
	Mean   float64 // stretch over all
	Worst  float64 // of the worst chart
	Gap    float64 // the smallest between two charts, in texels; up to twice the padding
}

// ErrRoom is given when charts don't fit on the square, however small they become.
var ErrRoom = errors.New("there are more charts than the square has room for with that padding")

// sharp is the cosine of the angle from which on an edge is cut.
var sharp = math.Cos(60 * math.Pi / 180)

// Unfold makes the set. It takes some 600 bytes a triangle meanwhile. progress, which may be nil, is told
// how far it is, from 0 to 1. The error is ErrRoom, or ctx's.
func Unfold(ctx context.Context, pieces []Piece, o Options, progress func(float64)) (*Result, error) {
	if o.Stretch == 0 {
		o.Stretch = UsualStretch
	}
	say := func(f float64) {
		if progress != nil {
			progress(f)
		}
	}
	var charts []*chart
	bodies := make([]*body, len(pieces))
	for i, p := range pieces {
		say(0.8 * float64(i) / float64(len(pieces)))
		bodies[i] = newBody(ctx, p)
		for f, a := range bodies[i].area {
			if bodies[i].in(f) {
				bodies[i].whole += a * p.Scale * p.Scale
			}
		}
		regions := bodies[i].regions()
		made := make([][]*chart, len(regions))
		if err := split.Each(ctx, len(regions),
			func(k int) { made[k] = bodies[i].flat(ctx, regions[k], o.Stretch, 0) }); err != nil {
			return nil, err
		}
		for _, c := range bodies[i].merged(ctx, slices.Concat(made...), o.Stretch) {
			c.piece = i
			charts = append(charts, c)
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	charts = shorter(ctx, charts, bodies, o.Stretch)
	say(0.8)
	// Each takes a texel at least, and its padding to one side and above.
	if n := float64(len(charts)); n*float64((1+o.Padding)*(1+o.Padding)) > float64((o.Size+o.Padding)*(o.Size+o.Padding)) {
		return nil, ErrRoom
	}
	r := &Result{Sets: make([]scene.Layer[[2]float64], len(pieces))}
	if len(charts) > 0 {
		var p *packer
		var at packing
		charts, p, at = tighter(ctx, charts, bodies, o)
		if at.spots == nil {
			return nil, cmp.Or(ctx.Err(), ErrRoom)
		}
		for _, c := range charts {
			if b := bodies[c.piece]; b.isRough { // of what is there, not of its smoothed self
				c.stretch = c.stretched(b.placesOf(c, b.m.Points), 0)
			}
		}
		p.put(at)
	}
	r.Charts = len(charts)
	say(0.95)
	for i, p := range pieces {
		r.Sets[i].Index = make([]int32, len(p.Mesh.Corners))
		for c := range r.Sets[i].Index {
			r.Sets[i].Index[c] = -1
		}
	}
	area, stretch := 0.0, 0.0
	for _, c := range charts {
		set := &r.Sets[c.piece]
		base := int32(len(set.Values))
		for _, z := range c.at {
			set.Values = append(set.Values, [2]float64{real(z) / float64(o.Size), imag(z) / float64(o.Size)})
		}
		for k, corner := range c.corners {
			set.Index[corner] = base + c.point[k]
		}
		r.Fill += c.covered() / float64(o.Size) / float64(o.Size)
		area += c.area
		stretch += c.stretch * c.stretch * c.area
		r.Worst = max(r.Worst, c.stretch)
	}
	for i, b := range bodies {
		b.leftovers(&r.Sets[i])
	}
	if area > 0 {
		r.Mean = math.Sqrt(stretch / area)
	}
	r.Gap = gap(ctx, charts, 2*float64(max(1, o.Padding)))
	return r, ctx.Err()
}

// longest is how long a chart may be beside the square that holds all of them, as well as they are packed.
const longest = 1.15

// shorter cuts charts so long that they alone would say how small all of them become.
func shorter(ctx context.Context, charts []*chart, bodies []*body, most float64) []*chart {
	area := 0.0
	for _, c := range charts {
		area += c.area
	}
	limit := longest * math.Sqrt(area/0.8)
	var out []*chart
	for n := 0; n < len(charts); n++ { // what is cut is looked at again
		c := charts[n]
		if ctx.Err() != nil {
			return charts
		}
		if len(c.faces) == 1 || tileOf(c, 4).long <= limit {
			out = append(out, c)
			continue
		}
		for _, p := range bodies[c.piece].cut(ctx, c.faces, most, deepest-mostIn) {
			p.piece = c.piece
			charts = append(charts, p)
		}
	}
	return out
}

// body is a mesh made ready to be cut.
type body struct {
	m      *scene.Mesh
	net    *topo.Net
	scale  float64
	points []geom.Vec3 // of what is laid flat: the mesh's, or those of its smoothed self
	normal []geom.Vec3 // of each face of that, of unit length; none of one without area
	area   []float64
	middle []geom.Vec3
	in     func(int) bool
	whole  float64    // area of all that gets room; lengths of the asset
	tris   [][3]int32 // corners
	first  []int32    // of each face, its first triangle; one more than there are faces
	// isRough tells that it is laid flat as its smoothed self.
	isRough bool
}

// thin is the share of the square of its longest side below which a face has no area to speak of.
const thin = 1e-10

func newBody(ctx context.Context, p Piece) *body {
	m := p.Mesh
	b := &body{m: m, scale: p.Scale, normal: make([]geom.Vec3, m.Faces()), area: make([]float64, m.Faces()),
		middle: make([]geom.Vec3, m.Faces()),
		in:     p.Faces}
	if b.in == nil {
		b.in = func(int) bool { return true }
	}
	b.first = make([]int32, m.Faces()+1)
	m.EachTriangle(func(f int, i, j, k int32) {
		b.tris = append(b.tris, [3]int32{i, j, k})
		b.first[f+1] = int32(len(b.tris))
		p := m.Points[m.Corners[i]]
		b.area[f] += m.Points[m.Corners[j]].Sub(p).Cross(m.Points[m.Corners[k]].Sub(p)).Len() / 2
	})
	for f := range m.Faces() {
		b.first[f+1] = max(b.first[f+1], b.first[f])
	}
	b.points = m.Points
	b.net = topo.Of(ctx, m, topo.Places(ctx, m.Points, 0), p.Faces)
	for f := range m.Faces() {
		if f&0xffff == 0 && ctx.Err() != nil {
			return b
		}
		n := m.FaceNormal(f)
		long := 0.0
		s, e := m.FaceStart[f], m.FaceStart[f+1]
		for c := s; c < e; c++ {
			p := m.Points[m.Corners[c]]
			b.middle[f] = b.middle[f].Add(p)
			d := p.Dist(m.Points[m.Corners[b.net.Next(c)]])
			long = max(long, d*d)
		}
		b.middle[f] = b.middle[f].Mul(1 / float64(e-s))
		if l := n.Len(); l > thin*long {
			b.normal[f] = n.Mul(1 / l)
		} else {
			b.area[f] = 0
		}
	}
	if b.isRough = b.rough(); b.isRough {
		if out, place := mend.Apart(ctx, m, b.net); place != nil {
			b.m, b.net = out, topo.Of(ctx, out, place, p.Faces)
		}
		b.smooth(ctx)
	}
	return b
}

// soft tells whether two faces are laid flat together across an edge: it has no others, both run along it
// in turn, and they don't lean apart.
func (b *body) soft(e int32) (f, g int32, ok bool) {
	r := b.net.Runs(int(e))
	if len(r) != 2 || b.net.Alike(r[0], r[1]) {
		return 0, 0, false
	}
	f, g = b.net.FaceOf[r[0]], b.net.FaceOf[r[1]]
	return f, g, f != g && b.area[f] > 0 && b.area[g] > 0 && b.normal[f].Dot(b.normal[g]) >= sharp
}

// across is the face on the other side of the edge that begins at a corner of a face, when it is soft.
func (b *body) across(corner, face int32) (int32, bool) {
	e := b.net.Edge[corner]
	if e < 0 {
		return 0, false
	}
	f, g, ok := b.soft(e)
	if f == face {
		f = g
	}
	return f, ok
}

// regions are faces that hang together over soft edges, the largest first by the number of their faces.
func (b *body) regions() [][]int32 {
	sets := union.New(b.m.Faces())
	for e := range b.net.Edges() {
		if f, g, ok := b.soft(int32(e)); ok {
			sets.Join(f, g)
		}
	}
	at := map[int32]int{}
	var list [][]int32
	for f := range b.m.Faces() {
		if b.area[f] <= 0 || !b.in(f) {
			continue
		}
		k, ok := at[sets.Find(int32(f))]
		if !ok {
			k = len(list)
			at[sets.Find(int32(f))] = k
			list = append(list, nil)
		}
		list[k] = append(list[k], int32(f))
	}
	return list
}

// leftovers gives corners of faces without area the place of a neighbour: they cover nothing, wherever
// they lie.
func (b *body) leftovers(set *scene.Layer[[2]float64]) {
	at := map[int32]int32{}
	for c, i := range set.Index {
		if i >= 0 {
			at[b.net.At(int32(c))] = i
		}
	}
	for f := range b.m.Faces() {
		if b.area[f] > 0 || !b.in(f) {
			continue
		}
		i := int32(-1)
		for c := b.m.FaceStart[f]; c < b.m.FaceStart[f+1]; c++ {
			if k, ok := at[b.net.At(c)]; ok {
				i = k
				break
			}
		}
		if i < 0 {
			if len(set.Values) == 0 {
				set.Values = append(set.Values, [2]float64{0.5, 0.5})
			}
			i = 0
		}
		for c := b.m.FaceStart[f]; c < b.m.FaceStart[f+1]; c++ {
			set.Index[c] = i
		}
	}
}
