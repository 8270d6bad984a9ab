package ladder

import (
	"context"
	"math"
	"math/bits"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// directions are those that outlines are looked at from: to the faces, edges and corners of a cube,
// one of each pair that look at one another.
var directions = func() []geom.Vec3 {
	var list []geom.Vec3
	for x := -1; x <= 1; x++ {
		for y := -1; y <= 1; y++ {
			for z := -1; z <= 1; z++ {
				if x > 0 || x == 0 && (y > 0 || y == 0 && z > 0) {
					list = append(list, geom.Vec3{float64(x), float64(y), float64(z)}.Unit())
				}
			}
		}
	}
	return list
}()

// Across is how many cells outlines are compared on, across the longest way through the asset.
const Across = 1400

// Outlines are what a scene covers, seen from thirteen directions. They are only read.
type Outlines struct {
	frame frame
	masks [][]uint64 // of each direction, row by row
}

// frame is where the cells of outlines lie: those that are compared share one.
type frame struct {
	centre geom.Vec3
	cell   float64 // metres
	n      int     // cells a side
	words  int     // of a row
}

// NewOutlines looks at a scene. When ctx ends it returns early, and what it returns means nothing.
func NewOutlines(ctx context.Context, s *scene.Scene) *Outlines {
	box := s.Bounds()
	reach := box.Size().Len()
	if box.IsEmpty() || !(reach > 0) {
		return &Outlines{}
	}
	f := frame{centre: box.Center(), cell: reach / Across, n: Across + Across/4}
	f.words = (f.n + 63) / 64
	return f.look(ctx, s)
}

// Like looks at another scene on the same cells.
func (o *Outlines) Like(ctx context.Context, s *scene.Scene) *Outlines {
	if o.frame.n == 0 {
		return &Outlines{}
	}
	return o.frame.look(ctx, s)
}

func (f frame) look(ctx context.Context, s *scene.Scene) *Outlines {
	o := &Outlines{frame: f, masks: make([][]uint64, len(directions))}
	x := flat(s)
	_ = split.Each(ctx, len(directions), func(i int) {
		u := directions[i].Across()
		o.masks[i] = f.mask(ctx, x, u, directions[i].Cross(u))
	})
	return o
}

// Apart is how far two outlines are apart at worst.
type Apart struct {
	Metres    float64   // the farthest that a place covered by one alone is from what the other covers
	Direction geom.Vec3 // it is seen along
	At        geom.Vec3 // there, in the plane through the middle
}

// Apart is how far outlines are apart, the worst of thirteen directions. It is told to half a cell, a
// place being covered where the middle of its cell is; where much is far apart, to six cells.
func (o *Outlines) Apart(ctx context.Context, p *Outlines) Apart {
	if o.frame.n == 0 || p.frame.n == 0 {
		return Apart{}
	}
	type far struct {
		cells    float64
		col, row int
	}
	worst := make([]far, len(directions))
	_ = split.Each(ctx, len(directions), func(i int) {
		for _, way := range [2][2][]uint64{{o.masks[i], p.masks[i]}, {p.masks[i], o.masks[i]}} {
			if d, c, r := o.frame.beyond(way[0], way[1], worst[i].cells); d > worst[i].cells {
				worst[i] = far{d, c, r}
			}
		}
	})
	var out Apart
	for i, w := range worst {
		if d := w.cells * o.frame.cell; d > out.Metres {
			u := directions[i].Across()
			half := float64(o.frame.n) / 2
			at := o.frame.centre.Add(u.Mul((float64(w.col) + 0.5 - half) * o.frame.cell)).
				Add(directions[i].Cross(u).Mul((float64(w.row) + 0.5 - half) * o.frame.cell))
			out = Apart{d, directions[i], at}
		}
	}
	return out
}

// soup is triangles where they stand.
type soup struct {
	pts  []geom.Vec3
	tris []int32
}

func flat(s *scene.Scene) soup {
	var x soup
	for _, m := range s.Flattened().Meshes {
		base := int32(len(x.pts))
		x.pts = append(x.pts, m.Points...)
		m.EachTriangle(func(_ int, a, b, c int32) {
			x.tris = append(x.tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		})
	}
	return x
}

// mask is which cells have their middle covered by a triangle, seen across u and v.
func (f frame) mask(ctx context.Context, x soup, u, v geom.Vec3) []uint64 {
	out := make([]uint64, f.n*f.words)
	half := float64(f.n) / 2
	flat := make([][2]float64, len(x.pts))
	for i, p := range x.pts {
		d := p.Sub(f.centre)
		flat[i] = [2]float64{d.Dot(u)/f.cell + half, d.Dot(v)/f.cell + half}
	}
	for t := 0; t < len(x.tris); t += 3 {
		if t&0xffff == 0 && ctx.Err() != nil {
			return out
		}
		a, b, c := flat[x.tris[t]], flat[x.tris[t+1]], flat[x.tris[t+2]]
		low, high := min(a[1], b[1], c[1]), max(a[1], b[1], c[1])
		for row := max(0, int(math.Ceil(low-0.5))); row <= min(f.n-1, int(math.Floor(high-0.5))); row++ {
			y := float64(row) + 0.5
			l, r := math.Inf(1), math.Inf(-1)
			for _, e := range [3][2][2]float64{{a, b}, {b, c}, {c, a}} {
				p, q := e[0], e[1]
				if p[1] > q[1] {
					p, q = q, p
				}
				if p[1] <= y && y < q[1] {
					at := p[0] + (q[0]-p[0])*(y-p[1])/(q[1]-p[1])
					l, r = min(l, at), max(r, at)
				}
			}
			if !(r > l) {
				continue
			}
			fill(out[row*f.words:], max(0, int(math.Ceil(l-0.5))), min(f.n-1, int(math.Ceil(r-0.5))-1))
		}
	}
	return out
}

// fill sets bits from one to another of a row.
func fill(row []uint64, from, to int) {
	for from <= to {
		w, bit := from>>6, from&63
		n := min(64-bit, to-from+1)
		row[w] |= ^uint64(0) >> (64 - n) << bit
		from += n
	}
}

// beyond is the farthest, in cells, that a cell of p alone is from one of q, and where; only what is
// farther than least is looked for.
func (f frame) beyond(p, q []uint64, least float64) (most float64, col, row int) {
	most = least
	any := false
	for _, w := range q {
		any = any || w != 0
	}
	looks := 0
	for i := range p {
		if looks > mostLooks {
			// So much is far away that a coarser look tells as well how far.
			d, c, r := f.coarser().beyondAll(f.thinned(p, true), f.thinned(q, false))
			if d *= coarse; d > most {
				most, col, row = d, coarse*c+coarse/2, coarse*r+coarse/2
			}
			return most, col, row
		}
		for alone := p[i] &^ q[i]; alone != 0; alone &= alone - 1 {
			r, c := i/f.words, i%f.words<<6+bits.TrailingZeros64(alone)
			if !any {
				return float64(f.n), c, r // there is nothing to be near to
			}
			d, n := f.nearest(q, c, r, most)
			if looks += n; d > most {
				most, col, row = d, c, r
			}
		}
	}
	return most, col, row
}

// mostLooks bounds the cells that are looked at round others, one by one; coarse is how many cells a
// side become one where that does not do.
const (
	mostLooks = 8_000_000
	coarse    = 4
)

// coarser is the frame of coarser cells.
func (f frame) coarser() frame {
	n := f.n / coarse
	return frame{f.centre, f.cell * coarse, n, (n + 63) / 64}
}

// thinned is a mask on coarser cells: covered where all of a cell's are, or any.
func (f frame) thinned(p []uint64, all bool) []uint64 {
	g := f.coarser()
	out := make([]uint64, g.n*g.words)
	for r := range g.n {
		for c := range g.n {
			n := 0
			for y := range coarse {
				at := (r*coarse+y)*f.words + c*coarse>>6
				n += bits.OnesCount64(p[at] >> (c * coarse & 63) & (1<<coarse - 1))
			}
			if n == coarse*coarse || n > 0 && !all {
				out[r*g.words+c>>6] |= 1 << (c & 63)
			}
		}
	}
	return out
}

// beyondAll is the same by the distances of all cells at once: squared, along columns and then along
// rows (Felzenszwalb and Huttenlocher 2012, "Distance transforms of sampled functions").
func (f frame) beyondAll(p, q []uint64) (most float64, col, row int) {
	has := func(m []uint64, c, r int) bool { return m[r*f.words+c>>6]>>(c&63)&1 != 0 }
	far := float64(4 * f.n * f.n)
	d := make([]float32, f.n*f.n)
	line, out := make([]float64, f.n), make([]float64, f.n)
	at, edge := make([]int, f.n), make([]float64, f.n+1)
	for c := range f.n {
		for r := range f.n {
			if line[r] = far; has(q, c, r) {
				line[r] = 0
			}
		}
		lower(line, out, at, edge)
		for r := range f.n {
			d[r*f.n+c] = float32(out[r])
		}
	}
	worst := 0.0
	for r := range f.n {
		for c := range f.n {
			line[c] = float64(d[r*f.n+c])
		}
		lower(line, out, at, edge)
		for c := range f.n {
			if out[c] > worst && has(p, c, r) {
				worst, col, row = out[c], c, r
			}
		}
	}
	return math.Sqrt(worst), col, row
}

// lower is the lower envelope of parabolas that stand at f.
func lower(f, out []float64, at []int, edge []float64) {
	k := 0
	at[0], edge[0], edge[1] = 0, math.Inf(-1), math.Inf(1)
	for q := 1; q < len(f); q++ {
		cross := func() float64 {
			v := at[k]
			return (f[q] + float64(q*q) - f[v] - float64(v*v)) / float64(2*(q-v))
		}
		s := cross()
		for s <= edge[k] {
			k--
			s = cross()
		}
		k++
		at[k], edge[k], edge[k+1] = q, s, math.Inf(1)
	}
	k = 0
	for q := range f {
		for edge[k+1] < float64(q) {
			k++
		}
		v := at[k]
		out[q] = float64((q-v)*(q-v)) + f[v]
	}
}

// nearest is how far a cell of q is from a place, or no more than near as soon as one is that near,
// and how many cells were looked at.
func (f frame) nearest(q []uint64, col, row int, near float64) (best float64, looks int) {
	best = math.Inf(1)
	for ring := 1; float64(ring) < best; ring++ {
		looks += 8 * ring
		see := func(c, r int) {
			if c >= 0 && r >= 0 && c < f.n && r < f.n && q[r*f.words+c>>6]>>(c&63)&1 != 0 {
				best = min(best, math.Hypot(float64(c-col), float64(r-row)))
			}
		}
		for k := -ring; k <= ring; k++ {
			see(col+k, row-ring)
			see(col+k, row+ring)
			see(col-ring, row+k)
			see(col+ring, row+k)
		}
		if best <= near {
			return best, looks
		}
		if ring > 2*f.n {
			return float64(f.n), looks
		}
	}
	return best, looks
}

// Lens is what two scenes cover round a place, seen from a direction: 0 for nothing, 1 for both, 2
// for the first alone, 3 for the second alone; n by n, from the top, side metres wide.
func Lens(ctx context.Context, a, b *scene.Scene, at Apart, side float64, n int) []uint8 {
	f := frame{centre: at.At, cell: side / float64(n), n: n, words: (n + 63) / 64}
	u := at.Direction.Across()
	v := at.Direction.Cross(u)
	p, q := f.mask(ctx, flat(a), u, v), f.mask(ctx, flat(b), u, v)
	out := make([]uint8, n*n)
	for r := range n {
		for c := range n {
			x, y := p[r*f.words+c>>6]>>(c&63)&1 != 0, q[r*f.words+c>>6]>>(c&63)&1 != 0
			k := &out[(n-1-r)*n+c]
			switch {
			case x && y:
				*k = 1
			case x:
				*k = 2
			case y:
				*k = 3
			}
		}
	}
	return out
}
