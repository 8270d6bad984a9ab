package prep

import (
	"context"
	"fmt"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/memo"
	"yarvek/core/picture/outfit"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/station/axes"
	"yarvek/core/station/budget"
	"yarvek/core/station/collision"
	"yarvek/core/station/export"
	"yarvek/core/station/lods"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/station/slots"
	"yarvek/core/station/source"
	"yarvek/core/station/surface"
	"yarvek/core/target"
)

// Input is what a run starts from.
type Input struct {
	Key      string            // names Scene and Findings: equal keys must mean equal ones
	Scene    *scene.Scene      // as the reader gave it, in metres and the file's basis
	Findings []finding.Finding // of the reader
	Revision int               // its number, for the tape
	Target   target.Target
	Grid     float64 // the kit's module in metres, 0 for the target's
	// SlotMap is the kit's map of slot names, and Added the pictures that were added to the asset, each
	// with the SHA-256 of its bytes for a path.
	SlotMap []outfit.MapLine
	Added   []scene.Image
	// Upto is the last station that is asked for, "" for all of them: a look at what a decision
	// would do need not wait for those after it.
	Upto string
	// Shelf keeps what takes long to make beyond the memo; nil for nowhere.
	Shelf Shelf
	// Make has coarser meshes made however long that takes; without it the report of LODs says that
	// those of a large scene are still to be made. Progress, which may be nil, is told how far it
	// is at what, from 0 to 1; it may be called from several goroutines.
	Make     bool
	Progress func(step string, fraction float64)
}

// Shelf keeps bytes by key, and may lose any of them at any moment. Equal keys mean equal bytes. It is
// asked from several goroutines.
type Shelf interface {
	Load(key string) ([]byte, bool)
	Save(key string, b []byte)
}

// Stop is what one station left.
type Stop struct {
	station.Info
	Report station.Report
	Before *scene.Scene // what came to the station; its nodes are those decisions name
	Scene  *scene.Scene // what went on from it
	Key    string       // names the content of Scene: equal keys mean equal scenes
	Box    geom.Box     // of Scene, in its basis; metres
	// FromSource maps coordinates as Source leaves the scene, in which decisions keep
	// picked points, to those of Scene.
	FromSource geom.Affine
	// Stand takes directions of Scene to glTF's basis as the asset is decided to stand, and
	// Standing is the box of Scene in that frame: every station speaks of height and width
	// in it, whether it comes before that decision or after.
	Stand    geom.Mat3
	Standing geom.Box
	Letters  geom.Basis // of Scene's axes as it stands there
	// Changed tells that a mesh of Scene differs from what Source left by more than where it
	// stands and how large it is.
	Changed bool
}

// Result is the outcome of every station. Scenes and reports are shared with the memo,
// and nobody writes to them.
type Result struct {
	Read   *scene.Scene   // as the reader gave it
	Came   *source.Came   // Read, cropped and taken apart as decided
	Survey *source.Survey // of Came

	// The stations' reports in their own types; Stops has them too.
	Source    *source.Report
	Size      *size.Report
	Axes      *axes.Report
	Pivot     *pivot.Report
	Surface   *surface.Report
	Budget    *budget.Report
	LODs      *lods.Report
	Collision *collision.Report
	Slots     *slots.Report
	Export    *export.Report

	// Delivery is what leaves, whatever the last station is.
	Delivery scene.Delivery

	Hits int // stations taken from the memo

	stops []Stop // one for each on the list, in order
}

// Pending tells that something that takes long is still to be made.
func (r *Result) Pending() bool { return r.LODs.Pending || r.Collision.Pending || r.Slots.Pending }

// Stops lists the stops in the order of the work, one a station as far as they were asked for. The list must not be
// written to.
func (r *Result) Stops() []Stop { return r.stops }

// Stop finds the stop at a station; the error is a *station.UnknownError.
func (r *Result) Stop(id string) (Stop, error) {
	for _, s := range r.stops {
		if s.ID == id {
			return s, nil
		}
	}
	return Stop{}, &station.UnknownError{ID: id}
}

