package prep

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"sync/atomic"

	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station/lods"
)

// Eager is up to how many triangles coarser meshes are made at once. Beyond, they are made when
// that is asked for; see [Input.Make].
const Eager = 12_000

// Largest is up to how many triangles coarser meshes are made of: some 600 bytes are held for each
// meanwhile.
const Largest = 3_000_000

// shelved bounds what is kept of one climb beyond the memo, in bytes.
const shelved = 256 << 20

// errUnmade is given for what is to be made, and nobody asked for that.
var errUnmade = errors.New("it is still to be made")

// climbed is a climb with its meshes, as it is kept.
type climbed struct {
	Climb  *ladder.Climb
	Meshes [][]*scene.Mesh
	key    string
}

// lods makes the coarser meshes that are asked for, or finds them, and puts them on the ladder.
// They are made of the scene as Source leaves it, so that they outlast a change of size, stance and
// pivot.
func (t *tail) lods() {
	r, d := t.result, t.p.LODs
	class, _ := t.in.Target.Class(t.p.Size.Class)
	v := t.in.Target.View
	scale := r.Size.Factor
	if t.look.changed {
		scale = 1
	}
	ask := lods.Ask{Class: class, View: ladder.View{Lines: v.Lines, Angle: v.Angle}, Pixels: v.Tolerance, Scene: t.scene,
		Cost: lods.Measured{Cost: r.Budget.Cost}, Slots: t.scene.SlotNames(), Hand: t.hand(), Size: r.Surface.Box.Size().Max()}
	var hand []lods.Counted
	var numbers []int
	for _, h := range ask.Hand {
		hand, numbers = append(hand, lods.Counted{N: h.N, Triangles: h.Scene.Count().Triangles}), append(numbers, h.N)
	}
	whole, outside := d.Climbs(numbers)
	if n := t.look.of.Count().Triangles; (whole || outside) && n > Largest {
		ask.Beyond, whole, outside = Largest, false, false
	}
	var climbs [2]*climbed
	for i, wanted := range [2]bool{whole, outside} {
		if wanted {
			if climbs[i] = t.climb(d, i == 1); t.err == nil {
				c := climbs[i].Climb.Times(scale)
				if i == 0 {
					ask.Whole = c
				} else {
					ask.Outside = c
				}
			}
		}
	}
	var fetched []lods.Fetched
	var left []int
	if t.err == nil {
		seen := lods.RangeOf(class, ask.View, ask.Size, d.Vanish)
		var list []lods.Placed
		list, left = lods.Plan(d, ask.Whole, ask.Outside, ask.View, d.Allowed(ask.Pixels), seen, lods.Budgeted(class), hand)
		fetched = t.fetch(list, climbs, scale, ask.Hand)
	}
	if errors.Is(t.err, errUnmade) {
		t.err, ask.Pending, fetched, left = nil, true, nil, nil
		ask.Whole, ask.Outside = nil, nil
	}
	if t.err != nil {
		return
	}
	r.LODs = lods.Run(d, ask, fetched, left)
	t.stop(lods.Info, r.LODs, t.scene, r.Surface.Box, t.placed)
	r.stops[len(r.stops)-1].Changed = t.look.changed
}

// named is a key of what depends on another key and on what is asked.
func named(key, id string, asked any) (string, error) {
	d, err := json.Marshal(asked)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%s", key, id, d))
	return fmt.Sprintf("%x", sum[:16]), nil
}

// made gives a value by its key: from the memo, from the shelf, or made by fill, which may be asked
// for only when it is not large. weigh is what of it weighs.
func made[R any](t *tail, key string, large bool, weigh func(*R) *scene.Scene, fill func(context.Context) (*R, error)) *R {
	if t.err != nil {
		return nil
	}
	if k, ok := t.memo.Peek(key); ok {
		t.result.Hits++
		return k.report.(*R)
	}
	if t.in.Shelf != nil {
		if b, ok := t.in.Shelf.Load(key); ok {
			v := new(R)
			if gob.NewDecoder(bytes.NewReader(b)).Decode(v) == nil {
				t.memo.Put(key, Kept{weigh(v), v})
				return v
			}
		}
	}
	if large && !t.in.Make {
		t.err = errUnmade // those who make it are not waited for
		return nil
	}
	k, ran, err := filled(t, t.ctx, key, weigh, fill)
	if t.err = err; err != nil {
		return nil
	}
	if !ran {
		t.result.Hits++
	}
	return k
}

// atOnce is how many values that take much memory are made at once.
const atOnce = 2

