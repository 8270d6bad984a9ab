// Package ladder makes coarser meshes of an asset, measures what of each can be seen from where,
// and finds which of them should take over from one another.
//
// A [Climb] is a scene on its way down: the same scene of ever fewer triangles, with the length
// by which each may show. It knows nothing of distances. [Few], [Climb.Nearest] and [Climb.Within]
// put some of its steps on a ladder, by the pixels a length has at a [View]'s distance.
package ladder

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"yarvek/core/geom"
	"yarvek/core/measure/deviation"
	"yarvek/core/process/mend"
	"yarvek/core/process/simplify"
	"yarvek/core/queue"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/topo"
)

// Making says how coarser meshes are made. Its zero value is the usual way.
type Making struct {
	// Detail is how much normals, UVs and colours count beside the shape, in hundredths of the
	// usual: 0 for the usual, -1 for not at all.
	Detail     int  `json:"detail,omitempty"`
	KeepPoints bool `json:"keepPoints,omitempty"` // points stay where points were
	Borders    bool `json:"borders,omitempty"`    // points of open borders stay
	Mirrored   bool `json:"mirrored,omitempty"`   // halves that mirror one another stay so
	OfFirst    bool `json:"ofFirst,omitempty"`    // each step of the asset itself, instead of the one before
	// Weights are how much the faces of slots count, by the slot's name, in hundredths: 0 keeps
	// them as they are, 100 is the usual.
	Weights map[string]int `json:"weights,omitempty"`
	// Nodes are the same for parts, by the node's key; of several for one mesh the largest counts,
	// and 0 of any locks it.
	Nodes map[string]int `json:"nodes,omitempty"`
	// Angle, in degrees, makes normals anew, hard where faces turn by more; 0 keeps those carried.
	// Blend is the share of the new ones in hundredths, 0 for all.
	Angle float64 `json:"angle,omitempty"`
	Blend int     `json:"blend,omitempty"`
}

// Validate checks it; the error is for the person who asked.
func (m Making) Validate() error {
	switch {
	case m.Detail < -1 || m.Detail > 1000:
		return fmt.Errorf("a weight of %d %% can't be meant: expected up to 1000", m.Detail)
	case !(m.Angle >= 0 && m.Angle <= 180):
		return fmt.Errorf("an angle of %g° can't be meant: expected 0 to 180", m.Angle)
	case m.Blend < 0 || m.Blend > 100:
		return fmt.Errorf("a blend of %d %% can't be meant: expected 0 to 100", m.Blend)
	}
	for _, weights := range []map[string]int{m.Weights, m.Nodes} {
		for _, name := range slices.Sorted(maps.Keys(weights)) {
			if w := weights[name]; w < 0 || w > 10_000 {
				return fmt.Errorf("a weight of %d %% of “%s” can't be meant: expected 0 to 10000", w, name)
			}
		}
	}
	return nil
}

// Climb is a scene on its way down.
type Climb struct {
	Triangles int // of the scene, every instance counted; of a scene of clouds its points
	Steps     []Step
	Held      string          // why it came no farther; "" when hardly anything is left
	By        simplify.Holder `json:",omitzero"`
	Mirrored  bool            // all that was mirrored still is; only when that was asked for
}

// Step is the scene of fewer triangles than at the step before.
type Step struct {
	Triangles int
	Gone      int // bodies that were left out, each narrower than Visible
	// Visible is the length in metres by which it may show: no surface is farther from the one it
	// stands for, as far as sampled, and what was left out is no wider.
	Visible float64
	// Off is how far points of clouds are from those that stand for them.
	Off deviation.Figures `json:",omitzero"`
}

// How fine the steps are: the first has two thirds of a halving less of the triangles.
const (
	thirds    = 3            // steps to a halving
	mostSteps = 2 + 8*thirds // down to a five-hundredth
	fewest    = 8            // triangles of a body below which it is not tried
)

// mostUnits bounds how many bodies are brought down by themselves.
const mostUnits = 1 << 16

