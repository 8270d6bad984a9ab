package unfold

import (
	"cmp"
	"context"
	"math"
	"math/cmplx"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/queue"
	"yarvek/core/split"
	"yarvek/core/union"
)

// chart is faces laid flat. Places on the plane are complex numbers, first in lengths of the asset, then
// in texels.
type chart struct {
	piece   int
	faces   []int32
	corners []int32 // of its faces
	point   []int32 // of each corner, the number of its place
	at      []complex128
	tris    [][3]int32 // of places
	border  [][2]int32 // of places, the chart to the left
	area    float64    // of the surface
	stretch float64
}

// covered is the area on the plane.
func (c *chart) covered() float64 {
	sum := 0.0
	for _, t := range c.tris {
		sum += turned(c.at[t[0]], c.at[t[1]], c.at[t[2]]) / 2
	}
	return sum
}

// turned is twice the area of a triangle, positive when it runs anticlockwise.
func turned(a, b, c complex128) float64 {
	return (real(b)-real(a))*(imag(c)-imag(a)) - (imag(b)-imag(a))*(real(c)-real(a))
}

// Of how faces are laid flat.
const (
	turnedAway = -0.2   // a region of which a face looks that far away from the rest is cut before it is tried
	largest    = 24_000 // faces that are laid flat together: the steps grow with their root
	plane      = 0.97   // a region whose faces all look within that cosine of one way is looked at from there
	deepest    = 60     // cuts within cuts
	mostTurn   = 500    // steps of conjugate gradients
	enough     = 1e-4   // of the first residual
)

// flat lays a region flat in as many charts as it takes.
func (b *body) flat(ctx context.Context, faces []int32, most float64, depth int) []*chart {
	if ctx.Err() != nil {
		return nil
	}
	mean, least := b.cone(faces)
	if depth >= deepest && len(faces) > 1 { // each face by itself
		var out []*chart
		for i := range faces {
			out = append(out, b.flat(ctx, faces[i:i+1], most, depth)...)
		}
		return out
	}
	if least > turnedAway && len(faces) <= largest || len(faces) == 1 {
		c := b.chart(faces)
		b.project(c, mean)
		if least < plane && len(faces) > 1 {
			b.conformal(ctx, c, faces)
		}
		if b.judge(c) <= most && !c.crossed() || len(faces) == 1 {
			return b.squarer(ctx, c, faces, most, depth)
		}
	}
	return b.cut(ctx, faces, most, depth)
}

// cut lays both halves of a region flat.
func (b *body) cut(ctx context.Context, faces []int32, most float64, depth int) []*chart {
	parts := b.halves(faces)
	made := make([][]*chart, len(parts))
	if len(parts) == 2 && len(faces) > 64 {
		split.Together(func() { made[0] = b.flat(ctx, parts[0], most, depth+1) },
			func() { made[1] = b.flat(ctx, parts[1], most, depth+1) })
	} else {
		for i, part := range parts {
			made[i] = b.flat(ctx, part, most, depth+1)
		}
	}
	return slices.Concat(made...)
}

// A chart that fills its box badly is cut where that saves room: below slack of its box, down to so small
// a share of all the surface, to boxes of less than saved of it.
const (
	slack  = 0.62
	petty  = 0.01
	saved  = 0.8
	mostIn = 6 // cuts within cuts
)

// squarer is a chart, or several in its place that need less room.
func (b *body) squarer(ctx context.Context, c *chart, faces []int32, most float64, depth int) []*chart {
	own := boxOf(c)
	if len(faces) == 1 || c.area > slack*own || c.area < petty*b.whole || depth >= deepest-mostIn {
		return []*chart{c}
	}
	parts := b.cut(ctx, faces, most, depth+(deepest-depth)/mostIn)
	sum := 0.0
	for _, p := range parts {
		sum += boxOf(p)
	}
	if sum > saved*own || ctx.Err() != nil {
		return []*chart{c}
	}
	return parts
}

// cone is the mean direction of faces, and the smallest cosine between it and one of theirs.
func (b *body) cone(faces []int32) (mean geom.Vec3, least float64) {
	for _, f := range faces {
		mean = mean.Add(b.normal[f].Mul(b.area[f]))
	}
	if mean = mean.Unit(); mean == (geom.Vec3{}) {
		return b.normal[faces[0]], -1
	}
	least = 1
	for _, f := range faces {
		least = min(least, b.normal[f].Dot(mean))
	}
	return mean, least
}

