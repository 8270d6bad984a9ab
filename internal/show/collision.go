package show

import (
	"context"
	"fmt"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/station/collision"
	"yarvek/internal/draft"
)

// collisionFace hatches the shapes and colours the gap.
var collisionFace = face{
	id:     collision.Info.ID,
	ask:    draft.Ask{Ground: true},
	layers: func(v view) []draft.Layer { return []draft.Layer{solidsOf(v)} },
	outline: func(ctx context.Context, b *Board, now, then view) (draft.Ghost, error) {
		r := then.Result.Collision
		points, _ := r.Total()
		g := draft.Ghost{Box: now.box, Say: fmt.Sprintf("%s of %s then", figure.Plural(len(r.Shapes), "shape", "shapes"),
			figure.Plural(points, "point", "points"))}
		if r.Pending {
			g.Say = "It would be fitted then, which takes a while"
		} else if k := r.Ratio(); k > 0 && len(r.Shapes) > 0 {
			g.Say += fmt.Sprintf(", %s times the mesh’s volume", figure.Significant(k, 3))
		}
		return g, nil
	},
}

// solidsOf is the shapes of a view in the frame of the paper.
func solidsOf(v view) draft.Solids {
	r := v.Result.Collision
	var s draft.Solids
	place := func(p geom.Vec3) geom.Vec3 { return v.paper.Apply(p) }
	mirrored := v.paper.Det() < 0
	for i, x := range r.Shapes {
		body := x.Form.Convex
		d := draft.Solid{ID: x.ID, Letter: x.Letter, Name: fmt.Sprintf("Shape %s, a %s round %s", x.Letter, x.Kind(), x.Name),
			Faces: body.Faces}
		for _, p := range body.Points {
			d.Points = append(d.Points, place(p))
		}
		s.List = append(s.List, d)
		if i >= len(r.Gap.Shapes) {
			continue
		}
		// Of each face the triangles it was cut into were measured, in order.
		k := 0
		for _, f := range body.Faces {
			for j := 1; j+1 < len(f); j++ {
				if k < len(r.Gap.Shapes[i]) && float64(r.Gap.Shapes[i][k]) > r.AirMost {
					s.Air = append(s.Air, patch(mirrored, d.Points[f[0]], d.Points[f[j]], d.Points[f[j+1]]))
				}
				k++
			}
		}
	}
	t := 0
	if len(r.Gap.Faces) > 0 && r.Gap.Out.Max > r.Limit {
		for _, m := range v.stop.Scene.Flattened().Meshes {
			m.EachTriangle(func(_ int, a, b, c int32) {
				if t < len(r.Gap.Faces) && float64(r.Gap.Faces[t]) > r.Limit {
					s.Out = append(s.Out, patch(mirrored, place(m.Points[m.Corners[a]]), place(m.Points[m.Corners[b]]),
						place(m.Points[m.Corners[c]])))
				}
				t++
			})
		}
	}
	for _, w := range r.Ways {
		d := draft.Way{Open: w.Open, Say: "open", Radius: r.Keep.Radius, Height: r.Keep.Height}
		if !w.Open {
			d.Say = "filled"
		}
		for _, p := range w.Path {
			d.Path = append(d.Path, place(p))
		}
		s.Ways = append(s.Ways, d)
	}
	if len(r.Shapes) > 0 && !r.Pending {
		s.OutSay = "sticks out by more than " + figure.Length(r.Limit)
		s.AirSay = "air filled by more than " + figure.Length(r.AirMost)
	}
	return s
}

// patch is a triangle, its corners anticlockwise seen from outside on the paper.
func patch(mirrored bool, a, b, c geom.Vec3) draft.Patch {
	if mirrored {
		b, c = c, b
	}
	return draft.Patch{a, b, c}
}
