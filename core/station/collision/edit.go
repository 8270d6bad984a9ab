package collision

import (
	"context"
	"fmt"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/solid"
	"yarvek/core/geom"
)

// Edit is a change of shapes by hand. Lengths are metres and angles degrees, along and about the axes
// of the outcome.
type Edit struct {
	Do Do
	// By is how far they are moved, how much they are turned about each axis in turn, or how many
	// times as large they become along each, about their own middle.
	By geom.Vec3
	// Hold says of a size which side of its box stays where it is along each axis: -1 the lower, 1 the upper, and 0
	// for its middle.
	Hold [3]int
	// Axis is that across which they are mirrored or split, 0 to 2, and At where; of a split, from
	// their middle.
	Axis int
	At   float64
	Grid float64 // that corners are put on
}

// Do is what is done.
type Do string

// What can be done.
const (
	Move   Do = "move"
	Turn   Do = "turn"
	Size   Do = "size"
	Copy   Do = "copy"   // moved by
	Mirror Do = "mirror" // a copy, across a plane
	Merge  Do = "merge"  // into the hull of all
	Split  Do = "split"  // by a plane across their middle
	Ground Do = "ground" // down or up until it stands on the ground
	Snap   Do = "snap"   // its lowest corner onto the grid
	Delete Do = "delete"
)

// Dos lists them.
var Dos = []Do{Move, Turn, Size, Copy, Mirror, Merge, Split, Ground, Snap, Delete}

// Space is what an edit needs to know of the outcome.
type Space struct {
	Shapes []Shape
	Placed geom.Affine // from coordinates as Source leaves the scene to its own
	Basis  geom.Basis
	Floor  float64  // height of the ground along up; metres
	Keys   []string // of the nodes
	Print  string   // of the mesh
}

// Changed is the decisions with some shapes, named by their IDs, changed. What was fitted or came
// along becomes a shape by hand, which no longer follows the mesh.
func (d Decisions) Changed(ctx context.Context, sp Space, ids []string, e Edit) (Decisions, error) {
	var chosen []Shape
	for _, id := range ids {
		i := slices.IndexFunc(sp.Shapes, func(s Shape) bool { return s.ID == id })
		if i < 0 {
			return d, fmt.Errorf("there is no shape %q any more: choose another", id)
		}
		chosen = append(chosen, sp.Shapes[i])
	}
	if len(chosen) == 0 {
		return d, fmt.Errorf("no shape is chosen")
	}
	back, ok := sp.Placed.Inverse()
	if !ok {
		return d, fmt.Errorf("the asset has no extent to change shapes in")
	}
	if !e.By.IsFinite() || math.IsNaN(e.At) || e.Axis < 0 || e.Axis > 2 {
		return d, fmt.Errorf("shapes can't be changed by what is no number")
	}
	d.Fits, d.Edited, d.FileWithout = slices.Clone(d.Fits), slices.Clone(d.Edited), slices.Clone(d.FileWithout)
	keep := e.Do == Copy || e.Do == Mirror
	var fresh []Edited
	var gone []Shape
	put := func(from Shape, s solid.Solid) {
		of := ""
		if from.Of >= 0 && from.Of < len(sp.Keys) {
			of = sp.Keys[from.Of]
		}
		fresh = append(fresh, Edited{Solid: s.Carried(back), Of: of, Print: sp.Print})
	}
	if e.Do == Merge {
		if len(chosen) < 2 {
			return d, fmt.Errorf("two shapes or more are needed to be merged")
		}
		var pts []geom.Vec3
		for _, s := range chosen {
			pts = append(pts, s.Form.Convex.Points...)
		}
		gone = chosen
		put(chosen[0], solid.OfBody(fit.OfHull(geom.HullWithin(ctx, pts, geom.Finely))))
	} else {
		for _, s := range chosen {
			list, err := e.of(ctx, s, sp)
			if err != nil {
				return d, err
			}
			if len(list) == 1 && !keep && s.Edited >= 0 { // it keeps its place, and so its ID
				d.Edited[s.Edited] = Edited{Solid: list[0].Carried(back), Of: d.Edited[s.Edited].Of, Print: sp.Print}
				continue
			}
			if !keep {
				gone = append(gone, s)
			}
			for _, x := range list {
				put(s, x)
			}
		}
	}
	d = d.dropped(gone, back)
	d.Edited = append(d.Edited, fresh...)
	d.None = false
	return d, d.Validate()
}

