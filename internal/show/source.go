package show

import (
	"context"
	"fmt"
	"slices"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station/source"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// sourceFace shows what goes on in ink and what is left behind as dashed outline.
var sourceFace = face{
	id: source.Info.ID,
	layers: func(v view) []draft.Layer {
		var left draft.Left
		for _, n := range v.Result.Source.Nodes {
			if !n.Kept && n.Triangles > 0 {
				left.Boxes = append(left.Boxes, n.Box.Carried(v.paper))
			}
		}
		return []draft.Layer{left}
	},
	// Nodes go or come; nothing is redrawn, since what stays does not move. What is cropped
	// or taken apart is outlined as it would be.
	outline: func(ctx context.Context, b *Board, now, then view) (draft.Ghost, error) {
		var g draft.Ghost
		if now.Result.Came != then.Result.Came && !slices.Equal(now.Result.Survey.Keys, then.Result.Survey.Keys) ||
			len(now.Prep.Source.Crop) != len(then.Prep.Source.Crop) {
			views, err := b.outlines(ctx, then, now.layout.Scale)
			if err != nil {
				return g, err
			}
			is := then.Result.Source
			return draft.Ghost{Views: &views, Box: then.box, Say: fmt.Sprintf("It would be %s of %s",
				figure.Plural(is.Kept, "mesh", "meshes"), figure.Plural(is.Out.Triangles, "triangle", "triangles"))}, nil
		}
		gone, come := 0, 0
		for i, n := range now.Result.Source.Nodes {
			k := then.Result.Source.Nodes[i].Kept
			if k == n.Kept || n.Triangles == 0 {
				continue
			}
			g.Boxes = append(g.Boxes, n.Box.Carried(now.paper))
			if k {
				come++
			} else {
				gone++
			}
		}
		switch {
		case gone > 0:
			g.Say = figure.Plural(gone, "node would stay behind", "nodes would stay behind")
		case come > 0:
			g.Say = figure.Plural(come, "node would go on", "nodes would go on")
		default:
			g.Say = fmt.Sprintf("Nothing moves: %s, %s then", figure.Plural(then.Result.Source.Out.Instances, "mesh", "meshes"),
				figure.Plural(then.stop.Scene.DrawCalls(), "draw call", "draw calls"))
		}
		return g, nil
	},
}

// Boxed is a rectangle drawn on a view of Source, in metres of the scene as it stands there
// and was read: lower and upper along the two axes of the view. On the plan these are to the
// viewer's right and to the front.
type Boxed struct {
	View source.CropView `json:"view"`
	Area [4]float64      `json:"area"`
	Deep float64         `json:"deep"` // where the middle one of all points within it is along the view, likewise
}

// Area turns a rectangle drawn on Source's paper into a box of its view.
func Area(o *work.Opened, x0, y0, x1, y1 float64) (Boxed, error) {
	v, err := look(o, source.Info.ID, 0)
	if err != nil {
		return Boxed{}, err
	}
	side, a := v.layout.Area(v.box, x0, y0, x1, y1)
	b := Boxed{View: cropViews[side]}
	// Decisions go by the scene as it was read, the drawing shows it moved.
	m := v.paper.Apply(v.Prep.Source.Move)
	for k, axis := range b.View.Axes() {
		b.Area[k], b.Area[2+k] = a[k]+m[axis], a[2+k]+m[axis]
	}
	b.Deep = depth(v, b.View, a) + m[b.View.Depth()]
	return b, nil
}

// cropViews are the views of the paper as decisions name them.
var cropViews = map[draft.Side]source.CropView{draft.Plan: source.OnPlan, draft.Front: source.OnFront,
	draft.RightSide: source.OnSide}

// depth is where the middle one of the points within an area of a view is along it; the middle of all without any.
func depth(v view, on source.CropView, a [4]float64) float64 {
	axes, deep := on.Axes(), on.Depth()
	var list []float64
	take := func(p geom.Vec3) {
		if x, y := p[axes[0]], p[axes[1]]; x >= a[0] && x <= a[2] && y >= a[1] && y <= a[3] {
			list = append(list, p[deep])
		}
	}
	s := v.stop.Scene
	for i, w := range s.Worlds() {
		if s.Nodes[i].Mesh < 0 {
			continue
		}
		m, onto := s.Meshes[s.Nodes[i].Mesh], geom.Linear(v.paper).Mul(w)
		for _, p := range m.Points {
			take(onto.Apply(p))
		}
		if m.Cloud != nil {
			for _, p := range m.Cloud.Points {
				take(onto.Apply(p))
			}
		}
	}
	if len(list) == 0 {
		return v.box.Center()[deep]
	}
	slices.Sort(list)
	return list[len(list)/2]
}

// Round turns places of Source's paper into what is drawn round on the view that their middle is on.
func Round(o *work.Opened, places [][2]float64) (source.Crop, error) {
	v, err := look(o, source.Info.ID, 0)
	if err != nil {
		return source.Crop{}, err
	}
	view, list := v.alongView(places)
	m := v.paper.Apply(v.Prep.Source.Move)
	axes := view.Axes()
	for i := range list {
		list[i][0], list[i][1] = list[i][0]+m[axes[0]], list[i][1]+m[axes[1]]
	}
	c := source.Drawn(list)
	c.View = view
	return c, fault.From(fault.Invalid, c.Validate())
}

// alongView is the view that the middle of places of the paper is on, and where they are along its two axes.
func (v view) alongView(places [][2]float64) (on source.CropView, list [][2]float64) {
	var middle [2]float64
	for _, p := range places {
		middle[0], middle[1] = middle[0]+p[0]/float64(len(places)), middle[1]+p[1]/float64(len(places))
	}
	side := v.layout.On(v.box, middle[0], middle[1])
	for _, p := range places {
		list = append(list, v.layout.Along(side, v.box, p[0], p[1]))
	}
	return cropViews[side], list
}