// Findings are those of all stations, in order.
func (r *Result) Findings() []finding.Finding {
	var out []finding.Finding
	for _, s := range r.stops {
		out = append(out, s.Report.Findings()...)
	}
	return out
}

// Boxes are the boxes of the nodes that came, as the asset is decided to stand, in glTF's
// basis; metres as read.
func (r *Result) Boxes() []geom.Box {
	stand := r.stops[0].Stand
	if !stand.SwapsAxes() {
		return r.Came.NodeBoundsUnder(stand)
	}
	out := make([]geom.Box, len(r.Survey.Boxes))
	for i, b := range r.Survey.Boxes {
		out[i] = b.Carried(stand)
	}
	return out
}

// Open counts the findings of all stations that must be fixed and that deserve a look.
func (r *Result) Open() (mustFix, look int) {
	for _, f := range r.Findings() {
		switch f.Severity {
		case finding.MustFix:
			mustFix++
		case finding.Look:
			look++
		}
	}
	return mustFix, look
}

// Lost lists the decisions that find no node any more.
func (r *Result) Lost() []Ref {
	var out []Ref
	for _, s := range r.stops {
		for _, k := range s.Report.Lost() {
			out = append(out, Ref{s.ID, k})
		}
	}
	return out
}

// Kept is what one stop left, as a [Memo] keeps it.
type Kept struct {
	scene  *scene.Scene
	report any
}

// Memo keeps the outcomes of stops by everything they depend on.
type Memo = memo.Memo[Kept]

// NewMemo makes one of about limit bytes.
func NewMemo(limit int64) *Memo {
	return memo.New(limit, func(k Kept) int64 { return 4096 + k.scene.Bytes() })
}

// Rules is the version of the rules of all stations: it is part of every key. Raise it
// when a station gives another outcome for the same scene and decisions, so that what
// was derived by the old rules and kept on disk is not taken for the new.
const Rules = 22