// dropped is the decisions without some shapes; those by hand go last to first, so that numbers hold.
func (d Decisions) dropped(list []Shape, back geom.Affine) Decisions {
	var numbers []int
	for _, s := range list {
		switch {
		case s.Fit >= 0:
			f := &d.Fits[s.Fit]
			f.Without = append(slices.Clone(f.Without), back.Apply(centre(s.Form.Solid)))
		case s.Hand >= 0:
			d.FileWithout = append(d.FileWithout, s.Key)
		default:
			numbers = append(numbers, s.Edited)
		}
	}
	slices.Sort(numbers)
	slices.Reverse(numbers)
	for _, n := range slices.Compact(numbers) {
		d.Edited = slices.Delete(d.Edited, n, n+1)
	}
	return d
}

// of is what becomes of one shape.
func (e Edit) of(ctx context.Context, s Shape, sp Space) ([]solid.Solid, error) {
	now := s.Form.Solid
	mid := s.Form.Bounds().Center()
	about := func(m geom.Mat3) geom.Affine {
		return geom.Translation(mid).Mul(geom.Linear(m)).Mul(geom.Translation(mid.Mul(-1)))
	}
	one := func(x solid.Solid) ([]solid.Solid, error) { return []solid.Solid{x}, nil }
	switch e.Do {
	case Move, Copy:
		return one(now.Carried(geom.Translation(e.By)))
	case Turn:
		m := geom.Identity3
		for k := range 3 {
			var axis geom.Vec3
			axis[k] = 1
			m = geom.Rotation(axis, e.By[k]*math.Pi/180).Mul(m)
		}
		return one(now.Carried(about(m)))
	case Size:
		return one(e.held(ctx, s.Form.Bounds(), sized(now, e.By, mid)))
	case Mirror:
		m := geom.Identity3
		m[e.Axis][e.Axis] = -1
		var t geom.Vec3
		t[e.Axis] = 2 * e.At
		return one(now.Carried(geom.Translation(t).Mul(geom.Linear(m))))
	case Split:
		var n geom.Vec3
		n[e.Axis] = 1
		d := mid[e.Axis] + e.At
		near := 1e-9 * s.Form.Bounds().Size().Len()
		body := s.Form.Convex.Body
		low := body.Cut(fit.Plane{N: n, D: d}, near)
		high := body.Cut(fit.Plane{N: n.Mul(-1), D: -d}, near)
		if len(low.Faces) < 4 || len(high.Faces) < 4 || low.Volume() <= 0 || high.Volume() <= 0 {
			return nil, fmt.Errorf("the plane does not go through shape %s", s.Letter)
		}
		return []solid.Solid{solid.OfBody(used(low)), solid.OfBody(used(high))}, nil
	case Ground:
		up := sp.Basis.Up.Vec()
		low := math.Inf(1)
		for _, p := range s.Form.Convex.Points {
			low = min(low, p.Dot(up))
		}
		if c := s.Form.Capsule; c != nil {
			low = min(c.A.Dot(up), c.B.Dot(up)) - c.Radius
		}
		return one(now.Carried(geom.Translation(up.Mul(sp.Floor - low))))
	case Snap:
		if !(e.Grid > 0) {
			return nil, fmt.Errorf("a grid of %g m can't be snapped to", e.Grid)
		}
		lo := s.Form.Bounds().Min
		var t geom.Vec3
		for k := range 3 {
			t[k] = math.Round(lo[k]/e.Grid)*e.Grid - lo[k]
		}
		return one(now.Carried(geom.Translation(t)))
	case Delete:
		return nil, nil
	}
	return nil, fmt.Errorf("%q can't be done to a shape", e.Do)
}