// ahead makes values that made will be asked for by their keys, several at once; what goes wrong made will
// meet again. A key is "" for one that is not to be made. much tells which take much memory meanwhile.
func ahead[R any](t *tail, keys []string, much func(i int) bool, weigh func(*R) *scene.Scene, fill func(context.Context, int) (*R, error)) {
	if t.err != nil || !t.in.Make {
		return
	}
	one := func(i int) {
		k := keys[i]
		if k == "" {
			return
		}
		if _, ok := t.memo.Peek(k); ok {
			return
		}
		if t.in.Shelf != nil {
			if _, ok := t.in.Shelf.Load(k); ok {
				return
			}
		}
		_, _, _ = filled(t, t.ctx, k, weigh, func(ctx context.Context) (*R, error) { return fill(ctx, i) })
	}
	var light, heavy []int
	for i := range keys {
		if much(i) {
			heavy = append(heavy, i)
		} else {
			light = append(light, i)
		}
	}
	if t.err = split.Each(t.ctx, len(light), func(i int) { one(light[i]) }); t.err == nil {
		t.err = split.Few(t.ctx, len(heavy), atOnce, func(i int) { one(heavy[i]) })
	}
}

// filled makes a value and keeps it; ran tells that it was not there, nor being made. It may be called from
// several goroutines.
func filled[R any](t *tail, ctx context.Context, key string, weigh func(*R) *scene.Scene,
	fill func(context.Context) (*R, error)) (v *R, ran bool, err error) {
	var began atomic.Bool // by the memo's goroutine, which may outlast this call
	k, err := t.memo.Get(ctx, key, func(ctx context.Context) (Kept, error) {
		began.Store(true)
		v, err := fill(ctx)
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return Kept{}, err
		}
		if s := weigh(v); t.in.Shelf != nil && s.Bytes() <= shelved {
			var b bytes.Buffer
			if err := gob.NewEncoder(&b).Encode(v); err != nil {
				return Kept{}, err
			}
			t.in.Shelf.Save(key, b.Bytes())
		}
		return Kept{weigh(v), v}, nil
	})
	if err != nil {
		return nil, began.Load(), err
	}
	return k.report.(*R), began.Load(), nil
}

// climb is the way down of the scene, or of its outside, with a step at each share that is asked
// for and that none comes near to without.
func (t *tail) climb(d lods.Decisions, outside bool) *climbed {
	c := t.climbAt(d.Making, outside, nil)
	if t.err != nil {
		return nil
	}
	if more := d.Wanted(c.Climb); len(more) > 0 {
		return t.climbAt(d.Making, outside, more)
	}
	return c
}

func (t *tail) climbAt(by ladder.Making, outside bool, shares []float64) *climbed {
	kept := t.look.of
	key, err := named(t.look.shapes, "climb", struct {
		By      ladder.Making
		Outside bool
		Shares  []float64
	}{by, outside, shares})
	if err != nil {
		t.err = err
		return nil
	}
	n := kept.Count().Triangles
	c := made(t, key, n > Eager, func(c *climbed) *scene.Scene {
		s := &scene.Scene{}
		for _, list := range c.Meshes {
			s.Meshes = append(s.Meshes, list...)
		}
		return s
	}, func(ctx context.Context) (*climbed, error) {
		from, before := kept, []*scene.Mesh(nil)
		if outside {
			before = ladder.Outside(ctx, kept)
			from = ladder.Put(kept, before)
		}
		c, meshes := ladder.Down(ctx, from, by, shares, func(f float64) {
			t.say("Collapsing edges", 0.8*f)
		})
		if outside {
			c.Steps = append([]ladder.Step{{Triangles: from.Count().Triangles}}, c.Steps...)
			meshes = append([][]*scene.Mesh{before}, meshes...)
			c.Triangles = n
		}
		return &climbed{Climb: c, Meshes: meshes}, nil
	})
	if t.err != nil {
		return nil
	}
	out := *c
	out.key = key
	return &out
}

// fetch gives the LODs their scenes and figures.
func (t *tail) fetch(list []lods.Placed, climbs [2]*climbed, scale float64, hand []lods.Hand) []lods.Fetched {
	var out []lods.Fetched
	// What the asset itself is like is looked at when the first figure is asked for.
	var stick *lods.Yardstick
	var of *scene.Scene
	measure := func(ctx context.Context, whole, less *scene.Scene) lods.Measured {
		if of != whole {
			of, stick = whole, lods.NewYardstick(ctx, whole)
		}
		return stick.Measure(ctx, less)
	}
	none := func(*lods.Measured) *scene.Scene { return nil }
	large := t.look.of.Count().Triangles > Eager
	for i, p := range list {
		f := lods.Fetched{Placed: p}
		if p.Mesh.Hand > 0 {
			for k := range hand {
				if hand[k].N == p.Mesh.Hand {
					f.Hand = &hand[k]
				}
			}
			if f.Hand == nil {
				continue // it came with another revision
			}
			key, err := named(t.key, "measured", p.Mesh)
			if err != nil {
				t.err = err
				return nil
			}
			m := made(t, key, large, none, func(ctx context.Context) (*lods.Measured, error) {
				m := measure(ctx, t.scene, f.Hand.Scene)
				return &m, nil
			})
			if t.err != nil {
				return nil
			}
			f.Measured, f.Scene, f.Key = *m, f.Hand.Scene, key
			out = append(out, f)
			continue
		}
		c := climbs[0]
		if p.Mesh.Outside {
			c = climbs[1]
		}
		key, err := named(c.key, "measured", p.Mesh.Step)
		if err != nil {
			t.err = err
			return nil
		}
		m := made(t, key, large, none, func(ctx context.Context) (*lods.Measured, error) {
			m := measure(ctx, t.look.of, ladder.Put(t.look.of, c.Meshes[p.Mesh.Step]))
			m.Visible = c.Climb.Steps[p.Mesh.Step].Visible
			t.say("Measuring what shows", 0.8+0.2*float64(i+1)/float64(len(list)))
			return &m, nil
		})
		if t.err != nil {
			return nil
		}
		f.Measured = m.Times(scale)
		f.Scene = t.lodScene(c, p.Mesh.Step)
		f.Key = t.key + " " + key
		if t.err != nil {
			return nil
		}
		out = append(out, f)
	}
	return out
}

