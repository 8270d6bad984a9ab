// Package gap measures how well shapes stand for a mesh where things touch: how far the mesh sticks
// out of them, and how much air they fill.
//
// Both ways are taken by points strewn over the surface that is measured from. Out is from the mesh
// to the nearest shape, nothing within one. In is from the shapes to the mesh; of a shape only what
// lies outside of all others counts, and of a closed mesh nothing that lies within it: the sides that
// two shapes turn to one another inside a wall touch nobody.
package gap

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Figures are of one direction; metres.
type Figures struct {
	Max  float64 `json:"max"`
	Mean float64 `json:"mean"` // over all of the surface
	// Over is the share of the surface that is farther off than the limit.
	Over float64   `json:"over"`
	At   geom.Vec3 `json:"at"` // where the largest was found
}

// Bins of a histogram.
const Bins = 12

// Between is how shapes and a mesh lie to one another.
type Between struct {
	Out, In Figures
	Limit   float64
	// Histogram has the shares of what is measured from: of the mesh in its first half, from farthest
	// out to nearest, and of the shapes in its second, from nearest to farthest in, in steps of Step.
	Histogram [2 * Bins]float64
	Step      float64
	// Faces of the mesh, in the order of its triangles, and of each shape: the largest found of each;
	// metres.
	Faces  []float32
	Shapes [][]float32
}

// Mesh is a scene's triangles where they stand, ready to be measured against. It is only read.
type Mesh struct {
	Points []geom.Vec3
	Tris   []int32
	Closed bool
	tree   *geom.BVH
}

// NewMesh takes the triangles of a scene. closed tells that they bound a solid. When ctx ends it
// returns early, and what it returns means nothing.
func NewMesh(ctx context.Context, s *scene.Scene, closed bool) *Mesh {
	m := &Mesh{Closed: closed}
	for _, x := range s.Flattened().Meshes {
		base := int32(len(m.Points))
		m.Points = append(m.Points, x.Points...)
		x.EachTriangle(func(_ int, a, b, c int32) {
			m.Tris = append(m.Tris, base+x.Corners[a], base+x.Corners[b], base+x.Corners[c])
		})
	}
	m.tree = geom.NewBVH(ctx, m.Points, m.Tris)
	return m
}

// places are at most how many points of one surface are measured from, besides one a triangle.
const places = 20_000

// Of measures convex shapes against a mesh, by about twenty thousand points each way and one of
// every triangle. limit is from which distance on a place counts as over. When ctx ends it returns
// early, and what it returns means nothing.
func (m *Mesh) Of(ctx context.Context, shapes []*solid.Form, limit float64) Between {
	b := Between{Limit: limit}
	var out, in []sample
	b.Faces, out = strewn(ctx, m.Points, m.Tris, 0, func(p geom.Vec3) float64 { return to(shapes, p) })
	area := 0.0
	for _, s := range shapes {
		area += areaOf(s.Convex)
	}
	for i, f := range shapes {
		s := f.Convex
		var tris []int32
		for _, f := range s.Faces {
			for k := 1; k+1 < len(f); k++ {
				tris = append(tris, f[0], f[k], f[k+1])
			}
		}
		near := 1e-6 * s.Box.Size().Max()
		faces, list := strewn(ctx, s.Points, tris, area, func(p geom.Vec3) float64 {
			for k, o := range shapes {
				if k != i && o.Bounds().Distance(p) <= near && o.Beyond(p) <= near {
					return -1
				}
			}
			if m.Closed && m.tree.Holds(p) {
				return 0
			}
			_, _, d := m.tree.Nearest(p, math.Inf(1))
			return d
		})
		b.Shapes, in = append(b.Shapes, faces), append(in, list...)
	}
	b.Out, b.In = figures(out, limit), figures(in, limit)
	b.Step = max(b.Out.Max, b.In.Max) / Bins
	b.count(out, func(k int) int { return Bins - 1 - k })
	b.count(in, func(k int) int { return Bins + k })
	return b
}

// to is how far a point lies outside of the nearest shape.
func to(shapes []*solid.Form, p geom.Vec3) float64 {
	best := math.Inf(1)
	for _, s := range shapes {
		if s.Bounds().Distance(p) < best && (len(s.Convex.Planes) == 0 || s.Beyond(p) < best) {
			best = min(best, s.Distance(p))
		}
	}
	if math.IsInf(best, 1) {
		return 0 // there is nothing to measure to
	}
	return best
}

// sample is a place with what of the surface it stands for.
type sample struct {
	at   geom.Vec3
	d    float64
	area float64
}

func (b *Between) count(list []sample, bin func(k int) int) {
	whole := 0.0
	for _, s := range list {
		whole += s.area
	}
	for _, s := range list {
		k := 0
		if b.Step > 0 {
			k = min(Bins-1, int(s.d/b.Step))
		}
		b.Histogram[bin(k)] += s.area / math.Max(whole, 1e-300)
	}
}

func figures(list []sample, limit float64) Figures {
	var f Figures
	whole, over := 0.0, 0.0
	for _, s := range list {
		whole += s.area
		f.Mean += s.d * s.area
		if s.d > limit {
			over += s.area
		}
		if s.d > f.Max {
			f.Max, f.At = s.d, s.at
		}
	}
	if whole > 0 {
		f.Mean, f.Over = f.Mean/whole, over/whole
	}
	return f
}

