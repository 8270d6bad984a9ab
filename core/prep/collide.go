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
func (t *tail) collision() {
	r, d := t.result, t.p.Collision
	class, _ := t.in.Target.Class(t.p.Size.Class)
	ask := collision.Ask{Class: class, Solids: t.in.Target.Solids, Scene: t.scene, Keys: t.scene.Keys(), Placed: t.placed,
		Size: r.Surface.Box.Size().Len(), Hand: t.solids()}
	if len(d.Edited) > 0 || len(d.Fits)+len(ask.Hand) > 0 {
		ask.Print = t.print()
	}
	var measured *collision.Measured
	if len(d.Fits)+len(d.Edited)+len(ask.Hand) > 0 && !d.None {
		measured = t.touched(d, &ask)
	}
	if d.Surface.Share > 0 && !d.None && t.err == nil {
		ask.Surface = t.surfaceOf(d.Surface)
	}
	if errors.Is(t.err, errUnmade) {
		ask.Surface = nil
		t.err, ask.Pending, ask.Shapes, ask.Made, measured = nil, true, nil, nil, nil
	}
	if t.err != nil {
		return
	}
	r.Collision = collision.Run(d, ask, measured)
	t.stop(collision.Info, r.Collision, t.scene, r.Surface.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.look.changed
}

// touched makes the shapes, and measures them.
func (t *tail) touched(d collision.Decisions, ask *collision.Ask) *collision.Measured {
	large := t.scene.Count().Triangles
	keep := d.Keep.InForce()
	var w *ways
	if !keep.None {
		if w = t.ways(keep, large > Eager); t.err != nil {
			return nil
		}
		ask.Ways = w.err
	}
	for i, f := range d.Fits {
		f.Without = nil
		if most := ask.Class.Budget.Shapes; f.Most == 0 && f.Form == collision.Hulls {
			if f.Most = collision.UsualHulls; most > 0 {
				f.Most = min(f.Most, most)
			}
		}
		if most := ask.Class.Budget.ShapePoints; f.Points == 0 && most >= 8 {
			f.Points = min(collision.UsualPoints, most)
		}
		made := t.fitted(f, i, len(d.Fits), w, keep, ask)
		if t.err != nil {
			return nil
		}
		ask.Made = append(ask.Made, made)
	}
	ask.Shapes = collision.Gather(t.ctx, d, ask.Made, ask.Hand, t.scene, ask.Keys, t.placed)
	if len(ask.Shapes) == 0 {
		return nil
	}
	limit, _ := d.Limits(ask.Size)
	var solids []any
	for _, s := range ask.Shapes {
		solids = append(solids, s.Form.Solid)
	}
	key, err := named(t.key, "touched", []any{solids, keep, limit})
	if err != nil {
		t.err = err
		return nil
	}
	var grid *passage.Grid
	if w != nil {
		grid = w.grid
	}
	return made(t, key, large > Eager, func(*collision.Measured) *scene.Scene { return nil },
		func(ctx context.Context) (*collision.Measured, error) {
			t.say("Measuring gaps", 0.9)
			m := collision.Measure(ctx, t.scene, ask.Shapes, grid, limit)
			return &m, nil
		})
}

// surfaceOf is the mesh itself as collision.
func (t *tail) surfaceOf(d collision.Surface) *collision.Touched {
	key, err := named(t.key, "touch", d)
	if err != nil {
		t.err = err
		return nil
	}
	s := t.scene
	return made(t, key, s.Count().Triangles > Eager, func(*collision.Touched) *scene.Scene { return nil },
		func(ctx context.Context) (*collision.Touched, error) {
			t.say("Making the surface", 0.9)
			m := collision.SurfaceOf(ctx, s, d)
			return &m, nil
		})
}

// say tells how far it is, to those who want to know.
func (t *tail) say(step string, f float64) {
	if t.in.Progress != nil {
		t.in.Progress(step, f)
	}
}

// ways finds the passages of the outcome for a body.
func (t *tail) ways(keep collision.Keep, large bool) *ways {
	key, err := named(t.key, "passages", keep)
	if err != nil {
		t.err = err
		return nil
	}
	if _, ok := t.memo.Peek(key); !ok && large && !t.in.Make {
		t.err = errUnmade
		return nil
	}
	s := t.scene
	k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) {
		t.say("Finding passages", 0)
		g, err := passage.New(ctx, s, passage.Body{Radius: keep.Radius, Height: keep.Height, Up: s.Basis.Up.Vec()})
		if err != nil && !errors.Is(err, passage.ErrFine) {
			return Kept{}, err
		}
		return Kept{nil, &ways{g, err}}, ctx.Err()
	})
	if t.err = err; err != nil {
		return nil
	}
	return k.report.(*ways)
}

