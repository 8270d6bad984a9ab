// Package decompose divides a surface into convex hulls that hold all of it and little else
// (approximate convex decomposition: Lien and Amato 2007, "Approximate convex decomposition of
// polyhedra"; what is cut is the mesh itself, not a grid of it, as in Wei, Liu, Ling and Su 2022,
// "Approximate convex decomposition for 3D meshes with collision-aware concavity and tree search").
//
// The work goes in three stages. First the surface is taken apart into what hangs together, and
// each of its shells is cut by planes into many pieces that are nearly convex: each cut is the one
// that leaves the least air in front of the surface. The pieces are then joined again, two by two,
// where joining adds least, until there are few enough. Last the hulls lose points.
//
// Nothing of the surface is lost on the way: each triangle goes to a piece, cut in two where a plane
// cuts it, so that the hulls hold every point of it. Places that must stay free are obeyed at every
// stage: no cut is the last while a hull reaches into one, and no two pieces are joined into one
// that does.
package decompose

import (
	"cmp"
	"context"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Options say what is wanted. Lengths are those of the scene.
type Options struct {
	Hulls  int // at most so many; at least 1
	Points int // that each may have, at most; at least 8
	// Concavity is how deep a hollow may be filled so that two hulls become one, though there may be
	// more of them. It is measured from the surface to the nearest side of its hull.
	Concavity float64
	// Sheet is how thick open surfaces are taken, half to each side; 0 for [SheetOf]. Down is which way is down: what
	// is open there alone, at its lower end, is taken for a body. Without, nothing is.
	Sheet float64
	Down  geom.Vec3
	// Open are balls that no hull may reach into.
	Open []fit.Ball
	// Progress is called now and then with a share of the work, 0 to 1, from one goroutine.
	Progress func(share float64)
}

// Hull is one of the convex bodies.
type Hull struct {
	Body      fit.Body
	Concavity float64 // how deep a hollow it fills; of the surface that it was made of
	Out       float64 // how far a point of that surface lies outside, since it has few points
	samples   []geom.Vec3
}

// Result is the hulls, the largest first.
type Result struct {
	Hulls []Hull
	// Blocked are the places that could not be kept open, by their number in [Options].
	Blocked []int
	Shells  int // parts of the surface that hang together
	Pieces  int // nearly convex ones that they were cut into
	Sheets  int // open parts that were given a thickness, and how much
	Sheet   float64
	// Needs is how many hulls keep all places open that can be; more than there may be when some were filled so as
	// not to be too many.
	Needs int
}

// mostShells bounds the parts that are looked at one by one; smaller ones near to one another are
// taken together when there are more.
const mostShells = 1000

// Of divides what the nodes of a scene place. It takes n log n steps for the triangles of each
// cut, and at most some hundred cuts. The outcome is the same on any number of processors. When ctx
// ends it returns early, and what it returns means nothing.
func Of(ctx context.Context, s *scene.Scene, o Options) Result {
	o.Hulls, o.Points = max(1, o.Hulls), max(8, o.Points)
	if o.Progress == nil {
		o.Progress = func(float64) {}
	}
	if !(o.Sheet > 0) {
		o.Sheet = SheetOf(s)
	}
	s, sheets := solids(ctx, s, o.Sheet, o.Down)
	list := shellsOf(ctx, s)
	if len(list) == 0 || ctx.Err() != nil {
		return Result{}
	}
	// Mirrored meshes are the same mesh from here on.
	by := leaning(list)
	for _, x := range list {
		x.mirror(by)
	}
	o.Open = slices.Clone(o.Open)
	for i := range o.Open {
		o.Open[i].Centre = by.of(o.Open[i].Centre)
	}
	size := geom.EmptyBox()
	volume := 0.0
	closed := true
	for _, x := range list {
		size = size.Union(x.box)
		volume += x.volume
		closed = closed && x.closed
	}
	c := &cutting{o: o, near: 1e-9 * size.Size().Len(), size: size.Size().Len(), total: volume, closed: closed}
	if sheets > 0 {
		c.sheet = o.Sheet
	}
	pieces := c.all(ctx, list)
	o.Progress(0.7)
	r := Result{Shells: len(list), Pieces: len(pieces), Sheets: sheets, Sheet: c.sheet}
	parts := c.few(ctx, list, pieces)
	r.Needs = max(c.needs, len(parts))
	slices.SortStableFunc(parts, func(a, b *part) int { return cmp.Compare(b.volume, a.volume) })
	for _, x := range parts {
		x.samples = nil
		for _, y := range x.of {
			x.samples = append(x.samples, y.samples...)
		}
	}
	r.Hulls = make([]Hull, len(parts))
	err := split.Each(ctx, len(parts), func(i int) {
		r.Hulls[i] = c.limited(ctx, c.whole(ctx, parts[i]))
		r.Hulls[i].samples = parts[i].samples
	})
	if err != nil {
		return Result{}
	}
	r.Hulls = c.needed(r.Hulls)
	for i, b := range o.Open {
		for _, h := range r.Hulls {
			if fit.NewConvex(h.Body).Distance(b.Centre) < b.Radius*(1-slack) {
				r.Blocked = append(r.Blocked, i)
				break
			}
		}
	}
	for i := range r.Hulls {
		r.Hulls[i].Body, r.Hulls[i].samples = by.body(r.Hulls[i].Body), nil
	}
	o.Progress(1)
	return r
}

// needed are the hulls without those that hold nothing of their own: slivers between others, and such
// as lie in another. The surface they were made of is asked as well as their corners: a sheet that
// spans others is held by them at its corners alone.
func (c *cutting) needed(list []Hull) []Hull {
	all := make([]*fit.Convex, len(list))
	for i, h := range list {
		all[i] = fit.NewConvex(h.Body)
	}
	var out []Hull
	sum := 0.0
	for _, h := range list {
		sum += h.Body.Volume()
	}
	for i := len(list) - 1; i >= 0; i-- {
		// A flat one has nothing that is not on its corners; one in another is held whole.
		size := all[i].Box.Size()
		flat := list[i].Body.Volume() <= 1e-3*sum && min(size[0], size[1], size[2]) <= 3e-4*c.size
		near := 1e-6 * c.size
		if flat {
			near = 3e-4 * c.size
		}
		idle := len(list) > 1
		in := -1
		for _, p := range slices.Concat(list[i].Body.Points, list[i].samples) {
			held := false
			for k, o := range all {
				if k == i || o == nil || !flat && in >= 0 && k != in {
					continue
				}
				if o.Distance(p) <= near {
					held = true
					if !flat {
						in = k
					}
					break
				}
			}
			if !held {
				idle = false
				break
			}
		}
		if idle && (flat || in >= 0) {
			all[i] = nil
			continue
		}
		out = append(out, list[i])
	}
	slices.Reverse(out)
	return out
}

// slack is how far a hull may reach into a place that stays open, as a share of its radius: less
// than what a grid tells places by.
const slack = 0.02

// cutting is one run.
type cutting struct {
	o      Options
	near   float64 // metres that points lie on a plane within
	size   float64 // of all, from corner to corner
	total  float64 // volume of all shells
	closed bool    // every shell bounds a solid
	sheet  float64 // how thick sheets are; 0 where there are none
	needs  int     // hulls that would keep all open that can be, where those were too many
}

// all cuts the shells.
func (c *cutting) all(ctx context.Context, list []*shell) []*part {
	var out []*part
	share := func(x *shell) float64 { return x.volume / math.Max(c.total, 1e-300) }
	done := 0.0
	for _, x := range list {
		if ctx.Err() != nil {
			return nil
		}
		most := max(12, int(math.Ceil(float64(pieces(c.o.Hulls))*math.Sqrt(share(x)))))
		if len(list) > 64 {
			most = min(most, 12)
		}
		out = append(out, c.shell(ctx, x, most, func(k float64) { c.o.Progress(0.7 * (done + k*share(x))) })...)
		done += share(x)
	}
	return out
}

// pieces is how many pieces are made so that so many hulls can come of them.
func pieces(hulls int) int { return min(max(64, 6*hulls), 256) }
