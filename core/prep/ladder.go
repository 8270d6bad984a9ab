package prep

import (
	"context"
	"slices"

	"yarvek/core/process/ladder"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/lods"
)

// Eager is up to how many triangles coarser meshes are made at once. Beyond, they are made when
// that is asked for; see [Input.Make].
const Eager = 12_000

// Largest is up to how many triangles coarser meshes are made of: some 600 bytes are held for each
// meanwhile.
const Largest = 3_000_000

// LargestDots is the same of points without faces, for each of which some 150 bytes are held besides what they carry.
const LargestDots = 20_000_000

// climbed is a climb with its meshes, as it is kept.
type climbed struct {
	Climb  *ladder.Climb
	Meshes [][]*scene.Mesh
	key    string
}

// lods makes the coarser meshes that are asked for, or finds them, and puts them on the ladder.
// They are made of the scene as Source leaves it, so that they outlast a change of size, stance and
// pivot.
func (w *walk) lods(f frame) (frame, station.Report) {
	r, d, class, v := w.result, w.p.LODs, w.class(), w.in.Target.View
	f.box = r.Surface.Box
	ask := lods.Ask{Class: class, View: ladder.View{Lines: v.Lines, Angle: v.Angle, Reach: w.reach(f)},
		Pixels: v.Tolerance, Scene: f.scene,
		Cost: lods.Measured{Cost: r.Budget.Cost}, Slots: f.scene.SlotNames(), Hand: w.hand(f), Size: f.box.Size().Max(),
		Dots: f.scene.Dotted()}
	var hand []lods.Counted
	var numbers []int
	for _, h := range ask.Hand {
		hand, numbers = append(hand, lods.Counted{N: h.N, Triangles: lods.Much(h.Scene)}), append(numbers, h.N)
	}
	whole, outside := d.Climbs(numbers)
	most := Largest
	if ask.Dots {
		whole, outside = whole || outside, false
		d.Outside, most = 0, LargestDots
	}
	if n := lods.Much(f.look.of); (whole || outside) && n > most {
		ask.Beyond, whole, outside = most, false, false
	}
	var fetched []lods.Fetched
	var left []int
	climbs, there := w.climbs(f, d, [2]bool{whole, outside})
	if there {
		ask.Whole, ask.Outside = climbs[0].times(w.scale(f)), climbs[1].times(w.scale(f))
		seen := lods.RangeOf(class, ask.View, ask.Size, d.Vanish)
		var list []lods.Placed
		list, left = lods.Plan(d, ask.Whole, ask.Outside, ask.View, d.Allowed(ask.Pixels), seen, lods.Budgeted(class), hand)
		fetched, there = w.fetch(f, list, climbs, ask.Hand)
	}
	if !there {
		ask.Pending, ask.Whole, ask.Outside, fetched, left = true, nil, nil, nil, nil
	}
	r.LODs = lods.Run(d, ask, fetched, left)
	return f, r.LODs
}

// reach is how far a scene's farthest point is from the middle of its box.
func (w *walk) reach(f frame) float64 {
	far, _ := aside(w, f.key, "reach", none{}, func(_ context.Context, _ none) float64 {
		middle, far := f.box.Center(), 0.0
		for i, world := range f.scene.Worlds() {
			if f.scene.Nodes[i].Mesh >= 0 {
				far = max(far, f.scene.Meshes[f.scene.Nodes[i].Mesh].Farthest(world, middle))
			}
		}
		return far
	})
	return far
}

// times is the climb with lengths of another scale; nil for none.
func (c *climbed) times(scale float64) *ladder.Climb {
	if c == nil {
		return nil
	}
	return c.Climb.Times(scale)
}

// climbs are the ways down of the whole and of its outside, as far as they are wanted; false when one is still to
// be made.
func (w *walk) climbs(f frame, d lods.Decisions, wanted [2]bool) (list [2]*climbed, there bool) {
	for i, is := range wanted {
		if is {
			if list[i] = w.climb(f, d, i == 1); list[i] == nil {
				return list, false
			}
		}
	}
	return list, true
}

// climb is the way down of the scene, or of its outside, with a step at each share that is asked
// for and that none comes near to without; nil when it is still to be made.
func (w *walk) climb(f frame, d lods.Decisions, outside bool) *climbed {
	c := w.climbAt(f, climbing{By: d.Making, Outside: outside})
	if c == nil {
		return nil
	}
	if more := d.Wanted(c.Climb); len(more) > 0 {
		return w.climbAt(f, climbing{d.Making, outside, more})
	}
	return c
}

// climbing is what a climb depends on besides the shapes.
type climbing struct {
	By      ladder.Making
	Outside bool
	Shares  []float64
}