// strewn measures the corners and the middle of every triangle, and more places of large ones, and
// gives the largest of each triangle. What d gives as negative is not of the surface. all is the area
// that places are shared by, 0 for that of these triangles.
func strewn(ctx context.Context, pts []geom.Vec3, tris []int32, all float64, d func(geom.Vec3) float64) ([]float32,
	[]sample) {
	n := len(tris) / 3
	worst := make([]float32, n)
	if all == 0 {
		for t := range n {
			all += pts[tris[3*t+1]].Sub(pts[tris[3*t]]).Cross(pts[tris[3*t+2]].Sub(pts[tris[3*t]])).Len() / 2
		}
	}
	lists := make([][]sample, split.Blocks(n, 256))
	_ = split.InBlocks(ctx, n, 256, func(block, from, to int) {
		for t := from; t < to; t++ {
			a, b, c := pts[tris[3*t]], pts[tris[3*t+1]], pts[tris[3*t+2]]
			area := b.Sub(a).Cross(c.Sub(a)).Len() / 2
			// Small triangles are measured at their middle and corners, large ones cut into equal ones.
			k := 1
			if all > 0 {
				k = max(1, min(64, int(math.Ceil(math.Sqrt(area/all*places)))))
			}
			for i := range k {
				for j := range k - i {
					at := func(u, v float64) geom.Vec3 {
						return a.Add(b.Sub(a).Mul((float64(i) + u) / float64(k))).Add(c.Sub(a).Mul((float64(j) + v) / float64(k)))
					}
					for half, uv := range [2][2]float64{{1. / 3, 1. / 3}, {2. / 3, 2. / 3}} {
						if half == 1 && i+j+2 > k {
							continue
						}
						p := at(uv[0], uv[1])
						if x := d(p); x >= 0 {
							lists[block] = append(lists[block], sample{p, x, area / float64(k*k)})
							worst[t] = max(worst[t], float32(x))
						}
					}
					p := at(0, 0)
					if x := d(p); x >= 0 {
						lists[block] = append(lists[block], sample{p, x, 0})
						worst[t] = max(worst[t], float32(x))
					}
				}
			}
			for _, p := range [2]geom.Vec3{b, c} {
				if n > places {
					break // others have this corner for their first
				}
				if x := d(p); x >= 0 {
					lists[block] = append(lists[block], sample{p, x, 0})
					worst[t] = max(worst[t], float32(x))
				}
			}
		}
	})
	return worst, slices.Concat(lists...)
}

func areaOf(c *fit.Convex) float64 {
	sum := 0.0
	for _, f := range c.Faces {
		for k := 1; k+1 < len(f); k++ {
			o := c.Points[f[0]]
			sum += c.Points[f[k]].Sub(o).Cross(c.Points[f[k+1]].Sub(o)).Len() / 2
		}
	}
	return sum
}

// Volume is of what convex shapes hold, all together and what several hold counted once: the sum of
// theirs where none overlap. It is sampled along lines, n across the longest side.
func Volume(shapes []*solid.Form, n int) float64 {
	box := geom.EmptyBox()
	for _, s := range shapes {
		box = box.Union(s.Bounds())
	}
	size := box.Size()
	if box.IsEmpty() || size[0]*size[1]*size[2] == 0 {
		return 0
	}
	step := size.Max() / float64(n)
	nx, ny := max(1, int(math.Ceil(size[0]/step))), max(1, int(math.Ceil(size[1]/step)))
	dx, dy := size[0]/float64(nx), size[1]/float64(ny)
	rows := make([]float64, ny)
	split.Range(ny, 4, func(_, from, to int) {
		var spans [][2]float64
		for j := from; j < to; j++ {
			for i := range nx {
				x, y := box.Min[0]+(float64(i)+0.5)*dx, box.Min[1]+(float64(j)+0.5)*dy
				spans = spans[:0]
				for _, s := range shapes {
					if lo, hi := span(s.Convex, x, y); hi > lo {
						spans = append(spans, [2]float64{lo, hi})
					}
				}
				slices.SortFunc(spans, func(a, b [2]float64) int { return cmp.Compare(a[0], b[0]) })
				end := math.Inf(-1)
				for _, v := range spans {
					rows[j] += max(0, v[1]-max(v[0], end))
					end = max(end, v[1])
				}
			}
		}
	})
	sum := 0.0
	for _, r := range rows {
		sum += r
	}
	return sum * dx * dy
}

// span is between which heights a line upright along Z lies in a shape.
func span(c *fit.Convex, x, y float64) (lo, hi float64) {
	if x < c.Box.Min[0] || x > c.Box.Max[0] || y < c.Box.Min[1] || y > c.Box.Max[1] {
		return 0, 0
	}
	lo, hi = c.Box.Min[2], c.Box.Max[2]
	for i := range c.Planes {
		p := &c.Planes[i]
		d := p.D - p.N[0]*x - p.N[1]*y
		switch {
		case p.N[2] > 1e-12:
			hi = min(hi, d/p.N[2])
		case p.N[2] < -1e-12:
			lo = max(lo, d/p.N[2])
		case d < 0:
			return 0, 0
		}
	}
	return lo, hi
}
