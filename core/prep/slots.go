package prep

import (
	"context"
	"fmt"
	"slices"
	"sync/atomic"

	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/slots"
	"yarvek/core/target/class"
)

// EagerPixels is up to how many pixels of pictures are looked at, or made, at once, as [Eager] is for
// meshes.
const EagerPixels = 3 << 20

// manyPixels is from how many pixels on few pictures are opened at once.
const manyPixels = 2 << 20

// slots gives faces their slots, makes the pictures that are decided, and carries both to the LODs.
func (w *walk) slots(f frame) (frame, station.Report) {
	r, d, before := w.result, w.p.Slots, f.scene
	f.box = r.Surface.Box
	by := slots.Against{Ask: outfit.Ask{Target: w.in.Target, Map: w.in.SlotMap}, Class: w.class(), Nodes: f.scene.Keys()}
	var looked []bool
	by.Images, by.Stock, looked = w.stock(f)
	by.Pending = slices.Contains(looked, false)
	came, keys := f.scene, f.scene.MaterialKeys()
	if len(d.Moves) > 0 {
		came, _, f.key = step(w, f.key, "moved", d.Moves, func(ctx context.Context, moves []outfit.Move) (*scene.Scene,
			none) {
			return outfit.Moved(ctx, before, before, moves, f.placed), none{}
		})
	}
	var lods []string // keys of their meshes
	for _, l := range r.LODs.LODs[1:] {
		lods = append(lods, l.Key)
		by.InLODs = append(by.InLODs, l.Scene.UsedMaterials()...)
	}
	slices.Sort(by.InLODs)
	by.InLODs = slices.DeleteFunc(slices.Compact(by.InLODs), func(m int) bool { return m < 0 })
	asked := asking[slots.Decisions, outfit.Ask]{d, by.Ask}
	plan, key := aside(w, f.key, "slots plan", asked,
		func(ctx context.Context, a asking[slots.Decisions, outfit.Ask]) *outfit.Plan {
			return outfit.NewPlan(ctx, came, keys, outfit.Wishes(a.D), a.Ask)
		})
	cooked, waits := w.cook(plan, by.Images, by.Stock)
	by.Pending = by.Pending || waits
	type left struct {
		Images []bool
		LODs   []*scene.Scene
	}
	var got left
	f.scene, got, f.key = step(w, key, slots.Info.ID, cooked.known(lods),
		func(ctx context.Context, _ served) (*scene.Scene, left) {
			l := left{Images: cooked.ready}
			for _, x := range r.LODs.LODs[1:] {
				moved := outfit.Moved(ctx, x.Scene, before, d.Moves, f.placed)
				l.LODs = append(l.LODs, plan.Apply(ctx, moved, cooked.images))
			}
			return plan.Apply(ctx, came, cooked.images), l
		})
	if d.Light.Size == 0 && w.in.Target.Needs.Lightmap {
		set, _ := aside(w, f.key, "fit set", none{},
			func(ctx context.Context, _ none) int { return slots.FitSet(ctx, before) })
		by.Bare = set < 0
	}
	f, light, lit := w.light(f, d.Light, plan, got.LODs)
	by.Pending = by.Pending || light == nil
	ask := judging{D: d, Class: by.Class, Looked: looked, Pending: by.Pending, Bare: by.Bare, Why: cooked.why,
		Lit: light != nil}
	if light == nil {
		light = &slots.LightMade{}
	}
	if !plan.Same() || len(d.Moves) > 0 || light.There && !light.Kept {
		f.look.changed = true
	}
	leaving := f.scene
	judged, _ := aside(w, f.key, "slots judged", ask, func(_ context.Context, a judging) *slots.Report {
		return slots.Run(a.D, plan, slots.Made{Scene: leaving, Images: got.Images, Why: a.Why, Light: *light}, by)
	})
	report := *judged // which others have, too
	report.LODs = lit
	r.Slots = &report
	return f, r.Slots
}

// judging is what the report of Slots depends on besides what the key of its scene names: the pictures that came and
// that were added, the plan, and what was cooked by it.
type judging struct {
	D       slots.Decisions
	Class   class.Class
	Looked  []bool // which pictures were looked at
	Pending bool
	Bare    bool
	Why     []string
	Lit     bool // the light sets are there
}

