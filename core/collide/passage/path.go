package passage

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/queue"
	"yarvek/core/split"
	"yarvek/core/union"
)

// measure fills in how clear each place is, up to half as much again as the body's radius. Blocks of cells that are
// far from the mesh are told by one distance.
func (g *Grid) measure(ctx context.Context, tree *geom.BVH, column []geom.Vec3) {
	g.clear = make([]float32, g.n[0]*g.n[1]*g.n[2])
	limit := 1.5 * g.Body.Radius
	const block = 8
	blocks := [3]int{}
	for k := range 3 {
		blocks[k] = (g.n[k] + block - 1) / block
	}
	half := math.Sqrt(3) * g.step * (block - 1) / 2
	_ = split.Each(ctx, blocks[0]*blocks[1]*blocks[2], func(b int) {
		lo := [3]int{b % blocks[0] * block, b / blocks[0] % blocks[1] * block, b / (blocks[0] * blocks[1]) * block}
		hi := lo
		for k := range 3 {
			hi[k] = min(lo[k]+block, g.n[k])
		}
		middle := g.lo.Add(geom.Vec3{float64(lo[0]), float64(lo[1]), float64(lo[2])}.Mul(g.step))
		middle = middle.Add(geom.Vec3{1, 1, 1}.Mul(g.step * (block - 1) / 2))
		far := true
		for _, c := range column {
			_, tri, _ := tree.Nearest(middle.Add(c), limit+half)
			far = far && tri < 0
		}
		// No cell is farther from the mesh than the one before it and the way between.
		before := make([]float64, len(column))
		for k := range before {
			before[k] = limit
		}
		var last geom.Vec3
		for z := lo[2]; z < hi[2]; z++ {
			for y := lo[1]; y < hi[1]; y++ {
				for x := lo[0]; x < hi[0]; x++ {
					i := g.number(x, y, z)
					d := limit
					if g.Body.Height > 0 && g.at(i).Dot(g.Body.Up) < g.soles-1e-9 {
						continue // below the ground nobody walks
					}
					if !far {
						p := g.at(i)
						way := p.Dist(last)
						last = p
						for k, c := range column {
							// Where it is too near in any case, how near does not matter.
							upper := (before[k] + way) * (1 + 1e-9)
							if upper < 0.99*g.Body.Radius {
								before[k], d = upper, min(d, upper)
								continue
							}
							// Of the others only what is nearer than the nearest so far counts.
							most := min(d, upper)
							_, tri, dist := tree.Nearest(p.Add(c), most)
							if before[k] = dist; tri < 0 {
								before[k] = limit
							}
							d = min(d, dist)
						}
					}
					g.clear[i] = float32(d)
				}
			}
		}
	})
}

// mouth is where a passage leaves the hull.
type mouth struct {
	cells []int32
	best  int32
	out   geom.Vec3
}

// mouths are the borders of cells to what is free outside of the hull, divided by the direction that
// they look in.
func (g *Grid) mouths(cells []int32, depth []float32) []mouth {
	var rim []int32
	var out []geom.Vec3
	number := map[int32]int32{}
	for _, i := range cells {
		open := false
		g.around(i, func(n int32) { open = open || g.free[n] && depth[n] == 0 })
		if !open {
			continue
		}
		number[i] = int32(len(rim))
		rim = append(rim, i)
		p := g.at(i)
		best, at := math.Inf(-1), geom.Vec3{}
		for _, q := range g.hull.Planes {
			if d := p.Dot(q.N) - q.D; d > best {
				best, at = d, q.N
			}
		}
		out = append(out, at)
	}
	const alike = 0.7 // cosine
	sets := union.New(len(rim))
	for a, i := range rim {
		x, y, z := int(i)%g.n[0], int(i)/g.n[0]%g.n[1], int(i)/(g.n[0]*g.n[1])
		for dz := -1; dz <= 1; dz++ {
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if x+dx < 0 || y+dy < 0 || z+dz < 0 || x+dx >= g.n[0] || y+dy >= g.n[1] || z+dz >= g.n[2] {
						continue
					}
					if b, ok := number[g.number(x+dx, y+dy, z+dz)]; ok && out[a].Dot(out[b]) > alike {
						sets.Join(int32(a), b)
					}
				}
			}
		}
	}
	at := map[int32]int{}
	var list []mouth
	for a, i := range rim {
		r := sets.Find(int32(a))
		k, ok := at[r]
		if !ok {
			k = len(list)
			at[r] = k
			list = append(list, mouth{best: i})
		}
		m := &list[k]
		m.cells = append(m.cells, i)
		m.out = m.out.Add(out[a])
		if g.clear[i] > g.clear[m.best] {
			m.best = i
		}
	}
	for k := range list {
		list[k].out = list[k].out.Unit()
		list[k].best = g.central(list[k].cells)
	}
	slices.SortStableFunc(list, func(a, b mouth) int { return cmp.Compare(len(b.cells), len(a.cells)) })
	// A few cells beside a large mouth are its own ragged border.
	return slices.DeleteFunc(list, func(m mouth) bool { return len(m.cells) < 3 && len(m.cells)*50 < len(list[0].cells) })
}