// unit is a body of a mesh on its way down, by itself.
type unit struct {
	mesh  int
	uses  int     // how often it stands in the scene
	scale float64 // metres of the mesh's lengths, at the largest of its uses
	steps []unitStep
	at    int // in steps
}

// unitStep is one of its meshes. The last one is nothing at all.
type unitStep struct {
	mesh    *scene.Mesh // nil for nothing
	tris    int
	visible float64 // metres; never less than at the step before
}

// Down makes a climb, and the meshes of each of its steps: as many as the scene has, in its order,
// one without a face where all of it was left out. shares are of the triangles, above 0 and below
// 1, that a step is wanted at exactly. progress, which may be nil, is told how far it is, from 0
// to 1. The outcome does not depend on processors. When ctx ends it returns early, and what it
// returns means nothing.
//
// Every body goes its own way, and what would show the least goes first, over all of them: small
// parts vanish when they are smaller than what shows anyway, and are not crumpled. The whole takes
// n log n steps of the triangles, and a sampling of each step.
func Down(ctx context.Context, s *scene.Scene, by Making, shares []float64, progress func(float64)) (*Climb,
	[][]*scene.Mesh) {
	if s.Dotted() {
		return downDots(ctx, s, shares, progress)
	}
	c := &Climb{Triangles: s.Count().Triangles}
	units, held, mirrored := unitsOf(ctx, s, by, shares, progress)
	if ctx.Err() != nil {
		return c, nil
	}
	c.Held, c.By, c.Mirrored = held.why, held.by, mirrored
	goals := goalsOf(c.Triangles, shares)
	var meshes [][]*scene.Mesh
	// Units by what their next step would show; equal ones in the order of the scene.
	q := queue.New(func(i, j int) bool {
		a, b := &units[i], &units[j]
		return cmp.Or(cmp.Compare(a.steps[a.at+1].visible, b.steps[b.at+1].visible), cmp.Compare(i, j)) < 0
	})
	left := len(units) // of which something is there
	for i := range units {
		if len(units[i].steps) > 1 {
			q.Put(i)
		}
	}
	total, shows, gone := 0, 0.0, 0
	for i := range units {
		total += units[i].uses * units[i].steps[0].tris
	}
	last := c.Triangles
	for _, goal := range goals {
		for total > goal && q.Len() > 0 {
			u := &units[q.All()[0]]
			to := u.steps[u.at+1]
			if to.mesh == nil {
				if left == 1 {
					q.Take() // the last of all stays
					continue
				}
				left--
				gone += u.uses
			}
			total -= u.uses * (u.steps[u.at].tris - to.tris)
			shows = max(shows, to.visible)
			if u.at++; u.at+1 < len(u.steps) {
				q.Sink()
			} else {
				q.Take()
			}
		}
		if total >= last {
			continue
		}
		last = total
		c.Steps = append(c.Steps, Step{Triangles: total, Gone: gone, Visible: shows})
		meshes = append(meshes, assembled(s, units))
	}
	if len(goals) > 0 && last <= goals[len(goals)-1] {
		c.Held, c.By = "", ""
	}
	return c, meshes
}

// goalsOf are the triangles that steps are wanted at, from the most down.
func goalsOf(n int, shares []float64) []int {
	var goals []int
	for k := range mostSteps {
		goals = append(goals, int(math.Round(math.Exp2(-float64(k+2)/thirds)*float64(n))))
	}
	for _, s := range shares {
		goals = append(goals, int(math.Round(s*float64(n))))
	}
	slices.Sort(goals)
	slices.Reverse(goals)
	goals = slices.Compact(goals)
	return slices.DeleteFunc(goals, func(g int) bool { return g < 1 || g >= n })
}

