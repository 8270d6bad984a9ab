package show

import (
	"context"
	"fmt"

	"yarvek/core/figure"
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
	// Nodes go or come; nothing is redrawn, since what stays does not move.
	outline: func(_ context.Context, _ *Board, now, then view) (draft.Ghost, error) {
		var g draft.Ghost
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

// Area turns a rectangle drawn on Source's plan into the sideways and frontward extents
// that a rule keeps: right, forward, right, forward as read, in metres.
func Area(o *work.Opened, x0, y0, x1, y1 float64) ([4]float64, error) {
	v, err := look(o, source.Info.ID, 0)
	if err != nil {
		return [4]float64{}, err
	}
	a := v.layout.Area(v.box, x0, y0, x1, y1)
	// The paper's x runs to the viewer's right, which is the asset's own left; rules go
	// by the scene as read, the drawing shows it moved.
	m := o.Result.Read.Basis.ToView().Apply(o.Prep.Source.Move)
	return [4]float64{m[0] - a[2], m[2] + a[1], m[0] - a[0], m[2] + a[3]}, nil
}