// light makes the light sets of the scene and its LODs; nil when they are still to be made. Each LOD is
// unfolded by itself: its charts are its own.
func (w *walk) light(f frame, l outfit.Light, plan *outfit.Plan, lods []*scene.Scene) (frame, *slots.LightMade,
	[]*scene.Scene) {
	if l.Size == 0 {
		return f, &slots.LightMade{}, lods
	}
	all := append([]*scene.Scene{f.scene}, lods...)
	var first *slots.LightMade
	large := f.scene.Count().Triangles > Eager
	for i, s := range all {
		key, err := named(f.key, "light", []any{l, i})
		w.must(err)
		m := made(w, key, large, func(*slots.LightMade) *scene.Scene { return nil },
			func(ctx context.Context) (*slots.LightMade, error) {
				m, err := slots.LightOf(ctx, s, l, plan, func(p float64) { w.say("Unfolding", (float64(i)+p)/float64(len(all))) })
				return &m, err
			})
		if m == nil {
			return f, nil, lods
		}
		lit, number := m.Lit(s)
		all[i] = lit
		if i == 0 {
			own := *m
			own.Number = number
			first = &own
		}
	}
	key, err := named(f.key, "lit", l)
	w.must(err)
	f.scene, f.key = all[0], key
	return f, first, all[1:]
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

// stock is the pictures that came along and those that were added, with what they are like. looked tells
// which were looked at: of the others only the size is known yet.
func (w *walk) stock(f frame) (images []scene.Image, list []outfit.Stock, looked []bool) {
	images = append(append(images, f.scene.Images...), w.in.Added...)
	keys := f.scene.ImageKeys()
	pixels := 0
	for _, im := range images {
		pixels += im.Width * im.Height
	}
	var done atomic.Int64
	known := make([]string, len(images)) // by which keys; "" of those that are not there
	for i, im := range images {
		if im.Found() {
			known[i] = pictureKey(im)
		}
	}
	ahead(w, known, func(i int) bool { return images[i].Width*images[i].Height > manyPixels }, weighFacts,
		func(ctx context.Context, i int) (*texture.Facts, error) {
			f := texture.Measure(ctx, images[i].Data)
			w.say("Looking at pictures", float64(done.Add(1))/float64(len(images)))
			return &f, nil
		})
	for i, im := range images {
		key := im.Path
		if i < len(keys) {
			key = keys[i]
		}
		s := slots.Stocked(im, key, i >= len(keys))
		seen := true
		if s.Found {
			facts := made(w, known[i], pixels > EagerPixels, weighFacts, func(ctx context.Context) (*texture.Facts, error) {
				f := texture.Measure(ctx, im.Data)
				return &f, nil
			})
			if facts == nil {
				mime, wide, high := picture.Probe(im.Data)
				facts, seen = &texture.Facts{SHA: im.Sum(), Size: len(im.Data), MIME: mime, Width: wide, Height: high}, false
			}
			s.Facts = *facts
		}
		list, looked = append(list, s), append(looked, seen)
	}
	return images, list, looked
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
func (w *walk) cook(plan *outfit.Plan, images []scene.Image, stock []outfit.Stock) (out cooked, waits bool) {
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
		var err error
		keys[n], err = named(fmt.Sprintf("rules %d", Rules), "cooked", []any{of, c.Recipe})
		w.must(err)
	}
	var cooked atomic.Int64
	cook := func(ctx context.Context, n int) (*dish, error) {
		c := plan.Cooks[n]
		var in [][]byte
		for _, i := range c.In {
			in = append(in, images[i].Data)
		}
		b, err := texture.Make(ctx, in, c.Recipe)
		w.say("Making pictures", float64(cooked.Add(1))/float64(len(plan.Cooks)))
		if err != nil && ctx.Err() == nil {
			return &dish{Why: err.Error()}, nil
		}
		return &dish{Data: b}, err
	}
	ahead(w, keys, func(n int) bool {
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
			out.images, out.ready = append(out.images, c.Imaged(nil, st, from)), append(out.ready, true)
			continue
		}
		data := made(w, keys[n], pixels > EagerPixels, weighDish,
			func(ctx context.Context) (*dish, error) { return cook(ctx, n) })
		switch {
		case data == nil:
			waits = true
			out.images, out.ready = append(out.images, c.Imaged(nil, st, from)), append(out.ready, false)
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
