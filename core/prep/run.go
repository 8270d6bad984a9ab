package prep

import (
	"context"
	"slices"

	"yarvek/core/finding"
	"yarvek/core/geom"
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
	// Holds looks only for what can hold an export back, and for what decisions need: not for faces that flicker, nor
	// for how UVs lie, which take most of the time and are told, not forbidden.
	Holds bool
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

// InPart tells that something was looked at only as far as a page waits, and can be in full by a job.
func (r *Result) InPart() bool { return r.Surface != nil && r.Surface.Flicker.Part }

// Stops lists the stops in the order of the work, one a station as far as they were asked for. The list must not be
// written to.
func (r *Result) Stops() []Stop { return r.stops }

// Figure is the station's own, or for points without faces what counts of them there.
func (s Stop) Figure() string {
	if s.Scene == nil {
		return s.Report.Figure()
	}
	n := s.Scene.Count()
	switch {
	case !n.Dotted():
	case s.ID == surface.Info.ID, s.ID == slots.Info.ID:
		return "no faces"
	case s.ID == budget.Info.ID:
		return budget.Short(n.Dots) + " points"
	}
	return s.Report.Figure()
}

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

// Rules is the version of the rules of all stations: it is part of every key. Raise it
// when a station gives another outcome for the same scene and decisions, so that what
// was derived by the old rules and kept on disk is not taken for the new.
const Rules = 33

// frame is the one value that travels from station to station: the asset as it stands between two of
// them. A station takes a frame and gives another one; scenes and meshes that it leaves alone are shared.
type frame struct {
	scene  *scene.Scene // only read
	key    string       // names scene: equal keys mean equal scenes
	box    geom.Box     // of scene, in its basis; metres
	placed geom.Affine  // from coordinates as Source leaves them to scene's
	look   lineage      // where its meshes come from; from Surface on
}

// walk is one run on its way. Stations fill its result; what they hand on is the frame.
type walk struct {
	placings map[string][]surface.Placed // of the meshes that were asked for last, by the key of their scene
	ctx      context.Context
	memo     *Memo
	in       Input
	p        Prep
	result   *Result
	came     string // the key of the scene as it came to Source, cropped and taken apart
}

// abandoned is what a walk panics with when it can't go on: its context has ended, or something of the prep
// can't be meant. Only [Run] recovers it.
type abandoned struct{ err error }

// must abandons the walk when there is an error.
func (w *walk) must(err error) {
	if err != nil {
		panic(abandoned{err})
	}
}

// Run walks the stations, as far as they are asked for. What no decision before it changed comes from the
// memo, which may be nil. The error is ctx's, or says what of the prep can't be meant.
func Run(ctx context.Context, in Input, p Prep, m *Memo) (r *Result, err error) {
	if err := p.Validate(); err != nil {
		return nil, err
	}
	last, err := lastOf(in.Upto)
	if err != nil {
		return nil, err
	}
	if in.Grid == 0 {
		in.Grid = in.Target.Pivot.Grid
	}
	w := &walk{ctx: ctx, memo: m, in: in, p: p, result: &Result{Read: in.Scene}}
	defer func() {
		switch x := recover().(type) {
		case nil:
		case abandoned:
			r, err = nil, x.err
		default:
			panic(x)
		}
	}()
	f := w.arrive()
	for _, e := range list[:last+1] {
		before := f.scene
		var rep station.Report
		f, rep = e.run(w, f)
		w.result.stops = append(w.result.stops, Stop{Info: e.Info, Report: rep, Before: before, Scene: f.scene, Key: f.key,
			Box:        f.box,
			FromSource: f.placed, Stand: f.stand(), Standing: f.box.Carried(f.stand()), Letters: f.scene.Basis,
			Changed: f.look.changed})
	}
	w.upright()
	return w.result, nil
}

// stand takes directions of the frame's scene to glTF's basis.
func (f frame) stand() geom.Mat3 { return f.scene.Basis.To(geom.GLTF) }

// lastOf is the number of the last station that is walked to: never one before Axes, as which those before it are
// shown to stand. The error is a *station.UnknownError.
func lastOf(upto string) (int, error) {
	if upto == "" {
		return len(list) - 1, nil
	}
	if _, err := memberOf(upto); err != nil {
		return 0, err
	}
	at := func(id string) int { return slices.IndexFunc(list, func(e member) bool { return e.ID == id }) }
	return max(at(upto), at(axes.Info.ID)), nil
}
