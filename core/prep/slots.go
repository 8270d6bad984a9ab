package prep

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync/atomic"

	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station/slots"
)

// EagerPixels is up to how many pixels of pictures are looked at, or made, at once, as [Eager] is for
// meshes.
const EagerPixels = 3 << 20

// manyPixels is from how many pixels on few pictures are opened at once.
const manyPixels = 2 << 20

// slots gives faces their slots, makes the pictures that are decided, and carries both to the LODs.
func (t *tail) slots() {
	r, d := t.result, t.p.Slots
	class, _ := t.in.Target.Class(t.p.Size.Class)
	by := slots.Against{Ask: outfit.Ask{Target: t.in.Target, Map: t.in.SlotMap}, Class: class, Nodes: t.scene.Keys()}
	images, stock, pending := t.stock()
	by.Stock, by.Images, by.Pending = stock, images, pending
	came, of := t.scene, t.scene
	keys := came.MaterialKeys()
	toSource := t.placed
	if len(d.Moves) > 0 && t.err == nil {
		came, _ = step(t.walk, "moved", d.Moves, func(ctx context.Context, moves []outfit.Move) (*scene.Scene, none) {
			return outfit.Moved(ctx, of, of, moves, toSource), none{}
		})
	}
	var lods []lodAt
	for _, l := range r.LODs.LODs[1:] {
		lods = append(lods, lodAt{l.Scene, l.Key})
		for _, m := range l.Scene.UsedMaterials() {
			if m >= 0 {
				by.InLODs = append(by.InLODs, m)
			}
		}
	}
	slices.Sort(by.InLODs)
	by.InLODs = slices.Compact(by.InLODs)
	asked := asking[slots.Decisions, outfit.Ask]{d, by.Ask}
	_, plan := step(t.walk, "slots plan", asked,
		func(ctx context.Context, a asking[slots.Decisions, outfit.Ask]) (*scene.Scene, *outfit.Plan) {
			return nil, outfit.NewPlan(ctx, came, keys, outfit.Wishes(a.D), a.Ask)
		})
	if t.err != nil {
		return
	}
	made, waits := t.cook(plan, images, by.Stock)
	by.Pending = pending || waits
	type left struct {
		Images []bool
		LODs   []*scene.Scene
	}
	var names []string
	for _, l := range lods {
		names = append(names, l.key)
	}
	before := t.scene
	changes := !plan.Same() || len(d.Moves) > 0
	var got left
	t.scene, got = step(t.walk, slots.Info.ID, made.known(names), func(ctx context.Context, _ served) (*scene.Scene, left) {
		l := left{Images: made.ready}
		for _, x := range lods {
			moved := outfit.Moved(ctx, x.scene, of, d.Moves, toSource)
			l.LODs = append(l.LODs, plan.Apply(ctx, moved, made.images))
		}
		return plan.Apply(ctx, came, made.images), l
	})
	if t.err != nil {
		return
	}
	light, lodsLit := t.light(d.Light, plan, got.LODs)
	if t.err != nil {
		return
	}
	by.Pending = by.Pending || light == nil
	if light == nil {
		light = &slots.LightMade{}
	}
	if d.Light.Size == 0 && t.in.Target.Needs.Lightmap {
		_, set := step(t.walk, "fit set", none{}, func(ctx context.Context, _ none) (*scene.Scene, int) {
			return nil, slots.FitSet(ctx, before)
		})
		by.Bare = set < 0
	}
	r.Slots = slots.Run(d, plan, slots.Made{Scene: t.scene, Images: got.Images, Why: made.why, Light: *light}, by)
	r.Slots.LODs = lodsLit
	if changes || light.There && !light.Kept {
		t.look.changed = true
	}
	t.stop(slots.Info, r.Slots, before, r.Surface.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.look.changed
}

// light makes the light sets of the scene and its LODs; nil when they are still to be made. Each LOD is
// unfolded by itself: its charts are its own.
func (t *tail) light(l outfit.Light, plan *outfit.Plan, lods []*scene.Scene) (*slots.LightMade, []*scene.Scene) {
	if l.Size == 0 {
		return &slots.LightMade{}, lods
	}
	all := append([]*scene.Scene{t.scene}, lods...)
	var first *slots.LightMade
	large := t.scene.Count().Triangles > Eager
	for i, s := range all {
		key, err := named(t.key, "light", []any{l, i})
		if err != nil {
			t.err = err
			return nil, nil
		}
		m := made(t, key, large, func(*slots.LightMade) *scene.Scene { return nil }, func(ctx context.Context) (*slots.LightMade, error) {
			m, err := slots.LightOf(ctx, s, l, plan, func(f float64) { t.say("Unfolding", (float64(i)+f)/float64(len(all))) })
			return &m, err
		})
		if errors.Is(t.err, errUnmade) {
			t.err = nil
			return nil, lods
		}
		if t.err != nil {
			return nil, nil
		}
		lit, number := m.Lit(s)
		all[i] = lit
		if i == 0 {
			own := *m
			own.Number = number
			first = &own
		}
	}
	key, err := named(t.key, "lit", l)
	t.scene, t.key, t.err = all[0], key, err
	return first, all[1:]
}

// served is what the outcome of Slots depends on besides its plan.
type served struct {
	Pictures []string // sums of those that leave
	Ready    []bool
	LODs     []string // keys of their meshes
}

func (c cooked) known(lods []string) served {
	s := served{Ready: c.ready, LODs: lods}
	for _, im := range c.images {
		s.Pictures = append(s.Pictures, im.Sum())
	}
	return s
}

// lodAt is a LOD with the key of its meshes.
type lodAt struct {
	scene *scene.Scene
	key   string
}

// stock is the pictures that came along and those that were added, with what they are like. pending tells
// that some are still to be looked at: of those only the size is known.
func (t *tail) stock() (images []scene.Image, list []outfit.Stock, pending bool) {
	images = append(append(images, t.scene.Images...), t.in.Added...)
	keys := t.scene.ImageKeys()
	pixels := 0
	for _, im := range images {
		pixels += im.Width * im.Height
	}
	var looked atomic.Int64
	known := make([]string, len(images)) // by which keys; "" of those that are not there
	for i, im := range images {
		if im.Found() {
			known[i] = pictureKey(im)
		}
	}
	ahead(t, known, func(i int) bool { return images[i].Width*images[i].Height > manyPixels }, weighFacts,
		func(ctx context.Context, i int) (*texture.Facts, error) {
			f := texture.Measure(ctx, images[i].Data)
			t.say("Looking at pictures", float64(looked.Add(1))/float64(len(images)))
			return &f, nil
		})
	for i, im := range images {
		key := im.Path
		if i < len(keys) {
			key = keys[i]
		}
		s := slots.Stocked(im, key, i >= len(keys))
		if s.Found && t.err == nil {
			f := made(t, known[i], pixels > EagerPixels, weighFacts, func(ctx context.Context) (*texture.Facts, error) {
				f := texture.Measure(ctx, im.Data)
				return &f, nil
			})
			switch {
			case errors.Is(t.err, errUnmade):
				t.err, pending = nil, true
				mime, w, h := picture.Probe(im.Data)
				s.Facts = texture.Facts{SHA: im.Sum(), Size: len(im.Data), MIME: mime, Width: w, Height: h, Depth: 0}
			case t.err == nil:
				s.Facts = *f
			}
		}
		list = append(list, s)
	}
	return images, list, pending
}

func weighFacts(*texture.Facts) *scene.Scene { return nil }

// pictureKey names what is known of a picture, by its content.
func pictureKey(im scene.Image) string { return fmt.Sprintf("rules %d picture %s", Rules, im.Sum()) }

// cooked is the pictures that leave.
type cooked struct {
	images []scene.Image
	ready  []bool
	why    []string // a picture can't be made
}

// cook makes the pictures of a plan. waits tells that some are still to be made: those have the bytes of
// before, and the size they will have.
func (t *tail) cook(plan *outfit.Plan, images []scene.Image, stock []outfit.Stock) (out cooked, waits bool) {
	pixels := 0
	for _, c := range plan.Cooks {
		if !c.Idle() {
			pixels += c.W * c.H
			for _, i := range c.In {
				pixels += stock[i].Facts.Width * stock[i].Facts.Height
			}
		}
	}
	out.why = make([]string, len(plan.Cooks))
	keys := make([]string, len(plan.Cooks)) // "" of those that leave as they came
	for n, c := range plan.Cooks {
		if c.Idle() {
			continue
		}
		var of []string
		for _, i := range c.In {
			of = append(of, pictureKey(images[i]))
		}
		if keys[n], t.err = named(fmt.Sprintf("rules %d", Rules), "cooked", []any{of, c.Recipe}); t.err != nil {
			return out, waits
		}
	}
	var cooked atomic.Int64
	cook := func(ctx context.Context, n int) (*dish, error) {
		c := plan.Cooks[n]
		var in [][]byte
		for _, i := range c.In {
			in = append(in, images[i].Data)
		}
		b, err := texture.Make(ctx, in, c.Recipe)
		t.say("Making pictures", float64(cooked.Add(1))/float64(len(plan.Cooks)))
		if err != nil && ctx.Err() == nil {
			return &dish{Why: err.Error()}, nil
		}
		return &dish{Data: b}, err
	}
	ahead(t, keys, func(n int) bool {
		px := plan.Cooks[n].W * plan.Cooks[n].H
		for _, i := range plan.Cooks[n].In {
			px = max(px, images[i].Width*images[i].Height)
		}
		return px > manyPixels
	}, weighDish, cook)
	for n, c := range plan.Cooks {
		from := scene.Image{}
		st := outfit.Stock{}
		if len(c.In) > 0 {
			from, st = images[c.In[0]], stock[c.In[0]]
		}
		if c.Idle() {
			out.images, out.ready = append(out.images, from), append(out.ready, true)
			continue
		}
		data := made(t, keys[n], pixels > EagerPixels, weighDish, func(ctx context.Context) (*dish, error) { return cook(ctx, n) })
		switch {
		case errors.Is(t.err, errUnmade):
			t.err, waits = nil, true
			out.images, out.ready = append(out.images, c.Imaged(nil, st, from)), append(out.ready, false)
		case t.err != nil:
			return out, waits
		case data.Why != "":
			out.why[n] = data.Why
			out.images, out.ready = append(out.images, from), append(out.ready, false)
		default:
			out.images, out.ready = append(out.images, c.Imaged(data.Data, st, from)), append(out.ready, true)
		}
	}
	return out, waits
}

func weighDish(d *dish) *scene.Scene { return &scene.Scene{Images: []scene.Image{{Data: d.Data}}} }

// dish is a picture that was made, or why it could not be.
type dish struct {
	Data []byte
	Why  string
}