func (w *walk) climbAt(f frame, by climbing) *climbed {
	kept := f.look.of
	key, err := named(f.look.shapes(), "climb", by)
	w.must(err)
	n := lods.Much(kept)
	c := made(w, key, n > Eager, func(c *climbed) *scene.Scene {
		s := &scene.Scene{}
		for _, list := range c.Meshes {
			s.Meshes = append(s.Meshes, list...)
		}
		return s
	}, func(ctx context.Context) (*climbed, error) {
		from, before := kept, []*scene.Mesh(nil)
		if by.Outside {
			before = ladder.Outside(ctx, kept)
			from = ladder.Put(kept, before)
		}
		c, meshes := ladder.Down(ctx, from, by.By, by.Shares, func(f float64) {
			w.say("Collapsing edges", 0.8*f)
		})
		if by.Outside {
			c.Steps = append([]ladder.Step{{Triangles: from.Count().Triangles}}, c.Steps...)
			meshes = append([][]*scene.Mesh{before}, meshes...)
			c.Triangles = n
		}
		return &climbed{Climb: c, Meshes: meshes}, nil
	})
	if c == nil {
		return nil
	}
	out := *c
	out.key = key
	return &out
}

// fetch gives the LODs their scenes and figures; false when some are still to be made.
func (w *walk) fetch(f frame, list []lods.Placed, climbs [2]*climbed, hand []lods.Hand) (out []lods.Fetched,
	there bool) {
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
	large := lods.Much(f.look.of) > Eager
	for i, p := range list {
		got := lods.Fetched{Placed: p}
		if p.Mesh.Hand > 0 {
			k := slices.IndexFunc(hand, func(h lods.Hand) bool { return h.N == p.Mesh.Hand })
			if k < 0 {
				continue // it came with another revision
			}
			got.Hand, got.Scene = &hand[k], hand[k].Scene
			var err error
			got.Key, err = named(f.key, "measured", p.Mesh)
			w.must(err)
			m := made(w, got.Key, large, none, func(ctx context.Context) (*lods.Measured, error) {
				m := measure(ctx, f.scene, got.Scene)
				return &m, nil
			})
			if m == nil {
				return nil, false
			}
			got.Measured = *m
			out = append(out, got)
			continue
		}
		c := climbs[0]
		if p.Mesh.Outside {
			c = climbs[1]
		}
		key, err := named(c.key, "measured", p.Mesh.Step)
		w.must(err)
		m := made(w, key, large, none, func(ctx context.Context) (*lods.Measured, error) {
			m := measure(ctx, f.look.of, ladder.Put(f.look.of, c.Meshes[p.Mesh.Step]))
			m.Stands(c.Climb.Steps[p.Mesh.Step])
			w.say("Measuring what shows", 0.8+0.2*float64(i+1)/float64(len(list)))
			return &m, nil
		})
		if m == nil {
			return nil, false
		}
		got.Measured, got.Scene, got.Key = m.Times(w.scale(f)), w.lodScene(f, c, p.Mesh.Step), f.key+" "+key
		out = append(out, got)
	}
	return out, true
}

// lodScene is a step of a climb in the frame of the outcome: its meshes where they stand, without
// the tree that holds them in the asset itself.
func (w *walk) lodScene(f frame, c *climbed, at int) *scene.Scene {
	s, look := f.scene, f.look
	out, _, _ := step(w, f.key, "lod", []any{c.key, at}, func(ctx context.Context, _ []any) (*scene.Scene, none) {
		meshes := make([]*scene.Mesh, len(s.Meshes))
		for i, m := range c.Meshes[at] {
			if meshes[i] = m; !look.mesh(i).IsIdentity() {
				meshes[i] = m.MappedIn(ctx, look.mesh(i))
			}
			if m.Name != s.Meshes[i].Name {
				own := *meshes[i]
				own.Name = s.Meshes[i].Name
				meshes[i] = &own
			}
		}
		return placesOf(ladder.Put(s, meshes)), none{}
	})
	return out
}

// placesOf is a scene of its nodes with a mesh alone, where they stand.
func placesOf(s *scene.Scene) *scene.Scene {
	out := s.Clone()
	out.Nodes, out.Meshes = nil, nil
	worlds := s.Worlds()
	at := map[int]int{}
	hidden := s.Unseen()
	for i, n := range s.Nodes {
		if n.Mesh < 0 || s.Meshes[n.Mesh].Empty() {
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
func (w *walk) hand(f frame) []lods.Hand {
	src := w.result.Source.Hand
	if len(src) == 0 {
		return nil
	}
	before, factor := w.result.stops[0].Scene, w.result.Size.Factor
	_, list, _ := step(w, f.key, "hand", len(src), func(ctx context.Context, _ int) (*scene.Scene, []lods.Hand) {
		var list []lods.Hand
		weight := &scene.Scene{}
		for _, h := range src {
			own := h.Scene.CarriedIn(ctx, f.placed)
			own.Basis = f.scene.Basis
			own.Materials, own.Textures, own.Images = f.scene.Materials, f.scene.Textures, f.scene.Images
			own = placesOf(own)
			list = append(list, lods.Hand{N: h.N, Scene: own, From: h.From * factor, Coverage: h.Coverage, Missing: h.Missing,
				Moved: moved(before, h.Scene, factor)})
			weight.Meshes = append(weight.Meshes, own.Meshes...)
		}
		return weight, list
	})
	return list
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