// room is what hulls depend on besides the mesh, in the coordinates that back leads to. Places are rounded to a
// millionth of the size, so that a scene that stands elsewhere asks for the same.
func (t *tail) room(back geom.Affine, w *ways, size float64) (r collision.Room) {
	k := math.Cbrt(math.Abs(back.M.Det()))
	step := 1e-6 * size * k
	round := func(v float64) float64 {
		if !(step > 0) {
			return v
		}
		return math.Round(v/step) * step
	}
	down := geom.Linear(back.M).Apply(t.scene.Basis.Up.Vec().Mul(-1)).Unit()
	for a, v := range down {
		r.Down[a] = math.Round(v*1e9) / 1e9
	}
	if w == nil || w.grid == nil {
		return r
	}
	for _, b := range w.grid.Balls(mostOpen) {
		c := back.Apply(b.Centre)
		r.Open = append(r.Open, fit.Ball{Centre: geom.Vec3{round(c[0]), round(c[1]), round(c[2])}, Radius: round(b.Radius * k)})
	}
	return r
}

// fitted is what a fit comes to.
func (t *tail) fitted(f collision.Fit, number, of int, w *ways, keep collision.Keep, ask *collision.Ask) collision.Fitted {
	s, key, by, before := t.look.of, t.look.shapes, t.look.onto, t.look.before
	if f.Form == collision.Box || f.Form == collision.Slab {
		s, key, by, before = t.scene, t.key, geom.Identity, 0
	}
	var room collision.Room
	meant := f.Meant(s, ask.Keys[before:])
	f.Nodes = nil // from here on by number
	large := t.scene.Count().Triangles > 8*Eager
	if f.Form == collision.Hulls {
		large = t.scene.Count().Triangles > EagerHulls
		if back, ok := by.Inverse(); ok {
			room = t.room(back, w, ask.Size)
		}
	}
	key, err := named(key, "fit", []any{f, meant, room})
	if err != nil {
		t.err = err
		return collision.Fitted{}
	}
	if back, ok := by.Inverse(); ok && len(f.At) > 0 { // places are kept as Source leaves them
		f.At = slices.Clone(f.At)
		for i, p := range f.At {
			f.At[i] = back.Apply(t.placed.Apply(p))
		}
	}
	m := made(t, key, large, func(*collision.Made) *scene.Scene { return nil }, func(ctx context.Context) (*collision.Made, error) {
		m := collision.FitTo(ctx, s, meant, f, room, func(p float64) {
			t.say("Fitting shapes", 0.1+0.8*(float64(number)+p)/float64(of))
		})
		return &m, nil
	})
	if t.err != nil {
		return collision.Fitted{}
	}
	own := *m
	if own.Of = slices.Clone(m.Of); before > 0 {
		for i := range own.Of {
			if own.Of[i] >= 0 {
				own.Of[i] += before
			}
		}
	}
	return collision.Fitted{Made: own, By: by}
}

// print tells the mesh beneath shapes, as Source leaves it.
func (t *tail) print() string {
	if t.err != nil {
		return ""
	}
	first := t.result.stops[0]
	key, err := named(first.Key, "print", nil)
	if err != nil {
		t.err = err
		return ""
	}
	k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) { return Kept{nil, collision.Print(first.Scene)}, ctx.Err() })
	if t.err = err; err != nil {
		return ""
	}
	return k.report.(string)
}

// solids are the shapes that came along, in the frame of the outcome.
func (t *tail) solids() []collision.Hand {
	var list []collision.Hand
	for _, h := range t.result.Source.Solids {
		list = append(list, collision.Hand{Key: h.Key, Name: h.Name, Of: h.Of, Kind: h.Kind, Lost: h.Lost, Near: h.Near,
			Mesh: h.Mesh.MappedIn(t.ctx, t.placed)})
	}
	return slices.Clip(list)
}
