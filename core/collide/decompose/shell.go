package decompose

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/geom"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/union"
)

// shell is a part of the surface that hangs together, with the hollows within it.
type shell struct {
	pts    []geom.Vec3
	tris   []int32 // three points a triangle
	closed bool
	box    geom.Box
	volume float64 // of a closed one; of its hull otherwise
	tree   *geom.BVH
}

// shellsOf takes a scene apart, in the order of first triangles. Closed ones that are inside out are
// turned round, unless they are the hollow of another.
func shellsOf(ctx context.Context, s *scene.Scene) []*shell {
	var pts []geom.Vec3
	var tris []int32
	for _, m := range s.Flattened().Meshes {
		base := int32(len(pts))
		pts = append(pts, m.Points...)
		m.EachTriangle(func(_ int, a, b, c int32) {
			tris = append(tris, base+m.Corners[a], base+m.Corners[b], base+m.Corners[c])
		})
	}
	same := scene.Weld(ctx, pts)
	if ctx.Err() != nil {
		return nil
	}
	sets := union.New(len(pts))
	keep := tris[:0]
	for t := 0; t < len(tris); t += 3 {
		a, b, c := same[tris[t]], same[tris[t+1]], same[tris[t+2]]
		if a == b || b == c || c == a || !pts[a].IsFinite() || !pts[b].IsFinite() || !pts[c].IsFinite() {
			continue
		}
		keep = append(keep, a, b, c)
		sets.Join(a, b)
		sets.Join(b, c)
	}
	body, whole := bodiesOf(ctx, pts, keep)
	number := map[int32]int{}
	var groups [][]int32
	for t := 0; t < len(keep); t += 3 {
		r := sets.Find(keep[t])
		if b := body[t/3]; whole[b] {
			r = -1 - b // by itself, whatever it touches
		}
		k, ok := number[r]
		if !ok {
			k = len(groups)
			number[r] = k
			groups = append(groups, nil)
		}
		groups[k] = append(groups[k], keep[t:t+3]...)
	}
	if len(groups) > mostShells {
		groups = gathered(pts, groups)
	}
	var list []*shell
	for _, g := range groups {
		if ctx.Err() != nil {
			return nil
		}
		list = append(list, newShell(ctx, pts, g))
	}
	return nested(ctx, list)
}

// gathered puts parts together whose middles are in one cell of a grid.
func gathered(pts []geom.Vec3, groups [][]int32) [][]int32 {
	all := geom.EmptyBox()
	middle := make([]geom.Vec3, len(groups))
	for i, g := range groups {
		b := geom.EmptyBox()
		for _, p := range g {
			b = b.Add(pts[p])
		}
		middle[i] = b.Center()
		all = all.Union(b)
	}
	const across = 10
	step := math.Max(all.Size().Max()/across, 1e-300)
	number := map[[3]int]int{}
	var out [][]int32
	for i, g := range groups {
		d := middle[i].Sub(all.Min).Mul(1 / step)
		cell := [3]int{int(d[0]), int(d[1]), int(d[2])}
		k, ok := number[cell]
		if !ok {
			k = len(out)
			number[cell] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], g...)
	}
	return out
}

// newShell is some of the triangles with points of its own.
func newShell(ctx context.Context, pts []geom.Vec3, tris []int32) *shell {
	x := &shell{box: geom.EmptyBox(), tris: make([]int32, len(tris))}
	number := map[int32]int32{}
	for i, p := range tris {
		k, ok := number[p]
		if !ok {
			k = int32(len(x.pts))
			number[p] = k
			x.pts = append(x.pts, pts[p])
			x.box = x.box.Add(pts[p])
		}
		x.tris[i] = k
	}
	x.closed, x.volume = true, 0
	ways := map[[2]int32]int{}
	mid := x.box.Center()
	for t := 0; t < len(x.tris); t += 3 {
		for k := range 3 {
			a, b := x.tris[t+k], x.tris[t+(k+1)%3]
			if a < b {
				ways[[2]int32{a, b}]++
			} else {
				ways[[2]int32{b, a}]--
			}
		}
		a, b, c := x.pts[x.tris[t]].Sub(mid), x.pts[x.tris[t+1]].Sub(mid), x.pts[x.tris[t+2]].Sub(mid)
		x.volume += a.Dot(b.Cross(c)) / 6
	}
	for _, n := range ways {
		x.closed = x.closed && n == 0
	}
	if extent := x.box.Size().Max(); math.Abs(x.volume) < 1e-9*extent*extent*extent {
		x.closed = false
	}
	return x
}