// halves cuts a region in two that hang together each: from the two faces that look the most different
// ways, or that lie farthest apart, whichever face is nearer goes to its side; once more from the middles
// of both. Parts that don't hang together to begin with are taken apart alone.
func (b *body) halves(faces []int32) [][]int32 {
	if parts := b.together(faces); len(parts) > 1 {
		return parts
	}
	in := make(map[int32]int8, len(faces)) // 0 within, 1 and 2 for the sides
	for _, f := range faces {
		in[f] = 0
	}
	mean, _ := b.cone(faces)
	first := slices.MinFunc(faces,
		func(f, g int32) int { return cmp.Compare(b.normal[f].Dot(mean), b.normal[g].Dot(mean)) })
	size := 0.0
	for _, f := range faces {
		size = max(size, b.middle[f].Dist(b.middle[first]))
	}
	far := func(f, g int32) float64 {
		return 1 - b.normal[f].Dot(b.normal[g]) + 0.5*b.middle[f].Dist(b.middle[g])/max(size, 1e-300)
	}
	farthest := func(g int32) int32 {
		return slices.MaxFunc(faces, func(a, c int32) int { return cmp.Compare(far(a, g), far(c, g)) })
	}
	seeds := [2]int32{first, farthest(first)}
	seeds[0] = farthest(seeds[1])
	for round := range 2 {
		for f := range in {
			in[f] = 0
		}
		b.grow(in, seeds, size)
		if round == 1 {
			break
		}
		// The middle of each side.
		for side := range 2 {
			var n, m geom.Vec3
			whole := 0.0
			for _, f := range faces {
				if in[f] == int8(side+1) {
					n, m, whole = n.Add(b.normal[f].Mul(b.area[f])), m.Add(b.middle[f].Mul(b.area[f])), whole+b.area[f]
				}
			}
			if whole == 0 {
				continue
			}
			n, m = n.Unit(), m.Mul(1/whole)
			best, least := seeds[side], math.Inf(1)
			for _, f := range faces {
				if in[f] != int8(side+1) {
					continue
				}
				if d := 1 - b.normal[f].Dot(n) + 0.5*b.middle[f].Dist(m)/max(size, 1e-300); d < least {
					best, least = f, d
				}
			}
			seeds[side] = best
		}
		if seeds[0] == seeds[1] {
			break
		}
	}
	var out [2][]int32
	for _, f := range faces {
		out[max(in[f], 1)-1] = append(out[max(in[f], 1)-1], f)
	}
	if len(out[0]) == 0 || len(out[1]) == 0 { // all is alike: one face goes by itself
		return [][]int32{faces[:1], faces[1:]}
	}
	return out[:]
}

// together are the parts of faces that hang together over soft edges.
func (b *body) together(faces []int32) [][]int32 {
	number := make(map[int32]int32, len(faces))
	for i, f := range faces {
		number[f] = int32(i)
	}
	sets := union.New(len(faces))
	for _, f := range faces {
		for c := b.m.FaceStart[f]; c < b.m.FaceStart[f+1]; c++ {
			if e := b.net.Edge[c]; e >= 0 {
				if g, h, ok := b.soft(e); ok {
					i, in1 := number[g]
					j, in2 := number[h]
					if in1 && in2 {
						sets.Join(i, j)
					}
				}
			}
		}
	}
	at := map[int32]int{}
	var out [][]int32
	for i, f := range faces {
		k, ok := at[sets.Find(int32(i))]
		if !ok {
			k = len(out)
			at[sets.Find(int32(i))] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], f)
	}
	return out
}

// front is a face on its way to a side.
type front struct {
	cost float64
	face int32
	side int8
}

// grow gives every face a side, from the seeds on, by how it looks and how far off it lies.
func (b *body) grow(in map[int32]int8, seeds [2]int32, size float64) {
	h := queue.By(func(a, b front) int {
		return cmp.Or(cmp.Compare(a.cost, b.cost), cmp.Compare(a.face, b.face), cmp.Compare(a.side, b.side))
	})
	h.Put(front{0, seeds[0], 1})
	h.Put(front{0, seeds[1], 2})
	for h.Len() > 0 {
		x := h.Take()
		if side, ok := in[x.face]; !ok || side != 0 {
			continue
		}
		in[x.face] = x.side
		seed := seeds[x.side-1]
		for c := b.m.FaceStart[x.face]; c < b.m.FaceStart[x.face+1]; c++ {
			f, ok := b.across(c, x.face)
			if !ok {
				continue
			}
			if side, within := in[f]; within && side == 0 {
				far := b.middle[f].Dist(b.middle[x.face]) / max(size, 1e-300)
				step := far + 0.3*(1-b.normal[f].Dot(b.normal[seed]))*far
				h.Put(front{x.cost + step + 1e-12, f, x.side})
			}
		}
	}
}

