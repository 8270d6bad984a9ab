package floor

import (
	"context"
	"math"

	"yarvek/core/collide/solid"
	"yarvek/core/geom"
)

// Walked is what came of walking at an asset.
type Walked struct {
	// Places of the middle between the walker's soles, one every stride.
	Path  []geom.Vec3
	Ended End
	// Stopped tells that the walker came no further, at the last of the places.
	Stopped bool
	In      float64 // how far the walker's front came beyond the asset's near side; metres
	Climbed float64 // the highest place on the way; metres above the ground
	// Before is how far the walker's skin was from the shapes when stopped.
	Before float64
}

// End is how a walk ended, told from where.
type End string

// The ends of a walk.
const (
	Over    End = "over"    // behind the asset, and up more than one step on the way
	Through End = "through" // behind it, with no more than a step
	Within  End = "within"  // stopped beyond its near side, or upon it
	Before  End = "before"  // stopped before it
)

// stride is how far a walker goes from one look to the next; metres.
const stride = 0.02

// walk lets somebody walk at shapes that stand still, straight on, from before the asset to behind
// it: what is no higher than a step is climbed, and where there is nothing below, down it goes.
func (o *Outcome) walk(ctx context.Context, forms []*solid.Form) error {
	t := o.Trial
	box := geom.EmptyBox()
	for _, f := range forms {
		box = box.Union(f.Bounds())
	}
	ground := box.Min[1]
	sin, cos := math.Sincos(t.From * math.Pi / 180)
	from := geom.Vec3{-sin, 0, cos}
	reach := math.Hypot(box.Size()[0], box.Size()[2])/2 + t.Wide
	centre := box.Center()
	r := t.Wide / 2
	// gap is how far the walker's skin is from the nearest shape, standing at p.
	gap := func(p geom.Vec3) float64 {
		a := p.Add(geom.Vec3{0, r, 0})
		b := p.Add(geom.Vec3{0, max(r, t.Tall-r), 0})
		least := math.Inf(1)
		for _, f := range forms {
			if f.Bounds().Gap(geom.EmptyBox().Add(a).Add(b).Grown(r)) < least {
				least = min(least, toSegment(f, a, b)-r)
			}
		}
		return least
	}
	const skin = 1e-3
	free := func(p geom.Vec3) bool { return gap(p) > skin }
	w := &Walked{}
	o.Walked = w
	p := geom.Vec3{centre[0], ground, centre[2]}.Add(from.Mul(reach))
	w.Path = append(w.Path, p)
	on := from.Mul(-stride)
	// base is the height of what was walked on last that is no steeper than may be: what is steeper is a step.
	base := ground
	level := math.Cos(t.Slope * math.Pi / 180)
	for range int(2 * reach / stride) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		next, ok := p.Add(on), false
		for up := 0.0; up <= t.Step+1e-9; up += stride / 2 {
			q := next.Add(geom.Vec3{0, up, 0})
			under, _ := below(forms, p, ground)
			on, flat := below(forms, q, ground)
			if up > 0 && q[1] > under+t.Step+1e-6 || flat < level && on > base+t.Step+1e-6 {
				break // its round foot would roll up what is too high to be stepped on, or too steep
			} else if free(q) && (up == 0 || free(p.Add(geom.Vec3{0, up, 0}))) {
				next, ok = q, true
				break
			}
		}
		if !ok {
			w.Stopped, w.Before = true, max(0, gap(p))
			break
		}
		for down := next; down[1] > ground; {
			down[1] = max(ground, down[1]-stride/2)
			if !free(down) {
				break
			}
			next = down
		}
		p = next
		w.Path = append(w.Path, p)
		on, flat := below(forms, p, ground)
		if base = min(base, on); flat >= level {
			base = on
		}
		w.Climbed = max(w.Climbed, on-ground)
	}
	w.ended(forms, from.Mul(-1), t)
	every := max(1, int(t.Speed/stride/60))
	for i := 0; i < len(w.Path); i += every {
		o.Frames = append(o.Frames,
			Frame{T: float64(i) * stride / t.Speed, Poses: []Pose{{At: o.Centre, Turn: geom.Identity3},
				{At: w.Path[i], Turn: geom.Identity3}}})
	}
	o.Up = geom.Vec3{0, 1, 0}
	return nil
}

// ended tells how a walk along a direction ended.
func (w *Walked) ended(forms []*solid.Form, along geom.Vec3, t Trial) {
	near := math.Inf(1)
	for _, f := range forms {
		for _, q := range f.Convex.Points {
			near = min(near, q.Dot(along))
		}
	}
	w.In = max(0, w.Path[len(w.Path)-1].Dot(along)+t.Wide/2-near)
	switch {
	case !w.Stopped && w.Climbed > t.Step+1e-6:
		w.Ended = Over
	case !w.Stopped:
		w.Ended = Through
	case w.In > stride || w.Climbed > 0:
		w.Ended = Within
	default:
		w.Ended = Before
	}
}

// below is the height of what a walker stands on: the highest top under the middle of the soles; and the cosine of
// its slope.
func below(forms []*solid.Form, p geom.Vec3, ground float64) (high, flat float64) {
	high, flat = ground, 1
	for _, f := range forms {
		box := f.Convex.Box
		if p[0] < box.Min[0] || p[0] > box.Max[0] || p[2] < box.Min[2] || p[2] > box.Max[2] {
			continue
		}
		lo, hi := box.Min[1], box.Max[1]
		slope := 1.0
		for _, q := range f.Convex.Planes {
			d := q.D - q.N[0]*p[0] - q.N[2]*p[2]
			switch {
			case q.N[1] > 1e-9:
				if h := d / q.N[1]; h < hi-1e-9 || h <= hi && q.N[1] > slope {
					hi, slope = h, q.N[1]
				}
			case q.N[1] < -1e-9:
				lo = max(lo, d/q.N[1])
			case d < 0:
				hi = math.Inf(-1)
			}
		}
		if lo <= hi && hi <= p[1]+1e-3 && hi > high {
			high, flat = hi, slope
		}
	}
	return high, flat
}

// toSegment is how far a segment is from a form, 0 where it meets it: the distance falls and rises
// but once along it, since the form is convex.
func toSegment(f *solid.Form, a, b geom.Vec3) float64 {
	at := func(t float64) float64 { return f.Distance(a.Add(b.Sub(a).Mul(t))) }
	lo, hi := 0.0, 1.0
	if a == b {
		return at(0)
	}
	for range 24 {
		m, n := lo+(hi-lo)/3, hi-(hi-lo)/3
		if at(m) <= at(n) {
			hi = n
		} else {
			lo = m
		}
	}
	return min(at((lo+hi)/2), at(0), at(1))
}
