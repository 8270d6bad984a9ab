package show

import (
	"context"
	"fmt"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/measure/uv"
	"yarvek/core/station/budget"
	"yarvek/core/station/surface"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// surfaceFace marks flaws where they are.
var surfaceFace = face{
	id:  surface.Info.ID,
	ask: draft.Ask{Ground: true},
	layers: func(v view) []draft.Layer {
		r := v.Result.Surface
		class := map[string]string{}
		for _, f := range r.Findings() {
			class[strings.TrimPrefix(f.Code, surface.Info.ID+"/")] = draft.SeverityClass(f.Severity)
		}
		var list draft.Flaws
		// what matters first, as far as marks go
		for _, sev := range []finding.Severity{finding.MustFix, finding.Look, finding.Note} {
			for _, m := range r.Marked() {
				if class[string(m.Sort)] != draft.SeverityClass(sev) || m.Sort == surface.Unjoined {
					continue // points that formats split are everywhere along seams
				}
				at := make([]geom.Vec3, len(m.At))
				for i, p := range m.At {
					at[i] = v.paper.Apply(p)
				}
				list = append(list, draft.Flaw{At: at, Class: class[string(m.Sort)], Open: len(at) == 2})
			}
		}
		return []draft.Layer{list}
	},
	outline: func(ctx context.Context, b *Board, now, then view) (draft.Ghost, error) {
		g := draft.Ghost{Box: now.box}
		var said []string
		for _, d := range then.Result.Surface.Done {
			if d.Count > 0 {
				said = append(said, d.Say())
			}
		}
		if g.Say = strings.Join(said, "; "); g.Say == "" {
			g.Say = "Nothing would change"
		}
		if then.box == now.box {
			return g, nil
		}
		views, err := b.outlines(ctx, then, now.layout.Scale)
		g.Views, g.Box = &views, then.box
		return g, err
	},
}

// budgetFace shades by how dense the triangles are.
var budgetFace = face{
	id:     budget.Info.ID,
	ask:    draft.Ask{Ground: true},
	layers: func(view) []draft.Layer { return []draft.Layer{draft.DensityScale{}} },
	outline: func(ctx context.Context, b *Board, now, then view) (draft.Ghost, error) {
		views, err := b.outlines(ctx, then, now.layout.Scale)
		was, is := now.Result.Budget.Cost, then.Result.Budget.Cost
		return draft.Ghost{Views: &views, Box: then.box, Say: fmt.Sprintf("%s and %s then, against %s and %s",
			figure.Plural(is.Triangles, "triangle", "triangles"), figure.Plural(is.Vertices, "vertex", "vertices"),
			figure.Count(was.Triangles), figure.Count(was.Vertices))}, err
	},
	dense: true,
}

// UVs draws the layout of a UV set of a station's scene, all meshes together.
func (b *Board) UVs(ctx context.Context, o *work.Opened, id string, set int) ([]byte, error) {
	stop, err := o.Result.Stop(id)
	if err != nil {
		return nil, err
	}
	return work.Derive(ctx, b.desk.Derived, "uvs", fmt.Sprintf("%s %d", stop.Key, set),
		func(ctx context.Context) ([]byte, error) {
			var all uv.ByMaterial
			for i, users := range stop.Scene.Users() {
				if len(users) > 0 {
					uv.Triangles(stop.Scene.Meshes[i], set, &all)
				}
			}
			return draft.UVSheet(ctx, all.Lists)
		})
}
