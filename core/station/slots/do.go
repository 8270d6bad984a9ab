package slots

import (
	"context"

	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/target/class"
)

// atOnce is how many pictures are opened at once: each may be large.
const atOnce = 2

// Stocked is a picture under its key, not looked at yet.
func Stocked(im scene.Image, key string, added bool) outfit.Stock {
	return outfit.Stock{Key: key, Name: im.Name, Added: added, Found: im.Found(),
		Facts: texture.Facts{Width: im.Width, Height: im.Height, MIME: im.MIME}}
}

// Do is the whole station at once, for a scene alone: its pictures are looked at, with those that were
// added, all that is decided is done, and a light set is unfolded. Where places are picked they are the
// scene's own. Ask's stock is made here. The error is ctx's; a picture that can't be made leaves as it
// came, and the report says why.
func Do(ctx context.Context, s *scene.Scene, added []scene.Image, d Decisions, by outfit.Ask,
	c class.Class) (*scene.Scene, *Report, error) {
	images := append(append([]scene.Image{}, s.Images...), added...)
	keys := s.ImageKeys()
	by.Stock = nil
	for i, im := range images {
		key := im.Path
		if i < len(keys) {
			key = keys[i]
		}
		by.Stock = append(by.Stock, Stocked(im, key, i >= len(keys)))
	}
	_ = split.Few(ctx, len(images), atOnce, func(i int) {
		if images[i].Found() {
			by.Stock[i].Facts = texture.Measure(ctx, images[i].Data)
		}
	})
	came := outfit.Moved(ctx, s, s, d.Moves, geom.Identity)
	plan := outfit.NewPlan(ctx, came, s.MaterialKeys(), outfit.Wishes(d), by)
	made := Made{Images: make([]bool, len(plan.Cooks)), Why: make([]string, len(plan.Cooks))}
	left := make([]scene.Image, len(plan.Cooks))
	_ = split.Few(ctx, len(plan.Cooks), atOnce, func(n int) {
		c := plan.Cooks[n]
		var in [][]byte
		for _, i := range c.In {
			in = append(in, images[i].Data)
		}
		from, st := scene.Image{}, outfit.Stock{}
		if len(c.In) > 0 {
			from, st = images[c.In[0]], by.Stock[c.In[0]]
		}
		left[n], made.Images[n] = from, true
		if c.Idle() {
			left[n] = c.Imaged(nil, st, from)
			return
		}
		data, err := texture.Make(ctx, in, c.Recipe)
		if err != nil {
			made.Images[n], made.Why[n] = false, err.Error()
			return
		}
		left[n] = c.Imaged(data, st, from)
	})
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	made.Scene = plan.Apply(ctx, came, left)
	if d.Light.Size > 0 {
		l, err := LightOf(ctx, made.Scene, d.Light, plan, nil)
		if err != nil {
			return nil, nil, err
		}
		made.Scene, l.Number = l.Lit(made.Scene)
		made.Light = l
	}
	against := Against{Ask: by, Class: c, Images: images, Nodes: s.Keys(),
		Bare: d.Light.Size == 0 && by.Target.Needs.Lightmap && FitSet(ctx, s) < 0}
	r := Run(d, plan, made, against)
	return made.Scene, r, ctx.Err()
}