// assembled are the meshes of a scene with every unit as it is now.
func assembled(s *scene.Scene, units []unit) []*scene.Mesh {
	parts := make([][]*scene.Mesh, len(s.Meshes))
	for i := range units {
		if m := units[i].steps[units[i].at].mesh; m != nil {
			parts[units[i].mesh] = append(parts[units[i].mesh], m)
		}
	}
	out := make([]*scene.Mesh, len(s.Meshes))
	for i, m := range s.Meshes {
		switch len(parts[i]) {
		case 0:
			out[i] = &scene.Mesh{Name: m.Name, FaceStart: []int32{0}, Slots: m.Slots}
		case 1:
			out[i] = parts[i][0].WithSlots(m.Slots)
		default:
			out[i] = scene.Joined(m.Name, parts[i]).WithSlots(m.Slots)
		}
	}
	return out
}

// unitsOf brings every body of a scene down by itself.
func unitsOf(ctx context.Context, s *scene.Scene, by Making, shares []float64, progress func(float64)) (
	units []unit, held stopped, mirrored bool) {
	users, worlds := s.Users(), s.Worlds()
	keys := s.Keys()
	var bodies []*scene.Mesh
	for i, m := range s.Meshes {
		if len(users[i]) == 0 || m.Faces() == 0 {
			continue
		}
		scale := 0.0
		for _, n := range users[i] {
			scale = max(scale, stretch(worlds[n].M))
		}
		list := []*scene.Mesh{m}
		if part, n := m.Bodies(ctx); n > 1 && n <= mostUnits-len(units) && !by.Mirrored {
			list = m.Cut(part, n)
		}
		for _, b := range list {
			units = append(units, unit{mesh: i, uses: len(users[i]), scale: scale})
			bodies = append(bodies, b)
		}
	}
	whole := 0
	for _, b := range bodies {
		whole += b.Triangles()
	}
	var counting sync.Mutex
	sum := 0
	count := func(n int) {
		if progress == nil {
			return
		}
		counting.Lock()
		defer counting.Unlock()
		sum += n
		progress(float64(sum) / float64(max(1, whole)))
	}
	helds, kept := make([]stopped, len(units)), make([]bool, len(units))
	_ = split.Each(ctx, len(units), func(i int) {
		u := &units[i]
		weight := 1.0
		fixed := false
		for k, n := range users[u.mesh] {
			w, ok := by.Nodes[keys[n]]
			if !ok {
				w = 100
			}
			if fixed = fixed || w == 0; k == 0 || float64(w)/100 > weight {
				weight = float64(w) / 100
			}
		}
		u.steps, helds[i], kept[i] = descent{s, bodies[i], by, weight, fixed, u.scale}.down(ctx, shares)
		count(bodies[i].Triangles())
	})
	mirrored = by.Mirrored
	for i := range units {
		if held == (stopped{}) {
			held = helds[i]
		}
		mirrored = mirrored && kept[i]
	}
	return units, held, mirrored
}

// stretch is by how much a map lengthens the axis it lengthens most.
func stretch(m geom.Mat3) float64 {
	most := 0.0
	for k := range 3 {
		var e geom.Vec3
		e[k] = 1
		most = max(most, m.Apply(e).Len())
	}
	return most
}

// descent is one body on its way down.
type descent struct {
	of     *scene.Scene
	m      *scene.Mesh
	by     Making
	weight float64 // of all its faces
	fixed  bool    // it stays as it is
	scale  float64 // by how much its lengths are shorter than the scene's
}

// stopped is why a body came no farther.
type stopped struct {
	why string
	by  simplify.Holder
}