// central is, of the clearest cells, that nearest to their middle.
func (g *Grid) central(cells []int32) int32 {
	most := float32(0)
	for _, i := range cells {
		most = max(most, g.clear[i])
	}
	var middle geom.Vec3
	n := 0.0
	for _, i := range cells {
		if g.clear[i] > most*0.95 {
			middle = middle.Add(g.at(i))
			n++
		}
	}
	middle = middle.Mul(1 / n)
	best, least := cells[0], math.Inf(1)
	for _, i := range cells {
		if d := g.at(i).Dist(middle); g.clear[i] > most*0.95 && d < least {
			best, least = i, d
		}
	}
	return best
}

// passage is cells as one, with a path along their middle.
//
// The path goes from the first mouth to each other one, or, of a room with one mouth, to its inmost place: as
// deep as it gets, and there as clear as may be. Clear is the narrowest place on all of them: how large a body
// still comes through. A list of cells without a mouth is no passage.
func (g *Grid) passage(cells []int32, depth []float32) (Passage, bool) {
	list := g.mouths(cells, depth)
	if len(list) == 0 {
		return Passage{}, false
	}
	p := Passage{cells: cells}
	var ends []int32
	for _, m := range list {
		p.Mouths, p.Out = append(p.Mouths, g.at(m.best)), append(p.Out, m.out)
		ends = append(ends, m.best)
	}
	if len(ends) == 1 {
		// The inmost place: as deep as the body gets, and there as clear as may be.
		deepest := float32(0)
		for _, i := range cells {
			deepest = max(deepest, depth[i])
		}
		var inmost []int32
		for _, i := range cells {
			if depth[i] >= deepest-float32(g.step) {
				inmost = append(inmost, i)
			}
		}
		ends = append(ends, g.central(inmost))
	}
	in := make(map[int32]bool, len(cells))
	for _, i := range cells {
		in[i] = true
	}
	p.Clear = math.Inf(1)
	seen := map[int32]bool{}
	for _, e := range ends[1:] {
		for _, i := range g.way(in, ends[0], e) {
			p.Clear = min(p.Clear, float64(g.clear[i]))
			if !seen[i] {
				seen[i] = true
				p.Path = append(p.Path, g.at(i))
			}
		}
	}
	return p, true
}

// stop is a cell that a search has come to.
type stop struct {
	cell int32
	cost float64
}

