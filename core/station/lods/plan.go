package lods

import (
	"context"
	"slices"

	"yarvek/core/measure/cost"
	"yarvek/core/measure/deviation"
	"yarvek/core/process/ladder"
	"yarvek/core/scene"
)

// From says where the mesh of a LOD comes from: a step of a climb, or what came along.
type From struct {
	Hand    int  `json:"hand,omitempty"` // number of one that came along
	Outside bool `json:"outside,omitempty"`
	Step    int  `json:"step,omitempty"`
}

// Placed is a LOD that has a place on the ladder.
type Placed struct {
	Mesh  From
	Wish  int     // number of the LOD that was asked for, from 0 on
	At    float64 // metres that it is wanted from, 0 for where it does not show
	Asked ladder.Wish
}

// Plan finds which meshes the LODs that are asked for have. One that is made and would be no
// coarser than the one before it is left out; the second list has their numbers. hand are the
// numbers of what came along, with the triangles of each; climbs may be nil where they are not
// needed.
func Plan(d Decisions, whole, outside *ladder.Climb, view ladder.View, allowed float64, seen ladder.Range, most int,
	hand []Counted) (
	list []Placed, left []int) {
	levels := d.InForce(numbers(hand))
	if d.Few {
		c := whole
		if c == nil {
			c = outside
		}
		if levels = nil; c == nil {
			return nil, nil
		}
		for _, w := range ladder.Few(c, view, allowed, seen, most) {
			levels = append(levels, Level{Wish: w})
		}
	}
	last := 0
	if whole != nil {
		last = whole.Triangles
	} else if outside != nil {
		last = outside.Triangles
	}
	for i, l := range levels {
		p := Placed{Wish: i, At: l.From, Asked: l.Wish}
		if l.Hand > 0 {
			p.Mesh = From{Hand: l.Hand}
			for _, h := range hand {
				if h.N == l.Hand {
					last = h.Triangles
				}
			}
			list = append(list, p)
			continue
		}
		c := whole
		if p.Mesh.Outside = d.Outside > 0 && i+1 >= d.Outside; p.Mesh.Outside {
			c = outside
		}
		k := -1
		switch {
		case c == nil:
		case l.Share > 0:
			k = c.Nearest(l.Share)
		case l.Triangles > 0:
			k = slices.IndexFunc(c.Steps, func(s ladder.Step) bool { return s.Triangles <= l.Triangles })
		case l.Deviation > 0:
			k = c.Within(l.Deviation)
		default:
			k = c.Within(allowed / view.NearAt(l.From))
		}
		if k < 0 || c.Steps[k].Triangles >= last && last > 0 {
			left = append(left, i)
			continue
		}
		p.Mesh.Step, last = k, c.Steps[k].Triangles
		list = append(list, p)
	}
	return list, left
}

// Counted is a LOD that came along, by its number and how many triangles it has.
type Counted struct{ N, Triangles int }

func numbers(hand []Counted) []int {
	list := make([]int, len(hand))
	for i, h := range hand {
		list[i] = h.N
	}
	return list
}

// Measured is what one LOD costs and how far it is from the asset itself. Lengths are metres.
type Measured struct {
	Cost      cost.Cost         `json:"cost"`
	Deviation deviation.Between `json:"deviation"`
	Outline   ladder.Apart      `json:"outline"`
	// Visible is the length by which it may show: what the climb says of a step, and the largest
	// deviation of what came along.
	Visible float64 `json:"visible"`
}

// samples are the points that deviations are measured by, on each surface.
const samples = 30_000

// Yardstick measures LODs against an asset.
type Yardstick struct {
	surface  *deviation.Surface
	outlines *ladder.Outlines
}

// NewYardstick is that of one asset. When ctx ends it returns early, and what it returns means
// nothing.
func NewYardstick(ctx context.Context, s *scene.Scene) *Yardstick {
	return &Yardstick{deviation.NewSurface(ctx, s), ladder.NewOutlines(ctx, s)}
}

// Measure is what a scene in the asset's place costs and how far off it is. It shows by its largest
// deviation.
func (y *Yardstick) Measure(ctx context.Context, less *scene.Scene) Measured {
	if less.Dotted() {
		return Measured{Cost: cost.OfScene(ctx, less)} // the climb tells how far its points are off
	}
	m := Measured{Cost: cost.OfScene(ctx, less), Deviation: y.surface.From(ctx, deviation.NewSurface(ctx, less), samples),
		Outline: y.outlines.Apart(ctx, y.outlines.Like(ctx, less))}
	m.Visible = m.Deviation.Worst().Max
	return m
}

// Stands takes of a step of a climb how much it shows, and how far points of clouds are from those that stay.
func (m *Measured) Stands(s ladder.Step) {
	if m.Visible = s.Visible; s.Off.Max > 0 {
		m.Deviation.There, m.Outline.Metres = s.Off, s.Off.Max
	}
}

// Times is the same of an asset k times as large.
func (m Measured) Times(k float64) Measured {
	m.Deviation = m.Deviation.Times(k)
	m.Outline.Metres *= k
	m.Visible *= k
	return m
}

// Fetched is a LOD with its scene, in the frame of the outcome.
type Fetched struct {
	Placed
	Measured
	Scene *scene.Scene
	Key   string // names the content of Scene and Measured: equal keys mean equal ones
	Hand  *Hand  // what came along with it, nil for one that was made
}

// Hand is a LOD that came along.
type Hand struct {
	N        int
	Scene    *scene.Scene // in the frame of the outcome
	From     float64      // metres that the file says it takes over at, 0 where it says none
	Coverage float64      // share of the screen's height, likewise
	Missing  []string     // names of nodes that have none of that number
	Moved    []Moved      // nodes whose origin is elsewhere than that of what they stand for
}

// Moved is a node that is off.
type Moved struct {
	Name string
	By   float64 // metres
}
