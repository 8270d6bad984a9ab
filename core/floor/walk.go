package floor

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/solid"
)

// Walked is what came of walking at an asset.
type Walked struct {
	// Places of the middle between the walker's soles, one every stride.
	Path []geom.Vec3
	// Stopped tells that the walker came no further, at the last of the places.
	Stopped bool
	Climbed float64 // the highest place on the way; metres above the ground
	// Before is how far the walker's skin was from the shapes when stopped.
	Before float64
}

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
	for range int(2 * reach / stride) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		next, ok := p.Add(on), false
		for up := 0.0; up <= t.Step+1e-9; up += stride / 2 {
			if q := next.Add(geom.Vec3{0, up, 0}); q[1] > below(forms, p, ground)+t.Step+1e-6 {
				break // its round foot would roll up what is too high to be stepped on
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
		w.Climbed = max(w.Climbed, below(forms, p, ground)-ground)
	}
	every := max(1, int(t.Speed/stride/60))
	for i := 0; i < len(w.Path); i += every {
		o.Frames = append(o.Frames, Frame{T: float64(i) * stride / t.Speed, Poses: []Pose{{At: o.Centre, Turn: geom.Identity3},
			{At: w.Path[i], Turn: geom.Identity3}}})
	}
	o.Up = geom.Vec3{0, 1, 0}
	return nil
}

// below is the height of what a walker stands on: the highest top under the middle of the soles.
func below(forms []*solid.Form, p geom.Vec3, ground float64) float64 {
	high := ground
	for _, f := range forms {
		box := f.Convex.Box
		if p[0] < box.Min[0] || p[0] > box.Max[0] || p[2] < box.Min[2] || p[2] > box.Max[2] {
			continue
		}
		lo, hi := box.Min[1], box.Max[1]
		for _, q := range f.Convex.Planes {
			d := q.D - q.N[0]*p[0] - q.N[2]*p[2]
			switch {
			case q.N[1] > 1e-9:
				hi = min(hi, d/q.N[1])
			case q.N[1] < -1e-9:
				lo = max(lo, d/q.N[1])
			case d < 0:
				hi = math.Inf(-1)
			}
		}
		if lo <= hi && hi <= p[1]+1e-3 {
			high = max(high, hi)
		}
	}
	return high
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
