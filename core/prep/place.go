package prep

import (
	"context"
	"fmt"

	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/axes"
	"yarvek/core/station/export"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/source"
	"yarvek/core/target"
)

// arrive is the frame that comes to Source: what was read, cropped and taken apart as decided.
func (w *walk) arrive() frame {
	f := frame{scene: w.in.Scene, key: fmt.Sprintf("rules %d\n%s", Rules, w.in.Key), placed: geom.Identity}
	cut := source.Decisions{Split: w.p.Source.Split, Crop: w.p.Source.Crop, Grid: w.p.Source.Grid,
		Divide: w.p.Source.Divide}
	if len(cut.Split)+len(cut.Crop) == 0 && cut.Grid == 0 && cut.Divide == 0 {
		w.result.Came = source.TakeApart(w.ctx, f.scene, cut) // all of it, which needs no keeping
	} else {
		read := f.scene
		_, w.result.Came, f.key = step(w, f.key, "came", cut,
			func(ctx context.Context, cut source.Decisions) (*scene.Scene, *source.Came) {
				c := source.TakeApart(ctx, read, cut)
				return c.Scene, c
			})
	}
	f.scene, w.came = w.result.Came.Scene, f.key
	return f
}

// source chooses what of it the asset is.
func (w *walk) source(f frame) (frame, station.Report) {
	r := w.result
	names := w.in.Target.Names
	// all of it that is looked by
	words := target.Target{Names: target.Names{Rules: names.Rules, LOD: names.LOD, Solid: names.Solid},
		Solids: w.in.Target.Solids}
	r.Survey, f.key = aside(w, f.key, "survey", words, func(ctx context.Context, t target.Target) *source.Survey {
		return source.Look(ctx, r.Came.Scene, t)
	})
	asked := asking[source.Decisions, source.Ask]{w.p.Source,
		source.Ask{Read: w.in.Findings, Revision: w.in.Revision, Counts: w.in.Scene.Count()}}
	f.scene, r.Source, f.key = step(w, f.key, source.Info.ID, asked,
		func(ctx context.Context, a asking[source.Decisions, source.Ask]) (*scene.Scene, *source.Report) {
			return source.Run(ctx, r.Came, r.Survey, a.Ask, a.D)
		})
	f.box = r.Source.Box
	return f, r.Source
}

// size makes it as large as it is.
func (w *walk) size(f frame) (frame, station.Report) {
	r, kept := w.result, f.scene
	asked := asking[size.Decisions, size.Ask]{w.p.Size, size.Ask{Grid: w.in.Grid, Classes: w.in.Target.Sizes(),
		Stand: w.standing(kept)}}
	f.scene, r.Size, f.key = step(w, f.key, size.Info.ID, asked,
		func(ctx context.Context, a asking[size.Decisions, size.Ask]) (*scene.Scene, *size.Report) {
			return size.Run(ctx, kept, a.D, a.Ask)
		})
	f.box, f.placed = r.Size.Box, geom.Linear(geom.Identity3.Scaled(r.Size.Factor))
	return f, r.Size
}

// standing takes directions of a scene that is not turned yet to glTF's basis, as it is decided to stand.
func (w *walk) standing(s *scene.Scene) geom.Mat3 { return axes.Stand(s.Basis, w.p.Axes, geom.GLTF) }

// axes turns it the way it stands.
func (w *walk) axes(f frame) (frame, station.Report) {
	r, scaled := w.result, f.scene
	kept := r.stops[0]
	flats, _ := aside(w, kept.Key, "flats", none{}, func(ctx context.Context, _ none) axes.Flats {
		return axes.FlatsOf(ctx, kept.Scene)
	})
	asked := asking[axes.Decisions, geom.Basis]{w.p.Axes, w.in.Target.Basis}
	f.scene, r.Axes, f.key = step(w, f.key, axes.Info.ID, asked,
		func(ctx context.Context, a asking[axes.Decisions, geom.Basis]) (*scene.Scene, *axes.Report) {
			return axes.Run(ctx, scaled, a.D, a.Ask, axes.Ask{Flats: flats, Factor: r.Size.Factor, Box: r.Size.Box,
				Body: r.Size.Body()})
		})
	f.box, f.placed = r.Axes.Box, r.Axes.Map.Mul(f.placed)
	return f, r.Axes
}

// upright has the stops before Axes stand as it does, now that it is known how: in the box of the outcome, where it
// was before it was dropped to the ground and was scaled.
func (w *walk) upright() {
	r := w.result
	box := r.Axes.Box.Shifted(r.Axes.Map.T.Mul(-1)).Carried(w.in.Target.Basis.To(geom.GLTF))
	stand := w.standing(r.stops[0].Scene)
	for i, by := range []float64{1 / r.Size.Factor, 1} {
		s := &r.stops[i]
		s.Stand, s.Letters, s.Standing = stand, r.Axes.Decided, box.Carried(geom.Identity3.Scaled(by))
	}
}

// pivot moves it to where it turns.
func (w *walk) pivot(f frame) (frame, station.Report) {
	r, stood := w.result, f.scene
	asked := asking[pivot.Decisions, pivot.Ask]{w.p.Pivot, pivot.Ask{Stood: r.Axes.Map, Source: f.placed,
		Grid: w.in.Grid, Module: r.Size.Class.Module, Place: w.in.Target.Pivot.Place}}
	f.scene, r.Pivot, f.key = step(w, f.key, pivot.Info.ID, asked,
		func(ctx context.Context, a asking[pivot.Decisions, pivot.Ask]) (*scene.Scene, *pivot.Report) {
			a.Ask.Body = r.Size.Body()
			return pivot.Run(ctx, stood, a.D, a.Ask)
		})
	f.box, f.placed = r.Pivot.Box, r.Pivot.Map.Mul(f.placed)
	return f, r.Pivot
}

// export puts together what leaves.
func (w *walk) export(f frame) (frame, station.Report) {
	r, p := w.result, w.p
	r.Delivery = scene.Delivery{Scene: f.scene, Collision: r.Collision.Delivered(), Markers: r.Pivot.Delivered(),
		Sights: scene.CarriedSights(r.stops[0].Scene.Sights, f.placed),
		Vanish: p.LODs.Vanish,
		Fade:   float64(p.LODs.Fade) / 100, NamePictures: p.Slots.Pictures.Names}
	for i, l := range r.LODs.LODs[1:] {
		r.Delivery.LODs = append(r.Delivery.LODs, scene.LOD{Scene: r.Slots.LODs[i], From: l.From, Screen: l.Screen})
	}
	mustFix, _ := r.Open()
	r.Export = export.Run(p.Export, export.Ask{MustFix: mustFix, Scene: f.scene, Target: w.in.Target, Pending: r.Pending(),
		LODs: len(r.Delivery.LODs), Shapes: len(r.Delivery.Collision), Markers: len(r.Delivery.Markers),
		Cameras: sights(r.Delivery.Sights, true), Lights: sights(r.Delivery.Sights, false)})
	f.box = r.Surface.Box
	return f, r.Export
}

// sights counts the cameras among sights, or the lights.
func sights(list []scene.Sight, cameras bool) (n int) {
	for _, s := range list {
		if (s.Camera != nil) == cameras {
			n++
		}
	}
	return n
}