// held is a solid moved so that the sides of its box that are held stand where they stood.
func (e Edit) held(ctx context.Context, was geom.Box, s solid.Solid) solid.Solid {
	now := s.Form(ctx).Bounds()
	var by geom.Vec3
	for k, side := range e.Hold {
		switch {
		case side < 0:
			by[k] = was.Min[k] - now.Min[k]
		case side > 0:
			by[k] = was.Max[k] - now.Max[k]
		}
	}
	return s.Carried(geom.Translation(by))
}

// used are the points of a body that its faces have.
func used(b fit.Body) fit.Body {
	seen := map[int32]bool{}
	var pts []geom.Vec3
	for _, f := range b.Faces {
		for _, i := range f {
			if !seen[i] {
				seen[i] = true
				pts = append(pts, b.Points[i])
			}
		}
	}
	return fit.Body{Points: pts}
}

// sized is a solid k times as large along each axis about a place: a box along its own sides nearest
// to them, a capsule in length by what its own direction lies nearest to and in width by the mean of
// the others, and a ball by the mean of all.
func sized(s solid.Solid, k, about geom.Vec3) solid.Solid {
	for i := range k {
		k[i] = min(max(k[i], 1e-3), 1e3)
	}
	mean := math.Cbrt(k[0] * k[1] * k[2])
	switch {
	case s.Box != nil:
		b := *s.Box
		for i := range 3 {
			b.Half[i] *= k[geom.AxisAlong(geom.Vec3(b.Axes[i])).Index()]
		}
		s.Box = &b
	case s.Kind == solid.Ball:
		c := *s.Capsule
		c.Radius *= mean
		s.Capsule = &c
	case s.Capsule != nil:
		c := *s.Capsule
		d := c.B.Sub(c.A)
		along := geom.AxisAlong(d).Index()
		mid := c.A.Add(c.B).Mul(0.5)
		wide := math.Sqrt(k[0] * k[1] * k[2] / k[along])
		half := max(0, (d.Len()/2+c.Radius)*k[along]-c.Radius*wide)
		c.Radius *= wide
		c.A, c.B = mid.Sub(d.Unit().Mul(half)), mid.Add(d.Unit().Mul(half))
		s.Capsule = &c
	default:
		pts := make([]geom.Vec3, len(s.Points))
		for i, p := range s.Points {
			o := p.Sub(about)
			pts[i] = about.Add(geom.Vec3{o[0] * k[0], o[1] * k[1], o[2] * k[2]})
		}
		s.Points = pts
	}
	return s
}

// Added is the decisions with another shape by hand: a box, ball or capsule of a size, in the middle
// of a place of the outcome.
func (d Decisions) Added(sp Space, kind solid.Kind, at geom.Vec3, size float64) (Decisions, error) {
	back, ok := sp.Placed.Inverse()
	if !ok {
		return d, fmt.Errorf("the asset has no extent to add shapes to")
	}
	h := size / 2
	var s solid.Solid
	switch kind {
	case solid.Box:
		s = solid.OfBox(fit.Box{Centre: at, Axes: geom.Identity3, Half: geom.Vec3{h, h, h}})
	case solid.Ball:
		s = solid.OfBall(fit.Ball{Centre: at, Radius: h})
	case solid.Capsule:
		up := sp.Basis.Up.Vec().Mul(h / 2)
		s = solid.OfCapsule(fit.Capsule{A: at.Sub(up), B: at.Add(up), Radius: h / 2})
	default:
		return d, fmt.Errorf("a %s can't be added by hand: split or size another shape, or fit one", kind)
	}
	d.Edited = append(slices.Clone(d.Edited), Edited{Solid: s.Carried(back), Print: sp.Print})
	d.None = false
	return d, d.Validate()
}