// Run walks the stations. What no decision before it changed comes from the memo,
// which may be nil. The error is ctx's, or says what of the prep can't be meant.
func Run(ctx context.Context, in Input, p Prep, m *Memo) (*Result, error) {
	if err := p.Validate(); err != nil {
		return nil, err
	}
	if in.Grid == 0 {
		in.Grid = in.Target.Pivot.Grid
	}
	r := &Result{Read: in.Scene}
	w := &walk{ctx: ctx, memo: m, key: fmt.Sprintf("rules %d\n%s", Rules, in.Key), result: r, scene: in.Scene}

	cut := source.Decisions{Split: p.Source.Split, Crop: p.Source.Crop}
	if len(cut.Split)+len(cut.Crop) == 0 {
		r.Came = source.TakeApart(ctx, in.Scene, cut) // all of it, which needs no keeping
	} else {
		_, r.Came = step(w, "came", cut, func(ctx context.Context, cut source.Decisions) (*scene.Scene, *source.Came) {
			c := source.TakeApart(ctx, in.Scene, cut)
			return c.Scene, c
		})
	}
	cameKey := w.key
	names := in.Target.Names
	words := target.Target{Names: target.Names{Rules: names.Rules, LOD: names.LOD, Solid: names.Solid}} // all of it that is looked by
	_, r.Survey = step(w, "survey", words, func(ctx context.Context, t target.Target) (*scene.Scene, *source.Survey) {
		return nil, source.Look(ctx, r.Came.Scene, t)
	})

	came := asking[source.Decisions, source.Ask]{p.Source,
		source.Ask{Read: in.Findings, Revision: in.Revision, Counts: in.Scene.Count()}}
	w.scene, r.Source = step(w, source.Info.ID, came,
		func(ctx context.Context, a asking[source.Decisions, source.Ask]) (*scene.Scene, *source.Report) {
			return source.Run(ctx, r.Came, r.Survey, a.Ask, a.D)
		})
	if w.err != nil {
		return nil, w.err
	}
	w.stop(source.Info, r.Source, r.Came.Scene, r.Source.Box, geom.Identity)

	kept, keptKey := w.scene, w.key
	_, shapes := step(w, "shapes", none{}, func(context.Context, none) (*scene.Scene, string) { return nil, kept.ShapeSum() })
	_, flats := step(w, "flats", none{}, func(ctx context.Context, _ none) (*scene.Scene, axes.Flats) {
		return nil, axes.FlatsOf(ctx, kept)
	})
	stand := geom.Identity3
	if w.err == nil {
		stand = axes.Stand(kept.Basis, p.Axes, geom.GLTF)
	}
	sized := asking[size.Decisions, size.Ask]{p.Size, size.Ask{Grid: in.Grid, Classes: in.Target.Sizes(), Stand: stand}}
	w.scene, r.Size = step(w, size.Info.ID, sized,
		func(ctx context.Context, a asking[size.Decisions, size.Ask]) (*scene.Scene, *size.Report) {
			return size.Run(ctx, kept, a.D, a.Ask)
		})
	if w.err != nil {
		return nil, w.err
	}
	grown := geom.Linear(geom.Identity3.Scaled(r.Size.Factor))
	w.stop(size.Info, r.Size, kept, r.Size.Box, grown)

	scaled := w.scene
	at := asking[axes.Decisions, geom.Basis]{p.Axes, in.Target.Basis}
	w.scene, r.Axes = step(w, axes.Info.ID, at,
		func(ctx context.Context, a asking[axes.Decisions, geom.Basis]) (*scene.Scene, *axes.Report) {
			return axes.Run(ctx, scaled, a.D, a.Ask, axes.Ask{Flats: flats, Factor: r.Size.Factor, Box: r.Size.Box, Body: r.Size.Body()})
		})
	if w.err != nil {
		return nil, w.err
	}
	toStood := r.Axes.Map.Mul(grown)
	w.stop(axes.Info, r.Axes, scaled, r.Axes.Box, toStood)
	// Now that it stands, the boxes of the stations before are known upright too: that of
	// the outcome, where it was before it was dropped to the ground and was scaled.
	upright := r.Axes.Box.Shifted(r.Axes.Map.T.Mul(-1)).Carried(in.Target.Basis.To(geom.GLTF))
	for i := range r.stops {
		s := &r.stops[i]
		switch s.ID {
		case source.Info.ID:
			s.Stand, s.Letters, s.Standing = stand, r.Axes.Decided, upright.Carried(geom.Identity3.Scaled(1/r.Size.Factor))
		case size.Info.ID:
			s.Stand, s.Letters, s.Standing = stand, r.Axes.Decided, upright
		}
	}

	switch in.Upto {
	case source.Info.ID, size.Info.ID, axes.Info.ID:
		return r, nil // the first two stand as Axes has it
	}

	stood := w.scene
	seated := asking[pivot.Decisions, pivot.Ask]{p.Pivot, pivot.Ask{Stood: r.Axes.Map, Source: toStood,
		Grid: in.Grid, Module: r.Size.Class.Module, Place: in.Target.Pivot.Place}}
	w.scene, r.Pivot = step(w, pivot.Info.ID, seated,
		func(ctx context.Context, a asking[pivot.Decisions, pivot.Ask]) (*scene.Scene, *pivot.Report) {
			a.Ask.Body = r.Size.Body()
			return pivot.Run(ctx, stood, a.D, a.Ask)
		})
	if w.err != nil {
		return nil, w.err
	}
	toSeated := r.Pivot.Map.Mul(toStood)
	w.stop(pivot.Info, r.Pivot, stood, r.Pivot.Box, toSeated)

	if in.Upto == pivot.Info.ID {
		return r, nil
	}

	t := &tail{walk: w, in: in, p: p, cameKey: cameKey, placed: toSeated,
		look: lineage{of: kept, key: keptKey, shapes: shapes, onto: toSeated, shifts: r.Pivot.Shifts, before: r.Pivot.Added}}
	t.look.changed = p.Size.Bake != size.BakeNone || !(r.Size.Factor > 0)
	if t.look.changed {
		t.look = w.itself()
	}
	t.surface()
	if w.err != nil {
		return nil, w.err
	}
	if in.Upto == surface.Info.ID {
		return r, nil
	}
	t.budget()
	if w.err != nil {
		return nil, w.err
	}
	if in.Upto == budget.Info.ID {
		return r, nil
	}

	t.lods()
	if w.err != nil {
		return nil, w.err
	}
	if in.Upto == lods.Info.ID {
		return r, nil
	}

	t.collision()
	if w.err != nil {
		return nil, w.err
	}
	if in.Upto == collision.Info.ID {
		return r, nil
	}

	t.slots()
	if w.err != nil {
		return nil, w.err
	}
	if in.Upto == slots.Info.ID {
		return r, nil
	}

	r.Delivery = scene.Delivery{Scene: w.scene, Collision: r.Collision.Delivered(), Markers: r.Pivot.Delivered(), Vanish: p.LODs.Vanish,
		Fade: float64(p.LODs.Fade) / 100}
	for i, l := range r.LODs.LODs[1:] {
		r.Delivery.LODs = append(r.Delivery.LODs, scene.LOD{Scene: r.Slots.LODs[i], From: l.From, Screen: l.Screen})
	}
	r.Delivery.NamePictures = p.Slots.Pictures.Names
	mustFix, _ := r.Open()
	r.Export = export.Run(p.Export, export.Ask{MustFix: mustFix, Scene: w.scene, Target: in.Target,
		LODs: len(r.Delivery.LODs), Pending: r.Pending(),
		Shapes: len(r.Delivery.Collision)})
	w.stop(export.Info, r.Export, w.scene, r.Surface.Box, toSeated)
	r.stops[len(r.stops)-1].Changed = t.look.changed
	return r, nil
}

