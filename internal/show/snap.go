package show

import (
	"context"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/station/collision"
	"yarvek/internal/work"
)

// Dragged is a shape of Collision that somebody drags, in the frame of the paper: x to the right of the front view, y
// up, z toward the viewer; metres.
type Dragged struct {
	Shape string
	Grip  [3]int    // the sides that are dragged, -1 the lower and 1 the upper; all 0 for the shape as a whole
	By    geom.Vec3 // how far
	Free  [3]bool   // the axes it goes along
	Reach float64
}

// Caught is where a drag comes to and what holds it there.
type Caught struct {
	By  geom.Vec3 `json:"by"`
	Say string    `json:"say"`
	// Lines are what it snapped to, from one place of the paper to another, in each view.
	Lines [][3][2][2]float64 `json:"lines"`
}

// Snap is where a drag comes to. The error is a *fault.Error.
func (b *Board) Snap(ctx context.Context, o *work.Opened, d Dragged) (Caught, error) {
	v, err := look(o, collision.Info.ID, 0)
	if err != nil {
		return Caught{}, err
	}
	kept, err := b.anchors.Get(ctx, v.standing(), func(ctx context.Context) (*collision.Anchors, error) {
		m, err := b.model(ctx, v)
		if err != nil {
			return nil, err
		}
		return collision.AnchorsOf(m.EachTriangle, m.Creases(ctx)), ctx.Err()
	})
	if err != nil {
		return Caught{}, err
	}
	a := *kept
	a.Grid = collision.GridOf(o.Kit.Grid)
	drag := collision.Drag{Grip: d.Grip, By: d.By, Free: d.Free, Reach: d.Reach}
	for _, s := range v.Result.Collision.Shapes {
		points := make([]geom.Vec3, len(s.Form.Convex.Points))
		for i, p := range s.Form.Convex.Points {
			points[i] = v.paper.Apply(p)
		}
		if s.ID == d.Shape {
			drag.Points = points
		} else {
			a.Others = append(a.Others, collision.Other{Name: "shape " + s.Letter, Points: points})
		}
	}
	if drag.Points == nil {
		return Caught{}, fault.Input("there is no shape %s any more", fault.Shown(d.Shape))
	}
	got := a.Snap(drag)
	c := Caught{By: got.By}
	var to []string
	for _, t := range got.To {
		to = append(to, t.Say)
		from, end := v.layout.Places(v.box, t.Ends[0]), v.layout.Places(v.box, t.Ends[1])
		var line [3][2][2]float64
		for side := range from {
			line[side] = [2][2]float64{from[side], end[side]}
		}
		c.Lines = append(c.Lines, line)
	}
	if to = slices.Compact(to); len(to) > 0 {
		c.Say = "onto " + strings.Join(to, " and ")
	}
	return c, nil
}

// Around is what is drawn round on the paper of Collision. The error is a *fault.Error.
func Around(o *work.Opened, places [][2]float64) (collision.Round, error) {
	v, err := look(o, collision.Info.ID, 0)
	if err != nil {
		return collision.Round{}, err
	}
	view, along := v.alongView(places)
	list := make([]geom.Vec2, len(along))
	for i, p := range along {
		list[i] = p
	}
	m, t, x, y, z := v.onPaper.M, v.onPaper.T, view.Axes()[0], view.Axes()[1], view.Depth()
	to := geom.Affine{M: geom.Mat3{m[x], m[y], m[z]}, T: geom.Vec3{t[x], t[y], t[z]}}
	r, err := collision.DrawnRound(string(view), list, to)
	if err != nil {
		return r, fault.Input("%s", err)
	}
	return r, nil
}