// down is the body itself, its steps, and nothing.
func (d descent) down(ctx context.Context, shares []float64) (steps []unitStep, held stopped, mirrored bool) {
	s, m, by, weight, scale := d.of, d.m, d.by, d.weight, d.scale
	n := m.Triangles()
	steps = []unitStep{{m, n, 0}}
	if d.fixed {
		return steps, stopped{why: "parts that are locked"}, true
	}
	o, locked := by.options(s, m, weight)
	var goals []int
	for _, g := range goalsOf(n, shares) {
		if g >= fewest {
			goals = append(goals, g)
		}
	}
	var results []simplify.Result
	if !by.OfFirst {
		for now, i := m, 0; i < len(goals); i++ {
			o, _ := by.options(s, now, weight)
			o.Triangles = goals[i]
			results = append(results, simplify.Of(ctx, now, o))
			now = results[i].Mesh
		}
	} else {
		results = simplify.Steps(ctx, m, o, goals)
	}
	if ctx.Err() != nil {
		return steps, stopped{}, false
	}
	whole := deviation.NewMeshSurface(ctx, m)
	samples := min(8_000, max(200, n))
	shows, last := 0.0, n
	mirrored = true
	for _, r := range results {
		held = stopped{r.Why, r.By}
		if r.Out >= last || r.Out == 0 {
			continue // not a step: it says nothing of halves
		}
		last = r.Out
		if by.Mirrored {
			mirrored = mirrored && r.Mirrored
		}
		is := whole.Farthest(ctx, deviation.NewMeshSurface(ctx, r.Mesh), samples)
		if shows = max(shows, is*scale); ctx.Err() != nil {
			return steps, stopped{}, false
		}
		steps = append(steps, unitStep{Shaded(ctx, r.Mesh, by), r.Out, shows})
	}
	if !locked {
		steps = append(steps, unitStep{nil, 0, max(shows, width(ctx, m)*scale)})
	}
	return steps, held, mirrored
}

// width is how wide a mesh is where it is widest, along its length: the second side of its tight
// box. A bar is seen as long as it is a pixel wide.
func width(ctx context.Context, m *scene.Mesh) float64 {
	pts := make([]geom.Vec3, len(m.Corners))
	for i, p := range m.Corners {
		pts[i] = m.Points[p]
	}
	_, size := geom.HullOf(ctx, pts).TightBox(ctx)
	return size[1]
}

// options are those for one mesh, and whether any of its faces may not be touched.
func (by Making) options(s *scene.Scene, m *scene.Mesh, weight float64) (o simplify.Options, locked bool) {
	o = simplify.Options{KeepPoints: by.KeepPoints, Borders: by.Borders, Mirrored: by.Mirrored,
		Detail: float64(by.Detail) / 100}
	switch by.Detail {
	case 0:
		o.Detail = simplify.Usual.Detail
	case -1:
		o.Detail = 0
	}
	if len(by.Weights) == 0 && weight == 1 {
		return o, false
	}
	at := make([]float64, max(1, len(m.Slots)))
	for k := range at {
		name := scene.NoSlot
		if k < len(m.Slots) && m.Slots[k] >= 0 {
			name = s.Materials[m.Slots[k]].Name
		}
		at[k] = weight
		if w, ok := by.Weights[name]; ok {
			at[k] *= float64(w) / 100
		}
	}
	slot := func(f int) int {
		if m.Slot == nil {
			return 0
		}
		return int(m.Slot[f])
	}
	o.Weight = func(f int) float64 { return max(at[slot(f)], 1e-3) }
	o.Locked = func(f int) bool { return at[slot(f)] == 0 }
	for f := range m.Faces() {
		locked = locked || o.Locked(f)
	}
	return o, locked
}

// Shaded is a mesh with the normals that are wanted; itself where those it has are kept.
func Shaded(ctx context.Context, m *scene.Mesh, by Making) *scene.Mesh {
	if by.Angle <= 0 {
		return m
	}
	blend := 1.0
	if by.Blend > 0 {
		blend = float64(by.Blend) / 100
	}
	places := topo.Places(ctx, m.Points, 0)
	net := topo.Of(ctx, m, places, func(f int) bool { return m.FaceNormal(f) != (geom.Vec3{}) })
	out, _ := mend.Smooth(ctx, m, net, mend.Smoothing{By: mend.ByAngle, Angle: by.Angle, Blend: blend})
	return out
}

// Put is a scene with other meshes in the place of its own, in its order; nodes whose mesh has no
// face place none.
func Put(s *scene.Scene, meshes []*scene.Mesh) *scene.Scene {
	out := s.Clone()
	out.Meshes = meshes
	for i := range out.Nodes {
		if n := &out.Nodes[i]; n.Mesh >= 0 && meshes[n.Mesh].Empty() {
			n.Mesh, n.Kind = -1, scene.KindEmpty
		}
	}
	return out
}