// walk is one run on its way. Its key and scene are those of the last step.
type walk struct {
	ctx    context.Context
	memo   *Memo
	key    string
	scene  *scene.Scene
	result *Result
	err    error // the first; later steps do nothing then
}

// step runs one station or takes its outcome from the memo. The key of an outcome is made of the key before
// it and of the very value that run is given: what run reads besides is the walk's scene, or was made of what
// the key before it names.
func step[A, R any](w *walk, id string, asked A, run func(context.Context, A) (*scene.Scene, R)) (*scene.Scene, R) {
	var nothing R
	if w.err != nil {
		return nil, nothing
	}
	key, err := named(w.key, id, asked)
	if err != nil {
		w.err = err
		return nil, nothing
	}
	w.key = key
	ran := false
	k, err := w.memo.Get(w.ctx, w.key, func(ctx context.Context) (Kept, error) {
		ran = true
		s, rep := run(ctx, asked)
		return Kept{s, rep}, ctx.Err()
	})
	if err != nil {
		w.err = err
		return nil, nothing
	}
	if !ran {
		w.result.Hits++
	}
	return k.scene, k.report.(R)
}

// none is what a step is given that needs nothing.
type none struct{}

// asking is what a station is given: the decisions, and what else it depends on.
type asking[D, A any] struct {
	D   D
	Ask A
}

// stop records what a station left, which is the walk's scene now.
func (w *walk) stop(in station.Info, rep station.Report, before *scene.Scene, box geom.Box, fromSource geom.Affine) {
	stand := w.scene.Basis.To(geom.GLTF)
	w.result.stops = append(w.result.stops, Stop{Info: in, Report: rep, Before: before, Scene: w.scene, Key: w.key, Box: box,
		FromSource: fromSource, Stand: stand, Standing: box.Carried(stand), Letters: w.scene.Basis})
}
