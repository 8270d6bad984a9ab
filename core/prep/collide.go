package prep

import (
	"context"
	"errors"
	"math"
	"slices"

	"yarvek/core/collide/fit"
	"yarvek/core/collide/passage"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/collision"
)

// EagerHulls is up to how many triangles hulls are fitted at once, as [Eager] is for LODs.
const EagerHulls = 3_000

// mostOpen bounds the places that hulls keep clear of.
const mostOpen = 300

// ways is the passages of a scene for a body, or why there are none to be told.
type ways struct {
	grid *passage.Grid
	err  error
}

// collision fits the shapes that are asked for, or finds them, and measures how well they stand for
// the asset. Hulls, balls and capsules are fitted to the scene as Source leaves it, so that they
// outlast a change of size, stance and pivot; boxes and slabs to the outcome, whose axes they lie
// along.
func (w *walk) collision(f frame) (frame, station.Report) {
	r, d := w.result, w.p.Collision
	f.box = r.Surface.Box
	whole := f
	if asked := len(d.Edited)+len(d.Fits)+len(r.Source.Solids) > 0 || d.Surface.Share > 0; asked && f.scene.Dotted() {
		hulled, _ := aside(w, f.key, "hulled", none{}, func(ctx context.Context, _ none) *scene.Scene {
			return f.scene.Hulled(ctx)
		})
		f.scene = hulled
	}
	ask := collision.Ask{Class: w.class(), Solids: w.in.Target.Solids, Scene: f.scene, Keys: f.scene.Keys(),
		Placed: f.placed,
		Size:   f.box.Size().Len(), Hand: w.solids(f)}
	shapes := len(d.Edited)+len(d.Fits)+len(ask.Hand) > 0
	if shapes {
		ask.Print, _ = aside(w, r.stops[0].Key, "print", none{}, func(context.Context, none) string {
			return collision.Print(r.stops[0].Scene)
		})
	}
	var measured *collision.Measured
	there := true
	if shapes && !d.None {
		measured, there = w.touched(f, d, &ask)
	}
	if there && d.Surface.Share > 0 && !d.None {
		ask.Surface = w.surfaceOf(f, d.Surface)
		there = ask.Surface != nil
	}
	if !there {
		ask.Surface, ask.Pending, ask.Shapes, ask.Made, measured = nil, true, nil, nil, nil
	}
	r.Collision = collision.Run(d, ask, measured)
	whole.box = f.box
	return whole, r.Collision
}

// touched makes the shapes, and measures them; false when some are still to be made.
func (w *walk) touched(f frame, d collision.Decisions, ask *collision.Ask) (m *collision.Measured, there bool) {
	large := f.scene.Count().Triangles
	keep := d.Keep.InForce()
	open := &ways{}
	if !keep.None {
		many := passage.Cells(f.box, body(f, keep))
		if open = w.ways(f, keep, large > Eager || many > eagerPlaces); open == nil {
			return nil, false
		}
		ask.Ways = open.err
	}
	for i, fit := range d.Fits {
		fit.Without = nil
		hulls, points := collision.UsualFor(ask.Class)
		if fit.Most == 0 && fit.Form == collision.Hulls {
			fit.Most = hulls
		}
		if fit.Points == 0 && ask.Class.Budget.ShapePoints >= 8 {
			fit.Points = points
		}
		say := func(p float64) { w.say("Fitting shapes", 0.1+0.8*(float64(i)+p)/float64(len(d.Fits))) }
		one, there := w.fitted(f, fit, open, ask, say)
		if !there {
			return nil, false
		}
		ask.Made = append(ask.Made, one)
	}
	ask.Shapes = collision.Gather(w.ctx, d, ask.Made, ask.Hand, f.scene, ask.Keys, f.placed)
	if len(ask.Shapes) == 0 {
		return nil, true
	}
	limit, _ := d.Limits(ask.Size)
	var solids []any
	for _, s := range ask.Shapes {
		solids = append(solids, s.Form.Solid)
	}
	key, err := named(f.key, "touched", []any{solids, keep, limit})
	w.must(err)
	m = made(w, key, large > Eager, func(*collision.Measured) *scene.Scene { return nil },
		func(ctx context.Context) (*collision.Measured, error) {
			w.say("Measuring gaps", 0.9)
			m := collision.Measure(ctx, f.scene, ask.Shapes, open.grid, limit)
			return &m, nil
		})
	return m, m != nil
}

