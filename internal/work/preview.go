package work

import (
	"context"
	"fmt"
	"sync"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/internal/draft"
)

// views draws a scene from its three sides, or takes the drawing from the cache.
func (d *Desk) views(s *scene.Scene, key string, scale float64) ([3]draft.View, error) {
	return cached(d, "views", fmt.Sprintf("%s %g", key, scale), func() ([3]draft.View, error) {
		m := d.models.get(key, s)
		var v [3]draft.View
		var wg sync.WaitGroup
		for side := range v {
			wg.Go(func() { v[side] = m.Draw(draft.Side(side), scale) })
		}
		wg.Wait()
		return v, nil
	})
}

// after runs the stations with another prep over the same revision.
func (d *Desk) after(ctx context.Context, sh *Sheet, p prep.Prep) (*Sheet, error) {
	src, err := d.source(ctx, sh.Revision)
	if err != nil {
		return nil, err
	}
	next := *sh
	next.Prep = p
	next.Result, err = d.run(ctx, sh.Kit, sh.Revision, src, p)
	return &next, err
}

// Preview draws what a prep would make of an asset over the station's drawing, as
// dashed outline: nothing is decided by it.
func (d *Desk) Preview(ctx context.Context, sh *Sheet, station string, height float64, p prep.Prep) (string, error) {
	if err := p.Validate(); err != nil {
		return "", inputError("%v", err)
	}
	next, err := d.after(ctx, sh, p)
	if err != nil {
		return "", err
	}
	box, lay := sh.layout(station, height)
	g := draft.Ghost{}
	now, then := sh.Result, next.Result
	switch station {
	case "source":
		paper := now.Read.Basis.To(geom.GLTF)
		gone, come := 0, 0
		for i, n := range now.Source.Nodes {
			if k := then.Source.Nodes[i].Kept; k != n.Kept && n.Triangles > 0 {
				g.Boxes = append(g.Boxes, n.Box.Carried(paper))
				if k {
					come++
				} else {
					gone++
				}
			}
		}
		switch {
		case gone > 0:
			g.Say = figure.Plural(gone, "node would stay behind", "nodes would stay behind")
		case come > 0:
			g.Say = figure.Plural(come, "node would go on", "nodes would go on")
		default:
			g.Say = fmt.Sprintf("Nothing moves: %s, %s then", figure.Plural(then.Source.Out.Instances, "mesh", "meshes"), figure.Plural(then.Kept.DrawCalls(), "draw call", "draw calls"))
		}
	case "pivot":
		// What changes is where the pivot is on the mesh, so the mesh stays and the
		// datum moves.
		back, ok := next.toShown(station).Inverse()
		if !ok {
			break
		}
		onto := sh.toShown(station).Mul(back)
		paper := then.Ready.Basis.To(geom.GLTF)
		at := onto.Apply(paper.Apply(then.Pivot.Origin))
		g.Datum = &at
		for _, m := range then.Pivot.Markers {
			g.Points = append(g.Points, onto.Apply(paper.Apply(m.Place)))
		}
		g.Say = "The pivot would lie " + then.Pivot.Where
	case "size", "axes":
		s, key := next.Shown(station)
		views, err := d.views(s, key, lay.Scale)
		if err != nil {
			return "", err
		}
		g.Views = &views
		g.Box = next.box(station).Carried(s.Basis.To(geom.GLTF))
		g.Shift = foot(box).Sub(foot(g.Box))
		z := g.Box.Size()
		g.Say = fmt.Sprintf("It would measure %s wide, %s high, %s deep", figure.Length(z[0]), figure.Length(z[1]), figure.Length(z[2]))
	}
	return draft.Outlined(lay, box, g), nil
}

// foot is the middle of a box's base, in the frame of the paper.
func foot(b geom.Box) geom.Vec3 {
	c := b.Center()
	if !b.IsEmpty() {
		c[1] = b.Min[1]
	}
	return c
}

// RemedyPrep is the prep with a finding's remedy in it.
func (sh *Sheet) RemedyPrep(station, code string, n int) (prep.Prep, error) {
	r, err := sh.remedy(station, code, n)
	if err != nil {
		return sh.Prep, err
	}
	return sh.Prep.With(r.Decision)
}
