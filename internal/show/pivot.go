package show

import (
	"context"

	"yarvek/core/station/pivot"
	"yarvek/internal/draft"
)

// pivotFace shows the datum, and the places where it can be seated.
var pivotFace = face{
	id:  pivot.Info.ID,
	ask: draft.Ask{Ground: true, Bare: true},
	layers: func(v view) []draft.Layer {
		seats := draft.Seats{Now: pivot.BaseCentre.Box}
		if v.Prep.Pivot.Place == pivot.OnBox {
			seats.Now = v.Prep.Pivot.Box
		}
		return append([]draft.Layer{seats}, seated(v, true)...)
	},
	// What changes is where the pivot is on the mesh, so the mesh stays and the datum
	// moves.
	outline: func(_ context.Context, _ *Board, now, then view) (draft.Ghost, error) {
		back, ok := then.onPaper.Inverse()
		if !ok {
			return draft.Ghost{}, nil // without extent there is no place on it
		}
		onto := now.onPaper.Mul(back)
		at := onto.Apply(then.paper.Apply(then.Result.Pivot.Origin))
		g := draft.Ghost{Datum: &at, Say: "The pivot would lie " + then.Result.Pivot.Where.String()}
		for _, m := range then.Result.Pivot.Markers {
			g.Points = append(g.Points, onto.Apply(then.paper.Apply(m.Place)))
		}
		return g, nil
	},
}

// seated shows the markers, the pivot with its heading, and with parts those of the
// single parts.
func seated(v view, parts bool) []draft.Layer {
	var list []draft.Layer
	p := v.Result.Pivot
	d := draft.Datum{At: v.paper.Apply(p.Origin)}
	if v.Prep.Pivot.Under {
		d.Heading = p.Heading
	}
	for _, m := range p.Markers {
		// A mesh that moved onto the origin has turned by the pivot's heading.
		h := m.Heading
		if !v.Prep.Pivot.Under {
			h -= p.Heading
		}
		list = append(list, draft.Marker{Name: m.Name, At: v.paper.Apply(m.Place), Heading: h})
	}
	if parts && len(p.Parts) > 1 {
		for _, part := range p.Parts {
			d.Parts = append(d.Parts, v.paper.Apply(part.Origin))
		}
	}
	return append(list, d)
}