// lodScene is a step of a climb in the frame of the outcome: its meshes where they stand, without
// the tree that holds them in the asset itself.
func (t *tail) lodScene(c *climbed, step int) *scene.Scene {
	key, err := named(t.key, "lod", []any{c.key, step})
	if err != nil {
		t.err = err
		return nil
	}
	s, look := t.scene, t.look
	k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) {
		meshes := make([]*scene.Mesh, len(s.Meshes))
		for i, m := range c.Meshes[step] {
			if meshes[i] = m; !look.mesh(i).IsIdentity() {
				meshes[i] = m.MappedIn(ctx, look.mesh(i))
			}
			if m.Name != s.Meshes[i].Name {
				own := *meshes[i]
				own.Name = s.Meshes[i].Name
				meshes[i] = &own
			}
		}
		return Kept{placesOf(ladder.Put(s, meshes)), nil}, ctx.Err()
	})
	t.err = err
	return k.scene
}

// placesOf is a scene of its nodes with a mesh alone, where they stand.
func placesOf(s *scene.Scene) *scene.Scene {
	out := s.Clone()
	out.Nodes, out.Meshes = nil, nil
	worlds := s.Worlds()
	at := map[int]int{}
	hidden := s.Unseen()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || s.Meshes[n.Mesh].Faces() == 0 {
			continue // nothing is left of it there
		}
		k, ok := at[n.Mesh]
		if !ok {
			k = len(out.Meshes)
			at[n.Mesh] = k
			out.Meshes = append(out.Meshes, s.Meshes[n.Mesh])
		}
		out.Nodes = append(out.Nodes, scene.Node{Name: n.Name, Kind: scene.KindMesh, Parent: -1, Mesh: k, Local: worlds[i],
			Hidden: hidden[i]})
	}
	return out
}

// hand are the LODs that came along, in the frame of the outcome, with the asset's materials.
func (t *tail) hand() []lods.Hand {
	src := t.result.Source.Hand
	if len(src) == 0 || t.err != nil {
		return nil
	}
	s, placed, before := t.scene, t.placed, t.result.stops[0].Scene
	key, err := named(t.key, "hand", len(src))
	if err != nil {
		t.err = err
		return nil
	}
	k, err := t.memo.Get(t.ctx, key, func(ctx context.Context) (Kept, error) {
		var list []lods.Hand
		weight := &scene.Scene{}
		for _, h := range src {
			own := h.Scene.CarriedIn(ctx, placed)
			own.Basis = s.Basis
			own.Materials, own.Textures, own.Images = s.Materials, s.Textures, s.Images
			own = placesOf(own)
			list = append(list, lods.Hand{N: h.N, Scene: own, From: h.From * t.result.Size.Factor, Coverage: h.Coverage, Missing: h.Missing,
				Moved: moved(before, h.Scene, t.result.Size.Factor)})
			weight.Meshes = append(weight.Meshes, own.Meshes...)
		}
		return Kept{weight, list}, ctx.Err()
	})
	if t.err = err; err != nil {
		return nil
	}
	return k.report.([]lods.Hand)
}

// moved lists the nodes of a LOD that came along whose origin is not where that of the node is that
// they stand for.
func moved(whole, less *scene.Scene, factor float64) []lods.Moved {
	if len(less.Nodes) < len(whole.Nodes) {
		return nil
	}
	near := 1e-3 * whole.Bounds().Size().Max()
	a, b := whole.Worlds(), less.Worlds()
	var list []lods.Moved
	for i, n := range whole.Nodes {
		if n.Mesh >= 0 && less.Nodes[i].Mesh >= 0 && less.Nodes[i].Name == n.Name {
			if d := a[i].T.Dist(b[i].T); d > near {
				list = append(list, lods.Moved{Name: n.Name, By: d * factor})
			}
		}
	}
	return list
}