// chart numbers the places of faces: corners that meet across a soft edge between two of them are one.
//
// A chart is a surface of its own: along a seam one point of the mesh is two places of it, at a fan's tip as
// many as there are fans. So places are not points but sets of corners, joined edge by edge where both faces
// are of the chart. Sides of faces across which nothing was joined are its border.
func (b *body) chart(faces []int32) *chart {
	c := &chart{faces: faces}
	number := make(map[int32]int32, 4*len(faces)) // of corners
	for _, f := range faces {
		c.area += b.area[f] * b.scale * b.scale
		for k := b.m.FaceStart[f]; k < b.m.FaceStart[f+1]; k++ {
			number[k] = int32(len(c.corners))
			c.corners = append(c.corners, k)
		}
	}
	sets := union.New(len(c.corners))
	inner := func(k int32) bool {
		e := b.net.Edge[k]
		if e < 0 {
			return true // both ends are one place
		}
		if _, _, ok := b.soft(e); !ok {
			return false
		}
		r := b.net.Runs(int(e))
		_, in1 := number[r[0]]
		_, in2 := number[r[1]]
		return in1 && in2
	}
	for _, k := range c.corners {
		e := b.net.Edge[k]
		switch {
		case e < 0:
			sets.Join(number[k], number[b.net.Next(k)])
		case inner(k):
			r := b.net.Runs(int(e))
			sets.Join(number[r[0]], number[b.net.Next(r[1])])
			sets.Join(number[b.net.Next(r[0])], number[r[1]])
		}
	}
	place := map[int32]int32{}
	c.point = make([]int32, len(c.corners))
	for i := range c.corners {
		root := sets.Find(int32(i))
		p, ok := place[root]
		if !ok {
			p = int32(len(c.at))
			place[root] = p
			c.at = append(c.at, 0)
		}
		c.point[i] = p
	}
	for _, k := range c.corners {
		if !inner(k) {
			c.border = append(c.border, [2]int32{c.point[number[k]], c.point[number[b.net.Next(k)]]})
		}
	}
	for _, f := range faces {
		b.triangles(int(f), func(i, j, k int32) {
			c.tris = append(c.tris, [3]int32{c.point[number[i]], c.point[number[j]], c.point[number[k]]})
		})
	}
	return c
}

// triangles are those of a face.
func (b *body) triangles(f int, do func(i, j, k int32)) {
	for _, t := range b.tris[b.first[f]:b.first[f+1]] {
		do(t[0], t[1], t[2])
	}
}

// project looks at a chart from a direction.
func (b *body) project(c *chart, from geom.Vec3) {
	x := geom.Vec3{1, 0, 0}
	if math.Abs(from[0]) > 0.7 {
		x = geom.Vec3{0, 1, 0}
	}
	u := x.Sub(from.Mul(from.Dot(x))).Unit()
	v := from.Cross(u)
	for i, k := range c.corners {
		p := b.points[b.m.Corners[k]].Mul(b.scale)
		c.at[c.point[i]] = complex(p.Dot(u), p.Dot(v))
	}
}

// conformal lays a chart flat so that angles stay as they are as far as they can, from where its places
// are. Of each triangle the three corners, in its own plane, times what is opposite them, are to cancel
// out; the sum of the squares of what is left is made least by conjugate gradients, with the diagonal as
// preconditioner and two places held (Lévy et al. 2002, section 3). It is long because setting up and solving
// share the numbering of its unknowns.
func (b *body) conformal(ctx context.Context, c *chart, faces []int32) {
	type weights [3]complex128
	ws := make([]weights, 0, len(c.tris))
	for _, f := range faces {
		b.triangles(int(f), func(i, j, k int32) {
			p, q, r := b.points[b.m.Corners[i]], b.points[b.m.Corners[j]], b.points[b.m.Corners[k]]
			e, g := q.Sub(p), r.Sub(p)
			x := e.Len()
			var w weights
			if x > 0 {
				along := e.Mul(1 / x)
				gx := g.Dot(along)
				gy := g.Sub(along.Mul(gx)).Len()
				if area := x * gy; area > 0 {
					s := complex(1/math.Sqrt(area), 0)
					w = weights{(complex(gx, gy) - complex(x, 0)) * s, -complex(gx, gy) * s, complex(x, 0) * s}
				}
			}
			ws = append(ws, w)
		})
	}
	n := len(c.at)
	pin := c.pins()
	diag := make([]float64, n)
	for t, w := range ws {
		for k, i := range c.tris[t] {
			diag[i] += real(w[k])*real(w[k]) + imag(w[k])*imag(w[k])
		}
	}
	for i, d := range diag {
		if d > 0 {
			diag[i] = 1 / d
		}
	}
	// apply is what the normal equations make of x, with the held places left out.
	apply := func(x, out []complex128) {
		clear(out)
		for t := range ws {
			w, tri := &ws[t], &c.tris[t]
			r := w[0]*x[tri[0]] + w[1]*x[tri[1]] + w[2]*x[tri[2]]
			out[tri[0]] += complex(real(w[0]), -imag(w[0])) * r
			out[tri[1]] += complex(real(w[1]), -imag(w[1])) * r
			out[tri[2]] += complex(real(w[2]), -imag(w[2])) * r
		}
		out[pin[0]], out[pin[1]] = 0, 0
	}
	dot := func(x, y []complex128) float64 {
		sum := 0.0
		for i := range x {
			sum += real(x[i])*real(y[i]) + imag(x[i])*imag(y[i])
		}
		return sum
	}
	r, z, d, q := make([]complex128, n), make([]complex128, n), make([]complex128, n), make([]complex128, n)
	apply(c.at, r)
	for i := range r {
		r[i] = -r[i]
		if diag[i] > 0 {
			z[i] = r[i] * complex(diag[i], 0)
		}
		d[i] = z[i]
	}
	rz := dot(r, z)
	for first, step := rz, 0; step < mostTurn && rz > enough*enough*first && rz > 0; step++ {
		if step&15 == 0 && ctx.Err() != nil {
			return
		}
		apply(d, q)
		dq := dot(d, q)
		if !(dq > 0) {
			return
		}
		a := complex(rz/dq, 0)
		for i := range c.at {
			c.at[i] += a * d[i]
			r[i] -= a * q[i]
			if diag[i] > 0 {
				z[i] = r[i] * complex(diag[i], 0)
			}
		}
		next := dot(r, z)
		k := complex(next/rz, 0)
		rz = next
		for i := range d {
			d[i] = z[i] + k*d[i]
		}
	}
}