// nested joins hollows to what they are in, and turns what is inside out.
//
// A closed shell whose volume is negative faces inward. The smallest larger shell that holds one of its points
// and its box takes its triangles, so that what is cut later is a body with its hollow. One that lies in
// nothing is no hollow but inside out, and is turned. An open shell counts by the volume of its hull.
func nested(ctx context.Context, list []*shell) []*shell {
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order,
		func(a, b int) int { return cmp.Compare(math.Abs(list[a].volume), math.Abs(list[b].volume)) })
	var hollows int
	for _, x := range list {
		if x.closed && x.volume < 0 {
			hollows++
		}
	}
	gone := map[int]bool{}
	for _, i := range order {
		x := list[i]
		if !x.closed || x.volume > 0 || ctx.Err() != nil {
			continue
		}
		for _, k := range order {
			y := list[k]
			if k == i || gone[k] || !y.closed || y.volume < -x.volume || !contains(y.box, x.box) ||
				!y.planted(ctx).Holds(x.pts[x.tris[0]]) {
				continue
			}
			base := int32(len(y.pts))
			y.pts = append(y.pts, x.pts...)
			for _, p := range x.tris {
				y.tris = append(y.tris, base+p)
			}
			y.volume += x.volume
			y.tree = nil
			gone[i] = true
			break
		}
		if !gone[i] {
			for t := 0; t < len(x.tris); t += 3 {
				x.tris[t+1], x.tris[t+2] = x.tris[t+2], x.tris[t+1]
			}
			x.volume = -x.volume
		}
	}
	var out []*shell
	for i, x := range list {
		if gone[i] {
			continue
		}
		if !x.closed {
			x.volume = volumeOf(geom.HullOf(ctx, x.pts))
		}
		out = append(out, x)
	}
	return out
}

func contains(a, b geom.Box) bool {
	for k := range 3 {
		if b.Min[k] < a.Min[k] || b.Max[k] > a.Max[k] {
			return false
		}
	}
	return true
}

// planted is the shell's tree.
func (x *shell) planted(ctx context.Context) *geom.BVH {
	if x.tree == nil {
		x.tree = geom.NewBVH(ctx, x.pts, x.tris)
	}
	return x.tree
}

// planTriangles is how many triangles cuts are planned with.
const planTriangles = 1000

// coarse is the shell with few triangles; itself when it has.
func (x *shell) coarse(ctx context.Context) *shell {
	if len(x.tris) <= 3*planTriangles {
		return x
	}
	m := &scene.Mesh{Points: x.pts, Corners: x.tris, Slots: []int{-1}}
	for f := 0; f <= len(x.tris)/3; f++ {
		m.FaceStart = append(m.FaceStart, int32(3*f))
	}
	less := simplify.Of(ctx, m, simplify.Options{Triangles: planTriangles}).Mesh
	var tris []int32
	less.EachTriangle(func(_ int, a, b, c int32) {
		tris = append(tris, less.Corners[a], less.Corners[b],
			less.Corners[c])
	})
	if len(tris) == 0 {
		return x
	}
	y := newShell(ctx, less.Points, tris)
	y.closed = y.closed && x.closed
	return y
}

// volumeOf a hull.
func volumeOf(h *geom.Hull) float64 {
	if h.Flat {
		return 0
	}
	sum := 0.0
	for _, f := range h.Faces {
		o := h.Points[0]
		sum += h.Points[f[0]].Sub(o).Dot(h.Points[f[1]].Sub(o).Cross(h.Points[f[2]].Sub(o))) / 6
	}
	return sum
}