// surfaceOf is the mesh itself as collision; nil when it is still to be made.
func (w *walk) surfaceOf(f frame, d collision.Surface) *collision.Touched {
	key, err := named(f.key, "touch", d)
	w.must(err)
	return made(w, key, f.scene.Count().Triangles > Eager, func(*collision.Touched) *scene.Scene { return nil },
		func(ctx context.Context) (*collision.Touched, error) {
			w.say("Making the surface", 0.9)
			m := collision.SurfaceOf(ctx, f.scene, d)
			return &m, nil
		})
}

// eagerPlaces is up to how many places passages are looked for at once, as [Eager] is for triangles.
const eagerPlaces = 400_000

// body is the one that passages are kept open for, in the outcome.
func body(f frame, keep collision.Keep) passage.Body {
	return passage.Body{Radius: keep.Radius, Height: keep.Height, Up: f.scene.Basis.Up.Vec()}
}

// ways finds the passages of the outcome for a body; nil when they are still to be found.
func (w *walk) ways(f frame, keep collision.Keep, large bool) *ways {
	key, err := named(f.key, "passages", keep)
	w.must(err)
	if _, ok := w.memo.Peek(key); !ok && large && !w.in.Make {
		return nil
	}
	k, err := w.memo.Get(w.ctx, key, func(ctx context.Context) (Kept, error) {
		w.say("Finding passages", 0)
		g, err := passage.New(ctx, f.scene, body(f, keep))
		if err != nil && !errors.Is(err, passage.ErrFine) {
			return Kept{}, err
		}
		return Kept{nil, &ways{g, err}}, ctx.Err()
	})
	w.must(err)
	return k.report.(*ways)
}

// room is what hulls depend on besides the mesh, in the coordinates that back leads to. Places are rounded to a
// millionth of the size, so that a scene that stands elsewhere asks for the same.
func (f frame) room(back geom.Affine, open *ways, size float64) (r collision.Room) {
	k := math.Cbrt(math.Abs(back.M.Det()))
	step := 1e-6 * size * k
	round := func(v float64) float64 {
		if !(step > 0) {
			return v
		}
		return math.Round(v/step) * step
	}
	down := geom.Linear(back.M).Apply(f.scene.Basis.Up.Vec().Mul(-1)).Unit()
	for a, v := range down {
		r.Down[a] = math.Round(v*1e9) / 1e9
	}
	if open.grid == nil {
		return r
	}
	for _, b := range open.grid.Balls(mostOpen) {
		c := back.Apply(b.Centre)
		r.Open = append(r.Open, fit.Ball{Centre: geom.Vec3{round(c[0]), round(c[1]), round(c[2])},
			Radius: round(b.Radius * k)})
	}
	return r
}

// fitted is what a fit comes to; false when it is still to be made.
func (w *walk) fitted(f frame, by collision.Fit, open *ways, ask *collision.Ask,
	say func(float64)) (out collision.Fitted, there bool) {
	s, key, onto, before := f.look.of, f.look.shapes(), f.look.onto, f.look.before
	if by.Form == collision.Box || by.Form == collision.Slab {
		s, key, onto, before = f.scene, f.key, geom.Identity, 0
	}
	var room collision.Room
	meant := by.Meant(s, ask.Keys[before:])
	by.Nodes = nil // from here on by number
	back, turns := onto.Inverse()
	large := f.scene.Count().Triangles > 8*Eager
	if by.Form == collision.Hulls {
		if large = f.scene.Count().Triangles > EagerHulls; turns {
			room = f.room(back, open, ask.Size)
		}
	}
	key, err := named(key, "fit", []any{by, meant, room})
	w.must(err)
	if turns && len(by.At) > 0 { // places are kept as Source leaves them
		by.At = slices.Clone(by.At)
		for i, p := range by.At {
			by.At[i] = back.Apply(f.placed.Apply(p))
		}
	}
	m := made(w, key, large, func(*collision.Made) *scene.Scene { return nil },
		func(ctx context.Context) (*collision.Made, error) {
			m := collision.FitTo(ctx, s, meant, by, room, say)
			return &m, nil
		})
	if m == nil {
		return out, false
	}
	out = collision.Fitted{Made: *m, By: onto}
	out.Of = slices.Clone(m.Of)
	for i := range out.Of {
		if out.Of[i] >= 0 {
			out.Of[i] += before
		}
	}
	return out, true
}

// solids are the shapes that came along, in the frame of the outcome.
func (w *walk) solids(f frame) []collision.Hand {
	var list []collision.Hand
	for _, h := range w.result.Source.Solids {
		list = append(list, collision.Hand{Key: h.Key, Name: h.Name, Of: h.Of, Kind: h.Kind, Lost: h.Lost, Near: h.Near,
			Mesh: h.Mesh.MappedIn(w.ctx, f.placed)})
	}
	return slices.Clip(list)
}