// pins are two places far apart.
func (c *chart) pins() [2]int32 {
	far := func(from int32) int32 {
		best, most := from, -1.0
		for _, e := range c.border {
			if l := cmplx.Abs(c.at[e[0]] - c.at[from]); l > most {
				best, most = e[0], l
			}
		}
		return best
	}
	if len(c.border) == 0 {
		return [2]int32{0, int32(len(c.at) - 1)}
	}
	a := far(c.border[0][0])
	b := far(a)
	if a == b {
		return [2]int32{0, int32(len(c.at) - 1)}
	}
	return [2]int32{a, b}
}

// judge brings a chart to the area of its surface, and gives its stretch: infinite when a triangle turns over
// or has no area on the plane. Needles, whose derivatives are all rounding, don't count.
func (b *body) judge(c *chart) float64 {
	on, off := 0.0, 0.0
	corner := b.placesOf(c, b.points)
	for _, t := range c.tris {
		on += turned(c.at[t[0]], c.at[t[1]], c.at[t[2]]) / 2
		off += corner[t[1]].Sub(corner[t[0]]).Cross(corner[t[2]].Sub(corner[t[0]])).Len() / 2
	}
	c.stretch = math.Inf(1)
	if !(on > 0) || off <= 0 || c.area <= 0 {
		return c.stretch
	}
	scaled := func(by float64) {
		for i := range c.at {
			c.at[i] *= complex(by, 0)
		}
	}
	scaled(math.Sqrt(off / on))
	c.stretch = c.stretched(corner, 1e-4)
	scaled(math.Sqrt(c.area / off))
	return c.stretch
}

// placesOf are points of a mesh by the places of a chart.
func (b *body) placesOf(c *chart, points []geom.Vec3) []geom.Vec3 {
	at := make([]geom.Vec3, len(c.at))
	for i, n := range c.corners {
		at[c.point[i]] = points[b.m.Corners[n]].Mul(b.scale)
	}
	return at
}

// stretched is the root mean square, over a surface of as much area as the chart, of how much a length of the plane
// grows on it (the L2 stretch of Sander, Snyder, Gortler and Hoppe 2001, "Texture mapping progressive meshes", section
// 3): 1 for what rolls off, larger for what is squeezed anywhere; infinite where a triangle has less than a share of
// its area.
func (c *chart) stretched(corner []geom.Vec3, share float64) float64 {
	sum, whole := 0.0, 0.0
	for _, t := range c.tris {
		a2 := turned(c.at[t[0]], c.at[t[1]], c.at[t[2]])
		p, q, r := corner[t[0]], corner[t[1]], corner[t[2]]
		e, g := q.Sub(p), r.Sub(p)
		is := e.Cross(g).Len() / 2
		if is <= thin*max(e.Dot(e), g.Dot(g)) {
			continue
		}
		if !(a2/2 > share*is) {
			return math.Inf(1)
		}
		// The derivatives of the surface by the plane's two directions.
		u, v := c.at[t[1]]-c.at[t[0]], c.at[t[2]]-c.at[t[0]]
		du := e.Mul(imag(v)).Sub(g.Mul(imag(u))).Mul(1 / a2)
		dv := g.Mul(real(u)).Sub(e.Mul(real(v))).Mul(1 / a2)
		sum += (du.Dot(du) + dv.Dot(dv)) / 2 * is
		whole += is
	}
	if whole == 0 {
		return 1
	}
	return math.Sqrt(sum / whole)
}