// way is the cheapest way between two cells (Dijkstra 1959, "A note on two problems in connexion with graphs"),
// nil where there is none. A step into a cell costs the inverse square of how much more room it has than the
// body needs: that keeps the way to the middle of a passage, where a straight one would scrape along its walls.
func (g *Grid) way(in map[int32]bool, from, to int32) []int32 {
	best := map[int32]float64{from: 0}
	came := map[int32]int32{}
	open := queue.By(func(a, b stop) int { return cmp.Or(cmp.Compare(a.cost, b.cost), cmp.Compare(a.cell, b.cell)) })
	open.Put(stop{from, 0})
	for open.Len() > 0 {
		s := open.Take()
		if s.cell == to {
			break
		}
		if s.cost > best[s.cell] {
			continue
		}
		g.around(s.cell, func(n int32) {
			if !in[n] {
				return
			}
			spare := float64(g.clear[n])/g.Body.Radius - 0.9
			cost := s.cost + 1/(spare*spare)
			if b, ok := best[n]; !ok || cost < b {
				best[n], came[n] = cost, s.cell
				open.Put(stop{n, cost})
			}
		})
	}
	list := []int32{to}
	for i := to; i != from; {
		k, ok := came[i]
		if !ok {
			return nil
		}
		list = append(list, k)
		i = k
	}
	slices.Reverse(list)
	return list
}

// Balls are those that must stay free so that a body can go along the paths of all passages, at most
// so many.
func (g *Grid) Balls(most int) []fit.Ball {
	var list []fit.Ball
	column := g.Body.column()
	var path []geom.Vec3
	for _, p := range g.Found {
		last := geom.Vec3{math.Inf(1)}
		for i, q := range p.Path {
			if q.Dist(last) >= 0.5*g.Body.Radius || i == len(p.Path)-1 {
				path, last = append(path, q), q
			}
		}
	}
	step := max(1, (len(path)*len(column)+most-1)/max(1, most))
	for i, q := range path {
		if i%step != 0 {
			continue
		}
		for _, c := range column {
			list = append(list, fit.Ball{Centre: q.Add(c), Radius: g.Body.Radius})
		}
	}
	return list
}

// Shape is what may stand in the way. Beyond is at most how far a point lies outside of it, negative
// within, and Distance exactly so, 0 within.
type Shape interface {
	Beyond(p geom.Vec3) float64
	Distance(p geom.Vec3) float64
}

// Slack is by how much a passage is commonly let be narrower, as a share of the radius: about what
// the grid tells places by.
const Slack = 0.03

// Open tells of each passage whether convex bodies leave it open: whether the body still comes from
// each mouth to every other, or to the inmost place. slack is by how much it may be narrower, as a
// share of the radius.
func (g *Grid) Open(bodies []Shape, slack float64) []bool {
	column := g.Body.column()
	free := func(p geom.Vec3) bool {
		least := g.Body.Radius * (1 - slack)
		for _, c := range column {
			q := p.Add(c)
			for _, b := range bodies {
				if b.Beyond(q) < least && b.Distance(q) < least {
					return false
				}
			}
		}
		return true
	}
	open := make([]bool, len(g.Found))
	for k, p := range g.Found {
		// Along the path it was made for.
		all := true
		for _, q := range p.Path {
			if !free(q) {
				all = false
				break
			}
		}
		open[k] = all || g.reaches(p, free)
	}
	return open
}

// reaches tells whether the ends of a passage still hang together over cells that are free.
func (g *Grid) reaches(p Passage, free func(geom.Vec3) bool) bool {
	in := make(map[int32]bool, len(p.cells))
	for _, i := range p.cells {
		if free(g.at(i)) {
			in[i] = true
		}
	}
	ends := slices.Clone(p.Mouths)
	if len(ends) == 1 {
		ends = append(ends, p.Path[len(p.Path)-1])
	}
	// An end is reached where the body is as near to it as half its radius.
	near := func(i int32, e geom.Vec3) bool { return g.at(i).Dist(e) <= max(g.Body.Radius/2, 1.8*g.step) }
	seen := map[int32]bool{}
	var todo []int32
	for _, i := range p.cells {
		if in[i] && near(i, ends[0]) {
			seen[i] = true
			todo = append(todo, i)
		}
	}
	left := map[int]bool{}
	for k := 1; k < len(ends); k++ {
		left[k] = true
	}
	for len(todo) > 0 && len(left) > 0 {
		i := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for k := range ends {
			if left[k] && near(i, ends[k]) {
				delete(left, k)
			}
		}
		g.around(i, func(n int32) {
			if in[n] && !seen[n] {
				seen[n] = true
				todo = append(todo, n)
			}
		})
	}
	return len(left) == 0
}
